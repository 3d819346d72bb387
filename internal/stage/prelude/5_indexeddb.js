// Indexed Database API 3.0. A database lives here while the worker runs; what a transaction commits goes to the stage as
// one text, from which it is read again when somebody else has changed it.
const idbDatabases = new $Map(); // name to {version, stores, revision}
const idbConnections = new $Set();
const idbQueue = []; // transactions that are not finished, in their order
const idbAbortError = (m) => new DOMException(m || "The transaction was aborted.", "AbortError");

// Keys, and their order: numbers, dates, strings, binary, arrays.
function idbKey(v, seen = []) {
  if (typeof v === "number") { if (v !== v) throw idbData(); return v; }
  if (typeof v === "string") return v;
  if (v instanceof $Date) { if (v.getTime() !== v.getTime()) throw idbData(); return new $Date(v.getTime()); }
  if (v instanceof $ArrayBuffer) return v.slice(0);
  if ($ArrayBuffer.isView(v)) return v.buffer.slice(v.byteOffset, v.byteOffset + v.byteLength);
  if ($Array.isArray(v)) {
    if (seen.indexOf(v) >= 0) throw idbData();
    return v.map((x) => idbKey(x, seen.concat([v])));
  }
  throw idbData();
}
const idbData = () => new DOMException("The parameter is not a valid key.", "DataError");
const idbType = (k) => typeof k === "number" ? 1 : k instanceof $Date ? 2 : typeof k === "string" ? 3 : k instanceof $ArrayBuffer ? 4 : 5;
function idbCompare(a, b) {
  const s = idbType(a), t = idbType(b);
  if (s !== t) return s < t ? -1 : 1;
  if (s === 2) { a = a.getTime(); b = b.getTime(); }
  if (s < 4) return a < b ? -1 : a > b ? 1 : 0;
  const x = s === 4 ? new $Uint8Array(a) : a, y = s === 4 ? new $Uint8Array(b) : b;
  for (let i = 0; i < x.length && i < y.length; i++) {
    const c = s === 4 ? x[i] - y[i] : idbCompare(x[i], y[i]);
    if (c) return c < 0 ? -1 : 1;
  }
  return x.length < y.length ? -1 : x.length > y.length ? 1 : 0;
}

// idbAt follows a key path in a value; undefined when it leads nowhere.
function idbAt(value, path) {
  if ($Array.isArray(path)) {
    const out = [];
    for (const p of path) { const v = idbAt(value, p); if (v === undefined) return undefined; out.push(v); }
    return out;
  }
  if (path === "") return value;
  for (const name of path.split(".")) {
    if (value === undefined || value === null) return undefined;
    value = value[name];
  }
  return value;
}

