package e2e

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
)

// TestShard has several runs rehearse a part of the pages each: the audit that takes them says what one that does everything says.
func TestShard(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	fittedDemo(t, dir)
	for i := range 14 { // which ask for what is missing, and throw
		write(t, dir, map[string]string{fmt.Sprintf("demo-site/more/%d/index.html", i): fmt.Sprintf("<!doctype html><html lang=en><head><title>%d</title></head><body><img src=/gone%d.png><p>Page %d<script>if (%d %% 7 == 0) missing()</script></body></html>", i, i%3, i, i)})
	}
	fine(t, dir, "fit", "demo-site", "--quiet")
	kinds := []string{"read"}
	if os.Getenv("TACHYFORM_ALL") != "" {
		kinds = append(kinds, "run")
	}
	for _, scripts := range kinds {
		whole, _, _ := run(t, dir, "audit", "demo-site", "--scripts", scripts, "--format", "json", "--fail-on", "never")
		args := []string{"audit", "demo-site", "--scripts", scripts, "--format", "json", "--fail-on", "never", "--merge"}
		for i := 1; i <= 2; i++ {
			name := fmt.Sprintf("%s-%d.json", scripts, i)
			_, said, code := run(t, dir, "audit", "demo-site", "--scripts", scripts, "--shard", fmt.Sprintf("%d/2", i), "--output", name)
			require.Equal(t, 0, code, said)
			assert.Contains(t, said, "nothing is judged yet")
			args = append(args, name)
		}
		merged := fine(t, dir, args...)
		var one, all audit.Report
		require.NoError(t, json.Unmarshal([]byte(whole), &one))
		require.NoError(t, json.Unmarshal([]byte(merged), &all))
		for _, r := range []*audit.Report{&one, &all} {
			for i := range r.Rehearsal.Pages {
				if p := &r.Rehearsal.Pages[i]; p.URL == "/offline.html" {
					p.Words, p.Online = 0, 0 // it lists what was opened before
				}
			}
		}
		assert.Equal(t, len(one.Rehearsal.Pages), len(all.Rehearsal.Pages))
		assert.Equal(t, one, all, scripts)
	}
	parts, err := filepath.Glob(filepath.Join(dir, "read-*.json"))
	require.NoError(t, err)
	require.Len(t, parts, 2)
	write(t, dir, map[string]string{"again.json": string(must(os.ReadFile(parts[0])))})
	for says, args := range map[string]string{
		"of 2 parts 2/2 is missing":           "--merge read-1.json",
		"are both part 1 of 2":                "--merge read-1.json,again.json",
		"made with other options than these":  "--scripts run --merge read-1.json,read-2.json",
		"is no part: I/N is the I-th of N":    "--shard 4/3",
		"it is no tachyform.rehearsal/1":      "--merge demo-site/manifest.webmanifest",
		"--format text is for the audit that": "--shard 1/3 --format text",
	} {
		_, errs, code := run(t, dir, append([]string{"audit", "demo-site"}, strings.Fields(args)...)...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, says, args)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, "demo-site", "new.txt"), nil, 0o600))
	_, errs, code := run(t, dir, "audit", "demo-site", "--merge", "read-1.json", "read-2.json")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "they are of another site")
	assert.Contains(t, fine(t, dir, "rehearse", "demo-site", "--shard", "2/3"), "pages, part 2 of 3")
}
