// Package e2e drives the built program as its users do, and asks a real Chromium whether what it says is true.
package e2e

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

// program is the built program.
var program string

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "tachyform-e2e")
	if err != nil {
		panic(err)
	}
	program = filepath.Join(dir, "tachyform")
	build := exec.Command("go", "build", "-trimpath", "-o", program, "tachyform.dev/tachyform/cmd/tachyform")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	if out, err := build.CombinedOutput(); err != nil {
		fmt.Fprintf(os.Stderr, "%s", out)
		os.Exit(1)
	}
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// run runs the program in a folder.
func run(t testing.TB, dir string, args ...string) (stdout, stderr string, code int) {
	t.Helper()
	cmd := exec.Command(program, args...)
	cmd.Dir = dir
	var out, errs bytes.Buffer
	cmd.Stdout, cmd.Stderr = &out, &errs
	err := cmd.Run()
	var exit *exec.ExitError
	if err != nil && !errors.As(err, &exit) {
		require.NoError(t, err)
	}
	return out.String(), errs.String(), cmd.ProcessState.ExitCode()
}

// fine runs the program and expects that it went well.
func fine(t testing.TB, dir string, args ...string) string {
	t.Helper()
	out, errs, code := run(t, dir, args...)
	require.Equal(t, 0, code, "tachyform %s\n%s%s", strings.Join(args, " "), out, errs)
	return out
}

// fittedDemo writes the demo site into "demo-site" and fits it, which is the part of the command demo that takes no time.
func fittedDemo(t testing.TB, dir string) {
	t.Helper()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "demo-site"), os.DirFS("../../demo/site")))
	fine(t, dir, "fit", "demo-site", "--quiet")
}

func rehearsed(t testing.TB, dir string, args ...string) *rehearsal.Report {
	t.Helper()
	var r rehearsal.Report
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, append([]string{"rehearse", "--format", "json"}, args...)...)), &r))
	return &r
}

func serverOf(t testing.TB, dir, base string) *site.Server {
	t.Helper()
	s, err := site.Open(dir, base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, site.Rules{})
}

// served serves a folder on an origin of its own.
func served(t testing.TB, dir string) *serve.Server {
	t.Helper()
	server, err := serve.Start(serverOf(t, dir, "/"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Stop() })
	return server
}

// browse serves a folder to a real Chromium.
func browse(t testing.TB, dir, base string) (*chromium.Browser, *site.Server) {
	t.Helper()
	answers := serverOf(t, dir, base)
	server, err := serve.Start(answers)
	require.NoError(t, err)
	t.Cleanup(func() { _ = server.Stop() })
	b, err := chromium.Start(context.Background(), server)
	require.NoError(t, err, "a missing browser is a failure here")
	t.Cleanup(b.Close)
	return b, answers
}

// agree compares what the program said with what Chromium does, page by page, with the server stopped.
func agree(t *testing.T, dir, base string, said *rehearsal.Report) {
	t.Helper()
	b, answers := browse(t, dir, base)
	real, err := rehearsal.Run(context.Background(), b, answers, rehearsal.Options{})
	require.NoError(t, err)
	assert.Equal(t, said.Worker.State, real.Worker.State)
	assert.Equal(t, said.Worker.URL, real.Worker.URL)
	require.Len(t, real.Pages, len(said.Pages))
	for i, p := range said.Pages {
		q := real.Pages[i]
		assert.Equal(t, p.URL, q.URL)
		assert.Equal(t, p.Outcome, q.Outcome, "%s: the embedded stage says %q, Chromium %q", p.URL, p.Why, q.Why)
		assert.Equal(t, p.Status, q.Status, p.URL)
		assert.Equal(t, p.AnsweredBy, q.AnsweredBy, p.URL)
		if q.Outcome != rehearsal.Lost {
			assert.Equal(t, p.Title, q.Title, p.URL)
		}
	}
}

func TestDemoInChromium(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	out := fine(t, dir, "demo")
	assert.Contains(t, out, "Wrote 40 files")
	assert.Contains(t, out, "passed    Books on the pier, where there is no network")
	assert.NotContains(t, out, "failed")
	demo := filepath.Join(dir, "demo-site")
	own := filepath.Join(dir, "demo-site.toml")
	text, err := os.ReadFile(own)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(own, append(text, "# a note\n"...), 0o644))
	if os.Getenv("TACHYFORM_ALL") != "" {
		before := snapshot(t, dir)
		fine(t, dir, "demo", "--quiet")
		assert.Equal(t, before, snapshot(t, dir), "a second run changes nothing, and a configuration that is there is kept")
		fine(t, dir, "compare", "demo-site", "demo-site-next", "--config", "demo-site.toml") // as it suggests
	}
	assert.Contains(t, fine(t, dir, "fit", "--config", "demo-site.toml"), "nothing to do")

	b, _ := browse(t, demo, "/")
	l, err := b.Open("/")
	require.NoError(t, err)
	assert.Equal(t, 200, l.Status)
	require.NoError(t, b.Settle())
	hindrances, problems, err := b.Install()
	require.NoError(t, err)
	assert.Empty(t, hindrances, "Chromium's own installability report")
	assert.Empty(t, problems, "Chromium's own manifest report")
	l, err = b.Open("/timetable/")
	require.NoError(t, err)
	assert.True(t, l.Controlled, "the worker controls the next page")
	assert.Equal(t, "worker", string(l.AnsweredBy))
	assert.Empty(t, l.Missing)
	assert.Empty(t, b.Console())

	if os.Getenv("TACHYFORM_ALL") != "" {
		said := rehearsed(t, dir, "demo-site")
		assert.Equal(t, "activated", said.Worker.State)
		agree(t, demo, "/", said)
	}
}

