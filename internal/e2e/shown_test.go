package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

// TestWhatVisitorsRead rehearses pages that their scripts draw: a page is judged by what is shown, not by what was asked for, on both stages.
func TestWhatVisitorsRead(t *testing.T) {
	t.Parallel()
	page := func(title, script string) string {
		return `<!doctype html><html lang=en><head><meta charset=utf-8><title>` + title + `</title></head><body><main id=view></main><script>navigator.serviceWorker.register("/sw.js"); const view = document.getElementById("view");` + script + `</script></body></html>`
	}
	const words = `"departures of today from every harbour of the islands with their ships and times and notes on tide and weather"`
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"index.html":        page("Start", `view.textContent = `+words),
		"kept/index.html":   page("Kept", `fetch("/kept.json").then((r) => r.json()).then((d) => { view.textContent = d })`),
		"blank/index.html":  page("Blank", `fetch("/lost.json").then((r) => r.json()).then((d) => { view.textContent = d }).catch(() => {})`),
		"says/index.html":   page("Says", `view.innerHTML = "<h1>Departures of every harbour</h1><p id=p></p>"; fetch("/lost.json").then((r) => r.json()).then((d) => { p.textContent = d }).catch(() => { p.textContent = "You are offline" })`),
		"throws/index.html": page("Throws", `view.textContent = "some words that stay here"; if (!navigator.onLine) undefined.boats`),
		"clock/index.html":  page("Clock", `view.textContent = "It is " + new Date().toISOString() + " now"`),
		"kept.json":         words, "lost.json": words,
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/kept/", "/blank/", "/says/", "/throws/", "/clock/", "/kept.json"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`,
	})
	want := map[string]struct {
		outcome rehearsal.Outcome
		why     string
	}{
		"/": {rehearsal.Whole, ""}, "/kept/": {rehearsal.Whole, ""}, "/clock/": {rehearsal.Whole, ""},
		"/blank/":  {rehearsal.Blank, "shows 0 of 20 words"},
		"/says/":   {rehearsal.Partial, `shows 4 of 24 words: "… harbour You are offline"`},
		"/throws/": {rehearsal.Partial, "Uncaught TypeError"},
	}
	for _, stage := range []string{"embedded", "chromium"} {
		t.Run(stage, func(t *testing.T) {
			if stage == "chromium" {
				needsAll(t)
			}
			t.Parallel()
			var r rehearsal.Report
			require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", ".", "--story", "none", "--stage", stage, "--detail", "text,requests,errors", "--format", "json")), &r))
			require.Len(t, r.Pages, len(want))
			for _, p := range r.Pages {
				assert.Equal(t, want[p.URL].outcome, p.Outcome, "%s: %s", p.URL, p.Why)
				assert.Contains(t, p.Why, want[p.URL].why, p.URL)
				require.NotNil(t, p.Text, p.URL)
				if p.URL == "/says/" {
					assert.Equal(t, "Departures of every harbour You are offline", *p.Text)
					assert.Contains(t, p.Requests, rehearsal.Request{URL: "/lost.json", Method: "GET", Use: "fetch", Result: "rejected", AnsweredBy: "browser"})
				}
				if p.URL == "/throws/" {
					assert.Len(t, p.Errors, 1)
					assert.Equal(t, 1, p.Errors[0].Line)
				}
			}
		})
	}
	t.Run("read", func(t *testing.T) {
		t.Parallel()
		assert.Contains(t, fine(t, dir, "rehearse", ".", "--story", "none", "--scripts", "read"), "partial   /blank/")
	})
	t.Run("audit", func(t *testing.T) {
		t.Parallel()
		out, _, _ := run(t, dir, "audit", ".", "--only", "offline", "--scripts", "run")
		assert.Contains(t, out, "offline/page-blank")
	})
}

