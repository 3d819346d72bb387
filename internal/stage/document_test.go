package stage

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// shows opens a page of a site whose scripts run.
func shows(t *testing.T, files map[string]string, url string) (*Tab, *Load) {
	t.Helper()
	b := New(serve(t, files, site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	b.RunScripts(true)
	tab := b.NewTab()
	l, err := tab.Open(url)
	require.NoError(t, err)
	return tab, l
}

// TestEncodings reads letters beyond ASCII as browsers do: what nothing declares is windows-1252.
func TestEncodings(t *testing.T) {
	for name, c := range map[string]struct{ page, want string }{
		"declared":             {"<!doctype html><meta charset=utf-8><p>caf\u00e9", "caf\u00e9"},
		"declared later":       {"<!doctype html><html><head><title>x</title><meta charset=\"UTF-8\" /><p>caf\u00e9", "caf\u00e9"},
		"declared by a pragma": {"<!doctype html><meta http-equiv=content-type content='text/html; charset=utf-8'><p>caf\u00e9", "caf\u00e9"},
		"declared late":        {"<!doctype html><!--" + strings.Repeat("x", 1024) + "--><meta charset=utf-8><p>caf\u00e9", "caf\u00e9"},
		"declared in the body": {"<!doctype html><!--" + strings.Repeat("x", 1024) + "--><p>caf\u00e9<template><meta charset=utf-8></template>", "caf\u00c3\u00a9"},
		"not declared":         {"<!doctype html><p>caf\u00e9", "caf\u00c3\u00a9"},
		"latin":                {"<!doctype html><meta charset=iso-8859-1><p>caf\xe9", "caf\u00e9"},
		"a byte order mark":    {"\ufeff<!doctype html><p>caf\u00e9", "caf\u00e9"},
		"UTF-16":               {"\xff\xfe<\x00p\x00>\x00\xe9\x00", "\u00e9"},
		"no letters":           {"<!doctype html><meta charset=utf-8><p>x\xff", "x\ufffd"},
	} {
		for kind, script := range map[string]string{"static": "", "run": "<script>document.body.append('!')</script>"} {
			t.Run(name+", "+kind, func(t *testing.T) {
				if name == "UTF-16" {
					script = ""
				}
				_, l := shows(t, map[string]string{"index.html": c.page + script}, "/")
				assert.Equal(t, c.want, strings.TrimRight(l.Text, "! "))
			})
		}
	}
}

// TestFormats asks for the picture and the fonts that a browser chooses, and for no other.
func TestFormats(t *testing.T) {
	const faces = "@font-face{font-family:F;src:url(/f.eot);src:url(/f.eot?x) format('embedded-opentype'),url(/f.woff2) format('woff2'),url(/f.woff) format('woff')}" +
		"@font-face{font-family:F;src:url(/ext.woff2);unicode-range:U+0100-02BA}@font-face{font-family:F;src:url(/cyr.woff2);unicode-range:U+0400-04FF}"
	for name, c := range map[string]struct{ body, want string }{
		"the first format":       {"<picture><source srcset=/a.avif type=image/avif><source srcset=/a.webp type=image/webp><img src=/a.jpg></picture>", "/a.avif"},
		"a format of few":        {"<picture><source srcset=/a.jxl type=image/jxl><img src=/a.jpg></picture>", "/a.jpg"},
		"for a window like this": {"<picture><source srcset=/n.png media='(max-width: 400px)'><source srcset=/w.png media='(min-width: 400px)'><img src=/a.jpg></picture>", "/w.png"},
		"made by a script": {"<script>const i = new Image(); i.src = '/a.jpg'; const p = document.createElement('picture'), s = document.createElement('source'); s.type = 'image/webp'; s.srcset = '/a.webp'; p.append(s, i); document.body.append(p)</script>",
			"/a.webp"},
		"markup of a script":      {"<div id=d></div><script>d.innerHTML = '<picture><source srcset=/a.webp><img src=/a.jpg></picture>'</script>", "/a.webp"},
		"screens of one pixel":    {"<img src=/a.jpg srcset='/w.png 2x, /n.png 3x'>", "/a.jpg"},
		"a set of a style":        {"<style>p{background:image-set('/w.png' 2x,'/n.png' 1x)}</style><p>x", "/n.png"},
		"styles for paper":        {"<style>@media print{p{background:url(/w.png)}}p{background:url(/n.png)}</style><p>x", "/n.png"},
		"a style of an element":   {"<div style='background: url(/n.png)'>x</div>", "/n.png"},
		"a drawing in the page":   {"<svg><image href='/n.png'/><use href='#a'/></svg>", "/n.png"},
		"a style set by a script": {"<div id=d></div><script>d.setAttribute('style', 'background: url(/n.png)')</script>", "/n.png"},
		"an image alone":          {"<script>new Image().src = '/a.jpg'</script>", "/a.jpg"},
		"fonts":                   {"<style>" + faces + "body{font-family:F}</style><p>caf\u00e9", "/f.woff2"},
		"fonts for a text":        {"<style>" + faces + "body{font-family:F}</style><p>\u0141\u00f3d\u017a", "/ext.woff2 /f.woff2"},
		"fonts for what a script draws": {"<style>" + faces + "body{font-family:F}</style><p id=a>a</p><script>a.textContent = '\u0451'</script>",
			"/cyr.woff2 /f.woff2"},
	} {
		page := "<!doctype html><meta charset=utf-8><title>t</title><body>" + c.body
		files := map[string]string{}
		for _, f := range []string{"a.avif", "a.webp", "a.jpg", "a.jxl", "n.png", "w.png", "f.eot", "f.woff2", "f.woff", "ext.woff2", "cyr.woff2"} {
			files[f] = "x"
		}
		for how, extra := range map[string]string{"static": "", "run": "<script>1</script>"} {
			t.Run(name+", "+how, func(t *testing.T) {
				files["index.html"] = page + extra
				_, l := shows(t, files, "/")
				var got []string
				for _, r := range l.Requests {
					got = append(got, r.URL)
				}
				assert.Equal(t, c.want, strings.Join(got, " "))
			})
		}
	}
}

// TestWorkersAreNotAskedForWhatIsEmbedded has a worker that answers everything; what object and embed show comes past it (Service Workers,
// "Handle Fetch").
func TestWorkersAreNotAskedForWhatIsEmbedded(t *testing.T) {
	for _, element := range []string{"<object data=/o.svg></object>", "<embed src=/o.svg>"} {
		for how, extra := range map[string]string{"static": "", "run": "<script>1</script>"} {
			files := small("oninstall = (e) => e.waitUntil(caches.open('v').then((c) => c.addAll(['/', '/shown.html', '/o.svg']))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));")
			files["shown.html"], files["o.svg"] = "<!doctype html><title>t</title><body>"+element+extra, "<svg xmlns='http://www.w3.org/2000/svg'/>"
			b := New(serve(t, files, site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			b.RunScripts(true)
			visit(t, b)
			tab := b.NewTab()
			l, err := tab.Open("/shown.html")
			require.NoError(t, err)
			assert.Equal(t, ByWorker, l.AnsweredBy)
			assert.Empty(t, l.Missing, how)
			b.SetNetwork(Offline)
			l, err = tab.Open("/shown.html")
			require.NoError(t, err)
			require.Len(t, l.Missing, 1, "%s, %s", element, how)
			assert.Equal(t, "/o.svg", l.Missing[0].URL)
			assert.Contains(t, l.Missing[0].Why, "do not ask the worker")
		}
	}
}

// TestPagesShow is about what visitors read of pages that scripts draw, one behaviour each.
func TestPagesShow(t *testing.T) {
	for name, c := range map[string]struct{ body, want string }{
		"markup":                    {"<p>one<p>two <b>three</b>", "one two three"},
		"hidden":                    {"<p>a<p hidden>b<p style='display: none'>c<template>d</template><noscript>e</noscript><style>p{}</style>", "a"},
		"inline script":             {"<p id=a></p><script>document.getElementById('a').textContent = 'drawn'</script>", "drawn"},
		"sees what stands before":   {"<p>a</p><script>document.body.append(document.querySelectorAll('p').length)</script><p>b</p>", "a 1 b"},
		"external":                  {"<p id=a></p><script src=/draw.js></script>", "by draw.js"},
		"deferred in order":         {"<script defer src=/one.js></script><script defer src=/two.js></script><script>out('0')</script><p id=out></p>", "0 1 2"},
		"module":                    {"<p id=a></p><script type=module>import {word} from '/word.js'; document.getElementById('a').textContent = word</script>", "imported"},
		"module after parsing":      {"<script type=module>out('m')</script><script>out('c')</script><p id=out></p>", "c m"},
		"dynamic import":            {"<p id=a></p><script>import('/word.js').then((m) => { a.textContent = m.word + m.default })</script>", "imported!"},
		"import map":                {`<p id=a></p><script type=importmap>{"imports": {"words": "/word.js", "lib/": "/lib/"}}</script><script type=module>import {word} from "words"; import x from "lib/x.js"; document.getElementById("a").textContent = word + x</script>`, "importedX"},
		"top-level await":           {"<p id=a></p><script type=module>import {slow} from '/slow.js'; document.getElementById('a').textContent = slow</script>", "waited"},
		"fetch":                     {"<p id=a>…</p><script>fetch('/data.json').then((r) => r.json()).then((d) => { a.textContent = d.name })</script>", "Orran"},
		"XMLHttpRequest":            {"<p id=a></p><script>const x = new XMLHttpRequest(); x.open('GET', '/data.json'); x.responseType = 'json'; x.onload = () => { a.textContent = x.status + x.response.name }; x.send()</script>", "200Orran"},
		"events":                    {"<p id=out></p><script>addEventListener('load', () => out('load')); document.addEventListener('DOMContentLoaded', () => out('content')); document.onreadystatechange = () => out(document.readyState)</script>", "interactive content complete load"},
		"microtasks":                {"<p id=out></p><button id=b></button><script>b.addEventListener('x', () => { Promise.resolve().then(() => out('micro')); out('a') }); b.addEventListener('x', () => out('b')); b.dispatchEvent(new Event('x')); out('end')</script>", "a b end micro"},
		"microtasks between":        {"<p id=out></p><script>addEventListener('load', () => { Promise.resolve().then(() => out('micro')); out('a') }); addEventListener('load', () => out('b'))</script>", "a micro b"},
		"bubbling":                  {"<p id=out></p><div id=d><b id=b></b></div><script>d.addEventListener('x', (e) => out('bubble' + e.eventPhase)); d.addEventListener('x', () => out('capture'), true); b.addEventListener('x', () => out('target')); b.dispatchEvent(new Event('x', {bubbles: true}))</script>", "capture target bubble3"},
		"timers":                    {"<p id=out></p><script>setTimeout(() => out('2'), 20); setTimeout(() => out('1'), 10); requestAnimationFrame(() => out('frame')); queueMicrotask(() => out('0'))</script>", "0 1 frame 2"},
		"custom element":            {"<x-boat name=Orran></x-boat><script>customElements.define('x-boat', class extends HTMLElement { connectedCallback() { this.textContent = 'boat ' + this.getAttribute('name') } })</script>", "boat Orran"},
		"custom element, made":      {"<div id=d></div><script>class B extends HTMLElement { static observedAttributes = ['n']; constructor() { super(); this.c = 0 } attributeChangedCallback(k, a, b) { this.textContent = k + a + b } } customElements.define('x-b', B); const e = new B(); d.append(e); e.setAttribute('n', '1'); d.append(e instanceof B, document.createElement('x-b') instanceof HTMLElement)</script>", "nnull1truetrue"},
		"shadow root":               {"<x-s>slotted</x-s><script>customElements.define('x-s', class extends HTMLElement { constructor() { super(); this.attachShadow({mode: 'open'}).innerHTML = '<p>in shadow: <slot></slot></p>' } })</script>", "in shadow: slotted"},
		"declarative shadow root":   {"<div><template shadowrootmode=open><p>shadow <slot></slot></p></template>light</div>", "shadow light"},
		"mutation observer":         {"<p id=out></p><ul id=l></ul><script>new MutationObserver((r) => out(r.length + r[0].type + r[0].addedNodes[0].localName)).observe(l, {childList: true}); l.append(document.createElement('li')); l.append(document.createElement('li'))</script>", "2childListli"},
		"document.write":            {"<p>a</p><script>document.write('<p>written</p><script>document.write(\"<p>inner</p>\")<\\/script>')</script><p>b</p>", "a written inner b"},
		"inserted script":           {"<p id=a></p><script>const s = document.createElement('script'); s.src = '/draw.js'; s.onload = () => a.append(' loaded'); document.head.append(s)</script>", "by draw.js loaded"},
		"inserted inline script":    {"<p id=out></p><script>const s = document.createElement('script'); s.textContent = 'out(1)'; document.body.append(s); out(2)</script>", "1 2"},
		"innerHTML runs no script":  {"<div id=d></div><script>d.innerHTML = '<p>x</p><script>document.title = 1<\\/script><img src=/none.png onerror=\"d.append(\\'failed\\')\">'</script>", "x failed"},
		"history":                   {"<p id=out></p><script>history.pushState({n: 1}, '', '/boats/7'); out(location.pathname); addEventListener('popstate', (e) => out('pop' + location.pathname)); setTimeout(() => history.back(), 5)</script>", "/boats/7 pop/"},
		"hash":                      {"<p id=out></p><script>addEventListener('hashchange', () => out(location.hash)); location.hash = 'a'</script>", "#a"},
		"storage":                   {"<p id=out></p><script>localStorage.setItem('k', 1); localStorage.x = 'y'; out(localStorage.getItem('k') + localStorage.length + Object.keys(localStorage)); document.cookie = 'c=1'; out(document.cookie)</script>", "12k,x c=1"},
		"forms":                     {"<form id=f><input name=a value=1><select name=s><option>x<option selected>y</select><input type=checkbox name=c checked></form><p id=out></p><script>out(new URLSearchParams(new FormData(f)).toString()); f.elements.a.value = 2; out(new FormData(f).get('a'))</script>", "x y a=1&s=y&c=on 2"},
		"currentScript":             {"<p id=out></p><script id=me data-x=7>out(document.currentScript.dataset.x)</script>", "7"},
		"nomodule":                  {"<p id=out></p><script nomodule>out('old')</script><script>out('new')</script>", "new"},
		"handler attribute":         {"<p id=out></p><button id=b onclick=\"out('clicked' + this.id + event.type)\">go</button><script>b.click()</script>", "clickedbclick go"},
		"matchMedia":                {"<p id=out></p><script>out(matchMedia('(min-width: 600px)').matches + ' ' + matchMedia('print').matches)</script>", "true false"},
		"intersection":              {"<p id=out></p><script>new IntersectionObserver((e) => out(e[0].isIntersecting)).observe(document.body)</script>", "true"},
		"classes of the dom":        {"<p id=out></p><script>out([document instanceof Document, document.body instanceof HTMLElement, document.createElement('a') instanceof HTMLAnchorElement, out instanceof Function, new Image() instanceof HTMLImageElement, document.body instanceof EventTarget].join())</script>", "true,true,true,true,true,true"},
		"a title":                   {"<script>document.title = 'Set by script'</script><p>x", "x"},
		"channels":                  {"<p id=out></p><script>const c = new MessageChannel(); c.port1.onmessage = (e) => out(e.data); c.port2.postMessage('through')</script>", "through"},
		"structured storage":        {"<p id=out></p><script>const q = indexedDB.open('d', 1); q.onupgradeneeded = () => q.result.createObjectStore('s'); q.onsuccess = () => { const s = q.result.transaction('s', 'readwrite').objectStore('s'); s.put('kept', 1); s.get(1).onsuccess = (e) => out(e.target.result) }</script>", "kept"},
		"templates":                 {"<template id=t><li class=x>item</li></template><ul id=l></ul><script>for (let i = 0; i < 2; i++) l.append(t.content.cloneNode(true)); l.querySelector('.x').textContent = 'first'</script>", "first item"},
		"class list and dataset":    {"<p id=out class='a b'></p><script>const e = document.getElementById('out'); e.classList.toggle('c'); e.dataset.someKey = '1'; out(e.className + e.getAttribute('data-some-key'))</script>", "a b c1"},
		"adjacent html":             {"<p id=a>m</p><script>a.insertAdjacentHTML('beforebegin', '<b>1</b>'); a.insertAdjacentHTML('beforeend', '<i>2</i>')</script>", "1 m2"},
		"a rejection that is heard": {"<p id=out></p><script>addEventListener('unhandledrejection', (e) => { e.preventDefault(); out(e.reason.message) }); Promise.reject(new Error('no'))</script>", "no"},
		"an error that is heard":    {"<p id=out></p><script>onerror = (m, f, l) => { out(m + l); return true }</script><script>\nthrow new Error('x')</script>", "Uncaught Error: x2"},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			_, l := shows(t, map[string]string{
				"index.html": "<!doctype html><html><head><title>T</title><script>const out = (x) => document.body ? document.getElementById('out') ? document.getElementById('out').append(' ' + x) : (window.early = (window.early || '') + ' ' + x, setTimeout(() => 0)) : 0; document.addEventListener('DOMContentLoaded', () => { if (window.early) document.getElementById('out').prepend(window.early) })</script></head><body>" + c.body + "</body></html>",
				"draw.js":    "document.getElementById('a').textContent = 'by draw.js'", "one.js": "out(1)", "two.js": "out(2)", "word.js": "export const word = 'imported'; export default '!'", "lib/x.js": "export default 'X'", "slow.js": "export const slow = await new Promise((r) => setTimeout(r, 10, 'waited'))",
				"data.json": `{"name": "Orran"}`,
			}, "/")
			assert.Equal(t, c.want, l.Text)
			assert.Empty(t, l.Errors)
			assert.True(t, l.Ran)
			if name == "a title" {
				assert.Equal(t, "Set by script", l.Title)
			}
		})
	}
}

// TestNodesByTheirPrototype: frameworks take getters and methods from Node.prototype once, and call them on every node.
func TestNodesByTheirPrototype(t *testing.T) {
	b := New(serve(t, map[string]string{"index.html": `<!doctype html><title>x</title><body><div id=a><p>one</p>two</div><script>
const of = (name) => { const d = Object.getOwnPropertyDescriptor(Node.prototype, name); return d.get ? (n) => d.get.call(n) : (n, ...args) => d.value.apply(n, args); };
const first = of("firstChild"), last = of("lastChild"), text = of("textContent"), kids = of("childNodes"), has = of("hasChildNodes"), name = of("nodeName"), type = of("nodeType"), value = of("nodeValue"), put = of("appendChild"), copy = of("cloneNode");
const set = Object.getOwnPropertyDescriptor(Node.prototype, "textContent").set;
const div = document.getElementById("a"), p = first(div), words = last(div), fragment = document.createDocumentFragment(), comment = document.createComment("c");
put(fragment, comment);
const out = [name(p), type(p), text(p), value(p), first(p).data, name(words), value(words), text(words), first(words), has(words), has(div), kids(div).length, name(fragment), first(fragment) === comment, value(comment), name(document), text(document), first(document).nodeType, copy(div, true).lastChild.data];
class Loud extends HTMLElement { get textContent() { return text(this) + "!"; } }
customElements.define("x-loud", Loud);
const loud = document.createElement("x-loud");
set.call(loud, "hear"); out.push(loud.textContent);
document.title = out.join(" ");
</script>`}, site.Rules{}), nil, Limits{})
	defer b.Close()
	b.RunScripts(true)
	l, err := b.NewTab().Open("/")
	require.NoError(t, err)
	assert.Empty(t, l.Errors)
	assert.Equal(t, "P 1 one one #text two two false true 2 #document-fragment true c #document 10 two hear!", l.Title)
}

// TestCallsNestedTooDeep: the script ends as it does in browsers where nobody catches the exception, and the page goes on.
func TestCallsNestedTooDeep(t *testing.T) {
	b := New(serve(t, map[string]string{"index.html": `<!doctype html><title>x</title><p id=a></p><script>const f = () => f() + 1; const deep = (n) => n ? deep(n - 1) + 1 : 0; a.textContent = deep(5000); f(); a.textContent = "not reached"</script><script>document.title = a.textContent + " and on"; setTimeout(() => f(), 1); setTimeout(() => { document.title += ", later too" }, 2)</script>`}, site.Rules{}), nil, Limits{})
	defer b.Close()
	b.RunScripts(true)
	l, err := b.NewTab().Open("/")
	require.NoError(t, err)
	assert.Equal(t, "5000 and on, later too", l.Title)
	require.Len(t, l.Errors, 2)
	assert.Equal(t, "Uncaught RangeError: Maximum call stack size exceeded", l.Errors[0].Message)
	assert.Equal(t, 1, l.Errors[0].Line)
}

// TestGapsThatFrameworksCatch: what is lacking here is noted, too, when the page catches the exception and only tells the console.
func TestGapsThatFrameworksCatch(t *testing.T) {
	b := New(serve(t, map[string]string{"index.html": `<!doctype html><title>x</title><script>
const sound = new AudioContext(), gain = sound.createGain();
gain.gain.setValueAtTime(0.5, sound.currentTime); sound.createOscillator().connect(gain).connect(sound.destination);
document.title = [sound.state, gain instanceof AudioNode, typeof sound.resume().then].join(" ");
try { new RTCPeerConnection() } catch (e) { console.error("ERROR", e) }
try { mistake() } catch (e) { console.error("ERROR", e) }
</script>`}, site.Rules{}), nil, Limits{})
	defer b.Close()
	b.RunScripts(true)
	l, err := b.NewTab().Open("/")
	require.NoError(t, err)
	assert.Equal(t, "suspended true function", l.Title)
	require.Len(t, l.Errors, 1, "%v", l.Errors)
	assert.Equal(t, "RTCPeerConnection", l.Errors[0].Needs)
}
