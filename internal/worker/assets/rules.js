// ---- Rules: what changes apart from releases

const STORED = "tachyform-stored"; // header of a kept answer: when it was stored, in ms since 1970
const RULES = TABLE.rules.map((rule) => ({ ...rule, match: new RegExp(rule.match), ignore: rule.ignore && new RegExp(rule.ignore) }));

// addressOf is what rules are matched with: a URL without its fragment, and without our own origin.
const addressOf = ({ url }) => (url.startsWith(location.origin + "/") ? url.slice(location.origin.length) : url).split("#")[0];

const ruleOf = (address, method, destination) =>
  RULES.find((rule) => rule.match.test(address) && (rule.method || "GET") === method && (!rule.destination || rule.destination.includes(destination || "empty")));

part.ruleFor = (request) => ruleOf(addressOf(request), request.method, request.destination);

// byRule answers as a rule says; with nothing when the network is to answer by itself.
part.byRule = (rule, event) => {
  const { request } = event;
  if (rule.answer === "outbox") return part.post(event, rule);
  if (rule.forget && rule.answer === "network-only") return fetched(request).then((answer) => forgetting(answer, rule));
  if (rule.answer === "leave") return;
  if (rule.answer !== "network-only") return kept(rule, event);
  if (request.mode === "navigate") return page(event);
  if (part.image && request.destination === "image") return passed(event);
};

async function forgetting(answer, { forget }) {
  if (answer.ok || answer.type === "opaqueredirect") for (const rule of RULES) if (forget.includes(rule.name)) await empty(rule);
  return answer;
}

// empty throws away what a rule keeps.
async function empty(rule) {
  const store = await caches.open(KEPT);
  for (const key of await store.keys()) if (rule.match.test(addressOf(key))) await store.delete(key, { ignoreVary: true });
  rule.kept = null;
}

// asked fetches what a rule is for. With a digest, what another origin sends is asked for so that the browser can check it.
const asked = (rule, request) =>
  rule.integrity ? fetch(request.url, { mode: "cors", credentials: "omit", integrity: rule.integrity }) : request.url.startsWith(location.origin + "/") ? fetched(request) : fetch(request);

async function kept(rule, event) {
  const { request } = event;
  const { answer } = rule;
  const navigation = request.mode === "navigate";
  const store = await caches.open(KEPT);
  const key = keyFor(rule, request);
  const same = { ignoreVary: rule.vary !== "obey" };
  const copy = async () => {
    let found = await store.match(key, same);
    if (tooOld(found, rule)) {
      const entry = nameIn(OWN, new URL(request.url).pathname, navigation);
      found = entry && (await stored(entry));
    }
    if (found && navigation) await releasedAs(event, found);
    return found && (part.range ? part.range(found, request) : found);
  };
  const last = async () => {
    if (navigation) return standIn(event);
    return part.image && request.destination === "image" ? part.image() : Response.error();
  };
  const before = navigation && serverRelease();
  const fresh = async () => {
    const got = await (navigation ? fromNetwork(event) : asked(rule, request));
    const foreign = await isForeign(got, navigation);
    if (/^(401|403|404|410)$/.test(got.status)) event.waitUntil(store.delete(key, same)); // it is not for this visitor any more
    if (!foreign && mayStay(got, request, rule)) event.waitUntil(keepAnswer(store, key, got.clone(), rule));
    return { got, foreign, sure: !foreign && !/^(408|425|429|5..)$/.test(got.status) };
  };
  const show = ({ got }) => {
    if (navigation) came(event, passedBy(before));
    return got;
  };
  if (answer === "cache-only") return (await copy()) || last();
  if (answer === "cache-first") return (await copy()) || fresh().then(show, last);
  const network = fresh();
  const ended = network.catch(() => {});
  event.waitUntil(ended); // it is kept even when it comes too late to be shown
  if (answer === "stale-while-revalidate") return (await copy()) || network.then(show, last);
  // network-first: a definite answer in time, else the stored copy, else whatever the network gives.
  const first = await inTime(ended, rule.patience).catch(() => {});
  return first && first.sure ? show(first) : (await copy()) || (navigation ? inTime(network, TABLE.patience) : network).then(show, last);
}

