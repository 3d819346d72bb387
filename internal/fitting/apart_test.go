package fitting

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/site"
)

// apartly is a site with a manifest of its own, which fit completes, and whose record lies apart from it.
func apartly(t *testing.T) (dir string, cfg *config.Config) {
	t.Helper()
	at := t.TempDir()
	dir = write(t, filepath.Join(at, "dist"), small)
	write(t, dir, map[string]string{"manifest.webmanifest": `{"name": "Tides"}`,
		"index.html": strings.Replace(small["index.html"], "<head>", "<head><link rel=manifest href=/manifest.webmanifest>", 1)})
	return dir, &config.Config{File: filepath.Join(at, "tachyform.toml"), RecordDir: "kept"}
}

func openApart(t *testing.T, dir string, cfg *config.Config) *site.Site {
	t.Helper()
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	s.Record = cfg.RecordFolder()
	return s
}

func fitApart(t *testing.T, dir string, cfg *config.Config) *Plan {
	t.Helper()
	p, err := Make(context.Background(), openApart(t, dir, cfg), cfg, Options{})
	require.NoError(t, err)
	require.NoError(t, p.Apply(context.Background(), nil))
	return p
}

func TestRecordApart(t *testing.T) {
	dir, cfg := apartly(t)
	before := tree(t, dir)
	fitApart(t, dir, cfg)
	fitted, kept := tree(t, dir), tree(t, cfg.RecordFolder())
	for name := range fitted {
		assert.NotContains(t, name, site.OwnDir, "nothing of ours but what is deployed is left in the site")
	}
	assert.Len(t, kept, 2, "the record, and the manifest that was completed")
	assert.Empty(t, fitApart(t, dir, cfg).paths(), "a second fit finds everything as it is")
	same(t, fitted, tree(t, dir))
	same(t, kept, tree(t, cfg.RecordFolder()))
	assert.Equal(t, "/", RecordedBase(openApart(t, dir, cfg)))

	moved := filepath.Join(t.TempDir(), "moved") // site and record are moved together
	require.NoError(t, os.Rename(filepath.Dir(dir), moved))
	dir, cfg.File = filepath.Join(moved, "dist"), filepath.Join(moved, "tachyform.toml")
	r, err := Unfit(context.Background(), openApart(t, dir, cfg), nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(context.Background(), nil))
	assert.Equal(t, before, tree(t, dir), "with the original out of the record's folder")
	assert.NoDirExists(t, cfg.RecordFolder())
}

// TestRecordMovesApart has a site's record lie apart that lay in it, and back.
func TestRecordMovesApart(t *testing.T) {
	dir, cfg := apartly(t)
	before := tree(t, dir)
	fit(t, dir, nil, Options{})
	require.FileExists(t, filepath.Join(dir, recordFile))
	fitApart(t, dir, cfg)
	assert.NoDirExists(t, filepath.Join(dir, site.OwnDir))
	require.FileExists(t, filepath.Join(cfg.RecordFolder(), "record.json"))
	r, err := Unfit(context.Background(), openApart(t, dir, cfg), nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(context.Background(), nil))
	assert.Equal(t, before, tree(t, dir))
}

// TestRecordOfAnotherSite is not believed: it would have files taken out that are the site's own.
func TestRecordOfAnotherSite(t *testing.T) {
	dir, cfg := apartly(t)
	fitApart(t, dir, cfg)
	kept := tree(t, cfg.RecordFolder())
	other := write(t, filepath.Join(filepath.Dir(dir), "other"), small)
	before := tree(t, other)
	_, err := Make(context.Background(), openApart(t, other, cfg), cfg, Options{})
	assert.ErrorContains(t, err, "each site needs a folder of its own for its record")
	_, err = Unfit(context.Background(), openApart(t, other, cfg), nil)
	assert.ErrorContains(t, err, "is about")
	assert.Equal(t, before, tree(t, other))
	assert.Equal(t, kept, tree(t, cfg.RecordFolder()))
	assert.Empty(t, RecordedBase(openApart(t, other, cfg)), "which is only asked where it is served from")
}

// TestInterruptedApart ends a first fit at each file that it writes: the next one completes it, and strip takes everything out.
func TestInterruptedApart(t *testing.T) {
	dir, cfg := apartly(t)
	before := tree(t, dir)
	for _, after := range []int{0, 1, 3} {
		p, err := Make(context.Background(), openApart(t, dir, cfg), cfg, Options{})
		require.NoError(t, err)
		ctx, cancel := context.WithCancel(context.Background())
		err = p.Apply(ctx, func(done, _ int) {
			if done > after {
				cancel()
			}
		})
		cancel()
		if err == nil {
			t.Logf("it was through before it could be ended after %d files", after)
		}
		r, err := Unfit(context.Background(), openApart(t, dir, cfg), nil)
		require.NoError(t, err)
		require.NoError(t, r.Apply(context.Background(), nil))
		assert.Equal(t, before, tree(t, dir))
		assert.NoDirExists(t, cfg.RecordFolder())
	}
	fitApart(t, dir, cfg)
	r, err := Unfit(context.Background(), openApart(t, dir, cfg), nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(context.Background(), nil))
	assert.Equal(t, before, tree(t, dir))
}

func TestCopyWithRecordApart(t *testing.T) {
	dir, cfg := apartly(t)
	before := tree(t, dir)
	out := filepath.Join(filepath.Dir(dir), "fitted")
	for range 2 {
		s := openApart(t, dir, &config.Config{})
		c, err := Copy(s, out, cfg.RecordFolder())
		require.NoError(t, err)
		p, err := Make(context.Background(), c, cfg, Options{})
		require.NoError(t, err)
		require.NoError(t, p.Apply(context.Background(), nil))
		c.Close()
	}
	assert.Equal(t, before, tree(t, dir))
	assert.NoDirExists(t, filepath.Join(out, site.OwnDir))
	r, err := Unfit(context.Background(), openApart(t, out, cfg), nil)
	require.NoError(t, err)
	require.NoError(t, r.Apply(context.Background(), nil))
	assert.Equal(t, before, tree(t, out))
}

// TestRecordApartThatCannotBeRead stays as it is: nothing is written, and nothing of it is thrown away.
func TestRecordApartThatCannotBeRead(t *testing.T) {
	dir, cfg := apartly(t)
	fitApart(t, dir, cfg)
	p, err := Make(context.Background(), openApart(t, dir, cfg), cfg, Options{})
	require.NoError(t, err)
	originals := filepath.Join(cfg.RecordFolder(), "originals")
	list, err := os.ReadDir(originals)
	require.NoError(t, err)
	require.Len(t, list, 1)
	held := filepath.Join(originals, list[0].Name())
	require.NoError(t, os.Rename(held, held+".away"))
	require.NoError(t, os.Mkdir(held, 0o755)) // which is no file
	fitted, kept := tree(t, dir), tree(t, cfg.RecordFolder())
	assert.ErrorContains(t, p.Apply(context.Background(), nil), "nothing was written")
	assert.Equal(t, kept, tree(t, cfg.RecordFolder()))
	for name := range tree(t, dir) {
		if _, was := fitted[name]; !was {
			assert.Contains(t, name, site.OwnDir)
		}
	}
}
