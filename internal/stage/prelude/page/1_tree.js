// Nodes (DOM Standard): those of domino, whose events, attributes and mutations are seen to here.
const $Reflect = {construct: globalThis.Reflect.construct};
let windowReady = false;

// domino defines what nobody may change; here it may be, by us and by scripts, as in browsers.
const loose = function Object(x) { return $Object(x); };
$Object.setPrototypeOf(loose, $Object);
loose.prototype = $Object.prototype;
loose.create = $.create;
loose.defineProperty = (o, k, d) => $Object.defineProperty(o, k, {configurable: true, ...d});
loose.defineProperties = $.define;
const dom = $.dom(loose);
const {Node, Element, Document, DocumentFragment, HTMLElement: DominoHTMLElement} = dom.impl;
const NodeList = dom.impl.NodeList;
const nodeProto = Node.prototype, elementProto = Element.prototype, htmlProto = DominoHTMLElement.prototype, docProto = Document.prototype;
const ELEMENT = 1, TEXT = 3, DOCUMENT = 9, FRAGMENT = 11;
const getter = (o, name, get, set) => $Object.defineProperty(o, name, {get, set, configurable: true, enumerable: true});
const method = (o, name, f) => $Object.defineProperty(o, name, {value: f, writable: true, configurable: true, enumerable: false});

// Lists of elements can be gone through.
const sample = new dom.impl.DOMImplementation(null).createHTMLDocument("").body;
for (const p of [dom.FilteredElementList.prototype, dom.impl.NamedNodeMap.prototype, dom.impl.DOMTokenList.prototype, $Object.getPrototypeOf(sample.children), $Object.getPrototypeOf(sample.attributes)]) {
  const all = (list) => { const out = []; for (let i = 0; i < list.length; i++) out.push(list.item(i)); return out; };
  method(p, $Symbol.iterator, function () { return all(this)[$Symbol.iterator](); });
  method(p, "forEach", function (f, self) { all(this).forEach((n, i) => f.call(self, n, i, this)); });
  method(p, "entries", function () { return all(this).entries(); });
  method(p, "keys", function () { return all(this).keys(); });
  method(p, "values", function () { return all(this).values(); });
  if (!("namedItem" in p)) method(p, "namedItem", function (n) { return all(this).find((e) => e.id === n || (e.getAttribute && e.getAttribute("name") === n)) || null; });
}

// Nodes are event targets of ours.
const dominoTarget = dom.EventTarget.prototype;
for (const k of ["addEventListener", "removeEventListener", "dispatchEvent"]) delete dominoTarget[k];
$Object.setPrototypeOf(dominoTarget, EventTarget.prototype);
method(dominoTarget, "_dispatchEvent", function (event) { return dispatch(this, event); });

// parentOf gives where an event goes next from a target.
function parentOf(target, event) {
  if (target === globalThis) return null;
  if (!(target instanceof Node)) return null;
  if (target.nodeType === DOCUMENT) return event.type === "load" || target !== document ? null : globalThis;
  const root = shadowOf(target);
  if (root) return event.composed || rootOf(eventTarget(event)) !== target ? root.host : null;
  const slot = target.parentNode && target.parentNode.shadowRoot_ && slotOf(target);
  return slot || target.parentNode;
}
const eventTarget = (event) => (wayOf.get(event) || {}).first || event.target;
const wayOf = slots();

// The steps of a dispatch (DOM Standard, "dispatch"): a listener is called at each.
function* steps(target, event) {
  const path = [];
  wayOf.set(event, {first: target});
  for (let t = target; t; t = parentOf(t, event)) path.push(t);
  // What stands in a shadow tree is not seen from outside: the target is its host there.
  const seenFrom = (at) => {
    let t = target;
    while (at !== t && t instanceof Node) {
      const root = rootOf(t);
      if (!shadowOf(root) || (at instanceof Node && contains(root, at))) break;
      t = root.host;
    }
    return t;
  };
  const way = {current: null, phase: 0, path};
  beginEvent(event, target);
  setWay(event, way);
  const at = function* (current, phase) {
    way.current = current;
    way.phase = phase;
    beginEvent(event, seenFrom(current));
    const all = listenersOf.get(current), list = all && all.get(event.type);
    if (!list || !list.length) return;
    for (const l of [...list]) {
      if (phase === 1 ? !l.capture : phase === 3 && l.capture) continue;
      if (list.indexOf(l) < 0 && (all.get(event.type) || []).indexOf(l) < 0) continue; // removed meanwhile
      if (l.once) removeListener(current, event.type, l.callback, l.capture);
      markEvent(event, PASSIVE, l.passive);
      const before = globalThis.event;
      currentEvent = event;
      try {
        if (typeof l.callback === "function") l.callback.call(current, event);
        else if (l.callback && typeof l.callback.handleEvent === "function") l.callback.handleEvent(event);
      } catch (e) {
        idbThrown++;
        report(event.type, e);
      }
      currentEvent = before;
      markEvent(event, PASSIVE, false);
      yield;
      if (eventStopped(event)) return;
    }
  };
  for (let i = path.length - 1; i > 0 && !eventHalted(event); i--) yield* at(path[i], path[i] === seenFrom(path[i]) && path[i] !== target ? 2 : 1);
  if (!eventHalted(event)) { // capturing listeners of the target come first
    const all = listenersOf.get(target), list = all && all.get(event.type);
    if (list && list.some((l) => l.capture)) list.sort((a, b) => (b.capture ? 1 : 0) - (a.capture ? 1 : 0));
    yield* at(target, 2);
  }
  for (let i = 1; i < path.length && !eventHalted(event); i++) if (event.bubbles || seenFrom(path[i]) === path[i]) yield* at(path[i], 3);
  setWay(event, null);
  beginEvent(event, seenFrom(path[path.length - 1] || target));
}
let currentEvent;

