package icon

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"regexp"
	"slices"
	"strconv"
	"strings"
)

// leastScale is below what the renderer loses a shape whose own transform makes it that much smaller.
const leastScale = 0.002

var (
	transforms   = regexp.MustCompile(`(matrix|scale)\s*\(([^)]*)\)`)
	ownTransform = regexp.MustCompile(`\stransform\s*=\s*("[^"]*"|'[^']*')`)
)

// shapes are the elements that draw something.
var shapes = []string{"path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "text", "image", "use"}

// scaleOf gives by how much a transform list makes lengths larger, 1 for one that leaves them (CSS Transforms, "The SVG transform attribute").
func scaleOf(list string) float64 {
	area := 1.0
	for _, m := range transforms.FindAllStringSubmatch(list, -1) {
		var n []float64
		for _, s := range numeral.FindAllString(m[2], -1) {
			f, err := strconv.ParseFloat(s, 64)
			if err != nil {
				return 1
			}
			n = append(n, f)
		}
		switch {
		case m[1] == "matrix" && len(n) == 6:
			area *= n[0]*n[3] - n[1]*n[2]
		case m[1] == "scale" && len(n) == 1:
			area *= n[0] * n[0]
		case m[1] == "scale" && len(n) == 2:
			area *= n[0] * n[1]
		}
	}
	return math.Sqrt(math.Abs(area))
}

// inSteps puts shapes that their own transform makes very small into a group that does a part of it: the renderer draws these, and loses the
// others. A drawing that is no well-formed XML is left as it is.
func inSteps(src string) string {
	if !transforms.MatchString(src) {
		return src
	}
	type edit struct {
		from, to int
		with     string
	}
	var edits []edit
	type element struct{ grouped, clips bool } // clips: it is, or stands in, one that takes no group
	var open []element
	d := xml.NewDecoder(strings.NewReader(src))
	for {
		from := int(d.InputOffset())
		t, err := d.RawToken()
		if errors.Is(err, io.EOF) && len(open) == 0 {
			break
		}
		if err != nil {
			return src
		}
		to := int(d.InputOffset())
		switch t := t.(type) {
		case xml.StartElement:
			at := slices.IndexFunc(t.Attr, func(a xml.Attr) bool { return a.Name.Local == "transform" && a.Name.Space == "" })
			e := element{clips: t.Name.Local == "clipPath" || len(open) > 0 && open[len(open)-1].clips}
			if at >= 0 && !e.clips && slices.Contains(shapes, t.Name.Local) {
				if s := scaleOf(t.Attr[at].Value); s > 0 && s < leastScale && to <= len(src) {
					step := math.Sqrt(s)
					if p := ownTransform.FindStringSubmatchIndex(src[from:to]); p != nil && !strings.Contains(t.Attr[at].Value, `"`) {
						list := src[from+p[2]+1 : from+p[3]-1]
						tag := src[from:from+p[2]] + fmt.Sprintf(`"scale(%g)"`, step) + src[from+p[3]:to]
						edits = append(edits, edit{from, to, fmt.Sprintf(`<g%s transform="%s scale(%g)">%s`, named(t.Name), list, 1/step, tag)})
						e.grouped = true
					}
				}
			}
			open = append(open, e)
		case xml.EndElement:
			if n := len(open) - 1; n >= 0 {
				if open[n].grouped {
					edits = append(edits, edit{to, to, "</g>"})
				}
				open = open[:n]
			}
		}
	}
	if len(edits) == 0 {
		return src
	}
	var b strings.Builder
	at := 0
	for _, e := range edits {
		b.WriteString(src[at:e.from])
		b.WriteString(e.with)
		at = e.to
	}
	b.WriteString(src[at:])
	return b.String()
}

// named says what a group is where the names of elements have a prefix.
func named(n xml.Name) string {
	if n.Space == "" {
		return ""
	}
	return ` xmlns="http://www.w3.org/2000/svg"`
}
