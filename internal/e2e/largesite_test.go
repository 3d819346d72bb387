package e2e

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// transferred gives what reached the visitor since the last call, in bytes compressed, and for how many answers. What the visitor has
// had in the same bytes is left out: servers answer that with 304, which the one of these tests does not.
func (w *world) transferred(had map[string]string) (bytesGzipped, answers int) {
	w.Helper()
	for _, r := range w.Received() {
		path, _, _ := strings.Cut(r.URL, "?")
		if strings.HasSuffix(path, "/") {
			path += "index.html"
		}
		data, err := os.ReadFile(filepath.Join(w.dir, "dist", filepath.FromSlash(path)))
		if err != nil || r.Status != 200 || r.Method != "GET" || had[path] == string(data) {
			continue
		}
		had[path] = string(data)
		var small bytes.Buffer
		z := gzip.NewWriter(&small)
		_, err = z.Write(data)
		require.NoError(w, err)
		require.NoError(w, z.Close())
		bytesGzipped += min(small.Len(), len(data))
		answers++
	}
	return
}

// TestThirtyThousandPages holds on a site of 30,000 pages what small ones are promised, and says what it costs.
func TestThirtyThousandPages(t *testing.T) {
	needsAll(t)
	const pages = 30000
	text := func(v string, i int) string {
		return strings.Replace(version(v)["index.html"], "<h1>", fmt.Sprintf("<p>Log of crossing %d, %s<h1>", i, strings.Repeat(fmt.Sprintf("wave %d, ", i*7919%pages), 60)), 1)
	}
	files := version("v1")
	for i := range pages {
		files[fmt.Sprintf("log/%05d/index.html", i)] = text("v1", i)
	}
	onChromium(t, files, "", site.Rules{}, func(w *world) {
		had := map[string]string{}
		say := func(what string) {
			n, answers := w.transferred(had)
			t.Logf("%-75s %7d bytes gzipped in %d answers", what, n, answers)
		}
		w.open("/")
		require.NoError(w, w.Settle())
		say("first visit, until the start page works offline")
		assert.Equal(w, "v1 v1 v1", w.sees("/log/12345/"))
		require.NoError(w, w.Settle())
		say("the first page of the log")
		for i := range 20 {
			assert.Equal(w, "v1 v1 v1", w.sees(fmt.Sprintf("/log/%05d/", i*1400)))
		}
		require.NoError(w, w.Settle())
		say("twenty pages more")
		w.open("/")
		require.NoError(w, w.Settle())
		w.Received()

		// A release that changes the style and three of a hundred pages, twenty of those that were visited among them.
		next := map[string]string{"app.css": "/* v2 */"}
		for i := 0; i < pages; i += 35 {
			next[fmt.Sprintf("log/%05d/index.html", i)] = text("v2", i)
		}
		w.release(next)
		require.NoError(w, w.Tab(1))
		assert.Equal(w, "v1 v1 v1", w.sees("/log/01400/"))
		w.updated()
		say("a returning visitor: the next release, with 20 changed pages of 22 visited")
		assert.Equal(w, "v1 v1 v1", w.sees("/log/02800/"), "as long as a page is open")
		assert.Equal(w, "v1 v1", w.late())
		require.NoError(w, w.CloseTab())
		require.NoError(w, w.Tab(0))
		require.NoError(w, w.CloseTab())
		w.comes("the change", func() bool { return w.state() == "activated" })
		w.open("/")
		w.network(stage.Offline)
		w.rest()
		assert.Equal(w, "v2 v1 v2", w.sees("/log/01400/"), "changed")
		assert.Equal(w, "v1 v1 v2", w.sees("/log/12345/"), "unchanged")
		assert.Contains(w, w.open("/log/12346/").Title, "No connection")
	})
}
