package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAuditOfRealSites lets the gate look at documentation that nobody here wrote, before and after a fit: before, the only
// thing that hinders an installation is that there is no manifest; after, nothing does.
func TestAuditOfRealSites(t *testing.T) {
	needsAll(t)
	t.Parallel()
	for _, name := range []string{"git-doc", "python-flask-doc"} {
		dir := t.TempDir()
		root := ""
		require.NoError(t, filepath.WalkDir(filepath.Join(unpacked(t, name), "tree"), func(p string, d os.DirEntry, err error) error {
			if err == nil && d.Name() == "index.html" && (root == "" || len(filepath.Dir(p)) < len(root)) {
				root = filepath.Dir(p)
			}
			return err
		}))
		require.NotEmpty(t, root)
		require.NoError(t, filepath.WalkDir(root, func(p string, d os.DirEntry, err error) error {
			if err != nil || !d.Type().IsRegular() { // links lead to other packages
				return err
			}
			rel, _ := filepath.Rel(root, p)
			data, err := os.ReadFile(p)
			require.NoError(t, err)
			write(t, dir, map[string]string{"site/" + filepath.ToSlash(rel): string(data)})
			return nil
		}))
		blockers := func() []string {
			var r struct {
				Checks []struct{ ID, Level, State string }
			}
			out, _, _ := run(t, dir, "audit", "site", "--format", "json")
			require.NoError(t, json.Unmarshal([]byte(out), &r), out)
			found := []string{}
			for _, c := range r.Checks {
				if c.Level == "blocker" && c.State == "failed" {
					found = append(found, c.ID)
				}
			}
			return found
		}
		assert.Equal(t, []string{"manifest/not-linked"}, blockers(), name)
		fine(t, dir, "fit", "site", "--quiet")
		assert.Empty(t, blockers(), name)
	}
}

// TestAuditAsAGate uses baselines, reasons and levels as a developer does in CI, on the demo before it is fitted.
func TestAuditAsAGate(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	code := func(args ...string) int {
		_, _, code := run(t, dir, append([]string{"audit", "dist"}, args...)...)
		return code
	}
	assert.Equal(t, 1, code("--format", "json", "--output", "before.json"))
	assert.Equal(t, 0, code("--baseline", "before.json"), "nothing is new")
	require.NoError(t, os.WriteFile(filepath.Join(dir, "dist/about/index.html"), []byte("<!doctype html><link rel=icon href=/gone.png>"), 0o644))
	assert.Equal(t, 1, code("--baseline", "before.json", "--fail-on", "warning"), "a title is missing now")
	assert.Equal(t, 0, code("--skip", "manifest/not-linked"))
	assert.Equal(t, 0, code("--only", "icons"))
	out, _, _ := run(t, dir, "audit", "dist", "--only", "icons")
	assert.Contains(t, out, "does not  Chromium, desktop", "a verdict does not depend on what is asked")
	assert.Equal(t, 2, code("--only", "icon"))
	assert.Equal(t, 2, code("--format", "yaml"))
	write(t, dir, map[string]string{"tachyform.toml": "[[audit.skip]]\ncheck = \"manifest/not-linked\"\n"})
	assert.Equal(t, 2, code(), "a reason is missing")
	write(t, dir, map[string]string{"tachyform.toml": "[[audit.skip]]\ncheck = \"manifest/not-linked\"\nreason = \"comes with the next release\"\n[audit.levels]\n\"pages/title-missing\" = \"blocker\"\n"})
	out, _, status := run(t, dir, "audit", "dist")
	assert.Contains(t, out, "does not  Chromium, desktop")
	assert.Equal(t, 1, status, "the level was raised")
	assert.Contains(t, out, "left out: manifest/not-linked (comes with the next release)")
	assert.Contains(t, out, "blocker  pages/title-missing")
	for format, has := range map[string]string{"markdown": "### blocker", "junit": "<testsuites ", "sarif": "\"2.1.0\"", "html": "<!doctype html>"} {
		assert.Equal(t, 1, code("--format", format, "--output", "report"))
		data, err := os.ReadFile(filepath.Join(dir, "report"))
		require.NoError(t, err)
		assert.True(t, strings.Contains(string(data), has), format)
	}
}

// TestAuditMends lets the audit mend what a fit mends; strip gives every byte back.
func TestAuditMends(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	write(t, dir, map[string]string{"dist/extra/index.html": "<!doctype html><html lang=en><title>Extra</title><p>no viewport</p>"})
	before := snapshot(t, filepath.Join(dir, "dist"))
	out, errs, code := run(t, dir, "audit", "dist", "--mend")
	assert.Equal(t, 0, code, out)
	mended, left, _ := strings.Cut(errs, "not safe to mend by itself")
	assert.Contains(t, mended, "manifest/not-linked")
	assert.Contains(t, mended, "worker/none")
	assert.Contains(t, left, "manifest/screenshots-missing")
	once := snapshot(t, filepath.Join(dir, "dist"))
	_, errs, _ = run(t, dir, "audit", "dist", "--mend")
	assert.Contains(t, errs, "nothing was changed")
	assert.Equal(t, once, snapshot(t, filepath.Join(dir, "dist")))
	fine(t, dir, "strip", "dist")
	assert.Equal(t, before, snapshot(t, filepath.Join(dir, "dist")))
	_, errs, _ = run(t, dir, "audit", "dist", "--mend", "--only", "manifest,icons,pages")
	assert.Contains(t, errs, "without a worker")
	assert.Contains(t, errs, "manifest/not-linked")
	assert.NoFileExists(t, filepath.Join(dir, "dist", "sw.js"), "what was not asked about is not mended")
	assert.FileExists(t, filepath.Join(dir, "dist", "manifest.webmanifest"))
	page, err := os.ReadFile(filepath.Join(dir, "dist", "index.html"))
	require.NoError(t, err)
	assert.NotContains(t, string(page), "<script src=\"/sw-page.js")
	_, errs, _ = run(t, dir, "audit", "dist", "--mend", "--only", "worker")
	assert.Contains(t, errs, "worker/none")
	assert.FileExists(t, filepath.Join(dir, "dist", "sw.js"))
	fine(t, dir, "strip", "dist")
	assert.Equal(t, before, snapshot(t, filepath.Join(dir, "dist")))
	_, errs, code = run(t, dir, "audit", "http://127.0.0.1:1/", "--mend")
	assert.Equal(t, 2, code, errs)
}
