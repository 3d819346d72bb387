// Tachyform page script: registers the service worker and shows the elements that a page has for it.
//   <button data-app-install hidden>   shown when the browser can install; a click asks
//   <p data-app-offline hidden>        shown while there is no network
//   <button data-app-update hidden>    shown when a new release waits; a click takes it
// Events on window: "app-install-ready", "app-update-ready", "app-registration-failed" (with detail.error).
(() => {
  const each = (name, f) => document.querySelectorAll("[data-app-" + name + "]").forEach(f);
  const show = (name, on) => each(name, (element) => { element.hidden = !on; });
  const tell = (type, detail) => dispatchEvent(new CustomEvent(type, { detail }));
  const network = () => show("offline", !navigator.onLine);
  const ready = () => {
    network();
    each("install", (element) => element.addEventListener("click", () => {
      if (!offer) return;
      offer.prompt();
      offer = null;
      show("install", false);
    }));
    each("update", (element) => element.addEventListener("click", () => {
      if (waiting) waiting.postMessage("tachyform: take over");
    }));
  };
  let offer = null, waiting = null;
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
  if (!navigator.serviceWorker) return;

  const watch = (registration) => {
    const found = (worker) => {
      if (!worker || !navigator.serviceWorker.controller) return;
      waiting = worker;
      show("update", true);
      tell("app-update-ready");
    };
    found(registration.waiting);
    registration.addEventListener("updatefound", () => {
      const worker = registration.installing;
      worker.addEventListener("statechange", () => { if (worker.state === "installed") found(worker); });
    });
    let taken = false;
    navigator.serviceWorker.addEventListener("controllerchange", () => {
      if (waiting && !taken) { taken = true; location.reload(); }
    });
  };
  const register = () => navigator.serviceWorker.register(WORKER, { scope: SCOPE, updateViaCache: "none" }).then(watch, (error) => {
    console.warn("The service worker could not be registered: " + error.message);
    tell("app-registration-failed", { error });
  });
  if (document.readyState === "complete") register();
  else addEventListener("load", register);
})();
