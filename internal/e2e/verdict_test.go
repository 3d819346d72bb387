package e2e

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
)

// TestVerdictsAgreeWithChromium audits small sites with all kinds of manifests and heads, and asks Chromium whether it
// would install them.
func TestVerdictsAgreeWithChromium(t *testing.T) {
	needsAll(t) // recorded ones are compared in internal/audit
	t.Parallel()
	picture, err := os.ReadFile("../../demo/site/photos/orran-light.jpg")
	require.NoError(t, err)
	dir := t.TempDir()
	const link = `<link rel="manifest" href="m.json">`
	good := `"name": "Skerry", "start_url": ".", "display": "standalone"`
	good192 := `{"src": "192.png", "sizes": "192x192", "type": "image/png"}`
	with := func(members, list string) string { return `{` + members + `, "icons": [` + list + `]}` }
	cases := []struct{ name, head, manifest string }{
		{"good", link, with(good, good192)},
		{"no link", "", with(good, good192)},
		{"empty link", `<link rel="manifest" href="">`, with(good, good192)},
		{"link in the body", "<body>" + link, with(good, good192)},
		{"link in noscript", "<noscript>" + link + "</noscript>", with(good, good192)},
		{"link in upper case", `<LINK REL="x MANIFEST" HREF=m.json>`, with(good, good192)},
		{"two links, the first lost", `<link rel=manifest href=gone.json>` + link, with(good, good192)},
		{"base", `<base href="./sub/">` + `<link rel=manifest href=../m.json>`, with(good, good192)},
		{"missing manifest", `<link rel=manifest href=gone.json>`, with(good, good192)},
		{"trailing comma", link, `{` + good + `, "icons": [` + good192 + `],}`},
		{"comments", link, "// hello\n{" + good + `, /* x */ "icons": [` + good192 + `]}`},
		{"byte order mark", link, "\ufeff" + with(good, good192)},
		{"list", link, `[1]`},
		{"nothing", link, ``},
		{"no name", link, with(`"start_url": ".", "display": "standalone"`, good192)},
		{"short name only", link, with(`"short_name": "S", "start_url": ".", "display": "standalone"`, good192)},
		{"blank name", link, with(`"name": " \t", "start_url": ".", "display": "standalone"`, good192)},
		{"number as name", link, with(`"name": 7, "start_url": ".", "display": "standalone"`, good192)},
		{"no start url", link, with(`"name": "S", "display": "standalone"`, good192)},
		{"empty start url", link, with(`"name": "S", "start_url": "", "display": "standalone"`, good192)},
		{"foreign start url", link, with(`"name": "S", "start_url": "https://other.example/", "display": "standalone"`, good192)},
		{"start url not answered", link, with(`"name": "S", "start_url": "gone/", "display": "standalone"`, good192)},
		{"start url outside scope", link, with(good+`, "scope": "/elsewhere/"`, good192)},
		{"no display", link, with(`"name": "S", "start_url": "."`, good192)},
		{"display browser", link, with(`"name": "S", "start_url": ".", "display": "browser"`, good192)},
		{"display misspelt", link, with(`"name": "S", "start_url": ".", "display": "standalon"`, good192)},
		{"display in upper case", link, with(`"name": "S", "start_url": ".", "display": " Standalone "`, good192)},
		{"override to browser", link, with(good+`, "display_override": ["tabbed", "browser"]`, good192)},
		{"override from browser", link, with(`"name": "S", "start_url": ".", "display": "browser", "display_override": ["minimal-ui"]`, good192)},
		{"native preferred", link, with(good+`, "prefer_related_applications": true`, good192)},
		{"no icons", link, `{` + good + `}`},
		{"icon without sizes", link, with(good, `{"src": "192.png", "type": "image/png"}`)},
		{"icon missing", link, with(good, `{"src": "gone.png", "sizes": "192x192", "type": "image/png"}`)},
		{"icon too small", link, with(good, `{"src": "192.png", "sizes": "96x96", "type": "image/png"}`)},
		{"icon really too small", link, with(good, `{"src": "small.png", "sizes": "192x192", "type": "image/png"}`)},
		{"icon is no picture", link, with(good, `{"src": "m.json", "sizes": "192x192", "type": "image/png"}`)},
		{"icon of another type", link, with(good, `{"src": "p.jpg", "sizes": "192x192", "type": "image/jpeg"}`)},
		{"maskable only", link, with(good, `{"src": "192.png", "sizes": "192x192", "type": "image/png", "purpose": "maskable"}`)},
		{"any and maskable", link, with(good, `{"src": "192.png", "sizes": "192x192", "type": "image/png", "purpose": "any maskable"}`)},
		{"unknown purpose", link, with(good, `{"src": "192.png", "sizes": "192x192", "purpose": "badge"}`)},
		{"svg", link, with(good, `{"src": "m.svg", "sizes": "any", "type": "image/svg+xml"}`)},
		{"the chosen one is missing", link, with(good, good192+`, {"src": "gone.png", "sizes": "144x144", "type": "image/png"}`)},
		{"one too large", link, with(good, `{"src": "512.png", "sizes": "2048x2048", "type": "image/png"}`)},
		{"bad colours", link, with(good+`, "theme_color": "blau", "background_color": 3, "orientation": "up", "lang": 3`, good192)},
	}
	site := map[string]string{"index.html": "<title>Start</title>"}
	for i, c := range cases {
		at := fmt.Sprintf("v%02d/", i)
		files := map[string]string{"index.html": "<!doctype html><title>Case</title>" + c.head, "m.json": c.manifest, "192.png": plain(t, 192), "512.png": plain(t, 512),
			"small.png": plain(t, 100), "p.jpg": string(picture), "m.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`}
		for name, data := range files {
			site[at+name] = data
		}
		write(t, filepath.Join(dir, at), files)
	}
	web := filepath.Join(dir, "web")
	write(t, web, site)
	b, _ := browse(t, web, "/")
	for i, c := range cases {
		_, err := b.Open(fmt.Sprintf("/v%02d/", i))
		require.NoError(t, err)
		hindrances, _, err := b.Install()
		require.NoError(t, err)
		out, _, _ := run(t, dir, "audit", fmt.Sprintf("v%02d", i), "--format", "json")
		var r audit.Report
		require.NoError(t, json.Unmarshal([]byte(out), &r))
		assert.Equal(t, len(hindrances) == 0, r.Platforms[0].Installable, "%s: Chromium says %v, we say %v", c.name, hindrances, r.Platforms[0].Blockers)
	}
}

// plain is a PNG of n x n px.
func plain(t *testing.T, n int) string {
	t.Helper()
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, n, n))))
	return b.String()
}
