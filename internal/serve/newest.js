// Stands before the worker of the site while the mode of tachyform serve is "newest": every load is what the server has now, and the worker of the
// newest build runs, taken over at once. What the server does not answer, and what is not a GET of this origin, is the worker's as ever.
(() => {
  const listen = self.addEventListener.bind(self), unlisten = self.removeEventListener.bind(self), theirs = [];
  let onfetch = null;
  self.addEventListener = (type, listener, options) => {
    if (type !== "fetch" || !listener) return listen(type, listener, options);
    if (!theirs.includes(listener)) theirs.push(listener);
  };
  self.removeEventListener = (type, listener, options) => {
    if (type !== "fetch") return unlisten(type, listener, options);
    if (theirs.includes(listener)) theirs.splice(theirs.indexOf(listener), 1);
  };
  Object.defineProperty(self, "onfetch", {get: () => onfetch, set: (f) => { onfetch = typeof f === "function" ? f : null; }, configurable: true});
  const call = (event) => {
    for (const l of onfetch ? [...theirs, onfetch] : [...theirs]) {
      try {
        typeof l === "function" ? l.call(self, event) : l.handleEvent(event);
      } catch (e) {
        setTimeout(() => { throw e; });
      }
    }
  };
  // What the worker of the site answers, when the server did not.
  const asked = (event) => {
    let answer;
    call(new Proxy(event, {
      get: (target, key) => {
        if (key === "respondWith") return (promise) => { answer = promise; };
        const value = Reflect.get(target, key);
        return typeof value === "function" ? value.bind(target) : value;
      },
    }));
    return answer;
  };
  listen("install", () => { self.skipWaiting(); });
  listen("activate", (event) => event.waitUntil(self.clients.claim()));
  listen("fetch", (event) => {
    const {request} = event;
    if (request.method !== "GET" || new URL(request.url).origin !== self.location.origin || request.cache === "only-if-cached") return call(event);
    const again = request.clone();
    event.respondWith(fetch(request, {cache: "no-store"}).catch(async () => (await asked(event)) || fetch(again)));
  });
})();