// Values are written as text: what JSON lacks is tagged.
function idbPack(value) {
  const seen = [];
  const pack = (v) => {
    if (v === undefined) return {$: "u"};
    if (v === null || typeof v === "boolean" || typeof v === "string") return v;
    if (typeof v === "number") return v === v && v !== Infinity && v !== -Infinity && !(v === 0 && 1 / v < 0) ? v : {$: "n", v: 1 / v === -Infinity ? "-0" : $String(v)};
    if (typeof v === "bigint") return {$: "i", v: $String(v)};
    if (v instanceof $Date) return {$: "d", v: v.getTime()};
    if (v instanceof RegExp) return {$: "r", v: [v.source, v.flags]};
    if (v instanceof Blob) return {$: v instanceof File ? "f" : "b", v: $.encode64(blobHandle(v)), type: v.type, name: v.name};
    if (v instanceof $ArrayBuffer) return {$: "a", v: $.encode64(bytesOf(v))};
    if ($ArrayBuffer.isView(v)) return {$: "v", v: $.encode64(bytesOf(v)), kind: v.constructor.name};
    const at = seen.indexOf(v);
    if (at >= 0) return {$: "o", v: at};
    seen.push(v);
    if (v instanceof $Map) return {$: "m", v: [...v].map(([k, x]) => [pack(k), pack(x)])};
    if (v instanceof $Set) return {$: "s", v: [...v].map(pack)};
    if (v instanceof $Error) return {$: "e", v: [v.name, v.message]};
    if ($Array.isArray(v)) return {$: "l", v: v.map(pack)};
    return {$: "p", v: $Object.keys(v).map((k) => [k, pack(v[k])])};
  };
  return pack(value);
}
function idbUnpack(packed) {
  const seen = [];
  const back = (p) => {
    if (p === null || typeof p !== "object") return p;
    const keep = (v) => { seen.push(v); return v; };
    switch (p.$) {
      case "u": return undefined;
      case "n": return $Number(p.v);
      case "i": return BigInt(p.v);
      case "d": return new $Date(p.v);
      case "r": return new RegExp(p.v[0], p.v[1]);
      case "b": return blobOf($.decode64(p.v), p.type);
      case "f": return new File([blobOf($.decode64(p.v), "")], p.name, {type: p.type});
      case "a": return $.toBuffer($.decode64(p.v));
      case "v": return new globalThis[p.kind]($.toBuffer($.decode64(p.v)));
      case "o": return seen[p.v];
      case "m": { const m = keep(new $Map()); for (const [k, v] of p.v) m.set(back(k), back(v)); return m; }
      case "s": { const s = keep(new $Set()); for (const v of p.v) s.add(back(v)); return s; }
      case "e": { const e = keep(new $Error(p.v[1])); e.name = p.v[0]; return e; }
      case "l": { const l = keep([]); for (const v of p.v) l.push(back(v)); return l; }
    }
    const o = keep({});
    for (const [k, v] of p.v) o[k] = back(v);
    return o;
  };
  return back(packed);
}

// A store's records are [key, packed value] in the order of the keys.
function idbLoad(name) {
  const known = idbDatabases.get(name), text = $.idbRead(name);
  if (!text) return null;
  if (known && known.text === text) return known;
  const raw = JSON.parse(text);
  const db = {version: raw.version, text, stores: raw.stores.map((s) => ({...s, records: s.records.map(([k, v]) => [idbUnpack(k), v])}))};
  idbDatabases.set(name, db);
  return db;
}
function idbSave(name, db) {
  db.text = JSON.stringify({version: db.version, stores: db.stores.map((s) => ({...s, records: s.records.map(([k, v]) => [idbPack(k), v])}))});
  const e = $.idbWrite(name, db.text);
  if (e) throw new DOMException(e, "QuotaExceededError");
  idbDatabases.set(name, db);
}
const idbCopy = (stores) => stores.map((s) => ({...s, records: s.records.slice(), indexes: s.indexes.slice()}));

function idbFind(records, key) { // the first place that is not before a key
  let low = 0, high = records.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if (idbCompare(records[middle][0], key) < 0) low = middle + 1;
    else high = middle;
  }
  return low;
}

// idbEntries gives what an index, or a store itself, holds within a range: [key, primary key, packed value].
function idbEntries(store, index, range) {
  let list;
  if (!index) list = store.records.map(([k, v]) => [k, k, v]);
  else {
    list = [];
    for (const [primary, value] of store.records) for (const k of idbIndexKeys(index, idbUnpack(value))) list.push([k, primary, value]);
    list.sort((a, b) => idbCompare(a[0], b[0]) || idbCompare(a[1], b[1]));
  }
  return range ? list.filter((e) => range.includes(e[0])) : list;
}
function idbIndexKeys(index, value) {
  const at = idbAt(value, index.keyPath);
  if (at === undefined) return [];
  const out = [];
  for (const v of index.multiEntry && $Array.isArray(at) ? at : [at]) {
    let k;
    try { k = idbKey(v); } catch (e) { continue; }
    if (!out.some((o) => idbCompare(o, k) === 0)) out.push(k);
  }
  return out;
}

