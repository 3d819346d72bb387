// Events, EventTarget, AbortController and DOMException (DOM Standard).
const {Promise: $Promise, TypeError: $TypeError, Error: $Error, Map: $Map, Object: $Object, Array: $Array, Symbol: $Symbol,
  Uint8Array: $Uint8Array, ArrayBuffer: $ArrayBuffer, Set: $Set, WeakMap: $WeakMap, String: $String, Number: $Number, Date: $Date} = globalThis;

// slots keeps something of the stage's own for objects, and goes with them. (A WeakMap of the engine would keep an object for
// ever that its value leads to.)
class Given { constructor(o) { return o; } }
const slots = () => {
  class Slot extends Given {
    #value;
    constructor(o, value) { super(o); this.#value = value; }
    static get(o) { return o !== null && (typeof o === "object" || typeof o === "function") && #value in o ? o.#value : undefined; }
    static set(o, value) { if (#value in o) o.#value = value; else new Slot(o, value); }
  }
  const {get, set} = Slot;
  return {get, set};
};

// The engine has no asynchronous iteration; lowered code looks for this symbol.
if (!$Symbol.asyncIterator) $Object.defineProperty($Symbol, "asyncIterator", {value: $Symbol.for("Symbol.asyncIterator")});

const codes = {IndexSizeError: 1, HierarchyRequestError: 3, InvalidCharacterError: 5, NotFoundError: 8, NotSupportedError: 9,
  InvalidStateError: 11, SyntaxError: 12, InvalidAccessError: 15, SecurityError: 18, NetworkError: 19, AbortError: 20,
  URLMismatchError: 21, QuotaExceededError: 22, TimeoutError: 23, DataCloneError: 25};

class DOMException extends $Error {
  #name;
  constructor(message = "", name = "Error") {
    super(message);
    this.#name = $String(name);
  }
  get name() { return this.#name; }
  get code() { return codes[this.#name] || 0; }
}

let trust = false; // set while the stage itself makes an event
let handed = null; // what the next object holds that the stage itself makes
const absent = $Symbol("absent"); // stands for an argument that was not given

const BUBBLES = 1, CANCELABLE = 2, COMPOSED = 4, TRUSTED = 8, CANCELED = 16, STOPPED = 32, HALTED = 64, PASSIVE = 128; // flags of events
let tree = null; // how events find their way through nodes, where there are any

class Event {
  #type; #flags; #stamp; #target = null; #extension = null; #way = null; // of an event in a tree: current target, phase, path
  constructor(type = absent, init) {
    if (type === absent) throw new $TypeError("1 argument required, but only 0 present.");
    this.#type = $String(type);
    this.#stamp = $.now();
    let flags = trust ? TRUSTED : 0;
    if (init) {
      if (init.bubbles) flags |= BUBBLES;
      if (init.cancelable) flags |= CANCELABLE;
      if (init.composed) flags |= COMPOSED;
    }
    this.#flags = flags;
  }
  get type() { return this.#type; }
  get bubbles() { return !!(this.#flags & BUBBLES); }
  get cancelable() { return !!(this.#flags & CANCELABLE); }
  get composed() { return !!(this.#flags & COMPOSED); }
  get defaultPrevented() { return !!(this.#flags & CANCELED); }
  get isTrusted() { return !!(this.#flags & TRUSTED); }
  get timeStamp() { return this.#stamp; }
  get target() { return this.#target; }
  get srcElement() { return this.#target; }
  get currentTarget() { return this.#way ? this.#way.current : this.#target; }
  get eventPhase() { return this.#way ? this.#way.phase : this.#target ? 2 : 0; }
  get cancelBubble() { return !!(this.#flags & HALTED); }
  set cancelBubble(on) { if (on) this.#flags |= HALTED; }
  get returnValue() { return !(this.#flags & CANCELED); }
  set returnValue(on) { if (!on) this.preventDefault(); }
  composedPath() { return this.#way ? [...this.#way.path] : this.#target && !tree ? [this.#target] : []; }
  preventDefault() { if (this.#flags & CANCELABLE && !(this.#flags & PASSIVE)) this.#flags |= CANCELED; }
  stopPropagation() { this.#flags |= HALTED; }
  stopImmediatePropagation() { this.#flags |= STOPPED | HALTED; }
  initEvent(type, bubbles, cancelable) {
    this.#type = $String(type);
    this.#flags = (bubbles ? BUBBLES : 0) | (cancelable ? CANCELABLE : 0);
    this.#target = null;
  }
  static _begin(e, target) { e.#target = target; }
  static _stopped(e) { return !!(e.#flags & STOPPED); }
  static _halted(e) { return !!(e.#flags & HALTED); }
  static _way(e, way) { e.#way = way; if (!way) e.#flags &= ~(STOPPED | HALTED | PASSIVE); }
  static _mark(e, flag, on) { if (on) e.#flags |= flag; else e.#flags &= ~flag; }
  // What extends the life of an event: how many promises are waited for, what they were rejected with, whether the event is being
  // dispatched, and the number by which the stage knows it.
  static _extension(e) { return e.#extension || (e.#extension = {pending: 0, errors: null, active: true, id: 0}); }
}
const {_begin: beginEvent, _stopped: eventStopped, _halted: eventHalted, _way: setWay, _mark: markEvent, _extension: extensionOf} = Event;
for (const name of ["_begin", "_stopped", "_halted", "_way", "_mark", "_extension"]) delete Event[name];
for (const [name, value] of [["NONE", 0], ["CAPTURING_PHASE", 1], ["AT_TARGET", 2], ["BUBBLING_PHASE", 3]]) for (const target of [Event, Event.prototype]) $Object.defineProperty(target, name, {value, enumerable: true});

class CustomEvent extends Event {
  #detail;
  constructor(type, init) { super(type, init); this.#detail = init && "detail" in init ? init.detail : null; }
  get detail() { return this.#detail; }
}

class MessageEvent extends Event {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get data() { return "data" in this.#init ? this.#init.data : null; }
  get origin() { return this.#init.origin || ""; }
  get lastEventId() { return this.#init.lastEventId || ""; }
  get source() { return this.#init.source || null; }
  get ports() { return this.#init.ports || []; }
}

class ErrorEvent extends Event {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get message() { return this.#init.message || ""; }
  get filename() { return this.#init.filename || ""; }
  get lineno() { return this.#init.lineno || 0; }
  get colno() { return this.#init.colno || 0; }
  get error() { return this.#init.error; }
}

class PromiseRejectionEvent extends Event {
  #init;
  constructor(type, init) { super(type, init); this.#init = init; }
  get promise() { return this.#init.promise; }
  get reason() { return this.#init.reason; }
}

// listenersOf keeps listeners outside of the objects, so that plain objects such as the global can be targets.
const listenersOf = slots();
let loading = true; // the first run of the script: fetch listeners added later do not count
const lateListeners = [];

function addListener(target, type, callback, options) {
  if (callback === null || callback === undefined) return;
  if (typeof callback !== "function" && typeof callback !== "object")
    throw new $TypeError("The event listener is neither a function nor an object.");
  const capture = typeof options === "boolean" ? options : !!(options && options.capture);
  const once = !!(options && options.once);
  const signal = options && options.signal;
  if (signal && signal.aborted) return;
  let all = listenersOf.get(target);
  if (!all) listenersOf.set(target, all = new $Map());
  let list = all.get(type);
  if (!list) all.set(type, list = []);
  for (const l of list) if (l.callback === callback && l.capture === capture) return;
  list.push({callback, capture, once, passive: !!(options && options.passive)});
  if (signal) signal.addEventListener("abort", () => removeListener(target, type, callback, options));
  if (target === globalThis) noteListener(type);
}

function noteListener(type) {
  if (!$.listens) return; // a page
  if (loading) $.listens(type);
  else if (["install", "activate", "fetch", "message"].indexOf(type) >= 0) $.lateListener(type, new $Error("x").stack);
}

function removeListener(target, type, callback, options) {
  const capture = typeof options === "boolean" ? options : !!(options && options.capture);
  const list = listenersOf.get(target) && listenersOf.get(target).get(type);
  if (!list) return;
  for (let i = 0; i < list.length; i++)
    if (list[i].callback === callback && list[i].capture === capture) { list.splice(i, 1); return; }
}

// report hands an exception that no handler caught to the stage.
function report(where, error) { $.thrown(where, error); }

function dispatch(target, event) {
  if (tree) return tree.dispatch(target, event);
  beginEvent(event, target);
  const all = listenersOf.get(target), list = all && all.get(event.type);
  if (list && list.length) {
    const now = list.length > 1 ? [...list] : list; // those that are added meanwhile are not called
    for (let i = 0, n = now.length; i < n; i++) {
      const l = now[i];
      if (l.once) removeListener(target, event.type, l.callback, l.capture);
      try {
        if (typeof l.callback === "function") l.callback.call(target, event);
        else if (l.callback && typeof l.callback.handleEvent === "function") l.callback.handleEvent(event);
      } catch (e) {
        idbThrown++; // which aborts a database's transaction
        report(event.type, e);
      }
      if (eventStopped(event)) break;
    }
  }
  return !event.defaultPrevented;
}

class EventTarget {
  addEventListener(type, callback, options) { addListener(this === undefined ? globalThis : this, $String(type), callback, options); }
  removeEventListener(type, callback, options) { removeListener(this === undefined ? globalThis : this, $String(type), callback, options); }
  dispatchEvent(event) { return dispatch(this === undefined ? globalThis : this, event); }
}

// handlerAttribute defines an event handler attribute such as onfetch.
function handlerAttribute(target, type) {
  const current = slots();
  $Object.defineProperty(target, "on" + type, {
    configurable: true, enumerable: true,
    get() { const c = current.get(this === undefined ? globalThis : this); return c ? c.value : null; },
    set(value) {
      const self = this === undefined ? globalThis : this;
      let c = current.get(self);
      if (!c) {
        c = {value: null, callback: (e) => {
          if (typeof c.value !== "function") return;
          if (type !== "error" || !(e instanceof ErrorEvent) || self !== globalThis) return c.value.call(self, e);
          if (c.value.call(self, e.message, e.filename, e.lineno, e.colno, e.error) === true) e.preventDefault(); // HTML Standard, "the event handler processing algorithm"
        }};
        current.set(self, c);
      }
      removeListener(self, type, c.callback);
      c.value = typeof value === "function" ? value : null;
      if (c.value) addListener(self, type, c.callback);
    },
  });
}

class AbortSignal extends EventTarget {
  #aborted = false; #reason = undefined;
  get aborted() { return this.#aborted; }
  get reason() { return this.#reason; }
  throwIfAborted() { if (this.#aborted) throw this.#reason; }
  static _abort(s, reason) {
    if (s.#aborted) return;
    s.#aborted = true;
    s.#reason = reason === undefined ? new DOMException("signal is aborted without reason", "AbortError") : reason;
    dispatch(s, new Event("abort"));
  }
  static abort(reason) { const s = new AbortSignal(); abortSignal(s, reason); return s; }
  static timeout(ms) {
    const s = new AbortSignal();
    $.setTimer(() => abortSignal(s, new DOMException("signal timed out", "TimeoutError")), ms, false);
    return s;
  }
  static any(signals) {
    const s = new AbortSignal();
    for (const x of signals) {
      if (x.aborted) { abortSignal(s, x.reason); break; }
      x.addEventListener("abort", () => abortSignal(s, x.reason));
    }
    return s;
  }
}
const abortSignal = AbortSignal._abort;
delete AbortSignal._abort;
handlerAttribute(AbortSignal.prototype, "abort");

class AbortController {
  #signal = new AbortSignal();
  get signal() { return this.#signal; }
  abort(reason) { abortSignal(this.#signal, reason); }
}
