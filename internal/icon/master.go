// Package icon makes a set of icons from one master picture.
package icon

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"strings"

	_ "golang.org/x/image/bmp" // decoders for masters

	"tachyform.dev/tachyform/internal/raster"
)

// Limits for raster masters. A header of a few bytes can ask for gigabytes, so they are checked before decoding.
const (
	MaxBytes  = 32 << 20   // of a master's file
	maxSide   = 8192       // px
	maxPixels = 50_000_000 // px
)

// ErrNotPicture says that a master is in no format that can be read.
var ErrNotPicture = errors.New("not an SVG, PNG, JPEG, WebP, GIF or BMP picture")

// rect is a square part of a master, in fractions of its longer side: the whole is {0, 0, 1}.
type rect struct{ x, y, side float64 }

var whole = rect{0, 0, 1}

// Master is a picture that icons are made from.
type Master struct {
	Name          string
	Format        string // "svg", "png", "jpeg", ...
	Width, Height float64
	Warnings      []string
	Opaque        bool    // no transparent pixel
	Coverage      float64 // share of the square that is not empty, 0 to 1

	source []byte // of an SVG
	svg    *svgDoc
	levels []*picture // of a raster, each half the size of the one before
	art    rect       // the smallest square around what is drawn
	radius float64    // of the smallest circle around the art's middle that holds it, in fractions of the longer side
	edge   [3]float32 // colour along the edges of an opaque master
	plain  bool       // the edges have one colour
	mean   [3]float32 // mean colour of what is drawn
	plate  *plate     // nil when the art is on none
	solid  float64    // share of the art's own box, which need not be square, that is drawn on, 0 to 1
}

// plate is a disc, a rounded square or the like of one colour along its outline, on which the art lies.
type plate struct {
	colour [3]float32
	radius float64 // of the smallest circle around its middle that holds the art on it, in fractions of the longer side
}

// Load reads a master. The error says what is wrong with it; it wraps [ErrNotPicture] when the bytes are no
// picture at all.
func Load(ctx context.Context, name string, data []byte) (*Master, error) {
	m := &Master{Name: name}
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("%s: %d bytes; masters of at most %d bytes are read", name, len(data), MaxBytes)
	}
	if LooksLikeSVG(data) {
		d, warn, err := readSVG(ctx, string(data))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		m.Format, m.svg, m.Warnings, m.source = "svg", d, warn, data
		m.Width, m.Height = d.natural[0], d.natural[1]
	} else {
		cfg, format, err := image.DecodeConfig(bytes.NewReader(data))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", name, ErrNotPicture)
		}
		if cfg.Width < 1 || cfg.Height < 1 || cfg.Width > maxSide || cfg.Height > maxSide || cfg.Width*cfg.Height > maxPixels {
			return nil, fmt.Errorf("%s: %d x %d px; at most %d px a side and %d in all are read", name, cfg.Width, cfg.Height, maxSide, maxPixels)
		}
		img, _, err := raster.Decode(data)
		if errors.Is(err, raster.ErrTooMuch) {
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		if err != nil {
			return nil, fmt.Errorf("%s: a damaged %s: %w", name, strings.ToUpper(format), err)
		}
		turn := orientation(format, data)
		m.Format, m.levels = format, []*picture{fromImage(img).turned(turn)}
		m.Width, m.Height = float64(m.levels[0].w), float64(m.levels[0].h)
		m.Warnings = noticed(format, data, turn)
		m.levels = halves(m.levels[0])
	}
	if err := m.measure(ctx); err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	return m, nil
}

// LooksLikeSVG says whether bytes are SVG rather than a raster format.
func LooksLikeSVG(data []byte) bool {
	head := data[:min(len(data), 4096)]
	return bytes.Contains(head, []byte("<svg")) || bytes.Contains(head, []byte(":svg")) ||
		bytes.HasPrefix(bytes.TrimSpace(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))), []byte("<?xml"))
}

// halves gives a picture, and smaller ones of it, each half the size of the one before.
func halves(p *picture) []*picture {
	out := []*picture{p}
	for last := p; min(last.w, last.h) >= 64; {
		last = last.half()
		out = append(out, last)
	}
	return out
}

func (p *picture) half() *picture {
	out := &picture{max(1, p.w/2), max(1, p.h/2), nil}
	out.pix = make([]float32, out.w*out.h*4)
	for y := range out.h {
		for x := range out.w {
			o := out.pix[(y*out.w+x)*4:][:4]
			for dy := range 2 {
				for dx := range 2 {
					q := p.pix[(min(2*y+dy, p.h-1)*p.w+min(2*x+dx, p.w-1))*4:][:4]
					for k := range 4 {
						o[k] += q[k] / 4
					}
				}
			}
		}
	}
	return out
}

