package serve

import (
	"crypto/tls"
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestElsewhere answers for other origins by their names, in the state of the network, and for no others.
func TestElsewhere(t *testing.T) {
	b := workbench(t, BenchOptions{Origins: map[string]*site.Server{"https://api.skerry.example": folder(t, map[string]string{"hull.json": `"steel"`}), "http://boats.skerry.example:8080": folder(t, map[string]string{"a.txt": "boat"})}})
	all := b.Elsewhere()
	require.Len(t, all, 2)
	assert.Equal(t, []string{"boats.skerry.example:8080", "api.skerry.example:443"}, []string{all[0].Host, all[1].Host})
	require.Len(t, b.Pins(), 1)
	asks := func(method, scheme string, at Elsewhere, host, path string, headers ...string) (string, http.Header) {
		r, err := http.NewRequest(method, scheme+"://"+at.Address+path, nil)
		require.NoError(t, err)
		r.Host = host
		for i := 0; i < len(headers); i += 2 {
			r.Header.Set(headers[i], headers[i+1])
		}
		c := &http.Client{Transport: &http.Transport{DisableKeepAlives: true, TLSClientConfig: &tls.Config{ServerName: strings.Split(host, ":")[0], InsecureSkipVerify: true}}} //nolint:gosec // the pin is looked at below
		res, err := c.Do(r)
		if err != nil {
			return "cut", nil
		}
		defer res.Body.Close()
		if res.TLS != nil {
			assert.Equal(t, b.Pins()[0], pin(tls.Certificate{Certificate: [][]byte{res.TLS.PeerCertificates[0].Raw}}))
			assert.Equal(t, []string{"api.skerry.example"}, res.TLS.PeerCertificates[0].DNSNames)
		}
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		return fmt.Sprint(res.StatusCode, " ", strings.TrimSpace(string(body))), res.Header
	}
	api := func(path string, headers ...string) (string, http.Header) {
		return asks("GET", "https", all[1], "api.skerry.example", path, headers...)
	}
	got, h := api("/hull.json", "Origin", "http://127.0.0.1:8417")
	assert.Equal(t, `200 "steel"`, got)
	assert.Equal(t, []string{"http://127.0.0.1:8417", "true"}, []string{h.Get("Access-Control-Allow-Origin"), h.Get("Access-Control-Allow-Credentials")})
	got, h = asks("OPTIONS", "http", all[0], "boats.skerry.example:8080", "/a.txt", "Origin", "http://127.0.0.1:8417", "Access-Control-Request-Method", "PUT", "Access-Control-Request-Headers", "x-harbour")
	assert.Equal(t, "204 ", got)
	assert.Equal(t, []string{"PUT", "x-harbour"}, []string{h.Get("Access-Control-Allow-Methods"), h.Get("Access-Control-Allow-Headers")})
	got, _ = asks("GET", "http", all[0], "boats.skerry.example:8080", "/a.txt")
	assert.Equal(t, "200 boat", got)
	for _, host := range []string{"other.example", "api.skerry.example", "127.0.0.1:8417"} {
		got, _ = asks("GET", "http", all[0], host, "/a.txt")
		assert.Contains(t, got, "421 ", host)
	}
	for network, want := range map[string]string{"offline": "cut", "failing": "503 ", "online": `200 "steel"`} {
		require.Equal(t, 204, b.do(t, `{"network": "`+network+`"}`))
		got, _ = api("/hull.json")
		assert.Contains(t, got, want, network)
	}
	last := b.Entries()[len(b.Entries())-1]
	assert.Equal(t, "https://api.skerry.example/hull.json", last.URL)
}
