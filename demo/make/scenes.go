package main

import (
	"bytes"
	"image"
	"image/color"
	"image/jpeg"
	"math"
)

const width, height = 720, 480

type rgb [3]float64

// scene is a view over the sea: a sky, a sun, rows of hills, water, and what stands in it.
type scene struct {
	name            string
	top, low        rgb // sky
	sea, deep       rgb
	hill            rgb // nearest hills
	hills           int
	horizon         float64 // share of the height
	sunX, sunY      float64 // shares; sunY < 0 for none
	sun             rgb
	ferry           float64 // size, 0 for none
	ferryX          float64
	light, cottages bool
	boats, birds    int
	rain            bool
}

var scenes = []scene{
	{name: "morning-crossing", top: rgb{.45, .63, .78}, low: rgb{.98, .87, .74}, sea: rgb{.55, .66, .72}, deep: rgb{.10, .28, .38}, hill: rgb{.20, .30, .33}, hills: 3, horizon: .5, sunX: .72, sunY: .4, sun: rgb{1, .93, .75}, ferry: 1.15, ferryX: .36, birds: 5},
	{name: "staffin-pier", top: rgb{.36, .58, .80}, low: rgb{.80, .90, .95}, sea: rgb{.45, .66, .74}, deep: rgb{.07, .32, .42}, hill: rgb{.28, .42, .24}, hills: 3, horizon: .48, sunY: -1, cottages: true, boats: 3, birds: 3},
	{name: "orran-light", top: rgb{.24, .33, .52}, low: rgb{.95, .62, .45}, sea: rgb{.66, .50, .46}, deep: rgb{.13, .20, .32}, hill: rgb{.13, .17, .22}, hills: 2, horizon: .55, sunX: .3, sunY: .5, sun: rgb{1, .75, .5}, light: true, birds: 4},
	{name: "kelda-sound", top: rgb{.50, .60, .68}, low: rgb{.84, .87, .88}, sea: rgb{.58, .66, .69}, deep: rgb{.22, .34, .40}, hill: rgb{.25, .31, .33}, hills: 5, horizon: .45, sunY: -1, boats: 1, birds: 2},
	{name: "tarsay-sands", top: rgb{.30, .60, .86}, low: rgb{.82, .94, .97}, sea: rgb{.40, .78, .78}, deep: rgb{.04, .44, .54}, hill: rgb{.70, .64, .42}, hills: 2, horizon: .42, sunY: -1, boats: 2, birds: 6},
	{name: "brae-evening", top: rgb{.16, .18, .38}, low: rgb{.93, .52, .42}, sea: rgb{.62, .40, .44}, deep: rgb{.10, .12, .26}, hill: rgb{.09, .10, .18}, hills: 4, horizon: .52, sunX: .55, sunY: .49, sun: rgb{1, .7, .5}, cottages: true},
	{name: "winter-timetable", top: rgb{.55, .58, .62}, low: rgb{.76, .78, .80}, sea: rgb{.46, .51, .55}, deep: rgb{.20, .25, .30}, hill: rgb{.82, .85, .88}, hills: 3, horizon: .5, sunY: -1, ferry: .8, ferryX: .62, rain: true},
	{name: "the-maid-of-orran", top: rgb{.35, .60, .82}, low: rgb{.88, .93, .94}, sea: rgb{.40, .64, .74}, deep: rgb{.05, .30, .44}, hill: rgb{.24, .38, .30}, hills: 2, horizon: .46, sunY: -1, ferry: 1.9, ferryX: .5, birds: 7},
	{name: "night-boat", top: rgb{.03, .06, .16}, low: rgb{.14, .22, .36}, sea: rgb{.14, .22, .32}, deep: rgb{.02, .05, .11}, hill: rgb{.03, .05, .09}, hills: 2, horizon: .55, sunX: .8, sunY: .2, sun: rgb{.93, .94, .88}, ferry: 1.0, ferryX: .4},
	{name: "harbour-houses", top: rgb{.40, .62, .82}, low: rgb{.90, .93, .92}, sea: rgb{.42, .62, .70}, deep: rgb{.08, .30, .38}, hill: rgb{.34, .46, .26}, hills: 2, horizon: .55, sunY: -1, cottages: true, boats: 5},
	{name: "spring-tide", top: rgb{.42, .55, .66}, low: rgb{.90, .88, .78}, sea: rgb{.52, .60, .58}, deep: rgb{.12, .24, .26}, hill: rgb{.26, .33, .24}, hills: 4, horizon: .38, sunX: .2, sunY: .3, sun: rgb{1, .96, .82}, birds: 9},
	{name: "last-boat-home", top: rgb{.20, .16, .34}, low: rgb{.98, .70, .42}, sea: rgb{.78, .52, .40}, deep: rgb{.14, .12, .24}, hill: rgb{.12, .10, .18}, hills: 3, horizon: .5, sunX: .5, sunY: .46, sun: rgb{1, .84, .58}, ferry: .7, ferryX: .52, birds: 3},
}

