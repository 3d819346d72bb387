package compare

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/tested"
)

// release writes a site of two pages with a style sheet, changed as a case says; a file that is "" is left out.
func release(t *testing.T, rules site.Rules, changes ...map[string]string) *site.Server {
	t.Helper()
	const head = `<!doctype html><html lang=en><head><meta charset=utf-8><title>Skerry Line</title><link rel=stylesheet href=/app.css><link rel=manifest href=/m.json></head><body>`
	files := map[string]string{
		"index.html":       head + `<h1>Skerry Line</h1><script>navigator.serviceWorker.register("/sw.js")</script>`,
		"fares/index.html": head + `<h1>Fares</h1>`,
		"app.css":          "body { color: teal }",
		"m.json":           `{"name": "Skerry Line", "start_url": "/", "icons": [{"src": "/icon.png", "sizes": "192x192"}]}`,
		"icon.png":         "one",
		"sw.js":            "onfetch = () => {};",
	}
	for _, c := range changes {
		maps.Copy(files, c)
	}
	maps.DeleteFunc(files, func(_, text string) bool { return text == "" })
	dir := tested.Folder(t, files)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, rules)
}

func options() Options {
	return Options{
		Start: func(s *site.Server) (rehearsal.Stage, func(), error) {
			st := rehearsal.NewEmbedded(s, nil, stage.Limits{})
			return st, st.Close, nil
		},
		Lazy: func(ctx context.Context, s *site.Site, gone []string) ([]string, error) {
			inv, err := survey.Take(ctx, s, survey.Options{})
			if err != nil {
				return nil, err
			}
			wanted, _, err := inv.Wanted(ctx, func(string) bool { return false })
			return slices.DeleteFunc(gone, func(u string) bool { return !wanted[u] }), err
		},
	}
}

func failed(r *Report) []string {
	out := []string{}
	for _, c := range r.Checks {
		if c.State == "failed" {
			out = append(out, strings.TrimPrefix(c.ID, "release/"))
		}
	}
	return out
}

// seen gives what a visitor with one tab sees of the last release of a step.
func seen(r *Report, step int) string { return shows(r.Steps[step].Visits[0].Visits) }

const (
	first   = `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/fares/", "/app.css"])));`
	answers = `
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	cleans = `
onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== STORE).map((n) => caches.delete(n)))));`
	store = `
oninstall = (e) => e.waitUntil(caches.open(STORE).then((c) => Promise.all(["/", "/fares/", "/app.css"].map(async (u) => c.put(u, await fetch(u, {cache: "no-cache"}))))));
onfetch = (e) => e.respondWith(caches.open(STORE).then(async (c) => (await c.match(e.request)) || fetch(e.request)));`
)

// TestReleases lets visitors of one release meet another, with workers of many kinds.
func TestReleases(t *testing.T) {
	type files = map[string]string
	changed := files{"index.html": `<!doctype html><html lang=en><head><meta charset=utf-8><title>Skerry Line</title><link rel=stylesheet href=/app.css><link rel=manifest href=/m.json></head><body><h1>Winter</h1><script>navigator.serviceWorker.register("/sw.js")</script>`, "app.css": "body { color: navy }"}
	with := func(list ...files) files {
		out := files{}
		for _, x := range list {
			maps.Copy(out, x)
		}
		return out
	}
	for name, c := range map[string]struct {
		old, next files
		rules     site.Rules
		seen      string
		failed    []string
		message   string // in the first finding of the first check that failed
		place     string
	}{
		"the same":           {seen: "same, same, same, same"},
		"keeps out of it":    {next: changed, seen: "new, new, new, new"},
		"never changes":      {old: files{"sw.js": first + answers}, next: with(changed, files{"sw.js": first + answers}), seen: "old, old, old, old", failed: []string{"never-arrives"}, message: "the worker's bytes are the same in both", place: "sw.js:0"},
		"store by release":   {old: files{"sw.js": `const STORE = "1";` + cleans + store}, next: with(changed, files{"sw.js": `const STORE = "2";` + cleans + store}), seen: "old, old, new, new"},
		"nothing is deleted": {old: files{"sw.js": `const STORE = "1";` + store}, next: with(changed, files{"sw.js": `const STORE = "2";` + store}), seen: "old, old, new, new", failed: []string{"stores-left"}, message: "still what the old release stored: 1", place: "sw.js:0"},
		"styles stay": {old: files{"sw.js": first + "\nonfetch = (e) => {\n  if (e.request.mode !== 'navigate') e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));\n};"},
			next: with(changed, files{"sw.js": first + "\nonfetch = (e) => {\n  if (e.request.mode !== 'navigate') e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));\n};"}),
			seen: "mix, mix, mix, mix", failed: []string{"never-arrives", "mixed"}, message: "mix, mix, mix, mix"},
		"a cache of the browser": {rules: site.Rules{Headers: []site.HeaderRule{{Path: "/app.css", Name: "Cache-Control", Value: "max-age=604800"}}}, next: changed, seen: "mix, mix, mix, mix", failed: []string{"never-arrives", "mixed"}, message: "mix"},
		"another address, the same scope": {old: files{"sw.js": `const STORE = "1";` + store}, next: with(changed, files{"sw.js": `onfetch = () => {};`, "index.html": strings.Replace(changed["index.html"], "/sw.js", "/worker.js", 1), "worker.js": `const STORE = "2";` + cleans + store}),
			seen: "old, old, new, new"},
		"taken away": {old: files{"sw.js": first + answers}, next: with(changed, files{"sw.js": "", "index.html": strings.Replace(changed["index.html"], "navigator", "0 && navigator", 1)}), seen: "old, old, old, old", failed: []string{"never-arrives", "worker-stays", "stores-left"}, message: "the new release registers no worker"},
		"another scope": {old: files{"index.html": strings.Replace(changed["index.html"], `"/sw.js"`, `"/sw.js", {scope: "/fares/"}`, 1)}, next: files{"index.html": strings.Replace(changed["index.html"], `"/sw.js"`, `"/sw2.js", {scope: "/"}`, 1), "sw2.js": "onfetch = () => {};"},
			seen: "new, new, new, new", failed: []string{"worker-stays"}, message: "/sw.js is still registered"},
		"data stays": {old: files{"times.json": "[1]", "sw.js": `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.add("/times.json")));
