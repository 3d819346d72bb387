package audit

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/platform"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/stage"
)

func picture(t testing.TB, n int, alpha uint8) string {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			m.SetNRGBA(x, y, color.NRGBA{uint8(x), 80, 120, alpha})
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.String()
}

const goodManifest = `{
  "name": "Skerry Line",
  "start_url": "/",
  "scope": "/",
  "display": "standalone",
  "icons": [
    {"src": "/192.png", "sizes": "192x192", "type": "image/png"},
    {"src": "/512.png", "sizes": "512x512", "type": "image/png"},
    {"src": "/512.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable"}
  ]
}`

const goodHead = `<!doctype html><title>Home</title><meta name="viewport" content="width=device-width"><link rel="manifest" href="/m.json"><link rel="apple-touch-icon" href="/192.png"><script>navigator.serviceWorker.register("/sw.js")</script>`

const goodWorker = `const list = ["/", "/fares.html", "/offline.html"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)).catch(() => caches.match("/offline.html")));`

// run audits a good site with some files changed; an empty text removes a file.
func run(t testing.TB, changes map[string]string) *Report {
	t.Helper()
	files := map[string]string{"index.html": goodHead, "fares.html": strings.Replace(goodHead, "Home", "Fares", 1), "offline.html": strings.Replace(goodHead, "Home", "Off", 1),
		"m.json": goodManifest, "192.png": picture(t, 192, 255), "512.png": picture(t, 512, 255), "sw.js": goodWorker}
	for name, data := range changes {
		files[name] = data
	}
	dir := t.TempDir()
	for name, data := range files {
		if data == "" {
			continue
		}
		p := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(data), 0o644))
	}
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	server := site.NewServer(s, site.Rules{})
	st := rehearsal.NewEmbedded(server, nil, stage.Limits{})
	defer st.Close()
	r, err := rehearsal.Run(context.Background(), st, server, rehearsal.Options{})
	require.NoError(t, err)
	report, err := Run(context.Background(), server, r, nil)
	require.NoError(t, err)
	return report
}

func failed(r *Report) []string {
	out := []string{}
	for _, c := range r.Checks {
		if c.State == "failed" {
			out = append(out, c.ID)
		}
	}
	return out
}

func TestAGoodSitePassesEverything(t *testing.T) {
	r := run(t, nil)
	assert.Empty(t, failed(r))
	assert.Equal(t, Level(""), r.Worst())
	for _, p := range r.Platforms {
		assert.True(t, p.Installable, p.ID)
	}
}