// dispatch by a script runs all listeners in a row; what the browser dispatches lets promises have their turn after each.
tree = {dispatch(target, event) {
  for (const _ of steps(target, event)); // eslint-disable-line
  return !event.defaultPrevented;
}};
const fire = (target, event, then) => {
  const it = steps(target, event);
  const step = () => { if (!it.next().done) $.then(step); else if (then) $.then(then); };
  step();
};
const made = (Kind, type, init) => { trust = true; try { return new Kind(type, init); } finally { trust = false; } };
const fireSimple = (target, type, init, then) => fire(target, made(Event, type, init), then);

// Handlers by property and by attribute.
const handlerTypes = ["abort", "animationcancel", "animationend", "animationiteration", "animationstart", "auxclick", "beforeinput", "beforetoggle", "blur", "cancel", "canplay", "canplaythrough", "change", "click", "close", "contextmenu", "copy", "cut",
  "dblclick", "drag", "dragend", "dragenter", "dragleave", "dragover", "dragstart", "drop", "durationchange", "ended", "error", "focus", "focusin", "focusout", "formdata", "gotpointercapture", "input", "invalid", "keydown", "keypress", "keyup", "load",
  "loadeddata", "loadedmetadata", "loadstart", "lostpointercapture", "mousedown", "mouseenter", "mouseleave", "mousemove", "mouseout", "mouseover", "mouseup", "paste", "pause", "play", "playing", "pointercancel", "pointerdown", "pointerenter",
  "pointerleave", "pointermove", "pointerout", "pointerover", "pointerup", "progress", "ratechange", "reset", "resize", "scroll", "scrollend", "securitypolicyviolation", "seeked", "seeking", "select", "selectionchange", "selectstart", "slotchange", "stalled",
  "submit", "suspend", "timeupdate", "toggle", "touchcancel", "touchend", "touchmove", "touchstart", "transitioncancel", "transitionend", "transitionrun", "transitionstart", "volumechange", "waiting", "wheel"];
const windowTypes = ["afterprint", "appinstalled", "beforeinstallprompt", "beforeprint", "beforeunload", "hashchange", "languagechange", "message", "messageerror", "offline", "online", "pagehide", "pageshow", "pageswap", "pagereveal", "popstate", "rejectionhandled", "storage", "unhandledrejection", "unload"];
const handlersOf = slots(); // by object: its handlers by type
const accessors = {__proto__: null}; // by type: one pair for all that have it
function handlers(target, types) {
  const all = {};
  for (const type of types) all["on" + type] = accessors[type] || (accessors[type] = {enumerable: true,
    get() { const h = handlersOf.get(this === undefined ? globalThis : this), c = h && h[type]; return c ? c.value : null; },
    set(value) { setHandler(this === undefined ? globalThis : this, type, value); }});
  $.define(target, all);
}
function setHandler(self, type, value) {
  let h = handlersOf.get(self);
  if (!h) handlersOf.set(self, h = {__proto__: null});
  let c = h[type];
  if (!c) {
    c = h[type] = {value: null, callback: (e) => {
      if (typeof c.value !== "function") return;
      if (type === "error" && self === globalThis && e instanceof ErrorEvent) { if (c.value.call(self, e.message, e.filename, e.lineno, e.colno, e.error) === true) e.preventDefault(); return; }
      const r = c.value.call(self, e);
      if (type === "beforeunload" ? r !== null && r !== undefined : r === false) e.preventDefault();
    }};
  }
  c.value = typeof value === "function" || (value && typeof value === "object") ? value : null;
  if (c.value) addListener(self, type, c.callback);
  else removeListener(self, type, c.callback);
}
handlers(elementProto, handlerTypes);
handlers(docProto, [...handlerTypes, "readystatechange", "visibilitychange", "fullscreenchange"]);

