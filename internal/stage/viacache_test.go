package stage

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestUpdateViaCache deploys a release while the browser still keeps the worker's scripts: who sees it when depends on updateViaCache
// (Service Workers, "Update").
func TestUpdateViaCache(t *testing.T) {
	long := site.Rules{Headers: []site.HeaderRule{{Path: "/*.js", Name: "Cache-Control", Value: "max-age=604800"}}}
	for name, c := range map[string]struct {
		options string
		change  string // the script that is another in the next release
		later   time.Duration
		seen    bool
	}{
		"the worker, by default":                {"", "sw.js", time.Hour, true},
		"what it imports, by default":           {"", "lib.js", time.Hour, false},
		"what it imports, a day later":          {"", "lib.js", 25 * time.Hour, true},
		"what it imports, past the cache":       {`{updateViaCache: "none"}`, "lib.js", time.Hour, true},
		"the worker, through the cache":         {`{updateViaCache: "all"}`, "sw.js", time.Hour, false},
		"the worker through it, a day later":    {`{updateViaCache: "all"}`, "sw.js", 25 * time.Hour, true},
		"what it imports, said as it is anyway": {`{updateViaCache: "imports"}`, "lib.js", time.Hour, false},
	} {
		for _, run := range []bool{true, false} {
			t.Run(name, func(t *testing.T) {
				files := map[string]string{"index.html": `<!doctype html><title>x</title><script>navigator.serviceWorker.register("/sw.js", ` + c.options + `)</script>`, "sw.js": `importScripts("/lib.js"); onfetch = () => {}; /* 1 */`, "lib.js": "/* 1 */"}
				if c.options == "" {
					files["index.html"] = `<!doctype html><title>x</title><script>navigator.serviceWorker.register("/sw.js")</script>`
				}
				b := New(serve(t, files, long), nil, Limits{})
				t.Cleanup(b.Close)
				b.RunScripts(run)
				tab := b.NewTab()
				_, err := tab.Open("/")
				require.NoError(t, err)
				b.Settle()
				require.NotNil(t, b.regs[0].active)
				first := b.regs[0].active
				files[c.change] += " /* 2 */"
				b.Release(serve(t, files, long))
				b.Advance(c.later)
				_, err = tab.Open("/")
				require.NoError(t, err)
				b.Settle()
				assert.Equal(t, c.seen, b.regs[0].newest() != first)
			})
		}
	}
	b := New(serve(t, map[string]string{"index.html": `<!doctype html><title>x</title><p id=p></p><script>const say = (x) => { p.textContent += x + "; " };
navigator.serviceWorker.register("/sw.js", {updateViaCache: "often"}).catch((e) => say(e.name)); navigator.serviceWorker.register("/sw.js", {updateViaCache: "none"}).then((r) => say(r.updateViaCache)).then(() => navigator.serviceWorker.register("/sw.js")).then((r) => say(r.updateViaCache))</script>`, "sw.js": ""}, site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	b.RunScripts(true)
	l, err := b.NewTab().Open("/")
	require.NoError(t, err)
	assert.Equal(t, "TypeError; none; imports;", l.Text)
	require.Len(t, b.regs, 1)
}

// TestRegisteredAgainOffline registers a worker that is there once more, in another way, while nothing answers: the promise is rejected as browsers do,
// and nobody says that there is no worker.
func TestRegisteredAgainOffline(t *testing.T) {
	b := New(serve(t, map[string]string{"index.html": `<!doctype html><title>x</title><p id=p></p><script>
const say = (x) => { p.textContent += x + " "; };
navigator.serviceWorker.register("/sw.js", {updateViaCache: navigator.onLine ? "none" : "imports"}).then(() => say("registered"), (e) => say(e.name)).then(() => navigator.serviceWorker.getRegistration()).then((r) => say(r.active ? "active" : "not yet"))</script>`,
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.add("/"))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`}, site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	b.RunScripts(true)
	tab := b.NewTab()
	for _, n := range []Network{site.Online, site.Offline} {
		require.NoError(t, b.SetNetwork(n))
		l, err := tab.Open("/")
		require.NoError(t, err)
		b.Settle()
		if n == site.Offline {
			assert.Equal(t, "TypeError active", l.Text)
		}
	}
	for _, r := range b.Remarks() {
		assert.NotEqual(t, "register", r.Kind, r.Message)
	}
	assert.Nil(t, b.regs[0].error)
}
