package fitting

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
)

// TestRecordIsLost fits and strips sites that were copied or deployed without what fit remembers of them, as they were and changed since.
func TestRecordIsLost(t *testing.T) {
	for name, c := range map[string]struct {
		change  map[string]string // files that are written over after the record is gone; "" appends a line
		worker  string            // of the second fit
		anew    []string          // paths that it writes
		remains []string          // what strip leaves
	}{
		"as it was":                         {worker: "sw.js", anew: []string{}},
		"a changed worker":                  {change: map[string]string{"sw.js": ""}, worker: "sw.js", anew: []string{"sw.js"}, remains: []string{"sw.js"}},
		"a changed page script":             {change: map[string]string{"sw-page.js": ""}, worker: "sw.js", anew: []string{"sw-page.js"}, remains: []string{"sw-page.js"}},
		"a manifest of their own":           {change: map[string]string{"manifest.webmanifest": "{\"name\": \"Theirs\", \"start_url\": \"/\"}"}, worker: "sw.js", remains: []string{"manifest.webmanifest"}},
		"another worker":                    {change: map[string]string{"sw.js": "// theirs\n"}, worker: "app-sw.js", remains: []string{"sw.js"}},
		"a line that lies":                  {change: map[string]string{"sw.js": "// Tachyform service worker: x\n// fit wrote this (AAAAAAAAAAAAAAAA) and these, and knows them by it: {\"../out.js\":\"x\",\"a.css\":\"AAAAAAAAAAAAAAAA\"}\n"}, worker: "sw.js", remains: []string{"sw.js"}},
		"a line that claims what is theirs": {change: map[string]string{"sw.js": string(sign([]byte("// Tachyform service worker: x\n"), map[string]string{"a.css": release.Digest([]byte(small["a.css"])), "index.html": release.Digest([]byte(small["index.html"])), "a.css.map": release.Digest([]byte("{}"))}))}, worker: "sw.js"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := write(t, t.TempDir(), small)
			before := tree(t, dir)
			fit(t, dir, nil, Options{})
			require.NoError(t, os.RemoveAll(filepath.Join(dir, ".tachyform")))
			for p, text := range c.change {
				if text == "" {
					text = read(t, dir, p) + "// mine\n"
				}
				write(t, dir, map[string]string{p: text})
				c.change[p] = text
			}
			p := fit(t, dir, nil, Options{})
			assert.Equal(t, c.worker, p.Worker)
			if c.anew != nil {
				assert.Equal(t, c.anew, p.paths())
				assert.Contains(t, strings.Join(p.Remarks, "\n"), "its record (.tachyform/record.json) is not there")
			}
			assert.Empty(t, fit(t, dir, nil, Options{}).paths(), "it is known again")
			for _, x := range strip(t, dir).Kept {
				t.Log(x)
			}
			after := tree(t, dir)
			for _, p := range c.remains {
				assert.Equal(t, c.change[p], read(t, dir, p), p)
				delete(after, p)
			}
			if name == "as it was" || name == "a changed worker" || name == "a changed page script" {
				assert.Equal(t, before, after)
			}
			for p := range small {
				assert.FileExists(t, filepath.Join(dir, p))
			}
			assert.Equal(t, small["a.css"], read(t, dir, "a.css"))
		})
	}
}

// TestStripWithoutRecord takes out what fit wrote where only our worker tells of it.
func TestStripWithoutRecord(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	before := tree(t, dir)
	fit(t, dir, nil, Options{})
	require.NoError(t, os.RemoveAll(filepath.Join(dir, ".tachyform")))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	assert.Equal(t, "/", RecordedBase(s))
	s.Close()
	strip(t, dir)
	assert.Equal(t, before, tree(t, dir))
}

// TestCopyOfAFittedSite takes along what fit knows of the site, originals as well.
func TestCopyOfAFittedSite(t *testing.T) {
	files := map[string]string{"manifest.webmanifest": `{"name": "Tides"}`, "index.html": strings.Replace(small["index.html"], "<head>", "<head><link rel=manifest href=/manifest.webmanifest>", 1)}
	dir := write(t, write(t, t.TempDir(), small), files)
	before := tree(t, dir)
	fit(t, dir, nil, Options{})
	to := filepath.Join(t.TempDir(), "copy")
	for range 2 { // into a new folder, and over an earlier copy
		s, err := site.Open(dir, "/")
		require.NoError(t, err)
		c, err := Copy(s, to, "")
		require.NoError(t, err)
		s.Close()
		c.Close()
		assert.Empty(t, fit(t, to, nil, Options{}).paths())
	}
	strip(t, to)
	assert.Equal(t, before, tree(t, to))
}
