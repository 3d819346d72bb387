package audit

import (
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
