package icon

import (
	"bytes"
	"encoding/binary"
	"hash/crc32"
	"image"
	"math"
	"slices"
	"sort"

	"github.com/klauspost/compress/zlib"

	"tachyform.dev/tachyform/internal/tight"
)

// deflate compresses to a zlib stream.
func deflate(b []byte, level int) []byte {
	var o bytes.Buffer
	w, err := zlib.NewWriterLevel(&o, level)
	if err != nil {
		panic(err) // the level is a constant of this package
	}
	_, _ = w.Write(b) // a bytes.Buffer takes everything
	_ = w.Close()
	return o.Bytes()
}

// raw is a picture in one PNG colour type.
type raw struct {
	colorType, depth byte
	bpp              int // bytes a pixel for filters, at least 1
	rows             [][]byte
	plte, trns       []byte
}

// Effort is how much time goes into small files.
type Effort int

// The efforts, from the fastest.
const (
	Usual Effort = iota // every colour type and row filter is weighed, the best compressed well
	Quick               // few are weighed, and compressed fast
	Small               // the best few are compressed as well as can be, which takes seconds
)

// EncodePNG writes a picture as a small PNG without loss with the usual effort.
func EncodePNG(m *image.NRGBA) []byte { return Usual.EncodePNG(m) }

// EncodePNG writes a picture as a small PNG without loss: every colour type that can hold it and several row
// filter strategies are tried and the smallest is kept. The colour of fully transparent pixels is not kept.
func (e Effort) EncodePNG(m *image.NRGBA) []byte {
	// Every candidate is compressed fast to compare them; only the best is compressed well.
	type candidate struct {
		raw
		filtered []byte
		n        int
	}
	var all []candidate
	for _, r := range forms(m) {
		rows := filterAll(r)
		for _, s := range strategies {
			if (r.colorType == 3 || r.depth < 8 || e == Quick) && s != 0 && s != minSum {
				continue
			}
			f := choose(rows, s)
			all = append(all, candidate{r, f, len(deflate(f, 2)) + len(r.plte) + len(r.trns)})
		}
	}
	slices.SortStableFunc(all, func(a, b candidate) int { return a.n - b.n })
	w, h := m.Rect.Dx(), m.Rect.Dy()
	switch e {
	case Quick:
		return file(w, h, all[0].raw, deflate(all[0].filtered, 5))
	case Small:
		var best []byte
		for _, c := range all[:min(len(all), 2)] {
			if f := file(w, h, c.raw, tight.Zlib(c.filtered, 6)); best == nil || len(f) < len(best) {
				best = f
			}
		}
		return best
	}
	return file(w, h, all[0].raw, deflate(all[0].filtered, 9))
}

const (
	minSum = iota + 5
	entropy
)

var strategies = []int{0, 1, 2, 3, 4, minSum, entropy}

// forms gives the picture in every colour type that can hold it.
func forms(m *image.NRGBA) []raw {
	w, h := m.Rect.Dx(), m.Rect.Dy()
	type px = [4]byte
	at := func(x, y int) px {
		p := px(m.Pix[y*m.Stride+x*4:][:4])
		if p[3] == 0 {
			return px{}
		}
		return p
	}
	count := map[px]int{}
	gray, opaque, binaryAlpha := true, true, true
	for y := range h {
		for x := range w {
			p := at(x, y)
			if len(count) <= 256 || count[p] > 0 {
				count[p]++
			}
			gray = gray && p[0] == p[1] && p[1] == p[2]
			opaque = opaque && p[3] == 255
			binaryAlpha = binaryAlpha && (p[3] == 0 || p[3] == 255)
		}
	}
	build := func(t byte, n int, f func(px) []byte) raw {
		r := raw{colorType: t, depth: 8, bpp: n}
		for y := range h {
			row := make([]byte, 0, w*n)
			for x := range w {
				row = append(row, f(at(x, y))...)
			}
			r.rows = append(r.rows, row)
		}
		return r
	}
	var out []raw
	switch {
	case gray && opaque:
		out = append(out, build(0, 1, func(p px) []byte { return p[:1] }))
	case gray:
		out = append(out, build(4, 2, func(p px) []byte { return []byte{p[0], p[3]} }))
	case opaque:
		out = append(out, build(2, 3, func(p px) []byte { return p[:3] }))
	default:
		out = append(out, build(6, 4, func(p px) []byte { return p[:] }))
	}
	if binaryAlpha && !opaque { // colour key: a colour that no opaque pixel has
		used := map[[3]byte]bool{}
		for y := range h {
			for x := range w {
				if p := at(x, y); p[3] > 0 {
					used[[3]byte(p[:3])] = true
				}
			}
		}
		key := [3]byte{}
		for used[key] && key[0] < 255 {
			key[0]++
			key[1], key[2] = key[0], key[0]
		}
		if !used[key] {
			t, n := byte(2), 3
			if gray {
				t, n = 0, 1
			}
			r := build(t, n, func(p px) []byte {
				if p[3] == 0 {
					return key[:n]
				}
				return p[:n]
			})
			for _, c := range key[:n] {
				r.trns = append(r.trns, 0, c)
			}
			out = append(out, r)
		}
	}
	if len(count) <= 256 {
		colors := make([]px, 0, len(count))
		for p := range count {
			colors = append(colors, p)
		}
		luma := func(p px) int { return 299*int(p[0]) + 587*int(p[1]) + 114*int(p[2]) }
		orders := []func(a, b px) int{
			func(a, b px) int { return (luma(a)*4 + int(a[3])) - (luma(b)*4 + int(b[3])) },
			func(a, b px) int { return count[b] - count[a] },
			func(a, b px) int { return int(a[3]) - int(b[3]) },
		}
		for _, less := range orders {
			sort.Slice(colors, func(i, j int) bool {
				a, b := colors[i], colors[j]
				if (a[3] < 255) != (b[3] < 255) { // keeps tRNS short
					return a[3] < 255
				}
				if d := less(a, b); d != 0 {
					return d < 0
				}
				return bytes.Compare(a[:], b[:]) < 0
			})
			index := map[px]byte{}
			var plte, trns []byte
			for i, c := range colors {
				index[c] = byte(i)
				plte = append(plte, c[:3]...)
				if c[3] < 255 {
					trns = append(trns, c[3])
				}
			}
			r := build(3, 1, func(p px) []byte { return []byte{index[p]} })
			r.plte, r.trns = plte, trns
			for _, d := range []byte{1, 2, 4} {
				if len(colors) <= 1<<d {
					r.depth = d
					for y, row := range r.rows {
						r.rows[y] = pack(row, int(d))
					}
					break
				}
			}
			out = append(out, r)
		}
	}
	return out
}

