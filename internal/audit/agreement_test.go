package audit

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/manifest/truth"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
)

// TestOneWordOnWhatInstalls compares what the manifest alone says of each platform with the audit's verdict, on every recorded manifest. The audit
// may find more, since it looks at the files of icons, and never less.
func TestOneWordOnWhatInstalls(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, truth.Write(dir, truth.Cases()))
	compared := 0
	for i, c := range truth.Cases() {
		own := filepath.Join(dir, filepath.FromSlash(truth.Path(i)))
		require.NoError(t, os.CopyFS(filepath.Join(own, "i"), os.DirFS(filepath.Join(dir, "i"))))
		s, err := site.Open(own, truth.Path(i))
		require.NoError(t, err)
		found, err := linked.Site(s)
		if err != nil || found.Manifest == nil || strings.Contains(c.Head, "base") {
			s.Close()
			continue
		}
		r, err := Run(context.Background(), site.NewServer(s, site.Rules{}), &rehearsal.Report{}, Options{})
		require.NoError(t, err, c.Name)
		for _, v := range r.Platforms {
			p := platform.All[slices.IndexFunc(platform.All, func(p platform.Platform) bool { return p.ID == v.ID })]
			blocked := slices.ContainsFunc(p.Gaps(found.Manifest, found.Head), func(g platform.Gap) bool { return g.Blocks })
			if blocked {
				assert.False(t, v.Installable, "%s on %s: the manifest alone says that it does not install", c.Name, v.ID)
			} else if !v.Installable {
				for _, id := range v.Blockers {
					assert.Contains(t, []string{"icons/unusable", "manifest/not-found", "host/policy-forbids-manifest"}, id, "%s on %s: %q", c.Name, v.ID, c.Manifest)
				}
			}
			compared++
		}
		s.Close()
	}
	assert.Greater(t, compared, 1500)
}
