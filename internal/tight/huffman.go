package tight

import "sort"

// bits collects bits, the lowest first.
type bits struct {
	out []byte
	acc uint64
	n   uint
}

func (b *bits) put(v uint32, n uint) {
	b.acc |= uint64(v) << b.n
	b.n += n
	for b.n >= 8 {
		b.out = append(b.out, byte(b.acc))
		b.acc >>= 8
		b.n -= 8
	}
}

func (b *bits) bytes() []byte {
	if b.n > 0 {
		b.out = append(b.out, byte(b.acc))
	}
	return b.out
}

// lengths gives the lengths of an optimal prefix code whose longest word has a limit, by package-merge.
func lengths(counts []int, limit int) []uint8 {
	out := make([]uint8, len(counts))
	type coin struct {
		weight  int
		symbols []uint16
	}
	var leaves []coin
	for i, n := range counts {
		if n > 0 {
			leaves = append(leaves, coin{n, []uint16{uint16(i)}})
		}
	}
	switch len(leaves) {
	case 0:
		return out
	case 1:
		out[leaves[0].symbols[0]] = 1
		return out
	}
	sort.SliceStable(leaves, func(i, j int) bool { return leaves[i].weight < leaves[j].weight })
	var list []coin
	for range limit {
		var packages []coin
		for i := 0; i+1 < len(list); i += 2 {
			a, b := list[i], list[i+1]
			packages = append(packages, coin{a.weight + b.weight, append(append(make([]uint16, 0, len(a.symbols)+len(b.symbols)), a.symbols...), b.symbols...)})
		}
		merged := make([]coin, 0, len(packages)+len(leaves))
		i, j := 0, 0
		for i < len(leaves) || j < len(packages) {
			if j == len(packages) || i < len(leaves) && leaves[i].weight <= packages[j].weight {
				merged = append(merged, leaves[i])
				i++
			} else {
				merged = append(merged, packages[j])
				j++
			}
		}
		list = merged
	}
	for _, c := range list[:2*len(leaves)-2] {
		for _, s := range c.symbols {
			out[s]++
		}
	}
	return out
}

// codes gives the canonical code words, their bits turned for writing (RFC 1951, section 3.2.2).
func codes(lengths []uint8) []uint32 {
	var perLength [16]int
	for _, l := range lengths {
		perLength[l]++
	}
	perLength[0] = 0
	var next [16]uint32
	code := uint32(0)
	for l := 1; l < 16; l++ {
		code = (code + uint32(perLength[l-1])) << 1
		next[l] = code
	}
	out := make([]uint32, len(lengths))
	for i, l := range lengths {
		if l == 0 {
			continue
		}
		c := next[l]
		next[l]++
		for range l {
			out[i] = out[i]<<1 | c&1
			c >>= 1
		}
	}
	return out
}

var lengthOrder = [19]int{16, 17, 18, 0, 8, 7, 9, 6, 10, 5, 11, 4, 12, 3, 13, 2, 14, 1, 15}

// header writes the code lengths of a dynamic block (RFC 1951, section 3.2.7), without its first three bits.
func (b *bits) header(literal, distance []uint8) {
	nl, nd := 286, 30
	for nl > 257 && literal[nl-1] == 0 {
		nl--
	}
	for nd > 1 && distance[nd-1] == 0 {
		nd--
	}
	all := append(append([]uint8{}, literal[:nl]...), distance[:nd]...)
	type run struct{ symbol, extra, bits uint8 }
	var runs []run
	for i := 0; i < len(all); {
		n := 1
		for i+n < len(all) && all[i+n] == all[i] {
			n++
		}
		left := n
		if all[i] == 0 {
			for left >= 3 {
				k := min(left, 138)
				if k >= 11 {
					runs = append(runs, run{18, uint8(k - 11), 7})
				} else {
					runs = append(runs, run{17, uint8(k - 3), 3})
				}
				left -= k
			}
		} else {
			runs = append(runs, run{all[i], 0, 0})
			left--
			for left >= 3 {
				k := min(left, 6)
				if left-k > 0 && left-k < 3 && k > 4 && left <= 8 {
					k = left - 3 // two repeats instead of one and loose ends
				}
				runs = append(runs, run{16, uint8(k - 3), 2})
				left -= k
			}
		}
		for range left {
			runs = append(runs, run{all[i], 0, 0})
		}
		i += n
	}
	counts := make([]int, 19)
	for _, r := range runs {
		counts[r.symbol]++
	}
	l := lengths(counts, 7)
	c := codes(l)
	n := 19
	for n > 4 && l[lengthOrder[n-1]] == 0 {
		n--
	}
	b.put(uint32(nl-257), 5)
	b.put(uint32(nd-1), 5)
	b.put(uint32(n-4), 4)
	for _, s := range lengthOrder[:n] {
		b.put(uint32(l[s]), 3)
	}
	for _, r := range runs {
		b.put(c[r.symbol], uint(l[r.symbol]))
		b.put(uint32(r.extra), uint(r.bits))
	}
}

// block writes one block with codes of its own.
func (b *bits) block(s []symbol, last bool) {
	h := count(s)
	l, d := lengths(h.literal[:], 15), lengths(h.distance[:], 15)
	if last {
		b.put(1, 1)
	} else {
		b.put(0, 1)
	}
	b.put(2, 2)
	b.header(l, d)
	lc, dc := codes(l), codes(d)
	for _, x := range s {
		if x.distance == 0 {
			b.put(lc[x.length], uint(l[x.length]))
			continue
		}
		n := lengthSymbol[x.length]
		b.put(lc[n], uint(l[n]))
		b.put(uint32(x.length-lengthBase[n]), uint(lengthExtra[n]))
		k := distanceSymbol(x.distance)
		b.put(dc[k], uint(d[k]))
		b.put(uint32(x.distance-distBase[k]), uint(distExtra[k]))
	}
	b.put(lc[256], uint(l[256]))
}
