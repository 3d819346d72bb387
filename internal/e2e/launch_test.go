package e2e

import (
	"bytes"
	"fmt"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// TestLaunchPictures compares launch pictures, pixel by pixel, with what Chromium draws in the same place and size.
func TestLaunchPictures(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	mark := `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64"><circle cx="32" cy="32" r="30" fill="#0b4f6c"/><path d="M12 40h40l-8 12H20z" fill="#f8f5ef"/></svg>`
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "body { background: #f8f5ef }", "dist/mark.svg": mark, "tachyform.toml": "site = \"dist\"\n[icons]\nmaster = \"mark.svg\"\neffort = \"quick\"\n[ios]\nlaunch = \"all\"\n"})
	fine(t, dir, "fit")
	sizes := [][3]int{{375, 667, 2}, {390, 844, 3}, {1180, 820, 2}}
	pages := map[string]string{}
	for _, s := range sizes { // the icon has three tenths of the shorter side
		w, h := s[0]*s[2], s[1]*s[2]
		n := int(0.3*float64(min(w, h)) + 0.5)
		pages[fmt.Sprintf("draw/%d.html", s[0])] = fmt.Sprintf(`<!doctype html><style>html { background: #f8f5ef } img { position: absolute; left: %dpx; top: %dpx; width: %dpx; height: %dpx }</style><img src="mark.svg">`, (w-n)/2, (h-n)/2, n, n)
	}
	pages["draw/mark.svg"], pages["draw/index.html"] = mark, "<!doctype html><title>x</title>"
	write(t, dir, pages)
	s, err := site.Open(filepath.Join(dir, "draw"), "/")
	require.NoError(t, err)
	defer s.Close()
	v, err := serve.Start(site.NewServer(s, site.Rules{}))
	require.NoError(t, err)
	b, err := chromium.Start(t.Context(), v)
	require.NoError(t, err)
	defer b.Close()
	for _, size := range sizes {
		ours, err := png.Decode(bytes.NewReader(must(os.ReadFile(filepath.Join(dir, fmt.Sprintf("dist/icons/launch-%dx%d.png", size[0]*size[2], size[1]*size[2]))))))
		require.NoError(t, err)
		_, err = b.Open(fmt.Sprintf("/%d.html", size[0]))
		require.NoError(t, err)
		theirs, err := png.Decode(bytes.NewReader(must(b.Screenshot(int64(size[0]*size[2]), int64(size[1]*size[2]), 1))))
		require.NoError(t, err)
		require.Equal(t, ours.Bounds(), theirs.Bounds())
		far, sum := 0, 0.0
		for y := range ours.Bounds().Dy() {
			for x := range ours.Bounds().Dx() {
				r1, g1, b1, _ := ours.At(x, y).RGBA()
				r2, g2, b2, _ := theirs.At(x, y).RGBA()
				worst := 0
				for _, d := range []int{int(r1>>8) - int(r2>>8), int(g1>>8) - int(g2>>8), int(b1>>8) - int(b2>>8)} {
					worst = max(worst, d, -d)
				}
				sum += float64(worst)
				if worst > 48 { // only along edges do two renderers differ
					far++
				}
			}
		}
		all := ours.Bounds().Dx() * ours.Bounds().Dy()
		t.Logf("%v: %d of %d pixels differ by more than 48 of 255, by %.4f on average", size, far, all, sum/float64(all))
		assert.LessOrEqual(t, far, all/10000, "%v", size)
		assert.Less(t, sum/float64(all), 0.05, "%v", size)
	}
}
