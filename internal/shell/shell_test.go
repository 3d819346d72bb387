package shell

import (
	"os/exec"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestQuote(t *testing.T) {
	for s, want := range map[string]string{"dist": "dist", "../a/b.c": "../a/b.c", "my site": "'my site'", "it's": `'it'\''s'`, "-rf": "./-rf", "$HOME": "'$HOME'", "": "''", "http://a/?b=c&d": "'http://a/?b=c&d'", "ü": "'ü'", "100%": "100%"} {
		assert.Equal(t, want, Quote(s), s)
		if s == "-rf" {
			continue
		}
		out, err := exec.Command("sh", "-c", "printf %s "+Quote(s)).Output()
		if err != nil {
			require.ErrorIs(t, err, exec.ErrNotFound) // no such shell here
			continue
		}
		assert.Equal(t, s, string(out))
	}
}