func TestDemoServed(t *testing.T) {
	needsAll(t) // TestEveryHelpHasAnExampleThatWorks serves it every day
	t.Parallel()
	dir := t.TempDir()
	s := servedBy(t, dir, "demo", "ferry", "--serve")
	for at, want := range map[string]string{"/": "<link rel=\"manifest\"", "/timetable/": "<h1>Timetable</h1>"} {
		r, err := http.Get(strings.TrimSuffix(s.site, "/") + at)
		require.NoError(t, err)
		body, err := io.ReadAll(r.Body)
		r.Body.Close()
		require.NoError(t, err)
		assert.Contains(t, string(body), want)
	}
	assert.FileExists(t, filepath.Join(dir, "ferry-next", "sw.js"))
	assert.FileExists(t, filepath.Join(dir, "ferry.toml"))
}

func TestDemoBeforeFitting(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	fittedDemo(t, dir)
	demo := filepath.Join(dir, "demo-site")
	plain := filepath.Join(dir, "plain")
	require.NoError(t, os.CopyFS(plain, os.DirFS("../../demo/site")))
	for _, gone := range []string{"manifest.webmanifest", "sw.js", "icons"} {
		assert.NoFileExists(t, filepath.Join(plain, gone))
		_, err := os.Stat(filepath.Join(demo, gone))
		assert.NoError(t, err)
	}
	b, _ := browse(t, plain, "/")
	l, err := b.Open("/")
	require.NoError(t, err)
	assert.Empty(t, l.Missing, "the demo works without our additions")
	assert.Empty(t, b.Console())
	hindrances, _, err := b.Install()
	require.NoError(t, err)
	assert.Contains(t, hindrances, "no-manifest")

	out, _, code := run(t, dir, "audit", "plain", "--format", "json")
	assert.Equal(t, 1, code, "a site without a manifest does not pass the gate")
	var r audit.Report
	require.NoError(t, json.Unmarshal([]byte(out), &r))
	assert.False(t, r.Platforms[0].Installable)
	assert.Contains(t, r.Platforms[0].Blockers, "manifest/not-linked")
	if os.Getenv("TACHYFORM_ALL") != "" {
		agree(t, plain, "/", rehearsed(t, dir, "plain"))
	}
}

func TestSubFolder(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	site := filepath.Join(dir, "dist")
	write(t, site, map[string]string{
		"index.html":          `<!doctype html><html lang=en><title>Kelda tide clock</title><link rel=stylesheet href=app.css><a href="more/a b.html">more</a>`,
		"more/a b.html":       "<title>A b</title>\n<p>no head, no body<img src='../100%25.png'>",
		"more/caf\u00e9.html": "<!doctype html>\n<title>Caf\u00e9</title>\n<link rel=stylesheet href=../app.css>",
		"app.css":             "body { background: #123 }",
		"100%.png":            "\x89PNG\r\n\x1a\n",
	})
	out := fine(t, dir, "fit", "dist", "--base", "/tides/")
	assert.Contains(t, out, "Kelda tide clock")
	said := rehearsed(t, dir, "dist", "--base", "/tides/")
	for _, p := range said.Pages {
		assert.Equal(t, rehearsal.Whole, p.Outcome, "%s: %s", p.URL, p.Why)
		assert.True(t, strings.HasPrefix(p.URL, "/tides/"))
	}
	agree(t, site, "/tides/", said)
}

