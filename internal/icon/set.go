package icon

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/csscolor"
)

// Generation changes whenever the pictures made from the same master do.
const Generation = "4"

// Purposes of icons; those of manifests by the Web Application Manifest text, the others our own.
const (
	Any      = "any"
	Maskable = "maskable"
	Touch    = "touch"   // for a link of the apple-touch-icon type: opaque
	Favicon  = "favicon" // an ICO file with several sizes
	Mono     = "monochrome"
	Dark     = "dark"     // for a link of the icon type, for tabs of dark windows
	Vector   = "vector"   // the SVG master itself, for a link of the icon type
	Shortcut = "shortcut" // for an entry of the manifest's shortcuts
)

// SafeZone is the radius of the maskable safe zone, in fractions of the icon's side (Web Application Manifest,
// "Icon masks and safe zone": a centred circle of 40% of the icon's size).
const SafeZone = 0.4

// Want names one icon of a set.
type Want struct {
	File    string
	Purpose string
	Sizes   []int // px; one, or several for a favicon
}

// Standard is the set that every platform is content with.
var Standard = []Want{
	{"icon-192.png", Any, []int{192}},
	{"icon-512.png", Any, []int{512}},
	{"maskable-512.png", Maskable, []int{512}},
	{"touch-180.png", Touch, []int{180}},
	{"favicon.ico", Favicon, []int{16, 32, 48}},
}

// DarkIcons are the names that an icon for dark windows can have: from pixels, and from an SVG.
var DarkIcons = []Want{{"icon-dark-48.png", Dark, []int{48}}, {"icon-dark.svg", Dark, nil}}

// Wants gives the set for a master: the standard one, what the master and the options allow beside it, and more sizes, in px.
func Wants(m *Master, sizes []int, o Options) []Want {
	out := slices.Clone(Standard)
	for _, n := range sizes {
		w := Want{fmt.Sprintf("icon-%d.png", n), Any, []int{n}}
		if !slices.ContainsFunc(out, func(o Want) bool { return o.File == w.File }) {
			out = append(out, w)
		}
	}
	if m.Silhouette() {
		out = append(out, Want{"monochrome-512.png", Mono, []int{512}})
	}
	if m.svg != nil {
		out = append(out, Want{"icon.svg", Vector, nil})
	}
	if o.Dark != nil {
		w := DarkIcons[0]
		if o.Dark.svg != nil {
			w = DarkIcons[1]
		}
		out = append(out, w)
	}
	return out
}

// Silhouette says whether the master's shape alone, in one colour, is an icon: it has transparency, and is more than a
// plate, or than a photograph with bands beside it.
func (m *Master) Silhouette() bool {
	inBox := m.Coverage / (m.art.side * m.art.side)
	return !m.Opaque && m.Coverage > 0.04 && inBox < 0.78 && m.solid < 0.95
}

// Icon is a finished icon file.
type Icon struct {
	Want
	Data []byte
	Type string // media type
}

// Options of a set.
type Options struct {
	// Background lies under maskable and touch icons; nil lets the art decide: its own edge colour when the
	// master is opaque, else the first of Backgrounds that it stands out from.
	Background  *color.NRGBA
	Backgrounds []color.NRGBA
	Small       *Master // for sizes of up to 48 px; nil for the master itself
	Maskable    *Master // for maskable icons; nil for the master itself
	Dark        *Master // for tabs of dark windows; nil for none
	Effort      Effort
}

// smallest is up to where Options.Small is used, in px.
const smallest = 48

// of chooses the master for a purpose and size.
func (o Options) of(m *Master, purpose string, size int) *Master {
	switch {
	case purpose == Maskable && o.Maskable != nil:
		return o.Maskable
	case size <= smallest && o.Small != nil:
		return o.Small
	}
	return m
}

