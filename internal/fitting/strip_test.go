package fitting

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"tachyform.dev/tachyform/internal/site"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// strip takes everything out of a folder.
func strip(t testing.TB, dir string) *Removal {
	t.Helper()
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	r, err := Unfit(context.Background(), s, nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(context.Background(), nil))
	return r
}

func TestStripRestoresEveryByte(t *testing.T) {
	for name, c := range map[string]struct {
		files map[string]string
		opts  Options
	}{
		"plain":        {nil, Options{}},
		"own manifest": {map[string]string{"manifest.json": "{\"name\":\"Mine\"}"}, Options{}},
		"own worker":   {map[string]string{"main.js": `navigator.serviceWorker.register("/sw.js")`, "sw.js": "onfetch = () => {}"}, Options{ReplaceWorker: true}},
		"odd pages":    {map[string]string{"a.html": "\xff\xfe<\x00p\x00>\x00", "b.html": "", "c.html": "<p>\r", "icons/own.svg": "x"}, Options{}},
	} {
		t.Run(name, func(t *testing.T) {
			dir := write(t, write(t, t.TempDir(), small), c.files)
			before := tree(t, dir)
			fit(t, dir, nil, c.opts)
			fit(t, dir, nil, Options{})
			r := strip(t, dir)
			assert.Empty(t, r.Kept)
			same(t, before, tree(t, dir))
			assert.NoDirExists(t, filepath.Join(dir, site.OwnDir))
			assert.True(t, strip(t, dir).Nothing())
		})
	}
}

func TestStripKeepsWhatSomebodyChanged(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"manifest.json": "{\"name\":\"Mine\"}"})
	fit(t, dir, nil, Options{})
	edited := read(t, dir, "index.html") + "<p>more"
	write(t, dir, map[string]string{"offline.html": "<p>mine now", "manifest.json": "{\"name\":\"Changed\"}", "index.html": edited, "post/index.html": strings.Replace(read(t, dir, "post/index.html"), endMark, "", 1)})
	r := strip(t, dir)
	kept := map[string]string{}
	for _, k := range r.Kept {
		kept[k.Path] = k.Why
	}
	assert.Len(t, kept, 3)
	assert.Contains(t, kept["offline.html"], "somebody changed it")
	assert.Contains(t, kept["post/index.html"], "lost its end")
	assert.Equal(t, small["index.html"]+"<p>more", read(t, dir, "index.html"))
	assert.Equal(t, "{\"name\":\"Changed\"}", read(t, dir, "manifest.json"))
	assert.NoFileExists(t, filepath.Join(dir, "sw.js"))
}

const endMark = "<!--/tachyform-->"

func TestStripThatWasInterrupted(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"manifest.json": "{\"name\":\"Mine\"}"})
	before := tree(t, dir)
	fit(t, dir, nil, Options{})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	r, err := Unfit(context.Background(), s, nil)
	require.NoError(t, err)
	require.NoError(t, r.plan.locked(func() error { return r.plan.apply(context.Background(), nil) })) // and then the power fails
	strip(t, dir)
	same(t, before, tree(t, dir))
}
