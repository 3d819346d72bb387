// Run as a service worker by TestWhatAWorkerSees. Every case is a name and a function that gives what is compared with
// the expected value; the same file can be run in a browser's worker.
const cases = [
  // Headers (Fetch, section 5.1)
  ["headers combine", () => { const h = new Headers({A: "1"}); h.append("a", " 2 "); return h.get("A"); }, "1, 2"],
  ["headers are sorted", () => [...new Headers([["b", "1"], ["A", "2"]])].join(";"), "a,2;b,1"],
  ["headers refuse bad names", () => { try { new Headers({"a b": "1"}); } catch (e) { return e.name; } }, "TypeError"],
  ["headers of a fetched response are fixed", async () => { const r = await fetch("/app.css"); try { r.headers.set("a", "1"); } catch (e) { return e.name; } }, "TypeError"],
  ["set-cookie is no header of a new response", () => new Response("", {headers: {"Set-Cookie": "a"}}).headers.has("set-cookie"), false],
  ["forbidden request headers", () => new Request("/", {headers: {Cookie: "a", "X-A": "1"}}).headers.has("cookie"), false],
  // Request (section 5.4)
  ["request defaults", () => { const r = new Request("a?b#c"); return [r.method, r.mode, r.credentials, r.redirect, r.cache, new URL(r.url).pathname].join(); }, "GET,cors,same-origin,follow,default,/a"],
  ["methods are normalised", () => new Request("/", {method: "post", body: "x"}).method + new Request("/", {method: "patch", body: "x"}).method, "POSTpatch"],
  ["no body with GET", () => { try { new Request("/", {body: "x"}); } catch (e) { return e.name; } }, "TypeError"],
  ["no navigate mode", () => { try { new Request("/", {mode: "navigate"}); } catch (e) { return e.name; } }, "TypeError"],
  ["no credentials in URLs", () => { try { new Request("https://a:b@c.example/"); } catch (e) { return e.name; } }, "TypeError"],
  ["a request takes the body over", async () => { const a = new Request("/", {method: "POST", body: "x"}); const b = new Request(a); return a.bodyUsed + (await b.text()); }, "truex"],
  ["a request is cloned", async () => { const a = new Request("/", {method: "POST", body: "x"}); return (await a.clone().text()) + (await a.text()); }, "xx"],
  // Response and bodies (sections 5.3 and 5.5)
  ["response defaults", () => { const r = new Response(); return [r.status, r.ok, r.type, r.url, r.redirected, r.body].join(); }, "200,true,default,,false,"],
  ["a string has a type", () => new Response("x").headers.get("content-type"), "text/plain;charset=UTF-8"],
  ["a body is used once", async () => { const r = new Response("x"); await r.text(); try { await r.text(); } catch (e) { return e.name + r.bodyUsed; } }, "TypeErrortrue"],
  ["no clone of a used body", async () => { const r = new Response("x"); await r.text(); try { r.clone(); } catch (e) { return e.name; } }, "TypeError"],
  ["both clones can be read", async () => { const r = new Response("x"), c = r.clone(); return (await r.text()) + (await c.text()); }, "xx"],
  ["status range", () => { try { new Response("", {status: 99}); } catch (e) { return e.name; } }, "RangeError"],
  ["no body with 204", () => { try { new Response("x", {status: 204}); } catch (e) { return e.name; } }, "TypeError"],
  ["network error", () => { const r = Response.error(); return r.type + r.status; }, "error0"],
  ["redirect", () => { const r = Response.redirect("/x", 301); return r.status + new URL(r.headers.get("location")).pathname; }, "301/x"],
  ["json", async () => { const r = Response.json({a: 1}); return r.headers.get("content-type") + (await r.json()).a; }, "application/json1"],
  ["array buffer", async () => new Uint8Array(await new Response(new Uint8Array([1, 2, 3]).subarray(1)).arrayBuffer()).join(), "2,3"],
  ["blob", async () => { const b = await new Response("hello", {headers: {"content-type": "Text/X"}}).blob(); return b.type + b.size + (await b.slice(1, -1).text()); }, "text/x5ell"],
  ["form", async () => { const f = await new Response(new URLSearchParams("a=1&a=2&b=%20")).formData(); return f.getAll("a").join() + "[" + f.get("b") + "]"; }, "1,2[ ]"],
  ["multipart form", async () => { const f = new FormData(); f.append("a", "1"); f.append("f", new Blob(["xyz"], {type: "text/x"}), "n.txt"); const g = await new Response(f).formData(); return g.get("a") + g.get("f").name + (await g.get("f").text()); }, "1n.txtxyz"],
  ["byte order mark", async () => (await new Response(new Uint8Array([0xef, 0xbb, 0xbf, 0x61])).text()).length, 1],
  // Streams
  ["a body is a stream", async () => { const reader = new Response("hello").body.getReader(); const a = await reader.read(), b = await reader.read(); return new TextDecoder().decode(a.value) + a.done + b.done; }, "hellofalsetrue"],
  ["a locked body is not read", async () => { const r = new Response("x"); r.body.getReader(); try { await r.text(); } catch (e) { return e.name; } }, "TypeError"],
  ["a stream is a body", async () => { const s = new ReadableStream({start(c) { c.enqueue(new TextEncoder().encode("ab")); c.enqueue(new TextEncoder().encode("c")); c.close(); }}); return new Response(s).text(); }, "abc"],
  ["pull", async () => { let n = 0; const s = new ReadableStream({pull(c) { if (n++ < 3) c.enqueue(new Uint8Array([64 + n])); else c.close(); }}); return new Response(s).text(); }, "ABC"],
  ["tee", async () => { const [a, b] = new Response("xy").body.tee(); return (await new Response(a).text()) + (await new Response(b).text()); }, "xyxy"],
  ["transform", async () => { const up = new TransformStream({transform(chunk, c) { c.enqueue(new TextEncoder().encode(new TextDecoder().decode(chunk).toUpperCase())); }}); return new Response(new Response("abc").body.pipeThrough(up)).text(); }, "ABC"],
  ["iteration", async () => { let s = ""; for await (const c of new Response("abc").body) s += new TextDecoder().decode(c); return s; }, "abc"],
  ["an erring stream", async () => { try { await new Response(new ReadableStream({start(c) { c.error(new Error("bad")); }})).text(); } catch (e) { return e.message; } }, "Failed to fetch"],
  // URL
  ["url", () => { const u = new URL("../x y?q=ä#f", "https://a.example/b/c/"); return u.href; }, "https://a.example/b/x%20y?q=%C3%A4#f"],
  ["search params are live", () => { const u = new URL("https://a.example/?a=1"); u.searchParams.append("b", "x y"); u.searchParams.delete("a"); return u.search; }, "?b=x+y"],
  ["url setters", () => { const u = new URL("http://a.example:8080/p"); u.pathname = "q r"; u.port = ""; u.hash = "z"; return u.href; }, "http://a.example/q%20r#z"],
  ["bad url", () => { try { new URL("no"); } catch (e) { return e.name + URL.canParse("no") + URL.canParse("no", "https://a.example"); } }, "TypeErrorfalsetrue"],
  ["url pattern", () => { const p = new URLPattern({pathname: "/harbours/:name"}); return p.test("https://a.example/harbours/orran") + p.exec("https://a.example/harbours/orran").pathname.groups.name; }, "trueorran"],
  // Cache (Service Workers, section 5.4)
  ["match by URL", async () => { const c = await caches.open("t"); await c.put("/a?x=1#f", new Response("A")); return [!!(await c.match("/a")), !!(await c.match("/a?x=1")), !!(await c.match("/a", {ignoreSearch: true}))].join(); }, "false,true,true"],
  ["put replaces", async () => { const c = await caches.open("t2"); await c.put("/a", new Response("1")); await c.put("/a", new Response("2")); return (await c.keys()).length + (await (await c.match("/a")).text()); }, "12"],
  ["vary", async () => { const c = await caches.open("t3"); await c.put(new Request("/v", {headers: {"X-A": "1"}}), new Response("1", {headers: {Vary: "X-A"}})); return [!!(await c.match(new Request("/v"))), !!(await c.match(new Request("/v", {headers: {"X-A": "1"}}))), !!(await c.match("/v", {ignoreVary: true}))].join(); }, "false,true,true"],
  ["vary star is refused", async () => { const c = await caches.open("t"); try { await c.put("/s", new Response("", {headers: {Vary: "*"}})); } catch (e) { return e.name; } }, "TypeError"],
  ["partial answers are refused", async () => { const c = await caches.open("t"); try { await c.put("/s", new Response("x", {status: 206})); } catch (e) { return e.name; } }, "TypeError"],
  ["only GET is stored", async () => { const c = await caches.open("t"); try { await c.put(new Request("/s", {method: "POST", body: "x"}), new Response("x")); } catch (e) { return e.name; } }, "TypeError"],
  ["stores in order", async () => { await caches.open("z"); await caches.open("y"); const k = await caches.keys(); return k.indexOf("z") < k.indexOf("y"); }, true],
  ["delete", async () => { const c = await caches.open("d"); await c.put("/a", new Response("")); return [await c.delete("/b"), await c.delete("/a"), await caches.delete("d"), await caches.has("d")].join(); }, "false,true,true,false"],
  ["add refuses errors", async () => { const c = await caches.open("t"); try { await c.add("/nowhere"); } catch (e) { return e.name + !!(await c.match("/nowhere")); } }, "TypeErrorfalse"],
  ["a deleted store still works", async () => { const c = await caches.open("gone"); await caches.delete("gone"); await c.put("/a", new Response("x")); return !!(await c.match("/a")); }, true],
  // fetch
  ["fetch", async () => { const r = await fetch("/app.css"); return [r.status, r.type, r.url === location.origin + "/app.css", r.headers.get("content-type")].join(); }, "200,basic,true,text/css; charset=utf-8"],
  ["fetch of what is missing", async () => { const r = await fetch("/nowhere"); return r.status + "" + r.ok; }, "404false"],
  ["fetch follows redirects", async () => { const r = await fetch("/about"); return r.redirected + new URL(r.url).pathname; }, "true/about/"],
  ["manual redirects are opaque", async () => { const r = await fetch("/about", {redirect: "manual"}); return r.type + r.status; }, "opaqueredirect0"],
  ["redirects as errors", async () => { try { await fetch("/about", {redirect: "error"}); } catch (e) { return e.name; } }, "TypeError"],
  ["abort before", async () => { const c = new AbortController(); c.abort(); try { await fetch("/", {signal: c.signal}); } catch (e) { return e.name; } }, "AbortError"],
  ["abort meanwhile", async () => { const c = new AbortController(); const p = fetch("/", {signal: c.signal}); c.abort(new Error("mine")); try { await p; } catch (e) { return e.message; } }, "mine"],
  ["timeout", async () => { try { await new Promise((_, no) => { const s = AbortSignal.timeout(50); s.onabort = () => no(s.reason); }); } catch (e) { return e.name; } }, "TimeoutError"],
  // IndexedDB
  ["a database is made", () => opened("a", 2, (db, e) => { db.createObjectStore("s", {keyPath: "id", autoIncrement: true}); return e.oldVersion + "," + e.newVersion; }).then(([db, said]) => { db.close(); return said + "," + [...db.objectStoreNames] + "," + db.version; }), "0,2,s,2"],
  ["an older version is refused", () => opened("a", 1).then(() => "opened", (e) => e.name), "VersionError"],
  ["keys are generated", () => inStore("a", "readwrite", (s) => [s.add({n: "x"}), s.add({n: "y"}), s.put({id: 9, n: "z"}), s.add({n: "w"})]).then((r) => r.join()), "1,2,9,10"],
  ["and written into values", () => inStore("a", "readonly", (s) => [s.get(10), s.get(77), s.count()]).then(([v, none, n]) => JSON.stringify(v) + none + n), '{"n":"w","id":10}undefined4'],
  ["add refuses what is there", () => inStore("a", "readwrite", (s) => [s.add({id: 1})]).then(() => "added", (e) => e.name), "ConstraintError"],
  ["a failed transaction is undone", () => inStore("a", "readwrite", (s) => [s.put({id: 50}), s.add({id: 1})]).catch(() => inStore("a", "readonly", (s) => [s.get(50)])).then((r) => r[0]), undefined],
  ["ranges", () => inStore("a", "readonly", (s) => [s.getAllKeys(IDBKeyRange.bound(1, 9, true)), s.getAllKeys(null, 2), s.count(IDBKeyRange.lowerBound(9))]).then((r) => r.map(String).join(" ")), "2,9 1,2 2"],
  ["delete and clear", () => inStore("a", "readwrite", (s) => [s.delete(IDBKeyRange.upperBound(2)), s.getAllKeys(), s.clear(), s.count()]).then((r) => r[1] + ":" + r[3]), "9,10:0"],
  ["indexes", async () => {
    await opened("b", 1, (db) => { const s = db.createObjectStore("s"); s.createIndex("by", "name", {unique: true}); s.createIndex("tags", "tags", {multiEntry: true}); }).then(([db]) => db.close());
    await inStore("b", "readwrite", (s) => [s.put({name: "b", tags: ["x", "y"]}, 1), s.put({name: "a", tags: ["y", "y"]}, 2), s.put({tags: "z"}, 3)]);
    return inStore("b", "readonly", (s) => [s.index("by").getAllKeys(), s.index("by").get("b"), s.index("tags").getAllKeys("y"), s.index("tags").count()]).then((r) => r[0] + "|" + r[1].tags + "|" + r[2] + "|" + r[3]);
  }, "2,1|x,y|1,2|4"],
  ["unique indexes", () => inStore("b", "readwrite", (s) => [s.put({name: "a"}, 7)]).then(() => "put", (e) => e.name), "ConstraintError"],
  ["cursors", async () => {
    const walk = (direction, f) => new Promise((done) => { const seen = []; inStore("b", "readwrite", (s) => { const q = s.openCursor(null, direction); q.onsuccess = () => { const c = q.result; if (!c) return done(seen.join()); seen.push(c.key); if (f) f(c); else c.continue(); }; return []; }); });
    const out = [await walk("next"), await walk("prev"), await walk("next", (c) => c.advance(2)), await walk("next", (c) => c.continue(c.key === 1 ? 3 : undefined))];
    await walk("next", (c) => { if (c.key === 3) c.delete(); else c.update({name: "n" + c.key}); c.continue(); });
    return out.join(" ") + " " + (await inStore("b", "readonly", (s) => [s.getAll()]))[0].map((v) => v.name).join();
  }, "1,2,3 3,2,1 1,3 1,3 n1,n2"],
  ["order of keys", () => [[], new Date(3), "b", 2, new Uint8Array([1]), "a", -1, ["a"]].sort((a, b) => indexedDB.cmp(a, b)).map((k) => k instanceof Date ? "date" : k instanceof Uint8Array ? "bytes" : JSON.stringify(k)).join(), '-1,2,date,"a","b",bytes,[],["a"]'],
  ["no such keys", () => [undefined, null, NaN, {}, true].map((k) => { try { indexedDB.cmp(k, 1); } catch (e) { return e.name; } }).join(), "DataError,DataError,DataError,DataError,DataError"],
  ["values of every kind", async () => {
    const v = {d: new Date(5), m: new Map([["k", new Set([1])]]), b: new Uint8Array([1, 2]).buffer, blob: new Blob(["hi"], {type: "text/x"}), u: undefined, n: NaN, l: [1, , 3]};
    v.self = v;
    await inStore("b", "readwrite", (s) => [s.put(v, "v")]);
    const [r] = await inStore("b", "readonly", (s) => [s.get("v")]);
    return [r.d.getTime(), [...r.m.get("k")][0], new Uint8Array(r.b)[1], await r.blob.text(), "u" in r, r.n !== r.n, r.l.length, r.self === r].join();
  }, "5,1,2,hi,true,true,3,true"],
  ["transactions end by themselves", async () => { const [db] = await opened("a"); const t = db.transaction("s"); await new Promise((done) => { t.oncomplete = done; }); try { t.objectStore("s").get(1); } catch (e) { return e.name; } finally { db.close(); } }, "InvalidStateError"],
  ["abort", async () => { const [db] = await opened("a"); const t = db.transaction("s", "readwrite"); t.objectStore("s").put({id: 3}); t.abort(); await new Promise((done) => { t.onabort = done; }); db.close(); return (await inStore("a", "readonly", (s) => [s.count()]))[0]; }, 0],
  ["writers wait for each other", async () => { const [db] = await opened("a"); const seen = []; const work = (n) => new Promise((done) => { const t = db.transaction("s", "readwrite"), q = t.objectStore("s").get(1); q.onsuccess = () => { const v = q.result || {id: 1, n: ""}; v.n += n; t.objectStore("s").put(v); }; t.oncomplete = () => { seen.push(n); done(); }; }); await Promise.all([work("a"), work("b"), work("c")]); db.close(); return seen.join("") + (await inStore("a", "readonly", (s) => [s.get(1)]))[0].n; }, "abcabc"],
  ["an upgrade waits for open connections", async () => { const [db] = await opened("a"); let asked = false; db.onversionchange = () => { asked = true; db.close(); }; const [n] = await opened("a", 5); n.close(); return asked + "," + n.version; }, "true,5"],
  ["databases are deleted", async () => { await new Promise((done) => { indexedDB.deleteDatabase("b").onsuccess = done; }); return (await indexedDB.databases()).map((d) => d.name + d.version).join(); }, "a5"],
  ["broadcast", () => new Promise((done) => { const a = new BroadcastChannel("c"), b = new BroadcastChannel("c"); b.onmessage = (e) => done(e.data.x); a.postMessage({x: 4}); }), 4],
  // the rest of the global scope
  ["digest", async () => [...new Uint8Array(await crypto.subtle.digest("SHA-256", new TextEncoder().encode("abc")))].slice(0, 3).join(), "186,120,22"],
  ["uuid", () => /^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab]/.test(crypto.randomUUID()), true],
  ["base64", () => btoa("\u00e9") + atob("6Q==").charCodeAt(0), "6Q==233"],
  ["decoder", () => new TextDecoder("shift_jis").decode(new Uint8Array([0x83, 0x5c])), "\u30bd"],
  ["fatal decoder", () => { try { new TextDecoder("utf-8", {fatal: true}).decode(new Uint8Array([255])); } catch (e) { return e.name; } }, "TypeError"],
  ["decoding in parts", () => { const d = new TextDecoder(); return d.decode(new Uint8Array([0xc3]), {stream: true}) + d.decode(new Uint8Array([0xa9])); }, "\u00e9"],
  ["structured clone", () => { const a = {m: new Map([["x", [1, new Date(5)]]])}; a.self = a; const b = structuredClone(a); return (b.self === b) + "" + b.m.get("x")[1].getTime(); }, "true5"],
  ["functions are not cloned", () => { try { structuredClone(() => {}); } catch (e) { return e.name; } }, "DataCloneError"],
  ["timers in order", () => new Promise((done) => { let s = ""; setTimeout(() => { s += "b"; }, 500); setTimeout(() => { s += "a"; }, 10); const id = setTimeout(() => { s += "x"; }, 250); clearTimeout(id); setTimeout(() => done(s), 800); }), "ab"],
  ["microtasks before tasks", () => new Promise((done) => { let s = ""; setTimeout(() => done(s + "t"), 0); queueMicrotask(() => { s += "m"; }); Promise.resolve().then(() => { s += "p"; }); }), "mpt"],
  ["events", () => { const t = new EventTarget(); let n = 0; t.addEventListener("x", () => n++, {once: true}); t.addEventListener("x", (e) => { n += e.detail; }); t.dispatchEvent(new CustomEvent("x", {detail: 10})); t.dispatchEvent(new CustomEvent("x", {detail: 10})); return n; }, 21],
  ["message channel", () => new Promise((done) => { const c = new MessageChannel(); c.port2.onmessage = (e) => done(e.data.a); c.port1.postMessage({a: 7}); }), 7],
  ["global names", () => [typeof self, self === globalThis, typeof importScripts, typeof document, typeof window, typeof XMLHttpRequest, Object.prototype.toString.call(new Request("/"))].join(), "object,true,function,undefined,undefined,undefined,[object Request]"],
  ["location", () => location.pathname + registration.scope.replace(location.origin, ""), "/sw.js/"],
  ["newer syntax", async () => { class A { #x = 1; static { A.y = 2; } has(o) { return #x in o; } } const a = new A(); async function* g() { yield* [1, 2]; } let n = 0; for await (const v of g()) n += v; return [a.has(a), A.y, n, [3, 1, 2].toSorted?.().join("") ?? "123", Object.groupBy ? 1 : 1].join(); }, "true,2,3,123,1"],
];

function opened(name, version, upgrade) {
  return new Promise((resolve, reject) => {
    let said;
    const q = indexedDB.open(name, version);
    q.onupgradeneeded = (e) => { if (upgrade) said = upgrade(q.result, e); };
    q.onsuccess = () => resolve([q.result, said]);
    q.onerror = () => reject(q.error);
  });
}

async function inStore(name, mode, work) {
  const [db] = await opened(name);
  return new Promise((resolve, reject) => {
    const t = db.transaction("s", mode);
    const asked = work(t.objectStore("s"));
    t.oncomplete = () => { db.close(); resolve(asked.map((q) => q.result)); };
    t.onabort = () => { db.close(); reject(t.error); };
  });
}

const wrong = [];
oninstall = (event) => event.waitUntil((async () => {
  for (const [name, run, want] of cases) {
    let got;
    try { got = await run(); } catch (e) { got = "threw " + e; }
    if (got !== want) wrong.push(name + ": got " + JSON.stringify(got) + ", want " + JSON.stringify(want));
  }
  await (await caches.open("results")).put("/results", Response.json({cases: cases.length, wrong}));
})());
onactivate = (event) => event.waitUntil(clients.claim());
onfetch = (event) => { if (event.request.url.endsWith("/results")) event.respondWith(caches.match("/results")); };
