// What documents and elements have besides (HTML Standard, CSSOM View): where there is no layout, plausible constants stand for sizes.
const SCREEN = {width: 1280, height: 800};
const cookies = {get: () => $.cookies(), set: (text) => $.setCookie($String(text))};
const collection = (name, find) => getter(docProto, name, function () { return find(this); });
collection("images", (d) => d.getElementsByTagName("img"));
collection("scripts", (d) => d.getElementsByTagName("script"));
collection("forms", (d) => d.getElementsByTagName("form"));
collection("links", (d) => d.querySelectorAll("a[href], area[href]"));
collection("embeds", (d) => d.getElementsByTagName("embed"));
collection("plugins", (d) => d.getElementsByTagName("embed"));
collection("anchors", (d) => d.querySelectorAll("a[name]"));
collection("all", (d) => d.getElementsByTagName("*"));
collection("styleSheets", (d) => [...d.querySelectorAll("style, link[rel~=stylesheet]")].map((e) => sheetOf(e)));
getter(docProto, "cookie", function () { return this === document ? cookies.get() : ""; }, function (v) { if (this === document) cookies.set(v); });
getter(docProto, "referrer", () => $.referrer());
getter(docProto, "domain", function () { return new URL(this._address).hostname; }, () => {});
getter(docProto, "lastModified", () => "01/05/2026 09:00:00");
getter(docProto, "location", function () { return this === document ? location : null; }, (v) => { location.href = v; });
getter(docProto, "currentScript", () => current);
getter(docProto, "readyState", function () { return this === document ? load.state : "complete"; }, () => {});
getter(docProto, "defaultView", function () { return this === document ? globalThis : null; }, () => {});
getter(docProto, "visibilityState", () => $.visible() ? "visible" : "hidden");
getter(docProto, "hidden", () => !$.visible());
getter(docProto, "activeElement", function () { return focused && focused.isConnected ? focused : this.body; });
getter(docProto, "documentURI", function () { return this._address; });
getter(docProto, "URL", function () { return this._address; });
getter(docProto, "fullscreenElement", () => null);
getter(docProto, "pointerLockElement", () => null);
getter(docProto, "prerendering", () => false);
getter(docProto, "adoptedStyleSheets", function () { return this.sheets_ || []; }, function (v) { method(this, "sheets_", v); });
getter(docProto, "designMode", () => "off", () => {});
getter(docProto, "fonts", () => fontSet);
getter(docProto, "timeline", () => ({currentTime: $.now()}));
getter(docProto, "featurePolicy", () => ({allowsFeature: () => true, features: () => []}));
method(docProto, "hasFocus", () => $.visible());
method(docProto, "write", function (...texts) { write(texts.map(String).join("")); });
method(docProto, "writeln", function (...texts) { write(texts.map(String).join("") + "\n"); });
method(docProto, "open", function () { return this; });
method(docProto, "close", () => {});
method(docProto, "execCommand", () => false);
method(docProto, "queryCommandSupported", () => false);
method(docProto, "elementFromPoint", function () { return this.body; });
method(docProto, "elementsFromPoint", function () { return [this.body, this.documentElement]; });
method(docProto, "getSelection", () => selection);
method(docProto, "createRange", function () { return new Range(); });
method(docProto, "getAnimations", () => []);
method(docProto, "hasStorageAccess", async () => true);
method(docProto, "exitFullscreen", async () => {});
$Object.defineProperty(docProto, "body", {configurable: true, enumerable: true, get() {
  const root = this.documentElement;
  for (let n = root && root.firstChild; n; n = n.nextSibling) if (n.localName === "body" || n.localName === "frameset") return n;
  return null;
}, set(v) { if (this.body) this.documentElement.replaceChild(v, this.body); else this.documentElement.appendChild(v); }});
const fontSet = {__proto__: web.FontFaceSet.prototype, ready: $Promise.resolve(), status: "loaded", size: 0, check: () => true, load: async () => [], add() {}, delete: () => false, clear() {}, has: () => false, forEach() {}, addEventListener() {}, removeEventListener() {}, [$Symbol.iterator]: function* () {}};

