package finding

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShared(t *testing.T) {
	for name, c := range map[string]struct {
		some, others []string
		want         []Group
	}{
		"none":             {nil, []string{"/"}, nil},
		"one":              {[]string{"/a/"}, []string{"/"}, []Group{{"/a/", 1, ""}}},
		"a folder":         {[]string{"/a/x", "/a/y/", "/a/"}, []string{"/", "/b/"}, []Group{{"/a/", 3, "/a/"}}},
		"a folder of both": {[]string{"/a/x", "/a/y"}, []string{"/a/z"}, []Group{{"/a/x", 1, ""}, {"/a/y", 1, ""}}},
		"deeper":           {[]string{"/a/b/x", "/a/b/y", "/c"}, []string{"/a/z"}, []Group{{"/a/b/x", 2, "/a/b/"}, {"/c", 1, ""}}},
		"all":              {[]string{"/", "/a/"}, nil, []Group{{"/", 1, ""}, {"/a/", 1, ""}}},
		"names that begin": {[]string{"/account", "/accounts/x"}, []string{"/"}, []Group{{"/account", 1, ""}, {"/accounts/x", 1, ""}}},
	} {
		assert.Equal(t, c.want, Shared(c.some, c.others), name)
	}
}
