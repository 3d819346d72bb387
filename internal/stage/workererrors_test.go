package stage

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestWorkersHearOfTheirErrors has a worker told of exceptions and rejections that nothing caught, and say that it has dealt with them.
func TestWorkersHearOfTheirErrors(t *testing.T) {
	const says = `const heard = []; let asked = 0;
oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => { if (e.request.url.endsWith("/heard")) e.respondWith(new Response(heard.join("; "))); };
onmessage = () => { %s };
`
	for name, c := range map[string]struct {
		listens, does, heard string
		remarks              int
	}{
		"an exception":        {`addEventListener("error", (e) => heard.push(e.message, e.filename.split("/").pop(), e.lineno, e.error.name));`, `throw new RangeError("tide");`, "Uncaught RangeError: tide; sw.js; 4; RangeError", 1},
		"as an attribute":     {`onerror = (message, file, line, column, error) => { heard.push(message, line, error.name); };`, `setTimeout(() => { throw new TypeError("late"); });`, "Uncaught TypeError: late; 4; TypeError", 1},
		"dealt with":          {`addEventListener("error", (e) => { heard.push("dealt"); e.preventDefault(); });`, `throw new Error("x");`, "dealt", 0},
		"true deals with it":  {`onerror = () => { heard.push("true"); return true; };`, `throw new Error("x");`, "true", 0},
		"its own exception":   {`addEventListener("error", () => { heard.push("once"); throw new Error("again"); });`, `throw new Error("x");`, "once", 2},
		"a rejection":         {`addEventListener("unhandledrejection", (e) => heard.push(e.reason.message, e.promise instanceof Promise));`, `Promise.reject(new Error("no boat"));`, "no boat; true", 0},
		"one that is handled": {`addEventListener("unhandledrejection", (e) => heard.push("never"));`, `Promise.reject(1).catch(() => heard.push("caught")); const p = Promise.reject(2); p.then(null, () => heard.push("both"));`, "caught; both", 0},
		"nobody listens":      {``, `Promise.reject(new Error("x")); throw new Error("y");`, "", 1},
	} {
		t.Run(name, func(t *testing.T) {
			files := small(strings.Replace(says, "%s", c.does, 1) + c.listens)
			b := New(serve(t, files, site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			tab := b.NewTab()
			for range 2 {
				_, err := tab.Open("/")
				require.NoError(t, err)
				b.Settle()
			}
			b.Remarks()
			require.True(t, tab.Post("go", false))
			b.Settle()
			a, err := tab.Fetch("/heard")
			require.NoError(t, err)
			assert.Equal(t, c.heard, a.Body)
			thrown := 0
			for _, r := range b.Remarks() {
				if r.Kind == "exception" {
					thrown++
				}
			}
			assert.Equal(t, c.remarks, thrown)
		})
	}
}
