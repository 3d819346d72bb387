"use strict";
// Built-in functions of the engine run to their end in one go, so that a hostile worker could keep the program busy with one
// call, or have it take more memory than there is. They refuse what no browser could do either.
const maxLength = 50_000_000, maxText = 1 << 28, maxBytes = 1 << 28, maxDeep = 10_000, maxBits = 1 << 28;
const refuse = (what) => { throw new RangeError("Invalid " + what + " length"); };
const limited = (target, name, check) => {
  const original = target[name];
  if (typeof original !== "function") return;
  const replacement = {[name](...args) { check(this, args); return Reflect.apply(original, this, args); }}[name];
  Object.defineProperty(replacement, "length", {value: original.length, configurable: true});
  Object.defineProperty(target, name, {value: replacement, writable: true, configurable: true, enumerable: false});
};
for (const name of ["fill", "join", "toString", "toLocaleString", "indexOf", "lastIndexOf", "includes", "reverse", "copyWithin", "splice", "slice", "concat", "unshift",
  "shift", "flat", "toReversed", "toSpliced", "with", "sort", "toSorted", "at", "map", "forEach", "filter", "flatMap", "every", "some", "find", "findIndex", "findLast", "findLastIndex", "reduce", "reduceRight"])
  limited(Array.prototype, name, (self) => { if (self !== null && self !== undefined && self.length > maxLength) refuse("array"); });
limited(Array, "from", (self, args) => { if (args[0] !== null && args[0] !== undefined && typeof args[0] === "object" && args[0].length > maxLength) refuse("array"); });
limited(Function.prototype, "apply", (self, args) => { if (args[1] !== null && args[1] !== undefined && args[1].length > 1_000_000) throw new RangeError("Maximum call stack size exceeded"); });
for (const name of ["repeat", "padStart", "padEnd"])
  limited(String.prototype, name, (self, args) => {
    const n = (name === "repeat" ? String(self).length : 1) * args[0];
    if (n > maxText) refuse("string");
    if (n > 1 << 20) $.room(n);
  });
