package manifest

import (
	"fmt"
	"image/color"
	"math"
	"strconv"
	"strings"

	"golang.org/x/image/colornames"
)

// Color is a colour by CSS syntax, in sRGB.
type Color struct{ color.NRGBA }

// Hex writes the colour as #rrggbb, or #rrggbbaa when it is not opaque.
func (c Color) Hex() string {
	if c.A == 255 {
		return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B)
	}
	return fmt.Sprintf("#%02x%02x%02x%02x", c.R, c.G, c.B, c.A)
}

// ParseColor reads the forms of CSS Color that need no context: hexadecimal, names, transparent, rgb(), hsl() and
// hwb() in old and new syntax.
func ParseColor(s string) (Color, bool) {
	s = strings.ToLower(strings.TrimSpace(s))
	switch {
	case strings.HasPrefix(s, "#"):
		return hexColor(s[1:])
	case s == "transparent":
		return Color{}, true
	case s == "rebeccapurple":
		return Color{color.NRGBA{0x66, 0x33, 0x99, 255}}, true
	case strings.HasSuffix(s, ")"):
		return functionColor(s)
	}
	c, ok := colornames.Map[s]
	return Color{color.NRGBA(c)}, ok // names are opaque
}

func hexColor(s string) (Color, bool) {
	if len(s) == 3 || len(s) == 4 {
		var b strings.Builder
		for i := range len(s) {
			b.WriteString(s[i:i+1] + s[i:i+1])
		}
		s = b.String()
	}
	if len(s) == 6 {
		s += "ff"
	}
	n, err := strconv.ParseUint(s, 16, 32)
	if len(s) != 8 || err != nil {
		return Color{}, false
	}
	return Color{color.NRGBA{uint8(n >> 24), uint8(n >> 16), uint8(n >> 8), uint8(n)}}, true
}

func functionColor(s string) (Color, bool) {
	name, args, ok := strings.Cut(strings.TrimSuffix(s, ")"), "(")
	if !ok {
		return Color{}, false
	}
	fields := strings.FieldsFunc(args, func(r rune) bool { return r == ',' || r == '/' || r == ' ' || r == '\t' || r == '\n' })
	if len(fields) != 3 && len(fields) != 4 {
		return Color{}, false
	}
	alpha := 1.0
	if len(fields) == 4 {
		a, percent, ok := component(fields[3])
		if !ok {
			return Color{}, false
		}
		if percent {
			a /= 100
		}
		alpha = min(max(a, 0), 1)
	}
	var v [3]float64
	var percent [3]bool
	for i := range v {
		f := fields[i]
		if i == 0 && name[0] == 'h' {
			f = strings.TrimSuffix(f, "deg")
		}
		if v[i], percent[i], ok = component(f); !ok {
			return Color{}, false
		}
	}
	var r, g, b float64
	switch name {
	case "rgb", "rgba":
		for i := range v {
			if percent[i] {
				v[i] *= 2.55
			}
		}
		r, g, b = v[0]/255, v[1]/255, v[2]/255
	case "hsl", "hsla":
		r, g, b = fromHSL(v[0], v[1]/100, v[2]/100)
	case "hwb":
		white, black := v[1]/100, v[2]/100
		if white+black >= 1 {
			r = white / (white + black)
			g, b = r, r
			break
		}
		r, g, b = fromHSL(v[0], 1, 0.5)
		k := 1 - white - black
		r, g, b = r*k+white, g*k+white, b*k+white
	default:
		return Color{}, false
	}
	to := func(f float64) uint8 { return uint8(math.Round(min(max(f, 0), 1) * 255)) }
	return Color{color.NRGBA{to(r), to(g), to(b), to(alpha)}}, true
}

func component(s string) (v float64, percent, ok bool) {
	if s == "none" {
		return 0, false, true
	}
	s, percent = strings.CutSuffix(s, "%")
	v, err := strconv.ParseFloat(s, 64)
	return v, percent, err == nil && !math.IsNaN(v) && !math.IsInf(v, 0)
}

func fromHSL(h, s, l float64) (r, g, b float64) {
	h = math.Mod(math.Mod(h, 360)+360, 360)
	s, l = min(max(s, 0), 1), min(max(l, 0), 1)
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - s*min(l, 1-l)*max(-1, min(k-3, 9-k, 1))
	}
	return f(0), f(8), f(4)
}
