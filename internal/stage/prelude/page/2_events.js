// Kinds of events (UI Events, HTML Standard and others): what they hold is what they are made with.
const kindsOfEvents = {};
function eventKind(name, parent, members) {
  const Kind = {[name]: class extends parent {
    #init;
    constructor(type, init) { super(type, init); this.#init = init || {}; }
    static _init(e) { return e.#init; }
    static _give(e, more) { $Object.assign(e.#init, more); }
  }}[name];
  const {_init: initOf, _give: give} = Kind;
  delete Kind._init;
  delete Kind._give;
  for (const k of $Object.keys(members)) getter(Kind.prototype, k, function () { const init = initOf(this); return init[k] === undefined ? members[k] : init[k]; });
  kindsOfEvents[name] = Kind;
  return [Kind, give];
}
const [UIEvent, giveUI] = eventKind("UIEvent", Event, {view: null, detail: 0, which: 0});
method(UIEvent.prototype, "initUIEvent", function (type, bubbles, cancelable, view, detail) { this.initEvent(type, bubbles, cancelable); giveUI(this, {view, detail}); });
const modifiers = {ctrlKey: false, shiftKey: false, altKey: false, metaKey: false};
const modifierState = function (k) { return {Control: this.ctrlKey, Shift: this.shiftKey, Alt: this.altKey, Meta: this.metaKey}[k] || false; };
const [MouseEvent, giveMouse] = eventKind("MouseEvent", UIEvent, {...modifiers, screenX: 0, screenY: 0, clientX: 0, clientY: 0, button: 0, buttons: 0, relatedTarget: null, movementX: 0, movementY: 0, offsetX: 0, offsetY: 0});
for (const [k, from] of [["x", "clientX"], ["y", "clientY"], ["pageX", "clientX"], ["pageY", "clientY"]]) getter(MouseEvent.prototype, k, function () { return this[from]; });
method(MouseEvent.prototype, "getModifierState", modifierState);
method(MouseEvent.prototype, "initMouseEvent", function (type, bubbles, cancelable, view, detail, screenX, screenY, clientX, clientY, ctrlKey, altKey, shiftKey, metaKey, button, relatedTarget) {
  this.initUIEvent(type, bubbles, cancelable, view, detail);
  giveMouse(this, {screenX, screenY, clientX, clientY, ctrlKey, altKey, shiftKey, metaKey, button, relatedTarget});
});
const [PointerEvent] = eventKind("PointerEvent", MouseEvent, {pointerId: 0, width: 1, height: 1, pressure: 0, tangentialPressure: 0, tiltX: 0, tiltY: 0, twist: 0, pointerType: "", isPrimary: false});
method(PointerEvent.prototype, "getCoalescedEvents", () => []);
const [WheelEvent] = eventKind("WheelEvent", MouseEvent, {deltaX: 0, deltaY: 0, deltaZ: 0, deltaMode: 0});
eventKind("DragEvent", MouseEvent, {dataTransfer: null});
const [KeyboardEvent] = eventKind("KeyboardEvent", UIEvent, {...modifiers, key: "", code: "", location: 0, repeat: false, isComposing: false, charCode: 0, keyCode: 0});
method(KeyboardEvent.prototype, "getModifierState", modifierState);
const [InputEvent] = eventKind("InputEvent", UIEvent, {data: null, isComposing: false, inputType: "", dataTransfer: null});
const [FocusEvent] = eventKind("FocusEvent", UIEvent, {relatedTarget: null});
eventKind("CompositionEvent", UIEvent, {data: ""});
eventKind("TouchEvent", UIEvent, {...modifiers, touches: [], targetTouches: [], changedTouches: []});
const [SubmitEvent] = eventKind("SubmitEvent", Event, {submitter: null});
const [FormDataEvent] = eventKind("FormDataEvent", Event, {formData: null});
const [PopStateEvent] = eventKind("PopStateEvent", Event, {state: null, hasUAVisualTransition: false});
const [HashChangeEvent] = eventKind("HashChangeEvent", Event, {oldURL: "", newURL: ""});
const [PageTransitionEvent] = eventKind("PageTransitionEvent", Event, {persisted: false});
const [StorageEvent] = eventKind("StorageEvent", Event, {key: null, oldValue: null, newValue: null, url: "", storageArea: null});
eventKind("BeforeUnloadEvent", Event, {});
eventKind("AnimationEvent", Event, {animationName: "", elapsedTime: 0, pseudoElement: ""});
eventKind("TransitionEvent", Event, {propertyName: "", elapsedTime: 0, pseudoElement: ""});
eventKind("ClipboardEvent", Event, {clipboardData: null});
eventKind("SecurityPolicyViolationEvent", Event, {blockedURI: "", violatedDirective: ""});
eventKind("ToggleEvent", Event, {oldState: "", newState: ""});
const [MediaQueryListEvent] = eventKind("MediaQueryListEvent", Event, {media: "", matches: false});
eventKind("TrackEvent", Event, {track: null});
method(CustomEvent.prototype, "initCustomEvent", function (type, bubbles, cancelable, detail) { this.initEvent(type, bubbles, cancelable); customDetail.set(this, {detail}); });
const customDetail = slots();
{
  const d = $Object.getOwnPropertyDescriptor(CustomEvent.prototype, "detail");
  getter(CustomEvent.prototype, "detail", function () { const c = customDetail.get(this); return c ? c.detail : d.get.call(this); });
}
method(docProto, "createEvent", function (name) {
  const Kind = {event: Event, events: Event, htmlevents: Event, customevent: CustomEvent, uievent: UIEvent, uievents: UIEvent, mouseevent: MouseEvent, mouseevents: MouseEvent, keyboardevent: KeyboardEvent, messageevent: MessageEvent,
    focusevent: FocusEvent, storageevent: StorageEvent, hashchangeevent: HashChangeEvent, svgevents: Event}[$String(name).toLowerCase()];
  if (!Kind) throw new DOMException("Failed to execute 'createEvent' on 'Document': The provided event type ('" + name + "') is invalid.", "NotSupportedError");
  return new Kind("");
});
