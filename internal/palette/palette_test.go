package palette

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"context"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

func see(t *testing.T, page, css string) Seen {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("<!doctype html><title>x</title>"+page), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a.css"), []byte(css), 0o644))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	inv, err := survey.Take(context.Background(), s, survey.Options{})
	require.NoError(t, err)
	return See(inv)
}

func TestBackground(t *testing.T) {
	const linked = `<link rel=stylesheet href=a.css>`
	for name, c := range map[string]struct{ page, css, want string }{
		"from a sheet":              {linked, "body { background: teal }", "#008080"},
		"among other words":         {linked, "body { background: url(x.png) #123 no-repeat }", "#112233"},
		"by a property":             {`<style>:root { --paper: #fafafa } html { background-color: var(--paper) }</style>`, "", "#fafafa"},
		"by a property of another":  {`<style>:root { --a: var(--b); --b: #010203 } body { background: var(--a, red) }</style>`, "", "#010203"},
		"the fallback of a missing": {`<style>body { background: var(--none, #abcdef) }</style>`, "", "#abcdef"},
		"the element itself wins":   {`<style>body { background: red }</style><body style="background: #00f">`, "", "#0000ff"},
		"half transparent":          {`<style>body { background: rgba(0, 0, 0, .5) }</style>`, "", ""},
		"none":                      {`<style>p { background: red }</style>`, "", ""},
		"a list of selectors":       {linked, "html, body { background: #fafaf0 }", "#fafaf0"},
		"a layer":                   {linked, "@layer base { html,body { background: #fafaf0 } }", "#fafaf0"},
		"a layer loses":             {linked, "html { background: #111 } @layer top { html#x { background: #222 } html { background: #333 } }", "#111111"},
		"a condition that holds":    {linked, "@supports (display: grid) { @media screen { body { background: #123456 } } }", "#123456"},
		"a condition that does not": {linked, "@media print { body { background: #123456 } } @media (prefers-color-scheme: dark) { body { background: #000 } }", ""},
		":where":                    {linked, ":where(html, :host) { background: #123456 }", "#123456"},
		":where counts nothing":     {linked + `<body class=dark id=b>`, "body { background: #010101 } :where(#b) { background: #020202 }", "#010101"},
		":where beside a name":      {linked + `<body class=dark id=b>`, "body.dark { background: #010101 } body:where(#b) { background: #020202 } html > :where(body#b) { background: #030303 }", "#010101"},
		":where counts in order":    {linked + `<body class=dark>`, "* { background: #010101 } :where(.dark) { background: #020202 }", "#020202"},
		":is counts its strongest":  {linked + `<body class=dark id=b>`, ":is(#none, body) { background: #010101 } body.dark { background: #020202 }", "#010101"},
		":is within :where":         {linked + `<body class=dark id=b>`, "body { background: #010101 } :where(:is(#b, .dark)) { background: #020202 }", "#010101"},
		"a class of the body":       {linked + `<body class="p-4 bg-Slate">`, ".bg-Slate { background-color: rgb(15 23 42/var(--alpha, 1)) }", "#0f172a"},
		"the more specific wins":    {linked + `<body class="dark" id=b>`, "#b { background: #010101 } body.dark { background: #020202 } body { background: #030303 }", "#010101"},
		"the later wins":            {linked, "body { background: #010101 } body { background: #020202 }", "#020202"},
		"another page's":            {linked + `<body class=home>`, ".about { background: #010101 } body:hover { background: #020202 } body::before { background: #030303 }", ""},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, see(t, c.page, c.css).Background) })
	}
}

func TestHeader(t *testing.T) {
	const linked = `<link rel=stylesheet href=a.css>`
	for name, c := range map[string]struct{ page, css, want string }{
		"the header":             {linked + `<body><header>x</header>`, "header { background: #0b4f6c } button:active { background: red }", "#0b4f6c"},
		"what it begins with":    {linked + `<body><header><div class=bar>x</div></header>`, ".bar { background: #0b4f6c }", "#0b4f6c"},
		"the navigation":         {linked + `<body><nav class="top">x</nav><footer>y</footer>`, ".top { background: var(--brand) } :root { --brand: #0b4f6c } footer { background: #111 }", "#0b4f6c"},
		"a role":                 {linked + `<body><div><div role=banner>x</div></div>`, "[role=banner] { background-color: #0b4f6c }", "#0b4f6c"},
		"its own style":          {`<body><header style="color: red; background: #0b4f6c">x</header>`, "", "#0b4f6c"},
		"the navigation's place": {linked + `<body><div id=bar><nav>x</nav></div>`, "#bar { background: #0b4f6c }", "#0b4f6c"},
		"none":                   {linked + `<body><div>x</div>`, "div { background: #0b4f6c }", ""},
		"transparent":            {linked + `<body><header>x</header>`, "header { background: transparent }", ""},
	} {
		t.Run(name, func(t *testing.T) { assert.Equal(t, c.want, see(t, c.page, c.css).Header) })
	}
}

func TestDark(t *testing.T) {
	const page = `<link rel=stylesheet href=a.css>`
	for name, c := range map[string]struct{ css, light, dark string }{
		"the page":            {"body { background: #fff } @media (prefers-color-scheme: dark) { body { background: #101820 } }", "#ffffff", "#101820"},
		"a property":          {":root { --paper: #fff } @media screen and (prefers-color-scheme:dark) { :root { --paper: #111 } } body { background: var(--paper) }", "#ffffff", "#111111"},
		"only where light is": {"body { background: #111 } @media (prefers-color-scheme: light) { body { background: #eee } }", "#eeeeee", "#111111"},
		"no change":           {"body { background: #fff } @media (prefers-color-scheme: dark) and (min-width: 9000px) { body { background: #000 } }", "#ffffff", "#ffffff"},
	} {
		seen := see(t, page, c.css)
		assert.Equal(t, []string{c.light, c.dark}, []string{seen.Background, seen.Dark}, name)
	}
}

// TestHostileSelectors has selectors come to an end that can be matched in very many ways.
func TestHostileSelectors(t *testing.T) {
	page := `<link rel=stylesheet href=a.css><body>` + strings.Repeat("<div class=a>", 400) + "<header>x</header>"
	assert.Empty(t, see(t, page, ".b .a .a .a .a .a .a .a .a header { background: #0b4f6c }").Header)
	assert.Equal(t, "#0b4f6c", see(t, page, ".a .a .a header { background: #0b4f6c }").Header)
}
