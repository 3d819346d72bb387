package worker

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/evanw/esbuild/pkg/api"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/release"
)

func plan() *Plan {
	pages := func(digest string) Entry { return Entry{digest, Pages} }
	return &Plan{Base: "/", Script: "/sw-page.js", Engine: "/sw-engine.js", Now: map[string]Entry{"/": pages("a"), "/b.css": {"b", Code}, "/about.html": pages("c"), "/town/": pages("d"), "/offline.html": pages("e"), "/caf%C3%A9/": pages("f"), "/none.svg": {"g", Other}}, Later: map[string]Entry{"/c.jpg": {"c", Other}},
		Rules: []Rule{{Match: "^/data/.*$", Answer: "network-first", Patience: 3000, Entries: 5}, {Match: "^/account/.*$", Answer: "network-only"}}, Offline: "/offline.html", Takeover: "next-visit"}
}

func source(t *testing.T, p *Plan) []byte {
	t.Helper()
	src, err := Worker(p)
	require.NoError(t, err)
	return src
}

func engineOf(t *testing.T, p *Plan) []byte {
	t.Helper()
	src, err := Engine(p)
	require.NoError(t, err)
	return src
}

func pageScript(t *testing.T, worker string, p *Plan) string {
	t.Helper()
	src, err := PageScript(worker, p)
	require.NoError(t, err)
	return string(src)
}

// everything is a plan that needs all parts of the engine.
func everything() *Plan {
	p := plan()
	p.Long, p.Ranges, p.Preload, p.Image = true, true, true, "/none.svg"
	p.Rules = append(p.Rules, Rule{Match: "^/send$", Method: "POST", Answer: Outbox, Entries: 5})
	p.Groups = []Group{{"guide", "^/c"}}
	return p
}

func TestWorkerIsTheSameEveryTime(t *testing.T) {
	a := source(t, plan())
	assert.Equal(t, string(a), string(source(t, plan())))
	assert.True(t, bytes.HasPrefix(a, []byte(Mark)))
	assert.Contains(t, string(a), `"/b.css": "b",`)
	p := plan()
	p.Now["/b.css"] = Entry{"changed", Code}
	assert.NotEqual(t, plan().ID(), p.ID())
	p = plan()
	p.Rules[0].Patience = 1
	assert.NotEqual(t, plan().ID(), p.ID())
	p = plan()
	p.Later["/b.css"] = p.Now["/b.css"]
	delete(p.Now, "/b.css")
	assert.NotEqual(t, plan().ID(), p.ID(), "now and later are told apart")
}

// minified gives how many bytes a script has when it is minified and gzipped.
func minified(t *testing.T, src string) int {
	out := api.Transform(src, api.TransformOptions{MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Target: api.ES2020, Format: api.FormatIIFE})
	require.Empty(t, out.Errors)
	return gzipped(t, out.Code)
}

// TestWeight holds the budgets, and prints what docs/measurements.md says.
func TestWeight(t *testing.T) {
	core := plan()
	core.Rules = nil
	weight := func(p *Plan) int { return minified(t, string(engineOf(t, p))) }
	base := weight(core)
	t.Logf("core: %d bytes minified and gzipped; as shipped %d bytes, %d gzipped", base, len(engineOf(t, core)), gzipped(t, engineOf(t, core)))
	for name, add := range map[string]func(p *Plan){
		"range": func(p *Plan) { p.Ranges = true }, "images": func(p *Plan) { p.Image = "/none.svg" }, "preload": func(p *Plan) { p.Preload = true }, "pieces": func(p *Plan) { p.Long = true },
		"groups": func(p *Plan) { p.Groups = []Group{{"guide", "^/c"}} }, "rules": func(p *Plan) { p.Rules = plan().Rules },
		"visited":          func(p *Plan) { p.Visited = &Visited{Pages: []string{"/"}, Entries: 50} },
		"rules and outbox": func(p *Plan) { p.Rules = everything().Rules },
	} {
		p := *core
		add(&p)
		t.Logf("%s: %d bytes more", name, weight(&p)-base)
	}
	whole, script := weight(everything()), minified(t, pageScript(t, "/sw.js", everything()))
	t.Logf("page script without parts: %d", minified(t, pageScript(t, "/sw.js", core)))
	t.Logf("all parts: %d bytes; as shipped %d, %d gzipped; page script: %d", whole, len(engineOf(t, everything())), gzipped(t, engineOf(t, everything())), script)
	assert.LessOrEqual(t, base, 4700)
	assert.LessOrEqual(t, whole, 9200)
	assert.LessOrEqual(t, script, 2400)
}

