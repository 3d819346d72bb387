// Package sheet draws contact sheets of icon sets: every icon at its size, under masks, and in use.
package sheet

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"math"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
	"golang.org/x/image/vector"

	xdraw "golang.org/x/image/draw"

	"tachyform.dev/tachyform/internal/icon"
)

// App is what a sheet says beside the icons.
type App struct {
	Name       string
	Theme      color.NRGBA
	Background color.NRGBA // of the splash screen
}

// Width of a sheet, in px.
const Width = 1280

// Colours of the neutral drawing.
var (
	paper    = color.NRGBA{0xf4, 0xf4, 0xf2, 255}
	white    = color.NRGBA{255, 255, 255, 255}
	dark     = color.NRGBA{0x20, 0x24, 0x28, 255}
	ink      = color.NRGBA{0x22, 0x26, 0x2a, 255}
	pale     = color.NRGBA{0x6c, 0x72, 0x78, 255}
	line     = color.NRGBA{0xd4, 0xd6, 0xd8, 255}
	lightInk = color.NRGBA{0xe8, 0xea, 0xec, 255}
	safe     = color.NRGBA{0xd0, 0x30, 0x60, 255}
)

// entry is one picture of a set.
type entry struct {
	icon.Icon
	size    int
	picture image.Image
}

// entries decodes a set, the sizes of a favicon each by itself. Vector icons are not drawn: the others are made from them.
func entries(set []icon.Icon) ([]entry, error) {
	var out []entry
	for _, i := range set {
		switch i.Purpose {
		case icon.Vector:
			continue
		case icon.Favicon:
			for n, data := range unpack(i.Data) {
				m, err := png.Decode(bytes.NewReader(data))
				if err != nil {
					return nil, fmt.Errorf("%s: %w", i.File, err)
				}
				out = append(out, entry{i, i.Sizes[n], m})
			}
			continue
		}
		m, err := png.Decode(bytes.NewReader(i.Data))
		if err != nil {
			return nil, fmt.Errorf("%s: %w", i.File, err)
		}
		out = append(out, entry{i, i.Sizes[0], m})
	}
	return out, nil
}

// unpack gives the PNGs of an ICO file that this program wrote.
func unpack(ico []byte) [][]byte {
	var out [][]byte
	for i := range int(binary.LittleEndian.Uint16(ico[4:])) {
		e := ico[6+16*i:]
		size, at := binary.LittleEndian.Uint32(e[8:]), binary.LittleEndian.Uint32(e[12:])
		out = append(out, ico[at:at+size])
	}
	return out
}

// best gives the picture of a purpose that is the smallest of at least a size, or the largest.
func best(list []entry, purpose string, size int) image.Image {
	var found *entry
	for i := range list {
		e := &list[i]
		if e.Purpose != purpose {
			continue
		}
		if found == nil || found.size < size && e.size > found.size || e.size >= size && e.size < found.size {
			found = e
		}
	}
	if found == nil {
		return nil
	}
	return found.picture
}

// PNG draws a set as a picture of [Width] px.
func PNG(set []icon.Icon, app App) ([]byte, error) {
	list, err := entries(set)
	if err != nil {
		return nil, err
	}
	c := &canvas{image.NewNRGBA(image.Rect(0, 0, Width, 4000))}
	c.fill(c.m.Rect, paper)
	y := 56
	c.text(40, y, app.Name+": icons", 26, bold, ink)
	y = c.sizes(list, y+28)
	y = c.masks(list, y+48)
	y = c.uses(list, app, y+48)
	var b bytes.Buffer
	err = png.Encode(&b, c.m.SubImage(image.Rect(0, 0, Width, y+40)))
	return b.Bytes(), err
}

type canvas struct{ m *image.NRGBA }

func (c *canvas) fill(r image.Rectangle, col color.Color) {
	draw.Draw(c.m, r, image.NewUniform(col), image.Point{}, draw.Over)
}

type weight int

const (
	regular weight = iota
	bold
)

var fonts = sync.OnceValue(func() [2]*opentype.Font {
	var out [2]*opentype.Font
	for i, data := range [][]byte{goregular.TTF, gobold.TTF} {
		f, err := opentype.Parse(data)
		if err != nil {
			panic(err) // embedded
		}
		out[i] = f
	}
	return out
})

func face(size float64, w weight) font.Face {
	f, err := opentype.NewFace(fonts()[w], &opentype.FaceOptions{Size: size, DPI: 72})
	if err != nil {
		panic(err) // the options are constants
	}
	return f
}

func (c *canvas) text(x, baseline int, s string, size float64, w weight, col color.Color) {
	d := font.Drawer{Dst: c.m, Src: image.NewUniform(col), Face: face(size, w), Dot: fixed.P(x, baseline)}
	d.DrawString(s)
}