// Sizes and places. Everything is in view.
const box = (e) => {
  const hidden = !e.isConnected || !displayed(e);
  return hidden ? new DOMRect(0, 0, 0, 0) : e === document.documentElement || e === document.body ? new DOMRect(0, 0, SCREEN.width, SCREEN.height) : new DOMRect(0, 0, 100, 20);
};
method(elementProto, "getBoundingClientRect", function () { return box(this); });
method(elementProto, "getClientRects", function () { const b = box(this); return b.width ? [b] : []; });
for (const [name, side] of [["offsetWidth", "width"], ["clientWidth", "width"], ["scrollWidth", "width"], ["offsetHeight", "height"], ["clientHeight", "height"], ["scrollHeight", "height"]]) getter(elementProto, name, function () { return box(this)[side]; });
for (const name of ["offsetTop", "offsetLeft", "clientTop", "clientLeft"]) getter(elementProto, name, () => 0);
for (const name of ["scrollTop", "scrollLeft"]) getter(elementProto, name, () => 0, () => {});
getter(htmlProto, "offsetParent", function () { return displayed(this) && this.isConnected ? document.body : null; });
for (const name of ["scrollIntoView", "scrollTo", "scrollBy", "scroll", "setPointerCapture", "releasePointerCapture", "requestPointerLock"]) method(elementProto, name, () => {});
method(elementProto, "hasPointerCapture", () => false);
method(elementProto, "requestFullscreen", async () => { throw new $TypeError("Permissions check failed"); });
method(elementProto, "animate", function () {
  const a = new EventTarget();
  return $Object.assign(a, {finished: $Promise.resolve(a), ready: $Promise.resolve(a), playState: "finished", currentTime: 0, effect: null, play() {}, pause() {}, cancel() {}, finish() {}, reverse() {}, commitStyles() {}, onfinish: null});
});
method(elementProto, "getAnimations", () => []);
method(elementProto, "checkVisibility", function () { return this.isConnected && displayed(this); });
method(elementProto, "webkitMatchesSelector", function (s) { return this.matches(s); });
method(elementProto, "computedStyleMap", () => new $Map());
for (const name of ["ariaLabel", "ariaHidden", "ariaExpanded", "ariaCurrent", "ariaDisabled", "ariaLive", "role"]) {
  const attribute = name === "role" ? name : name.toLowerCase().replace("aria", "aria-");
  getter(elementProto, name, function () { return this.getAttribute(attribute); }, function (v) { if (v === null) this.removeAttribute(attribute); else this.setAttribute(attribute, v); });
}

// displayed says whether an element is shown, by what its own tree says: hidden, inline styles, and simple rules of style sheets.
function displayed(e) {
  for (let n = e; n && n.nodeType === ELEMENT; n = n.parentNode || null) {
    if (styleOf(n, "display") === "none") return false;
    if (shadowOf(n.parentNode || n)) n = {parentNode: n.parentNode.host, nodeType: ELEMENT, localName: "", getAttribute: () => null, hasAttribute: () => false, matches: () => false};
  }
  return true;
}
const inlineOf = (e, name) => { const m = (e.getAttribute("style") || "").match(new RegExp("(?:^|;)\\s*" + name + "\\s*:\\s*([^;]*)", "i")); return m ? m[1].replace(/!important/i, "").trim() : ""; };
function styleOf(e, name) {
  const own = inlineOf(e, name);
  if (own) return own;
  const rule = $.ruleFor(name, e.localName, e.getAttribute("id") || "", e.getAttribute("class") || "");
  for (let i = rule.length - 1; i >= 0; i--) {
    try { if (e.matches(rule[i][0])) return rule[i][1]; } catch { /* a selector that is not known here */ }
  }
  if (name === "display") return e.hasAttribute("hidden") || /^(head|script|style|template|title|meta|link|base|noscript)$/.test(e.localName) ? "none" : /^(a|abbr|b|bdi|bdo|br|cite|code|em|i|img|kbd|label|mark|q|s|samp|small|span|strong|sub|sup|time|u|var|svg)$/.test(e.localName) ? "inline" : "block";
  return "";
}
const computedDefaults = {visibility: "visible", opacity: "1", position: "static", overflow: "visible", "pointer-events": "auto", "z-index": "auto", width: "100px", height: "20px", float: "none", direction: "ltr", "font-size": "16px", color: "rgb(0, 0, 0)", "background-color": "rgba(0, 0, 0, 0)",
  "transition-duration": "0s", "transition-delay": "0s", "animation-duration": "0s", "animation-delay": "0s", "animation-name": "none", transform: "none", content: "normal"};
const getComputedStyle = (e) => {
  if (!(e instanceof Element)) throw new $TypeError("Failed to execute 'getComputedStyle' on 'Window': parameter 1 is not of type 'Element'.");
  const value = (k) => { const name = $String(k).replace(/[A-Z]/g, (c) => "-" + c.toLowerCase()); return styleOf(e, name) || computedDefaults[name] || ""; };
  return new Proxy({getPropertyValue: value, getPropertyPriority: () => "", item: () => "", length: 0, cssText: ""}, {get: (t, k) => (k in t || typeof k !== "string" ? t[k] : value(k))});
};
class CSSStyleSheet {
  constructor() { this.cssRules = []; this.rules = this.cssRules; this.disabled = false; this.ownerNode = null; }
  insertRule(rule, at = 0) { this.cssRules.splice(at, 0, {cssText: $String(rule), selectorText: $String(rule).split("{")[0].trim(), style: {}}); $.style($String(rule), document._address, ""); return at; }
  deleteRule(at) { this.cssRules.splice(at, 1); }
  addRule(selector, text) { this.insertRule(selector + "{" + text + "}", this.cssRules.length); return -1; }
  replaceSync(text) { this.cssRules.length = 0; $.style($String(text), document._address, ""); }
  async replace(text) { this.replaceSync(text); return this; }
}
const sheetOf = (e) => { if (!e.sheet_) { const s = new CSSStyleSheet(); s.ownerNode = e; s.href = e.href || null; method(e, "sheet_", s); } return e.sheet_; };
for (const Kind of [dom.impl.HTMLStyleElement, dom.impl.HTMLLinkElement]) if (Kind) getter(Kind.prototype, "sheet", function () { return this.isConnected ? sheetOf(this) : null; });

