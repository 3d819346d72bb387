package platform

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/manifest"
)

func TestCompatibilityData(t *testing.T) {
	assert.Contains(t, Source(), "browser-compat-data")
	assert.Greater(t, len(Members()), 15)
	for _, c := range []struct {
		platform, member string
		honoured, known  bool
	}{
		{"chromium-desktop", "name", true, true}, {"safari-ios", "display_override", false, true}, {"safari-macos", "shortcuts", true, true},
		{"firefox-desktop", "name", false, true}, {"chromium-desktop", "nonsense", false, false},
	} {
		for _, p := range All {
			if p.ID == c.platform {
				v, known := p.Since(c.member)
				assert.Equal(t, []bool{c.honoured, c.known}, []bool{v != "", known}, "%s %s", c.platform, c.member)
			}
		}
	}
}

const full = `{"name": "Skerry Line", "short_name": "Skerry", "id": "/", "start_url": "/", "display": "standalone", "theme_color": "teal", "background_color": "white", "description": "Ferries",
	"icons": [{"src": "a.png", "sizes": "192x192"}, {"src": "b.png", "sizes": "512x512", "purpose": "maskable"}], "screenshots": [{"src": "s.png"}], "shortcuts": [{"name": "Tides", "url": "/tides/"}]}`

func TestGaps(t *testing.T) {
	process := func(src string) *manifest.Manifest {
		m, err := manifest.Process([]byte(src), "m", "https://ferry.example/m", "https://ferry.example/")
		require.NoError(t, err)
		return m
	}
	for _, p := range All {
		assert.Empty(t, p.Gaps(process(full), Page{TouchIcon: true}), p.ID)
	}
	lacking := func(id, src string, page Page) (blocks, others []string) {
		for _, p := range All {
			if p.ID == id {
				for _, g := range p.Gaps(process(src), page) {
					assert.NotEmpty(t, g.Why)
					if g.Blocks {
						blocks = append(blocks, g.What)
					} else {
						others = append(others, g.What)
					}
				}
			}
		}
		return blocks, others
	}
	blocks, others := lacking("chromium-desktop", "{ }", Page{})
	assert.Equal(t, []string{"name", "start_url", "display", "icons"}, blocks)
	assert.Equal(t, []string{"id", "theme_color", "background_color", "description", "screenshots", "shortcuts"}, others)
	blocks, others = lacking("safari-ios", "{ }", Page{ThemeColor: true})
	assert.Equal(t, []string{"display"}, blocks)
	assert.Equal(t, []string{"name", "apple-touch-icon link", "id"}, others)
	blocks, others = lacking("firefox-android", `{"name": "Skerry Line ferries", "display": "standalone"}`, Page{})
	assert.Empty(t, blocks)
	assert.Equal(t, []string{"icons", "a maskable icon", "short_name", "theme_color", "background_color"}, others)
	blocks, others = lacking("firefox-desktop", "{ }", Page{})
	assert.Empty(t, blocks)
	assert.Empty(t, others)
}
