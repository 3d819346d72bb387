package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

// waysIn is a manifest with every way into the app.
const waysIn = `{"name": "Skerry Line", "start_url": "/?from=icon", "display": "standalone", "icons": [{"src": "/a.png", "sizes": "192x192"}],
"shortcuts": [{"name": "Tides", "url": "/tides/"}, {"name": "Fares", "url": "/fares/"}],
"share_target": {"action": "/share", "method": "POST", "enctype": "multipart/form-data", "params": {"title": "t", "text": "x", "url": "u", "files": [{"name": "picture", "accept": ["image/*"]}]}},
"file_handlers": [{"action": "/open/", "accept": {"text/csv": [".csv"]}}],
"protocol_handlers": [{"protocol": "web+ferry", "url": "/sailing?of=%s"}], "note_taking": {"new_note_url": "/note"}}`

// ways gives the outcomes of the ways in, online and offline, by member.
func ways(r *rehearsal.Report) map[string]string {
	out := map[string]string{}
	for _, e := range r.Entrances {
		out[e.Member] = strings.TrimPrefix(out[e.Member]+", "+string(e.Outcome), ", ")
	}
	return out
}

// TestWaysIntoTheApp comes in by every way that a manifest names, with a worker of somebody's own and with ours.
func TestWaysIntoTheApp(t *testing.T) { comesIn(t, "embedded") }

// TestWaysIntoTheAppInChromium does the same on both stages, which have to agree.
func TestWaysIntoTheAppInChromium(t *testing.T) {
	needsAll(t) // the browser is started anew for each network state, and for what is shared
	comesIn(t, "both")
}

func comesIn(t *testing.T, on string) {
	dir := t.TempDir()
	page := func(title string) string {
		return `<!doctype html><html lang=en><meta charset=utf-8><title>` + title + `</title><link rel=manifest href=/m.json><p>` + title + `<script>navigator.serviceWorker && navigator.serviceWorker.register("/sw.js")</script>`
	}
	write(t, dir, map[string]string{
		"own/index.html": page("Home"), "own/tides/index.html": page("Tides"), "own/open/index.html": page("Open"), "own/sailing/index.html": page("Sailing"), "own/m.json": waysIn,
		"own/sw.js": `const list = ["/", "/tides/", "/open/"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => {
  if (e.request.method === "POST") return e.respondWith((async () => {
    const f = await e.request.formData(), file = f.get("picture"), c = await caches.open("shared");
    await c.put("/shared", new Response(f.get("t") + "|" + f.get("x") + "|" + f.get("u") + "|" + file.name + "|" + file.type + "|" + await file.text()));
    return Response.redirect("/open/?shared", 303);
  })());
  e.respondWith(caches.match(e.request, {ignoreSearch: new URL(e.request.url).pathname === "/open/"}).then((r) => r || fetch(e.request)));
};
onpush = (e) => e.waitUntil(registration.showNotification(e.data.json().title, {body: "of " + e.data.json().body}));
onnotificationclick = (e) => e.waitUntil(clients.openWindow("/tides/"));`,
		"own.toml": "site = \"own\"\n[[story]]\nname = \"A late boat\"\nsteps = [\"open /\", \"open /\", 'push {\"title\": \"Boat 9:40\", \"body\": \"Staffin\"}', \"expect notification of Staffin\"]\n",
		"tap.toml": "site = \"own\"\n[[story]]\nname = \"A tap\"\nsteps = [\"open /\", \"expect no notification\", 'push {\"title\": \"Boat 9:40\"}', \"expect notification Boat\", \"network offline\", \"tap notification\", \"expect title Tides\", \"expect location /tides/\", \"expect whole\"]\n" +
			"[[story]]\nname = \"No JSON\"\nsteps = [\"open /\", \"push late\"]\n[[story]]\nname = \"Nothing to tap on\"\nsteps = [\"open /\", \"tap notification\"]\n",
	})
	r := rehearsed(t, dir, "--config", "own.toml", "--stage", on, "--story", "A late boat")
	want := map[string]string{"start_url": "whole, lost", "shortcuts[0].url": "whole, whole", "shortcuts[1].url": "stand-in, lost", "share_target.action": "whole, whole", "file_handlers[0].action": "whole, whole",
		"protocol_handlers[0].url": "whole, lost", "note_taking.new_note_url": "stand-in, lost"}
	assert.Equal(t, want, ways(r))
	assert.Empty(t, r.Differences)
	require.Len(t, r.Stories, 1)
	assert.True(t, r.Stories[0].Passed, "%+v", r.Stories[0])
	all := r.Entrances
	if on == "both" {
		assert.Equal(t, len(all), len(r.Chromium.Entrances))
		assert.True(t, r.Chromium.Stories[0].Passed, "%+v", r.Chromium.Stories[0])
	}
	require.NotNil(t, r.Push)
	assert.Equal(t, []string{"Staffin to Orran"}, r.Push.Shown)
	assert.Equal(t, rehearsal.TapResult{Listens: true, Opened: "/tides/", Outcome: rehearsal.Whole}, *r.Push.Tap)

	out, _, code := run(t, dir, "rehearse", "--config", "tap.toml", "--story", "A tap", "--story", "No JSON", "--story", "Nothing to tap on")
	assert.Equal(t, 1, code)
	for _, part := range []string{"Ways into the app", `shows "Staffin to Orran"; a tap opens /tides/`, "share (POST)", "passed A tap", "looking for beginning of value (/sw.js:11)", "no notification is shown"} {
		assert.Contains(t, strings.Join(strings.Fields(out), " "), part)
	}

	// Ours: the start page is stored under its own address, and answers with a query; what is shared is kept by an outbox.
	write(t, dir, map[string]string{
		"ours/index.html": "<!doctype html><html lang=en><title>Home</title><p>Home<a href=/tides/>Tides</a><a href=/open/>Open</a>", "ours/tides/index.html": "<!doctype html><title>Tides</title>Tides",
		"ours/open/index.html": "<!doctype html><title>Open</title>Open", "ours/fares/index.html": "<!doctype html><title>Fares</title>Fares", "ours/manifest.webmanifest": waysIn,
		"ours.toml": "site = \"ours\"\n[[rule]]\nmatch = \"/share\"\nmethod = \"POST\"\nanswer = \"outbox\"\n[[server.answer]]\npath = \"/share\"\nmethod = \"POST\"\nbody = \"<title>Thanks</title>\"\n",
	})
	write(t, dir, map[string]string{"thanks.html": "<!doctype html><title>Thanks</title>"})
	fine(t, dir, "fit", "--config", "ours.toml", "--quiet")
	r = rehearsed(t, dir, "--config", "ours.toml", "--stage", on, "--story", "none")
	want = map[string]string{"start_url": "whole, whole", "shortcuts[0].url": "whole, whole", "shortcuts[1].url": "whole, whole", "share_target.action": "whole, whole", "file_handlers[0].action": "whole, whole"}
	got := ways(r)
	for k, v := range want {
		assert.Equal(t, v, got[k], k)
	}
	assert.Empty(t, r.Differences)
	if all = r.Entrances; on == "both" {
		all = append(all, r.Chromium.Entrances...)
	}
	for _, e := range all {
		if e.Method == "POST" && e.Network == "offline" {
			assert.True(t, e.Sent, "it reached the server when that was there again")
		}
	}
}
