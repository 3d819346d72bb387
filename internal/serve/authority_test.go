package serve

import (
	"crypto/tls"
	"crypto/x509"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestAuthority(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "tachyform")
	a, err := OpenAuthority(dir)
	require.NoError(t, err)
	assert.True(t, a.Made)
	info, err := os.Stat(filepath.Join(dir, keyFile))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "the key is the user's alone")
	again, err := OpenAuthority(dir)
	require.NoError(t, err)
	assert.False(t, again.Made)
	assert.Equal(t, a.PEM, again.PEM)
	assert.Equal(t, a.Fingerprint(), again.Fingerprint())
	assert.Len(t, a.Fingerprint(), 95)
	_, err = again.For([]string{"93.184.216.34"})
	assert.ErrorContains(t, err, "open internet")
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(a.PEM))
	for host, ok := range map[string]bool{"localhost": true, "127.0.0.1": true, "192.168.1.7": true, "bank.example": false} {
		c, err := again.For([]string{host})
		require.NoError(t, err)
		leaf, err := x509.ParseCertificate(c.Certificate[0])
		require.NoError(t, err)
		_, err = leaf.Verify(x509.VerifyOptions{Roots: pool, DNSName: host})
		assert.Equal(t, ok, err == nil, "%s: %v", host, err)
	}
	require.NoError(t, os.WriteFile(filepath.Join(dir, keyFile), []byte("x"), 0o600))
	_, err = OpenAuthority(dir)
	assert.ErrorContains(t, err, "remove authority.pem")
}

func TestBenchOverHTTPS(t *testing.T) {
	a, err := OpenAuthority(t.TempDir())
	require.NoError(t, err)
	b := workbench(t, BenchOptions{Authority: a})
	assert.True(t, strings.HasPrefix(b.Site, "https://127.0.0.1:") && strings.HasPrefix(b.Control, "https://127.0.0.1:"), b.Site+" "+b.Control)
	assert.Empty(t, b.Trust, "nobody else can ask")
	pool := x509.NewCertPool()
	require.True(t, pool.AppendCertsFromPEM(a.PEM))
	c := &http.Client{Transport: &http.Transport{TLSClientConfig: &tls.Config{RootCAs: pool}, ForceAttemptHTTP2: true}}
	for _, address := range []string{b.Site, b.Control} {
		res, err := c.Get(address)
		require.NoError(t, err)
		res.Body.Close()
		assert.Equal(t, 200, res.StatusCode)
		assert.Equal(t, 2, res.ProtoMajor)
	}
	_, err = (&http.Client{}).Get(b.Site)
	assert.Error(t, err, "nobody trusts it by itself")
}

func TestNames(t *testing.T) {
	assert.Equal(t, []string{"127.0.0.1", "localhost", "::1"}, Names("127.0.0.1"))
	assert.Equal(t, []string{"192.168.1.7"}, Names("192.168.1.7"))
	assert.Equal(t, "192.168.1.7", Reachable("192.168.1.7"))
	assert.Empty(t, Reachable("localhost"))
	all := Names("0.0.0.0")
	assert.Contains(t, all, "127.0.0.1")
	for _, n := range all {
		if ip := net.ParseIP(n); ip != nil {
			assert.True(t, ip.IsLoopback() || ip.IsPrivate() || ip.IsLinkLocalUnicast(), n)
		}
	}
	assert.Equal(t, "skerry-7.local", label("Skerry-7.local"))
	assert.Empty(t, label("a b"))
}
