// Package pictures keeps pictures of pages in several network states and widths, and says where they differ.
package pictures

import (
	"bytes"
	"cmp"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/image/draw"
)

// Width is a window that pages are drawn in.
type Width struct {
	Name          string
	Width, Height int64 // CSS px
}

// Widths are those of a phone and of a desktop.
var Widths = []Width{{"phone", 390, 780}, {"desktop", 1280, 800}}

// Picture is a page in one network state and one width.
type Picture struct {
	Page, Network, Width string
	File                 string  // its name in the folder
	Small                []byte  // a PNG of it in few pixels
	Differs              float64 // part of the pixels that are another than online, 0 to 1

	pixels *image.NRGBA
}

// smallHeight is how high small pictures are, in pixels.
const smallHeight = 200

// Take adds a picture from its PNG, and writes it into a folder. The picture of the same page and width online, when it was taken before, is what
// it is compared with.
func (s *Set) Take(page, network string, w Width, data []byte) error {
	img, err := png.Decode(bytes.NewReader(data))
	if err != nil {
		return fmt.Errorf("a picture of %s: %w", page, err)
	}
	b := img.Bounds()
	small := image.NewNRGBA(image.Rect(0, 0, max(1, b.Dx()*smallHeight/max(1, b.Dy())), smallHeight))
	draw.CatmullRom.Scale(small, small.Bounds(), img, b, draw.Src, nil)
	p := &Picture{Page: page, Network: network, Width: w.Name, File: fmt.Sprintf("%s-%s-%s.png", nameOf(page), network, w.Name), pixels: small}
	for n := 2; slices.ContainsFunc(s.Pictures, func(q *Picture) bool { return q.File == p.File }); n++ {
		p.File = fmt.Sprintf("%s-%d-%s-%s.png", nameOf(page), n, network, w.Name)
	}
	if base := s.Find(page, "online", w.Name); base != nil && network != "online" {
		p.Differs = differs(base.pixels, small)
	}
	var out bytes.Buffer
	if err := png.Encode(&out, small); err != nil {
		return err
	}
	p.Small = out.Bytes()
	s.Pictures = append(s.Pictures, p)
	return os.WriteFile(filepath.Join(s.Dir, p.File), data, 0o644)
}

// Set is the pictures of one rehearsal.
type Set struct {
	Dir      string // where they are written
	Pictures []*Picture
}

// Find gives a picture, nil when it was not taken.
func (s *Set) Find(page, network, width string) *Picture {
	for _, p := range s.Pictures {
		if p.Page == page && p.Network == network && p.Width == width {
			return p
		}
	}
	return nil
}

// Pages gives the pages, those first whose pictures differ most from online.
func (s *Set) Pages() []string {
	most := map[string]float64{}
	var pages []string
	for _, p := range s.Pictures {
		if _, known := most[p.Page]; !known {
			pages = append(pages, p.Page)
		}
		most[p.Page] = max(most[p.Page], p.Differs)
	}
	slices.SortStableFunc(pages, func(a, b string) int {
		return cmp.Or(cmp.Compare(int(most[b]*20), int(most[a]*20)), strings.Compare(a, b)) // what differs a little less is no order
	})
	return pages
}

// tolerance is how much a colour may be another in one channel, of 255.
const tolerance = 24

// maxShift is up to how many pixels of a small picture a notice at the top may push everything else down.
const maxShift = 40

// differs gives the part of the pixels that are another, when one of the pictures may have been pushed down by something at its top; the rows that are
// only in one of them count as another.
func differs(a, b *image.NRGBA) float64 {
	least := 1.0
	for shift := -maxShift; shift <= maxShift && least > 0; shift++ {
		least = min(least, apart(a, b, shift, least))
	}
	return least
}

// apart compares a with b pushed down by some rows. It may give up when more than enough differs.
func apart(a, b *image.NRGBA, shift int, enough float64) float64 {
	size := a.Bounds().Intersect(b.Bounds()).Size()
	if size.X == 0 || size.Y <= maxShift {
		return 1
	}
	far := func(x, y uint8) bool { return max(x, y)-min(x, y) > tolerance }
	all := size.X * size.Y
	other := max(shift, -shift) * size.X
	for y := max(0, shift); y < min(size.Y, size.Y+shift) && float64(other) < enough*float64(all); y++ {
		for x := range size.X {
			p, q := a.NRGBAAt(x, y), b.NRGBAAt(x, y-shift)
			if far(p.R, q.R) || far(p.G, q.G) || far(p.B, q.B) {
				other++
			}
		}
	}
	return float64(other) / float64(all)
}

var unsafe = regexp.MustCompile(`[^A-Za-z0-9]+`)

// nameOf writes an address as a part of a file's name.
func nameOf(page string) string {
	name := strings.Trim(unsafe.ReplaceAllString(page, "-"), "-")
	if len(name) > 60 {
		name = name[:60]
	}
	return cmp.Or(name, "start")
}
