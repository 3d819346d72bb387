// Package selector reads lists of CSS selectors, with what each counts.
package selector

import (
	"regexp"
	"strings"

	"github.com/andybalholm/cascadia"
)

// Selector is what is matched, and what it counts (Selectors, "calculating a selector's specificity"): :where() nothing, :is() its most specific one.
type Selector struct {
	cascadia.Sel
	Counts cascadia.Specificity
	Key    string // what an element has that it can match: "#id", ".class" or "name"; "" when that is not known
}

var (
	either = regexp.MustCompile(`:(is|where)\(([^()]*)\)`)
	moment = regexp.MustCompile(`:(?:hover|active|focus|focus-within|focus-visible|visited|target)\b`)
	hidden = regexp.MustCompile(`:not\([^()]*:(?:hover|active|focus|focus-within|focus-visible|visited|target)\b[^()]*\)`)
	last   = regexp.MustCompile(`(?:^|[\s>+~])([^\s>+~]+)$`)
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
		x := Selector{Sel: sel, Counts: sel.Specificity(), Key: key(s.matched)}
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

// key gives what the last compound of a selector asks of an element first.
func key(s string) string {
	s, _, _ = strings.Cut(single.ReplaceAllString(strings.TrimSpace(s), "$1::$2"), "::")
	m := last.FindStringSubmatch(s)
	if m == nil {
		return ""
	}
	compound, _, _ := strings.Cut(m[1], ":")
	compound, _, _ = strings.Cut(compound, "[")
	k := keyOf.FindStringSubmatch(compound)
	switch {
	case k == nil || strings.ContainsAny(s, `()"'\`):
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

// alternatives splits a list of selectors, and writes out what :is() and :where() stand for.
func alternatives(list string) []alternative {
	var out []alternative
	depth, from := 0, 0
	for i, r := range list + "," {
		switch {
		case r == '(':
			depth++
		case r == ')':
			depth--
		case r == ',' && depth == 0:
			out = append(out, alternative{list[from:i], list[from:i]})
			from = i + 1
		}
	}
	for i := 0; i < len(out) && len(out) < maxAlternatives; i++ {
		for m := either.FindStringSubmatchIndex(out[i].matched); m != nil && len(out) < maxAlternatives; m = either.FindStringSubmatchIndex(out[i].matched) {
			whole, counted := out[i].matched, uncounted(out[i].counted)
			for n, inner := range strings.Split(whole[m[4]:m[5]], ",") {
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
