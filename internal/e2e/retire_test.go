package e2e

import (
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal/truth"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// posted gives the bodies that were sent since the last call.
func (w *world) posted() []string {
	var out []string
	for _, r := range w.Received() {
		if r.Method == "POST" {
			out = append(out, string(r.Body))
		}
	}
	return out
}

// quiet lets workers come to rest; a page that is just led away does not.
func (w *world) quiet() {
	w.Helper()
	if err := w.Settle(); w.chrome == nil {
		require.NoError(w, err)
	}
}

// free says whether the origin has neither a worker nor stores of ours.
func (w *world) free() bool {
	w.Helper()
	regs, err := w.Registrations()
	stores, errStores := w.Stores()
	if err != nil || errStores != nil { // the page is just being led away
		require.NotNil(w, w.chrome)
		return false
	}
	for _, r := range regs {
		if r.State != "none" && (w.chrome == nil || r.State != "failed") { // in Chromium that is all that is left of it
			return false
		}
	}
	return len(stores) == 0
}

// TestRetireOurs takes our worker back: with its tags, and with the pages as they were.
func TestRetireOurs(t *testing.T) {
	for _, options := range []string{"", "--strip"} {
		t.Run("retire "+options, func(t *testing.T) {
			stages := onBothStages
			if options == "" {
				stages = mostlyEmbedded
			}
			stages(t, nil, "", site.Rules{}, func(w *world) {
				w.visit()
				require.False(w, w.free())
				write(w.T, filepath.Join(w.dir, "dist"), map[string]string{"index.html": strings.Replace(w.read("dist/index.html"), "<h1>Skerry Line", "<h1>News", 1)})
				fine(w.T, w.dir, append([]string{"retire"}, strings.Fields(options)...)...)
				w.Release(w.serve())
				w.asked()
				w.open("/")
				w.comes("the visitor is free", func() bool { w.quiet(); return w.free() })
				assert.Less(w, strings.Count(strings.Join(w.asked(), "\n")+"\n", "GET /\n"), 4, "the page is brought to the network once")
				for range 3 {
					w.asked()
					w.open("/")
					require.NoError(w, w.Settle())
					w.comes("it goes again", w.free)
					w.quiet()
					assert.Equal(w, 1, strings.Count(strings.Join(w.asked(), "\n")+"\n", "GET /\n"), "no page is loaded again and again")
				}
				w.network(stage.Offline)
				l := w.open("/")
				assert.NotEqual(w, stage.ByWorker, l.AnsweredBy)
				w.network(stage.Online)
				fine(w.T, w.dir, "fit")
				w.Release(w.serve())
				w.visit()
				regs, err := w.Registrations()
				require.NoError(w, err)
				assert.True(w, slices.ContainsFunc(regs, func(r stage.Registration) bool { return r.State == "activated" }), "fit puts a worker in its place again")
			})
		})
	}
}

// TestRetireWithPosts has something wait in the outbox: it is sent, and the worker goes after that and not before.
func TestRetireWithPosts(t *testing.T) {
	onBothStages(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.broken = true // the posts fail, which a browser complains of
		w.visit()
		w.network(stage.Offline)
		for _, body := range []string{"one", "two"} {
			assert.Equal(w, 202, w.send(stage.Message{Method: "POST", URL: "/api/bookings", Body: body}).Status)
		}
		w.network(stage.Online)
		w.answers(site.AnswerRule{Path: "/api/bookings", Method: "POST", Status: 503, Type: "text/plain"})
		fine(w.T, w.dir, "retire", "--strip")
		w.Release(w.serve())
		w.Received()
		w.open("/")
		w.comes("a try", func() bool { w.quiet(); return len(w.posted()) > 0 })
		assert.False(w, w.free(), "something waits")
		for range 2 {
			w.rest()
			w.open("/")
			require.NoError(w, w.Settle())
		}
		w.Received()
		w.answers(booked)
		w.open("/")
		var sent []string
		w.comes("both are sent", func() bool {
			w.quiet()
			sent = append(sent, w.posted()...)
			return len(sent) >= 2
		})
		assert.Equal(w, []string{"one", "two"}, sent, "in order, and once")
		w.open("/")
		w.comes("the visitor is free", func() bool { w.quiet(); return w.free() })
	})
}

