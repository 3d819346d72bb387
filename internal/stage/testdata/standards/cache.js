// Cache matching after Service Workers, "Request Matches Cached Item" and "Batch Cache Operations".
const cases = [];
let n = 0;
// stored, vary, asked, options, found
for (const [stored, vary, asked, options, found] of [
  ["/a", "", "/a", {}, true],
  ["/a", "", "/b", {}, false],
  ["/a", "", "/A", {}, false],
  ["/a", "", "/a/", {}, false],
  ["/a", "", "/a?x=1", {}, false],
  ["/a", "", "/a?x=1", {ignoreSearch: true}, true],
  ["/a?x=1", "", "/a", {}, false],
  ["/a?x=1", "", "/a", {ignoreSearch: true}, true],
  ["/a?x=1", "", "/a?x=2", {ignoreSearch: true}, true],
  ["/a?x=1&y=2", "", "/a?y=2&x=1", {}, false],
  ["/a?", "", "/a", {}, false],
  ["/a#top", "", "/a", {}, true],
  ["/a", "", "/a#top", {}, true],
  ["/a#one", "", "/a#two", {}, true],
  ["/a%20b", "", "/a b", {}, true],
  ["/%C3%A4", "", "/ä", {}, true],
  ["/%61", "", "/a", {}, false],
  ["/a", "", ["/a", {method: "HEAD"}], {}, false],
  ["/a", "", ["/a", {method: "HEAD"}], {ignoreMethod: true}, true],
  ["/a", "", ["/a", {method: "POST", body: "x"}], {}, false],
  ["/a", "", ["/a", {method: "POST", body: "x"}], {ignoreMethod: true}, true],
  ["/a", "", ["/a", {method: "DELETE"}], {ignoreMethod: true}, true],
  [["/a", {headers: {"X-A": "1"}}], "", ["/a", {headers: {"X-A": "2"}}], {}, true],
  [["/a", {headers: {"X-A": "1"}}], "X-A", ["/a", {headers: {"X-A": "1"}}], {}, true],
  [["/a", {headers: {"X-A": "1"}}], "X-A", ["/a", {headers: {"X-A": "2"}}], {}, false],
  [["/a", {headers: {"X-A": "1"}}], "x-a", ["/a", {headers: {"x-A": "1"}}], {}, true],
  [["/a", {headers: {"X-A": "1"}}], "X-A", "/a", {}, false],
  [["/a", {headers: {"X-A": "1"}}], "X-A", "/a", {ignoreVary: true}, true],
  ["/a", "X-A", "/a", {}, true],
  ["/a", "X-A", ["/a", {headers: {"X-A": "1"}}], {}, false],
  [["/a", {headers: {"X-A": "1", "X-B": "2"}}], "X-A, X-B", ["/a", {headers: {"X-B": "2", "X-A": "1"}}], {}, true],
  [["/a", {headers: {"X-A": "1", "X-B": "2"}}], "X-A, X-B", ["/a", {headers: {"X-A": "1"}}], {}, false],
  [["/a", {headers: {"X-A": "1"}}], "  X-A ,, X-C ", ["/a", {headers: {"X-A": "1"}}], {}, true],
  [["/a", {headers: [["X-A", "1"], ["X-A", "2"]]}], "X-A", ["/a", {headers: {"X-A": "1, 2"}}], {}, true],
  ["/a", "", "https://other.example/a", {}, false],
  ["https://other.example/a", "", "https://other.example/a", {}, true],
  ["https://other.example:8443/a", "", "https://other.example/a", {}, false],
  ["https://other.example/a", "", "https://other.example:443/a", {}, true],
  ["http://other.example/a", "", "https://other.example/a", {}, false],
]) {
  const make = (x) => Array.isArray(x) ? new Request(...x) : new Request(x);
  const name = "match " + JSON.stringify([stored, vary, asked, options]);
  const fill = async () => {
    const c = await caches.open("match " + n++);
    await c.put(make(stored), new Response("kept", {headers: vary ? {Vary: vary} : {}}));
    return c;
  };
  cases.push([name, async () => !!(await (await fill()).match(make(asked), options)), found]);
  cases.push([name + " (all)", async () => (await (await fill()).matchAll(make(asked), options)).length, found ? 1 : 0]);
  cases.push([name + " (keys)", async () => (await (await fill()).keys(make(asked), options)).length, found ? 1 : 0]);
  cases.push([name + " (delete)", async () => { const c = await fill(); return await c.delete(make(asked), options) === found && (await c.keys()).length === (found ? 0 : 1); }, true]);
}
const text = async (r) => r ? r.text() : "nothing";
cases.push(
  ["the first stored match is given", async () => { const c = await caches.open("order"); await c.put("/a?1", new Response("1")); await c.put("/a?2", new Response("2")); return text(await c.match("/a", {ignoreSearch: true})); }, "1"],
  ["put moves an entry to the end", async () => { const c = await caches.open("moved"); for (const u of ["/a", "/b", "/a"]) await c.put(u, new Response(u)); return (await c.keys()).map((r) => new URL(r.url).pathname).join(); }, "/b,/a"],
  ["one entry for each URL, as Chromium keeps them", async () => {
    const c = await caches.open("vary");
    for (const l of ["de", "en"]) await c.put(new Request("/v", {headers: {"X-L": l}}), new Response(l, {headers: {Vary: "X-L"}}));
    return (await c.keys()).length + await text(await c.match(new Request("/v", {headers: {"X-L": "en"}})));
  }, "1en"],
  ["put replaces what it matches", async () => {
    const c = await caches.open("vary2");
    for (const t of ["1", "2"]) await c.put(new Request("/v", {headers: {"X-L": "de"}}), new Response(t, {headers: {Vary: "X-L"}}));
    return (await c.keys()).length + await text(await c.match(new Request("/v", {headers: {"X-L": "de"}})));
  }, "12"],
  ["caches.match goes through stores in the order they were made", async () => {
    for (const s of ["s2", "s1"]) await (await caches.open(s)).put("/stores", new Response(s));
    return await text(await caches.match("/stores")) + await text(await caches.match("/stores", {cacheName: "s1"})) + await text(await caches.match("/stores", {cacheName: "none"}));
  }, "s2s1nothing"],
  ["matchAll without a request gives all", async () => { const c = await caches.open("all"); await c.put("/1", new Response("1")); await c.put("/2", new Response("2")); return (await Promise.all((await c.matchAll()).map((r) => r.text()))).join(); }, "1,2"],
  ["a match can be read again and again", async () => { const c = await caches.open("again"); await c.put("/1", new Response("1")); return await text(await c.match("/1")) + await text(await c.match("/1")); }, "11"],
  ["put uses the body", async () => { const r = new Response("1"); await (await caches.open("used")).put("/1", r); return r.bodyUsed; }, true],
  ["put of a used body is refused", async () => { const r = new Response("1"); await r.text(); await (await caches.open("used")).put("/1", r); }, "threw TypeError"],
  ["put keeps status, headers and redirect flag", async () => { const c = await caches.open("kept"); await c.put("/k", await fetch("/about")); const r = await c.match("/k"); return [r.status, r.redirected, r.type, new URL(r.url).pathname, r.headers.get("content-type").split(";")[0]].join(); }, "200,true,basic,/about/,text/html"],
  ["put of a stored 404 is allowed", async () => { const c = await caches.open("bad"); await c.put("/bad", new Response("no", {status: 404})); return (await c.match("/bad")).status; }, 404],
  ["206 is refused", async () => { await (await caches.open("x")).put("/p", new Response("p", {status: 206})); }, "threw TypeError"],
  ["Vary: * is refused", async () => { await (await caches.open("x")).put("/p", new Response("p", {headers: {Vary: "X-A, *"}})); }, "threw TypeError"],
  ["POST is refused", async () => { await (await caches.open("x")).put(new Request("/p", {method: "POST", body: ""}), new Response("p")); }, "threw TypeError"],
  ["HEAD is refused", async () => { await (await caches.open("x")).put(new Request("/p", {method: "HEAD"}), new Response("p")); }, "threw TypeError"],
  ["another scheme is refused", async () => { await (await caches.open("x")).put("data:text/plain,x", new Response("p")); }, "threw TypeError"],
  ["add of what is missing stores nothing", async () => { const c = await caches.open("none"); try { await c.addAll(["/", "/missing"]); } catch (e) { return e.name + (await c.keys()).length; } }, "TypeError0"],
  ["add of the same twice is refused", async () => { await (await caches.open("twice")).addAll(["/", "/"]); }, "threw InvalidStateError"],
  ["add of POST is refused", async () => { await (await caches.open("x")).add(new Request("/", {method: "POST"})); }, "threw TypeError"],
  ["delete says whether there was something", async () => { const c = await caches.open("del"); await c.put("/1", new Response("1")); return [await c.delete("/2"), await c.delete("/1"), await c.delete("/1")].join(); }, "false,true,false"],
  ["caches.delete and has", async () => { await caches.open("store"); return [await caches.has("store"), await caches.delete("store"), await caches.has("store"), await caches.delete("store")].join(); }, "true,true,false,false"],
  ["names are any text", async () => { await caches.open(""); await caches.open("ä/\u0000"); return [await caches.has(""), await caches.has("ä/\u0000")].join(); }, "true,true"],
);
