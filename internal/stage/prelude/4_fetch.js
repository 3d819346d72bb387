// Headers, Request, Response and fetch (Fetch Standard). What they hold is the stage's (objects.go), as an opaque handle.
class Headers {
  #held;
  constructor(init) {
    if (handed !== null) { this.#held = handed; handed = null; return; }
    this.#held = $.headers("none");
    if (init === undefined) return;
    if (init === null || typeof init !== "object") throw new $TypeError("Failed to construct 'Headers': The provided value is not of type '(record<ByteString, ByteString> or sequence<sequence<ByteString>>)'.");
    fillHeaders(this.#held, init);
  }
  static _held(h) { return h.#held; }
  append(name, value) { $.headersAppend(this.#held, $String(name), $String(value)); }
  set(name, value) { $.headersSet(this.#held, $String(name), $String(value)); }
  delete(name) { $.headersDelete(this.#held, $String(name)); }
  get(name) { return $.headersGet(this.#held, $String(name)); }
  getSetCookie() { return $.headersCookies(this.#held); }
  has(name) { return $.headersHas(this.#held, $String(name)); }
  forEach(f, self) { for (const [k, v] of $.headersSorted(this.#held)) f.call(self, v, k, this); }
  *entries() { yield* $.headersSorted(this.#held); }
  *keys() { for (const p of $.headersSorted(this.#held)) yield p[0]; }
  *values() { for (const p of $.headersSorted(this.#held)) yield p[1]; }
  [$Symbol.iterator]() { return this.entries(); }
}
const headersHeld = Headers._held;
delete Headers._held;
const makeHeaders = (held) => { handed = held; return new Headers(); };

function fillHeaders(held, init) {
  if (init instanceof Headers) $.headersFill(held, headersHeld(init));
  else if (typeof init[$Symbol.iterator] === "function") {
    for (const pair of init) {
      const p = [...pair];
      if (p.length !== 2) throw new $TypeError("Failed to construct 'Headers': Invalid value");
      $.headersAppend(held, $String(p[0]), $String(p[1]));
    }
  } else for (const k of $Object.keys(init)) $.headersAppend(held, k, $String(init[k]));
}

// initHeaders gives the headers of an init object as their guard lets them be, null when there are none.
function initHeaders(init, guard) {
  if (init === undefined || init === null || init.headers === undefined) return null;
  const held = $.headers(guard);
  fillHeaders(held, init.headers);
  return held;
}

class Request extends Body {
  constructor(...args) {
    super();
    if (handed !== null) { giveHeld(this, handed); handed = null; return; }
    let [input, init] = args;
    if (!args.length) throw new $TypeError("Failed to construct 'Request': 1 argument required, but only 0 present.");
    if (init === null) init = undefined;
    if (init !== undefined && typeof init !== "object" && typeof init !== "function") throw new $TypeError("Failed to construct 'Request': The provided value is not of type 'RequestInit'.");
    const from = input instanceof Request;
    const held = $.newRequest(from ? heldOf(input) : $String(input), from ? headersIn(input) : null, initHeaders(init, "request"), init);
    giveHeld(this, held);
    const data = init === undefined ? undefined : init.body;
    let body = null;
    if (data !== undefined && data !== null) {
      const method = $.request_method(held);
      if (method === "GET" || method === "HEAD") throw new $TypeError("Failed to construct 'Request': Request with GET/HEAD method cannot have body.");
      body = extractBody(data);
      if (body.stream && !init.duplex) throw new $TypeError("Failed to construct 'Request': The `duplex` member must be specified for a request with a streaming body");
      if (body.type && !this.headers.has("content-type")) this.headers.append("content-type", body.type);
    } else if (from && (bodySeen(input) || $.hasBody(heldOf(input))) && (body = bodyIn(input)).some) {
      if (body.isUsed || body.isLocked) throw new $TypeError("Failed to construct 'Request': Cannot construct a Request with a Request object that has already been used.");
      const taken = new BodyState(body.handle, body.stream, body.type);
      body.used = true;
      body.stream = null;
      body = taken;
    }
    giveBody(this, body);
    if (init !== undefined && init.signal !== undefined) giveSignal(this, init.signal);
    else if (from && signalIn(input)) giveSignal(this, signalIn(input));
  }
  get url() { return $.request_url(heldOf(this)); }
  get method() { return $.request_method(heldOf(this)); }
  get headers() { return headersFor(this); }
  get mode() { return $.request_mode(heldOf(this)); }
  get credentials() { return $.request_credentials(heldOf(this)); }
  get cache() { return $.request_cache(heldOf(this)); }
  get redirect() { return $.request_redirect(heldOf(this)); }
  get referrer() { return $.request_referrer(heldOf(this)); }
  get referrerPolicy() { return $.request_referrerPolicy(heldOf(this)); }
  get integrity() { return $.request_integrity(heldOf(this)); }
  get keepalive() { return $.request_keepalive(heldOf(this)); }
  get destination() { return $.request_destination(heldOf(this)); }
  get signal() { return signalIn(this) || giveSignal(this, new AbortSignal()); }
  get isReloadNavigation() { return $.request_reload(heldOf(this)); }
  get isHistoryNavigation() { return false; }
  get duplex() { return "half"; }
  clone() { return cloned(this, "Request", Request); }
}

// cloned makes another Request or Response that holds the same.
function cloned(owner, what, Kind) {
  const body = bodySeen(owner) ? cloneBody(owner, what) : null, headers = headersIn(owner);
  handed = heldOf(owner);
  const c = new Kind();
  giveBody(c, body);
  if (headers) giveHeaders(c, makeHeaders($.headersClone(headers)));
  if (signalIn(owner)) giveSignal(c, signalIn(owner));
  return c;
}

// requestFrom and responseFrom make objects for what the stage hands over.
function requestFrom(held) {
  handed = held;
  return new Request();
}

function responseFrom(held) {
  handed = held;
  return new Response();
}

class Response extends Body {
  constructor(data = null, init) {
    super();
    if (handed !== null) { giveHeld(this, handed); handed = null; return; }
    if (init === null) init = undefined;
    const body = extractBody(data);
    giveHeld(this, $.newResponse(init, init instanceof Response ? heldOf(init) : null, initHeaders(init, "response"), body.type, data !== null && data !== undefined));
    giveBody(this, body);
  }
  static error() { return responseFrom($.madeResponse("error", 0, "")); }
  static redirect(url, status = 302) {
    const u = $.parseURL($String(url), $.baseURL());
    if (!u) throw new $TypeError("Failed to execute 'redirect' on 'Response': Invalid URL");
    if ([301, 302, 303, 307, 308].indexOf($Number(status)) < 0) throw new RangeError("Failed to execute 'redirect' on 'Response': Invalid status code");
    return responseFrom($.madeResponse("default", $Number(status), u.href));
  }
  static json(data, init = {}) {
    const text = JSON.stringify(data);
    if (text === undefined) throw new $TypeError("Failed to execute 'json' on 'Response': The data is not JSON serializable");
    const r = new Response(text, init);
    if (!init || !init.headers || !new Headers(init.headers).has("content-type")) r.headers.set("content-type", "application/json");
    return r;
  }
  get type() { return $.response_type(heldOf(this)); }
  get url() { return $.response_url(heldOf(this)); }
  get redirected() { return $.response_redirected(heldOf(this)); }
  get status() { return $.response_status(heldOf(this)); }
  get ok() { const s = $.response_status(heldOf(this)); return s >= 200 && s <= 299; }
  get statusText() { return $.response_statusText(heldOf(this)); }
  get headers() { return headersFor(this); }
  clone() { return cloned(this, "Response", Response); }
}

// takeBody uses a response's body up and gives its bytes, at once when the stage holds them, else as a promise. It gives
// undefined for a body that nobody has looked at: it is still what the response came with.
function takeBody(owner, told) {
  if (!bodySeen(owner)) { usedUp(owner); return undefined; }
  const b = bodyIn(owner);
  if (b.stream) {
    const whole = wholeStream(b.stream);
    if (!whole) return drain(b.stream, told).then((h) => { b.used = true; return h; });
    b.used = true;
    return whole;
  }
  if (b.handle) b.used = true;
  return b.handle;
}

function fetch(input, init) {
  try {
    const r = new Request(input, init);
    const b = bodySeen(r) ? bodyIn(r) : null;
    const signal = signalIn(r); // null: nobody can abort it
    const failure = new $TypeError("Failed to fetch"); // its stack is that of the call
    if (signal && signal.aborted) return $Promise.reject(signal.reason);
    if (!signal && !(b && b.stream)) return $.fetch(heldOf(r), headersIn(r), b ? b.handle : null, failure, null);
    return new $Promise((resolve, reject) => {
      const go = (body) => $.fetch(heldOf(r), headersIn(r), body, failure, signal ? (cancel) => signal.addEventListener("abort", () => { cancel(); reject(signal.reason); }) : null).then(resolve, reject);
      if (b && b.stream) drain(b.stream).then(go, reject);
      else go(b ? b.handle : null);
    });
  } catch (e) { return $Promise.reject(e); }
}

// rememberStack lets an error that arises later point at the call.
function rememberStack(error, stack) {
  try { $Object.defineProperty(error, "stack", {value: $String(stack).replace(/^[^\n]*/, () => error.name + ": " + error.message), configurable: true, writable: true}); } catch (e) { /* frozen by the worker */ }
}
