package stage

import (
	"fmt"
	"slices"
	"strings"
	"unicode"
)

// The engine's regular expressions know no properties of characters (ECMAScript, "UnicodePropertyValueExpression"): they are written
// out as ranges before a script runs.

type span struct{ from, to rune }

// pictures are the characters that are, or may be, drawn as emoji, nearly.
var pictures = []span{{0xa9, 0xa9}, {0xae, 0xae}, {0x203c, 0x203c}, {0x2049, 0x2049}, {0x2122, 0x2122}, {0x2139, 0x2139}, {0x2194, 0x2199}, {0x21a9, 0x21aa}, {0x231a, 0x231b},
	{0x2328, 0x2328}, {0x23cf, 0x23cf}, {0x23e9, 0x23f3}, {0x23f8, 0x23fa}, {0x24c2, 0x24c2}, {0x25aa, 0x25ab}, {0x25b6, 0x25b6}, {0x25c0, 0x25c0}, {0x25fb, 0x25fe}, {0x2600, 0x2604},
	{0x260e, 0x260e}, {0x2611, 0x2611}, {0x2614, 0x2615}, {0x2618, 0x2618}, {0x261d, 0x261d}, {0x2620, 0x27bf}, {0x2934, 0x2935}, {0x2b05, 0x2b07}, {0x2b1b, 0x2b1c}, {0x2b50, 0x2b50},
	{0x2b55, 0x2b55}, {0x3030, 0x3030}, {0x303d, 0x303d}, {0x3297, 0x3297}, {0x3299, 0x3299}, {0x1f000, 0x1faff}}

// longNames are the long names of general categories.
var longNames = map[string]string{"Letter": "L", "Uppercase_Letter": "Lu", "Lowercase_Letter": "Ll", "Titlecase_Letter": "Lt", "Modifier_Letter": "Lm", "Other_Letter": "Lo",
	"Mark": "M", "Combining_Mark": "M", "Nonspacing_Mark": "Mn", "Spacing_Mark": "Mc", "Enclosing_Mark": "Me", "Number": "N", "Decimal_Number": "Nd", "digit": "Nd", "Letter_Number": "Nl", "Other_Number": "No",
	"Punctuation": "P", "punct": "P", "Connector_Punctuation": "Pc", "Dash_Punctuation": "Pd", "Open_Punctuation": "Ps", "Close_Punctuation": "Pe", "Initial_Punctuation": "Pi", "Final_Punctuation": "Pf", "Other_Punctuation": "Po",
	"Symbol": "S", "Math_Symbol": "Sm", "Currency_Symbol": "Sc", "Modifier_Symbol": "Sk", "Other_Symbol": "So", "Separator": "Z", "Space_Separator": "Zs", "Line_Separator": "Zl", "Paragraph_Separator": "Zp",
	"Other": "C", "Control": "Cc", "cntrl": "Cc", "Format": "Cf", "Surrogate": "Cs", "Private_Use": "Co"}

// composed are properties that are made of others.
var composed = map[string][]string{
	"Alphabetic": {"L", "Nl", "Other_Alphabetic"}, "Alpha": {"L", "Nl", "Other_Alphabetic"}, "Uppercase": {"Lu", "Other_Uppercase"}, "Upper": {"Lu", "Other_Uppercase"},
	"Lowercase": {"Ll", "Other_Lowercase"}, "Lower": {"Ll", "Other_Lowercase"}, "ID_Start": {"L", "Nl", "Other_ID_Start"}, "XID_Start": {"L", "Nl", "Other_ID_Start"},
	"ID_Continue": {"L", "Nl", "Other_ID_Start", "Mn", "Mc", "Nd", "Pc", "Other_ID_Continue"}, "XID_Continue": {"L", "Nl", "Other_ID_Start", "Mn", "Mc", "Nd", "Pc", "Other_ID_Continue"}, "space": {"White_Space"},
}

// property gives the characters that have a property, in order; nil for one that is not known.
func property(name string) []span {
	key, value, ok := strings.Cut(name, "=")
	if ok {
		switch key {
		case "Script", "sc", "Script_Extensions", "scx":
			return spans(unicode.Scripts[value])
		case "General_Category", "gc":
			name = value
		default:
			return nil
		}
	}
	if short, ok := longNames[name]; ok {
		name = short
	}
	switch name {
	case "Any":
		return []span{{0, unicode.MaxRune}}
	case "ASCII":
		return []span{{0, 0x7f}}
	case "Emoji":
		return merged(append([]span{{'#', '#'}, {'*', '*'}, {'0', '9'}}, pictures...))
	case "Emoji_Presentation", "Extended_Pictographic", "EPres", "ExtPict":
		return pictures
	}
	var out []span
	for _, n := range composed[name] {
		out = append(out, property(n)...)
	}
	if out == nil {
		if out = spans(unicode.Categories[name]); out == nil {
			out = spans(unicode.Properties[name])
		}
	}
	return merged(out)
}

func spans(t *unicode.RangeTable) (out []span) {
	if t == nil {
		return nil
	}
	add := func(lo, hi, stride rune) {
		if stride == 1 {
			out = append(out, span{lo, hi})
			return
		}
		for r := lo; r <= hi; r += stride {
			out = append(out, span{r, r})
		}
	}
	for _, r := range t.R16 {
		add(rune(r.Lo), rune(r.Hi), rune(r.Stride))
	}
	for _, r := range t.R32 {
		add(rune(r.Lo), rune(r.Hi), rune(r.Stride))
	}
	return out
}

// merged sorts spans and joins those that touch.
func merged(list []span) []span {
	slices.SortFunc(list, func(a, b span) int { return int(a.from - b.from) })
	var out []span
	for _, s := range list {
		if n := len(out); n > 0 && s.from <= out[n-1].to+1 {
			out[n-1].to = max(out[n-1].to, s.to)
			continue
		}
		out = append(out, s)
	}
	return out
}

// others gives the characters that are in none of the spans.
func others(list []span) []span {
	var out []span
	next := rune(0)
	for _, s := range list {
		if s.from > next {
			out = append(out, span{next, s.from - 1})
		}
		next = s.to + 1
	}
	if next <= unicode.MaxRune {
		out = append(out, span{next, unicode.MaxRune})
	}
	return out
}

// writtenOut gives a pattern of the flag u with its properties as ranges. What is not known stays.
func writtenOut(pattern string) string {
	if !strings.Contains(pattern, `\p{`) && !strings.Contains(pattern, `\P{`) {
		return pattern
	}
	var b strings.Builder
	class := false
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\' && i+2 < len(pattern) && (pattern[i+1] == 'p' || pattern[i+1] == 'P') && pattern[i+2] == '{':
			name, _, ok := strings.Cut(pattern[i+3:], "}")
			list := property(name)
			if !ok || list == nil {
				b.WriteString(pattern[i : i+2])
				i++
				continue
			}
			if pattern[i+1] == 'P' {
				list = others(list)
			}
			if !class {
				b.WriteByte('[')
			}
			for _, s := range list {
				fmt.Fprintf(&b, `\u{%x}`, s.from)
				if s.to > s.from {
					fmt.Fprintf(&b, `-\u{%x}`, s.to)
				}
			}
			if !class {
				b.WriteByte(']')
			}
			i += 3 + len(name)
		case c == '\\' && i+1 < len(pattern):
			b.WriteString(pattern[i : i+2])
			i++
		default:
			if c == '[' {
				class = true
			} else if c == ']' {
				class = false
			}
			b.WriteByte(c)
		}
	}
	return b.String()
}