// TestWhatTheStageLacks has pages fail here for what Chromium has: no blame, and Chromium is asked when that is wanted.
func TestWhatTheStageLacks(t *testing.T) {
	needsAll(t) // the parts of it are tested where they are made
	t.Parallel()
	dir := t.TempDir()
	page := func(script string) string {
		return `<!doctype html><html lang=en><head><title>Page</title></head><body><p id=p>Nothing</p><script>navigator.serviceWorker.register("/sw.js"); ` + script + `</script></body></html>`
	}
	write(t, dir, map[string]string{
		"index.html":         page(""),
		"global/index.html":  page(`documentPictureInPicture.addEventListener("enter", () => {}); p.textContent = "Drawn"`),
		"member/index.html":  page("\n  document.startViewTransition(() => {}); p.textContent = 'Drawn'"),
		"mistake/index.html": page(`if (!navigator.onLine) document.drawHarbours()`),
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/global/", "/member/", "/mistake/"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`,
	})
	outcomes := func(stage string) (rehearsal.Report, map[string]string) {
		var r rehearsal.Report
		require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", ".", "--story", "none", "--stage", stage, "--format", "json")), &r))
		out := map[string]string{}
		for _, p := range r.Pages {
			out[p.URL] = string(p.Outcome) + " " + p.Stage + " " + p.Why
		}
		return r, out
	}
	r, got := outcomes("embedded")
	assert.Equal(t, "whole  ", got["/"])
	assert.Contains(t, got["/global/"], "not known  needs documentPictureInPicture, which this stage lacks: /global/:1:")
	assert.Equal(t, "not known  needs startViewTransition, which this stage lacks: /member/:2:12", got["/member/"])
	assert.Contains(t, got["/mistake/"], "partial  Uncaught TypeError")
	assert.Contains(t, r.Findings[len(r.Findings)-1].Message, "2 pages are not known here")
	out, _, code := run(t, dir, "audit", ".", "--only", "offline", "--scripts", "run")
	assert.Equal(t, 0, code, out)
	assert.NotContains(t, out, "/member/")
	r, got = outcomes("auto")
	assert.Equal(t, "whole chromium ", got["/global/"])
	assert.Equal(t, "whole chromium ", got["/member/"])
	assert.Contains(t, got["/mistake/"], "partial  Uncaught TypeError", "no other page is asked about")
	for _, f := range r.Findings {
		assert.NotEqual(t, "not-known", f.Kind)
	}
}

// TestVisitsLeaveNothing opens pages in one network state after another: none has what the visitor got in another, and a page that lists what is
// stored lacks nothing because it would list more after more visits.
func TestVisitsLeaveNothing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := map[string]string{"dist/index.html": start, "dist/app.css": "", "tachyform.toml": `site = "dist"
[stow]
now = ["/", "/app.css"]
[icons]
effort = "quick"
[[rule]]
match = "/*/"
destination = ["document"]
answer = "network-first"
`}
	for _, name := range []string{"brae", "kelda", "orran"} {
		files["dist/"+name+"/index.html"] = strings.ReplaceAll(start, "Skerry Line", "Sailings from the harbour of "+name)
	}
	write(t, dir, files)
	fine(t, dir, "fit")
	for stage, networks := range map[string]string{"embedded": "online,offline", "chromium": "offline"} {
		t.Run(stage, func(t *testing.T) {
			if stage == "chromium" {
				needsAll(t)
			}
			t.Parallel()
			var r rehearsal.Report
			require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", "--stage", stage, "--network", networks, "--story", "none", "--detail", "text", "--format", "json")), &r))
			got := map[string]rehearsal.Outcome{}
			for _, p := range r.Pages {
				if p.Network == "offline" {
					got[p.URL] = p.Outcome
				}
			}
			assert.Equal(t, map[string]rehearsal.Outcome{"/": "whole", "/offline.html": "whole", "/brae/": "stand-in", "/kelda/": "stand-in", "/orran/": "stand-in"}, got)
		})
	}
}

