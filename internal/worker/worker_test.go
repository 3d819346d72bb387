package worker

import (
	"bytes"
	"compress/gzip"
	"regexp"
	"strings"
	"testing"

	"github.com/evanw/esbuild/pkg/api"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func plan() *Plan {
	return &Plan{Base: "/", Script: "/sw-page.js", Now: map[string]string{"/": "~a", "/b.css": "b"}, Later: map[string]string{"/c.jpg": "c"},
		Rules: []Rule{{Match: "^/data/.*$", Answer: "network-first", Patience: 3000, Entries: 5}, {Match: "^/account/.*$", Answer: "network-only"}}, Offline: "/offline.html", Takeover: "next-visit"}
}

func TestWorkerIsTheSameEveryTime(t *testing.T) {
	a := Worker(plan())
	assert.Equal(t, string(a), string(Worker(plan())))
	assert.True(t, bytes.HasPrefix(a, []byte(Mark)))
	assert.Contains(t, string(a), `"/b.css": "b",`)
	p := plan()
	p.Now["/b.css"] = "changed"
	assert.NotEqual(t, plan().ID(), p.ID())
	p = plan()
	p.Rules[0].Patience = 1
	assert.NotEqual(t, plan().ID(), p.ID())
	p = plan()
	p.Later["/b.css"] = p.Now["/b.css"]
	delete(p.Now, "/b.css")
	assert.NotEqual(t, plan().ID(), p.ID(), "now and later are told apart")
}

func minified(t *testing.T, src string) int {
	out := api.Transform(src, api.TransformOptions{MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Target: api.ES2020})
	require.Empty(t, out.Errors)
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, 9)
	require.NoError(t, err)
	_, err = z.Write(out.Code)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Len()
}

func TestWeight(t *testing.T) {
	e, p := minified(t, engine), minified(t, page)
	t.Logf("engine %d bytes, page script %d bytes, minified and gzipped", e, p)
	assert.LessOrEqual(t, e, 4096)
	assert.LessOrEqual(t, p, 2048)
}

func TestSyntaxIsES2020(t *testing.T) {
	for name, src := range map[string]string{"engine": string(Worker(plan())), "page script": string(PageScript("/sw.js", "/"))} {
		out := api.Transform(src, api.TransformOptions{Target: api.ES2020, LogLevel: api.LogLevelSilent})
		assert.Empty(t, out.Errors, name)
		assert.Empty(t, out.Warnings, name)
	}
}

func TestPageScriptNamesTheWorker(t *testing.T) {
	s := string(PageScript("/a/sw.js", "/a/"))
	assert.Contains(t, s, `register("/a/sw.js", { scope: "/a/"`)
	assert.NotContains(t, s, "WORKER")
}

func TestOfflinePageEscapes(t *testing.T) {
	out, err := OfflinePage("en", `<b>"Skerry" & co</b>`, "/")
	require.NoError(t, err)
	assert.NotContains(t, string(out), "<b>")
	assert.Contains(t, string(out), "&lt;b&gt;")
}

func TestPatterns(t *testing.T) {
	for _, c := range []struct {
		pattern  string
		yes, no  []string
		isGlob   bool
		mistaken bool
	}{
		{pattern: "/api/departures/:harbour", yes: []string{"/api/departures/staffin"}, no: []string{"/api/departures/", "/api/departures/a/b", "/x/api/departures/a"}},
		{pattern: "/files/*", yes: []string{"/files/", "/files/a/b"}, no: []string{"/files", "/filesx"}},
		{pattern: "/a{.html}?", yes: []string{"/a", "/a.html"}, no: []string{"/axhtml", "/a.htm"}},
		{pattern: "/a(", mistaken: true},
		{pattern: "/a(\\d+)", mistaken: true},
		{pattern: "/**/*.html", isGlob: true, yes: []string{"/a.html", "/a/b/c.html"}, no: []string{"/a.htm", "/a.html/b"}},
		{pattern: "/assets/**", isGlob: true, yes: []string{"/assets/a", "/assets/a/b.css"}, no: []string{"/asset", "/x/assets/a"}},
		{pattern: "/p?.jpg", isGlob: true, yes: []string{"/p1.jpg"}, no: []string{"/p.jpg", "/p/.jpg"}},
		{pattern: "/a+b(c).html", isGlob: true, yes: []string{"/a+b(c).html"}, no: []string{"/aab(c).html"}},
	} {
		var re string
		if c.isGlob {
			re = Glob(c.pattern)
		} else {
			var err error
			re, err = Pattern(c.pattern)
			if c.mistaken {
				assert.Error(t, err, c.pattern)
				continue
			}
			require.NoError(t, err)
		}
		r := regexp.MustCompile(re)
		for _, u := range c.yes {
			assert.True(t, r.MatchString(u), "%s %s %s", c.pattern, re, u)
		}
		for _, u := range c.no {
			assert.False(t, r.MatchString(u), "%s %s %s", c.pattern, re, u)
		}
	}
	assert.False(t, strings.Contains(Glob("/a"), "*"))
}
