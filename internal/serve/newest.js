// Put before the worker of the site while the mode of tachyform serve is "newest": every load is of what was just built, and the worker's own
// answers come when there is no network. A newer worker takes over at once.
{
  const listen = self.addEventListener;
  const answering = []; // what the worker itself does with requests
  self.addEventListener = function (type, listener, options) {
    if (type === "fetch") answering.push(listener);
    else listen.call(self, type, listener, options);
  };
  listen.call(self, "install", (event) => event.waitUntil(skipWaiting()));
  listen.call(self, "activate", (event) => event.waitUntil(clients.claim()));
  listen.call(self, "fetch", (event) => {
    const { request } = event;
    if (request.method !== "GET" || new URL(request.url).origin !== location.origin) {
      for (const answer of answering) answer.call(self, event);
      return;
    }
    if (request.mode === "navigate") event.waitUntil(registration.update().catch(() => {}));
    event.respondWith(fetch(request).catch(() => ofTheWorker(event)));
  });
  const ofTheWorker = (event) =>
    new Promise((resolve, reject) => {
      let answered = false;
      const seen = new Proxy(event, {
        get(target, name) {
          if (name === "respondWith") return (answer) => ((answered = true), resolve(answer));
          const value = target[name];
          return typeof value === "function" ? value.bind(target) : value;
        },
      });
      for (const answer of answering) if (!answered) answer.call(self, seen);
      if (!answered) reject(new TypeError("Failed to fetch"));
    });
}
