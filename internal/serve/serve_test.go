package serve

import (
	"context"
	"io"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

func start(t *testing.T) *Server {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("0123456789"), 0o644))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	v, err := Start(site.NewServer(s, site.Rules{}))
	require.NoError(t, err)
	t.Cleanup(func() { _ = v.Shutdown(context.Background()) })
	return v
}

func TestRanges(t *testing.T) {
	v := start(t)
	assert.True(t, strings.HasPrefix(v.Origin, "http://127.0.0.1:"), "loopback only")
	for spec, want := range map[string]string{"": "0123456789", "bytes=2-4": "234", "bytes=7-": "789", "bytes=-3": "789", "bytes=0-99": "0123456789", "bytes=9-2": "0123456789",
		"bytes=1-2,4-5": "0123456789", "lines=1-2": "0123456789", "bytes=x-": "0123456789"} {
		r, err := http.NewRequest("GET", v.Origin+"/", nil)
		require.NoError(t, err)
		if spec != "" {
			r.Header.Set("Range", spec)
		}
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		body, err := io.ReadAll(a.Body)
		require.NoError(t, err)
		a.Body.Close()
		assert.Equal(t, want, string(body), spec)
		if len(want) < 10 {
			assert.Equal(t, 206, a.StatusCode)
			assert.NotEmpty(t, a.Header.Get("Content-Range"))
		}
	}
}

func TestStopAndResume(t *testing.T) {
	v := start(t)
	get := func() error {
		a, err := http.Get(v.Origin + "/")
		if err == nil {
			a.Body.Close()
		}
		return err
	}
	require.NoError(t, get())
	require.NoError(t, v.Stop())
	require.NoError(t, v.Stop())
	assert.Error(t, get())
	require.NoError(t, v.Resume())
	assert.NoError(t, get(), "the same address answers again")
}
