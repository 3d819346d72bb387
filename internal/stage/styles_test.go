package stage

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestSheetsForSomeMedia asks for every sheet that is linked, and for the pictures and fonts of those that apply, with and without scripts
// (e2e.TestStylesInChromium compares the page).
func TestSheetsForSomeMedia(t *testing.T) {
	page, err := os.ReadFile("../styled/testdata/page3.html")
	require.NoError(t, err)
	sheet, err := os.ReadFile("../styled/testdata/page3.css")
	require.NoError(t, err)
	for name, script := range map[string]string{"no script": "", "a script": "<script>document.title += '!'</script></body>"} {
		text := string(page)
		if script != "" {
			text = strings.Replace(text, "</body>", script, 1)
		}
		for _, run := range []bool{true, false} {
			b := New(serve(t, map[string]string{"index.html": text, "page3.css": string(sheet)}, site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			b.RunScripts(run)
			l, err := b.NewTab().Open("/")
			require.NoError(t, err)
			var got []string
			for _, m := range l.Missing {
				if !strings.HasPrefix(m.URL, "/gone-") || len(m.URL) != len("/gone-1.png") {
					got = append(got, m.URL)
				}
			}
			want := []string{"/gone-at-screen.png", "/gone-li.png", "/gone-night.css", "/gone-print.css", "/gone-screen.png", "/gone-shown.woff2", "/gone-wide.css"}
			if script != "" && !run { // what the page shows is not known: everything that may be taken
				assert.Subset(t, got, want, name)
				continue
			}
			assert.Equal(t, want, got, "%s, run: %v", name, run)
		}
	}
}

// TestComputedStyles asks for what rules of all kinds of selectors set, before and after an element changes, and after a sheet comes.
func TestComputedStyles(t *testing.T) {
	const page = `<!doctype html><title>x</title><style>
		p { color: red } .b { color: blue } #i { color: indigo } [title=t] { color: teal } p:not(.b):is(.x, .y) { color: gold } div > * { color: green } P.Upper { color: plum } * { opacity: 0.5 }
		@media (min-width: 1px) { .m { color: magenta } } .late { color: black }</style>
		<p>1<p class="a b">2<p id=i>3<p title=t>4<p class=y>5<div><em>6</em></div><p class=Upper>7<i class="q m">8</i>
		<script>const all = () => [...document.querySelectorAll("p, em, i")].map((e) => getComputedStyle(e).color).join(" ");
		let said = all() + " " + getComputedStyle(document.querySelector("em")).opacity; document.querySelector("p").className = "late"; said += " | " + getComputedStyle(document.querySelector("p")).color;
		document.head.insertAdjacentHTML("beforeend", "<style>.late { color: white }</style>"); said += " " + getComputedStyle(document.querySelector("p")).color; document.title = said</script>`
	b := New(serve(t, map[string]string{"index.html": page}, site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	b.RunScripts(true)
	l, err := b.NewTab().Open("/")
	require.NoError(t, err)
	assert.Equal(t, "red blue indigo teal gold green plum magenta 0.5 | black white", l.Title)
}