// Ranges and the selection, as far as frameworks touch them.
class Range {
  constructor() { this.setStart(document, 0); this.setEnd(document, 0); }
  setStart(node, offset) { this.startContainer = node; this.startOffset = offset; if (!this.endContainer) this.setEnd(node, offset); }
  setEnd(node, offset) { this.endContainer = node; this.endOffset = offset; }
  get collapsed() { return this.startContainer === this.endContainer && this.startOffset === this.endOffset; }
  get commonAncestorContainer() { let n = this.startContainer; while (n && !contains(n, this.endContainer)) n = n.parentNode; return n || document; }
  setStartBefore(n) { this.setStart(n.parentNode, [...n.parentNode.childNodes].indexOf(n)); }
  setStartAfter(n) { this.setStart(n.parentNode, [...n.parentNode.childNodes].indexOf(n) + 1); }
  setEndBefore(n) { this.setEnd(n.parentNode, [...n.parentNode.childNodes].indexOf(n)); }
  setEndAfter(n) { this.setEnd(n.parentNode, [...n.parentNode.childNodes].indexOf(n) + 1); }
  selectNode(n) { this.setStartBefore(n); this.setEndAfter(n); }
  selectNodeContents(n) { this.setStart(n, 0); this.setEnd(n, n.childNodes.length); }
  collapse(start) { if (start) this.setEnd(this.startContainer, this.startOffset); else this.setStart(this.endContainer, this.endOffset); }
  cloneRange() { const r = new Range(); r.setStart(this.startContainer, this.startOffset); r.setEnd(this.endContainer, this.endOffset); return r; }
  deleteContents() { if (this.startContainer === this.endContainer && this.startContainer.nodeType !== TEXT) for (const n of [...this.startContainer.childNodes].slice(this.startOffset, this.endOffset)) n.remove(); else if (this.startContainer.parentNode === this.endContainer.parentNode) for (let n = this.startContainer.nextSibling; n && n !== this.endContainer;) { const next = n.nextSibling; n.remove(); n = next; } this.collapse(true); }
  extractContents() { const f = document.createDocumentFragment(); if (this.startContainer === this.endContainer && this.startContainer.nodeType !== TEXT) for (const n of [...this.startContainer.childNodes].slice(this.startOffset, this.endOffset)) f.appendChild(n); return f; }
  cloneContents() { const f = document.createDocumentFragment(); if (this.startContainer === this.endContainer && this.startContainer.nodeType !== TEXT) for (const n of [...this.startContainer.childNodes].slice(this.startOffset, this.endOffset)) f.appendChild(n.cloneNode(true)); return f; }
  insertNode(n) { if (this.startContainer.nodeType === TEXT) this.startContainer.parentNode.insertBefore(n, this.startContainer.nextSibling); else this.startContainer.insertBefore(n, this.startContainer.childNodes[this.startOffset] || null); }
  createContextualFragment(html) {
    const context = this.startContainer.nodeType === ELEMENT && this.startContainer.localName !== "html" ? this.startContainer : document.createElement("body");
    const f = parseFragment($String(html), context);
    each(f, (n) => { if (n.localName === "script") method(n, "started_", false); });
    return f;
  }
  getBoundingClientRect() { return new DOMRect(0, 0, 100, 20); }
  getClientRects() { return [this.getBoundingClientRect()]; }
  detach() {}
  toString() { return this.startContainer === this.endContainer && this.startContainer.nodeType === TEXT ? this.startContainer.data.slice(this.startOffset, this.endOffset) : ""; }
}
const selection = {anchorNode: null, anchorOffset: 0, focusNode: null, focusOffset: 0, isCollapsed: true, rangeCount: 0, type: "None", addRange() {}, removeAllRanges() {}, removeRange() {}, collapse() {}, extend() {}, selectAllChildren() {}, empty() {}, setBaseAndExtent() {}, setPosition() {}, containsNode: () => false,
  getRangeAt() { throw new DOMException("Failed to execute 'getRangeAt' on 'Selection': 0 is not a valid index.", "IndexSizeError"); }, toString: () => ""};