func pack(row []byte, d int) []byte {
	out := make([]byte, (len(row)*d+7)/8)
	for i, v := range row {
		out[i*d/8] |= v << (8 - d - i*d%8)
	}
	return out
}

func filterRow(dst, row, up []byte, bpp, f int) []byte {
	dst = append(dst, byte(f))
	for i, v := range row {
		var a, b, c byte
		if i >= bpp {
			a = row[i-bpp]
		}
		if up != nil {
			b = up[i]
			if i >= bpp {
				c = up[i-bpp]
			}
		}
		switch f {
		case 1:
			v -= a
		case 2:
			v -= b
		case 3:
			v -= byte((int(a) + int(b)) / 2)
		case 4:
			p := int(a) + int(b) - int(c)
			pa, pb, pc := abs(p-int(a)), abs(p-int(b)), abs(p-int(c))
			switch {
			case pa <= pb && pa <= pc:
				v -= a
			case pb <= pc:
				v -= b
			default:
				v -= c
			}
		}
		dst = append(dst, v)
	}
	return dst
}

func abs(x int) int { return max(x, -x) }

// filterAll gives every row with each of the five filters.
func filterAll(r raw) [][5][]byte {
	out := make([][5][]byte, len(r.rows))
	var up []byte
	for y, row := range r.rows {
		buf := make([]byte, 0, 5*(len(row)+1))
		for f := range 5 {
			n := len(buf)
			buf = filterRow(buf, row, up, r.bpp, f)
			out[y][f] = buf[n:len(buf):len(buf)]
		}
		up = row
	}
	return out
}

// choose joins the rows, each with the filter that a strategy asks for.
func choose(rows [][5][]byte, s int) []byte {
	var out []byte
	for _, candidates := range rows {
		if s < 5 {
			out = append(out, candidates[s]...)
			continue
		}
		best, cost := 0, math.Inf(1)
		for f, c := range candidates {
			if k := rowCost(c, s); k < cost {
				best, cost = f, k
			}
		}
		out = append(out, candidates[best]...)
	}
	return out
}

// rowCost guesses how well a filtered row compresses: by the sum of its values, or by their entropy.
func rowCost(c []byte, s int) float64 {
	if s == minSum {
		k := 0
		for _, v := range c[1:] {
			k += abs(int(int8(v)))
		}
		return float64(k)
	}
	var hist [256]int
	for _, v := range c {
		hist[v]++
	}
	k := 0.0
	for _, n := range hist {
		if n > 0 {
			k -= float64(n) * math.Log2(float64(n)/float64(len(c)))
		}
	}
	return k
}

func file(w, h int, r raw, z []byte) []byte {
	b := bytes.NewBufferString("\x89PNG\r\n\x1a\n")
	chunk := func(t string, d []byte) {
		b.Write(binary.BigEndian.AppendUint32(nil, uint32(len(d))))
		x := append([]byte(t), d...)
		b.Write(x)
		b.Write(binary.BigEndian.AppendUint32(nil, crc32.ChecksumIEEE(x)))
	}
	hd := binary.BigEndian.AppendUint32(nil, uint32(w))
	hd = binary.BigEndian.AppendUint32(hd, uint32(h))
	chunk("IHDR", append(hd, r.depth, r.colorType, 0, 0, 0))
	if r.plte != nil {
		chunk("PLTE", r.plte)
	}
	if r.trns != nil {
		chunk("tRNS", r.trns)
	}
	chunk("IDAT", z)
	chunk("IEND", nil)
	return b.Bytes()
}
