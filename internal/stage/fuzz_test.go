package stage

import (
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// gibberish makes documents with scripts at random, of what frameworks and people write.
type gibberish struct {
	*rand.Rand
	raw string // put into places that take any text
}

func (g *gibberish) of(list ...string) string { return list[g.IntN(len(list))] }

func (g *gibberish) tag() string {
	return g.of("div", "p", "a", "img", "form", "input", "select", "option", "table", "tr", "td", "template", "slot", "svg", "path", "math", "iframe", "object", "video", "source", "picture", "script", "style", "link", "base", "meta", "x-a", "x-b", "button", "dialog", "details", "noscript", "textarea", "title", "head", "body", "html")
}

func (g *gibberish) element(depth int) string {
	t := g.tag()
	attrs := ""
	for range g.IntN(3) {
		attrs += fmt.Sprintf(" %s=%q", g.of("id", "class", "href", "src", "srcset", "style", "name", "slot", "is", "onclick", "onload", "hidden", "rel", "type", "media", "sizes", "shadowrootmode", "data-app-keep", "autofocus"), g.value())
	}
	switch {
	case t == "script":
		return "<script" + attrs + ">" + g.script(1+g.IntN(4)) + "</script>"
	case depth == 0:
		return "<" + t + attrs + ">"
	}
	var b strings.Builder
	for range g.IntN(3) {
		b.WriteString(g.element(depth - 1))
	}
	end := "</" + t + ">"
	if g.IntN(8) == 0 { // as people forget it
		end = ""
	}
	return "<" + t + attrs + ">" + b.String() + g.of("", "x", "Tides & boats", g.raw) + end
}

func (g *gibberish) value() string {
	return g.of("", "a", "/", "x.png", "x.png 1x, y.png 2x", "javascript:1", "data:,x", "#a", "open", "module", "stylesheet", "manifest", "display: none", "background: url(z.png)", "x-a", "100vw", "(min-width: 1px)", g.raw)
}

func (g *gibberish) node() string {
	return g.of("document", "document.body", "document.head", "document.documentElement", "window", "document.querySelector('"+g.tag()+"')", "document.createElement('"+g.tag()+"')", "document.body.firstChild", "document.currentScript", "document.createTextNode('t')", "new DocumentFragment()", "(self.kept || document.body)", "document.body.attachShadow?.({mode: 'open'})", "document.querySelector('template')?.content")
}

func (g *gibberish) script(n int) string {
	var b strings.Builder
	for range n {
		s := g.of(
			g.node()+".append("+g.node()+", "+g.node()+")", g.node()+".replaceWith("+g.node()+")", g.node()+".remove()", g.node()+".innerHTML = `"+strings.NewReplacer("`", "", "\\", "", "${", "").Replace(g.element(1))+"`",
			g.node()+".insertAdjacentHTML('"+g.of("beforebegin", "afterbegin", "beforeend", "afterend")+"', '<b>x</b>')", "document.write('<p>'+"+fmt.Sprintf("%q", g.of("x", "<script>1<\\/script>", "<!--", "</p></body>"))+")",
			"self.kept = "+g.node()+".cloneNode(true)", g.node()+".addEventListener('"+g.of("click", "x", "load", "DOMContentLoaded", "popstate", "slotchange", "error")+"', function f(e) { "+g.of("e.target?.remove?.()", "this.dispatchEvent?.(new Event('x'))", "e.stopImmediatePropagation(); e.preventDefault()", "history.back()", "throw e")+" }, {once: "+g.of("true", "false")+"})",
			g.node()+".dispatchEvent(new "+g.of("Event", "CustomEvent", "MouseEvent", "ErrorEvent")+"('"+g.of("click", "x", "load", "error")+"', {bubbles: true, composed: true}))", g.node()+".click()",
			"new MutationObserver((l) => { "+g.of("self.n = (self.n || 0) + l.length", "document.body?.append('m')", "l[0].target.remove()")+" }).observe("+g.node()+", {childList: true, subtree: true, attributes: true, characterData: true})",
			"customElements.define('"+g.of("x-a", "x-b", "x-"+fmt.Sprint(g.IntN(5)))+"', class extends HTMLElement { static observedAttributes = ['id']; constructor() { super(); "+g.of("", "this.attachShadow({mode: 'open'}).innerHTML = '<slot></slot>'", "this.id = 'x'", "throw 1")+" } connectedCallback() { "+g.of("", "this.remove()", "this.innerHTML = '<x-a></x-a>'", "this.parentNode.append(this)")+" } attributeChangedCallback() { this.title += 'a' } })",
			"history."+g.of("pushState({a: 1}, '', '/b')", "replaceState(null, '', '?q')", "back()", "go(-3)", "forward()"), "location."+g.of("hash = 'h'", "href = '/'", "reload()", "replace('#r')", "search = '?s'"),
			"fetch('"+g.of("/x.json", "/", "https://elsewhere.example/", "::", "/sw.js")+"').then((r) => r."+g.of("text()", "json()", "clone().body.getReader().read()", "arrayBuffer()")+").then(console.log)", "setTimeout(() => { "+g.of("document.body?.append('t')", "self.x = document.title", "throw new Error('late')")+" }, "+fmt.Sprint(g.IntN(50))+")", "setInterval(() => document.title += '.', 5)",
			"requestAnimationFrame(function again() { if (document.title.length < 99) { document.title += 'a'; requestAnimationFrame(again); } })", "localStorage.setItem('k', 'v'.repeat("+fmt.Sprint(g.IntN(1000))+"))", "sessionStorage."+g.of("clear()", "k = 1", "length"),
			"indexedDB.open('d', "+fmt.Sprint(1+g.IntN(2))+").onupgradeneeded = (e) => e.target.result.createObjectStore('s').put(1, 2)", "caches.open('c').then((c) => c.put('/p', new Response('x')))", "navigator.serviceWorker.register('/sw.js')", "navigator.serviceWorker.ready.then((r) => r."+g.of("update()", "unregister()", "active.postMessage({})")+")",
			"new Range().selectNode("+g.node()+")", "getSelection().selectAllChildren("+g.node()+")", "new DOMParser().parseFromString(document.documentElement.outerHTML, 'text/"+g.of("html", "xml")+"').querySelectorAll('*').length", "document.querySelectorAll('"+g.of("*", "a:not(p *)", ":has(b)", "a[href^='/']", ":nth-child(2n+1 of p)", "::x", "(")+"')", g.node()+".closest?.('div')", "getComputedStyle("+g.node()+").display",
			g.node()+".setAttribute('"+g.of("src", "href", "id", "class", "style", "onclick", "hidden")+"', '"+g.of("x.png", "a", "display: none", "f()")+"')", "new "+g.of("Image", "Audio")+"().src = 'z.png'", "Object.defineProperty("+g.of("Node.prototype", "Array.prototype", "Object.prototype", "EventTarget.prototype", "document", "self")+", '"+g.of("parentNode", "then", "nodeType", "length", "0", "firstChild")+"', {get() { "+g.of("return this", "throw 1", "return null", "return 9")+" }, configurable: true})",
			g.of("Array.prototype.push", "Map.prototype.get", "Function.prototype.call", "Node.prototype.appendChild", "Object.keys", "Promise.prototype.then", "Reflect.apply", "JSON.stringify")+" = "+g.of("null", "() => { throw 1 }", "function () { return this }"), "structuredClone({a: [new Date(), /x/, new Map()]})", "new BroadcastChannel('b').postMessage(1)", "new MessageChannel().port1.postMessage({}, [])", "document.adoptNode("+g.node()+")",
			"document.forms[0]?."+g.of("submit()", "requestSubmit()", "reset()"), "window.open('/')", "document.cookie = 'a=b; path=/'", "queueMicrotask(() => { "+g.of("throw 2", "document.body?.replaceChildren()")+" })", "import('/x.js').catch(() => {})", "dispatchEvent(new PopStateEvent('popstate'))", "eval("+fmt.Sprintf("%q", g.raw)+")", "for (const e of document.querySelectorAll('*')) e."+g.of("remove()", "append('y')", "before(e.cloneNode())"), "document."+g.of("open()", "close()", "title = 'T'", "normalize()"), "function r() { r(); } r()", "await 1", "new Worker('/w.js')", "crypto.randomUUID()", "performance.now()", "throw "+g.of("null", "new DOMException('x', 'AbortError')", "{get message() { throw 1 }}"))
		if g.IntN(3) == 0 {
			s = "try { " + s + " } catch {}"
		}
		b.WriteString(s + ";\n")
	}
	return strings.ReplaceAll(b.String(), "</script", "<\\/script")
}

// FuzzPages opens documents with scripts, made at random, online and without a network: no panic, and always an end.
func FuzzPages(f *testing.F) {
	for seed := range uint64(8) {
		f.Add(seed, "x")
	}
	f.Add(uint64(99), "<!--<script>")
	f.Add(uint64(100), "\u2028`${1}")
	f.Fuzz(func(t *testing.T, seed uint64, raw string) {
		if len(raw) > 1<<10 {
			return
		}
		g := &gibberish{rand.New(rand.NewPCG(seed, 1)), raw}
		var doc strings.Builder
		doc.WriteString(g.of("<!doctype html>", "") + "<html lang=en><head><title>T</title>")
		for range 1 + g.IntN(3) {
			doc.WriteString("<script" + g.of("", "", " defer", " async", " type=module") + ">" + g.script(1+g.IntN(6)) + "</script>")
		}
		doc.WriteString("</head><body>")
		for range 1 + g.IntN(6) {
			doc.WriteString(g.element(2))
		}
		text := doc.String()
		watch := time.AfterFunc(2*time.Minute, func() { panic("it does not end:\n" + text) })
		defer watch.Stop()
		b := New(serve(t, map[string]string{"index.html": text, "b/index.html": "<title>B</title>", "sw.js": "onfetch = (e) => e.respondWith(fetch(e.request).catch(() => new Response('off')));", "x.js": g.script(2), "x.json": "{}"}, site.Rules{}), nil, Limits{Step: 200 * time.Millisecond, Memory: 128 << 20})
		defer b.Close()
		b.RunScripts(true)
		tab := b.NewTab()
		_, _ = tab.Open("/")
		b.Settle()
		b.SetNetwork(site.Offline)
		_, _ = tab.Open("/")
		b.Settle()
	})
}