// Focus, clicks and forms.
let focused = null;
method(htmlProto, "focus", function () {
  if (focused === this || !this.isConnected) return;
  if (focused) focused.blur();
  focused = this;
  dispatch(this, made(FocusEvent, "focus", {composed: true}));
  dispatch(this, made(FocusEvent, "focusin", {bubbles: true, composed: true}));
});
method(htmlProto, "blur", function () {
  if (focused !== this) return;
  focused = null;
  dispatch(this, made(FocusEvent, "blur", {composed: true}));
  dispatch(this, made(FocusEvent, "focusout", {bubbles: true, composed: true}));
});
// before and after are the activation of an element by a click (DOM Standard, "activation behavior").
function before(e) {
  if (e.localName !== "input") return null;
  const type = (e.getAttribute("type") || "").toLowerCase();
  if (type === "checkbox") { const was = e.checked; e.checked = !was; return () => { e.checked = was; }; }
  if (type === "radio") { const was = [...rootOf(e).querySelectorAll("input[type=radio]")].find((r) => r.checked && r.name === e.name && r.form === e.form); if (was) was.checked = false; e.checked = true; return () => { e.checked = false; if (was) was.checked = true; }; }
  return null;
}
function after(e) {
  const name = e.localName;
  if ((name === "a" || name === "area") && e.hasAttribute("href") && e.isConnected) { follow(e); return; }
  if (name === "summary" && e.parentNode && e.parentNode.localName === "details") { e.parentNode.toggleAttribute("open"); return; }
  const label = name === "label" && (e.getAttribute("for") ? document.getElementById(e.getAttribute("for")) : e.querySelector("input, select, textarea, button"));
  if (label && !label.disabled) { label.click(); return; }
  const type = (e.getAttribute("type") || (name === "button" ? "submit" : "")).toLowerCase();
  if (name === "button" || name === "input") {
    if (type === "submit" || type === "image") { if (formOf(e)) requestSubmit(formOf(e), e); } else if (type === "reset") { if (formOf(e)) formOf(e).reset(); } else if (type === "checkbox" || type === "radio") {
      dispatch(e, made(InputEvent, "input", {bubbles: true, composed: true}));
      dispatch(e, made(Event, "change", {bubbles: true}));
    }
  }
}
const formOf = (e) => (e.getAttribute("form") ? document.getElementById(e.getAttribute("form")) : e.closest("form"));
function activate(event, run) {
  let e = event.target;
  while (e && e.nodeType === ELEMENT && !/^(a|area|button|input|label|summary)$/.test(e.localName)) e = e.parentNode;
  if (!e || e.nodeType !== ELEMENT || (e.disabled && e.localName !== "a")) { run(() => {}); return; }
  const undo = before(e);
  run(() => { if (event.defaultPrevented) { if (undo) undo(); } else after(e); });
}
method(htmlProto, "click", function () {
  if (this.disabled || this.clicking_) return;
  method(this, "clicking_", true);
  const event = new PointerEvent("click", {bubbles: true, cancelable: true, composed: true, view: globalThis});
  try { beginEvent(event, this); activate(event, (then) => { dispatch(this, event); then(); }); } finally { method(this, "clicking_", false); }
});
const isClick = (target, event) => event instanceof MouseEvent && event.type === "click" && target instanceof Element;
method(EventTarget.prototype, "dispatchEvent", function (event) {
  const self = this === undefined ? globalThis : this;
  if (!(event instanceof Event)) throw new $TypeError("Failed to execute 'dispatchEvent' on 'EventTarget': parameter 1 is not of type 'Event'.");
  if (!isClick(self, event)) return dispatch(self, event);
  beginEvent(event, self);
  activate(event, (then) => { dispatch(self, event); then(); });
  return !event.defaultPrevented;
});
function follow(a) {
  const u = $.parseURL(a.getAttribute("href").trim(), baseOf(document));
  const target = a.getAttribute("target");
  if (!u || a.hasAttribute("download") || (target && target !== "_self" && target !== "_top" && target !== "_parent")) return;
  if (u.protocol === "javascript:") { try { evalGlobal(decodeURIComponent(u.href.slice(11))); } catch (e) { report("javascript:", e); } return; }
  location.assign(u.href);
}
const controls = (form) => [...rootOf(form).querySelectorAll("input, select, textarea, button, object, output, fieldset")].filter((e) => formOf(e) === form);
const FormProto = dom.impl.HTMLFormElement.prototype;
getter(FormProto, "elements", function () { const list = controls(this).filter((e) => !(e.localName === "input" && e.type === "image")); for (const e of list) { const n = e.getAttribute("name") || e.id; if (n && !(n in list)) list[n] = e; } method(list, "namedItem", (n) => list[n] || null); method(list, "item", (i) => list[i] || null); return list; });
getter(FormProto, "length", function () { return this.elements.length; });
for (const Kind of ["HTMLInputElement", "HTMLSelectElement", "HTMLTextAreaElement", "HTMLButtonElement"]) if (dom.impl[Kind]) {
  const p = dom.impl[Kind].prototype;
  getter(p, "form", function () { return formOf(this); });
  getter(p, "labels", function () { return [...rootOf(this).querySelectorAll("label")].filter((l) => (l.getAttribute("for") ? l.getAttribute("for") === this.id : contains(l, this))); });
  getter(p, "validity", function () { const missing = this.hasAttribute("required") && !this.value; return {valid: !missing, valueMissing: missing, customError: false, typeMismatch: false, patternMismatch: false}; });
  getter(p, "willValidate", function () { return !this.disabled; });
  getter(p, "validationMessage", function () { return this.validity.valid ? "" : "Please fill out this field."; });
  for (const name of ["checkValidity", "reportValidity"]) method(p, name, function () { if (this.validity.valid) return true; dispatch(this, made(Event, "invalid", {cancelable: true})); return false; });
  method(p, "setCustomValidity", () => {});
  if (Kind !== "HTMLButtonElement") for (const name of ["select", "setSelectionRange", "setRangeText", "showPicker"]) if (!(name in p)) method(p, name, () => {});
}
// Values that visitors or scripts give, apart from the attributes.
const given = slots();
const givenTo = (e) => { let s = given.get(e); if (!s) given.set(e, s = {}); return s; };
getter(dom.impl.HTMLInputElement.prototype, "value", function () {
  const s = givenTo(this), type = (this.getAttribute("type") || "text").toLowerCase(), attribute = this.getAttribute("value");
  if (type === "checkbox" || type === "radio") return attribute === null ? "on" : attribute;
  return "value" in s ? s.value : attribute === null ? "" : attribute;
}, function (v) {
  const type = (this.getAttribute("type") || "text").toLowerCase();
  if (/^(checkbox|radio|hidden|submit|button|reset|image)$/.test(type)) this.setAttribute("value", $String(v));
  else givenTo(this).value = v === null ? "" : $String(v);
});
getter(dom.impl.HTMLInputElement.prototype, "checked", function () { const s = givenTo(this); return "checked" in s ? s.checked : this.hasAttribute("checked"); }, function (v) {
  givenTo(this).checked = !!v;
  if (v && this.getAttribute("type") === "radio" && this.getAttribute("name")) for (const r of rootOf(this).querySelectorAll("input[type=radio]")) if (r !== this && r.getAttribute("name") === this.getAttribute("name") && formOf(r) === formOf(this)) givenTo(r).checked = false;
});
getter(dom.impl.HTMLInputElement.prototype, "files", function () { return givenTo(this).files || []; }, function (v) { givenTo(this).files = v; });
getter(dom.impl.HTMLInputElement.prototype, "valueAsNumber", function () { return this.value === "" ? NaN : $Number(this.value); }, function (v) { this.value = $String(v); });
getter(dom.impl.HTMLTextAreaElement.prototype, "value", function () { const s = givenTo(this); return "value" in s ? s.value : this.textContent.replace(/^\n/, ""); }, function (v) { givenTo(this).value = v === null ? "" : $String(v); });
const options = (select) => [...select.querySelectorAll("option")];
const Option = dom.impl.HTMLOptionElement.prototype, Select = dom.impl.HTMLSelectElement.prototype;
getter(Option, "value", function () { const v = this.getAttribute("value"); return v === null ? this.text : v; }, function (v) { this.setAttribute("value", v); });
getter(Option, "text", function () { return this.textContent.replace(/\s+/g, " ").trim(); }, function (v) { this.textContent = v; });
getter(Option, "selected", function () { const s = this.closest("select"); if (!s) return givenTo(this).selected || this.hasAttribute("selected"); return chosen(s).includes(this); }, function (v) {
  const s = this.closest("select");
  if (s && !s.multiple && v) for (const o of options(s)) givenTo(o).selected = false;
  givenTo(this).selected = !!v;
});
const chosen = (select) => {
  const all = options(select), picked = all.filter((o) => ("selected" in givenTo(o) ? givenTo(o).selected : o.hasAttribute("selected")));
  if (select.hasAttribute("multiple")) return picked;
  if (picked.length) return [picked[picked.length - 1]];
  const first = all.find((o) => !o.hasAttribute("disabled"));
  return first && !(select.getAttribute("size") > 1) && !all.some((o) => givenTo(o).cleared) ? [first] : [];
};
getter(Select, "options", function () { const list = options(this); method(list, "item", (i) => list[i] || null); method(list, "add", (o) => this.appendChild(o)); return list; });
getter(Select, "selectedOptions", function () { return chosen(this); });
getter(Select, "selectedIndex", function () { return options(this).indexOf(chosen(this)[0]); }, function (i) { options(this).forEach((o, n) => { givenTo(o).selected = n === i; givenTo(o).cleared = i < 0; }); });
getter(Select, "value", function () { const c = chosen(this)[0]; return c ? c.value : ""; }, function (v) { options(this).forEach((o) => { givenTo(o).selected = o.value === $String(v); }); });
getter(Select, "length", function () { return options(this).length; });
getter(Select, "type", function () { return this.multiple ? "select-multiple" : "select-one"; });
method(Select, "add", function (o, at) { this.insertBefore(o, at === undefined || at === null ? null : at instanceof Node ? at : options(this)[at] || null); });
method(Select, "item", function (i) { return options(this)[i] || null; });
method(FormProto, "reset", function () {
  if (!dispatch(this, made(Event, "reset", {bubbles: true, cancelable: true}))) return;
  for (const e of controls(this)) { given.set(e, {}); for (const o of e.localName === "select" ? options(e) : []) given.set(o, {}); }
});
method(FormProto, "checkValidity", function () { return controls(this).every((e) => !e.checkValidity || e.checkValidity()); });
method(FormProto, "reportValidity", function () { return this.checkValidity(); });
method(FormProto, "requestSubmit", function (submitter) { requestSubmit(this, submitter || null); });
method(FormProto, "submit", function () { navigateForm(this, null); });
function requestSubmit(form, submitter) {
  if (!form.isConnected) return;
  if (!form.hasAttribute("novalidate") && !(submitter && submitter.hasAttribute("formnovalidate")) && !form.checkValidity()) return;
  if (dispatch(form, made(SubmitEvent, "submit", {bubbles: true, cancelable: true, submitter}))) navigateForm(form, submitter);
}
// entriesOf constructs the entry list of a form (HTML Standard, section 4.10.21.4).
function entriesOf(form, submitter) {
  const data = new PlainFormData();
  for (const e of controls(form)) {
    const name = e.getAttribute("name"), type = (e.getAttribute("type") || "").toLowerCase();
    if (!name || e.disabled || e.closest("fieldset[disabled]") || e.closest("datalist")) continue;
    if (e.localName === "button" || (e.localName === "input" && /^(submit|button|reset|image)$/.test(type))) { if (e === submitter) data.append(name, e.value); continue; }
    if (e.localName === "fieldset" || e.localName === "output" || e.localName === "object") continue;
    if ((type === "checkbox" || type === "radio") && e.localName === "input") { if (e.checked) data.append(name, e.value); continue; }
    if (e.localName === "select") { for (const o of chosen(e)) if (!o.disabled) data.append(name, o.value); continue; }
    if (type === "file" && e.localName === "input") { for (const f of e.files.length ? e.files : [new File([], "", {type: "application/octet-stream"})]) data.append(name, f); continue; }
    data.append(name, e.value);
  }
  dispatch(form, made(FormDataEvent, "formdata", {bubbles: true, formData: data}));
  return data;
}
const PlainFormData = FormData;
class PageFormData extends PlainFormData {
  constructor(form, submitter) {
    super();
    if (form === undefined) return;
    if (!(form instanceof Node) || form.localName !== "form") throw new $TypeError("Failed to construct 'FormData': parameter 1 is not of type 'HTMLFormElement'.");
    for (const [k, v] of entriesOf(form, submitter || null)) this.append(k, v);
  }
}
$Object.defineProperty(PageFormData, "name", {value: "FormData"});
function navigateForm(form, submitter) {
  const own = (name, attribute) => (submitter && submitter.hasAttribute("form" + attribute) ? submitter.getAttribute("form" + attribute) : form.getAttribute(attribute)) || "";
  const method = own("method", "method").toUpperCase();
  if (method === "DIALOG") { const d = form.closest("dialog"); if (d && d.close) d.close(); return; }
  const action = $.parseURL(own("action", "action").trim() || document._address, baseOf(document));
  if (!action) return;
  const data = entriesOf(form, submitter), url = new URL(action.href);
  const query = new URLSearchParams();
  for (const [k, v] of data) query.append(k, v instanceof File ? v.name : v);
  if (method !== "POST") {
    url.search = query.toString();
    $.navigate(url.href, false, "", "");
    return;
  }
  const r = new Request(url.href, {method: "POST", body: own("enctype", "enctype") === "multipart/form-data" ? data : query});
  r.text().then((body) => $.navigate(url.href, false, body, r.headers.get("content-type")));
}

