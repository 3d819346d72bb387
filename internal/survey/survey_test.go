package survey

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

func take(t *testing.T, base string, files map[string]string) *Inventory {
	t.Helper()
	dir := t.TempDir()
	for name, data := range files {
		p := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(data), 0o644))
	}
	s, err := site.Open(dir, base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	last := 0
	inv, err := Take(context.Background(), s, func(done, total int) { last = total - done })
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
		{"/a/", "http://h.example/", "http://h.example/"}, {"/a/", "#x", "/a/"}, {"/a/", "a b", "/a/a%20b"}, {"/a/", "/%7Eb", "/%7Eb"}, {"https://h.example/x/", "y", "https://h.example/x/y"}, {"/a/", "x:y.png", ""},
		{"/a/", "mailto:a@b", ""}, {"/a/", "javascript:void 0", ""}, {"/a/", "", ""}, {"/a/", "data:,x", ""}} {
		got, ok := Resolve(c[0], c[1])
		assert.Equal(t, c[2] != "", ok, c[1])
		if ok {
			assert.Equal(t, c[2], got)
		}
	}
}
