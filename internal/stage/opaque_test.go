package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestOpaqueParts has a page use parts of another origin that scripts cannot look into: browsers do, and an error is no script, style or picture, whether the
// page or the worker's own fetch brings it.
func TestOpaqueParts(t *testing.T) {
	other := serve(t, map[string]string{"good.js": "1", "good.css": "p { background: url(paper.png) }", "good.png": "x", "paper.png": "x", "page.html": "<p>x"}, site.Rules{})
	page := `<!doctype html><title>x</title><link rel=stylesheet href=https://cdn.example/good.css><link rel=stylesheet href=https://cdn.example/gone.css><p>x<script src=https://cdn.example/good.js></script><script src=https://cdn.example/gone.js></script>
<script src=https://unknown.example/x.js></script><img src=https://cdn.example/good.png><img src=https://cdn.example/gone.png><img src=https://cdn.example/page.html>`
	for _, worker := range []string{"", `onfetch = (e) => { if (e.request.mode !== "navigate") e.respondWith(fetch(e.request)) }; onactivate = (e) => e.waitUntil(clients.claim())`} {
		for _, run := range []bool{true, false} {
			files := map[string]string{"index.html": page}
			if worker != "" {
				files["index.html"] = page + register
				files["sw.js"] = worker
			}
			b := New(serve(t, files, site.Rules{}), map[string]*site.Server{"https://cdn.example": other}, Limits{})
			t.Cleanup(b.Close)
			b.RunScripts(run)
			tab := b.NewTab()
			for range 2 {
				l, err := tab.Open("/")
				require.NoError(t, err)
				b.Settle()
				var missing []string
				for _, m := range l.Missing {
					missing = append(missing, m.URL)
				}
				assert.Equal(t, []string{"https://cdn.example/gone.css", "https://cdn.example/gone.js", "https://cdn.example/gone.png", "https://cdn.example/page.html"}, missing, "worker %q, scripts run: %v", worker, run)
			}
		}
	}
}
