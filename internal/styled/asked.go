package styled

import (
	"slices"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/selector"
)

// Bounds of a search: beyond them everything counts as asked for.
const (
	maxDepth = 2000
	maxSteps = 5_000_000 // compounds of selectors that are held against an element
)

// Asked gives for each style sheet which of its addresses, as written, are asked for by what a document shows; fonts that are for some characters only are
// among them, whatever is written. nil when the document or its sheets are too large to tell.
func Asked(doc *html.Node, sheets []*Sheet) []map[string]bool {
	c := &cascade{sheets: sheets, buckets: map[string][]candidate{}, out: make([]map[string]bool, len(sheets))}
	order := 0
	for i, s := range sheets {
		c.out[i] = map[string]bool{}
		for _, u := range s.always {
			c.out[i][u] = true
		}
		for j := range s.rules {
			for _, x := range s.rules[j].selectors {
				c.buckets[x.Key] = append(c.buckets[x.Key], candidate{x, i, order, &s.rules[j]})
			}
			order++
		}
	}
	c.walk(doc, inherited{weight: 400}, 0)
	if c.over {
		return nil
	}
	return c.out
}

// candidate is a selector of a rule, and where the rule stands.
type candidate struct {
	selector.Selector
	sheet, order int
	rule         *rule
}

type cascade struct {
	sheets  []*Sheet
	buckets map[string][]candidate
	out     []map[string]bool
	steps   int
	over    bool
}

// inherited is what an element takes over from the one around it.
type inherited struct {
	family    string
	weight    int
	italic    bool
	variables map[string]valued
}

// valued is a value and the sheet that it stands in; -1 is a style attribute.
type valued struct {
	value string
	sheet int
}

// winner is the declaration that counts so far.
type winner struct {
	valued
	important, unlayered, inline bool
	counts                       cascadia.Specificity
	order                        int
}

// less says whether a declaration gives way to another (CSS Cascading and Inheritance, "cascade sorting order").
func (w *winner) less(o *winner) bool {
	switch {
	case w.important != o.important:
		return o.important
	case w.inline != o.inline:
		return o.inline
	case w.unlayered != o.unlayered:
		return o.unlayered != w.important // of important ones those in layers count
	case w.counts != o.counts:
		return w.counts.Less(o.counts)
	}
	return w.order <= o.order
}

// style is what counts for an element or a pseudo-element, by property.
type style map[string]winner

func (s style) take(d declaration, w winner) {
	group := pictured[d.property]
	switch {
	case group != "":
	case d.property == "font":
		for _, one := range shorthand(d.value) {
			w.value = one.value
			s.put(one.property, w)
		}
		return
	default:
		group = d.property
	}
	w.value = d.value
	s.put(group, w)
}

func (s style) put(group string, w winner) {
	if old, ok := s[group]; !ok || old.less(&w) {
		s[group] = w
	}
}

// spend counts the steps of a match, and says whether there may be more.
func (c *cascade) spend(steps int) bool {
	c.steps += steps
	c.over = c.over || c.steps > maxSteps
	return !c.over
}

func (c *cascade) walk(n *html.Node, from inherited, depth int) {
	if c.over = c.over || depth > maxDepth; c.over {
		return
	}
	if n.Type == html.ElementNode {
		if n.Data == "template" || n.Data == "script" || n.Data == "style" || n.Data == "noscript" || n.Data == "head" {
			return
		}
		var shown bool
		if from, shown = c.element(n, from); !shown {
			return
		}
	}
	closed := n.Type == html.ElementNode && n.Data == "details" && !has(n, "open")
	for k := n.FirstChild; k != nil; k = k.NextSibling {
		if !closed || k.Type == html.ElementNode && k.Data == "summary" {
			c.walk(k, from, depth+1)
		}
	}
}

