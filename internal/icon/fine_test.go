package icon

import (
	"context"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestScaleOf(t *testing.T) {
	for list, want := range map[string]float64{
		"": 1, "translate(3 4)": 1, "scale(.5)": 0.5, "scale(2, 8)": 4, "scale(2 -8)": 4, "matrix(0.01 0 0 0.01 5 5)": 0.01, "rotate(30) scale(0.1) translate(2) scale(1e-2)": 0.001, "matrix(1 2)": 1, "scale(0)": 0,
	} {
		assert.InDelta(t, want, scaleOf(list), 1e-12, list)
	}
}

// TestVerySmallScales draws the same square at ever smaller scales.
func TestVerySmallScales(t *testing.T) {
	square := func(scale float64, form string) string {
		return fmt.Sprintf(form, fmt.Sprintf("M0 0h%[1]gv%[1]gh-%[1]gz", 60/scale), scale)
	}
	for name, form := range map[string]string{
		"its own":        `<path fill="#d00" transform="translate(20 20) scale(%[2]g)" d="%[1]s"/>`,
		"as a matrix":    `<path fill="#d00" d="%[1]s" transform='matrix(%[2]g,0,0,%[2]g,20,20)'><title>Skerry</title></path>`,
		"in a group":     "<g id=\"a\" transform=\"translate(10 10)\"><path fill=\"#d00\" transform=\"translate(10\n10) scale(%[2]g)\" d=\"%[1]s\"/><g/></g>",
		"with a prefix":  `<s:path xmlns:s="http://www.w3.org/2000/svg" fill="#d00" transform="translate(20 20) scale(%[2]g)" d="%[1]s"/>`,
		"beside a clip":  `<clipPath id="c"><path transform="translate(20 20)" d="M0 0h60v60h-60z"/></clipPath><g clip-path="url(#c)"><path fill="#d00" transform="translate(20 20) scale(%[2]g)" d="%[1]s"/></g>`,
		"a second shape": `<path fill="#00d" transform="scale(0.00001)" d="M0 0h1v1z"/><path fill="#d00" transform="translate(20 20) scale(%[2]g)" d="%[1]s"/>`,
	} {
		for _, scale := range []float64{1, 0.01, 0.0005, 0.0001, 0.00001} {
			src := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><rect width="100" height="100" fill="#fff"/>` + square(scale, form) + `</svg>`
			d, _, err := readSVG(context.Background(), src)
			require.NoError(t, err, name)
			img, err := d.draw(context.Background(), 100, rect{0, 0, 1})
			require.NoError(t, err, name)
			r, g, _, _ := img.At(50, 50).RGBA()
			assert.Truef(t, r>>8 > 0xc0 && g>>8 < 0x20, "%s, scale %g: %v", name, scale, img.At(50, 50))
			r, g, _, _ = img.At(10, 10).RGBA()
			assert.Truef(t, r>>8 > 0xf0 && g>>8 > 0xf0, "%s, scale %g: %v", name, scale, img.At(10, 10))
		}
	}
}

// What is not well-formed, or needs nothing, stays as it is.
func TestInStepsLeaves(t *testing.T) {
	for _, src := range []string{
		`<svg><path transform="scale(0.01)"/></svg>`,
		`<svg><g transform="scale(0.00001)"><path/></g></svg>`,
		`<svg><clipPath><path transform="scale(0.00001)"/></clipPath></svg>`,
		`<svg><path transform="scale(0.00001)"></svg>`,
		`<svg><path transform="scale(0.00001)"`,
		`<svg><path transform="scale(0)"/></svg>`,
		`<svg><linearGradient gradientTransform="scale(0.00001)"/></svg>`,
		`<svg><!-- <path transform="scale(0.00001)"/> --></svg>`,
	} {
		assert.Equal(t, src, inSteps(src))
	}
}
