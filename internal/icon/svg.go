package icon

import (
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/tetratelabs/wazero"

	"tachyform.dev/tachyform/third_party/resvg"
)

// Limits for SVG masters.
const (
	maxSVG       = 4 << 20          // bytes of source
	svgDeadline  = 30 * time.Second // for one render
	svgPages     = 8192             // 64 KiB pages: 512 MiB
	maxElements  = 200_000
	svgProbeSize = 256 // px, to find the art box
)

// shared is the compiled renderer, made once for the process.
var shared = struct {
	once sync.Once
	eng  *engine
	err  error
}{}

// Warm starts compiling the SVG renderer in the background; call it as soon as a master is known to be SVG.
func Warm() { go func() { _, _ = svgEngine() }() }

func svgEngine() (*engine, error) {
	shared.once.Do(func() {
		ctx := context.Background()
		cfg := wazero.NewRuntimeConfig()
		if dir, err := os.UserCacheDir(); err == nil { // best effort: without a cache it compiles every time
			if cache, err := wazero.NewCompilationCacheWithDir(filepath.Join(dir, "tachyform", "wasm")); err == nil {
				cfg = cfg.WithCompilationCache(cache)
			}
		}
		var wasm []byte
		if wasm, shared.err = resvg.Module(); shared.err == nil {
			shared.eng, shared.err = newEngine(ctx, wasm, cfg, svgPages)
		}
	})
	return shared.eng, shared.err
}

// svgDoc is an SVG master: its source around the root tag, and its size.
type svgDoc struct {
	before, name, attrs, after string
	x, y, w, h                 float64 // the view box with the shape of the natural size
	natural                    [2]float64
}

var (
	rootTag = regexp.MustCompile(`^<(?:[^"'>]|"[^"]*"|'[^']*')*>`)
	sizing  = regexp.MustCompile(`\s(?:width|height|viewBox|preserveAspectRatio)\s*=\s*(?:"[^"]*"|'[^']*')`)
	viewBox = regexp.MustCompile(`\sviewBox\s*=\s*(?:"([^"]*)"|'([^']*)')`)
	extern  = regexp.MustCompile(`<(?:[A-Za-z_]+:)?(?:image|use|feImage)\b[^>]*?(?:xlink:)?href\s*=\s*["']\s*(?:https?:|//|file:|[^#"'d])`)
	tagOf   = func(name string) *regexp.Regexp { return regexp.MustCompile(`<(?:[A-Za-z_]+:)?` + name + `[\s/>]`) }
	texts   = tagOf("text")
	foreign = tagOf("foreignObject")
	scripts = tagOf("script")
	animate = tagOf("(?:animate|animateTransform|animateMotion|set)")

	pathData = regexp.MustCompile(`\sd\s*=\s*(?:"([^"]*)"|'([^']*)')`)
	numeral  = regexp.MustCompile(`-?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?`)
)

// Outlines of so many coordinates, and of so many for each unit of the view box, run to and fro within single pixels.
// Renderers add up the soft edges of such lines differently.
const (
	denseOutline = 300
	densePerUnit = 25
)

// densest gives the coordinates of the longest outline that is too dense for a view box, 0 when there is none.
func densest(src string, side float64) int {
	most := 0
	for _, d := range pathData.FindAllStringSubmatch(src, -1) {
		for _, outline := range strings.FieldsFunc(d[1]+d[2], func(r rune) bool { return r == 'M' || r == 'm' }) {
			if len(outline) > denseOutline {
				most = max(most, len(numeral.FindAllStringIndex(outline, -1)))
			}
		}
	}
	if most < denseOutline || side <= 0 || float64(most) < densePerUnit*side {
		return 0
	}
	return most
}

// readSVG checks an SVG source and measures it. The warnings say what will not be drawn as a browser would.
func readSVG(ctx context.Context, src string) (*svgDoc, []string, error) {
	if len(src) > maxSVG {
		return nil, nil, fmt.Errorf("the SVG has %d bytes; at most %d are read", len(src), maxSVG)
	}
	if strings.Count(src, "<") > maxElements {
		return nil, nil, fmt.Errorf("the SVG has more than %d tags", maxElements)
	}
	src = strings.TrimPrefix(src, "\ufeff")
	at := rootStart(src)
	if at < 0 {
		return nil, nil, errors.New("no svg element in it")
	}
	tag := rootTag.FindString(src[at:])
	if tag == "" {
		return nil, nil, errors.New("the svg element is not closed")
	}
	if !strings.Contains(tag, "http://www.w3.org/2000/svg") && !strings.Contains(src[:at], "http://www.w3.org/2000/svg") {
		return nil, nil, errors.New(`the svg element lacks xmlns="http://www.w3.org/2000/svg", without which no browser shows it as an image`)
	}
	var warn []string
	if !viewBox.MatchString(tag) {
		warn = append(warn, "its root has no viewBox, so that browsers cut it or leave room around it at other sizes than its own: add one")
	}
	if texts.MatchString(src) {
		warn = append(warn, "it holds text, which needs its font: convert text to paths in the drawing program")
	}
	if foreign.MatchString(src) {
		warn = append(warn, "it holds a foreignObject, which is not drawn")
	}
	if scripts.MatchString(src) {
		warn = append(warn, "it holds a script, which never runs in an icon")
	}
	if animate.MatchString(src) {
		warn = append(warn, "it is animated; icons show its first moment")
	}
	if extern.MatchString(src) {
		warn = append(warn, "it refers to other files, which are not loaded: embed them")
	}
	src = inSteps(src) // the root stays as it is
	e, err := svgEngine()
	if err != nil {
		return nil, nil, fmt.Errorf("the SVG renderer cannot start: %w", err)
	}
	ctx, cancel := context.WithTimeout(ctx, svgDeadline)
	defer cancel()
	probe, err := e.parse(ctx, src, map[string]any{"font": map[string]any{}}, nil)
	if err != nil {
		return nil, nil, svgError(ctx, err)
	}
	w, h := probe.w, probe.h
	probe.close()
	if !(w > 0 && h > 0) || math.IsInf(w, 0) || math.IsInf(h, 0) || w/h > 100 || h/w > 100 {
		return nil, nil, fmt.Errorf("its size is %g x %g", w, h)
	}
	i := strings.IndexAny(tag[1:], " \t\r\n/>") + 1
	d := &svgDoc{before: src[:at], name: tag[:i], attrs: sizing.ReplaceAllString(tag[i:], ""), after: src[at+len(tag):], natural: [2]float64{w, h}}
	d.w, d.h = w, h
	if b := viewBox.FindStringSubmatch(tag); b != nil {
		x, y, bw, bh := 0.0, 0.0, 0.0, 0.0
		n, _ := fmt.Sscan(strings.NewReplacer(",", " ", "\n", " ", "\t", " ").Replace(b[1]+b[2]), &x, &y, &bw, &bh)
		if n == 4 && bw > 0 && bh > 0 {
			if q := w / h * bh / bw; q > 0.99 && q < 1.01 { // the natural size comes in whole pixels
				d.x, d.y, d.w, d.h = x, y, bw, bh
			} else {
				k := min(w/bw, h/bh)
				d.x, d.y, d.w, d.h = x-(w/k-bw)/2, y-(h/k-bh)/2, w/k, h/k
			}
			if n := densest(src, max(bw, bh)); n > 0 {
				warn = append(warn, fmt.Sprintf("one of its outlines has %d coordinates in a view box of %g: lines that lie closer together than a pixel come out darker or lighter in browsers; compare the icons with the drawing, or simplify the outline", n, max(bw, bh)))
			}
		}
	}
	return d, warn, nil
}

