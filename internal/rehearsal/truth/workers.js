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