// codeOf makes the function of an attribute such as onclick (HTML Standard, "event handler content attributes").
const codeOf = (source, element) => {
  try {
    const f = evalGlobal("(function (event) { with (document) { with (this) {\n" + source + "\n} } })");
    return (event) => f.call(element, event);
  } catch (e) { report("attribute", e); return null; }
};

const codes_ = slots(); // by element: what its handlers were made of
function handlerOfAttribute(element, name, now) {
  const body = element.localName === "body" && windowTypes.concat(["load", "error", "resize", "scroll", "blur", "focus"]).indexOf(name.slice(2)) >= 0;
  if (!body && !(name in element)) return;
  let made = codes_.get(element);
  if (!made) codes_.set(element, made = {});
  if (made[name] === now) return;
  made[name] = now;
  const target = body ? globalThis : element;
  target[name] = now === null ? null : codeOf(now, target);
}

// Attributes: every change is noted.
const attrProto = $Object.getPrototypeOf(sample.ownerDocument.createAttribute("x"));
const plainValue = $Object.getOwnPropertyDescriptor(attrProto, "value");
getter(attrProto, "value", plainValue.get, function (value) {
  const owner = this.ownerElement, old = this.data === undefined ? null : this.data;
  plainValue.set.call(this, value);
  if (owner) attributeChanged(owner, this, old, this.data);
});
for (const name of ["removeAttribute", "removeAttributeNS"]) {
  const remove = elementProto[name];
  method(elementProto, name, function (a, b) {
    const attr = name === "removeAttribute" ? this.getAttributeNode(a) : this.getAttributeNodeNS(a, b);
    remove.call(this, a, b);
    if (attr) attributeChanged(this, attr, attr.data, null);
  });
}
function attributeChanged(element, attr, old, now) {
  const name = attr.localName;
  if (attr.namespaceURI === null) {
    if (name.startsWith("on") && scripted(element)) handlerOfAttribute(element, name, now);
    else if (name === "id" && now && windowReady && element.isConnected) named_(now);
    customAttribute(element, name, old, now, attr.namespaceURI);
  }
  if (element.localName === "details" && name === "open" && windowReady && (old === null) !== (now === null)) $.task(() => fire(element, made(kindsOfEvents.ToggleEvent, "toggle", {oldState: now === null ? "open" : "closed", newState: now === null ? "closed" : "open"})));
  noteMutation("attributes", element, {attributeName: name, attributeNamespace: attr.namespaceURI, oldValue: old});
  if (windowReady && scripted(element)) wants(element, name);
}
const scripted = (node) => node.ownerDocument === document || node === document;

// Connection.
getter(nodeProto, "isConnected", function () { return this === document || (this._nid && this.ownerDocument === document) || false; });
const rootOf = (node) => { let n = node; while (n.parentNode) n = n.parentNode; return n; };
method(nodeProto, "getRootNode", function (options) {
  let n = rootOf(this);
  while (options && options.composed && shadowOf(n)) n = rootOf(n.host);
  return n;
});
const contains = (root, node) => { for (let n = node; n; n = n.parentNode) if (n === root) return true; return false; };
method(nodeProto, "contains", function (other) { return !!other && contains(this, other); });
getter(nodeProto, "baseURI", function () { return baseOf(this.ownerDocument || this); });
getter(nodeProto, "parentElement", function () { return this.parentNode && this.parentNode.nodeType === ELEMENT ? this.parentNode : null; });

const nodesOf = (items) => items.map((x) => (x instanceof Node ? x : document.createTextNode(String(x))));
const fragmentOf = (items) => {
  const list = nodesOf(items);
  if (list.length === 1) return list[0];
  const f = document.createDocumentFragment();
  for (const n of list) f.appendChild(n);
  return f;
};
for (const p of [elementProto, docProto, DocumentFragment.prototype]) {
  method(p, "append", function (...items) { if (items.length) this.appendChild(fragmentOf(items)); });
  method(p, "prepend", function (...items) { if (items.length) this.insertBefore(fragmentOf(items), this.firstChild); });
  method(p, "replaceChildren", function (...items) { const f = items.length ? fragmentOf(items) : null; while (this.firstChild) this.removeChild(this.firstChild); if (f) this.appendChild(f); });
  method(p, "moveBefore", function (node, child) { this.insertBefore(node, child); });
}
for (const p of [elementProto, dom.impl.CharacterData.prototype, dom.impl.DocumentType.prototype]) {
  method(p, "before", function (...items) { if (this.parentNode) this.parentNode.insertBefore(fragmentOf(items), this); });
  method(p, "after", function (...items) { if (this.parentNode) this.parentNode.insertBefore(fragmentOf(items), this.nextSibling); });
  method(p, "replaceWith", function (...items) {
    const parent = this.parentNode;
    if (!parent) return;
    let next = this.nextSibling;
    while (next && items.includes(next)) next = next.nextSibling;
    const f = fragmentOf(items);
    if (this.parentNode === parent && !items.includes(this)) parent.replaceChild(f, this);
    else parent.insertBefore(f, next);
  });
}

