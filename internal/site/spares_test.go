package site

import (
	"io"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a page was is written again only when nobody else has it: another name, or a reader that is in the middle of it.
func TestSparesNeverTouchWhatOthersHave(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	for _, name := range []string{"a.html", "b.html", "c.html"} {
		require.NoError(t, os.WriteFile(at(name), []byte("old "+name), 0o640))
	}
	require.NoError(t, os.Link(at("a.html"), at("other-name.html")))
	reader, err := os.Open(at("b.html"))
	require.NoError(t, err)
	defer reader.Close()
	s, err := Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	sp, err := s.Spares(OwnDir + "/spare")
	require.NoError(t, err)
	data := func(name string) string {
		b, err := os.ReadFile(at(name))
		require.NoError(t, err)
		return string(b)
	}
	for _, name := range []string{"a.html", "b.html", "c.html", "new.html"} {
		require.NoError(t, sp.Write("x", []byte("new "+name), 0o604))
		require.NoError(t, sp.Place("x", name))
		assert.Equal(t, "new "+name, data(name))
		info, err := os.Stat(at(name))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o604), info.Mode().Perm())
		require.NoError(t, sp.Write("x", []byte("what comes next, which is longer"), 0o600))
		require.NoError(t, sp.Write("x", []byte("s"), 0o600))
		assert.Equal(t, "s", data(OwnDir+"/spare/x"), "a shorter text leaves nothing of the longer one")
		assert.Equal(t, "new "+name, data(name))
	}
	assert.Equal(t, "old a.html", data("other-name.html"), "the other name keeps its bytes")
	read, err := io.ReadAll(reader)
	require.NoError(t, err)
	assert.Equal(t, "old b.html", string(read), "a reader keeps what it opened")
	assert.Error(t, sp.Write("../outside/y", []byte("x"), 0o600))
	sp.Close()
	assert.NoDirExists(t, at(OwnDir+"/spare"))
}
