// ---- Engine: the same on every site --------------------------------------------------------------------------

const NAME = "tachyform " + TABLE.base + " "; // stores of other apps on this origin are left alone
const RELEASE = NAME + TABLE.release;
const KEPT = NAME + "kept"; // what rules store
const PAGES = NAME + "pages"; // which release each open page came from
const MARK = TABLE.base + "?tachyform"; // under this key a release's store holds its list of files
const STORED = "tachyform-stored"; // header of a kept answer: when it was stored, in ms since 1970
const FILES = { ...TABLE.now, ...TABLE.later };
const PLAIN = new Map(Object.keys(FILES).map((file) => [decode(file), file]));
const RULES = TABLE.rules.map((r) => ({ ...r, match: new RegExp(r.match), ignore: r.ignore && new RegExp(r.ignore) }));

addEventListener("install", (event) => event.waitUntil(install(event)));
addEventListener("activate", (event) => event.waitUntil(activate()));
addEventListener("sync", (event) => event.tag === NAME + "outbox" && event.waitUntil(deliver()));
addEventListener("message", (event) => {
  if (event.data === "tachyform: take over") skipWaiting();
  if (event.data === "tachyform: send") event.waitUntil(deliver().then(() => tell()));
});
addEventListener("fetch", (event) => {
  const answer = answerTo(event);
  if (!answer) return;
  event.respondWith(answer);
  if (event.resultingClientId && event.preloadResponse) event.waitUntil(event.preloadResponse.catch(() => {})); // it may not be needed
  event.stopImmediatePropagation(); // a worker that is loaded beside this one gets what this one leaves
});

// answerTo decides who answers a request. What it gives nothing for goes to the network as if there were no worker.
function answerTo(event) {
  const { request } = event;
  const { pathname, search } = new URL(request.url);
  const address = addressOf(request);
  const navigation = request.mode === "navigate";
  const rule = RULES.find((r) => r.match.test(address) && (r.method || "GET") === request.method &&
    (!r.destination || r.destination.includes(request.destination || "empty")));
  if (rule ? rule.answer === "leave" : request.method !== "GET" || !address.startsWith(TABLE.base)) return;
  if (rule && rule.answer === "outbox") return post(event, rule);
  const file = fileOf(pathname, navigation);
  if (rule ? rule.answer !== "network-only" : file) {
    const answer = rule ? byRule(rule, event, file) : fromRelease(file, event);
    return answer.catch(() => fetch(request)); // the browser may refuse to give what is stored
  }
  if (navigation && !rule && fileOf(pathname + "/")) return Promise.resolve(Response.redirect(pathname + "/" + search));
  if (navigation) return page(event);
  if (TABLE.image && request.destination === "image") return orStandIn(request);
}

// addressOf is what rules are matched with: a URL without its fragment, and without our own origin.
const addressOf = ({ url }) => (url.startsWith(location.origin + "/") ? url.slice(location.origin.length) : url).split("#")[0];

// fileOf gives the release's URL for a path: as it is, without "index.html", with other percent-encoding, and for
// navigations without ".html".
function fileOf(path, navigation) {
  path = decode(path.replace(/\/index\.html?$/, "/"));
  return PLAIN.get(path) || (navigation && PLAIN.get(path + ".html"));
}

