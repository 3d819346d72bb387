package site

import (
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/tested"
)

func folder(t *testing.T, files ...string) string {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, tested.Named(files...))
	return dir
}

func TestURLs(t *testing.T) {
	for _, c := range []struct{ base, file, url string }{
		{"/", "index.html", "/"}, {"/", "a/index.htm", "/a/"}, {"/docs", "a/index.html", "/docs/a/"}, {"docs/x/", "b.html", "/docs/x/b.html"},
		{"/", "a b.html", "/a%20b.html"}, {"/", "100%.html", "/100%25.html"}, {"/", "a#b?c.html", "/a%23b%3Fc.html"}, {"/", "caf\u00e9.html", "/caf%C3%A9.html"},
		{"/", "it's(1)!.html", "/it's(1)!.html"},
	} {
		assert.Equal(t, c.url, PageURL(CleanBase(c.base), c.file))
		back, ok := UnescapePath(EscapePath(c.file))
		assert.True(t, ok)
		assert.Equal(t, c.file, back)
	}
	for _, bad := range []string{"/a%2fb", "/a%00", "/a%zz", "/a%5cb"} {
		_, ok := UnescapePath(bad)
		assert.False(t, ok, bad)
	}
}

func TestOpenSaysWhatIsWrong(t *testing.T) {
	dir := folder(t, "a.txt")
	for arg, want := range map[string]string{filepath.Join(dir, "gone"): "no such folder", filepath.Join(dir, "a.txt"): "a site is a folder"} {
		_, err := Open(arg, "/")
		require.Error(t, err)
		assert.Contains(t, err.Error(), want)
	}
	s, err := Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	_, err = s.StartPage()
	assert.True(t, errors.Is(err, ErrNoPages))
}

func TestLinksAndHiddenFiles(t *testing.T) {
	outside := folder(t, "secret.html")
	dir := folder(t, "index.html", "sub/page.html", ".git/config", ".well-known/x.json", ".tachyform/record.json", ".env")
	for name, target := range map[string]string{"out.html": filepath.Join(outside, "secret.html"), "outdir": outside, "broken.html": "gone.html",
		"again.html": "sub/page.html", "copy": "sub", "sub/loop": ".."} {
		require.NoError(t, os.Symlink(target, filepath.Join(dir, filepath.FromSlash(name))))
	}
	s, err := Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	real := map[string]string{}
	for _, f := range s.Files {
		real[f.Path] = f.Real
	}
	assert.Equal(t, map[string]string{"index.html": "index.html", "sub/page.html": "sub/page.html", "again.html": "sub/page.html",
		"copy/page.html": "copy/page.html", ".well-known/x.json": ".well-known/x.json"}, real)
	why := map[string]string{}
	for _, k := range s.Skipped {
		why[k.Path] = k.Why
	}
	assert.Equal(t, map[string]string{"out.html": "symbolic link that leads out of the site", "outdir": "symbolic link that leads out of the site",
		"broken.html": "symbolic link that leads nowhere", "sub/loop": "symbolic link to a folder above it", "copy/loop": "symbolic link to a folder above it",
		".git": "names that begin with a dot are not served", ".env": "names that begin with a dot are not served"}, why)
	_, err = s.Read("out.html")
	assert.Error(t, err, "nothing outside can be read")
	_, err = s.Read("../" + filepath.Base(outside) + "/secret.html")
	assert.Error(t, err)
}

func TestAnswers(t *testing.T) {
	s, err := Open(folder(t, "index.html", "a/index.html", "b.html", "404.html", "x y.css"), "/base/")
	require.NoError(t, err)
	defer s.Close()
	v := NewServer(s, Rules{
		Headers:   []HeaderRule{{"/base/a/**", "X-A", "1"}},
		Redirects: []RedirectRule{{From: "/base/old", To: "/base/b.html", Status: 302}},
		Answers:   []AnswerRule{{Path: "/base/api/*", Method: "POST", Status: 201, Type: "application/json", Body: []byte("{}")}},
	})
	for _, c := range []struct {
		method, path, body, location, kind string
		status                             int
	}{
		{"GET", "/base/", "index.html", "", "text/html", 200}, {"GET", "/base", "", "/base/", "text/plain; charset=utf-8", 301},
		{"GET", "/base/a/", "a/index.html", "", "text/html", 200}, {"GET", "/base/a", "", "/base/a/", "text/plain; charset=utf-8", 301},
		{"GET", "/base/b.html", "b.html", "", "text/html", 200}, {"GET", "/base/x%20y.css", "x y.css", "", "text/css; charset=utf-8", 200},
		{"GET", "/base/gone", "404.html", "", "text/html", 404}, {"GET", "/", "404.html", "", "text/html", 404},
		{"GET", "/base/../b.html", "404.html", "", "text/html", 404}, {"GET", "/base/a/%2e%2e/b.html", "404.html", "", "text/html", 404},
		{"GET", "/base/old", "", "/base/b.html", "text/plain; charset=utf-8", 302}, {"POST", "/base/api/x", "{}", "", "application/json", 201},
		{"POST", "/base/b.html", "method not allowed\n", "", "text/plain; charset=utf-8", 405},
	} {
		a := v.Answer(c.method, c.path)
		assert.Equal(t, c.status, a.Status, c.path)
		assert.Equal(t, c.body, string(a.Body), c.path)
		assert.Equal(t, c.location, a.Header.Get("Location"), c.path)
		assert.Equal(t, c.kind, a.Header.Get("Content-Type"), c.path)
	}
	assert.Equal(t, "1", v.Answer("GET", "/base/a/").Header.Get("X-A"))
	v.Rules.Fallback = "/base/b.html"
	assert.Equal(t, 200, v.Answer("GET", "/base/gone").Status)
	require.NoError(t, os.WriteFile(filepath.Join(s.Dir, "b.html"), []byte("new"), 0o644))
	assert.Equal(t, "b.html", string(v.Answer("GET", "/base/b.html").Body), "what was read is kept")
	v.Forget()
	assert.Equal(t, "new", string(v.Answer("GET", "/base/b.html").Body))
}

