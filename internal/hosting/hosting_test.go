package hosting

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/tested"
)

func folder(t *testing.T, names ...string) *site.Site {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, tested.Named(names...))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

func TestLifetimes(t *testing.T) {
	s := folder(t, "index.html", "assets/app.3f9c2b71.js", "assets/fonts/a-BX3kd9aQ.woff2", "mixed/a.3f9c2b71.css", "mixed/plain.css", "notes.3f9c2b71.html", "a b/[x].3f9c2b71.js", "a b/y.js", "sw.3f9c2b71.js")
	p := Of(s, site.Rules{Headers: []site.HeaderRule{{Path: "/mixed/plain.css", Name: "cache-control", Value: "max-age=60"}}}, Options{Releases: []string{"/sw.3f9c2b71.js", "/index.html"}})
	for u, want := range map[string]string{"/": Asked, "/assets/app.3f9c2b71.js": Forever, "/assets/fonts/a-BX3kd9aQ.woff2": Forever, "/mixed/a.3f9c2b71.css": Forever, "/mixed/plain.css": "max-age=60",
		"/notes.3f9c2b71.html": Asked, "/a%20b/[x].3f9c2b71.js": Forever, "/a%20b/y.js": Asked, "/sw.3f9c2b71.js": Asked} {
		assert.Equal(t, want, p.HeadersFor(u)["cache-control"], u)
	}
	assert.True(t, slices.ContainsFunc(p.Headers, func(h Header) bool { return h.Path == "/assets/**" && h.Digests }), "a folder in which all are kept is one line")
	assert.Equal(t, Asked, p.HeadersFor("/assets/logo.png")["cache-control"], "and what comes into it later without a digest is not kept")
	for _, u := range []string{"/photos/pier-20261130.jpg", "/a/harbour-navigation.css", "/IMG_20261130.jpg", "/assets/12345678.js"} {
		assert.Equal(t, Asked, Lifetime(u), "%s: a date or a word is no digest", u)
	}
}

// TestExpressions holds the regular expressions that servers are given to the globs that they stand for.
func TestExpressions(t *testing.T) {
	paths := []string{"/", "/a", "/a/", "/a/b", "/a/b/c.js", "/app.js", "/app.3f9c.js", "/ab", "/a.b", "/a%20b/c", "/x[1]", "/{q}", "/a/b/", "/Ä", "/%C3%84", "/a*b", "/c.css", "/b/c.css", "/$x", "/a#b"}
	for _, g := range []string{"/**", "/", "/a", "/a/**", "/a/*", "/*.js", "/app.*.js", "/**/*.js", "/**/c.css", "/{a,app.js}", "/{a,b}/**", "/a?", "/[a-c]", "/[!a]", "/x\\[1\\]", "/a%20b/**", "/a.b", "/%C3%84", "/a\\*b", "/\\{q}", "/a/**/c.js", "/$x"} {
		re, decoded := regexp.MustCompile(expression(g, false)), regexp.MustCompile(expression(g, true))
		for _, p := range paths {
			assert.Equal(t, Match(g, p), re.MatchString(p), "%s on %s: %s", g, p, re)
			plain, err := url.PathUnescape(p)
			require.NoError(t, err)
			if Match(g, p) {
				assert.True(t, decoded.MatchString(plain), "%s on %s: %s", g, plain, decoded)
			}
		}
	}
}

