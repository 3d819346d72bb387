package stage

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

// serve writes files into a temporary folder and serves it.
func serve(t testing.TB, files map[string]string, rules site.Rules) *site.Server {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, rules)
}

func browser(t *testing.T, server *site.Server) *Browser {
	t.Helper()
	b := New(server, nil, Limits{Step: 2 * time.Second, Memory: 256 << 20})
	t.Cleanup(b.Close)
	return b
}

const register = `<script>navigator.serviceWorker.register("/sw.js")</script>`

// small is a site of two pages with a style sheet, without its worker.
func small(worker string) map[string]string {
	return map[string]string{
		"index.html":       `<!doctype html><title>Home</title><link rel="stylesheet" href="/app.css">` + register,
		"about/index.html": `<!doctype html><title>About</title><link rel="stylesheet" href="../app.css"><img src="/pic.png">`,
		"offline.html":     `<!doctype html><title>No network</title>`,
		"app.css":          `body { color: teal }`,
		"pic.png":          "png",
		"sw.js":            worker,
	}
}

// visit opens the start page twice, as a visitor who comes back.
func visit(t *testing.T, b *Browser) *Tab {
	t.Helper()
	tab := b.NewTab()
	for range 2 {
		_, err := tab.Open("/")
		require.NoError(t, err)
		b.Settle()
	}
	return tab
}

const installList = `
const V = "v1";
self.addEventListener("install", (e) => e.waitUntil(caches.open(V).then((c) => c.addAll(["/", "/about/", "/app.css", "/offline.html"]))));
self.addEventListener("activate", (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.filter((n) => n !== V).map((n) => caches.delete(n))))));
`

func TestHandWrittenWorkersOffline(t *testing.T) {
	type want struct {
		by      AnsweredBy
		title   string
		missing []string
	}
	home, about := want{ByWorker, "Home", nil}, want{ByWorker, "About", []string{"/pic.png"}}
	lost := want{ByBrowser, "", nil}
	for name, c := range map[string]struct {
		worker      string
		home, about want
	}{
		"cache-first": {installList + `self.addEventListener("fetch", (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));`, home, about},
		"network-first with fallback": {installList + `self.onfetch = (e) => e.respondWith((async () => {
			try { const r = await fetch(e.request); const c = await caches.open(V); await c.put(e.request, r.clone()); return r; }
			catch { return (await caches.match(e.request)) || (await caches.match("/offline.html")); } })());`,
			home, want{ByWorker, "About", []string{"/pic.png"}}},
		"offline page only": {`const V = "o";
			oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open(V).then((c) => c.add("/offline.html"))); };
			onactivate = (e) => e.waitUntil(clients.claim());
			onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(() => caches.match("/offline.html"))); };`,
			want{ByWorker, "No network", nil}, want{ByWorker, "No network", nil}},
		"runtime store":    {`onfetch = (e) => e.respondWith(caches.open("r").then(async (c) => { const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; }));`, home, lost},
		"no fetch handler": {installList, lost, lost},
		"declines":         {installList + `onfetch = () => {};`, lost, lost},
		"a list with a hole": {`oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/gone.css"])));
			onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`, lost, lost},
		"throws at top level": {`throw new Error("top"); onfetch = () => {};`, lost, lost},
		"answers undefined":   {`onfetch = (e) => e.respondWith(caches.match(e.request));`, lost, lost},
		"newer syntax":        {installList + `class A { static #x = caches; static m(r) { return A.#x?.match(r) ?? null } } onfetch = (e) => e.respondWith((async () => { for await (const r of [A.m(e.request)]) if (r) return r; return fetch(e.request) })());`, home, about},
	} {
		t.Run(name, func(t *testing.T) {
			b := browser(t, serve(t, small(c.worker), site.Rules{}))
			tab := visit(t, b)
			require.NoError(t, b.SetNetwork(Offline))
			b.StopWorkers()
			for url, w := range map[string]want{"/": c.home, "/about/": c.about} {
				l, err := tab.Open(url)
				require.NoError(t, err)
				got := want{by: l.AnsweredBy, title: l.Title}
				for _, m := range l.Missing {
					got.missing = append(got.missing, m.URL)
				}
				assert.Equal(t, w, got, "%s: %s", url, l.Why)
			}
		})
	}
}

