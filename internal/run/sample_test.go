package run

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

// TestSample spreads a sample over folders and templates.
func TestSample(t *testing.T) {
	files := map[string]string{"index.html": "<title>x</title>", "a.css": ""}
	for i := range 40 {
		files[fmt.Sprintf("boats/%02d.html", i)] = "<head><link rel=stylesheet href=/a.css><title>Boat</title></head><body>"
		files[fmt.Sprintf("log/%02d.html", i)] = "<title>Log</title>"
	}
	files["boats/map.html"] = "<head><script src=map.js></script><title>Map</title></head><body>"
	s, err := site.Open(tested.Folder(t, files), "/")
	require.NoError(t, err)
	defer s.Close()
	got := Sample(s, 10)
	require.Len(t, got, 10)
	assert.Equal(t, got, Sample(s, 10), "the same every time")
	assert.Contains(t, got, "/")
	assert.Contains(t, got, "/boats/map.html", "the only one of its template")
	of := func(prefix string) (n int) {
		for _, u := range got {
			if strings.HasPrefix(u, prefix) {
				n++
			}
		}
		return n
	}
	assert.Equal(t, []int{5, 4}, []int{of("/boats/"), of("/log/")})
	assert.Equal(t, []string{"/log/00.html", "/log/10.html", "/log/20.html", "/log/30.html"}, slices.DeleteFunc(slices.Clone(got), func(u string) bool { return !strings.HasPrefix(u, "/log/") }), "evenly")
	assert.Len(t, Sample(s, 1000), 82)
	assert.Equal(t, []string{"/"}, Sample(s, 1))
}
