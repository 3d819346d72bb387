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
	return &Plan{Base: "/", Script: "/sw-page.js", Now: map[string]string{"/": "~a", "/b.css": "b", "/about.html": "~c", "/town/": "~d", "/offline.html": "~e", "/caf%C3%A9/": "~f", "/none.svg": "g"}, Later: map[string]string{"/c.jpg": "c"},
		Rules: []Rule{{Match: "^/data/.*$", Answer: "network-first", Patience: 3000, Entries: 5}, {Match: "^/account/.*$", Answer: "network-only"}}, Offline: "/offline.html", Takeover: "next-visit"}
}

func source(t *testing.T, p *Plan) []byte {
	t.Helper()
	src, err := Worker(p)
	require.NoError(t, err)
	return src
}

func pageScript(t *testing.T, worker, scope string, minify bool) string {
	t.Helper()
	src, err := PageScript(worker, scope, minify)
	require.NoError(t, err)
	return string(src)
}

func TestWorkerIsTheSameEveryTime(t *testing.T) {
	a := source(t, plan())
	assert.Equal(t, string(a), string(source(t, plan())))
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
	out := api.Transform(src, api.TransformOptions{MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Target: api.ES2020, Format: api.FormatIIFE})
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
	for name, src := range map[string]string{"engine": string(source(t, plan())), "page script": pageScript(t, "/sw.js", "/", false)} {
		out := api.Transform(src, api.TransformOptions{Target: api.ES2020, LogLevel: api.LogLevelSilent})
		assert.Empty(t, out.Errors, name)
		assert.Empty(t, out.Warnings, name)
	}
}

func TestPageScriptNamesTheWorker(t *testing.T) {
	s := pageScript(t, "/a/sw.js", "/a/", false)
	assert.Contains(t, s, `register("/a/sw.js", { scope: "/a/"`)
	assert.NotContains(t, s, "WORKER")
}

func TestOfflinePageEscapes(t *testing.T) {
	out, err := OfflinePage("en", `<b>"Skerry" & co</b>`, "/")
	require.NoError(t, err)
	assert.NotContains(t, string(out), "<b>")
	assert.Contains(t, string(out), "&lt;b&gt;")
}

func TestSmallScripts(t *testing.T) {
	p := plan()
	full := source(t, p)
	p.Minify = true
	small := source(t, p)
	assert.Less(t, len(small), len(full)/2)
	assert.True(t, bytes.HasPrefix(small, []byte(Mark)))
	script := pageScript(t, "/sw.js", "/", true)
	assert.Less(t, len(script), len(pageScript(t, "/sw.js", "/", false))/2)
	assert.True(t, strings.HasPrefix(script, Mark))
	p.Beside = "/push.js"
	assert.Contains(t, string(source(t, p)), `importScripts("/push.js")`)
}

func TestRulesInTheTable(t *testing.T) {
	p := plan()
	p.Rules = []Rule{Leave("/account/**"), {Match: "^/a$", Answer: NetworkFirst, Patience: 10, Entries: 3, Age: 60, Ignore: []string{"utm_*", "ref"}, Vary: VaryObey},
		{Match: "^https://cdn$", Destinations: []string{"image", "font"}, Answer: CacheFirst, Entries: 9, Opaque: true}, {Match: "^/b$", Method: "POST", Answer: Outbox, Entries: 5, Age: 9},
		Leave("/late/**")}
	src := string(source(t, p))
	for _, want := range []string{
		`{ match: "^/account/.*(?:\\?[\\s\\S]*)?$", answer: "leave" }`,
		`{ match: "^/a$", answer: "network-first", patience: 10, entries: 3, age: 60, ignore: "^(?:utm_.*|ref)$", vary: "obey" }`,
		`{ match: "^https://cdn$", destination: ["image","font"], answer: "cache-first", entries: 9, opaque: true }`,
		`{ match: "^/b$", method: "POST", answer: "outbox", entries: 5, age: 9 }`,
		`left: ["/account/*"]`, // a rule behind others cannot be left to the browser
	} {
		assert.Contains(t, src, want)
	}
}