type canvas struct {
	pix  []rgb
	seed uint64
}

func (c *canvas) random() float64 {
	c.seed ^= c.seed << 13
	c.seed ^= c.seed >> 7
	c.seed ^= c.seed << 17
	return float64(c.seed>>11) / (1 << 53)
}

func mix(a, b rgb, t float64) rgb {
	t = math.Min(1, math.Max(0, t))
	return rgb{a[0] + (b[0]-a[0])*t, a[1] + (b[1]-a[1])*t, a[2] + (b[2]-a[2])*t}
}

func (c *canvas) blend(x, y int, col rgb, a float64) {
	if x >= 0 && y >= 0 && x < width && y < height {
		c.pix[y*width+x] = mix(c.pix[y*width+x], col, a)
	}
}

// fill colours where inside says so, with soft edges from four samples a pixel.
func (c *canvas) fill(x0, y0, x1, y1 float64, col rgb, inside func(x, y float64) bool) {
	for y := max(0, int(y0)); y <= min(height-1, int(y1)+1); y++ {
		for x := max(0, int(x0)); x <= min(width-1, int(x1)+1); x++ {
			n := 0.0
			for _, d := range [][2]float64{{.25, .25}, {.75, .25}, {.25, .75}, {.75, .75}} {
				if inside(float64(x)+d[0], float64(y)+d[1]) {
					n += .25
				}
			}
			if n > 0 {
				c.blend(x, y, col, n)
			}
		}
	}
}

// poly fills a polygon given as x, y pairs.
func (c *canvas) poly(col rgb, p ...float64) {
	x0, y0, x1, y1 := math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	for i := 0; i < len(p); i += 2 {
		x0, x1 = math.Min(x0, p[i]), math.Max(x1, p[i])
		y0, y1 = math.Min(y0, p[i+1]), math.Max(y1, p[i+1])
	}
	c.fill(x0, y0, x1, y1, col, func(x, y float64) bool {
		in := false
		for i, j := 0, len(p)-2; i < len(p); j, i = i, i+2 {
			if (p[i+1] > y) != (p[j+1] > y) && x < (p[j]-p[i])*(y-p[i+1])/(p[j+1]-p[i+1])+p[i] {
				in = !in
			}
		}
		return in
	})
}

func (c *canvas) disc(col rgb, cx, cy, r float64) {
	c.fill(cx-r, cy-r, cx+r, cy+r, col, func(x, y float64) bool { return math.Hypot(x-cx, y-cy) < r })
}

// ridge is a row of hills: sums of waves with random phases.
func (c *canvas) ridge(rough float64) func(x float64) float64 {
	var amp, freq, phase [7]float64
	for i := range amp {
		freq[i] = (0.8 + c.random()*0.8) * math.Pow(1.9, float64(i)) / width * 5
		amp[i] = math.Pow(rough, float64(i))
		phase[i] = c.random() * 7
	}
	return func(x float64) float64 {
		v := 0.0
		for i := range amp {
			v += amp[i] * math.Sin(x*freq[i]+phase[i])
		}
		return v
	}
}

