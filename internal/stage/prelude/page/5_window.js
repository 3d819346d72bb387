// The window: addresses and history, storage, requests, the service worker, and what is only asked for (HTML Standard, XMLHttpRequest).
class Window extends EventTarget { constructor() { super(); throw new $TypeError("Illegal constructor"); } }
const address = () => $.parseURL(document._address, null);
let origin = ""; // known when the document begins
const loc = {get origin() { return origin; }};
const goTo = (ref, replace) => {
  const u = $.parseURL($String(ref), baseOf(document));
  if (!u) throw new DOMException("Failed to set the 'href' property on 'Location': '" + ref + "' is not a valid URL.", "SyntaxError");
  const here = document._address.split("#")[0];
  if (u.href.split("#")[0] === here && u.href.includes("#")) { toFragment(u.href, replace); return; }
  if (u.protocol === "javascript:") return;
  $.navigate(u.href, !!replace, "", "");
};
function toFragment(href, replace) {
  const from = document._address;
  if (href === from) return;
  document._address = href;
  $.moved(href, replace ? "replace" : "push", "null");
  fire(globalThis, made(PopStateEvent, "popstate", {state: null}), () => fire(globalThis, made(HashChangeEvent, "hashchange", {oldURL: from, newURL: href})));
}
class Location { constructor() { if (!trust) throw new $TypeError("Illegal constructor"); } }
for (const k of ["protocol", "host", "hostname", "port", "pathname", "search", "hash"]) getter(Location.prototype, k, () => address()[k], (v) => { const u = new URL(document._address); u[k] = v; goTo(u.href, false); });
getter(Location.prototype, "origin", () => origin);
getter(Location.prototype, "href", () => document._address, (v) => goTo(v, false));
getter(Location.prototype, "ancestorOrigins", () => []);
method(Location.prototype, "assign", (v) => goTo(v, false));
method(Location.prototype, "replace", (v) => goTo(v, true));
method(Location.prototype, "reload", () => $.navigate(document._address, true, "reload", ""));
method(Location.prototype, "toString", () => document._address);
const location = trusted(() => new Location());

let historyState = null;
class History { constructor() { if (!trust) throw new $TypeError("Illegal constructor"); } }
const move = (how) => (data, title, ref) => {
  const u = ref === undefined || ref === null ? address() : $.parseURL($String(ref), baseOf(document));
  if (!u || u.origin !== origin) throw new DOMException("Failed to execute '" + how + "State' on 'History': A history state object with URL '" + ref + "' cannot be created in a document with origin '" + origin + "' and URL '" + document._address + "'.", "SecurityError");
  historyState = structuredClone(data === undefined ? null : data);
  document._address = u.href;
  $.setBase(baseOf(document));
  let text = "null";
  try { text = JSON.stringify(historyState); } catch { /* it stays with this document */ }
  $.moved(u.href, how, text === undefined ? "null" : text);
};
method(History.prototype, "pushState", move("push"));
method(History.prototype, "replaceState", move("replace"));
for (const [name, by] of [["back", -1], ["forward", 1]]) method(History.prototype, name, () => $.traverse(by));
method(History.prototype, "go", (n) => { if (n) $.traverse($Number(n)); else location.reload(); });
getter(History.prototype, "length", () => $.historyLength());
getter(History.prototype, "state", () => historyState);
let scrollRestoration = "auto";
getter(History.prototype, "scrollRestoration", () => scrollRestoration, (v) => { scrollRestoration = v; });

// Storage (HTML Standard, "web storage").
class Storage { constructor() { if (!trust) throw new $TypeError("Illegal constructor"); } }
const storageArea = (kind) => {
  const area = trusted(() => new Storage());
  const api = {
    getItem: (k) => $.storageGet(kind, $String(k)), setItem: (k, v) => { if ($.storageSet(kind, $String(k), $String(v))) throw new QuotaExceededError("Failed to execute 'setItem' on 'Storage': Setting the value of '" + k + "' exceeded the quota."); },
    removeItem: (k) => { $.storageRemove(kind, $String(k)); }, clear: () => { for (const k of $.storageKeys(kind)) $.storageRemove(kind, k); }, key: (i) => { const all = $.storageKeys(kind); return i < all.length ? all[i] : null; },
  };
  return new Proxy(area, {
    get: (t, k) => (typeof k !== "string" ? t[k] : k === "length" ? $.storageKeys(kind).length : k in api ? api[k] : k in t ? t[k] : (api.getItem(k) === null ? undefined : api.getItem(k))),
    set: (_, k, v) => { api.setItem(k, v); return true; },
    has: (t, k) => k in t || (typeof k === "string" && api.getItem(k) !== null),
    deleteProperty: (_, k) => { api.removeItem(k); return true; },
    ownKeys: () => [...$.storageKeys(kind)],
    getOwnPropertyDescriptor: (_, k) => { const v = typeof k === "string" ? api.getItem(k) : null; return v === null ? undefined : {value: v, writable: true, enumerable: true, configurable: true}; },
  });
};
const localStorage = storageArea("local"), sessionStorage = storageArea("session");

