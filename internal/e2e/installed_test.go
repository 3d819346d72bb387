package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/stage"
)

// inAWindow is what desktops make of display modes in an app's window, as tachyform explain display says.
var inAWindow = map[string]string{"fullscreen": "standalone", "browser": "minimal-ui"}

// TestInstalledApp installs the demo in Chromium, opens it as an app, and compares what is there with what we say
// of its manifest: where it opens, in which display mode, and what else leads into it.
func TestInstalledApp(t *testing.T) { installs(t, false) }

// TestInstalledApps does so with apps that have other manifests.
func TestInstalledApps(t *testing.T) {
	needsAll(t)
	installs(t, true)
}

func installs(t *testing.T, all bool) {
	dir := t.TempDir()
	fittedDemo(t, dir)
	page := `<!doctype html><html lang=en><title>%s</title><link rel=manifest href=m.json><p>%[1]s`
	others := map[string]string{
		"bare":       `"display": "standalone"`,
		"query":      `"display": "standalone", "start_url": "./?from=icon"`,
		"fullscreen": `"display": "fullscreen"`,
		"minimal":    `"display": "minimal-ui"`,
		"overridden": `"display": "browser", "display_override": ["minimal-ui"]`,
		"unknown":    `"display": "standalone", "display_override": ["nonsense", "minimal-ui"]`,
		"invalid":    `"display": 7`,
		"files":      `"display": "standalone", "file_handlers": [{"action": "./open.html", "accept": {"text/csv": [".csv"], "image/png": [".png"]}}], "shortcuts": [{"name": "Open", "url": "open.html"}]`,
	}
	listens := `<!doctype html><html lang=en data-told=waits><title>open</title><link rel=manifest href=m.json><p>open<script>launchQueue.setConsumer(async (p) => {
const h = p.files[0], f = h && await h.getFile(), told = [p.targetURL.replace(location.origin, ""), p.files.length, p instanceof LaunchParams, Object.isFrozen(p.files), JSON.stringify(p)];
document.documentElement.dataset.told = document.title = told.concat(f ? [h.kind, h.name, h instanceof FileSystemHandle, JSON.stringify(h), f.name, f.type, f.size, await f.text(), await h.queryPermission()] : []).join(" ") })</script>`
	icon, err := os.ReadFile(filepath.Join(dir, "demo-site/icons/icon-192.png"))
	require.NoError(t, err)
	for name, members := range others {
		at := "demo-site/apps/" + name + "/"
		write(t, dir, map[string]string{at + "index.html": fmt.Sprintf(page, name), at + "open.html": listens, at + "icon.png": string(icon),
			at + "m.json": fmt.Sprintf(`{"name": "App %s", "id": "/apps/%[1]s/", "start_url": "./", "icons": [{"src": "icon.png", "sizes": "192x192"}], %s}`, name, members)})
	}
	web, err := serve.Start(serverOf(t, dir+"/demo-site", "/"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	b, err := chromium.Start(t.Context(), web)
	require.NoError(t, err, "a missing browser is a failure here")
	t.Cleanup(b.Close)

	check := func(folder, file, title string) {
		data, err := os.ReadFile(filepath.Join(dir, "demo-site"+folder+file))
		require.NoError(t, err)
		m, err := manifest.Process(data, file, web.Origin+folder+file, web.Origin+folder)
		require.NoError(t, err)
		_, err = b.Open(folder)
		require.NoError(t, err)
		require.NoError(t, b.Settle())
		id := m.Processed.ID
		require.NoError(t, b.InstallApp(id, folder), folder)
		app, err := b.LaunchApp(id, "")
		require.NoError(t, err)
		assert.Equal(t, strings.TrimPrefix(m.Processed.StartURL, web.Origin), app.URL)
		assert.Equal(t, title, app.Title)
		mode := m.Processed.DisplayMode()
		if other := inAWindow[mode]; other != "" {
			mode = other
		}
		assert.Equal(t, mode, app.Display, "%s: as our reading of the manifest says", folder)
		for _, e := range entrance.Of(m, web.Origin) {
			if e.Form == nil && e.Kind != entrance.Start {
				at, err := b.LaunchApp(id, e.URL)
				require.NoError(t, err)
				assert.Equal(t, e.URL, at.URL)
			}
		}
		types, err := b.FileTypes(id)
		require.NoError(t, err)
		var want []string
		for _, h := range m.Processed.FileHandlers {
			for _, a := range h.Accept {
				want = append(want, a.Name)
			}
		}
		assert.ElementsMatch(t, want, types)
	}
	check("/", "manifest.webmanifest", "Island ferries - Skerry Line")
	app, err := b.LaunchApp(web.Origin+"/", "/tides/")
	require.NoError(t, err)
	assert.Equal(t, chromium.App{URL: "/tides/", Title: "Tides - Skerry Line", Display: "standalone", Theme: "#0b4f6c", Controlled: true}, *app)
	// A file that is opened with an app, and the app's address: a script is told the same as on the embedded stage.
	write(t, dir, map[string]string{"boats.csv": "Staffin,9:40"})
	_, err = b.Open("/apps/files/")
	require.NoError(t, err)
	require.NoError(t, b.InstallApp(web.Origin+"/apps/files/", "/apps/files/"))
	e := stage.New(serverOf(t, dir+"/demo-site", "/"), nil, stage.Limits{})
	t.Cleanup(e.Close)
	e.RunScripts(true)
	for _, f := range []*stage.LaunchFile{{Name: "boats.csv", Type: "text/csv", Data: "Staffin,9:40"}, nil} {
		var there *chromium.App
		if f != nil {
			there, err = b.OpenWithApp(web.Origin+"/apps/files/", filepath.Join(dir, "boats.csv"))
		} else {
			there, err = b.LaunchApp(web.Origin+"/apps/files/", "/apps/files/open.html")
		}
		require.NoError(t, err)
		here, err := e.NewTab().Launch("/apps/files/open.html", f)
		require.NoError(t, err)
		assert.Equal(t, there.Told, here.Title)
		assert.Equal(t, &stage.Launched{Heard: true, Read: f != nil}, here.Launched)
	}
	for name := range others {
		if !all {
			break
		}
		check("/apps/"+name+"/", "m.json", name)
	}
}
