// ---- Engine: the same on every site --------------------------------------------------------------------------

const NAME = "tachyform " + TABLE.base + " "; // stores of other apps on this origin are left alone
const RELEASE = NAME + TABLE.release;
const KEPT = NAME + "kept"; // what rules store
const MARK = TABLE.base + "?tachyform"; // under this key a complete store holds its list of files
const FILES = { ...TABLE.now, ...TABLE.later };
const RULES = TABLE.rules.map((r) => ({ ...r, match: new RegExp(r.match) }));

addEventListener("install", (event) => event.waitUntil(install()));
addEventListener("activate", (event) => event.waitUntil(activate()));
addEventListener("message", (event) => {
  if (event.data === "tachyform: take over") skipWaiting();
});

addEventListener("fetch", (event) => {
  const { request } = event;
  const url = new URL(request.url);
  if (request.method !== "GET" || url.origin !== location.origin) return;
  const navigation = request.mode === "navigate";
  const rule = RULES.find((r) => r.match.test(url.pathname));
  if (rule ? rule.answer === "leave" : !url.pathname.startsWith(TABLE.base)) return;
  const file = !rule && fileOf(url.pathname);
  if (file) event.respondWith(fromRelease(file, request));
  else if (rule && !(navigation && rule.answer === "network-only")) event.respondWith(byRule(rule, event));
  else if (navigation && fileOf(url.pathname + "/")) event.respondWith(Response.redirect(url.pathname + "/" + url.search));
  else if (navigation) event.respondWith(fetch(request).catch(() => standIn()));
});

// fileOf gives the release's URL for a path: as it is, without "index.html", or with other percent-encoding.
function fileOf(path) {
  path = path.replace(/\/index\.html?$/, "/");
  if (path in FILES) return path;
  if (!path.includes("%")) return "";
  const plain = decode(path);
  return Object.keys(FILES).find((f) => decode(f) === plain) || "";
}

function decode(path) {
  try {
    return decodeURIComponent(path);
  } catch {
    return path;
  }
}

// fromRelease answers with a file of this release: from its store, else from the network, checked.
async function fromRelease(file, request) {
  const store = await caches.open(RELEASE);
  const stored = await store.match(file, { ignoreVary: true });
  if (stored) return part(stored, request);
  try {
    return part(await stow(store, [], file), request);
  } catch {
    // What the server has now is not this release's file, or the disk is full: show it without storing it.
    return fetch(request).catch((e) => (request.mode === "navigate" ? standIn() : Promise.reject(e)));
  }
}

// part answers a Range request from a full body.
async function part(response, request) {
  const range = /^bytes=(\d*)-(\d*)$/.exec(request.headers.get("range") || "");
  if (!range || !(range[1] || range[2])) return response;
  const blob = await response.blob();
  const start = range[1] ? +range[1] : Math.max(0, blob.size - range[2]);
  const end = range[1] && range[2] ? Math.min(+range[2], blob.size - 1) : blob.size - 1;
  const headers = new Headers(response.headers);
  if (start > end) {
    headers.set("Content-Range", "bytes */" + blob.size);
    return new Response(null, { status: 416, headers });
  }
  headers.set("Content-Range", "bytes " + start + "-" + end + "/" + blob.size);
  headers.set("Content-Length", end - start + 1);
  return new Response(blob.slice(start, end + 1), { status: 206, headers });
}

async function standIn() {
  const store = await caches.open(RELEASE);
  return (TABLE.offline && (await store.match(TABLE.offline, { ignoreVary: true }))) || Response.error();
}

// install takes the whole release or nothing. What an earlier, failed try has stored is used again.
async function install() {
  const store = await caches.open(RELEASE);
  const have = new Set((await store.keys()).map((r) => r.url));
  const queue = Object.keys(TABLE.now).filter((file) => !have.has(location.origin + file));
  const older = [];
  for (const name of await caches.keys()) {
    if (!name.startsWith(NAME) || name === RELEASE || name === KEPT) continue;
    const old = await caches.open(name);
    const mark = await old.match(MARK);
    if (mark) older.push([old, new Map(Object.entries(await mark.json()).map(([file, digest]) => [digest, file]))]);
  }
  const work = async () => {
    while (queue.length) await stow(store, older, queue.shift(), 3);
  };
  await Promise.all([work(), work(), work(), work(), work(), work()]);
  await store.put(MARK, new Response(JSON.stringify(FILES)));
  if (TABLE.takeover === "at-once" || !older.length) await skipWaiting();
}

