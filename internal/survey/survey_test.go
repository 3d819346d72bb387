package survey

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

func take(t *testing.T, base string, files map[string]string) *Inventory {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	s, err := site.Open(dir, base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	last := 0
	inv, err := Take(context.Background(), s, Options{Progress: func(done, total int) { last = total - done }})
	require.NoError(t, err)
	assert.Zero(t, last, "progress comes to its end")
	return inv
}

func TestTake(t *testing.T) {
	inv := take(t, "/ferry/", map[string]string{
		"index.html":      `<!doctype html><title>Home</title><link rel=stylesheet href=css/a.css><script type=module src=/ferry/js/main.js></script><form method=post action=/ferry/api/book>`,
		"css/a.css":       `@import "b.css"; body { background: url(../img/sea.jpg) }`,
		"css/b.css":       `a { background: url("https://cdn.example/x.png") }`,
		"js/main.js":      `import "./more.js"; fetch("/ferry/data/x.json"); fetch("/ferry/api/live");`,
		"js/more.js":      `navigator.serviceWorker.register("/ferry/sw.js", {scope: "/ferry/"}); fetch("/ferry/api/book", {method: "PUT"})`,
		"data/x.json":     `{}`,
		"img/sea.jpg":     "x",
		"my/login.html":   `<title>Sign in</title>`,
		"secret.html":     `<input type=password>`,
		"accounting.html": `<title>Accounts of 1922</title>`,
		"deep/base.html":  `<base href="/ferry/img/"><img src="sea.jpg">`,
		"sw-page.js":      "// Tachyform page script\nnavigator.serviceWorker.register('/ferry/other.js')",
	})
	assert.Equal(t, "/ferry/", inv.StartFile.URL)
	assert.Equal(t, []string{"/ferry/data/x.json"}, inv.Data)
	assert.Equal(t, map[string]bool{"/ferry/": true, "/ferry/css/a.css": true, "/ferry/css/b.css": true, "/ferry/img/sea.jpg": true, "/ferry/js/main.js": true,
		"/ferry/js/more.js": true, "/ferry/data/x.json": true}, inv.Closure("/ferry/"))
	assert.True(t, inv.Closure("/ferry/deep/base.html")["/ferry/img/sea.jpg"], "base counts")
	require.Len(t, inv.Registrations, 1)
	assert.Equal(t, Registration{File: "js/more.js", Line: 1, Column: 34, URL: "/ferry/sw.js", Scope: "/ferry/"}, inv.Registrations[0])
	personal := map[string]string{}
	for _, p := range inv.Pages {
		if p.Personal != "" {
			personal[p.File.Path] = p.Personal
		}
	}
	assert.Equal(t, map[string]string{"my/login.html": "its address is that of an account page", "secret.html": "it asks for a password"}, personal)
	var ends []string
	for _, e := range inv.Endpoints {
		ends = append(ends, e.Method+" "+e.URL)
	}
	assert.ElementsMatch(t, []string{"POST /ferry/api/book", "GET /ferry/data/x.json", "GET /ferry/api/live", "PUT /ferry/api/book"}, ends)
}

func TestResolve(t *testing.T) {
	for _, c := range [][3]string{{"/a/b.html", "c.css", "/a/c.css"}, {"/a/", "../../x", "/x"}, {"/a/", "//cdn.example/x#y", "https://cdn.example/x"}, {"/a/", "/b?c#d", "/b?c"},
		{"/a/", "http://h.example/", "http://h.example/"}, {"/a/", "#x", "/a/"}, {"/a/", "a b", "/a/a%20b"}, {"/a/", "/\x1b[2J", "/%1B[2J"}, {"/a/", "/\x7f^", "/%7F%5E"}, {"/a/", "/%7Eb", "/%7Eb"}, {"https://h.example/x/", "y", "https://h.example/x/y"}, {"/a/", "x:y.png", ""},
		{"/a/", "mailto:a@b", ""}, {"/a/", "javascript:void 0", ""}, {"/a/", "", ""}, {"/a/", "data:,x", ""}} {
		got, ok := Resolve(c[0], c[1])
		assert.Equal(t, c[2] != "", ok, c[1])
		if ok {
			assert.Equal(t, c[2], got)
		}
	}
}

func TestResolveOn(t *testing.T) {
	const origin = "https://skerry-line.example"
	for _, c := range [][3]string{{"/a/", "https://skerry-line.example/b?c#d", "/b?c"}, {"/a/", "//skerry-line.example/b", "/b"}, {"/a/", "c", "/a/c"}, {"/a/", "https://SKERRY-LINE.example", "/"},
		{"/a/", "https://skerry-line.example.org/b", "https://skerry-line.example.org/b"}, {"/a/", "http://skerry-line.example/b", "http://skerry-line.example/b"}, {"/a/", "https://skerry-line.example:8443/b", "https://skerry-line.example:8443/b"},
		{"/a/", "data:,x", ""}, {"", "#x", ""}} {
		got, ok := ResolveOn(origin, c[0], c[1])
		if c[2] != "" {
			assert.True(t, ok, c[1])
		}
		assert.Equal(t, c[2], got, c[1])
	}
	got, _ := ResolveOn("", "/a/", origin+"/b")
	assert.Equal(t, origin+"/b", got, "a folder does not know its origin")
}

func TestSummarize(t *testing.T) {
	inv := take(t, "/", map[string]string{
		"index.html":           `<title>Home</title><meta http-equiv=Content-Security-Policy content="default-src 'none'; script-src 'self'"><link rel=stylesheet href=/docs/a.css><link rel=manifest href=m.json><script src=https://cdn.example/x.js></script><img src=gone.png>`,
		"fares.html":           `<title>Fares</title><link rel=stylesheet href=a.css><script src=main.3f9c2b71.js></script><img src="https://cdn.example/y.png"><form method=post action=/api/book></form>`,
		"fitted.html":          "<head><!--tachyform: fit wrote this, strip removes it--><link rel=manifest href=/x><!--/tachyform--></head>",
		"a.css":                `@import "b.css"; body { background: url(lost.jpg) }`,
		"b.css":                `a { color: red }`,
		"main.3f9c2b71.js":     `navigator.serviceWorker.register("sw.js"); localStorage.x = 1; fetch("/api/live")`,
		"main.3f9c2b71.js.map": "{}",
		"order.php":            "<?php",
		"account/index.html":   "<title>You</title>",
		"flags/profile.html":   "<title>A flag</title>",
	})
	s := inv.Summarize()
	assert.Equal(t, 5, s.Pages)
	assert.Equal(t, 1, s.Fitted)
	assert.Equal(t, "/docs/", s.BaseHint)
	assert.Equal(t, 1, s.Hashed)
	assert.Equal(t, []string{"main.3f9c2b71.js.map"}, s.Unneeded)
	assert.Equal(t, []string{"order.php"}, s.ServerScripts)
	var nowhere []string
	for _, n := range s.Nowhere {
		nowhere = append(nowhere, n.URL+" < "+strings.Join(n.Chain, " < "))
	}
	assert.Equal(t, []string{"/docs/a.css < index.html", "/gone.png < index.html", "/lost.jpg < fares.html < a.css"}, nowhere)
	assert.Equal(t, []Foreign{{"https://cdn.example", []string{"image", "script"}, 2}}, s.Foreign)
	assert.Equal(t, "/m.json", s.Manifest)
	assert.Equal(t, 1, s.ManifestPages)
	require.Len(t, s.Workers, 1)
	assert.Equal(t, 1, s.WorkerPages)
	assert.Equal(t, []Named{{"account/index.html", "its address is that of an account page"}}, s.Personal)
	assert.Equal(t, []Named{{"index.html", "its Content-Security-Policy forbids a manifest (manifest-src)"}, {"index.html", "its Content-Security-Policy forbids the icons (img-src)"}}, s.CSP)
	assert.Equal(t, []string{"localStorage"}, s.Storage)
	assert.Equal(t, "tachyform survey "+s.Site+" --base /docs/", s.Next[0].Command)
	var ends []string
	for _, e := range s.Endpoints {
		ends = append(ends, e.Method+" "+e.URL)
	}
	assert.Equal(t, []string{"POST /api/book", "GET /api/live"}, ends)
}

func TestForbidden(t *testing.T) {
	for policy, want := range map[string]int{"": 0, "default-src 'self'": 0, "default-src 'none'": 4, "script-src 'nonce-x'": 2, "worker-src 'none'": 1, "manifest-src": 1,
		"default-src *; img-src 'none'": 1, "default-src https://ferry.example": 0, "script-src 'self'; default-src 'none'": 2} {
		assert.Len(t, Forbidden(policy), want, policy)
	}
}

// TestImportMaps: names of modules are no addresses; where they lie, the page's import map says.
func TestImportMaps(t *testing.T) {
	inv := take(t, "/", map[string]string{
		"index.html":  `<!doctype html><title>a</title><script type=importmap>{"imports": {"boats": "./js/boats.js", "lib/": "/js/lib/"}}</script><script type=module>import "boats"; import "lib/a.js"; import "unknown"; import("lib/b.js")</script>`,
		"js/boats.js": `import "lib/a.js"; import "./tide.js"`, "js/lib/a.js": "", "js/lib/b.js": "", "js/tide.js": "",
	})
	var needs []string
	for _, n := range inv.Pages[0].Needs {
		needs = append(needs, n.URL)
	}
	slices.Sort(needs)
	assert.Equal(t, []string{"/js/boats.js", "/js/lib/a.js", "/js/lib/b.js"}, slices.Compact(needs))
	assert.Empty(t, inv.Summarize().Nowhere, "nothing is missing")
	assert.Contains(t, inv.Closure("/"), "/js/tide.js")
}

// TestFragments: what a script fetches and what has nothing of a page is a part of one.
func TestFragments(t *testing.T) {
	inv := take(t, "/", map[string]string{
		"index.html": `<!doctype html><title>a</title><div id=x></div><script>fetch("/part.html"); fetch("/page.html"); fetch("/short.html")</script>`,
		"part.html":  "<p>A part</p>", "page.html": "<!doctype html><title>A page</title>", "short.html": "<title>Short</title>",
	})
	assert.Equal(t, map[string]string{"part.html": "a part of a page: index.html:1 fetches it, and it has no doctype, head or body of its own"}, inv.Fragments)
}

// TestFragmentsThatNothingNames: scripts also put together the addresses of parts.
func TestFragmentsThatNothingNames(t *testing.T) {
	inv := take(t, "/", map[string]string{
		"index.html":      "<!doctype html><title>a</title><a href=plain.html>x</a><a href='/clean'>x</a><a href=folder/>x</a><script src=main.js></script><script>navigator.serviceWorker.register('worker.js')</script>",
		"main.js":         "const row = (n) => fetch(`parts/${n}.html`).then((r) => r.text()); location = 'led.html'",
		"worker.js":       `self.addEventListener("fetch", () => {}); const list = ["parts/row.html"]`,
		"sw.js":           `self.tachyform = {now: {pages: {"/parts/row.html": "x"}}}`,
		"parts/row.html":  "<tr><td>Row</td></tr>",
		"parts/menu.html": "<!-- the menu -->\n<nav>Tides</nav>",
		"plain.html":      "<p>A page that is linked</p>", "clean.html": "<p>So is this</p>", "folder/index.html": "<p>And this</p>", "led.html": "<p>A script leads here</p>",
		"listed.html": "<p>x</p>", "pages.json": `["listed.html"]`,
		"own.html": "<meta charset=utf-8><p>It has what belongs into a head</p>", "empty.html": " ",
	})
	var got []string
	for path, why := range inv.Fragments {
		assert.Contains(t, why, "nothing names it")
		got = append(got, path)
	}
	assert.ElementsMatch(t, []string{"parts/row.html", "parts/menu.html"}, got)
}

// TestImportMapsInScriptFiles: a script file's names are those of the page that runs it, as far as they go.
func TestImportMapsInScriptFiles(t *testing.T) {
	inv := take(t, "/base/", map[string]string{
		"index.html": `<!doctype html><title>a</title><script type=importmap>{"imports": {"lib/": "./js/lib/", "tide": "./js/tide.js"}, "scopes": {"./js/old/": {"tide": "./js/old/tide1.js"}}}</script><script type=module src=js/main.js></script>`,
		"js/main.js": `import a from "lib/a.js"; import "./old/part.js"; import "unknown"; import("lib/late.js")`, "js/lib/a.js": `import "tide"`, "js/lib/late.js": "1", "js/tide.js": "1",
		"js/old/part.js": `import "tide"`, "js/old/tide1.js": "1", "js/lonely.js": `import "lib/none.js"`,
	})
	closure := inv.Closure("/base/")
	for _, u := range []string{"js/main.js", "js/lib/a.js", "js/lib/late.js", "js/tide.js", "js/old/part.js", "js/old/tide1.js"} {
		assert.True(t, closure["/base/"+u], u)
	}
	assert.Empty(t, inv.Summarize().Nowhere, "names that the map does not have are no addresses, and scripts that no page runs have none")
}

// TestNextWithAManifest: a site that has a manifest and nothing that answers without a network is told how it gets there.
func TestNextWithAManifest(t *testing.T) {
	page := `<!doctype html><title>a</title><link rel=manifest href=/m.json>`
	for name, files := range map[string]map[string]string{
		"everywhere": {"index.html": page, "m.json": "{}"},
		"on one":     {"index.html": page, "b.html": "<!doctype html><title>b</title>", "m.json": "{}"},
	} {
		var steps []string
		for _, s := range take(t, "/", files).Summarize().Next {
			steps = append(steps, s.Why)
		}
		require.Len(t, steps, 3, name)
		assert.Equal(t, "see what would make it work offline, and complete its manifest", steps[0])
		assert.Equal(t, name == "on one", steps[1] == "do it; 1 of 2 pages link no manifest so far")
	}
}