// Elements that have more than their attributes.
const DialogProto = dom.impl.HTMLDialogElement ? dom.impl.HTMLDialogElement.prototype : htmlProto;
for (const name of ["show", "showModal"]) method(DialogProto, name, function () { this.setAttribute("open", ""); });
method(DialogProto, "close", function (v) { if (!this.hasAttribute("open")) return; this.removeAttribute("open"); if (v !== undefined) this.returnValue = v; $.task(() => fireSimple(this, "close")); });
for (const name of ["showPopover", "hidePopover", "togglePopover"]) method(htmlProto, name, () => {});
const Img = dom.impl.HTMLImageElement.prototype;
getter(Img, "complete", function () { return !this.getAttribute("src") && !this.getAttribute("srcset") || this.complete_ === true; });
getter(Img, "naturalWidth", function () { return this.came_ ? 100 : 0; });
getter(Img, "naturalHeight", function () { return this.came_ ? 100 : 0; });
getter(Img, "currentSrc", function () { return this.src; });
method(Img, "decode", function () { return this.came_ === false ? $Promise.reject(new DOMException("The source image cannot be decoded.", "EncodingError")) : $Promise.resolve(); });
const Script = dom.impl.HTMLScriptElement.prototype;
getter(Script, "async", function () { return this.async_ !== undefined ? this.async_ : this.hasAttribute("async") || !load.parsing && !this.isConnected; }, function (v) { method(this, "async_", !!v); if (v) this.setAttribute("async", ""); else this.removeAttribute("async"); });
for (const [property, attribute] of [["noModule", "nomodule"]]) getter(Script, property, function () { return this.hasAttribute(attribute); }, function (v) { this.toggleAttribute(attribute, !!v); });
dom.impl.HTMLScriptElement.supports = (type) => type === "classic" || type === "module" || type === "importmap";
const Link = dom.impl.HTMLLinkElement.prototype;
getter(Link, "relList", function () { return tokens(this, "rel"); });
const tokens = (e, attribute) => {
  const list = () => (e.getAttribute(attribute) || "").split(/\s+/).filter(Boolean);
  return {contains: (t) => list().includes(t), add: (...t) => e.setAttribute(attribute, [...new $Set([...list(), ...t])].join(" ")), remove: (...t) => e.setAttribute(attribute, list().filter((x) => !t.includes(x)).join(" ")), get length() { return list().length; }, item: (i) => list()[i] || null,
    supports: (t) => /^(stylesheet|preload|modulepreload|prefetch|preconnect|dns-prefetch|icon|manifest|alternate|canonical)$/.test(t), toString: () => list().join(" "), [$Symbol.iterator]: () => list()[$Symbol.iterator]()};
};
const Template = dom.impl.HTMLTemplateElement.prototype;
{
  const clone = nodeProto.cloneNode;
  method(nodeProto, "cloneNode", function (deep) {
    const c = clone.call(this, !!deep);
    const fix = (from, to) => {
      if (from.localName === "template" && deep && from.content && to.content && !to.content.firstChild) for (let n = from.content.firstChild; n; n = n.nextSibling) to.content.appendChild(n.cloneNode(true));
      if (given.get(from)) given.set(to, {...given.get(from)});
      for (let a = from.firstChild, b = to.firstChild; a && b; a = a.nextSibling, b = b.nextSibling) fix(a, b);
    };
    if (deep) fix(this, c);
    return upgradeBelow(c);
  });
}
const Frame = dom.impl.HTMLIFrameElement ? dom.impl.HTMLIFrameElement.prototype : htmlProto;
getter(Frame, "contentWindow", () => null);
getter(Frame, "contentDocument", () => null);
const Media = dom.impl.HTMLMediaElement ? dom.impl.HTMLMediaElement.prototype : htmlProto;
for (const [k, v] of [["paused", true], ["ended", false], ["duration", NaN], ["readyState", 0], ["networkState", 0], ["seeking", false], ["error", null], ["buffered", {length: 0}], ["played", {length: 0}], ["seekable", {length: 0}]]) getter(Media, k, () => v);
for (const [k, v] of [["currentTime", 0], ["volume", 1], ["playbackRate", 1], ["defaultPlaybackRate", 1]]) { const s = slots(); getter(Media, k, function () { const x = s.get(this); return x ? x.v : v; }, function (n) { s.set(this, {v: n}); }); }
method(Media, "play", async () => { throw new DOMException("play() failed because the user didn't interact with the document first.", "NotAllowedError"); });
method(Media, "pause", () => {});
method(Media, "load", function () { wants(this, "src"); });
method(Media, "canPlayType", (t) => (/^(audio|video)\/(mpeg|mp4|webm|ogg|wav)/.test(t) ? "maybe" : ""));
const Canvas = dom.impl.HTMLCanvasElement ? dom.impl.HTMLCanvasElement.prototype : htmlProto;
method(Canvas, "getContext", (kind) => { if (kind !== "2d") return null; const nothing = () => undefined; return new Proxy({measureText: () => ({width: 10}), getImageData: (x, y, w, h) => new ImageData(w, h), createLinearGradient: () => ({addColorStop() {}}), createRadialGradient: () => ({addColorStop() {}}), createPattern: () => null}, {get: (t, k) => (k in t ? t[k] : nothing), set: (t, k, v) => { t[k] = v; return true; }}); });
method(Canvas, "toDataURL", () => "data:image/png;base64,");
method(Canvas, "toBlob", (f) => $.task(() => f(null)));

