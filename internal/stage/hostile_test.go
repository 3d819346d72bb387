package stage

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

// TestHostileWorkers has workers do what they can against the program. Every visit comes to its end, in bounded time.
func TestHostileWorkers(t *testing.T) {
	for name, source := range map[string]string{
		"thousands of timers":       "for (let i = 0; i < 200000; i++) setTimeout(() => {}, i); onfetch = () => {};",
		"an interval for ever":      "setInterval(() => {}, 0); onfetch = (e) => e.respondWith(fetch(e.request));",
		"timers that make timers":   "const f = () => { setTimeout(f, 0); setTimeout(f, 0); }; f(); onfetch = () => {};",
		"an enormous store":         "oninstall = (e) => e.waitUntil((async () => { const c = await caches.open('x'); const s = 'x'.repeat(1 << 22); for (let i = 0; ; i++) await c.put('/' + i, new Response(s)); })());",
		"thousands of stores":       "oninstall = (e) => e.waitUntil((async () => { for (let i = 0; i < 20000; i++) await caches.open('s' + i); })());",
		"a huge database":           "oninstall = (e) => e.waitUntil(new Promise((done, no) => { const q = indexedDB.open('d', 1); q.onupgradeneeded = () => { const s = q.result.createObjectStore('s', {autoIncrement: true}); for (let i = 0; i < 2000; i++) s.put('x'.repeat(1 << 16)); }; q.onsuccess = done; q.onerror = no; }));",
		"a string without end":      "let s = 'x'; for (;;) s += s;",
		"an array without end":      "const a = []; a.length = 2 ** 32 - 1; a.fill(0);",
		"a buffer without end":      "new Uint8Array(1e12); onfetch = () => {};",
		"a text without end":        "const s = 'x'.repeat(2 ** 40); onfetch = () => {};",
		"an array from nothing":     "Array.from({length: 2 ** 32}); onfetch = () => {};",
		"a call with too much":      "Math.max.apply(null, {length: 2 ** 31}); onfetch = () => {};",
		"a regular expression":      "/(a+)+$/.test('a'.repeat(40) + 'b'); onfetch = () => {};",
		"prototypes of promises":    "Promise.prototype.then = () => { throw 1; }; onfetch = (e) => e.respondWith(fetch(e.request));",
		"prototypes of arrays":      "for (const k of ['push', 'map', 'filter', 'slice', 'splice']) Array.prototype[k] = null; onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		"prototypes of objects":     "Object.defineProperty(Object.prototype, 'status', {get() { throw new Error('no'); }, set() { throw new Error('no'); }}); onfetch = (e) => e.respondWith(fetch(e.request));",
		"iterators":                 "Array.prototype[Symbol.iterator] = function* () { for (;;) yield this; }; onfetch = (e) => e.respondWith(fetch(e.request));",
		"a response that is none":   "onfetch = (e) => e.respondWith(Object.create(Response.prototype));",
		"a proxy for a request":     "onfetch = (e) => e.respondWith(fetch(new Proxy(e.request, {get() { throw 1; }})));",
		"a stream without end":      "onfetch = (e) => e.respondWith(new Response(new ReadableStream({pull(c) { c.enqueue(new Uint8Array(1 << 20)); }})));",
		"a redirect in circles":     "onfetch = (e) => { if (e.request.mode === 'navigate') e.respondWith(Response.redirect(e.request.url)); };",
		"a fetch of itself":         "onfetch = (e) => e.respondWith((async () => { for (;;) await fetch('/app.css'); })());",
		"an event that never ends":  "oninstall = (e) => e.waitUntil(new Promise(() => {})); onfetch = (e) => e.respondWith(new Promise(() => {}));",
		"a message storm":           "onfetch = (e) => e.waitUntil((async () => { for (let i = 0; i < 100000; i++) for (const c of await clients.matchAll({includeUncontrolled: true})) c.postMessage('x'.repeat(1000)); })());",
		"an error that is a trap":   "onfetch = () => { throw {get stack() { for (;;) {} }, toString() { throw 1; }}; };",
		"imports of itself":         "importScripts('/sw.js');",
		"workers that update":       "onfetch = (e) => { registration.update(); registration.unregister(); skipWaiting(); };",
		"getters of the global":     "Object.defineProperty(self, 'caches', {get() { throw 1; }}); onfetch = (e) => e.respondWith(caches.match('/'));",
		"a power":                   "const x = 3n ** 40000000n; onfetch = () => {};",
		"a list with holes as text": "const a = []; a.length = 2 ** 32 - 1; JSON.stringify({a}); onfetch = () => {};",
		"a constructor of requests": "Request = null; Response = null; Headers = null; onfetch = (e) => e.respondWith(fetch('/app.css'));",
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			b := New(serve(t, small(source), site.Rules{}), nil, Limits{Step: 300 * time.Millisecond, Memory: 128 << 20})
			defer b.Close()
			tab := b.NewTab()
			begin := time.Now()
			for _, n := range []Network{Online, Online, Offline} {
				require.NoError(t, b.SetNetwork(n))
				_, _ = tab.Open("/") // that it comes back is what counts
				b.Settle()
			}
			assert.Less(t, time.Since(begin), time.Minute)
		})
	}
}

// FuzzWorkers executes any source as a worker.
func FuzzWorkers(f *testing.F) {
	for _, s := range []string{installList, "onfetch = (e) => e.respondWith(fetch(e.request));", "import './x.js'", "class A { static #x = 1 }", "for await (const x of y) {}", "const q = indexedDB.open('x', 1); q.onsuccess = () => {};",
		"oninstall = (e) => e.addRoutes({condition: {urlPattern: '/*'}, source: 'network'});", "new URLPattern({pathname: '/:a'}).exec('/b');", "new Response(new ReadableStream({}))", "\u2028<!--", "`${", "#!x"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, source string) {
		b := New(serve(t, small(source), site.Rules{}), nil, Limits{Step: 100 * time.Millisecond, Memory: 64 << 20})
		defer b.Close()
		tab := b.NewTab()
		for range 2 {
			_, _ = tab.Open("/")
			b.Settle()
		}
	})
}
