// Package palette reads the colours that a start page shows from its styles.
package palette

import (
	"bytes"
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/selector"
	"tachyform.dev/tachyform/internal/survey"
)

// maxStyles bounds how much of the styles is read, in bytes.
const maxStyles = 1 << 20

// maxRules bounds how many rules are matched.
const maxRules = 20_000

// styles joins the styles of the start page that are in the site, in order.
func styles(inv *survey.Inventory) []byte {
	var out []byte
	for _, ref := range inv.Start.Refs {
		if ref.Use != markup.UseStyle || len(out) > maxStyles {
			continue
		}
		if u, ok := survey.ResolveOn(inv.Site.Origin, inv.StartBase(), ref.URL); ok {
			if f := inv.FileOf(u); f != nil {
				if data, err := inv.Site.Read(f.Path); err == nil {
					out = append(append(out, data...), '\n')
				}
			}
		}
	}
	for _, s := range inv.Start.Styles {
		out = append(append(out, s.Source...), '\n')
	}
	return out
}

// Seen is what a visitor sees first of a start page. Colours are opaque, as "#rrggbb"; "" where nothing is said or can be read.
type Seen struct {
	Background string            // of the page
	Dark       string            // of the page where the device prefers dark; the same as Background for pages that do not change
	Header     string            // of the bar at its top
	Properties map[string]string // custom properties of the root by name, with the leading dashes, as written
}

// See reads the colours of the start page.
func See(inv *survey.Inventory) Seen {
	s := Seen{Properties: map[string]string{}}
	if inv.Start == nil {
		return s
	}
	root, err := html.Parse(bytes.NewReader([]byte(markup.Decode(inv.StartBytes, ""))))
	if err != nil {
		return s
	}
	text := styles(inv)
	page := first(root, func(n *html.Node) bool { return n.DataAtom == atom.Html })
	body := first(root, func(n *html.Node) bool { return n.DataAtom == atom.Body })
	see := func(dark bool, properties map[string]string) (*cascade, string) {
		rules := markup.StyleRules(text, dark)
		c := &cascade{rules: rules[:min(len(rules), maxRules)], parsed: map[string][]selector.Selector{}}
		for _, n := range []*html.Node{page, body} {
			c.properties(n, properties)
		}
		for _, n := range []*html.Node{body, page} {
			if b := Resolve(c.background(n), properties); b != "" {
				return c, b
			}
		}
		return c, ""
	}
	_, s.Dark = see(true, map[string]string{})
	c, background := see(false, s.Properties)
	s.Background = background
	for _, n := range bars(body) {
		if s.Header == "" {
			s.Header = Resolve(c.background(n), s.Properties)
		}
	}
	return s
}

// bars gives the elements that may be the bar at the top of a page, the likeliest first: the header, or the navigation, and what it begins with.
func bars(body *html.Node) []*html.Node {
	at := first(body, func(n *html.Node) bool { return n.DataAtom == atom.Header || attribute(n, "role") == "banner" })
	if at == nil {
		at = first(body, func(n *html.Node) bool { return n.DataAtom == atom.Nav })
	}
	var out []*html.Node
	for n := at; n != nil && len(out) < 3; n = first(n.FirstChild, func(*html.Node) bool { return true }) {
		out = append(out, n)
	}
	if at != nil && at.Parent != nil && at.Parent.DataAtom != atom.Body { // the bar may be what it stands in
		out = append(out, at.Parent)
	}
	return out
}

// first gives the first element, in the order of the document, of a node and what stands behind and in it.
func first(n *html.Node, is func(*html.Node) bool) *html.Node {
	for ; n != nil; n = n.NextSibling {
		if n.Type == html.ElementNode && is(n) {
			return n
		}
		if found := first(n.FirstChild, is); found != nil {
			return found
		}
	}
	return nil
}

func attribute(n *html.Node, name string) string {
	for _, a := range n.Attr {
		if a.Key == name {
			return a.Val
		}
	}
	return ""
}

// cascade decides which declaration counts (CSS Cascading and Inheritance, "cascading"), as far as layers, specificity and order go.
type cascade struct {
	rules  []markup.StyleRule
	parsed map[string][]selector.Selector
	steps  int // of matches, up to maxSteps
}

// maxSteps bounds the work of matching: a selector of a hostile sheet can be matched in very many ways.
const maxSteps = 2_000_000

// spend counts steps of a match, and says whether there may be more.
func (c *cascade) spend(steps int) bool {
	c.steps += steps
	return c.steps <= maxSteps
}

// weight is what a declaration counts; of equal ones the later.
type weight struct {
	unlayered bool
	cascadia.Specificity
}

func (w weight) less(o weight) bool {
	if w.unlayered != o.unlayered {
		return o.unlayered
	}
	return w.Specificity.Less(o.Specificity)
}

// matches gives the highest weight of the rule's selectors that match an element.
func (c *cascade) matches(r *markup.StyleRule, n *html.Node) (w weight, ok bool) {
	list, known := c.parsed[r.Selectors]
	if !known {
		list, _ = selector.Parse(r.Selectors)
		c.parsed[r.Selectors] = list
	}
	for i := range list {
		sel := &list[i]
		if x := (weight{!r.Layered, sel.Counts}); sel.PseudoElement() == "" && sel.MatchWithin(n, c.spend) && (!ok || w.less(x)) {
			w, ok = x, true
		}
	}
	return w, ok
}

// background gives the background that an element has, as written.
func (c *cascade) background(n *html.Node) string {
	if n == nil {
		return ""
	}
	for _, r := range markup.StyleRules([]byte("x{"+attribute(n, "style")+"}"), false) {
		if r.Background != "" {
			return r.Background
		}
	}
	value, best := "", weight{}
	for i := range c.rules {
		if r := &c.rules[i]; r.Background != "" {
			if w, ok := c.matches(r, n); ok && !w.less(best) {
				value, best = r.Background, w
			}
		}
	}
	return value
}

// properties adds the custom properties that an element has.
func (c *cascade) properties(n *html.Node, out map[string]string) {
	if n == nil {
		return
	}
	best := map[string]weight{}
	for i := range c.rules {
		r := &c.rules[i]
		if len(r.Properties) == 0 {
			continue
		}
		if w, ok := c.matches(r, n); ok {
			for _, name := range slices.Sorted(maps.Keys(r.Properties)) {
				if !w.less(best[name]) {
					out[name], best[name] = r.Properties[name], w
				}
			}
		}
	}
}

// Resolve gives the opaque colour that a value names, as "#rrggbb": itself, by a custom property, or among other words; "" when
// there is none.
func Resolve(value string, properties map[string]string) string {
	for range 4 {
		name, ok := strings.CutPrefix(strings.TrimSpace(value), "var(")
		if !ok {
			break
		}
		name, fallback, _ := strings.Cut(strings.TrimSuffix(name, ")"), ",")
		if value = properties[strings.TrimSpace(name)]; value == "" {
			value = fallback
		}
	}
	if rest := inside.FindStringSubmatch(value); rest != nil { // rgb(1 2 3/var(--alpha, 1)), as utilities write it
		value = strings.Replace(value, rest[0], cmp.Or(properties[rest[1]], rest[2], "1"), 1)
	}
	for _, f := range append([]string{value}, strings.Fields(value)...) {
		if c, ok := csscolor.Parse(f); ok && c.A == 255 {
			return c.Hex()
		}
	}
	return ""
}

// inside matches a custom property inside of a colour function.
var inside = regexp.MustCompile(`var\(\s*(--[\w-]+)\s*(?:,\s*([\d.%]+))?\s*\)`)
