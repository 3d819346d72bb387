// CacheStorage (Service Workers).
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