for (const name of ["ArrayBuffer", "Int8Array", "Uint8Array", "Uint8ClampedArray", "Int16Array", "Uint16Array", "Int32Array", "Uint32Array", "Float32Array", "Float64Array", "BigInt64Array", "BigUint64Array"]) {
  const original = globalThis[name];
  if (typeof original !== "function") continue;
  const replacement = {[name]: function (...args) {
    if (new.target === undefined) throw new TypeError("Constructor " + name + " requires 'new'");
    let n = typeof args[0] === "object" && args[0] !== null ? args[0].length : args[0];
    if (typeof n === "string" || typeof n === "object" && n !== null) n = +n; // as the engine will read it
    const bytes = typeof n === "number" ? n * (original.BYTES_PER_ELEMENT || 1) : 0;
    if (bytes > maxBytes) refuse("array buffer");
    if (bytes > 1 << 20) $.room(bytes);
    return Reflect.construct(original, args, new.target === replacement ? original : new.target);
  }}[name];
  Object.setPrototypeOf(replacement, original);
  replacement.prototype = original.prototype;
  Object.defineProperty(replacement, "prototype", {writable: false, enumerable: false, configurable: false});
  Object.defineProperty(original.prototype, "constructor", {value: replacement, writable: true, configurable: true, enumerable: false});
  Object.defineProperty(globalThis, name, {value: replacement, writable: true, configurable: true, enumerable: false});
}
// A list with holes is written in full: what is in the way of that is looked for among the first of its parts.
{
  const describe = Object.getOwnPropertyDescriptor;
  const holes = (value) => {
    const queue = [value];
    for (let i = 0; i < queue.length && i < 20000; i++) {
      const v = queue[i];
      if (v === null || typeof v !== "object") continue;
      if (Array.isArray(v) && v.length > 1_000_000) {
        if (v.length > maxLength || !(v.length - 1 in v)) return true;
        continue;
      }
      const keys = Object.keys(v);
      for (let j = 0; j < keys.length; j++) { // without calling any getter
        const d = describe(v, keys[j]);
        if (d && typeof d.value === "object" && queue.length < 20000) queue.push(d.value);
      }
    }
    return false;
  };
  limited(JSON, "stringify", (self, args) => { if (holes(args[0])) refuse("string"); });
}
limited(JSON, "parse", (self, args) => { if (typeof args[0] === "string" && args[0].length > maxDeep && $.nesting(args[0]) > maxDeep) throw new RangeError("Maximum call stack size exceeded"); });
for (const name of ["asIntN", "asUintN"]) limited(BigInt, name, (self, args) => { if (args[0] > maxBits) refuse("value: number of bits, their"); });
let trustedText = null; // gives the text of code that a policy has made (Trusted Types)
// What the operators of scripts are replaced by, so that no number is larger than the machine.
{
  const tooLarge = () => { throw new RangeError("Maximum BigInt size exceeded"); };
  const below = (limit) => (n) => {
    if (typeof n === "number") return n;
    if (typeof n !== "bigint") n = -(-n);
    if (typeof n === "bigint" && (n > limit || n < -limit)) tooLarge();
    return n;
  };
  const power = (a, b) => {
    if (typeof a === "number" && typeof b === "number") return a ** b;
    if (typeof a !== "bigint") a = -(-a);
    if (typeof b !== "bigint") b = -(-b);
    if (typeof a === "bigint" && typeof b === "bigint" && b > 1n && $.bits(a) > 1 && BigInt($.bits(a)) * b > BigInt(maxBits / 8)) tooLarge();
    return a ** b;
  };
  // Code that is made of text. What calls eval by its name sees the function itself, since only that knows the names around it.
  const engineEval = globalThis.eval, errors = {EvalError, RangeError}, apply = Reflect.apply, construct = Reflect.construct;
  const tame = (text) => {
    const tamed = $.tame(text);
    if (typeof tamed !== "string") throw new (errors[tamed.kind] || EvalError)(tamed.message);
    return tamed;
  };
  const guarded = {eval(x) {
    if (typeof x !== "string" && trustedText !== null) x = trustedText(x);
    return typeof x === "string" ? engineEval(tame(x)) : x;
  }}.eval;
  let current = guarded, open = false;
  Object.defineProperty(globalThis, "eval", {configurable: true, enumerable: false, set(f) { current = f; }, get() {
    const named = open && current === guarded;
    open = false;
    return named ? engineEval : current;
  }});
  const text = (x) => { open = false; return typeof x === "string" ? tame(x) : x; };
  // The engine takes everything with the prototype of promises for one, and stops.
  const promises = Promise, isPromise = $.isPromise, resolved = promises.resolve, reach = Function.prototype.call.bind(Object.prototype.isPrototypeOf);
  const waitedFor = (x) => {
    if (typeof x !== "object" || x === null || isPromise(x) || !reach(promises.prototype, x)) return x;
    return new promises((yes) => yes(x)); // which asks it for then, as for any other object
  };
  $.guards({a: waitedFor, s: below(BigInt(maxBits)), p: power, e: below(1024n), t: text, o: () => { open = true; }});
  let base = null;
  for (const [sample, prefix] of [[function () {}, "function"], [async function () {}, "async function"], [function* () {}, "function*"]]) {
    const original = Object.getPrototypeOf(sample).constructor, name = original.name;
    const replacement = {[name]: function (...args) {
      for (let i = 0; i < args.length; i++) args[i] = String(args[i]);
      let params = "";
      for (let i = 0; i < args.length - 1; i++) params += (i ? "," : "") + args[i];
      const source = "(" + prefix + " anonymous(" + params + "\n) {\n" + (args.length ? args[args.length - 1] : "") + "\n})";
      const tamed = tame(source);
      return tamed === source ? construct(original, args, new.target === undefined || new.target === replacement ? original : new.target) : engineEval(tamed);
    }}[name];
    Object.setPrototypeOf(replacement, base || Function.prototype);
    base = base || replacement;
    Object.defineProperty(replacement, "prototype", {value: original.prototype, writable: false});
    Object.defineProperty(replacement, "length", {value: 1, configurable: true});
    Object.defineProperty(original.prototype, "constructor", {value: replacement, writable: prefix === "function", configurable: true});
    if (prefix === "function") Object.defineProperty(globalThis, "Function", {value: replacement, writable: true, configurable: true});
  }
}
// Generators that hand on to generators: each step is a call that counts.
for (const name of ["next", "return", "throw"]) limited(Object.getPrototypeOf(function* () {}).prototype, name, () => {});
// The engine looks for a trap without counting how deep it is nested; the traps of these do count.
{
  const original = Proxy, apply = Reflect.apply, handlers = new WeakMap(), get = WeakMap.prototype.get, set = WeakMap.prototype.set, traps = {__proto__: null};
  for (const name of Reflect.ownKeys(Reflect)) {
    const plain = Reflect[name];
    if (typeof plain !== "function") continue;
    traps[name] = function (...args) {
      const handler = apply(get, handlers, [this]), trap = handler[name];
      if (trap === undefined || trap === null) return apply(plain, undefined, args);
      if (typeof trap !== "function") throw new TypeError(name + " is not a function");
      return apply(trap, handler, args);
    };
  }
  const without = {__proto__: null, ...traps};
  delete without.getOwnPropertyDescriptor;
  const create = Object.create, isObject = (x) => x !== null && (typeof x === "object" || typeof x === "function");
  const forward = (handler) => {
    if (!isObject(handler)) return handler;
    // The engine compares what this trap gives wrongly with properties that cannot be changed; without it, it compares nothing.
    const f = create(handler.getOwnPropertyDescriptor === undefined ? without : traps);
    apply(set, handlers, [f, handler]);
    return f;
  };
  const replacement = (function (target, handler) {
    if (new.target === undefined) throw new TypeError("Constructor Proxy requires 'new'");
    return new original(target, forward(handler));
  }).bind();
  const revocable = original.revocable;
  Object.defineProperty(replacement, "name", {value: "Proxy", configurable: true});
  Object.defineProperty(replacement, "length", {value: 2, configurable: true});
  Object.defineProperty(replacement, "revocable", {value: {revocable(target, handler) { return apply(revocable, original, [target, forward(handler)]); }}.revocable, writable: true, configurable: true});
  Object.defineProperty(globalThis, "Proxy", {value: replacement, writable: true, configurable: true});
}
