package survey

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPattern(t *testing.T) {
	for u, want := range map[string]string{
		"/boats/12":        "/boats/:id",
		"/boats/12/crew/7": "/boats/:id/crew/:id",
		"/b/3f2504e0-4f89-11d3-9a0c-0305e82c3301/edit": "/b/:id/edit",
		"/blob/0123456789abcdef0123":                   "/blob/:id",
		"/#/boats/9":                                   "/#/boats/:id",
		"/boats/kelda":                                 "/boats/kelda",
		"/":                                            "/",
	} {
		assert.Equal(t, want, Pattern(u))
	}
}
