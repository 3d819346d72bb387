package fitting

import (
	"strings"
	"testing"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestConflictsAreNamed(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	write(t, dir, map[string]string{"post/index.html": "<head>\n<link rel=manifest href=other.json></head>"})
	p := fit(t, dir, nil, Options{})
	require.Len(t, p.Conflicts, 1)
	assert.Equal(t, "post/index.html", p.Conflicts[0].File)
	assert.Equal(t, []int{2, 25}, []int{p.Conflicts[0].Line, p.Conflicts[0].Column})
	write(t, dir, map[string]string{"post/index.html": "<head>\n<link rel=manifest href=other.json>\n<meta name=theme-color content=lime>\n</head>"})
	p = fit(t, dir, nil, Options{})
	require.Len(t, p.Conflicts, 2)
	assert.Contains(t, p.Conflicts[1].Message, "has the theme colour lime of its own, the manifest says #aa0033")
	assert.Equal(t, 3, p.Conflicts[1].Line)
	cfg := &config.Config{Pages: config.Pages{Conflicts: config.Outrank}}
	assert.Empty(t, fit(t, dir, cfg, Options{}).Conflicts)
	head, err := pagehead.Read("x.html", []byte(read(t, dir, "post/index.html")))
	require.NoError(t, err)
	first := map[string]string{}
	for _, tag := range head.Tags {
		if first[tag.Kind] == "" {
			first[tag.Kind] = tag.Value
		}
	}
	assert.Equal(t, "/manifest.webmanifest", first["manifest"], "browsers take the first link")
	assert.Equal(t, "#aa0033", first["theme-color"])
	assert.Empty(t, fit(t, dir, cfg, Options{}).paths())
	fit(t, dir, nil, Options{})
	strip(t, dir)
	write(t, dir, map[string]string{"post/index.html": "<meta name=theme-color content=lime><meta charset=utf-8>"})
	assert.Len(t, fit(t, dir, cfg, Options{}).Conflicts, 1, "an insertion before the declaration of the encoding is not safe")
}

// Of large sites the survey's findings are used instead of reading every page again; both ways must come to the same.
func TestLargeSitesAreFittedAlike(t *testing.T) {
	files := map[string]string{"crlf.html": "<head>\r\n  <title>x</title>\r\n</head>", "wide.html": "\xff\xfe<\x00p\x00>\x00", "empty.html": "", "own/page.html": "<link rel=manifest href=mine.json>",
		"other.html": "<base href=https://other.example/><p>", "old.html": "<p>" + beginMark, "left/a.html": "<p>a", "x.xhtml": "<html xmlns=\"http://www.w3.org/1999/xhtml\"><head/></html>", "colour.html": "<meta name=theme-color content=red>"}
	cfg := &config.Config{Pages: config.Pages{Leave: []string{"/left/**"}}}
	trees := map[bool]map[string][32]byte{}
	for _, many := range []bool{false, true} {
		dir := write(t, write(t, t.TempDir(), small), files)
		before := tree(t, dir)
		opts := Options{}
		if many {
			opts.listed = 1
		}
		p := fit(t, dir, cfg, opts)
		assert.NotEmpty(t, p.Left)
		assert.Empty(t, fit(t, dir, cfg, opts).paths(), "nothing is left to do")
		trees[many] = tree(t, dir)
		write(t, dir, map[string]string{"crlf.html": strings.Replace(read(t, dir, "crlf.html"), "manifest.webmanifest", "older.webmanifest", 1)})
		assert.Equal(t, []string{"crlf.html"}, fit(t, dir, cfg, opts).paths()[:1], "an insertion of another fit is replaced")
		alone := fit(t, dir, &config.Config{Pages: config.Pages{Leave: []string{"/left/**", "/crlf.html"}}}, opts)
		assert.NotContains(t, alone.paths(), "crlf.html", "a page that is to be left alone is, whatever it carries")
		assert.Contains(t, alone.Left, site.Skipped{Path: "crlf.html", Why: "left alone as configured, with what an earlier fit put in"})
		strip(t, dir)
		same(t, before, tree(t, dir))
	}
	same(t, trees[false], trees[true])
}

const beginMark = "<!--tachyform: fit wrote this, strip removes it-->"

func TestThemeColourTurnsDarkWithThePage(t *testing.T) {
	const changes = "body { background: #fffaf0 } @media (prefers-color-scheme: dark) { body { background: #101820 } }"
	themes := func(dir string) (out [][2]string) {
		head, err := pagehead.Read("x.html", []byte(read(t, dir, "index.html")))
		require.NoError(t, err)
		for _, tag := range head.Tags {
			if tag.Kind == "theme-color" {
				out = append(out, [2]string{tag.Media, tag.Value})
			}
		}
		return out
	}
	const media = "(prefers-color-scheme: dark)"
	for name, c := range map[string]struct {
		style, tag, theme, dark string
		want                    [][2]string
	}{
		"a bar in the page's colour":       {changes, "", "", "", [][2]string{{media, "#101820"}, {"", "#fffaf0"}}},
		"a colour of its own":              {changes, "", "#0b4f6c", "", [][2]string{{"", "#0b4f6c"}}},
		"as it is configured":              {changes, "", "#0b4f6c", "#123", [][2]string{{media, "#123"}, {"", "#0b4f6c"}}},
		"a page that does not change":      {"body { background: #fffaf0 }", "", "", "", [][2]string{{"", "#fffaf0"}}},
		"a page that has one already":      {changes, `<meta name="theme-color" content="#fffaf0">`, "", "", [][2]string{{"", "#fffaf0"}}},
		"a page with two of its own stays": {changes, `<meta name="theme-color" media="(prefers-color-scheme: light)" content="#fffaf0"><meta name="theme-color" media="(prefers-color-scheme: dark)" content="#222">`, "", "", [][2]string{{"(prefers-color-scheme: light)", "#fffaf0"}, {media, "#222"}}},
	} {
		dir := t.TempDir()
		write(t, dir, map[string]string{"index.html": "<!doctype html><title>Skerry</title><style>" + c.style + "</style>" + c.tag})
		before := read(t, dir, "index.html")
		cfg := &config.Config{Pages: config.Pages{ThemeColorDark: c.dark}}
		cfg.App.ThemeColor = c.theme
		p := fit(t, dir, cfg, Options{})
		assert.Equal(t, c.want, themes(dir), name)
		assert.Empty(t, p.Conflicts, name)
		assert.Empty(t, fit(t, dir, cfg, Options{}).paths(), name)
		strip(t, dir)
		assert.Equal(t, before, read(t, dir, "index.html"), name)
	}
}
