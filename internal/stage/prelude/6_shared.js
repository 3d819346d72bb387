// Clones, text, digests, the console, and channels of messages (HTML Standard, Encoding, Web Cryptography, Console).
function structuredClone(value, options) {
  if (arguments.length < 1) throw new $TypeError("Failed to execute 'structuredClone' on 'WorkerGlobalScope': 1 argument required, but only 0 present.");
  const moved = options && options.transfer ? [...options.transfer] : [];
  for (const t of moved) if (!(t instanceof $ArrayBuffer) && !(t instanceof MessagePort)) throw new DOMException("Value at index 0 does not have a transferable type.", "DataCloneError");
  const seen = new $Map();
  const copy = (v) => {
    if (v === null || typeof v !== "object") {
      if (typeof v === "function" || typeof v === "symbol") throw new DOMException("The object could not be cloned.", "DataCloneError");
      return v;
    }
    if (seen.has(v)) return seen.get(v);
    const keep = (c) => { seen.set(v, c); return c; };
    if (v instanceof $Date) return keep(new $Date(v.getTime()));
    if (v instanceof RegExp) return keep(new RegExp(v.source, v.flags));
    if (v instanceof $ArrayBuffer) return keep(v.slice(0));
    if ($ArrayBuffer.isView(v)) {
      const buffer = copy(v.buffer); // views of one buffer go on sharing it
      return keep(new v.constructor(buffer, v.byteOffset, v instanceof DataView ? v.byteLength : v.length));
    }
    if (v instanceof $Map) { const c = keep(new $Map()); for (const [k, x] of v) c.set(copy(k), copy(x)); return c; }
    if (v instanceof $Set) { const c = keep(new $Set()); for (const x of v) c.add(copy(x)); return c; }
    if (v instanceof Blob || v instanceof web.FileSystemHandle) return v;
    if (v instanceof DOMException) return keep(new DOMException(v.message, v.name));
    if (v instanceof $Error) {
      const kind = ["EvalError", "RangeError", "ReferenceError", "SyntaxError", "TypeError", "URIError"].find((n) => n === v.name);
      const c = keep($Object.create((kind ? globalThis[kind] : $Error).prototype));
      for (const k of ["stack", "message", "cause"]) if ($Object.hasOwn(v, k)) $Object.defineProperty(c, k, {value: k === "cause" ? copy(v[k]) : $String(v[k]), writable: true, configurable: true});
      return c;
    }
    for (const kind of [$Number, $String, Boolean, BigInt]) if (v instanceof kind) return keep($Object(v.valueOf()));
    if (v instanceof $Promise || v instanceof $WeakMap || v instanceof WeakSet || v instanceof WeakRef || v instanceof EventTarget || v instanceof ReadableStream || v instanceof Event) throw new DOMException("The object could not be cloned.", "DataCloneError");
    if (v instanceof Request || v instanceof Response || v instanceof Headers || v instanceof URL) throw new DOMException("The object could not be cloned.", "DataCloneError");
    const c = keep($Array.isArray(v) ? new $Array(v.length) : {});
    for (const k of $Object.keys(v)) c[k] = copy(v[k]);
    return c;
  };
  for (const t of moved) if (t instanceof MessagePort) seen.set(t, t);
  const out = copy(value);
  for (const t of moved) if (t instanceof $ArrayBuffer) $.detach(t);
  return out;
}

class TextEncoder {
  get encoding() { return "utf-8"; }
  encode(s = "") { return new $Uint8Array($.toBuffer(utf8(s))); }
  encodeInto(s, target) { const b = this.encode(s); const n = b.length < target.length ? b.length : target.length; target.set(b.subarray(0, n)); return {read: s.length, written: n}; }
}

