package stage

import (
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf8"

	"github.com/dop251/goja"
	"github.com/dop251/goja/ast"
	"github.com/dop251/goja/parser"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestHostileWorkers has workers do what they can against the program. Every visit comes to its end.
func TestHostileWorkers(t *testing.T) {
	for name, source := range map[string]string{
		"thousands of timers":        "for (let i = 0; i < 200000; i++) setTimeout(() => {}, i); onfetch = () => {};",
		"an interval for ever":       "setInterval(() => {}, 0); onfetch = (e) => e.respondWith(fetch(e.request));",
		"timers that make timers":    "const f = () => { setTimeout(f, 0); setTimeout(f, 0); }; f(); onfetch = () => {};",
		"an enormous store":          "oninstall = (e) => e.waitUntil((async () => { const c = await caches.open('x'); const s = 'x'.repeat(1 << 22); for (let i = 0; ; i++) await c.put('/' + i, new Response(s)); })());",
		"thousands of stores":        "oninstall = (e) => e.waitUntil((async () => { for (let i = 0; i < 20000; i++) await caches.open('s' + i); })());",
		"a huge database":            "oninstall = (e) => e.waitUntil(new Promise((done, no) => { const q = indexedDB.open('d', 1); q.onupgradeneeded = () => { const s = q.result.createObjectStore('s', {autoIncrement: true}); for (let i = 0; i < 2000; i++) s.put('x'.repeat(1 << 16)); }; q.onsuccess = done; q.onerror = no; }));",
		"a string without end":       "let s = 'x'; for (;;) s += s;",
		"an array without end":       "const a = []; a.length = 2 ** 32 - 1; a.fill(0);",
		"a buffer without end":       "new Uint8Array(1e12); onfetch = () => {};",
		"a buffer by a text":         "new Uint8Array('99999999999'); onfetch = () => {};",
		"a buffer by an object":      "new Uint8Array({length: {valueOf() { return 2 ** 40; }}}); onfetch = () => {};",
		"a list that is mapped":      "const a = []; a.length = 4294967295; a.map((x) => x); onfetch = () => {};",
		"a list that is reduced":     "const a = []; a.length = 4294967295; a.reduce((x) => x, 0); onfetch = () => {};",
		"a text without end":         "const s = 'x'.repeat(2 ** 40); onfetch = () => {};",
		"an array from nothing":      "Array.from({length: 2 ** 32}); onfetch = () => {};",
		"a call with too much":       "Math.max.apply(null, {length: 2 ** 31}); onfetch = () => {};",
		"a regular expression":       "/(a+)+$/.test('a'.repeat(40) + 'b'); onfetch = () => {};",
		"prototypes of promises":     "Promise.prototype.then = () => { throw 1; }; onfetch = (e) => e.respondWith(fetch(e.request));",
		"prototypes of arrays":       "for (const k of ['push', 'map', 'filter', 'slice', 'splice']) Array.prototype[k] = null; onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		"prototypes of objects":      "Object.defineProperty(Object.prototype, 'status', {get() { throw new Error('no'); }, set() { throw new Error('no'); }}); onfetch = (e) => e.respondWith(fetch(e.request));",
		"iterators":                  "Array.prototype[Symbol.iterator] = function* () { for (;;) yield this; }; onfetch = (e) => e.respondWith(fetch(e.request));",
		"a response that is none":    "onfetch = (e) => e.respondWith(Object.create(Response.prototype));",
		"a proxy for a request":      "onfetch = (e) => e.respondWith(fetch(new Proxy(e.request, {get() { throw 1; }})));",
		"a stream without end":       "onfetch = (e) => e.respondWith(new Response(new ReadableStream({pull(c) { c.enqueue(new Uint8Array(1 << 20)); }})));",
		"a redirect in circles":      "onfetch = (e) => { if (e.request.mode === 'navigate') e.respondWith(Response.redirect(e.request.url)); };",
		"a fetch of itself":          "onfetch = (e) => e.respondWith((async () => { for (;;) await fetch('/app.css'); })());",
		"an event that never ends":   "oninstall = (e) => e.waitUntil(new Promise(() => {})); onfetch = (e) => e.respondWith(new Promise(() => {}));",
		"an error that never tells":  "onfetch = () => { throw {name: 'x', get message() { for (;;) {} }}; };",
		"an error that is a proxy":   "onfetch = (e) => e.respondWith(Promise.reject(new Proxy({}, {get() { for (;;) {} }})));",
		"a first run that is a trap": "throw {toString() { for (;;) {} }};",
		"an error of many megabytes": "onfetch = () => { throw new Error('x'.repeat(1 << 26)); };",
		"messages back and forth":    "const c = new MessageChannel(); c.port1.onmessage = () => c.port1.postMessage(1); c.port2.onmessage = () => c.port2.postMessage(1); c.port1.postMessage(1); onfetch = () => {};",
		"stores without end":         "onfetch = (e) => e.waitUntil((async () => { for (let i = 0; ; i++) await caches.open('s' + i); })());",
		"enormous headers":           "onfetch = (e) => e.waitUntil((async () => { const c = await caches.open('x'); for (let i = 0; ; i++) await c.put('/' + i, new Response('', {headers: {a: 'x'.repeat(1 << 20)}})); })());",
		"a function bound for ever":  "let f = () => 1; for (let i = 0; i < 3e6; i++) f = f.bind(null, i); f(); onfetch = () => {};",
		"a message storm":            "onfetch = (e) => e.waitUntil((async () => { for (let i = 0; i < 20000; i++) for (const c of await clients.matchAll({includeUncontrolled: true})) c.postMessage('x'.repeat(1000)); })());",
		"an error that is a trap":    "onfetch = () => { throw {get stack() { for (;;) {} }, toString() { throw 1; }}; };",
		"imports of itself":          "importScripts('/sw.js');",
		"workers that update":        "onfetch = (e) => { registration.update(); registration.unregister(); skipWaiting(); };",
		"getters of the global":      "Object.defineProperty(self, 'caches', {get() { throw 1; }}); onfetch = (e) => e.respondWith(caches.match('/'));",
		"headers without end":        "const h = new Headers(); for (let i = 0; ; i++) h.append('x' + i, 'y'.repeat(1000)); onfetch = () => {};",
		"headers in order":           "const h = new Headers(); for (let i = 0; i < 20000; i++) h.append('x' + i % 5000, 'y'); for (let i = 0; i < 5; i++) [...h]; onfetch = () => {};",
		"members that never come":    "onfetch = (e) => e.respondWith(new Response('', {get status() { for (;;) {} }}));",
		"members that throw":         "onfetch = (e) => e.respondWith(fetch(new Request('/', {get method() { throw 1; }})));",
		"members that call back":     "let n = 0; const init = {get mode() { if (n++ < 1e6) new Request('/', init); return 'cors'; }}; new Request('/', init); onfetch = () => {};",
		"a class of everything":      "for (const C of [Request, Response, Headers]) Object.defineProperty(C, Symbol.hasInstance, {value: () => true}); onfetch = (e) => e.respondWith({});",
		"parents that are others":    "for (const C of [Request, Response]) Object.setPrototypeOf(C, class { constructor() { return {}; } }); onfetch = (e) => e.respondWith(fetch(e.request));",
		"children of responses":      "class R extends Response { constructor(...a) { super(...a); this.clone = null; } get status() { return 900; } } onfetch = (e) => e.respondWith(new R('x', new R('y')));",
		"promises that are others":   "Promise.resolve = Promise.reject = () => { throw 1; }; onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));",
		"a power":                    "const x = 3n ** 40000000n; onfetch = () => {};",
		"a shift":                    "const n = 2n ** 40n; let x = 1n << n; onfetch = () => {};",
		"a shift of another way":     "const n = -(2n ** 40n); let x = 1n; x >>= n; onfetch = () => {};",
		"a shift in text":            "const n = 2n ** 40n; const e = eval; self.n = n; eval('1n << n'); onfetch = () => {};",
		"a shift in a function":      "new Function('n', 'return 1n << n')(2n ** 40n); onfetch = () => {};",
		"powers of powers":           "const o = {x: 3n}; for (;;) o.x **= 1000n;",
		"squares":                    "let x = 3n; for (;;) x *= x;",
		"bits":                       "BigInt.asUintN(2 ** 40, -1n); onfetch = () => {};",
		"buffers without end":        "const l = []; for (;;) l.push(new ArrayBuffer(2e8));",
		"a deep text of JSON":        "JSON.parse('['.repeat(2e7)); onfetch = () => {};",
		"deep code in text":          "eval('('.repeat(5e6)); onfetch = () => {};",
		"deep code in a function":    "Function('return ' + '['.repeat(5e6)); onfetch = () => {};",
		"a proxy of its own handler": "const h = {}, p = new Proxy({}, h); Object.setPrototypeOf(h, p); p.x; onfetch = () => {};",
		"a deep list":                "let a = []; for (let i = 0; i < 1e6; i++) a = [a]; String(a); onfetch = () => {};",
		"generators of generators":   "function* g() { yield* g(); } g().next(); onfetch = () => {};",
		"a chain of prototypes":      "let a = {}; for (let i = 0; i < 1e6; i++) a = Object.create(a); a.foo = 1; onfetch = () => {};",
		"memory in small steps":      "self.l = []; setInterval(() => { for (let i = 0; i < 100; i++) l.push(new Uint8Array(1e5).fill(1)); }, 1); onfetch = () => {};",
		"pages led in circles":       "oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); await registration.unregister(); for (const c of await clients.matchAll()) c.navigate(c.url); })());",
		"pages led at each request":  "oninstall = () => skipWaiting(); onactivate = () => clients.claim(); onfetch = (e) => e.waitUntil((async () => { for (const c of await clients.matchAll()) await c.navigate('/?' + Math.random()); })());",
		"a list with holes as text":  "const a = []; a.length = 2 ** 32 - 1; JSON.stringify({a}); onfetch = () => {};",
		"a shift of a constant":      "onfetch = () => { const x = 1n << 60000000000n; };",
		"a constructor of requests":  "Request = null; Response = null; Headers = null; onfetch = (e) => e.respondWith(fetch('/app.css'));",
	} {
		kinds := []string{"classic"}
		if regexp.MustCompile("shift|power|code|bits|deep").MatchString(name) { // what is seen to when a script is compiled
			kinds = append(kinds, "module")
		}
		for _, kind := range kinds {
			t.Run(name+"/"+kind, func(t *testing.T) {
				t.Parallel()
				files := small(source)
				if kind == "module" {
					files["index.html"] = strings.Replace(files["index.html"], `"/sw.js"`, `"/sw.js", {type: "module"}`, 1)
					require.Contains(t, files["index.html"], "module")
				}
				b := New(serve(t, files, site.Rules{}), nil, Limits{Step: 300 * time.Millisecond, Memory: 128 << 20})
				defer b.Close()
				tab := b.NewTab()
				for _, n := range []Network{Online, Online, Offline} {
					require.NoError(t, b.SetNetwork(n))
					_, _ = tab.Open("/") // that it comes back is what counts
					b.Settle()
				}
			})
		}
	}
}

// TestPagesLedInCircles has a worker load its pages again each time that they are loaded; what is said names it.
func TestPagesLedInCircles(t *testing.T) {
	b := browser(t, serve(t, small("oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); await registration.unregister(); for (const c of await clients.matchAll()) c.navigate(c.url); })());"), site.Rules{}))
	visit(t, b)
	var said []string
	for _, r := range b.Remarks() {
		said = append(said, r.Message)
	}
	assert.Contains(t, strings.Join(said, "\n"), "the visitor never comes to rest")
}

// TestEndedForGood has a script that does not come back: it is tried again once, by whatever page; then what it does is known. The next release is
// another script.
func TestEndedForGood(t *testing.T) {
	limits := Limits{Step: 400 * time.Millisecond, Memory: 128 << 20}
	limitsSeen := func(b *Browser) (out []string) {
		for _, r := range b.Remarks() {
			if r.Kind == "limit" || r.Kind == "page-limit" {
				out = append(out, r.Message)
			}
		}
		return out
	}
	t.Run("worker", func(t *testing.T) {
		b := New(serve(t, small("oninstall = () => skipWaiting(); onactivate = () => clients.claim(); onfetch = () => { for (;;) {} };"), site.Rules{}), nil, limits)
		t.Cleanup(b.Close)
		visit(t, b)
		fork, tabs := b.Fork()
		t.Cleanup(fork.Close)
		var last *Load
		for range 6 {
			l, err := tabs[0].Open("/")
			require.NoError(t, err)
			last = l
		}
		assert.Len(t, append(limitsSeen(b), limitsSeen(fork)...), 2)
		assert.Contains(t, last.Why, "it was ended before (it ran for more than 400ms without coming back), and is not run again")
		b.Release(serve(t, small("oninstall = () => skipWaiting(); onfetch = (e) => e.respondWith(new Response('<title>Mended</title>', {headers: {'Content-Type': 'text/html'}}));"), site.Rules{}))
		b.Advance(25 * time.Hour)
		tab := b.NewTab()
		for range 3 {
			_, err := tab.Open("/")
			require.NoError(t, err)
			b.Settle()
		}
		l, err := tab.Open("/")
		require.NoError(t, err)
		assert.Equal(t, "Mended", l.Title)
	})
	t.Run("script of pages", func(t *testing.T) {
		files := map[string]string{"app.js": "for (;;) {}"}
		for _, n := range []string{"index", "a", "b", "c"} {
			files[n+".html"] = "<!doctype html><title>" + n + "</title><script src=app.js></script><script>document.title += ' on'</script>"
		}
		b := New(serve(t, files, site.Rules{}), nil, limits)
		t.Cleanup(b.Close)
		b.RunScripts(true)
		var seen []string
		for _, n := range []string{"index", "a", "b", "c"} {
			l, err := b.NewTab().Open("/" + n + ".html")
			require.NoError(t, err)
			seen = append(seen, l.Title)
		}
		assert.Equal(t, []string{"", "", "b on", "c on"}, seen, "what else a page does is seen again")
		said := limitsSeen(b)
		require.Len(t, said, 4)
		assert.Contains(t, said[3], "the script is not run again: it was ended before")
	})
	t.Run("a page by other fragments", func(t *testing.T) {
		b := New(serve(t, map[string]string{"index.html": "<!doctype html><title>x</title><script>for (;;) {}</script>"}, site.Rules{}), nil, limits)
		t.Cleanup(b.Close)
		b.RunScripts(true)
		for _, fragment := range []string{"a", "b", "c"} {
			_, err := b.NewTab().Open("/#" + fragment)
			require.NoError(t, err)
		}
		said := limitsSeen(b)
		require.NotEmpty(t, said)
		assert.Contains(t, said[len(said)-1], "is not run again")
	})
	t.Run("loads that are ended just not", func(t *testing.T) {
		a := NewLedger().of("page /", "x")
		for range 10 {
			a.load(time.Second, 5*time.Second)
		}
		for range patience {
			a.load(3*time.Second, 5*time.Second)
		}
		require.Empty(t, a.refused())
		a.load(3*time.Second, 5*time.Second)
		assert.Contains(t, a.refused(), "each of its loads takes more than 2.5s")
	})
	t.Run("a page that keeps the worker from its work", func(t *testing.T) {
		files := small("oninstall = () => skipWaiting(); onactivate = () => clients.claim(); onfetch = (e) => e.respondWith(fetch(e.request));")
		files["index.html"] = strings.Replace(files["index.html"], "</script>", "; const f = () => { for (let i = 0; i < 20000; i++); fetch('/app.css'); setTimeout(f, 0); setTimeout(f, 0); }; if (location.search) f();</script>", 1)
		require.Contains(t, files["index.html"], "location.search")
		b := New(serve(t, files, site.Rules{}), nil, limits)
		t.Cleanup(b.Close)
		b.RunScripts(true)
		tab := visit(t, b)
		_, err := tab.Open("/?storm")
		require.NoError(t, err)
		b.Settle()
		require.NotEmpty(t, limitsSeen(b))
		l, err := b.NewTab().Open("/")
		require.NoError(t, err)
		assert.Equal(t, ByWorker, l.AnsweredBy, "the worker is not to blame: %s", l.Why)
	})
	t.Run("many short callbacks", func(t *testing.T) {
		b := New(serve(t, small("const c = new MessageChannel(); c.port1.onmessage = () => c.port1.postMessage(1); c.port2.onmessage = () => c.port2.postMessage(1); c.port1.postMessage(1); onfetch = () => {};"), site.Rules{}), nil, limits)
		t.Cleanup(b.Close)
		for range 4 {
			visit(t, b)
		}
		said := limitsSeen(b)
		require.NotEmpty(t, said)
		assert.Regexp(t, `kept the browser at work for more than 800ms|busy with timers and events without end|ran for more than 400ms`, said[0])
	})
}

// TestLongMessages bounds what is kept of what a site says.
func TestLongMessages(t *testing.T) {
	b := New(serve(t, small("onfetch = () => { console.error('x'.repeat(1 << 22)); throw new Error('é'.repeat(1 << 22)); };"), site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	visit(t, b)
	for _, r := range b.Remarks() {
		assert.Less(t, len(r.Message), 5000, r.Kind)
		assert.True(t, utf8.ValidString(r.Message))
	}
}

// TestNestedSources has scripts nested so deep that parsing them would need more stack than a program has.
func TestNestedSources(t *testing.T) {
	chain := func(n int, open, middle, end string) string {
		return strings.Repeat(open, n) + middle + strings.Repeat(end, n)
	}
	const deep = 1_000_000
	for name, c := range map[string]struct{ few, many string }{
		"brackets":       {chain(500, "(", "1", ")"), chain(deep, "(", "1", ")")},
		"arrays":         {"x = " + chain(500, "[", "", "]"), "x = " + chain(deep, "[", "", "]")},
		"blocks":         {chain(500, "{", "", "}"), chain(deep, "{", "", "}")},
		"sums":           {"x = 1" + strings.Repeat("+1", 500), "x = 1" + strings.Repeat("+1", deep)},
		"negations":      {"x = " + chain(500, "!", "1", ""), "x = " + chain(deep, "!", "1", "")},
		"arrows":         {"x = " + chain(500, "a=>", "1", ""), "x = " + chain(deep, "a=>", "1", "")},
		"choices":        {"x = " + chain(500, "1?1:", "1", ""), "x = " + chain(deep, "1?1:", "1", "")},
		"else":           {chain(500, "if(1);else ", ";", ""), chain(deep, "if(1);else ", ";", "")},
		"loops":          {chain(500, "while(0)", ";", ""), chain(deep, "while(0)", ";", "")},
		"calls":          {"x = () => f" + strings.Repeat("()", 500), "x = () => f" + strings.Repeat("()", deep)},
		"functions":      {"x = " + chain(300, "function(){return ", "1", "}"), "x = " + chain(deep, "function(){return ", "1", "}")},
		"broken":         {"x = " + chain(300, "(", "1", ")"), chain(deep, "(", "", "")},
		"unknown syntax": {"x = " + chain(300, "(", "1", ")"), "@;" + chain(deep, "[", "", "]")},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, err := compile("/sw.js", c.few)
			require.NoError(t, err)
			_, err = compile("/sw.js", c.many)
			require.ErrorContains(t, err, "nested too deep")
		})
	}
}

// TestColumns has errors stand where browsers say that they do: at the name of what is called.
func TestColumns(t *testing.T) {
	for source, want := range map[string][2]int{
		"const a = {};\n  a.b.c();":                              {2, 5},
		"const a = {b: {}};\n  a.b.missing(1);":                  {2, 7},
		"\n\n   missing(1, 2);":                                  {3, 4},
		"throw new Error('x');":                                  {1, 7},
		"function f() {\n  throw new TypeError('x');\n}\nf();":   {2, 9},
		"const f = 1;\nconst g = [f];\n  g[0]();":                {3, 3},
		"class A { #p = 1; m() {\n this.#p(); } }\nnew A().m();": {2, 7},
		"importScripts();\nJSON.parse('{');":                     {2, 6},
		"const n = 2n ** 40n;\n const x = 1n << n;":              {2, 18},
	} {
		b := browser(t, serve(t, small(source), site.Rules{}))
		visit(t, b)
		remarks := b.Remarks()
		i := slices.IndexFunc(remarks, func(r Remark) bool { return r.Line > 0 })
		require.GreaterOrEqual(t, i, 0, source)
		r := remarks[i]
		assert.Equal(t, want, [2]int{r.Line, r.Column}, "%s: %s", source, r.Message)
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

// FuzzText looks over any text as eval and Function do: what comes of it can be parsed when it could before, and has no operand that
// is not guarded.
func FuzzText(f *testing.F) {
	for _, s := range []string{"1 << n", "a >> (b) + (c)", "x **= y", "x <<= y, z", "`${1 << n}`", "(a, b) << (c, d)", "a << b << c", "a << (b << c)", "function f(a = 1 << n) {}", "class A { [1 << n] = 2 << m }", "eval('1')", "a\n<<\nb", "a << b // c", "/* << */ a << \"(\"", "é << ü", "\U0001F6A2 << 1"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, text string) {
		if len(text) > 1<<12 {
			return
		}
		_, before := goja.Parse("", text, parser.WithDisableSourceMaps)
		tamed, err := tameText(text)
		if err != nil || before != nil {
			return
		}
		p, err := goja.Parse("", tamed, parser.WithDisableSourceMaps)
		require.NoError(t, err, "%q became %q", text, tamed)
		found, err := dangers(p)
		require.NoError(t, err)
		for _, e := range found {
			c, ok := e.(*ast.CallExpression)
			require.True(t, ok && isName(c.Callee, exponent), "%q became %q", text, tamed)
		}
	})
}

// TestModulesAreGuarded has a module worker make a number larger than the machine, as classic ones are kept from.
func TestModulesAreGuarded(t *testing.T) {
	files := small(`import {by} from "./by.js"; onfetch = () => { const x = 1n << by; };`)
	files["by.js"] = "export const by = 60000000000n;"
	files["index.html"] = strings.Replace(files["index.html"], `"/sw.js"`, `"/sw.js", {type: "module"}`, 1)
	b := browser(t, serve(t, files, site.Rules{}))
	visit(t, b)
	var said []string
	for _, r := range b.Remarks() {
		said = append(said, r.Message)
	}
	assert.Contains(t, strings.Join(said, "\n"), "Maximum BigInt size exceeded")
}
