package manifest

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEnormousManifest is not read, whatever stands in it.
func TestEnormousManifest(t *testing.T) {
	m, err := Process([]byte(`{"name": "`+strings.Repeat("x", maxBytes)+`"}`), "m.json", "https://site.example/m.json", "https://site.example/")
	require.NoError(t, err)
	assert.True(t, m.Lost)
	require.Len(t, m.Problems, 1)
	assert.Contains(t, m.Problems[0].Message, "larger than 8 MB")
}
