// Package styled tells which pictures and fonts a browser asks for by the style sheets of a document: those of rules that win on something shown.
package styled

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/selector"
)

// Sheet is a style sheet, as far as it decides what is asked for.
type Sheet struct {
	rules  []rule
	faces  []face
	always []string // addresses of which it is not known whether they are asked for
}

// rule is a rule whose condition holds.
type rule struct {
	selectors []selector.Selector
	layered   bool
	set       []declaration
}

type declaration struct {
	property, value string
	important       bool
}

// face is an @font-face rule.
type face struct {
	family   string // in lower case
	from, to int    // weights
	italic   bool
	ranged   bool // it is for some characters only
	urls     []string
}

// pictured are the properties by which pictures are asked for, by the shorthand that decides on them.
var pictured = map[string]string{
	"background": "background", "background-image": "background", "list-style": "list-style", "list-style-image": "list-style", "border-image": "border-image", "border-image-source": "border-image",
	"mask": "mask", "mask-image": "mask", "-webkit-mask": "mask", "-webkit-mask-image": "mask", "cursor": "cursor", "content": "content", "shape-outside": "shape-outside", "-webkit-box-reflect": "-webkit-box-reflect",
	"-webkit-border-image": "border-image", "border": "border-image",
}

// unasked are properties whose addresses browsers do not ask for: those of filters and clips elsewhere (measured in Chromium).
var unasked = []string{"filter", "backdrop-filter", "clip-path", "behavior", "-ms-filter", "marker", "marker-start", "marker-mid", "marker-end", "fill", "stroke"}

// plain are the other properties that matter.
var plain = []string{"display", "font", "font-family", "font-weight", "font-style"}

// Read reads a style sheet for a screen of a size in CSS px.
func Read(src []byte, width, height int) *Sheet {
	s := &Sheet{}
	if !slices.ContainsFunc([]string{"url(", "URL(", "image-set(", "font", "display", "background", "content"}, func(w string) bool { return bytes.Contains(src, []byte(w)) }) {
		return s // nothing in it decides
	}
	p := css.NewParser(parse.NewInputBytes(bytes.Clone(src)), false)
	var around []string // the at-rules, as written
	var open []string   // selector lists of the rules that are open
	var known []bool    // their selectors are understood
	var set [][]declaration
	selectors := ""
	holds := func() bool {
		return !slices.ContainsFunc(around, func(a string) bool { return !met(a, width, height) })
	}
	within := func(name string) bool {
		return slices.ContainsFunc(around, func(a string) bool { return strings.HasPrefix(a, name) || strings.HasPrefix(a, "@-webkit-"+name[1:]) })
	}
	end := func() {
		n := len(open) - 1
		if n < 0 {
			return
		}
		if len(set[n]) > 0 && holds() && !within("@keyframes") {
			list, whole := selector.Parse(open[n])
			if whole && known[n] {
				s.rules = append(s.rules, rule{list, within("@layer"), set[n]})
			} else { // what cannot be matched may be shown
				for _, d := range set[n] {
					s.always = append(s.always, addresses(d.value)...)
				}
				s.rules = append(s.rules, rule{list, within("@layer"), set[n]})
			}
		}
		open, known, set = open[:n], known[:n], set[:n]
	}
	for {
		gt, _, data := p.Next()
		switch gt {
		case css.ErrorGrammar:
			for len(open) > 0 {
				end()
			}
			return s
		case css.BeginAtRuleGrammar:
			around = append(around, strings.ToLower(string(data)+" "+written(p.Values())))
			if strings.EqualFold(string(data), "@font-face") {
				s.faces = append(s.faces, face{from: 400, to: 400})
			}
		case css.EndAtRuleGrammar:
			around = around[:max(0, len(around)-1)]
		case css.QualifiedRuleGrammar:
			selectors += written(p.Values()) + ","
		case css.BeginRulesetGrammar:
			list := selectors + written(p.Values())
			selectors = ""
			ok := true
			if n := len(open); n > 0 {
				if list, ok = nested(open[n-1], list); !known[n-1] {
					list, ok = "", false
				}
			}
			open, known, set = append(open, list), append(known, ok), append(set, nil)
		case css.EndRulesetGrammar:
			selectors = ""
			end()
		case css.DeclarationGrammar, css.CustomPropertyGrammar:
			d := declared(string(data), p.Values())
			switch n := len(open) - 1; {
			case within("@font-face") && len(s.faces) > 0:
				s.faces[len(s.faces)-1].describe(d)
			case within("@keyframes") || n < 0:
				if holds() {
					s.always = append(s.always, addresses(d.value)...)
				}
			case pictured[d.property] != "" || slices.Contains(plain, d.property) || strings.HasPrefix(d.property, "--"):
				set[n] = append(set[n], d)
			case !slices.Contains(unasked, d.property) && holds():
				s.always = append(s.always, addresses(d.value)...)
			}
		}
	}
}

