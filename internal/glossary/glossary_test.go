package glossary

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/worker"
)

// TestWords finds every member that a manifest may have, every answer of a rule, and nothing twice.
func TestWords(t *testing.T) {
	seen := map[string]bool{}
	for _, w := range Words {
		assert.False(t, seen[w.Name], w.Name)
		seen[w.Name] = true
		assert.True(t, strings.HasSuffix(w.Means, ".") || strings.HasSuffix(w.Means, "?"), w.Name)
		assert.NotEmpty(t, w.Spec, w.Name)
		for _, x := range append(append([]string{}, w.With...), w.Changed) {
			assert.True(t, x == "" || strings.HasSuffix(x, "."), "%s: %s", w.Name, x)
		}
	}
	for _, m := range manifest.Members() {
		if m != "$schema" {
			assert.True(t, seen[m], "the member %s", m)
		}
	}
	for _, m := range platform.Members() {
		if manifest.Obsolete(m) == "" && !strings.HasPrefix(m, "migrate_") && m != "localized_members" {
			assert.True(t, seen[m], "%s, of which the compatibility data speaks", m)
		}
	}
	for _, a := range worker.Answers {
		assert.True(t, seen[a], a)
	}
	for name, want := range map[string]string{"theme_color": "theme_color", "theme-color": "theme-color", "Short-Name": "short_name", " display ": "display"} {
		w, ok := Find(name)
		assert.True(t, ok, name)
		assert.Equal(t, want, w.Name)
	}
	_, ok := Find("colour")
	assert.False(t, ok)
	assert.Len(t, Names(), len(Words))
}
