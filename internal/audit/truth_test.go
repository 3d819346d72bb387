package audit

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/manifest/truth"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
)

// TestVerdictsAsRecorded compares the verdict for Chromium on desktops with what Chromium itself reported of the same
// manifests and heads.
func TestVerdictsAsRecorded(t *testing.T) {
	recorded, err := truth.Load()
	require.NoError(t, err)
	cases := truth.Cases()
	require.Len(t, recorded, len(cases))
	all := t.TempDir()
	require.NoError(t, truth.Write(all, cases))
	installable, rules := 0, site.Rules{Headers: truth.Headers(cases)}
	for i, c := range cases {
		if strings.Contains(c.Manifest, `"http:"`) {
			continue // relative on an http origin, as the recording was, and absolute on https, which an audit takes for granted
		}
		dir := t.TempDir()
		folder := filepath.FromSlash(truth.Path(i))
		require.NoError(t, os.CopyFS(filepath.Join(dir, "i"), os.DirFS(filepath.Join(all, "i"))))
		require.NoError(t, os.CopyFS(filepath.Join(dir, folder), os.DirFS(filepath.Join(all, folder))))
		s, err := site.Open(dir, "/")
		require.NoError(t, err)
		r, err := Run(context.Background(), site.NewServer(s, rules), &rehearsal.Report{}, Options{Platforms: []string{"chromium-desktop"}})
		require.NoError(t, err, c.Name)
		require.NoError(t, s.Close())
		require.Len(t, r.Platforms, 1)
		want := len(recorded[i].Hindrances) == 0
		assert.Equal(t, want, r.Platforms[0].Installable, "%s\n%s\n%s\nChromium: %v\nours: %v", c.Name, c.Head, c.Manifest, recorded[i].Hindrances, r.Platforms[0].Blockers)
		if want {
			installable++
		}
	}
	assert.Greater(t, installable, 100)
	assert.Greater(t, len(cases)-installable, 60)
	t.Logf("%d of %d cases install", installable, len(cases))
}
