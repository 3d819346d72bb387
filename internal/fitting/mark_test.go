package fitting

import (
	"bytes"
	"image"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestMarks is about which picture of a site is taken for its mark.
func TestMarks(t *testing.T) {
	raster := func(w, h int) string {
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, image.NewGray(image.Rect(0, 0, w, h))))
		return b.String()
	}
	const drawn = `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"><path d="M0 0h8v8z"/></svg>`
	const manifest = `{"name": "Skerry Line", "start_url": "/", "icons": [{"src": "/a/48.png", "sizes": "48x48"}, {"src": "/a/256.png", "sizes": "256x256"}, {"src": "/a/mask.png", "sizes": "512x512", "purpose": "maskable"}, {"src": "/a/192.png", "sizes": "192x192"}]}`
	icons := map[string]string{"m.json": manifest, "a/48.png": raster(48, 48), "a/256.png": raster(256, 256), "a/192.png": raster(192, 192), "a/mask.png": raster(512, 512)}
	for name, c := range map[string]struct {
		files map[string]string
		head  string
		want  string
	}{
		"a mark":                       {map[string]string{"brand/mark.svg": drawn, "brand/logo.svg": drawn}, "", "brand/mark.svg"},
		"nothing is drawn":             {map[string]string{"mark.svg": `<svg xmlns="http://www.w3.org/2000/svg"><defs><path d="M0 0h8v8z"/></defs></svg>`, "img/logo.svg": drawn}, "", "img/logo.svg"},
		"a sheet of symbols":           {map[string]string{"icon.svg": `<svg xmlns="http://www.w3.org/2000/svg"><symbol id="a"><path d="M0 0h8"/></symbol></svg>`, "logo-sprite.svg": drawn}, "", ""},
		"symbols in use":               {map[string]string{"icon.svg": `<svg xmlns="http://www.w3.org/2000/svg"><symbol id="a"><path d="M0 0h8"/></symbol><use href="#a"/></svg>`}, "", "icon.svg"},
		"a sheet that is linked":       {map[string]string{"x.svg": `<svg xmlns="http://www.w3.org/2000/svg"><defs/></svg>`, "logo.svg": drawn}, `<link rel=icon href=x.svg>`, "logo.svg"},
		"the manifest's before a logo": {icons, `<link rel=manifest href=m.json>`, "a/256.png"},
		"a touch icon before a logo":   {map[string]string{"t.png": raster(180, 180), "img/brand-photo.svg": drawn}, `<link rel=apple-touch-icon href=t.png>`, "t.png"},
		"a mark before a touch icon":   {map[string]string{"t.png": raster(180, 180), "mark.svg": drawn}, `<link rel=apple-touch-icon href=t.png>`, "mark.svg"},
		"the largest of one kind":      {map[string]string{"favicon-16x16.png": raster(16, 16), "favicon-32x32.png": raster(32, 32), "favicon-24x24.png": raster(24, 24)}, "", "favicon-32x32.png"},
		"the largest that is linked":   {map[string]string{"a.png": raster(16, 16), "b.png": raster(96, 96)}, `<link rel=icon href=a.png sizes=16x16><link rel=icon href=b.png sizes=96x96>`, "b.png"},
		"a drawing before pixels":      {map[string]string{"logo.png": raster(512, 512), "logo.svg": drawn}, "", "logo.svg"},
		"a line of writing":            {map[string]string{"logo.png": raster(400, 100)}, "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			files := map[string]string{"index.html": "<!doctype html><html lang=en><head><title>Skerry Line</title>" + c.head + "</head><body></body></html>"}
			for n, data := range c.files {
				files[n] = data
			}
			if name == "the manifest's before a logo" {
				files["brand/logo.svg"] = drawn
			}
			p, err := plan(t, write(t, t.TempDir(), files), nil, Options{RulesOnly: true})
			require.NoError(t, err)
			assert.Equal(t, c.want, p.fitter.app.master)
		})
	}
}