func (s scene) draw(seed uint64) []byte {
	c := &canvas{pix: make([]rgb, width*height), seed: seed * 0x9E3779B97F4A7C15}
	line := s.horizon * height
	cloud := [3]func(float64) float64{c.ridge(.6), c.ridge(.6), c.ridge(.6)}
	for y := range height {
		for x := range width {
			fx, fy := float64(x), float64(y)
			col := mix(s.top, s.low, math.Pow(fy/line, 1.4))
			v := cloud[0](fx*1.3+fy*2) + cloud[1](fy*7+fx*.4) + cloud[2](fx*2.2-fy*3)
			col = mix(col, rgb{1, 1, 1}, math.Max(0, v-.9)*.11*(1-fy/line))
			if s.sunY >= 0 {
				d := math.Hypot(fx-s.sunX*width, fy-s.sunY*height)
				col = mix(col, s.sun, math.Exp(-d/70)*.75)
			}
			c.pix[y*width+x] = col
		}
	}
	if s.sunY >= 0 {
		c.disc(mix(s.sun, rgb{1, 1, 1}, .4), s.sunX*width, s.sunY*height, 17)
	}
	s.hillsInto(c, line)
	s.water(c, line)
	if s.cottages {
		s.village(c, line)
	}
	if s.light {
		s.beacon(c, line)
	}
	for range s.boats {
		x, y := (.1+.8*c.random())*width, line+20+c.random()*(height-line)*.45
		boat(c, x, y, .5+(y-line)/(height-line)*1.3)
	}
	if s.ferry > 0 {
		ferry(c, s.ferryX*width, line+14+s.ferry*26, s.ferry, s.top[2] < .3)
	}
	for range s.birds {
		bird(c, c.random()*width, (.08+.6*c.random())*line, 4+5*c.random())
	}
	if s.rain {
		for range 900 {
			x, y, l := c.random()*width, c.random()*height, 5+c.random()*12
			for i := range int(l) {
				c.blend(int(x-float64(i)*.25), int(y)+i, rgb{.92, .94, .96}, .16)
			}
		}
	}
	img := image.NewRGBA(image.Rect(0, 0, width, height))
	for y := range height {
		for x := range width {
			p := c.pix[y*width+x]
			edge := math.Hypot(float64(x)/width-.5, float64(y)/height-.5)
			k := 1.03 - edge*edge*.42
			grain := (c.random() - .5) * .018
			to := func(v float64) uint8 { return uint8(math.Min(1, math.Max(0, v*k+grain)) * 255) }
			img.SetRGBA(x, y, color.RGBA{to(p[0]), to(p[1]), to(p[2]), 255})
		}
	}
	var b bytes.Buffer
	if err := jpeg.Encode(&b, img, &jpeg.Options{Quality: 66}); err != nil {
		panic(err)
	}
	return b.Bytes()
}

func (s scene) hillsInto(c *canvas, line float64) {
	for i := range s.hills {
		far := float64(s.hills-i) / float64(s.hills+1)
		f, shade := c.ridge(.52), c.ridge(.75)
		base := line - 12 - far*46
		col := mix(s.hill, s.low, far*.8)
		for x := range width {
			top := base - f(float64(x))*(24+16*far) + float64(i)*8
			for y := int(top); float64(y) < line; y++ {
				a := 1.0
				if float64(y) < top+1 {
					a = 1 - (top - math.Floor(top))
				}
				k := shade(float64(x)+float64(y)*5)*.028 - (float64(y)-top)*.0009
				c.blend(x, y, rgb{col[0] + k, col[1] + k, col[2] + k}, a)
			}
		}
	}
}

