package worker

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/release"
)

// TestReleased reads back what a worker lists, as written and minified.
func TestReleased(t *testing.T) {
	p := plan()
	for u, e := range p.Now {
		p.Now[u] = Entry{release.Digest([]byte(u)), e.Kind}
	}
	p.Later = map[string]Entry{"/c%C3%A9%22x.jpg": {release.Digest(nil), Other}}
	for _, p.Minify = range []bool{false, true} {
		files, ok := Released(source(t, p))
		assert.True(t, ok)
		assert.Len(t, files, len(p.Now)+1)
		assert.Equal(t, p.Now["/b.css"], files["/b.css"])
		assert.Equal(t, p.Now["/about.html"], files["/about.html"])
		assert.Equal(t, Other, files["/c%C3%A9%22x.jpg"].Kind)
	}
	_, ok := Released([]byte("self.tachyform = {}"))
	assert.False(t, ok)
	assert.True(t, Entry{release.Digest([]byte("a")), Code}.Is([]byte("a"), ""))
	assert.False(t, Entry{release.Digest([]byte("a")), Other}.Is([]byte("b"), ""))
	assert.True(t, Entry{"abc", Pages}.Is([]byte("<x data-digest=abc>"), ""))
	assert.True(t, Entry{"abc", Linked}.Is([]byte("\x00/\x00s"), "/s"))
	assert.False(t, Entry{"abc", Linked}.Is([]byte("sign in"), "/s"))
}
