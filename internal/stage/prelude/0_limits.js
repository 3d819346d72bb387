"use strict";
// Built-in functions of the engine run to their end in one go, so that a hostile worker could keep the program busy with one
// call, or have it take more memory than there is. They refuse what no browser could do either.
const maxLength = 50_000_000, maxText = 1 << 28, maxBytes = 1 << 28;
const refuse = (what) => { throw new RangeError("Invalid " + what + " length"); };
const limited = (target, name, check) => {
  const original = target[name];
  if (typeof original !== "function") return;
  const replacement = {[name](...args) { check(this, args); return Reflect.apply(original, this, args); }}[name];
  Object.defineProperty(replacement, "length", {value: original.length, configurable: true});
  Object.defineProperty(target, name, {value: replacement, writable: true, configurable: true, enumerable: false});
};
for (const name of ["fill", "join", "toString", "toLocaleString", "indexOf", "lastIndexOf", "includes", "reverse", "copyWithin", "splice", "slice", "concat", "unshift",
  "shift", "flat", "toReversed", "toSpliced", "with", "sort", "toSorted", "at"])
  limited(Array.prototype, name, (self) => { if (self !== null && self !== undefined && self.length > maxLength) refuse("array"); });
limited(Array, "from", (self, args) => { if (args[0] !== null && args[0] !== undefined && typeof args[0] === "object" && args[0].length > maxLength) refuse("array"); });
limited(Function.prototype, "apply", (self, args) => { if (args[1] !== null && args[1] !== undefined && args[1].length > 1_000_000) throw new RangeError("Maximum call stack size exceeded"); });
for (const name of ["repeat", "padStart", "padEnd"])
  limited(String.prototype, name, (self, args) => { if ((name === "repeat" ? String(self).length : 1) * args[0] > maxText) refuse("string"); });
for (const name of ["ArrayBuffer", "Int8Array", "Uint8Array", "Uint8ClampedArray", "Int16Array", "Uint16Array", "Int32Array", "Uint32Array", "Float32Array", "Float64Array", "BigInt64Array", "BigUint64Array"]) {
  const original = globalThis[name];
  if (typeof original !== "function") continue;
  const replacement = {[name]: function (...args) {
    if (new.target === undefined) throw new TypeError("Constructor " + name + " requires 'new'");
    const n = typeof args[0] === "object" && args[0] !== null ? args[0].length : args[0];
    if (typeof n === "number" && n * (original.BYTES_PER_ELEMENT || 1) > maxBytes) refuse("array buffer");
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
  const holes = (value) => {
    const queue = [value];
    for (let i = 0; i < queue.length && i < 20000; i++) {
      const v = queue[i];
      if (v === null || typeof v !== "object") continue;
      if (Array.isArray(v) && v.length > 1_000_000) {
        if (v.length > maxLength || !(v.length - 1 in v)) return true;
        continue;
      }
      for (const k of Object.keys(v)) {
        const d = Object.getOwnPropertyDescriptor(v, k);
        if (d && typeof d.value === "object" && queue.length < 20000) queue.push(d.value);
      }
    }
    return false;
  };
  limited(JSON, "stringify", (self, args) => { if (holes(args[0])) refuse("string"); });
}
