// ---- Core: the release, whole or not at all ----------------------------------------------------------------------

const TABLE = self.tachyform; // what "sw.js" says: this release
const NAME = "tachyform " + TABLE.base + " "; // stores of other apps on this origin are left alone
const FILES = NAME + "files"; // bodies of all releases, each under its address and digest: what has not changed is there once
const STATE = NAME + "state"; // lists of releases, and what has to outlast this worker's stops
const KEPT = NAME + "kept"; // what rules keep
const DAY = 86400000; // ms
const VISIT = 600000; // ms that count as one visit
const part = {}; // what other parts of this file add

// listOf makes a release's list of files: for each its digest, how it is checked, and whether it is stored at once.
function listOf({ release, now, later, pieces }) {
  const list = { release, files: new Map(), names: new Map(), pieces, now, later };
  const add = (kinds, at) => {
    for (const kind in kinds) for (const file in kinds[kind]) addTo(list, { file, digest: kinds[kind][file], kind, now: at });
  };
  add(now, true);
  add(later, false);
  return list;
}

function addTo(list, entry) {
  list.files.set(entry.file, entry);
  list.names.set(plain(entry.file), entry);
}

const OWN = listOf(TABLE);

addEventListener("install", (event) => event.waitUntil(install(event)));
addEventListener("activate", (event) => event.waitUntil(activate()));
const heard = { page: adopt, look: (source) => reach(source) }; // what pages say, and what is done then
addEventListener("message", (event) => {
  const { data, source } = event;
  if (data === "tachyform: take over") event.waitUntil(skipWaiting());
  const work = data && (heard[data.tachyform] || heard[data]);
  if (work) event.waitUntil(work(source, data));
});
addEventListener("fetch", (event) => {
  const answer = answerTo(event);
  if (!answer) return;
  if (part.preloaded && event.preloadResponse) event.waitUntil(event.preloadResponse.catch(() => {})); // it may not be needed
  event.respondWith(answer.catch(() => fetch(event.request)).catch(() => Response.error())); // the browser may refuse to give what is stored
  event.stopImmediatePropagation(); // a worker that is loaded beside this one gets what this one leaves
});

// answerTo decides who answers a request. What it gives nothing for goes to the network as if there were no worker.
function answerTo(event) {
  const { request } = event;
  const { origin, pathname, search } = new URL(request.url);
  const rule = part.ruleFor && part.ruleFor(request);
  if (rule) return part.byRule(rule, event);
  if (request.method !== "GET" || origin !== location.origin || !(pathname.startsWith(TABLE.base) || nameIn(OWN, pathname))) return;
  if (request.mode === "navigate") return navigate(event, pathname, search);
  // A tab may have come from an older release, whose names are read from the store: until then every request may be its.
  const known = (lists || [OWN]).some((list) => list.pieces || nameIn(list, pathname));
  if (known || (!TABLE.beside && (!lists || isCode(request)))) return subresource(event, pathname);
  if (part.image && request.destination === "image") return passed(event);
}

