package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestRecordDir keeps what fit remembers out of the folder that is deployed, through the commands that read and write it.
func TestRecordDir(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	write(t, dir, map[string]string{"tachyform.toml": "site = \"dist\"\nbase = \"/ferries/\"\nrecord_dir = \"record\"\n[icons]\neffort = \"quick\"\n"})
	plain := snapshot(t, filepath.Join(dir, "dist"))
	fine(t, dir, "fit", "--quiet")
	assert.NoDirExists(t, filepath.Join(dir, "dist", ".tachyform"))
	assert.FileExists(t, filepath.Join(dir, "record", "record.json"))
	fitted := snapshot(t, filepath.Join(dir, "dist"))
	fine(t, dir, "fit", "--quiet")
	assert.Equal(t, fitted, snapshot(t, filepath.Join(dir, "dist")))
	assert.Contains(t, fine(t, dir, "survey"), "record, in which fit remembers what it wrote")
	fine(t, dir, "audit", "--fail-on", "warning", "--skip", "manifest/screenshots-missing", "--only", "worker,manifest", "--quiet")

	write(t, dir, map[string]string{"other.toml": "site = \"dist\"\nrecord_dir = \"dist/record\"\n"})
	_, errs, code := run(t, dir, "strip", "--config", "other.toml")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "would be deployed with it")
	fine(t, dir, "strip", "--quiet")
	assert.Equal(t, plain, snapshot(t, filepath.Join(dir, "dist")))
	assert.NoDirExists(t, filepath.Join(dir, "record"))
}
