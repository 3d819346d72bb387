// ---- Visited pages: what a server makes is kept as it was visited

// A page that is kept is what anybody gets: it is fetched without cookies, unless the server says that its answer is for everybody. So
// nobody is shown later what was made for somebody else. It goes with the release that the server had, whose parts it is shown with.
const VISITED = TABLE.visited;
const RELEASE = "tachyform-release"; // header of a kept page: the release that it goes with
const secret = /csrf|xsrf|token|nonce|authenticity/i;

const pageKey = (url) => url.split("#")[0];
const isVisit = (answer) => answer.headers.has(RELEASE);

// mayBeKept says whether a page may be kept, as far as it says so itself.
function mayBeKept({ status, type, redirected, headers }, body) {
  if (status !== 200 || type !== "basic" || redirected || !isPage({ headers })) return false;
  const control = headers.get("cache-control") || "";
  if (/no-store/i.test(control) || /cookie|authorization|\*/i.test(headers.get("vary"))) return false;
  if (/private/i.test(control) && !VISITED.private) return false;
  if (!body.includes(TABLE.script)) return false; // of another layout, or of a network that wants to be signed in to
  return !(body.match(/<input\b[^>]*>/gi) || []).some((tag) => secret.test((/\bname\s*=\s*["']?([^"'\s>]+)/i.exec(tag) || [])[1]) || /type\s*=\s*["']?password/i.test(tag));
}

// whole says whether the parts of the release that a page names are what the server has: those that no deployment has changed since.
async function whole(body) {
  const parts = [...OWN.files.values()].filter((entry) => entry.kind === "code" && body.includes(entry.file.slice(entry.file.lastIndexOf("/") + 1)));
  return (await Promise.all(parts.map(async (entry) => moved !== TABLE.release && (await ask(entry)).good))).every(Boolean);
}

let moved; // the release whose parts the server has exchanged since, without another release

// keepVisit stores what anybody gets at an address, with the release that it goes with.
async function keepVisit(url, release, answer) {
  const store = await caches.open(KEPT);
  const key = pageKey(url);
  const own = answer && /\bpublic\b/i.test(answer.headers.get("cache-control"));
  const got = own ? answer : await fetch(url, { credentials: "omit", cache: "no-cache", headers: { accept: "text/html,application/xhtml+xml" } });
  const body = await got.clone().text();
  if (!mayBeKept(got, body)) return store.delete(key, { ignoreVary: true });
  if (!release) { // nobody looks at it now: its parts are not asked for by a page
    release = TABLE.release;
    if (!(await whole(body))) return false;
  }
  if (moved === release) return store.delete(key, { ignoreVary: true });
  const headers = new Headers(got.headers);
  headers.set("tachyform-stored", Date.now());
  headers.set(RELEASE, release);
  headers.set("cache-control", "no-cache");
  await store.delete(key, { ignoreVary: true }); // it goes to the end: the oldest give way
  await store.put(key, new Response(body, { headers }));
  const mine = [];
  for (const request of await store.keys()) {
    const kept = await store.match(request, { ignoreVary: true });
    if (kept && isVisit(kept) && !VISITED.pages.includes(addressIn(request.url))) mine.push(request);
  }
  for (const old of mine.slice(0, Math.max(0, mine.length - VISITED.entries))) await store.delete(old, { ignoreVary: true });
  return true;
}

const addressIn = (url) => pageKey(url).slice(location.origin.length);
const storedAt = (answer) => Number(answer.headers.get("tachyform-stored"));

// part.visit looks after a page that came from the network: it is kept, renewed, or forgotten. answer is what the visitor got.
part.visit = async (url, answer, passed) => {
  const store = await caches.open(KEPT);
  if (answer.type === "opaqueredirect" || /^(401|403|404|410)$/.test(answer.status)) return store.delete(pageKey(url), { ignoreVary: true });
  const release = (await passed).slice(1);
  if (answer.status !== 200 || !/^\w{8,}$/.test(release)) return;
  const old = await store.match(pageKey(url), { ignoreVary: true });
  if (old && old.headers.get(RELEASE) === release && recent(storedAt(old), VISIT)) return;
  await keepVisit(url, release, answer);
};

// part.visited gives a kept page with which the release that it goes with is still stored.
part.visited = async (event) => {
  const store = await caches.open(KEPT);
  const copy = await store.match(pageKey(event.request.url), { ignoreVary: true });
  if (!copy || !isVisit(copy) || Date.now() - storedAt(copy) > VISITED.age * 1000) return;
  const release = copy.headers.get(RELEASE);
  if (!(await allLists()).some((list) => list.release === release)) return;
  await came(event, release);
  return copy;
};

// part.used gives the releases that kept pages go with, the newest three; pages of older ones are forgotten. All of them go when room is made.
part.used = async (room) => {
  const store = await caches.open(KEPT);
  const found = [];
  for (const request of await store.keys()) {
    const kept = await store.match(request, { ignoreVary: true });
    if (kept && isVisit(kept)) found.unshift([request, kept.headers.get(RELEASE)]);
  }
  const used = [...new Set(found.map(([, release]) => release))].filter((release) => release !== TABLE.release).slice(0, room ? 0 : 3);
  for (const [request, release] of found) if (release !== TABLE.release && !used.includes(release)) await store.delete(request, { ignoreVary: true });
  return used;
};

// part.ahead fetches the pages that are to be there after one visit, and again when they are of another release or too old.
const aheadBefore = part.ahead;
part.ahead = async () => {
  if (aheadBefore) await aheadBefore();
  const store = await caches.open(KEPT);
  for (const file of VISITED.pages) {
    const old = await store.match(pageKey(location.origin + file), { ignoreVary: true });
    if (old && isVisit(old) && old.headers.get(RELEASE) === TABLE.release && recent(storedAt(old), VISITED.renew * 1000)) continue;
    await keepVisit(location.origin + file).catch(() => {});
  }
};

// part.seen is told what the server gave a page that came from it. Code that is not what the release has under this name says that the server was
// changed without a release: nothing is kept of it, since what is stored would not fit. Parts whose names hold a digest fit whatever page
// names them, so they are kept.
part.seen = async (event, release, answer) => {
  const { request } = event;
  const entry = nameIn(OWN, new URL(request.url).pathname);
  const store = await caches.open(KEPT);
  if (entry) {
    if (entry.kind !== "code" || release !== TABLE.release || moved === release || entry.digest === (await digestOf(await answer.arrayBuffer()))) return;
    moved = release;
    const client = await clients.get(event.clientId);
    if (client) await store.delete(pageKey(client.url), { ignoreVary: true });
    return;
  }
  if (!isNamed(request) || answer.status !== 200 || answer.type !== "basic" || isPage(answer) || (await store.match(request.url, { ignoreVary: true }))) return;
  await store.put(request.url, answer);
  const mine = (await store.keys()).filter(isNamed);
  for (const old of mine.slice(0, Math.max(0, mine.length - 100))) await store.delete(old, { ignoreVary: true });
};

const isNamed = ({ url }) => /[.-](?=[a-f]*\d)(?=\d*[a-f])[0-9a-f]{8,}\.(?:js|mjs|css|woff2?|ttf|svg|png|jpe?g|webp|avif|gif)$/.test(new URL(url).pathname) && url.startsWith(location.origin + "/");

part.named = async (request) => isNamed(request) && !nameIn(OWN, new URL(request.url).pathname) && caches.match(request.url, { cacheName: KEPT, ignoreVary: true });
