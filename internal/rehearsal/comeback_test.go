package rehearsal

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// seen gives what each visit after each imagined release shows.
func seen(t *testing.T, server *site.Server) (map[string]string, *Report) {
	t.Helper()
	st := NewEmbedded(server, nil, stage.Limits{})
	defer st.Close()
	r, err := Run(context.Background(), st, server, Options{Comeback: true})
	require.NoError(t, err)
	out := map[string]string{}
	for _, c := range r.Comebacks {
		var shows []string
		for _, v := range c.Visits {
			shows = append(shows, v.Shows)
		}
		out[c.Changes] = strings.Join(shows, " ")
	}
	return out, r
}

// TestComebacks imagines releases for workers of many kinds.
func TestComebacks(t *testing.T) {
	const install = `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/app.css"])));`
	const stored = `onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	files := func(each string, more map[string]string) map[string]string { // a page, styles and scripts, and both come out alike
		more[PageChange], more[PartsChange], more[FilesChange] = each, each, each
		return more
	}
	for name, c := range map[string]struct {
		worker string
		want   map[string]string
	}{
		"none":              {"", map[string]string{}},
		"keeps out of it":   {`onfetch = () => {};`, files("new new new new", map[string]string{WorkerChange: "new new new new"})},
		"cache-first":       {install + stored, files("old old old old", map[string]string{WorkerChange: "old new new new", StoresChange: "old old old old"})},
		"deletes the older": {install + `onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.filter((n) => n !== "v1").map((n) => caches.delete(n)))));` + stored, files("old old old old", map[string]string{WorkerChange: "old new new new", StoresChange: "old old new new"})},
		"takes over at once": {install + `addEventListener("install", () => skipWaiting()); onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.filter((n) => n !== "v1").map((n) => caches.delete(n)))).then(() => clients.claim()));` + stored,
			files("old old old old", map[string]string{WorkerChange: "old new new new", StoresChange: "old new new new"})},
		"network first for pages only": {install + `onfetch = (e) => e.respondWith(e.request.mode === "navigate" ? fetch(e.request).catch(() => caches.match(e.request)) : caches.match(e.request).then((r) => r || fetch(e.request)));`,
			map[string]string{PageChange: "new new new new", PartsChange: "old old old old", FilesChange: "mix mix mix mix", WorkerChange: "mix new new new", StoresChange: "mix mix mix mix"}},
		"shows what it stored and looks after it": {install + `onfetch = (e) => e.respondWith(caches.open("v1").then(async (c) => { const r = await c.match(e.request); const n = fetch(e.request).then(async (x) => { await c.put(e.request, x.clone()); return x; }); if (r) e.waitUntil(n); return r || n; }));`,
			files("old new new new", map[string]string{WorkerChange: "old new new new", StoresChange: "old new new new"})},
		"looks for what its list says": {`const LIST = {"/": "a1b2c3", "/app.css": "d4e5f6"}; const key = (u) => u + "?v=" + LIST[u];
oninstall = (e) => e.waitUntil(caches.open("kept").then((c) => Promise.all(Object.keys(LIST).map(async (u) => (await c.match(key(u))) || c.put(key(u), await fetch(u, {cache: "reload"}))))));
onfetch = (e) => { const u = new URL(e.request.url).pathname; if (LIST[u]) e.respondWith(caches.match(key(u)).then((r) => r || fetch(e.request))); };`,
			files("old old old old", map[string]string{WorkerChange: "old old old old", ListChange: "old old new new", StoresChange: "old old old old"})},
		"makes its pages": {`onfetch = (e) => e.respondWith(e.request.mode === "navigate" ? new Response("<title>Made</title>", {headers: {"Content-Type": "text/html"}}) : fetch(e.request));`,
			files("unknown unknown unknown unknown", map[string]string{WorkerChange: "unknown unknown unknown unknown"})},
	} {
		t.Run(name, func(t *testing.T) {
			files := small("one")
			if c.worker != "" {
				files["sw.js"] = c.worker
				files["index.html"] = strings.Replace(files["index.html"], `"not text"`, `navigator.serviceWorker.register("/sw.js")`, 1)
			}
			got, _ := seen(t, folder(t, files))
			assert.Equal(t, c.want, got)
		})
	}
}

// TestComebackOfAFittedSite imagines the release that the next fit would make.
func TestComebackOfAFittedSite(t *testing.T) {
	files := small("one")
	files["lib.3f9c2b71.js"] = "//"
	files["index.html"] = strings.Replace(files["index.html"], "</h1>", `</h1><script src="/lib.3f9c2b71.js"></script>`, 1)
	got, r := seen(t, fittedFolder(t, files))
	assert.Equal(t, map[string]string{PageChange: "old old new new", PartsChange: "old old new new", WorkerChange: "old old new new"}, got)
	require.Len(t, r.Comebacks, 3)
	assert.Equal(t, []string{"/", "/app.css"}, r.Comebacks[2].Changed, "neither what has a digest in its name nor what fit wrote")
	assert.Equal(t, 3, r.Comebacks[0].Arrives())
	assert.False(t, r.Comebacks[0].Mixes())
}
