package regular

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestRead(t *testing.T) {
	dir := t.TempDir()
	root, err := os.OpenRoot(dir)
	require.NoError(t, err)
	defer root.Close()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "a"), []byte("12345"), 0o600))
	require.NoError(t, os.Mkdir(filepath.Join(dir, "folder"), 0o700))
	cases := map[string]struct {
		max int64
		err string
	}{"a": {5, ""}, "folder": {5, "folder is a folder, and not a file"}, "gone": {5, "gone"}}
	if runtime.GOOS != "windows" {
		require.NoError(t, os.Symlink("a", filepath.Join(dir, "link")))
		require.NoError(t, os.Symlink("/dev/zero", filepath.Join(dir, "zero")))
		cases["link"] = struct {
			max int64
			err string
		}{9, ""}
	}
	for name, c := range cases {
		for where, read := range map[string]func() ([]byte, error){
			"in": func() ([]byte, error) { return ReadIn(root, name, c.max) }, "file": func() ([]byte, error) { return ReadFile(filepath.Join(dir, name), c.max) }} {
			data, err := read()
			if c.err != "" {
				assert.ErrorContains(t, err, c.err, where)
				continue
			}
			require.NoError(t, err, "%s %s", where, name)
			assert.Equal(t, "12345", string(data))
		}
	}
	_, err = ReadIn(root, "a", 4)
	assert.ErrorContains(t, err, "a is larger than 0 MB")
	if runtime.GOOS != "windows" {
		_, err = ReadFile(filepath.Join(dir, "zero"), 10)
		assert.ErrorContains(t, err, "zero is a device, and not a file")
		_, err = ReadIn(root, "zero", 10)
		assert.Error(t, err, "it leads outside")
	}
}