// TestStores lists what is stored, with who put it there.
func TestStores(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"index.html": `<!doctype html><title>Start</title><script>navigator.serviceWorker.register("/sw.js"); caches.open("page").then((c) => c.put("/note", new Response("by hand", {headers: {"Content-Type": "text/plain"}})))</script>`, "a.json": "[1]", "b.json": "[1, 2]",
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/a.json"])));
onfetch = (e) => { if (e.request.mode === "navigate") e.waitUntil(caches.open("late").then((c) => c.add("/b.json"))); e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`})
	for _, stage := range []string{"embedded", "chromium"} {
		t.Run(stage, func(t *testing.T) {
			if stage == "chromium" {
				needsAll(t)
			}
			var r rehearsal.Report
			require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", ".", "--story", "none", "--stage", stage, "--stores", "--format", "json")), &r))
			got := map[string]rehearsal.Stored{}
			for _, s := range r.Stores {
				for _, e := range s.Entries {
					e.Age = 0
					got[s.Name+" "+e.URL] = e
				}
			}
			want := map[string]rehearsal.Stored{
				"v1 /": {URL: "/", Type: "text/html", Status: 200, Bytes: got["v1 /"].Bytes, By: "install"}, "v1 /a.json": {URL: "/a.json", Type: "application/json", Status: 200, Bytes: 3, By: "install"},
				"late /b.json": {URL: "/b.json", Type: "application/json", Status: 200, Bytes: 6, By: "worker"}, "page /note": {URL: "/note", Type: "text/plain", Status: 200, Bytes: 7, By: "page"},
			}
			if stage == "chromium" {
				for k, e := range want {
					e.By = ""
					want[k] = e
				}
			}
			assert.Equal(t, want, got)
		})
	}
	assert.NotContains(t, fine(t, dir, "rehearse", ".", "--story", "none", "--format", "json"), "age_s")
	assert.Regexp(t, `/a\.json +3 B +application/json +\d+ s old, while the worker was installed`, fine(t, dir, "rehearse", ".", "--story", "none", "--stores"))
}

// TestTraceOfAPage follows a page and what it asks for: who answered each request, from where, and how long it took.
func TestTraceOfAPage(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"index.html": `<!doctype html><title>Start</title><link rel=stylesheet href=/a.css><script>navigator.serviceWorker.register("/sw.js"); setTimeout(() => { fetch("/kept.json"); fetch("/late.json").catch(() => {}) }, 200)</script>`, "a.css": "p {}", "kept.json": "[1]", "late.json": "[]",
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/a.css", "/kept.json"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`})
	var r rehearsal.Report
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", ".", "--story", "none", "--trace", "/", "--network", "offline", "--format", "json")), &r))
	require.Len(t, r.Traces, 1)
	var asked []rehearsal.Asked
	for _, a := range r.Traces[0].Asked {
		if a.URL == "/kept.json" || a.URL == "/late.json" {
			assert.GreaterOrEqual(t, a.At, 200.0, a.URL)
			assert.Less(t, a.At, 300.0, a.URL)
		}
		a.At, a.Took = 0, 0
		asked = append(asked, a)
	}
	assert.ElementsMatch(t, []rehearsal.Asked{
		{Request: rehearsal.Request{URL: "/a.css", Method: "GET", Use: "style", Result: "answered", Status: 200, AnsweredBy: "worker"}, Source: "store v1", Bytes: 4},
		{Request: rehearsal.Request{URL: "/kept.json", Method: "GET", Use: "fetch", Result: "answered", Status: 200, AnsweredBy: "worker"}, Source: "store v1", Bytes: 3},
		{Request: rehearsal.Request{URL: "/late.json", Method: "GET", Use: "fetch", Result: "rejected", AnsweredBy: "browser"}},
	}, asked)
	text := fine(t, dir, "rehearse", ".", "--story", "none", "--trace", "/", "--network", "offline")
	assert.Regexp(t, `style +200 +4 B +worker, store v1 +/a.css`, text)
	assert.Regexp(t, `fetch +none +0 B +nobody +/late.json`, text)
}
