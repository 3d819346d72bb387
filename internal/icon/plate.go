package icon

import "math"

const (
	plateFills  = 0.775 // a disc fills 0.785 of its square
	plateSquare = 1.06  // how much longer than high a plate may be
	plateInset  = 3     // px from the outline to where its colour is read
	plateEven   = 0.05  // how far colours along the outline may differ, per channel
)

// plateOf finds the plate that fills a box of a picture of n px, nil when there is none, or nothing on it.
func plateOf(p *picture, n, x0, y0, x1, y1 int) *plate {
	w, h := x1-x0+1, y1-y0+1
	if w < 16 || h < 16 || float64(max(w, h)) > plateSquare*float64(min(w, h)) {
		return nil
	}
	at := func(x, y int) []float32 { return p.pix[(y*n+x)*4:][:4] }
	type span struct{ from, to int }
	rows := make([]span, h)
	solid, spanned := 0, 0
	for y := range h {
		s := span{-1, -1}
		for x := range w {
			if at(x0+x, y0+y)[3] > 0.98 {
				if s.from < 0 {
					s.from = x
				}
				s.to = x
				solid++
			}
		}
		if rows[y] = s; s.from >= 0 {
			spanned += s.to - s.from + 1
		}
	}
	if float64(solid) < plateFills*float64(w*h)*0.97 || float64(solid) < 0.985*float64(spanned) { // edges are half transparent; holes are none of a plate
		return nil
	}
	var edge [][]float32
	for y := plateInset; y < h-plateInset; y++ {
		if s := rows[y]; s.to-s.from > 4*plateInset {
			edge = append(edge, at(x0+s.from+plateInset, y0+y), at(x0+s.to-plateInset, y0+y))
		}
	}
	if len(edge) == 0 {
		return nil
	}
	out := &plate{}
	for _, q := range edge {
		for k := range 3 {
			out.colour[k] += q[k] / float32(len(edge))
		}
	}
	near := func(q []float32, by float64) bool {
		for k := range 3 {
			if math.Abs(float64(q[k]-out.colour[k])) > by {
				return false
			}
		}
		return true
	}
	even := 0
	for _, q := range edge {
		if near(q, plateEven) {
			even++
		}
	}
	if float64(even) < 0.97*float64(len(edge)) {
		return nil
	}
	cx, cy, drawn := float64(x0+x1+1)/2, float64(y0+y1+1)/2, 0
	for y := plateInset; y < h-plateInset; y++ {
		s := rows[y]
		for x := s.from + plateInset; x <= s.to-plateInset; x++ {
			if !near(at(x0+x, y0+y), 2*plateEven) {
				drawn++
				out.radius = max(out.radius, math.Hypot(math.Abs(float64(x0+x)+0.5-cx)+0.5, math.Abs(float64(y0+y)+0.5-cy)+0.5)/float64(n))
			}
		}
	}
	if float64(drawn) < 0.005*float64(w*h) { // a plain disc is the mark itself
		return nil
	}
	return out
}