func TestMistakesAreTold(t *testing.T) {
	for name, c := range map[string]struct{ worker, kind, message string }{
		"a list with a hole": {"\n\noninstall = (e) => e.waitUntil(caches.open('v').then((c) => c.addAll(['/', '/gone.css'])));", "install", "/gone.css is answered with status 404"},
		"top level":          {"let a = 1;\n\nboom();", "register", "boom is not defined"},
		"syntax":             {"let a = ;", "register", "SyntaxError"},
		"late answer":        {"onfetch = (e) => { setTimeout(() => e.respondWith(fetch(e.request)), 10) };", "late", "respondWith() is called after the event"},
		"body twice":         {"onfetch = (e) => e.respondWith((async () => { const r = await fetch(e.request); await r.text(); return r.clone(); })());", "body-used", "used a second time"},
		"endless loop":       {"onfetch = (e) => { for (;;) {} };", "limit", "ran for more than"},
		"endless microtasks": {"onfetch = (e) => { const f = () => Promise.resolve().then(f); f(); };", "limit", "the worker was ended"},
		"an error is stored": {"onfetch = (e) => e.respondWith((async () => { const r = await fetch('/gone'); const c = await caches.open('x');\nawait c.put(e.request, r.clone()); return fetch(e.request); })());", "stored-error", "status 404 is stored as if it were good"},
		"empties its own":    {"oninstall = (e) => e.waitUntil(caches.open('x').then((c) => c.add('/')));\nonactivate = (e) => e.waitUntil(caches.delete('x'));", "own-store", "deletes the store \"x\" that it filled"},
		"redirected":         {"onfetch = (e) => { if (e.request.mode === 'navigate') e.respondWith(fetch('/about')); };", "redirected", "a navigation is answered with a response that was redirected"},
		"for one person":     {"onfetch = (e) => e.waitUntil((async () => { const r = new Response('x', {headers: {'Cache-Control': 'private, max-age=1'}}); await (await caches.open('x')).put('/me', r); })());", "stored-private", "for one person"},
		"opaque":             {"onfetch = (e) => e.waitUntil((async () => { const r = await fetch('https://other.example/a', {mode: 'no-cors'}); await (await caches.open('x')).put('/o', r); })());", "stored-opaque", "opaque answers of other origins"},
		"install unawaited":  {"oninstall = () => { caches.open('x').then((c) => c.addAll(['/'])); }; onactivate = () => clients.claim();", "not-awaited", "before anything is stored: the worker takes over without /"},
		"no return":          {"oninstall = (e) => e.waitUntil(caches.open('x').then((c) => { c.addAll(['/']); }));", "not-awaited", "before anything is stored: the worker takes over without /"},
		"by a timer":         {"oninstall = () => setTimeout(async () => { const c = await caches.open('x'); await c.put('/a', await fetch('/')); }, 10);", "not-awaited", "without /a"},
		"deep recursion":     {"const f = () => f() + 1; onfetch = (e) => { f(); };", "limit", "nested too deep"},
	} {
		t.Run(name, func(t *testing.T) {
			limits := Limits{}
			if strings.HasPrefix(name, "endless") {
				limits.Step = 300 * time.Millisecond
			}
			b := New(serve(t, small(c.worker), site.Rules{}), nil, limits)
			t.Cleanup(b.Close)
			visit(t, b)
			var seen []string
			for _, r := range b.Remarks() {
				if r.Kind == c.kind {
					seen = append(seen, r.Message)
				}
			}
			require.NotEmpty(t, seen)
			assert.Contains(t, seen[0], c.message)
		})
	}
}

