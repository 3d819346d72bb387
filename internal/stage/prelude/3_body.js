// Bodies: streams, Blob, FormData, and what Request and Response share (Fetch, Streams and File API Standards).
// The bytes of a body stay with the stage as an opaque handle until the worker looks at them.
const utf8 = (s) => $.utf8Bytes($String(s));

function bytesOf(data) {
  if (data instanceof $ArrayBuffer) return $.bytesOf(data, 0, data.byteLength);
  if ($ArrayBuffer.isView(data)) return $.bytesOf(data.buffer, data.byteOffset, data.byteLength);
  return null;
}

class ReadableStreamDefaultController {
  #stream;
  constructor(stream) { this.#stream = stream; }
  get desiredSize() { const s = state(this.#stream); return s.state === "errored" ? null : s.state === "closed" ? 0 : s.high - queued(s); }
  enqueue(chunk) {
    const s = state(this.#stream);
    if (s.state !== "readable" || s.closing) throw new $TypeError("Cannot enqueue a chunk into a stream that is closed or closing");
    if (s.waiting.length) s.waiting.shift().resolve({value: chunk, done: false});
    else {
      if (s.size) s.sizes.push($Number(s.size(chunk)) || 0);
      s.queue.push(chunk);
    }
    pull(this.#stream);
  }
  close() {
    const s = state(this.#stream);
    if (s.state !== "readable" || s.closing) throw new $TypeError("Cannot close a stream that is closed or closing");
    s.closing = true;
    if (!s.queue.length) closeStream(this.#stream);
  }
  error(e) { errorStream(this.#stream, e); }
}

// queued is how much waits in a stream, by its strategy.
const queued = (s) => s.size ? s.sizes.reduce((a, b) => a + b, 0) : s.queue.length;

// A stream that the stage makes of bytes is made in earnest when somebody works with it: mostly its bytes are taken whole.
const state = (stream) => {
  const s = streamState(stream);
  if (s.lazy) return beginStream(stream, byteSource(s.lazy), 0, null);
  if (!s.taken) return s;
  const over = beginStream(stream, {}, 0, null); // read to its end, and locked for ever
  over.disturbed = true;
  new ReadableStreamDefaultReader(stream);
  closeStream(stream);
  return over;
};
const disturbed = (stream) => { const s = streamState(stream); return !s.lazy && (!!s.taken || s.disturbed); };
const locked = (stream) => { const s = streamState(stream); return !s.lazy && (!!s.taken || !!s.reader); };

function beginStream(stream, source, high, size) {
  const s = {source, size, sizes: [], state: "readable", queue: [], waiting: [], high, reader: null, disturbed: false, started: false};
  setStreamState(stream, s);
  s.controller = new ReadableStreamDefaultController(stream);
  const begin = typeof source.start === "function" ? source.start(s.controller) : undefined;
  $Promise.resolve(begin).then(() => { s.started = true; pull(stream); }, (e) => errorStream(stream, e));
  return s;
}

function closeStream(stream) {
  const s = state(stream);
  s.state = "closed";
  for (const w of s.waiting.splice(0)) w.resolve({value: undefined, done: true});
  if (s.reader) s.closedResolve();
}

function errorStream(stream, e) {
  const s = state(stream);
  if (s.state !== "readable") return;
  s.state = "errored";
  s.error = e;
  s.queue = [];
  for (const w of s.waiting.splice(0)) w.reject(e);
  if (s.reader) s.closedReject(e);
}

function pull(stream) {
  const s = state(stream);
  if (s.state !== "readable" || s.closing || !s.started || typeof s.source.pull !== "function") return;
  if (queued(s) >= s.high && !s.waiting.length) return;
  if (s.pulling) { s.again = true; return; }
  s.pulling = true;
  let p;
  try { p = $Promise.resolve(s.source.pull(s.controller)); } catch (e) { p = $Promise.reject(e); }
  p.then(() => {
    s.pulling = false;
    if (s.again) { s.again = false; pull(stream); }
  }, (e) => errorStream(stream, e));
}

class ReadableStream {
  #state = null;
  static _state(stream) { return stream.#state; }
  static _setState(stream, s) { stream.#state = s; }
  constructor(source = {}, strategy = {}) {
    if (handed !== null) { this.#state = {lazy: handed}; handed = null; return; }
    source = source || {};
    const high = strategy && strategy.highWaterMark !== undefined ? $Number(strategy.highWaterMark) : source.type === "bytes" ? 0 : 1;
    beginStream(this, source, high, strategy && typeof strategy.size === "function" ? strategy.size : null);
  }
  static from(iterable) {
    const it = iterable[$Symbol.asyncIterator] ? iterable[$Symbol.asyncIterator]() : iterable[$Symbol.iterator]();
    return new ReadableStream({async pull(c) { const r = await it.next(); if (r.done) c.close(); else c.enqueue(await r.value); },
      cancel(reason) { return it.return && it.return(reason); }}, {highWaterMark: 0});
  }
  get locked() { return locked(this); }
  getReader(options) { return options && options.mode === "byob" ? new ReadableStreamBYOBReader(this) : new ReadableStreamDefaultReader(this); }
  cancel(reason) {
    if (this.locked) return $Promise.reject(new $TypeError("Cannot cancel a locked stream"));
    return cancelStream(this, reason);
  }
  tee() {
    const reader = this.getReader();
    const controllers = [];
    let reading = false, again = false;
    const pump = () => {
      if (reading) { again = true; return; }
      reading = true;
      reader.read().then(({value, done}) => {
        reading = false;
        for (const c of controllers) try { if (done) c.close(); else c.enqueue(value); } catch (e) { /* the branch was given up */ }
        if (!done && again) { again = false; pump(); }
      }, (e) => controllers.forEach((c) => c.error(e)));
    };
    const branch = () => new ReadableStream({start(c) { controllers.push(c); }, pull() { pump(); }}, {highWaterMark: 0});
    return [branch(), branch()];
  }
  async pipeTo(dest, options = {}) {
    const reader = this.getReader(), writer = dest.getWriter();
    const signal = options.signal;
    try {
      for (;;) {
        if (signal) signal.throwIfAborted();
        const {value, done} = await reader.read();
        if (done) break;
        await writer.ready;
        await writer.write(value);
      }
      if (!options.preventClose) await writer.close();
    } catch (e) {
      if (!options.preventAbort) await writer.abort(e).catch(() => {});
      if (!options.preventCancel) await reader.cancel(e).catch(() => {});
      throw e;
    } finally {
      reader.releaseLock();
      writer.releaseLock();
    }
  }
  pipeThrough(transform, options) {
    const p = this.pipeTo(transform.writable, options);
    p.catch(() => {});
    return transform.readable;
  }
  values(options = {}) {
    const reader = this.getReader();
    return {
      next() { return reader.read().then((r) => { if (r.done) reader.releaseLock(); return r; }); },
      return(v) {
        const p = options.preventCancel ? $Promise.resolve() : reader.cancel(v);
        reader.releaseLock();
        return p.then(() => ({value: v, done: true}));
      },
      [$Symbol.asyncIterator]() { return this; },
    };
  }
  [$Symbol.asyncIterator]() { return this.values(); }
}

const {_state: streamState, _setState: setStreamState} = ReadableStream;
delete ReadableStream._state;
delete ReadableStream._setState;

function cancelStream(stream, reason) {
  const s = state(stream);
  s.disturbed = true;
  if (s.state === "closed") return $Promise.resolve();
  if (s.state === "errored") return $Promise.reject(s.error);
  s.queue = [];
  closeStream(stream);
  return $Promise.resolve(typeof s.source.cancel === "function" ? s.source.cancel(reason) : undefined).then(() => undefined);
}

class ReadableStreamDefaultReader {
  #stream; #closed;
  constructor(stream) {
    const s = state(stream);
    if (s.reader) throw new $TypeError("ReadableStreamDefaultReader constructor can only accept readable streams that are not yet locked to a reader");
    s.reader = this;
    this.#stream = stream;
    this.#closed = new $Promise((resolve, reject) => { s.closedResolve = resolve; s.closedReject = reject; });
    this.#closed.catch(() => {});
    if (s.state === "closed") s.closedResolve();
    if (s.state === "errored") s.closedReject(s.error);
  }
  get closed() { return this.#closed; }
  read() {
    if (!this.#stream) return $Promise.reject(new $TypeError("This readable stream reader has been released"));
    const s = state(this.#stream);
    s.disturbed = true;
    if (s.queue.length) {
      const value = s.queue.shift();
      if (s.size) s.sizes.shift();
      if (s.closing && !s.queue.length) closeStream(this.#stream);
      else pull(this.#stream);
      return $Promise.resolve({value, done: false});
    }
    if (s.state === "closed") return $Promise.resolve({value: undefined, done: true});
    if (s.state === "errored") return $Promise.reject(s.error);
    return new $Promise((resolve, reject) => { s.waiting.push({resolve, reject}); pull(this.#stream); });
  }
  cancel(reason) {
    if (!this.#stream) return $Promise.reject(new $TypeError("This readable stream reader has been released"));
    return cancelStream(this.#stream, reason);
  }
  releaseLock() {
    if (!this.#stream) return;
    const s = state(this.#stream);
    s.reader = null;
    for (const w of s.waiting.splice(0)) w.reject(new $TypeError("Releasing lock"));
    this.#stream = null;
  }
}

// byteStream is a stream over bytes that the stage holds.
function byteStream(handle) {
  handed = handle;
  return new ReadableStream();
}

function byteSource(handle) {
  let at = 0;
  const size = $.size(handle);
  return {pull(c) {
    if (at >= size) { c.close(); return; }
    const n = size - at > 65536 ? 65536 : size - at;
    c.enqueue(new $Uint8Array($.toBuffer($.slice(handle, at, at + n))));
    at += n;
    if (at >= size) c.close();
  }};
}

// wholeStream gives the bytes of a stream that the stage made and nobody has worked with, which is then read to its end; null
// for others.
function wholeStream(stream) {
  const s = streamState(stream);
  if (!s.lazy) return null;
  setStreamState(stream, {taken: true});
  return s.lazy;
}

// told is called with what has come, whenever more has.
async function drain(stream, told) {
  const whole = wholeStream(stream);
  if (whole) return whole;
  const reader = stream.getReader();
  const parts = [];
  for (;;) {
    const {value, done} = await reader.read();
    if (done) return $.concat(parts);
    if (!(value instanceof $Uint8Array)) throw new $TypeError("Received non-Uint8Array chunk");
    parts.push(bytesOf(value));
    if (told) told(parts);
  }
}

const sinkState = slots();
const sink = (stream) => {
  const s = sinkState.get(stream);
  if (!s) throw new $TypeError("Illegal invocation");
  return s;
};

class WritableStream {
  constructor(sink = {}) {
    const s = {sink, state: "writable", writer: null, queue: $Promise.resolve(), error: undefined};
    sinkState.set(this, s);
    s.controller = {error(e) { s.state = "errored"; s.error = e; }, signal: new AbortSignal()};
    if (typeof sink.start === "function") s.queue = $Promise.resolve(sink.start(s.controller));
  }
  get locked() { return !!sink(this).writer; }
  getWriter() { return new WritableStreamDefaultWriter(this); }
  abort(reason) { const w = this.getWriter(); return w.abort(reason).finally(() => w.releaseLock()); }
  close() { const w = this.getWriter(); return w.close().finally(() => w.releaseLock()); }
}

class WritableStreamDefaultWriter {
  #stream;
  constructor(stream) {
    const s = sink(stream);
    if (s.writer) throw new $TypeError("the stream is locked to a writer");
    s.writer = this;
    this.#stream = stream;
  }
  get ready() { return $Promise.resolve(); }
  get closed() { return sink(this.#stream).queue; }
  get desiredSize() { return 1; }
  #then(f) {
    const s = sink(this.#stream);
    const p = s.queue.then(() => {
      if (s.state === "errored") throw s.error;
      return f(s);
    });
    s.queue = p.catch((e) => { if (s.state !== "errored") { s.state = "errored"; s.error = e; } });
    return p.then(() => undefined);
  }
  write(chunk) { return this.#then((s) => typeof s.sink.write === "function" ? s.sink.write(chunk, s.controller) : undefined); }
  close() { return this.#then((s) => { s.state = "closed"; return typeof s.sink.close === "function" ? s.sink.close() : undefined; }); }
  abort(reason) {
    const s = sink(this.#stream);
    s.state = "errored";
    s.error = reason;
    return $Promise.resolve(typeof s.sink.abort === "function" ? s.sink.abort(reason) : undefined);
  }
  releaseLock() { if (this.#stream) sink(this.#stream).writer = null; }
}

class TransformStream {
  #readable; #writable;
  constructor(transformer = {}) {
    let out;
    const controller = {enqueue: (c) => out.enqueue(c), error: (e) => out.error(e), terminate: () => out.close(), get desiredSize() { return out.desiredSize; }};
    this.#readable = new ReadableStream({start(c) { out = c; }}, {highWaterMark: 0});
    this.#writable = new WritableStream({
      start: () => typeof transformer.start === "function" ? transformer.start(controller) : undefined,
      write: (chunk) => typeof transformer.transform === "function" ? transformer.transform(chunk, controller) : out.enqueue(chunk),
      close: async () => { if (typeof transformer.flush === "function") await transformer.flush(controller); try { out.close(); } catch (e) { /* terminated before */ } },
      abort: (e) => out.error(e),
    });
  }
  get readable() { return this.#readable; }
  get writable() { return this.#writable; }
}

class Blob {
  #handle; #type;
  constructor(parts = [], options = {}) {
    const handles = [];
    for (const p of parts) handles.push(p instanceof Blob ? p.#handle : bytesOf(p) || utf8(p));
    this.#handle = $.concat(handles);
    this.#type = options && options.type ? $String(options.type).toLowerCase() : "";
  }
  static _of(handle, type) { const b = new Blob(); b.#handle = handle; b.#type = type; return b; }
  static _handle(b) { return b.#handle; }
  get size() { return $.size(this.#handle); }
  get type() { return this.#type; }
  slice(start = 0, end = this.size, type = "") {
    const n = this.size;
    const clamp = (v) => v < 0 ? (n + v > 0 ? n + v : 0) : v < n ? v : n;
    const a = clamp($Number(start) || 0), b = clamp($Number(end) || 0);
    return blobOf($.slice(this.#handle, a, b > a ? b : a), $String(type).toLowerCase());
  }
  async arrayBuffer() { return $.toBuffer(this.#handle); }
  async bytes() { return new $Uint8Array($.toBuffer(this.#handle)); }
  async text() { return $.toText(this.#handle); }
  stream() { return byteStream(this.#handle); }
}
const blobOf = Blob._of, blobHandle = Blob._handle;
delete Blob._of;
delete Blob._handle;

class File extends Blob {
  #name; #modified;
  constructor(parts, name, options = {}) { super(parts, options); this.#name = $String(name); this.#modified = options.lastModified || $.time(); }
  get name() { return this.#name; }
  get lastModified() { return this.#modified; }
}

class FormData {
  #list = [];
  append(k, v, name) { this.#list.push([$String(k), v instanceof Blob ? (name !== undefined ? new File([v], name, {type: v.type}) : v) : $String(v)]); }
  delete(k) { this.#list = this.#list.filter((p) => p[0] !== $String(k)); }
  get(k) { for (const p of this.#list) if (p[0] === $String(k)) return p[1]; return null; }
  getAll(k) { return this.#list.filter((p) => p[0] === $String(k)).map((p) => p[1]); }
  has(k) { return this.#list.some((p) => p[0] === $String(k)); }
  set(k, v, name) { this.delete(k); this.append(k, v, name); }
  forEach(f, self) { for (const [k, v] of this.#list) f.call(self, v, k, this); }
  *entries() { for (const p of this.#list) yield [p[0], p[1]]; }
  *keys() { for (const p of this.#list) yield p[0]; }
  *values() { for (const p of this.#list) yield p[1]; }
  [$Symbol.iterator]() { return this.entries(); }
}

// BodyState is the content of a Request or Response: nothing, a handle, or a stream.
class BodyState {
  constructor(handle, stream, type) { this.handle = handle; this.stream = stream; this.type = type; this.used = false; }
  get some() { return !!(this.handle || this.stream); }
  get isUsed() { return this.used || !!(this.stream && disturbed(this.stream)); }
  get isLocked() { return !!(this.stream && locked(this.stream)); }
}

function extractBody(data) {
  if (data === null || data === undefined) return new BodyState(null, null, "");
  if (data instanceof ReadableStream) {
    if (locked(data) || disturbed(data)) throw new $TypeError("The provided stream is locked or disturbed");
    return new BodyState(null, data, "");
  }
  if (data instanceof Blob) return new BodyState(blobHandle(data), null, data.type);
  if (data instanceof URLSearchParams) return new BodyState(utf8(data.toString()), null, "application/x-www-form-urlencoded;charset=UTF-8");
  if (data instanceof FormData) {
    const parts = [], mark = "----formdata-" + $.boundary();
    for (const [k, v] of data) {
      const head = "--" + mark + "\r\nContent-Disposition: form-data; name=\"" + k.replace(/\r?\n/g, "%0D%0A").replace(/"/g, "%22") + "\"";
      if (v instanceof Blob) parts.push(utf8(head + "; filename=\"" + (v.name || "blob") + "\"\r\nContent-Type: " + (v.type || "application/octet-stream") + "\r\n\r\n"), blobHandle(v), utf8("\r\n"));
      else parts.push(utf8(head + "\r\n\r\n" + v + "\r\n"));
    }
    parts.push(utf8("--" + mark + "--\r\n"));
    return new BodyState($.concat(parts), null, "multipart/form-data; boundary=" + mark);
  }
  const bytes = bytesOf(data);
  if (bytes) return new BodyState(bytes, null, "");
  return new BodyState(utf8(data), null, "text/plain;charset=UTF-8");
}

function usedTwice() {
  $.bodyUsedTwice(new $Error("x").stack);
}

// consume takes the bytes of a body, and gives a promise for what is made of them.
function consume(owner, make) {
  try {
    const b = bodyIn(owner);
    if (b.isUsed || b.isLocked) { usedTwice(); return $Promise.reject(new $TypeError("body stream already read")); }
    if (b.stream) // its own error is not shown, as in Chromium
      return drain(b.stream).then((h) => { b.used = true; return make(h); }, () => { throw new $TypeError("Failed to fetch"); });
    if (b.handle) b.used = true;
    return $Promise.resolve(make(b.handle || $.empty()));
  } catch (e) { return $Promise.reject(e); }
}

function cloneBody(owner, what) {
  const b = bodyIn(owner);
  if (b.isUsed || b.isLocked) {
    usedTwice();
    throw new $TypeError("Failed to execute 'clone' on '" + what + "': " + what + " body is already used");
  }
  if (!b.stream) return new BodyState(b.handle, null, b.type);
  const whole = wholeStream(b.stream);
  if (whole) {
    b.stream = byteStream(whole);
    return new BodyState(null, byteStream(whole), b.type);
  }
  const [one, two] = b.stream.tee();
  b.stream = one;
  return new BodyState(null, two, b.type);
}

// Body is what Request and Response have in common. What they hold, their headers, their body and their signal are made when
// somebody looks at them.
class Body {
  #held = null; #headers = null; #body = null; #signal = null;
  static _heldOf(o) { return o.#held; }
  static _giveHeld(o, held) { o.#held = held; }
  static _headersIn(o) { return o.#headers && headersHeld(o.#headers); }
  static _headersFor(o) { return o.#headers || (o.#headers = makeHeaders($.headersOf(o.#held))); }
  static _giveHeaders(o, h) { o.#headers = h; }
  static _bodySeen(o) { return o.#body !== null; }
  static _bodyIn(o) { return o.#body || (o.#body = new BodyState($.bodyOf(o.#held), null, "")); }
  static _giveBody(o, body) { o.#body = body; }
  static _signalIn(o) { return o.#signal; }
  static _giveSignal(o, s) { o.#signal = s; return s; }
  get bodyUsed() { return bodySeen(this) && bodyIn(this).isUsed; }
  get body() {
    const b = bodyIn(this);
    if (!b.stream) {
      if (b.handle === null) return null;
      b.stream = byteStream(b.handle);
      if (b.used) setStreamState(b.stream, {taken: true});
    }
    return b.stream;
  }
  arrayBuffer() { return consume(this, $.toBuffer); }
  bytes() { return consume(this, (h) => new $Uint8Array($.toBuffer(h))); }
  text() { return consume(this, $.toText); }
  json() {
    return consume(this, (h) => {
      try { return parseJSON($.toText(h)); } catch (e) {
        if (tree) rememberStack(e, ""); // in a page it has no line of the script
        throw e;
      }
    });
  }
  blob() { return consume(this, (h) => blobOf(h, (this.headers.get("content-type") || "").toLowerCase())); }
  formData() {
    return consume(this, (h) => {
      const f = new FormData();
      for (const [k, v, name, t] of $.parseForm(h, this.headers.get("content-type") || "")) f.append(k, name === null ? v : new File([v], name, {type: t}));
      return f;
    });
  }
}
const {_heldOf: heldOf, _giveHeld: giveHeld, _headersIn: headersIn, _headersFor: headersFor, _giveHeaders: giveHeaders, _bodySeen: bodySeen, _bodyIn: bodyIn,
  _giveBody: giveBody, _signalIn: signalIn, _giveSignal: giveSignal} = Body;
for (const name of $Object.getOwnPropertyNames(Body)) if (name[0] === "_") delete Body[name];
const usedUp = (owner) => { const b = bodyIn(owner); if (b.handle) b.used = true; };
const parseJSON = JSON.parse;
