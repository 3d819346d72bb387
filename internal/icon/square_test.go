package icon

import (
	"context"
	"image"
	"image/color"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// wide is a picture of 600 x 300 px whose thirds are red, lime and blue, as a photograph is: opaque, and no colour of its own at the edges.
func wide(t *testing.T) *Master {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, 600, 300))
	for x := range 600 {
		for y := range 300 {
			img.SetNRGBA(x, y, []color.NRGBA{{255, 0, 0, 255}, {0, 255, 0, 255}, {0, 0, 255, 255}}[x/200])
		}
	}
	m, err := Load(context.Background(), "photo.png", []byte(pngOf(t, img)))
	require.NoError(t, err)
	return m
}

func TestSquare(t *testing.T) {
	at := func(m *Master, x, y int) color.NRGBA {
		out, _, err := Make(context.Background(), m, []Want{{"a.png", Any, []int{96}}}, Options{Effort: Quick})
		require.NoError(t, err)
		return decode(t, out[0].Data).NRGBAAt(x, y)
	}
	red, lime, none := color.NRGBA{255, 0, 0, 255}, color.NRGBA{0, 255, 0, 255}, color.NRGBA{}
	for how, want := range map[string][3]color.NRGBA{"": {none, red, lime}, "bands": {none, red, lime}, "crop": {red, red, lime}, "fill": {{0, 0, 128, 255}, red, lime}} {
		m := wide(t)
		require.NoError(t, m.Square(context.Background(), how, &color.NRGBA{0, 0, 128, 255}))
		x := 2
		assert.Equal(t, want, [3]color.NRGBA{at(m, x, 2), at(m, x, 48), at(m, 48, 48)}, how)
		assert.Equal(t, how == "" || how == "bands", strings.Contains(strings.Join(m.Warnings, ""), "not square"), how)
		assert.False(t, m.Silhouette(), "a photograph is no shape")
		assert.Equal(t, how == "crop" || how == "fill", m.Opaque, how)
	}
	svg, err := Load(context.Background(), "mark.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 20 10"><rect width="20" height="10" fill="#ff0000"/><rect x="8" y="3" width="4" height="4" fill="#00ff00"/></svg>`))
	require.NoError(t, err)
	require.NoError(t, svg.Square(context.Background(), "crop", nil))
	assert.Equal(t, []color.NRGBA{red, lime}, []color.NRGBA{at(svg, 2, 2), at(svg, 48, 48)})
	for _, w := range Wants(svg, nil, Options{}) {
		assert.NotEqual(t, Vector, w.Purpose, "it is pixels now")
	}
	square, err := Load(context.Background(), "mark.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M4 0L9 9H0z"/></svg>`))
	require.NoError(t, err)
	require.NoError(t, square.Square(context.Background(), "crop", nil))
	assert.NotNil(t, square.svg, "what is square stays as it is")
}

// TestDarkWindows is about marks that are not seen on tabs, and the picture that is given for it.
func TestDarkWindows(t *testing.T) {
	mark := func(colour, ground string) *Master {
		m, err := Load(context.Background(), colour+".svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">`+ground+`<path d="M4 1L8 8H1z" fill="`+colour+`"/></svg>`))
		require.NoError(t, err)
		return m
	}
	for name, c := range map[string]struct {
		m, dark *Master
		want    string
	}{
		"dark":              {mark("#111", ""), nil, "#111.svg is hardly seen on tabs of dark windows (contrast 1.3 to 1); a picture of its own for dark windows would be (dark)"},
		"dark, and a light": {mark("#111", ""), mark("#fff", ""), ""},
		"both dark":         {mark("#111", ""), mark("#222", ""), "#222.svg is hardly seen on tabs of dark windows (contrast 1.1 to 1); a lighter one would be"},
		"white":             {mark("#fff", ""), nil, "#fff.svg is hardly seen on tabs of light windows (contrast 1.1 to 1); another picture for small sizes would be (small)"},
		"in between":        {mark("#2a86a8", ""), nil, ""},
		"on a plate":        {mark("#111", `<rect width="9" height="9" fill="#fff"/>`), nil, ""},
	} {
		assert.Equal(t, c.want, c.m.onTabs(Options{Dark: c.dark}), name)
	}
	files := func(o Options) string {
		m := mark("#111", "")
		out, remarks, err := Make(context.Background(), m, Wants(m, nil, o), o)
		require.NoError(t, err)
		assert.Equal(t, o.Dark == nil, strings.Contains(strings.Join(remarks, "\n"), "dark windows"))
		last := out[len(out)-1]
		return strings.Join([]string{last.File, last.Type, last.Purpose}, " ")
	}
	assert.Equal(t, "icon.svg image/svg+xml vector", files(Options{}))
	assert.Equal(t, "icon-dark.svg image/svg+xml dark", files(Options{Dark: mark("#fff", "")}))
	assert.Equal(t, "icon-dark-48.png image/png dark", files(Options{Dark: wide(t)}))
}