func TestHandWrittenWorkersAgreeWithChromium(t *testing.T) {
	needsAll(t)
	const list = `const V = "v1";
self.addEventListener("install", (e) => { self.skipWaiting(); e.waitUntil(caches.open(V).then((c) => c.addAll(["/", "/fares/", "/app.css", "/offline.html"]))); });
self.addEventListener("activate", (e) => e.waitUntil((async () => { for (const n of await caches.keys()) if (n !== V) await caches.delete(n); await clients.claim(); })()));
`
	for name, worker := range map[string]string{
		"cache-first":    list + `self.addEventListener("fetch", (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));`,
		"network-first":  list + `self.addEventListener("fetch", (e) => { e.respondWith((async () => { try { const r = await fetch(e.request); const c = await caches.open(V); await c.put(e.request, r.clone()); return r; } catch { return (await caches.match(e.request)) || (e.request.mode === "navigate" ? caches.match("/offline.html") : Response.error()); } })()); });`,
		"by destination": list + `onfetch = (e) => { const d = e.request.destination; if (d === "style" || d === "document") e.respondWith(caches.match(e.request, {ignoreSearch: true}).then((r) => r || fetch(e.request))); };`,
		"stale while revalidate": `const V = "swr"; onfetch = (e) => { e.respondWith(caches.open(V).then((c) => c.match(e.request).then((hit) => { const net = fetch(e.request).then((r) => { c.put(e.request, r.clone()); return r; }); return hit || net; }))); };
			onactivate = (e) => e.waitUntil(clients.claim());`,
		"one file after the other": `const files = ["/", "/fares/", "/app.css", "/ship.png", "/gallery/"]; oninstall = (e) => { skipWaiting(); e.waitUntil((async () => { const c = await caches.open("each"); for (const f of files) { const r = await fetch(f, {cache: "reload"}); if (r.ok) await c.put(f, r); } })()); };
			onfetch = (e) => { const u = new URL(e.request.url); if (u.origin !== location.origin) return; e.respondWith((async () => (await caches.match(u.pathname)) ?? fetch(e.request))()); };`,
		"globals are lost": list + `let ready = false; oninstall = () => { ready = true; }; onfetch = (e) => { if (ready) e.respondWith(caches.match(e.request).then((r) => r || Response.error())); };`,
		"imports":          `importScripts("/list.js"); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`,
		"preload":          list + `addEventListener("activate", (e) => e.waitUntil(registration.navigationPreload.enable())); onfetch = (e) => e.respondWith((async () => { try { return (await e.preloadResponse) || (await fetch(e.request)); } catch { return (await caches.match(e.request)) || caches.match("/offline.html"); } })());`,
		"redirect":         list + `onfetch = (e) => { if (e.request.mode === "navigate" && e.request.url.endsWith("/gallery/")) e.respondWith(Response.redirect("/fares/", 302)); else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };`,
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			write(t, dir, map[string]string{
				"index.html":         `<!doctype html><title>Home</title><link rel="stylesheet" href="/app.css"><script>navigator.serviceWorker.register("/sw.js")</script>`,
				"fares/index.html":   `<!doctype html><title>Fares</title><link rel="stylesheet" href="../app.css"><img src="/ship.png">`,
				"gallery/index.html": `<!doctype html><title>Gallery</title><img src="/ship.png">`,
				"offline.html":       `<!doctype html><title>No network</title>`,
				"app.css":            "body { color: teal }",
				"ship.png":           "\x89PNG\r\n\x1a\n",
				"list.js":            list,
				"sw.js":              worker,
			})
			agree(t, dir, "/", rehearsed(t, dir, "."))
		})
	}
}

// write writes files below a folder.
func write(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	tested.Write(t, dir, files)
}

// TestWhatAWorkerSeesInChromium runs the expectations of the embedded stage in a real browser.
func TestWhatAWorkerSeesInChromium(t *testing.T) {
	t.Parallel()
	for _, name := range []string{"api", "standards/cache", "standards/bodies", "standards/url", "standards/urlpattern", "standards/objects", "standards/globals", "standards/language", "standards/builtins"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			source, err := os.ReadFile("../stage/testdata/" + name + ".js")
			require.NoError(t, err)
			if name != "api" {
				run, err := os.ReadFile("../stage/testdata/standards/run.js")
				require.NoError(t, err)
				source = append(source, run...)
			}
			dir := t.TempDir()
			write(t, dir, map[string]string{"index.html": `<!doctype html><title>Home</title><script>navigator.serviceWorker.register("/sw.js")</script>`, "sw.js": string(source),
				"about/index.html": "<title>About</title>", "app.css": "body { color: teal }"})
			b, _ := browse(t, dir, "/")
			_, err = b.Open("/")
			require.NoError(t, err)
			results, err := b.Evaluate(`new Promise((done) => { if (navigator.serviceWorker.controller) done(); else navigator.serviceWorker.oncontrollerchange = done; }).then(() => fetch("/results")).then((r) => r.text())`)
			require.NoError(t, err)
			var r struct {
				Cases int
				Wrong []string
			}
			require.NoError(t, json.Unmarshal([]byte(results), &r), results)
			assert.Empty(t, strings.Join(r.Wrong, "\n"))
			assert.Greater(t, r.Cases, 70)
		})
	}
}
