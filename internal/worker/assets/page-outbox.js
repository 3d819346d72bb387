
  // ---- Outbox
  //   <p data-app-outbox hidden>   shown while something waits to be sent; its data-count says how much
  // Event "app-outbox": result, key, url, status, waiting, and what could not be sent as body; or posts. A page asks by an event
  // "app-outbox-ask" with detail {what: "list", "cancel" or "retry", key}.
  let outbox = 0;
  parts.push({
    draw: () => each("outbox", (element) => {
      element.hidden = !outbox;
      if (element.dataset.count != outbox) element.dataset.count = outbox;
    }),
    hear: (data) => {
      if (!data.outbox) return;
      outbox = data.waiting;
      if (outbox && navigator.storage && navigator.storage.persist && (PERSIST || !/Firefox/.test(userAgent))) navigator.storage.persist(); // Firefox would ask
      if (data.result || data.posts) tell("app-outbox", data);
    },
  });
  addEventListener("app-outbox-ask", ({ detail }) => say({ tachyform: "outbox", ...detail }));
  // Forms whose posts are kept get a field by which one sending is told from another; the worker takes it out again. A form that a script
  // sends has none.
  let sending = null;
  addEventListener("submit", (event) => { sending = event.defaultPrevented ? null : event.target; });
  addEventListener("formdata", ({ target, formData }) => {
    if (target !== sending || !serviceWorker || !serviceWorker.controller || !/^post$/i.test(target.getAttribute("method"))) return;
    const { origin, href } = new URL(target.getAttribute("action") || "", document.baseURI);
    const address = (origin === location.origin ? href.slice(origin.length) : href).split("#")[0];
    if (FORMS.some((form) => new RegExp(form).test(address))) formData.append("tachyform-once", [...crypto.getRandomValues(new Uint8Array(12))].map((n) => n.toString(16)).join(""));
    sending = null;
  });
