// Tachyform script of the offline page: lists the pages that are stored, and goes back to the page by itself when there is a network.
(() => {
  const stores = ["files", "kept"];
  const opened = async () => {
    const memory = await caches.match(new URL("?tachyform:memory", NAME.split(" ")[1].replace(/^/, location.origin)), { cacheName: NAME + "state" });
    const paths = memory ? (await memory.json()).opened : [];
    for (const store of stores) if (await caches.has(NAME + store)) for (const { url } of await (await caches.open(NAME + store)).keys()) {
      const { origin, pathname } = new URL(url);
      if (origin === location.origin && /(\/|\.html?)$/.test(pathname)) paths.push(pathname);
    }
    return [...new Set(paths)];
  };
  const titled = async (path) => {
    for (const store of stores) {
      const found = (await caches.has(NAME + store)) && (await caches.match(path, { cacheName: NAME + store, ignoreSearch: true, ignoreVary: true }));
      if (!found || !/html/.test(found.headers.get("content-type"))) continue;
      const page = new DOMParser().parseFromString(await found.text(), "text/html");
      if (!page.querySelector("[data-app-stored]")) return page.title.trim() || path;
    }
  };
  const list = async (element) => {
    for (const path of (await opened()).slice(0, 60)) {
      const title = path !== location.pathname && (await titled(path));
      if (!title) continue;
      const link = document.createElement("a");
      link.href = path;
      link.textContent = title;
      const item = document.createElement("li");
      item.append(link);
      element.append(item);
      element.hidden = element.parentElement.hidden = false;
      if (element.children.length > 9) break;
    }
  };
  const again = () => location.reload();
  const button = document.querySelector("[data-app-again]");
  if (button) button.addEventListener("click", again);
  const stored = document.querySelector("[data-app-stored]");
  if (stored) list(stored).catch(() => {});
  const own = document.documentElement.getAttribute("data-app-return"); // this page's own address, where there is nothing to go back to
  if (!own || location.pathname.replace(".html", "") === own.replace(".html", "")) return;
  let pause = 5000;
  const look = () => fetch(location.href, { method: "HEAD", cache: "no-store" }).then((answer) => { if (answer.status < 500) again(); else wait(); }, wait);
  const wait = () => setTimeout(() => (document.hidden ? wait() : look()), (pause = Math.min(pause * 1.5, 60000)));
  addEventListener("online", look);
  wait();
})();
