package config

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/tested"
)

const full = `site = "dist"
base = "/ferry/"

[app]
name = "Skerry Line ferries"
theme_color = "#0b4f6c"

[icons]
background = "teal"

[stow]
now = ["/", "/**/*.html"]
ceiling = "2 MB"

[[rule]]
match = "/api/departures/:harbour"
answer = "network-first"
patience = "2.5s"
keep = { entries = 30 }

[offline]
except = ["/account/**"]

[[server.answer]]
path = "/api/bookings"
method = "post"
status = 201
body = "{}"
`

func TestParse(t *testing.T) {
	c, err := Parse("tachyform.toml", []byte(full))
	require.NoError(t, err)
	assert.Equal(t, "Skerry Line ferries", c.App.Name)
	assert.Equal(t, 30, c.Rules[0].Keep.Entries)
	n, err := c.Ceiling()
	require.NoError(t, err)
	assert.Equal(t, int64(2_000_000), n)
	rules, err := c.SiteRules()
	require.NoError(t, err)
	assert.Equal(t, "POST", rules.Answers[0].Method)
	assert.Equal(t, "application/json", rules.Answers[0].Type)
}

func TestMistakesHaveTheirPlace(t *testing.T) {
	for text, want := range map[string]string{
		"sitte = \"a\"":                                "t.toml:1:1: unknown key \"sitte\"; do you mean \"site\"?",
		"[app]\nnmae = \"a\"":                          "t.toml:2:1: unknown key \"app.nmae\"; do you mean \"app.name\"?",
		"[app]\ntheme-color = \"#fff\"":                "t.toml:2:1: unknown key \"app.theme-color\"; do you mean \"app.theme_color\"?",
		"[[rule]]\nmatch = \"/a\"\nanswr = \"outbox\"": "t.toml:3:1: unknown key \"rule.answr\"; do you mean \"rule.answer\"?",
		"zzzzzzzz = 1":                                 "t.toml:1:1: unknown key \"zzzzzzzz\"",
		"[app]\nname = 3":                              "t.toml:2:8: ",
		"[app\n":                                       "t.toml:1:5: ",
		"\n[app]\ntheme_color = \"blau\"":              "t.toml:3:1: theme_color = \"blau\" is no colour",
		"[app]\ndisplay = \"window\"":                  "t.toml:2:1: display = \"window\": it is one of fullscreen, standalone",
		"[stow]\nnow = [\"assets/**\"]":                "t.toml:2:8: now: \"assets/**\" does not begin with a slash",
		"\ufeffsitte = \"a\"":                          "t.toml:1:1: unknown key \"sitte\"",
		"[stow]\nnow = \"/\"":                          "t.toml:2:7: stow.now: a list of texts, such as [\"…\"], is wanted, this is a text",
		"site = 5":                                     "t.toml:1:8: site: a text in quotes is wanted, this is a whole number",
		"[[rule]]\nmatch = \"/a\"\nanswer = \"network-only\"\n[[rule]]\nmatch = \"/a\"\nanswer = \"network-frist\"": "t.toml:6:1: answer = \"network-frist\": it is one of cache-first, network-first, stale-while-revalidate, cache-only, network-only, outbox; do you mean \"network-first\"?",
		"[[rule]]\nmatch = \"api/x\"\nanswer = \"network-first\"":                                                   "t.toml:2:1: match = \"api/x\" begins with no slash",
		"base = \"https://a.example/\"":     "t.toml:1:1: base = \"https://a.example/\" is no path",
		"[app]\nlang = \"englisch!\"":       "t.toml:2:1: lang = \"englisch!\" is no language tag",
		"[app]\norientation = \"landscpe\"": "t.toml:2:1: orientation = \"landscpe\": it is one of any, natural, landscape, landscape-primary, landscape-secondary, portrait, portrait-primary, portrait-secondary; do you mean \"landscape\"?",
		"[[rule]]\nmatch = \"/a\"\nanswer = \"network-first\"\nkeep = { entries = \"30\" }": "t.toml:4:20: rule.keep: a whole number is wanted, this is a text",
		"[stow]\nceiling = \"big\"":                           "t.toml:2:1: ceiling = \"big\" is no size",
		"[[rule]]\nmatch = \"/a\"\nanswer = \"cached\"":       "t.toml:3:1: answer = \"cached\": it is one of cache-first",
		"[[rule]]\nmatch = \"/a\"":                            "t.toml:2:1: the rule for \"/a\" has no answer",
		"[[rule]]\nmatch = \"/a(\"\nanswer = \"cache-first\"": "t.toml:2:1: match = \"/a(\" is no pattern of the URL Pattern Standard",
		"[update]\ntakeover = \"now\"":                        "t.toml:2:1: takeover = \"now\"",
	} {
		_, err := Parse("t.toml", []byte(text))
		require.Error(t, err, text)
		assert.Contains(t, err.Error(), want)
		var e *Error
		assert.True(t, errors.As(err, &e), text)
	}
}

