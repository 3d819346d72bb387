//// cache-first, one list
const V = "v1";
addEventListener("install", (e) => e.waitUntil(caches.open(V).then((c) => c.addAll(["/", "/app.css", "/app.js"]))));
addEventListener("fetch", (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))));
//// cache-first, takes over at once
oninstall = (e) => { self.skipWaiting(); e.waitUntil(caches.open("VERSION").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/pic.svg"]))); };
onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.filter((n) => n !== "VERSION").map((n) => caches.delete(n)))).then(() => clients.claim()));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// cache-first, waits
oninstall = (e) => e.waitUntil(caches.open("VERSION").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/pic.svg"])));
onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.filter((n) => n !== "VERSION").map((n) => caches.delete(n)))));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// old store is never deleted
oninstall = (e) => e.waitUntil(caches.open("VERSION").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/pic.svg"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// one store for ever
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("app").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/pic.svg"]))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith(caches.open("app").then((c) => c.match(e.request)).then((r) => r || fetch(e.request)));
//// network-first
onfetch = (e) => e.respondWith((async () => { try { const r = await fetch(e.request); const c = await caches.open("nf"); await c.put(e.request, r.clone()); return r; } catch (x) { return caches.match(e.request); } })());
//// network-first, looks at ok
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("nf"); try { const r = await fetch(e.request); if (!r.ok) return (await c.match(e.request)) || r; await c.put(e.request, r.clone()); return r; } catch (x) { return (await c.match(e.request)) || Response.error(); } })());
//// network-first with a time limit
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("nf"); const late = new Promise((_, no) => setTimeout(() => no(new Error("late")), 1500)); try { const r = await Promise.race([fetch(e.request), late]); if (r.ok) await c.put(e.request, r.clone()); return r; } catch (x) { return (await c.match(e.request)) || new Response("Sorry", {status: 504, headers: {"Content-Type": "text/html"}}); } })());
//// network-first with an abort signal
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("nf"); try { const r = await fetch(e.request.url, {signal: AbortSignal.timeout(1500)}); await c.put(e.request.url, r.clone()); return r; } catch (x) { return (await c.match(e.request.url)) || Response.error(); } })());
//// stale-while-revalidate
onfetch = (e) => e.respondWith(caches.open("swr").then((c) => c.match(e.request).then((hit) => { const net = fetch(e.request).then((r) => { c.put(e.request, r.clone()); return r; }); return hit || net; })));
//// stale-while-revalidate, guarded
onfetch = (e) => { if (e.request.method !== "GET") return; e.respondWith((async () => { const c = await caches.open("swr"); const hit = await c.match(e.request); const net = fetch(e.request).then((r) => { if (r.ok) e.waitUntil(c.put(e.request, r.clone())); return r; }).catch(() => undefined); e.waitUntil(net); return hit || (await net) || Response.error(); })()); };
//// offline page for navigations
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("o").then((c) => c.add("/offline.html"))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(() => caches.match("/offline.html"))); };
//// offline page with its style
oninstall = (e) => e.waitUntil(caches.open("o").then((c) => c.addAll(["/offline.html", "/app.css"])));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(() => caches.match("/offline.html"))); else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//// app shell
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("shell").then((c) => c.addAll(["/", "/app.css", "/app.js"]))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(caches.match("/").then((r) => r || fetch(e.request))); else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//// runtime store
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("r"); const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; })());
//// runtime store, claims
oninstall = () => skipWaiting();
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("r"); const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; })());
//// no fetch handler
oninstall = (e) => e.waitUntil(caches.open("n").then((c) => c.addAll(["/", "/app.css"])));
//// handler that declines
oninstall = (e) => e.waitUntil(caches.open("n").then((c) => c.addAll(["/", "/app.css"])));
onfetch = () => {};
//// a list with a hole
oninstall = (e) => e.waitUntil(caches.open("h").then((c) => c.addAll(["/", "/gone.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// a list twice the same
oninstall = (e) => e.waitUntil(caches.open("h").then((c) => c.addAll(["/", "/app.css", "/app.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// install is not waited for
oninstall = () => { caches.open("u").then((c) => c.addAll(["/", "/app.css", "/app.js"])); };
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// throws at the top
const a = nothing.here;
onfetch = (e) => e.respondWith(fetch(e.request));
//// syntax error
onfetch = (e) => { e.respondWith(fetch(e.request) };
//// throws in install
oninstall = () => { throw new Error("no"); };
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// rejects in activate
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css", "/app.js"]))); };
onactivate = (e) => e.waitUntil(Promise.reject(new Error("no")));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// throws in fetch
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css"])));
onfetch = (e) => { if (e.request.url.endsWith(".css")) throw new Error("no"); e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//// answers undefined
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request));
//// answers null
onfetch = (e) => { if (e.request.url.endsWith("/about/")) e.respondWith(null); };
//// rejects with a fallback for one
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/"])));
onfetch = (e) => e.respondWith(e.request.url.endsWith("/") ? caches.match("/") : Promise.reject("no"));
//// answers too late
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css"])));
onfetch = async (e) => { const r = await caches.match(e.request); if (r) e.respondWith(r); };
//// body used twice
onfetch = (e) => e.respondWith((async () => { const r = await fetch(e.request); await r.text(); return r; })());
//// stored without a clone
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("x"); const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r); return r; })());
//// clone too late
onfetch = (e) => e.respondWith((async () => { const hit = await caches.match(e.request); if (hit) return hit; const r = await fetch(e.request); caches.open("x").then((c) => c.put(e.request, r.clone())); return r; })());
//// made by hand
onfetch = (e) => { const u = new URL(e.request.url); if (u.pathname === "/about/") e.respondWith(new Response("<!doctype html><title>Made</title><p>by hand", {headers: {"Content-Type": "text/html"}})); };
//// rewrites pages
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).then(async (r) => new Response((await r.text()).replace("<title>", "<title>Re: "), {headers: r.headers, status: r.status}))); };
//// streams
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith((async () => { const r = await fetch(e.request); const reader = r.body.getReader(); return new Response(new ReadableStream({async pull(c) { const {done, value} = await reader.read(); if (done) c.close(); else c.enqueue(value); }}), {headers: r.headers}); })()); };
//// transform
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith(fetch(e.request).then((r) => new Response(r.body.pipeThrough(new TransformStream({transform(chunk, c) { c.enqueue(chunk); }, flush(c) { c.enqueue(new TextEncoder().encode("<!-- end -->")); }})), {headers: {"Content-Type": "text/html"}}))); };
//// redirect from the network
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css"])));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(caches.match(e.request).then((r) => r || fetch("/about"))); };
//// redirect made by the worker
onfetch = (e) => { if (new URL(e.request.url).pathname === "/nowhere") e.respondWith(Response.redirect("/about/")); };
//// stores a redirected page
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/about", "/app.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request, {ignoreSearch: true}).then((r) => r || fetch(e.request)));
//// serves the stored redirect for a page
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/about", "/app.css"])));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(caches.match("/about")); };
//// cleans the redirect
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("x"); const r = await fetch("/about"); await c.put("/about/", new Response(await r.blob(), {headers: r.headers})); await c.add("/"); })());
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// ignores the query
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/?v=1", "/app.css?v=1"])));
onfetch = (e) => e.respondWith(caches.match(e.request, {ignoreSearch: true}).then((r) => r || fetch(e.request)));
//// by destination
onfetch = (e) => { const d = e.request.destination; if (d !== "style" && d !== "image" && d !== "document") return; e.respondWith((async () => { const c = await caches.open(d); const hit = await c.match(e.request); if (hit && d !== "document") return hit; try { const r = await fetch(e.request); if (r.ok) c.put(e.request, r.clone()); return r; } catch (x) { return hit || new Response("none", {status: 503}); } })()); };
//// by header
onfetch = (e) => { if ((e.request.headers.get("accept") || "").includes("text/html")) e.respondWith(fetch(e.request).catch(() => new Response("<title>Offline</title>", {headers: {"Content-Type": "text/html"}}))); };
//// globals are lost
let kept = null;
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith(fetch(e.request).then((r) => { kept = r.clone(); return r; }).catch(() => kept ? kept.clone() : new Response("<title>Lost</title>", {headers: {"Content-Type": "text/html"}}))); };
//// kept in a database
const db = () => new Promise((yes, no) => { const q = indexedDB.open("pages", 1); q.onupgradeneeded = () => q.result.createObjectStore("p"); q.onsuccess = () => yes(q.result); q.onerror = () => no(q.error); });
const act = async (mode, f) => { const d = await db(); return new Promise((yes, no) => { const t = d.transaction("p", mode), q = f(t.objectStore("p")); t.oncomplete = () => { d.close(); yes(q.result); }; t.onerror = () => no(t.error); }); };
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith((async () => { try { const r = await fetch(e.request); const text = await r.text(); await act("readwrite", (s) => s.put(text, e.request.url)); return new Response(text, {status: r.status, headers: {"Content-Type": "text/html"}}); } catch (x) { const text = await act("readonly", (s) => s.get(e.request.url)); return new Response(text || "<title>Not kept</title>", {headers: {"Content-Type": "text/html"}}); } })()); };
//// navigation preload
onactivate = (e) => e.waitUntil(registration.navigationPreload.enable());
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith((async () => { try { const p = await e.preloadResponse; const r = p || await fetch(e.request); (await caches.open("p")).put(e.request, r.clone()); return r; } catch (x) { return (await caches.match(e.request)) || Response.error(); } })()); };
//// static routes
oninstall = (e) => { e.addRoutes([{condition: {urlPattern: "/about/"}, source: "network"}]); e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/about/", "/app.css"]))); };
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// static routes to a store
oninstall = (e) => { e.addRoutes([{condition: {urlPattern: new URLPattern({pathname: "/*.css"})}, source: {cacheName: "x"}}]); e.waitUntil(caches.open("x").then((c) => c.addAll(["/app.css"]))); };
onfetch = () => {};
//// imports a list
importScripts("/list.js");
oninstall = (e) => e.waitUntil(caches.open("VERSION").then((c) => c.addAll(self.LIST)));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// imports what is missing
try { importScripts("/gone.js"); } catch (e) { self.failed = e.name; }
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(new Response("<title>" + self.failed + "</title>", {headers: {"Content-Type": "text/html"}})); };
//// imports later
onfetch = (e) => { if (e.request.mode !== "navigate") return; let name = "none"; try { importScripts("/list.js"); } catch (x) { name = x.name; } e.respondWith(new Response("<title>" + name + "</title>", {headers: {"Content-Type": "text/html"}})); };
//// deletes its own store
oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.css"])));
onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.map((n) => caches.delete(n)))));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// digests and a table
const FILES = ["/", "/about/", "/app.css", "/app.js", "/pic.svg"];
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("rel-VERSION"); for (const f of FILES) { const r = await fetch(f, {cache: "no-cache"}); if (!r.ok) throw new Error(f); await c.put(f, r); } })());
onactivate = (e) => e.waitUntil((async () => { for (const n of await caches.keys()) if (n.startsWith("rel-") && n !== "rel-VERSION") await caches.delete(n); })());
onfetch = (e) => { const u = new URL(e.request.url); if (FILES.includes(u.pathname)) e.respondWith(caches.open("rel-VERSION").then((c) => c.match(u.pathname)).then((r) => r || fetch(e.request))); };
//// trims its store
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("t"); const hit = await c.match(e.request); if (hit) return hit; const r = await fetch(e.request); await c.put(e.request, r.clone()); const k = await c.keys(); for (const old of k.slice(0, Math.max(0, k.length - 3))) await c.delete(old); return r; })());
//// only its own files
onfetch = (e) => { if (!e.request.url.startsWith(registration.scope)) return; if (!/\.(css|js|svg)$/.test(new URL(e.request.url).pathname)) return; e.respondWith(caches.open("a").then(async (c) => (await c.match(e.request)) || fetch(e.request).then((r) => (c.put(e.request, r.clone()), r)))); };
//// class and private members
class Store { #name; static #made = new Map(); constructor(n) { this.#name = n; } static of(n) { return Store.#made.get(n) ?? (Store.#made.set(n, new Store(n)), Store.#made.get(n)); } async get(r) { return (await caches.open(this.#name)).match(r); } async put(r, a) { return (await caches.open(this.#name)).put(r, a); } }
onfetch = (e) => e.respondWith((async () => { const s = Store.of("priv"); return await s.get(e.request) ?? await (async () => { const r = await fetch(e.request); await s.put(e.request, r.clone()); return r; })(); })());
//// unregisters itself
oninstall = () => skipWaiting();
onactivate = (e) => e.waitUntil(registration.unregister());
//// never settles
onfetch = (e) => { if (e.request.url.endsWith("pic.svg")) e.respondWith(Response.error()); else if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(() => new Response("<title>Caught</title>", {headers: {"Content-Type": "text/html"}}))); };
//// wrong type for a style
onfetch = (e) => { if (e.request.url.endsWith(".css")) e.respondWith(new Response("body {}", {headers: {"Content-Type": "text/plain"}})); };
//// a page for everything
onfetch = (e) => { if (e.request.mode !== "navigate") e.respondWith(fetch(e.request).catch(() => new Response("<p>none", {headers: {"Content-Type": "text/html"}}))); };
//// data is stored apart
oninstall = (e) => e.waitUntil(caches.open("s").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/pic.svg"])));
onfetch = (e) => { if (e.request.url.endsWith(".json")) e.respondWith(caches.open("d").then((c) => fetch(e.request).then((r) => { c.put(e.request, r.clone()); return r; }, () => c.match(e.request)))); else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//// asynchronous generators
async function* stored(name) { for (const r of await (await caches.open(name)).keys()) yield r; }
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("g"); for await (const u of (async function* () { yield "/"; yield* ["/app.css", "/app.js"]; })()) await c.add(u); })());
onfetch = (e) => e.respondWith((async () => { for await (const r of stored("g")) if (r.url === e.request.url) return (await caches.open("g")).match(r); return fetch(e.request); })());
//// old style
var CACHE = 'old-' + 'VERSION'; var URLS = ['/', '/about/', '/app.css'];
function Router() { this.routes = []; }
Router.prototype.add = function (test, handler) { this.routes.push({test: test, handler: handler}); return this; };
Router.prototype.handle = function (event) { for (var i = 0; i < this.routes.length; i++) { if (this.routes[i].test(event.request)) { event.respondWith(this.routes[i].handler(event.request)); return; } } };
var router = new Router().add(function (r) { return r.method === 'GET' && r.headers.get('accept').indexOf('text/html') !== -1; }, function (r) { return fetch(r)['catch'](function () { return caches.match(r).then(function (m) { return m || caches.match('/'); }); }); })
  .add(function () { return true; }, function (r) { return caches.match(r).then(function (m) { return m || fetch(r); }); });
