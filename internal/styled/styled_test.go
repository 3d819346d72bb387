package styled

import (
	"maps"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
)

// TestAskedAsInChromium has two pages ask for what Chromium 156 asked for, by rules that win and rules that lose, by what is shown and what is not; e2e's
// TestStylesInChromium compares the same pages with the browser at hand.
func TestAskedAsInChromium(t *testing.T) {
	for name, want := range map[string]string{
		"page1": "FBefore.woff2 FUsed.woff2 FVar.woff2 Inline.woff2 beforecontent.png border.png cont.png contentimg.png cursor.png far.png mask.png media2.png nested2.png off.png over2.png supports.png used.png var2.png",
		"page2": "attr1.png body.woff2 body7.woff2 btn.woff2 chk.png cv1.png dot.png dotf.woff2 em1.png em2.png fl.png greek.woff2 has1.png imp1.png inp.woff2 inter300.woff2 inter400.woff2 inter400i.woff2 inter700.woff2 isurl.png latin.woff2 lay2.png lay3.png li2.png lig5.woff2 marker.png mono.woff2 nots2.png op.png ph.png root.png sb.png sc.woff2 sef.woff2 svgt.woff2 taf.woff2 thh7.woff2 ul.png var2.woff2 vis.png visf.woff2 zero.png",
	} {
		t.Run(name, func(t *testing.T) {
			page, err := os.ReadFile("testdata/" + name + ".html")
			require.NoError(t, err)
			sheet, err := os.ReadFile("testdata/" + name + ".css")
			require.NoError(t, err)
			sheets := []*Sheet{Read(sheet, 1280, 800)}
			for _, s := range markup.ReadPage(page).Styles {
				sheets = append(sheets, Read(s.Source, 1280, 800))
			}
			assert.Equal(t, want, asked(t, string(page), sheets))
		})
	}
}

func asked(t *testing.T, page string, sheets []*Sheet) string {
	t.Helper()
	doc, err := html.Parse(strings.NewReader(page))
	require.NoError(t, err)
	all := map[string]bool{}
	for _, s := range Asked(doc, sheets) {
		maps.Copy(all, s)
	}
	return strings.Join(slices.Sorted(maps.Keys(all)), " ")
}

// TestAsked says of single rules what is asked for.
func TestAsked(t *testing.T) {
	const face = "@font-face { font-family: A; src: url(a4) } @font-face { font-family: A; font-weight: 700; src: url(a7) } @font-face { font-family: A; font-style: italic; src: url(ai) } "
	for name, c := range map[string]struct{ page, css, want string }{
		"no sheet at all":                 {"<p>x", "", ""},
		"a pseudo-class of a moment":      {"<a class=x>x</a>", ".x:hover { background: url(h) } .x:not(:hover) { cursor: url(n), auto }", "n"},
		"what is not understood":          {"<p>x", "p:state(odd) { background: url(odd) } p::part(x) { background: url(part) }", "odd part"},
		"a keyframe":                      {"<p>x", "@keyframes k { from { background: url(k) } }", "k"},
		"a page of paper":                 {"<p>x", "@media print { p { background: url(p) } } @media screen, print { p { cursor: url(s), auto } }", "s"},
		"a condition with not":            {"<p>x", "@media not all and (min-width: 100px) { p { background: url(a) } } @media not print { p { cursor: url(b), auto } }", "b"},
		"dark colours":                    {"<p>x", "@media (prefers-color-scheme: dark) { p { background: url(d) } }", ""},
		"a condition that nobody knows":   {"<p>x", "@media (odd: 7) { p { background: url(o) } }", "o"},
		"the last of equal ones":          {"<p class='a b'>x", ".a { background: url(1) } .b { background: url(2) }", "2"},
		"a colour takes it away":          {"<p class=a>x", "p { background: url(1) } .a { background: none }", ""},
		"a colour alone does not":         {"<p class=a>x", "p { background: url(1) } .a { background-color: red }", "1"},
		"important":                       {"<p class=a style='background: url(3)'>x", "p { background: url(1) !important } .a { background: url(2) }", "1"},
		"in a style attribute":            {"<p class=a style='background: none'>x", ".a { background: url(2) }", ""},
		"a variable of an ancestor":       {"<div class=v><p>x</div>", ".v { --i: url(v) } p { background: var(--i) }", "v"},
		"a variable of somebody else":     {"<div class=v></div><p>x", ".v { --i: url(v) } p { background: var(--i, url(f)) }", "f"},
		"a variable of a variable":        {"<p>x", ":root { --a: var(--b); --b: url(b) } p { background: var(--a) }", "b"},
		"variables in a ring":             {"<p>x", ":root { --a: var(--b); --b: var(--a) } p { background: var(--a); font-family: var(--a) }", ""},
		"a rule inside of a rule":         {"<div class=o><p class=i>x</div>", ".o { & .i { background: url(1) } > .none { background: url(2) } .i & { background: url(3) } }", "1"},
		"commas in brackets inside":       {"<p class=o>x<p class=z>y", ".o { &:not(.a, .b) { background: url(1) } &:is(.a, .b), &[title='a,b'] { background: url(2) } }", "1"},
		"hidden, and shown all the same":  {"<p hidden class=a>x<p hidden class=b>y", ".a { display: block } p { background: url(p) } .b { cursor: url(c), auto }", "p"},
		"no box, no child":                {"<div class=n><p>x</div>", ".n { display: none } p { background: url(p) }", ""},
		"fonts by weight and slope":       {"<p>x<b>y</b>", face + "p { font-family: A }", "a4 a7"},
		"only what is slanted":            {"<p><em>y</em>", face + "p { font-family: A }", "ai"},
		"the nearest weight":              {"<p>x", face + "p { font: 600 1em A }", "a7"},
		"a lighter one than there is":     {"<p>x", face + "p { font: 200 1em A }", "a4"},
		"a shorthand resets the weight":   {"<b>x", face + "b { font: 1em A }", "a4"},
		"inherit is taken over":           {"<p><b>x", face + "p { font-family: A } b { font: inherit }", "a7"},
		"code has a font of its own":      {"<p><code>x", face + "p { font-family: A }", ""},
		"controls do not inherit":         {"<form class=f><button>x</button><input value=y></form>", face + ".f { font-family: A } input { font-family: inherit }", ""},
		"in the list behind a local one":  {"<p>x", face + "p { font-family: Georgia, 'A', serif }", "a4"},
		"behind one that is always there": {"<p>x", face + "p { font-family: serif, A }", ""},
		"no text, no font":                {"<p> </p><p><img></p>", face + "p { font-family: A }", ""},
		"some characters only":            {"<p>x", "@font-face { font-family: A; unicode-range: U+370-3FF; src: url(g) } @font-face { font-family: A; unicode-range: U+0-FF; src: url(l) } p { font-family: A }", "g l"},
	} {
		t.Run(name, func(t *testing.T) {
			assert.Equal(t, c.want, asked(t, c.page, []*Sheet{Read([]byte(c.css), 1280, 800)}))
		})
	}
}