// element notes what an element asks for, and gives what its children inherit; shown is false when it has no box.
func (c *cascade) element(n *html.Node, from inherited) (to inherited, shown bool) {
	styles := map[string]style{"": {}}
	try := func(list []candidate) {
		for i := range list {
			x := &list[i]
			if !x.MatchWithin(n, c.spend) {
				continue
			}
			pseudo := x.PseudoElement()
			if styles[pseudo] == nil {
				styles[pseudo] = style{}
			}
			for _, d := range x.rule.set {
				styles[pseudo].take(d, winner{valued: valued{sheet: x.sheet}, important: d.important, unlayered: !x.rule.layered, counts: x.Counts, order: x.order})
			}
		}
	}
	try(c.buckets[""])
	try(c.buckets[n.Data])
	hidden, inputType, text := false, "", false
	for _, a := range n.Attr {
		switch a.Key {
		case "id":
			try(c.buckets["#"+a.Val])
		case "class":
			for _, k := range slices.Compact(strings.Fields(a.Val)) {
				try(c.buckets["."+k])
			}
		case "style":
			for _, d := range inlineStyle(a.Val) {
				styles[""].take(d, winner{valued: valued{sheet: -1}, important: d.important, inline: true, unlayered: true})
			}
		case "hidden":
			hidden = a.Val != "until-found"
		case "type":
			inputType = strings.ToLower(a.Val)
		case "value", "placeholder":
			text = text || n.Data == "input" && strings.TrimSpace(a.Val) != ""
		}
	}
	own := styles[""]
	if d, set := own["display"]; set && d.value == "none" || !set && (hidden || n.Data == "datalist" || n.Data == "input" && inputType == "hidden" || n.Data == "dialog" && !has(n, "open")) {
		return from, false
	}
	to = from
	mine := false // whether the variables are the element's own
	for name, w := range own {
		if strings.HasPrefix(name, "--") {
			if !mine {
				to.variables, mine = cloned(from.variables), true
			}
			to.variables[name] = w.valued
		}
	}
	to.font(n.Data, own)
	c.asks(own, to)
	for k := n.FirstChild; k != nil && !text; k = k.NextSibling {
		text = k.Type == html.TextNode && strings.TrimSpace(k.Data) != ""
	}
	if text {
		c.fonts(to)
	}
	for pseudo, s := range styles {
		if pseudo == "" || pseudo == "selection" {
			continue
		}
		content := s["content"].value
		if pseudo == "before" || pseudo == "after" {
			if content == "" || content == "none" || content == "normal" {
				continue
			}
		}
		c.asks(s, to)
		if pseudo == "before" || pseudo == "after" {
			if !strings.HasPrefix(content, "url(") { // of an empty text, too (measured in Chromium)
				inner := to
				inner.font("", s)
				c.fonts(inner)
			}
		}
	}
	return to, true
}

func has(n *html.Node, name string) bool {
	return slices.ContainsFunc(n.Attr, func(a html.Attribute) bool { return a.Key == name })
}

// asks notes the pictures of a style.
func (c *cascade) asks(s style, in inherited) {
	for group, w := range s {
		if !strings.HasPrefix(group, "--") && group != "display" && !strings.HasPrefix(group, "font") {
			steps := maxTaken
			c.ask(w.valued, in.variables, &steps)
		}
	}
}

// ask notes the addresses of a value, and of the variables that it takes.
func (c *cascade) ask(v valued, variables map[string]valued, steps *int) {
	if v.sheet >= 0 {
		for _, u := range addresses(v.value) {
			c.out[v.sheet][u] = true
		}
	}
	for rest := v.value; *steps > 0; {
		i := strings.Index(rest, "var(")
		if i < 0 {
			return
		}
		rest = rest[i+len("var("):]
		end := strings.IndexAny(rest, ",)")
		if end < 0 {
			return
		}
		if x, ok := variables[strings.TrimSpace(rest[:end])]; ok {
			*steps--
			c.ask(x, variables, steps)
		}
	}
}

func cloned(m map[string]valued) map[string]valued {
	out := make(map[string]valued, len(m)+4)
	for k, v := range m {
		out[k] = v
	}
	return out
}