func TestPolicies(t *testing.T) {
	for policy, want := range map[string]string{
		"default-src 'self'":                    "",
		"default-src 'none'":                    "default-src 'none'; manifest-src 'self'; worker-src 'self'; script-src 'self'; img-src 'self'",
		"script-src 'none'; img-src *":          "script-src 'self'; img-src *; worker-src 'self'",
		"default-src 'none'; script-src 'self'": "default-src 'none'; script-src 'self'; manifest-src 'self'; img-src 'self'",
		"manifest-src 'none'; ":                 "manifest-src 'self'; ",
	} {
		got := additions(policy, survey.Forbidden)
		if want != "" {
			assert.Empty(t, survey.Forbidden(got), "%s: %s", policy, got)
		}
		if strings.HasPrefix(policy, "script-src 'none'") { // a worker may be allowed by either
			continue
		}
		assert.Equal(t, want, got, policy)
	}
	s := folder(t, "index.html")
	p := Of(s, site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Content-Security-Policy", Value: "default-src 'none'; style-src 'self'"}}}, Options{Forbidden: survey.Forbidden, Policies: []string{"manifest-src 'none'"}})
	assert.Contains(t, p.HeadersFor("/")["content-security-policy"], "style-src 'self'; manifest-src 'self'")
	require.Len(t, p.Remarks, 1)
	assert.Contains(t, p.Remarks[0], "the pages have to: manifest-src 'self'")
}

func TestScopesAndTypes(t *testing.T) {
	s := folder(t, "index.html", "workers/sw.js", "manifest.webmanifest", "map.avif", "404.html")
	p := Of(s, site.Rules{Clean: true, Redirects: []site.RedirectRule{{From: "/a", To: "/b"}, {From: "/recorded", To: "/c", Spare: true}}, Answers: []site.AnswerRule{{Path: "/api/x"}}}, Options{Worker: "/workers/sw.js", Scope: "/"})
	assert.Equal(t, "/", p.HeadersFor("/workers/sw.js")["service-worker-allowed"])
	assert.Equal(t, []Type{{".avif", "image/avif"}, {".webmanifest", "application/manifest+json"}}, p.Types)
	assert.Equal(t, []Redirect{{"/a", "/b", 301}}, p.Redirects)
	assert.Equal(t, "/404.html", p.NotFound)
	assert.Contains(t, p.Compress, "text/html")
	assert.NotContains(t, p.Compress, "image/avif")
	assert.Contains(t, p.Remarks[0], "/api/x is not a file")
	assert.Empty(t, Of(s, site.Rules{}, Options{Worker: "/sw.js", Scope: "/app/"}).HeadersFor("/sw.js")["service-worker-allowed"])
	_, ok := p.For("iis", Root)
	assert.False(t, ok)
}

// TestDigestsForServers holds what servers match in a folder of files with digests.
func TestDigestsForServers(t *testing.T) {
	h := Header{Path: "/assets/**", Digests: true}
	for _, decoded := range []bool{false, true} {
		re := regexp.MustCompile(h.expression(decoded))
		for u, want := range map[string]bool{"/assets/app.3f9c2b71.js": true, "/assets/deep/a-BX3kd9aQ.woff2": true, "/assets/logo.png": false, "/assets/": false, "/other/app.3f9c2b71.js": false} {
			assert.Equal(t, want, re.MatchString(u), u)
		}
	}
	names := []string{"index.html"}
	for i := range maxNamed + 1 {
		names = append(names, fmt.Sprintf("assets/a%d.3f9c2b71.js", i))
	}
	out, _ := Of(folder(t, names...), site.Rules{}, Options{}).For("files", Root)
	assert.Contains(t, out[0].Text, "\n/assets/*\n  Cache-Control: "+Forever+"\n")
	assert.Contains(t, out[0].Text, "keep all others out of this folder")
}

func TestClear(t *testing.T) {
	p := Of(folder(t, "index.html", "a/index.html", "b.html", "c.css"), site.Rules{}, Options{Clear: true})
	for u, want := range map[string]string{"/": Cleared, "/a/": Cleared, "/a/b/": Cleared, "/b.html": Cleared, "/a/b.html": Cleared, "/c.css": "", "/a": ""} {
		assert.Equal(t, want, p.HeadersFor(u)["clear-site-data"], u)
	}
	assert.Contains(t, p.Remarks[0], "tachyform retire does neither")
}

// TestFiles writes what the two plain files can say, each path once, and says what they cannot.
func TestFiles(t *testing.T) {
	s := folder(t, "index.html", "app/index.html", "assets/a.3f9c2b71.js", "sw.js", "manifest.webmanifest")
	p := Of(s, site.Rules{Headers: []site.HeaderRule{{Path: "/assets/**", Name: "X-Served", Value: "yes"}, {Path: "/**/*.html", Name: "X-Frame-Options", Value: "DENY"}},
		Redirects: []site.RedirectRule{{From: "/old", To: "/", Status: 308}}, Routes: []site.RouteRule{{Folder: "/app/", Shell: "/app/", Except: []string{"/app/api"}}}}, Options{Releases: []string{"/sw.js"}})
	out, ok := p.For("files", Root)
	require.True(t, ok)
	require.Equal(t, "_headers", out[0].Name)
	assert.Contains(t, out[0].Text, "\n/assets/a.3f9c2b71.js\n  Cache-Control: "+Forever+"\n", "each by its name")
	assert.Contains(t, out[0].Text, "\n/assets/*\n  X-Served: yes\n")
	assert.Contains(t, out[0].Text, "\n/sw.js\n  Cache-Control: no-cache\n")
	assert.Contains(t, out[0].Text, "cannot say it of /**/*.html")
	assert.NotContains(t, out[0].Text, "\n/*\n")
	assert.Contains(t, out[1].Text, "\n/old / 308\n")
	assert.Contains(t, out[1].Text, "\n/app/* /app/index.html 200\n")
}
