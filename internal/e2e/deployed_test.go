package e2e

import (
	"encoding/pem"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAuditOfARelease compares a staging server, which answers only who may see it, with the folder that was to be deployed.
func TestAuditOfARelease(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	var others atomic.Int64
	elsewhere := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		if r.Header.Get("Authorization")+r.Header.Get("Cookie")+r.Header.Get("X-Staging") != "" {
			others.Add(1)
		}
	}))
	defer elsewhere.Close()
	page := string(must(os.ReadFile(filepath.Join(dir, "dist/about/index.html"))))
	write(t, dir, map[string]string{"dist/about/index.html": strings.Replace(page, "</body>", `<a href="`+elsewhere.URL+`/x">x</a><img src="`+elsewhere.URL+`/y.png"></body>`, 1), "quick.toml": "[icons]\neffort = \"quick\"\n"})
	fine(t, dir, "fit", "dist", "--config", "quick.toml", "--quiet")
	require.NoError(t, os.CopyFS(filepath.Join(dir, "old"), os.DirFS(filepath.Join(dir, "dist"))))
	write(t, dir, map[string]string{"dist/index.html": strings.Replace(string(must(os.ReadFile(filepath.Join(dir, "dist/index.html")))), "<h1", "<h1 id=top", 1)})
	fine(t, dir, "fit", "dist", "--config", "quick.toml", "--quiet")

	files := http.FileServer(http.Dir(filepath.Join(dir, "dist")))
	server := httptest.NewTLSServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, password, _ := r.BasicAuth()
		c, err := r.Cookie("session")
		switch {
		case user != "staff" || password != "k9!secret" || r.Header.Get("X-Staging") != "hush-hush" || err != nil || c.Value != "c00kie-value":
			w.WriteHeader(http.StatusUnauthorized)
		case r.URL.Path == "/robots.txt":
			_, _ = w.Write([]byte("User-agent: *\nDisallow: /\n"))
		default:
			w.Header().Set("Cache-Control", "no-cache")
			if strings.HasSuffix(r.URL.Path, ".webmanifest") {
				w.Header().Set("Content-Type", "application/manifest+json")
			}
			files.ServeHTTP(w, r)
		}
	}))
	defer server.Close()
	host := must(url.Parse(server.URL)).Hostname()
	write(t, dir, map[string]string{
		"ca.pem":      string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw})),
		"cookies.txt": "# Netscape HTTP Cookie File\n" + host + "\tFALSE\t/\tTRUE\t0\tsession\tc00kie-value\nother.example\tFALSE\t/\tFALSE\t0\tsession\tno\n",
	})
	access := []string{"--user", "staff:k9!secret", "--header", "X-Staging: hush-hush", "--cookies", "cookies.txt"}
	audit := func(release string, more ...string) (string, string, int) {
		return run(t, dir, append(append([]string{"audit", server.URL + "/", "--release", release, "--only", "deployed"}, access...), more...)...)
	}
	out, errs, code := audit("dist", "--ca", "ca.pem")
	assert.Equal(t, 0, code, "%s%s", out, errs)
	assert.Regexp(t, `what is live is release [0-9a-f]{12}, whole`, out)

	out, errs, code = audit("old", "--insecure")
	assert.Equal(t, 1, code)
	assert.Contains(t, errs, "--insecure: the certificate of "+host)
	assert.Contains(t, out, "deployed/another-release")
	assert.NotContains(t, out, "deployed/altered")

	for _, format := range []string{"json", "html"} {
		out, errs, _ := audit("old", "--insecure", "--format", format)
		for _, secret := range []string{"k9!secret", "hush-hush", "c00kie-value"} {
			assert.NotContains(t, out+errs, secret, format)
		}
	}
	assert.Zero(t, others.Load(), "nothing is sent to another origin")

	_, errs, code = audit("dist")
	assert.Equal(t, 2, code, "the certificate is not trusted")
	assert.Contains(t, errs, "certificate")
	for args, want := range map[string]string{
		"audit dist --release dist":                             "names the address",
		"audit dist --user a:b":                                 "are for a live address",
		"audit " + server.URL + " --user a":                     "name:password",
		"audit " + server.URL + " --header x":                   `"Name: value"`,
		"audit " + server.URL + " --ca cookies.txt":             "no certificate in PEM",
		"audit " + server.URL + " --cookies ca.pem":             "seven fields",
		"audit " + server.URL + " --release nowhere --insecure": "there is no such folder",
		"survey dist --insecure":                                "are for a live address",
		"compare dist old --insecure":                           "are for a live address",
	} {
		_, errs, code := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, strings.Replace(want, "names the address", "name the address", 1), args)
	}
}