func TestCleanAddresses(t *testing.T) {
	s, err := Open(folder(t, "index.html", "about.html", "b/index.html", "b.html", "c/x.css"), "/")
	require.NoError(t, err)
	defer s.Close()
	for address, want := range map[string][2]int{"/about": {404, 200}, "/about.html": {200, 200}, "/b": {301, 200}, "/b/": {200, 200}, "/about/": {404, 404}, "/c": {404, 404}, "/about.css": {404, 404}} {
		for i, clean := range []bool{false, true} {
			assert.Equal(t, want[i], NewServer(s, Rules{Clean: clean}).Answer("GET", address).Status, "%s %v", address, clean)
		}
	}
}

func TestAnswersByQuery(t *testing.T) {
	s, err := Open(folder(t, "index.html", "own.json"), "/")
	require.NoError(t, err)
	defer s.Close()
	q := func(s string) *string { return &s }
	v := NewServer(s, Rules{Answers: []AnswerRule{
		{Path: "/api", Query: q("a=1&key=*"), Body: []byte("keyed")}, {Path: "/api", Query: q("a=1&b=2"), Body: []byte("both")}, {Path: "/api", Query: q(""), Body: []byte("none")},
		{Path: "/any", Body: []byte("any")}, {Path: "/own.json", Spare: true, Body: []byte("recorded")}, {Path: "/live.json", Spare: true, Body: []byte("recorded")}}})
	for address, want := range map[string]string{"/api?a=1&key=secret": "keyed", "/api?key=x&a=1": "keyed", "/api?b=2&a=1": "both", "/api": "none", "/any": "any", "/any?x": "any", "/own.json": "own.json", "/live.json": "recorded"} {
		p, query, _ := strings.Cut(address, "?")
		assert.Equal(t, want, string(v.Ask("GET", p, query).Body), address)
	}
	for _, query := range []string{"a=1", "a=2&key=x", "a=1&key=x&c=3", "a=1&a=1&b=2", "%"} {
		assert.Equal(t, 404, v.Ask("GET", "/api", query).Status, query)
	}
	assert.Equal(t, 200, v.Ask("HEAD", "/any", "").Status)
	assert.Equal(t, 404, v.Ask("POST", "/any", "").Status)
}

func TestHasDigest(t *testing.T) {
	for name, want := range map[string]bool{"app.3f9c2b71.js": true, "assets/index-BX3kd9aQ.css": true, "chunk-3f9c2b7189abcdef.mjs": true, "app.js": false, "report-2024-annual.js": false, "jquery-3.7.1.min.js": false,
		"sw.js": false, "photo-of-Staffin.jpg": false, "/a.b/index.html": false, "3f9c2b71/app.js": false} {
		assert.Equal(t, want, HasDigest(name), name)
	}
}

// TestServersOfTheNextRelease has a server answer some files with other bytes.
func TestServersOfTheNextRelease(t *testing.T) {
	s, err := Open(folder(t, "index.html", "app.css"), "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	one := NewServer(s, Rules{Headers: []HeaderRule{{Path: "/**", Name: "X-Of", Value: "both"}}})
	before := one.Answer("GET", "/")
	two := one.With(map[string][]byte{"index.html": []byte("new")})
	a := two.Answer("GET", "/")
	assert.Equal(t, "new", string(a.Body))
	assert.Equal(t, "both", a.Header.Get("X-Of"))
	assert.NotEqual(t, before.Header.Get("Etag"), a.Header.Get("Etag"))
	assert.Equal(t, one.Answer("GET", "/app.css").Body, two.Answer("GET", "/app.css").Body)
	assert.Equal(t, before.Body, one.Answer("GET", "/").Body, "the first goes on as before")
}

func TestTypesDoNotDependOnTheMachine(t *testing.T) {
	for name, want := range map[string][2]string{"a.html": {"text/html", "page"}, "A.JS": {"text/javascript; charset=utf-8", "script"}, "m.webmanifest": {"application/manifest+json", "manifest"},
		"a.woff2": {"font/woff2", "font"}, "a.js.map": {"application/json", "source map"}, "a.rss": {"application/rss+xml", "data"}, "a": {"application/octet-stream", "other"}, "a.ogg": {"audio/ogg", "media"}} {
		assert.Equal(t, want, [2]string{TypeOf(name), Kind(name)}, name)
	}
}

func TestStartPage(t *testing.T) {
	for want, files := range map[string][]string{"index.html": {"a.html", "index.html", "x/index.html"}, "docs/b.html": {"404.html", "offline.html", "docs/b.html", "docs/c.html"},
		"404.html": {"404.html"}, "index.htm": {"index.htm", "a.html"}} {
		s, err := Open(folder(t, files...), "/")
		require.NoError(t, err)
		f, err := s.StartPage()
		require.NoError(t, err)
		assert.Equal(t, want, f.Path)
		s.Close()
	}
}
