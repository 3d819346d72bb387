package config

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestPlaces(t *testing.T) {
	const text = `site = "dist"
base = "/"
[app]
name = "Skerry Line"
theme_color = "#0b4f6c"
[audit]
fail_on = "warning"
[place.staging]
base = "/preview/"
fail_on = "never"
app = { name = "Skerry Line (staging)" }
[place.islands]
site = "islands"
`
	c, err := Parse("t.toml", []byte(text))
	require.NoError(t, err)
	assert.Equal(t, []string{"islands", "staging"}, c.PlaceNames())
	at, err := c.At("staging")
	require.NoError(t, err)
	assert.Equal(t, []string{"dist", "/preview/", "never", "Skerry Line (staging)", "#0b4f6c"}, []string{at.Site, at.Base, at.Audit.FailOn, at.App.Name, at.App.ThemeColor})
	assert.Equal(t, []string{"/", "warning", "Skerry Line"}, []string{c.Base, c.Audit.FailOn, c.App.Name}, "the usual place stays as it is")
	at, err = c.At("islands")
	require.NoError(t, err)
	assert.Equal(t, []string{"islands", "/", "Skerry Line"}, []string{at.Site, at.Base, at.App.Name})
	for name, want := range map[string]string{"stagin": `it names islands, staging; do you mean "staging"?`, "": "has no such place"} {
		_, err := c.At(name)
		assert.ErrorContains(t, err, want)
	}
	none, err := Parse("t.toml", nil)
	require.NoError(t, err)
	_, err = none.At("x")
	assert.ErrorContains(t, err, "a table [place.x] is one")
	_, err = (&Config{}).At("x")
	assert.ErrorContains(t, err, "there is no tachyform.toml that names places")
}

func TestMistakesInPlaces(t *testing.T) {
	for text, want := range map[string]string{
		"[place.a]\nbase = \"x\"\n": `t.toml:2:1: base = "x" is no path`, "[place.a]\nbas = \"/\"\n": `t.toml:2:1: unknown key "place.a.bas"; do you mean "place.a.base"?`,
		"[place.a.app]\nname = \"x\"\ndisplay = \"big\"\n": `t.toml:3:1: display = "big"`, "[place.\"a b\"]\nbase = \"/\"\n": "make a name", "place = 1\n": "place: ",
		"base = \"x\"\n[place.a]\nsite = \"y\"\n": `t.toml:1:1: base = "x" is no path`,
	} {
		_, err := Parse("t.toml", []byte(text))
		require.ErrorContains(t, err, want)
		assert.NotContains(t, err.Error(), "\n", "each is said once")
	}
}

// TestFindByPlace finds a configuration above a site that only a place of it names.
func TestFindByPlace(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "islands"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(dir, Name), []byte("site = \"dist\"\n[place.islands]\nsite = \"islands\"\n"), 0o644))
	c, err := Find("", filepath.Join(dir, "islands"))
	require.NoError(t, err)
	assert.NotEmpty(t, c.File)
	c, err = Find("", dir)
	require.NoError(t, err)
	assert.Empty(t, c.File)
}
