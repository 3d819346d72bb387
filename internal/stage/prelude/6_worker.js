// CacheStorage, clients, registration and the global scope (Service Workers).
const later = (f) => new $Promise((resolve, reject) => $.task(() => { try { resolve(f()); } catch (e) { reject(e); } }));

function asRequest(input, method, name) {
  if (input instanceof Request) return input;
  if (input === undefined) throw new $TypeError("Failed to execute '" + method + "' on '" + name + "': 1 argument required, but only 0 present.");
  return new Request(input);
}

// What a method throws that gives a promise is the reason why it is rejected.
const promised = (f) => { try { return f(); } catch (e) { return $Promise.reject(e); } };

class Cache {
  #id;
  constructor() {
    if (handed === null) throw new $TypeError("Illegal constructor");
    this.#id = handed;
    handed = null;
  }
  match(request, options) {
    return promised(() => { const r = asRequest(request, "match", "Cache"); return $.cacheMatch(this.#id, heldOf(r), headersIn(r), options); });
  }
  matchAll(request, options) { return promised(() => this.#all($.cacheMatchAll, request, options, "matchAll")); }
  keys(request, options) { return promised(() => this.#all($.cacheKeys, request, options, "keys")); }
  #all(ask, request, options, method) {
    if (request === undefined) return ask(this.#id, null, null, options);
    const r = asRequest(request, method, "Cache");
    return ask(this.#id, heldOf(r), headersIn(r), options);
  }
  delete(request, options) {
    return promised(() => { const r = asRequest(request, "delete", "Cache"); return $.cacheDelete(this.#id, heldOf(r), headersIn(r), options); });
  }
  put(request, response) {
    return promised(() => {
      const r = asRequest(request, "put", "Cache");
      checkPut(r, "put");
      if (!(response instanceof Response)) throw new $TypeError("Failed to execute 'put' on 'Cache': parameter 2 is not of type 'Response'.");
      const refused = $.cacheRefuses(heldOf(response), headersIn(response));
      if (refused) throw new $TypeError("Failed to execute 'put' on 'Cache': " + refused);
      if (bodySeen(response)) {
        const b = bodyIn(response);
        if (b.isUsed || b.isLocked) { usedTwice(); throw new $TypeError("Failed to execute 'put' on 'Cache': Response body is already used"); }
      }
      $.cacheDoubts(heldOf(r), headersIn(r), heldOf(response), headersIn(response));
      const body = takeBody(response);
      if (body === undefined || body === null || typeof body.then !== "function") return $.cachePut(this.#id, heldOf(r), headersIn(r), heldOf(response), headersIn(response), body);
      const what = $.bake(heldOf(response), headersIn(response)), key = $.bake(heldOf(r), headersIn(r));
      return body.then((h) => $.cachePut(this.#id, key, null, what, null, h));
    });
  }
  async add(request) { return this.addAll([request]); }
  async addAll(requests) {
    const stack = new $Error("x").stack;
    const list = [];
    for (const q of requests) { const r = asRequest(q, "addAll", "Cache"); checkPut(r, "addAll"); list.push(r); }
    const fail = (message) => { const e = new $TypeError("Failed to execute 'addAll' on 'Cache': " + message); rememberStack(e, stack); return e; };
    const answers = await $Promise.all(list.map((r) => fetch(r).then((a) => {
      if (!a.ok && a.type !== "opaque") { $.addAllFailed(r.url, a.status); throw fail("Request failed"); }
      if (a.type === "opaque") { $.addAllFailed(r.url, 0); throw fail("Request failed"); }
      if (a.status === 206) throw fail("Partial response");
      return a;
    }, (e) => { $.addAllFailed(r.url, 0); throw e; })));
    const urls = new $Set();
    for (const r of list) {
      if (urls.has(r.url)) throw new DOMException("Failed to execute 'addAll' on 'Cache': duplicate requests (" + r.url + ")", "InvalidStateError");
      urls.add(r.url);
    }
    for (let i = 0; i < list.length; i++) await this.put(list[i], answers[i]);
  }
}
const cacheOf = (id) => { handed = id; return new Cache(); };

function checkPut(r, method) {
  if (!/^https?:/.test(r.url)) throw new $TypeError("Failed to execute '" + method + "' on 'Cache': Request scheme '" + r.url.split(":")[0] + "' is unsupported");
  if (r.method !== "GET") throw new $TypeError("Failed to execute '" + method + "' on 'Cache': Request method '" + r.method + "' is unsupported");
}

class CacheStorage {
  open(name) { return promised(() => $.cacheOpen($String(name))); }
  has(name) { return promised(() => $.cacheHas($String(name))); }
  delete(name) { return promised(() => $.cacheRemove($String(name))); }
  keys() { return $.cacheNames(); }
  match(request, options) {
    return promised(() => { const r = asRequest(request, "match", "CacheStorage"); return $.cacheMatchAny(heldOf(r), headersIn(r), options); });
  }
}

const tick = $Promise.resolve(); // what is awaited to let one microtask pass

// extend lets an event live until a promise is settled, and one microtask longer.
async function extend(x, promise) {
  x.pending++;
  try { await promise; } catch (e) { (x.errors || (x.errors = [])).push(e); }
  await tick;
  release(x);
}

// release ends one extension of an event, and tells the stage when it was the last.
function release(x) {
  if (--x.pending === 0 && !x.active) $.settled(x.id, x.errors);
}

class ExtendableEvent extends Event {
  waitUntil(promise) {
    const x = extensionOf(this);
    if (!this.isTrusted) throw new DOMException("The event is not trusted", "InvalidStateError");
    if (!x.active && x.pending === 0) {
      $.late("waitUntil", new $Error("x").stack);
      throw new DOMException("Failed to execute 'waitUntil' on 'ExtendableEvent': The event handler is already finished and no extend lifetime promises are outstanding.", "InvalidStateError");
    }
    extend(x, promise);
  }
}

class ExtendableMessageEvent extends ExtendableEvent {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get data() { return this.#init.data; }
  get origin() { return this.#init.origin || ""; }
  get source() { return this.#init.source || null; }
  get ports() { return this.#init.ports || []; }
  get lastEventId() { return ""; }
}

class InstallEvent extends ExtendableEvent {
  addRoutes(rules) {
    const list = $Array.isArray(rules) ? rules : [rules];
    const plain = (c) => {
      if (!c || typeof c !== "object") return c;
      const out = {...c};
      if (c.urlPattern instanceof URLPattern) {
        out.urlPattern = {};
        for (const k of ["protocol", "username", "password", "hostname", "port", "pathname", "search", "hash"]) out.urlPattern[k] = c.urlPattern[k];
      }
      if (c.or) out.or = c.or.map(plain);
      if (c.not) out.not = plain(c.not);
      return out;
    };
    const text = JSON.stringify(list.map((r) => ({condition: plain(r.condition), source: r.source})));
    return later(() => { const e = $.addRoutes(text); if (e) throw new $TypeError(e); });
  }
}

class FetchEvent extends ExtendableEvent {
  #init; #answer = null;
  constructor(type, init) { super(type, init); this.#init = init || {}; }
  get request() { return this.#init.request; }
  get clientId() { return this.#init.clientId || ""; }
  get resultingClientId() { return this.#init.resultingClientId || ""; }
  get replacesClientId() { return ""; }
  get preloadResponse() { return this.#init.preloadResponse || tick; }
  get handled() {
    const init = this.#init;
    return init.handled || (init.handled = new $Promise((resolve) => { if (init.over) resolve(undefined); else init.tell = resolve; }));
  }
  respondWith(answer) {
    const x = extensionOf(this);
    if (!x.active) {
      $.late("respondWith", new $Error("x").stack);
      throw new DOMException("Failed to execute 'respondWith' on 'FetchEvent': The event handler is already finished.", "InvalidStateError");
    }
    if (this.#answer) throw new DOMException("Failed to execute 'respondWith' on 'FetchEvent': The event has already been responded to.", "InvalidStateError");
    if (!this.isTrusted) throw new DOMException("The event is not trusted", "InvalidStateError");
    this.stopImmediatePropagation();
    $.respondAt();
    this.#answer = {value: answer};
    x.pending++;
  }
  static _answer(e) { return e.#answer; }
  static _handled(e) { e.#init.over = true; if (e.#init.tell) e.#init.tell(undefined); }
}
const {_answer: answerOf, _handled: handled} = FetchEvent;
for (const name of ["_answer", "_handled"]) delete FetchEvent[name];

class SyncEvent extends ExtendableEvent {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get tag() { return this.#init.tag; }
  get lastChance() { return !!this.#init.lastChance; }
}
class PushEvent extends ExtendableEvent { get data() { return null; } }
class NotificationEvent extends ExtendableEvent {}

class Client {
  #info;
  constructor() { throw new $TypeError("Illegal constructor"); }
  static _of(info) { const c = $Object.create(info.type === "window" ? WindowClient.prototype : Client.prototype); clientInfo.set(c, info); return c; }
  get id() { return clientInfo.get(this).id; }
  get url() { return clientInfo.get(this).url; }
  get type() { return clientInfo.get(this).type; }
  get frameType() { return clientInfo.get(this).frameType; }
  postMessage(message) { $.postToClient(clientInfo.get(this).id, structuredClone(message)); }
}
class WindowClient extends Client {
  get focused() { return clientInfo.get(this).focused; }
  get visibilityState() { return clientInfo.get(this).focused ? "visible" : "hidden"; }
  get ancestorOrigins() { return []; }
  async focus() { return later(() => { throw new DOMException("Not allowed to focus a window.", "InvalidAccessError"); }); }
  async navigate(url) {
    const abs = new URL(url, $.baseURL()).href, id = clientInfo.get(this).id;
    return new $Promise((resolve, reject) => $.task(() => {
      const why = $.navigateClient(id, abs, (to) => resolve(to && clientOf(to)));
      if (why) reject(new $TypeError(why));
    }));
  }
}
const clientInfo = slots(), clientOf = Client._of;
delete Client._of;

class Clients {
  async get(id) { return later(() => { const c = $.client($String(id)); return c ? clientOf(c) : undefined; }); }
  async matchAll(options = {}) { return later(() => $.clients(!!options.includeUncontrolled, options.type || "window").map(clientOf)); }
  async claim() { return later(() => { const e = $.claim(); if (e) throw new DOMException(e, "InvalidStateError"); }); }
  async openWindow(url) {
    new URL(url, $.baseURL());
    return later(() => { throw new DOMException("Not allowed to open a window.", "InvalidAccessError"); });
  }
}

class ServiceWorker extends EventTarget {
  get scriptURL() { return $.scriptURL(); }
  get state() { return $.workerState(); }
  postMessage() {}
}
handlerAttribute(ServiceWorker.prototype, "statechange");

class NavigationPreloadManager {
  #change(on, value) { return later(() => { const e = $.preload(on, value); if (e) throw new DOMException(e, "InvalidStateError"); }); }
  async enable() { return this.#change(true, null); }
  async disable() { return this.#change(false, null); }
  async setHeaderValue(v) {
    v = $String(v);
    if (/[\0\r\n]/.test(v) || /^[\t ]|[\t ]$/.test(v)) throw new $TypeError("The string provided to setHeaderValue ('" + v + "') is not a valid HTTP header field value.");
    return this.#change(null, v);
  }
  async getState() { return later(() => $.preloadState()); }
}

class SyncManager {
  async register(tag) { return later(() => { $.sync($String(tag)); }); }
  async getTags() { return later(() => $.syncTags()); }
}

class ServiceWorkerRegistration extends EventTarget {
  constructor() { super(); if (!trust) throw new $TypeError("Illegal constructor"); }
  #preload = new NavigationPreloadManager(); #sync = new SyncManager();
  get scope() { return $.scope(); }
  get active() { return $.has("active") ? thisWorker : null; }
  get waiting() { return $.has("waiting") ? thisWorker : null; }
  get installing() { return $.has("installing") ? thisWorker : null; }
  get updateViaCache() { return "imports"; }
  get navigationPreload() { return this.#preload; }
  get sync() { return this.#sync; }
  get periodicSync() { return periodicSync; }
  get backgroundFetch() { return backgroundFetch; }
  get cookies() { return cookieSubscriptions; }
  get pushManager() { return {async subscribe() { $.note("push.subscribe", ""); throw new DOMException("no push service", "AbortError"); }, async getSubscription() { return null; }, async permissionState() { return "prompt"; }}; }
  async update() { return later(() => { $.update(); return this; }); }
  async unregister() { return later(() => { $.unregister(); return true; }); }
  async showNotification(title) { return later(() => { $.note("showNotification", $String(title)); }); }
  async getNotifications() { return []; }
}
handlerAttribute(ServiceWorkerRegistration.prototype, "updatefound");

const thisWorker = new ServiceWorker();

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
    if (v instanceof Blob) return v;
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

const loc = $.parseURL($.baseURL(), null);
const location = $Object.freeze({__proto__: named.WorkerLocation.prototype, href: loc.href, origin: loc.origin, protocol: loc.protocol, host: loc.host, hostname: loc.hostname, port: loc.port,
  pathname: loc.pathname, search: loc.search, hash: loc.hash, toString() { return loc.href; }});

// A timer may be given code as text (HTML Standard, "timer initialization steps").
const evalGlobal = globalThis.eval;
const handlerOf = (f, args) => typeof f !== "function" ? () => evalGlobal($String(f)) : args.length ? () => f(...args) : f;
class ServiceWorkerGlobalScope extends named.WorkerGlobalScope {}
const locks = trusted(() => new LockManager());
const storage = {__proto__: named.StorageManager.prototype, async estimate() { return $.estimate(); }, async persisted() { return false; },
  async getDirectory() { throw new DOMException("Files of the origin's own are not part of this stage.", "NotSupportedError"); }};
class WorkerNavigator {
  get userAgent() { return "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36"; }
  get onLine() { return $.online(); }
  get language() { return "en-US"; }
  get languages() { return $Object.freeze(["en-US", "en"]); }
  get hardwareConcurrency() { return 2; }
  get platform() { return "Linux x86_64"; }
  get connection() { return {effectiveType: "4g", downlink: 10, rtt: 50, saveData: false, addEventListener() {}}; }
  get storage() { return storage; }
  get locks() { return locks; }
  get permissions() { return permissions; }
  get userAgentData() { return agentData; }
}

const scope = {
  DOMException, Event, CustomEvent, MessageEvent, ErrorEvent, PromiseRejectionEvent, EventTarget, AbortSignal, AbortController,
  URL, URLSearchParams, URLPattern, ReadableStream, ReadableStreamDefaultReader, ReadableStreamDefaultController, WritableStream,
  WritableStreamDefaultWriter, TransformStream, Blob, File, FormData, Headers, Request, Response, Cache, CacheStorage, ExtendableEvent,
  ExtendableMessageEvent, InstallEvent, FetchEvent, SyncEvent, PushEvent, NotificationEvent, Client, WindowClient, Clients, ServiceWorker,
  ServiceWorkerRegistration, NavigationPreloadManager, TextEncoder, TextDecoder, MessagePort, MessageChannel, BroadcastChannel,
  ServiceWorkerGlobalScope, WorkerNavigator, IDBFactory, IDBDatabase, IDBTransaction, IDBObjectStore, IDBIndex, IDBCursor, IDBCursorWithValue,
  IDBKeyRange, IDBRequest, IDBOpenDBRequest, IDBVersionChangeEvent, CountQueuingStrategy, ByteLengthQueuingStrategy, TextDecoderStream, TextEncoderStream,
  CompressionStream, DecompressionStream, ReadableStreamBYOBReader, FileReader, ProgressEvent, CloseEvent, WebSocket, LockManager, Performance, Notification,
  SyncManager, ...named, ...web,
};
const define = (name, value) => $Object.defineProperty(globalThis, name, {value, writable: true, configurable: true, enumerable: false});
for (const name of $Object.keys(scope)) {
  define(name, scope[name]);
  if (typeof scope[name] === "function" && scope[name].prototype)
    $Object.defineProperty(scope[name].prototype, $Symbol.toStringTag, {value: name, configurable: true});
}
$Object.setPrototypeOf(globalThis, ServiceWorkerGlobalScope.prototype);
const values = {
  self: globalThis, fetch, structuredClone, console, crypto, location, caches: new CacheStorage(), clients: new Clients(),
  registration: trusted(() => new ServiceWorkerRegistration()), indexedDB: new IDBFactory(), serviceWorker: thisWorker, navigator: new WorkerNavigator(), isSecureContext: true,
  crossOriginIsolated: false, origin: loc.origin, performance: trusted(() => new Performance()),
  createImageBitmap: async () => { throw new DOMException("The source image could not be decoded.", "InvalidStateError"); },
  reportError: (e) => { report("reportError", e); },
  atob: (s) => { const r = $.atob($String(s)); if (r === null) throw new DOMException("The string to be decoded is not correctly encoded.", "InvalidCharacterError"); return r; },
  btoa: (s) => { const r = $.btoa($String(s)); if (r === null) throw new DOMException("The string to be encoded contains characters outside of the Latin1 range.", "InvalidCharacterError"); return r; },
  queueMicrotask: (f) => { $Promise.resolve().then(() => { try { f(); } catch (e) { report("microtask", e); } }); },
  setTimeout: (f, ms, ...args) => $.setTimer(handlerOf(f, args), $Number(ms) || 0, false),
  setInterval: (f, ms, ...args) => $.setTimer(handlerOf(f, args), $Number(ms) || 0, true),
  clearTimeout: (id) => { $.clearTimer($Number(id) || 0); },
  clearInterval: (id) => { $.clearTimer($Number(id) || 0); },
  skipWaiting: async () => later(() => { $.skipWaiting(); }),
  importScripts: (...urls) => {
    for (const u of urls) {
      const e = $.importScript($String(u));
      if (e) throw new DOMException("Failed to execute 'importScripts' on 'WorkerGlobalScope': " + e, "NetworkError");
    }
  },
};
for (const name of $Object.keys(values)) define(name, values[name]);
for (const name of $Object.keys(webValues)) define(name, webValues[name]);
for (const type of ["install", "activate", "fetch", "message", "messageerror", "push", "sync", "periodicsync", "notificationclick",
  "notificationclose", "pushsubscriptionchange", "error", "unhandledrejection", "rejectionhandled", "online", "offline"])
  handlerAttribute(globalThis, type);

// What the stage calls.
function trusted(make) { trust = true; try { return make(); } finally { trust = false; } }

function runEvent(event, id) {
  const x = extensionOf(event);
  x.id = id;
  dispatch(globalThis, event);
  endDispatch(x);
}

// endDispatch comes after the microtasks of the handlers: extending is allowed until then.
async function endDispatch(x) {
  await tick;
  x.active = false;
  if (x.pending === 0) $.settled(x.id, x.errors);
}

// answered waits for what respondWith was given, and hands it to the stage.
async function answered(event, x, answer) {
  try {
    const r = await answer.value;
    if (!(r instanceof Response)) $.respond(x.id, "error", "respondWith() was given " + (r === undefined ? "undefined" : describe(r)) + " instead of a Response", null);
    else if (bodySeen(r) && (bodyIn(r).isUsed || bodyIn(r).isLocked)) $.respond(x.id, "error", "the body of the answer was used before", null);
    else {
      let body = takeBody(r), broken = null;
      if (body && typeof body.then === "function") try { body = await body; } catch (e) { broken = {e}; }
      if (broken) $.respond(x.id, "error", "the body of the answer broke off", broken.e);
      else $.respond(x.id, "response", null, heldOf(r), headersIn(r), body);
    }
  } catch (e) {
    $.respond(x.id, "error", null, e);
  }
  handled(event);
  await tick;
  release(x);
}

$.hooks({
  response: responseFrom,
  request: requestFrom,
  cache: cacheOf,
  exception: (message, name) => new DOMException(message, name),
  loaded() { loading = false; },
  lifecycle(type, id) { runEvent(trusted(() => type === "install" ? new InstallEvent(type) : new ExtendableEvent(type)), id); },
  sync(tag, lastChance, id) { runEvent(trusted(() => new SyncEvent("sync", {tag, lastChance})), id); },
  message(data, source, id) {
    runEvent(trusted(() => new ExtendableMessageEvent("message", {data, source: source ? clientOf(source) : null, origin: loc.origin})), id);
  },
  fetch(held, id, clientId, resultingClientId, preloaded) {
    let preloadResponse;
    if (preloaded) {
      preloadResponse = $.preloaded(id, new $TypeError("Failed to fetch"));
      preloadResponse.catch(() => {});
    }
    trust = true;
    const event = new FetchEvent("fetch", {request: requestFrom(held), clientId, resultingClientId, preloadResponse, cancelable: true});
    trust = false;
    const x = extensionOf(event);
    x.id = id;
    dispatch(globalThis, event);
    const answer = answerOf(event);
    x.active = false;
    if (answer) { answered(event, x, answer); return; }
    handled(event);
    if (event.defaultPrevented) $.respond(id, "error", "preventDefault() was called without respondWith()", null);
    else $.respond(id, "none", null, null);
    if (x.pending === 0) $.settled(id, x.errors);
  },
});
