// Package tight compresses to zlib streams (RFC 1950, RFC 1951) that are as small as can be had in reasonable time: the
// matches are chosen by their cost in bits under the codes that come out, again and again.
package tight

import (
	"hash/adler32"
	"math"
	"slices"
)

const (
	minMatch   = 3
	maxMatch   = 258
	window     = 1 << 15
	maxChain   = 1000 // earlier places that are compared for one position
	blockLeast = 600  // symbols in a block that is worth to be split off
)

// pair is a match: the smallest distance for lengths of up to a length.
type pair struct{ length, distance uint16 }

// symbol is a literal (distance 0, length is the byte) or a match.
type symbol struct{ length, distance uint16 }

// Zlib compresses data. rounds says how often the choice of matches is improved, 1 to about 15.
func Zlib(data []byte, rounds int) []byte {
	out := []byte{0x78, 0xda}
	out = append(out, deflate(data, rounds)...)
	sum := adler32.Checksum(data)
	return append(out, byte(sum>>24), byte(sum>>16), byte(sum>>8), byte(sum))
}

func deflate(data []byte, rounds int) []byte {
	w := &bits{}
	if len(data) == 0 {
		w.put(1, 1)
		w.put(1, 2) // a fixed block with nothing but its end
		w.put(0, 7)
		return w.bytes()
	}
	m := matches(data)
	first := optimum(data, m, startCosts(), 2)
	blocks := split(first, 0)
	at := 0
	for i, b := range blocks {
		end := at
		for _, x := range b {
			end += x.bytes()
		}
		// The matches of a block are chosen anew, by the block's own codes.
		better := optimum(data[at:end], m[at:end], count(b).costs(), rounds)
		if count(better).size() < count(b).size() {
			b = better
		}
		w.block(b, i == len(blocks)-1)
		at = end
	}
	return w.bytes()
}

// optimum improves the choice of matches for some rounds and gives the best.
func optimum(data []byte, m [][]pair, c *costs, rounds int) []symbol {
	best, least := []symbol(nil), math.Inf(1)
	for range max(rounds, 1) {
		s := parse(data, m, c)
		h := count(s)
		if n := h.size(); n < least {
			best, least = s, n
		} else if n == least {
			break // it has settled
		}
		c = h.costs()
	}
	return best
}

// bytes is how many bytes of the data a symbol stands for.
func (s symbol) bytes() int {
	if s.distance == 0 {
		return 1
	}
	return int(s.length)
}

// matches finds for every position the matches that no other of the same length or longer is nearer than.
func matches(data []byte) [][]pair {
	out := make([][]pair, len(data))
	head := make([]int32, 1<<15)
	for i := range head {
		head[i] = -1
	}
	prev := make([]int32, len(data))
	hash := func(i int) uint32 {
		return (uint32(data[i])<<16 | uint32(data[i+1])<<8 | uint32(data[i+2])) * 2654435761 >> 17
	}
	var store []pair
	for i := range data {
		if i+minMatch > len(data) {
			break
		}
		h := hash(i)
		limit := min(maxMatch, len(data)-i)
		longest := minMatch - 1
		from := len(store)
		// In the middle of a long run nothing beats the run itself.
		if i > 0 && runs(data, i) >= limit && limit == maxMatch {
			store = append(store, pair{uint16(limit), 1})
		} else {
			// A longer match holds the last bytes of the longest so far and the one behind them: candidates are taken from
			// where those came up, which is more seldom than where the first bytes did.
			nearest, ahead := i, 0
			j := head[h]
			for n := 0; n < maxChain && j >= 0; n++ {
				k := int(j) - ahead
				if i-k > window || k < 0 {
					break
				}
				if k < nearest && data[k+longest] == data[i+longest] && data[k] == data[i] {
					l := 0
					for l < limit && data[k+l] == data[i+l] {
						l++
					}
					if l > longest {
						longest, nearest = l, k
						store = append(store, pair{uint16(l), uint16(i - k - 1)})
						if longest >= limit {
							break
						}
						ahead = longest - 2
						j = head[hash(i+ahead)]
						continue
					}
				}
				j = prev[j]
			}
			for n := from; n < len(store); n++ {
				store[n].distance++
			}
		}
		out[i] = store[from:len(store):len(store)]
		prev[i] = head[h]
		head[h] = int32(i)
	}
	return out
}

// runs counts how many bytes from i on equal the byte before it.
func runs(data []byte, i int) int {
	n := 0
	for i+n < len(data) && n < maxMatch && data[i+n] == data[i-1] {
		n++
	}
	return n
}

// costs are bits for each symbol.
type costs struct {
	literal  [286]float64
	distance [30]float64
}

func startCosts() *costs {
	c := &costs{}
	for i := range c.literal {
		c.literal[i] = 8
		if i > 256 {
			c.literal[i] = 7
		}
	}
	for i := range c.distance {
		c.distance[i] = 5
	}
	return c
}

// lengthSymbol and distanceSymbol give the code of a length and distance (RFC 1951, section 3.2.5).
var (
	lengthSymbol [maxMatch + 1]uint16
	lengthExtra  [286]uint8
	lengthBase   [286]uint16
	distExtra    [30]uint8
	distBase     [30]uint16
)

