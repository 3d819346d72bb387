package fitting

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

// TestVersionControl says once which written files belong into version control, and keeps what is there for a moment out of it.
func TestVersionControl(t *testing.T) {
	for name, c := range map[string]struct {
		files map[string]string
		site  string
		said  string
	}{
		"no work tree":               {map[string]string{}, "web/dist", ""},
		"a work tree":                {map[string]string{".git/HEAD": "x", ".gitignore": "node_modules\n"}, "web/dist", "belong into version control together with the pages"},
		"a build folder":             {map[string]string{".git/HEAD": "x", ".gitignore": "# built\ndist/\n"}, "web/dist", "is kept out of version control"},
		"from a folder between":      {map[string]string{".git/HEAD": "x", "web/.gitignore": "/dist\n"}, "web/dist", "is kept out of version control"},
		"taken in again":             {map[string]string{".git/HEAD": "x", ".gitignore": "dist\n!web/dist\n"}, "web/dist", "belong into version control"},
		"what the site itself omits": {map[string]string{".git/HEAD": "x", "web/dist/.gitignore": "*.log\n"}, "web/dist", "belong into version control"},
		"a work tree beside":         {map[string]string{".git": "gitdir: elsewhere"}, "web/dist", "belong into version control"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			c.files[c.site+"/index.html"] = "<!doctype html><title>Skerry Line</title>"
			tested.Write(t, dir, c.files)
			s, err := site.Open(filepath.Join(dir, c.site), "/")
			require.NoError(t, err)
			defer s.Close()
			said := func(p *Plan) bool {
				return strings.Contains(strings.Join(p.Remarks, "\n"), "version control")
			}
			p, err := Make(context.Background(), s, &config.Config{}, Options{})
			require.NoError(t, err)
			assert.Equal(t, c.said != "", said(p))
			assert.Contains(t, strings.Join(p.Remarks, "\n"), c.said)
			require.NoError(t, p.Apply(context.Background(), nil))
			own, err := os.ReadFile(filepath.Join(s.Dir, site.OwnDir, ".gitignore"))
			require.NoError(t, err)
			assert.Equal(t, ignored, string(own))
			require.NoError(t, s.Rescan())
			again, err := Make(context.Background(), s, &config.Config{}, Options{})
			require.NoError(t, err)
			assert.False(t, said(again), "once")
		})
	}
}