// A reference that is left out is none.
for (const p of [nodeProto, docProto]) {
  const insert = p.insertBefore;
  method(p, "insertBefore", function (node, ref) { return insert.call(this, node, ref === undefined ? null : ref); });
}
for (const p of [DocumentFragment.prototype, docProto]) {
  const elements = (n) => { const out = []; for (let c = n.firstChild; c; c = c.nextSibling) if (c.nodeType === ELEMENT) out.push(c); return out; };
  getter(p, "children", function () { const list = elements(this); method(list, "item", (i) => list[i] || null); return list; });
  getter(p, "firstElementChild", function () { return elements(this)[0] || null; });
  getter(p, "lastElementChild", function () { return elements(this).pop() || null; });
  getter(p, "childElementCount", function () { return elements(this).length; });
}
// What is copied into the document becomes the custom elements that it has.
const upgradeBelow = (node) => { if (definitions.size && node.ownerDocument === document) each(node, (n) => { if (n.nodeType === ELEMENT) tryUpgrade(n); }); return node; };
{
  const copy = docProto.importNode;
  method(docProto, "importNode", function (node, deep) { return upgradeBelow(copy.call(this, node, !!deep)); });
}

// dataset, and styles that take every property.
getter(htmlProto, "dataset", function () {
  const element = this, attribute = (k) => "data-" + $String(k).replace(/[A-Z]/g, (c) => "-" + c.toLowerCase());
  const key = (a) => a.slice(5).replace(/-([a-z])/g, (_, c) => c.toUpperCase());
  return new Proxy({}, {
    get: (_, k) => (typeof k === "string" && element.hasAttribute(attribute(k)) ? element.getAttribute(attribute(k)) : undefined),
    set: (_, k, v) => { element.setAttribute(attribute(k), $String(v)); return true; },
    has: (_, k) => typeof k === "string" && element.hasAttribute(attribute(k)),
    deleteProperty: (_, k) => { element.removeAttribute(attribute(k)); return true; },
    ownKeys: () => element.getAttributeNames().filter((a) => a.startsWith("data-")).map(key),
    getOwnPropertyDescriptor: (_, k) => (typeof k === "string" && element.hasAttribute(attribute(k)) ? {value: element.getAttribute(attribute(k)), writable: true, enumerable: true, configurable: true} : undefined),
  });
});
if (dom.svg && dom.svg.elements && dom.svg.elements.SVGElement) $Object.defineProperty(dom.svg.elements.SVGElement.prototype, "dataset", $Object.getOwnPropertyDescriptor(htmlProto, "dataset"));

