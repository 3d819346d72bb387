package audit

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// servedWorker is taken for ours, of a site whose pages a server makes.
const servedWorker = "// Tachyform service worker\n// visited: {}\n" + goodWorker

// servedHead holds the page script.
var servedHead = strings.Replace(goodHead, "</title>", `</title><script src="/sw-page.js" defer></script>`, 1)

// TestServed looks at sites whose pages a server makes: with all tags and names that change, and without.
func TestServed(t *testing.T) {
	named := strings.ReplaceAll(servedHead, "/use.js", "/use.3f9c2b71.js")
	state := func(r *Report) map[string]string {
		out := map[string]string{}
		for _, c := range r.Checks {
			out[c.ID] = c.State
		}
		return out
	}
	good := state(run(t, map[string]string{"sw.js": strings.ReplaceAll(servedWorker, "/use.js", "/use.3f9c2b71.js"), "sw-page.js": "// Tachyform page script", "use.js": "", "use.3f9c2b71.js": `fetch("/data.json")`, "index.html": named, "fares.html": named, "offline.html": named}))
	assert.Equal(t, "passed", good["pages/layout-without-tags"])
	assert.Equal(t, "passed", good["updates/names-without-digest"])
	r := run(t, map[string]string{"sw.js": servedWorker, "sw-page.js": "// Tachyform page script", "index.html": servedHead, "a/b.html": goodHead, "a/c.html": goodHead, "fares.html": servedHead, "offline.html": servedHead, "absent": "<html><title>Lost</title>"})
	for _, c := range r.Checks {
		if c.ID == "pages/layout-without-tags" && assert.Len(t, c.Findings, 2) {
			assert.Equal(t, "2 pages do not load /sw-page.js; all of them lie below /a/, and no other does", c.Findings[0].Message)
			assert.Contains(t, c.Findings[1].Message, "the page for what is missing (status 404)")
		}
		if c.ID == "updates/names-without-digest" && assert.Len(t, c.Findings, 1) {
			assert.Equal(t, "/use.js", c.Findings[0].URL)
		}
	}
}

// TestPushThatDependsOnTheMessage: a worker that looks at what a message says may show others; one that never shows any does not.
func TestPushThatDependsOnTheMessage(t *testing.T) {
	for name, c := range map[string]struct{ handler, want string }{
		"of a kind":       {`onpush = (e) => { const m = e.data.json(); if (m.kind === "late boat") e.waitUntil(registration.showNotification(m.title)); };`, "not-applicable"},
		"reads and keeps": {`onpush = (e) => e.waitUntil(caches.open(e.data ? e.data.text().slice(0, 1) : "v"));`, "failed"},
		"does not read":   {`onpush = (e) => { if (self.never) registration.showNotification("Late"); };`, "failed"},
		"shows":           {`onpush = (e) => e.waitUntil(registration.showNotification(e.data ? e.data.text() : "Late"));`, "passed"},
	} {
		r := run(t, map[string]string{"sw.js": strings.TrimSuffix(goodWorker, goodPush) + "\n" + c.handler})
		i := slices.IndexFunc(r.Checks, func(k Result) bool { return k.ID == "worker/push-shows-nothing" })
		assert.Equal(t, c.want, r.Checks[i].State, name)
	}
}
