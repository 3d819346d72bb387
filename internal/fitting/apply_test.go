package fitting

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"testing"

	"github.com/gofrs/flock"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

func TestModesAreKept(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	require.NoError(t, os.Chmod(filepath.Join(dir, "index.html"), 0o640))
	fit(t, dir, nil, Options{})
	info, err := os.Stat(filepath.Join(dir, "index.html"))
	require.NoError(t, err)
	assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm())
}

func TestReadOnlyFilesStopBeforeAnythingIsWritten(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	require.NoError(t, os.Chmod(filepath.Join(dir, "post", "index.html"), 0o444))
	before := tree(t, dir)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	err = p.Apply(context.Background(), nil)
	require.Error(t, err)
	assert.Contains(t, err.Error(), "nothing was written, because post/index.html is read-only")
	same(t, before, tree(t, dir))
}

func TestOneRunAtATime(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, site.OwnDir), 0o755))
	lock := flock.New(filepath.Join(dir, filepath.FromSlash(lockFile)))
	ok, err := lock.TryLock()
	require.NoError(t, err)
	require.True(t, ok)
	require.ErrorIs(t, p.Apply(context.Background(), nil), ErrBusy)
	require.NoError(t, lock.Unlock())
	require.NoError(t, p.Apply(context.Background(), nil))
}

func TestAFileThatChangesMeanwhile(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	write(t, dir, map[string]string{"post/index.html": "<p>quick change"})
	err = p.Apply(context.Background(), nil)
	require.ErrorIs(t, err, ErrChanged)
	assert.Equal(t, "<p>quick change", read(t, dir, "post/index.html"))
	fit(t, dir, nil, Options{})
	assert.Contains(t, read(t, dir, "post/index.html"), "quick change")
	assert.NoFileExists(t, filepath.Join(dir, filepath.FromSlash(journalFile)))
}

func TestInterruptedRunsAreCompleted(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	require.ErrorIs(t, p.Apply(ctx, nil), context.Canceled)
	// A run that was killed leaves its journal, a temporary file, and some files in place.
	j := journal{Format: journalFormat, Next: p.next}
	data, err := json.Marshal(j)
	require.NoError(t, err)
	write(t, dir, map[string]string{journalFile: string(data), tempName("sw.js"): "half"})
	for _, c := range p.Changes {
		if c.Kind == "icon" {
			write(t, dir, map[string]string{c.Path: string(c.data)})
		}
	}
	fit(t, dir, nil, Options{})
	assert.NoFileExists(t, filepath.Join(dir, tempName("sw.js")))
	assert.NoDirExists(t, filepath.Join(dir, "app-icons"), "files of the interrupted run are known as ours")
	want := write(t, t.TempDir(), small)
	fit(t, want, nil, Options{})
	same(t, tree(t, want), tree(t, dir))
}

func TestDryRunShowsEverything(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	before := tree(t, dir)
	p, err := plan(t, dir, nil, Options{})
	require.NoError(t, err)
	var b bytes.Buffer
	require.NoError(t, p.Diff(&b))
	same(t, before, tree(t, dir))
	for _, part := range []string{"--- a/index.html\n+++ b/index.html\n", "+  <link rel=\"manifest\" href=\"/manifest.webmanifest\">", "--- /dev/null\n+++ b/sw.js\n", "Binary file b/icons/icon-192.png would be written"} {
		assert.Contains(t, b.String(), part)
	}
}

func TestCopy(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	before := tree(t, dir)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	out := filepath.Join(t.TempDir(), "out")
	copied, err := Copy(s, out, "")
	require.NoError(t, err)
	copied.Close()
	fit(t, out, nil, Options{})
	same(t, before, tree(t, dir))
	_, err = Copy(s, write(t, t.TempDir(), map[string]string{"x": "y"}), "")
	assert.ErrorContains(t, err, "not empty")
	again, err := Copy(s, out, "")
	require.NoError(t, err, "an earlier copy may be written again")
	again.Close()
}

func TestDamagedRecord(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{recordFile: "{"})
	_, err := plan(t, dir, nil, Options{})
	assert.ErrorContains(t, err, "not a record")
	write(t, dir, map[string]string{recordFile: `{"format":"tachyform.record/1","files":{"../x":{"sha256":"a"}}}`})
	_, err = plan(t, dir, nil, Options{})
	assert.ErrorContains(t, err, "no path inside the site")
	assert.False(t, errors.Is(err, fs.ErrNotExist))
}