// Mutations.
const observed = slots(); // by node: list of {observer, options}
const waitingObservers = new $Set();
let notifying = false;
class MutationRecord { constructor(init) { $Object.assign(this, {addedNodes: [], removedNodes: [], previousSibling: null, nextSibling: null, attributeName: null, attributeNamespace: null, oldValue: null}, init); } }
const observerState = slots();
class MutationObserver {
  constructor(callback) {
    if (typeof callback !== "function") throw new $TypeError("Failed to construct 'MutationObserver': parameter 1 is not of type 'Function'.");
    observerState.set(this, {callback, records: [], nodes: []});
  }
  observe(node, options = {}) {
    const o = {...options};
    if ((o.attributeOldValue || o.attributeFilter) && o.attributes === undefined) o.attributes = true;
    if (o.characterDataOldValue && o.characterData === undefined) o.characterData = true;
    if (!o.childList && !o.attributes && !o.characterData) throw new $TypeError("Failed to execute 'observe' on 'MutationObserver': The options object must set at least one of 'attributes', 'characterData', or 'childList' to true.");
    let list = observed.get(node);
    if (!list) observed.set(node, list = []);
    const known = list.find((l) => l.observer === this);
    if (known) known.options = o;
    else { list.push({observer: this, options: o}); observerState.get(this).nodes.push(node); }
    anyObserved = true;
  }
  disconnect() {
    const s = observerState.get(this);
    for (const n of s.nodes) { const list = observed.get(n); const i = list.findIndex((l) => l.observer === this); if (i >= 0) list.splice(i, 1); }
    s.nodes = [];
    s.records = [];
  }
  takeRecords() { const s = observerState.get(this), r = s.records; s.records = []; return r; }
}
let anyObserved = false;
function noteMutation(type, target, more) {
  if (!anyObserved) return;
  for (let n = target; n; n = n.parentNode || (n.host_ && null)) {
    const list = observed.get(n);
    if (!list) continue;
    for (const {observer, options} of list) {
      if (n !== target && !options.subtree) continue;
      if (!options[type]) continue;
      if (type === "attributes" && options.attributeFilter && options.attributeFilter.indexOf(more.attributeName) < 0) continue;
      const s = observerState.get(observer);
      const init = {type, target, ...more};
      if (type === "attributes" && !options.attributeOldValue || type === "characterData" && !options.characterDataOldValue) init.oldValue = null;
      const last = s.records[s.records.length - 1];
      if (!last || last.target !== target || last.type !== type || type !== "attributes" || last.more !== more) s.records.push(new MutationRecord(init));
      waitingObservers.add(observer);
    }
  }
  if (waitingObservers.size && !notifying) {
    notifying = true;
    $Promise.resolve().then(notify);
  }
}
function notify() {
  notifying = false;
  const all = [...waitingObservers];
  waitingObservers.clear();
  for (const o of all) {
    const s = observerState.get(o), records = s.records;
    s.records = [];
    if (!records.length) continue;
    try { s.callback.call(o, records, o); } catch (e) { report("MutationObserver", e); }
  }
}
const dataDescriptor = $Object.getOwnPropertyDescriptor(dom.impl.Text.prototype, "data");
for (const Kind of [dom.impl.Text, dom.impl.Comment]) {
  const d = $Object.getOwnPropertyDescriptor(Kind.prototype, "data") || dataDescriptor;
  const set = function (v) { const old = d.get.call(this); d.set.call(this, v === null || v === undefined ? (v === null ? "" : "undefined") : v); noteMutation("characterData", this, {oldValue: old}); };
  for (const name of ["data", "nodeValue", "textContent"]) getter(Kind.prototype, name, d.get, set);
}

// changed is told by domino of what happens to rooted nodes.
function changed(m) {
  if (m.type === dom.MUTATE.INSERT || m.type === dom.MUTATE.MOVE) {
    const node = m.type === dom.MUTATE.INSERT ? m.node : m.target;
    if (anyObserved) noteMutation("childList", node.parentNode, {addedNodes: [node], previousSibling: node.previousSibling, nextSibling: node.nextSibling});
    connected(node);
  } else if (m.type === dom.MUTATE.REMOVE) {
    if (anyObserved) noteMutation("childList", m.target, {removedNodes: [m.node], previousSibling: m.node.previousSibling, nextSibling: m.node.nextSibling});
    disconnected(m.node);
  }
}

// each calls f for a node and what is below it, shadow trees included.
function each(node, f) {
  f(node);
  const root = node.shadowRoot_;
  if (root) for (let n = root.firstChild; n; n = n.nextSibling) each(n, f);
  for (let n = node.firstChild; n; n = n.nextSibling) each(n, f);
}
function connected(node) {
  if (node.nodeType !== ELEMENT) {
    if (node.parentNode && node.parentNode.shadowRoot_) slotsChanged(node.parentNode);
    return;
  }
  if (!node.firstChild && !node.shadowRoot_) { // as the parser brings them
    if (definitions.size) customConnected(node);
    if (windowReady && node.isConnected) arrived(node);
    if (node.parentNode && node.parentNode.shadowRoot_) slotsChanged(node.parentNode);
    return;
  }
  const list = [];
  each(node, (n) => { if (n.nodeType === ELEMENT) list.push(n); });
  for (const n of list) {
    if (n.shadowRoot_) rootShadow(n);
    customConnected(n);
  }
  for (const n of list) if (windowReady && n.isConnected) arrived(n);
  const parent = node.parentNode;
  if (parent && parent.shadowRoot_) slotsChanged(parent);
}
function disconnected(node) {
  each(node, (n) => {
    if (n.nodeType !== ELEMENT) return;
    if (n.shadowRoot_) n.shadowRoot_._nid = undefined;
    customDisconnected(n);
  });
}

