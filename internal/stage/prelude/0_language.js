"use strict";
// What ECMAScript has had for a while and the engine does not have yet.
const polyfill = (target, methods) => {
  for (const name of Reflect.ownKeys(methods)) {
    if (Object.prototype.hasOwnProperty.call(target, name)) continue;
    const d = Object.getOwnPropertyDescriptor(methods, name);
    d.enumerable = false;
    Object.defineProperty(target, name, d);
  }
};
const polyfillGlobals = (values) => {
  for (const name of Object.keys(values)) if (!(name in globalThis)) Object.defineProperty(globalThis, name, {value: values[name], writable: true, configurable: true, enumerable: false});
};
for (const name of ["dispose", "asyncDispose"]) if (!Symbol[name]) Object.defineProperty(Symbol, name, {value: Symbol("Symbol." + name)});
{
  const isObject = (x) => x !== null && (typeof x === "object" || typeof x === "function");
  const integer = (x) => { x = Math.trunc(Number(x)); return x !== x ? 0 : x; };

  // Managing Memory: nothing is ever collected, as far as a script can see.
  const holdable = (x) => isObject(x) || typeof x === "symbol";
  polyfillGlobals({
    WeakRef: class WeakRef {
      #target;
      constructor(target) {
        if (!holdable(target)) throw new TypeError("WeakRef: invalid target");
        this.#target = target;
      }
      deref() { return this.#target; }
      get [Symbol.toStringTag]() { return "WeakRef"; }
    },
    FinalizationRegistry: class FinalizationRegistry {
      #tokens = new Set();
      constructor(cleanup) { if (typeof cleanup !== "function") throw new TypeError("FinalizationRegistry: cleanup must be callable"); }
      register(target, held, token) {
        if (!holdable(target)) throw new TypeError("FinalizationRegistry.prototype.register: invalid target");
        if (target === held) throw new TypeError("FinalizationRegistry.prototype.register: target and holdings must not be same");
        if (token !== undefined) this.#tokens.add(token);
      }
      unregister(token) {
        if (!holdable(token)) throw new TypeError("Invalid unregisterToken");
        return this.#tokens.delete(token);
      }
      get [Symbol.toStringTag]() { return "FinalizationRegistry"; }
    },
  });

  polyfill(Promise, {
    withResolvers() {
      let resolve, reject;
      const promise = new this((a, b) => { resolve = a; reject = b; });
      return {promise, resolve, reject};
    },
    try(f, ...args) { return new this((resolve) => resolve(f(...args))); },
  });
  const grouped = (items, key, add) => {
    if (typeof key !== "function") throw new TypeError(String(key) + " is not a function");
    let i = 0;
    for (const x of items) add(key(x, i++), x);
  };
  polyfill(Object, {groupBy(items, key) {
    const out = Object.create(null);
    grouped(items, key, (k, x) => { k = typeof k === "symbol" ? k : String(k); (out[k] || (out[k] = [])).push(x); });
    return out;
  }});
  polyfill(Map, {groupBy(items, key) {
    const out = new Map();
    grouped(items, key, (k, x) => { if (out.has(k)) out.get(k).push(x); else out.set(k, [x]); });
    return out;
  }});
  for (const kind of [Map, WeakMap]) polyfill(kind.prototype, {
    getOrInsert(k, v) { if (!this.has(k)) this.set(k, v); return this.get(k); },
    getOrInsertComputed(k, f) { if (!this.has(k)) this.set(k, f(k)); return this.get(k); },
  });
  polyfill(Array, {async fromAsync(items, map, self) {
    const waits = items[Symbol.asyncIterator], sync = items[Symbol.iterator];
    const out = typeof this === "function" ? new this() : [];
    let i = 0;
    const take = async (x) => { out[i] = map ? await map.call(self, x, i) : x; i++; };
    if (waits || sync) {
      const it = (waits || sync).call(items), next = it.next;
      for (;;) {
        const step = waits ? await next.call(it) : next.call(it);
        if (step.done) break;
        await take(waits ? step.value : await step.value);
      }
    } else {
      for (let n = Math.min(integer(items.length), Number.MAX_SAFE_INTEGER); i < n;) await take(await items[i]);
    }
    out.length = i;
    return out;
  }});
  const mended = (s) => { // lone surrogates are replaced
    let out = "";
    for (let i = 0; i < s.length; i++) {
      const c = s.charCodeAt(i), next = s.charCodeAt(i + 1);
      if (c >= 0xd800 && c < 0xdc00 && next >= 0xdc00 && next < 0xe000) { out += s[i] + s[i + 1]; i++; }
      else out += c >= 0xd800 && c < 0xe000 ? "\uFFFD" : s[i];
    }
    return out;
  };
  polyfill(String.prototype, {
    isWellFormed() { const s = String(this); return mended(s) === s; },
    toWellFormed() { return mended(String(this)); },
  });
  // Expressions with the flags d and v, and properties of characters in those that are made of text.
  {
    const native = RegExp, apply = Reflect.apply, construct = Reflect.construct, define = Object.defineProperty, exec = native.prototype.exec, at = String.prototype.indexOf, has = String.prototype.includes;
    const isExpression = (x) => isObject(x) && (x[Symbol.match] === undefined ? x instanceof native : !!x[Symbol.match]);
    // Where the groups of a match are: each is looked for behind the beginning of the one before.
    const places = (m, text) => {
      const list = [[m.index, m.index + m[0].length]];
      let from = m.index;
      for (let i = 1; i < m.length; i++) {
        if (m[i] === undefined) { list.push(undefined); continue; }
        let found = apply(at, text, [m[i], from]);
        if (found < 0 || found > m.index + m[0].length) found = apply(at, text, [m[i], m.index]);
        list.push([found, found + m[i].length]);
        from = found;
      }
      list.groups = undefined;
      if (m.groups) {
        list.groups = {__proto__: null};
        const names = Object.keys(m.groups);
        for (const n of names) list.groups[n] = undefined;
        let i = 1;
        for (const n of names) for (let j = i; j < m.length; j++) if (m[j] === m.groups[n]) { list.groups[n] = list[j]; i = j + 1; break; }
      }
      return list;
    };
    const replacement = {RegExp: function (pattern, flags) {
      const expression = isExpression(pattern);
      if (new.target === undefined && expression && flags === undefined && pattern.constructor === replacement) return pattern;
      const f = flags === undefined ? (expression ? pattern.flags : "") : String(flags), made = new.target === undefined ? replacement : new.target;
      const d = apply(has, f, ["d"]), v = apply(has, f, ["v"]);
      const source = expression ? pattern.source : pattern === undefined ? "(?:)" : String(pattern);
      if (!d && !v && !(apply(has, f, ["u"]) && (apply(has, source, ["\\p{"]) || apply(has, source, ["\\P{"])))) return construct(native, [source, f], made);
      const wrong = () => { throw new SyntaxError("Invalid regular expression: /" + source + "/" + f + ": Invalid character class"); };
      if (v && apply(has, f, ["u"])) throw new SyntaxError("Invalid flags supplied to RegExp constructor '" + f + "'");
      const own = v || apply(has, f, ["u"]) ? $.expression(source, v) : source;
      if (own === null) wrong();
      let plain = "";
      for (const c of f) plain += c === "d" ? "" : c === "v" ? "u" : c;
      const r = construct(native, [own, plain], made);
      define(r, "source", {value: source, configurable: true});
      define(r, "flags", {value: f, configurable: true});
      if (v) { define(r, "unicodeSets", {value: true, configurable: true}); define(r, "unicode", {value: false, configurable: true}); }
      if (d) {
        define(r, "hasIndices", {value: true, configurable: true});
        define(r, "exec", {value: function (text) { const m = apply(exec, this, [text]); if (m) m.indices = places(m, String(text)); return m; }, configurable: true, writable: true});
      }
      return r;
    }}.RegExp;
    Object.setPrototypeOf(replacement, native);
    define(replacement, "prototype", {value: native.prototype, writable: false, enumerable: false, configurable: false});
    define(replacement, "length", {value: 2, configurable: true});
    define(native.prototype, "constructor", {value: replacement, writable: true, configurable: true, enumerable: false});
    for (const name of ["hasIndices", "unicodeSets"]) if (!(name in native.prototype)) define(native.prototype, name, {get() { return this === native.prototype ? undefined : false; }, configurable: true, enumerable: false});
    define(globalThis, "RegExp", {value: replacement, writable: true, configurable: true, enumerable: false});
  }
  polyfill(RegExp, {escape(s) {
    if (typeof s !== "string") throw new TypeError("RegExp.escape: not a string");
    let out = "";
    for (const c of s) {
      const n = c.codePointAt(0), names = {"\t": "t", "\n": "n", "\v": "v", "\f": "f", "\r": "r"};
      if (!out && /[0-9A-Za-z]/.test(c)) out = "\\x" + n.toString(16).padStart(2, "0");
      else if (/[\^$\\.*+?()[\]{}|\/]/.test(c)) out += "\\" + c;
      else if (names[c]) out += "\\" + names[c];
      else if (",-=<>#&!%:;@~'`\" \u00A0\uFEFF\u2028\u2029".includes(c) || n >= 0xd800 && n <= 0xdfff) out += n < 256 ? "\\x" + n.toString(16).padStart(2, "0") : "\\u" + n.toString(16).padStart(4, "0");
      else out += c;
    }
    return out;
  }});
  polyfill(Error, {captureStackTrace(target) { Object.defineProperty(target, "stack", {value: String(target) + "\n" + new Error().stack.split("\n").slice(2).join("\n"), writable: true, configurable: true}); }});

  const small = new Float32Array(1), bits = new Uint32Array(small.buffer);
  const halfOf = (x) => { // IEEE 754 binary16, ties to even
    if (x !== x) return 0x7e00;
    const sign = x < 0 || Object.is(x, -0) ? 0x8000 : 0;
    x = Math.abs(x);
    if (x === Infinity || x >= 65520) return sign | 0x7c00;
    const even = (v) => { const f = Math.floor(v), d = v - f; return d > 0.5 || d === 0.5 && f % 2 ? f + 1 : f; };
    if (x < 2 ** -14) return sign | even(x * 2 ** 24);
    let e = Math.floor(Math.log2(x));
    if (2 ** e > x) e--;
    if (2 ** (e + 1) <= x) e++;
    return sign | ((e + 15) << 10) + even((x / 2 ** e - 1) * 1024);
  };
  const ofHalf = (h) => {
    const e = h >> 10 & 31, f = h & 1023, s = h & 0x8000 ? -1 : 1;
    return e === 31 ? f ? NaN : s * Infinity : e ? s * 2 ** (e - 15) * (1 + f / 1024) : s * f * 2 ** -24;
  };
  polyfill(Math, {
    f16round(x) { return ofHalf(halfOf(Number(x))); },
    sumPrecise(items) { // Shewchuk's partial sums
      const parts = [];
      let special = 0, any = false;
      for (let x of items) {
        if (typeof x !== "number") throw new TypeError(String(x) + " is not a number");
        any = any || !Object.is(x, -0);
        if (!Number.isFinite(x)) { special += x; continue; }
        let n = 0;
        for (let y of parts) {
          if (Math.abs(x) < Math.abs(y)) [x, y] = [y, x];
          const high = x + y, low = y - (high - x);
          if (low) parts[n++] = low;
          x = high;
        }
        parts.length = n;
        parts.push(x);
      }
      return special || special !== special ? special : any ? parts.reduceRight((a, b) => a + b, 0) : -0;
    },
  });
  polyfill(DataView.prototype, {
    getFloat16(at, little) { return ofHalf(this.getUint16(at, little)); },
    setFloat16(at, x, little) { this.setUint16(at, halfOf(Number(x)), little); },
  });
  const detached = (b) => { try { new Uint8Array(b); return false; } catch { return true; } };
  polyfill(ArrayBuffer.prototype, {
    get detached() { return detached(this); },
    get resizable() { return false; },
    get maxByteLength() { return this.byteLength; },
    resize() { throw new TypeError("Method ArrayBuffer.prototype.resize called on incompatible receiver"); },
    transfer(length = this.byteLength) {
      if (detached(this)) throw new TypeError("Cannot perform ArrayBuffer.prototype.transfer on a detached ArrayBuffer");
      const to = new ArrayBuffer(integer(length));
      new Uint8Array(to).set(new Uint8Array(this, 0, Math.min(this.byteLength, to.byteLength)));
      $.detach(this);
      return to;
    },
    transferToFixedLength(length) { return this.transfer(length); },
  });

  // Iterator Objects
  const proto = Object.getPrototypeOf(Object.getPrototypeOf([][Symbol.iterator]()));
  function Iterator() {
    if (new.target === undefined || new.target === Iterator) throw new TypeError("Abstract class Iterator not directly constructable");
  }
  if (!("Iterator" in globalThis)) {
    Object.defineProperty(Iterator, "prototype", {value: proto, writable: false});
    polyfillGlobals({Iterator});
    const own = new WeakMap();
    const helper = Object.create(proto, {
      next: {value: function next() { return own.get(this).next(); }, writable: true, configurable: true},
      return: {value: function () { return own.get(this).return(); }, writable: true, configurable: true},
      [Symbol.toStringTag]: {value: "Iterator Helper", configurable: true},
    });
    const wrap = (generator, source) => {
      const h = Object.create(helper);
      let begun = false;
      own.set(h, {next: () => { begun = true; return generator.next(); }, return: () => {
        if (!begun && source.return) source.return(); // a generator that has not begun closes nothing
        begun = true;
        return generator.return();
      }});
      return h;
    };
    const checked = (f) => { if (typeof f !== "function") throw new TypeError(String(f) + " is not a function"); return f; };
    const opened = (it) => { if (!isObject(it)) throw new TypeError("Iterator helper called on non-object"); return {it, next: it.next, [Symbol.iterator]() { return {next: () => this.next.call(this.it), return: (v) => { if (this.it.return) this.it.return(v); return {done: true}; }}; }}; };
    const count = (n) => {
      const x = Number(n);
      if (x !== x || integer(x) < 0) throw new RangeError(String(n) + " must be positive");
      return integer(x);
    };
    const iterated = (x, strings) => {
      if (!isObject(x) && !(strings && typeof x === "string")) throw new TypeError(String(x) + " is not an object");
      const f = x[Symbol.iterator];
      return f === undefined || f === null ? opened(x) : opened(f.call(x));
    };
    polyfill(proto, {
      map(f) { checked(f); const o = opened(this); return wrap((function* () { let i = 0; for (const x of o) yield f(x, i++); })(), this); },
      filter(f) { checked(f); const o = opened(this); return wrap((function* () { let i = 0; for (const x of o) if (f(x, i++)) yield x; })(), this); },
      take(n) { n = count(n); const o = opened(this); return wrap((function* () { if (n <= 0) { if (o.it.return) o.it.return(); return; } let left = n; for (const x of o) { yield x; if (--left <= 0) return; } })(), this); },
      drop(n) { n = count(n); const o = opened(this); return wrap((function* () { let left = n; for (const x of o) if (left > 0) left--; else yield x; })(), this); },
      flatMap(f) { checked(f); const o = opened(this); return wrap((function* () { let i = 0; for (const x of o) yield* iterated(f(x, i++), false); })(), this); },
      reduce(f, ...start) {
        checked(f);
        let i = 0, begun = start.length > 0, total = start[0];
        for (const x of opened(this)) { if (begun) total = f(total, x, i); else { total = x; begun = true; } i++; }
        if (!begun) throw new TypeError("Reduce of a done iterator with no initial value");
        return total;
      },
      toArray() { return [...opened(this)]; },
      forEach(f) { checked(f); let i = 0; for (const x of opened(this)) f(x, i++); },
      some(f) { checked(f); let i = 0; for (const x of opened(this)) if (f(x, i++)) return true; return false; },
      every(f) { checked(f); let i = 0; for (const x of opened(this)) if (!f(x, i++)) return false; return true; },
      find(f) { checked(f); let i = 0; for (const x of opened(this)) if (f(x, i++)) return x; },
    });
    polyfill(Iterator, {
      from(x) {
        const o = iterated(x, true);
        if (o.it instanceof Iterator) return o.it;
        return wrap((function* () { yield* o; })(), o.it);
      },
      concat(...lists) { for (const l of lists) iterated(l, false); return wrap((function* () { for (const l of lists) yield* l; })(), {}); },
    });
    for (const [name, value] of [["constructor", Iterator], [Symbol.toStringTag, "Iterator"]]) Object.defineProperty(proto, name, {configurable: true, get() { return value; },
      set(v) { if (!isObject(this) || this === proto) throw new TypeError("Cannot assign to this property"); Object.defineProperty(this, name, {value: v, writable: true, enumerable: true, configurable: true}); }});
  }
  polyfill(proto, {[Symbol.dispose]() { if (this.return) this.return(); }});

  // Explicit Resource Management
  class SuppressedError extends Error {
    constructor(error, suppressed, message) {
      super(message);
      Object.defineProperty(this, "error", {value: error, writable: true, configurable: true});
      Object.defineProperty(this, "suppressed", {value: suppressed, writable: true, configurable: true});
    }
  }
  Object.defineProperty(SuppressedError.prototype, "name", {value: "SuppressedError", writable: true, configurable: true});
  const stack = (symbol, other, name) => {
    const method = (x) => x[symbol] || other && x[other];
    const Stack = {[name]: class {
      #list = [];
      #done = false;
      #open() { if (this.#done) throw new ReferenceError("Cannot add values to a disposed stack!"); }
      get disposed() { return this.#done; }
      use(x) {
        this.#open();
        if (x === null || x === undefined) return x;
        const f = method(x);
        if (typeof f !== "function") throw new TypeError("Symbol." + (other ? "asyncDispose" : "dispose") + " is not a function");
        this.#list.push(() => f.call(x));
        return x;
      }
      adopt(x, f) { this.#open(); if (typeof f !== "function") throw new TypeError(String(f) + " is not a function"); this.#list.push(() => f(x)); return x; }
      defer(f) { this.#open(); if (typeof f !== "function") throw new TypeError(String(f) + " is not a function"); this.#list.push(() => f()); }
      move() { this.#open(); const to = new Stack(); to.#list = this.#list; this.#list = []; this.#done = true; return to; }
      static take(s) { if (s.#done) return null; s.#done = true; const l = s.#list; s.#list = []; return l; }
      get [Symbol.toStringTag]() { return name; }
    }}[name];
    const take = Stack.take;
    delete Stack.take;
    return [Stack, take];
  };
  const [DisposableStack, takeStack] = stack(Symbol.dispose, null, "DisposableStack");
  const [AsyncDisposableStack, takeAsync] = stack(Symbol.asyncDispose, Symbol.dispose, "AsyncDisposableStack");
  const joined = (failed, e) => failed ? new SuppressedError(e, failed.e) : e;
  polyfill(DisposableStack.prototype, {dispose() {
    let failed = null;
    for (const f of (takeStack(this) || []).reverse()) try { f(); } catch (e) { failed = {e: joined(failed, e)}; }
    if (failed) throw failed.e;
  }});
  polyfill(DisposableStack.prototype, {[Symbol.dispose]: DisposableStack.prototype.dispose});
  polyfill(AsyncDisposableStack.prototype, {async disposeAsync() {
    let failed = null;
    for (const f of (takeAsync(this) || []).reverse()) try { await f(); } catch (e) { failed = {e: joined(failed, e)}; }
    if (failed) throw failed.e;
  }});
  polyfill(AsyncDisposableStack.prototype, {[Symbol.asyncDispose]: AsyncDisposableStack.prototype.disposeAsync});
  polyfillGlobals({SuppressedError, DisposableStack, AsyncDisposableStack});
}
