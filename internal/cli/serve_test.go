package cli

import (
	"bytes"
	"errors"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// TestKeys is about what each key switches.
func TestKeys(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(dir, "index.html"), []byte("<title>a</title>"), 0o644))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	broken := errors.New("it is half written")
	v := site.NewServer(s, site.Rules{})
	b, _, err := serve.StartBench([]serve.Release{{Name: "one", Server: v}, {Name: "two", Server: v}}, serve.BenchOptions{Host: "127.0.0.1", Base: "/", Refit: func() (*site.Server, error) { return v, broken }})
	require.NoError(t, err)
	t.Cleanup(func() { _ = b.Stop() })
	var out bytes.Buffer
	a, st := &app{}, present.New(&out, false)
	press := func(k byte) serve.State {
		require.True(t, a.key(b, k, st))
		return b.State()
	}
	for k, want := range map[byte]site.Network{'f': site.Offline, 's': site.Slow, 'e': site.Failing, 'p': site.Portal, 'o': site.Online} {
		assert.Equal(t, want, press(k).Network, string(k))
	}
	assert.Equal(t, 1, press('n').Release)
	assert.Equal(t, 1, press('n').Release)
	assert.Contains(t, out.String(), "no newer release")
	assert.Equal(t, 0, press('b').Release)
	press('b')
	assert.Contains(t, out.String(), "no earlier release")
	assert.Equal(t, serve.Aside, press('a').Mode)
	assert.Equal(t, serve.Real, press('a').Mode)
	assert.Equal(t, serve.Newest, press('l').Mode)
	assert.Equal(t, serve.Real, press('f').Mode, "who takes the network away rehearses what visitors get")
	press('o')
	assert.True(t, press('c').Clearing)
	press('r')
	assert.Contains(t, out.String(), "half written")
	broken = nil
	assert.Equal(t, 2, press('r').Release)
	press('x')
	assert.False(t, a.key(b, 'q', st))
	assert.False(t, a.key(b, 3, st))
}

// TestModesAreRemembered keeps the mode of a folder until it is real again, and nothing of others.
func TestModesAreRemembered(t *testing.T) {
	t.Setenv("XDG_CONFIG_HOME", t.TempDir())
	t.Setenv("HOME", t.TempDir())
	one, two := modesOf("one"), modesOf("two")
	assert.Equal(t, serve.Real, one.last())
	one.keep(serve.Real)
	assert.NoFileExists(t, one.file, "nothing is written for what is as usual")
	one.keep(serve.Aside)
	assert.Equal(t, serve.Aside, modesOf("./one").last())
	assert.Equal(t, serve.Real, two.last())
	two.keep(serve.Aside)
	one.keep(serve.Real)
	assert.Equal(t, serve.Real, one.last())
	assert.Equal(t, serve.Aside, two.last())
	require.NoError(t, os.WriteFile(two.file, []byte("{"), 0o600))
	assert.Equal(t, serve.Real, two.last())
	modes{}.keep(serve.Aside)
	assert.Equal(t, serve.Real, modes{}.last())
}