// Shadow trees.
const shadowOf = (node) => (node instanceof ShadowRoot ? node : null);
class ShadowRoot extends DocumentFragment { constructor() { throw new $TypeError("Illegal constructor"); } }
const rootShadow = (host) => {
  const root = host.shadowRoot_;
  if (!root._nid) document.mutateInsertShadow(root);
};
method(docProto, "mutateInsertShadow", function (root) { // what stands in it counts as rooted
  const mark = (n) => { n._nid = this._nextnid++; this._nodes[n._nid] = n; for (let c = n.firstChild; c; c = c.nextSibling) mark(c); };
  mark(root);
});
let shadows = false; // whether the page has trees that are shown and stand in no markup
method(elementProto, "attachShadow", function (init) {
  shadows = true;
  if (!init || (init.mode !== "open" && init.mode !== "closed")) throw new $TypeError("Failed to execute 'attachShadow' on 'Element': The provided value is not a valid enum value of type ShadowRootMode.");
  if (this.shadowRoot_) throw new DOMException("Failed to execute 'attachShadow' on 'Element': Shadow root cannot be created on a host which already hosts a shadow tree.", "NotSupportedError");
  const root = this.ownerDocument.createDocumentFragment();
  $Object.setPrototypeOf(root, ShadowRoot.prototype);
  method(root, "host_", this);
  method(root, "mode_", init.mode);
  method(this, "shadowRoot_", root);
  if (this.isConnected) rootShadow(this);
  return root;
});
getter(elementProto, "shadowRoot", function () { const r = this.shadowRoot_; return r && r.mode_ === "open" ? r : null; });
getter(ShadowRoot.prototype, "host", function () { return this.host_; });
getter(ShadowRoot.prototype, "mode", function () { return this.mode_; });
getter(ShadowRoot.prototype, "activeElement", function () { return null; });
getter(ShadowRoot.prototype, "adoptedStyleSheets", function () { return this.sheets_ || []; }, function (v) { method(this, "sheets_", v); });
getter(ShadowRoot.prototype, "innerHTML", function () { return this.serialize(); }, function (v) { while (this.firstChild) this.removeChild(this.firstChild); this.appendChild(parseFragment($String(v), document.createElement("div"))); });
getter(ShadowRoot.prototype, "isConnected", function () { return this.host_.isConnected; });
const slotOf = (node) => {
  const root = node.parentNode && node.parentNode.shadowRoot_;
  if (!root) return null;
  const name = (node.nodeType === ELEMENT && node.getAttribute("slot")) || "";
  if (node.nodeType !== ELEMENT && node.nodeType !== TEXT) return null;
  for (const s of root.querySelectorAll("slot")) if ((s.getAttribute("name") || "") === name) return s;
  return null;
};
function slotsChanged(host) {
  for (const s of host.shadowRoot_.querySelectorAll("slot")) $Promise.resolve().then(() => { if (!s.told_) { method(s, "told_", true); dispatch(s, made(Event, "slotchange", {bubbles: true})); } });
}
const assigned = (slot) => {
  const root = rootOf(slot);
  if (!shadowOf(root)) return [];
  return [...root.host.childNodes].filter((n) => slotOf(n) === slot);
};
const SlotProto = dom.impl.HTMLSlotElement ? dom.impl.HTMLSlotElement.prototype : htmlProto;
method(SlotProto, "assignedNodes", function (o) { const a = assigned(this); return a.length || !(o && o.flatten) ? a : [...this.childNodes]; });
method(SlotProto, "assignedElements", function (o) { return this.assignedNodes(o).filter((n) => n.nodeType === ELEMENT); });
getter(elementProto, "assignedSlot", function () { return slotOf(this); });
getter(elementProto, "slot", function () { return this.getAttribute("slot") || ""; }, function (v) { this.setAttribute("slot", v); });

