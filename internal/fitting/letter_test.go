package fitting

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/config"
)

func TestLetterMark(t *testing.T) {
	for _, n := range []string{"Skerry", "\u00c6gir", "\u6e21\u8239", "", "7 ships"} {
		assert.Contains(t, string(letterMark(n, "#0b4f6c")), "<path")
	}
	assert.Equal(t, "#ffffff", ink("#0b4f6c"))
	assert.Equal(t, "#10202c", ink("#ffffff"))
}

// TestLetterOfAnotherName has the letter be drawn anew, in place of a mark that cannot be read, when the name changes.
func TestLetterOfAnotherName(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"logo.svg": "<svg", "index.html": "<title>Kelda Mail</title><link rel=icon href=logo.svg><p>x"})
	letter := func(name string) string {
		cfg := &config.Config{Icons: config.Icons{Effort: "quick"}}
		cfg.App.Name = name
		p := fit(t, dir, cfg, Options{})
		assert.Contains(t, strings.Join(p.Remarks, " "), "a letter is drawn instead")
		return read(t, dir, "icons/icon-192.png")
	}
	assert.NotEqual(t, letter("Kelda Mail"), letter("Brae Mail"))
}
