
  // ---- An offer with manners
  //   <aside data-app-offer hidden>   shown when there is something to install: not on the first pages, not to who put it away lately, not
  //                                   too often, and never in the installed app. What is inside is shown as anywhere else
  //   <button data-app-later>         inside of it: a click puts it away, as Escape does
  // Event "app-offer": shown, and else why: "app", "early", "resting", "often", "memory" (nothing can be remembered here) or "none".
  const manners = OFFER, memo = NAME + "offer", now = Date.now();
  let known = null, told, late = false;
  const remember = (more) => {
    try {
      localStorage.setItem(memo, JSON.stringify(Object.assign(known, more)));
    } catch {
      known = null;
    }
  };
  try {
    known = JSON.parse(localStorage.getItem(memo)) || {};
    if (!installed) remember({ views: (known.views || 0) + 1, visit: (known.visit || 0) + (Math.abs(now - known.seen) < 1800000 ? 0 : 1), seen: now });
  } catch {
    // A browser that forbids it: who says no could not be heeded.
  }
  const reason = () => {
    if (installed) return "app";
    if (!known) return "memory";
    if (known.views < manners.after) return "early";
    if (Math.abs(now - known.said) < manners.rest) return "resting";
    if (known.times >= manners.times && known.last !== known.visit) return "often";
    return offer || menu ? "" : "none";
  };
  const away = () => {
    if (!known) return;
    remember({ said: now });
    each("offer", (element) => {
      if (!element.contains(document.activeElement)) return;
      const main = document.querySelector("main") || document.body; // the keyboard goes on from there
      if (!main.hasAttribute("tabindex")) main.tabIndex = -1;
      main.focus({ preventScroll: true });
    });
    refresh();
  };
  parts.push({
    draw: () => {
      const why = reason();
      each("offer", (element) => {
        if (element.hidden === !why) element.hidden = !!why;
        if (!why && known.last !== known.visit) remember({ last: known.visit, times: (known.times || 0) + 1 });
      });
      if (why !== told && (late || why !== "none")) tell("app-offer", { shown: !(told = why), why });
    },
    hear: () => {},
  });
  document.addEventListener("click", ({ target }) => target.closest && target.closest("[data-app-later]") && away());
  document.addEventListener("keydown", ({ key, target }) => key === "Escape" && target.closest && target.closest("[data-app-offer]") && away());
  addEventListener("beforeinstallprompt", ({ userChoice }) => userChoice && userChoice.then(({ outcome }) => outcome === "dismissed" && away()));
  addEventListener("appinstalled", away);
  setTimeout(() => { late = true; refresh(); }, 5000); // until then the browser may still offer