func TestDecide(t *testing.T) {
	p := plan()
	p.Image = "/none.svg"
	p.Rules = append(p.Rules, Leave("/left/**"), Rule{Match: "^/send$", Method: "POST", Answer: Outbox}, Rule{Match: "^https://cdn\\.example/", Answer: CacheFirst, Destinations: []string{"image"}})
	for name, c := range map[string]struct {
		asked Asked
		want  Decision
	}{
		"a page":                      {Asked{Address: "/?utm=1", Destination: "document"}, Decision{Rule: -1, Answer: "release", File: "/", StandIn: "/offline.html"}},
		"its index page":              {Asked{Address: "/town/index.html", Destination: "document"}, Decision{Rule: -1, Answer: "release", File: "/town/", StandIn: "/offline.html"}},
		"without its slash":           {Asked{Address: "/town?a=1", Destination: "document"}, Decision{Rule: -1, Answer: "redirect", Redirect: "/town/?a=1"}},
		"without its extension":       {Asked{Address: "/about", Destination: "document"}, Decision{Rule: -1, Answer: "release", File: "/about.html", StandIn: "/offline.html"}},
		"not by a script":             {Asked{Address: "/about", Destination: "empty"}, Decision{Rule: -1, Answer: "past"}},
		"other percent-encoding":      {Asked{Address: "/caf%c3%a9/", Destination: "document"}, Decision{Rule: -1, Answer: "release", File: "/caf%C3%A9/", StandIn: "/offline.html"}},
		"a file for later":            {Asked{Address: "/c.jpg", Destination: "image"}, Decision{Rule: -1, Answer: "release", File: "/c.jpg", Later: true, StandIn: "/none.svg"}},
		"an image that is not stowed": {Asked{Address: "/x.png", Destination: "image"}, Decision{Rule: -1, Answer: "network", StandIn: "/none.svg"}},
		"a page that is not stowed":   {Asked{Address: "/x", Destination: "document"}, Decision{Rule: -1, Answer: "network", StandIn: "/offline.html"}},
		"a rule":                      {Asked{Address: "/data/a.json", Destination: "empty"}, Decision{Rule: 0, Answer: NetworkFirst}},
		"network-only":                {Asked{Address: "/account/x", Destination: "document"}, Decision{Rule: 1, Answer: NetworkOnly, StandIn: "/offline.html"}},
		"left":                        {Asked{Address: "/left/x", Destination: "document"}, Decision{Rule: 2, Answer: "past"}},
		"outbox":                      {Asked{Address: "/send", Method: "POST", Destination: "empty"}, Decision{Rule: 3, Answer: Outbox}},
		"a post without a rule":       {Asked{Address: "/town/", Method: "POST", Destination: "document"}, Decision{Rule: -1, Answer: "past"}},
		"another origin":              {Asked{Address: "https://cdn.example/a.png", Destination: "image"}, Decision{Rule: 4, Answer: CacheFirst, StandIn: "/none.svg"}},
		"its scripts":                 {Asked{Address: "https://cdn.example/a.js", Destination: "script"}, Decision{Rule: -1, Answer: "past"}},
	} {
		assert.Equal(t, c.want, p.Decide(c.asked), name)
	}
}

func TestHiddenRules(t *testing.T) {
	rule := func(pattern string) Rule {
		p, err := ParsePattern(pattern)
		require.NoError(t, err)
		return Rule{Match: p.Match, Source: pattern}
	}
	post := rule("/api/:x")
	post.Method = "POST"
	images := rule("/*")
	images.Destinations = []string{"image"}
	for _, c := range []struct {
		rules []Rule
		known []string
		want  int
	}{
		{[]Rule{rule("/api/*"), rule("/api/:x")}, nil, 0},
		{[]Rule{rule("/api/:x"), rule("/api/*")}, nil, -1},
		{[]Rule{rule("/x"), rule("/api/*"), rule("/api/a/b")}, nil, 1},
		{[]Rule{rule("/api/:x"), post}, nil, -1},
		{[]Rule{images, rule("/photos/*")}, nil, -1},
		{[]Rule{rule("https://*.example/*"), rule("https://cdn.example/a")}, nil, 0},
		{[]Rule{rule("/*"), rule("https://cdn.example/a")}, nil, -1},
		{[]Rule{rule("/n/(\\d+)"), rule("/n/:id")}, nil, -1},
		{[]Rule{rule("/n/q*"), rule("/n/:id")}, []string{"/n/staffin"}, -1},
	} {
		assert.Equal(t, c.want, HiddenBy(c.rules, len(c.rules)-1, c.known), c.rules[len(c.rules)-1].Source)
	}
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
		{pattern: "/a(\\d+)", yes: []string{"/a12", "/a1?b=c"}, no: []string{"/a", "/ab"}},
		{pattern: "/a((?=b))", mistaken: true}, // which not every engine here understands
		{pattern: "/a/:x?", yes: []string{"/a", "/a/b", "/a/b?c"}, no: []string{"/a/b/c", "/ab"}},
		{pattern: "/a/:x+", yes: []string{"/a/b", "/a/b/c"}, no: []string{"/a", "/a/"}},
		{pattern: "/a{/:x-y}?", yes: []string{"/a", "/a/b-y"}, no: []string{"/a/b"}},
		{pattern: "/a?b=:c", yes: []string{"/a?b=1"}, no: []string{"/a", "/a?b=", "/a?c=1"}},
		{pattern: "/a\\+b", yes: []string{"/a+b"}, no: []string{"/aab"}},
		{pattern: "https://*.tiles.example/:z/*", yes: []string{"https://a.tiles.example/3/x.png", "https://a.b.tiles.example/3/x/y?z"}, no: []string{"/3/x.png", "https://tiles.example/3/x", "https://evil.example/.tiles.example/3/x"}},
		{pattern: "http{s}?://cdn.example:8080/*", yes: []string{"https://cdn.example:8080/a", "http://cdn.example:8080/"}, no: []string{"https://cdn.example/a"}},
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
			var p Pattern
			p, err = ParsePattern(c.pattern)
			re = p.Match
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