// TestParts joins what a plan needs and nothing else: the same for all that need the same.
func TestParts(t *testing.T) {
	core := plan()
	core.Rules = nil
	assert.Equal(t, []string{"core"}, core.parts())
	assert.Equal(t, []string{"core", "foreign", "rules"}, plan().parts())
	assert.Equal(t, []string{"core", "pieces", "range", "images", "preload", "foreign", "rules", "outbox", "groups"}, everything().parts())
	core.Visited = &Visited{Pages: []string{"/"}, Entries: 50, Age: 3600, Renew: 60}
	assert.Equal(t, []string{"core", "foreign", "visited"}, core.parts())
	assert.Contains(t, string(source(t, core)), `visited: {"pages":["/"],"entries":50,"age":3600,"renew":60,"private":false}`)
	other := plan()
	other.Now, other.Base, other.Takeover = map[string]Entry{"/x": {"y", Code}}, "/x/", "at-once"
	assert.Equal(t, string(engineOf(t, plan())), string(engineOf(t, other)), "another site with the same needs")
	assert.NotEqual(t, string(engineOf(t, plan())), string(engineOf(t, everything())))
	src := string(engineOf(t, plan()))
	assert.Contains(t, src, plan().engineDigest(), "the engine knows which tables are for it")
	assert.Contains(t, string(source(t, plan())), `importScripts("/sw-engine.js?`+plan().engineDigest()+`")`)
}

// TestPieces cuts a long list.
func TestPieces(t *testing.T) {
	p := plan()
	files, table := p.Pieces()
	assert.Empty(t, files)
	assert.Empty(t, table)
	p.Long = true
	for i := range 5000 {
		p.Later[fmt.Sprintf("/notes/%05d/", i)] = Entry{fmt.Sprintf("%016d", i), Pages}
	}
	files, table = p.Pieces()
	assert.InDelta(t, 5000/pieceFiles, len(table), 25)
	assert.Len(t, files, len(table))
	var all []string
	for i, x := range table {
		data := files["/sw-list/"+x[1]+".json"]
		assert.Equal(t, x[1], release.Digest(data))
		var kinds map[string]map[string]string
		require.NoError(t, json.Unmarshal(data, &kinds))
		var urls []string
		for _, k := range kinds {
			urls = append(urls, slices.Collect(maps.Keys(k))...)
		}
		slices.Sort(urls)
		assert.Equal(t, x[0], urls[0])
		assert.True(t, i == 0 || table[i-1][0] < x[0], "sorted")
		all = append(all, urls...)
	}
	assert.Equal(t, sorted(p.Later), all)
	p.Later["/notes/02500x/"] = Entry{"new", Pages}
	more, _ := p.Pieces()
	changed := 0
	for u := range more {
		if files[u] == nil {
			changed++
		}
	}
	assert.LessOrEqual(t, changed, 2, "one file more changes its piece only, or makes two of it")
	assert.NotContains(t, string(source(t, p)), "/notes/02500x/")
}

func gzipped(t *testing.T, src []byte) int {
	var b bytes.Buffer
	z, err := gzip.NewWriterLevel(&b, 9)
	require.NoError(t, err)
	_, err = z.Write(src)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Len()
}

func TestSyntaxIsES2020(t *testing.T) {
	for name, src := range map[string]string{"worker": string(source(t, everything())), "engine": string(engineOf(t, everything())), "page script": pageScript(t, "/sw.js", everything())} {
		out := api.Transform(src, api.TransformOptions{Target: api.ES2020, LogLevel: api.LogLevelSilent})
		assert.Empty(t, out.Errors, name)
		assert.Empty(t, out.Warnings, name)
	}
}

func TestPageScriptNamesTheWorker(t *testing.T) {
	p := everything()
	p.Base = "/a/"
	s := pageScript(t, "/a/sw.js", p)
	assert.Contains(t, s, `register("/a/sw.js", { scope: "/a/"`)
	assert.Contains(t, s, `["^/send$"].some(`)
	assert.NotContains(t, s, "WORKER")
}