// TestRetireKeepsWhatWasRefused has the server refuse a post for good: nobody else has it, so that it stays where it is.
func TestRetireKeepsWhatWasRefused(t *testing.T) {
	needsAll(t)
	refused := site.AnswerRule{Path: "/api/bookings", Method: "POST", Status: 422, Type: "text/plain"}
	onChromium(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{refused}}, func(w *world) {
		w.broken = true
		w.visit()
		w.network(stage.Offline)
		assert.Equal(w, 202, w.send(stage.Message{Method: "POST", URL: "/api/bookings", Body: "mine"}).Status)
		fine(w.T, w.dir, "retire", "--strip")
		w.Release(w.serve())
		w.network(stage.Online)
		w.open("/")
		w.comes("the visitor is free", func() bool { w.quiet(); return w.free() })
		w.quiet()
		kept, err := w.chrome.Evaluate(`new Promise((done) => { const q = indexedDB.open("tachyform / outbox"); q.onsuccess = () => { q.result.transaction("posts").objectStore("posts").getAll().onsuccess = (e) => done(e.target.result.map((r) => r.state + " " + new TextDecoder().decode(r.body)).join()); }; })`)
		require.NoError(w, err)
		assert.Equal(w, "refused mine", kept)
	})
}

// TestRetireForeign frees visitors of a worker that shows what it stored for ever.
func TestRetireForeign(t *testing.T) {
	const stuck = `addEventListener("install", (e) => e.waitUntil(caches.open("mine").then((c) => c.addAll(["/", "/app.css"]))));
addEventListener("activate", (e) => e.waitUntil(clients.claim()));
addEventListener("fetch", (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));`
	page := strings.Replace(start, "</body>", `<script>navigator.serviceWorker.register("/old-worker.js")</script></body>`, 1)
	files := map[string]string{"index.html": page, "old-worker.js": stuck}
	mostlyEmbedded(t, files, "", site.Rules{}, func(w *world) {
		w.visit()
		write(w.T, filepath.Join(w.dir, "dist"), map[string]string{"index.html": strings.Replace(w.read("dist/index.html"), "<title>Skerry Line", "<title>News", 1)})
		w.Release(w.serve())
		assert.Equal(w, "Skerry Line", w.open("/").Title, "the visitor is stuck")
		out := fine(w.T, w.dir, "retire", "--clear")
		assert.Contains(w, out, "index.html:1:")
		w.Release(w.serve())
		w.open("/")
		w.comes("the visitor is free", func() bool { w.quiet(); return w.free() })
		assert.Equal(w, "News", w.open("/").Title)
		w.comes("it goes again", w.free)
		w.quiet()
		w.asked()
		w.open("/")
		require.NoError(w, w.Settle())
		assert.Equal(w, 1, strings.Count(strings.Join(w.asked(), "\n")+"\n", "GET /\n"), "a page that registers again makes no loop")
		fine(w.T, w.dir, "strip")
		assert.Equal(w, stuck, w.read("dist/old-worker.js"), "strip gives back what lay there")
	})
}