class TextDecoder {
  #label; #fatal; #bom; #rest = null;
  constructor(label = "utf-8", options = {}) {
    this.#label = $.encodingName($String(label));
    if (!this.#label) throw new RangeError("Failed to construct 'TextDecoder': The encoding label provided ('" + label + "') is invalid.");
    this.#fatal = !!options.fatal;
    this.#bom = !!options.ignoreBOM;
  }
  get encoding() { return this.#label; }
  get fatal() { return this.#fatal; }
  get ignoreBOM() { return this.#bom; }
  decode(data, options = {}) {
    let h = data === undefined ? $.empty() : bytesOf(data);
    if (this.#rest) h = $.concat([this.#rest, h]);
    this.#rest = null;
    const r = $.decode(h, this.#label, this.#fatal, this.#bom, !!options.stream);
    if (r.error) throw new $TypeError("The encoded data was not valid.");
    this.#rest = r.rest;
    return r.text;
  }
}

const subtle = {
  __proto__: named.SubtleCrypto.prototype,
  async digest(algorithm, data) {
    const name = $String(typeof algorithm === "object" ? algorithm.name : algorithm).toUpperCase();
    const h = bytesOf(data);
    if (!h) throw new $TypeError("Failed to execute 'digest' on 'SubtleCrypto': 2nd argument is not instance of ArrayBuffer, Buffer, TypedArray, or DataView.");
    const out = $.digest(name, h);
    if (!out) throw new DOMException("Unrecognized name.", "NotSupportedError");
    return later(() => $.toBuffer(out));
  },
};
for (const k of ["encrypt", "decrypt", "sign", "verify", "generateKey", "importKey", "exportKey", "deriveKey", "deriveBits"])
  subtle[k] = async () => { $.note("crypto.subtle." + k, ""); throw new DOMException("not modelled", "NotSupportedError"); };

const crypto = {
  __proto__: named.Crypto.prototype,
  subtle,
  getRandomValues(view) { const b = new $Uint8Array($.random(view.byteLength)); new $Uint8Array(view.buffer, view.byteOffset, view.byteLength).set(b); return view; },
  randomUUID() {
    const b = new $Uint8Array($.random(16));
    b[6] = b[6] & 15 | 64;
    b[8] = b[8] & 63 | 128;
    const h = [...b].map((x) => x.toString(16).padStart(2, "0")).join("");
    return h.slice(0, 8) + "-" + h.slice(8, 12) + "-" + h.slice(12, 16) + "-" + h.slice(16, 20) + "-" + h.slice(20);
  },
};

const describe = (v) => {
  if (typeof v === "string") return v;
  if (v instanceof $Error) return v.stack || $String(v);
  if (v instanceof Response) return "Response " + v.status + " " + v.url;
  if (v instanceof Request) return "Request " + v.method + " " + v.url;
  try { const j = JSON.stringify(v); return j === undefined ? $String(v) : j; } catch (e) { return $String(v); }
};
const console = {};
for (const level of ["log", "info", "debug", "warn", "error", "trace", "group", "groupCollapsed", "groupEnd", "table", "dir", "time", "timeEnd", "timeLog", "count", "assert", "clear"])
  console[level] = (...args) => $.console(level, args.slice(0, 20).map(describe).join(" "));

class MessagePort extends EventTarget {
  constructor() { super(); ports.set(this, {other: null, started: false, queue: []}); }
  postMessage(m) {
    const other = ports.get(this).other;
    if (!other) return;
    const data = structuredClone(m);
    $.task(() => { const o = ports.get(other); if (o.started) dispatch(other, new MessageEvent("message", {data})); else o.queue.push(data); });
  }
  start() { const p = ports.get(this); if (p.started) return; p.started = true; for (const data of p.queue.splice(0)) $.task(() => dispatch(this, new MessageEvent("message", {data}))); }
  close() { ports.get(this).other = null; }
  set onmessage(f) { if (typeof f === "function") { this.addEventListener("message", f); this.start(); } }
}
const ports = slots();
class MessageChannel {
  constructor() {
    this.port1 = new MessagePort();
    this.port2 = new MessagePort();
    ports.get(this.port1).other = this.port2;
    ports.get(this.port2).other = this.port1;
  }
}
const channels = new $Set();
class BroadcastChannel extends EventTarget {
  #name;
  constructor(name) { super(); this.#name = $String(name); channels.add(this); }
  get name() { return this.#name; }
  postMessage(m) {
    if (!channels.has(this)) throw new DOMException("Channel is closed", "InvalidStateError");
    const data = structuredClone(m);
    $.broadcast(this.#name, data);
    for (const c of channels) if (c !== this && c.name === this.#name) $.task(() => { if (channels.has(c)) dispatch(c, new MessageEvent("message", {data, origin: loc.origin})); });
  }
  close() { channels.delete(this); }
}
handlerAttribute(BroadcastChannel.prototype, "message");

// A timer may be given code as text (HTML Standard, "timer initialization steps").
const evalGlobal = globalThis.eval;
const handlerOf = (f, args) => typeof f !== "function" ? () => evalGlobal($String(f)) : args.length ? () => f(...args) : f;

function trusted(make) { trust = true; try { return make(); } finally { trust = false; } }
