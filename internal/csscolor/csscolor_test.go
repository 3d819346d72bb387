package csscolor

import (
	"image/color"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestColors(t *testing.T) {
	for s, want := range map[string]string{"#ABC": "#aabbcc", "#abcd": "#aabbccdd", "#0b4f6c": "#0b4f6c", "Teal": "#008080", "transparent": "#00000000", "rebeccapurple": "#663399",
		"rgb(300, -5, 12.6)": "#ff000d", "rgba(0,0,0,.5)": "#00000080", "hsl(120deg 100% 25%)": "#008000", "hsl(-240, 100%, 25%)": "#008000", "hwb(0 20% 20%)": "#cc3333", "hwb(0 80% 80%)": "#808080"} {
		c, ok := Parse(s)
		assert.True(t, ok, s)
		assert.Equal(t, want, c.Hex(), s)
	}
	for _, s := range []string{"", "#", "#12345", "0b4f6c", "currentcolor", "var(--a)", "rgb(1,2)", "rgb(a,b,c)", "#ggg", "red;", "foo(1,2,3)"} {
		_, ok := Parse(s)
		assert.False(t, ok, s)
	}
}

func TestContrast(t *testing.T) {
	black, white, teal := Color{color.NRGBA{A: 255}}, Color{color.NRGBA{255, 255, 255, 255}}, Color{color.NRGBA{0, 128, 128, 255}}
	assert.InDelta(t, 21, black.Contrast(white), 0.001)
	assert.InDelta(t, 4.77, teal.Contrast(white), 0.01)
	assert.Equal(t, teal.Contrast(white), white.Contrast(teal))
	assert.InDelta(t, 0.17, teal.Luminance(), 0.001)
}
