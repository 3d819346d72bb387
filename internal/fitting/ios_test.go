package fitting

import (
	"bytes"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/platform"
)

// TestIOS writes what iPhones take from pages: nothing unless it is asked for, and then with the pictures that it names.
func TestIOS(t *testing.T) {
	pages := map[string]string{"index.html": "<!doctype html>\n<html lang=en>\n<head>\n<title>Skerry</title>\n</head>\n<body></body>\n</html>\n",
		"own.html": "<!doctype html>\n<head>\n<title>Own</title>\n<meta name=\"apple-mobile-web-app-title\" content=\"Mine\">\n</head>"}
	read := func(dir, name string) string {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(data)
	}
	dir := write(t, t.TempDir(), pages)
	fit(t, dir, &config.Config{Icons: config.Icons{Effort: "quick"}}, Options{})
	assert.NotContains(t, read(dir, "index.html"), "apple-mobile", "systems of these days take name and display from the manifest")

	cfg := &config.Config{Icons: config.Icons{Effort: "quick"}, IOS: config.IOS{Title: "Skerry", StatusBar: "black", Launch: "phones", LaunchDark: "#101820"}}
	plan := fit(t, dir, cfg, Options{})
	page := read(dir, "index.html")
	for _, want := range []string{`<meta name="mobile-web-app-capable" content="yes">`, `<meta name="apple-mobile-web-app-capable" content="yes">`, `<meta name="apple-mobile-web-app-title" content="Skerry">`, `<meta name="apple-mobile-web-app-status-bar-style" content="black">`,
		`<link rel="apple-touch-startup-image" media="(device-width: 390px) and (device-height: 844px) and (-webkit-device-pixel-ratio: 3) and (orientation: portrait) and (prefers-color-scheme: dark)" href="/icons/launch-1170x2532-dark.png">`} {
		assert.Contains(t, page, want)
	}
	assert.Equal(t, 1, strings.Count(read(dir, "own.html"), "apple-mobile-web-app-title"), "what a page says itself stays")
	phones := 0
	for _, s := range platform.Screens {
		if !s.Tablet {
			phones++
		}
	}
	assert.Equal(t, 2*phones, strings.Count(page, "apple-touch-startup-image"))
	for name, want := range map[string]color.NRGBA{"icons/launch-1170x2532-dark.png": {16, 24, 32, 255}, "icons/launch-1170x2532.png": {255, 255, 255, 255}} {
		img, err := png.Decode(bytes.NewReader([]byte(read(dir, name))))
		require.NoError(t, err)
		assert.Equal(t, "(0,0)-(1170,2532)", img.Bounds().String())
		assert.Equal(t, want, color.NRGBAModel.Convert(img.At(0, 0)))
		assert.NotEqual(t, want, color.NRGBAModel.Convert(img.At(585, 1266)), "the icon is in the middle")
	}
	_, stored := plan.Caching.Now["/icons/launch-1170x2532.png"]
	assert.False(t, stored, "the worker has nothing to do with them")
	again := fit(t, dir, cfg, Options{})
	assert.Empty(t, again.Changes)
	cfg.IOS.LaunchDark = "#000000"
	assert.NotEmpty(t, fit(t, dir, cfg, Options{}).Changes)
}

// TestPinnedIcon links a shape of the site's own, and names one that is not there.
func TestPinnedIcon(t *testing.T) {
	dir := write(t, t.TempDir(), map[string]string{"index.html": "<!doctype html><title>Skerry</title>", "shape.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1 1"><path d="M0 0h1v1z"/></svg>`})
	cfg := &config.Config{Icons: config.Icons{Effort: "quick"}, IOS: config.IOS{Pinned: "/shape.svg"}}
	fit(t, dir, cfg, Options{})
	page, err := os.ReadFile(filepath.Join(dir, "index.html"))
	require.NoError(t, err)
	assert.Contains(t, string(page), `<link rel="mask-icon" color="#ffffff" href="/shape.svg">`)
	cfg.IOS.Pinned = "/gone.svg"
	plan := fit(t, dir, cfg, Options{})
	assert.Contains(t, strings.Join(plan.Remarks, "\n"), "the site has no such file")
}
