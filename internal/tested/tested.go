// Package tested writes the sites that tests are about.
package tested

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
)

// Write writes files below a folder, by their paths with slashes.
func Write(t testing.TB, dir string, files map[string]string) {
	t.Helper()
	for name, data := range files {
		p := filepath.Join(dir, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(data), 0o644))
	}
}

// Folder writes files into a folder of their own, which is gone after the test.
func Folder(t testing.TB, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	Write(t, dir, files)
	return dir
}

// Named gives files that hold their own names.
func Named(names ...string) map[string]string {
	out := map[string]string{}
	for _, n := range names {
		out[n] = n
	}
	return out
}
