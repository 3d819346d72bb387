package icon

import (
	"bytes"
	"context"
	"image/color"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestLaunch draws launch pictures of few colours and of many: opaque, of the size that was asked for, with the icon in the middle.
func TestLaunch(t *testing.T) {
	for name, svg := range map[string]string{
		"few":  `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><rect x="2" y="2" width="6" height="6" fill="#0b4f6c"/></svg>`,
		"many": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 10 10"><linearGradient id="g"><stop stop-color="#f00"/><stop offset="1" stop-color="#00f"/></linearGradient><linearGradient id="h" x2="0" y2="1"><stop stop-color="#0f0" stop-opacity=".9"/><stop offset="1" stop-opacity="0"/></linearGradient><rect x="2" y="2" width="6" height="6" fill="url(#g)"/><rect x="2" y="2" width="6" height="6" fill="url(#h)"/></svg>`,
	} {
		t.Run(name, func(t *testing.T) {
			m, err := Load(context.Background(), "mark.svg", []byte(svg))
			require.NoError(t, err)
			sea := color.NRGBA{R: 200, G: 220, B: 240, A: 255}
			data, err := Launch(context.Background(), m, 750, 1334, sea)
			require.NoError(t, err)
			img, err := png.Decode(bytes.NewReader(data))
			require.NoError(t, err)
			require.Equal(t, "(0,0)-(750,1334)", img.Bounds().String())
			at := func(x, y int) color.NRGBA { return color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA) }
			for _, p := range [][2]int{{0, 0}, {749, 1333}, {375, 300}, {375 - 112, 667}, {375 - 75, 667}} { // outside of the icon, and in its transparent part
				assert.Equal(t, sea, at(p[0], p[1]), "%v", p)
			}
			assert.NotEqual(t, sea, at(375, 667))
			for y := 0; y < 1334; y += 7 {
				for x := 0; x < 750; x += 7 {
					require.EqualValues(t, 255, at(x, y).A)
				}
			}
			again, err := Launch(context.Background(), m, 750, 1334, sea)
			require.NoError(t, err)
			assert.Equal(t, data, again)
		})
	}
}
