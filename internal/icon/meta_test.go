package icon

import (
	"bytes"
	"context"
	"encoding/binary"
	"image"
	"image/color"
	"image/jpeg"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// turnedJPEG is a picture, red on its left, with an EXIF orientation.
func turnedJPEG(t testing.TB, orientation byte) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 80, 40))
	for y := range 40 {
		for x := range 80 {
			m.Set(x, y, color.RGBA{0, 0, 255, 255})
			if x < 40 {
				m.Set(x, y, color.RGBA{255, 0, 0, 255})
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, jpeg.Encode(&b, m, nil))
	tiff := append([]byte("Exif\x00\x00II*\x00\x08\x00\x00\x00\x01\x00\x12\x01\x03\x00\x01\x00\x00\x00"), orientation, 0, 0, 0, 0, 0, 0, 0)
	app1 := binary.BigEndian.AppendUint16([]byte{0xff, 0xe1}, uint16(len(tiff)+2))
	return append(append(append([]byte{0xff, 0xd8}, app1...), tiff...), b.Bytes()[2:]...)
}

func TestOrientation(t *testing.T) {
	for o, want := range map[byte]string{1: "left", 2: "right", 3: "right", 4: "left", 5: "top", 6: "top", 7: "bottom", 8: "bottom", 9: "left"} {
		m, err := Load(context.Background(), "turned.jpg", turnedJPEG(t, o))
		require.NoError(t, err)
		p, err := m.draw(context.Background(), 40, whole)
		require.NoError(t, err)
		red := func(x, y int) bool { return p.pix[(y*40+x)*4] > 0.7 && p.pix[(y*40+x)*4+3] > 0.9 }
		got := ""
		for side, at := range map[string][2]int{"left": {4, 20}, "right": {36, 20}, "top": {20, 4}, "bottom": {20, 36}} {
			if red(at[0], at[1]) {
				got += side
			}
		}
		assert.Equal(t, want, got, "orientation %d", o)
		assert.Equal(t, o > 1 && o < 9, strings.Contains(strings.Join(m.Warnings, " "), "EXIF"))
		if o >= 5 && o <= 8 {
			assert.Equal(t, []float64{40, 80}, []float64{m.Width, m.Height})
		}
	}
}

// withProfile puts a colour profile of a name into a PNG.
func withProfile(t testing.TB, name string) []byte {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, 32, 32))))
	icc := make([]byte, 132)
	copy(icc[36:], "acsp")
	binary.BigEndian.PutUint32(icc[128:], 1)
	desc := append([]byte("desc\x00\x00\x00\x00\x00\x00\x00\x00"), name...)
	desc = append(desc, 0, 0, 0, 0)
	icc = append(icc, "desc"...)
	icc = binary.BigEndian.AppendUint32(icc, 144)
	icc = binary.BigEndian.AppendUint32(icc, uint32(len(desc)))
	body := append([]byte("p\x00\x00"), deflate(append(icc, desc...), 6)...)
	chunk := binary.BigEndian.AppendUint32(nil, uint32(len(body)))
	chunk = append(append(append(chunk, "iCCP"...), body...), 0, 0, 0, 0)
	return append(append(append([]byte{}, b.Bytes()[:33]...), chunk...), b.Bytes()[33:]...)
}

func TestProfiles(t *testing.T) {
	assert.Equal(t, "Display P3", profile("png", withProfile(t, "Display P3")))
	assert.Empty(t, profile("png", withProfile(t, "sRGB IEC61966-2.1")))
	assert.Equal(t, "one without a name", profile("png", withProfile(t, "")))
	for _, damaged := range [][]byte{nil, []byte("xxxxiCCP"), []byte("\xff\xff\xff\xffiCCPp\x00\x00x")} {
		assert.Empty(t, profile("png", damaged))
		assert.Empty(t, profile("jpeg", damaged))
		assert.Empty(t, profile("webp", damaged))
	}
	icc := make([]byte, 200)
	copy(icc[36:], "acsp")
	assert.Equal(t, "one without a name", profile("jpeg", append([]byte("ICC_PROFILE\x00\x01\x01"), icc...)))
}

