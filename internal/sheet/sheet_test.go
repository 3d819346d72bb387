package sheet

import (
	"bytes"
	"context"
	"image/color"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/icon"
)

func set(t *testing.T) []icon.Icon {
	t.Helper()
	m, err := icon.Load(context.Background(), "mark.svg", []byte(`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M4.5 0L9 9H0z" fill="#ff0000"/></svg>`))
	require.NoError(t, err)
	out, _, err := icon.Make(context.Background(), m, icon.Wants(m, []int{96}, icon.Options{}), icon.Options{})
	require.NoError(t, err)
	return out
}

func TestPNG(t *testing.T) {
	app := App{Name: "Skerry Line", Theme: color.NRGBA{0, 0, 255, 255}, Background: color.NRGBA{0, 128, 0, 255}}
	data, err := PNG(set(t), app)
	require.NoError(t, err)
	m, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	assert.Equal(t, Width, m.Bounds().Dx())
	red, green := 0, 0
	for y := range m.Bounds().Dy() {
		for x := range Width {
			r, g, b, _ := m.At(x, y).RGBA()
			if r > 0xf000 && g < 0x1000 && b < 0x1000 {
				red++
			}
			if r < 0x100 && g > 0x8000 && g < 0x8200 && b < 0x100 {
				green++
			}
		}
	}
	assert.Greater(t, red, 50_000, "the icons are on it")
	assert.Greater(t, green, 50_000, "the splash screen is on it")
	again, err := PNG(set(t), app)
	require.NoError(t, err)
	assert.True(t, bytes.Equal(data, again), "the same set gives the same bytes")
}

func TestHTML(t *testing.T) {
	icons := set(t)
	data, err := HTML(icons, App{Name: `<b>"Skerry"`, Background: color.NRGBA{20, 20, 20, 255}})
	require.NoError(t, err)
	html := string(data)
	assert.Contains(t, html, "&lt;b&gt;&#34;Skerry&#34;: icons")
	assert.NotContains(t, html, "ZgotmplZ", "nothing was refused by the template")
	assert.Contains(t, html, "color: #e8eaec", "light text on a dark background")
	for _, i := range icons {
		assert.Contains(t, html, i.File)
	}
	assert.NotContains(t, strings.ReplaceAll(html, "http://www.w3.org", ""), "http", "it asks nothing of anybody")
}

func TestADamagedIcon(t *testing.T) {
	_, err := PNG([]icon.Icon{{Want: icon.Want{File: "a.png", Purpose: icon.Any, Sizes: []int{1}}, Data: []byte("x")}}, App{})
	assert.ErrorContains(t, err, "a.png")
}
