package e2e

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/compare"
)

// compared compares releases with the built program.
func compared(t *testing.T, dir string, args ...string) *compare.Report {
	t.Helper()
	var r compare.Report
	out, errs, code := run(t, dir, append([]string{"compare", "--format", "json", "--fail-on", "never"}, args...)...)
	require.Equal(t, 0, code, errs)
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	return &r
}

// shown gives what each visit shows, by how the site is open.
func shown(visits []compare.Visit) string {
	var words []string
	for _, v := range visits {
		words = append(words, v.Shows)
	}
	return strings.Join(words, " ")
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// TestCompare has visitors of a site meet its next release: with our worker, in folders and live.
func TestCompare(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	site := func(name, h1, css string) {
		write(t, filepath.Join(dir, name), map[string]string{"index.html": strings.Replace(start, "<h1>", "<h1>"+h1, 1), "fares/index.html": strings.ReplaceAll(start, "Skerry Line", "Fares"), "timetable/index.html": strings.ReplaceAll(start, "Skerry Line", "Timetable"),
			"app.css": css, "sea.txt": strings.Repeat("sea and ships ", 5000), "mark.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="4" fill="#0b4f6c"/></svg>`})
	}
	site("dist", "", "body { color: teal }")
	site("next", "Winter on the ", "body { color: navy }")
	write(t, dir, map[string]string{"quick.toml": "[icons]\neffort = \"quick\"\n[stow]\nnow = [\"/**\"]\n"})
	fine(t, dir, "fit", "dist", "--config", "quick.toml")
	fine(t, dir, "fit", "next", "--config", "quick.toml")

	r := compared(t, dir, "dist", "next")
	assert.Equal(t, []string{"/", "/app.css", "/sw.js"}, r.Steps[0].Files.Changed)
	var got []string
	for _, v := range r.Steps[0].Visits {
		got = append(got, fmt.Sprintf("%s %s: %s", v.Tabs, v.Takeover, shown(v.Visits)))
	}
	assert.Equal(t, []string{
		"one tab : old old new new", "two tabs : old old old new", "a tab left open for three days : old old new",
		"one tab when-asked: old new new new", "two tabs when-asked: old new new new", "a tab left open for three days when-asked: old new new",
		"one tab at-once: old new new new", "two tabs at-once: old new new new", "a tab left open for three days at-once: old new new"}, got)
	d := r.Steps[0].Download
	assert.Equal(t, 3, d.Files, "the worker, the page and the style sheet")
	assert.Less(t, d.Bytes, r.Steps[0].First.Bytes/5)
	assert.Empty(t, d.Again)
	for _, c := range r.Checks {
		assert.NotEqual(t, "failed", c.State, "%s %v", c.ID, c.Findings)
	}

	server := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
	defer server.Close()
	live := compared(t, dir, server.URL, "next")
	assert.Equal(t, "old old new new", shown(live.Steps[0].Visits[0].Visits))
	assert.Equal(t, r.Releases[0].ID, live.Releases[0].ID)

	text, _, _ := run(t, dir, "compare", "dist", "next", "--page", "/", "--page", "timetable/")
	assert.Contains(t, text, "with at-once")
	assert.Contains(t, text, "looked at 2 of 4 pages that all releases have")
	markdown, _, code := run(t, dir, "compare", "dist", "next", "dist", "--format", "markdown", "--sample", "1")
	assert.Equal(t, 0, code)
	assert.Contains(t, markdown, "| release 1, 2, 3, then 1 again |")

	// A worker that nothing changes, found and named.
	plain := `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/app.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	for _, name := range []string{"a", "b"} {
		write(t, filepath.Join(dir, name), map[string]string{"index.html": "<!doctype html><title>" + name + `</title><link rel=stylesheet href=/app.css><script>navigator.serviceWorker.register("/sw.js")</script>`, "app.css": "/*" + name + "*/", "sw.js": plain})
	}
	out, _, code := run(t, dir, "compare", "a", "b")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "release/never-arrives")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "the worker's bytes are the same in both")
	for args, want := range map[string]string{"compare a": "and 1 name was given", "compare a nowhere": "nowhere: there is no such folder", "compare a b --fail-on x": "--fail-on x", "compare a b a b a b a": "up to six", "compare a b --sample -1": "--sample -1"} {
		_, errs, code := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, want)
	}
}

// TestCompareOnBothStages sees the same in Chromium, visit by visit, with workers of several kinds.
func TestCompareOnBothStages(t *testing.T) {
	needsAll(t)
	const head = `<!doctype html><html lang=en><head><meta charset=utf-8><title>Skerry Line</title><link rel=stylesheet href=/app.css></head><body>`
	site := func(n int, worker, more string) map[string]string {
		return map[string]string{"index.html": fmt.Sprintf("%s<h1>Release %d</h1>%s", head, n, more), "fares/index.html": head + "<h1>Fares</h1>", "app.css": fmt.Sprintf("body { margin: %dpx }", n), "sw.js": worker}
	}
	const register = `<script>navigator.serviceWorker.register("/sw.js")</script>`
	store := func(n int) string {
		return fmt.Sprintf(`const STORE = "%d";
oninstall = (e) => e.waitUntil(caches.open(STORE).then((c) => Promise.all(["/", "/fares/", "/app.css"].map(async (u) => c.put(u, await fetch(u, {cache: "no-cache"}))))));
onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== STORE).map((n) => caches.delete(n)))));
onfetch = (e) => e.respondWith(caches.open(STORE).then(async (c) => (await c.match(e.request)) || fetch(e.request)));`, n)
	}
	const first = `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/fares/", "/app.css"])));`
	mixes := first + ` onfetch = (e) => { if (e.request.mode !== "navigate") e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`
	never := first + ` onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	moved := site(2, "onfetch = () => {};", `<script>navigator.serviceWorker.register("/worker.js")</script>`)
	moved["worker.js"] = store(2)
	for name, releases := range map[string][]map[string]string{
		"fitted":       {site(1, "", ""), site(2, "", "")},
		"urgent":       {site(1, "", ""), site(2, "", "")},
		"by release":   {site(1, store(1), register), site(2, store(2), register)},
		"three":        {site(1, store(1), register), site(2, store(2), register), site(3, store(3), register)},
		"mixes":        {site(1, mixes, register), site(2, mixes, register)},
		"never":        {site(1, never, register), site(2, never, register)},
		"moved":        {site(1, store(1), register), moved},
		"at once":      {site(1, store(1), register), site(2, "addEventListener('install', () => skipWaiting()); addEventListener('activate', (e) => e.waitUntil(clients.claim()));\n"+store(2), register)},
		"taken away":   {site(1, never, register), site(2, "", "")},
		"no worker":    {site(1, "", ""), site(2, "", "")},
		"keeps out":    {site(1, "onfetch = () => {};", register), site(2, "onfetch = () => {};", register)},
		"renews later": {site(1, renews, register), site(2, renews, register)},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			var names []string
			for i, files := range releases {
				names = append(names, fmt.Sprintf("r%d", i+1))
				if files["sw.js"] == "" {
					delete(files, "sw.js")
				}
				write(t, filepath.Join(dir, names[i]), files)
				if name == "fitted" || name == "urgent" {
					write(t, dir, map[string]string{"quick.toml": "[icons]\neffort = \"quick\"\n"})
					more := []string{}
					if name == "urgent" && i == 1 {
						more = append(more, "--urgent")
					}
					fine(t, dir, append([]string{"fit", names[i], "--config", "quick.toml"}, more...)...)
				}
			}
			args := append(names, "--page", "/fares/")
			ours, theirs := compared(t, dir, args...), compared(t, dir, append(args, "--stage", "chromium")...)
			require.Equal(t, "chromium", theirs.Stage)
			require.Len(t, theirs.Steps, len(ours.Steps))
			for i, s := range ours.Steps {
				for k, v := range s.Visits {
					assert.Equal(t, shown(theirs.Steps[i].Visits[k].Visits), shown(v.Visits), "%d to %d, %s %s", s.From, s.To, v.Tabs, v.Takeover)
				}
				require.Len(t, theirs.Steps[i].Pages, len(s.Pages))
				for k, p := range s.Pages {
					assert.Equal(t, shown(theirs.Steps[i].Pages[k].Visits), shown(p.Visits), p.URL)
				}
			}
			for i, w := range ours.Ways {
				assert.Equal(t, shown(theirs.Ways[i].Visits), shown(w.Visits), "%v", w.Releases)
			}
			for i, c := range ours.Checks {
				assert.Equal(t, theirs.Checks[i].State, c.State, "%s %v %v", c.ID, c.Findings, theirs.Checks[i].Findings)
			}
		})
	}
}

// renews shows what it has stored, and looks after it.
const renews = `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/fares/", "/app.css"])));
onfetch = (e) => e.respondWith(caches.open("v").then(async (c) => { const r = await c.match(e.request); const n = fetch(e.request, {cache: "no-cache"}).then(async (x) => { await c.put(e.request, x.clone()); return x; }); e.waitUntil(n.catch(() => {})); return r || n; }));`
