package site

import (
	"math"
	"net/http"
	"regexp"
	"strconv"
)

var oneRange = regexp.MustCompile(`^bytes=[ \t]*(\d*)-(\d*)[ \t]*$`)

// Part gives the part of a successful answer that a Range header asks for (RFC 9110, section 14). A single range of bytes is answered with 206,
// one that begins after the end with 416. What is no such range, or names several, is ignored, as servers may: the answer stays as it is.
func (a Answer) Part(spec string) Answer {
	m := oneRange.FindStringSubmatch(spec)
	if a.Status != http.StatusOK || m == nil || m[1] == "" && m[2] == "" {
		return a
	}
	number := func(s string) int {
		n, err := strconv.Atoi(s)
		if err != nil {
			return math.MaxInt // more digits than an int has
		}
		return n
	}
	size := len(a.Body)
	from, to := 0, size-1
	switch {
	case m[1] == "":
		from = max(0, size-number(m[2]))
	case m[2] == "":
		from = number(m[1])
	default:
		from, to = number(m[1]), min(number(m[2]), size-1)
		if number(m[2]) < from {
			return a
		}
	}
	h := a.Header.Clone()
	if h == nil {
		h = http.Header{}
	}
	if from >= size {
		h.Set("Content-Range", "bytes */"+strconv.Itoa(size))
		return Answer{Status: http.StatusRequestedRangeNotSatisfiable, Header: h}
	}
	h.Set("Content-Range", "bytes "+strconv.Itoa(from)+"-"+strconv.Itoa(to)+"/"+strconv.Itoa(size))
	return Answer{Status: http.StatusPartialContent, Header: h, Body: a.Body[from : to+1]}
}
