package webapi

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNames(t *testing.T) {
	for name, want := range map[string]struct{ global, member bool }{
		"OffscreenCanvas":            {true, false},
		"fetch":                      {true, true}, // of Window
		"navigation":                 {true, true},
		"transferControlToOffscreen": {false, true},
		"startViewTransition":        {false, true},
		"innerHTML":                  {false, true},
		"timetable":                  {false, false},
		"":                           {false, false},
	} {
		assert.Equal(t, want.global, Global(name), name)
		assert.Equal(t, want.member, Member(name), name)
	}
}