// draw renders a part of the master onto n x n pixels, transparent where the master has nothing.
func (m *Master) draw(ctx context.Context, n int, view rect) (*picture, error) {
	if m.svg != nil {
		img, err := m.svg.draw(ctx, n, view)
		if err != nil {
			return nil, fmt.Errorf("%s at %d px: %w", m.Name, n, err)
		}
		return fromImage(img), nil
	}
	level := m.levels[0]
	for _, l := range m.levels[1:] { // the smallest that is at least twice as large as asked for
		if float64(max(l.w, l.h))*view.side >= 2*float64(n) {
			level = l
		}
	}
	long := float64(max(level.w, level.h))
	x, y := view.x*long-(long-float64(level.w))/2, view.y*long-(long-float64(level.h))/2
	if long*view.side < float64(n) {
		return level.enlarge(n, x, y, long*view.side), nil
	}
	return level.area(n, x, y, long*view.side), nil
}

// oblong says what it means that a master is not square.
func (m *Master) oblong() string {
	return fmt.Sprintf("it is %g x %g, not square: the icons have empty bands (square: crop takes its middle, fill colours the bands)", m.Width, m.Height)
}

// measure looks at the pixels: where the art is, what surrounds it.
func (m *Master) measure(ctx context.Context) error {
	p, err := m.draw(ctx, svgProbeSize, whole)
	if err != nil {
		return err
	}
	n := svgProbeSize
	m.Opaque, m.plain = true, true
	at := func(x, y int) []float32 { return p.pix[(y*n+x)*4:][:4] }
	first := at(0, 0)
	copy(m.edge[:], first[:3])
	for i := range n {
		for _, q := range [][]float32{at(i, 0), at(i, n-1), at(0, i), at(n-1, i)} {
			for k := range 4 {
				m.plain = m.plain && math.Abs(float64(q[k]-first[k])) < 0.02
			}
		}
	}
	background := func(q []float32) bool {
		if q[3] < 0.02 {
			return true
		}
		if first[3] < 0.98 || !m.plain {
			return false
		}
		return math.Abs(float64(q[0]-first[0])) < 0.03 && math.Abs(float64(q[1]-first[1])) < 0.03 &&
			math.Abs(float64(q[2]-first[2])) < 0.03 && q[3] > 0.98
	}
	x0, y0, x1, y1, count := n, n, -1, -1, 0
	var sum [3]float64
	var weight float64
	for y := range n {
		for x := range n {
			q := at(x, y)
			m.Opaque = m.Opaque && q[3] > 0.98
			if background(q) {
				continue
			}
			count++
			x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y)
			for k := range 3 {
				sum[k] += float64(q[k])
			}
			weight += float64(q[3])
		}
	}
	m.Coverage = float64(count) / float64(n*n)
	if count == 0 {
		if first[3] < 0.02 {
			return errors.New("the picture is empty: nothing in it is visible")
		}
		m.Warnings = append(m.Warnings, "it is a single plain colour")
		x0, y0, x1, y1, weight = 0, 0, n-1, n-1, 1
		for k := range 3 {
			sum[k] = float64(first[k])
		}
	}
	for k := range 3 {
		m.mean[k] = float32(sum[k] / weight)
	}
	m.solid = float64(count) / float64((x1-x0+1)*(y1-y0+1))
	side := float64(max(x1-x0, y1-y0)+1) / float64(n)
	cx, cy := float64(x0+x1+1)/2/float64(n), float64(y0+y1+1)/2/float64(n)
	m.art = rect{cx - side/2, cy - side/2, side}
	for y := y0; y <= y1; y++ {
		for x := x0; x <= x1; x++ {
			if q := at(x, y); count == 0 || !background(q) {
				dx, dy := math.Abs((float64(x)+0.5)/float64(n)-cx), math.Abs((float64(y)+0.5)/float64(n)-cy)
				half := 0.5 / float64(n)
				m.radius = max(m.radius, math.Hypot(dx+half, dy+half))
			}
		}
	}
	if count > 0 && !m.Opaque {
		m.plate = plateOf(p, n, x0, y0, x1, y1)
	}
	if m.Coverage > 0 && m.Coverage < 0.04 {
		m.Warnings = append(m.Warnings, fmt.Sprintf("only %.1f%% of it is drawn on; it will look nearly empty as an icon", m.Coverage*100))
	}
	if q := m.Width / m.Height; q > 1.02 || q < 0.98 {
		m.Warnings = append(m.Warnings, m.oblong())
	}
	return nil
}
