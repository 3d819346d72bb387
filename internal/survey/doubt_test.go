package survey

import (
	"context"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

func TestDoubt(t *testing.T) {
	page := `<!doctype html><title>x</title>`
	for name, c := range map[string]struct {
		files map[string]string
		want  string
	}{
		"a site":                         {map[string]string{"index.html": page, "a/index.html": page, "b/index.html": page}, ""},
		"a site with a package.json":     {map[string]string{"index.html": page, "package.json": "{}"}, ""},
		"a project":                      {map[string]string{"index.html": page, "package.json": "{}", "dist/index.html": page, "public/index.html": page}, "what is deployed is probably DIR/dist"},
		"a project built elsewhere":      {map[string]string{"index.html": page, "package.json": "{}", "build/en/index.html": page}, "what is deployed is probably DIR/build"},
		"several sites":                  {map[string]string{"a/index.html": page, "b/index.html": page + `<img src=x.png>`, "b/x.png": ""}, "DIR has no start page, and its folders are sites of their own: a, b"},
		"languages that share a style":   {map[string]string{"en/index.html": page + `<link rel=stylesheet href=/a.css>`, "de/index.html": page, "a.css": ""}, ""},
		"languages that link each other": {map[string]string{"en/index.html": page + `<a href=../de/>Deutsch</a>`, "de/index.html": page}, ""},
		"one folder":                     {map[string]string{"a/index.html": page, "a/b/index.html": page}, ""},
		"a page of its own":              {map[string]string{"start.html": page, "a/index.html": page, "b/index.html": page}, ""},
		"pages of packages":              {map[string]string{"index.html": page, "package.json": "{}", "node_modules/x/dist/index.html": page, "node_modules/x/index.html": page}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			dir := tested.Folder(t, c.files)
			s, err := site.Open(dir, "")
			require.NoError(t, err)
			defer s.Close()
			inv, err := Take(context.Background(), s, Options{})
			require.NoError(t, err)
			s.Dir = "DIR"
			d := inv.Doubt()
			if c.want == "" {
				assert.Nil(t, d)
				return
			}
			require.NotNil(t, d)
			assert.Contains(t, d.Why, c.want)
			assert.NotEmpty(t, d.Mend)
		})
	}
	for _, p := range []string{"node_modules/a/index.html", "x/node_modules/a/index.xhtml"} {
		assert.False(t, site.File{Path: p, Type: site.TypeOf(filepath.Base(p))}.IsPage(), p)
	}
}
