package rehearsal

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// fitted gives the demo site after a fit.
func fitted(t testing.TB) *site.Server {
	t.Helper()
	dir := filepath.Join(t.TempDir(), "demo")
	require.NoError(t, os.CopyFS(dir, os.DirFS("../../demo/site")))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	p, err := fitting.Make(context.Background(), s, &config.Config{}, fitting.Options{})
	require.NoError(t, err)
	require.NoError(t, p.Apply(context.Background(), nil))
	require.NoError(t, s.Rescan())
	return site.NewServer(s, site.Rules{})
}

// BenchmarkDemo rehearses the demo site, every page, offline and in all five network states, with the scripts of pages read and run.
func BenchmarkDemo(b *testing.B) {
	server := fitted(b)
	for name, states := range map[string][]stage.Network{"offline": {stage.Offline}, "all states": stage.Networks} {
		for how, scripts := range map[string]bool{"read": false, "run": true} {
			b.Run(name+" "+how, func(b *testing.B) {
				for b.Loop() {
					st := NewEmbedded(server, nil, stage.Limits{})
					_, err := Run(context.Background(), st, server, Options{Networks: states, Scripts: scripts})
					st.Close()
					require.NoError(b, err)
				}
			})
		}
	}
}
