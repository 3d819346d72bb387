// Package selector reads lists of CSS selectors, with what each counts.
package selector

import (
	"regexp"
	"strings"

	"github.com/andybalholm/cascadia"
	"golang.org/x/net/html"
)

// Selector is what is matched, and what it counts (Selectors, "calculating a selector's specificity"): :where() nothing, :is() its most specific one.
type Selector struct {
	cascadia.Sel
	Counts cascadia.Specificity
	Key    string // what an element has that it can match: "#id", ".class" or "name"; "" when that is not known

	parts []part // from the right to the left
}

// part is a compound of a selector.
type part struct {
	compound cascadia.Sel
	text     string
	before   byte // the combinator between it and the compound on its left: ' ', '>', '+' or '~'; 0 for none
	cost     int  // in steps
}

var (
	either = regexp.MustCompile(`:(is|where)\(([^()]*)\)`)
	moment = regexp.MustCompile(`:(?:hover|active|focus|focus-within|focus-visible|visited|target)\b`)
	hidden = regexp.MustCompile(`:not\([^()]*:(?:hover|active|focus|focus-within|focus-visible|visited|target)\b[^()]*\)`)
	keyOf  = regexp.MustCompile(`^([\w-]*)((?:[.#][\w-]+)*)$`)
)

// Parse reads the selectors of a list. What is not understood, or is only for a moment, is left out; whole says whether all was understood.
func Parse(list string) (out []Selector, whole bool) {
	whole = true
	for _, s := range alternatives(list) {
		s.matched, s.counted = hidden.ReplaceAllString(s.matched, ""), hidden.ReplaceAllString(s.counted, "")
		if moment.MatchString(s.matched) {
			continue
		}
		sel, err := read(s.matched)
		if err != nil {
			whole = false
			continue
		}
		x := Selector{Sel: sel, Counts: sel.Specificity(), parts: compounds(s.matched)}
		if x.parts == nil {
			whole = false
			continue
		}
		x.Key = key(x.parts[0].text)
		if s.counted != s.matched {
			if counted, err := read(s.counted); err == nil {
				x.Counts = counted.Specificity()
			}
		}
		out = append(out, x)
	}
	return out, whole
}

func read(text string) (cascadia.Sel, error) {
	text = strings.ReplaceAll(strings.TrimSpace(text), ":host", ":root")
	return cascadia.ParseWithPseudoElement(single.ReplaceAllString(text, "$1::$2"))
}

// single matches pseudo-elements as they were written once.
var single = regexp.MustCompile(`(^|[^:]):(before|after|first-line|first-letter)\b`)

// key gives what a compound asks of an element first.
func key(compound string) string {
	compound, _, _ = strings.Cut(compound, ":")
	compound, _, _ = strings.Cut(compound, "[")
	k := keyOf.FindStringSubmatch(compound)
	switch {
	case k == nil:
		return ""
	case strings.Contains(k[2], "#"):
		id := k[2][strings.Index(k[2], "#"):]
		if i := strings.IndexAny(id[1:], ".#"); i >= 0 {
			id = id[:i+1]
		}
		return id
	case k[2] != "":
		class := k[2]
		if i := strings.IndexByte(class[1:], '.'); i >= 0 {
			class = class[:i+1]
		}
		return class
	}
	return strings.ToLower(k[1])
}

// alternative is one of the selectors that a list stands for.
type alternative struct {
	matched string // without :is() and :where()
	counted string // another one of the same specificity
}

// maxAlternatives bounds what :is() and :where() multiply to.
const maxAlternatives = 64

// Parts parts a list of selectors at its commas, and not at those in brackets and quotes.
func Parts(list string) (out []string) {
	depth, from, quote := 0, 0, byte(0)
	for i := 0; i < len(list); i++ {
		switch c := list[i]; {
		case c == '\\':
			i++
		case quote != 0:
			if c == quote {
				quote = 0
			}
		case c == '"' || c == '\'':
			quote = c
		case c == '(' || c == '[':
			depth++
		case c == ')' || c == ']':
			depth = max(0, depth-1)
		case c == ',' && depth == 0:
			out = append(out, list[from:i])
			from = i + 1
		}
	}
	return append(out, list[from:])
}

