package deployed

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

const code = "const a = 1;\n\n  function b() { return a }\n"

// page holds the digest by which the worker knows it.
const page = "<!doctype html>\n<title>Skerry Line</title>\n<script data-digest=\"AAAABBBBCCCCDDDD\"></script>\n"

// table is our worker for the site below.
func table(id string) string {
	return worker.Mark + "service worker: this release.\nself.tachyform = {\n  release: \"" + id + "\",\n  script: \"/sw-page.js\",\n  now: {\n    pages: { \"/\": \"AAAABBBBCCCCDDDD\" },\n    code: { \"/use.js\": \"" + release.Digest([]byte(code)) + "\" },\n    other: { \"/photo.jpg\": \"" + release.Digest([]byte("photo")) + "\" }\n  },\n  later: {}\n};\n"
}

// live is a server that answers as a folder does, but for what a case changes.
type live struct {
	server  *site.Server
	headers map[string]string
	change  func(path string, fresh bool, a *Answer) error
}

func (l *live) fetch(_ context.Context, path string, fresh bool) (Answer, error) {
	x := l.server.Answer("GET", path)
	a := Answer{x.Status, x.Header.Clone(), bytes.Clone(x.Body)}
	a.Header.Set("Cache-Control", hosting.Lifetime(path))
	for k, v := range l.headers {
		a.Header.Set(k, v)
	}
	if l.change != nil {
		if err := l.change(path, fresh, &a); err != nil {
			return Answer{}, err
		}
	}
	return a, nil
}

func compared(t *testing.T, sample int, rules site.Rules, change func(path string, fresh bool, a *Answer) error, more ...string) *Report {
	t.Helper()
	dir := t.TempDir()
	files := map[string]string{"index.html": page, "use.js": code, "photo.jpg": "photo", "sw.js": table("0123456789ab"), "sw-page.js": worker.Mark + "page script", "m.webmanifest": "{}", "lib.3f9c2b71.js": "1", "about.html": page}
	for _, m := range more {
		files[m] = m
	}
	for name, data := range files {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644))
	}
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	plan := hosting.Of(s, rules, hosting.Options{Worker: "/sw.js", Releases: []string{"/sw.js", "/sw-page.js", "/m.webmanifest"}})
	steps := 0
	r, err := Compare(context.Background(), (&live{server: site.NewServer(s, site.Rules{}), change: change}).fetch, s, plan, sample, func(done, total int) { steps++; assert.LessOrEqual(t, done, total) })
	require.NoError(t, err)
	assert.Equal(t, r.Asked, steps)
	return r
}

// only changes the answers for one path.
func only(path string, change func(a *Answer)) func(string, bool, *Answer) error {
	return func(p string, _ bool, a *Answer) error {
		if p == path {
			change(a)
		}
		return nil
	}
}