// Custom elements (HTML Standard, section 4.13).
const definitions = new $Map(), byClass = new $Map(), defined = new $Map();
const custom = slots(); // by element: its definition
let upgrading = null; // the element that a constructor is to give back
function construct(Kind, Base) {
  const d = byClass.get(Kind);
  if (!d) throw new $TypeError("Illegal constructor");
  if (upgrading) {
    const e = upgrading;
    upgrading = null;
    $Object.setPrototypeOf(e, Kind.prototype);
    return e;
  }
  const e = plainElement.call(document, d.name);
  $Object.setPrototypeOf(e, Kind.prototype);
  custom.set(e, d);
  return e;
}
function upgrade(element, d) {
  if (custom.get(element)) return;
  custom.set(element, d);
  upgrading = element;
  try {
    const made = $Reflect.construct(d.Kind, []);
    if (made !== element) throw new $TypeError("The custom element constructor did not produce the element being upgraded.");
  } catch (e) {
    upgrading = null;
    custom.set(element, {failed: true});
    report("custom element", e);
    return;
  }
  upgrading = null;
  for (const name of element.getAttributeNames()) if (d.observed.indexOf(name) >= 0) react(element, "attributeChangedCallback", name, null, element.getAttribute(name), null);
  if (element.isConnected) react(element, "connectedCallback");
}
function react(element, name, ...args) {
  const d = custom.get(element);
  const f = d && !d.failed && d.callbacks[name];
  if (f) try { f.apply(element, args); } catch (e) { report(name, e); }
}
function tryUpgrade(element) {
  if (custom.get(element)) return;
  const d = element.localName.includes("-") ? definitions.get(element.localName) : null;
  if (d && !d.builtin) upgrade(element, d);
}
function customConnected(element) {
  if (custom.get(element)) react(element, "connectedCallback");
  else tryUpgrade(element);
}
function customDisconnected(element) { if (custom.get(element)) react(element, "disconnectedCallback"); }
function customAttribute(element, name, old, now, ns) {
  const d = custom.get(element);
  if (d && !d.failed && d.observed.indexOf(name) >= 0) react(element, "attributeChangedCallback", name, old, now, ns);
}
class CustomElementRegistry {
  define(name, Kind, options) {
    if (typeof Kind !== "function") throw new $TypeError("Failed to execute 'define' on 'CustomElementRegistry': parameter 2 is not of type 'Function'.");
    if (!/^[a-z][^A-Z\s/>]*-[^A-Z\s/>]*$/.test(name)) throw new DOMException("Failed to execute 'define' on 'CustomElementRegistry': \"" + name + "\" is not a valid custom element name", "SyntaxError");
    if (definitions.has(name)) throw new DOMException("Failed to execute 'define' on 'CustomElementRegistry': the name \"" + name + "\" has already been used with this registry", "NotSupportedError");
    if (byClass.has(Kind)) throw new DOMException("Failed to execute 'define' on 'CustomElementRegistry': this constructor has already been used with this registry", "NotSupportedError");
    const callbacks = {};
    for (const k of ["connectedCallback", "disconnectedCallback", "adoptedCallback", "attributeChangedCallback", "connectedMoveCallback", "formAssociatedCallback", "formResetCallback"]) if (typeof Kind.prototype[k] === "function") callbacks[k] = Kind.prototype[k];
    const d = {name, Kind, callbacks, observed: callbacks.attributeChangedCallback ? [...(Kind.observedAttributes || [])].map(String) : [], builtin: !!(options && options.extends)};
    definitions.set(name, d);
    byClass.set(Kind, d);
    const list = [];
    each(document, (n) => { if (n.nodeType === ELEMENT && n.localName === name) list.push(n); });
    for (const e of list) upgrade(e, d);
    const wait = defined.get(name);
    if (wait) wait.resolve(Kind);
  }
  get(name) { const d = definitions.get(name); return d && d.Kind; }
  getName(Kind) { const d = byClass.get(Kind); return d ? d.name : null; }
  upgrade(root) { each(root, (n) => { if (n.nodeType === ELEMENT) tryUpgrade(n); }); }
  whenDefined(name) {
    const d = definitions.get(name);
    if (d) return $Promise.resolve(d.Kind);
    let wait = defined.get(name);
    if (!wait) { wait = {}; wait.promise = new $Promise((resolve) => { wait.resolve = resolve; }); defined.set(name, wait); }
    return wait.promise;
  }
}
const plainElement = docProto.createElement;
method(docProto, "createElement", function (name, options) {
  const e = plainElement.call(this, $String(name));
  const d = this === document && e.localName.includes("-") ? definitions.get(e.localName) : null;
  if (!d || d.builtin) return e;
  try {
    return $Reflect.construct(d.Kind, []);
  } catch (error) { report("custom element", error); return e; }
});
method(elementProto, "attachInternals", function () {
  return {shadowRoot: this.shadowRoot_ || null, states: new $Set(), form: null, labels: [], willValidate: true, validity: {valid: true}, validationMessage: "", setFormValue() {}, setValidity() {}, checkValidity() { return true; }, reportValidity() { return true; }};
});

