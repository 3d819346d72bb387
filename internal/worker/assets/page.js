// Tachyform page script: registers the service worker and shows the elements that a page has for it. Nothing else appears.
//   <button data-app-install hidden>   shown when the browser can install; a click asks
//   <p data-app-install-hint hidden>   shown where a menu installs; with a value only there: "ios", "macos" or "firefox"
//   <p data-app-offline hidden>        shown while there is no network
//   <button data-app-update hidden>    shown when a new release waits; a click takes it
//   <p data-app-outbox hidden>         shown while something waits to be sent; its data-count says how much
// Events on window: "app-install-ready", "app-update-ready", "app-outbox" (with detail.result "kept", "sent", "refused" or
// "expired", and key, url, status, waiting), "app-registration-failed" (with detail.error).
(() => {
  const each = (name, f) => document.querySelectorAll("[data-app-" + name + "]").forEach(f);
  const show = (name, on) => each(name, (element) => { element.hidden = !on; });
  const tell = (type, detail) => dispatchEvent(new CustomEvent(type, { detail }));
  const network = () => show("offline", !navigator.onLine);
  const { serviceWorker, userAgent } = navigator;
  const installed = matchMedia("(display-mode: standalone), (display-mode: minimal-ui), (display-mode: fullscreen)").matches || navigator.standalone;
  const menu = installed || "onbeforeinstallprompt" in window ? "" : /iPhone|iPad|iPod/.test(userAgent) || navigator.maxTouchPoints > 1 && /Mac/.test(userAgent) ? "ios" :
    /Firefox/.test(userAgent) ? /Android/.test(userAgent) && "firefox" : /Mac.*Safari/.test(userAgent) && "macos";
  const ready = () => {
    network();
    each("install-hint", (element) => {
      const only = element.getAttribute("data-app-install-hint");
      element.hidden = !menu || only && only !== menu;
    });
    each("install", (element) => element.addEventListener("click", () => {
      if (!offer) return;
      offer.prompt();
      offer = null;
      show("install", false);
    }));
    each("update", (element) => element.addEventListener("click", () => {
      if (!waiting || waiting.state !== "installed") return location.reload(); // it has taken over already
      asked = true;
      waiting.postMessage("tachyform: take over");
    }));
  };
  let offer = null, waiting = null, asked = false;
  addEventListener("online", network);
  addEventListener("offline", network);
  addEventListener("beforeinstallprompt", (event) => {
    if (!document.querySelector("[data-app-install]")) return;
    event.preventDefault();
    offer = event;
    show("install", true);
    tell("app-install-ready");
  });
  addEventListener("appinstalled", () => show("install", false));
  if (document.readyState === "loading") addEventListener("DOMContentLoaded", ready);
  else ready();
  if (!serviceWorker) return;

  const send = () => { if (serviceWorker.controller) serviceWorker.controller.postMessage("tachyform: send"); };
  addEventListener("online", send);
  serviceWorker.addEventListener("message", ({ data }) => {
    if (!data || data.outbox !== OUTBOX) return;
    each("outbox", (element) => {
      element.hidden = !data.waiting;
      element.dataset.count = data.waiting;
    });
    if (data.result) tell("app-outbox", data);
  });
  const watch = (registration) => {
    send();
    const found = (worker) => {
      if (!worker || !serviceWorker.controller) return;
      waiting = worker;
      show("update", true);
      tell("app-update-ready");
    };
    found(registration.waiting);
    registration.addEventListener("updatefound", () => {
      const worker = registration.installing;
      worker.addEventListener("statechange", () => { if (worker.state === "installed") found(worker); });
    });
    // Other pages that are open keep what they hold, and their release, until they are loaded again.
    serviceWorker.addEventListener("controllerchange", () => {
      if (asked) { asked = false; location.reload(); }
    });
  };
  const register = () => serviceWorker.register(WORKER, { scope: SCOPE, updateViaCache: "none" }).then(watch, (error) => {
    console.warn("The service worker could not be registered: " + error.message);
    tell("app-registration-failed", { error });
  });
  // After the page has loaded, so that the two do not compete.
  if (document.readyState === "complete") register();
  else addEventListener("load", register);
})();
