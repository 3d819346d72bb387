package survey

import (
	"context"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestWanted is about which files of a site nobody who looks at its pages asks for.
func TestWanted(t *testing.T) {
	for name, c := range map[string]struct {
		files  map[string]string // beside the page
		page   string
		wanted string // of the files, and not the others
	}{
		"what a page shows":          {map[string]string{"a.jpg": "", "b.jpg": ""}, "<img src=a.jpg>", "a.jpg"},
		"candidates of one image":    {map[string]string{"a.jpg": "", "a-2x.jpg": "", "a-3x.jpg": ""}, `<img srcset="a.jpg 1x, a-2x.jpg 2x">`, "a-2x.jpg a.jpg"},
		"the first format":           {map[string]string{"a.avif": "", "a.jpg": ""}, "<picture><source srcset=a.avif type=image/avif><img src=a.jpg></picture>", "a.avif"},
		"a link":                     {map[string]string{"fares.pdf": "", "old.pdf": ""}, `<a href="fares.pdf#page=2">Fares</a> and not old.pdf`, "fares.pdf"},
		"a name with a space":        {map[string]string{"the fares.pdf": ""}, `<a href="the%20fares.pdf">Fares</a>`, "the fares.pdf"},
		"a licence in a comment":     {map[string]string{"a.js": "/* see LICENSE.md and NOTES */", "LICENSE.md": "", "NOTES": ""}, "<script src=a.js></script>", "a.js"},
		"a name in a script":         {map[string]string{"a.js": "f('horn.mp3')", "horn.mp3": "", "bell.mp3": ""}, "<script src=a.js></script>", "a.js horn.mp3"},
		"counted names":              {map[string]string{"a.js": "for (let i = 1; i < 9; i++) show(`photos/boat${i}.jpg`)", "photos/boat1.jpg": "", "photos/pier.jpg": ""}, "<script src=a.js></script>", "a.js photos/boat1.jpg"},
		"a folder and data":          {map[string]string{"a.js": "show('crew/' + name + '.jpg'); fetch('crew.json')", "crew.json": `[{"name": "ada"}]`, "crew/ada.jpg": ""}, "<script src=a.js></script>", "a.js crew.json crew/ada.jpg"},
		"names from data alone":      {map[string]string{"a.js": "fetch('crew.json').then(show)", "crew.json": `{"name": "ada"}`, "p/ada.jpg": "", "p/eve.jpg": ""}, "<script src=a.js></script>", "a.js crew.json p/ada.jpg"},
		"digests of a bundler":       {map[string]string{"a.js": "import('./c.' + {7: '3f9c21aa'}[n] + '.js')", "c.3f9c21aa.js": "", "c.99aa77bb.js": "import('./d.0011ffee.js')", "d.0011ffee.js": ""}, "<script src=a.js></script>", "a.js c.3f9c21aa.js"},
		"short digests of a bundler": {map[string]string{"a.js": "import('./chunk-' + {7: 'a1'}[n] + '.js')", "chunk-a1.js": "", "chunk-b2.js": ""}, "<script src=a.js></script>", "a.js chunk-a1.js"},
		"counted names anywhere":     {map[string]string{"a.js": "const at = (n) => base + 'boat' + n + '.jpg'", "boat1.jpg": "", "boathouse.jpg": "", "bow.jpg": ""}, "<script src=a.js></script>", "a.js boat1.jpg"},
		"a script of the page":       {map[string]string{"x/1.png": "", "y/1.png": ""}, "<a href=y/></a><script>const dir = 'x/'</script>", "x/1.png"},
		"a data block of the page":   {map[string]string{"x/1.png": "", "y/1.png": ""}, `<a href="y/"></a><script type="application/json">{"dir": "x/"}</script>`, "x/1.png"},
		"an attribute for scripts":   {map[string]string{"x/1.png": "", "y/1.png": ""}, `<a href="y/"></a><p data-dir="x/"></p>`, "x/1.png"},
		"what style sheets name":     {map[string]string{"a.css": "@font-face{src:url(f.woff2) format('woff2'),url(f.woff)}body{background:url(b.png)}", "f.woff2": "", "f.woff": "", "b.png": ""}, "<link rel=stylesheet href=a.css>", "a.css b.png f.woff2"},
		"fonts for characters":       {map[string]string{"a.css": "@font-face{src:url(l.woff2)}@font-face{src:url(e.woff2);unicode-range:U+100-17F}@font-face{src:url(c.woff2);unicode-range:U+400-4FF}", "l.woff2": "", "e.woff2": "", "c.woff2": ""}, "<meta charset=utf-8><link rel=stylesheet href=a.css>\u0141\u00f3d\u017a", "a.css e.woff2 l.woff2"},
		"characters of data":         {map[string]string{"a.css": "@font-face{src:url(c.woff2);unicode-range:U+400-4FF}", "c.woff2": "", "d.json": `["\u0451"]`}, "<link rel=stylesheet href=a.css><script>fetch('d.json')</script>", "a.css c.woff2 d.json"},
		"one of two names another":   {map[string]string{"a.js": "f('boat.jpg')", "boat.jpg": "", "lifeboat.jpg": "", "boat.jpg.txt": ""}, "<script src=a.js></script>", "a.js boat.jpg"},
		"what only the manifest has": {map[string]string{"m.json": `{"icons": [{"src": "i.png"}]}`, "i.png": ""}, "<link rel=manifest href=m.json>", "m.json"},
	} {
		t.Run(name, func(t *testing.T) {
			files := map[string]string{"index.html": "<!doctype html><title>t</title>" + c.page}
			for f, data := range c.files {
				files[f] = data
			}
			inv := take(t, "/", files)
			wanted, known, err := inv.Wanted(context.Background(), func(string) bool { return false })
			require.NoError(t, err)
			require.True(t, known)
			var got []string
			for f := range c.files {
				if file, ok := inv.Site.File(f); ok && wanted[file.URL] {
					got = append(got, f)
				}
			}
			slices.Sort(got)
			assert.Equal(t, c.wanted, strings.Join(got, " "))
		})
	}
}
