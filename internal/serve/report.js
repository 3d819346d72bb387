// Put into pages by "tachyform serve --report": says what a page asked for, so that the log can name what never reached the server, and which release
// the tab shows: that is written into the script's address when the page is sent, and stays with a page that is stored.
(() => {
  const seen = new Set(), release = +new URLSearchParams(document.currentScript.src.split("?")[1]).get("release");
  let tab = String(Math.random()), shown = false;
  try {
    tab = sessionStorage["tachyform tab"] ||= tab;
  } catch {
    // a page without storage is a tab of its own
  }
  const send = () => {
    const list = [...performance.getEntriesByType("navigation"), ...performance.getEntriesByType("resource")]
      .filter(({ name, responseEnd, initiatorType }) => responseEnd && initiatorType !== "beacon" && !seen.has(name + responseEnd))
      .map((e) => (seen.add(e.name + e.responseEnd), { url: e.name, for: e.initiatorType, began: e.startTime, took: e.responseEnd - e.startTime, status: e.responseStatus || 0, bytes: e.encodedBodySize, worker: e.workerStart > 0 }))
      .slice(0, 500);
    if (list.length || !shown) navigator.sendBeacon("ADDRESS", JSON.stringify({ now: performance.now(), list, ...(shown ? {} : { tab, page: location.href, release }) }));
    shown = true;
  };
  addEventListener("load", () => setTimeout(send, 500));
  addEventListener("pagehide", send);
  addEventListener("pageshow", ({ persisted }) => persisted && ((shown = false), send()));
  if (window.PerformanceObserver) {
    let soon = 0;
    new PerformanceObserver(() => { clearTimeout(soon); soon = setTimeout(send, 1000); }).observe({ type: "resource" });
  }
})();