// Tables (HTML Standard, section 4.9).
{
  const childrenOf = (e, ...names) => [...e.childNodes].filter((n) => n.nodeType === ELEMENT && names.includes(n.localName));
  const list = (items) => { method(items, "item", (i) => items[i] || null); return items; };
  const Table = dom.impl.HTMLTableElement.prototype, Section = dom.impl.HTMLTableSectionElement.prototype, Row = dom.impl.HTMLTableRowElement.prototype, Cell = (dom.impl.HTMLTableCellElement || dom.impl.HTMLTableDataCellElement || {prototype: htmlProto}).prototype;
  const one = (name, tag, put) => {
    getter(Table, name, function () { return childrenOf(this, tag)[0] || null; }, function (v) { const old = childrenOf(this, tag)[0]; if (old) old.remove(); if (v) put(this, v); });
    const title = name[0].toUpperCase() + name.slice(1);
    method(Table, "create" + title, function () { let e = this[name]; if (!e) { e = document.createElement(tag); put(this, e); } return e; });
    method(Table, "delete" + title, function () { if (this[name]) this[name].remove(); });
  };
  one("caption", "caption", (t, e) => t.insertBefore(e, t.firstChild));
  one("tHead", "thead", (t, e) => t.insertBefore(e, [...t.childNodes].find((n) => n.nodeType === ELEMENT && !/^(caption|colgroup)$/.test(n.localName)) || null));
  one("tFoot", "tfoot", (t, e) => t.appendChild(e));
  getter(Table, "tBodies", function () { return list(childrenOf(this, "tbody")); });
  method(Table, "createTBody", function () { const b = document.createElement("tbody"), last = childrenOf(this, "tbody").pop(); this.insertBefore(b, last ? last.nextSibling : null); return b; });
  getter(Table, "rows", function () { const of = (tag) => childrenOf(this, tag).flatMap((s) => childrenOf(s, "tr")); return list([...of("thead"), ...[...this.childNodes].flatMap((n) => (n.localName === "tr" ? [n] : n.localName === "tbody" ? childrenOf(n, "tr") : [])), ...of("tfoot")]); });
  getter(Section, "rows", function () { return list(childrenOf(this, "tr")); });
  getter(Row, "cells", function () { return list(childrenOf(this, "td", "th")); });
  getter(Row, "rowIndex", function () { const t = this.closest("table"); return t ? t.rows.indexOf(this) : -1; });
  getter(Row, "sectionRowIndex", function () { return this.parentNode ? childrenOf(this.parentNode, "tr").indexOf(this) : -1; });
  getter(Cell, "cellIndex", function () { return this.parentNode ? childrenOf(this.parentNode, "td", "th").indexOf(this) : -1; });
  const insert = (p, name, tag, of) => method(p, name, function (at = -1) {
    const all = of(this), e = document.createElement(tag);
    if (at < -1 || at > all.length) throw new DOMException("Failed to execute '" + name + "': The index provided (" + at + ") is outside the range [-1, " + all.length + "].", "IndexSizeError");
    const next = at < 0 ? null : all[at];
    if (next) next.parentNode.insertBefore(e, next);
    else if (p === Table && tag === "tr") (all.length ? all[all.length - 1].parentNode : this.tBodies.length ? this.tBodies[this.tBodies.length - 1] : this.createTBody()).appendChild(e);
    else this.appendChild(e);
    return e;
  });
  insert(Table, "insertRow", "tr", (t) => t.rows);
  insert(Section, "insertRow", "tr", (s) => s.rows);
  insert(Row, "insertCell", "td", (r) => r.cells);
  for (const p of [Table, Section]) method(p, "deleteRow", function (i) { const all = this.rows; (i < 0 ? all[all.length - 1] : all[i]).remove(); });
  method(Row, "deleteCell", function (i) { const all = this.cells; (i < 0 ? all[all.length - 1] : all[i]).remove(); });
}