// plain gives a path without percent-encoding, so that one encoding is as good as another.
function plain(path) {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

// nameIn finds a path in a list: as it is, without "index.html", and for navigations without ".html".
function nameIn({ names }, path, navigation) {
  path = plain(path.replace(/\/index\.html?$/, "/"));
  return names.get(path) || (navigation && names.get(path + ".html"));
}

// entryIn does the same, and reads the piece of a long list that has the path.
async function entryIn(list, path, navigation, offline) {
  return nameIn(list, path, navigation) || (list.pieces && part.fromPiece(list, path, navigation, offline));
}

const isCode = ({ destination }) => /^(script|style|font|worker|sharedworker|json)$/.test(destination);

const keyOf = ({ file, digest }) => file + "?tachyform=" + digest;
const stored = (entry) => caches.match(keyOf(entry), { cacheName: FILES, ignoreVary: true });
const toPages = async (news) => {
  for (const client of await clients.matchAll({ includeUncontrolled: true })) client.postMessage({ ...news, tachyform: NAME });
};

// ---- Answers

// navigate answers a page that is being opened.
async function navigate(event, path, search) {
  const find = (path, clean) => entryIn(OWN, path, clean).catch(() => {});
  let entry = await find(path, true);
  if (!entry && (await find(path + "/"))) return Response.redirect(path + "/" + search);
  const shell = !entry && TABLE.shell && !/\.[^/]*$/.test(path) && !TABLE.apart.includes(plain(path)) && OWN.files.get(TABLE.shell); // for a route
  if (shell && (!TABLE.routes || new RegExp(TABLE.routes).test(path))) entry = shell;
  const copy = entry && (await stored(entry));
  if (!copy) return page(event, entry, TABLE.patience, shell || undefined, !entry && part.visit);
  await came(event, TABLE.release);
  return given(entry, copy, event);
}

// page answers a navigation from the network, which may bring a page of this release or of another. Its parts come from where
// it came from.
async function page(event, entry, patience = TABLE.patience, instead, visit) {
  const before = serverRelease();
  const network = fromNetwork(event).then(async (answer) => {
    const good = entry && answer.status === 200 && (await checked(entry, answer.clone()));
    if (good) await keep(entry, good);
    if (visit) event.waitUntil(visit(event.request.url, answer.clone(), passedBy(before)).catch(() => {}));
    return { answer, good };
  });
  event.waitUntil(network.catch(() => {})); // it is stored even when it comes too late to be shown
  const asked = /^(no-cache|reload)$/.test(event.request.cache); // who loads a page again waits as long as it takes
  const got = await inTime(network, !asked && patience).catch(() => {});
  if (!got || got.answer.status > 499 || (visit && (await isForeign(got.answer, true)))) {
    const older = (visit && (await part.visited(event))) || (await olderPage(event));
    if (older || !got) return older || standIn(event, instead);
  }
  if (got.good) await came(event, TABLE.release);
  else came(event, passedBy(before));
  return got.answer;
}

// passedBy gives how a page from the network is noted: with a tilde and the release that the server had before and after it, or "!" when it
// changed in between.
const passedBy = async (before) => {
  const now = await serverRelease();
  return "~" + ((await before) === now ? now : "!");
};

// serverRelease asks which release the server has at this moment, by its "sw.js". Who asks while somebody waits for an answer waits for the next.
let asking = Promise.resolve();
let next;
function serverRelease() {
  next = next || asking.then(() => {
    next = null;
    return (asking = fetch(location.href, { cache: "no-cache" }).then((answer) => answer.text()).then((text) => (/release: ?"(\w+)"/.exec(text) || [])[1], () => "!"));
  });
  return next;
}

const fromNetwork = (event) => (part.preloaded ? part.preloaded(event) : fetched(event.request, { cache: "no-cache" }));

// fetched fetches, and looks whether there is a network when that fails.
let cut = false;
async function fetched(request, options) {
  try {
    const answer = await fetch(request, options);
    if (cut) reach();
    return answer;
  } catch (error) {
    if (!cut) reach();
    throw error;
  }
}

// reach asks the server for the page script's head, and tells pages when the network has come or gone.
async function reach(source) {
  const gone = await fetch(TABLE.script, { method: "HEAD", cache: "no-store" }).then(() => false, () => true);
  if (gone !== cut) await toPages({ network: !gone });
  else if (source) source.postMessage({ tachyform: NAME, network: !gone });
  cut = gone;
}

// olderPage gives a page that is still stored of an earlier release, with which it is whole.
async function olderPage(event) {
  const { pathname } = new URL(event.request.url);
  for (const list of [...(await allLists())].reverse()) {
    const entry = list !== OWN && (await entryIn(list, pathname, true, true));
    const copy = entry && (await stored(entry));
    if (!copy) continue;
    await came(event, list.release);
    return copy;
  }
}

// inTime gives up after a number of milliseconds; 0 is for ever.
function inTime(promise, patience) {
  if (!patience) return promise;
  return Promise.race([promise, new Promise((_, reject) => setTimeout(reject, patience, new Error("no answer in time")))]);
}

// standIn is what is shown for a page that cannot be had.
async function standIn(event, entry = OWN.files.get(TABLE.offline)) {
  const copy = entry && (await stored(entry));
  if (!copy) return Response.error();
  await came(event, TABLE.release);
  return copy;
}

// subresource answers what a page asks for: from the release that the page came from, until the page is loaded again.
async function subresource(event, path) {
  const { request } = event;
  const release = await releaseOf(event);
  const all = await allLists();
  if (release && release[0] === "~") return fromServer(event, path, release.slice(1));
  const list = release ? all.find((l) => l.release === release) : OWN;
  if (!list) return isCode(request) ? Response.error() : passed(event); // long gone: other code would not fit
  const entry = await entryIn(list, path).catch(() => 0);
  if (entry === 0 && isCode(request)) return Response.error(); // a part of the list cannot be had
  if (!entry) return passed(event);
  if (release === undefined) return passed(event, entry);
  if (event.resultingClientId) await came(event, list.release); // a worker of the page
  const copy = await stored(entry);
  if (copy) return given(entry, copy, event);
  if (entry.now) care(true);
  if (request.headers.has("range")) {
    event.waitUntil(stow(entry).catch(() => {}));
    return passed(event);
  }
  return stow(entry).catch(({ answer }) => (entry.kind === "other" ? passed(event, 0, answer) : Response.error()));
}

// fromServer answers what a page asks for that came from the network. Code is handed on while the server has the release that the page came
// with; then it comes from the store, or not at all.
async function fromServer(event, path, release) {
  const { request } = event;
  const answer = await passed(event).catch(() => {});
  const code = isCode(request) || (nameIn(OWN, path) || { kind: "other" }).kind !== "other";
  if (answer && (!code || !release || (await serverRelease()) === release)) {
    if (part.seen) event.waitUntil(part.seen(event, release, answer.clone()).catch(() => {}));
    return answer;
  }
  const list = (await allLists()).find((list) => list.release === release);
  const entry = list && (await entryIn(list, path).catch(() => {}));
  const copy = entry && (await stored(entry));
  return copy ? given(entry, copy, event) : Response.error();
}

// given gives a stored body, in parts when asked, and looks afterwards whether it is sound.
function given(entry, copy, event) {
  if (!looked.has(entry) && entry.kind !== "other") {
    looked.add(entry);
    const body = copy.clone();
    event.waitUntil(checked(entry, body).then((good) => good || stow(entry)).catch(() => {}));
  }
  return part.range ? part.range(copy, event.request) : copy;
}
const looked = new Set();

// passed answers from the network. A page that came from there is given no file of the release in place of one, since the
// two need not fit; one that nobody knows yet is, when the network fails. Code is asked for and handed on so that no cache of the
// browser keeps it for a page of another release.
async function passed(event, entry, answer) {
  const { request } = event;
  const path = new URL(request.url).pathname;
  const ours = isCode(request) || nameIn(OWN, path);
  const named = part.named && (await part.named(request));
  if (named) return named;
  try {
    answer = answer || (await fetched(request, ours ? { cache: "no-cache" } : {}));
  } catch (error) {
    const copy = entry && (await stored(entry));
    if (copy) return given(entry, copy, event);
    if (part.image && request.destination === "image") return part.image();
    throw error;
  }
  if (/^(script|style|font|image|worker|sharedworker)$/.test(request.destination) && isPage(answer)) return Response.error(); // a server's page for what it does not have
  if (!ours || answer.type !== "basic" || answer.redirected || answer.status !== 200) return answer;
  const headers = new Headers(answer.headers);
  headers.set("cache-control", "no-cache");
  return new Response(answer.body, { headers });
}

const isPage = (answer) => /html/.test(answer.headers.get("content-type"));

// ---- Releases

// install takes the whole release or nothing: pages, scripts and styles have to be what the list says. What else cannot be
// had is left out, named, and tried again at each visit. What an earlier, failed try has stored is used.
async function install(event) {
  if (event.addRoutes && TABLE.left.length) event.addRoutes(TABLE.left.map((pathname) => ({ condition: { urlPattern: { pathname } }, source: "network" }))).catch(() => {});
  const { release, now, later, pieces } = OWN;
  await write("release=" + release, { release, now, later, pieces });
  const left = [];
  try {
    await fill(await missing(true), left, 3);
    if (left.some(({ cut }) => cut)) await fetch(TABLE.script, { cache: "no-store" }); // there is no network: nothing else is known
  } catch (error) {
    await toPages({ failed: error.file || "", reason: error.message });
    throw error;
  }
  if (part.ahead) await part.ahead().catch(() => {});
  if (left.length) await toPages({ left: left.map(({ file }) => file) });
  if (TABLE.takeover === "at-once") await skipWaiting();
}

// missing lists what is to be stored and is not: what the release stores at once, and what this visitor has of it in an older
// form. When asked, what is there is checked.
async function missing(check) {
  const bodies = await caches.open(FILES);
  const have = new Map(); // by key: the file's address
  const named = new Map(); // by digest and extension: a key
  for (const { url } of await bodies.keys()) {
    const key = url.slice(location.origin.length);
    const [file, digest] = key.split("?tachyform=");
    have.set(key, file);
    named.set(digest + extension(file), key);
  }
  const wanted = new Set([...OWN.files.values()].filter((entry) => entry.now));
  for (const file of new Set(have.values())) {
    const entry = await entryIn(OWN, file).catch(() => {});
    if (entry) wanted.add(entry);
  }
  const out = [];
  for (const entry of wanted) {
    const key = keyOf(entry);
    if (have.has(key) && !(check && !(await checked(entry, await bodies.match(key))))) continue;
    const twin = have.has(key) ? 0 : named.get(entry.digest + extension(entry.file));
    const copy = twin && (await checked(entry, await bodies.match(twin)));
    if (copy) await bodies.put(key, copy); // it has another name now
    else out.push(entry);
  }
  return out;
}

const extension = (file) => file.slice(file.lastIndexOf("."));

// fill stores files, six at a time: first those that have to be there. left gets what became of the others that cannot be had.
async function fill(entries, left, tries) {
  const must = (entry) => entry.now && entry.kind !== "other";
  for (const queue of [entries.filter(must), entries.filter((entry) => !must(entry))]) {
    const work = async () => {
      for (let entry; (entry = queue.shift()); ) {
        try {
          await stow(entry, must(entry) ? tries : 1, true);
        } catch (error) {
          if (must(entry) || error.full) throw error;
          left.push(error);
        }
      }
    };
    await Promise.all([work(), work(), work(), work(), work(), work()]);
  }
}

// stow fetches one file, checks it, stores it and gives it. Where it need not be stored, a full disk does no harm.
async function stow(entry, tries = 1, must) {
  for (;;) {
    const { good, ...rest } = await ask(entry);
    if (good) {
      await keep(entry, good.clone(), must);
      return good;
    }
    if (--tries < 1) throw Object.assign(new Error(entry.file + " " + rest.why), { file: entry.file }, rest);
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
}

// ask fetches a file past the browser's HTTP cache, and says what is wrong with it.
async function ask(entry) {
  try {
    const answer = await fetch(entry.file, { cache: "no-cache" });
    const { status, type } = answer;
    const good = status === 200 && type === "basic" && (await checked(entry, answer.clone()));
    return { answer, good, why: status === 200 ? "is answered with other bytes than were released" : "is answered with status " + status };
  } catch {
    return { cut: true, why: "cannot be reached" };
  }
}

// keep stores a body; when the disk is full, what nobody needs any more gives way first.
async function keep(entry, good, must) {
  const bodies = await caches.open(FILES);
  const again = good.clone();
  try {
    await bodies.put(keyOf(entry), good);
  } catch {
    await makeRoom();
    await bodies.put(keyOf(entry), again).catch((error) => {
      if (must) throw Object.assign(error, { file: entry.file, full: true });
    });
  }
}

// checked gives an answer in the form it is stored in, if it is what the list says. Pages may be rewritten on their way by the host, so
// they only have to hold the digest that was written into them, or our page script; a sign-in page of some network holds neither.
async function checked({ kind, digest }, answer) {
  const body = await answer.arrayBuffer();
  const held = { pages: digest, linked: TABLE.script }[kind];
  if (held ? !text(body).includes(held) : digest !== (await digestOf(body))) return;
  const headers = new Headers(answer.headers);
  headers.set("cache-control", "no-cache"); // no other cache of the browser answers for this one
  return new Response(body, { headers });
}

const digestOf = async (data) => btoa(String.fromCharCode(...new Uint8Array(await crypto.subtle.digest("SHA-256", data)).slice(0, 12))).replace(/\+/g, "-").replace(/\//g, "_");
const text = (body) => new TextDecoder("latin1").decode(body).replace(/\0/g, "");

async function activate() {
  const { navigationPreload } = registration;
  if (navigationPreload) await navigationPreload[part.preloaded ? "enable" : "disable"]();
  remembered = null; // the worker before this one has written since
  const known = await memory();
  if (known.release !== TABLE.release) Object.assign(known, { before: known.release, since: Date.now(), release: TABLE.release });
  await save();
  for (const name of await caches.keys()) if (name.startsWith(NAME) && ![FILES, STATE, KEPT].includes(name)) await caches.delete(name); // of an older edition
  await clients.claim();
}

// allLists gives the lists of the releases that are still stored, the newest last.
let lists;
async function allLists() {
  if (lists) return lists;
  const found = [];
  const state = await caches.open(STATE);
  for (const request of await state.keys()) {
    const list = request.url.includes("release=") && (await (await state.match(request)).json());
    if (list && list.release !== TABLE.release) found.push(listOf(list));
  }
  return (lists = lists || [...found, OWN]);
}

const stateKey = (name) => TABLE.base + "?tachyform:" + name;
const read = (name) => caches.match(stateKey(name), { cacheName: STATE }).then((found) => found && found.json());
const write = async (name, value) => (await caches.open(STATE)).put(stateKey(name), new Response(JSON.stringify(value)));

// memory is what outlasts this worker: what was opened last, which release was in force before, when the stores were looked after.
let remembered;
const memory = () => (remembered = remembered || read("memory").then((known) => known || { opened: [] }));
const save = async () => {
  const known = await memory();
  known.clock = Math.max(known.clock || 0, Date.now());
  await write("memory", known);
};

// The release of each open page is stored by itself, since two workers may write at a time; a tilde before it is for pages from the network.
const pages = new Map(); // by client id, may be promises
async function note(id, release) {
  pages.set(id, release);
  await write("page=" + id, await release);
}

// releaseOf gives the release of the page that asks; undefined when nobody knows yet.
async function releaseOf({ clientId }) {
  if (!clientId) return TABLE.release;
  if (!pages.has(clientId)) {
    const known = await read("page=" + clientId);
    if (known) pages.set(clientId, known);
  }
  if (pages.has(clientId)) return pages.get(clientId);
  const client = await clients.get(clientId);
  if (!client || client.type !== "window") return TABLE.release;
  client.postMessage({ tachyform: NAME, who: true });
}

// adopt takes in a page that was there before its worker: it says which digest it holds. It belongs to the one release that has it;
// one of another release gets no code but what it has.
async function adopt({ id }, { path, digest }) {
  if (cut) await toPages({ network: false });
  if (pages.has(id) || (await read("page=" + id))) return;
  const all = [];
  let listed;
  for (const list of await allLists()) {
    const entry = await entryIn(list, path, true).catch(() => {});
    listed = listed || entry;
    if (digest && entry && entry.digest === digest) all.push(list.release);
  }
  await note(id, all.length === 1 ? all[0] : all.length || !digest ? "~" : listed ? "~!" : "~" + (await serverRelease()));
}

// came notes the release of a page that is being opened, and afterwards looks after what is stored.
async function came(event, release) {
  const id = event.resultingClientId;
  if (!id) return;
  const noted = note(id, release);
  event.waitUntil(noted.then(async () => {
    if (event.request.mode === "navigate") {
      const { opened } = await memory();
      const { pathname } = new URL(event.request.url);
      opened.splice(0, 50, ...new Set([pathname, ...opened].slice(0, 50)));
      await save();
    }
    await care();
  }));
  await noted;
}

// care completes the release and clears away what no page needs any more: at every visit, with a new release, and when something
// is found missing.
let caring;
function care(again) {
  if (again) caring = null;
  return (caring = caring || complete(again).catch(() => {}));
}

async function complete(again) {
  const known = await memory();
  if (!again && known.whole === TABLE.release && recent(known.looked, VISIT)) return;
  const { release, now, later, pieces } = OWN;
  if (!(await read("release=" + release))) await write("release=" + release, { release, now, later, pieces });
  const left = [];
  await fill(await missing(), left, 1);
  if (part.ahead) await part.ahead();
  if (!registration.installing && !registration.waiting) { // the next release may use what older ones have
    await tidy(recent(known.since, DAY) && known.before);
    if (part.trim) await part.trim(known.opened);
    Object.assign(known, { whole: left.length ? "" : release, looked: Date.now() });
  }
  await save();
}

const recent = (time, span) => Math.abs(Date.now() - time) < span; // clocks may jump

// tidy gives up what no open page needs: all releases but this one, the one in force, and one more that is named. With all, also one
// that could not be completed yet: it is newer than ours. Pages that were left may come back; the last twenty are remembered.
async function tidy(more, all) {
  const used = [TABLE.release, (await memory()).release, more, ...(part.used ? await part.used(all) : [])];
  const open = (await clients.matchAll({ type: "all", includeUncontrolled: true })).map((client) => client.id);
  const state = await caches.open(STATE);
  const urls = (await state.keys()).map(({ url }) => url);
  const noted = urls.filter((url) => url.includes("page="));
  for (const [i, url] of noted.entries()) {
    if (open.includes(url.split("page=")[1])) used.push((await (await state.match(url)).json()).replace("~", ""));
    else if (i < noted.length - 20) await state.delete(url);
  }
  const keys = urls.filter((url) => url.includes("release="));
  const own = keys.findIndex((url) => url.endsWith("=" + TABLE.release));
  const keeping = [OWN];
  for (const [i, url] of keys.entries()) {
    if (used.includes(url.split("release=")[1]) || (i > own && !all)) keeping.push(listOf(await (await state.match(url)).json()));
    else await state.delete(url);
  }
  lists = null;
  const bodies = await caches.open(FILES);
  for (const request of await bodies.keys()) {
    const [file, digest] = request.url.slice(location.origin.length).split("?tachyform=");
    let needed = false;
    for (const list of keeping) needed = needed || (list.pieces || []).some((piece) => piece[1] === digest) || ((await entryIn(list, file, false, true).catch(() => {})) || {}).digest === digest;
    if (!needed) await bodies.delete(request, { ignoreVary: true });
  }
}

const makeRoom = () => tidy(null, true);