// releasedAs notes which release a kept page is of: the one that lists it with the digest that it holds.
async function releasedAs(event, copy) {
  const { pathname } = new URL(event.request.url);
  const held = text(await copy.clone().arrayBuffer());
  const list = (await allLists()).find((list) => held.includes((nameIn(list, pathname, true) || { digest: "\n" }).digest));
  await came(event, (list || OWN).release);
}

// keyFor is what an answer is stored under: the request without the parameters that the rule ignores.
function keyFor(rule, request) {
  if (!rule.ignore) return request;
  const url = new URL(request.url);
  for (const name of [...url.searchParams.keys()]) if (rule.ignore.test(name)) url.searchParams.delete(name);
  return new Request(url, { headers: request.headers });
}

const tooOld = (answer, rule) => !answer || (rule.age && Date.now() - answer.headers.get(STORED) > rule.age * 1000);

// mayStay says whether an answer may be stored: whole, successful, for everybody.
function mayStay({ type, status, headers, redirected }, request, rule) {
  if (type === "opaque") return rule.opaque;
  if (status !== 200 || (type === "basic" && redirected)) return;
  const own = /no-store|private/.test(headers.get("cache-control")) || request.headers.has("authorization") || /authorization/i.test(headers.get("vary"));
  return (rule.private || !own) && (rule.private || rule.vary === "ignore" || !/cookie|\*/i.test(headers.get("vary")));
}

// keepAnswer stores an answer, and throws away what a rule has too much of.
async function keepAnswer(store, key, answer, rule) {
  try {
    if (answer.type !== "opaque") {
      const headers = new Headers(answer.headers);
      headers.set(STORED, Date.now());
      if (answer.type === "basic") headers.set("cache-control", "no-cache");
      answer = new Response(answer.body, { headers });
    }
    const same = { ignoreVary: rule.vary !== "obey" };
    if (rule.tell) {
      const before = await store.match(key, same);
      const [was, is] = await Promise.all([before, answer.clone()].map(async (r) => r && digestOf(await r.arrayBuffer())));
      if (was && was !== is) await toPages({ changed: addressOf(key), rule: rule.name || "" });
    }
    // What the rule keeps, the oldest first, listed once while this worker runs.
    const mine = await (rule.kept = rule.kept || store.keys().then((keys) => new Set(keys.map(addressOf).filter((name) => RULES.find((r) => r.entries && !r.method && r.match.test(name)) === rule))));
    const name = addressOf(key);
    if (mine.delete(name)) await store.delete(key, same);
    mine.add(name); // it goes to the end: the oldest are thrown away first
    await store.put(key, answer);
    for (const old of mine) { // from the oldest on
      if (mine.size <= rule.entries && !(rule.age && tooOld(await caches.match(old, { cacheName: KEPT, ignoreVary: true }), rule))) break;
      mine.delete(old);
      await store.delete(old, { ignoreVary: true });
    }
  } catch {
    // The disk is full: the answer was shown, and is not stored.
  }
}

// ahead fetches what rules keep of the site's own data, so that one visit is enough. Whether it can be had does not matter.
part.ahead = () => heard.asked(null, { asked: TABLE.ahead.map((file) => [file, "empty"]) });

// asked keeps what a page asked for before this worker was there: [address, destination] each.
heard.asked = async (_, { asked: list }) => {
  const store = await caches.open(KEPT);
  for (const [url, destination] of list.slice(0, 60)) {
    const request = new Request(url);
    const rule = ruleOf(addressOf(request), "GET", destination);
    if (!rule || !rule.entries || rule.private) continue;
    const key = keyFor(rule, request);
    if (await store.match(key, { ignoreVary: true })) continue;
    const answer = await asked(rule, request).catch(() => {});
    if (answer && mayStay(answer, request, rule) && !(await isForeign(answer, destination === "document"))) await keepAnswer(store, key, answer, rule);
  }
};