// stow stores one file, unchanged from an older release or fetched and checked, and gives it back.
async function stow(store, older, file, tries = 1) {
  const digest = FILES[file];
  for (const [old, files] of older) {
    const same = files.get(digest);
    const copy = same && (await old.match(same, { ignoreVary: true }));
    if (copy) {
      await store.put(file, copy.clone());
      return copy;
    }
  }
  for (;;) {
    try {
      const answer = await fetch(file, { cache: "no-cache", credentials: "same-origin" });
      const body = await answer.arrayBuffer();
      if (answer.status !== 200 || answer.type !== "basic" || !(await genuine(digest, body)))
        throw new Error(file + " is not the file of release " + TABLE.release);
      const good = new Response(body, { headers: answer.headers });
      await store.put(file, good.clone());
      return good;
    } catch (error) {
      if (--tries < 1) throw error;
      await new Promise((resolve) => setTimeout(resolve, 1000));
    }
  }
}

// genuine compares a body with the release's digest. A page may be rewritten on its way by the host, so it only has
// to hold our page script; a sign-in page of some network does not.
async function genuine(digest, body) {
  if (digest[0] === "~") return new TextDecoder("latin1").decode(body).replace(/\0/g, "").includes(TABLE.script);
  const hash = new Uint8Array(await crypto.subtle.digest("SHA-256", body)).slice(0, 15);
  return btoa(String.fromCharCode(...hash)) === digest;
}

async function activate() {
  for (const name of await caches.keys())
    if (name.startsWith(NAME) && name !== RELEASE && name !== KEPT) await caches.delete(name);
  await clients.claim();
}

// byRule answers as the first rule that matches says.
async function byRule(rule, event) {
  const { request } = event;
  const store = await caches.open(KEPT);
  const file = fileOf(new URL(request.url).pathname);
  const stored = async () =>
    (await store.match(request, { ignoreVary: true })) || (file && (await caches.open(RELEASE).then((s) => s.match(file, { ignoreVary: true }))));
  const fresh = async () => {
    const answer = await fetch(request);
    if (plain(answer, file)) event.waitUntil(keep(store, request, answer.clone(), rule));
    return answer;
  };
  const last = (error) => (request.mode === "navigate" ? standIn() : Promise.reject(error));
  if (rule.answer === "network-only") return fetch(request);
  if (rule.answer === "cache-only") return (await stored()) || last(new Error("not stored"));
  if (rule.answer === "cache-first") return (await stored()) || fresh().catch(last);
  const network = fresh();
  network.catch(() => {});
  if (rule.answer === "stale-while-revalidate") {
    event.waitUntil(network.catch(() => {}));
    return (await stored()) || network.catch(last);
  }
  // network-first: what is good in time, else the stored copy, else whatever the network gives.
  const late = new Promise((resolve) => setTimeout(resolve, rule.patience));
  const answer = await Promise.race([network, late]).catch(() => {});
  if (answer && plain(answer, file)) return answer;
  return (await stored()) || network.catch(last);
}

// plain says whether an answer may be stored: whole, successful, our own, and no page where a file is expected.
function plain(answer, file) {
  const page = /html/.test(answer.headers.get("content-type"));
  return answer.status === 200 && answer.type === "basic" && !answer.redirected &&
    !/no-store/.test(answer.headers.get("cache-control")) && !(page && file && FILES[file][0] !== "~");
}

async function keep(store, request, answer, rule) {
  try {
    await store.put(request, answer);
    const keys = (await store.keys()).filter((r) => new RegExp(rule.match).test(new URL(r.url).pathname));
    for (const old of keys.slice(0, Math.max(0, keys.length - rule.entries))) await store.delete(old);
  } catch {
    // The disk is full: the answer was shown, and is not stored.
  }
}
