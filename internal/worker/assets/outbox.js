// ---- Outbox: what pages send is kept until the server has taken it, and sent again in order

const PATIENCE = 10000; // ms a page waits for the server's answer
const LONGEST = 60000; // ms until a try is given up
const hopes = new Map(); // by key: what pages wait for the first try with
const told = new Set(); // keys of posts whose answers pages have

addEventListener("sync", (event) => event.tag === NAME + "outbox" && event.waitUntil(deliver()));

// posts works on the outbox, in the database that all releases share. A record's state is "waiting", "refused", "expired" (both
// until a page takes it back) or "done" (until the page has its answer).
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
const allPosts = () => posts("readonly", (s) => s.getAll());
const save1 = (record) => posts("readwrite", (s) => s.put(record));
const remove = (id) => posts("readwrite", (s) => s.delete(id));
const waits = (record) => !record.state || record.state === "waiting";

// post keeps what a page sends, sends it, and gives the server's answer, or 202 when it has to wait.
part.post = async (event, rule) => {
  const { request } = event;
  const { url, method, credentials } = request;
  const form = request.mode === "navigate";
  const headers = new Headers(request.headers);
  const [sent, nonce] = withoutNonce(await request.clone().arrayBuffer(), headers.get("content-type") || "");
  const body = sent.arrayBuffer ? await sent.arrayBuffer() : sent;
  // A key of the page's own counts. Otherwise it is made of what is sent, so that it is the same when the browser brings the same
  // request twice because this worker was stopped; once a page has its answer, the same again is another post.
  let key = headers.get("Idempotency-Key") || nonce;
  let again = 0;
  let known;
  try {
    const records = await allPosts();
    const from = [event.clientId || (form ? request.referrer : ""), method, url, await digestOf(body)].join("\n");
    const hash = key || (await digestOf(new TextEncoder().encode(from)));
    for (key = hash; (known = records.find((r) => r.key === key)) && (known.answered || told.has(key)); key = hash + "-" + again) again++;
    if (known && known.state === "done") return answered(known);
    headers.set("Idempotency-Key", key);
    if (!known) {
      if (records.filter(waits).length >= rule.entries) throw new Error("the outbox is full");
      const now = Date.now();
      // A clock that was set back is behind what was seen before, by itself or by the server.
      const script = await stored(OWN.files.get(TABLE.script));
      const at = Math.max(now, (await memory()).clock || 0, (script && Date.parse(script.headers.get("date"))) || 0);
      const record = { key, url, method, headers: [...headers], body, credentials, form, at, now, age: rule.age, tries: 0, state: "waiting", answered: false };
      await save1(record).catch(() => makeRoom().then(() => save1(record)));
    }
  } catch {
    if (!key) key = digestOf(new TextEncoder().encode(Date.now() + Math.random()));
    headers.set("Idempotency-Key", await key);
    return fetch(new Request(request, { headers, ...(nonce && { body }) })); // it cannot be kept: sent at once, or lost as without a worker
  }
  const hope = hopes.get(key) || { url, form, page: event.clientId };
  if (!hope.answer) hope.answer = new Promise((resolve) => (hope.settle = resolve));
  hopes.set(key, hope);
  event.waitUntil(deliver(true));
  const answer = await inTime(hope.answer, PATIENCE).catch(() => {});
  hopes.delete(key);
  if (answer) {
    told.add(key);
    event.waitUntil(posts("readonly", (s) => s.index("key").get(key)).then((r) => r && save1({ ...r, answered: true })));
    return answer.clone();
  }
  if (registration.sync) event.waitUntil(registration.sync.register(NAME + "outbox").catch(() => {}));
  const waiting = await tell({ key, url, result: "kept" });
  if (form) return Response.redirect(request.referrer.startsWith(location.origin) ? request.referrer : TABLE.base, 303); // back to the form
  return new Response(JSON.stringify({ outbox: "kept", key, waiting }), { status: 202, headers: { "content-type": "application/json" } });
};

const answered = ({ status }) => new Response(JSON.stringify({ outbox: "sent", status }), { status: status || 200, headers: { "content-type": "application/json" } });

// withoutNonce takes the field out of a form that the page script puts in to tell one sending from another.
function withoutNonce(body, type) {
  const form = /multipart/.test(type)
    ? /--[^\r\n]+\r\nContent-Disposition: form-data; name="tachyform-once"\r\n\r\n([\w-]+)\r\n/i
    : /urlencoded/.test(type) && /^tachyform-once=([\w-]+)&?|&tachyform-once=([\w-]+)/;
  const found = form && form.exec(new TextDecoder("latin1").decode(body)); // one character for each byte
  if (!found) return [body, ""];
  const rest = new Blob([body.slice(0, found.index), body.slice(found.index + found[0].length)]);
  return [rest, found[1] || found[2]];
}

