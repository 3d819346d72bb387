package cli

import (
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestArrowsGoDownwards holds what docs/architecture.md says: the core knows neither how it is run nor what its results look like, and what is
// run knows nothing of flags and presentation.
func TestArrowsGoDownwards(t *testing.T) {
	interfaces := map[string]int{"run": 1, "present": 2, "cli": 3} // all others are the core
	outside := map[string]bool{"e2e": true, "torture": true}
	terminal := []string{"github.com/spf13/", "github.com/charmbracelet/", "github.com/schollz/", "golang.org/x/term"}
	seen := 0
	err := filepath.WalkDir("..", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() || !strings.HasSuffix(p, ".go") || strings.HasSuffix(p, "_test.go") {
			return err
		}
		room := strings.Split(filepath.ToSlash(p), "/")[1]
		if outside[room] {
			return nil
		}
		src, err := os.ReadFile(p)
		require.NoError(t, err)
		file, err := parser.ParseFile(token.NewFileSet(), p, src, parser.ImportsOnly)
		require.NoError(t, err)
		for _, i := range file.Imports {
			path, err := strconv.Unquote(i.Path.Value)
			require.NoError(t, err)
			if to, ok := strings.CutPrefix(path, "tachyform.dev/tachyform/internal/"); ok {
				to, _, _ = strings.Cut(to, "/")
				assert.False(t, interfaces[to] > interfaces[room] || interfaces[to] == 1 && room == "present", "%s imports %s", p, path)
			}
			for _, x := range terminal {
				assert.False(t, strings.HasPrefix(path, x) && interfaces[room] < 2, "%s imports %s", p, path)
			}
			seen++
		}
		return nil
	})
	require.NoError(t, err)
	assert.Greater(t, seen, 500)
}
