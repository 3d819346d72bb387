package e2e

import (
	"testing"

	"github.com/evanw/esbuild/pkg/api"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestSourceMaps has a built script throw when there is no network: what is said names the place where it was written.
func TestSourceMaps(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	const boats = `export async function boats() {
  const answer = await fetch("/data.json");
  const list = await answer.json();
  document.querySelector("p").textContent = list.join(" ");
}

boats().catch(() => {
  undefinedBoats.forEach((x) => x);
});
`
	r := api.Transform(boats, api.TransformOptions{Sourcefile: "src/boats.js", Sourcemap: api.SourceMapExternal, MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Format: api.FormatIIFE})
	require.Empty(t, r.Errors)
	write(t, dir, map[string]string{
		"site/index.html":          `<!doctype html><html lang=en><title>Boats</title><p>none</p><script src=/app.min.js></script><script>navigator.serviceWorker.register("/sw.js")</script>`,
		"site/app.min.js":          string(r.Code) + "//# sourceMappingURL=maps/app.min.js.map\n",
		"site/maps/app.min.js.map": string(r.Map), "site/data.json": `["Maid of Orran", "Lady Brae"]`,
		"site/sw.js": `oninstall = (e) => e.waitUntil(caches.open("x").then((c) => c.addAll(["/", "/app.min.js"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`,
	})
	for _, stage := range []string{"embedded", "chromium"} {
		report := rehearsed(t, dir, "site", "--stage", stage, "--story", "none", "--detail", "errors")
		var found []string
		for _, p := range report.Pages {
			for _, e := range p.Errors {
				found = append(found, e.Original)
			}
		}
		assert.Equal(t, []string{"src/boats.js:8:3"}, found, stage)
	}
	out := fine(t, dir, "rehearse", "site", "--story", "none")
	assert.Contains(t, out, "written in src/boats.js:8:3")
}
