package e2e

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/stage"
)

// TestWorkersThatLeadPagesElsewhere has workers load pages again, as those do that remove themselves, lead them to other
// places, and try to open windows, on both stages.
func TestWorkersThatLeadPagesElsewhere(t *testing.T) {
	t.Parallel()
	page := func(title, script string) string {
		return `<!doctype html><html lang="en"><head><title>` + title + `</title><link rel="icon" href="data:,"></head><body><h1>` + title + `</h1>` + script + `</body></html>`
	}
	const note = `const note = async (name, promise) => { let s; try { const c = await promise; s = c ? c.constructor.name + " " + new URL(c.url).pathname : String(c); } catch (e) { s = e.name; } await (await caches.open("notes")).put("/note-" + name + "-" + encodeURIComponent(s), new Response("x")); };`
	for name, c := range map[string]struct {
		worker, title string
		notes         []string
	}{
		"removes itself and leads its pages elsewhere": {
			`oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); await registration.unregister(); for (const c of await clients.matchAll({type: "window"})) c.navigate("/other/"); })());`,
			"Other", nil},
		"leads to another page": {
			note + `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); for (const c of await clients.matchAll()) note("there", c.navigate("/other/")); })());`,
			"Other", []string{"there-WindowClient%20%2Fother%2F"}},
		"may not lead a page that it does not control": {
			note + `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { for (const c of await clients.matchAll({includeUncontrolled: true})) await note("refused", c.navigate("/other/")); })());`,
			"Home", []string{"refused-TypeError"}},
		"cannot lead to no place": {
			note + `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); for (const c of await clients.matchAll()) { await note("scheme", c.navigate("about:blank")); await note("broken", c.navigate("http://[")); } })());`,
			"Home", []string{"broken-TypeError", "scheme-TypeError"}},
		"may not open or focus windows by itself": {
			note + `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); await note("open", clients.openWindow("/other/")); await note("bad", clients.openWindow("http://[")); for (const c of await clients.matchAll()) await note("focus", c.focus()); })());`,
			"Home", []string{"bad-TypeError", "focus-InvalidAccessError", "open-InvalidAccessError"}},
		"leads to what it made itself": {
			note + `oninstall = () => skipWaiting(); onactivate = (e) => e.waitUntil((async () => { await clients.claim(); for (const c of await clients.matchAll()) note("made", c.navigate("/made")); })());
			 onfetch = (e) => { if (e.request.url.endsWith("/made")) e.respondWith(new Response("<title>Made</title><p>Made here", {headers: {"Content-Type": "text/html"}})); };`,
			"Made", []string{"made-WindowClient%20%2Fmade"}},
	} {
		for _, where := range []string{"embedded", "chromium"} {
			t.Run(name+", "+where, func(t *testing.T) {
				t.Parallel()
				dir := t.TempDir()
				write(t, dir, map[string]string{"index.html": page("Home", `<script>navigator.serviceWorker.register("/sw.js")</script>`), "other/index.html": page("Other", ""), "sw.js": c.worker})
				server := serverOf(t, dir, "/")
				var st rehearsal.Stage
				if where == "embedded" {
					e := rehearsal.NewEmbedded(server, nil, stage.Limits{})
					t.Cleanup(e.Close)
					st = e
				} else {
					needsAll(t)
					web, err := serve.Start(server)
					require.NoError(t, err)
					t.Cleanup(func() { _ = web.Stop() })
					b, err := chromium.Start(t.Context(), web)
					require.NoError(t, err, "a missing browser is a failure here")
					t.Cleanup(b.Close)
					st = b
				}
				l, err := st.Open("/")
				require.NoError(t, err)
				require.NoError(t, st.Settle())
				var notes []string
				for begin := time.Now(); time.Since(begin) < 20*time.Second && (l.Title != c.title || len(notes) < len(c.notes)); { // a real browser begins when it likes
					next, err := st.Shown()
					require.NoError(t, err)
					if next != nil {
						l = next
					}
					stores, err := st.Stores()
					require.NoError(t, err)
					notes = nil
					for _, s := range stores {
						for _, e := range s.Entries {
							notes = append(notes, strings.TrimPrefix(e.URL, "/note-"))
						}
					}
				}
				assert.Equal(t, c.title, l.Title)
				assert.Equal(t, 200, l.Status)
				assert.Equal(t, c.notes, notes)
			})
		}
	}
}