func TestAllMistakesAtOnce(t *testing.T) {
	_, err := Parse("t.toml", []byte("sitte = \"a\"\nbas = \"/\""))
	require.Error(t, err)
	assert.Contains(t, err.Error(), "\"site\"")
	assert.Contains(t, err.Error(), "\"base\"")
}

func TestFind(t *testing.T) {
	dir := t.TempDir()
	t.Chdir(dir)
	c, err := Find("", "")
	require.NoError(t, err)
	assert.Empty(t, c.File)
	assert.Equal(t, ".", c.Dir())
	require.NoError(t, os.WriteFile(Name, []byte("base = \"/x/\""), 0o644))
	c, err = Find("", "")
	require.NoError(t, err)
	assert.Equal(t, "/x/", c.Base)
	_, err = Find(filepath.Join(dir, "gone.toml"), "")
	assert.ErrorContains(t, err, "no such file")
}

// TestFindAbove takes the configuration that stands above a site when it names this site, and no other.
func TestFindAbove(t *testing.T) {
	dir := t.TempDir()
	tested.Write(t, dir, map[string]string{"a/tachyform.toml": "site = \"web/dist\"", "a/web/dist/index.html": "", "a/other/index.html": "", "a/src/x.js": "", "b/tachyform.toml": "sitte = 1", "b/dist/index.html": ""})
	t.Chdir(filepath.Join(dir, "a", "src"))
	for site, want := range map[string]string{"../web/dist": "../tachyform.toml", "../web/dist/": "../tachyform.toml", "../other": "", "../../b": "", "https://skerry.example/": "", filepath.Join(dir, "a/web/dist"): filepath.Join(dir, "a", Name)} {
		c, err := Find("", site)
		require.NoError(t, err, site)
		assert.Equal(t, want, c.File, site)
	}
	_, err := Find("", "../../b/dist")
	assert.ErrorContains(t, err, "sitte")
	t.Chdir(filepath.Join(dir, "a", "web", "dist"))
	c, err := Find("", ".")
	require.NoError(t, err)
	assert.Equal(t, "../../tachyform.toml", c.File)
}

func TestServerFiles(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "maps"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "maps", "tile.png"), []byte("x"), 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "booked.json"), []byte("{\"ok\":true}"), 0o644))
	file := filepath.Join(dir, Name)
	c, err := Parse(file, []byte("[[server.origin]]\nurl = \"https://maps.example/\"\ndir = \"maps\"\n[[server.answer]]\npath = \"/b\"\nfile = \"booked.json\""))
	require.NoError(t, err)
	o, err := c.Origins()
	require.NoError(t, err)
	assert.Equal(t, 200, o["https://maps.example"].Answer("GET", "/tile.png").Status)
	r, err := c.SiteRules()
	require.NoError(t, err)
	assert.Equal(t, "{\"ok\":true}", string(r.Answers[0].Body))
	c.Server.Answer[0].File = "gone.json"
	_, err = c.SiteRules()
	assert.ErrorContains(t, err, "gone.json")
	c.Server.Origin[0].Dir = "gone"
	_, err = c.Origins()
	assert.ErrorContains(t, err, "no such folder")
}

// TestCrowdedFiles refuses what would take minutes to read.
func TestCrowdedFiles(t *testing.T) {
	var keys, steps, list strings.Builder
	for i := range 3000 {
		fmt.Fprintf(&keys, "k%d = 1\n", i)
		steps.WriteString("\"open /\", ")
		list.WriteString("\"/a\", ")
	}
	for text, want := range map[string]string{
		keys.String(): "t.toml:2001:1: a table has more than 2000 keys", "[app]\n" + keys.String(): "t.toml:2002:1: a table has more",
		"[[story]]\nname = \"x\"\nsteps = [" + steps.String() + "]\n": "steps has more than 1000 elements", "[stow]\nnow = [" + strings.Repeat(list.String(), 7) + "]\n": "now has more than 20000 elements",
	} {
		_, err := Parse("t.toml", []byte(text))
		assert.ErrorContains(t, err, want)
	}
	_, err := Parse("t.toml", []byte("[stow]\nnow = ["+list.String()+"]\n"))
	assert.NoError(t, err)
	rules := strings.Repeat("[[rule]]\nmatch = \"/a\"\nanswer = \"network-only\"\n", 1000)
	_, err = Parse("t.toml", []byte(rules))
	assert.NoError(t, err, "each has a table of its own")
}
