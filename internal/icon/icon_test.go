package icon

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"hash/crc32"
	"image"
	"image/color"
	"image/draw"
	"image/jpeg"
	"image/png"
	"math"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const disc = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><circle cx="5" cy="5" r="4" fill="#0b4f6c"/></svg>`

func load(t testing.TB, data string) *Master {
	t.Helper()
	m, err := Load(context.Background(), "mark", []byte(data))
	require.NoError(t, err)
	return m
}

func pngOf(t testing.TB, m image.Image) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.String()
}

// square is an opaque picture with a block of another colour in the middle.
func square(n, block int, bg, fg color.Color) *image.NRGBA {
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	draw.Draw(m, m.Rect, image.NewUniform(bg), image.Point{}, draw.Src)
	draw.Draw(m, image.Rect((n-block)/2, (n-block)/2, (n+block)/2, (n+block)/2), image.NewUniform(fg), image.Point{}, draw.Src)
	return m
}

func decode(t testing.TB, data []byte) *image.NRGBA {
	t.Helper()
	m, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	out := image.NewNRGBA(m.Bounds())
	draw.Draw(out, out.Rect, m, m.Bounds().Min, draw.Src)
	return out
}

func TestSet(t *testing.T) {
	mark, err := os.ReadFile("../../demo/site/assets/brand/mark.svg")
	require.NoError(t, err)
	red := color.NRGBA{200, 0, 0, 255}
	for name, c := range map[string]struct {
		data string
		want []string // parts of remarks
	}{
		"svg":          {string(mark), nil},
		"transparent":  {disc, nil},
		"large raster": {pngOf(t, square(600, 300, color.White, red)), []string{"edge colour"}},
		"small raster": {pngOf(t, square(64, 32, color.White, red)), []string{"scaled up from it"}},
	} {
		t.Run(name, func(t *testing.T) {
			m := load(t, c.data)
			icons, remarks, err := Make(context.Background(), m, Standard, Options{Backgrounds: []color.NRGBA{{248, 245, 239, 255}}})
			require.NoError(t, err)
			for _, w := range c.want {
				assert.Contains(t, strings.Join(remarks, "\n"), w)
			}
			for _, i := range icons {
				w, h, kind, err := Size(i.Data)
				require.NoError(t, err)
				assert.Equal(t, i.Sizes[len(i.Sizes)-1], w, i.File)
				assert.Equal(t, w, h)
				assert.Equal(t, i.Type, kind)
				if i.Purpose == Touch || i.Purpose == Maskable {
					img := decode(t, i.Data)
					assert.True(t, img.Opaque(), i.File)
				}
			}
			again, _, err := Make(context.Background(), m, Standard, Options{Backgrounds: []color.NRGBA{{248, 245, 239, 255}}})
			require.NoError(t, err)
			assert.Equal(t, icons, again, "the same bytes every time")
		})
	}
}

func TestArtStaysInTheSafeZone(t *testing.T) {
	white := color.NRGBA{255, 255, 255, 255}
	for name, data := range map[string]string{
		"a square to the edges": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><rect width="10" height="10" fill="#0b4f6c"/><path d="M0 0L10 10" stroke="#fff"/></svg>`,
		"off centre":            `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><rect x="0" y="0" width="3" height="2" fill="#0b4f6c"/></svg>`,
		"a disc":                disc,
	} {
		m := load(t, data)
		icons, _, err := Make(context.Background(), m, []Want{{"m.png", Maskable, []int{200}}}, Options{Background: &white})
		require.NoError(t, err)
		img := decode(t, icons[0].Data)
		inked := 0
		for y := range 200 {
			for x := range 200 {
				c := img.NRGBAAt(x, y)
				if int(c.R)+int(c.G)+int(c.B) > 740 {
					continue
				}
				inked++
				if m.Opaque && !m.plain {
					continue
				}
				assert.LessOrEqual(t, math.Hypot(float64(x)-99.5, float64(y)-99.5), 82.0, "%s: ink at %d,%d", name, x, y)
			}
		}
		assert.Greater(t, inked, 500, name)
	}
}