func TestOfflinePage(t *testing.T) {
	out, err := OfflinePage(OfflineLook{Lang: "en", Name: `<b>"Skerry" & co</b>`, Start: "/"})
	require.NoError(t, err)
	assert.NotContains(t, string(out), "<b>")
	assert.Contains(t, string(out), "&lt;b&gt;")
	for _, part := range []string{"<img", "data-app-outbox hidden", "data-app-stored", "data-app-return", "<script"} {
		assert.NotContains(t, string(out), part, "nothing that was not asked for")
	}
	out, err = OfflinePage(OfflineLook{Lang: "gd", Name: "Skerry", Start: "/", Icon: "/mark.svg", Background: "#0b4f6c", Dark: true, Script: "/sw-offline.js", Returns: true, Pages: true, Outbox: true})
	require.NoError(t, err)
	for _, part := range []string{`lang="gd"`, `src="/mark.svg"`, "data-app-outbox hidden", "data-app-stored", "data-app-return", "background: #0b4f6c; color: #fff", `src="/sw-offline.js"`} {
		assert.Contains(t, string(out), part)
	}
}

func TestSmallScripts(t *testing.T) {
	p := plan()
	full, engine, script := source(t, p), engineOf(t, p), pageScript(t, "/sw.js", p)
	p.Minify = true
	assert.Less(t, len(source(t, p)), len(full)*2/3)
	assert.Less(t, len(engineOf(t, p)), len(engine)/2)
	assert.Less(t, len(pageScript(t, "/sw.js", p)), len(script)*3/5)
	for _, src := range []string{string(source(t, p)), string(engineOf(t, p)), pageScript(t, "/sw.js", p)} {
		assert.True(t, strings.HasPrefix(src, Mark))
	}
	p.Beside = "/push.js"
	assert.Contains(t, string(source(t, p)), `importScripts("/push.js")`)
}

func TestRulesInTheTable(t *testing.T) {
	p := plan()
	p.Rules = []Rule{Leave("/account/**"), {Match: "^/a$", Answer: NetworkFirst, Patience: 10, Entries: 3, Age: 60, Ignore: []string{"utm_*", "ref"}, Vary: VaryObey},
		{Match: "^https://cdn$", Destinations: []string{"image", "font"}, Answer: CacheFirst, Entries: 9, Opaque: true}, {Match: "^/b$", Method: "POST", Answer: Outbox, Entries: 5, Age: 9},
		{Match: "^/c$", Name: "mine", Answer: CacheFirst, Entries: 1, Private: true, Tell: true}, {Match: "^/out$", Method: "POST", Answer: NetworkOnly, Forget: []string{"mine"}},
		Leave("/late/**")}
	src := string(source(t, p))
	for _, want := range []string{
		`{ match: "^/account/.*(?:\\?[\\s\\S]*)?$", answer: "leave" }`,
		`{ match: "^/a$", answer: "network-first", patience: 10, entries: 3, age: 60, ignore: "^(?:utm_.*|ref)$", vary: "obey" }`,
		`{ match: "^https://cdn$", destination: ["image","font"], answer: "cache-first", entries: 9, opaque: true }`,
		`{ match: "^/b$", method: "POST", answer: "outbox", entries: 5, age: 9 }`,
		`{ match: "^/c$", name: "mine", answer: "cache-first", entries: 1, private: true, tell: true }`, `{ match: "^/out$", method: "POST", answer: "network-only", forget: ["mine"] }`,
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

// TestDecideRoutes is about addresses that an application's shell answers.
func TestDecideRoutes(t *testing.T) {
	p := plan()
	p.Shell, p.Offline, p.Apart = "/", "/", []string{"/legal", "/legal/"}
	for address, file := range map[string]string{"/boats/7": "/", "/boats/7?a=b.c": "/", "/boats": "/", "/boats/7.html": "", "/legal": "", "/legal/": "", "/about": "/about.html", "/data/x": ""} {
		d := p.Decide(Asked{Address: address, Destination: "document"})
		assert.Equal(t, file, d.File, address)
		assert.Equal(t, file != "", d.Answer == "release", address)
		assert.Empty(t, p.Decide(Asked{Address: address, Destination: "empty"}).File, address)
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

func TestRoutesOf(t *testing.T) {
	assert.Empty(t, RoutesOf(nil))
	re := regexp.MustCompile(RoutesOf([]string{"/boats", "/boats/:id", "/a.b/**", "/odd\\*", "/"}))
	for path, want := range map[string]bool{"/": true, "/boats": true, "/boats/": true, "/boats/7": true, "/boats/7/": true, "/boats/7/crew": false, "/boat": false, "/boatsx": false, "/a.b/c/d": true, "/axb/c": false, "/odd*": true, "/odd1": false, "/x/boats": false} {
		assert.Equal(t, want, re.MatchString(path), path)
	}
}