// parseFragment parses as innerHTML does.
function parseFragment(html, context) {
  let f;
  if (context.namespaceURI === "http://www.w3.org/1999/xhtml") {
    f = document.createDocumentFragment();
    if (!/[<&]/.test(html)) { if (html) f._appendChild(document.createTextNode(html)); } else build($.fragment(html, context.localName), 0, [f], true);
  } else {
    const parser = document.implementation.mozHTMLParser(document._address, context);
    parser.parse(html, true);
    f = parser._asDocumentFragment();
    document.adoptNode(f);
  }
  if (html.includes("<script") || html.includes("<SCRIPT")) each(f, (n) => { if (n.localName === "script") method(n, "started_", true); }); // which never run
  return f;
}
const plainInner = $Object.getOwnPropertyDescriptor(htmlProto, "innerHTML");
const setInner = function (v) {
  const f = parseFragment(v === null ? "" : $String(v), this);
  const target = this.localName === "template" && this.content ? this.content : this;
  while (target.firstChild) target.removeChild(target.firstChild);
  target.appendChild(f);
};
for (const p of [htmlProto, elementProto]) getter(p, "innerHTML", plainInner.get, setInner);
method(elementProto, "setHTMLUnsafe", setInner);
method(elementProto, "insertAdjacentHTML", function (where, text) {
  const w = $String(where).toLowerCase();
  const context = w === "beforebegin" || w === "afterend" ? this.parentNode : this;
  const f = parseFragment($String(text), context.nodeType === ELEMENT ? context : document.createElement("body"));
  if (w === "beforebegin") context.insertBefore(f, this);
  else if (w === "afterbegin") this.insertBefore(f, this.firstChild);
  else if (w === "beforeend") this.appendChild(f);
  else if (w === "afterend") context.insertBefore(f, this.nextSibling);
  else throw new DOMException("Failed to execute 'insertAdjacentHTML' on 'Element': The value provided ('" + where + "') is not one of 'beforeBegin', 'afterBegin', 'beforeEnd', or 'afterEnd'.", "SyntaxError");
});

// What selectors ask for that only a browser knows.
{
  const known = dom.select.selectors, never = () => false;
  if (known) {
    known[":defined"] = (e) => !e.localName.includes("-") || !!custom.get(e);
    known[":focus"] = known[":focus-visible"] = (e) => e === focused;
    known[":focus-within"] = (e) => !!focused && contains(e, focused);
    known[":open"] = (e) => e.hasAttribute("open");
    known[":placeholder-shown"] = (e) => e.hasAttribute("placeholder") && e.value === "";
    known[":valid"] = (e) => !e.validity || e.validity.valid;
    known[":invalid"] = (e) => !!e.validity && !e.validity.valid;
    known[":checked"] = (e) => (e.localName === "option" ? e.selected : !!e.checked);
    known[":read-only"] = (e) => !/^(input|textarea)$/.test(e.localName) || e.hasAttribute("readonly") || e.hasAttribute("disabled");
    for (const k of [":hover", ":active", ":modal", ":fullscreen", ":popover-open", ":autofill", ":visited", ":host"]) if (!known[k]) known[k] = never;
  }
}

// Selectors of one simple part, which pages use most, need no machinery.
const nextIn = (n, root) => {
  if (n.firstChild) return n.firstChild;
  while (n !== root && !n.nextSibling) n = n.parentNode;
  return n === root ? null : n.nextSibling;
};
const simple = (selector) => {
  let m;
  if ((m = /^\[([a-z][a-z0-9-]*)\]$/.exec(selector))) { const name = m[1]; return (n) => n._attrsByQName[name] !== undefined; }
  if ((m = /^([a-z][a-z0-9-]*)$/i.exec(selector))) { const name = m[1].toLowerCase(); return (n) => n.localName === name; }
  if ((m = /^\.([\w-]+)$/.exec(selector))) { const name = m[1]; return (n) => { const c = n._attrsByQName["class"]; return c !== undefined && (" " + c.data.replace(/\s+/g, " ") + " ").includes(" " + name + " "); }; }
  if ((m = /^#([\w-]+)$/.exec(selector))) { const name = m[1]; return (n) => { const c = n._attrsByQName.id; return c !== undefined && c.data === name; }; }
  return null;
};
const tests = new $Map(); // by selector
const testFor = (selector) => {
  let t = tests.get(selector);
  if (t === undefined) { t = simple(selector); if (tests.size < 500) tests.set(selector, t); }
  return t;
};
for (const p of [elementProto, docProto, DocumentFragment.prototype]) {
  const one = p.querySelector, all = p.querySelectorAll;
  method(p, "querySelector", function (selector) {
    const t = testFor($String(selector));
    if (!t) return one.call(this, $String(selector));
    for (let n = nextIn(this, this); n; n = nextIn(n, this)) if (n.nodeType === ELEMENT && t(n)) return n;
    return null;
  });
  method(p, "querySelectorAll", function (selector) {
    const t = testFor($String(selector)), out = new NodeList();
    if (!t) return all.call(this, $String(selector));
    for (let n = nextIn(this, this); n; n = nextIn(n, this)) if (n.nodeType === ELEMENT && t(n)) out.push(n);
    return out;
  });
}