// TestPlates continues the colour of the shape that a mark lies on up to the edges, and of nothing else.
func TestPlates(t *testing.T) {
	const svg = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">`
	teal, sand := color.NRGBA{11, 79, 108, 255}, color.NRGBA{248, 245, 239, 255}
	for name, c := range map[string]struct {
		art   string
		plate bool
	}{
		"a disc":                    {`<circle cx="50" cy="50" r="50" fill="#0b4f6c"/><path d="M30 50h40" stroke="#fff" stroke-width="12"/>`, true},
		"a rounded square":          {`<rect width="100" height="100" rx="22" fill="#0b4f6c"/><circle cx="50" cy="50" r="20" fill="#fff"/>`, true},
		"one that does not fill it": {`<rect x="10" y="10" width="80" height="80" rx="18" fill="#0b4f6c"/><path d="M30 50h40" stroke="#fff" stroke-width="12"/>`, true},
		"art up to its edge":        {`<circle cx="50" cy="50" r="50" fill="#0b4f6c"/><path d="M6 50h88" stroke="#fff" stroke-width="8"/>`, true},
		"a plain disc":              {`<circle cx="50" cy="50" r="50" fill="#0b4f6c"/>`, false},
		"a ring":                    {`<circle cx="50" cy="50" r="40" fill="none" stroke="#0b4f6c" stroke-width="18"/>`, false},
		"two colours":               {`<path d="M0 50a50 50 0 0 1 100 0z" fill="#0b4f6c"/><path d="M0 50a50 50 0 0 0 100 0z" fill="#e07a2f"/>`, false},
		"a letter":                  {`<path d="M20 0h20v100h-20zM60 0h20v100h-20zM40 40h20v20h-20z" fill="#0b4f6c"/>`, false},
		"a bar":                     {`<rect y="30" width="100" height="40" fill="#0b4f6c"/><circle cx="50" cy="50" r="10" fill="#fff"/>`, false},
	} {
		t.Run(name, func(t *testing.T) {
			m := load(t, svg+c.art+"</svg>")
			icons, remarks, err := Make(context.Background(), m, []Want{{"m.png", Maskable, []int{192}}, {"t.png", Touch, []int{180}}}, Options{Backgrounds: []color.NRGBA{sand}})
			require.NoError(t, err)
			for _, i := range icons {
				img := decode(t, i.Data)
				want := sand
				if c.plate {
					want = teal
				}
				assert.Equal(t, want, img.NRGBAAt(0, 0), i.File)
				assert.Equal(t, want, img.NRGBAAt(img.Rect.Max.X-1, img.Rect.Max.Y-1), i.File)
			}
			assert.Equal(t, c.plate, strings.Contains(strings.Join(remarks, "\n"), "goes on up to the edges"))
			img := decode(t, icons[0].Data)
			for y := range 192 {
				for x := range 192 {
					if p := img.NRGBAAt(x, y); c.plate && int(p.R) > 200 {
						assert.LessOrEqual(t, math.Hypot(float64(x)-95.5, float64(y)-95.5), 0.41*192, "what lies on the plate stays in the safe zone: %d,%d", x, y)
					}
				}
			}
			other := color.NRGBA{200, 30, 30, 255}
			icons, _, err = Make(context.Background(), m, []Want{{"m.png", Maskable, []int{192}}}, Options{Background: &other})
			require.NoError(t, err)
			assert.Equal(t, other, decode(t, icons[0].Data).NRGBAAt(96, 2), "what was asked for lies around the whole mark")
		})
	}
}

func TestScalingAverages(t *testing.T) {
	src := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for y := range 64 {
		for x := range 64 {
			if (x+y)%2 == 0 {
				src.SetNRGBA(x, y, color.NRGBA{255, 0, 0, 255})
			}
		}
	}
	out := fromImage(src).area(16, 0, 0, 64).image()
	for _, p := range []image.Point{{0, 0}, {7, 9}, {15, 15}} {
		c := out.NRGBAAt(p.X, p.Y)
		assert.Equal(t, color.NRGBA{255, 0, 0, 128}, c, "half covered, with no dark fringe")
	}
}

