package stage

import (
	"crypto/sha256"
	"fmt"
	"regexp"
	"strings"

	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/styled"
)

// The stage's screen, in CSS px.
const (
	screenWidth  = 1280
	screenHeight = 800
)

// readSheet is a style sheet: what it refers to, and what decides about it.
type readSheet struct {
	refs  []markup.Ref
	sheet *styled.Sheet
	sum   [32]byte
}

func (c *readCache) style(src []byte) *readSheet {
	sum := sha256.Sum256(src)
	s, _ := cachedIn(c, c.styles, sum, func() (*readSheet, error) {
		return &readSheet{markup.StyleRefs(src, 0), styled.Read(src, screenWidth, screenHeight), sum}, nil
	})
	return s
}

// styleRef is something that a style sheet names, asked for when what the page shows takes it.
type styleRef struct {
	ref  markup.Ref
	base string
	at   int // of its sheet in the loader's list
}

// styles takes a style sheet of the page, which is for some media. Other sheets are asked for at once, pictures and fonts once the page is there,
// and only when it applies.
func (l *loader) styles(s *readSheet, base, media string) {
	if !styled.Met(media, screenWidth, screenHeight) {
		for _, ref := range s.refs {
			if ref.Use == markup.UseStyle {
				ref.Media = "not all"
				l.need(ref, base)
			}
		}
		return
	}
	l.sheets = append(l.sheets, s)
	for _, ref := range s.refs {
		if ref.Use == markup.UseStyle {
			l.need(ref, base)
		} else if wanted(ref) && len(l.styleRefs) < maxNeeds {
			l.styleRefs = append(l.styleRefs, styleRef{ref, base, len(l.sheets) - 1})
		}
	}
}

// late asks for the pictures and fonts of style sheets that the page shows, as far as they are not asked for yet, and says whether there were any.
func (l *loader) late() bool {
	if len(l.styleRefs) == 0 || l.over {
		return false
	}
	shown, asked := l.shown()
	var c markup.Characters
	c.Read([]byte(shown))
	before := len(l.seen)
	var left []styleRef
	for _, r := range l.styleRefs {
		if asked != nil && !asked[r.at][r.ref.URL] || r.ref.Range != "" && !c.In(r.ref.Range) {
			left = append(left, r)
			continue
		}
		r.ref.Range = ""
		l.need(r.ref, r.base)
	}
	l.styleRefs = left
	return len(l.seen) > before
}

// shown gives what the page shows: its text, and which addresses of its sheets are taken by that, nil for all of them: where scripts are only read, or
// draw into trees of their own, that is not known.
func (l *loader) shown() (text string, asked []map[string]bool) {
	var doc string
	switch {
	case l.page != nil && l.page.vm == nil:
		return "", nil
	case l.page != nil:
		text = l.page.hook("text").String()
		if doc = l.page.hook("markup").String(); doc == "" {
			return text, nil
		}
	case l.source == nil:
		return "", nil
	default:
		doc = l.source()
		if text = l.load.Text; !l.static {
			text = textOf(doc)
			if !inert([]byte(doc)) {
				return text, nil
			}
		}
	}
	sheets := make([]*styled.Sheet, len(l.sheets))
	key := sha256.New()
	fmt.Fprint(key, doc)
	for i, s := range l.sheets {
		sheets[i] = s.sheet
		key.Write(s.sum[:])
	}
	asked, _ = cachedIn(l.b.docs, l.b.docs.asked, [32]byte(key.Sum(nil)), func() ([]map[string]bool, error) {
		tree, err := html.Parse(strings.NewReader(doc))
		if err != nil {
			return nil, nil //nolint:nilerr // nothing is left out for it
		}
		return styled.Asked(tree, sheets), nil
	})
	return text, asked
}

// isSheet says whether a text has rules, and is no style attribute.
func isSheet(text string) bool { return strings.Contains(text, "{") }

// style notes the text of a style element, and asks for what it refers to.
func (d *document) style(source, base, media string) {
	if !styled.Met(media, screenWidth, screenHeight) {
		d.loader.styles(d.b.docs.style([]byte(source)), base, media)
		return
	}
	d.sheets = append(d.sheets, source)
	if isSheet(source) {
		d.loader.styles(d.b.docs.style([]byte(source)), base, media)
		return
	}
	for _, ref := range markup.StyleRefs([]byte(source), 0) { // of an attribute
		d.loader.need(ref, base)
	}
}

// rulesFor gives selectors and values of simple rules of the page's style sheets, in their order.
func (d *document) rulesFor(name string) [][]string {
	var out [][]string
	want := regexp.MustCompile(`(?i)(?:^|[;\s])` + regexp.QuoteMeta(name) + `\s*:\s*([^;!}]+)`)
	for _, s := range d.sheets {
		for _, m := range displayRule.FindAllStringSubmatch(cssComment.ReplaceAllString(s, " "), 5000) {
			if v := want.FindStringSubmatch(m[2]); v != nil {
				for _, selector := range strings.Split(m[1], ",") {
					out = append(out, []string{strings.TrimSpace(selector), strings.TrimSpace(v[1])})
				}
			}
		}
	}
	return out
}

var cssComment = regexp.MustCompile(`(?s)/\*.*?\*/`)