// Sound. Nothing is heard: contexts stay suspended, as they do until somebody touches the page, and what is decoded cannot be.
class AudioParam { value = 0; defaultValue = 0; minValue = -3.4028234663852886e38; maxValue = 3.4028234663852886e38; automationRate = "a-rate"; }
for (const name of ["setValueAtTime", "linearRampToValueAtTime", "exponentialRampToValueAtTime", "setTargetAtTime", "setValueCurveAtTime", "cancelScheduledValues", "cancelAndHoldAtTime"]) method(AudioParam.prototype, name, function () { return this; });
class AudioNode extends EventTarget {
  constructor(context) { super(); this.context = context; this.numberOfInputs = this.numberOfOutputs = 1; this.channelCount = 2; for (const k of ["gain", "frequency", "detune", "Q", "delayTime", "playbackRate", "pan", "threshold", "knee", "ratio", "attack", "release", "offset"]) this[k] = new AudioParam(); }
  connect(to) { return to; }
  disconnect() {}
  start() {}
  stop() {}
  getByteFrequencyData() {}
  getByteTimeDomainData() {}
  getFloatFrequencyData() {}
  getFloatTimeDomainData() {}
}
class BaseAudioContext extends EventTarget {
  constructor() { super(); this.state = "suspended"; this.sampleRate = 48000; this.currentTime = 0; this.destination = new AudioNode(this); this.listener = new AudioNode(this); }
  createBuffer(channels, length, sampleRate) { return {numberOfChannels: channels, length, sampleRate, duration: length / sampleRate, getChannelData: () => new Float32Array(length), copyToChannel() {}, copyFromChannel() {}}; }
  createPeriodicWave() { return {}; }
  decodeAudioData(data, done, failed) { const e = new DOMException("Unable to decode audio data", "EncodingError"); if (failed) failed(e); return $Promise.reject(e); }
}
for (const name of ["Analyser", "BiquadFilter", "BufferSource", "ChannelMerger", "ChannelSplitter", "ConstantSource", "Convolver", "Delay", "DynamicsCompressor", "Gain", "IIRFilter", "Oscillator", "Panner", "ScriptProcessor", "StereoPanner", "WaveShaper"]) method(BaseAudioContext.prototype, "create" + name, function () { return new AudioNode(this); });
class AudioContext extends BaseAudioContext { constructor() { super(); this.baseLatency = this.outputLatency = 0; } async resume() {} async suspend() {} async close() { this.state = "closed"; } getOutputTimestamp() { return {contextTime: 0, performanceTime: 0}; } }
for (const name of ["MediaElementSource", "MediaStreamDestination", "MediaStreamSource"]) method(AudioContext.prototype, "create" + name, function () { return new AudioNode(this); });

