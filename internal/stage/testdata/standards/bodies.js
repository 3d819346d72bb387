// Bodies after the Fetch Standard, sections 5.2 (body mixin) to 5.5, and what they need of the Streams Standard.
const bytes = (...list) => new Uint8Array(list);
const stream = (...chunks) => new ReadableStream({start(c) { for (const x of chunks) c.enqueue(x); c.close(); }});
const utf8 = (s) => new TextEncoder().encode(s);
const cases = [];
for (const [name, body, type, text] of [
  ["string", () => "ä", "text/plain;charset=UTF-8", "ä"],
  ["empty string", () => "", "text/plain;charset=UTF-8", ""],
  ["number", () => 7, "text/plain;charset=UTF-8", "7"],
  ["array", () => [1, 2], "text/plain;charset=UTF-8", "1,2"],
  ["search parameters", () => new URLSearchParams({a: "1 2", b: "&"}), "application/x-www-form-urlencoded;charset=UTF-8", "a=1+2&b=%26"],
  ["blob with a type", () => new Blob(["x"], {type: "Text/X"}), "text/x", "x"],
  ["blob without a type", () => new Blob(["x"]), null, "x"],
  ["array buffer", () => utf8("ab").buffer, null, "ab"],
  ["view", () => utf8("abcd").subarray(1, 3), null, "bc"],
  ["data view", () => new DataView(utf8("abcd").buffer, 2), null, "cd"],
  ["stream", () => stream(utf8("a"), utf8("b")), null, "ab"],
  ["null", () => null, null, ""],
  ["undefined", () => undefined, null, ""],
  ["lone surrogate", () => "\ud800", "text/plain;charset=UTF-8", "\ufffd"],
]) {
  cases.push(["type of " + name, () => new Response(body()).headers.get("content-type"), type]);
  cases.push(["text of " + name, () => new Response(body()).text(), text]);
  cases.push([name + " keeps a given type", () => new Response(body(), {headers: {"Content-Type": "a/b"}}).headers.get("content-type"), "a/b"]);
  if (name !== "stream") cases.push([name + " in a request", async () => { const r = new Request("/", {method: "POST", body: body()}); return r.headers.get("content-type") + "|" + await r.text(); }, type + "|" + text]);
}
for (const how of ["text", "arrayBuffer", "blob", "json", "bytes"]) {
  cases.push([how + " uses the body", async () => { const r = new Response("1"); await r[how](); return r.bodyUsed; }, true]);
  cases.push([how + " of a used body", async () => { const r = new Response("1"); await r.text(); await r[how](); }, "threw TypeError"]);
  cases.push([how + " of a locked body", async () => { const r = new Response("1"); r.body.getReader(); await r[how](); }, "threw TypeError"]);
  cases.push([how + " of no body leaves it unused", async () => { const r = new Response(); try { await r[how](); } catch (e) { if (how !== "json") throw e; } return r.bodyUsed; }, false]);
  cases.push([how + " of a broken stream", async () => { const r = new Response(new ReadableStream({start(c) { c.error(new RangeError("x")); }})); await r[how](); }, "threw TypeError"]);
  cases.push([how + " of a stream of strings", async () => { const r = new Response(stream("x")); await r[how](); }, "threw TypeError"]);
}
cases.push(
  ["json of no JSON", async () => { await new Response("{").json(); }, "threw SyntaxError"],
  ["a byte order mark is dropped from text", async () => (await new Response(bytes(0xef, 0xbb, 0xbf, 65)).text()), "A"],
  ["a byte order mark is dropped from JSON", async () => (await new Response(bytes(0xef, 0xbb, 0xbf, 55)).json()), 7],
  ["bad UTF-8 becomes replacement characters", async () => (await new Response(bytes(65, 0xff, 66)).text()), "A\ufffdB"],
  ["the blob has the type of the header", async () => (await new Response("x", {headers: {"Content-Type": "Image/PNG;Q=\"A\""}}).blob()).type, "image/png;q=\"a\""],
  ["clone of an unread body", async () => { const r = new Response("x"); const c = r.clone(); await r.text(); return c.bodyUsed + await c.text(); }, "falsex"],
  ["clone of a locked body", async () => { const r = new Response("x"); r.body.getReader(); r.clone(); }, "threw TypeError"],
  ["clone has headers of its own", () => { const r = new Response("x", {headers: {a: "1"}}); const c = r.clone(); c.headers.set("a", "2"); return r.headers.get("a"); }, "1"],
  ["clone of a stream", async () => { const r = new Response(stream(utf8("a"), utf8("b"))); const c = r.clone(); return await r.text() + await c.text(); }, "abab"],
  ["reading one chunk disturbs", async () => { const r = new Response("x"); const reader = r.body.getReader(); await reader.read(); reader.releaseLock(); return r.bodyUsed; }, true],
  ["a reader that reads nothing does not", async () => { const r = new Response("x"); r.body.getReader().releaseLock(); return r.bodyUsed + await r.text(); }, "falsex"],
  ["cancel disturbs", async () => { const r = new Response("x"); await r.body.cancel(); return r.bodyUsed; }, true],
  ["body is the same object", () => { const r = new Response("x"); return r.body === r.body; }, true],
  ["null body", () => new Response(null).body, null],
  ["empty body is a stream", () => new Response("").body instanceof ReadableStream, true],
  ["a locked stream is no body", () => { const s = stream(); s.getReader(); new Response(s); }, "threw TypeError"],
  ["a disturbed stream is no body", async () => { const s = stream(utf8("x")); const r = s.getReader(); await r.read(); r.releaseLock(); new Response(s); }, "threw TypeError"],
  ["a response locks nothing by itself", () => { const s = stream(utf8("x")); new Response(s); return s.locked; }, false],
  ["a stream in a request needs duplex", () => { new Request("/", {method: "POST", body: stream()}); }, "threw TypeError"],
  ["tee gives all chunks to both", async () => { const [a, b] = stream(utf8("x"), utf8("y")).tee(); return await new Response(a).text() + await new Response(b).text(); }, "xyxy"],
  ["pipeThrough changes chunks", async () => new Response(stream(utf8("ab")).pipeThrough(new TransformStream({transform(c, k) { k.enqueue(c.map((x) => x - 32)); }}))).text(), "AB"],
  ["flush adds a last chunk", async () => new Response(stream(utf8("a")).pipeThrough(new TransformStream({flush(k) { k.enqueue(utf8("z")); }}))).text(), "az"],
  ["text streams", async () => { const r = stream(utf8("ä")).pipeThrough(new TextDecoderStream()).getReader(); return (await r.read()).value; }, "ä"],
  ["pipeTo ends with closing", async () => { let log = ""; await stream("a", "b").pipeTo(new WritableStream({write(c) { log += c; }, close() { log += "."; }})); return log; }, "ab."],
  ["a stream read to its end is done", async () => { const r = stream("a").getReader(); const first = await r.read(), second = await r.read(); return [first.value, first.done, second.value, second.done].join(); }, "a,false,,true"],
  ["closed settles", async () => { const r = stream("a").getReader(); await r.read(); await r.closed; return "closed"; }, "closed"],
  ["back pressure", async () => { let pulls = 0; const s = new ReadableStream({pull(c) { pulls++; c.enqueue("x"); }}, {highWaterMark: 3}); const r = s.getReader(); await r.read(); await new Promise((d) => setTimeout(d, 20)); return pulls; }, 4],
  ["count strategy", () => new CountQueuingStrategy({highWaterMark: 4}).highWaterMark, 4],
  ["byte length strategy", () => new ByteLengthQueuingStrategy({highWaterMark: 9}).size(bytes(1, 2)), 2],
  ["compression", async () => { const squeezed = stream(utf8("hello hello hello")).pipeThrough(new CompressionStream("gzip")); return new Response(squeezed.pipeThrough(new DecompressionStream("gzip"))).text(); }, "hello hello hello"],
  ["asynchronous iteration", async () => { let all = ""; const it = stream("a", "b")[Symbol.asyncIterator] ? stream("a", "b").values() : null; for (;;) { const {value, done} = await it.next(); if (done) return all; all += value; } }, "ab"],
  ["a request's body moves on", async () => { const a = new Request("/", {method: "POST", body: "x"}); const b = new Request(a); return [a.bodyUsed, await b.text()].join(); }, "true,x"],
  ["a used request is refused", async () => { const a = new Request("/", {method: "POST", body: "x"}); await a.text(); new Request(a); }, "threw TypeError"],
  ["a used request with a new body is fine", async () => { const a = new Request("/", {method: "POST", body: "x"}); await a.text(); return new Request(a, {body: "y"}).text(); }, "y"],
  ["form of the wrong type", async () => { await new Response("a=1").formData(); }, "threw TypeError"],
  ["form without a boundary", async () => { await new Response("x", {headers: {"Content-Type": "multipart/form-data"}}).formData(); }, "threw TypeError"],
  ["form entries in order", async () => { const f = await new Response(new URLSearchParams("b=2&a=1&b=3")).formData(); return [...f].map((p) => p.join("=")).join("&"); }, "b=2&a=1&b=3"],
  ["file entries keep their type", async () => { const f = new FormData(); f.append("x", new File(["abc"], "n.bin", {type: "a/b"})); const g = await new Response(f).formData(); const x = g.get("x"); return [x.name, x.type, x.size].join(); }, "n.bin,a/b,3"],
  ["null body status", () => [204, 205, 304].map((status) => { try { new Response("", {status}); return "made"; } catch (e) { return e.name; } }).join(), "TypeError,TypeError,TypeError"],
  ["null body status with null", () => new Response(null, {status: 204}).status, 204],
  ["101 cannot be made", () => { new Response(null, {status: 101}); }, "threw RangeError"],
  ["600 cannot be made", () => { new Response(null, {status: 600}); }, "threw RangeError"],
  ["status text", () => { new Response("", {statusText: "a\nb"}); }, "threw TypeError"],
);
