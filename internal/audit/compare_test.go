package audit

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestBaseline(t *testing.T) {
	result := func(id, state string, messages ...string) Result {
		r := Result{ID: id, Level: Warning, State: state}
		for i, m := range messages {
			r.Findings = append(r.Findings, Finding{File: "a", Line: i, Message: m})
		}
		return r
	}
	earlier := &Report{Checks: []Result{result("a", "failed", "x", "y"), result("b", "failed", "x"), result("c", "passed"), result("d", "failed", "x")}}
	now := &Report{Checks: []Result{result("a", "failed", "y", "x"), result("b", "passed"), result("c", "failed", "new"), result("d", "failed", "x", "another")}}
	now.Against(earlier)
	assert.Equal(t, []string{"c", "d"}, now.Baseline.New)
	assert.Equal(t, []string{"b"}, now.Baseline.Gone)
	assert.Equal(t, []string{"a"}, now.Baseline.Unchanged)
	assert.False(t, now.Baseline.IsNew("d", now.Checks[3].Findings[0]))
	assert.True(t, now.Baseline.IsNew("d", now.Checks[3].Findings[1]))
	assert.Equal(t, []Result{result("b", "failed", "x")}, now.Baseline.Lost())
	assert.Equal(t, []string{"c", "d"}, now.Failing())
	same := &Report{Checks: earlier.Checks}
	same.Against(earlier)
	assert.Empty(t, same.Failing(), "what failed before does not count")
}

func TestUnknownNames(t *testing.T) {
	assert.Empty(t, Unknown([]string{"manifest", "icons/faint"}))
	assert.Equal(t, []string{"icon", "manifest/nothing"}, Unknown([]string{"manifest/nothing", "icon", "icon"}))
}

func TestAFoundLineIsShown(t *testing.T) {
	r := run(t, map[string]string{"m.json": strings.Replace(goodManifest, "192x192", "190x190", 1)})
	for _, c := range r.Checks {
		if c.ID == "icons/size-differs" {
			assert.Contains(t, c.Findings[0].Source, `"/192.png"`)
			return
		}
	}
	t.Fatal("not found")
}

// TestUpdatesAreJudgedByTheWorst finds workers that keep visitors on the release they know, in the cases in which they do.
func TestUpdatesAreJudgedByTheWorst(t *testing.T) {
	list := `const LIST = {"/": "a1b2c3", "/use.js": "d4e5f6"}; const key = (u) => u + "?v=" + LIST[u];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => Promise.all(Object.keys(LIST).map(async (u) => (await c.match(key(u))) || c.put(key(u), await fetch(u, {cache: "reload"}))))));
onfetch = (e) => { const u = new URL(e.request.url).pathname; if (LIST[u]) e.respondWith(caches.match(key(u)).then((r) => r || fetch(e.request))); };`
	keeps := `oninstall = (e) => e.waitUntil(caches.open("v1").then(async (c) => (await c.match("/")) || c.addAll(["/", "/use.js"])));
onactivate = (e) => e.waitUntil(caches.keys().then((all) => Promise.all(all.filter((n) => n !== "v1").map((n) => caches.delete(n)))));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	for name, c := range map[string]struct{ worker, message, mend string }{
		"stores everything first":         {cacheFirst, "and not the worker never arrives", "write a version or the digests of the files into the worker (tried here: the release is then seen at visit 2"},
		"goes by its list":                {list, "even when it changes other bytes of the worker", "into the worker's list (tried here: the release is then seen at visit 3"},
		"keeps while the store's name is": {keeps, "even when it changes other bytes of the worker", "give the stores of the worker another name with each release, and delete the old ones (tried here: the release is then seen at visit 3"},
	} {
		t.Run(name, func(t *testing.T) {
			r := run(t, map[string]string{"sw.js": c.worker})
			i := slices.IndexFunc(r.Checks, func(x Result) bool { return x.ID == "updates/worker-must-change" })
			require.Equal(t, "failed", r.Checks[i].State)
			assert.Equal(t, Warning, r.Checks[i].Level)
			assert.Contains(t, r.Checks[i].Findings[0].Message, c.message)
			assert.Contains(t, r.Checks[i].Findings[0].Mend, c.mend)
		})
	}
}