// TestRetireInFirefox frees a visitor of a worker of ours, and of what it has in the outbox.
func TestRetireInFirefox(t *testing.T) {
	needsAll(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "", "tachyform.toml": "site = \"dist\"\n" + outboxRule})
	fine(t, dir, "fit")
	served := func() *site.Server {
		s := serverOf(t, filepath.Join(dir, "dist"), "/")
		s.Rules.Answers = []site.AnswerRule{booked}
		return s
	}
	web, err := serve.Start(served())
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	f := startFirefox(t)
	require.NoError(t, f.open(web.Origin+"/"))
	f.evaluate(`navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? "" : new Promise((done) => { r.active.onstatechange = () => done(""); }))`)
	require.NoError(t, f.open(web.Origin+"/"))
	require.NoError(t, web.SetNetwork(site.Offline))
	assert.Equal(t, "202", f.evaluate(`fetch("/api/bookings", {method: "POST", body: "kept"}).then((r) => r.status)`))
	require.NoError(t, web.SetNetwork(site.Online))
	fine(t, dir, "retire", "--strip")
	web.Release(served())
	web.Log()
	deadline := time.Now().Add(20 * time.Second)
	for left := "?"; left != "0 0"; left = f.evaluate(`Promise.all([navigator.serviceWorker.getRegistrations(), caches.keys()]).then((l) => l.map((x) => x.length).join(" "))`) {
		require.True(t, time.Now().Before(deadline), "the visitor is never free: %s", left)
		_ = f.open(web.Origin + "/") // the worker may lead the page away meanwhile
	}
	var bodies []string
	for _, r := range web.Log() {
		if r.Method == "POST" {
			bodies = append(bodies, string(r.Body))
		}
	}
	assert.Equal(t, []string{"kept"}, bodies)
}

// TestRetireEveryWorker frees visitors of every worker of the recorded truth.
func TestRetireEveryWorker(t *testing.T) {
	t.Parallel()
	for i, c := range truth.Cases() {
		if os.Getenv("TACHYFORM_ALL") == "" && i%5 != 0 {
			continue // a fifth of them otherwise
		}
		t.Run(c.Name, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, c.Write(dir, "one"))
			b := stage.New(serverOf(t, dir, "/"), nil, stage.Limits{})
			t.Cleanup(b.Close)
			tab := b.NewTab()
			for range 2 {
				_, err := tab.Open("/")
				require.NoError(t, err)
				b.Settle()
			}
			var workers []string
			for _, r := range b.Registrations() {
				if r.State == "activated" || r.State == "waiting" {
					u, _, _ := strings.Cut(r.URL, "?")
					workers = append(workers, "--worker", u)
				}
			}
			if len(workers) == 0 {
				t.Skip("it does not install")
			}
			if _, errs, code := run(t, dir, append([]string{"retire", ".", "--clear"}, workers...)...); code != 0 {
				require.Contains(t, errs, "a worker's address ends in .js", errs)
				t.Skip(errs)
			}
			b.Release(serverOf(t, dir, "/"))
			for range 3 {
				_, err := tab.Open("/")
				require.NoError(t, err)
				b.Settle()
			}
			for _, r := range b.Registrations() {
				assert.Equal(t, "none", r.State, "%s %s", r.URL, r.Error)
			}
		})
	}
}

// TestRetireSays is about what it answers to what cannot be done.
func TestRetireSays(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": ""})
	for _, c := range []struct {
		args, has string
		code      int
	}{
		{"retire dist", "name its address with --worker", 2}, {"retire dist --worker /index.html", "a worker's address ends in .js", 2}, {"retire dist --worker /../x.js", "no address of a file", 2},
		{"retire dist --worker https://other.example/sw.js", "no address of a file", 2}, {"retire dist --worker /.tachyform/x.js", "folder of our own", 2}, {"retire dist --worker /sw.js --dry-run", "nothing was written", 0},
		{"retire dist --worker js/old.js --format json", `"url": "/js/old.js"`, 0},
	} {
		out, errs, code := run(t, dir, strings.Fields(c.args)...)
		assert.Equal(t, c.code, code, c.args)
		assert.Contains(t, out+errs, c.has, c.args)
	}
	_, err := os.Stat(filepath.Join(dir, "dist/sw.js"))
	assert.True(t, os.IsNotExist(err))
	assert.FileExists(t, filepath.Join(dir, "dist/js/old.js"))
	fine(t, dir, "fit", "dist")
	assert.Contains(t, fine(t, dir, "strip", "dist"), "tachyform retire dist --worker sw.js", "who strips is told what visitors keep")
	assert.Contains(t, fine(t, dir, "retire", "dist", "--worker", "sw.js"), "/sw.js")
	out, _, _ := run(t, dir, "audit", "dist", "--only", "worker/none")
	assert.Contains(t, out, "is retired", "an audit does not call for what was taken back")
}