// following gives the next length that is tried: of long matches only those that end a code's range, since each length
// of a range costs the same.
var following = func() (out [maxMatch + 1]uint16) {
	ends := []uint16{42, 50, 58, 66, 82, 98, 114, 130, 162, 194, 226, 257, 258, 259}
	n := 0
	for l := range uint16(maxMatch + 1) {
		if l < 34 {
			out[l] = l + 1
			continue
		}
		for ends[n] <= l {
			n++
		}
		out[l] = ends[n]
	}
	return out
}()

func init() {
	base := uint16(3)
	for s := 257; s < 285; s++ {
		if s >= 265 {
			lengthExtra[s] = uint8(s-261) / 4
		}
		lengthBase[s] = base
		for range 1 << lengthExtra[s] {
			if base <= maxMatch {
				lengthSymbol[base] = uint16(s)
			}
			base++
		}
	}
	lengthSymbol[maxMatch], lengthBase[285] = 285, maxMatch
	base = 1
	for s := range 30 {
		if s >= 4 {
			distExtra[s] = uint8(s-2) / 2
		}
		distBase[s] = base
		base += 1 << distExtra[s]
	}
}

func distanceSymbol(d uint16) int {
	if d <= 4 {
		return int(d) - 1
	}
	v := uint32(d - 1)
	n := 31
	for v>>n == 0 {
		n--
	}
	return 2*n + int(v>>(n-1)&1)
}

// parse chooses the cheapest way through the data.
func parse(data []byte, m [][]pair, c *costs) []symbol {
	var lengths [maxMatch + 1]float64
	for l := minMatch; l <= maxMatch; l++ {
		s := lengthSymbol[l]
		lengths[l] = c.literal[s] + float64(lengthExtra[s])
	}
	cost := make([]float32, len(data)+1)
	step := make([]symbol, len(data)+1)
	for i := 1; i <= len(data); i++ {
		cost[i] = math.MaxFloat32
	}
	for i := range data {
		at := cost[i]
		if n := at + float32(c.literal[data[i]]); n < cost[i+1] {
			cost[i+1], step[i+1] = n, symbol{uint16(data[i]), 0}
		}
		from := minMatch
		for _, p := range m[i] {
			d := distanceSymbol(p.distance)
			dist := c.distance[d] + float64(distExtra[d])
			if len(m[i]) == 1 && p.length == maxMatch && p.distance == 1 {
				from = maxMatch // a long run is taken in whole pieces
			}
			end := min(int(p.length), len(data)-i)
			for l := from; l <= end; l = int(following[l]) {
				l := l
				if int(following[l]) > end {
					l = end // the longest in any case
				}
				if n := at + float32(dist+lengths[l]); n < cost[i+l] {
					cost[i+l], step[i+l] = n, symbol{uint16(l), p.distance}
				}
			}
			from = int(p.length) + 1
		}
	}
	var out []symbol
	for i := len(data); i > 0; {
		s := step[i]
		out = append(out, s)
		if s.distance == 0 {
			i--
		} else {
			i -= int(s.length)
		}
	}
	slices.Reverse(out)
	return out
}

// counts are how often symbols come up.
type counts struct {
	literal  [286]int
	distance [30]int
}

func count(s []symbol) *counts {
	h := &counts{}
	for _, x := range s {
		if x.distance == 0 {
			h.literal[x.length]++
			continue
		}
		h.literal[lengthSymbol[x.length]]++
		h.distance[distanceSymbol(x.distance)]++
	}
	h.literal[256] = 1
	return h
}

// size estimates the bits of a block with its header.
func (h *counts) size() float64 {
	n := 40.0
	add := func(counts []int, extra func(int) int) {
		total := 0
		for _, c := range counts {
			total += c
		}
		before := 0
		for i, c := range counts {
			if c > 0 {
				n += float64(c) * (max(math.Log2(float64(total)/float64(c)), 1) + float64(extra(i)))
				n += 4 // its code's length in the header
				if i-before > 1 {
					n += 5 // a gap
				}
				before = i
			}
		}
	}
	add(h.literal[:], func(i int) int { return int(lengthExtra[i]) })
	add(h.distance[:], func(i int) int { return int(distExtra[i]) })
	return n
}

// costs are the entropies of the symbols: finer than whole bits, which the next round is the better for.
func (h *counts) costs() *costs {
	c := &costs{}
	entropy := func(counts []int, out []float64) {
		total := 0
		for _, n := range counts {
			total += n
		}
		for i, n := range counts {
			out[i] = math.Log2(float64(total+1)) + 1
			if n > 0 {
				out[i] = math.Log2(float64(total) / float64(n))
			}
		}
	}
	entropy(h.literal[:], c.literal[:])
	entropy(h.distance[:], c.distance[:])
	return c
}

// split divides the symbols into blocks where that saves bits.
func split(s []symbol, depth int) [][]symbol {
	if len(s) < 2*blockLeast || depth > 5 {
		return [][]symbol{s}
	}
	whole := count(s).size()
	best, at := whole, 0
	lo, hi := blockLeast, len(s)-blockLeast
	for range 3 { // closer and closer around the best place
		step := max(1, (hi-lo)/12)
		found := at
		for i := lo; i <= hi; i += step {
			if n := count(s[:i]).size() + count(s[i:]).size(); n < best {
				best, found = n, i
			}
		}
		if found == at {
			break
		}
		at = found
		lo, hi = max(blockLeast, at-step), min(len(s)-blockLeast, at+step)
	}
	if at == 0 {
		return [][]symbol{s}
	}
	return append(split(s[:at], depth+1), split(s[at:], depth+1)...)
}
