package styled

import (
	"bytes"
	"slices"
	"strings"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/css"
)

// What browsers' own sheets say of fonts (HTML Standard, "Rendering").
var (
	bolder    = []string{"b", "strong", "h1", "h2", "h3", "h4", "h5", "h6", "th", "optgroup"}
	slanted   = []string{"i", "em", "cite", "dfn", "var", "address"}
	mono      = []string{"code", "kbd", "samp", "pre", "tt"}
	controls  = []string{"button", "input", "select", "textarea"}
	generic   = []string{"serif", "sans-serif", "monospace", "cursive", "fantasy", "system-ui", "ui-serif", "ui-sans-serif", "ui-monospace", "ui-rounded", "math", "emoji", "fangsong", "-apple-system", "blinkmacsystemfont"}
	taken     = []string{"inherit", "unset", "revert", "revert-layer"}
	systemOne = []string{"caption", "icon", "menu", "message-box", "small-caption", "status-bar"}
)

// font takes over what a style says of an element's font.
func (f *inherited) font(name string, s style) {
	switch {
	case slices.Contains(controls, name):
		f.family, f.weight, f.italic = "system-ui", 400, false
	case slices.Contains(mono, name):
		f.family = "monospace"
	case slices.Contains(bolder, name):
		f.weight = weightOf("bolder", f.weight)
	case slices.Contains(slanted, name):
		f.italic = true
	}
	value := func(property string) string {
		w, ok := s[property]
		if !ok {
			return ""
		}
		steps := maxTaken
		v := strings.ToLower(substituted(w.value, f.variables, &steps))
		if slices.Contains(taken, v) {
			return ""
		}
		return v
	}
	if v := value("font-family"); v != "" {
		f.family = v
	}
	if v := value("font-weight"); v != "" {
		f.weight = weightOf(v, f.weight)
	}
	if v := value("font-style"); v != "" {
		f.italic = strings.HasPrefix(v, "italic") || strings.HasPrefix(v, "oblique")
	}
}

// maxTaken is how many variables one value may come to take, and maxValue how long it may get, in bytes.
const (
	maxTaken = 50
	maxValue = 4 << 10
)

// substituted puts the values of variables into a value, as far as there are steps left.
func substituted(value string, variables map[string]valued, steps *int) string {
	for ; *steps > 0; *steps-- {
		i := strings.Index(value, "var(")
		if i < 0 {
			break
		}
		end, open := i+len("var("), 1
		for ; end < len(value) && open > 0; end++ {
			switch value[end] {
			case '(':
				open++
			case ')':
				open--
			}
		}
		if open > 0 {
			break
		}
		name, fallback, _ := strings.Cut(value[i+len("var("):end-1], ",")
		with := strings.TrimSpace(fallback)
		if v, ok := variables[strings.TrimSpace(name)]; ok {
			*steps--
			with = substituted(v.value, variables, steps)
		}
		if len(value)+len(with) > maxValue {
			break
		}
		value = value[:i] + with + value[end:]
	}
	return strings.TrimSpace(value)
}

// shorthand takes the parts of a font shorthand that matter (CSS Fonts 4, "font").
func shorthand(value string) []declaration {
	words := strings.Fields(value)
	weight, slope := "normal", "normal"
	for i, w := range words {
		low := strings.ToLower(w)
		switch {
		case low == "bold" || low == "bolder" || low == "lighter" || len(low) == 3 && low[0] >= '1' && low[0] <= '9' && strings.HasSuffix(low, "00"):
			weight = low
		case low == "italic" || low == "oblique":
			slope = low
		case low == "normal" || strings.HasSuffix(low, "-caps") || strings.HasSuffix(low, "-condensed") || strings.HasSuffix(low, "-expanded") || low == "condensed" || low == "expanded":
		case len(words) == 1:
			if slices.Contains(systemOne, low) {
				return []declaration{{property: "font-family", value: "system-ui"}, {property: "font-weight", value: "normal"}, {property: "font-style", value: "normal"}}
			}
			return []declaration{{property: "font-family", value: value}, {property: "font-weight", value: value}, {property: "font-style", value: value}} // inherit, or a variable
		default: // the size, perhaps with "/" and a line height behind it
			rest := words[i+1:]
			if strings.HasSuffix(w, "/") && len(rest) > 0 {
				rest = rest[1:]
			} else if len(rest) > 0 && strings.HasPrefix(rest[0], "/") {
				if rest[0] == "/" && len(rest) > 1 {
					rest = rest[1:]
				}
				rest = rest[1:]
			}
			return []declaration{{property: "font-family", value: strings.Join(rest, " ")}, {property: "font-weight", value: weight}, {property: "font-style", value: slope}}
		}
	}
	return nil
}

// inlineStyle reads a style attribute.
func inlineStyle(value string) []declaration {
	var out []declaration
	p := css.NewParser(parse.NewInputBytes(bytes.Clone([]byte(value))), true)
	for {
		switch gt, _, data := p.Next(); gt {
		case css.ErrorGrammar:
			return out
		case css.DeclarationGrammar, css.CustomPropertyGrammar:
			if d := declared(string(data), p.Values()); pictured[d.property] != "" || slices.Contains(plain, d.property) || strings.HasPrefix(d.property, "--") {
				out = append(out, d)
			}
		}
	}
}

// fonts notes the faces that a text in a font takes (CSS Fonts 4, "font matching algorithm").
func (c *cascade) fonts(f inherited) {
	for _, name := range strings.Split(f.family, ",") {
		name = unquoted(name)
		if slices.Contains(generic, name) {
			return
		}
		if c.faces(name, f.weight, f.italic) {
			return
		}
	}
}

// faces notes those of a family that are nearest to a weight and slope; false when there is no such family.
func (c *cascade) faces(family string, weight int, italic bool) bool {
	type found struct {
		sheet int
		face  *face
	}
	var all []found
	for i, s := range c.sheets {
		for j := range s.faces {
			if s.faces[j].family == family {
				all = append(all, found{i, &s.faces[j]})
			}
		}
	}
	if len(all) == 0 {
		return false
	}
	sloped := slices.DeleteFunc(slices.Clone(all), func(x found) bool { return x.face.italic != italic })
	if len(sloped) > 0 {
		all = sloped
	}
	best := -1
	for _, x := range all {
		if d := distance(x.face, weight); best < 0 || d < best {
			best = d
		}
	}
	last := -1 // of faces for all characters the one that stands last is taken
	for i, x := range all {
		switch {
		case distance(x.face, weight) != best:
		case x.face.ranged:
			for _, u := range x.face.urls {
				c.out[x.sheet][u] = true
			}
		default:
			last = i
		}
	}
	if last >= 0 {
		for _, u := range all[last].face.urls {
			c.out[all[last].sheet][u] = true
		}
	}
	return true
}

// distance orders faces by how near their weights are to one that is wanted: the smaller the nearer.
func distance(f *face, want int) int {
	low, high := min(f.from, f.to), max(f.from, f.to)
	switch {
	case low <= want && want <= high:
		return 0
	case want >= 400 && want <= 500:
		switch {
		case low > want && low <= 500:
			return low - want
		case high < want:
			return 1000 + want - high
		}
		return 2000 + low - want
	case want < 400:
		if high < want {
			return want - high
		}
		return 1000 + low - want
	}
	if low > want {
		return low - want
	}
	return 1000 + want - high
}
