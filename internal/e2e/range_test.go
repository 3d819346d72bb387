package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// TestRanges asks for parts of a file of six bytes, of the server and of the worker: both stages, both sides, and the text of RFC 9110 agree.
func TestRanges(t *testing.T) {
	files := map[string]string{"horn.mp3": "abcdef", "wild.mp3": "abcdef", "index.html": `<!doctype html><html lang=en><head><title>Horn</title></head><body><audio src=/horn.mp3 preload=none></audio></body></html>`}
	cases := []struct {
		spec, body string
		status     int
	}{
		{"bytes=0-2", "abc", 206},
		{"bytes=2-", "cdef", 206},
		{"bytes=-2", "ef", 206},
		{"bytes=-99", "abcdef", 206},
		{"bytes=4-99", "ef", 206},
		{"bytes=5-5", "f", 206},
		{"bytes=0-99999999999999999999999", "abcdef", 206},
		{"bytes=6-", "", 416},
		{"bytes=99-100", "", 416},
		{"bytes=-0", "", 416},
		{"bytes=3-1", "abcdef", 200},
		{"bytes=-", "abcdef", 200},
		{"bytes=a-b", "abcdef", 200},
		{"bytes=0-1,3-4", "abcdef", 200},
		{"lines=0-1", "abcdef", 200},
		{"bytes=1-2-3", "abcdef", 200},
	}
	mostlyEmbedded(t, files, "[stow]\nnow = [\"/\", \"/horn.mp3\"]\nnever = [\"/wild.mp3\"]\n", site.Rules{}, func(w *world) {
		w.visit()
		w.Received()
		for _, url := range []string{"/wild.mp3", "/horn.mp3"} {
			for _, c := range cases {
				a := w.send(stage.Message{URL: url, Header: [][2]string{{"range", c.spec}}})
				assert.Equal(w, c.body, a.Body, "%s %s", url, c.spec)
				assert.Equal(w, c.status, a.Status, "%s %s", url, c.spec)
			}
		}
		assert.NotContains(w, w.asked(), "GET /horn.mp3", "the worker has answered for what it stores")
	})
}
