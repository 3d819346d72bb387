package weburl

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestParseRef(t *testing.T) {
	for ref, want := range map[string]string{
		"a^b":         "https://skerry.example/x/a%5Eb",
		"?a^b":        "https://skerry.example/x/y?a^b",
		"/\x1b[2J":    "https://skerry.example/%1B[2J",
		"../é\tü#t^":  "https://skerry.example/%C3%A9%C3%BC#t^",
		`\\other\a`:   "https://other/a",
		"//ü.example": "https://xn--tda.example/",
	} {
		u, err := ParseRef("https://skerry.example/x/y", ref)
		require.NoError(t, err, ref)
		assert.Equal(t, want, u.Href(false), ref)
	}
	_, err := Parse("/no/base")
	assert.Error(t, err)
	u, err := Parse("HTTPS://Skerry.example:443/^")
	require.NoError(t, err)
	assert.Equal(t, "https://skerry.example/%5E", u.Href(false))
}
