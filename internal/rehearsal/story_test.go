package rehearsal

import (
	"context"
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/tested"
)

// folder writes files and serves them.
func folder(t testing.TB, files map[string]string) *site.Server {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, site.Rules{})
}

// fittedFolder does the same with a site that is fitted.
func fittedFolder(t testing.TB, files map[string]string) *site.Server {
	t.Helper()
	v := folder(t, files)
	c := &config.Config{}
	c.Icons.Effort = "quick"
	p, err := fitting.Make(context.Background(), v.Site, c, fitting.Options{})
	require.NoError(t, err)
	require.NoError(t, p.Apply(context.Background(), nil))
	require.NoError(t, v.Site.Rescan())
	return v
}

func small(v string) map[string]string {
	return map[string]string{
		"index.html": `<!doctype html><html lang=en><head><title>Home ` + v + `</title><link rel=stylesheet href=/app.css></head><body><h1>Ferries</h1><script>"not text"</script></body></html>`,
		"deep/index.html": `<!doctype html><html lang=en><head><title>Deep ` + v + `</title><link rel=stylesheet href=/app.css></head><body><p>Tides  and
 fares</p></body></html>`,
		"app.css": "/* " + v + " */",
	}
}

func tell(t *testing.T, server, next *site.Server, steps ...string) *StoryResult {
	t.Helper()
	story := Story{Name: "test", Steps: steps}
	require.NoError(t, story.Check())
	teller := Teller{Server: server, Next: next, Start: func() (Stage, func(), error) {
		st := NewEmbedded(server, nil, stage.Limits{})
		return st, st.Close, nil
	}}
	r, err := teller.Tell(context.Background(), story)
	require.NoError(t, err)
	return r
}

func TestStories(t *testing.T) {
	server := fittedFolder(t, small("one"))
	next := fittedFolder(t, small("two"))
	for name, c := range map[string]struct {
		steps string
		why   string // of the last step, "" when the story passes
	}{
		"whole":                {"open /|network offline|stop worker|open /deep/|expect whole|expect status 200|expect title Deep one", ""},
		"lost":                 {"network offline|open /|expect lost", ""},
		"not whole":            {"network offline|open /|expect whole", "no worker is registered, and there is no network"},
		"stand-in":             {"open /|network offline|open /nowhere|expect stand-in|expect title No connection", ""},
		"text":                 {"open /deep/|expect text Tides and fares", ""},
		"no text":              {"open /|expect text not text", "the page does not say so: \"Home one Ferries\""},
		"another title":        {"open /|expect title Away", `the title is "Home one"`},
		"fetch":                {"open /|open /|network offline|fetch /app.css|expect status 200|expect body /* one */", ""},
		"another body":         {"open /|fetch /app.css|expect body two", `the answer is "/* one */"`},
		"post":                 {"open /|post /nowhere {\"a\": 1}|expect status 404", ""},
		"stored":               {"open /|expect stored /app.css|expect not stored /nowhere", ""},
		"not stored":           {"expect stored /app.css", "no store holds it"},
		"one address":          {"network /app.css missing|open /|expect partial", ""},
		"one address is fine":  {"open /|open /|network /app.css missing|open /|expect whole", ""},
		"clear":                {"open /|open /|forget everything|expect not stored /app.css|network offline|open /|expect lost", ""},
		"release":              {"open /|open /|serve next|open /|expect release 1|reload|expect release 1|close|tab 1|open /|expect release 2", ""},
		"the wrong release":    {"open /|open /|serve next|open /|expect release 2", "what was shown is release 1"},
		"take over":            {"open /|open /|serve next|open /|take over|reload|expect release 2|expect no mix", ""},
		"nothing to take over": {"open /|take over", "no worker waits to take over"},
		"two tabs":             {"open /|tab 2|open /deep/|serve next|reload|tab 1|close|open /deep/|expect release 1", ""},
		"each tab its page":    {"open /|tab 2|open /deep/|tab 1|reload|expect title Home|tab 2|reload|expect title Deep|close|tab 1|reload|expect title Home", ""},
		"no such tab":          {"tab 3", "tab 2 of 1: there is no such tab"},
		"wait":                 {"open /|wait 2h|open /|expect whole", ""},
		"nothing was opened":   {"reload", "no page was opened before"},
	} {
		t.Run(name, func(t *testing.T) {
			r := tell(t, server, next, strings.Split(c.steps, "|")...)
			assert.Equal(t, c.why == "", r.Passed)
			assert.Equal(t, c.why, r.Steps[len(r.Steps)-1].Why)
		})
	}
	assert.Equal(t, "there is no next release; name its folder with --next", tell(t, server, nil, "serve next").Steps[0].Why)
}