// deliver sends what is kept: for each address one after the other, until the network or its server fails. "now" does not wait for
// the pause that a failing server was given.
const deliveries = new Map(); // by address
async function deliver(now) {
  const records = await allPosts();
  for (const record of records.filter((r) => r.state === "done" && r.answered).slice(0, -50)) await remove(record.id);
  const places = new Set(records.filter(waits).map(placeOf));
  await Promise.all([...places].map((place) => {
    const next = (deliveries.get(place) || Promise.resolve()).then(() => deliverTo(place, now)).catch(() => {}).then(() => {
      if (deliveries.get(place) !== next) return; // another try follows
      for (const hope of hopes.values()) if (placeOf(hope) === place) hope.settle(); // what could not be sent now waits
    });
    deliveries.set(place, next);
    return next;
  }));
}
const placeOf = ({ url }) => url.split("?")[0];

async function deliverTo(place, now) {
  for (const record of (await allPosts()).filter((r) => waits(r) && placeOf(r) === place)) {
    const { key, url, method, headers, credentials, form } = record;
    // Who waits for the answer: a form's next page, or a page that is still open.
    const waiting = async () => {
      const hope = hopes.get(key);
      return hope && (form || (await clients.get(hope.page))) ? hope : null;
    };
    const done = async (state, status, answer) => {
      const hope = answer && (await waiting());
      const { body, ...rest } = record;
      const gone = state === "sent" || hope;
      await save1(gone ? { ...rest, state: "done", status, answered: !hope } : { ...record, state, status });
      if (hope) hope.settle(answer);
      await tell({ key, url, result: state, status, ...(!gone && { body, headers }) });
    };
    const since = Date.now() - (record.paused || 0);
    if (!now && record.pause && since >= 0 && since < record.pause) break; // a clock that was set back ends a pause
    if (record.age && Date.now() - record.now > record.age * 1000 && (await serverTime()) - record.at > record.age * 1000) {
      await done("expired");
      continue;
    }
    const stop = new AbortController();
    const timer = setTimeout(() => stop.abort(), LONGEST);
    let answer;
    try {
      // Where a page waits, the browser itself follows what the answer to its form leads to.
      const redirect = form && (await waiting()) ? "manual" : "follow";
      answer = await fetch(url, { method, headers, body: record.body.byteLength ? record.body : undefined, credentials, redirect, signal: stop.signal });
    } finally {
      clearTimeout(timer);
    }
    const verdict = await verdictOn(answer, !!(await waiting()));
    if (verdict === "wait") {
      record.tries++;
      const pause = Math.max(+answer.headers.get("retry-after") || 0, Math.min(3600, 2 ** record.tries)); // seconds
      await save1({ ...record, pause: pause * 1000, paused: Date.now() });
      await tell({ key, url, result: "delayed", status: answer.status });
      break;
    }
    await done(verdict, answer.status, answer);
  }
}

// verdictOn says what the server did with a post: it was "sent", "refused" for good, or has to "wait". A redirect counts as taken, unless it
// leads to a page that asks for a password.
async function verdictOn(answer, hope) {
  const { status, type, redirected } = answer;
  if (type === "opaqueredirect") return "sent";
  if (status < 400) {
    if (!isPage(answer)) return "sent";
    const body = text(await answer.clone().arrayBuffer());
    if (redirected && !hope && /type=["']?password/i.test(body)) return "wait";
    return body.includes(TABLE.script) || (await isOurs()) ? "sent" : "wait"; // a network's own page answers for everything
  }
  if (/^(400|406|410|411|413|414|415|417|422|431|451)$/.test(status)) return "refused";
  if (hope && status < 500 && !/^(408|425|429)$/.test(status)) return "refused"; // the page has its answer, and what it sent
  return "wait";
}

// isOurs asks for the page script, which a network's sign-in page is not.
async function isOurs() {
  const answer = await fetch(TABLE.script, { cache: "no-store" }).catch(() => {});
  return answer && answer.status === 200 && !isPage(answer);
}

// serverTime is the server's clock, in ms since 1970; it is asked before anything is given up for its age.
async function serverTime() {
  const { headers } = await fetch(TABLE.script, { method: "HEAD", cache: "no-store" });
  return Date.parse(headers.get("date")) || Date.now();
}

// tell lets every open page know what became of a post, and how many wait.
async function tell(news, client) {
  const waiting = (await allPosts()).filter(waits).length;
  const message = { ...news, tachyform: NAME, outbox: true, waiting };
  for (const page of client ? [client] : await clients.matchAll({ includeUncontrolled: true })) page.postMessage(message);
  return waiting;
}

// view tells a page what is in the outbox; a page can also give up one post, or have all tried now.
heard.outbox = async (client, { what, key }) => {
  const records = await allPosts();
  const mine = records.find((r) => r.key === key);
  if (what === "cancel" && mine) await remove(mine.id);
  if (what === "retry") await deliver(true);
  const listed = (await allPosts()).filter((r) => r.state !== "done").map(({ key, url, method, headers, body, at, tries, state, status }) => ({ key, url, method, headers, body, at, tries, state: state || "waiting", status }));
  await tell({ posts: listed }, client);
};
heard["tachyform: send"] = () => deliver().then(() => tell({}));