// What is left to itself on purpose, and what other events store, is no mistake.
func TestWhatInstallNeedNotAwait(t *testing.T) {
	for name, w := range map[string]string{
		"awaited":            "oninstall = (e) => e.waitUntil(caches.open('x').then((c) => c.addAll(['/'])));",
		"the rest later":     "oninstall = (e) => e.waitUntil(caches.open('x').then((c) => { caches.open('y').then((d) => d.add('/about.html')); return c.add('/'); }));",
		"stored by visits":   "oninstall = () => {}; onfetch = (e) => e.respondWith(fetch(e.request).then((r) => { const c = r.clone(); caches.open('x').then((s) => s.put(e.request, c)); return r; }));",
		"stored on messages": "oninstall = () => skipWaiting(); onmessage = () => caches.open('x').then((s) => s.add('/'));",
		"one of two failed":  "oninstall = (e) => e.waitUntil(Promise.all([caches.open('x').then((c) => c.add('/gone')), fetch('/').then(async (r) => { await fetch('/'); await (await caches.open('x')).put('/', r); })]));",
	} {
		t.Run(name, func(t *testing.T) {
			b := New(serve(t, small(w), site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			visit(t, b)
			for _, r := range b.Remarks() {
				assert.NotEqual(t, "not-awaited", r.Kind, r.Message)
			}
		})
	}
}

func TestMemoryIsBounded(t *testing.T) {
	b := New(serve(t, small("onfetch = (e) => { const a = []; for (;;) a.push(new Array(5000).fill(a.length)); };"), site.Rules{}), nil,
		Limits{Step: time.Minute, Memory: 32 << 20})
	t.Cleanup(b.Close)
	visit(t, b)
	r := b.Remarks()
	require.NotEmpty(t, r)
	assert.Contains(t, r[0].Message, "took more than 32 MB of memory")
}

func TestErrorsPointAtTheWorkersLine(t *testing.T) {
	b := browser(t, serve(t, small("// first\nonfetch = (e) => {\n  if (e.request.url.endsWith('/')) e.respondWith(Promise.reject(new Error('no')));\n};"), site.Rules{}))
	tab := visit(t, b)
	l, err := tab.Open("/")
	require.NoError(t, err)
	assert.Equal(t, ByBrowser, l.AnsweredBy)
	assert.Contains(t, l.Why, "Error: no")
	assert.Equal(t, "/sw.js", l.File)
	assert.Equal(t, 3, l.Line)
}

func TestLifecycle(t *testing.T) {
	first := small(installList + `onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`)
	second := small(`const V = "v2";` + installList[len("\nconst V = \"v1\";"):] + `onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`)
	second["index.html"] = `<!doctype html><title>Home 2</title>` + register
	b := browser(t, serve(t, first, site.Rules{}))
	tab := b.NewTab()
	l, err := tab.Open("/")
	require.NoError(t, err)
	assert.False(t, l.Controlled, "the first load is not controlled")
	b.Settle()
	l, err = tab.Open("/")
	require.NoError(t, err)
	assert.True(t, l.Controlled)

	b.Release(serve(t, second, site.Rules{}))
	for range 3 {
		l, err = tab.Open("/")
		require.NoError(t, err)
		b.Settle()
		assert.Equal(t, "Home", l.Title, "a waiting worker does not answer while its tab is open")
	}
	assert.Equal(t, "waiting", b.Registrations()[0].State)
	tab.Close()
	b.Settle()
	tab = b.NewTab()
	l, err = tab.Open("/")
	require.NoError(t, err)
	assert.Equal(t, "Home 2", l.Title)
	require.Len(t, b.Stores(), 1)
	assert.Equal(t, "v2", b.Stores()[0].Name)
}

// TestARunningEventEndsBeforeTheNextWorker has a worker skip waiting while the one before still answers a page.
func TestARunningEventEndsBeforeTheNextWorker(t *testing.T) {
	for name, slow := range map[string]string{
		"it answers":     `e.respondWith(new Promise((r) => setTimeout(() => r(new Response("png")), 5000)));`,
		"it works on":    `e.respondWith(fetch(e.request)); e.waitUntil(new Promise((r) => setTimeout(r, 5000)));`,
		"it never ends":  `e.respondWith(fetch(e.request)); e.waitUntil(new Promise(() => {}));`,
		"it never comes": `e.respondWith(new Promise(() => {}));`,
	} {
		t.Run(name, func(t *testing.T) {
			files := small(`onfetch = (e) => { if (e.request.url.endsWith("/pic.png")) { ` + slow + ` } };`)
			b := browser(t, serve(t, files, site.Rules{}))
			tab := visit(t, b)
			files["sw.js"] = `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil(clients.claim());`
			b.Release(serve(t, files, site.Rules{}))
			l, err := tab.Open("/about/")
			require.NoError(t, err)
			if name != "it never comes" {
				assert.Empty(t, l.Missing)
			}
			b.Settle()
			regs := b.Registrations()
			require.Len(t, regs, 1)
			assert.Equal(t, "activated", regs[0].State)
			again, err := tab.Open("/about/")
			require.NoError(t, err)
			assert.Empty(t, again.Missing, "the new one is at work")
		})
	}
}

func TestScope(t *testing.T) {
	files := small(installList + `onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`)
	files["index.html"] = `<!doctype html><title>Home</title><script>navigator.serviceWorker.register("/js/sw.js", {scope: "/"})</script>`
	files["js/sw.js"] = files["sw.js"]
	b := browser(t, serve(t, files, site.Rules{}))
	visit(t, b)
	require.Equal(t, "failed", b.Registrations()[0].State)
	assert.Contains(t, b.Registrations()[0].Error, "Service-Worker-Allowed")

	b = browser(t, serve(t, files, site.Rules{Headers: []site.HeaderRule{{Path: "/js/*", Name: "Service-Worker-Allowed", Value: "/"}}}))
	visit(t, b)
	assert.Equal(t, "activated", b.Registrations()[0].State)
}

func TestVaryAndRanges(t *testing.T) {
	files := small(`oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/app.css"])));
		onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || Response.error()));`)
	b := browser(t, serve(t, files, site.Rules{Headers: []site.HeaderRule{{Path: "/", Name: "Vary", Value: "Accept"}}}))
	tab := visit(t, b)
	l, err := tab.Open("/")
	require.NoError(t, err)
	assert.Equal(t, ByBrowser, l.AnsweredBy, "an entry stored under Vary: Accept is missed by a navigation")
}

func TestNetworkStates(t *testing.T) {
	b := browser(t, serve(t, small(`onfetch = () => {};`), site.Rules{}))
	tab := visit(t, b)
	for n, want := range map[Network]struct {
		status int
		by     AnsweredBy
	}{Online: {200, ByNetwork}, Offline: {0, ByBrowser}, Slow: {0, ByBrowser}, Failing: {503, ByNetwork}, Portal: {200, ByNetwork}} {
		require.NoError(t, b.SetNetwork(n))
		l, err := tab.Open("/about/")
		require.NoError(t, err)
		assert.Equal(t, want.status, l.Status, n)
		assert.Equal(t, want.by, l.AnsweredBy, n)
	}
}

// TestWhatAWorkerSees runs testdata/api.js and testdata/standards, whose expectations follow the standards' texts.
func TestWhatAWorkerSees(t *testing.T) {
	for name, least := range map[string]int{"api": 90, "standards/cache": 170, "standards/bodies": 120, "standards/url": 170, "standards/urlpattern": 120, "standards/objects": 120, "standards/globals": 120, "standards/language": 60, "standards/builtins": 80} {
		t.Run(name, func(t *testing.T) {
			src, err := os.ReadFile("testdata/" + name + ".js")
			require.NoError(t, err)
			if name != "api" {
				run, err := os.ReadFile("testdata/standards/run.js")
				require.NoError(t, err)
				src = append(src, run...)
			}
			b := New(serve(t, small(string(src)), site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			visit(t, b)
			for _, r := range b.Remarks() {
				if r.Kind == "install" || r.Kind == "register" {
					t.Error(r.Message, r.File, r.Line)
				}
			}
			store := b.store.find("results")
			require.NotNil(t, store)
			var results struct {
				Cases int
				Wrong []string
			}
			require.NoError(t, json.Unmarshal(store.entries[0].res.bytes(), &results))
			assert.Empty(t, strings.Join(results.Wrong, "\n"))
			assert.GreaterOrEqual(t, results.Cases, least)
		})
	}
}

// TestNothingIsLeftOfEvents: what was made for an event goes with it, so that a visit of thousands of pages takes no more memory
// than one of a few.
func TestNothingIsLeftOfEvents(t *testing.T) {
	if os.Getenv("TACHYFORM_ALONE") == "" { // what hostile workers of other tests keep busy would be measured, too
		cmd := exec.Command(os.Args[0], "-test.run=^TestNothingIsLeftOfEvents$", "-test.v")
		cmd.Env = append(os.Environ(), "TACHYFORM_ALONE=1")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		require.Contains(t, string(out), "--- PASS: TestNothingIsLeftOfEvents")
		return
	}
	b := browser(t, serve(t, small(`oninstall = (e) => e.waitUntil(skipWaiting());
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith((async () => {
  const r = await fetch(e.request), c = await caches.open("x");
  e.waitUntil(c.put(e.request, new Response(r.clone().body, r)));
  const signal = AbortSignal.any([new AbortController().signal]);
  signal.onabort = () => {};
  return r;
})());`), site.Rules{}))
	tab := visit(t, b)
	w := b.regs[0].active
	for range 50 {
		_, err := tab.Fetch("/app.css")
		require.NoError(t, err)
	}
	live := func() uint64 {
		runtime.GC()
		return liveBytes()
	}
	before := live()
	for range 2000 {
		_, err := tab.Fetch("/app.css")
		require.NoError(t, err)
	}
	b.Advance(time.Second)
	assert.Less(t, live(), before+4<<20, "bytes in use after 2,000 events more")
	assert.Empty(t, w.events, "events that are not over")
	assert.Less(t, len(b.loop.queue), 20, "tasks that wait")
}

// TestManyModules: modules are resolved and loaded side by side, from one memory of addresses.
func TestManyModules(t *testing.T) {
	for range 10 {
		var imports strings.Builder
		files := small("")
		for i := range 150 {
			fmt.Fprintf(&imports, "import { x as x%d } from './m/%d.js';\n", i, i)
			files[fmt.Sprintf("m/%d.js", i)] = fmt.Sprintf("import { y } from '../n/%d.js'; import { z } from '/n/%d.js'; export const x = y + z;", i, i+1)
			files[fmt.Sprintf("n/%d.js", i)] = "export const y = 1, z = 2;"
		}
		files["n/150.js"] = files["n/0.js"]
		files["sw.js"] = imports.String() + "onfetch = (e) => e.respondWith(new Response(String(x0 + x149)));"
		files["index.html"] = strings.Replace(files["index.html"], `"/sw.js"`, `"/sw.js", {type: "module"}`, 1)
		b := browser(t, serve(t, files, site.Rules{}))
		_, err := b.NewTab().Open("/")
		require.NoError(t, err)
		b.Settle()
		require.Equal(t, "activated", b.Registrations()[0].State, b.Remarks())
	}
}

func TestModuleWorkers(t *testing.T) {
	files := small("import { answer } from './lib/answer.js';\nimport * as list from '/lib/list.js';\nconst x = new URL('/app.css', import.meta.url);\noninstall = (e) => e.waitUntil(caches.open('m').then((c) => c.addAll([...list.files, x.href])));\nonfetch = (e) => e.respondWith(answer(e.request));")
	files["index.html"] = strings.Replace(files["index.html"], `"/sw.js"`, `"/sw.js", {type: "module"}`, 1)
	files["lib/answer.js"] = "export async function answer(request) {\n  if (request.url.endsWith('/boom')) throw new Error('boom');\n  return (await caches.match(request)) ?? fetch(request);\n}"
	files["lib/list.js"] = "export const files = ['/', '/about/'];"
	b := browser(t, serve(t, files, site.Rules{}))
	tab := visit(t, b)
	require.Equal(t, "activated", b.Registrations()[0].State, b.Remarks())
	require.NoError(t, b.SetNetwork(Offline))
	b.StopWorkers()
	l, err := tab.Open("/about/")
	require.NoError(t, err)
	assert.Equal(t, "About", l.Title, l.Why)
	l, err = tab.Open("/boom")
	require.NoError(t, err)
	assert.Contains(t, l.Why, "boom")
	assert.Equal(t, "/lib/answer.js", l.File)
	assert.Equal(t, 2, l.Line)

	require.NoError(t, b.SetNetwork(Online))
	files["lib/list.js"] = "export const files = ['/'];"
	b.Release(serve(t, files, site.Rules{}))
	_, err = tab.Open("/")
	require.NoError(t, err)
	b.Settle()
	assert.Equal(t, "waiting", b.Registrations()[0].State, "a module that changes makes a new worker")

	for source, want := range map[string]string{"import 'left-pad';": "failed to resolve module specifier", "import './gone.js';": "/gone.js cannot be loaded", "importScripts('/lib/list.js');": "Module scripts don't support importScripts"} {
		files["sw.js"] = source
		b := browser(t, serve(t, files, site.Rules{}))
		visit(t, b)
		require.Equal(t, "failed", b.Registrations()[0].State, source)
		assert.Contains(t, b.Registrations()[0].Error, want)
	}
}