func (s scene) water(c *canvas, line float64) {
	waves := [4]func(float64) float64{c.ridge(.7), c.ridge(.7), c.ridge(.8), c.ridge(.8)}
	for y := int(line); y < height; y++ {
		d := (float64(y) - line) / (height - line)
		for x := range width {
			fx := float64(x)
			col := mix(s.sea, s.deep, math.Pow(d, .75))
			u := 1 / (d + .06)
			v := waves[0](fx*u*.7+d*900) + waves[1](fx*u*1.5-d*1500) + waves[2](d*5200+fx*.6)*.8
			if v > .5 {
				col = mix(col, s.low, (v-.5)*.085*(1.2-d))
			} else {
				col = mix(col, s.deep, -(v-.5)*.045)
			}
			if s.sunY >= 0 {
				w := 14 + 110*d
				if glint := math.Exp(-math.Pow((fx-s.sunX*width)/w, 2)); glint > .02 {
					col = mix(col, s.sun, glint*math.Max(0, .25+waves[3](fx*u+d*3000)*.3))
				}
			}
			c.pix[y*width+x] = col
		}
	}
}

func (s scene) village(c *canvas, line float64) {
	walls := []rgb{{.95, .94, .90}, {.93, .86, .72}, {.80, .88, .90}, {.92, .76, .70}, {.97, .97, .95}}
	k := math.Min(1, (s.low[0]+s.low[1]+s.low[2])/3*1.05)
	dim := func(r rgb) rgb { return rgb{r[0] * k, r[1] * k, r[2] * k} }
	if s.top[0] < .2 {
		k = .42
	}
	c.poly(dim(rgb{.42, .40, .37}), 0, line+2, width, line-2, width, line+13, 0, line+15)
	for x := 40.0; x < width-60; x += 34 + c.random()*46 {
		w, h := 24+c.random()*16, 15+c.random()*9
		wall := dim(walls[int(c.random()*5)])
		c.poly(wall, x, line+1, x, line-h, x+w, line-h, x+w, line+1)
		c.poly(dim(rgb{.30, .31, .35}), x-2, line-h, x+w*.5, line-h-9, x+w+2, line-h)
		pane := dim(rgb{.25, .33, .40})
		if k < .5 {
			pane = rgb{1, .85, .5}
		}
		for _, px := range []float64{.18, .62} {
			c.poly(pane, x+w*px, line-h*.72, x+w*px+5, line-h*.72, x+w*px+5, line-h*.36, x+w*px, line-h*.36)
		}
	}
}

func (s scene) beacon(c *canvas, line float64) {
	x := width * .68
	rock := rgb{.12, .13, .16}
	c.poly(rock, x-90, line+16, x-58, line-10, x-22, line-24, x+30, line-22, x+66, line-8, x+110, line+16)
	c.poly(rgb{.93, .91, .88}, x-13, line-22, x-8, line-118, x+8, line-118, x+13, line-22)
	c.poly(rgb{.70, .20, .18}, x-10.8, line-62, x-9.5, line-88, x+9.5, line-88, x+10.8, line-62)
	c.poly(rock, x-12, line-118, x+12, line-118, x+12, line-121, x-12, line-121)
	c.poly(rgb{1, .92, .62}, x-6, line-121, x+6, line-121, x+6, line-134, x-6, line-134)
	c.poly(rock, x-9, line-134, x+9, line-134, x, line-144)
	for y := range height {
		for xx := range width {
			d := math.Hypot(float64(xx)-x, float64(y)-line+128)
			c.blend(xx, y, rgb{1, .9, .6}, math.Exp(-d/34)*.5)
		}
	}
}

func boat(c *canvas, x, y, k float64) {
	c.poly(rgb{.16, .22, .30}, x-15*k, y-5*k, x+16*k, y-6*k, x+11*k, y+2*k, x-12*k, y+2*k)
	c.poly(rgb{.90, .89, .85}, x-15*k, y-5*k, x+16*k, y-6*k, x+15.5*k, y-4*k, x-14.6*k, y-3.2*k)
	c.poly(rgb{.94, .92, .88}, x-6*k, y-6*k, x-6*k, y-13*k, x+3*k, y-13*k, x+4.5*k, y-6*k)
	c.poly(rgb{.30, .26, .24}, x+5*k, y-6*k, x+5*k, y-27*k, x+6*k, y-27*k, x+6*k, y-6*k)
	for i := range int(26 * k) {
		c.blend(int(x-13*k)+i, int(y+2*k), rgb{.9, .95, .97}, .4)
	}
}