class IDBKeyRange {
  #r;
  constructor() { throw new $TypeError("Illegal constructor"); }
  static _of(lower, upper, lowerOpen, upperOpen) {
    if (lower !== undefined) lower = idbKey(lower);
    if (upper !== undefined) upper = idbKey(upper);
    if (lower !== undefined && upper !== undefined) {
      const c = idbCompare(lower, upper);
      if (c > 0 || c === 0 && (lowerOpen || upperOpen)) throw new DOMException("The lower key is greater than the upper key.", "DataError");
    }
    const r = $Object.create(IDBKeyRange.prototype);
    idbRanges.set(r, {lower, upper, lowerOpen: !!lowerOpen, upperOpen: !!upperOpen});
    return r;
  }
  static only(v) { return idbRange(v, v, false, false); }
  static lowerBound(v, open) { return idbRange(v, undefined, open, true); }
  static upperBound(v, open) { return idbRange(undefined, v, true, open); }
  static bound(a, b, x, y) { return idbRange(a, b, x, y); }
  get lower() { return idbRanges.get(this).lower; }
  get upper() { return idbRanges.get(this).upper; }
  get lowerOpen() { return idbRanges.get(this).lowerOpen; }
  get upperOpen() { return idbRanges.get(this).upperOpen; }
  includes(key) {
    key = idbKey(key);
    const r = idbRanges.get(this);
    if (r.lower !== undefined) { const c = idbCompare(key, r.lower); if (c < 0 || c === 0 && r.lowerOpen) return false; }
    if (r.upper !== undefined) { const c = idbCompare(key, r.upper); if (c > 0 || c === 0 && r.upperOpen) return false; }
    return true;
  }
}
const idbRanges = slots(), idbRange = IDBKeyRange._of;
delete IDBKeyRange._of;
const idbQuery = (q, must) => {
  if (q === undefined || q === null) { if (must) throw new DOMException("No key or key range specified.", "DataError"); return null; }
  return q instanceof IDBKeyRange ? q : IDBKeyRange.only(q);
};

function idbNames(list) {
  const names = list.slice().sort();
  names.contains = (n) => names.indexOf($String(n)) >= 0;
  names.item = (i) => i < names.length ? names[i] : null;
  return names;
}

// idbFire dispatches an event at a target and the ones above it. It says whether the default action stays.
function idbFire(type, targets, init) {
  const event = trusted(() => init && init.version ? new IDBVersionChangeEvent(type, init) : new Event(type, init));
  let threw = false;
  for (const t of targets) {
    const before = idbThrown;
    dispatch(t, event);
    if (idbThrown !== before) threw = true;
    if (!event.bubbles) break;
  }
  return {event, threw};
}
let idbThrown = 0;

