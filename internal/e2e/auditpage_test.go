package e2e

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/serve"
)

// look measures the page that is open: how wide it is, what it loaded, and the least contrast of its texts (WCAG 2.2, 1.4.3).
const look = `(() => {
  const light = (c) => { const [r, g, b] = c.map((v) => { v /= 255; return v <= 0.04045 ? v / 12.92 : ((v + 0.055) / 1.055) ** 2.4 }); return 0.2126 * r + 0.7152 * g + 0.0722 * b };
  const parse = (s) => s.match(/[\d.]+/g).map(Number);
  let least = 21, where = "";
  for (const e of document.querySelectorAll("main *")) {
    if (e.closest("[aria-hidden]")) continue; // drawings of what systems draw, with the site's own colours
    if (![...e.childNodes].some((n) => n.nodeType === 3 && n.data.trim())) continue;
    let b = e, paper = [0, 0, 0, 0];
    while (b && (paper = parse(getComputedStyle(b).backgroundColor))[3] === 0) b = b.parentElement;
    if (!b) paper = [255, 255, 255];
    const x = light(parse(getComputedStyle(e).color).slice(0, 3)), y = light(paper.slice(0, 3));
    const contrast = (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
    if (contrast < least) { least = contrast; where = e.tagName + " " + e.className + ": " + e.textContent.slice(0, 40) }
  }
  const broken = [...document.images].filter((i) => !i.complete || !i.naturalWidth).length;
  const levels = [...document.querySelectorAll("h1, h2, h3, h4")].map((h) => +h.tagName[1]);
  const cut = [...document.querySelectorAll("td")].filter((c) => c.scrollWidth > c.clientWidth + 1).map((c) => c.textContent);
  return JSON.stringify({wide: document.documentElement.scrollWidth, seen: innerWidth, least, where, broken, images: document.querySelectorAll(".pic").length, unnamed: document.querySelectorAll("img:not([alt])").length,
    levels, cut, focus: document.querySelectorAll("summary").length, paper: getComputedStyle(document.body).backgroundColor, loaded: performance.getEntriesByType("resource").filter((r) => !r.name.startsWith("data:")).map((r) => r.name)});
})()`

// TestAuditPageInChromium opens the page of an audit in windows of several sizes, light, dark and as printed.
func TestAuditPageInChromium(t *testing.T) {
	needsAll(t)
	dir := t.TempDir()
	fine(t, dir, "demo", "skerry", "--quiet")
	write(t, dir, map[string]string{
		"wrong/index.html": `<!doctype html><title>` + "Averylongtitlewithoutanyspaceinitthatgoesonandon" + `</title><link rel=manifest href=m.json><script>navigator.serviceWorker.register("sw.js")</script><img src=no.png>`,
		"wrong/a-very-long-name-of-a-page-that-does-not-fit-into-any-narrow-window-at-all-and-then-some.html": "<title>x</title>",
		"wrong/m.json": `{"name": 1, "icons": [{"src": "no.png"}, 3], "start_url": "https://elsewhere.example/", "theme_color": "nope"}`,
		"wrong/sw.js":  `oninstall = (e) => e.waitUntil(caches.open("a-name-of-a-store-that-is-long-and-has-no-space-in-it-anywhere").then((c) => c.addAll(["/"]))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`,
		"pages/x.html": "", "pages/index.html": "",
	})
	fine(t, dir, "audit", "skerry", "--format", "html", "--output", "pages/good.html")
	fine(t, dir, "audit", "wrong", "--fail-on", "never", "--format", "html", "--output", "pages/bad.html")
	fine(t, dir, "manifest", "skerry", "--sheet", "pages/looks.html")
	web, err := serve.Start(serverOf(t, dir+"/pages", "/"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	b, err := chromium.Start(t.Context(), web)
	require.NoError(t, err, "a missing browser is a failure here")
	t.Cleanup(b.Close)
	for _, page := range []string{"/good.html", "/bad.html", "/looks.html"} {
		papers := map[string]bool{}
		for _, v := range []struct {
			width          int64
			medium, scheme string
		}{{1280, "screen", "light"}, {1280, "screen", "dark"}, {400, "screen", "light"}, {400, "screen", "dark"}, {700, "print", "light"}, {700, "print", "dark"}} {
			require.NoError(t, b.Emulate(v.medium, v.scheme))
			_, err := b.Screenshot(v.width, 800, 1)
			require.NoError(t, err)
			_, err = b.Open(page)
			require.NoError(t, err)
			text, err := b.Evaluate(look)
			require.NoError(t, err)
			var saw struct {
				Wide, Seen, Broken, Images, Unnamed, Focus int
				Least                                      float64
				Where, Paper                               string
				Levels                                     []int
				Cut, Loaded                                []string
			}
			require.NoError(t, json.Unmarshal([]byte(text), &saw))
			assert.EqualValues(t, v.width, saw.Seen)
			assert.LessOrEqual(t, saw.Wide, saw.Seen, "%s at %d px can be scrolled sideways", page, v.width)
			assert.GreaterOrEqual(t, saw.Least, 4.5, "%s, %s, %s: %s", page, v.medium, v.scheme, saw.Where)
			assert.Zero(t, saw.Broken+saw.Unnamed, "pictures that do not show or have no alternative")
			assert.Equal(t, page != "/bad.html", saw.Images > 0)
			assert.Empty(t, saw.Cut, "%s at %d px", page, v.width)
			assert.Empty(t, saw.Loaded, "it asks nobody for anything")
			assert.Equal(t, 1, saw.Levels[0])
			for i := 1; i < len(saw.Levels); i++ {
				assert.LessOrEqual(t, saw.Levels[i], saw.Levels[i-1]+1, "no level of headings is left out")
			}
			assert.Equal(t, page != "/looks.html", saw.Focus > 0)
			if v.medium == "print" {
				assert.Equal(t, "rgb(255, 255, 255)", saw.Paper)
			} else {
				papers[saw.Paper] = true
			}
			assert.Empty(t, b.Console())
			assert.Empty(t, b.Log())
		}
		assert.Len(t, papers, 2, "light and dark differ")
	}
}
