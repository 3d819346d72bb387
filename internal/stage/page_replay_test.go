package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestSlowAfterOnline opens pages again of which one picture never comes now: what they show is seen all the same.
func TestSlowAfterOnline(t *testing.T) {
	page := func(n string) string {
		return "<!doctype html><title>" + n + "</title><p>Page " + n + "<img src=/slow" + n + ".png><script>document.body.append(' ran')</script>"
	}
	b := New(serve(t, map[string]string{"index.html": page("0") + `<script>navigator.serviceWorker.register("/sw.js")</script>`, "1.html": page("1"), "2.html": page("2"), "3.html": page("3"),
		"sw.js": `oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/1.html", "/2.html", "/3.html"]))); onactivate = () => clients.claim();
			onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)))`}, site.Rules{}), nil, Limits{})
	t.Cleanup(b.Close)
	b.RunScripts(true)
	b.Replay(true)
	tab := b.NewTab()
	for range 2 {
		_, err := tab.Open("/")
		require.NoError(t, err)
		b.Settle()
	}
	names := []string{"1", "2", "3"}
	for _, n := range names {
		l, err := tab.Open("/" + n + ".html")
		require.NoError(t, err)
		require.Equal(t, "Page "+n+" ran", l.Text)
	}
	b.SetNetwork(Slow)
	for _, n := range names {
		l, err := tab.Open("/" + n + ".html")
		require.NoError(t, err)
		assert.Equal(t, "Page "+n+" ran", l.Text, n)
		assert.Equal(t, n, l.Title)
		assert.True(t, l.Ran)
		if assert.Len(t, l.Missing, 1) {
			assert.Equal(t, "the network does not answer in time", l.Missing[0].Why)
		}
	}
}