onfetch = (e) => { if (e.request.url.endsWith(".json")) e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`},
			next: with(changed, files{"times.json": "[2]", "sw.js": `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.add("/times.json")));
onfetch = (e) => { if (e.request.url.endsWith(".json")) e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`}),
			seen: "new, new, new, new", failed: []string{"worker-unaware"}, message: "/times.json is given as before"},
		"an old page asks for what is gone": {
			old: files{"app.css": "", "app.3f9c2b71.css": "a {}", "index.html": strings.Replace(changed["index.html"], "app.css", "app.3f9c2b71.css", 1), "fares/index.html": "<title>F</title>", "sw.js": `oninstall = (e) => e.waitUntil(caches.open("1").then((c) => c.add("/")));
onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== "1").map((n) => caches.delete(n)))));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`},
			next: files{"app.css": "", "app.3f9c2b71.css": "", "app.77aa2b71.css": "b {}", "index.html": strings.Replace(changed["index.html"], "app.css", "app.77aa2b71.css", 1), "fares/index.html": "<title>F</title>", "sw.js": `oninstall = (e) => e.waitUntil(caches.open("2").then((c) => c.put("/", new Response("x"))).then(() => fetch("/")).then((r) => caches.open("2").then((c) => c.put("/", r))));
onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== "2").map((n) => caches.delete(n)))));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`},
			seen: "old, old, new, new", failed: []string{"page-broken"}, message: "lacks /app.3f9c2b71.css, which new visitors get"},
		"a click asks for what is gone": {old: files{"map.3f9c2b71.js": "1", "use.js": `onclick = () => import("/map.3f9c2b71.js");`, "index.html": strings.Replace(changed["index.html"], "<h1>", `<script src=/use.js></script><h1>`, 1)},
			next: files{"map.3f9c2b71.js": "", "map.77aa2b71.js": "2", "use.js": `onclick = () => import("/map.77aa2b71.js");`, "index.html": strings.Replace(changed["index.html"], "<h1>", `<script src=/use.js></script><h1>`, 1)},
			seen: "new, new, new, new", failed: []string{"gone-while-open"}, message: "/map.3f9c2b71.js is asked for by a page that was open before"},
		"a digest that lies":      {old: files{"a.3f9c2b71.js": "1"}, next: files{"a.3f9c2b71.js": "2"}, seen: "same, same, same, same", failed: []string{"immutable-changed"}, message: "has a digest in its name, and has other bytes"},
		"a header that lies":      {rules: site.Rules{Headers: []site.HeaderRule{{Path: "/a.js", Name: "cache-control", Value: "public, max-age=31536000"}}}, old: files{"a.js": "1"}, next: files{"a.js": "2"}, seen: "same, same, same, same", failed: []string{"immutable-changed"}, message: "is sent with Cache-Control: public, max-age=31536000"},
		"a page goes":             {next: files{"fares/index.html": "", "fares.html": "<title>F</title>"}, seen: "same, same, same, same", failed: []string{"page-gone"}, message: "/fares/ was a page"},
		"a page is redirected":    {rules: site.Rules{Redirects: []site.RedirectRule{{From: "/fares/", To: "/fares.html", Spare: true}}}, next: files{"fares/index.html": "", "fares.html": "<title>F</title>"}, seen: "same, same, same, same"},
		"another app":             {next: files{"m.json": `{"name": "Skerry Line", "start_url": "/?app", "icons": [{"src": "/icon.png", "sizes": "192x192"}]}`}, seen: "same, same, same, same", failed: []string{"another-app"}, message: "the app was / and is /?app", place: "m.json:1"},
		"another name":            {next: files{"m.json": `{"name": "Skerries", "start_url": "/", "icons": [{"src": "/icon.png", "sizes": "192x192"}]}`}, seen: "same, same, same, same", failed: []string{"asks-again"}, message: `name was "Skerry Line" and is "Skerries"`, place: "m.json:1"},
		"another icon":            {next: files{"icon.png": "two"}, seen: "same, same, same, same", failed: []string{"asks-again"}, message: "other icons: /icon.png"},
		"an icon of another name": {next: files{"icon.png": "", "mark.png": "one", "m.json": `{"name": "Skerry Line", "start_url": "/", "icons": [{"src": "/mark.png", "sizes": "192x192"}]}`}, seen: "same, same, same, same"},
		"all of it again": {old: files{"film.txt": strings.Repeat("sea ", 40<<10), "sw.js": `const STORE = "1";` + cleans + strings.Replace(store, `"/app.css"`, `"/app.css", "/film.txt"`, 1)}, next: with(changed, files{"film.txt": strings.Repeat("sea ", 40<<10), "sw.js": `const STORE = "2";` + cleans + strings.Replace(store, `"/app.css"`, `"/app.css", "/film.txt"`, 1)}),
			seen: "old, old, new, new"},
		"all of it again, past every cache": {old: files{"film.txt": strings.Repeat("sea ", 40<<10), "sw.js": `const STORE = "1";` + cleans + strings.NewReplacer(`"/app.css"`, `"/app.css", "/film.txt"`, "no-cache", "reload").Replace(store)}, next: with(changed, files{"sw.js": `const STORE = "2";` + cleans + strings.NewReplacer(`"/app.css"`, `"/app.css", "/film.txt"`, "no-cache", "reload").Replace(store)}),
			seen: "old, old, new, new", failed: []string{"downloads-again"}, message: "160 kB are downloaded again and have not changed: /fares/, /film.txt"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			r, err := Run(context.Background(), []*site.Server{release(t, c.rules, c.old), release(t, c.rules, c.old, c.next)}, options())
			require.NoError(t, err)
			assert.Equal(t, c.seen, seen(r, 0))
			want := slices.Clone(c.failed)
			got := failed(r)
			if c.failed == nil {
				want = []string{}
			}
			// What the way back shows is for TestManyReleases: here it may add to what has failed already, and nothing else.
			assert.Equal(t, want, got, "%v", r.Checks)
			for _, k := range r.Checks {
				if k.State == "failed" {
					f := k.Findings[0]
					assert.Contains(t, f.Message, c.message)
					assert.NotEmpty(t, f.Mend)
					if c.place != "" {
						assert.Equal(t, c.place, fmt.Sprintf("%s:%d", f.File, f.Line))
					}
					break
				}
			}
		})
	}
}

// TestAMixNamesItsLine says which line of a worker gives the part that does not fit.
func TestAMixNamesItsLine(t *testing.T) {
	w := map[string]string{"sw.js": first + "\nonfetch = (e) => {\n  if (e.request.mode !== 'navigate')\n    e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));\n};"}
	next := map[string]string{"index.html": `<!doctype html><title>Winter</title><link rel=stylesheet href=/app.css>`, "app.css": "body { color: navy }"}
	r, err := Run(context.Background(), []*site.Server{release(t, site.Rules{}, w), release(t, site.Rules{}, w, next)}, options())
	require.NoError(t, err)
	i := slices.IndexFunc(r.Checks, func(c finding.Result) bool { return c.ID == "release/mixed" })
	f := r.Checks[i].Findings[0]
	assert.Equal(t, "sw.js:4", fmt.Sprintf("%s:%d", f.File, f.Line))
	assert.Contains(t, f.Message, "/ of release 2 (network), /app.css of release 1 (sw.js:4)")
}

// TestManyReleases has visitors skip one, meet all, and get the first again.
func TestManyReleases(t *testing.T) {
	of := func(n int) *site.Server {
		return release(t, site.Rules{}, map[string]string{"app.css": fmt.Sprintf("body { margin: %dpx }", n), "sw.js": fmt.Sprintf(`const STORE = "%d";`, n) + cleans + store})
	}
	r, err := Run(context.Background(), []*site.Server{of(1), of(2), of(3)}, options())
	require.NoError(t, err)
	assert.Empty(t, failed(r))
	var steps []string
	for i, s := range r.Steps {
		steps = append(steps, fmt.Sprintf("%d-%d %s", s.From, s.To, seen(r, i)))
	}
	assert.Equal(t, []string{"1-2 old, old, new, new", "2-3 old, old, new, new", "1-3 old, old, new, new"}, steps)
	require.Len(t, r.Ways, 2)
	assert.Equal(t, []int{1, 2, 3}, r.Ways[0].Releases)
	assert.Equal(t, []int{1, 2, 3, 1}, r.Ways[1].Releases)
	assert.Equal(t, "old, old, new, new", shows(r.Ways[1].Visits))
	assert.Equal(t, []int{3}, r.Ways[1].Visits[0].Releases, "before the first comes again")
	assert.Equal(t, []int{1}, r.Ways[1].Visits[2].Releases)

	_, err = Run(context.Background(), []*site.Server{of(1)}, options())
	assert.ErrorIs(t, err, ErrOne)
}

// TestWhatIsDownloaded counts what reaches the server until the release is there.
func TestWhatIsDownloaded(t *testing.T) {
	film := strings.Repeat("sea and ships ", 9000)
	of := func(n int) *site.Server {
		return release(t, site.Rules{}, map[string]string{"film.txt": film, "index.html": `<!doctype html><title>Skerry Line</title><link rel=stylesheet href=/app.css><script src="/gone.js"></script><script>navigator.serviceWorker.register("/sw.js")</script>`, "app.css": fmt.Sprintf("body { margin: %dpx }", n), "sw.js": fmt.Sprintf(`const STORE = "%d";`, n) + cleans + strings.Replace(store, `"/app.css"`, `"/app.css", "/film.txt"`, 1)})
	}
	r, err := Run(context.Background(), []*site.Server{of(1), of(2)}, options())
	require.NoError(t, err)
	d := r.Steps[0].Download
	assert.Contains(t, d.Unchanged, "/film.txt")
	assert.GreaterOrEqual(t, d.Saved, int64(len(film)))
	assert.Equal(t, []string{"/app.css", "/sw.js"}, d.URLs, "and not what is missing on the server")
	assert.Equal(t, 2, d.Files)
	assert.Greater(t, r.Steps[0].First.Bytes, int64(len(film)))
	assert.Less(t, r.Steps[0].First.Packed, int64(len(film))/10, "texts are compressed on their way")
	assert.Greater(t, d.Seconds["poor"], d.Seconds["good"])
}

// TestFilesOf tells changed files from renamed ones.
func TestFilesOf(t *testing.T) {
	of := func(pairs ...string) *Release {
		x := &Release{sums: map[string]string{}}
		for i := 0; i < len(pairs); i += 2 {
			x.sums[pairs[i]] = pairs[i+1]
		}
		return x
	}
	f := filesOf(of("/a", "1", "/b", "2", "/c.js", "3", "/app.3f9c2b71.js", "4", "/gone.png", "5", "/x.txt", "9"), of("/a", "1", "/b", "3", "/d.js", "3", "/app.77aa2b71.js", "6", "/new.png", "7", "/y.svg", "9"))
	assert.Equal(t, Files{Same: 1, Changed: []string{"/b"}, New: []string{"/new.png", "/y.svg"}, Gone: []string{"/gone.png", "/x.txt"},
		Renamed: []Renamed{{"/app.3f9c2b71.js", "/app.77aa2b71.js", false}, {"/c.js", "/d.js", true}}}, f)
}

func TestPromises(t *testing.T) {
	for v, want := range map[string]bool{"": false, "no-cache": false, "max-age=60": false, "max-age=31536000": true, "public, Max-Age=31536000, immutable": true, "immutable": true, "max-age=31536000, no-cache": false, "max-age=99999999999999999999": false, "s-maxage=31536000": false} {
		assert.Equal(t, want, promises(v), v)
	}
}

func TestSpread(t *testing.T) {
	list := []string{"a", "b", "c", "d", "e", "f"}
	assert.Equal(t, []string{"a", "c", "e"}, spread(list, 3))
	assert.Equal(t, list, spread(list, 9))
	assert.Empty(t, spread(nil, 3))
}