func ferry(c *canvas, x, y, k float64, night bool) {
	white, hull, red := rgb{.95, .95, .93}, rgb{.04, .27, .38}, rgb{.90, .52, .22}
	pane := rgb{.20, .30, .38}
	if night {
		white, hull, red, pane = rgb{.34, .37, .42}, rgb{.03, .08, .13}, rgb{.40, .24, .14}, rgb{1, .86, .55}
	}
	at := func(col rgb, p ...float64) {
		for i := 0; i < len(p); i += 2 {
			p[i], p[i+1] = x+p[i]*k, y+p[i+1]*k
		}
		c.poly(col, p...)
	}
	at(hull, -92, -16, 98, -20, 84, 0, -84, 0)
	at(red, -88, -6, 88, -8, 84, 0, -84, 0)
	at(white, -86, -16, -86, -30, 72, -31, 90, -20)
	at(white, -66, -30, -66, -44, 52, -45, 62, -31)
	at(white, 14, -45, 16, -57, 40, -57, 46, -45)
	at(pane, 20, -48, 21, -54, 39, -54, 42, -48)
	at(hull, -40, -44, -36, -66, -16, -66, -14, -44)
	at(red, -37, -60, -36, -66, -16, -66, -15, -60)
	for i := range 13 {
		p := -76 + float64(i)*11
		at(pane, p, -21, p, -26, p+6, -26, p+6, -21)
		if i > 0 && i < 11 {
			at(pane, p, -35, p, -40, p+6, -40, p+6, -35)
		}
	}
	for i := range 24 {
		c.disc(mix(rgb{.8, .8, .8}, c.pix[min(height-1, max(0, int(y-70*k)))*width+min(width-1, max(0, int(x)))], .6), x-(26+float64(i)*4)*k, y-(70+float64(i)*1.3)*k, .1)
	}
	for i := range int(200 * k) {
		fx := x - 100*k + float64(i)
		for j := range int(4*k) + 1 {
			c.blend(int(fx), int(y)+j-1, rgb{.93, .96, .97}, .45*c.random())
		}
	}
}

func bird(c *canvas, x, y, k float64) {
	for i := -20; i <= 20; i++ {
		t := float64(i) / 20
		yy := y + k*.5*(math.Abs(t)-math.Pow(t, 2)*1.6)
		c.blend(int(x+t*k), int(yy), rgb{.2, .23, .28}, .7)
	}
}

// horn is the ferry's horn: one second and a half at 11025 Hz, 8 bits, mono.
func horn() []byte {
	const rate, seconds = 11025.0, 1.5
	total := rate * seconds
	n := int(total)
	var b bytes.Buffer
	le := func(v uint32, bytes int) {
		for range bytes {
			b.WriteByte(byte(v))
			v >>= 8
		}
	}
	b.WriteString("RIFF")
	le(uint32(36+n), 4)
	b.WriteString("WAVEfmt ")
	le(16, 4)
	le(1, 2)
	le(1, 2)
	le(rate, 4)
	le(rate, 4)
	le(1, 2)
	le(8, 2)
	b.WriteString("data")
	le(uint32(n), 4)
	for i := range n {
		t := float64(i) / rate
		v := 0.0
		for h := 1; h <= 9; h++ {
			v += math.Sin(2*math.Pi*110*float64(h)*t+math.Sin(t*5)*.1) / float64(h)
			v += math.Sin(2*math.Pi*138.6*float64(h)*t) / float64(h) * .7
		}
		env := math.Min(1, t*9) * math.Min(1, (seconds-t)*5)
		b.WriteByte(byte(128 + math.Max(-127, math.Min(127, v*env*34))))
	}
	return b.Bytes()
}
