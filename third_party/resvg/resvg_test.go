package resvg

import (
	"crypto/sha256"
	"encoding/hex"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestModuleIsTheReviewedOne(t *testing.T) {
	m, err := Module()
	require.NoError(t, err)
	sum := sha256.Sum256(m)
	assert.Equal(t, SHA256, hex.EncodeToString(sum[:]))
}