// maxSelectors bounds the selectors of a rule inside of others, in bytes: those around it are written into them, as often as they are named.
const maxSelectors = 64 << 10

// nested writes the selectors of a rule inside of another (CSS Nesting); ok is false when they become too long to be understood.
func nested(outer, inner string) (string, bool) {
	outer = ":is(" + strings.TrimSpace(outer) + ")"
	var out []string
	size := 0
	for _, s := range selector.Parts(inner) {
		s = strings.TrimSpace(s)
		if n := strings.Count(s, "&"); n > 0 {
			if n*len(outer) > maxSelectors {
				return "", false
			}
			s = strings.ReplaceAll(s, "&", outer)
		} else {
			s = outer + " " + s
		}
		if size += len(s); size > maxSelectors {
			return "", false
		}
		out = append(out, s)
	}
	return strings.Join(out, ","), true
}

func written(values []css.Token) string {
	var b strings.Builder
	for _, v := range values {
		b.Write(v.Data)
	}
	return strings.TrimSpace(b.String())
}

func declared(name string, values []css.Token) declaration {
	d := declaration{property: name, value: written(values)}
	if !strings.HasPrefix(name, "--") {
		d.property = strings.ToLower(name)
	}
	if v, ok := strings.CutSuffix(strings.TrimRight(d.value, " "), "important"); ok {
		if v, ok = strings.CutSuffix(strings.TrimRight(v, " "), "!"); ok {
			d.value, d.important = strings.TrimSpace(v), true
		}
	}
	return d
}

// addresses gives what a value asks for on a screen with one pixel for each CSS px.
func addresses(value string) []string {
	if !strings.Contains(value, "(") {
		return nil
	}
	var out []string
	for _, r := range markup.StyleRefs([]byte("x{background:"+value+"}"), 0) {
		if !r.Dense && !r.Spare {
			out = append(out, r.URL)
		}
	}
	return out
}

// describe takes a descriptor of a face (CSS Fonts 4, "font description descriptors").
func (f *face) describe(d declaration) {
	v := strings.ToLower(d.value)
	switch d.property {
	case "font-family":
		f.family = unquoted(v)
	case "font-style":
		f.italic = strings.HasPrefix(v, "italic") || strings.HasPrefix(v, "oblique")
	case "font-weight":
		words := strings.Fields(v)
		for i, w := range words[:min(2, len(words))] {
			if n := weightOf(w, 400); i == 0 {
				f.from, f.to = n, n
			} else {
				f.to = n
			}
		}
	case "unicode-range":
		f.ranged = true
	case "src":
		f.urls = nil
		for _, r := range markup.StyleRefs([]byte("@font-face{src:"+d.value+"}"), 0) {
			if !r.Spare {
				f.urls = append(f.urls, r.URL)
			}
		}
	}
}

func unquoted(s string) string { return strings.Trim(strings.TrimSpace(s), `"'`) }

// weightOf reads a font weight, relative to another.
func weightOf(s string, inherited int) int {
	switch s {
	case "normal":
		return 400
	case "bold":
		return 700
	case "bolder":
		switch {
		case inherited < 350:
			return 400
		case inherited < 550:
			return 700
		}
		return 900
	case "lighter":
		switch {
		case inherited < 550:
			return 100
		case inherited < 750:
			return 400
		}
		return 700
	}
	if n, err := strconv.ParseFloat(s, 64); err == nil && n >= 1 && n <= 1000 {
		return int(n)
	}
	return inherited
}