func TestEachCheckFails(t *testing.T) {
	with := func(old, new string) string { return strings.Replace(goodManifest, old, new, 1) }
	head := func(old, new string) string { return strings.Replace(goodHead, old, new, 1) }
	cases := map[string]struct {
		changes map[string]string
		where   string // FILE:LINE:COLUMN of the first finding, "" when it has none
	}{
		"manifest/not-linked":              {map[string]string{"index.html": head(`<link rel="manifest" href="/m.json">`, "")}, "index.html:1:1"},
		"manifest/not-found":               {map[string]string{"m.json": ""}, "index.html:1:113"},
		"manifest/not-json":                {map[string]string{"m.json": "{\n  \"name\": \"a\",\n}"}, "m.json:3:1"},
		"manifest/name-missing":            {map[string]string{"m.json": with(`"name": "Skerry Line"`, `"name": " "`)}, "m.json:2:11"},
		"manifest/start-url-invalid":       {map[string]string{"m.json": with(`"start_url": "/"`, `"start_url": 7`)}, "m.json:3:16"},
		"manifest/start-url-unanswered":    {map[string]string{"m.json": with(`"start_url": "/"`, `"start_url": "/gone/"`)}, "m.json:3:16"},
		"manifest/start-url-outside-scope": {map[string]string{"m.json": with(`"scope": "/"`, `"scope": "/app/"`)}, "m.json:4:12"},
		"manifest/opens-in-browser":        {map[string]string{"m.json": with(`standalone`, `browser`)}, "m.json:5:14"},
		"manifest/value-ignored":           {map[string]string{"m.json": with(`"name"`, `"theme_color": "blau", "name"`)}, "m.json:2:18"},
		"manifest/other-app-preferred":     {map[string]string{"m.json": with(`"name"`, `"prefer_related_applications": true, "name"`)}, "m.json:2:34"},
		"icons/none-suitable":              {map[string]string{"m.json": with(`"icons"`, `"icon"`)}, "m.json:1:1"},
		"icons/unusable":                   {map[string]string{"192.png": picture(t, 100, 255)}, "m.json:7:5"},
		"icons/file-missing":               {map[string]string{"512.png": ""}, "m.json:8:5"},
		"icons/size-differs":               {map[string]string{"512.png": picture(t, 500, 255)}, "m.json:8:5"},
		"icons/type-differs":               {map[string]string{"m.json": with(`"type": "image/png"`, `"type": "image/webp"`)}, "m.json:7:5"},
		"icons/no-maskable":                {map[string]string{"m.json": with(`, "purpose": "maskable"`, ``)}, "m.json:6:12"},
		"pages/manifest-not-linked":        {map[string]string{"fares.html": "<title>Fares</title><meta name=viewport content=width=device-width>"}, "fares.html:1:1"},
		"pages/viewport-missing":           {map[string]string{"fares.html": head(`name="viewport"`, `name="view"`)}, "fares.html:1:1"},
		"pages/touch-icon-missing":         {map[string]string{"index.html": head(`/192.png`, `/gone.png`)}, "index.html:1:157"},
		"pages/touch-icon-transparent":     {map[string]string{"192.png": picture(t, 192, 200)}, "192.png:0:0"},
		"pages/reference-leads-nowhere":    {map[string]string{"fares.html": goodHead + `<img src="/gone.png">`}, ""},
		"worker/none":                      {map[string]string{"index.html": head(`serviceWorker`, `noWorker`), "fares.html": head(`serviceWorker`, `noWorker`), "offline.html": head(`serviceWorker`, `noWorker`)}, "index.html:0:0"},
		"worker/not-installed":             {map[string]string{"sw.js": strings.Replace(goodWorker, "/fares.html", "/gone.html", 1)}, "sw.js:2:0"},
		"worker/start-url-out-of-scope":    {map[string]string{"index.html": head(`"/sw.js"`, `"/sw.js", {scope: "/app/"}`)}, "m.json:3:16"},
		"worker/mistake":                   {map[string]string{"sw.js": "addEventListener('fetch', () => { oops(); });\n" + goodWorker}, "sw.js:1:39"},
		"offline/start-page":               {map[string]string{"sw.js": strings.Replace(goodWorker, `"/", `, ``, 1)}, ""},
		"offline/page-lost":                {map[string]string{"sw.js": strings.Replace(strings.Replace(goodWorker, `, "/fares.html"`, ``, 1), `.catch(() => caches.match("/offline.html"))`, ``, 1)}, ""},
		"offline/page-partial":             {map[string]string{"fares.html": goodHead + `<img src="/512.png">`}, ""},
		"offline/page-stand-in":            {map[string]string{"sw.js": strings.Replace(goodWorker, `, "/fares.html"`, ``, 1)}, ""},
	}
	for id, c := range cases {
		t.Run(id, func(t *testing.T) {
			t.Parallel()
			r := run(t, c.changes)
			require.Contains(t, failed(r), id)
			for _, res := range r.Checks {
				if res.ID != id {
					continue
				}
				f := res.Findings[0]
				assert.NotEmpty(t, f.Message)
				assert.NotEmpty(t, f.Mend)
				if c.where != "" {
					assert.Equal(t, c.where, f.File+":"+itoa(f.Line)+":"+itoa(f.Column), f.Message)
				} else {
					assert.NotEmpty(t, f.URL)
				}
			}
		})
	}
	for _, c := range Checks() {
		if c.ID != "host/not-secure" { // a folder is not served yet
			assert.Contains(t, cases, c.ID, "every check has a failing example")
		}
	}
}

func itoa(n int) string {
	if n == 0 {
		return "0"
	}
	s := ""
	for ; n > 0; n /= 10 {
		s = string(rune('0'+n%10)) + s
	}
	return s
}

func TestChecksSayWhatTheyMustSay(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range Checks() {
		assert.False(t, seen[c.ID], c.ID)
		seen[c.ID] = true
		assert.True(t, strings.HasPrefix(c.ID, c.Area+"/"), c.ID)
		assert.True(t, slices.Contains([]Level{Blocker, Warning, Advice}, c.Level), c.ID)
		for _, text := range []string{c.Title, c.Why, c.Mend, c.Spec} {
			assert.NotEmpty(t, text, c.ID)
		}
		for _, p := range c.Blocks {
			assert.True(t, slices.ContainsFunc(platform.All, func(x platform.Platform) bool { return x.ID == p }), "%s blocks %s", c.ID, p)
			assert.Equal(t, Blocker, c.Level, c.ID)
		}
	}
}

func TestVerdicts(t *testing.T) {
	r := run(t, map[string]string{"m.json": strings.Replace(goodManifest, "standalone", "browser", 1)})
	for _, p := range r.Platforms {
		assert.Equal(t, p.ID == "safari-macos", p.Installable, p.ID)
	}
	assert.Equal(t, Blocker, r.Worst())
	r = run(t, map[string]string{"m.json": strings.Replace(goodManifest, "icons", "icon", 1)})
	for _, p := range r.Platforms {
		assert.Equal(t, !strings.HasPrefix(p.ID, "chromium"), p.Installable, p.ID)
	}
}

func TestLevels(t *testing.T) {
	assert.True(t, Blocker.AtLeast(Warning))
	assert.True(t, Warning.AtLeast(Warning))
	assert.False(t, Advice.AtLeast(Warning))
	assert.False(t, Blocker.AtLeast("never"))
	assert.False(t, Level("").AtLeast(Advice))
}