// Make draws a set. Icons come in the order they were wanted. The remarks say what was decided or went less than
// well.
func Make(ctx context.Context, m *Master, wants []Want, o Options) ([]Icon, []string, error) {
	bg, remarks := m.background(o)
	out := make([]Icon, len(wants))
	largest := 0
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, w := range wants {
		for _, s := range w.Sizes {
			largest = max(largest, s)
		}
		g.Go(func() (err error) {
			out[i], err = m.make(ctx, w, bg, o)
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, nil, err
	}
	if r := m.onTabs(o); r != "" {
		remarks = append(remarks, r)
	}
	for _, other := range []*Master{o.Small, o.Maskable} {
		if other != nil && other.svg == nil {
			need := smallest
			if other == o.Maskable {
				need = largest
			}
			if max(other.Width, other.Height) < float64(need) {
				remarks = append(remarks, fmt.Sprintf("%s is %g x %g px: icons of up to %d px are scaled up from it and look soft", other.Name, other.Width, other.Height, need))
			}
		}
	}
	if m.svg == nil && max(m.Width, m.Height) < float64(largest) {
		remarks = append(remarks, fmt.Sprintf("%s is %g x %g px: icons of up to %d px are scaled up from it and look soft; give a master of %d px or an SVG",
			m.Name, m.Width, m.Height, largest, largest))
	}
	return out, remarks, nil
}

// Tabs of windows, light and dark: the greys that browsers have there lie near.
var (
	lightTab = [3]float32{0.96, 0.96, 0.97}
	darkTab  = [3]float32{0.16, 0.17, 0.19}
)

const leastOnTabs = 1.6 // contrast of a favicon to the tab below it

// onTabs says that a favicon is hardly seen on tabs of dark or light windows, "" when it is.
func (m *Master) onTabs(o Options) string {
	for _, on := range []struct {
		m     *Master
		tab   [3]float32
		which string
	}{{o.of(m, Favicon, smallest), lightTab, "light"}, {cmp.Or(o.Dark, o.of(m, Favicon, smallest)), darkTab, "dark"}} {
		if on.m.Opaque || on.m.plate != nil {
			continue
		}
		c := contrast(on.m.mean, on.tab)
		if c >= leastOnTabs {
			continue
		}
		mend := "a picture of its own for dark windows would be (dark)"
		switch {
		case on.which == "light":
			mend = "another picture for small sizes would be (small)"
		case o.Dark != nil:
			mend = "a lighter one would be"
		}
		return fmt.Sprintf("%s is hardly seen on tabs of %s windows (contrast %.1f to 1); %s", on.m.Name, on.which, c, mend)
	}
	return ""
}

func (m *Master) background(o Options) ([3]float32, []string) {
	of := func(c color.NRGBA) [3]float32 {
		return [3]float32{float32(c.R) / 255, float32(c.G) / 255, float32(c.B) / 255}
	}
	hex := func(c [3]float32) string {
		return fmt.Sprintf("#%02x%02x%02x", uint8(c[0]*255+0.5), uint8(c[1]*255+0.5), uint8(c[2]*255+0.5))
	}
	if o.Background != nil {
		bg := of(*o.Background)
		if c := contrast(bg, m.mean); c < 1.3 && !m.Opaque {
			return bg, []string{fmt.Sprintf("%s hardly stands out from the background %s (contrast %.1f to 1)", m.Name, hex(bg), c)}
		}
		return bg, nil
	}
	if m.plate != nil {
		return m.plate.colour, []string{fmt.Sprintf("background %s under maskable and touch icons: the colour of the shape that %s lies on goes on up to the edges", hex(m.plate.colour), m.Name)}
	}
	if m.Opaque && m.plain {
		return m.edge, []string{fmt.Sprintf("background %s under maskable and touch icons: the edge colour of %s", hex(m.edge), m.Name)}
	}
	best, most := [3]float32{1, 1, 1}, 0.0
	for _, c := range append(o.Backgrounds, color.NRGBA{255, 255, 255, 255}, color.NRGBA{16, 24, 32, 255}) {
		k := contrast(of(c), m.mean)
		if k >= 1.8 {
			best = of(c)
			most = k
			break
		}
		if k > most {
			best, most = of(c), k
		}
	}
	return best, []string{fmt.Sprintf("background %s under maskable and touch icons: %s stands out from it (contrast %.1f to 1)", hex(best), m.Name, most)}
}

// contrast is that of two colours, 1 to 21.
func contrast(a, b [3]float32) float64 {
	lum := func(c [3]float32) float64 {
		return csscolor.Luminance(float64(c[0]), float64(c[1]), float64(c[2]))
	}
	return csscolor.Contrast(lum(a), lum(b))
}

func (m *Master) make(ctx context.Context, w Want, bg [3]float32, o Options) (Icon, error) {
	icon := Icon{Want: w, Type: "image/png"}
	encode := func(img *image.NRGBA) []byte { return o.Effort.EncodePNG(img) }
	if len(w.Sizes) > 0 && w.Purpose != Favicon {
		m = o.of(m, w.Purpose, w.Sizes[0])
	}
	switch w.Purpose {
	case Vector:
		icon.Data, icon.Type = m.source, "image/svg+xml"
		return icon, nil
	case Dark:
		if o.Dark.svg != nil {
			icon.Data, icon.Type = o.Dark.source, "image/svg+xml"
			return icon, nil
		}
		m = o.Dark
	case Mono:
		p, err := m.draw(ctx, w.Sizes[0], m.frame(Maskable, [3]float32{-1}))
		if err != nil {
			return icon, err
		}
		for i := 0; i < len(p.pix); i += 4 { // browsers look at the alpha channel only
			p.pix[i], p.pix[i+1], p.pix[i+2] = 0, 0, 0
		}
		icon.Data = encode(p.image())
		return icon, nil
	case Favicon:
		var entries [][]byte
		for _, n := range w.Sizes {
			img, err := o.of(m, Favicon, n).plainIcon(ctx, n)
			if err != nil {
				return icon, err
			}
			entries = append(entries, encode(img))
		}
		icon.Data, icon.Type = encodeICO(w.Sizes, entries), "image/x-icon"
		return icon, nil
	case Maskable, Touch:
		p, err := m.draw(ctx, w.Sizes[0], m.frame(w.Purpose, bg))
		if err != nil {
			return icon, err
		}
		p.over(bg)
		icon.Data = encode(p.image())
		return icon, nil
	}
	img, err := m.plainIcon(ctx, w.Sizes[0])
	if err != nil {
		return icon, err
	}
	icon.Data = encode(img)
	return icon, nil
}

func (m *Master) plainIcon(ctx context.Context, n int) (*image.NRGBA, error) {
	p, err := m.draw(ctx, n, whole)
	if err != nil {
		return nil, err
	}
	return p.image(), nil
}

// frame is the part of the master (and the room around it) that an icon with a background shows: the art fits
// into the safe zone, and a touch icon leaves a tenth on each side. A photograph that fills its square stays whole, and of a mark on a plate whose
// colour goes on to the edges, only what lies on the plate counts.
func (m *Master) frame(purpose string, bg [3]float32) rect {
	if m.Opaque && !m.plain {
		return whole
	}
	cx, cy := m.art.x+m.art.side/2, m.art.y+m.art.side/2
	if m.plate != nil && bg == m.plate.colour {
		side := m.art.side
		if purpose == Maskable {
			side = max(side, m.plate.radius/SafeZone)
		}
		return rect{cx - side/2, cy - side/2, side}
	}
	side := m.radius / SafeZone
	if purpose == Touch {
		side = max(m.art.side/0.8, 1)
		if m.Opaque {
			return whole
		}
	}
	return rect{cx - side/2, cy - side/2, side}
}

// encodeICO packs PNGs into an ICO file.
func encodeICO(sizes []int, pngs [][]byte) []byte {
	var b bytes.Buffer
	le := binary.LittleEndian
	b.Write([]byte{0, 0, 1, 0})
	b.Write(le.AppendUint16(nil, uint16(len(pngs))))
	offset := 6 + 16*len(pngs)
	for i, p := range pngs {
		n := byte(sizes[i]) // 256 is written as 0
		b.Write([]byte{n, n, 0, 0, 1, 0, 32, 0})
		b.Write(le.AppendUint32(nil, uint32(len(p))))
		b.Write(le.AppendUint32(nil, uint32(offset)))
		offset += len(p)
	}
	for _, p := range pngs {
		b.Write(p)
	}
	return b.Bytes()
}

// Size reads the real size and format of a picture file: px, or the natural size of an SVG. An ICO gives its
// largest entry.
func Size(data []byte) (width, height int, mediaType string, err error) {
	switch {
	case LooksLikeSVG(data):
		return 0, 0, "image/svg+xml", nil
	case len(data) >= 6 && bytes.HasPrefix(data, []byte{0, 0, 1, 0}):
		n := int(binary.LittleEndian.Uint16(data[4:]))
		for i := range n {
			if len(data) < 6+16*(i+1) {
				return 0, 0, "", fmt.Errorf("a damaged ICO: %w", ErrNotPicture)
			}
			w, h := int(data[6+16*i]), int(data[7+16*i])
			if w == 0 {
				w = 256
			}
			if h == 0 {
				h = 256
			}
			width, height = max(width, w), max(height, h)
		}
		return width, height, "image/x-icon", nil
	}
	cfg, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return 0, 0, "", ErrNotPicture
	}
	return cfg.Width, cfg.Height, "image/" + format, nil
}