// TestBounds gives up on what is too large, and says so.
func TestBounds(t *testing.T) {
	doc, err := html.Parse(strings.NewReader(strings.Repeat("<div>", 100) + "x"))
	require.NoError(t, err)
	n := doc
	for range 3 * maxDepth { // deeper than the parser makes it
		k := &html.Node{Type: html.ElementNode, Data: "div"}
		n.AppendChild(k)
		n = k
	}
	assert.Nil(t, Asked(doc, []*Sheet{Read([]byte("p { background: url(1) }"), 1280, 800)}))

	// Selectors whose parts can be matched in very many ways, and lists of them, come to an end.
	doc, err = html.Parse(strings.NewReader(strings.Repeat("<div class=a>", 400) + strings.Repeat("<p class=a>x</p>", 2000)))
	require.NoError(t, err)
	for _, css := range []string{".b .a .a .a .a .a .a .a .a p { background: url(1) }", "body.b ~ .a ~ .a ~ p ~ p ~ p ~ p { background: url(1) }", strings.Repeat("p:has(b) { background: url(1) }", 500), strings.Repeat("p:nth-child(2n+1) { background: url(1) }", 500), strings.Repeat("* { background: url(1) }", 5000)} {
		assert.Nil(t, Asked(doc, []*Sheet{Read([]byte(css), 1280, 800)}), "%.40s", css)
	}
}

// TestNestedWithoutEnd reads rules inside of rules whose selectors, written out, are longer than any memory: what they ask for may be asked for.
func TestNestedWithoutEnd(t *testing.T) {
	for name, css := range map[string]string{
		"doubled each time": "p { " + strings.Repeat("&:not(&, &) { ", 60) + "background: url(1)" + strings.Repeat("}", 61),
		"very deep":         strings.Repeat("p { ", 50_000) + "background: url(1)" + strings.Repeat("}", 50_000),
		"very many":         strings.Repeat(".abcdefgh,", 5000) + "a { " + strings.Repeat("&,", 5000) + "& { background: url(1) } }",
	} {
		sheet := Read([]byte(css), 1280, 800)
		assert.Equal(t, []string{"1"}, sheet.always, name)
	}
}

func FuzzRead(f *testing.F) {
	for _, s := range []string{"p{background:url(a)}", "@media (min-width:1px){a{b:c}}", "@font-face{font-family:A;src:url(x)}p{font:1px/2 A}", ":root{--a:var(--a)}p{font:var(--a);&:hover{cursor:url(x)}}", "a{b:c", "}}{{", ":is(:where(a,b),c)::before{content:''}"} {
		f.Add(s, "<p class=a style='font: 1px A'>x<b>y")
	}
	f.Fuzz(func(t *testing.T, sheet, page string) {
		doc, err := html.Parse(strings.NewReader(page))
		if err != nil {
			return
		}
		Asked(doc, []*Sheet{Read([]byte(sheet), 1280, 800)})
	})
}