// alternatives splits a list of selectors, and writes out what :is() and :where() stand for.
func alternatives(list string) []alternative {
	var out []alternative
	for _, s := range Parts(list) {
		out = append(out, alternative{s, s})
	}
	for i := 0; i < len(out) && len(out) < maxAlternatives; i++ {
		for m := either.FindStringSubmatchIndex(out[i].matched); m != nil && len(out) < maxAlternatives; m = either.FindStringSubmatchIndex(out[i].matched) {
			whole, counted := out[i].matched, uncounted(out[i].counted)
			for n, inner := range Parts(whole[m[4]:m[5]]) {
				one := alternative{whole[:m[0]] + strings.TrimSpace(inner) + whole[m[1]:], counted}
				if n == 0 {
					out[i] = one
				} else {
					out = append(out, one)
				}
			}
		}
	}
	return out
}

// uncounted puts what counts as much in the place of the first :is() or :where().
func uncounted(s string) string {
	m := either.FindStringSubmatchIndex(s)
	if m == nil {
		return s
	}
	counts := ""
	if s[m[2]:m[3]] == "is" {
		var best cascadia.Specificity
		for _, inner := range strings.Split(s[m[4]:m[5]], ",") {
			if sel, err := read(inner); err == nil && (counts == "" || best.Less(sel.Specificity())) {
				counts, best = strings.TrimSpace(inner), sel.Specificity()
			}
		}
	}
	before := s[:m[0]]
	if counts == "" && strings.TrimRight(before, " >+~") != before || counts == "" && before == "" {
		counts = "*"
	}
	return before + counts + s[m[1]:]
}

// compounds parts a selector, nil when it cannot be parted.
func compounds(s string) []part {
	var out []part
	text := strings.TrimSpace(s)
	depth, end := 0, len(text)
	add := func(from int, before byte) bool {
		c := strings.TrimSpace(text[from:end])
		sel, err := read(c)
		if err != nil || c == "" {
			return false
		}
		p := part{sel, c, before, 1}
		switch {
		case strings.Count(c, ":has(") > 1 || strings.Contains(c, ":has(") && strings.Contains(c, ":not("):
			return false // what it costs nobody knows
		case strings.Contains(c, ":has("):
			p.cost = 2000
		case strings.Contains(c, ":nth-") || strings.Contains(c, ":last-") || strings.Contains(c, ":only-"):
			p.cost = 50
		}
		out = append(out, p)
		return true
	}
	for i := len(text) - 1; i >= 0; i-- {
		switch c := text[i]; {
		case c == ')' || c == ']':
			depth++
		case c == '(' || c == '[':
			depth--
		case depth > 0:
		case c == '>' || c == '+' || c == '~' || c == ' ' || c == '\t' || c == '\n':
			from, combinator := i, byte(' ') // white space around another combinator belongs to it
			for ; from >= 0 && strings.IndexByte(" \t\n>+~", text[from]) >= 0; from-- {
				if b := text[from]; b == '>' || b == '+' || b == '~' {
					combinator = b
				}
			}
			if !add(i+1, combinator) {
				return nil
			}
			end, i = from+1, from+1
		}
	}
	if depth != 0 || !add(0, 0) {
		return nil
	}
	return out
}

// MatchWithin says whether an element is matched. spend is told of every step, and says whether there may be more; where there may not, nothing is matched.
func (s *Selector) MatchWithin(n *html.Node, spend func(steps int) bool) bool {
	return match(s.parts, n, spend)
}

func match(parts []part, n *html.Node, spend func(steps int) bool) bool {
	if !spend(parts[0].cost) || n.Type != html.ElementNode || !parts[0].compound.Match(n) {
		return false
	}
	if len(parts) == 1 {
		return true
	}
	next := func(n *html.Node) *html.Node { return n.Parent }
	if c := parts[0].before; c == '+' || c == '~' {
		next = func(n *html.Node) *html.Node {
			for n = n.PrevSibling; n != nil && n.Type != html.ElementNode; n = n.PrevSibling {
			}
			return n
		}
	}
	for p := next(n); p != nil; p = next(p) {
		if match(parts[1:], p, spend) {
			return true
		}
		if c := parts[0].before; c == '>' || c == '+' || !spend(0) {
			return false
		}
	}
	return false
}
