package e2e

import (
	"crypto/sha512"
	"encoding/base64"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

const ruleKinds = `
[[rule]] # of another method: what is kept is not counted as its own
match = "/api/first/:id"
method = "POST"
answer = "outbox"

[[rule]]
match = "/api/first/:id"
answer = "cache-first"
keep = { entries = 2 }
ignore = ["utm_*"]

[[rule]]
match = "/api/fresh/:id"
answer = "network-first"
patience = "1s"

[[rule]]
match = "/api/stale/:id"
answer = "stale-while-revalidate"

[[rule]]
match = "/api/only/*"
answer = "cache-only"

[[rule]]
match = "/api/never/*"
answer = "network-only"

[[rule]]
match = "/api/old/*"
answer = "cache-first"
keep = { age = "2s" }

[[rule]]
match = "/api/pictures/*"
destination = ["image"]
answer = "cache-first"
`

// say makes an endpoint that answers with a text.
func say(path, body string) site.AnswerRule {
	return site.AnswerRule{Path: path, Type: "application/json", Body: []byte(body)}
}

// states are what the network can be apart from online.
var states = []stage.Network{stage.Offline, stage.Failing, stage.Portal, stage.Slow}

func TestKindsOfRules(t *testing.T) {
	onBothStages(t, nil, ruleKinds, site.Rules{Answers: []site.AnswerRule{say("/api/**", "one")}}, func(w *world) {
		w.visit()
		for _, u := range []string{"/api/first/a", "/api/fresh/a", "/api/stale/a", "/api/never/a", "/api/pictures/a"} {
			assert.Equal(w, "one", w.get(u), u)
		}
		assert.Equal(w, "rejected", w.get("/api/only/a"), "nothing stores what is only taken from a store")
		w.answers(say("/api/**", "two"))
		w.rest()
		assert.Equal(w, "one", w.get("/api/first/a"), "stored first")
		assert.Equal(w, "one", w.get("/api/first/a?utm_source=x&utm_medium=y"), "ignored parameters make no difference")
		assert.Equal(w, "two", w.get("/api/first/a?from=x"), "others do")
		assert.Equal(w, "two", w.get("/api/fresh/a"), "network first")
		assert.Equal(w, "one", w.get("/api/stale/a"), "stored, and fetched for the next time")
		w.comes("the fresh copy", func() bool { return w.get("/api/stale/a") == "two" })
		assert.Equal(w, "two", w.get("/api/never/a"))
		assert.Equal(w, "two", w.get("/api/pictures/a"), "a fetch is not for this rule's destination")
		w.answers(say("/api/**", "three"))
		for _, n := range states {
			w.network(n)
			w.rest()
			assert.Equal(w, "one", w.get("/api/first/a"), n)
			assert.Equal(w, "two", w.get("/api/fresh/a"), n)
			assert.Equal(w, "two", w.get("/api/stale/a"), n)
			none := w.get("/api/fresh/never-seen")
			assert.True(w, none == "rejected" || n == stage.Failing || n == stage.Portal, "%s: %s", n, none)
			w.network(stage.Online)
		}
		assert.Equal(w, "three", w.get("/api/fresh/a"), "error pages and sign-in pages were not kept")
		for _, id := range []string{"b", "c", "d"} {
			w.get("/api/first/" + id)
		}
		w.comes("the trimming", func() bool {
			kept := slices.DeleteFunc(w.stored(" kept"), func(u string) bool { return !strings.HasPrefix(u, "/api/first/") })
			return slices.Equal(kept, []string{"/api/first/c", "/api/first/d"})
		})
	})
}

// A browser may refuse to give what it stores, when its disk is broken for example: the site is then as without a worker.
func TestStorageThatFails(t *testing.T) {
	const breaks = `addEventListener("message", (e) => {
		if (e.data === "break") caches.open = caches.match = () => Promise.reject(new DOMException("Unexpected internal error.", "UnknownError"));
	});`
	toml := "[worker]\nbeside = \"/breaks.js\"\nfirst = \"ours\"\n[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n"
	mostlyEmbedded(t, map[string]string{"breaks.js": breaks}, toml, site.Rules{Answers: []site.AnswerRule{say("/api/**", "one")}}, func(w *world) {
		w.broken = true
		w.visit()
		assert.Equal(w, "one", w.get("/api/x"))
		require.NoError(w, w.Post("break", false))
		w.answers(say("/api/**", "two"))
		w.comes("the break", func() bool { return w.open("/").Source != "store" && w.get("/api/x") == "two" })
		l := w.open("/")
		assert.Equal(w, 200, l.Status)
		assert.Empty(w, l.Missing)
	})
}

func TestWhatIsNotStored(t *testing.T) {
	rules := site.Rules{
		Answers: []site.AnswerRule{say("/api/cookie", "{}"), say("/api/secret", "{}"), say("/api/plain", "{}"), {Path: "/api/wrong", Status: 500, Type: "text/plain"},
			{Path: "/api/part", Type: "text/html", Body: []byte("<li>A part of a page</li>")}, {Path: "/api/page", Type: "text/html", Body: []byte("<!doctype html><html><p>Sign in")}},
		Headers:   []site.HeaderRule{{Path: "/api/cookie", Name: "Vary", Value: "Cookie"}, {Path: "/api/secret", Name: "Cache-Control", Value: "no-store"}},
		Redirects: []site.RedirectRule{{From: "/api/moved", To: "/api/plain", Status: 302}},
	}
	mostlyEmbedded(t, nil, "[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n", rules, func(w *world) {
		w.visit()
		for _, u := range []string{"/api/cookie", "/api/secret", "/api/wrong", "/api/part", "/api/page", "/api/moved", "/api/gone", "/api/plain"} {
			w.get(u)
		}
		w.comes("the last answer", func() bool { return slices.Contains(w.stored(" kept"), "/api/plain") })
		assert.Equal(w, []string{"/api/part", "/api/plain"}, w.stored(" kept"))
	})
}

func TestKeptForATime(t *testing.T) {
	mostlyEmbedded(t, nil, ruleKinds, site.Rules{Answers: []site.AnswerRule{say("/api/**", "one")}}, func(w *world) {
		w.visit()
		assert.Equal(w, "one", w.get("/api/old/a"))
		assert.Equal(w, "one", w.get("/api/first/a"))
		w.network(stage.Offline)
		w.comes("the end of its time", func() bool { return w.get("/api/old/a") == "rejected" })
		assert.Equal(w, "one", w.get("/api/first/a"), "what has no age stays")
	})
}

func TestPagesAreFound(t *testing.T) {
	files := map[string]string{
		"about.html":            strings.Replace(start, "Skerry Line", "About us", 1),
		"town/index.html":       strings.Replace(start, "Skerry Line", "Town", 1),
		"caf\u00e9 & b.html":    strings.Replace(start, "<title>Skerry Line", "<meta charset=utf-8><title>Caf\u00e9", 1),
		"photos/index.html":     `<!doctype html><html><head><title>Photos</title></head><body><img src="/photos/not-stowed.png"></body></html>`,
		"photos/none.svg":       `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`,
		"photos/not-stowed.png": "\x89PNG\r\n\x1a\n",
		"account/index.html":    strings.Replace(start, "Skerry Line", "Account", 1),
	}
	toml := "[stow]\nnow = [\"/**/*.html\", \"/\", \"/town/\", \"/photos/\", \"/app.css\"]\n[offline]\nimage = \"/photos/none.svg\"\nexcept = [\"/account/**\"]\n"
	mostlyEmbedded(t, files, toml, site.Rules{}, func(w *world) {
		w.visit()
		w.network(stage.Offline)
		w.rest()
		for url, title := range map[string]string{"/?utm_source=leaflet": "Skerry Line", "/index.html": "Skerry Line", "/about.html": "About us", "/about": "About us", "/town": "Town",
			"/town/index.html?a=1": "Town", "/caf%c3%a9%20&%20b.html": "Caf\u00e9", "/nowhere/": "No connection - Skerry Line", "/photos/": "Photos"} {
			l := w.open(url)
			assert.Equal(w, title, l.Title, url)
			assert.Empty(w, l.Missing, url) // of the photo, a picture stands in
			assert.Equal(w, stage.ByWorker, l.AnsweredBy, url)
		}
		l := w.open("/account/")
		assert.Equal(w, stage.ByBrowser, l.AnsweredBy, "the worker keeps out of what is excepted")
		if w.embedded != nil {
			assert.Contains(w, l.Why, "a static route of the worker sends it to the network", "and is not even asked")
		}
	})
}

func TestPartsOfFiles(t *testing.T) {
	mostlyEmbedded(t, map[string]string{"horn.wav": "0123456789", "horn/index.html": start + "<audio src=/horn.wav>"}, "", site.Rules{}, func(w *world) {
		w.visit()
		w.network(stage.Offline)
		for spec, want := range map[string]struct {
			status int
			body   string
		}{"bytes=0-1": {206, "01"}, "bytes=0-": {206, "0123456789"}, "bytes=4-6": {206, "456"}, "bytes=-3": {206, "789"}, "bytes=8-99": {206, "89"},
			"bytes=20-": {416, ""}, "lines=1-2": {200, "0123456789"}} {
			a := w.send(stage.Message{URL: "/horn.wav", Header: [][2]string{{"Range", spec}}})
			assert.Equal(w, want.status, a.Status, spec)
			assert.Equal(w, want.body, a.Body, spec)
		}
	})
}

// TestPagesFromTheNetwork is about pages that the release does not have: what they need comes from the network, too.
func TestPagesFromTheNetwork(t *testing.T) {
	files := map[string]string{"news/index.html": strings.Replace(start, "Skerry Line", "News", 1)}
	toml := "[worker]\npreload = true\n[stow]\nnow = [\"/\", \"/app.css\"]\n[[rule]]\nmatch = \"/news/*\"\nanswer = \"network-first\"\npatience = \"1s\"\n"
	mostlyEmbedded(t, files, toml, site.Rules{}, func(w *world) {
		w.visit()
		l := w.open("/news/")
		assert.Equal(w, "News", l.Title)
		got := w.Received()
		assert.True(w, slices.ContainsFunc(got, func(s stage.Sent) bool {
			return s.URL == "/news/" && slices.Contains(s.Header, [2]string{"service-worker-navigation-preload", "true"})
		}), "the browser asks for the page while the worker starts")
		assert.True(w, slices.ContainsFunc(got, func(s stage.Sent) bool { return s.URL == "/app.css" }), "and its style sheet is not taken from the release")
		for _, n := range states {
			w.network(n)
			w.rest()
			l := w.open("/news/")
			assert.Equal(w, "News", l.Title, n)
			assert.Empty(w, l.Missing, n)
			assert.Equal(w, "Skerry Line", w.open("/").Title, n)
			w.network(stage.Online)
		}
	})
}

func TestOtherOrigins(t *testing.T) {
	t.Parallel()
	// An image of another origin can be shown and stored without being looked into.
	t.Run("chromium", func(t *testing.T) {
		other := t.TempDir()
		write(t, other, map[string]string{"index.html": "<title>Tiles</title>", "tile.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9" width="9" height="9"><path d="M0 0h9v9z"/></svg>`})
		tiles := served(t, other)
		dir := t.TempDir()
		page := `<!doctype html><title>Map</title><img id="tile" src="` + tiles.Origin + `/tile.svg">`
		write(t, dir, map[string]string{"dist/index.html": page, "tachyform.toml": "site = \"dist\"\n[[rule]]\nmatch = \"" + tiles.Origin + "/*\"\nanswer = \"cache-first\"\nopaque = true\n"})
		fine(t, dir, "fit")
		b, _ := browse(t, dir+"/dist", "/")
		for range 2 {
			_, err := b.Open("/")
			require.NoError(t, err)
			require.NoError(t, b.Settle())
		}
		_, err := b.Open("/")
		require.NoError(t, err)
		require.NoError(t, tiles.Stop())
		require.NoError(t, b.SetNetwork(stage.Offline))
		_, err = b.Open("/")
		require.NoError(t, err)
		width, err := b.Evaluate(`String(document.getElementById("tile").naturalWidth)`)
		require.NoError(t, err)
		assert.Equal(t, "9", width)
		assert.Empty(t, b.Console())
	})
	t.Run("embedded", func(t *testing.T) {
		other, dir := t.TempDir(), t.TempDir()
		write(t, other, map[string]string{"index.html": "<title>Tiles</title>", "tile.svg": "<svg/>"})
		write(t, dir, map[string]string{"dist/index.html": `<!doctype html><title>Map</title><img src="https://tiles.example/tile.svg">`,
			"tachyform.toml": "site = \"dist\"\n[[rule]]\nmatch = \"https://tiles.example/*\"\nanswer = \"cache-first\"\nopaque = true\n[[server.origin]]\nurl = \"https://tiles.example\"\ndir = \"" + other + "\"\n"})
		fine(t, dir, "fit")
		r := rehearsed(t, dir, "--visit", "/", "--visit", "/", "--visit", "/")
		assert.Equal(t, rehearsal.Whole, r.Pages[0].Outcome, r.Pages[0].Why)
		assert.True(t, slices.ContainsFunc(r.Stores, func(s rehearsal.Store) bool { return slices.Contains(s.URLs, "https://tiles.example/tile.svg") }))
	})
}

// TestFilesOfOtherOrigins is about a script of another origin whose digest is known: one visit is enough, and nothing else is stored for it.
func TestFilesOfOtherOrigins(t *testing.T) {
	t.Parallel()
	const script = "document.documentElement.dataset.chart = 'drawn';"
	sum := sha512.Sum384([]byte(script))
	for name, c := range map[string]struct{ sends, want string }{"as it was": {script, "drawn"}, "something else": {"document.documentElement.dataset.chart = 'stolen';", ""}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			other, dir := t.TempDir(), t.TempDir()
			write(t, other, map[string]string{"index.html": "<title>CDN</title>", "chart.js": c.sends})
			cdn := served(t, other)
			cdn.Release(site.NewServer(openSite(t, other), site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Access-Control-Allow-Origin", Value: "*"}}}))
			write(t, dir, map[string]string{"dist/index.html": `<!doctype html><title>Chart</title><script src="` + cdn.Origin + `/chart.js"></script>`,
				"tachyform.toml": "site = \"dist\"\n[[rule]]\nmatch = \"" + cdn.Origin + "/chart.js\"\nanswer = \"cache-first\"\nintegrity = \"sha384-" + base64.StdEncoding.EncodeToString(sum[:]) + "\"\n"})
			fine(t, dir, "fit")
			b, _ := browse(t, dir+"/dist", "/")
			_, err := b.Open("/")
			require.NoError(t, err)
			require.NoError(t, b.Settle())
			require.NoError(t, cdn.Stop())
			require.NoError(t, b.SetNetwork(stage.Offline))
			_, err = b.Open("/")
			require.NoError(t, err)
			drawn, err := b.Evaluate(`document.documentElement.dataset.chart || ""`)
			require.NoError(t, err)
			assert.Equal(t, c.want, drawn)
		})
	}
}

func openSite(t *testing.T, dir string) *site.Site {
	t.Helper()
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return s
}

// TestSoundOffline plays a sound from the middle, without a network.
func TestSoundOffline(t *testing.T) {
	needsAll(t)
	t.Parallel()
	const rate, seconds = 8000, 4
	wav := "RIFF" + le(36+rate*seconds, 4) + "WAVEfmt " + le(16, 4) + le(1, 2) + le(1, 2) + le(rate, 4) + le(rate, 4) + le(1, 2) + le(8, 2) + "data" + le(rate*seconds, 4) + strings.Repeat("\x80\x90\xa0\x90\x80\x70\x60\x70", rate*seconds/8)
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start + "<audio preload=none src=/horn.wav></audio>", "dist/app.css": "", "dist/horn.wav": wav})
	fine(t, dir, "fit", "dist")
	b, _ := browse(t, dir+"/dist", "/")
	for range 2 {
		_, err := b.Open("/")
		require.NoError(t, err)
		require.NoError(t, b.Settle())
	}
	require.NoError(t, b.SetNetwork(stage.Offline))
	_, err := b.Open("/")
	require.NoError(t, err)
	played, err := b.Evaluate(`(async () => {
		const once = (type) => new Promise((done, fail) => { a.addEventListener(type, done, {once: true}); a.addEventListener("error", () => fail(new Error(a.error.message)), {once: true}); });
		const a = new Audio("/horn.wav"); a.muted = true;
		await once("canplaythrough");
		a.currentTime = 3; await once("seeked");
		const from = a.currentTime; await a.play(); await once("ended");
		return [a.duration, from, a.ended].join();
	})()`)
	require.NoError(t, err)
	assert.Equal(t, "4,3,true", played)
	assert.Empty(t, b.Console())
}

// le writes a number in as many bytes, the least first.
func le(n, size int) string {
	b := make([]byte, size)
	for i := range b {
		b[i] = byte(n >> (8 * i))
	}
	return string(b)
}
