const NAME = "tachyform " + BASE + " "; // what our stores of this site are called

// Told by an update, this worker takes the place of the one before at once, and brings its open pages to the network. Registered anew, by a page
// that still does so, there is no page of its own to bring anywhere: it only goes again. Pages wait until it is active, so that nothing that
// takes long is done before.
addEventListener("install", (event) => event.waitUntil(skipWaiting()));
addEventListener("activate", (event) => event.waitUntil(activate()));

// Until what visitors sent is with the server, every visit and every sync is another try. Nothing is answered here.
addEventListener("sync", (event) => event.waitUntil(retire()));
addEventListener("message", (event) => event.waitUntil(retire()));
addEventListener("fetch", (event) => event.request.mode === "navigate" && event.waitUntil(retire()));

async function activate() {
  for (const name of await caches.keys()) if (EVERYTHING || name.startsWith(NAME)) await caches.delete(name);
  if (!(await waiting())) await registration.unregister();
  // Nobody waits for the pages here, since they wait for this worker.
  for (const page of await clients.matchAll({ type: "window" })) page.navigate(page.url).catch(() => {});
}

async function retire() {
  if (await send()) {
    if (registration.sync) await registration.sync.register(NAME + "outbox").catch(() => {});
    return;
  }
  await registration.unregister();
}

// waiting says whether there is something that the server has to have yet.
const waiting = () => posts("readonly", (s) => s.getAll()).then((records) => records.some(waits), () => false);
const waits = ({ state }) => !state || state === "waiting";

// posts works on the outbox that the worker before kept.
function posts(mode, work) {
  return new Promise((resolve, reject) => {
    const opening = indexedDB.open(NAME + "outbox", 1);
    opening.onupgradeneeded = () => opening.transaction.abort(); // there was none, and there shall be none
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

// send sends what waits, for each address in order, and says whether something still waits. What the server refused stays in the database: it is
// the visitor's.
let sending = Promise.resolve();
function send() {
  return (sending = sending.then(sendAll, sendAll));
}
async function sendAll() {
  if (!(await waiting())) return false;
  const stuck = new Set(); // addresses whose first post could not be sent
  for (const record of await posts("readonly", (s) => s.getAll())) {
    const { id, url, method, headers, body, credentials } = record;
    const place = url.split("?")[0];
    if (!waits(record) || stuck.has(place)) continue;
    const answer = await fetch(url, { method, headers, body: body && body.byteLength ? body : undefined, credentials }).catch(() => {});
    if (!answer) stuck.add(place);
    else if (answer.status < 400 && (!isPage(answer) || (await isTheServers(answer)))) await posts("readwrite", (s) => s.delete(id));
    else if (/^(400|406|410|411|413|414|415|417|422|431|451)$/.test(answer.status)) await posts("readwrite", (s) => s.put({ ...record, state: "refused", status: answer.status }));
    else stuck.add(place);
  }
  const left = await posts("readonly", (s) => s.getAll());
  if (!left.some(({ state }) => state !== "done")) indexedDB.deleteDatabase(NAME + "outbox");
  return stuck.size > 0;
}
const isPage = (answer) => /html/.test(answer.headers.get("content-type"));

// isTheServers tells a page that answers a post from a sign-in that it leads to, and from that of a network that answers everything.
async function isTheServers(answer) {
  if (answer.redirected && /type=["']?password/i.test(await answer.text())) return false;
  const own = await fetch(location.href, { cache: "no-store" }).catch(() => {});
  return !!own && own.status === 200 && !isPage(own);
}
