// Pages with one behaviour each. A line with === begins one: its name, then its markup. Every page has <p id=out></p> at its end, and out(x),
// which adds a text to it. /boats.json is data that the worker leaves to the network; everything else it stores.
=== words
<p>one<p>two <b>thr</b>ee &amp; four<ul><li>five<li>six</ul>
=== what is not shown
<p>a<p hidden>b<p style="display: none">c<template>d</template><noscript>e</noscript><style>p { margin: 0 }</style><script>/* f */</script><div style="color: red; DISPLAY:none !important">g</div>
=== an inline script sees what stands before it
<p>a</p><script>out(document.querySelectorAll("p").length)</script><p>b</p>
=== classic scripts block the parser
<script src=/lib/slow.js></script><script>out(window.slow)</script>
=== deferred scripts run in order
<script defer src=/lib/one.js></script><script defer src=/lib/two.js></script><script>out("inline")</script>
=== modules are deferred
<script type=module>out("module")</script><script>out("classic")</script><script type=module src=/lib/module.js></script>
=== static and dynamic imports
<script type=module>import d, {word as w, later} from "/lib/words.js"; import * as ns from "/lib/words.js"; out(d + w + Object.keys(ns).sort()); later(); out(ns.word); out((await import("/lib/words.js")).word)</script>
=== import map
<script type=importmap>{"imports": {"words": "/lib/words.js", "lib/": "/lib/"}, "scopes": {"/lib/": {"deep": "/lib/deep.js"}}}</script><script type=module>import w from "words"; import {x} from "lib/scoped.js"; out(w + x); import("nothing").catch((e) => out(e.name))</script>
=== import() in a classic script
<script>import("/lib/words.js").then((m) => out(m.default)); import("/lib/none.js").catch((e) => out(e.name))</script>
=== a module that waits
<script type=module>import {v} from "/lib/waits.js"; out(v)</script><script type=module>out("next")</script>
=== import.meta
<script type=module>out(new URL(import.meta.url).pathname)</script><script type=module src=/lib/meta.js></script>
=== cyclic modules
<script type=module>import {a} from "/lib/a.js"; out(a())</script>
=== a module runs once
<script type=module>import "/lib/counts.js"; import("/lib/counts.js").then(() => out(window.count))</script><script type=module src=/lib/counts.js></script>
=== events of a page
<script>document.addEventListener("readystatechange", () => out(document.readyState)); document.addEventListener("DOMContentLoaded", () => out("content")); addEventListener("load", () => out("load")); addEventListener("pageshow", (e) => out("pageshow" + e.persisted)); out(document.readyState)</script>
=== microtasks between listeners
<script>addEventListener("load", () => { Promise.resolve().then(() => out("micro")); out("a") }); addEventListener("load", () => out("b"))</script>
=== microtasks within a script's own dispatch
<script>addEventListener("x", () => { Promise.resolve().then(() => out("micro")); out("a") }); addEventListener("x", () => out("b")); dispatchEvent(new Event("x")); out("end")</script>
=== timers and frames
<script>setTimeout(() => out("20"), 20); setTimeout(() => out("10"), 10); setTimeout((a) => out(a), 0, "0"); queueMicrotask(() => out("micro")); let n = 0; const i = setInterval(() => { if (++n === 3) { clearInterval(i); out("thrice") } }, 30)</script>
=== scripts that scripts insert
<script>const s = document.createElement("script"); s.textContent = "out('inline')"; document.body.append(s); out("after"); const t = document.createElement("script"); t.src = "/lib/one.js"; t.onload = () => { out("loaded"); const u = document.createElement("script"); u.src = "/lib/none.js"; u.onerror = () => out("failed"); document.body.append(u) }; document.body.append(t)</script>
=== inserted scripts in order
<script>for (const f of ["slow", "one", "two"]) { const s = document.createElement("script"); s.src = "/lib/" + f + ".js"; s.async = false; document.body.append(s) }</script>
=== scripts of innerHTML do not run
<div id=d></div><script>d.innerHTML = "<p>x</p><script>out('no')<" + "/script><img src=/none.png onerror=\"out('handler')\">"</script>
=== contextual fragments run
<div id=d></div><script>const r = document.createRange(); r.selectNode(d); d.append(r.createContextualFragment("<script>out('ran')<" + "/script>"))</script>
=== document.write
<p>a</p><script>document.write("<p>written</p><script>out('inner')<" + "/script><p>more</p>")</script><p>b</p>
=== nomodule and unknown types
<script nomodule>out("old")</script><script type="text/x-template">out("template")</script><script type="text/JavaScript">out("upper")</script><script language=javascript1.2>out("language")</script>
=== currentScript
<script id=s1 data-x=7>out(document.currentScript.id + document.currentScript.dataset.x); setTimeout(() => out(document.currentScript))</script><script type=module>out(document.currentScript)</script>
=== handlers by attribute
<button id=b onclick="out(this.id + event.type)">b</button><div onx="1"></div><script>b.click(); b.setAttribute("onclick", "out('changed'); return false"); b.click(); out(typeof b.onclick); b.removeAttribute("onclick"); b.click()</script>
=== capture, target and bubble
<div id=d><b id=b>b</b></div><script>for (const e of [window, document, d, b]) for (const c of [true, false]) e.addEventListener("x", (v) => out((c ? "c" : "b") + v.eventPhase), c); b.dispatchEvent(new Event("x", {bubbles: true}))</script>
=== stopping and preventing
<div id=d><b id=b>b</b></div><script>d.addEventListener("x", (e) => { e.stopPropagation(); out("d") }, true); b.addEventListener("x", () => out("b")); out(b.dispatchEvent(new Event("x", {bubbles: true, cancelable: true}))); b.addEventListener("y", (e) => { e.preventDefault(); e.stopImmediatePropagation() }); b.addEventListener("y", () => out("no")); out(b.dispatchEvent(new Event("y", {cancelable: true})))</script>
=== once, signal and handleEvent
<b id=b>b</b><script>const c = new AbortController(); b.addEventListener("x", () => out("once"), {once: true}); b.addEventListener("x", () => out("signal"), {signal: c.signal}); b.addEventListener("x", {handleEvent() { out("object") }}); b.dispatchEvent(new Event("x")); c.abort(); b.dispatchEvent(new Event("x"))</script>
=== custom events
<b id=b>b</b><script>document.addEventListener("boat:moved", (e) => out(e.detail.name + (e.target === b))); b.dispatchEvent(new CustomEvent("boat:moved", {bubbles: true, detail: {name: "Orran"}}))</script>
=== fetch of data
<p id=a>…</p><script>fetch("/boats.json").then((r) => r.json()).then((b) => { a.textContent = b.map((x) => x.name).join() }, (e) => { a.textContent = "failed: " + e.name })</script>
=== fetch that nobody catches
<p id=a>before</p><script>fetch("/boats.json").then((r) => r.json()).then((b) => { a.textContent = b.length })</script>
=== data of a missing file
<script>fetch("/none.json").then((r) => out(r.status + r.ok), (e) => out(e.name))</script>
=== posts
<script>fetch("/book", {method: "POST", body: JSON.stringify({a: 1}), headers: {"content-type": "application/json"}}).then((r) => out(r.status), (e) => out(e.name))</script>
=== XMLHttpRequest
<script>const x = new XMLHttpRequest(); x.open("GET", "/boats.json"); x.onreadystatechange = () => out(x.readyState); x.onload = () => out("load" + x.status); x.onerror = () => out("error" + x.status); x.onloadend = () => out("end"); x.send()</script>
=== pictures made by a script
<script>const i = new Image(); i.onload = () => out("came"); i.onerror = () => out("failed"); i.src = "/lib/dot.png"; const j = document.createElement("img"); j.onerror = () => out("none"); j.src = "/lib/none.png"; document.body.append(j)</script>
=== styles made by a script
<script>const l = document.createElement("link"); l.rel = "stylesheet"; l.href = "/lib/more.css"; l.onload = () => out("styled"); document.head.append(l)</script>
=== custom elements
<x-boat name=Orran></x-boat><script>customElements.define("x-boat", class extends HTMLElement { static observedAttributes = ["name"]; constructor() { super(); out("made") } connectedCallback() { out("in"); this.textContent = this.getAttribute("name") } disconnectedCallback() { out("out") } attributeChangedCallback(k, a, b) { out(k + a + b) } }); const e = document.querySelector("x-boat"); e.setAttribute("name", "Kelda"); e.remove(); out(e instanceof HTMLElement)</script>
=== custom elements before they are defined
<x-late>later</x-late><script>const e = document.querySelector("x-late"); out(e.matches(":defined") ? "d" : "u"); customElements.whenDefined("x-late").then(() => out("defined")); class L extends HTMLElement { connectedCallback() { this.append("!") } } customElements.define("x-late", L); out(document.createElement("x-late") instanceof L); document.body.insertAdjacentHTML("afterbegin", "<x-late>two</x-late>")</script>
=== shadow roots and slots
<x-card><b slot=title>Title</b>Body</x-card><script>customElements.define("x-card", class extends HTMLElement { constructor() { super(); this.attachShadow({mode: "open"}).innerHTML = "<h2><slot name=title>none</slot></h2><p>in shadow</p><slot></slot><slot name=x>fallback</slot>" } })</script>
=== closed shadow roots
<x-shut>light</x-shut><script>customElements.define("x-shut", class extends HTMLElement { connectedCallback() { this.attachShadow({mode: "closed"}).textContent = "dark"; out(this.shadowRoot) } })</script>
=== declarative shadow roots
<div id=d><template shadowrootmode=open><p>shadow <slot></slot></p></template>light</div><script>out(!!d.shadowRoot + d.childNodes.length)</script>
=== events leave shadow trees
<x-ev></x-ev><script>customElements.define("x-ev", class extends HTMLElement { connectedCallback() { this.attachShadow({mode: "open"}).innerHTML = "<b>b</b>"; const b = this.shadowRoot.querySelector("b"); document.addEventListener("c", (e) => out(e.target.localName + e.composedPath().length)); document.addEventListener("n", () => out("never")); b.dispatchEvent(new Event("c", {bubbles: true, composed: true})); b.dispatchEvent(new Event("n", {bubbles: true})) } })</script>
=== mutation observers
<ul id=l></ul><script>new MutationObserver((r) => out(r.map((x) => x.type + (x.attributeName || x.addedNodes.length)).join())).observe(l, {childList: true, attributes: true, subtree: true}); l.append(document.createElement("li")); l.title = "x"; l.firstChild.textContent = "y"; out("sync")</script>
=== observers of view and size
<script>new IntersectionObserver((e) => out("seen" + e[0].isIntersecting)).observe(document.body); new ResizeObserver((e) => out("size" + (e[0].contentRect.width > 0))).observe(document.body)</script>
=== templates
<template id=t><li class=x>item</li></template><ul id=l></ul><script>for (let i = 0; i < 2; i++) { const c = t.content.cloneNode(true); c.querySelector("li").textContent += i; l.append(c) } out(t.content.children.length + t.innerHTML)</script>
=== nodes and lists
<div id=d><i>1</i><i>2</i></div><script>const live = d.getElementsByTagName("i"), still = d.querySelectorAll("i"); d.append(document.createElement("i")); out(live.length + "" + still.length + d.children.length); out([...d.childNodes].map((n) => n.nodeName).join()); d.replaceChildren("x", document.createElement("u")); out(d.innerHTML + d.firstElementChild.localName)</script>
=== moving nodes
<div id=d><i>1</i><i>2</i></div><script>const [a, b] = d.children; b.before("0"); a.after("3"); d.prepend(b); d.insertAdjacentHTML("beforeend", "<u>4</u>"); a.replaceWith("5"); out(d.textContent)</script>
=== selectors
<div class="a b"><p data-k=v><span>x</span></p></div><script>for (const s of ["div > p", ".a.b span", "[data-k=v]", "p:first-child", "p:not(.c) span", "div:has(span)", ":is(p, div) > span", "span:nth-child(1)", "p ~ *"]) out(document.querySelectorAll(s).length); out(document.querySelector("span").closest("div").className + document.querySelector("p").matches("[data-k]"))</script>
=== classes, data and styles
<p id=p class="a b">p</p><script>p.classList.add("c", "d"); p.classList.toggle("a"); p.classList.replace("b", "e"); p.dataset.someKey = "1"; p.style.color = "red"; p.style.setProperty("--x", "2"); out(p.className + p.getAttribute("data-some-key") + p.style.color + p.style.getPropertyValue("--x") + p.getAttribute("style"))</script>
=== properties and attributes
<a id=a href="/x?y#z">a</a><input id=i value=1 disabled><script>out(a.pathname + a.search + a.hash + (a.host === location.host)); i.value = "2"; out(i.getAttribute("value") + i.value + i.disabled); i.disabled = false; out(i.hasAttribute("disabled")); a.toggleAttribute("hidden"); out(a.hidden); a.hidden = false</script>
=== forms
<form id=f><input name=a value=1><select name=s><option>x<option selected>y</select><textarea name=t>z</textarea><input type=checkbox name=c checked><input type=radio name=r value=1><input type=radio name=r value=2 checked><button name=b value=3>go</button></form><script>out(new URLSearchParams(new FormData(f))); f.a.value = 2; f.elements.s.value = "x"; out([...new FormData(f)].join("|")); f.addEventListener("submit", (e) => { e.preventDefault(); out("submit" + e.submitter.name) }); f.querySelector("button").click(); f.reset(); out(f.a.value)</script>
=== checkboxes and labels
<label id=l><input type=checkbox id=c>tick</label><script>c.addEventListener("change", () => out("changed" + c.checked)); l.click(); c.addEventListener("click", (e) => e.preventDefault()); c.click(); out(c.checked)</script>
=== validity
<form id=f><input name=a required><button>go</button></form><script>f.addEventListener("invalid", () => out("invalid"), true); f.addEventListener("submit", () => out("submitted")); f.querySelector("button").click(); out(f.checkValidity())</script>
=== history
<script>addEventListener("popstate", (e) => out("pop" + JSON.stringify(e.state) + location.pathname.length)); history.pushState({n: 1}, "", "?a"); history.pushState({n: 2}, "", "?b"); out((history.length > 1) + location.search + history.state.n); history.back(); setTimeout(() => out(location.search), 200)</script>
=== hashes
<script>addEventListener("hashchange", (e) => out("hash" + location.hash)); addEventListener("popstate", (e) => out("pop" + e.state)); location.hash = "one"</script>
=== storage
<script>localStorage.clear(); localStorage.setItem("k", 1); localStorage.other = "y"; out(localStorage.length + localStorage.getItem("k") + Object.keys(localStorage).sort() + ("k" in localStorage) + localStorage.none); delete localStorage.k; out(localStorage.getItem("k")); sessionStorage.s = 1; out(sessionStorage.length)</script>
=== cookies
<script>document.cookie = "a=1"; document.cookie = "b=2; path=/"; document.cookie = "a=3"; out(document.cookie.split("; ").filter((c) => /^[ab]=/.test(c)).sort().join()); document.cookie = "a=; max-age=0"; document.cookie = "b=; max-age=0; path=/"; out(/a=/.test(document.cookie))</script>
=== databases
<script>const q = indexedDB.open("d" + Math.floor(performance.timeOrigin), 1); q.onupgradeneeded = () => q.result.createObjectStore("s", {keyPath: "id"}); q.onsuccess = () => { const tx = q.result.transaction("s", "readwrite"), s = tx.objectStore("s"); s.put({id: 1, v: "kept"}); s.get(1).onsuccess = (e) => out(e.target.result.v); tx.oncomplete = () => out("complete") }</script>
=== stores
<script>(async () => { const c = await caches.open("page"); await c.put("/made", new Response("by page")); out(await (await caches.match("/made")).text()); out(await caches.has("page")); await caches.delete("page") })()</script>
=== channels
<script>const c = new MessageChannel(); c.port1.onmessage = (e) => out(e.data.x); c.port2.postMessage({x: "through"}); addEventListener("message", (e) => out("posted" + e.data + (e.source === window))); postMessage("self", "*")</script>
=== the worker's messages
<script>if (navigator.serviceWorker.controller) { navigator.serviceWorker.addEventListener("message", (e) => out("heard " + e.data.answer)); navigator.serviceWorker.controller.postMessage({ask: 1}) } else out("none")</script>
=== the worker's registration
<script>navigator.serviceWorker.ready.then((r) => out(r.active.state + new URL(r.scope).pathname + new URL(r.active.scriptURL).pathname)); navigator.serviceWorker.getRegistration().then((r) => out(!!r)); navigator.serviceWorker.getRegistrations().then((r) => out(r.length))</script>
=== uncaught errors
<script>window.onerror = (m, f, l, c) => out(/^Uncaught TypeError/.test(m) + new URL(f).pathname + " " + l)</script><script>
  undefined.x;
