package e2e

import (
	"image/png"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestPictures has Chromium show pages with and without a network: what differs is marked, a sheet shows all, and nothing else is written.
func TestPictures(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "body { background: #fff }", "dist/news/index.html": strings.Replace(start, "<h1>Skerry Line</h1>", "<h1 style='background: #063; height: 500px'>News</h1>", 1),
		"tachyform.toml": "site = \"dist\"\n[stow]\nnow = [\"/\", \"/app.css\"]\n[icons]\neffort = \"quick\"\n", "full/x.txt": "x"})
	fine(t, dir, "fit")
	_, said, code := run(t, dir, "rehearse", "--story", "none", "--page", "/", "--page", "/news/", "--pictures", "shots")
	require.Zero(t, code, said)
	assert.Contains(t, said, "Wrote 8 pictures of 2 pages to shots")
	files, err := os.ReadDir(filepath.Join(dir, "shots"))
	require.NoError(t, err)
	var names []string
	for _, f := range files {
		names = append(names, f.Name())
	}
	assert.Equal(t, []string{"index.html", "news-offline-desktop.png", "news-offline-phone.png", "news-online-desktop.png", "news-online-phone.png", "sheet.png", "start-offline-desktop.png", "start-offline-phone.png", "start-online-desktop.png", "start-online-phone.png"}, names)
	sheet, err := os.ReadFile(filepath.Join(dir, "shots", "index.html"))
	require.NoError(t, err)
	text := string(sheet)
	assert.Less(t, strings.Index(text, `<th scope="row">/news/`), strings.Index(text, `<th scope="row">/<`), "the most different first")
	assert.Equal(t, 1, strings.Count(text, "of it differs"))
	assert.Contains(t, text, `<strong class="stand-in">stand-in</strong>`)
	assert.NotContains(t, text, "http:")
	for name, width := range map[string]int{"news-online-desktop.png": 1280, "news-online-phone.png": 390} {
		f, err := os.Open(filepath.Join(dir, "shots", name))
		require.NoError(t, err)
		img, err := png.Decode(f)
		_ = f.Close()
		require.NoError(t, err)
		assert.Equal(t, width, img.Bounds().Dx())
		r, g, b, _ := img.At(20, 100).RGBA()
		assert.Equal(t, [3]uint32{0, 0x66, 0x33}, [3]uint32{r >> 8, g >> 8, b >> 8}, "the page online")
	}
	if os.Getenv("TACHYFORM_ALL") != "" { // a slow network takes its time
		fine(t, dir, "audit", "--pictures", "shots", "--pictured", "1", "--format", "html", "--output", "audit.html", "--fail-on", "never")
		page, err := os.ReadFile(filepath.Join(dir, "audit.html"))
		require.NoError(t, err)
		assert.Contains(t, string(page), `<img alt="/news/, offline, phone" src="data:image/png;base64,`)
		assert.NotContains(t, string(page), `alt="/, offline`)
	}
	_, stderr, code := run(t, dir, "rehearse", "--pictures", "full")
	assert.Equal(t, 2, code)
	assert.Contains(t, stderr, "the folder holds other things")
}