func TestCompare(t *testing.T) {
	status := func(n int) func(*Answer) { return func(a *Answer) { a.Status = n } }
	for name, c := range map[string]struct {
		change  func(string, bool, *Answer) error
		what    string // of the first file: URL, what, whether it is accepted and needed
		how     string
		verdict string
		header  string
	}{
		"whole":              {nil, "", "", "what is live is release 0123456789ab, whole", ""},
		"missing":            {only("/use.js", status(404)), "/use.js missing false true", "", "what is live is release 0123456789ab, but 1 file is not as in", ""},
		"a page instead":     {only("/photo.jpg", func(a *Answer) { a.Body = []byte("<p>"); a.Header.Set("Content-Type", "text/html") }), "/photo.jpg a page false false", "", "but 1 file is not as in", ""},
		"refused":            {only("/m.webmanifest", status(401)), "/m.webmanifest refused false false", "", "but 1 file is not as in", ""},
		"moved":              {only("/sw.js", func(a *Answer) { a.Status = 301; a.Header.Set("Location", "/static/sw.js") }), "/sw.js moved false true", "", "has no worker of release", ""},
		"minified":           {only("/use.js", func(a *Answer) { a.Body = []byte("const a=1;function b(){return a}") }), "/use.js altered false true", "white space was taken out", "but 1 file is not as in", ""},
		"compressed":         {only("/photo.jpg", func(a *Answer) { a.Body = []byte("\x1f\x8bxx") }), "/photo.jpg altered false false", "compressed, without saying so", "but 1 file is not as in", ""},
		"a script is put in": {only("/", func(a *Answer) { a.Body = append(a.Body, "<script src=//ads.example></script>"...) }), "/ altered true true", "something was added", "whole for its worker, though 1 file was altered", ""},
		"its digest is gone": {only("/", func(a *Answer) { a.Body = []byte("<title>Skerry Line</title>") }), "/ altered false true", "made smaller", "but 1 file is not as in", ""},
		"another release":    {only("/sw.js", func(a *Answer) { a.Body = []byte(table("ffffffffffff")) }), "/sw.js altered false true", "", "what is live is release ffffffffffff, and not 0123456789ab of", ""},
		"no worker":          {only("/sw.js", status(404)), "/sw.js missing false true", "", "what is live has no worker of release 0123456789ab", ""},
		"not answered": {func(p string, _ bool, _ *Answer) error {
			return map[bool]error{true: errors.New("cut off")}[p == "/photo.jpg"]
		}, "/photo.jpg unanswered false false", "cut off", "but 1 file is not as in", ""},
		"another host": {func(_ string, _ bool, a *Answer) error { a.Status = 404; return nil }, "/ missing false true", "", "is not release 0123456789ab: 8 of 8 files are not there", ""},
		"kept on the way": {func(p string, fresh bool, a *Answer) error {
			if p == "/use.js" && !fresh {
				a.Body = []byte("old")
				a.Header.Set("Age", "77")
			}
			return nil
		}, "/use.js stale false true", "its Age is 77 s", "but 1 file is not as in", ""},
		"kept for a day":      {only("/sw.js", func(a *Answer) { a.Header.Set("Cache-Control", "max-age=86400") }), "", "", "whole", "/sw.js Cache-Control max-age=86400 browsers keep it for 24 hours without asking"},
		"asked for too often": {only("/lib.3f9c2b71.js", func(a *Answer) { a.Header.Del("Cache-Control") }), "", "", "whole", "/lib.3f9c2b71.js Cache-Control  browsers ask for it again, though its name changes with its content"},
		"no script":           {only("/use.js", func(a *Answer) { a.Header.Set("Content-Type", "text/plain") }), "", "", "whole", "/use.js Content-Type text/plain browsers do not take it for what it is"},
		"a clean address": {func(p string, _ bool, a *Answer) error {
			if p == "/about.html" {
				a.Status = 308
				a.Header.Set("Location", "/about")
			}
			if p == "/about" {
				a.Status, a.Body = 200, []byte(page)
			}
			return nil
		}, "", "", "whole", ""},
		"it leads to a sign-in": {func(p string, _ bool, a *Answer) error {
			if p == "/about.html" {
				a.Status = 302
				a.Header.Set("Location", "https://sign-in.example/x")
			}
			return nil
		}, "/about.html moved false false", "", "but 1 file is not as in", ""},
	} {
		t.Run(name, func(t *testing.T) {
			r := compared(t, 0, site.Rules{}, c.change, "_headers")
			got, how := "", ""
			if len(r.Files) > 0 {
				f := r.Files[0]
				got, how = fmt.Sprintf("%s %s %t %t", f.URL, f.What, f.Accepted, f.Needed), f.How
			}
			assert.Equal(t, c.what, got)
			assert.Contains(t, how, c.how)
			assert.Contains(t, r.Verdict, c.verdict)
			assert.Equal(t, strings.Contains(c.verdict, "whole"), r.Whole)
			header := ""
			if len(r.Headers) > 0 {
				h := r.Headers[0]
				header = strings.Join([]string{h.URL, h.Name, h.Got, h.Costs}, " ")
			}
			assert.Equal(t, c.header, header)
			assert.Equal(t, 8, r.Asked)
			assert.Equal(t, 8-len(r.Files), r.Same)
		})
	}
}

// TestConfiguredHeaders misses what the configuration says that the server sends.
func TestConfiguredHeaders(t *testing.T) {
	r := compared(t, 0, site.Rules{Headers: []site.HeaderRule{{Path: "/use.js", Name: "X-Frame-Options", Value: "DENY"}}}, nil)
	assert.Equal(t, []Sent{{"/use.js", "X-Frame-Options", "", "DENY", "the configuration says so"}}, r.Headers)
}

// TestSample asks for some files of many, and always for those that decide.
func TestSample(t *testing.T) {
	var many []string
	for i := range 400 {
		many = append(many, fmt.Sprintf("photo-%d.png", i))
	}
	r := compared(t, 20, site.Rules{}, func(p string, _ bool, a *Answer) error {
		if p == "/m.webmanifest" {
			a.Status = http.StatusForbidden
		}
		return nil
	}, many...)
	assert.Equal(t, 20, r.Asked)
	assert.Equal(t, 408, r.Of)
	assert.Contains(t, r.Verdict, "20 of 408 files were asked for")
	require.Len(t, r.Files, 1, "what names the release is always asked for")
}