// What browsers have on Node itself, the DOM library has on its kinds of nodes. Frameworks take it from Node.prototype, and call it on any.
{
  const kinds = new $Set();
  for (const name of $Object.keys(dom.impl)) if (typeof dom.impl[name] === "function") for (let p = dom.impl[name].prototype; p && p !== nodeProto && !kinds.has(p) && nodeProto.isPrototypeOf(p); p = $Object.getPrototypeOf(p)) kinds.add(p);
  const of = $Object.getOwnPropertyDescriptor;
  const found = (node, name, base) => {
    if (base.value === null && of(node, name)) return of(node, name);
    for (let p = $Object.getPrototypeOf(node); p && p !== nodeProto; p = $Object.getPrototypeOf(p)) {
      const d = kinds.has(p) && of(p, name);
      if (d) return d;
    }
    return base;
  };
  for (const name of ["firstChild", "lastChild", "childNodes", "textContent", "nodeName", "nodeValue", "nodeType"]) {
    const base = of(nodeProto, name) || {value: null};
    const at = (node) => (found(node, name, base));
    getter(nodeProto, name, function () { const d = at(this); return d.get ? d.get.call(this) : d.value; }, function (v) {
      const d = at(this);
      if (d.set) d.set.call(this, v);
      else if (d === base && !d.get) $Object.defineProperty(this, name, {value: v, writable: true, configurable: true, enumerable: true}); // the library keeps it on the node itself
    });
  }
  const none = () => false;
  method(nodeProto, "hasChildNodes", function () { return found(this, "hasChildNodes", {value: none}).value.call(this); });
}