// TestAMixIsSeen tells of a worker that stores file by file.
func TestAMixIsSeen(t *testing.T) {
	files := func(v string) map[string]string {
		m := small(v)
		m["index.html"] = strings.Replace(m["index.html"], "<script>", `<script>navigator.serviceWorker.register("/sw.js");`, 1)
		m["sw.js"] = `onfetch = (e) => e.respondWith((async () => { const c = await caches.open("c"); if (e.request.mode === "navigate") return fetch(e.request);
			const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; })());`
		return m
	}
	r := tell(t, folder(t, files("one")), folder(t, files("two")), "open /", "open /", "serve next", "open /", "expect no mix")
	last := r.Steps[len(r.Steps)-1]
	assert.Equal(t, "page and parts are of different releases", last.Why)
	assert.Equal(t, "whole, a mix of releases", r.Steps[3].Saw)
}

func TestStepsThatAreNotUnderstood(t *testing.T) {
	for _, text := range []string{"", "walk /", "open", "tab zero", "tab 0", "wait soon", "wait -1s", "network away", "network missing", "serve last", "take", "take under", "clear site", "stop", "expect",
		"expect more", "expect title", "expect status ok", "expect release 3", "expect not /", "expect no", "expect stored"} {
		story := Story{Name: "s", Steps: []string{"open /", text}}
		err := story.Check()
		assert.ErrorIs(t, err, ErrStep, text)
		assert.ErrorContains(t, err, `story "s", step 2`)
	}
}

func TestBuiltinStories(t *testing.T) {
	server, next := fittedFolder(t, small("one")), fittedFolder(t, small("two"))
	list := Builtin("/", "Home", "/deep/", true)
	require.Len(t, list, 7)
	for _, story := range list {
		r := tell(t, server, next, story.Steps...)
		assert.True(t, r.Passed, "%s: %v", story.Name, r.Steps)
	}
	bare := folder(t, small("one"))
	assert.False(t, tell(t, bare, nil, list[0].Steps...).Passed)
}

// TestBuiltinStoriesOfUntitledSites has a start page without a title, and one with spaces in it.
func TestBuiltinStoriesOfUntitledSites(t *testing.T) {
	for _, title := range []string{"", "  ", "two \n  lines"} {
		for _, s := range Builtin("/", title, "/deep/", true) {
			require.NoError(t, s.Check(), "%q", title)
		}
		files := small("one")
		files["index.html"] = `<!doctype html><title>` + title + `</title><p>x`
		server := fittedFolder(t, files)
		for _, s := range Builtin("/", title, "/", false) {
			r := tell(t, server, nil, s.Steps...)
			assert.True(t, r.Passed, "%q, %s: %+v", title, s.Name, r.Steps)
		}
	}
}

func TestTraces(t *testing.T) {
	server := fittedFolder(t, small("one"))
	st := NewEmbedded(server, nil, stage.Limits{})
	defer st.Close()
	r, err := Run(context.Background(), st, server, Options{Traces: []string{"/deep/", "/app.css", "/nowhere"}, Networks: []stage.Network{stage.Offline}})
	require.NoError(t, err)
	require.Len(t, r.Traces, 3)
	text := func(i int) string {
		var all []string
		for _, s := range r.Traces[i].Steps {
			all = append(all, s.Text)
		}
		return strings.Join(all, "\n")
	}
	assert.Contains(t, text(0), "/deep/ is opened\nthe worker /sw.js is started, with fresh globals\nthe worker /sw.js gets a fetch event: /deep/ as a page\nit calls respondWith")
	assert.Contains(t, text(0), `it looks for /deep/?tachyform=`)
	assert.Contains(t, text(0), "the worker answers: status 200")
	assert.True(t, strings.HasSuffix(text(0), "the page asks for 2 more things, and gets them"), text(0))
	assert.Contains(t, text(1), "the page asks for /app.css\n")
	assert.Contains(t, text(2), "/nowhere, cache: no-cache: there is no network")
}

var update = flag.Bool("update", false, "write the table of steps into the documentation")

