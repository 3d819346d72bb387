
// Further interfaces that workers ask for by name, or use in passing: they do what they do for a visitor who was asked for nothing.
const refused = (message, name) => async () => { throw new DOMException(message, name); };
const web = {};
for (const name of ["BackgroundFetchManager", "BackgroundFetchRegistration", "PeriodicSyncManager", "CookieStoreManager", "PermissionStatus", "Permissions", "NavigatorUAData",
  "ImageBitmap", "OffscreenCanvasRenderingContext2D", "FontFaceSet", "TrustedHTML", "TrustedScript", "TrustedScriptURL", "TrustedTypePolicy", "TrustedTypePolicyFactory", "PerformanceEntry",
  "PerformanceMark", "PerformanceMeasure", "TaskSignal", "Lock", "DOMStringList", "FileSystemHandle", "FileSystemFileHandle", "FileSystemDirectoryHandle", "CanvasGradient", "CanvasPattern", "TextMetrics"]) web[name] = illegal(name);
for (const name of ["PaymentRequestEvent", "CanMakePaymentEvent", "PeriodicSyncEvent", "PushSubscriptionChangeEvent", "BackgroundFetchEvent", "ExtendableCookieChangeEvent"])
  web[name] = {[name]: class extends Event { waitUntil() {} }}[name];