func TestHostileMasters(t *testing.T) {
	header := func(w, h uint32) string {
		b := []byte("\x89PNG\r\n\x1a\n")
		d := binary.BigEndian.AppendUint32(nil, w)
		d = append(binary.BigEndian.AppendUint32(d, h), 8, 6, 0, 0, 0)
		b = binary.BigEndian.AppendUint32(b, uint32(len(d)))
		c := append([]byte("IHDR"), d...)
		b = append(b, c...)
		return string(binary.BigEndian.AppendUint32(b, crc32.ChecksumIEEE(c)))
	}
	for name, c := range map[string]struct{ data, want string }{
		"not a picture":             {"hello", "not an SVG"},
		"empty file":                {"", "not an SVG"},
		"ten gigabytes":             {header(50_000, 50_000), "at most 8192 px"},
		"too many pixels":           {header(8000, 8000), "at most"},
		"cut off":                   {header(10, 10), "damaged PNG"},
		"svg without its namespace": {`<svg viewBox="0 0 1 1"><rect width="1" height="1"/></svg>`, "xmlns"},
		"empty svg":                 {`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"/>`, "empty"},
		"broken svg":                {`<svg xmlns="http://www.w3.org/2000/svg"><rect`, "cannot be drawn"},
		"long and thin":             {`<svg xmlns="http://www.w3.org/2000/svg" width="1000" height="1"><rect width="9" height="9"/></svg>`, "its size is"},
		"endless use":               {`<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" viewBox="0 0 1 1"><g id="a"><use xlink:href="#a"/></g></svg>`, ""},
		"entities":                  {`<!DOCTYPE svg [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;"><!ENTITY c "&b;&b;&b;&b;&b;&b;&b;&b;&b;&b;"><!ENTITY d "&c;&c;&c;&c;&c;&c;&c;&c;&c;&c;"><!ENTITY e "&d;&d;&d;&d;&d;&d;&d;&d;&d;&d;">]><svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"><text>&e;&e;&e;&e;</text></svg>`, ""},
		"too many tags":             {`<svg xmlns="http://www.w3.org/2000/svg">` + strings.Repeat("<g/>", 200_001), "more than"},
		"too large":                 {`<svg xmlns="http://www.w3.org/2000/svg">` + strings.Repeat(" ", 4<<20), "at most"},
	} {
		t.Run(name, func(t *testing.T) {
			_, err := Load(context.Background(), "mark", []byte(c.data))
			require.Error(t, err)
			assert.Contains(t, err.Error(), c.want)
			assert.Contains(t, err.Error(), "mark: ")
		})
	}
	_, err := Load(context.Background(), "mark", []byte("hello"))
	assert.True(t, errors.Is(err, ErrNotPicture))
}

func TestWarnings(t *testing.T) {
	svg := func(inside string) string {
		return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><rect width="9" height="9"/>` + inside + `</svg>`
	}
	for data, want := range map[string]string{
		svg(`<text y="5">A</text>`): "text to paths", svg(`<foreignObject/>`): "foreignObject", svg(`<script/>`): "script", svg(`<animate/>`): "animated",
		svg(`<image href="photo.jpg"/>`):                                                                   "other files",
		svg(`<path d="M1 1` + strings.Repeat("l8 .01-8 .01", 100) + `z"/>`):                                "402 coordinates in a view box of 10",
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="9" height="9"/></svg>`: "nearly empty",
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"><rect width="20" height="10"/></svg>`: "not square",
	} {
		assert.Contains(t, strings.Join(load(t, data).Warnings, "\n"), want)
	}
	assert.Empty(t, load(t, disc).Warnings)
	roomy := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="90" height="90"/><path d="M1 1` + strings.Repeat("l8 .01-8 .01", 100) + `z"/></svg>`
	assert.Empty(t, load(t, roomy).Warnings, "as many coordinates have room in a larger view box")
}

func TestPNGIsLossless(t *testing.T) {
	many := image.NewNRGBA(image.Rect(0, 0, 40, 30))
	for i := range many.Pix {
		many.Pix[i] = byte(i * 7)
	}
	gray := image.NewNRGBA(image.Rect(0, 0, 33, 5))
	for i := range gray.Pix {
		gray.Pix[i] = byte(i / 4 * 5)
		if i%4 == 3 {
			gray.Pix[i] = 255
		}
	}
	key := square(9, 4, color.NRGBA{}, color.NRGBA{10, 20, 30, 255})
	for name, m := range map[string]*image.NRGBA{"many colours": many, "grey": gray, "two colours": square(17, 5, color.White, color.Black), "colour key": key} {
		out := decode(t, EncodePNG(m))
		require.Equal(t, m.Rect, out.Rect, name)
		for i := 0; i < len(m.Pix); i += 4 {
			if m.Pix[i+3] == 0 && out.Pix[i+3] == 0 {
				continue
			}
			require.Equal(t, m.Pix[i:i+4], out.Pix[i:i+4], "%s, pixel %d", name, i/4)
		}
		var plain bytes.Buffer
		require.NoError(t, png.Encode(&plain, m))
		assert.LessOrEqual(t, len(EncodePNG(m)), plain.Len(), name)
	}
}

func TestSizeOfFiles(t *testing.T) {
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, square(20, 5, color.White, color.Black), nil))
	w, h, kind, err := Size(b.Bytes())
	require.NoError(t, err)
	assert.Equal(t, []any{20, 20, "image/jpeg"}, []any{w, h, kind})
	_, _, kind, err = Size([]byte(disc))
	require.NoError(t, err)
	assert.Equal(t, "image/svg+xml", kind)
	for _, bad := range []string{"", "hello", "\x00\x00\x01\x00\x02\x00xx"} {
		_, _, _, err = Size([]byte(bad))
		assert.Error(t, err)
	}
}

func TestDrawingCanBeInterrupted(t *testing.T) {
	m, err := Load(context.Background(), "mark.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="4" fill="teal"/></svg>`))
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, _, err = Make(ctx, m, Standard, Options{})
	assert.Error(t, err)
}
