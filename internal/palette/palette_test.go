package palette

import (
	"os"
	"path/filepath"
	"testing"

	"context"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
	"tachyform/internal/survey"
)

func TestBackground(t *testing.T) {
	for name, c := range map[string]struct{ page, css, want string }{
		"from a sheet":              {`<link rel=stylesheet href=a.css>`, "body { background: teal }", "#008080"},
		"among other words":         {`<link rel=stylesheet href=a.css>`, "body { background: url(x.png) #123 no-repeat }", "#112233"},
		"by a property":             {`<style>:root { --paper: #fafafa } html { background-color: var(--paper) }</style>`, "", "#fafafa"},
		"by a property of another":  {`<style>:root { --a: var(--b); --b: #010203 } body { background: var(--a, red) }</style>`, "", "#010203"},
		"the fallback of a missing": {`<style>body { background: var(--none, #abcdef) }</style>`, "", "#abcdef"},
		"the element itself wins":   {`<style>body { background: red }</style><body style="background: #00f">`, "", "#0000ff"},
		"half transparent":          {`<style>body { background: rgba(0, 0, 0, .5) }</style>`, "", ""},
		"none":                      {`<style>p { background: red }</style>`, "", ""},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("<!doctype html><title>x</title>"+c.page), 0o644))
			require.NoError(t, os.WriteFile(filepath.Join(dir, "a.css"), []byte(c.css), 0o644))
			s, err := site.Open(dir, "/")
			require.NoError(t, err)
			defer s.Close()
			inv, err := survey.Take(context.Background(), s, survey.Options{})
			require.NoError(t, err)
			assert.Equal(t, c.want, Background(inv))
		})
	}
}
