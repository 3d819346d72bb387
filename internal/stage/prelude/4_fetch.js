// Headers, Request, Response and fetch (Fetch Standard).
const token = /^[!#$%&'*+\-.^_`|~0-9A-Za-z]+$/;
const forbidden = /^(accept-charset|accept-encoding|access-control-request-headers|access-control-request-method|connection|content-length|cookie|cookie2|date|dnt|expect|host|keep-alive|origin|referer|te|trailer|transfer-encoding|upgrade|via|proxy-.*|sec-.*)$/;

class Headers {
  #list = []; #guard = "none";
  constructor(init) {
    if (init === undefined || init === null) return;
    if (typeof init !== "object") throw new $TypeError("Failed to construct 'Headers': The provided value is not of type '(record<ByteString, ByteString> or sequence<sequence<ByteString>>)'.");
    fillHeaders(this, init);
  }
  static _make(list, guard) { const h = new Headers(); h.#list = list; h.#guard = guard; return h; }
  static _list(h) { return h.#list; }
  static _guard(h, guard) { h.#guard = guard; }
  #check(name, value, what) {
    name = $String(name).toLowerCase();
    if (!token.test(name)) throw new $TypeError("Failed to execute '" + what + "' on 'Headers': Invalid name");
    if (value !== null) {
      value = $String(value).replace(/^[\t\n\r ]+|[\t\n\r ]+$/g, "");
      if (/[\0\n\r]/.test(value)) throw new $TypeError("Failed to execute '" + what + "' on 'Headers': Invalid value");
    }
    if (this.#guard === "immutable") throw new $TypeError("Failed to execute '" + what + "' on 'Headers': Headers are immutable");
    if (this.#guard === "request" && forbidden.test(name)) return null;
    if (this.#guard === "response" && (name === "set-cookie" || name === "set-cookie2")) return null;
    return [name, value];
  }
  append(name, value) { const p = this.#check(name, value, "append"); if (p) this.#list.push(p); }
  set(name, value) {
    const p = this.#check(name, value, "set");
    if (!p) return;
    const i = this.#list.findIndex((q) => q[0] === p[0]);
    if (i < 0) this.#list.push(p);
    else { this.#list[i] = p; this.#list = this.#list.filter((q, j) => j <= i || q[0] !== p[0]); }
  }
  delete(name) { const p = this.#check(name, null, "delete"); if (p) this.#list = this.#list.filter((q) => q[0] !== p[0]); }
  get(name) {
    name = $String(name).toLowerCase();
    if (!token.test(name)) throw new $TypeError("Failed to execute 'get' on 'Headers': Invalid name");
    const v = this.#list.filter((q) => q[0] === name).map((q) => q[1]);
    return v.length ? v.join(", ") : null;
  }
  getSetCookie() { return this.#list.filter((q) => q[0] === "set-cookie").map((q) => q[1]); }
  has(name) { name = $String(name).toLowerCase(); return this.#list.some((q) => q[0] === name); }
  #sorted() {
    const names = [...new $Set(this.#list.map((q) => q[0]))].sort();
    return names.map((n) => [n, this.get(n)]);
  }
  forEach(f, self) { for (const [k, v] of this.#sorted()) f.call(self, v, k, this); }
  *entries() { yield* this.#sorted(); }
  *keys() { for (const p of this.#sorted()) yield p[0]; }
  *values() { for (const p of this.#sorted()) yield p[1]; }
  [$Symbol.iterator]() { return this.entries(); }
}
const makeHeaders = Headers._make, headerList = Headers._list, guardHeaders = Headers._guard;
delete Headers._make;
delete Headers._list;
delete Headers._guard;

function fillHeaders(h, init) {
  if (typeof init[$Symbol.iterator] === "function") {
    for (const pair of init) {
      const p = [...pair];
      if (p.length !== 2) throw new $TypeError("Failed to construct 'Headers': Invalid value");
      h.append(p[0], p[1]);
    }
  } else for (const k of $Object.keys(init)) h.append(k, init[k]);
}

// What the stage hands over keeps its own form (native) along, and its headers are made when somebody looks at them. As long
// as nobody could change them, the native form goes back as it came.
const headersOf = (s) => s.headers || (s.headers = makeHeaders(s.native ? $.headersOf(s.native) : [], s.guard));
const copyHeaders = (s, guard) => s.headers ? makeHeaders(headerList(s.headers).map((p) => [p[0], p[1]]), guard) : null;
const untouched = (s, from) => !!s.native && (from === undefined || from !== null && untouched(from)) && (!s.headers || s.guard === "immutable");

const requestState = new $WeakMap();

class Request extends Body {
  constructor(input, init = {}) {
    super();
    if (arguments.length < 1) throw new $TypeError("Failed to construct 'Request': 1 argument required, but only 0 present.");
    init = init || {};
    let r, body, from = null;
    if (input instanceof Request) {
      from = requestState.get(input);
      r = {...from, headers: null};
      body = bodyOf.get(input);
      if ((init.body === undefined || init.body === null) && (body.handle || body.stream)) {
        if (body.isUsed || body.isLocked) throw new $TypeError("Failed to construct 'Request': Cannot construct a Request with a Request object that has already been used.");
        const taken = new BodyState(body.handle, body.stream, body.type);
        body.used = true;
        body.stream = null;
        body = taken;
      }
      if ($Object.keys(init).length) { if (r.mode === "navigate") r.mode = "same-origin"; r.destination = ""; r.native = null; }
    } else {
      const u = $.parseURL($String(input), $.baseURL());
      if (!u) throw new $TypeError("Failed to construct 'Request': Failed to parse URL from " + $String(input));
      if (u.username || u.password) throw new $TypeError("Failed to construct 'Request': Request cannot be constructed from a URL that includes credentials: " + $String(input));
      r = {url: u.href, method: "GET", mode: "cors", credentials: "same-origin", cache: "default", redirect: "follow", referrer: "about:client",
        referrerPolicy: "", integrity: "", keepalive: false, destination: "", signal: null};
      body = new BodyState(null, null, "");
    }
    for (const k of ["mode", "credentials", "cache", "redirect", "referrer", "referrerPolicy", "integrity"])
      if (init[k] !== undefined) r[k] = $String(init[k]);
    if (init.mode === "navigate") throw new $TypeError("Failed to construct 'Request': Cannot construct a Request with a RequestInit whose mode member is set as 'navigate'.");
    for (const [k, values] of [["mode", ["same-origin", "no-cors", "cors", "navigate"]], ["credentials", ["omit", "same-origin", "include"]],
      ["cache", ["default", "no-store", "reload", "no-cache", "force-cache", "only-if-cached"]], ["redirect", ["follow", "error", "manual"]]])
      if (values.indexOf(r[k]) < 0) throw new $TypeError("Failed to construct 'Request': Failed to read the '" + k + "' property from 'RequestInit': The provided value '" + r[k] + "' is not a valid enum value.");
    if (r.cache === "only-if-cached" && r.mode !== "same-origin") throw new $TypeError("Failed to construct 'Request': 'only-if-cached' can be set only with 'same-origin' mode");
    if (init.keepalive !== undefined) r.keepalive = !!init.keepalive;
    if (init.method !== undefined) {
      const m = $String(init.method), upper = m.toUpperCase();
      if (!token.test(m)) throw new $TypeError("Failed to construct 'Request': '" + m + "' is not a valid HTTP method.");
      if (upper === "CONNECT" || upper === "TRACE" || upper === "TRACK") throw new $TypeError("Failed to construct 'Request': '" + m + "' HTTP method is unsupported.");
      r.method = ["DELETE", "GET", "HEAD", "OPTIONS", "POST", "PUT"].indexOf(upper) >= 0 ? upper : m;
    }
    if (init.signal !== undefined) r.signal = init.signal;
    r.guard = "request";
    if (!untouched(r, from)) {
      r.native = null;
      r.headers = makeHeaders([], "request");
      if (init.headers !== undefined) fillHeaders(r.headers, init.headers instanceof Headers ? headerList(init.headers) : init.headers);
      else if (from) for (const [k, v] of headerList(headersOf(from))) headerList(r.headers).push([k, v]);
    }
    if (init.body !== undefined && init.body !== null) {
      if (r.method === "GET" || r.method === "HEAD") throw new $TypeError("Failed to construct 'Request': Request with GET/HEAD method cannot have body.");
      body = extractBody(init.body);
      if (body.stream && !init.duplex) throw new $TypeError("Failed to construct 'Request': The `duplex` member must be specified for a request with a streaming body");
      if (body.type && !r.headers.has("content-type")) r.headers.append("content-type", body.type);
    }
    requestState.set(this, r);
    bodyOf.set(this, body);
  }
  get url() { return requestState.get(this).url; }
  get method() { return requestState.get(this).method; }
  get headers() { return headersOf(requestState.get(this)); }
  get mode() { return requestState.get(this).mode; }
  get credentials() { return requestState.get(this).credentials; }
  get cache() { return requestState.get(this).cache; }
  get redirect() { return requestState.get(this).redirect; }
  get referrer() { return requestState.get(this).referrer; }
  get referrerPolicy() { return requestState.get(this).referrerPolicy; }
  get integrity() { return requestState.get(this).integrity; }
  get keepalive() { return requestState.get(this).keepalive; }
  get destination() { return requestState.get(this).destination; }
  get signal() { const s = requestState.get(this); return s.signal || (s.signal = new AbortSignal()); }
  get isReloadNavigation() { return !!requestState.get(this).reload; }
  get isHistoryNavigation() { return false; }
  get duplex() { return "half"; }
  clone() {
    const body = cloneBody(this, "Request");
    const c = $Object.create(Request.prototype);
    const r = requestState.get(this);
    requestState.set(c, {...r, headers: copyHeaders(r, "request"), guard: "request"});
    bodyOf.set(c, body);
    return c;
  }
}

// requestFrom makes the Request of a fetch event.
function requestFrom(p) {
  const r = $Object.create(Request.prototype);
  requestState.set(r, {url: p.url, method: p.method, mode: p.mode, credentials: p.credentials, cache: p.cache, redirect: p.redirect,
    referrer: p.referrer, referrerPolicy: "", integrity: p.integrity, keepalive: false, destination: p.destination, signal: null,
    reload: p.reload, native: p.native, guard: "immutable", headers: null});
  bodyOf.set(r, new BodyState(p.body, null, ""));
  return r;
}

const responseState = new $WeakMap();

class Response extends Body {
  constructor(data = null, init = {}) {
    super();
    init = init || {};
    const status = init.status === undefined ? 200 : $Number(init.status) & 65535;
    if (status < 200 || status > 599) throw new RangeError("Failed to construct 'Response': The status provided (" + status + ") is outside the range [200, 599].");
    const statusText = init.statusText === undefined ? "" : $String(init.statusText);
    if (/[^\t\x20-\x7e\x80-\xff]/.test(statusText)) throw new $TypeError("Failed to construct 'Response': Invalid statusText");
    const headers = makeHeaders([], "response");
    if (init.headers !== undefined) fillHeaders(headers, init.headers instanceof Headers ? headerList(init.headers) : init.headers);
    const body = extractBody(data);
    if (data !== null && data !== undefined && (status === 204 || status === 205 || status === 304))
      throw new $TypeError("Failed to construct 'Response': Response with null body status cannot have body");
    if (body.type && !headers.has("content-type")) headers.append("content-type", body.type);
    responseState.set(this, {status, statusText, headers, guard: "response", native: null, handle: null, url: "", redirected: false, type: "default"});
    bodyOf.set(this, body);
  }
  static error() { return responseFrom({status: 0, statusText: "", headers: [], url: "", redirected: false, type: "error", body: null}); }
  static redirect(url, status = 302) {
    const u = $.parseURL($String(url), $.baseURL());
    if (!u) throw new $TypeError("Failed to execute 'redirect' on 'Response': Invalid URL");
    if ([301, 302, 303, 307, 308].indexOf($Number(status)) < 0) throw new RangeError("Failed to execute 'redirect' on 'Response': Invalid status code");
    return responseFrom({status: $Number(status), statusText: "", headers: [["location", u.href]], url: "", redirected: false, type: "default", body: null});
  }
  static json(data, init = {}) {
    const text = JSON.stringify(data);
    if (text === undefined) throw new $TypeError("Failed to execute 'json' on 'Response': The data is not JSON serializable");
    const r = new Response(text, init);
    if (!init || !init.headers || !new Headers(init.headers).has("content-type")) r.headers.set("content-type", "application/json");
    return r;
  }
  get type() { return responseState.get(this).type; }
  get url() { return responseState.get(this).url; }
  get redirected() { return responseState.get(this).redirected; }
  get status() { return responseState.get(this).status; }
  get ok() { const s = responseState.get(this).status; return s >= 200 && s <= 299; }
  get statusText() { return responseState.get(this).statusText; }
  get headers() { return headersOf(responseState.get(this)); }
  clone() {
    const body = cloneBody(this, "Response");
    const c = $Object.create(Response.prototype);
    const r = responseState.get(this);
    responseState.set(c, {...r, headers: copyHeaders(r, r.guard)});
    bodyOf.set(c, body);
    return c;
  }
}

// responseFrom makes a Response of what the stage hands over. Opaque ones keep their inside to themselves.
function responseFrom(p) {
  const r = $Object.create(Response.prototype);
  const hidden = p.type === "opaque" || p.type === "opaqueredirect" || p.type === "error";
  responseState.set(r, {status: hidden ? 0 : p.status, statusText: hidden ? "" : p.statusText, native: hidden ? null : p.native, handle: p.body, guard: p.type === "default" ? "response" : "immutable",
    headers: p.headers && !hidden ? makeHeaders(p.headers, p.type === "default" ? "response" : "immutable") : null, url: p.type === "opaque" ? "" : p.url, redirected: p.redirected && p.type !== "opaque", type: p.type, inside: hidden ? p : null});
  bodyOf.set(r, hidden ? new BodyState(null, null, "") : new BodyState(p.body, null, ""));
  return r;
}

// plainRequest and plainResponse are what goes to the stage. A body that is a stream is read to its end first.
function plainRequest(r, body) {
  const s = requestState.get(r);
  if (untouched(s)) return {native: s.native, body};
  return {url: s.url, method: s.method, mode: s.mode, credentials: s.credentials, cache: s.cache, redirect: s.redirect, referrer: s.referrer,
    integrity: s.integrity, destination: s.destination, headers: headerList(headersOf(s)), body};
}

function plainResponse(r, body) {
  const s = responseState.get(r);
  if (s.inside) return s.inside;
  if (untouched(s) && body === s.handle) return s;
  return {status: s.status, statusText: s.statusText, headers: headerList(headersOf(s)), url: s.url, redirected: s.redirected, type: s.type, body};
}

// takeBody uses a response's body up and gives its bytes, at once when the stage holds them, else as a promise.
function takeBody(owner) {
  const b = bodyOf.get(owner);
  if (b.stream) return drain(b.stream).then((h) => { b.used = true; return h; });
  if (b.handle) b.used = true;
  return b.handle;
}

function fetch(input, init) {
  return new $Promise((resolve, reject) => {
    const r = new Request(input, init);
    const b = bodyOf.get(r);
    if (b.isUsed) throw new $TypeError("Failed to execute 'fetch': body already used");
    const signal = requestState.get(r).signal; // null: nobody can abort it
    const stack = new $Error("x").stack;
    if (signal && signal.aborted) { reject(signal.reason); return; }
    const go = (body) => {
      const cancel = $.fetch(plainRequest(r, body), (error, p) => {
        if (error) { const e = new $TypeError(error); rememberStack(e, stack); reject(e); } else resolve(responseFrom(p));
      });
      if (signal) signal.addEventListener("abort", () => { cancel(); reject(signal.reason); });
    };
    if (b.stream) drain(b.stream).then(go, reject);
    else go(b.handle);
  });
}

// rememberStack lets an error that arises later point at the call.
function rememberStack(error, stack) {
  try { $Object.defineProperty(error, "stack", {value: $String(stack).replace(/^[^\n]*/, () => error.name + ": " + error.message), configurable: true, writable: true}); } catch (e) { /* frozen by the worker */ }
}
