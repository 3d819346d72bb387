package config

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestMembers takes any member of a manifest, nested as TOML nests, beside the ones that have a key of their own.
func TestMembers(t *testing.T) {
	c, err := Parse("t.toml", []byte(`site = "dist"
[app]
name = "Skerry"
display_override = ["window-controls-overlay", "minimal-ui"]
categories = ["travel"]
prefer_related_applications = false
x_note = "ours"
launch_handler = { client_mode = ["navigate-existing", "auto"] }

[[app.shortcuts]]
name = "Fares"
url = "/fares/"
icons = [{ src = "/fares.png", sizes = "96x96" }]

[[app.shortcuts]]
name = "Tides"
url = "/tides/"

[app.share_target]
action = "/share/"
method = "GET"
params = { title = "t", url = "u" }
`))
	require.NoError(t, err)
	assert.Equal(t, "Skerry", c.App.Name)
	assert.Equal(t, map[string]any{
		"display_override": []any{"window-controls-overlay", "minimal-ui"}, "categories": []any{"travel"}, "prefer_related_applications": false, "x_note": "ours",
		"launch_handler": map[string]any{"client_mode": []any{"navigate-existing", "auto"}},
		"shortcuts":      []any{map[string]any{"name": "Fares", "url": "/fares/", "icons": []any{map[string]any{"src": "/fares.png", "sizes": "96x96"}}}, map[string]any{"name": "Tides", "url": "/tides/"}},
		"share_target":   map[string]any{"action": "/share/", "method": "GET", "params": map[string]any{"title": "t", "url": "u"}},
	}, c.App.Members)
	c, err = Parse("t.toml", []byte("[app]\nname = \"x\""))
	require.NoError(t, err)
	assert.Nil(t, c.App.Members)
}

// TestMistakesInMembers says what browsers would drop, at the line of the configuration.
func TestMistakesInMembers(t *testing.T) {
	for text, want := range map[string]string{
		"[app]\nshort_cuts = []":             `t.toml:2:1: unknown key "app.short_cuts"; do you mean "app.shortcuts"?`,
		"[app]\nfoo_bar_baz = 1":             `t.toml:2:1: unknown key "app.foo_bar_baz"`,
		"[app]\ngcm_sender_id = \"1\"":       `t.toml:2:1: unknown key "app.gcm_sender_id": obsolete: push messages`,
		"[app]\nicons = []":                  "t.toml:2:1: icons are made from what [icons] says",
		"[app]\n[[app.icons]]\nsrc = \"a\"":  "t.toml:3:1: icons are made from what [icons] says",
		"[app]\niarc_rating_id = 2026-11-29": "t.toml:2:1: iarc_rating_id: a manifest has no dates",
		"[app]\nname = \"a\"\n\n[[app.shortcuts]]\nname = \"a\"\nurl = \"https://b.example/\"":  "t.toml:6:1: ",
		"[app]\n[[app.shortcuts]]\nname = \"a\"\nurl = \"/a\"\n[[app.shortcuts]]\nname = \"b\"": "t.toml:6:1: ",
		"base = \"/depot/\"\n[app]\nshortcuts = [{ name = \"a\", url = \"/a\" }]":               "t.toml:3:1: ",
		"[app.share_target]\nmethod = \"GET\"":                                                  "t.toml:2:1: ",
	} {
		_, err := Parse("t.toml", []byte(text))
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), want, text)
		}
	}
}