self.addEventListener('install', function (e) { e.waitUntil(caches.open(CACHE).then(function (c) { return c.addAll(URLS); }).then(function () { return self.skipWaiting(); })); });
self.addEventListener('activate', function (e) { e.waitUntil(caches.keys().then(function (ks) { return Promise.all(ks.map(function (k) { if (k !== CACHE) return caches['delete'](k); })); }).then(function () { return self.clients.claim(); })); });
self.addEventListener('fetch', function (e) { router.handle(e); });
//// whichever is faster
oninstall = (e) => e.waitUntil(caches.open("race").then((c) => c.addAll(["/", "/app.css", "/about/"])));
onfetch = (e) => { const wait = new Promise((done) => setTimeout(done, 800)); e.respondWith(Promise.race([fetch(e.request).catch(() => wait), wait]).then(async (r) => r || await caches.match(e.request) || new Response("late", {status: 503}))); };
//// an age in a header
const aged = async (r) => { const h = new Headers(r.headers); h.set("x-stored", String(Date.now())); return new Response(await r.blob(), {status: r.status, statusText: r.statusText, headers: h}); };
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("aged"), m = await c.match(e.request); if (m && Date.now() - Number(m.headers.get("x-stored")) < 3600e3) return m; try { const r = await fetch(e.request); await c.put(e.request, await aged(r.clone())); return r; } catch (x) { if (m) return m; throw x; } })());
//// data is changed on its way
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith(fetch(e.request).then(async (r) => Response.json({...await r.json(), by: "worker", ok: r.ok})).catch((x) => Response.json({error: x.name}, {status: 502}))); };
//// asks for everything anew
oninstall = (e) => e.waitUntil(caches.open("reload").then((c) => c.addAll(["/", "/app.css"].map((u) => new Request(u, {cache: "reload", credentials: "same-origin"})))));
onactivate = (e) => e.waitUntil(caches.open("reload").then(async (c) => { for (const k of await c.keys()) await c.put(k, await fetch(new Request(k, {cache: "no-store"}))); }));
onfetch = (e) => e.respondWith(caches.match(e.request, {cacheName: "reload"}).then((r) => r || fetch(new Request(e.request.url, {headers: e.request.headers, credentials: "omit"}))));
//// waits while it installs
oninstall = (e) => { e.waitUntil(new Promise((done) => setTimeout(done, 300)).then(() => caches.open("slowly")).then((c) => c.add("/"))); e.waitUntil(caches.open("slowly").then((c) => c.add("/about/"))); };
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r ?? fetch(e.request)));
//// signals
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("sig"); try { const r = await fetch(e.request, {signal: AbortSignal.any([AbortSignal.timeout(700), new AbortController().signal])}); await c.put(e.request, r.clone()); return r; } catch (x) { return await c.match(e.request) ?? new Response(x.name, {status: 599, headers: {"Content-Type": "text/html"}}); } })());
//// asks for the head first
onfetch = (e) => { if (e.request.mode === "navigate") return; e.respondWith((async () => { const h = await fetch(e.request.url, {method: "HEAD"}).catch(() => null); if (h && h.ok && h.headers.get("content-type")) return fetch(e.request); return new Response("/* none */", {headers: {"Content-Type": e.request.destination === "style" ? "text/css" : "text/javascript"}}); })()); };
//// patterns
const routes = [[new URLPattern({pathname: "/about/:rest(.*)"}), ({rest}) => new Response("<title>About " + rest + "</title>", {headers: {"Content-Type": "text/html"}})], [new URLPattern("/:name.json", self.location.origin), ({name}) => Response.json({name})], [new URLPattern({search: "v=:v"}), () => new Response("<title>With a query</title>", {headers: {"Content-Type": "text/html; charset=utf-8"}})]];
onfetch = (e) => { for (const [p, make] of routes) { const m = p.exec(e.request.url); if (m) return e.respondWith(make(m.pathname.groups)); } };
//// expressions
const table = new Map([[/^\/(?<page>about)\/?$/, (g) => g.page], [/\.(?:css|js)$/i, () => "asset"]]);
oninstall = (e) => e.waitUntil(caches.open("re").then((c) => c.addAll(["/app.css", "/app.js", "/offline.html"])));
onfetch = (e) => { const {pathname} = new URL(e.request.url); for (const [re, kind] of table) { const m = pathname.match(re); if (!m) continue; if (kind(m.groups) === "asset") e.respondWith(caches.match(e.request)); else e.respondWith(fetch(e.request).catch(() => caches.match("/offline.html"))); break; } };
//// answers twice
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith(new Response("first")); try { e.respondWith(new Response("second")); } catch (x) { caches.open("twice").then((c) => c.put("/" + x.name, new Response(""))); } };
//// two listeners
addEventListener("fetch", (e) => { if (e.request.url.endsWith(".json")) { e.respondWith(Response.json({from: "first"})); e.stopImmediatePropagation(); } });
addEventListener("fetch", (e) => { if (/json|css/.test(e.request.url)) e.respondWith(new Response("body { color: red }", {headers: {"Content-Type": "text/css"}})); });
onfetch = (e) => { if (e.request.url.endsWith("/about/")) e.respondWith(new Response("<title>Third</title>", {headers: {"Content-Type": "text/html"}})); };
//// listens too late
oninstall = () => { addEventListener("fetch", (e) => e.respondWith(new Response("never", {headers: {"Content-Type": "text/html"}}))); };
//// options of matching
oninstall = (e) => e.waitUntil((async () => { await (await caches.open("a")).put("/data.json?old", new Response("query")); await (await caches.open("b")).put("/data.json", new Response("plain")); await (await caches.open("b")).put(new Request("/about/", {headers: {Accept: "x"}}), new Response("<title>Varied</title>", {headers: {"Content-Type": "text/html", Vary: "Accept"}})); })());
onfetch = (e) => { if (e.request.url.endsWith(".json")) e.respondWith(caches.match(e.request, {cacheName: "a", ignoreSearch: true})); else if (e.request.url.endsWith("/about/")) e.respondWith(caches.match(e.request, {ignoreVary: true}).then((r) => r || fetch(e.request))); };
//// deletes by the path
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("d"); for (const u of ["/?1", "/?2", "/about/?x", "/app.css"]) await c.put(u, new Response(u)); const n = (await c.matchAll("/", {ignoreSearch: true})).length; await c.delete("/", {ignoreSearch: true}); await c.put("/count-" + n + "-" + (await c.keys()).length, new Response("")); })());
onfetch = () => {};
//// stores what cannot be stored
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("no"); const tries = {post: () => c.put(new Request("/x", {method: "POST"}), new Response("")), scheme: () => c.put("data:text/plain,x", new Response("")), partial: () => c.put("/p", new Response("x", {status: 206})), star: () => c.put("/s", new Response("x", {headers: {Vary: "*"}})), missing: () => c.add("/nowhere"), used: async () => { const r = new Response("x"); await r.text(); await c.put("/u", r); }}; for (const [k, f] of Object.entries(tries)) { try { await f(); await c.put("/" + k + "-stored", new Response("")); } catch (x) { await c.put("/" + k + "-" + x.name, new Response("")); } } })());
onfetch = () => {};
//// offline page by status
oninstall = (e) => e.waitUntil(caches.open("st").then((c) => c.add("/offline.html")));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(e.request).then((r) => r.status >= 500 || r.status === 404 ? caches.match("/offline.html") : r, () => caches.match("/offline.html"))); };
//// waits for what was handled
onfetch = (e) => { if (!e.request.url.endsWith(".css")) return; e.respondWith(fetch(e.request).catch(() => caches.match(e.request)).then((r) => r || Response.error())); e.waitUntil(e.handled.then(async () => { const c = await caches.open("handled"); if (!await c.match(e.request)) await c.add(e.request.url); }).catch(() => {})); };
//// remembers its clients
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("who"); const client = e.clientId ? await clients.get(e.clientId) : null; if (e.request.mode === "navigate") await c.put("/nav-" + (e.resultingClientId ? "new" : "none") + "-" + (e.clientId ? "old" : "none"), new Response("")); else if (client) await c.put("/" + client.type + "-" + client.frameType + new URL(client.url).pathname, new Response("")); return fetch(e.request); })());
//// a database with an index
const db = () => new Promise((ok, no) => { const q = indexedDB.open("tides", 2); q.onupgradeneeded = (e) => { const s = q.result.createObjectStore("t", {keyPath: "id", autoIncrement: true}); s.createIndex("url", "url", {unique: true}); s.createIndex("tags", "tags", {multiEntry: true}); }; q.onsuccess = () => ok(q.result); q.onerror = () => no(q.error); });
const done = (q) => new Promise((ok, no) => { q.onsuccess = () => ok(q.result); q.onerror = () => no(q.error); });
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const d = await db(), s = () => d.transaction("t", "readwrite").objectStore("t"); let text; try { text = await (await fetch(e.request)).text(); try { await done(s().add({url: e.request.url, text, tags: ["a", "b"]})); } catch (x) { text += " " + x.name; } } catch { const all = []; await new Promise((ok) => { const q = s().index("tags").openCursor(IDBKeyRange.bound("a", "b"), "prev"); q.onsuccess = () => { const c = q.result; if (!c) return ok(); all.push(c.key + c.primaryKey); c.continue(); }; }); text = "kept " + all.join() + " " + await done(s().index("url").count(e.request.url)) + " " + (await done(s().index("url").get(e.request.url)))?.text; } d.close(); return new Response(text); })()); };
//// compressed and back
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith(fetch(e.request).then((r) => new Response(r.body.pipeThrough(new CompressionStream("gzip")).pipeThrough(new DecompressionStream("gzip")), {status: r.status})).catch(() => new Response("none"))); };
//// read twice
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const r = await fetch(e.request); const [a, b] = r.body.tee(); const c = await caches.open("tee"); await c.put(e.request, new Response(a, {headers: {"Content-Type": "application/json"}})); const parts = []; for await (const chunk of b) parts.push(chunk.length); return new Response("read " + parts.reduce((x, y) => x + y, 0)); })().catch(async (x) => await caches.match(e.request) || new Response(x.name))); };
//// forms and blobs
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const r = await fetch(e.request).catch(() => new Response("{}")); const f = new FormData(); f.append("file", new File([await r.blob()], "x.json", {type: "application/json"})); f.append("n", 5); const back = await new Response(f).formData(); const file = back.get("file"); return new Response([file.name, file.type, file.size, back.get("n"), [...back.keys()].join("+")].join(" ")); })()); };
//// a digest as a tag
const hex = (b) => [...new Uint8Array(b)].map((x) => x.toString(16).padStart(2, "0")).join("");
onfetch = (e) => { if (!/\.(css|js|json)$/.test(new URL(e.request.url).pathname)) return; e.respondWith((async () => { try { const r = await fetch(e.request), body = await r.arrayBuffer(); const tag = hex(await crypto.subtle.digest("SHA-256", body)).slice(0, 8); const c = await caches.open("tags"); await c.put(e.request, new Response(body, {headers: {ETag: tag, "Content-Type": r.headers.get("Content-Type")}})); return new Response(body, {headers: {"Content-Type": r.headers.get("Content-Type")}}); } catch { const m = await caches.match(e.request); return m ? new Response(m.headers.get("etag") + await m.text(), {headers: m.headers}) : Response.error(); } })()); };
//// a name that is not plain
oninstall = (e) => e.waitUntil(caches.open("стор 🚢 VERSION").then((c) => c.addAll(["/", "/?q=%20ä", "/app.css#part"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// a store that is gone
oninstall = (e) => e.waitUntil((async () => { const c = await caches.open("gone"); await c.add("/"); await caches.delete("gone"); await c.add("/app.css"); await (await caches.open("there")).put("/" + (await c.keys()).length + "-" + await caches.has("gone"), new Response("")); })());
onfetch = () => {};
//// checks what it gets
onfetch = (e) => { if (!e.request.url.endsWith(".js")) return; e.respondWith(fetch(e.request.url, {integrity: "sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="}).catch((x) => new Response("/* " + x.name + " */", {headers: {"Content-Type": "text/javascript"}}))); };
//// addresses of other kinds
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const out = [await (await fetch("data:text/plain,hello%20there")).text(), (await fetch("data:application/json;base64,eyJhIjoxfQ==")).headers.get("content-type")]; for (const u of ["blob:" + location.origin + "/none", "about:blank", "ftp://x.invalid/"]) out.push(await fetch(u).then((r) => r.status, (x) => x.name)); return new Response(out.join(" ")); })()); };
//// the order of things
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const log = []; setTimeout(() => log.push("timer"), 0); queueMicrotask(() => log.push("micro")); Promise.resolve().then(() => log.push("then")); const {port1, port2} = new MessageChannel(); const told = new Promise((ok) => { port2.onmessage = (m) => { log.push(m.data); ok(); }; }); port1.postMessage("port"); log.push("sync"); await null; log.push("await"); await told; await new Promise((ok) => setTimeout(ok, 5)); return new Response(log.filter((x) => x !== "port").join()); })()); };
//// locks and channels
const channel = new BroadcastChannel("c");
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith(navigator.locks.request("one", async (l) => { const other = new BroadcastChannel("c"); const heard = new Promise((ok) => { other.onmessage = (m) => ok(JSON.stringify(m.data)); }); channel.postMessage({hello: [1, new Date(0)]}); const text = await heard; other.close(); return new Response(l.mode + " " + text); })); };
//// recent functions
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; const {promise, resolve} = Promise.withResolvers(); e.respondWith(promise); (async () => { const groups = Object.groupBy(["/a", "/b/", "/c"], (u) => u.endsWith("/") ? "page" : "file"); const ref = new WeakRef(groups); const set = new Set([1, 2]).union(new Set([3])); resolve(new Response([groups.file.length, ref.deref() === groups, [...set].join("+"), [3, 1, 2].toSorted().join(""), [1, 2, 3].values().map((x) => x * 2).toArray().join("+"), await Array.fromAsync([1, Promise.resolve(2)]), structuredClone(new Map([[1, {a: 2}]])).get(1).a, "x".at(-1), [1, 2, 3].findLast((x) => x < 3), Object.hasOwn({a: 1}, "a"), "aXbX".replaceAll("X", "-"), new Intl.NumberFormat("en-US").format(12345)].join(" "))); })(); };
//// letting go
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith((async () => { const log = []; { await using a = {async [Symbol.asyncDispose]() { log.push("a"); }}; using b = {[Symbol.dispose]() { log.push("b"); }}; log.push("in"); } return new Response(log.join()); })()); };
//// pages from parts
oninstall = (e) => e.waitUntil(caches.open("parts").then((c) => Promise.all([c.put("/_head", new Response("<!doctype html><title>")), c.put("/_foot", new Response("</title><link rel=stylesheet href=/app.css>")), c.add("/app.css")])));
onfetch = (e) => { if (e.request.mode === "navigate") { const {readable, writable} = new TransformStream(); const work = (async () => { const w = writable.getWriter(), enc = new TextEncoder(); const part = async (u) => w.write(new Uint8Array(await (await caches.match(u)).arrayBuffer())); await part("/_head"); await w.write(enc.encode("Parts of " + new URL(e.request.url).pathname)); await part("/_foot"); await w.close(); })(); e.waitUntil(work); e.respondWith(new Response(readable, {headers: {"Content-Type": "text/html"}})); } else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//// a stream that breaks
onfetch = (e) => { if (!e.request.url.endsWith(".json")) return; e.respondWith(new Response(new ReadableStream({start(c) { c.enqueue(new TextEncoder().encode("half")); }, pull(c) { c.error(new Error("broken")); }}))); };
//// an error page that is kept
onfetch = (e) => e.respondWith(caches.open("bad").then((c) => c.match(e.request).then((m) => m || fetch(e.request).then((r) => { if (e.request.mode === "navigate") c.put(e.request, r.clone()); return r; }))));
//// code made of text
const rules = JSON.parse('[{"test":"url.pathname.endsWith(\'.css\')","type":"text/css","body":"body { color: navy }"}]').map((r) => ({...r, test: new Function("url", "return " + r.test)}));
onfetch = (e) => { const url = new URL(e.request.url); const r = rules.find((x) => x.test(url)); if (r) e.respondWith(new Response(r.body, {headers: {"Content-Type": r.type}})); else if (url.pathname.endsWith(".json")) e.respondWith(new Response(String(eval("1 + " + "1n".length)))); };
//// headers of a cached answer are changed before it is given
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("h").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js", "/data.json"]))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith((async () => { const r = await caches.match(e.request); if (!r) return fetch(e.request); r.headers.set("x-from", "store"); r.headers.delete("content-length"); return r; })());
//// an expiry date kept in a header of our own
const AGE = 60_000;
const dated = async (r) => { const h = new Headers(r.headers); h.set("x-stored-at", String(Date.now())); return new Response(await r.blob(), { status: r.status, statusText: r.statusText, headers: h }); };
onfetch = (e) => { if (e.request.method !== "GET") return; e.respondWith((async () => { const c = await caches.open("dated"), hit = await c.match(e.request); if (hit && Date.now() - Number(hit.headers.get("x-stored-at")) < AGE) return hit; try { const r = await fetch(e.request); if (r.ok) { const d = await dated(r); e.waitUntil(c.put(e.request, d.clone())); return d; } return hit ?? r; } catch (err) { if (hit) return hit; throw err; } })()); };
//// rows of answers in a database
const db = () => new Promise((yes, no) => { const o = indexedDB.open("pages", 1); o.onupgradeneeded = () => { const s = o.result.createObjectStore("rows", { keyPath: "url" }); s.createIndex("by-time", "time"); }; o.onsuccess = () => yes(o.result); o.onerror = () => no(o.error); });
const run = async (mode, f) => { const d = await db(); return new Promise((yes, no) => { const t = d.transaction("rows", mode), q = f(t.objectStore("rows")); t.oncomplete = () => { d.close(); yes(q && q.result); }; t.onabort = t.onerror = () => { d.close(); no(t.error); }; }); };
onfetch = (e) => e.respondWith((async () => { try { const r = await fetch(e.request); if (r.ok) { const copy = r.clone(); await run("readwrite", (s) => { return null; }); const body = await copy.arrayBuffer(); await run("readwrite", (s) => s.put({ url: e.request.url, time: Date.now(), type: copy.headers.get("content-type"), body })); } return r; } catch { const row = await run("readonly", (s) => s.get(e.request.url)); return row ? new Response(row.body, { headers: { "Content-Type": row.type } }) : new Response("<title>no row</title>", { status: 404, headers: { "Content-Type": "text/html" } }); } })());
//// a router of classes with private fields
class Route { #test; #answer; constructor(test, answer) { this.#test = test; this.#answer = answer; } static byPath(re, answer) { return new Route((u) => re.test(u.pathname), answer); } takes(u) { return this.#test(u); } answer(e) { return this.#answer(e); } }
class Router { #routes = []; #rest; add(r) { this.#routes.push(r); return this; } otherwise(f) { this.#rest = f; return this; } handle(e) { const u = new URL(e.request.url), r = this.#routes.find((x) => x.takes(u)); return r ? r.answer(e) : this.#rest?.(e); } }
const router = new Router().add(Route.byPath(/\.(css|js|svg)$/, async (e) => (await caches.match(e.request)) ?? fetch(e.request))).add(Route.byPath(/^\/data/, () => Response.json({ made: "here" }))).otherwise((e) => e.request.mode === "navigate" ? fetch(e.request).catch(() => caches.match("/offline.html")) : undefined);
oninstall = (e) => e.waitUntil(caches.open("r").then((c) => c.addAll(["/offline.html", "/app.css", "/app.js", "/pic.svg"])).then(() => self.skipWaiting()));
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => { const a = router.handle(e); if (a) e.respondWith(a); };
//// the title is rewritten on its way through a stream
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith((async () => { const r = await fetch(e.request); let carry = ""; const t = new TransformStream({ transform(chunk, c) { carry += chunk; }, flush(c) { c.enqueue(carry.replace(/<title>(.*?)<\/title>/, "<title>Via $1</title>")); } }); const body = r.body.pipeThrough(new TextDecoderStream()).pipeThrough(t).pipeThrough(new TextEncoderStream()); return new Response(body, { status: r.status, headers: { "Content-Type": "text/html; charset=utf-8" } }); })().catch(() => new Response("<title>down</title>", { headers: { "Content-Type": "text/html" } }))); };
//// pages of a head, a middle and a foot
const part = (u) => caches.match(u).then((r) => r || fetch(u));
oninstall = (e) => { self.skipWaiting(); e.waitUntil(caches.open("parts").then(async (c) => { await c.put("/head", new Response("<!doctype html><title>Put together</title><h1>")); await c.put("/foot", new Response("</h1>")); await c.add("/app.css"); })); };
onactivate = (e) => e.waitUntil(self.clients.claim());
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith(new Response(new ReadableStream({ async start(c) { for (const p of [part("/head"), Promise.resolve(new Response(new URL(e.request.url).pathname)), part("/foot")]) { const reader = (await p).body.getReader(); for (;;) { const { done, value } = await reader.read(); if (done) break; c.enqueue(value); } } c.close(); } }), { headers: { "Content-Type": "text/html" } })); };
//// a time limit by AbortSignal.timeout
oninstall = (e) => e.waitUntil(caches.open("t").then((c) => c.addAll(["/", "/about/", "/app.css"])));
onfetch = (e) => e.respondWith(fetch(e.request, { signal: AbortSignal.timeout(700) }).catch(async (x) => (await caches.match(e.request)) || new Response("<title>" + x.name + "</title>", { headers: { "Content-Type": "text/html" } })));
//// a time limit by AbortController, cleared in the end
oninstall = (e) => e.waitUntil(caches.open("t").then((c) => c.addAll(["/", "/about/", "/app.css"])));
onfetch = (e) => { const stop = new AbortController(), id = setTimeout(() => stop.abort(), 500); e.respondWith(fetch(e.request.url, { signal: stop.signal }).then((r) => { if (r.status >= 500) throw new Error("bad"); return r; }).catch(() => caches.match(e.request.url)).finally(() => clearTimeout(id)).then((r) => r || Response.error())); };
//// ignoreSearch for pages alone
oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("q").then((c) => c.addAll(["/", "/about/", "/app.css?v=1", "/app.js"]))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith(caches.match(e.request, { ignoreSearch: e.request.mode === "navigate" || e.request.destination === "style" }).then((r) => r || fetch(e.request)));
//// keys are trimmed by number
const KEEP = 2;
onfetch = (e) => { if (e.request.destination === "document" || e.request.mode === "navigate") e.respondWith((async () => { const c = await caches.open("few"); try { const r = await fetch(e.request); await c.put(e.request, r.clone()); const keys = await c.keys(); await Promise.all(keys.slice(0, Math.max(0, keys.length - KEEP)).map((k) => c.delete(k))); return r; } catch { return (await c.match(e.request)) || (await c.matchAll()).at(-1) || Response.error(); } })()); };
//// requests are made anew with other headers
oninstall = (e) => e.waitUntil(self.skipWaiting());
onactivate = (e) => e.waitUntil(self.clients.claim());
onfetch = (e) => { const h = new Headers(e.request.headers); h.append("x-worker", "yes"); const q = e.request.mode === "navigate" ? new Request(e.request.url, { headers: h, credentials: "include", redirect: "manual" }) : new Request(e.request, { headers: h }); e.respondWith(fetch(q).catch(() => caches.match("/").then((r) => r || new Response("none", { status: 418 })))); };
//// a request made of a navigation
oninstall = (e) => e.waitUntil(self.skipWaiting());
onactivate = (e) => e.waitUntil(self.clients.claim());
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(fetch(new Request(e.request, { cache: "reload" })).catch((x) => new Response("<title>" + x.name + "</title>", { headers: { "Content-Type": "text/html" } }))); };
//// handled is awaited before it is stored
onfetch = (e) => { e.waitUntil(e.handled.then(async () => { const c = await caches.open("after"); await c.put("/last", new Response(e.request.url)); }, () => {})); if (e.request.mode === "navigate") e.respondWith(fetch(e.request)); };
//// clients are told and counted
oninstall = (e) => e.waitUntil(self.skipWaiting());
onactivate = (e) => e.waitUntil((async () => { await self.clients.claim(); const all = await self.clients.matchAll({ type: "window" }); for (const c of all) c.postMessage({ hello: c.id.length > 0 }); })());
onfetch = (e) => { if (new URL(e.request.url).pathname !== "/data.json") return; e.respondWith((async () => { const c = await self.clients.get(e.clientId); return Response.json({ client: c ? new URL(c.url).pathname : null, type: c?.type, frame: c?.frameType, resulting: e.resultingClientId }); })()); };
//// a switch of dates and numbers
onfetch = (e) => { const { pathname } = new URL(e.request.url); switch (true) { case pathname.endsWith(".json"): { const n = new Intl.NumberFormat("en-US").format(1234567.5), d = new Date(Date.UTC(2024, 1, 29)).toISOString().slice(0, 10); return e.respondWith(Response.json({ n, d, list: [3, 1, 2].toSorted(), last: [1, 2, 3].findLast((x) => x < 3), g: Object.groupBy([1, 2, 3], (x) => (x % 2 ? "odd" : "even")) })); } default: } };
//// labels, generators and destructuring
function* walk(o, at = []) { for (const [k, v] of Object.entries(o)) v && typeof v === "object" ? yield* walk(v, [...at, k]) : yield { key: [...at, k].join("."), v }; }
onfetch = ({ request: { url, method = "GET" }, respondWith: _, ...rest }) => {};
addEventListener("fetch", function (e) { if (!/data\.json$/.test(e.request.url)) return; outer: for (const { key, v } of walk({ a: { b: 1, c: { d: 2 } }, e: 3 })) { for (let i = 0; i < 3; i++) { if (v === 2) { e.respondWith(new Response(`${key}=${v}`)); break outer; } } } });
//// async iteration over what is stored
async function* entries(name) { const c = await caches.open(name); for (const k of await c.keys()) yield [new URL(k.url).pathname, await c.match(k)]; }
oninstall = (e) => e.waitUntil(caches.open("iter").then((c) => c.addAll(["/", "/about/", "/data.json"])));
onfetch = (e) => e.respondWith((async () => { const want = new URL(e.request.url).pathname; for await (const [path, r] of entries("iter")) if (path === want) return r; return fetch(e.request); })());
//// a lock around the store
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith(navigator.locks.request("pages", async () => { const c = await caches.open("locked"); try { const r = await fetch(e.request); if (r.ok) await c.put(e.request, r.clone()); return r; } catch { return (await c.match(e.request)) ?? Response.error(); } })); };
//// digests name the stores
const hex = (b) => Array.from(new Uint8Array(b), (x) => x.toString(16).padStart(2, "0")).join("");
const named = async () => "v-" + hex(await crypto.subtle.digest("SHA-256", new TextEncoder().encode("VERSION"))).slice(0, 8);
oninstall = (e) => e.waitUntil(named().then((n) => caches.open(n)).then((c) => c.addAll(["/", "/about/", "/app.css"])));
onactivate = (e) => e.waitUntil(named().then(async (n) => { for (const k of await caches.keys()) if (k !== n && k.startsWith("v-")) await caches.delete(k); }));
onfetch = (e) => e.respondWith(named().then((n) => caches.match(e.request, { cacheName: n })).then((r) => r || fetch(e.request)));
//// an old style of promises with var
var CACHE = "old-VERSION", urls = ["/", "/app.css", "/app.js"];
self.addEventListener("install", function (event) { event.waitUntil(caches.open(CACHE).then(function (cache) { return Promise.all(urls.map(function (u) { return fetch(u, { credentials: "same-origin" }).then(function (r) { return cache.put(u, r); }); })); }).then(function () { return self.skipWaiting(); })); });
self.addEventListener("activate", function (event) { event.waitUntil(caches.keys().then(function (names) { return Promise.all(names.filter(function (n) { return n.indexOf("old-") === 0 && n !== CACHE; }).map(function (n) { return caches.delete(n); })); }).then(function () { return self.clients.claim(); })); });
self.addEventListener("fetch", function (event) { var request = event.request; if (request.method !== "GET") { return; } if (request.headers.get("Accept").indexOf("text/html") !== -1) { event.respondWith(fetch(request).then(function (response) { var copy = response.clone(); caches.open(CACHE).then(function (cache) { cache.put(request, copy); }); return response; })["catch"](function () { return caches.match(request).then(function (response) { return response || caches.match("/"); }); })); return; } event.respondWith(caches.match(request).then(function (response) { return response || fetch(request); })); });
//// what was stored is compared with what is fresh
onfetch = (e) => { if (e.request.mode !== "navigate") return; e.respondWith((async () => { const c = await caches.open("cmp"), old = await c.match(e.request); const fresh = fetch(e.request).then(async (r) => { if (!r.ok) return; const [a, b] = await Promise.all([r.clone().text(), old ? old.clone().text() : ""]); if (a !== b) await c.put(e.request, r); }).catch(() => {}); e.waitUntil(fresh); if (old) return old; await fresh; return (await c.match(e.request)) || fetch(e.request); })()); };
//// structuredClone and maps
const seen = new Map();
onfetch = (e) => { const u = new URL(e.request.url); seen.set(u.pathname, (seen.get(u.pathname) || 0) + 1); if (u.pathname === "/data.json") { const copy = structuredClone({ when: new Date(0), set: new Set([1, 2]), re: /a/gi, nested: { list: [1, , 3] } }); e.respondWith(Response.json({ iso: copy.when.toISOString(), size: copy.set.size, re: String(copy.re), hole: 1 in copy.nested.list })); } };
//// blobs sliced and put together
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const b = new Blob(["Skerry", new Blob([" "]), new TextEncoder().encode("Line")], { type: "text/plain" }); const s = b.slice(0, 6, "text/x-part"); return new Response(new Blob([s, "|", b.slice(-4), "|", String(s.size), "|", s.type])); })()); };
//// form data is read and given back
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const f = new FormData(); f.append("from", "Brae"); f.append("to", "Kelda"); f.append("to", "Orran"); const back = await new Response(f).formData(); const q = new URLSearchParams([...back]); q.sort(); return new Response(q.toString() + "&n=" + back.getAll("to").length); })()); };
//// errors with causes and names
class Gone extends Error { constructor(m, o) { super(m, o); this.name = "Gone"; } }
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { try { try { await caches.match("/x").then((r) => r.text()); } catch (cause) { throw new Gone("lost", { cause }); } } catch (x) { return Response.json({ n: x.name, m: x.message, c: x.cause.constructor.name, i: x instanceof Error, s: String(x) }); } })()); };
//// navigation preload with a header of its own
onactivate = (e) => e.waitUntil((async () => { await registration.navigationPreload.enable(); await registration.navigationPreload.setHeaderValue("VERSION"); await clients.claim(); })());
oninstall = (e) => e.waitUntil(caches.open("p").then((c) => c.add("/offline.html")).then(() => skipWaiting()));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith((async () => { try { return (await e.preloadResponse) || (await fetch(e.request)); } catch { return caches.match("/offline.html"); } })()); else if (e.request.url.endsWith("data.json")) e.respondWith(registration.navigationPreload.getState().then((s) => Response.json(s))); };
//// a response that is never closed by its stream
oninstall = (e) => e.waitUntil(skipWaiting());
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(new Response(new ReadableStream({ start(c) { c.enqueue(new TextEncoder().encode("part")); c.error(new Error("cut")); } }))); };
//// a transaction that waits for the network
const db = () => new Promise((yes, no) => { const o = indexedDB.open("tides", 1); o.onupgradeneeded = () => o.result.createObjectStore("t"); o.onsuccess = () => yes(o.result); o.onerror = () => no(o.error); });
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const t = (await db()).transaction("t", "readwrite"), s = t.objectStore("t"); s.put(1, "a"); await fetch("/list.js").catch(() => {}); try { s.put(2, "b"); return new Response("went on"); } catch (x) { return new Response(x.name); } })()); };
//// a transaction that goes on by itself
const db = () => new Promise((yes, no) => { const o = indexedDB.open("tides", 1); o.onupgradeneeded = () => o.result.createObjectStore("t"); o.onsuccess = () => yes(o.result); o.onerror = () => no(o.error); });
const of = (q) => new Promise((yes, no) => { q.onsuccess = () => yes(q.result); q.onerror = () => no(q.error); });
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const d = await db(), said = [], t = d.transaction("t", "readwrite"); t.oncomplete = () => said.push("complete"); const s = t.objectStore("t"); await of(s.put(1, "a")); said.push("a"); await of(s.put(2, "b")); said.push("b"); await new Promise((r) => setTimeout(r, 20)); said.push("later"); try { s.get("a"); said.push("still"); } catch (x) { said.push(x.name); } return new Response(said.join(" ")); })()); };
//// a transaction that is given up
const db = () => new Promise((yes, no) => { const o = indexedDB.open("tides", 1); o.onupgradeneeded = () => o.result.createObjectStore("t"); o.onsuccess = () => yes(o.result); o.onerror = () => no(o.error); });
const of = (q) => new Promise((yes, no) => { q.onsuccess = () => yes(q.result); q.onerror = () => no(q.error); });
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const d = await db(), said = [], t = d.transaction("t", "readwrite"); t.onabort = () => said.push("abort " + (t.error && t.error.name)); const s = t.objectStore("t"); await of(s.put(1, "a")); const q = s.add(2, "a"); await new Promise((r) => { q.onerror = () => { said.push(q.error.name); r(); }; }); await new Promise((r) => setTimeout(r, 20)); said.push(String(await of(d.transaction("t").objectStore("t").get("a")))); return new Response(said.join(" ")); })()); };
//// a part is led to another by the worker
onfetch = (e) => { const p = new URL(e.request.url).pathname; if (p === "/app.css") e.respondWith(Response.redirect("/other.css")); if (p === "/data.json") e.respondWith(Response.redirect("/list.js", 307)); if (p === "/other.css") e.respondWith(new Response("h1 { color: red }", { headers: { "Content-Type": "text/css" } })); };
//// parts are led to the network
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/about/", "/app.css", "/list.js"])));
onfetch = (e) => { const p = new URL(e.request.url).pathname; e.respondWith(p === "/pic.svg" ? Response.redirect("/app.js", 302) : p === "/app.js" ? Response.redirect("/list.js") : caches.match(e.request).then((r) => r || fetch(e.request))); };
//// a page is led to itself for ever
onfetch = (e) => { if (new URL(e.request.url).pathname === "/about/") e.respondWith(Response.redirect("/about/?" + (Number(new URL(e.request.url).search.slice(1)) + 1))); };
//// a page whose head comes before its body
onfetch = (e) => { if (e.request.mode !== "navigate") return; const text = new TextEncoder(); e.respondWith(new Response(new ReadableStream({ async start(c) { c.enqueue(text.encode("<!doctype html><title>Streamed VERSION</title><h1>first</h1>")); const r = await caches.match("/about/") || await fetch("/data.json").catch(() => new Response("none")); c.enqueue(text.encode("<p>" + (await r.text()).length + "</p>")); c.close(); } }), { headers: { "Content-Type": "text/html; charset=utf-8" } })); };
//// a stream through another
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const r = await fetch("/list.js").catch(() => new Response("self.LIST = none")); let n = 0; const count = new TransformStream({ transform(chunk, c) { n += chunk.length; c.enqueue(chunk.toUpperCase()); }, flush(c) { c.enqueue(" " + (n > 0)); } }); return new Response(r.body.pipeThrough(new TextDecoderStream()).pipeThrough(count).pipeThrough(new TextEncoderStream())); })()); };
//// a body with two readers
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const [a, b] = new Response("one two three").body.tee(); const text = async (s) => { let out = ""; for (const r = s.pipeThrough(new TextDecoderStream()).getReader(); ;) { const { value, done } = await r.read(); if (done) return out; out += value; } }; const [x, y] = await Promise.all([text(a), text(b)]); return new Response(x + "|" + y); })()); };
//// a module with what it imports
//: as {type: "module"}
import { list, name } from "./parts/list.mjs";
import * as all from "./parts/list.mjs";
oninstall = (e) => e.waitUntil(caches.open(name).then((c) => c.addAll(list)));
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(Response.json([Object.keys(all), import.meta.url.replace(self.location.origin, ""), this === undefined])); else e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
//: file parts/list.mjs
export const list = ["/", "/app.css", new URL("../app.js", import.meta.url).pathname];
export const name = "v-VERSION";
export default function () {}
//// a module with data
//: as {type: "module"}
import data from "./parts/list.json" with { type: "json" };
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(data)));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//: file parts/list.json
["/", "/about/", "/app.css"]
//// a module that awaits at its top
//: as {type: "module"}
const list = await Promise.resolve(["/"]);
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//// a module that imports when it is asked
//: as {type: "module"}
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(import("./parts/list.mjs").then((m) => Response.json(m.list), (x) => new Response(x.name))); };
//: file parts/list.mjs
export const list = ["/"];
//// a page says what is to be stored
onmessage = (e) => { if (e.data.keep) e.waitUntil(caches.open("kept").then((c) => c.addAll(e.data.keep))); };
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith(fetch(e.request).catch(() => caches.match(e.request)).then((r) => r || Response.error()));
//: file app.js
navigator.serviceWorker.ready.then((r) => r.active.postMessage({ keep: ["/", "/about/", "/app.css", "/app.js", "/pic.svg"] }));
//// a page asks and is answered
const said = [];
onmessage = (e) => { if (e.data === "what") e.ports[0].postMessage(said); else { said.push(e.data + " " + (e.source instanceof Client) + " " + new URL(e.source.url).pathname); } };
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(Response.json(said.map((s) => s.split(" ")[1]).slice(0, 1))); };
//: file app.js
navigator.serviceWorker.ready.then((r) => r.active.postMessage("hello"));
//// a switch that a page throws
onmessage = (e) => { if (e.data.type === "take over") self.skipWaiting(); };
oninstall = (e) => e.waitUntil(caches.open("VERSION").then((c) => c.addAll(["/", "/about/", "/app.css", "/app.js"])));
onactivate = (e) => e.waitUntil((async () => { for (const k of await caches.keys()) if (k !== "VERSION") await caches.delete(k); })());
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
//: file app.js
navigator.serviceWorker.getRegistration().then((r) => { if (r && r.waiting) r.waiting.postMessage({ type: "take over" }); });
//// promises of a class of its own
class Later extends Promise { static get [Symbol.species]() { return Promise; } }
class Other extends Promise { }
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith(new Later((yes) => yes(new Other((y) => y("in")))).then((v) => new Other((y) => setTimeout(y, 5, v + " time"))).then(async (v) => new Response(await new Other((y) => y(v)) + " " + (Other.resolve(1) instanceof Other)))); };
//// an awaited object that only looks like a promise
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const odd = Object.create(Promise.prototype); try { await odd; return new Response("awaited"); } catch (x) { return new Response(x.name); } })()); };
//// a thenable is awaited
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith({ then(yes) { setTimeout(() => yes(new Response("then")), 5); } }); };
//// generators made of text
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const AsyncFunction = Object.getPrototypeOf(async () => { }).constructor; const out = []; for await (const x of new Function("n", "return (async function* () { for (let i = 0; i < n; i++) yield i * await 2 })()")(3)) out.push(x); out.push(await new AsyncFunction("a", "return await a + 1")(4)); for (const x of new Function("return function* () { yield 7 }")()()) out.push(x); out.push((0, eval)("class A { static #n = 3; static get n() { return A.#n } } A.n")); return Response.json(out); })()); };
//// expressions with the flag v
const word = /^[\p{L}--[a-z]]+$/v, both = /[[a-z]&&[aeiou]]/v;
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(Response.json([word.test("ABC"), word.test("abc"), both.test("x"), both.test("e"), word.flags, word.unicodeSets])); };
//// expressions with names, looks behind and places
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; const m = /(?<h>\d+):(?<m>\d+)/d.exec("at 9:40"); e.respondWith(Response.json([m.groups.h, m.indices.groups.m, "a-b-c".replaceAll(/-(?=c)/g, "+"), [..."x1y22".matchAll(/(?<=[a-z])\d+/g)].map((x) => x[0]), /a.c/s.test("a\nc"), "é".normalize("NFD").length, /\p{Emoji}/u.test("⛴")])); };
//// lists of today
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => Response.json([[3, 1, 2].toSorted(), [1, 2, 3].with(1, 9), [1, 2, 3].toSpliced(0, 1), [1, 2, 3].findLast((x) => x < 3), [1, 2].at(-1), Object.groupBy([1, 2, 3], (x) => x % 2 ? "odd" : "even"), [...Map.groupBy([1, 2], (x) => x > 1)], Object.fromEntries([["a", 1]]), [1, [2, [3]]].flat(Infinity), await Array.fromAsync([Promise.resolve(1), 2]), Object.hasOwn({ a: 1 }, "a"), Array.from({ length: 2 }, (_, i) => i)]))()); };
//// sets, iterators and promises of today
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const { promise, resolve } = Promise.withResolvers(); setTimeout(resolve, 1, "done"); const some = await Promise.any([Promise.reject(1), Promise.resolve(2)]), all = await Promise.allSettled([Promise.reject(new Error("x")), 1]); return Response.json([[...new Set([1, 2]).union(new Set([3]))], [...new Set([1, 2]).intersection(new Set([2]))], new Set([1]).isSubsetOf(new Set([1, 2])), [1, 2, 3].values().map((x) => x * 2).filter((x) => x > 2).take(1).toArray(), Iterator.from([5]).toArray(), await promise, some, all.map((x) => x.status), await Promise.try(() => 4)]); })()); };
//// texts, numbers and errors of today
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; let cause; try { throw new Error("a", { cause: "b" }); } catch (x) { cause = x.cause; } const weak = new WeakRef({}); e.respondWith(Response.json(["a".padStart(3, "-"), " a ".trimEnd(), "abc".at(-1), "ab\uD800".isWellFormed(), "\uD800".toWellFormed().codePointAt(0), 1_000, 2n ** 64n + "", Math.clz32(1), Number.parseFloat("1.5px"), cause, typeof weak.deref(), new AggregateError([1]).errors, globalThis === self, String.raw`\n`, a?.b ?? "none", "x".localeCompare("y") < 0])); };
var a = null;
//// classes of today
class Base { static #n = 0; static { Base.kind = "base"; } #secret = 1; accessor = 2; get secret() { return this.#secret; } set secret(v) { this.#secret = v; } static made() { return ++Base.#n; } has(o) { return #secret in o; } }
class Own extends Base { static kind = "own"; tell = () => super.secret + this.accessor; ["com" + "puted"]() { return new.target === undefined; } }
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; const o = new Own(); o.secret = 5; o.more ??= 1; o.more &&= 2; e.respondWith(Response.json([Base.kind, Own.kind, o.tell(), o.has(o), o.has({}), o.computed(), Base.made() > 0, o.more])); };
//// cookies kept by the worker
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const had = await cookieStore.get("seen"); await cookieStore.set("seen", "yes"); const has = await cookieStore.get("seen"); return Response.json([had ? had.value : null, has.value]); })()); };
//// cookies of an answer
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; const r = new Response("", { headers: { "Set-Cookie": "a=b", "X-A": "b" } }); const h = new Headers({ "Set-Cookie": "a=b" }); e.respondWith(Response.json([r.headers.get("set-cookie"), r.headers.getSetCookie(), h.getSetCookie(), [...r.headers.keys()]])); };
//// a list with an answer that varies by everything
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.put("/x", new Response("x", { headers: { Vary: "*" } }))));
onfetch = (e) => { if (e.request.mode === "navigate") e.respondWith(new Response("<title>taken</title>", { headers: { "Content-Type": "text/html" } })); };
//// a page for a picture and a script
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/about/", "/offline.html"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)).catch(() => caches.match("/offline.html")));
//// answers of the worker's own making
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const out = []; for (const f of [() => new Response("x", { status: 204 }), () => new Response(null, { status: 204 }).status, () => new Response("x", { status: 199 }), () => Response.redirect("/a", 200), () => Response.error().type, () => Response.json({ a: 1 }).headers.get("content-type"), () => new Response("é").headers.get("content-type"), () => new Response(new Blob(["a"], { type: "text/x" })).headers.get("content-type"), () => new Response(new URLSearchParams("a=b")).headers.get("content-type"), () => new Response(undefined).body, () => new Request("/a", { method: "POST", body: "x" }).duplex, () => new Request("/a", { mode: "navigate" }).mode, () => new Request("/a", { method: "get" }).method, () => new Request("/a", { method: "TRACE" }).method, () => new Request("http://a:b@c/").url]) { try { out.push(f()); } catch (x) { out.push(x.name); } } return Response.json(out); })()); };
//// what is stored is found by its query, method and vary
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const c = await caches.open("m"); await c.put("/a?x=1", new Response("1")); await c.put(new Request("/b", { headers: { "Accept-Language": "de" } }), new Response("2", { headers: { Vary: "Accept-Language" } })); const t = async (p) => { const r = await p; return r ? await r.text() : null; }; return Response.json([await t(c.match("/a")), await t(c.match("/a", { ignoreSearch: true })), await t(c.match("/b")), await t(c.match("/b", { ignoreVary: true })), await t(c.match(new Request("/a?x=1", { method: "HEAD" }))), await t(c.match(new Request("/a?x=1", { method: "POST" }))), await t(c.match(new Request("/a?x=1", { method: "POST" }), { ignoreMethod: true })), (await c.matchAll()).length, (await c.keys("/a", { ignoreSearch: true })).length, await c.delete("/zz"), await caches.has("m"), await caches.delete("none"), (await caches.match("/a?x=1", { cacheName: "other" })) === undefined])})()); };
//// a client is looked for by its id
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const c = await clients.get(e.clientId); return Response.json([!!c, c && c.type, c && c.frameType, c && new URL(c.url).pathname, (await clients.matchAll({ includeUncontrolled: true, type: "window" })).length, e.resultingClientId, e.request.destination, e.request.mode, e.request.credentials, e.request.cache, e.request.redirect, e.isReload === undefined, (await clients.get("nobody")) === undefined]); })()); };
//// parts of a file are asked for
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const r = await fetch("/list.js", { headers: { Range: "bytes=0-3" } }).catch(() => null); if (!r) return new Response("no network"); let put; try { await (await caches.open("v")).put("/list.js", r.clone()); put = "stored"; } catch (x) { put = x.name; } return Response.json([r.status, (await r.text()).length, put]); })()); };
//// a request is given up
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const a = new AbortController(); a.abort(new Error("mine")); const out = []; try { await fetch("/list.js", { signal: a.signal }); } catch (x) { out.push(x.message); } try { await fetch("/list.js", { signal: AbortSignal.abort() }); } catch (x) { out.push(x.name); } const any = AbortSignal.any([AbortSignal.timeout(1), new AbortController().signal]); await new Promise((r) => any.addEventListener("abort", r)); out.push(any.reason.name); try { any.throwIfAborted(); } catch (x) { out.push(x.name); } return Response.json(out); })()); };
//// addresses taken apart
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; const u = new URL("../b/./c?x=1&y=%20#z", "https://a.example:443/p/q/r"); u.searchParams.append("w", "ä b"); u.port = "8080"; e.respondWith(Response.json([u.href, u.origin, URL.canParse("//x", "no"), URL.parse("nope"), new URL("https://ä.example/ü").href, [...u.searchParams.keys()], u.searchParams.size, u.searchParams.has("x", "2"), new URLPattern("/a/:b", "https://x.example").exec("https://x.example/a/7").pathname.groups.b, new URL("HTTP://EX.example/%7Ea/..").href])); };
//// how updates are looked for
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) e.respondWith(Response.json([registration.updateViaCache, registration.scope.length > 0, registration.active === serviceWorker, serviceWorker.state, new URL(serviceWorker.scriptURL).pathname])); };
//: as { updateViaCache: "none" }
//// pictures that nothing shown takes
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(["/", "/about/"])));
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith((async () => { const had = await caches.match(e.request); if (had) return had; const r = await fetch(e.request); if (r.ok) await (await caches.open("seen")).put(e.request, r.clone()); return r; })());
//: file app.css
@font-face { font-family: Used; src: url(/used.woff2) } @font-face { font-family: Unused; src: url(/unused.woff2) }
h1 { font-family: Used, sans-serif; background: url(/pic.svg?h1) } .nobody { background: url(/pic.svg?nobody); font-family: Unused } h1:hover { cursor: url(/pic.svg?hover), auto } body h1 { background: url(/pic.svg?wins) }
//: file used.woff2
not a font
//: file unused.woff2
not a font
//: file app.js
document.title += "";
//// a database with an index and a cursor
const open = () => new Promise((yes, no) => { const r = indexedDB.open("boats", 1); r.onupgradeneeded = () => { const s = r.result.createObjectStore("b", { keyPath: "id", autoIncrement: true }); s.createIndex("by", ["kind", "name"]); s.createIndex("tags", "tags", { multiEntry: true }); }; r.onsuccess = () => yes(r.result); r.onerror = () => no(r.error); });
const done = (r) => new Promise((yes, no) => { r.onsuccess = () => yes(r.result); r.onerror = () => no(r.error); });
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const db = await open(), t = db.transaction("b", "readwrite"), s = t.objectStore("b"); await done(s.clear()); for (const [kind, name, tags] of [["ferry", "Merganser", ["new"]], ["ferry", "Eider", ["old", "slow"]], ["launch", "Dunlin", []]]) s.add({ id: name.length, kind, name, tags }); const names = []; await new Promise((yes) => { s.index("by").openCursor(IDBKeyRange.bound(["ferry"], ["ferry", []]), "prev").onsuccess = (x) => { const c = x.target.result; if (!c) return yes(); names.push(c.value.name); c.continue(); }; }); const count = await done(s.index("tags").count("slow")), keys = await done(s.index("tags").getAllKeys()); let twice; try { await done(s.add({ id: 5, kind: "x", name: "y", tags: [] })); } catch (x) { twice = x.name; } await new Promise((yes) => { t.oncomplete = t.onabort = () => yes(); }); const left = await done(db.transaction("b").objectStore("b").getAllKeys()); db.close(); return Response.json([names, count, keys, twice, left]); })()); };
//// bytes through a compressor and back
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const text = "tide ".repeat(200), packed = await new Response(new Blob([text]).stream().pipeThrough(new CompressionStream("gzip"))).arrayBuffer(), back = await new Response(new Blob([packed]).stream().pipeThrough(new DecompressionStream("gzip"))).text(); let broken; try { await new Response(new Blob(["no gzip"]).stream().pipeThrough(new DecompressionStream("gzip"))).text(); } catch (x) { broken = x.name; } return Response.json([packed.byteLength < 200, new Uint8Array(packed).subarray(0, 2).join(), back === text, broken]); })()); };
//// what is cloned and what is not
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; const o = { d: new Date(0), m: new Map([[1, { a: 1 }]]), s: new Set([1]), r: /a/gi, b: new Uint8Array([1, 2]).subarray(1), n: [1, , 3], big: 2n ** 70n, e: new RangeError("far") }; o.self = o; const c = structuredClone(o), out = [c.self === c, c.d.getTime(), c.m.get(1).a, c.s.has(1), c.r.flags, c.b[0], 1 in c.n, c.big === o.big, c.e.name, c.e instanceof RangeError]; for (const x of [() => { }, Symbol("a"), new WeakMap(), Promise.resolve(), new Response(""), { f() { } }]) try { structuredClone(x); out.push("cloned"); } catch (err) { out.push(err.name); } const buffer = new ArrayBuffer(4), moved = structuredClone(buffer, { transfer: [buffer] }); out.push(buffer.byteLength, moved.byteLength, buffer.detached); e.respondWith(Response.json(out)); };
//// digests of what is fetched
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const sum = async (u) => { const r = await caches.match(u) || await fetch(u).catch(() => null); return r ? btoa(String.fromCharCode(...new Uint8Array(await crypto.subtle.digest("SHA-256", await r.clone().arrayBuffer())))) : "none"; }; const right = await sum("/pic.svg"), ask = async (integrity) => { try { return (await fetch("/pic.svg", { integrity })).status; } catch (x) { return x.name; } }; return Response.json([right, await ask("sha256-" + right), await ask("sha256-AAAA"), await ask("sha256-" + "A".repeat(43) + "= sha256-" + right), await ask("nonsense")]); })()); };
//// caches that are asked only
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { const out = []; for (const o of [{ cache: "only-if-cached" }, { cache: "only-if-cached", mode: "same-origin" }, { mode: "same-origin" }, { redirect: "error" }, { method: "HEAD" }, { mode: "no-cors" }, { method: "PUT", mode: "no-cors" }]) try { const r = await fetch("/app.css", o); out.push(r.type + (r.status === 504 ? " none" : r.status)); } catch (x) { out.push(x.name); } return Response.json(out); })()); };
//// exceptions and rejections that nothing caught
const heard = []; addEventListener("error", (e) => { heard.push(["error", e.message, e.filename.split("/").pop(), e.lineno, e.error && e.error.name, e.cancelable, e.isTrusted]); e.preventDefault(); });
addEventListener("unhandledrejection", (e) => { heard.push(["rejection", String(e.reason), e.promise instanceof Promise, e.cancelable]); e.preventDefault(); });
onfetch = (e) => { if (!e.request.url.endsWith("/data.json")) return; e.respondWith((async () => { heard.length = 0; setTimeout(() => { throw new RangeError("tide"); }, 1); Promise.reject("no boat"); Promise.reject("caught").catch(() => {}); await new Promise((done) => setTimeout(done, 60)); return Response.json(heard); })()); };
//// what onerror is given
const told = []; onerror = (...all) => { told.push([all.length, all[0], typeof all[2], all[4] && all[4].message]); return true; };
onfetch = (e) => { if (e.request.url.endsWith("/data.json")) { e.respondWith((async () => { await new Promise((done) => setTimeout(done, 40)); return Response.json(told); })()); throw new TypeError("after the answer"); } };
//// what is asked for before it is wanted
oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith((async () => { const c = await caches.open("seen"), t = await caches.open("told"), u = new URL(e.request.url), q = e.request; if (u.pathname === "/data.json") return Response.json(await Promise.all((await t.keys()).map(async (k) => (await t.match(k)).text())).then((l) => l.sort())); if (/tides|later/.test(u.pathname) && q.mode !== "navigate") await t.put("/told" + u.pathname, new Response([u.pathname, q.mode, q.destination, q.credentials, q.redirect, q.cache, q.headers.get("purpose"), q.headers.get("sec-purpose")].join())); try { const r = await fetch(q); if (r.ok) await c.put(q, r.clone()); return r; } catch { return (await c.match(q)) || Response.error(); } })());
//: file app.js
for (const [rel, href] of [["prefetch", "/tides/?next"], ["prefetch", "/later.js"]]) document.head.append(Object.assign(document.createElement("link"), { rel, href }));
//: file tides/index.html
<!doctype html><title>Tides VERSION</title><p>High water at noon</p>
//: file later.js
document.title += " later";