class QuotaExceededError extends DOMException {
  #init;
  constructor(message = "", init = {}) { super(message, "QuotaExceededError"); this.#init = init; }
  get quota() { return this.#init.quota ?? null; }
  get requested() { return this.#init.requested ?? null; }
}
web.QuotaExceededError = QuotaExceededError;

const periodicSync = {__proto__: web.PeriodicSyncManager.prototype, register: refused("Permission denied.", "NotAllowedError"), async unregister() {}, async getTags() { return []; }};
const backgroundFetch = {__proto__: web.BackgroundFetchManager.prototype, fetch: refused("This origin does not have permission to start a fetch.", "NotAllowedError"), async get() {}, async getIds() { return []; }};
const cookieSubscriptions = {__proto__: web.CookieStoreManager.prototype, async subscribe() {}, async unsubscribe() {}, async getSubscriptions() { return []; }};

class PermissionState extends EventTarget {
  #name; #state;
  constructor(name, state) { super(); this.#name = name; this.#state = state; }
  get name() { return this.#name; }
  get state() { return this.#state; }
}
const permissions = {__proto__: web.Permissions.prototype, async query(p) {
  if (!p || typeof p.name !== "string") throw new $TypeError("Failed to execute 'query' on 'Permissions': Required member is undefined.");
  const granted = ["background-sync", "accelerometer", "gyroscope", "magnetometer", "clipboard-write", "screen-wake-lock"].includes(p.name) || p.name === "geolocation" && $.place && $.place();
  return new PermissionState(p.name, granted ? "granted" : "prompt");
}};
const brands = [{brand: "Chromium", version: "156"}, {brand: "Not=A?Brand", version: "24"}];
const agentData = {__proto__: web.NavigatorUAData.prototype, brands, mobile: false, platform: "Linux", async getHighEntropyValues() { return {brands, mobile: false, platform: "Linux"}; }, toJSON() { return {brands, mobile: false, platform: "Linux"}; }};

// Prioritized Task Scheduling
class TaskController extends AbortController {
  #priority;
  constructor(init = {}) { super(); this.#priority = init.priority || "user-visible"; }
  setPriority(p) { this.#priority = $String(p); }
}
class Scheduler {
  constructor() { if (!trust) throw new $TypeError("Illegal constructor"); }
  postTask(f, options = {}) {
    const signal = options.signal;
    return new $Promise((resolve, reject) => {
      if (signal && signal.aborted) { reject(signal.reason); return; }
      const id = $.setTimer(() => { try { resolve(f()); } catch (e) { reject(e); } }, $Number(options.delay) || 0, false);
      if (signal) signal.addEventListener("abort", () => { $.clearTimer(id); reject(signal.reason); });
    });
  }
  yield() { return new $Promise((resolve) => $.task(resolve)); }
}

// Cookie Store: there are no cookies, and those that are set live as long as the worker runs.
// The cookies of the origin, which outlast the global (Cookie Store API). What the server alone may read is not known here.
const cookieItems = () => { const text = $.cookies(); return text === "" ? [] : text.split("; ").map((c) => { const at = c.indexOf("="); return {name: c.slice(0, at), value: c.slice(at + 1)}; }); };
const cookieNamed = (name) => { const n = name && typeof name === "object" ? name.name : name; return n === undefined ? undefined : $String(n); };
class CookieStore extends EventTarget {
  constructor() { super(); if (!trust) throw new $TypeError("Illegal constructor"); }
  async get(name) { const n = cookieNamed(name); return cookieItems().find((c) => c.name === n) ?? null; }
  async getAll(name) { const n = cookieNamed(name), all = cookieItems(); return n === undefined ? all : all.filter((c) => c.name === n); }
  async set(name, value) {
    const c = typeof name === "object" ? name : {name, value};
    if (/[=;]/.test($String(c.name)) || $String(c.value).includes(";")) throw new $TypeError("Failed to execute 'set' on 'CookieStore': Cookie name or value has a character that is not allowed.");
    $.setCookie($String(c.name) + "=" + $String(c.value) + (c.expires ? "; expires=" + new Date(+c.expires).toUTCString() : ""));
  }
  async delete(name) { $.setCookie(cookieNamed(name) + "=; max-age=0"); }
}

class PerformanceObserver {
  constructor(f) { if (typeof f !== "function") throw new $TypeError("Failed to construct 'PerformanceObserver': parameter 1 is not of type 'Function'."); }
  observe() {}
  disconnect() {}
  takeRecords() { return []; }
  static get supportedEntryTypes() { return ["mark", "measure", "resource"]; }
}

// Connections that nobody answers.
class EventSource extends EventTarget {
  #url; #state = 0;
  constructor(url) {
    super();
    try { this.#url = new URL(url, $.baseURL()).href; } catch { throw new DOMException("Failed to construct 'EventSource': Cannot open an EventSource to '" + url + "'. The URL is invalid.", "SyntaxError"); }
    $.task(() => { this.#state = 2; this.dispatchEvent(new Event("error")); });
  }
  get url() { return this.#url; }
  get readyState() { return this.#state; }
  get withCredentials() { return false; }
  close() { this.#state = 2; }
}
for (const [name, value] of [["CONNECTING", 0], ["OPEN", 1], ["CLOSED", 2]]) for (const target of [EventSource, EventSource.prototype]) $Object.defineProperty(target, name, {value, enumerable: true});
for (const name of ["open", "message", "error"]) handlerAttribute(EventSource.prototype, name);
class WebTransport {
  constructor(url) {
    if (!$String(url).startsWith("https:")) throw new DOMException("Failed to construct 'WebTransport': The URL's scheme must be 'https'.", "SyntaxError");
    const fail = () => { const p = $Promise.reject(new DOMException("Opening handshake failed.", "NetworkError")); p.catch(() => {}); return p; };
    this.ready = fail();
    this.closed = fail();
  }
  close() {}
}

// Geometry and pictures: nothing is drawn.
class DOMPoint {
  constructor(x = 0, y = 0, z = 0, w = 1) { $Object.assign(this, {x: +x, y: +y, z: +z, w: +w}); }
  static fromPoint(p = {}) { return new DOMPoint(p.x, p.y, p.z, p.w); }
}
class DOMRect {
  constructor(x = 0, y = 0, width = 0, height = 0) { $Object.assign(this, {x: +x, y: +y, width: +width, height: +height}); }
  get left() { return this.x; }
  get top() { return this.y; }
  get right() { return this.x + this.width; }
  get bottom() { return this.y + this.height; }
}
class DOMMatrix { constructor(v = [1, 0, 0, 1, 0, 0]) { ["a", "b", "c", "d", "e", "f"].forEach((k, i) => { this[k] = v[i]; }); } }
class Path2D {}
for (const name of ["addPath", "moveTo", "lineTo", "arc", "rect", "closePath", "bezierCurveTo", "quadraticCurveTo"]) Path2D.prototype[name] = function () {};
class ImageData {
  constructor(a, b, c) {
    const [data, width, height] = typeof a === "number" ? [new Uint8ClampedArray(a * b * 4), a, b] : [a, b, c === undefined ? a.length / 4 / b : c];
    $Object.assign(this, {data, width, height, colorSpace: "srgb"});
  }
}
class FontFace { constructor(family) { this.family = $String(family); this.status = "unloaded"; } load() { return $Promise.reject(new DOMException("A network error occurred.", "NetworkError")); } }
class OffscreenCanvas extends EventTarget {
  constructor(width, height) { super(); this.width = +width; this.height = +height; }
  getContext() { return null; }
  transferToImageBitmap() { throw new DOMException("ImageBitmap construction failed", "InvalidStateError"); }
  async convertToBlob() { throw new DOMException("OffscreenCanvas object has no rendering contexts", "InvalidStateError"); }
}

const trustedKinds = {createHTML: "TrustedHTML", createScript: "TrustedScript", createScriptURL: "TrustedScriptURL"};
const trustedTypes = {__proto__: web.TrustedTypePolicyFactory.prototype, emptyHTML: "", emptyScript: "", defaultPolicy: null, getAttributeType() { return null; }, getPropertyType() { return null; },
  createPolicy(name, rules = {}) {
    const policy = {__proto__: web.TrustedTypePolicy.prototype, name: $String(name)};
    for (const k of $Object.keys(trustedKinds)) policy[k] = (input, ...args) => {
      if (typeof rules[k] !== "function") throw new $TypeError("Failed to execute '" + k + "' on 'TrustedTypePolicy': Policy " + name + "'s TrustedTypePolicyOptions did not specify a '" + k + "' member.");
      const text = $String(rules[k](input, ...args));
      return {__proto__: web[trustedKinds[k]].prototype, toString: () => text, toJSON: () => text};
    };
    return policy;
  }};
for (const k of $Object.values(trustedKinds)) trustedTypes["is" + k.slice(7)] = (x) => x instanceof web[k];

trustedText = (x) => (x instanceof web.TrustedScript ? $String(x) : x);

$Object.assign(web, {TaskController, Scheduler, CookieStore, PerformanceObserver, EventSource, WebTransport, DOMPoint, DOMRect, DOMMatrix, Path2D, ImageData, FontFace, OffscreenCanvas});
const makeTrusted = (make) => { trust = true; try { return make(); } finally { trust = false; } };
const webValues = {scheduler: makeTrusted(() => new Scheduler()), cookieStore: makeTrusted(() => new CookieStore()), trustedTypes};
