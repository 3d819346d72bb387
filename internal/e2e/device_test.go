package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestDeviceSteps reloads past the worker and says where the device is, in a story that is told on both stages.
func TestDeviceSteps(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"site/index.html": `<!doctype html><html lang=en><head><title>Nearest pier</title></head><body><p id=by></p><p id=at>asking</p><p id=app></p><script src=/app.js></script><script>
navigator.serviceWorker.register("/sw.js");
document.getElementById("by").textContent = navigator.serviceWorker.controller ? "a worker answers" : "no worker answers";
navigator.geolocation.getCurrentPosition((p) => { document.getElementById("at").textContent = "at " + p.coords.latitude + " " + p.coords.longitude; }, (e) => { document.getElementById("at").textContent = "nowhere " + e.code; });
</script></body></html>`,
		"site/app.js": `document.getElementById("app").textContent = "from the server";`,
		"site/sw.js": `oninstall = (e) => { skipWaiting(); e.waitUntil(caches.open("v").then((c) => c.addAll(["/"]))); }; onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => e.respondWith(e.request.url.endsWith("app.js") ? new Response('document.getElementById("app").textContent = "from the worker"', {headers: {"content-type": "text/javascript"}}) : caches.match(e.request).then((r) => r || fetch(e.request)));`,
		"tachyform.toml": `[[story]]
name = "A device"
steps = ["location 57.15 -7.3", "open /", "open /", "expect text a worker answers", "expect text from the worker", "expect text at 57.15 -7.3", "reload hard", "expect text no worker answers", "expect text from the server", "location -33.9 18.4", "reload", "expect text a worker answers", "expect text at -33.9 18.4", "network offline", "reload hard", "expect lost", "open /", "expect text from the worker"]
`,
	})
	for _, stage := range []string{"embedded", "chromium"} {
		out, errs, code := run(t, dir, "rehearse", "site", "--stage", stage, "--story", "A device", "--page", "/", "--format", "json")
		require.NotEmpty(t, out, errs)
		var r struct {
			Stories []struct {
				Passed bool
				Steps  []struct {
					Step, Saw, Why string
					Passed         bool
				}
			}
		}
		require.NoError(t, json.Unmarshal([]byte(out), &r))
		require.Len(t, r.Stories, 1)
		for _, s := range r.Stories[0].Steps {
			assert.True(t, s.Passed, "%s: %s: %s %s", stage, s.Step, s.Saw, s.Why)
		}
		assert.Equal(t, 0, code, errs)
	}
	for step, want := range map[string]string{"reload soft": "reload hard", "location 91 0": "latitude and longitude", "location here now": "latitude and longitude", "location 1": "something is missing"} {
		write(t, dir, map[string]string{"bad.toml": "[[story]]\nname = \"x\"\nsteps = [\"" + step + "\"]\n"})
		_, errs, code := run(t, dir, "rehearse", "site", "--config", "bad.toml")
		assert.Equal(t, 2, code, step)
		assert.Contains(t, strings.ReplaceAll(errs, `\"`, `"`), want, step)
	}
}
