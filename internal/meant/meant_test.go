package meant

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestBy(t *testing.T) {
	words := []string{"audit", "fit", "--fail-on", "--format", "network-first", "theme_color"}
	for word, want := range map[string]string{"auditt": "audit", "Audit": "audit", "--fail": "--fail-on", "--fial-on": "--fail-on", "network-frist": "network-first", "theme_colour": "theme_color", "nonsense": "", "zzzzzzzz": "", "": "", "fi": "fit"} {
		assert.Equal(t, want, By(word, words), word)
	}
	assert.Empty(t, By("x", nil))
}