class IDBVersionChangeEvent extends Event {
  #init;
  constructor(type, init = {}) { super(type, init); this.#init = init; }
  get oldVersion() { return this.#init.oldVersion || 0; }
  get newVersion() { return this.#init.newVersion === undefined ? null : this.#init.newVersion; }
}

class IDBRequest extends EventTarget {
  constructor() { super(); idbRequests.set(this, {done: false, result: undefined, error: null, source: null, transaction: null}); }
  get readyState() { return idbRequests.get(this).done ? "done" : "pending"; }
  get result() { const r = idbRequests.get(this); if (!r.done) throw new DOMException("The request has not finished.", "InvalidStateError"); return r.result; }
  get error() { const r = idbRequests.get(this); if (!r.done) throw new DOMException("The request has not finished.", "InvalidStateError"); return r.error; }
  get source() { return idbRequests.get(this).source; }
  get transaction() { return idbRequests.get(this).transaction; }
}
const idbRequests = slots();
class IDBOpenDBRequest extends IDBRequest {}
for (const t of ["success", "error"]) handlerAttribute(IDBRequest.prototype, t);
for (const t of ["blocked", "upgradeneeded"]) handlerAttribute(IDBOpenDBRequest.prototype, t);

class IDBTransaction extends EventTarget {
  constructor(db, names, mode, data) {
    super();
    const t = {db, names, mode, data, requests: [], started: false, finished: false, error: null, before: null, handles: new $Map(), self: this};
    idbTransactions.set(this, t);
    idbQueue.push(t);
    $.task(() => idbPump());
  }
  get db() { return idbTransactions.get(this).db; }
  get mode() { return idbTransactions.get(this).mode; }
  get durability() { return "default"; }
  get error() { return idbTransactions.get(this).error; }
  get objectStoreNames() { return idbNames(idbTransactions.get(this).names); }
  objectStore(name) {
    const t = idbTransactions.get(this);
    if (t.finished) throw new DOMException("The transaction has finished.", "InvalidStateError");
    name = $String(name);
    if (t.names.indexOf(name) < 0) throw new DOMException("The specified object store was not found.", "NotFoundError");
    if (!t.handles.has(name)) t.handles.set(name, new IDBObjectStore(t, name));
    return t.handles.get(name);
  }
  commit() { const t = idbTransactions.get(this); if (t.finished) throw new DOMException("The transaction has finished.", "InvalidStateError"); t.committing = true; }
  abort() {
    const t = idbTransactions.get(this);
    if (t.finished) throw new DOMException("The transaction has finished.", "InvalidStateError");
    idbAbort(t, null);
  }
}
const idbTransactions = slots();
for (const t of ["complete", "error", "abort"]) handlerAttribute(IDBTransaction.prototype, t);

const idbOverlap = (a, b) => a.data.name === b.data.name && (a.mode !== "readonly" || b.mode !== "readonly") && a.names.some((n) => b.names.indexOf(n) >= 0);

// idbPump runs what can run: the transactions that no earlier one stands in the way of.
function idbPump() {
  for (const t of idbQueue.slice()) {
    if (t.finished || t.mode === "versionchange") continue;
    if (idbQueue.slice(0, idbQueue.indexOf(t)).some((o) => idbOverlap(o, t))) continue;
    if (!t.started) idbStart(t);
    idbStep(t);
  }
}
function idbStart(t) {
  t.started = true;
  t.data.content = idbLoad(t.data.name) || t.data.content;
  if (t.mode !== "readonly") t.before = {version: t.data.content.version, stores: idbCopy(t.data.content.stores)};
}

// idbStep performs one request of a transaction, or ends it when there is none.
function idbStep(t) {
  if (t.stepping || t.finished) return;
  if (!t.requests.length) { idbCommit(t); return; }
  t.stepping = true;
  const {request, work} = t.requests.shift();
  const r = idbRequests.get(request);
  let ok = true;
  try { r.result = work(); r.error = null; } catch (e) { ok = false; r.result = undefined; r.error = e instanceof DOMException ? e : new DOMException($String(e && e.message), "UnknownError"); }
  r.done = true;
  const {event, threw} = idbFire(ok ? "success" : "error", [request, t.self, t.db], ok ? {} : {bubbles: true, cancelable: true});
  if (threw && !t.finished) idbAbort(t, idbAbortError());
  else if (!ok && !event.defaultPrevented && !t.finished) idbAbort(t, r.error);
  $.task(() => { t.stepping = false; if (!t.finished) idbStep(t); });
}
function idbEnd(t) {
  t.finished = true;
  const i = idbQueue.indexOf(t);
  if (i >= 0) idbQueue.splice(i, 1);
  $.task(() => idbPump());
}
function idbCommit(t) {
  if (t.dirty || t.mode === "versionchange") {
    try { idbSave(t.data.name, t.data.content); } catch (e) { idbAbort(t, e); return; }
  }
  idbEnd(t);
  idbFire("complete", [t.self]);
  if (t.after) t.after(true);
}
function idbAbort(t, error) {
  t.error = error;
  if (t.before) { t.data.content.version = t.before.version; t.data.content.stores = t.before.stores; }
  const waiting = t.requests.splice(0);
  idbEnd(t);
  $.task(() => {
    for (const {request} of waiting) {
      const r = idbRequests.get(request);
      r.done = true;
      r.error = idbAbortError();
      idbFire("error", [request, t.self, t.db], {bubbles: true, cancelable: true});
    }
    idbFire("abort", [t.self, t.db], {bubbles: true});
    if (t.after) t.after(false);
  });
}
function idbAsk(t, source, work, request = new IDBRequest()) {
  if (t.finished) throw new DOMException("The transaction has finished.", "TransactionInactiveError");
  const r = idbRequests.get(request);
  r.done = false;
  r.source = source;
  r.transaction = t.self;
  t.requests.push({request, work});
  if (t.started && !t.stepping) $.task(() => t.mode === "versionchange" ? idbStep(t) : idbPump());
  return request;
}

class IDBObjectStore {
  constructor(t, name) { idbStores.set(this, {t, name}); }
  get #t() { return idbStores.get(this).t; }
  #data(write) {
    const {t, name} = idbStores.get(this);
    if (write && t.mode === "readonly") throw new DOMException("The transaction is read-only.", "ReadOnlyError");
    return () => {
      const s = t.data.content.stores.find((x) => x.name === name);
      if (!s) throw new DOMException("The object store has been deleted.", "InvalidStateError");
      return s;
    };
  }
  #now() { const {t, name} = idbStores.get(this); return (t.data.content.stores.find((x) => x.name === name)); }
  get name() { return idbStores.get(this).name; }
  get keyPath() { return this.#now().keyPath; }
  get autoIncrement() { return this.#now().autoIncrement; }
  get transaction() { return this.#t.self; }
  get indexNames() { return idbNames(this.#now().indexes.map((i) => i.name)); }
  #put(value, key, overwrite) {
    const data = this.#data(true), now = this.#now();
    if (this.#t.finished) throw new DOMException("The transaction has finished.", "TransactionInactiveError");
    this.#t.dirty = true;
    value = structuredClone(value);
    if (now.keyPath !== null && key !== undefined) throw new DOMException("The object store uses in-line keys and the key parameter was provided.", "DataError");
    if (now.keyPath === null && key === undefined && !now.autoIncrement) throw new DOMException("The object store uses out-of-line keys and has no key generator and the key parameter was not provided.", "DataError");
    if (now.keyPath !== null) {
      const at = idbAt(value, now.keyPath);
      if (at !== undefined) key = idbKey(at);
      else if (!now.autoIncrement) throw new DOMException("Evaluating the object store's key path did not yield a value.", "DataError");
    } else if (key !== undefined) key = idbKey(key);
    return idbAsk(this.#t, this, () => {
      const s = data();
      let k = key;
      if (k === undefined) {
        k = s.next++;
        if (s.keyPath !== null) {
          const names = s.keyPath.split(".");
          let o = value;
          for (const n of names.slice(0, -1)) o = o[n] = o[n] || {};
          o[names[names.length - 1]] = k;
        }
      } else if (s.autoIncrement && typeof k === "number" && k >= s.next) s.next = Math.floor(k) + 1;
      const at = idbFind(s.records, k);
      const there = at < s.records.length && idbCompare(s.records[at][0], k) === 0;
      if (there && !overwrite) throw new DOMException("Key already exists in the object store.", "ConstraintError");
      for (const index of s.indexes) if (index.unique)
        for (const ik of idbIndexKeys(index, value)) for (const [other, primary] of idbEntries(s, index, null))
          if (idbCompare(other, ik) === 0 && idbCompare(primary, k) !== 0)
            throw new DOMException("Unable to add key to index '" + index.name + "': at least one key does not satisfy the uniqueness requirements.", "ConstraintError");
      s.records = s.records.slice();
      s.records.splice(at, there ? 1 : 0, [k, idbPack(value)]);
      return k;
    });
  }
  put(value, key) { return this.#put(value, key, true); }
  add(value, key) { return this.#put(value, key, false); }
  delete(query) {
    const range = idbQuery(query, true), data = this.#data(true);
    this.#t.dirty = true;
    return idbAsk(this.#t, this, () => { const s = data(); s.records = s.records.filter(([k]) => !range.includes(k)); return undefined; });
  }
  clear() { const data = this.#data(true); this.#t.dirty = true; return idbAsk(this.#t, this, () => { data().records = []; return undefined; }); }
  get(query) { return idbRead(this, this.#t, this.#data(), null, idbQuery(query, true), "value", 1); }
  getKey(query) { return idbRead(this, this.#t, this.#data(), null, idbQuery(query, true), "primary", 1); }
  getAll(query, count) { return idbRead(this, this.#t, this.#data(), null, idbQuery(query), "value", count, true); }
  getAllKeys(query, count) { return idbRead(this, this.#t, this.#data(), null, idbQuery(query), "primary", count, true); }
  count(query) { const range = idbQuery(query), data = this.#data(); return idbAsk(this.#t, this, () => idbEntries(data(), null, range).length); }
  openCursor(query, direction) { return idbOpenCursor(this, this.#t, this.#data(), null, idbQuery(query), direction, true); }
  openKeyCursor(query, direction) { return idbOpenCursor(this, this.#t, this.#data(), null, idbQuery(query), direction, false); }
  createIndex(name, keyPath, options = {}) {
    const t = this.#t;
    if (t.mode !== "versionchange") throw new DOMException("The database is not running a version change transaction.", "InvalidStateError");
    const s = this.#now();
    name = $String(name);
    if (s.indexes.some((i) => i.name === name)) throw new DOMException("An index with the specified name already exists.", "ConstraintError");
    const index = {name, keyPath: $Array.isArray(keyPath) ? keyPath.map($String) : $String(keyPath), unique: !!(options && options.unique), multiEntry: !!(options && options.multiEntry)};
    s.indexes = s.indexes.concat([index]);
    return new IDBIndex(this, t, s.name, index);
  }
  deleteIndex(name) { const s = this.#now(); s.indexes = s.indexes.filter((i) => i.name !== $String(name)); }
  index(name) {
    const index = this.#now().indexes.find((i) => i.name === $String(name));
    if (!index) throw new DOMException("The specified index was not found.", "NotFoundError");
    return new IDBIndex(this, this.#t, this.name, index);
  }
}
const idbStores = slots();

function idbRead(source, t, data, index, range, what, count, many) {
  return idbAsk(t, source, () => {
    let list = idbEntries(data(), index, range);
    if (many && count) list = list.slice(0, count);
    const give = (e) => what === "value" ? idbUnpack(e[2]) : what === "primary" ? e[1] : e[0];
    return many ? list.map(give) : list.length ? give(list[0]) : undefined;
  });
}

class IDBIndex {
  constructor(store, t, name, index) { idbIndexes.set(this, {store, t, index, data: () => t.data.content.stores.find((x) => x.name === name)}); }
  get name() { return idbIndexes.get(this).index.name; }
  get objectStore() { return idbIndexes.get(this).store; }
  get keyPath() { return idbIndexes.get(this).index.keyPath; }
  get unique() { return idbIndexes.get(this).index.unique; }
  get multiEntry() { return idbIndexes.get(this).index.multiEntry; }
  #read(query, what, count, many) { const x = idbIndexes.get(this); return idbRead(this, x.t, x.data, x.index, idbQuery(query, !many), what, count, many); }
  get(query) { return this.#read(query, "value", 1); }
  getKey(query) { return this.#read(query, "primary", 1); }
  getAll(query, count) { return this.#read(query, "value", count, true); }
  getAllKeys(query, count) { return this.#read(query, "primary", count, true); }
  count(query) { const x = idbIndexes.get(this), range = idbQuery(query); return idbAsk(x.t, this, () => idbEntries(x.data(), x.index, range).length); }
  openCursor(query, direction) { const x = idbIndexes.get(this); return idbOpenCursor(this, x.t, x.data, x.index, idbQuery(query), direction, true); }
  openKeyCursor(query, direction) { const x = idbIndexes.get(this); return idbOpenCursor(this, x.t, x.data, x.index, idbQuery(query), direction, false); }
}
const idbIndexes = slots();

function idbOpenCursor(source, t, data, index, range, direction = "next", withValue) {
  if (["next", "nextunique", "prev", "prevunique"].indexOf(direction) < 0) throw new $TypeError("The direction is not valid.");
  const request = new IDBRequest();
  const c = {source, t, data, index, range, direction, request, key: undefined, primary: undefined, value: undefined, got: false};
  const cursor = $Object.create(withValue ? IDBCursorWithValue.prototype : IDBCursor.prototype);
  idbCursors.set(cursor, c);
  c.ask = (accept, skip = 0) => idbAsk(t, source, () => {
    let list = idbEntries(data(), index, range);
    if (direction.startsWith("prev")) list.reverse();
    if (direction.endsWith("unique")) {
      const first = [];
      for (const e of direction === "prevunique" ? list.slice().reverse() : list) if (!first.some((f) => idbCompare(f[0], e[0]) === 0)) first.push(e);
      list = direction === "prevunique" ? first.reverse() : first;
    }
    const sign = direction.startsWith("prev") ? -1 : 1;
    if (c.got) list = list.filter((e) => (sign * (idbCompare(e[0], c.key) || (direction.endsWith("unique") ? 0 : idbCompare(e[1], c.primary)))) > 0);
    if (accept) list = list.filter((e) => accept(e, sign));
    const e = list[skip];
    if (!e) return null;
    [c.key, c.primary] = e;
    c.value = withValue ? idbUnpack(e[2]) : undefined;
    c.got = true;
    c.ready = true;
    return cursor;
  }, request);
  c.ask();
  return request;
}
const idbCursors = slots();
function idbMove(cursor) {
  const c = idbCursors.get(cursor);
  if (!c.ready) throw new DOMException("The cursor is being iterated or has iterated past its end.", "InvalidStateError");
  c.ready = false;
  return c;
}
class IDBCursor {
  get source() { return idbCursors.get(this).source; }
  get direction() { return idbCursors.get(this).direction; }
  get key() { return idbCursors.get(this).key; }
  get primaryKey() { return idbCursors.get(this).primary; }
  get request() { return idbCursors.get(this).request; }
  continue(key) {
    const k = key === undefined ? undefined : idbKey(key);
    idbMove(this).ask(k === undefined ? null : (e, sign) => sign * idbCompare(e[0], k) >= 0);
  }
  continuePrimaryKey(key, primary) { idbMove(this).ask((e, sign) => sign * (idbCompare(e[0], key) || idbCompare(e[1], primary)) >= 0); }
  advance(count) { if (!(count > 0)) throw new $TypeError("A count argument with value 0 (zero) was supplied, must be greater than 0."); idbMove(this).ask(null, count - 1); }
  update(value) {
    const c = idbCursors.get(this), store = c.source instanceof IDBIndex ? c.source.objectStore : c.source;
    return store.keyPath === null ? store.put(value, c.primary) : store.put(value);
  }
  delete() { const c = idbCursors.get(this); return (c.source instanceof IDBIndex ? c.source.objectStore : c.source).delete(c.primary); }
}
class IDBCursorWithValue extends IDBCursor {
  get value() { return idbCursors.get(this).value; }
}

class IDBDatabase extends EventTarget {
  constructor(data) { super(); idbOpened.set(this, {data, closed: false, upgrade: null}); }
  get name() { return idbOpened.get(this).data.name; }
  get version() { return idbOpened.get(this).data.content.version; }
  get objectStoreNames() { return idbNames(idbOpened.get(this).data.content.stores.map((s) => s.name)); }
  #upgrading() {
    const t = idbOpened.get(this).upgrade;
    if (!t || t.finished) throw new DOMException("The database is not running a version change transaction.", "InvalidStateError");
    return t;
  }
  createObjectStore(name, options = {}) {
    const t = this.#upgrading(), {data} = idbOpened.get(this);
    name = $String(name);
    if (data.content.stores.some((s) => s.name === name)) throw new DOMException("An object store with the specified name already exists.", "ConstraintError");
    const path = options && options.keyPath !== undefined ? options.keyPath : null;
    data.content.stores.push({name, keyPath: path === null ? null : $Array.isArray(path) ? path.map($String) : $String(path), autoIncrement: !!(options && options.autoIncrement), next: 1, records: [], indexes: []});
    t.names.push(name);
    return t.self.objectStore(name);
  }
  deleteObjectStore(name) {
    const t = this.#upgrading(), {data} = idbOpened.get(this);
    if (!data.content.stores.some((s) => s.name === $String(name))) throw new DOMException("The specified object store was not found.", "NotFoundError");
    data.content.stores = data.content.stores.filter((s) => s.name !== $String(name));
    t.names = t.names.filter((n) => n !== $String(name));
    t.handles.delete($String(name));
  }
  transaction(names, mode = "readonly") {
    const o = idbOpened.get(this);
    if (o.upgrade && !o.upgrade.finished) throw new DOMException("A version change transaction is running.", "InvalidStateError");
    if (o.closed) throw new DOMException("The database connection is closing.", "InvalidStateError");
    const list = typeof names === "string" ? [names] : [...names].map($String);
    if (!list.length) throw new DOMException("The storeNames parameter was empty.", "InvalidAccessError");
    for (const n of list) if (!o.data.content.stores.some((s) => s.name === n)) throw new DOMException("One of the specified object stores was not found.", "NotFoundError");
    if (mode !== "readonly" && mode !== "readwrite") throw new $TypeError("The mode is neither 'readonly' nor 'readwrite'.");
    return new IDBTransaction(this, list, mode, o.data);
  }
  close() { const o = idbOpened.get(this); o.closed = true; idbConnections.delete(this); $.task(() => idbUnblock()); }
}
const idbOpened = slots();
for (const t of ["abort", "close", "error", "versionchange"]) handlerAttribute(IDBDatabase.prototype, t);

const idbBlocked = []; // opens and deletions that wait for connections to close
function idbUnblock() {
  for (const b of idbBlocked.slice()) if (![...idbConnections].some((c) => c.name === b.name)) {
    idbBlocked.splice(idbBlocked.indexOf(b), 1);
    b.go();
  }
}
// idbAlone calls go once no connection to a database is open.
function idbAlone(name, oldVersion, newVersion, request, go) {
  const others = () => [...idbConnections].filter((c) => c.name === name);
  if (!others().length) { go(); return; }
  for (const c of others()) idbFire("versionchange", [c], {version: true, oldVersion, newVersion});
  $.task(() => {
    if (!others().length) { go(); return; }
    idbBlocked.push({name, go});
    idbFire("blocked", [request], {version: true, oldVersion, newVersion});
  });
}

class IDBFactory {
  open(name, version) {
    name = $String(name);
    if (version !== undefined) {
      version = Math.floor($Number(version));
      if (!(version >= 1)) throw new $TypeError("The version provided must not be 0 or less.");
    }
    const request = new IDBOpenDBRequest(), r = idbRequests.get(request);
    const fail = (message, kind) => { r.done = true; r.result = undefined; r.error = new DOMException(message, kind); r.transaction = null; idbFire("error", [request], {bubbles: true, cancelable: true}); };
    $.task(() => {
      const content = idbLoad(name) || {version: 0, stores: []};
      const want = version || content.version || 1;
      if (content.version > want) { fail("The requested version (" + want + ") is less than the existing version (" + content.version + ").", "VersionError"); return; }
      const connect = () => {
        const data = {name, content: idbLoad(name) || content};
        const db = new IDBDatabase(data);
        idbConnections.add(db);
        return {db, data};
      };
      if (content.version === want) {
        r.done = true;
        r.result = connect().db;
        idbFire("success", [request]);
        return;
      }
      idbAlone(name, content.version, want, request, () => {
        const {db, data} = connect();
        const before = {version: data.content.version, stores: idbCopy(data.content.stores)};
        data.content = {version: want, stores: idbCopy(data.content.stores)};
        const self = new IDBTransaction(db, data.content.stores.map((s) => s.name), "versionchange", data);
        const t = idbTransactions.get(self);
        t.started = true;
        t.before = before;
        idbOpened.get(db).upgrade = t;
        t.after = (ok) => {
          idbOpened.get(db).upgrade = null;
          r.transaction = null;
          if (ok && !idbOpened.get(db).closed) { idbFire("success", [request]); return; }
          db.close();
          fail("The connection was closed.", "AbortError");
        };
        r.done = true;
        r.result = db;
        r.transaction = self;
        const {threw} = idbFire("upgradeneeded", [request], {version: true, oldVersion: before.version, newVersion: want});
        if (threw) idbAbort(t, idbAbortError());
        else $.task(() => idbStep(t));
      });
    });
    return request;
  }
  deleteDatabase(name) {
    name = $String(name);
    const request = new IDBOpenDBRequest(), r = idbRequests.get(request);
    $.task(() => {
      const old = (idbLoad(name) || {version: 0}).version;
      idbAlone(name, old, null, request, () => {
        $.idbDelete(name);
        idbDatabases.delete(name);
        r.done = true;
        r.result = undefined;
        idbFire("success", [request], {version: true, oldVersion: old, newVersion: null});
      });
    });
    return request;
  }
  databases() { return later(() => $.idbNames().map((name) => ({name, version: idbLoad(name).version}))); }
  cmp(a, b) { return idbCompare(idbKey(a), idbKey(b)); }
}