</script><script src=/lib/throws.js></script>
=== rejections
<script>addEventListener("unhandledrejection", (e) => out("rejected " + e.reason.message)); Promise.reject(new Error("one")); Promise.reject(new Error("two")).catch(() => out("caught")); (async () => { throw new TypeError("three") })()</script>
=== errors of handlers stop nothing
<script>addEventListener("load", () => { throw new Error("first") }); addEventListener("load", () => out("second")); setTimeout(() => { throw new Error("timer") }); setTimeout(() => out("after"))</script>
=== a syntax error
<script>let good = 1; out(good)</script><script>let bad = ;</script><script>out(typeof bad)</script>
=== modules that fail
<script type=module src=/lib/none.js></script><script type=module>import "/lib/throwsmodule.js"; out("never")</script><script type=module>import {missing} from "/lib/words.js"; out("never")</script><script type=module>out("goes on")</script>
=== online and offline
<script>out(navigator.onLine)</script>
=== screen and media
<script>out(matchMedia("(min-width: 600px)").matches + "" + matchMedia("print").matches + matchMedia("(prefers-color-scheme: dark)").matches); out(typeof innerWidth + (screen.width > 0))</script>
=== computed styles
<style>.gone { display: none } p { color: red }</style><p class=gone>gone by class</p><p id=p>p</p><script>out(getComputedStyle(document.querySelector(".gone")).display + getComputedStyle(p).display + getComputedStyle(document.querySelector("script")).display)</script>
=== texts and encodings
<script>out(new TextDecoder().decode(new TextEncoder().encode("é€"))); out(atob(btoa("x")) + encodeURIComponent("é")); out(structuredClone({a: [1, new Date(0)]}).a[1].getTime()); out(crypto.randomUUID().length)</script>
=== urls
<script>const u = new URL("../b?x=1#y", "https://a.example/c/d"); out(u.href); u.searchParams.append("z", "é"); out(u.search); out(URL.canParse("x:") + "" + new URLSearchParams("a=1&a=2").getAll("a"))</script>
=== parsers
<script>const d = new DOMParser().parseFromString("<title>t</title><p id=x>y<img src=/lib/none.png>", "text/html"); out(d.title + d.getElementById("x").textContent + d.readyState); out(new XMLSerializer().serializeToString(document.createElement("b")))</script>
=== classes of the document
<script>out([document instanceof HTMLDocument, document.body instanceof HTMLBodyElement, document.createElement("a") instanceof HTMLAnchorElement, new Image() instanceof HTMLImageElement, document.body instanceof EventTarget, window instanceof Window, document.createTextNode("") instanceof Text, document.createElement("x-y") instanceof HTMLElement, document.createElementNS("http://www.w3.org/2000/svg", "svg") instanceof SVGElement].join(""))</script>
=== names of elements on the window
<form name=ff></form><div id=dd></div><script>out(typeof window.dd + typeof ff + typeof nothing)</script>
=== titles
<script>document.title = "  Set   by script "; out(document.title)</script>
=== the base of a page
<base href=/lib/><script>out(document.baseURI.replace(location.origin, "")); fetch("boats.json").then((r) => out(r.status)); const i = new Image(); i.src = "dot.png"; i.onload = () => out("dot"); document.body.append(i)</script>
=== leaving at once
<script>location.replace("/c/words/")</script>
=== tables
<table id=t><caption>c</caption><tr><td>1</table><script>const r = t.insertRow(); r.insertCell().textContent = "2"; out(t.rows.length + t.tBodies.length + t.caption.textContent + r.rowIndex); t.createTHead().insertRow().innerHTML = "<th>h"; t.deleteRow(1)</script>
=== details and dialogs
<details id=d><summary id=s>sum</summary>inside</details><dialog id=g>dialog</dialog><script>d.addEventListener("toggle", () => out("toggled" + d.open)); s.click(); g.show(); out(g.open); g.close(); out(g.open)</script>
=== focus
<input id=i><button id=b>b</button><script>i.addEventListener("focus", () => out("focus")); i.addEventListener("blur", () => out("blur")); document.addEventListener("focusin", (e) => out("in" + e.target.id)); i.focus(); out(document.activeElement.id); b.focus(); out(document.activeElement.id)</script>
=== proxies, generators and classes
<script>const p = new Proxy({}, {get: (t, k) => k, has: () => true}); out(p.name); function* g() { yield* [1, 2] } out([...g()]); class A { #x = 1; static s = 2; get x() { return this.#x } static { this.t = 3 } } out(new A().x + A.s + A.t); out([1, 2, 3].at(-1) + Object.groupBy([1, 2], (n) => (n % 2 ? "o" : "e")).o[0]); label: for (const a of [1]) for (const b of [1]) continue label; out(a?.b ?? "none"); var a</script>
=== async iteration
<script>(async () => { async function* g() { yield 1; await null; yield 2 } for await (const x of g()) out(x); const r = (await fetch("/lib/words.js")).body.getReader(); let n = 0; for (;;) { const {done, value} = await r.read(); if (done) break; n += value.length } out(n > 10) })()</script>
=== numbers, dates and languages
<script>out((1234.5).toLocaleString("en-US") + new Intl.NumberFormat("en-US", {style: "currency", currency: "GBP"}).format(5)); out(new Date(0).toISOString() + new Date(Date.UTC(2026, 0, 5)).toLocaleDateString("en-GB", {timeZone: "UTC"})); out(["b", "a"].sort(new Intl.Collator("en").compare) + "" + new Intl.PluralRules("en").select(1))</script>
=== frames and idle time
<script>requestAnimationFrame(() => { out("frame"); requestAnimationFrame(() => out("second")) }); requestIdleCallback((d) => out("idle" + (d.timeRemaining() >= 0)))</script>
=== beacons and sockets
<script>out(navigator.sendBeacon("/beacon", "x")); const s = new WebSocket("ws://" + location.host + "/socket"); s.onerror = () => out("error"); s.onclose = (e) => out("close" + e.code)</script>
=== lazily drawn lists
<ul id=l></ul><script>let page = 0; const more = async () => { const b = await (await fetch("/boats.json?page=" + page++)).json(); for (const x of b) { const li = document.createElement("li"); li.textContent = x.name; l.append(li) } if (page < 3) setTimeout(more, 20) }; more().catch((e) => out("no more: " + e.name))</script>
=== text nodes and comments
<div id=d>a<!-- c -->b</div><script>out(d.childNodes.length + d.textContent); d.normalize(); d.firstChild.data += "!"; d.childNodes[1].remove(); out(d.innerHTML); document.body.append(document.createTextNode("tail"))</script>
=== the parser mends
<table><p>moved<tr><td>cell</table><b><i>mis</b>nested</i><p>para<div>div</p></div><select><option>o<p>q</select><script>out(document.querySelectorAll("table p, p div, select p").length)</script>

=== bytes that elements name
<p>told</p><script>const put = (name, what) => new Promise((done) => { const e = Object.assign(document.createElement(name), what); e.onload = () => done(out(what.n + " came")); e.onerror = () => done(out(what.n + " refused")); document.head.append(e) });
const no = "sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA=";
(async () => { const yes = "sha256-" + btoa(String.fromCharCode(...new Uint8Array(await crypto.subtle.digest("SHA-256", await (await fetch("/lib/one.js")).arrayBuffer()))));
await put("script", {src: "/lib/two.js", integrity: no, n: 1}); await put("script", {src: "/lib/one.js", integrity: yes, n: 2}); await put("script", {src: "/lib/one.js", integrity: no + " " + yes, n: 3}); await put("script", {src: "/lib/counts.js", integrity: "md5-x", n: 4}); await put("script", {src: "/lib/one.js", integrity: yes + " sha512-AAAA", n: 5}); await put("link", {rel: "stylesheet", href: "/lib/more.css", integrity: no, n: 6}); out("done") })()</script>
=== bytes that an import map names
<script type=importmap>{"imports": {"w": "/lib/words.js"}, "integrity": {"/lib/words.js": "sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="}}</script><script type=module>out("never"); import "w"</script><script>import("w").then(() => out("imported"), (e) => out("refused " + e.name)).then(() => fetch("/lib/words.js")).then((r) => out("fetched"), () => out("not fetched"))</script>
