package e2e

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform/internal/chromium"
	"tachyform/internal/preview"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/stage"
)

// BenchmarkProgram times the program from start to end on the demo site.
func BenchmarkProgram(b *testing.B) {
	dir := b.TempDir()
	fine(b, dir, "demo", "--quiet") // compiles the SVG renderer into its cache
	b.Run("version", func(b *testing.B) {
		for b.Loop() {
			fine(b, dir, "--version")
		}
	})
	plain := filepath.Join(dir, "plain")
	b.Run("fit+rehearse+audit", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			require.NoError(b, os.RemoveAll(plain))
			require.NoError(b, os.CopyFS(plain, os.DirFS("../../demo/site")))
			b.StartTimer()
			fine(b, dir, "fit", "plain", "--quiet")
			fine(b, dir, "rehearse", "plain", "--quiet")
			fine(b, dir, "audit", "plain", "--quiet")
		}
	})
	b.Run("second fit", func(b *testing.B) {
		for b.Loop() {
			fine(b, dir, "fit", "plain", "--quiet")
		}
	})
	info, err := os.Stat(program)
	require.NoError(b, err)
	b.Logf("the program has %d bytes", info.Size())
}

// BenchmarkRehearsal runs the whole matrix of the demo, every page in all five network states, on both stages, in turn, and gives the ratio of their times.
func BenchmarkRehearsal(b *testing.B) {
	if _, err := chromium.Find(); err != nil {
		b.Skip(err)
	}
	dir := b.TempDir()
	fine(b, dir, "demo", "--quiet")
	s, err := site.Open(filepath.Join(dir, "demo-site"), "/")
	require.NoError(b, err)
	defer s.Close()
	var embedded, real time.Duration
	for b.Loop() {
		begin := time.Now()
		server := site.NewServer(s, site.Rules{})
		st := rehearsal.NewEmbedded(server, nil, stage.Limits{})
		_, err := rehearsal.Run(context.Background(), st, server, rehearsal.Options{Networks: stage.Networks})
		st.Close()
		require.NoError(b, err)
		embedded += time.Since(begin)
		begin = time.Now()
		web, err := preview.Start(server)
		require.NoError(b, err)
		c, err := chromium.Start(context.Background(), web)
		require.NoError(b, err)
		_, err = rehearsal.Run(context.Background(), c, server, rehearsal.Options{Networks: stage.Networks})
		require.NoError(b, err)
		c.Close()
		require.NoError(b, web.Stop())
		real += time.Since(begin)
	}
	b.ReportMetric(embedded.Seconds()*1000/float64(b.N), "embedded-ms/op")
	b.ReportMetric(real.Seconds()*1000/float64(b.N), "chromium-ms/op")
	b.ReportMetric(real.Seconds()/embedded.Seconds(), "times-faster")
}
