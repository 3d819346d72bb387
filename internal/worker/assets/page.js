// Tachyform page script: registers the service worker and shows the elements that a page has for it, now or later. Nothing else appears.
//   <button data-app-install hidden>   shown when the browser can install; a click asks
//   <p data-app-install-hint hidden>   shown where a menu installs; with a value only there: "ios", "macos" or "firefox"
//   <p data-app-offline hidden>        shown while there is no network
//   <button data-app-update hidden>    shown when a new release waits; a click takes it
// Events on window: "app-install-ready" (detail.prompt asks), "app-update-ready", "app-data" (url, rule), "app-release" (left; or failed
// and reason), "app-registration-failed" (error).
(() => {
  const me = document.currentScript;
  const { serviceWorker, userAgent } = navigator;
  const each = (name, f) => document.querySelectorAll("[data-app-" + name + "]").forEach(f);
  const tell = (type, detail, cancelable) => dispatchEvent(new CustomEvent(type, { detail, cancelable }));
  const say = (message) => (serviceWorker && serviceWorker.controller ? serviceWorker.controller.postMessage(message) : null);
  const installed = matchMedia("(display-mode: standalone), (display-mode: minimal-ui), (display-mode: fullscreen)").matches || navigator.standalone;
  const menu = installed || "onbeforeinstallprompt" in window ? "" : /iPhone|iPad|iPod/.test(userAgent) || navigator.maxTouchPoints > 1 && /Mac/.test(userAgent) ? "ios" :
    /Firefox/.test(userAgent) ? /Android/.test(userAgent) && "firefox" : /Mac.*Safari/.test(userAgent) && "macos";
  const parts = []; // what this script has besides: each draws its elements and hears the worker
  let offer = null, waiting = null, asked = false, reached = true, looking = 0;

  // refresh brings the elements to what is so; frameworks may have drawn them a moment ago.
  const show = (name, on) => each(name, (element) => { if (element.hidden === !!on) element.hidden = !on; });
  const refresh = () => {
    const offline = !navigator.onLine || !reached;
    show("install", offer);
    show("update", waiting);
    show("offline", offline);
    each("install-hint", (element) => {
      const only = element.getAttribute("data-app-install-hint");
      element.hidden = !menu || only && only !== menu;
    });
    for (const part of parts) part.draw();
    clearTimeout(looking);
    if (offline && navigator.onLine) looking = setTimeout(() => { say({ tachyform: "look" }); refresh(); }, 10000);
  };
  const prompt = () => {
    const was = offer;
    offer = null;
    refresh();
    return was && was.prompt();
  };
  const update = () => {
    if (waiting.state !== "installed") return location.reload(); // it has taken over already
    asked = true;
    take(waiting);
  };
  // take lets a new release take over, unless it has.
  const take = (worker) => worker.state === "installed" && worker.postMessage("tachyform: take over");
  document.addEventListener("click", ({ target }) => {
    const on = (name) => target.closest && target.closest("[data-app-" + name + "]");
    if (offer && on("install")) prompt();
    if (waiting && on("update")) update();
  });
  // A request that failed says more than the browser's belief in its network.
  if (window.PerformanceObserver) new PerformanceObserver((list) => {
    if (list.getEntries().some((entry) => entry.responseStatus === 0 && entry.name.startsWith(location.origin + "/"))) say({ tachyform: "look" });
  }).observe({ type: "resource" });
  addEventListener("online", () => { reached = true; refresh(); say("tachyform: send"); });
  addEventListener("offline", refresh);
  addEventListener("beforeinstallprompt", (event) => {
    offer = event;
    if (!tell("app-install-ready", { prompt }, true) || document.querySelector("[data-app-install]")) event.preventDefault();
    refresh();
  });
  addEventListener("appinstalled", () => { offer = null; refresh(); });
PARTS
  const ready = () => {
    refresh();
    let soon = 0;
    new MutationObserver(() => { soon = soon || setTimeout(() => { soon = 0; refresh(); }, 50); }).observe(document, { childList: true, subtree: true });
  };
  if (document.readyState === "loading") addEventListener("DOMContentLoaded", ready);
  else ready();
  if (!serviceWorker) return;

  // hello tells the worker which page this is, so that it gets what belongs to it.
  const hello = () => say({ tachyform: "page", path: location.pathname, digest: me && me.getAttribute("data-digest") });
  addEventListener("pageshow", ({ persisted }) => persisted && hello());
  serviceWorker.addEventListener("message", ({ data }) => {
    if (!data || data.tachyform !== NAME) return;
    if (data.who) hello();
    if ("network" in data) reached = data.network;
    if (data.changed) tell("app-data", { url: data.changed, rule: data.rule });
    for (const part of parts) part.hear(data);
    if (data.left || data.reason) {
      console.warn("The app's files: " + (data.reason || data.left.join(", ") + " cannot be had, and is left out for now"));
      tell("app-release", data);
    }
    refresh();
  });
  // What this page has asked for before its worker was there is kept by its rules, too.
  const kinds = { img: "image", script: "script", link: "style", css: "image", fetch: "empty", xmlhttprequest: "empty" };
  const first = () => {
    const seen = performance.getEntriesByType("resource").filter((entry) => kinds[entry.initiatorType]).map((entry) => [entry.name, kinds[entry.initiatorType]]);
    say({ tachyform: "asked", asked: [[location.href, "document"], ...seen] });
  };
  const watch = (registration) => {
    setTimeout(say, registration.waiting ? 1000 : 0, "tachyform: send"); // it may be taking over
    const found = (worker) => {
      if (!worker || !serviceWorker.controller) return;
      waiting = worker;
      refresh();
      tell("app-update-ready");
      // It takes over when the old worker has come to its end; a message that met it there has started it again, for half a minute at least.
      if (AT_ONCE) setTimeout(take, 1000, worker);
    };
    found(registration.waiting);
    registration.addEventListener("updatefound", () => {
      const worker = registration.installing;
      worker.addEventListener("statechange", () => { if (worker.state === "installed") found(worker); });
    });
    if (LOOK) setInterval(() => registration.update().catch(() => {}), LOOK);
    // A tab that is never closed would keep everybody on the old release: after half an hour out of sight the new one may take over.
    // This page keeps what it holds, and its release, until it is loaded again.
    let left = 0;
    document.addEventListener("visibilitychange", () => {
      const now = performance.now();
      if (document.hidden) left = now;
      else if (left && now - left > 1800000) registration.update().then(() => { if (QUIET && registration.waiting) take(registration.waiting); }, () => {});
    });
  };
  const uncontrolled = !serviceWorker.controller;
  let once = uncontrolled;
  serviceWorker.addEventListener("controllerchange", () => {
    if (asked) { asked = false; return location.reload(); }
    hello();
    if (once) setTimeout(first, 1000);
    once = false;
  });
  hello();
  const register = () => serviceWorker.register(WORKER, { scope: SCOPE, updateViaCache: "none" }).then(watch, (error) => {
    console.warn("The service worker could not be registered: " + error.message);
    tell("app-registration-failed", { error });
  });
  // After the page has loaded, so that the two do not compete.
  if (document.readyState === "complete") register();
  else addEventListener("load", register);
})();
