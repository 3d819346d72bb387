package icon

import (
	"image"
	"math"

	"golang.org/x/image/draw"
)

// picture is premultiplied RGBA in the encoded values of sRGB, 0 to 1. For flat art, averaging in these values is
// what renderers do at their edges.
type picture struct {
	w, h int
	pix  []float32
}

func fromImage(src image.Image) *picture {
	b := src.Bounds()
	rgba, ok := src.(*image.RGBA)
	if !ok {
		rgba = image.NewRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
		draw.Draw(rgba, rgba.Rect, src, b.Min, draw.Src)
		b = rgba.Rect
	}
	p := &picture{b.Dx(), b.Dy(), make([]float32, b.Dx()*b.Dy()*4)}
	for y := range p.h {
		row := rgba.Pix[rgba.PixOffset(b.Min.X, b.Min.Y+y):][:p.w*4]
		out := p.pix[y*p.w*4:][:p.w*4]
		for i, v := range row {
			out[i] = float32(v) / 255
		}
	}
	return p
}

// image gives 8 bits a channel, not premultiplied.
func (p *picture) image() *image.NRGBA {
	out := image.NewNRGBA(image.Rect(0, 0, p.w, p.h))
	for i := 0; i < len(p.pix); i += 4 {
		a := min(max(p.pix[i+3], 0), 1)
		alpha := uint8(a*255 + 0.5)
		if alpha == 0 {
			continue
		}
		out.Pix[i+3] = alpha
		for k := range 3 {
			out.Pix[i+k] = uint8(min(max(p.pix[i+k]/a, 0), 1)*255 + 0.5)
		}
	}
	return out
}

// taps are the weights of source pixels for one target pixel.
type taps struct {
	first  int
	weight []float32
}

// areaTaps averages exactly: the weights are the overlaps of source pixels with the target pixel. from and length
// say which part of the source, in its pixels, the target shows; what lies outside is transparent.
func areaTaps(src, dst int, from, length float64) []taps {
	out := make([]taps, dst)
	step := length / float64(dst)
	for i := range out {
		lo, hi := from+float64(i)*step, from+float64(i+1)*step
		first := max(0, int(math.Floor(lo)))
		t := taps{first: min(first, src-1)}
		for j := first; j < src && float64(j) < hi; j++ {
			t.weight = append(t.weight, float32(max(0, min(hi, float64(j+1))-max(lo, float64(j)))/step))
		}
		out[i] = t
	}
	return out
}

// area scales the part of p that begins at (x, y) and has side x side source pixels onto n x n pixels.
func (p *picture) area(n int, x, y, side float64) *picture {
	mid := &picture{n, p.h, make([]float32, n*p.h*4)}
	tx := areaTaps(p.w, n, x, side)
	for row := range p.h {
		src := p.pix[row*p.w*4:][:p.w*4]
		for i, t := range tx {
			o := mid.pix[(row*n+i)*4:][:4]
			for j, f := range t.weight {
				q := src[(t.first+j)*4:][:4]
				o[0] += q[0] * f
				o[1] += q[1] * f
				o[2] += q[2] * f
				o[3] += q[3] * f
			}
		}
	}
	out := &picture{n, n, make([]float32, n*n*4)}
	for i, t := range areaTaps(p.h, n, y, side) {
		o := out.pix[i*n*4:][:n*4]
		for j, f := range t.weight {
			src := mid.pix[(t.first+j)*n*4:][:len(o)]
			for k := range o {
				o[k] += src[k] * f
			}
		}
	}
	return out
}

// enlarge scales a part of p up, smoothly.
func (p *picture) enlarge(n int, x, y, side float64) *picture {
	src := p.image()
	canvas := image.NewNRGBA(image.Rect(0, 0, int(math.Ceil(side)), int(math.Ceil(side))))
	draw.Draw(canvas, canvas.Rect, src, image.Pt(int(math.Floor(x)), int(math.Floor(y))), draw.Src)
	out := image.NewRGBA(image.Rect(0, 0, n, n))
	draw.CatmullRom.Scale(out, out.Rect, canvas, canvas.Rect, draw.Src, nil)
	return fromImage(out)
}

// over puts the picture on an opaque background.
func (p *picture) over(c [3]float32) {
	for i := 0; i < len(p.pix); i += 4 {
		a := 1 - p.pix[i+3]
		for k := range 3 {
			p.pix[i+k] += c[k] * a
		}
		p.pix[i+3] = 1
	}
}
