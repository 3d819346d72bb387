package e2e

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

// TestApplications builds applications with frameworks from npm, fits them, and rehearses them on both stages: what visitors read, what is asked
// for and what goes wrong is the same, online and without a network.
func TestApplications(t *testing.T) {
	needsAll(t)
	dir := npmBuild(t, "build.mjs")
	apps, err := os.ReadDir(filepath.Join(dir, "out"))
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(apps), 14)
	for _, app := range apps {
		t.Run(app.Name(), func(t *testing.T) {
			site := filepath.Join("out", app.Name())
			fine(t, dir, "fit", site, "--quiet")
			seen := map[string]map[string]rehearsal.PageResult{}
			for _, stage := range []string{"embedded", "chromium"} {
				var r rehearsal.Report
				require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", site, "--story", "none", "--stage", stage, "--network", "online,offline", "--scripts", "run", "--detail", "text,requests,errors", "--format", "json")), &r))
				require.Equal(t, "activated", r.Worker.State)
				seen[stage] = map[string]rehearsal.PageResult{}
				for _, p := range r.Pages {
					seen[stage][p.Network+" "+p.URL] = p
				}
			}
			require.NotEmpty(t, seen["chromium"])
			for key, want := range seen["chromium"] {
				if strings.Contains(key, "offline.html") { // it lists what is stored, and the order is the visits'
					continue
				}
				got := seen["embedded"][key]
				assert.Equal(t, want.Outcome, got.Outcome, "%s: %s, and in Chromium %s", key, got.Why, want.Why)
				assert.Equal(t, want.Title, got.Title, key)
				assert.Equal(t, strings.Join(strings.Fields(*want.Text), ""), strings.Join(strings.Fields(*got.Text), ""), key)
				assert.Equal(t, asked(want), asked(got), key)
				assert.Len(t, got.Errors, len(want.Errors), "%s: %v", key, got.Errors)
			}
		})
	}
}

// npmBuild fetches frameworks from npm and builds applications with one of the scripts beside them. It gives the folder that holds what came of it.
func npmBuild(t *testing.T, script string) string {
	t.Helper()
	npm, err := exec.LookPath("npm")
	require.NoError(t, err, "npm fetches the frameworks")
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(dir, os.DirFS("testdata/apps")))
	for _, command := range [][]string{{npm, "install", "--no-audit", "--no-fund", "--ignore-scripts=false"}, {"node", script}} {
		cmd := exec.Command(command[0], command[1:]...)
		cmd.Dir = dir
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
	}
	return dir
}

// asked gives the requests of a page, each once.
func asked(p rehearsal.PageResult) map[string]bool {
	out := map[string]bool{}
	for _, r := range p.Requests {
		if !strings.Contains(r.URL, "/icons/") && !strings.HasSuffix(r.URL, ".webmanifest") {
			out[r.Method+" "+r.URL+" "+r.Result] = true
		}
	}
	return out
}
