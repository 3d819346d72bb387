package fitting

import (
	"sort"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
)

// TestShortcutsAreStoredFirst has the pages that the manifest names be there after one visit, on a site that is too large to be stored as a whole.
func TestShortcutsAreStoredFirst(t *testing.T) {
	page := func(title, body string) string {
		return "<!doctype html><html lang=en><head><title>" + title + "</title></head><body>" + body + "</body></html>"
	}
	files := map[string]string{
		"index.html":       page("Start", `<nav><a href="/tides/">Tides</a> <a href="/maps/">Maps</a></nav>`),
		"tides/index.html": page("Tides", "<link rel=stylesheet href=/tides.css>"), "tides.css": "p { color: red }",
		"maps/index.html": page("Maps", "<img src=/map.bmp>"), "map.bmp": strings.Repeat("x", 40_000), "big.html": page("Big", strings.Repeat("word ", 40_000)),
	}
	for ceiling, want := range map[string][]string{
		"45 kB": {"/", "/tides.css", "/tides/"}, // the map has no room
		"90 kB": {"/", "/map.bmp", "/maps/", "/tides.css", "/tides/"},
	} {
		dir := write(t, t.TempDir(), files)
		cfg, err := config.Parse("tachyform.toml", []byte("[icons]\neffort = \"quick\"\n[stow]\nceiling = \""+ceiling+"\"\n"))
		require.NoError(t, err)
		p, err := plan(t, dir, cfg, Options{})
		require.NoError(t, err)
		var now []string
		for u := range p.Caching.Now {
			if !strings.HasPrefix(u, "/sw") && u != "/offline.html" && !strings.HasPrefix(u, "/icons/") {
				now = append(now, u)
			}
		}
		sort.Strings(now)
		assert.Equal(t, want, now, ceiling)
	}
}
