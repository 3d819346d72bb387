package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/present"
)

// TestLooksOfAnApp draws how the demo will look, and refuses what cannot be drawn.
func TestLooksOfAnApp(t *testing.T) {
	dir := t.TempDir()
	fittedDemo(t, dir)
	read := func(name string) string {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(data)
	}
	out := fine(t, dir, "manifest", "demo-site", "--sheet", "looks.html")
	for _, part := range []string{"How Skerry Line will look", "Safari, iPhone and iPad", "The touch icon of the start page", "There are no launch pictures", "looks.html shows all of it"} {
		assert.Contains(t, out, part)
	}
	page := read("looks.html")
	assert.Equal(t, 1, strings.Count(page, "Samsung Internet"))
	assert.NotContains(t, page, "ZgotmplZ", "nothing that the template refuses")
	assert.GreaterOrEqual(t, strings.Count(page, `url("data:image/png;base64,`), 3)

	var v present.Sheet
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "manifest", "demo-site", "--sheet", "again.html", "--format", "json")), &v))
	assert.Equal(t, present.SheetFormat, v.Format)
	assert.Len(t, v.Looks, 6, "all but the one that does not install")
	assert.Equal(t, page, read("again.html"))

	write(t, dir, map[string]string{"bare/index.html": "<title>x</title>"})
	for _, c := range [][]string{{"manifest", "demo-site", "--sheet", "looks.png"}, {"manifest", "demo-site/manifest.webmanifest", "--sheet", "l.html"}, {"manifest", "bare", "--sheet", "l.html"}, {"manifest", "demo-site", "--write", "--sheet", "l.html"}} {
		_, message, code := run(t, dir, c...)
		assert.Equal(t, 2, code, c)
		assert.NotEmpty(t, message)
	}
	assert.NoFileExists(t, dir+"/l.html")
}
