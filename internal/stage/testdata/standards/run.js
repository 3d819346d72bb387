// Run after a file of cases: what differs from the expectation is stored for the test to read.
const wrong = [];
oninstall = (event) => event.waitUntil((async () => {
  for (const [name, run, want] of cases) {
    let got;
    try { got = await run(); } catch (e) { got = "threw " + e.name; }
    if (got !== want) wrong.push(name + ": got " + JSON.stringify(got) + ", want " + JSON.stringify(want));
  }
  await (await caches.open("results")).put("/results", Response.json({cases: cases.length, wrong}));
})());
onactivate = (event) => event.waitUntil(clients.claim());
onfetch = (event) => { if (event.request.url.endsWith("/results")) event.respondWith(caches.match("/results")); };
