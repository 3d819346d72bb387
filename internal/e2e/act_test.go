package e2e

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// TestVisitorsAct tells stories in which visitors use a page: what its scripts make of it is the same on both stages.
func TestVisitorsAct(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"index.html": `<!doctype html><html lang=en><head><title>Ferries</title></head><body><h1>Ferries</h1><nav><a href=/boats>Boats</a> <a href=/fares.html>Fares</a></nav><main id=view></main>
<form id=book action=/booked.html><label>Name <input name=who required></label><select name=boat><option value=o>Orran</option><option value=k>Kelda</option></select><input type=checkbox name=car id=car><button>Book it</button></form>
<script type=module src=/app.js></script></body></html>`,
		"app.js": `const view = document.getElementById("view");
const draw = async () => { view.textContent = location.pathname === "/boats" ? "Boats: " + (await (await fetch("/boats.json")).json()).join(" and ") : "Welcome"; document.title = "Ferries at " + location.pathname; };
document.querySelector("nav a").addEventListener("click", (e) => { e.preventDefault(); history.pushState({}, "", "/boats"); draw(); });
addEventListener("popstate", draw);
document.querySelector("input").addEventListener("input", (e) => { document.querySelector("h1").textContent = "Ferries for " + e.target.value; });
document.querySelector("select").addEventListener("change", (e) => { view.textContent = "chosen " + e.target.value; });
draw();`,
		"boats.json": `["Maid of Orran", "Lady Brae"]`, "fares.html": `<!doctype html><title>Fares</title><p>From four pounds`, "booked.html": `<!doctype html><title>Booked</title><p id=p></p><script>p.textContent = "Booked for " + new URLSearchParams(location.search).get("who") + " on " + new URLSearchParams(location.search).get("boat")</script>`,
	})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	server := site.NewServer(s, site.Rules{})
	stories := []rehearsal.Story{
		{Name: "routes", Steps: []string{"open /", "expect text Welcome", "click Boats", "expect text Maid of Orran and Lady Brae", "expect title at /boats", "back", "expect text Welcome", "forward", "expect text Boats: Maid", "expect no text Welcome"}},
		{Name: "links", Steps: []string{"open /", "click Fares", "expect title Fares", "expect text four pounds", "back", "expect text Welcome"}},
		{Name: "forms", Steps: []string{"open /", "type [name=who] Ishbel", "expect text Ferries for Ishbel", "choose select k", "expect text chosen k", "choose #car true", "expect element #car:checked", "submit #book", "expect text Booked for Ishbel on k"}},
		{Name: "refused", Steps: []string{"open /", "click Book it", "expect title Ferries", "expect element #book"}},
		{Name: "without a network", Steps: []string{"open /", "network offline", "click Boats", "expect no text Maid of Orran"}},
	}
	for _, name := range []string{"embedded", "chromium"} {
		t.Run(name, func(t *testing.T) {
			if name == "chromium" {
				needsAll(t)
			}
			t.Parallel()
			tell := rehearsal.Teller{Server: server, Scripts: true, Start: func() (rehearsal.Stage, func(), error) {
				if name == "embedded" {
					e := rehearsal.NewEmbedded(server, nil, stage.Limits{})
					return e, e.Close, nil
				}
				web, err := serve.Start(server)
				require.NoError(t, err)
				b, err := chromium.Start(context.Background(), web)
				require.NoError(t, err, "a missing browser is a failure here")
				return b, func() { b.Close(); _ = web.Stop() }, nil
			}}
			for _, story := range stories {
				r, err := tell.Tell(context.Background(), story)
				require.NoError(t, err, story.Name)
				for _, step := range r.Steps {
					assert.True(t, step.Passed, "%s: %s: saw %s: %s", story.Name, step.Step, step.Saw, step.Why)
				}
			}
			r, err := tell.Tell(context.Background(), rehearsal.Story{Steps: []string{"open /", "click Nowhere"}})
			require.NoError(t, err)
			assert.False(t, r.Passed)
			assert.Contains(t, r.Steps[1].Why, `nothing that is called "Nowhere"`)
		})
	}
}
