package stage

import (
	"runtime"
	"testing"
	"weak"

	"github.com/dop251/goja"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestPagesAreLetGo opens pages one after the other, and starts and stops their worker: nothing holds the engines of those that are over.
func TestPagesAreLetGo(t *testing.T) {
	const rounds = 6
	engines := map[string][]weak.Pointer[goja.Runtime]{}
	for name, script := range map[string]string{
		"plain": `document.title = "x"`, "an interval": `setInterval(() => {}, 1000)`, "a timer far away": `setTimeout(() => {}, 1e9)`, "a fetch": `fetch("/a.txt").then((r) => r.text())`, "a stream": `fetch("/a.txt").then((r) => r.body.getReader().read())`,
		"listeners": `addEventListener("online", () => {}); navigator.serviceWorker.onmessage = () => {}`, "stores": `caches.open("a").then((c) => c.keys())`, "a channel": `new BroadcastChannel("x").onmessage = () => {}`,
		"a database": `indexedDB.open("a", 1).onsuccess = (e) => {}`, "a lock": `navigator.locks.request("x", () => new Promise(() => {}))`, "an error": `try { null.x } catch (e) { console.error(e) } null.y`,
		"a worker": `navigator.serviceWorker.register("/sw.js"); navigator.serviceWorker.ready.then((r) => r.active.postMessage("hello"))`,
	} {
		b := New(serve(t, map[string]string{"index.html": "<!doctype html><title>x</title><p>x<script>" + script + "</script>", "a.txt": "x", "sw.js": `onmessage = (e) => e.source.postMessage("back"); onfetch = (e) => e.respondWith(fetch(e.request))`}, site.Rules{}), nil, Limits{})
		t.Cleanup(b.Close)
		b.RunScripts(true)
		tab := b.NewTab()
		note := func(vm *goja.Runtime) {
			if vm != nil {
				engines[name] = append(engines[name], weak.Make(vm))
			}
		}
		for range rounds {
			_, err := tab.Open("/")
			require.NoError(t, err)
			b.Settle()
			require.NotNil(t, tab.document())
			note(tab.document().vm)
			for _, r := range b.regs {
				if r.active != nil {
					note(r.active.vm)
				}
			}
			b.StopWorkers()
		}
		require.GreaterOrEqual(t, len(engines[name]), rounds)
	}
	for range 3 { // once for all: it takes long beside tests that take much memory
		runtime.GC()
	}
	for name, list := range engines {
		held := 0
		for _, e := range list {
			if e.Value() != nil {
				held++
			}
		}
		assert.LessOrEqual(t, held, 2, "%s: the page that is open, and a call that has just returned", name)
	}
}
