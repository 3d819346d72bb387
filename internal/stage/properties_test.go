package stage

import (
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
)

func TestProperties(t *testing.T) {
	in := func(list []span, r rune) bool {
		for _, s := range list {
			if r >= s.from && r <= s.to {
				return true
			}
		}
		return false
	}
	for name, c := range map[string]struct{ has, lacks string }{
		"L": {"aÅш中", "1 -"}, "Letter": {"aÅш中", "1 -"}, "Lu": {"AÅ", "aå"}, "gc=Nd": {"19٣", "a"}, "General_Category=Decimal_Number": {"1", "a"}, "Script=Greek": {"αΩ", "aш"}, "scx=Cyrillic": {"ш", "a"},
		"Alphabetic": {"aⅷ", "1"}, "Uppercase": {"AⅧ", "a"}, "Lowercase": {"a", "A"}, "White_Space": {" \t\u00a0", "a"}, "ASCII": {"a~", "é"}, "Any": {"a中🚢", ""}, "Emoji": {"🚢1#", "a"},
		"Extended_Pictographic": {"🚢❤", "1a"}, "ID_Start": {"aπ", "1_"}, "ID_Continue": {"a1_", "-"}, "P": {".-", "a"}, "Currency_Symbol": {"€$", "a"},
	} {
		list := property(name)
		for _, r := range c.has {
			assert.True(t, in(list, r), "%s has %q", name, r)
			assert.False(t, in(others(list), r), "%s has %q", name, r)
		}
		for _, r := range c.lacks {
			assert.False(t, in(list, r), "%s lacks %q", name, r)
			assert.True(t, in(others(list), r), "%s lacks %q", name, r)
		}
		for i := 1; i < len(list); i++ {
			assert.Greater(t, list[i].from, list[i-1].to, name)
		}
	}
	for _, name := range []string{"", "Nothing", "Script=Klingon", "x=y"} {
		assert.Empty(t, property(name), name)
	}
	assert.Equal(t, []span{{0, unicode.MaxRune}}, others(nil))
	assert.Empty(t, others([]span{{0, unicode.MaxRune}}))
	for pattern, want := range map[string]string{`a[b\]c]`: `a[b\]c]`, `\\p{L}`: `\\p{L}`, `\p{ASCII}+`: `[\u{0}-\u{7f}]+`, `[\p{ASCII}_]`: `[\u{0}-\u{7f}_]`, `\P{ASCII}`: `[\u{80}-\u{10ffff}]`, `\p{Nothing}`: `\p{Nothing}`, `\p{L`: `\p{L`} {
		assert.Equal(t, want, writtenOut(pattern), pattern)
	}
}

func TestNestingOfJSON(t *testing.T) {
	for text, want := range map[string]int{"": 0, "1": 0, "[[1], [[2]]]": 3, `{"a": {"b": []}}`: 3, `"[[["`: 0, `["\"[", "\\", [1]]`: 2, "]]]": 0, "[": 1} {
		assert.Equal(t, want, nesting(text), text)
	}
}

func TestDataURLs(t *testing.T) {
	for u, want := range map[string][2]string{
		"data:,a%20b":                             {"text/plain;charset=US-ASCII", "a b"},
		"data:text/css,body%7B%7D#x":              {"text/css", "body{}"},
		"data:;charset=utf-8,%C3%A9":              {"text/plain;charset=utf-8", "é"},
		"data:application/json;base64,eyJhIjoxfQ": {"application/json", `{"a":1}`},
		"data:text/plain; BASE64,aG%20k=":         {"text/plain", "hi"},
		"data:nonsense,%zz%":                      {"text/plain;charset=US-ASCII", "%zz%"},
	} {
		r, e := dataURL(u)
		if assert.Empty(t, e, u) {
			assert.Equal(t, want, [2]string{r.header("content-type"), string(r.bytes())}, u)
		}
	}
	for _, u := range []string{"data:text/plain", "data:;base64,***"} {
		_, e := dataURL(u)
		assert.NotEmpty(t, e, u)
	}
}
