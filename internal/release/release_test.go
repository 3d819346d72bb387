package release

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestID(t *testing.T) {
	a := ID(map[string]string{"/": "1", "/a": "2"}, "rules")
	assert.Len(t, a, 12)
	assert.Equal(t, a, ID(map[string]string{"/a": "2", "/": "1"}, "rules"), "the order of a map does not matter")
	for name, b := range map[string]string{
		"a changed file":   ID(map[string]string{"/": "1", "/a": "3"}, "rules"),
		"a missing file":   ID(map[string]string{"/": "1"}, "rules"),
		"other rules":      ID(map[string]string{"/": "1", "/a": "2"}, "other"),
		"a moved boundary": ID(map[string]string{"/": "1", "/a2": ""}, "rules"),
	} {
		assert.NotEqual(t, a, b, name)
	}
}

func TestDigest(t *testing.T) {
	assert.Equal(t, "47DEQpj8HBSa-_TI", Digest(nil))
}