func TestWants(t *testing.T) {
	load := func(src string) *Master {
		m, err := Load(context.Background(), "m.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">`+src+`</svg>`))
		require.NoError(t, err)
		return m
	}
	files := func(m *Master, sizes ...int) (out []string) {
		for _, w := range Wants(m, sizes, Options{})[len(Standard):] {
			out = append(out, w.File)
		}
		return out
	}
	assert.Equal(t, []string{"monochrome-512.png", "icon.svg"}, files(load(`<path d="M4.5 0L9 9H0z"/>`)), "a shape alone is an icon")
	assert.Equal(t, []string{"icon-96.png", "icon.svg"}, files(load(`<rect width="9" height="9"/>`), 192, 96), "a plate is not")
	m := load(`<path d="M4.5 0L9 9H0z" fill="red"/>`)
	set, _, err := Make(context.Background(), m, Wants(m, nil, Options{}), Options{})
	require.NoError(t, err)
	for _, i := range set {
		switch i.Purpose {
		case Vector:
			assert.Equal(t, m.source, i.Data)
		case Mono:
			img, err := png.Decode(bytes.NewReader(i.Data))
			require.NoError(t, err)
			r, g, b, a := img.At(256, 300).RGBA()
			assert.Equal(t, []uint32{0, 0, 0, 0xffff}, []uint32{r, g, b, a})
			_, _, _, a = img.At(2, 2).RGBA()
			assert.Zero(t, a)
		}
	}
	assert.Equal(t, []Entry{{"a/icon-192.png", "192x192", "image/png", ""}, {"a/icon-512.png", "512x512", "image/png", ""}, {"a/maskable-512.png", "512x512", "image/png", "maskable"}, {"a/monochrome-512.png", "512x512", "image/png", "monochrome"}},
		Entries(set, func(i Icon) string { return "a/" + i.File }))
}

func TestOtherMasters(t *testing.T) {
	load := func(colour string) *Master {
		m, err := Load(context.Background(), colour+".svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4.5" cy="4.5" r="4" fill="`+colour+`"/></svg>`))
		require.NoError(t, err)
		return m
	}
	set, _, err := Make(context.Background(), load("red"), []Want{{"a", Any, []int{192}}, {"b", Any, []int{48}}, {"c", Maskable, []int{96}}, {"d", Touch, []int{60}}}, Options{Small: load("lime"), Maskable: load("blue")})
	require.NoError(t, err)
	for i, want := range []color.NRGBA{{255, 0, 0, 255}, {0, 255, 0, 255}, {0, 0, 255, 255}, {255, 0, 0, 255}} {
		img, err := png.Decode(bytes.NewReader(set[i].Data))
		require.NoError(t, err)
		n := img.Bounds().Dx()
		assert.Equal(t, want, color.NRGBAModel.Convert(img.At(n/2, n/2)), set[i].File)
	}
}

func TestEfforts(t *testing.T) {
	m, err := Load(context.Background(), "m.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="4" fill="teal"/><path d="M1 1l5 5" stroke="#fff"/></svg>`))
	require.NoError(t, err)
	img, err := m.plainIcon(context.Background(), 256)
	require.NoError(t, err)
	sizes := map[Effort]int{}
	for _, e := range []Effort{Quick, Usual, Small} {
		data := e.EncodePNG(img)
		sizes[e] = len(data)
		back, err := png.Decode(bytes.NewReader(data))
		require.NoError(t, err)
		for y := range 256 {
			for x := range 256 {
				require.Equal(t, color.NRGBAModel.Convert(img.At(x, y)), color.NRGBAModel.Convert(back.At(x, y)))
			}
		}
	}
	assert.LessOrEqual(t, sizes[Small], sizes[Usual])
	assert.LessOrEqual(t, sizes[Usual], sizes[Quick])
}

// FuzzLoad reads masters of all formats: whatever the bytes, there is a picture or an error, in bounded time.
func FuzzLoad(f *testing.F) {
	f.Add([]byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M4.5 0L9 9H0z"/></svg>`))
	f.Add([]byte(`<?xml version="1.0"?><!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;&a;">]><svg xmlns="http://www.w3.org/2000/svg" width="1e9" height="2"><text>&b;</text><use href="#x" id="x"/></svg>`))
	f.Add([]byte(`<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd" width="9" height="9"/><filter id="f"><feGaussianBlur stdDeviation="9999"/></filter><rect filter="url(#f)" width="9" height="9"/></svg>`))
	f.Add(turnedJPEG(f, 6))
	f.Add(withProfile(f, "Display P3"))
	f.Fuzz(func(t *testing.T, data []byte) {
		m, err := Load(context.Background(), "fuzzed", data)
		if err != nil {
			return
		}
		if m.Format != "svg" && m.Width*m.Height > 1<<20 {
			return
		}
		img, err := m.plainIcon(context.Background(), 32)
		if err == nil && len(EncodePNG(img)) == 0 {
			t.Fatal("no bytes")
		}
	})
}