func (c *canvas) centred(x, baseline int, s string, size float64, w weight, col color.Color) {
	width := font.MeasureString(face(size, w), s).Round()
	c.text(x-width/2, baseline, s, size, w, col)
}

// put draws a picture at a size, under a mask when there is one.
func (c *canvas) put(x, y, size int, m image.Image, mask image.Image) {
	if m == nil {
		return
	}
	scaled := image.NewNRGBA(image.Rect(0, 0, size, size))
	if m.Bounds().Dx() == size {
		draw.Draw(scaled, scaled.Rect, m, m.Bounds().Min, draw.Src)
	} else {
		xdraw.CatmullRom.Scale(scaled, scaled.Rect, m, m.Bounds(), xdraw.Src, nil)
	}
	r := image.Rect(x, y, x+size, y+size)
	if mask == nil {
		draw.Draw(c.m, r, scaled, image.Point{}, draw.Over)
		return
	}
	draw.DrawMask(c.m, r, scaled, image.Point{}, mask, image.Point{}, draw.Over)
}

// rounded is a mask: a rectangle whose corners are arcs of a radius.
func rounded(w, h int, radius float64) image.Image {
	z := vector.NewRasterizer(w, h)
	const k = 0.5523 // a quarter circle as a Bézier curve
	r, fw, fh := float32(radius), float32(w), float32(h)
	c := r * (1 - k)
	z.MoveTo(r, 0)
	z.LineTo(fw-r, 0)
	z.CubeTo(fw-c, 0, fw, c, fw, r)
	z.LineTo(fw, fh-r)
	z.CubeTo(fw, fh-c, fw-c, fh, fw-r, fh)
	z.LineTo(r, fh)
	z.CubeTo(c, fh, 0, fh-c, 0, fh-r)
	z.LineTo(0, r)
	z.CubeTo(0, c, c, 0, r, 0)
	z.ClosePath()
	return alpha(z, w, h)
}

// soft is a mask between a circle and a square: a superellipse.
func soft(n int) image.Image {
	z := vector.NewRasterizer(n, n)
	at := func(t float64) (float32, float32) {
		p := func(v float64) float64 { return math.Copysign(math.Pow(math.Abs(v), 2.0/4), v) }
		r := float64(n) / 2
		return float32(r + r*p(math.Cos(t))), float32(r + r*p(math.Sin(t)))
	}
	x, y := at(0)
	z.MoveTo(x, y)
	for i := 1; i < 240; i++ {
		x, y = at(2 * math.Pi * float64(i) / 240)
		z.LineTo(x, y)
	}
	z.ClosePath()
	return alpha(z, n, n)
}

func alpha(z *vector.Rasterizer, w, h int) image.Image {
	m := image.NewAlpha(image.Rect(0, 0, w, h))
	z.Draw(m, m.Rect, image.Opaque, image.Point{})
	return m
}

// panel draws a rounded rectangle.
func (c *canvas) panel(r image.Rectangle, radius float64, col color.Color) {
	draw.DrawMask(c.m, r, image.NewUniform(col), image.Point{}, rounded(r.Dx(), r.Dy(), radius), image.Point{}, draw.Over)
}

// ring draws a circle's outline.
func (c *canvas) ring(cx, cy, radius float64, col color.NRGBA) {
	for i := range 720 {
		if i/8%2 == 1 {
			continue // dashes
		}
		t := 2 * math.Pi * float64(i) / 720
		x, y := int(cx+radius*math.Cos(t)), int(cy+radius*math.Sin(t))
		c.fill(image.Rect(x, y, x+2, y+2), col)
	}
}

// shown is how large an icon is drawn in the list of sizes at most, in px.
const shown = 144

// sizes draws every icon at its size on light and on dark.
func (c *canvas) sizes(list []entry, y int) int {
	c.text(40, y+16, "Every file at its size (larger ones reduced to 144 px)", 15, regular, pale)
	y += 32
	for _, ground := range []struct{ back, text color.NRGBA }{{white, pale}, {dark, lightInk}} {
		x, height, top := 24, 0, y+20
		var rows [][]entry
		var row []entry
		for _, e := range list {
			w := max(min(e.size, shown), 84) + 20
			if x+w > Width-80-24 {
				rows, row, x = append(rows, row), nil, 24
			}
			row = append(row, e)
			x += w
		}
		rows = append(rows, row)
		for _, r := range rows {
			tallest := 0
			for _, e := range r {
				tallest = max(tallest, min(e.size, shown))
			}
			height += tallest + 52
		}
		c.panel(image.Rect(40, y, Width-40, y+height+20), 12, ground.back)
		for _, r := range rows {
			x, tallest := 64, 0
			for _, e := range r {
				tallest = max(tallest, min(e.size, shown))
			}
			for _, e := range r {
				n := min(e.size, shown)
				w := max(n, 84)
				picture := e.picture
				if e.Purpose == icon.Mono && ground.back == dark {
					picture = tinted(picture, lightInk)
				}
				c.put(x+(w-n)/2, top+tallest-n, n, picture, nil)
				c.centred(x+w/2, top+tallest+18, e.Purpose, 12, regular, ground.text)
				c.centred(x+w/2, top+tallest+33, fmt.Sprintf("%d px", e.size), 12, regular, ground.text)
				x += w + 20
			}
			top += tallest + 52
		}
		y += height + 36
	}
	return y - 16
}