func TestCompare(t *testing.T) {
	page := func(url string, o Outcome, by string) PageResult {
		return PageResult{URL: url, Network: "offline", Outcome: o, Status: 200, AnsweredBy: by}
	}
	a := &Report{Worker: Worker{State: "activated"}, Pages: []PageResult{page("/", Whole, "worker"), page("/a", Lost, "browser"), page("/b", Whole, "worker")},
		Stories: []*StoryResult{{Name: "s", Steps: []StepResult{{Step: "open /", Passed: true, Saw: "whole"}}}}, Fetches: []FetchResult{{URL: "/x", Result: "answered", Status: 200}}}
	assert.Empty(t, Compare(a, a))
	b := &Report{Worker: Worker{State: "failed"}, Pages: []PageResult{page("/", Partial, "worker"), page("/a", Lost, "network"), page("/b", Whole, "network")},
		Stories: []*StoryResult{{Name: "s", Steps: []StepResult{{Step: "open /", Why: "gone"}}}}, Fetches: []FetchResult{{URL: "/x", Result: "rejected"}}}
	var where []string
	for _, d := range Compare(a, b) {
		where = append(where, d.Where)
	}
	assert.Equal(t, []string{"worker", "offline /", "offline /b", "fetch  /x", `story "s", step 1: open /`}, where)
}

func TestWhatARehearsalNotices(t *testing.T) {
	worker := func(src string, v string) map[string]string {
		m := small(v)
		m["index.html"] = strings.Replace(m["index.html"], "<script>", `<script>navigator.serviceWorker.register("/sw.js");`, 1)
		m["gone.html"] = `<!doctype html><title>Gone</title><link rel=stylesheet href=/gone.css>`
		m["gone.css"] = "p {}"
		m["sw.js"] = src
		return m
	}
	const src = `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/gone.html", "/app.css"])));
		onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(() => caches.match("/gone.html"))); };`
	server, next := folder(t, worker(src, "one")), folder(t, worker(src, "two"))
	st := NewEmbedded(server, nil, stage.Limits{})
	defer st.Close()
	r, err := Run(context.Background(), st, server, Options{Next: next})
	require.NoError(t, err)
	said := map[string]string{}
	for _, f := range r.Findings {
		said[f.Kind] = f.Message
		assert.NotEmpty(t, f.Mend, f.Kind)
	}
	assert.Contains(t, said["stand-in"], `("Gone") lacks /gone.css`)
	assert.Contains(t, said["stale"], "the next release changes /app.css, which is stored, and the worker stays the same")
}

// FuzzStories tells any steps.
func FuzzStories(f *testing.F) {
	server, next := fittedFolder(f, small("one")), fittedFolder(f, small("two"))
	for _, s := range strings.Split(Steps, "\n") {
		f.Add(s)
	}
	f.Add("open /\nnetwork offline\nopen /deep/\nexpect whole")
	f.Add("tab 2\nclose\nclose\nclose\nopen /\nserve next\nreload\ntake over\nexpect no mix")
	f.Add("open http://[\nfetch ::\npost / {\nnetwork [ offline\nwait 9000h\nexpect stored %zz")
	f.Fuzz(func(t *testing.T, text string) {
		story := Story{Name: "fuzz", Steps: strings.Split(text, "\n")}
		if story.Check() != nil || len(story.Steps) > 20 {
			return
		}
		teller := Teller{Server: server, Next: next, Start: func() (Stage, func(), error) {
			st := NewEmbedded(server, nil, stage.Limits{})
			return st, st.Close, nil
		}}
		_, _ = teller.Tell(context.Background(), story)
	})
}

// TestStepsInDocs holds the table of steps in the documentation to the one that the parser is made of.
func TestStepsInDocs(t *testing.T) {
	const page = "../../docs/rehearsing.md"
	text, err := os.ReadFile(page)
	require.NoError(t, err)
	from := strings.Index(string(text), "| step | ")
	require.GreaterOrEqual(t, from, 0)
	to := from + strings.Index(string(text[from:]), "\n\n") + 1
	if *update {
		require.NoError(t, os.WriteFile(page, []byte(string(text[:from])+StepTable()+string(text[to:])), 0o644)) //nolint:gosec // documentation is read by everybody
		return
	}
	assert.Equal(t, StepTable(), string(text[from:to]), "go test ./internal/rehearsal -update")
}