// XMLHttpRequest, on top of fetch.
class XMLHttpRequestEventTarget extends EventTarget {}
for (const type of ["loadstart", "progress", "abort", "error", "load", "timeout", "loadend"]) handlerAttribute(XMLHttpRequestEventTarget.prototype, type);
class XMLHttpRequestUpload extends XMLHttpRequestEventTarget {}
class XMLHttpRequest extends XMLHttpRequestEventTarget {
  #state = 0; #method = ""; #url = ""; #headers = []; #answer = null; #bytes = null; #text = null; #abort = null; #sent = false; #mime = "";
  responseType = ""; timeout = 0; withCredentials = false;
  upload = new XMLHttpRequestUpload();
  get readyState() { return this.#state; }
  get status() { return this.#answer ? this.#answer.status : 0; }
  get statusText() { return this.#answer ? this.#answer.statusText : ""; }
  get responseURL() { return this.#answer ? this.#answer.url : ""; }
  open(verb, url) {
    const u = $.parseURL($String(url), baseOf(document));
    if (!u) throw new DOMException("Failed to execute 'open' on 'XMLHttpRequest': Invalid URL", "SyntaxError");
    this.#method = $String(verb).toUpperCase();
    this.#url = u.href;
    this.#headers = [];
    this.#answer = this.#bytes = this.#text = null;
    this.#sent = false;
    this.#to(1);
  }
  #to(state) { this.#state = state; this.dispatchEvent(made(Event, "readystatechange")); }
  setRequestHeader(k, v) { if (this.#state !== 1) throw new DOMException("Failed to execute 'setRequestHeader' on 'XMLHttpRequest': The object's state must be OPENED.", "InvalidStateError"); this.#headers.push([k, v]); }
  overrideMimeType(t) { this.#mime = t; }
  getResponseHeader(k) { return this.#answer ? this.#answer.headers.get(k) : null; }
  getAllResponseHeaders() { return this.#answer ? [...this.#answer.headers].map(([k, v]) => k + ": " + v + "\r\n").join("") : ""; }
  send(body = null) {
    if (this.#state !== 1 || this.#sent) throw new DOMException("Failed to execute 'send' on 'XMLHttpRequest': The object's state must be OPENED.", "InvalidStateError");
    this.#sent = true;
    const abort = (this.#abort = new AbortController());
    const progress = (type, n = 0) => this.dispatchEvent(made(ProgressEvent, type, {loaded: n, total: n, lengthComputable: n > 0}));
    const fail = (type) => { if (abort !== this.#abort) return; this.#answer = null; this.#to(4); progress(type); progress("loadend"); };
    let timer = 0;
    progress("loadstart");
    if (this.timeout > 0) timer = $.setTimer(() => { abort.abort(); fail("timeout"); this.#abort = null; }, this.timeout, false);
    if (body instanceof Node) body = body.outerHTML || body.textContent;
    fetch(this.#url, {method: this.#method, headers: this.#headers, body: this.#method === "GET" || this.#method === "HEAD" ? undefined : body === null ? undefined : body, credentials: this.withCredentials ? "include" : "same-origin", signal: abort.signal}).then(async (answer) => {
      if (abort !== this.#abort) return;
      this.#answer = answer;
      this.#to(2);
      const bytes = await answer.arrayBuffer();
      if (abort !== this.#abort) return;
      $.clearTimer(timer);
      this.#bytes = bytes;
      this.#to(3);
      this.#to(4);
      progress("load", bytes.byteLength);
      progress("loadend", bytes.byteLength);
    }, () => { $.clearTimer(timer); fail("error"); });
  }
  abort() {
    const running = this.#abort && this.#sent && this.#state < 4;
    if (this.#abort) this.#abort.abort();
    this.#abort = null;
    if (running) { this.#to(4); this.dispatchEvent(made(ProgressEvent, "abort")); this.dispatchEvent(made(ProgressEvent, "loadend")); }
    this.#state = 0;
  }
  get responseText() {
    if (this.responseType !== "" && this.responseType !== "text") throw new DOMException("Failed to read the 'responseText' property from 'XMLHttpRequest': The value is only accessible if the object's 'responseType' is '' or 'text' (was '" + this.responseType + "').", "InvalidStateError");
    if (!this.#bytes) return "";
    if (this.#text === null) this.#text = new TextDecoder().decode(this.#bytes);
    return this.#text;
  }
  get responseXML() { return this.#bytes && /xml|html/.test(this.#mime || this.getResponseHeader("content-type") || "") ? new DOMParser().parseFromString(new TextDecoder().decode(this.#bytes), "text/html") : null; }
  get response() {
    switch (this.responseType) {
      case "": case "text": return this.responseText;
      case "arraybuffer": return this.#bytes;
      case "blob": return this.#bytes ? new Blob([this.#bytes], {type: this.getResponseHeader("content-type") || ""}) : null;
      case "json": try { return this.#bytes ? JSON.parse(new TextDecoder().decode(this.#bytes)) : null; } catch { return null; }
      case "document": return this.responseXML;
    }
    return null;
  }
}
handlerAttribute(XMLHttpRequest.prototype, "readystatechange");
for (const [name, value] of [["UNSENT", 0], ["OPENED", 1], ["HEADERS_RECEIVED", 2], ["LOADING", 3], ["DONE", 4]]) for (const target of [XMLHttpRequest, XMLHttpRequest.prototype]) $Object.defineProperty(target, name, {value, enumerable: true});

class DOMParser {
  parseFromString(text, type) {
    if (!/^(text\/html|text\/xml|application\/xml|application\/xhtml\+xml|image\/svg\+xml)$/.test(type)) throw new $TypeError("Failed to execute 'parseFromString' on 'DOMParser': The provided value '" + type + "' is not a valid enum value of type SupportedType.");
    const made = new dom.impl.DOMImplementation(null).createHTMLDocument("");
    made.removeChild(made.documentElement);
    if (made.firstChild) made.removeChild(made.firstChild);
    made._address = document._address;
    build($.tree($String(text)), 0, [made], true);
    return made;
  }
}
class XMLSerializer { serializeToString(node) {
  if (node.nodeType === ELEMENT && node.namespaceURI === "http://www.w3.org/1999/xhtml" && !node.hasAttribute("xmlns")) return node.outerHTML.replace(/^<([^\s/>]+)/, '<$1 xmlns="http://www.w3.org/1999/xhtml"');
  return node.nodeType === DOCUMENT ? node.serialize() : node.outerHTML !== undefined ? node.outerHTML : node.nodeType === FRAGMENT ? node.serialize() : node.data;
} }
// XPath is not known here: an expression finds nothing.
class XPathEvaluator {
  createExpression() { return {evaluate: () => ({iterateNext: () => null, snapshotLength: 0, snapshotItem: () => null, singleNodeValue: null, stringValue: "", booleanValue: false, numberValue: NaN})}; }
  createNSResolver(n) { return n; }
  evaluate() { return this.createExpression().evaluate(); }
}
for (const name of ["createExpression", "createNSResolver", "evaluate"]) method(docProto, name, XPathEvaluator.prototype[name]);

// Observers: everything is in view, and of its size once.
const observer = (name, entry) => {
  const state = slots();
  const Kind = {[name]: class {
    constructor(callback, options = {}) { if (typeof callback !== "function") throw new $TypeError("Failed to construct '" + name + "': parameter 1 is not of type 'Function'."); state.set(this, {callback, targets: new $Set(), queue: [], options}); }
    get root() { return (state.get(this).options || {}).root || null; }
    get rootMargin() { return "0px 0px 0px 0px"; }
    get thresholds() { return [0]; }
    observe(target) {
      const s = state.get(this);
      if (s.targets.has(target)) return;
      s.targets.add(target);
      s.queue.push(target);
      if (s.queue.length === 1) $.setTimer(() => {
        const list = s.queue.splice(0).filter((t) => s.targets.has(t)).map(entry);
        if (list.length) s.callback.call(this, list, this);
      }, 16, false);
    }
    unobserve(target) { state.get(this).targets.delete(target); }
    disconnect() { const s = state.get(this); s.targets.clear(); s.queue.length = 0; }
    takeRecords() { return []; }
  }}[name];
  return Kind;
};
const IntersectionObserver = observer("IntersectionObserver", (target) => { const r = box(target), on = r.width > 0; return {target, isIntersecting: on, isVisible: false, intersectionRatio: on ? 1 : 0, boundingClientRect: r, intersectionRect: r, rootBounds: new DOMRect(0, 0, SCREEN.width, SCREEN.height), time: $.now()}; });
const ResizeObserver = observer("ResizeObserver", (target) => { const r = box(target), size = [{inlineSize: r.width, blockSize: r.height}]; return {target, contentRect: r, contentBoxSize: size, borderBoxSize: size, devicePixelContentBoxSize: size}; });

// Media queries, by a stated screen: 1280 by 800, a fine pointer, light colours.
const mediaMatches = (query) => query.split(",").some((part) => {
  const text = part.trim().toLowerCase(), not = /^not\b/.test(text);
  let ok = !/^(not\s+)?(only\s+)?(print|speech|tv)\b/.test(text);
  for (const m of text.matchAll(/\(([^()]*)\)/g)) {
    const q = m[1].trim(), n = parseFloat((q.match(/[\d.]+/) || ["0"])[0]) * (/em/.test(q) ? 16 : 1);
    const is = /^min-width/.test(q) ? SCREEN.width >= n : /^max-width/.test(q) ? SCREEN.width <= n : /^min-height/.test(q) ? SCREEN.height >= n : /^max-height/.test(q) ? SCREEN.height <= n : /^width\s*>=/.test(q) ? SCREEN.width >= n : /^width\s*<=/.test(q) ? SCREEN.width <= n :
      /^width\s*>/.test(q) ? SCREEN.width > n : /^width\s*</.test(q) ? SCREEN.width < n :
      /^prefers-color-scheme:\s*light$|^orientation:\s*landscape$|^(any-)?hover(:\s*hover)?$|^(any-)?pointer:\s*fine$|^display-mode:\s*browser$|^prefers-reduced-motion:\s*no-preference$|^prefers-contrast:\s*no-preference$|^color$|^scripting:\s*enabled$|^update:\s*fast$|^forced-colors:\s*none$/.test(q);
    if (!is) ok = false;
  }
  return not ? !ok : ok;
});
class MediaQueryList extends EventTarget {
  #media;
  constructor(media) { super(); this.#media = media; }
  get media() { return this.#media; }
  get matches() { return mediaMatches(this.#media); }
  addListener(f) { this.addEventListener("change", f); }
  removeListener(f) { this.removeEventListener("change", f); }
}
handlerAttribute(MediaQueryList.prototype, "change");

// The service worker, as pages see it (Service Workers, section 3).
const workers = new $Map(), registrations = new $Map();
class ServiceWorker extends EventTarget { #info; constructor(info) { if (!trust) throw new $TypeError("Illegal constructor"); super(); this.#info = info; }
  get scriptURL() { return this.#info.url; }
  get state() { return this.#info.state; }
  postMessage(message, transfer) { const [data, ports] = cloneFor(message, transfer); $.postToWorker(this.#info.id, data, ports); }
  static _info(w) { return w.#info; } }
const workerInfo = ServiceWorker._info;
delete ServiceWorker._info;
for (const type of ["statechange", "error"]) handlerAttribute(ServiceWorker.prototype, type);
const workerOf = (info) => {
  if (!info) return null;
  let w = workers.get(info.id);
  if (!w) workers.set(info.id, w = trusted(() => new ServiceWorker({id: info.id, url: info.url, state: info.state})));
  return w;
};
const cloneFor = (message, transfer) => [structuredClone(message, Array.isArray(transfer) ? {transfer} : transfer), ($Array.isArray(transfer) ? transfer : (transfer && transfer.transfer) || []).filter((p) => p instanceof MessagePort)];
class ServiceWorkerRegistration extends EventTarget {
  #id;
  constructor(id) { if (!trust) throw new $TypeError("Illegal constructor"); super(); this.#id = id; }
  #now() { return $.registration(this.#id) || {}; }
  get scope() { return this.#now().scope || ""; }
  get installing() { return workerOf(this.#now().installing); }
  get waiting() { return workerOf(this.#now().waiting); }
  get active() { return workerOf(this.#now().active); }
  get updateViaCache() { return this.#now().viaCache || "imports"; }
  get navigationPreload() { return {enable: async () => {}, disable: async () => {}, setHeaderValue: async () => {}, getState: async () => ({enabled: false, headerValue: "true"})}; }
  get sync() { const id = this.#id; return {register: async (tag) => { $.syncFor(id, $String(tag)); }, getTags: async () => []}; }
  get periodicSync() { return periodicSync; }
  get pushManager() { return {subscribe: refused("Registration failed - permission denied", "NotAllowedError"), getSubscription: async () => null, permissionState: async () => "prompt"}; }
  get backgroundFetch() { return backgroundFetch; }
  get cookies() { return cookieSubscriptions; }
  update() { return new $Promise((resolve, reject) => $.updateOf(this.#id, (error) => { if (error) reject(new $TypeError(error)); else resolve(this); })); }
  unregister() { return new $Promise((resolve) => $.task(() => resolve($.unregister(this.#id)))); }
  showNotification() { return $Promise.reject(new $TypeError("Failed to execute 'showNotification' on 'ServiceWorkerRegistration': No notification permission has been granted for this origin.")); }
  async getNotifications() { return []; }
}
handlerAttribute(ServiceWorkerRegistration.prototype, "updatefound");
const registrationOf = (id) => {
  if (id === null || id === undefined) return undefined;
  let r = registrations.get(id);
  if (!r) registrations.set(id, r = trusted(() => new ServiceWorkerRegistration(id)));
  return r;
};
let readyPromise = null, readyResolve = null;
class ServiceWorkerContainer extends EventTarget {
  constructor() { if (!trust) throw new $TypeError("Illegal constructor"); super(); }
  get controller() { return workerOf($.controller()); }
  get ready() {
    if (!readyPromise) { readyPromise = new $Promise((resolve) => { readyResolve = resolve; }); lookReady(); }
    return readyPromise;
  }
  register(url, options = {}) {
    return new $Promise((resolve, reject) => {
      const u = $.parseURL($String(url), baseOf(document));
      const scope = options && options.scope !== undefined ? $.parseURL($String(options.scope), baseOf(document)) : null;
      const via = options && options.updateViaCache !== undefined ? $String(options.updateViaCache) : "imports";
      if (!["imports", "all", "none"].includes(via)) { reject(new $TypeError("Failed to execute 'register' on 'ServiceWorkerContainer': Failed to read the 'updateViaCache' property from 'RegistrationOptions': The provided value '" + via + "' is not a valid enum value of type ServiceWorkerUpdateViaCache.")); return; }
      if (!u || (options && options.scope !== undefined && !scope)) { reject(new $TypeError("Failed to execute 'register' on 'ServiceWorkerContainer': Failed to parse URL.")); return; }
      $.register(u.href, scope ? scope.href : "", !!options && options.type === "module", (error, kind, id) => {
        if (error) reject(kind === "SecurityError" ? new DOMException(error, kind) : new $TypeError(error));
        else resolve(registrationOf(id));
      }, via);
    });
  }
  async getRegistration(url) { const u = url === undefined ? address() : $.parseURL($String(url), baseOf(document)); return later(() => registrationOf($.registrationFor(u ? u.href : ""))); }
  async getRegistrations() { return later(() => $.registrations().map(registrationOf)); }
  startMessages() {}
}
for (const type of ["controllerchange", "message", "messageerror"]) handlerAttribute(ServiceWorkerContainer.prototype, type);
const container = trusted(() => new ServiceWorkerContainer());
function lookReady() {
  if (!readyResolve) return;
  const id = $.registrationFor(document._address);
  const r = registrationOf(id);
  if (r && r.active) { readyResolve(r); readyResolve = null; }
}

// The navigator.
class Navigator { constructor() { if (!trust) throw new $TypeError("Illegal constructor"); } }
const locks = trusted(() => new LockManager());
const storage = {__proto__: named.StorageManager.prototype, async estimate() { return $.estimate(); }, async persisted() { return false; }, async persist() { return false; }, async getDirectory() { throw new DOMException("Files of the origin's own are not part of this stage.", "NotSupportedError"); }};
const denied = refused("Permission denied", "NotAllowedError");
let watching = 0;
const position = (came, fail) => {
  const at = $.place();
  $.task(() => {
    if (at) came({coords: {latitude: at[0], longitude: at[1], accuracy: 1, altitude: null, altitudeAccuracy: null, heading: null, speed: null}, timestamp: Date.now()});
    else if (fail) fail({code: 1, message: "User denied Geolocation", PERMISSION_DENIED: 1, POSITION_UNAVAILABLE: 2, TIMEOUT: 3});
  });
  return ++watching;
};
const navigatorValues = {
  userAgent: "Mozilla/5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36", appVersion: "5.0 (X11; Linux x86_64) AppleWebKit/537.36 (KHTML, like Gecko) Chrome/156.0.0.0 Safari/537.36", appName: "Netscape", appCodeName: "Mozilla", product: "Gecko", productSub: "20030107",
  vendor: "Google Inc.", vendorSub: "", platform: "Linux x86_64", language: "en-US", languages: $Object.freeze(["en-US", "en"]), hardwareConcurrency: 2, deviceMemory: 8, maxTouchPoints: 0, cookieEnabled: true, doNotTrack: null, webdriver: false, pdfViewerEnabled: true,
  connection: {effectiveType: "4g", downlink: 10, rtt: 50, saveData: false, addEventListener() {}, removeEventListener() {}}, storage, locks, permissions, userAgentData: agentData, serviceWorker: container, plugins: [], mimeTypes: [],
  clipboard: {writeText: denied, readText: denied, write: denied, read: denied}, mediaDevices: {getUserMedia: denied, enumerateDevices: async () => [], getSupportedConstraints: () => ({}), addEventListener() {}, removeEventListener() {}}, geolocation: {getCurrentPosition: (came, fail) => { position(came, fail); }, watchPosition: position, clearWatch() {}},
  mediaSession: {metadata: null, playbackState: "none", setActionHandler() {}, setPositionState() {}}, wakeLock: {request: denied}, credentials: {get: async () => null, store: async () => {}, create: denied, preventSilentAccess: async () => {}}, userActivation: {isActive: false, hasBeenActive: false},
  scheduling: {isInputPending: () => false}, keyboard: undefined,
};
for (const k of $Object.keys(navigatorValues)) if (navigatorValues[k] !== undefined) getter(Navigator.prototype, k, () => navigatorValues[k]);
getter(Navigator.prototype, "onLine", () => $.online());
method(Navigator.prototype, "sendBeacon", (url, data) => {
  const u = $.parseURL($String(url), baseOf(document));
  if (!u || !/^https?:/.test(u.href)) throw new $TypeError("Failed to execute 'sendBeacon' on 'Navigator': The URL argument is ill-formed or unsupported.");
  const size = typeof data === "string" ? data.length : data && data.size !== undefined ? data.size : data && data.byteLength !== undefined ? data.byteLength : 0;
  if (size > 65536) return false;
  fetch(u.href, {method: "POST", body: data, mode: "no-cors", credentials: "include", keepalive: true}).catch(() => {});
  return true;
});
method(Navigator.prototype, "vibrate", () => true);
method(Navigator.prototype, "javaEnabled", () => false);
method(Navigator.prototype, "canShare", () => false);
method(Navigator.prototype, "share", denied);
method(Navigator.prototype, "setAppBadge", async () => {});
method(Navigator.prototype, "clearAppBadge", async () => {});
method(Navigator.prototype, "getGamepads", () => [null, null, null, null]);
method(Navigator.prototype, "registerProtocolHandler", () => {});
method(Navigator.prototype, "getInstalledRelatedApps", async () => []);
method(Navigator.prototype, "requestMediaKeySystemAccess", denied);

// Workers of a page's own, which are not run here.
class Worker extends EventTarget {
  constructor(url) { super(); $.note("new Worker", $String(url)); $.task(() => this.dispatchEvent(made(ErrorEvent, "error", {message: "dedicated workers are not run here"}))); }
  postMessage() {}
  terminate() {}
}
for (const type of ["message", "messageerror", "error"]) handlerAttribute(Worker.prototype, type);
class SharedWorker extends EventTarget { constructor(url) { super(); $.note("new SharedWorker", $String(url)); this.port = new MessageChannel().port1; } }

// Frames and idle time.
let frames = new $Map(), frameTimer = 0, lastFrame = 0;
const requestAnimationFrame = (f) => {
  const id = ++lastFrame;
  frames.set(id, f);
  if (!frameTimer) frameTimer = $.setTimer(() => {
    frameTimer = 0;
    const now = frames;
    frames = new $Map();
    for (const g of now.values()) { try { g($.now()); } catch (e) { report("frame", e); } }
  }, 16, false);
  return id;
};

// giveDocument puts a document into the window.
function giveDocument() {
  $Object.defineProperty(globalThis, "document", {value: document, enumerable: true, configurable: false, writable: false});
  windowReady = true;
}
const illegalAsFunction = (Kind, name) => {
  const p = Kind.prototype;
  const F = {[name]: function () {
    if (new.target === undefined || new.target === F) throw new $TypeError("Illegal constructor");
    return construct(new.target, F);
  }}[name];
  F.prototype = p;
  $Object.defineProperty(p, "constructor", {value: F, writable: true, configurable: true, enumerable: false});
  if (Kind === Node || Kind.supports) for (const k of $Object.getOwnPropertyNames(Kind)) if (!(k in F)) F[k] = Kind[k];
  return F;
};
const interfaces = {};
for (const name of $Object.keys(dom.impl)) {
  const Kind = dom.impl[name];
  if (typeof Kind !== "function" || !Kind.prototype || /^(Window|HTMLParser|DOMException|Event|CustomEvent|UIEvent|MouseEvent|EventTarget|Location|NodeFilter)$/.test(name)) continue;
  interfaces[name] = Kind.prototype instanceof Node || name === "Node" ? illegalAsFunction(Kind, name) : Kind;
}
for (const [name, parent] of [["Node", EventTarget], ["CharacterData", interfaces.Node], ["Element", interfaces.Node], ["HTMLElement", interfaces.Element], ["Document", interfaces.Node], ["DocumentFragment", interfaces.Node]]) if (interfaces[name]) $Object.setPrototypeOf(interfaces[name], parent);
for (const name of $Object.keys(interfaces)) if (/^HTML.+Element$/.test(name)) $Object.setPrototypeOf(interfaces[name], interfaces.HTMLElement);
interfaces.HTMLDocument = interfaces.Document;
interfaces.Text = $Object.assign(function Text(data = "") { return document.createTextNode($String(data)); }, {prototype: dom.impl.Text.prototype});
interfaces.Comment = $Object.assign(function Comment(data = "") { return document.createComment($String(data)); }, {prototype: dom.impl.Comment.prototype});
interfaces.DocumentFragment = $Object.assign(function DocumentFragment() { if (new.target && new.target !== interfaces.DocumentFragment) throw new $TypeError("Illegal constructor"); return document.createDocumentFragment(); }, {prototype: dom.impl.DocumentFragment.prototype});
interfaces.Document = $Object.assign(interfaces.Document, {parseHTMLUnsafe: (t) => new DOMParser().parseFromString(t, "text/html")});
interfaces.Attr = $Object.assign(function Attr() { throw new $TypeError("Illegal constructor"); }, {prototype: attrProto});
interfaces.SVGElement = interfaces.SVGElement || (dom.svg && dom.svg.elements && dom.svg.elements.SVGElement) || class SVGElement {};
for (const name of ["HTMLCollection", "NamedNodeMap", "DOMTokenList", "StyleSheet", "CSSRule", "CSSStyleRule", "MediaList", "Selection", "HTMLSlotElement", "HTMLDialogElement", "HTMLPictureElement", "HTMLDetailsElement", "HTMLOutputElement", "HTMLDataElement", "HTMLTimeElement", "HTMLFrameElement", "HTMLObjectElement", "HTMLEmbedElement",
  "SVGSVGElement", "SVGGraphicsElement", "MathMLElement", "XMLDocument", "CDATASection", "AbstractRange", "StaticRange", "Screen", "NavigatorLogin", "DataTransfer", "FileList", "ValidityState", "TimeRanges", "ElementInternals", "VisualViewport", "CSSStyleDeclaration", "HTMLOptionsCollection", "HTMLFormControlsCollection", "RadioNodeList",
  "IntersectionObserverEntry", "ResizeObserverEntry", "PerformanceNavigationTiming", "PerformanceResourceTiming", "SpeechSynthesisUtterance"]) if (!interfaces[name]) interfaces[name] = illegal(name);
if (dom.impl.CSSStyleDeclaration) interfaces.CSSStyleDeclaration = dom.impl.CSSStyleDeclaration;
$Object.defineProperty(interfaces.NodeList || (interfaces.NodeList = NodeList), "name", {value: "NodeList", configurable: true});

const scope = {
  DOMException, Event, CustomEvent, MessageEvent, ErrorEvent, PromiseRejectionEvent, EventTarget, AbortSignal, AbortController, URL, URLSearchParams, URLPattern, ReadableStream, ReadableStreamDefaultReader, ReadableStreamDefaultController, WritableStream,
  WritableStreamDefaultWriter, TransformStream, Blob, File, Headers, Request, Response, Cache, CacheStorage, TextEncoder, TextDecoder, MessagePort, MessageChannel, BroadcastChannel, IDBFactory, IDBDatabase, IDBTransaction, IDBObjectStore, IDBIndex,
  IDBCursor, IDBCursorWithValue, IDBKeyRange, IDBRequest, IDBOpenDBRequest, IDBVersionChangeEvent, CountQueuingStrategy, ByteLengthQueuingStrategy, TextDecoderStream, TextEncoderStream, CompressionStream, DecompressionStream, ReadableStreamBYOBReader,
  FileReader, ProgressEvent, CloseEvent, WebSocket, LockManager, Performance, Notification, ...named, ...web, ...interfaces, ...kindsOfEvents, FormData: PageFormData, Window, Location, History, Storage, Navigator, XMLHttpRequest, XMLHttpRequestEventTarget, XMLHttpRequestUpload, DOMParser, XMLSerializer, XPathEvaluator,
  AudioContext, BaseAudioContext, AudioNode, AudioParam, webkitAudioContext: AudioContext, MutationObserver, MutationRecord, IntersectionObserver, ResizeObserver, MediaQueryList, ServiceWorker, ServiceWorkerRegistration, ServiceWorkerContainer, Worker, SharedWorker, ShadowRoot, CustomElementRegistry, Range, CSSStyleSheet,
};
delete scope.WorkerGlobalScope;
delete scope.WorkerLocation;
for (const k of $Object.keys(scope)) if (/^(ExtendableEvent|PaymentRequestEvent|CanMakePaymentEvent|PeriodicSyncEvent|PushSubscriptionChangeEvent|BackgroundFetchEvent|ExtendableCookieChangeEvent)$/.test(k)) delete scope[k];
$.globals(scope, true);
$Object.setPrototypeOf(globalThis, Window.prototype);
const customElements = new CustomElementRegistry();
const performance = trusted(() => new Performance());
const values = {
  self: globalThis, window: globalThis, frames: globalThis, parent: globalThis, top: globalThis, fetch, structuredClone, console, crypto, location, history: trusted(() => new History()), caches: new CacheStorage(), indexedDB: new IDBFactory(), navigator: trusted(() => new Navigator()),
  isSecureContext: true, crossOriginIsolated: false, performance, localStorage, sessionStorage, customElements, screen: {width: SCREEN.width, height: SCREEN.height, availWidth: SCREEN.width, availHeight: SCREEN.height, colorDepth: 24, pixelDepth: 24, orientation: {type: "landscape-primary", angle: 0, addEventListener() {}, removeEventListener() {}}},
  innerWidth: SCREEN.width, innerHeight: SCREEN.height, outerWidth: SCREEN.width, outerHeight: SCREEN.height, devicePixelRatio: 1, scrollX: 0, scrollY: 0, pageXOffset: 0, pageYOffset: 0, screenX: 0, screenY: 0, screenLeft: 0, screenTop: 0, length: 0, name: "", closed: false, opener: null, frameElement: null, status: "",
  visualViewport: $Object.assign(new EventTarget(), {width: SCREEN.width, height: SCREEN.height, scale: 1, offsetTop: 0, offsetLeft: 0, pageTop: 0, pageLeft: 0}),
  matchMedia: (q) => new MediaQueryList($String(q)), getComputedStyle, getSelection: () => selection, requestAnimationFrame, cancelAnimationFrame: (id) => { frames.delete(id); },
  requestIdleCallback: (f) => $.setTimer(() => f({didTimeout: false, timeRemaining: () => 10}), 50, false), cancelIdleCallback: (id) => { $.clearTimer(id); },
  alert: () => {}, confirm: () => false, prompt: () => null, print: () => {}, stop: () => {}, focus: () => {}, blur: () => {}, close: () => {}, open: () => null, scroll: () => {}, scrollTo: () => {}, scrollBy: () => {}, moveTo: () => {}, resizeTo: () => {}, find: () => false,
  postMessage: (message, target, transfer) => { const [data, ports] = cloneFor(message, typeof target === "object" ? target : transfer); $.task(() => fire(globalThis, made(MessageEvent, "message", {data, origin, source: globalThis, ports}))); },
  createImageBitmap: async () => { throw new DOMException("The source image could not be decoded.", "InvalidStateError"); },
  reportError: (e) => { report("reportError", e); },
  atob: (s) => { const r = $.atob($String(s)); if (r === null) throw new DOMException("Failed to execute 'atob' on 'Window': The string to be decoded is not correctly encoded.", "InvalidCharacterError"); return r; },
  btoa: (s) => { const r = $.btoa($String(s)); if (r === null) throw new DOMException("Failed to execute 'btoa' on 'Window': The string to be encoded contains characters outside of the Latin1 range.", "InvalidCharacterError"); return r; },
  queueMicrotask: (f) => { if (typeof f !== "function") throw new $TypeError("Failed to execute 'queueMicrotask' on 'Window': parameter 1 is not of type 'Function'."); $Promise.resolve().then(() => { try { f(); } catch (e) { report("microtask", e); } }); },
  setTimeout: (f, ms, ...args) => $.setTimer(handlerOf(f, args), ms >= 1 ? $Number(ms) || 1 : 1, false), setInterval: (f, ms, ...args) => $.setTimer(handlerOf(f, args), $Number(ms) || 0, true),
  clearTimeout: (id) => { $.clearTimer($Number(id) || 0); }, clearInterval: (id) => { $.clearTimer($Number(id) || 0); },
  Image: function Image(width, height) { const e = document.createElement("img"); if (width !== undefined) e.setAttribute("width", width); if (height !== undefined) e.setAttribute("height", height); return e; },
  Audio: function Audio(src) { const e = document.createElement("audio"); e.setAttribute("preload", "auto"); if (src !== undefined) e.setAttribute("src", src); return e; },
  Option: function Option(text = "", value, selected) { const e = document.createElement("option"); e.textContent = text; if (value !== undefined) e.setAttribute("value", value); if (selected) e.setAttribute("selected", ""); return e; },
  NodeFilter: dom.impl.NodeFilter, CSS: {escape: (s) => $String(s).replace(/[^\w\u0080-\uffff-]/g, (c) => "\\" + c).replace(/^(-?)(\d)/, (_, a, d) => a + "\\3" + d + " "), supports: () => true}, external: {}, speechSynthesis: {getVoices: () => [], speak() {}, cancel() {}, addEventListener() {}, onvoiceschanged: null},
  menubar: {visible: true}, toolbar: {visible: true}, locationbar: {visible: true}, personalbar: {visible: true}, scrollbars: {visible: true}, statusbar: {visible: true},
};
values.Image.prototype = dom.impl.HTMLImageElement.prototype;
$.globals(values, false);
$.globals(webValues, false);
getter(globalThis, "event", () => currentEvent, (v) => $Object.defineProperty(globalThis, "event", {value: v, writable: true, configurable: true, enumerable: true}));
for (const name of ["location"]) $Object.defineProperty(globalThis, name, {get: () => location, set: (v) => { location.href = v; }, enumerable: true, configurable: false});
handlers(globalThis, [...handlerTypes, ...windowTypes]);
dom.impl.HTMLImageElement.prototype.constructor = interfaces.HTMLImageElement;

// What a visitor reads: text nodes of the body in order, white space collapsed.
const BLOCKS = /^(address|article|aside|blockquote|body|br|dd|details|dialog|div|dl|dt|fieldset|figcaption|figure|footer|form|h[1-6]|header|hr|html|legend|li|main|menu|nav|ol|option|p|pre|search|section|select|summary|table|tbody|td|tfoot|th|thead|tr|ul)$/;
function textOf(node, out) {
  if (node.nodeType === TEXT) { out.push(node.data); return; }
  if (node.nodeType !== ELEMENT && node.nodeType !== FRAGMENT) return;
  if (node.nodeType === ELEMENT) {
    const name = node.localName;
    if (/^(script|style|template|noscript)$/.test(name) || node.hasAttribute("hidden") || inlineOf(node, "display") === "none") return;
    if (BLOCKS.test(name)) out.push(" ");
    if (node.shadowRoot_ && node.shadowRoot_.mode_ === "open") textOf(node.shadowRoot_, out);
    else if (name === "slot" && shadowOf(rootOf(node))) for (const n of node.assignedNodes({flatten: true})) textOf(n, out);
    else for (let n = node.firstChild; n; n = n.nextSibling) textOf(n, out);
    if (BLOCKS.test(name)) out.push(" ");
    return;
  }
  for (let n = node.firstChild; n; n = n.nextSibling) textOf(n, out);
}

// Uncaught errors are told to the window first (HTML Standard, "report an exception").
let reporting = false;
function uncaught(error, at) {
  if (reporting) return false;
  reporting = true;
  try {
    const e = made(ErrorEvent, "error", {message: at.message, filename: at.file, lineno: at.line, colno: at.column, error, cancelable: true});
    dispatch(globalThis, e);
    return e.defaultPrevented;
  } finally { reporting = false; }
}
$.hooks({
  response: responseFrom, request: requestFrom, cache: cacheOf,
  exception: (message, name) => new DOMException(message, name),
  begin, feed,
  uncaught: (error, message, file, line, column) => uncaught(error, {message, file, line, column}),
  rejected: (promise, reason) => { const e = made(PromiseRejectionEvent, "unhandledrejection", {promise, reason, cancelable: true}); dispatch(globalThis, e); return e.defaultPrevented; },
  text: () => { const out = []; if (document.body) textOf(document.body, out); return out.join("").replace(/\s+/g, " ").trim(); },
  markup: () => shadows ? "" : document.documentElement ? document.documentElement.outerHTML : "",
  title: () => { const t = document.getElementsByTagName("title")[0]; return t ? t.textContent.replace(/[\t\n\f\r ]+/g, " ").trim() : ""; },
  manifest: () => { const l = document.querySelector("link[rel~='manifest' i][href]"); return l ? l.href : ""; },
  message: (data, worker) => fire(container, made(MessageEvent, "message", {data, origin, source: workerOf(worker)})),
  controllerchange: () => { lookReady(); fire(container, made(Event, "controllerchange")); },
  workerstate: (id, state) => { const w = workers.get(id); if (!w) return; workerInfo(w).state = state; if (state === "activated" || state === "activating") lookReady(); fire(w, made(Event, "statechange")); },
  updatefound: (id) => { const r = registrations.get(id); if (r) fire(r, made(Event, "updatefound")); },
  network: (on) => fire(globalThis, made(Event, on ? "online" : "offline")),
  // members gives the names of all that interfaces and global objects have here.
  members() {
    const all = new $Set();
    const add = (o) => { for (; o && o !== $Object.prototype; o = $Object.getPrototypeOf(o)) for (const k of $Object.getOwnPropertyNames(o)) all.add(k); };
    add(globalThis);
    for (const k of $Object.getOwnPropertyNames(globalThis)) {
      const {value} = $Object.getOwnPropertyDescriptor(globalThis, k);
      if (typeof value !== "function" && (typeof value !== "object" || !value)) continue;
      if (typeof value === "function") { add(value); if (value.prototype) add(value.prototype); continue; }
      const parent = $Object.getPrototypeOf(value);
      add(parent === $Object.prototype ? value : parent); // what storage holds is no member
    }
    return [...all];
  },
  broadcast: (name, data) => { for (const c of channels) if (c.name === name) fire(c, made(MessageEvent, "message", {data, origin})); },
  popstate: (url, state) => {
    const from = document._address;
    document._address = url;
    historyState = state === null ? null : JSON.parse(state);
    fire(globalThis, made(PopStateEvent, "popstate", {state: historyState}), () => { if (from.split("#")[0] === url.split("#")[0] && from !== url) fire(globalThis, made(HashChangeEvent, "hashchange", {oldURL: from, newURL: url})); });
  },
  leave: () => { fire(globalThis, made(PageTransitionEvent, "pagehide", {persisted: false})); },
  find: (what) => { const e = findElement(what); return e ? describeElement(e) : ""; },
  click: (what) => { const e = findElement(what); if (!e) return false; clickOn(e); return true; },
  type: (what, text) => {
    const e = findElement(what);
    if (!e) return false;
    e.focus();
    e.value = text;
    fire(e, made(InputEvent, "input", {bubbles: true, composed: true, data: text, inputType: "insertText"}), () => fire(e, made(Event, "change", {bubbles: true})));
    return true;
  },
  choose: (what, value) => {
    const e = findElement(what);
    if (!e) return false;
    if (e.localName === "select") { const o = options(e).find((o) => o.value === value || o.text === value); if (!o) return false; e.value = o.value; } else e.checked = value !== "false";
    fire(e, made(Event, "input", {bubbles: true, composed: true}), () => fire(e, made(Event, "change", {bubbles: true})));
    return true;
  },
  submit: (what) => { const e = findElement(what), form = e && (e.localName === "form" ? e : formOf(e)); if (!form) return false; requestSubmit(form, null); return true; },
  links: () => linksIn(document, []).map((a) => { const u = $.parseURL(a.getAttribute("href").trim(), baseOf(document)); return u ? u.href : ""; }),
});
// linksIn collects the links of a document, those in open shadow roots, too.
function linksIn(root, out) {
  for (const e of root.querySelectorAll("*")) {
    if ((e.localName === "a" || e.localName === "area") && e.hasAttribute("href")) out.push(e);
    if (e.shadowRoot) linksIn(e.shadowRoot, out);
  }
  return out;
}
// findElement finds what a story names: by selector, else by the text that a visitor reads on it.
function findElement(what) {
  try { const e = document.querySelector(what); if (e) return e; } catch { /* it is a text */ }
  const text = (e) => { const out = []; textOf(e, out); return (out.join("").replace(/\s+/g, " ").trim() || e.getAttribute("aria-label") || e.value || "").toLowerCase(); };
  const want = what.toLowerCase();
  const all = [...document.querySelectorAll("a[href], button, input, summary, label, [role=button], [onclick], select, textarea")].filter((e) => displayed(e));
  return all.find((e) => text(e) === want) || all.find((e) => text(e).includes(want)) || [...document.querySelectorAll("body *")].reverse().find((e) => displayed(e) && text(e) === want) || null;
}
const describeElement = (e) => "<" + e.localName + (e.id ? " id=" + e.id : "") + ">";
// clickOn does what a tap does.
function clickOn(e) {
  const init = {bubbles: true, cancelable: true, composed: true, view: globalThis, button: 0, detail: 1, pointerType: "mouse", isPrimary: true};
  fire(e, made(PointerEvent, "pointerdown", init), () => fire(e, made(MouseEvent, "mousedown", init), () => {
    if (e.focus) e.focus();
    fire(e, made(PointerEvent, "pointerup", init), () => fire(e, made(MouseEvent, "mouseup", init), () => {
      const event = made(PointerEvent, "click", init);
      beginEvent(event, e);
      activate(event, (then) => fire(e, event, then));
    }));
  }));
}
