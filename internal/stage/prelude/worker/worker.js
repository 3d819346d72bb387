// Clients, registration, the events of a service worker and its global scope (Service Workers).

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
  get isReload() { return this.#init.request.isReloadNavigation; }
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
const messageText = slots();
const messageOf = (data) => { $.messageRead(); return messageText.get(data); };
class PushMessageData {
  constructor() { throw new $TypeError("Illegal constructor"); }
  text() { return messageOf(this); }
  json() { return JSON.parse(messageOf(this)); }
  bytes() { return new TextEncoder().encode(messageOf(this)); }
  arrayBuffer() { return this.bytes().buffer; }
  blob() { return new Blob([messageOf(this)]); }
}
named.PushMessageData = PushMessageData;
class PushEvent extends ExtendableEvent {
  #data;
  constructor(type, init = {}) { super(type, init); this.#data = init.data || null; }
  get data() { return this.#data; }
}
class NotificationEvent extends ExtendableEvent {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get notification() { return this.#init.notification; }
  get action() { return this.#init.action || ""; }
  get reply() { return null; }
}

// Notifications: what was given to showNotification, by object.
const noted = slots();
const notificationOf = (id, text) => {
  const n = $Object.create(Notification.prototype), o = JSON.parse(text);
  noted.set(n, {id, ...o});
  return n;
};
for (const [k, none] of [["title", ""], ["body", ""], ["tag", ""], ["icon", ""], ["badge", ""], ["image", ""], ["lang", ""], ["dir", "auto"], ["data", null], ["actions", []], ["silent", null],
  ["renotify", false], ["requireInteraction", false], ["timestamp", 0], ["vibrate", []]])
  $Object.defineProperty(Notification.prototype, k, {get() { const v = noted.get(this)[k]; return v === undefined ? none : v; }, configurable: true, enumerable: true});
Notification.prototype.close = function close() { $.closeNotification(noted.get(this).id); };

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
  async focus() {
    const id = clientInfo.get(this).id;
    return later(() => {
      const why = $.focusClient(id);
      if (why) throw new DOMException(why, why.startsWith("Not allowed") ? "InvalidAccessError" : "InvalidStateError");
      return clientOf($.client(id));
    });
  }
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
    const abs = new URL(url, $.baseURL()).href;
    return new $Promise((resolve, reject) => $.task(() => {
      const why = $.openWindow(abs, (id) => { const c = id && $.client(id); resolve(c ? clientOf(c) : null); });
      if (why) reject(new DOMException(why, "InvalidAccessError"));
    }));
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
  get updateViaCache() { return $.viaCache(); }
  get navigationPreload() { return this.#preload; }
  get sync() { return this.#sync; }
  get periodicSync() { return periodicSync; }
  get backgroundFetch() { return backgroundFetch; }
  get cookies() { return cookieSubscriptions; }
  get pushManager() { return {async subscribe() { $.note("push.subscribe", ""); throw new DOMException("no push service", "AbortError"); }, async getSubscription() { return null; }, async permissionState() { return "prompt"; }}; }
  async update() { return later(() => { $.update(); return this; }); }
  async unregister() { return later(() => { $.unregister(); return true; }); }
  async showNotification(title, options = {}) {
    if (arguments.length === 0) throw new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': 1 argument required, but only 0 present.");
    const o = options === null || options === undefined ? {} : $Object(options), all = {title: $String(title)};
    for (const k of ["body", "tag", "icon", "badge", "image", "lang", "dir"]) if (o[k] !== undefined) all[k] = $String(o[k]);
    for (const k of ["silent", "renotify", "requireInteraction"]) if (o[k] !== undefined) all[k] = !!o[k];
    if (all.renotify && !all.tag) throw new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': Notifications which set the renotify flag must specify a non-empty tag.");
    if (all.silent && o.vibrate !== undefined) throw new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': Silent notifications must not specify vibration patterns.");
    if (o.timestamp !== undefined) all.timestamp = $Number(o.timestamp);
    if (o.data !== undefined) all.data = structuredClone(o.data);
    if (o.actions !== undefined) all.actions = [...o.actions].map((a) => {
      if (a.action === undefined || a.title === undefined) throw new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': Failed to read the 'actions' property from 'NotificationOptions'.");
      return {action: $String(a.action), title: $String(a.title), icon: a.icon === undefined ? "" : $String(a.icon)};
    });
    return later(() => {
      const why = $.notify(all.title, all.body || "", all.tag || "", (all.actions || []).map((a) => a.action), JSON.stringify(all));
      if (why) throw new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': " + why);
    });
  }
  async getNotifications(filter = {}) {
    return later(() => $.shown().map((n) => notificationOf(n.id, n.text)).filter((n) => !filter || !filter.tag || n.tag === $String(filter.tag)));
  }
}
handlerAttribute(ServiceWorkerRegistration.prototype, "updatefound");

const thisWorker = new ServiceWorker();

const loc = $.parseURL($.baseURL(), null);
const location = $Object.freeze({__proto__: named.WorkerLocation.prototype, href: loc.href, origin: loc.origin, protocol: loc.protocol, host: loc.host, hostname: loc.hostname, port: loc.port,
  pathname: loc.pathname, search: loc.search, hash: loc.hash, toString() { return loc.href; }});

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
      let body = takeBody(r, (parts) => $.streaming(x.id, heldOf(r), headersIn(r), () => $.concat(parts))), broken = null;
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

startClock();
$.hooks({
  response: responseFrom,
  request: requestFrom,
  cache: cacheOf,
  exception: (message, name) => new DOMException(message, name),
  loaded() { loading = false; },
  uncaught(error, message, filename, lineno, colno) {
    const e = trusted(() => new ErrorEvent("error", {message, filename, lineno, colno, error, cancelable: true}));
    dispatch(globalThis, e);
    return e.defaultPrevented;
  },
  rejected(promise, reason) { dispatch(globalThis, trusted(() => new PromiseRejectionEvent("unhandledrejection", {promise, reason, cancelable: true}))); },
  lifecycle(type, id) { runEvent(trusted(() => type === "install" ? new InstallEvent(type) : new ExtendableEvent(type)), id); },
  sync(tag, lastChance, id) { runEvent(trusted(() => new SyncEvent("sync", {tag, lastChance})), id); },
  push(text, id) {
    let data = null;
    if (text !== null && text !== undefined) { data = $Object.create(PushMessageData.prototype); messageText.set(data, text); }
    runEvent(trusted(() => new PushEvent("push", {data})), id);
  },
  notificationclick(text, note, action, id) { runEvent(trusted(() => new NotificationEvent("notificationclick", {notification: notificationOf(note, text), action})), id); },
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
