package selector

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
)

const page = `<html class=root><body id=top class="a b"><header class=a><nav><a href=/ class="x on">1</a><a href=/b>2</a></nav></header><main><p class=a>1<b>2</b></p><p>3</p><ul><li>1<li class=x>2<li>3</ul></main><footer data-kind="x y"><p lang=en>z</p></footer></body></html>`

// TestMatchWithin has selectors match what the library matches, part by part.
func TestMatchWithin(t *testing.T) {
	doc, err := html.Parse(strings.NewReader(page))
	require.NoError(t, err)
	var all []*html.Node
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		all = append(all, n)
		for k := n.FirstChild; k != nil; k = k.NextSibling {
			walk(k)
		}
	}
	walk(doc)
	for _, s := range []string{"p", "*", "body p", "main > p", "main>p", "p + p", "p~ul", "header a.on", "nav a + a", "body > main p > b", ".a .x", "#top .x", "html body main ul > li + li", "li:nth-child(2)", "ul li:first-child ~ .x", "[data-kind~=y] p", "p[lang|=en]", ":root .a", "a:not(.on)", "main:has(ul) b", "nav > *", "p b, footer p", ":is(header, footer) :where(p, a)", "body .none p", "p > p", "header ~ footer > p", "header + main p + p ~ ul"} {
		list, whole := Parse(s)
		assert.True(t, whole, s)
		require.NotEmpty(t, list, s)
		for i := range list {
			for _, n := range all {
				steps := 0
				assert.Equal(t, list[i].Match(n), list[i].MatchWithin(n, func(k int) bool { steps += k; return true }), "%s on %s", s, n.Data)
				assert.Positive(t, steps)
				assert.False(t, list[i].MatchWithin(n, func(int) bool { return false }))
			}
		}
	}
}

// TestParse tells what selectors are looked for by, what they count, and which are not understood.
func TestParse(t *testing.T) {
	for s, want := range map[string]string{
		"p": "p", "P.a": ".a", "#b.c": "#b", "p#b": "#b", "*": "", ".a > .b:hover": "-", ".a:not(:hover)": ".a", "a::before": "a", ".q:before": ".q", "[x] ": "", ":root": "", "ul li:nth-child(2)": "li", ":where(.a) p": "p", "p:state(x)": "?", "p:has(:has(b))": "?", "a:has(b):not(c d)": "?", "": "?",
	} {
		list, whole := Parse(s)
		got := "-"
		switch {
		case !whole:
			got = "?"
		case len(list) > 0:
			got = list[0].Key
		}
		assert.Equal(t, want, got, "%q", s)
	}
	for s, want := range map[string][3]int{"p.a#b": {1, 1, 1}, ":where(#b) p": {0, 0, 1}, ":is(#b, p)": {1, 0, 0}, "a:where(.x):is(.y, b)": {0, 1, 1}, "p::before": {0, 0, 2}} {
		list, _ := Parse(s)
		require.NotEmpty(t, list, s)
		assert.Equal(t, want, [3]int(list[len(list)-1].Counts), s)
	}
}

func FuzzParse(f *testing.F) {
	for _, s := range []string{"p, a > b", ":is(a, b):where(c)", "a:not(b):has(c)", "::before", "[a='>']", "((", "a +", "\\:x"} {
		f.Add(s)
	}
	doc, err := html.Parse(strings.NewReader(page))
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, s string) {
		list, _ := Parse(s)
		for i := range list {
			left := 1000
			list[i].MatchWithin(doc, func(k int) bool { left -= k; return left > 0 })
		}
	})
}