// tinted gives a picture's shape in one colour.
func tinted(m image.Image, col color.NRGBA) image.Image {
	out := image.NewNRGBA(m.Bounds())
	draw.DrawMask(out, out.Rect, image.NewUniform(col), image.Point{}, m, m.Bounds().Min, draw.Src)
	return out
}

// masks draws the maskable icon as launchers cut it.
func (c *canvas) masks(list []entry, y int) int {
	m := best(list, icon.Maskable, 180)
	if m == nil {
		return y - 48
	}
	c.text(40, y, "The maskable icon under masks; the dashed circle is the safe zone", 15, regular, pale)
	y += 20
	const n = 168
	for i, mask := range []struct {
		name string
		m    image.Image
	}{{"whole, with its safe zone", nil}, {"circle", rounded(n, n, n/2)}, {"rounded square", rounded(n, n, n/4.5)}, {"soft square", soft(n)}, {"rounder square", rounded(n, n, n/2.6)}} {
		x := 40 + i*(n+56)
		c.put(x, y, n, m, mask.m)
		if mask.m == nil {
			c.ring(float64(x)+n/2, float64(y)+n/2, icon.SafeZone*n, safe)
		}
		c.centred(x+n/2, y+n+22, mask.name, 13, regular, pale)
	}
	return y + n + 22
}

// uses draws tab, home screen and splash screen in a neutral way.
func (c *canvas) uses(list []entry, app App, y int) int {
	c.text(40, y, "In use: browser tab, home screen, start of the app", 15, regular, pale)
	y += 20
	const height = 420
	name := app.Name
	for i, t := range []struct{ bar, tab, text color.NRGBA }{{line, white, ink}, {color.NRGBA{0x12, 0x14, 0x16, 255}, color.NRGBA{0x34, 0x38, 0x3c, 255}, lightInk}} {
		top := y + i*92
		c.panel(image.Rect(40, top, 480, top+72), 10, t.bar)
		c.panel(image.Rect(56, top+16, 300, top+72), 8, t.tab)
		c.put(72, top+34, 16, best(list, icon.Favicon, 16), nil)
		c.text(98, top+47, fit(name, 180, 14), 14, regular, t.text)
		c.put(340, top+28, 32, best(list, icon.Favicon, 32), nil)
	}
	c.text(40, y+210, "16 and 32 px, light and dark", 13, regular, pale)
	c.panel(image.Rect(540, y, 860, y+height), 28, color.NRGBA{0x5b, 0x76, 0x8c, 255})
	plates := []struct {
		m    image.Image
		mask image.Image
	}{{best(list, icon.Maskable, 96), rounded(84, 84, 42)}, {best(list, icon.Maskable, 96), soft(84)}, {best(list, icon.Touch, 96), rounded(84, 84, 18)}}
	for row := range 3 {
		for col := range 3 {
			x, top := 570+col*94, y+30+row*128
			if row == 0 {
				c.put(x, top, 84, plates[col].m, plates[col].mask)
				c.centred(x+42, top+102, fit(name, 92, 13), 13, regular, white)
				continue
			}
			c.panel(image.Rect(x, top, x+84, top+84), 24, color.NRGBA{255, 255, 255, 40})
		}
	}
	c.panel(image.Rect(920, y, Width-40, y+height), 28, line)
	c.panel(image.Rect(924, y+4, Width-44, y+height-4), 26, app.Background)
	c.put(920+160-72, y+120, 144, best(list, icon.Any, 192), nil)
	text := ink
	if dim(app.Background) {
		text = lightInk
	}
	c.centred(920+160, y+height-60, fit(name, 280, 20), 20, regular, text)
	c.panel(image.Rect(960, y+4, Width-80, y+12), 4, app.Theme)
	return y + height
}

// dim says whether light text is read better on a colour.
func dim(c color.NRGBA) bool { return 299*int(c.R)+587*int(c.G)+114*int(c.B) < 128_000 }

// fit shortens a text to a width in px.
func fit(s string, width int, size float64) string {
	f := face(size, regular)
	if font.MeasureString(f, s).Round() <= width {
		return s
	}
	r := []rune(s)
	for len(r) > 0 && font.MeasureString(f, string(r)+"…").Round() > width {
		r = r[:len(r)-1]
	}
	return string(r) + "…"
}
