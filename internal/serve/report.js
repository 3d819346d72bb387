// Put into pages by "tachyform serve --report": says what a page asked for, so that the log can name what never reached the server.
(() => {
  const seen = new Set();
  const send = () => {
    const list = [...performance.getEntriesByType("navigation"), ...performance.getEntriesByType("resource")]
      .filter(({ name, responseEnd, initiatorType }) => responseEnd && initiatorType !== "beacon" && !seen.has(name + responseEnd))
      .map((e) => (seen.add(e.name + e.responseEnd), { url: e.name, for: e.initiatorType, began: e.startTime, took: e.responseEnd - e.startTime, status: e.responseStatus || 0, bytes: e.encodedBodySize, worker: e.workerStart > 0 }))
      .slice(0, 500);
    if (list.length) navigator.sendBeacon("ADDRESS", JSON.stringify({ now: performance.now(), list }));
  };
  addEventListener("load", () => setTimeout(send, 500));
  addEventListener("pagehide", send);
  if (window.PerformanceObserver) {
    let soon = 0;
    new PerformanceObserver(() => { clearTimeout(soon); soon = setTimeout(send, 1000); }).observe({ type: "resource" });
  }
})();
