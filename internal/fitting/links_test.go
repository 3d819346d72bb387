//go:build !windows

package fitting

import (
	"context"
	"os"
	"path/filepath"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestLinksAreKept has a link in the place of what fit writes: it writes elsewhere, or nothing at all.
func TestLinksAreKept(t *testing.T) {
	for name, c := range map[string]struct {
		elsewhere bool
		err       string
	}{
		"sw.js": {true, ""}, "sw-page.js": {true, ""}, "favicon.ico": {false, "a link stands where fit writes: favicon.ico"}, "offline.html": {false, "offline.html"}, "manifest.webmanifest": {true, ""},
		"icons": {false, "nothing was written, because icons is a link, and not a folder of the site"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := write(t, t.TempDir(), small)
			link := filepath.Join(dir, name)
			_ = os.RemoveAll(link)
			require.NoError(t, os.Symlink("nowhere", link))
			p, err := plan(t, dir, nil, Options{})
			if err == nil {
				err = p.Apply(context.Background(), nil)
			}
			if c.elsewhere {
				require.NoError(t, err)
				s, err := site.Open(dir, "/")
				require.NoError(t, err)
				defer s.Close()
				r, err := Unfit(context.Background(), s, nil)
				require.NoError(t, err)
				require.NoError(t, r.Apply(context.Background(), nil))
			} else {
				require.ErrorContains(t, err, c.err)
				require.NoDirExists(t, filepath.Join(dir, ".tachyform", "originals"))
			}
			to, err := os.Readlink(link)
			require.NoError(t, err, "the link is there")
			assert.Equal(t, "nowhere", to)
		})
	}
}

// TestOurFolderIsSound has something else in the place of our own files: a pipe would be waited for, and a link leads anywhere.
func TestOurFolderIsSound(t *testing.T) {
	for name, make := range map[string]func(file, outside string) error{
		"link": func(file, outside string) error { return os.Symlink(outside, file) }, "pipe": func(file, _ string) error { return syscall.Mkfifo(file, 0o600) }} {
		for _, file := range []string{".tachyform", lockFile, journalFile, recordFile, ignoreFile} {
			t.Run(name+" "+file, func(t *testing.T) {
				dir := write(t, t.TempDir(), small)
				outside := filepath.Join(t.TempDir(), "made")
				if file != ".tachyform" {
					require.NoError(t, os.Mkdir(filepath.Join(dir, ".tachyform"), 0o755))
				}
				require.NoError(t, make(filepath.Join(dir, filepath.FromSlash(file)), outside))
				before := tree(t, filepath.Join(dir, "post"))
				p, err := plan(t, dir, nil, Options{})
				if err == nil {
					err = p.Apply(context.Background(), nil)
				}
				require.Error(t, err)
				assert.Regexp(t, `is a (link|pipe), and not a f|path escapes|not a directory`, err.Error())
				assert.NoFileExists(t, outside)
				assert.NoDirExists(t, outside)
				same(t, before, tree(t, filepath.Join(dir, "post")))
			})
		}
	}
}

// TestStripAfterAnInterruption removes what was written before anything was put in place, and the folders made for it.
func TestStripAfterAnInterruption(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	before := tree(t, dir)
	require.NoError(t, os.Mkdir(filepath.Join(dir, "empty"), 0o755))
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.ErrorContains(t, p.Apply(ctx, nil), "0 of")
	require.FileExists(t, filepath.Join(dir, ".tachyform", "journal.json"))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "icons"), 0o755)) // as if it had come further
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	r, err := Unfit(context.Background(), s, nil)
	require.NoError(t, err)
	require.False(t, r.Nothing())
	assert.Contains(t, r.Leftovers, "icons")
	assert.Contains(t, r.Leftovers, ".tachyform/journal.json")
	require.NoError(t, r.Apply(context.Background(), nil))
	assert.NoDirExists(t, filepath.Join(dir, ".tachyform"))
	assert.NoDirExists(t, filepath.Join(dir, "icons"))
	assert.DirExists(t, filepath.Join(dir, "empty"), "it was there before")
	same(t, before, tree(t, dir))
	r, err = Unfit(context.Background(), s, nil)
	require.NoError(t, err)
	assert.True(t, r.Nothing())
}

// TestStripTwice keeps the original of a file that somebody changed, however often strip is run.
func TestStripTwice(t *testing.T) {
	dir := write(t, t.TempDir(), map[string]string{"index.html": `<!doctype html><title>Skerry Line</title><link rel=manifest href=/m.json>`, "m.json": `{"name": "Skerry Line"}`})
	fit(t, dir, nil, Options{})
	write(t, dir, map[string]string{"m.json": `{"name": "Other"}`})
	strip := func() *Removal {
		s, err := site.Open(dir, "/")
		require.NoError(t, err)
		defer s.Close()
		r, err := Unfit(context.Background(), s, nil)
		require.NoError(t, err)
		if !r.Nothing() {
			require.NoError(t, r.Apply(context.Background(), nil))
		}
		return r
	}
	require.Len(t, strip().Kept, 1)
	kept := func() []string {
		out, err := filepath.Glob(filepath.Join(dir, ".tachyform", "originals", "*"))
		require.NoError(t, err)
		return out
	}
	require.Len(t, kept(), 1)
	assert.True(t, strip().Nothing(), "nothing was interrupted")
	require.Len(t, kept(), 1)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.Error(t, p.Apply(ctx, nil))
	assert.NotContains(t, strip().Leftovers, originalsDir)
	require.Len(t, kept(), 1, "an interruption is no reason either")
}