func svgError(ctx context.Context, err error) error {
	if ctx.Err() != nil {
		return fmt.Errorf("drawing the SVG took longer than %s", svgDeadline)
	}
	msg := err.Error()
	if i := strings.IndexByte(msg, '\n'); i >= 0 {
		msg = msg[:i]
	}
	return fmt.Errorf("the SVG cannot be drawn: %s", msg)
}

// draw renders the part of the drawing that view names, in fractions of its longer side around its middle,
// onto n x n pixels. The pixels are premultiplied.
func (d *svgDoc) draw(ctx context.Context, n int, view rect) (*image.RGBA, error) {
	e, err := svgEngine()
	if err != nil {
		return nil, fmt.Errorf("the SVG renderer cannot start: %w", err)
	}
	ctx, cancel := context.WithTimeout(ctx, svgDeadline)
	defer cancel()
	side := max(d.w, d.h)
	x, y := d.x-(side-d.w)/2+view.x*side, d.y-(side-d.h)/2+view.y*side
	doc := fmt.Sprintf(`%s%s width="%d" height="%d" viewBox="%g %g %g %g"%s%s`, d.before, d.name, n, n, x, y, view.side*side, view.side*side, d.attrs, d.after)
	p, err := e.parse(ctx, doc, map[string]any{"font": map[string]any{}}, nil)
	if err != nil {
		return nil, svgError(ctx, err)
	}
	defer p.close()
	img, err := p.render()
	if err != nil {
		return nil, svgError(ctx, err)
	}
	if img.Rect.Dx() != n || img.Rect.Dy() != n {
		return nil, fmt.Errorf("the SVG came out %d x %d instead of %d x %d", img.Rect.Dx(), img.Rect.Dy(), n, n)
	}
	d.clip(img, view)
	return img, nil
}

// clip clears what lies outside the drawing's own edges, with partly covered edge pixels.
func (d *svgDoc) clip(m *image.RGBA, view rect) {
	n := float64(m.Rect.Dx())
	side := max(d.w, d.h)
	edge := func(length, from float64) (lo, hi float64) {
		lo = ((1-length/side)/2 - from) / view.side * n
		return lo, lo + length/side/view.side*n
	}
	x0, x1 := edge(d.w, view.x)
	y0, y1 := edge(d.h, view.y)
	cover := func(i int, lo, hi float64) float64 { return max(0, min(hi, float64(i+1))-max(lo, float64(i))) }
	for y := range m.Rect.Dy() {
		cy := cover(y, y0, y1)
		for x := range m.Rect.Dx() {
			if c := cy * cover(x, x0, x1); c < 0.999 {
				p := m.Pix[m.PixOffset(x, y):][:4]
				for k := range p {
					p[k] = uint8(float64(p[k])*c + 0.5)
				}
			}
		}
	}
}

// rootStart finds the first element behind the prolog, which may hold a DTD with an internal subset.
func rootStart(s string) int {
	for i := 0; i < len(s); {
		switch t := s[i:]; {
		case strings.HasPrefix(t, "<?"):
			i = behind(s, i, "?>")
		case strings.HasPrefix(t, "<!--"):
			i = behind(s, i, "-->")
		case strings.HasPrefix(t, "<!"):
			j := strings.IndexAny(t, "[>")
			if j < 0 {
				return -1
			}
			if t[j] == '[' {
				i = behind(s, behind(s, i, "]"), ">")
			} else {
				i += j + 1
			}
		case t[0] == '<':
			return i
		default:
			i++
		}
	}
	return -1
}

func behind(s string, i int, mark string) int {
	j := strings.Index(s[i:], mark)
	if j < 0 {
		return len(s)
	}
	return i + j + len(mark)
}
