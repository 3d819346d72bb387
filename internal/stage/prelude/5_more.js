// What workers use now and then: queuing strategies, streams of text and of squeezed bytes, FileReader, locks, marks of
// performance, and the names of interfaces that workers look for (Streams, Encoding, Compression, File API, Web Locks, User Timing).
class CountQueuingStrategy {
  #high;
  constructor(init) { this.#high = $Number(init.highWaterMark); }
  get highWaterMark() { return this.#high; }
  get size() { return () => 1; }
}
class ByteLengthQueuingStrategy {
  #high;
  constructor(init) { this.#high = $Number(init.highWaterMark); }
  get highWaterMark() { return this.#high; }
  get size() { return (chunk) => chunk.byteLength; }
}

class TextDecoderStream {
  #decoder; #stream;
  constructor(label, options) {
    this.#decoder = new TextDecoder(label, options);
    this.#stream = new TransformStream({
      transform: (chunk, c) => { const t = this.#decoder.decode(chunk, {stream: true}); if (t) c.enqueue(t); },
      flush: (c) => { const t = this.#decoder.decode(); if (t) c.enqueue(t); },
    });
  }
  get encoding() { return this.#decoder.encoding; }
  get fatal() { return this.#decoder.fatal; }
  get ignoreBOM() { return this.#decoder.ignoreBOM; }
  get readable() { return this.#stream.readable; }
  get writable() { return this.#stream.writable; }
}
class TextEncoderStream {
  #stream = new TransformStream({transform(chunk, c) { const b = new TextEncoder().encode($String(chunk)); if (b.length) c.enqueue(b); }});
  get encoding() { return "utf-8"; }
  get readable() { return this.#stream.readable; }
  get writable() { return this.#stream.writable; }
}

// squeezing collects all bytes and turns them at the end: what comes out is the same.
function squeezing(name, format, back) {
  if (["gzip", "deflate", "deflate-raw"].indexOf($String(format)) < 0)
    throw new $TypeError("Failed to construct '" + name + "': Unsupported compression format: '" + format + "'");
  const parts = [];
  return new TransformStream({
    transform(chunk) {
      const b = bytesOf(chunk);
      if (!b) throw new $TypeError("Invalid data: not a BufferSource");
      parts.push(b);
    },
    flush(c) {
      const out = $.squeeze($String(format), $.concat(parts), back);
      if (!out) throw new $TypeError("The compressed data was not valid.");
      const bytes = new $Uint8Array($.toBuffer(out));
      for (let at = 0; at < bytes.length; at += 65536) c.enqueue(bytes.slice(at, at + 65536));
    },
  });
}
class CompressionStream {
  #stream;
  constructor(format) { this.#stream = squeezing("CompressionStream", format, false); }
  get readable() { return this.#stream.readable; }
  get writable() { return this.#stream.writable; }
}
class DecompressionStream {
  #stream;
  constructor(format) { this.#stream = squeezing("DecompressionStream", format, true); }
  get readable() { return this.#stream.readable; }
  get writable() { return this.#stream.writable; }
}

// A reader that fills the caller's buffers.
class ReadableStreamBYOBReader {
  #reader; #rest = null;
  constructor(stream) { this.#reader = new ReadableStreamDefaultReader(stream); }
  get closed() { return this.#reader.closed; }
  async read(view) {
    if (!view || !view.byteLength) throw new $TypeError("view must have non-zero byteLength");
    const result = (n, done) => ({value: new view.constructor(view.buffer, view.byteOffset, n / (view.BYTES_PER_ELEMENT || 1)), done});
    if (!this.#rest) {
      const r = await this.#reader.read();
      if (r.done) return result(0, true);
      this.#rest = r.value;
    }
    const n = this.#rest.length < view.byteLength ? this.#rest.length : view.byteLength;
    new $Uint8Array(view.buffer, view.byteOffset, n).set(this.#rest.subarray(0, n));
    this.#rest = n < this.#rest.length ? this.#rest.subarray(n) : null;
    return result(n, false);
  }
  cancel(reason) { return this.#reader.cancel(reason); }
  releaseLock() { this.#reader.releaseLock(); }
}

class FileReader extends EventTarget {
  #state = 0; #result = null; #error = null; #turn = 0;
  get readyState() { return this.#state; }
  get result() { return this.#result; }
  get error() { return this.#error; }
  #read(blob, make) {
    if (!(blob instanceof Blob)) throw new $TypeError("Failed to execute 'read' on 'FileReader': parameter 1 is not of type 'Blob'.");
    if (this.#state === 1) throw new DOMException("The object is already busy reading Blobs.", "InvalidStateError");
    const turn = ++this.#turn;
    this.#state = 1;
    this.#result = null;
    $.task(() => {
      if (turn !== this.#turn) return;
      dispatch(this, new ProgressEvent("loadstart"));
      this.#state = 2;
      this.#result = make(blobHandle(blob));
      const size = {lengthComputable: true, loaded: blob.size, total: blob.size};
      for (const type of ["progress", "load", "loadend"]) if (turn === this.#turn) dispatch(this, new ProgressEvent(type, size));
    });
  }
  readAsText(blob, label) { this.#read(blob, (h) => label ? new TextDecoder(label).decode($.toBuffer(h)) : $.toText(h)); }
  readAsArrayBuffer(blob) { this.#read(blob, (h) => $.toBuffer(h)); }
  readAsDataURL(blob) { this.#read(blob, (h) => "data:" + (blob.type || "application/octet-stream") + ";base64," + $.encode64(h)); }
  readAsBinaryString(blob) { this.#read(blob, (h) => new TextDecoder("latin1").decode($.toBuffer(h))); }
  abort() { if (this.#state === 1) { this.#turn++; this.#state = 2; this.#result = null; for (const type of ["abort", "loadend"]) dispatch(this, new ProgressEvent(type)); } }
}
for (const [k, v] of [["EMPTY", 0], ["LOADING", 1], ["DONE", 2]]) FileReader[k] = FileReader.prototype[k] = v;
for (const type of ["loadstart", "progress", "load", "loadend", "error", "abort"]) handlerAttribute(FileReader.prototype, type);

class ProgressEvent extends Event {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get lengthComputable() { return !!this.#init.lengthComputable; }
  get loaded() { return this.#init.loaded || 0; }
  get total() { return this.#init.total || 0; }
}
class CloseEvent extends Event {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get wasClean() { return !!this.#init.wasClean; }
  get code() { return this.#init.code || 0; }
  get reason() { return this.#init.reason || ""; }
}

// There is no server behind a WebSocket: it is noted, and closed as one that cannot be reached.
class WebSocket extends EventTarget {
  #url; #state = 0;
  constructor(url) {
    super();
    const u = $.parseURL($String(url), $.baseURL());
    if (!u) throw new DOMException("Failed to construct 'WebSocket': The URL '" + url + "' is invalid.", "SyntaxError");
    this.#url = u.href.replace(/^http/, "ws");
    $.note("WebSocket", this.#url);
    $.task(() => { this.#state = 3; dispatch(this, new Event("error")); dispatch(this, new CloseEvent("close", {code: 1006})); });
  }
  get url() { return this.#url; }
  get readyState() { return this.#state; }
  get bufferedAmount() { return 0; }
  get protocol() { return ""; }
  get extensions() { return ""; }
  send() { if (this.#state === 0) throw new DOMException("Still in CONNECTING state.", "InvalidStateError"); }
  close() { this.#state = 3; }
}
for (const [k, v] of [["CONNECTING", 0], ["OPEN", 1], ["CLOSING", 2], ["CLOSED", 3]]) WebSocket[k] = WebSocket.prototype[k] = v;
for (const type of ["open", "message", "error", "close"]) handlerAttribute(WebSocket.prototype, type);

// Locks of one origin; other workers and pages hold none.
const lockQueues = new $Map(), lockHeld = new $Map();
class LockManager {
  constructor() { if (!trust) throw new $TypeError("Illegal constructor"); }
  async request(name, options, callback) {
    if (callback === undefined) { callback = options; options = {}; }
    name = $String(name);
    const mode = options.mode || "exclusive", lock = {name, mode};
    const free = () => {
      const held = lockHeld.get(name) || [];
      return mode === "shared" ? held.every((l) => l.mode === "shared") : !held.length;
    };
    const queue = lockQueues.get(name) || lockQueues.set(name, []).get(name);
    if (options.signal && options.signal.aborted) throw options.signal.reason;
    if (options.ifAvailable && (!free() || queue.length)) return callback(null);
    if (options.steal) lockHeld.set(name, []);
    else if (!free() || queue.length) {
      await new $Promise((resolve, reject) => {
        const entry = {free, resolve};
        queue.push(entry);
        if (options.signal) options.signal.addEventListener("abort", () => { const i = queue.indexOf(entry); if (i >= 0) { queue.splice(i, 1); reject(options.signal.reason); } });
      });
    }
    lockHeld.set(name, [...(lockHeld.get(name) || []), lock]);
    try { return await callback(lock); } finally {
      lockHeld.set(name, lockHeld.get(name).filter((l) => l !== lock));
      if (queue.length && queue[0].free()) queue.shift().resolve();
    }
  }
  async query() {
    const held = [], pending = [];
    for (const list of lockHeld.values()) held.push(...list);
    for (const [name, list] of lockQueues) for (const _ of list) pending.push({name});
    return {held, pending};
  }
}

class Performance extends EventTarget {
  #entries = [];
  constructor() { super(); if (!trust) throw new $TypeError("Illegal constructor"); }
  get timeOrigin() { return timeOrigin; }
  now() { return $.now() - startedAt; }
  #add(e) { if (this.#entries.length < 10000) this.#entries.push(e); return e; }
  #at(mark) {
    if (typeof mark === "number") return mark;
    for (let i = this.#entries.length - 1; i >= 0; i--) if (this.#entries[i].name === mark && this.#entries[i].entryType === "mark") return this.#entries[i].startTime;
    throw new DOMException("The mark '" + mark + "' does not exist.", "SyntaxError");
  }
  mark(name, options = {}) { return this.#add({name: $String(name), entryType: "mark", startTime: options.startTime === undefined ? this.now() : options.startTime, duration: 0, detail: options.detail === undefined ? null : options.detail}); }
  measure(name, from, to) {
    let o = from && typeof from === "object" ? from : {start: from, end: to};
    const start = o.start === undefined ? 0 : this.#at(o.start), end = o.end === undefined ? (o.duration === undefined ? this.now() : start + o.duration) : this.#at(o.end);
    return this.#add({name: $String(name), entryType: "measure", startTime: start, duration: end - start, detail: o.detail === undefined ? null : o.detail});
  }
  clearMarks(name) { this.#entries = this.#entries.filter((e) => e.entryType !== "mark" || name !== undefined && e.name !== name); }
  clearMeasures(name) { this.#entries = this.#entries.filter((e) => e.entryType !== "measure" || name !== undefined && e.name !== name); }
  clearResourceTimings() {}
  getEntries() { return this.#entries.slice(); }
  getEntriesByType(type) { return this.#entries.filter((e) => e.entryType === type); }
  getEntriesByName(name, type) { return this.#entries.filter((e) => e.name === name && (type === undefined || e.entryType === type)); }
  toJSON() { return {timeOrigin}; }
}
let startedAt = 0, timeOrigin = 0;
const startClock = () => { startedAt = $.now(); timeOrigin = $.time(); }; // a global may have been made before it is used

// Interfaces that are only named, or whose objects the stage alone makes.
const illegal = (name, parent) => {
  const c = {[name]: class extends (parent || $Object) { constructor() { throw new $TypeError("Illegal constructor"); } }}[name];
  return c;
};
const named = {};
for (const name of ["Crypto", "SubtleCrypto", "CryptoKey", "PushManager", "PushMessageData", "PushSubscription", "StorageManager", "WorkerLocation",
  "TransformStreamDefaultController", "WritableStreamDefaultController", "ReadableByteStreamController", "ReadableStreamBYOBRequest"]) named[name] = illegal(name);
named.WorkerGlobalScope = illegal("WorkerGlobalScope", EventTarget);
class Notification extends EventTarget {
  constructor() { super(); throw new $TypeError("Failed to construct 'Notification': Illegal constructor. Use ServiceWorkerRegistration.showNotification() instead."); }
  static get permission() { return $.allowed() ? "granted" : "default"; }
  static get maxActions() { return 2; }
}
