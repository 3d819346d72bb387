package e2e

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// world is a fitted site on one of the two stages.
type world struct {
	*testing.T
	rehearsal.Stage
	embedded *rehearsal.Embedded // nil on Chromium
	chrome   *chromium.Browser   // nil on the embedded stage
	dir      string              // holds the site in "dist"
	rules    site.Rules
	server   *site.Server
	broken   bool   // the browser is made to fail, which it complains of
	last     string // what was seen last of something that is waited for
}

// start is the page that every one of these sites begins with.
const start = `<!doctype html><html lang=en><head><title>Skerry Line</title><link rel="stylesheet" href="/app.css"></head><body><h1>Skerry Line</h1></body></html>`

// onBothStages fits a site and does the same with it on the embedded stage and in Chromium.
func onBothStages(t *testing.T, files map[string]string, toml string, rules site.Rules, work func(w *world)) {
	t.Helper()
	t.Parallel() // browsers wait more than they work
	for _, name := range []string{"embedded", "chromium"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			on(t, name == "chromium", files, toml, rules, work)
		})
	}
}

// mostlyEmbedded does the same; Chromium is asked when everything is (scripts/test --all).
func mostlyEmbedded(t *testing.T, files map[string]string, toml string, rules site.Rules, work func(w *world)) {
	t.Helper()
	if os.Getenv("TACHYFORM_ALL") != "" {
		onBothStages(t, files, toml, rules, work)
		return
	}
	t.Parallel()
	on(t, false, files, toml, rules, work)
}

// onChromium does it in Chromium only: for what pages' scripts or a browser's own caches do.
func onChromium(t *testing.T, files map[string]string, toml string, rules site.Rules, work func(w *world)) {
	t.Helper()
	on(t, true, files, toml, rules, work)
}

// onEmbedded does it on the embedded stage only: for tables of cases of which some are shown on both elsewhere.
func onEmbedded(t *testing.T, files map[string]string, toml string, rules site.Rules, work func(w *world)) {
	t.Helper()
	on(t, false, files, toml, rules, work)
}

func on(t *testing.T, browser bool, files map[string]string, toml string, rules site.Rules, work func(w *world)) {
	t.Helper()
	w := &world{T: t, dir: t.TempDir(), rules: rules}
	all := map[string]string{"dist/index.html": start, "dist/app.css": "body { color: teal }", "tachyform.toml": "site = \"dist\"\n" + toml + "\n[icons]\neffort = \"quick\"\n"}
	for k, v := range files {
		all["dist/"+k] = v
	}
	write(t, w.dir, all)
	w.fit()
	w.server = w.serve()
	if browser {
		web, err := serve.Start(w.server)
		require.NoError(t, err)
		t.Cleanup(func() { _ = web.Stop() })
		w.chrome, err = chromium.Start(context.Background(), web)
		require.NoError(t, err, "a missing browser is a failure here")
		t.Cleanup(w.chrome.Close)
		w.Stage = w.chrome
	} else {
		w.embedded = rehearsal.NewEmbedded(w.server, nil, stage.Limits{})
		t.Cleanup(w.embedded.Close)
		w.Stage = w.embedded
	}
	work(w)
	if w.broken {
		return
	}
	for _, r := range w.Remarks() {
		assert.Contains(t, []string{"install", "console", "page-console", "note", "update"}, r.Kind, "%s:%d: %s", r.File, r.Line, r.Message)
	}
	if w.chrome != nil {
		assert.Empty(t, w.chrome.Console(), "the console holds no error")
	}
}

func (w *world) fit() {
	w.Helper()
	fine(w.T, w.dir, "fit")
}

// serve reads the folder as it is now.
func (w *world) serve() *site.Server {
	w.Helper()
	s, err := site.Open(filepath.Join(w.dir, "dist"), "/")
	require.NoError(w, err)
	w.Cleanup(func() { s.Close() })
	return site.NewServer(s, w.rules)
}

// release changes files and lets the server answer with what comes of another fit.
func (w *world) release(files map[string]string) {
	w.Helper()
	write(w.T, filepath.Join(w.dir, "dist"), files)
	w.fit()
	w.Release(w.serve())
}

// answers changes what the server's endpoints say.
func (w *world) answers(rules ...site.AnswerRule) {
	w.Helper()
	w.rules.Answers = rules
	w.Release(w.serve())
}

func (w *world) open(url string) *stage.Load {
	w.Helper()
	l, err := w.Open(url)
	require.NoError(w, err)
	return l
}

// visit opens the start page until its worker controls it.
func (w *world) visit() {
	w.Helper()
	for range 2 {
		w.open("/")
		require.NoError(w, w.Settle())
	}
	if w.chrome != nil { // a slow machine may not have begun to register when nothing happens for a while
		w.comes("the worker", func() bool {
			state, err := w.chrome.Evaluate(`(navigator.serviceWorker.controller || {}).state || ""`)
			return err == nil && state == "activated"
		})
	}
	w.Received()
}

func (w *world) network(n stage.Network) {
	w.Helper()
	require.NoError(w, w.SetNetwork(n))
}

// rest stops the worker, so that its globals are lost.
func (w *world) rest() {
	w.Helper()
	require.NoError(w, w.Rest())
}

func (w *world) send(m stage.Message) *stage.Answer {
	w.Helper()
	a, err := w.Send(m)
	require.NoError(w, err)
	return a
}

// get fetches a URL by a script of the page: its body, or "rejected".
func (w *world) get(url string) string {
	w.Helper()
	a := w.send(stage.Message{URL: url})
	if a.Result == "rejected" {
		return a.Result
	}
	return a.Body
}

// stored gives the URLs in the store whose name ends in a word.
func (w *world) stored(word string) []string {
	w.Helper()
	stores, err := w.Stores()
	require.NoError(w, err)
	for _, s := range stores {
		if len(s.Name) >= len(word) && s.Name[len(s.Name)-len(word):] == word {
			var urls []string
			for _, e := range s.Entries {
				urls = append(urls, e.URL)
			}
			return urls
		}
	}
	return nil
}

// comes waits until something is so. On the embedded stage time passes meanwhile.
func (w *world) comes(what string, f func() bool) {
	w.Helper()
	deadline := time.Now().Add(60 * time.Second)
	for !f() {
		if w.embedded != nil {
			w.embedded.Advance(time.Second)
		} else {
			if _, err := w.chrome.Evaluate(`new Promise((done) => setTimeout(() => done(""), 50))`); err != nil {
				w.Log(err) // a page that is just being left
			}
		}
		require.True(w, time.Now().Before(deadline), "it never came: %s; %s", what, w.last)
	}
}

// asked gives what reached the site since the last call, as method and path.
func (w *world) asked() []string {
	var out []string
	for _, r := range w.Received() {
		out = append(out, r.Method+" "+r.URL)
	}
	return out
}

// read gives a file below the folder that holds the site.
func (w *world) read(name string) string {
	w.Helper()
	data, err := os.ReadFile(filepath.Join(w.dir, filepath.FromSlash(name)))
	require.NoError(w, err)
	return string(data)
}

// needsAll skips what needs many servers, packages or engines, unless everything is asked for (scripts/test --all).
func needsAll(t *testing.T) {
	t.Helper()
	if os.Getenv("TACHYFORM_ALL") == "" {
		t.Skip("scripts/test --all runs it")
	}
}
