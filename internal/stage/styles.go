package stage

import (
	"crypto/sha256"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/dop251/goja"
	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/selector"
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

// setBy is a simple rule that sets a property: its selector, and the value.
type setBy struct {
	keys            []string // of which an element has to have one, as package selector has them; nil when that is not known
	selector, value string
}

// rulesFor gives selectors and values of simple rules of the page's style sheets that set a property and may match an element with a name, an id and
// classes, in their order.
func (d *document) rulesFor(property, name, id, class string) goja.Value {
	if d.rules == nil || d.ruled != len(d.sheets) {
		d.rules, d.setters, d.ruled = map[string]goja.Value{}, map[string][]setBy{}, len(d.sheets)
	}
	asked := strings.Join([]string{property, name, id, class}, "\x00")
	if known, ok := d.rules[asked]; ok { // scripts that measure ask for every element
		return known
	}
	if _, ok := d.setters[property]; !ok {
		d.setters[property] = d.thatSet(property)
	}
	has := map[string]bool{name: true, "": true}
	if id != "" {
		has["#"+id] = true
	}
	for _, c := range strings.Fields(class) {
		has["."+c] = true
	}
	var out []any
	for _, s := range d.setters[property] {
		if s.keys == nil || slices.ContainsFunc(s.keys, func(k string) bool { return has[k] }) {
			out = append(out, d.vm.NewArray(s.selector, s.value))
		}
	}
	list := d.vm.NewArray(out...)
	if len(d.rules) < maxRead {
		d.rules[asked] = list
	}
	return list
}

// thatSet gives the simple rules that set a property.
func (d *document) thatSet(property string) (out []setBy) {
	want := regexp.MustCompile(`(?i)(?:^|[;\s])` + regexp.QuoteMeta(property) + `\s*:\s*([^;!}]+)`)
	for _, s := range d.sheets {
		for _, m := range d.b.docs.simpleRules(s) {
			v := want.FindStringSubmatch(m[2])
			if v == nil {
				continue
			}
			for _, text := range selector.Parts(m[1]) {
				x := setBy{selector: strings.TrimSpace(text), value: strings.TrimSpace(v[1])}
				if list, whole := selector.Parse(x.selector); whole && len(list) > 0 {
					for _, one := range list {
						x.keys = append(x.keys, one.Key)
					}
				}
				out = append(out, x)
			}
		}
	}
	return out
}

// maxSimple bounds the rules of a sheet that are looked at for computed styles.
const maxSimple = 5000

// simpleRules gives the rules of a style sheet without those around them: each with its selectors and its declarations.
func (c *readCache) simpleRules(sheet string) [][]string {
	rules, _ := cachedIn(c, c.simple, sha256.Sum256([]byte(sheet)), func() ([][]string, error) {
		return displayRule.FindAllStringSubmatch(cssComment.ReplaceAllString(sheet, " "), maxSimple), nil
	})
	return rules
}

var cssComment = regexp.MustCompile(`(?s)/\*.*?\*/`)