function decode(path) {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

// stored looks into one store. Entries are found whatever headers they vary by: there is one for each URL.
const stored = (key, cacheName) => caches.match(key, { cacheName, ignoreVary: true });

// fromRelease answers with a file of the release that the asking page came from: a page that is open keeps its
// release until it is loaded again.
async function fromRelease(file, event) {
  const { request, clientId, resultingClientId } = event;
  const navigation = request.mode === "navigate";
  const came = navigation ? TABLE.release : (await pages())[clientId];
  if (came === "") { // the page came from the network
    const network = fetch(request);
    const good = await network.catch(() => {});
    return good && good.status < 500 ? good : (await stored(file, RELEASE)) || network;
  }
  if (resultingClientId) event.waitUntil(remember(resultingClientId, came || TABLE.release));
  const older = came && came !== TABLE.release && (await listOf(NAME + came));
  const name = older ? NAME + came : RELEASE;
  const digest = (older || FILES)[file];
  if (!digest) return fetch(request); // the older release did not have it
  const copy = await stored(file, name);
  if (copy) return part(copy, request);
  const get = async () => stow(await caches.open(name), digest, [], file);
  if (request.headers.has("range")) {
    event.waitUntil(get().catch(() => {}));
    return orStandIn(request);
  }
  return get().catch(() => {
    // What the server has now is not this release's file, or there is no network. Other code would not fit the page.
    if (navigation) return page(event);
    if (/^(image|audio|video|track|font)$/.test(request.destination)) return orStandIn(request);
    return Response.error();
  });
}

// page answers a navigation from the network. What such a page needs comes from there, too.
async function page(event, answer) {
  try {
    answer = answer || (await fromNetwork(event));
  } catch {
    return standIn(event.request);
  }
  event.waitUntil(remember(event.resultingClientId, ""));
  return answer;
}

// fromNetwork fetches, or takes the answer to a navigation that the browser has asked for while this worker started.
async function fromNetwork(event) {
  return (await event.preloadResponse) || fetch(event.request);
}

// standIn is what is shown for a page or a picture that cannot be had.
async function standIn(request) {
  const file = request.mode === "navigate" ? TABLE.offline : request.destination === "image" && TABLE.image;
  return (file && (await stored(file, RELEASE))) || Response.error();
}

const orStandIn = (request) => fetch(request).catch(() => standIn(request));

// part answers a Range request from a full body.
async function part(response, request) {
  const range = /^bytes=(\d*)-(\d*)$/.exec(request.headers.get("range") || "");
  if (!range || !(range[1] || range[2])) return response;
  const blob = await response.blob();
  const start = range[1] ? +range[1] : Math.max(0, blob.size - range[2]);
  const end = range[1] && range[2] ? Math.min(+range[2], blob.size - 1) : blob.size - 1;
  const headers = new Headers(response.headers);
  if (start > end) {
    headers.set("content-range", "bytes */" + blob.size);
    return new Response(null, { status: 416, headers });
  }
  headers.set("content-range", "bytes " + start + "-" + end + "/" + blob.size);
  headers.set("content-length", end - start + 1);
  return new Response(blob.slice(start, end + 1), { status: 206, headers });
}

// ---- Releases

// install takes the whole release or nothing. What an earlier, failed try has stored is used again.
async function install(event) {
  const routes = TABLE.left.map((pathname) => ({ condition: { urlPattern: { pathname } }, source: "network" }));
  if (event.addRoutes) event.addRoutes(routes).catch(() => {}); // the browser need not ask this worker
  const older = [];
  for (const name of await caches.keys()) {
    const list = name.startsWith(NAME) && name !== RELEASE && (await listOf(name));
    if (list) older.push([name, new Map(Object.entries(list).map(([file, digest]) => [digest, file]))]);
  }
  const store = await caches.open(RELEASE);
  await store.put(MARK, new Response(JSON.stringify(FILES)));
  const queue = Object.keys(TABLE.now);
  const work = async () => {
    while (queue.length) {
      const file = queue.shift();
      (await stored(file, RELEASE)) || (await stow(store, FILES[file], older, file, 3));
    }
  };
  await Promise.all([work(), work(), work(), work(), work(), work()]);
  if (TABLE.takeover === "at-once") await skipWaiting();
}

// listOf gives the list of files of a release that is stored, wholly or partly.
async function listOf(name) {
  const mark = await stored(MARK, name);
  return mark && mark.json();
}

// stow stores one file, unchanged from an older release or fetched and checked, and gives it back. With more than one
// try it has to be stored; otherwise a full disk does no harm.
async function stow(store, digest, older, file, tries = 1) {
  const must = tries > 1;
  for (const [name, files] of older) {
    const copy = files.has(digest) && (await stored(files.get(digest), name));
    if (copy) {
      await store.put(file, copy.clone());
      return copy;
    }
  }
  for (;;) {
    try {
      const answer = await fetch(file, { cache: "no-cache" });
      const body = await answer.arrayBuffer();
      if (answer.status !== 200 || answer.type !== "basic" || !(await genuine(digest, body)))
        throw new Error(file + " is of another release");
      const good = new Response(body, answer);
      const put = store.put(file, good.clone());
      await (must ? put : put.catch(() => {}));
      return good;
    } catch (error) {
      if (--tries < 1) throw error;
      await new Promise((resolve) => setTimeout(resolve, 1000));
    }
  }
}

// genuine compares a body with the release's digest. A page may be rewritten on its way by the host, so it only has
// to hold the digest that was written into it ("~"), or our page script ("?"); a sign-in page of some network does not.
async function genuine(digest, body) {
  const held = { "~": digest.slice(1), "?": TABLE.script }[digest[0]];
  return held ? text(body).includes(held) : digest === (await digestOf(body));
}

const digestOf = async (data) => btoa(String.fromCharCode(...new Uint8Array(await crypto.subtle.digest("SHA-256", data)).slice(0, 15)));

const text = (body) => new TextDecoder("latin1").decode(body).replace(/\0/g, "");

async function activate() {
  const { navigationPreload } = registration;
  if (navigationPreload) await navigationPreload[TABLE.preload ? "enable" : "disable"]();
  await clients.claim();
}

// pages gives the release that each open page came from, by client id; "" is for pages from the network.
let known, cleared; // cleared: nothing is left of older releases
function pages() {
  return known || (known = stored(MARK, PAGES).then((r) => (r ? r.json() : {})));
}

// remember notes the release of a page that is being opened, and clears away what no open page needs any more.
async function remember(id, release) {
  if (!id) return;
  const map = await pages();
  map[id] = release;
  const ids = Object.keys(map);
  if (!cleared || ids[30]) {
    const open = (await clients.matchAll({ type: "all", includeUncontrolled: true })).map((c) => c.id);
    for (const old of ids.slice(0, -20)) if (!open.includes(old)) delete map[old];
    if (!registration.installing && !registration.waiting) { // the next release may use what the older ones have
      const own = [RELEASE, KEPT, PAGES];
      const used = [...own, ...open.map((id) => NAME + map[id])];
      const mine = (await caches.keys()).filter((name) => name.startsWith(NAME));
      const begun = mine.slice(mine.indexOf(RELEASE)).filter((name) => !used.includes(name)).pop(); // a release that could not be completed yet
      for (const name of mine) if (!used.includes(name) && name !== begun) await caches.delete(name);
      cleared = mine.every((name) => own.includes(name));
    }
  }
  await (await caches.open(PAGES)).put(MARK, new Response(JSON.stringify(map)));
}

// ---- Rules

// byRule answers as the first rule that matches says.
async function byRule(rule, event, file) {
  const { request } = event;
  const { answer } = rule;
  const navigation = request.mode === "navigate";
  const store = await caches.open(KEPT);
  const key = keyOf(rule, request);
  const copy = async () => {
    let kept = await store.match(key, { ignoreVary: rule.vary !== "obey" });
    if (tooOld(kept, rule)) kept = file && (await stored(file, RELEASE));
    return kept && part(kept, request);
  };
  const last = () => standIn(request);
  const fresh = async () => {
    const got = await (navigation ? fromNetwork(event) : fetch(request));
    const good = await mayStay(got, request, rule);
    if (good) event.waitUntil(keep(store, key, got.clone(), rule));
    return { got, good };
  };
  const show = ({ got }) => (navigation ? page(event, got) : got);
  if (answer === "cache-only") return (await copy()) || last();
  if (answer === "cache-first") return (await copy()) || fresh().then(show, last);
  const network = fresh();
  const ended = network.catch(() => {});
  event.waitUntil(ended); // it is kept even when it comes too late to be shown
  if (answer === "stale-while-revalidate") return (await copy()) || network.then(show, last);
  // network-first: what is good in time, else the stored copy, else whatever the network gives.
  const first = await new Promise((resolve) => {
    setTimeout(resolve, rule.patience);
    ended.then(resolve);
  });
  if (first && first.good) return show(first);
  return (await copy()) || network.then(show, last);
}

// keyOf is what an answer is stored under: the request without the parameters that the rule ignores.
function keyOf(rule, request) {
  if (!rule.ignore) return request;
  const url = new URL(request.url);
  for (const name of [...url.searchParams.keys()]) if (rule.ignore.test(name)) url.searchParams.delete(name);
  return new Request(url, { headers: request.headers });
}

function tooOld(answer, rule) {
  return !answer || (rule.age && Date.now() - answer.headers.get(STORED) > rule.age * 1000);
}

// mayStay says whether an answer may be stored: whole, successful, for everybody, and not from somebody else.
async function mayStay(answer, request, rule) {
  const { type, status, headers } = answer;
  if (type === "opaque") return rule.opaque;
  return status === 200 && !(type === "basic" && answer.redirected) && !/no-store/.test(headers.get("cache-control")) &&
    (rule.vary === "ignore" || !/cookie|authorization|\*/i.test(headers.get("vary"))) && !(await foreign(answer, request.mode === "navigate"));
}

// foreign says whether an answer is a whole page that does not hold our page script: the sign-in page of some network.
// Our own pages and other origins' are told apart by it; parts of pages are not looked at.
async function foreign(answer, navigation) {
  if (!/html/.test(answer.headers.get("content-type")) || answer.type !== "basic") return false;
  const body = text(await answer.clone().arrayBuffer());
  return (navigation || /<html|<!doctype/i.test(body)) && !body.includes(TABLE.script);
}

// keep stores an answer, and throws away what a rule has too much of.
async function keep(store, key, answer, rule) {
  try {
    if (answer.type !== "opaque") {
      const headers = new Headers(answer.headers);
      headers.set(STORED, Date.now());
      answer = new Response(answer.body, { headers });
    }
    // What the rule keeps, the oldest first, listed once while this worker runs.
    const mine = await (rule.kept = rule.kept || store.keys().then((keys) => new Set(keys.map(addressOf).filter((name) => RULES.find((r) => r.entries && !r.method && r.match.test(name)) === rule))));
    const name = addressOf(key);
    if (mine.delete(name)) await store.delete(key, { ignoreVary: rule.vary !== "obey" });
    mine.add(name); // it goes to the end: the oldest are thrown away first
    await store.put(key, answer);
    for (const old of mine) { // from the oldest on
      if (mine.size <= rule.entries && !(rule.age && tooOld(await stored(old, KEPT), rule))) break;
      mine.delete(old);
      await store.delete(old, { ignoreVary: true });
    }
  } catch {
    // The disk is full: the answer was shown, and is not stored.
  }
}

// ---- Outbox: what is sent without a network is kept and sent again, in order

// posts works on the outbox, in the database that all releases share.
function posts(mode, work) {
  return new Promise((resolve, reject) => {
    const opening = indexedDB.open(NAME + "outbox", 1);
    opening.onupgradeneeded = () => opening.result.createObjectStore("posts", { keyPath: "id", autoIncrement: true }).createIndex("key", "key", { unique: true });
    opening.onerror = () => reject(opening.error);
    opening.onsuccess = () => {
      const database = opening.result;
      const transaction = database.transaction("posts", mode);
      const asked = work(transaction.objectStore("posts"));
      const end = (settle) => () => {
        database.close();
        settle(transaction.error || asked.result);
      };
      transaction.oncomplete = end(resolve);
      transaction.onabort = end(reject);
    };
  });
}

const hopes = new Map(); // by key: what the first try is waited for with

// post keeps what a page sends until the server has taken it, and gives the server's answer, or 202 when it has to wait.
async function post(event, rule) {
  const { request } = event;
  const { url, method, credentials } = request;
  const form = request.mode === "navigate";
  const body = await request.clone().arrayBuffer();
  const headers = new Headers(request.headers);
  // The key is made of what is sent, so that it is the same when the browser brings the same request twice. A page that
  // sends the same twice on purpose gives a key of its own.
  const from = [event.clientId || event.resultingClientId, method, url, await digestOf(body)].join("\n");
  const key = headers.get("Idempotency-Key") || (await digestOf(new TextEncoder().encode(from)));
  headers.set("Idempotency-Key", key);
  try {
    const kept = await posts("readonly", (s) => s.index("key").count(key));
    if (!kept && (await posts("readonly", (s) => s.count())) >= rule.entries) throw 0; // it is full
    const record = { key, url, method, headers: [...headers], body, credentials, form, at: Date.now(), age: rule.age, next: 0, tries: 0 };
    if (!kept) await posts("readwrite", (s) => s.put(record));
  } catch {
    return fetch(new Request(request, { headers })); // it cannot be kept: sent at once, or lost as without a worker
  }
  const hope = hopes.get(key) || {};
  if (!hope.answer) hope.answer = new Promise((resolve) => (hope.settle = resolve));
  hopes.set(key, hope);
  event.waitUntil(deliver(true).then(() => hope.settle()));
  const answer = await hope.answer;
  hopes.delete(key);
  if (answer) return answer.clone();
  if (registration.sync) event.waitUntil(registration.sync.register(NAME + "outbox").catch(() => {}));
  const waiting = await tell({ key, url, result: "kept" });
  if (form) return Response.redirect(request.referrer.startsWith(location.origin) ? request.referrer : TABLE.base, 303); // back to the form
  return new Response(JSON.stringify({ outbox: "kept", key, waiting }), { status: 202, headers: { "content-type": "application/json" } });
}

// deliver sends what is kept, one after the other, until the network or the server fails. "now" does not wait for the
// pause that a failing server was given.
let delivery = Promise.resolve();
function deliver(now) {
  return (delivery = delivery.then(() => deliverAll(now)).catch(() => {}));
}

async function deliverAll(now) {
  for (const record of await posts("readonly", (s) => s.getAll())) {
    const { id, key, url, method, headers, body, credentials, age } = record;
    const done = async (result, status, answer) => {
      await posts("readwrite", (s) => s.delete(id));
      if (hopes.has(key)) hopes.get(key).settle(answer);
      await tell({ key, url, result, status });
    };
    if (age && Date.now() - record.at > age * 1000) {
      await done("expired");
      continue;
    }
    if (!now && Date.now() < record.next) throw 0;
    const answer = await fetch(url, { method, headers, body: body.byteLength ? body : undefined, credentials });
    if (!record.form && (await foreign(answer))) throw 0;
    const { status } = answer;
    if (/^(408|425|429|502|503|504)$/.test(status)) {
      record.tries++;
      const pause = Math.max(+answer.headers.get("retry-after") || 0, Math.min(3600, 2 ** record.tries)); // seconds
      record.next = Date.now() + pause * 1000;
      await posts("readwrite", (s) => s.put(record));
      throw 0;
    }
    await done(status < 400 ? "sent" : "refused", status, answer);
  }
}

// tell lets every open page know what became of a post, and how many wait.
async function tell(news) {
  const waiting = await posts("readonly", (s) => s.count());
  for (const client of await clients.matchAll({ includeUncontrolled: true })) client.postMessage({ ...news, outbox: NAME, waiting });
  return waiting;
}
