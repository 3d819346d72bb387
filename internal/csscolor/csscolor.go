// Package csscolor reads colours of CSS, and compares them.
package csscolor

import (
	"fmt"
	"image/color"
	"math"
	"regexp"
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

// Contrast is that of two colours, 1 to 21, without their transparency (WCAG 2.2, "contrast ratio").
func (c Color) Contrast(d Color) float64 { return Contrast(c.Luminance(), d.Luminance()) }

// Luminance is the relative luminance of the colour, 0 to 1, without its transparency (WCAG 2.2).
func (c Color) Luminance() float64 {
	return Luminance(float64(c.R)/255, float64(c.G)/255, float64(c.B)/255)
}

// Luminance is the relative luminance of a colour by its sRGB components, each 0 to 1 (WCAG 2.2).
func Luminance(r, g, b float64) float64 {
	linear := func(x float64) float64 {
		if x <= 0.04045 {
			return x / 12.92
		}
		return math.Pow((x+0.055)/1.055, 2.4)
	}
	return 0.2126*linear(r) + 0.7152*linear(g) + 0.0722*linear(b)
}

// Contrast is that of two relative luminances, 1 to 21 (WCAG 2.2, "contrast ratio").
func Contrast(x, y float64) float64 { return (max(x, y) + 0.05) / (min(x, y) + 0.05) }

var cssComment = regexp.MustCompile(`(?s)/\*.*?\*/`)

// outerComments are those before and behind a value; the last may be left open.
var outerComments = regexp.MustCompile(`(?s)^(?:\s*/\*.*?\*/)+|(?:/\*[^*]*(?:\*+[^*/][^*]*)*\*+/\s*)+$|/\*[^*]*(?:\*+[^*/][^*]*)*\**$`)

// Parse reads the forms of CSS Color 4 that need no context: hexadecimal, names, transparent, rgb(), hsl(), hwb(),
// lab(), lch(), oklab(), oklch() and color(), in old and new syntax. Colours outside sRGB are clamped to it.
func Parse(s string) (Color, bool) {
	s = strings.ToLower(strings.Trim(s, " \t\r\n\f"))
	if bare := strings.Trim(outerComments.ReplaceAllString(s, ""), " \t\r\n\f"); strings.HasPrefix(bare, "#") || strings.HasSuffix(bare, ")") { // seen in Chromium: not around names
		s = bare
	}
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

// part is one argument of a colour function.
type part struct {
	v       float64
	percent bool
	none    bool
	angle   bool // it has a unit of angles; v is in degrees
	word    string
}

// scaled gives the value with 100% standing for full.
func (p part) scaled(full float64) float64 {
	if p.percent {
		return p.v / 100 * full
	}
	return p.v
}

var cssNumber = regexp.MustCompile(`^[+-]?(\d+\.?\d*|\.\d+)(e[+-]?\d+)?`)

func parsePart(s string) (part, bool) {
	if s == "none" {
		return part{none: true}, true
	}
	n := cssNumber.FindString(s)
	if n == "" || strings.HasSuffix(n, ".") {
		return part{word: s}, s != ""
	}
	v, err := strconv.ParseFloat(n, 64)
	if err != nil && !math.IsInf(v, 0) {
		return part{}, false
	}
	p := part{v: min(max(v, -1e9), 1e9)}
	switch s[len(n):] {
	case "":
	case "%":
		p.percent = true
	case "deg":
		p.angle = true
	case "grad":
		p.v, p.angle = p.v*0.9, true
	case "rad":
		p.v, p.angle = p.v*180/math.Pi, true
	case "turn":
		p.v, p.angle = p.v*360, true
	default:
		return part{}, false
	}
	return p, true
}

// arguments splits what stands in a function's parentheses. legacy says that commas separate it.
func arguments(s string) (parts []part, alpha *part, legacy, ok bool) {
	s = strings.TrimSpace(s)
	if strings.ContainsAny(s, "()") {
		return nil, nil, false, false
	}
	add := func(f string) bool {
		p, ok := parsePart(f)
		parts = append(parts, p)
		return ok
	}
	if legacy = strings.Contains(s, ","); legacy {
		for _, f := range strings.Split(s, ",") {
			if !add(strings.TrimSpace(f)) {
				return nil, nil, true, false
			}
		}
		if len(parts) == 4 {
			alpha, parts = &parts[3], parts[:3]
		}
		return parts, alpha, true, true
	}
	body, after, slash := strings.Cut(s, "/")
	for _, f := range strings.Fields(body) {
		if !add(f) {
			return nil, nil, false, false
		}
	}
	if slash {
		a, ok := parsePart(strings.TrimSpace(after))
		if !ok {
			return nil, nil, false, false
		}
		alpha = &a
	}
	return parts, alpha, false, true
}

func functionColor(s string) (Color, bool) {
	s = cssComment.ReplaceAllString(s, " ")
	for strings.Contains(s, "calc(") {
		if s = calculate(s); s == "" {
			return Color{}, false
		}
	}
	name, args, ok := strings.Cut(strings.TrimSuffix(s, ")"), "(")
	if !ok {
		return Color{}, false
	}
	parts, alpha, legacy, ok := arguments(args)
	if !ok {
		return Color{}, false
	}
	space := ""
	if name == "color" && len(parts) > 0 {
		space, parts = parts[0].word, parts[1:]
	}
	if len(parts) != 3 || legacy && name != "rgb" && name != "rgba" && name != "hsl" && name != "hsla" {
		return Color{}, false
	}
	for i, p := range parts {
		hue := i == 0 && strings.HasPrefix(name, "h") || i == 2 && (name == "lch" || name == "oklch")
		if p.word != "" || p.angle && !hue || p.percent && hue || legacy && p.none {
			return Color{}, false
		}
	}
	a := 1.0
	if alpha != nil {
		if alpha.word != "" || alpha.angle || legacy && alpha.none {
			return Color{}, false
		}
		a = min(max(alpha.scaled(1), 0), 1)
	}
	rgb, ok := components(name, space, parts, legacy)
	if !ok {
		return Color{}, false
	}
	to := func(f float64) uint8 { return uint8(math.Round(min(max(f, 0), 1) * 255)) }
	return Color{color.NRGBA{to(rgb[0]), to(rgb[1]), to(rgb[2]), to(a)}}, true
}

// calculate puts the value in the place of the first calc() of plain numbers or of percentages; "" when there is
// something else in it.
func calculate(s string) string {
	begin := strings.Index(s, "calc(")
	c := calculator{s: s, at: begin + len("calc(")}
	v, ok := c.sum(0)
	if !ok || c.at >= len(s) || s[c.at] != ')' {
		return ""
	}
	out := strconv.FormatFloat(v, 'f', -1, 64)
	if c.percent {
		out += "%"
	}
	return s[:begin] + out + s[c.at+1:]
}

type calculator struct {
	s       string
	at      int
	percent bool
}

func (c *calculator) space() {
	for c.at < len(c.s) && strings.IndexByte(" \t\r\n\f", c.s[c.at]) >= 0 {
		c.at++
	}
}

func (c *calculator) next(operators string) byte {
	c.space()
	if c.at < len(c.s) && strings.IndexByte(operators, c.s[c.at]) >= 0 {
		c.at++
		return c.s[c.at-1]
	}
	return 0
}

func (c *calculator) sum(depth int) (float64, bool) {
	v, ok := c.product(depth)
	for ok {
		op := c.next("+-")
		if op == 0 {
			return v, true
		}
		var w float64
		if w, ok = c.product(depth); op == '+' {
			v += w
		} else {
			v -= w
		}
	}
	return 0, false
}

func (c *calculator) product(depth int) (float64, bool) {
	v, ok := c.term(depth)
	for ok {
		op := c.next("*/")
		if op == 0 {
			return v, true
		}
		var w float64
		if w, ok = c.term(depth); op == '*' {
			v *= w
		} else {
			v /= w
		}
	}
	return 0, false
}

func (c *calculator) term(depth int) (float64, bool) {
	if depth > 20 {
		return 0, false
	}
	if c.next("(") != 0 {
		v, ok := c.sum(depth + 1)
		return v, ok && c.next(")") != 0
	}
	c.space()
	n := cssNumber.FindString(c.s[c.at:])
	c.at += len(n)
	if c.at < len(c.s) && c.s[c.at] == '%' {
		c.at++
		c.percent = true
	}
	v, err := strconv.ParseFloat(n, 64)
	return v, err == nil
}

type vector [3]float64

// components gives red, green and blue of sRGB, 0 to 1 and beyond.
func components(name, space string, p []part, legacy bool) (vector, bool) {
	switch name {
	case "rgb", "rgba":
		if legacy && (p[0].percent != p[1].percent || p[1].percent != p[2].percent) {
			return vector{}, false
		}
		return vector{p[0].scaled(255) / 255, p[1].scaled(255) / 255, p[2].scaled(255) / 255}, true
	case "hsl", "hsla":
		if legacy && (!p[1].percent || !p[2].percent) {
			return vector{}, false
		}
		return fromHSL(p[0].v, p[1].scaled(100)/100, p[2].scaled(100)/100), true
	case "hwb":
		white, black := p[1].scaled(100)/100, p[2].scaled(100)/100
		white, black = max(white, 0), max(black, 0)
		if white+black >= 1 {
			g := white / (white + black)
			return vector{g, g, g}, true
		}
		c := fromHSL(p[0].v, 1, 0.5)
		for i := range c {
			c[i] = c[i]*(1-white-black) + white
		}
		return c, true
	case "lab":
		return fromLab(min(max(p[0].scaled(100), 0), 100), p[1].scaled(125), p[2].scaled(125)), true
	case "lch":
		a, b := polar(p[1].scaled(150), p[2].v)
		return fromLab(min(max(p[0].scaled(100), 0), 100), a, b), true
	case "oklab":
		return fromOklab(min(max(p[0].scaled(1), 0), 1), p[1].scaled(0.4), p[2].scaled(0.4)), true
	case "oklch":
		a, b := polar(p[1].scaled(0.4), p[2].v)
		return fromOklab(min(max(p[0].scaled(1), 0), 1), a, b), true
	case "color":
		return fromSpace(space, vector{p[0].scaled(1), p[1].scaled(1), p[2].scaled(1)})
	}
	return vector{}, false
}

func polar(c, h float64) (a, b float64) {
	c = max(c, 0)
	return c * math.Cos(h*math.Pi/180), c * math.Sin(h*math.Pi/180)
}

func fromHSL(h, s, l float64) vector {
	h = math.Mod(math.Mod(h, 360)+360, 360)
	s, l = min(max(s, 0), 1), min(max(l, 0), 1)
	f := func(n float64) float64 {
		k := math.Mod(n+h/30, 12)
		return l - s*min(l, 1-l)*max(-1, min(k-3, 9-k, 1))
	}
	return vector{f(0), f(8), f(4)}
}

type matrix [3]vector

func (m matrix) times(v vector) vector {
	var out vector
	for i := range m {
		out[i] = m[i][0]*v[0] + m[i][1]*v[1] + m[i][2]*v[2]
	}
	return out
}

// The matrices of CSS Color 4, section 18.
var (
	xyzToSRGB = matrix{{3.2409699419045226, -1.537383177570094, -0.4986107602930034}, {-0.9692436362808796, 1.8759675015077202, 0.04155505740717559}, {0.05563007969699366, -0.20397695888897652, 1.0569715142428786}}
	d50ToD65  = matrix{{0.955473421488075, -0.02309845494876471, 0.06325924320057072}, {-0.0283697093338637, 1.0099953980813041, 0.021041441191917323}, {0.012314014864481998, -0.020507649298898964, 1.330365926242124}}
	p3ToXYZ   = matrix{{0.4865709486482162, 0.26566769316909306, 0.1982172852343625}, {0.2289745640697488, 0.6917385218365064, 0.079286914093745}, {0, 0.04511338185890264, 1.043944368900976}}
	a98ToXYZ  = matrix{{0.5766690429101305, 0.1855582379065463, 0.1882286462349947}, {0.29734497525053605, 0.6273635662554661, 0.07529145849399788}, {0.02703136138641234, 0.07068885253582723, 0.9913375368376388}}
	proToXYZ  = matrix{{0.7977666449006423, 0.13518129740053308, 0.0313477341283922}, {0.2880748288194013, 0.711835234241873, 0.00008993693872564}, {0, 0, 0.8251046025104602}}
	r20ToXYZ  = matrix{{0.6369580483012914, 0.14461690358620832, 0.1688809751641721}, {0.2627002120112671, 0.6779980715188708, 0.05930171646986196}, {0, 0.028072693049087428, 1.060985057710791}}
)

func encode709(v vector) vector {
	for i, c := range v {
		sign, c := math.Copysign(1, c), math.Abs(c)
		if c > 0.0031308 {
			v[i] = sign * (1.055*math.Pow(c, 1/2.4) - 0.055)
		} else {
			v[i] = sign * 12.92 * c
		}
	}
	return v
}

func decode709(v vector) vector {
	for i, c := range v {
		sign, c := math.Copysign(1, c), math.Abs(c)
		if c <= 0.04045 {
			v[i] = sign * c / 12.92
		} else {
			v[i] = sign * math.Pow((c+0.055)/1.055, 2.4)
		}
	}
	return v
}

func power(v vector, exponent float64) vector {
	for i, c := range v {
		v[i] = math.Copysign(math.Pow(math.Abs(c), exponent), c)
	}
	return v
}

func fromLab(l, a, b float64) vector {
	const kappa, epsilon = 24389.0 / 27, 216.0 / 24389
	f1 := (l + 16) / 116
	f0, f2 := a/500+f1, f1-b/200
	cube := func(f float64) float64 {
		if f*f*f > epsilon {
			return f * f * f
		}
		return (116*f - 16) / kappa
	}
	y := l / kappa
	if l > kappa*epsilon {
		y = f1 * f1 * f1
	}
	white := vector{0.3457 / 0.3585, 1, (1 - 0.3457 - 0.3585) / 0.3585}
	xyz := vector{cube(f0) * white[0], y, cube(f2) * white[2]}
	return encode709(xyzToSRGB.times(d50ToD65.times(xyz)))
}

func fromOklab(l, a, b float64) vector {
	lms := matrix{{1, 0.3963377773761749, 0.2158037573099136}, {1, -0.1055613458156586, -0.0638541728258133}, {1, -0.0894841775298119, -1.2914855480194092}}.times(vector{l, a, b})
	for i, c := range lms {
		lms[i] = c * c * c
	}
	xyz := matrix{{1.2268798758459243, -0.5578149944602171, 0.2813910456659647}, {-0.0405757452148008, 1.1122868032803170, -0.0717110580655164}, {-0.0763729366746601, -0.4214933324022432, 1.5869240198367816}}.times(lms)
	return encode709(xyzToSRGB.times(xyz))
}

func fromSpace(space string, v vector) (vector, bool) {
	var xyz vector
	switch space {
	case "srgb":
		return v, true
	case "srgb-linear":
		return encode709(v), true
	case "display-p3":
		xyz = p3ToXYZ.times(decode709(v))
	case "a98-rgb":
		xyz = a98ToXYZ.times(power(v, 563.0/256))
	case "prophoto-rgb":
		for i, c := range v {
			if math.Abs(c) <= 16.0/512 {
				v[i] = c / 16
			} else {
				v[i] = math.Copysign(math.Pow(math.Abs(c), 1.8), c)
			}
		}
		xyz = d50ToD65.times(proToXYZ.times(v))
	case "rec2020":
		const alpha, beta = 1.09929682680944, 0.018053968510807
		for i, c := range v {
			if math.Abs(c) < beta*4.5 {
				v[i] = c / 4.5
			} else {
				v[i] = math.Copysign(math.Pow((math.Abs(c)+alpha-1)/alpha, 1/0.45), c)
			}
		}
		xyz = r20ToXYZ.times(v)
	case "xyz", "xyz-d65":
		xyz = v
	case "xyz-d50":
		xyz = d50ToD65.times(v)
	default:
		return vector{}, false
	}
	return encode709(xyzToSRGB.times(xyz)), true
}
