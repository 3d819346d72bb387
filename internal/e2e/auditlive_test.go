package e2e

import (
	"encoding/json"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestAuditOfALiveSite audits the fitted demo from a server that is sound, and from ones that are not.
func TestAuditOfALiveSite(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	fine(t, dir, "fit", "dist", "--quiet")
	files := http.FileServer(http.Dir(filepath.Join(dir, "dist")))
	for name, c := range map[string]struct {
		handler http.HandlerFunc
		failed  []string // among others
		passed  []string
	}{
		"sound": {func(w http.ResponseWriter, r *http.Request) {
			if strings.HasSuffix(r.URL.Path, ".webmanifest") {
				w.Header().Set("Content-Type", "application/manifest+json")
			}
			files.ServeHTTP(w, r)
		}, nil, []string{"host/not-secure", "host/missing-is-a-page", "host/worker-type", "host/manifest-type", "worker/not-installed", "offline/start-page", "icons/unusable"}},
		"a page for everything": {func(w http.ResponseWriter, r *http.Request) {
			if _, err := os.Stat(filepath.Join(dir, "dist", filepath.FromSlash(r.URL.Path))); err != nil {
				r.URL.Path = "/"
			}
			files.ServeHTTP(w, r)
		}, []string{"host/missing-is-a-page"}, nil},
		"a sign-in before the manifest": {func(w http.ResponseWriter, r *http.Request) {
			if strings.HasSuffix(r.URL.Path, ".webmanifest") {
				w.WriteHeader(http.StatusUnauthorized)
				return
			}
			files.ServeHTTP(w, r)
		}, []string{"host/behind-sign-in", "manifest/not-found"}, nil},
		"a policy and a week": {func(w http.ResponseWriter, r *http.Request) {
			w.Header().Set("Content-Security-Policy", "default-src 'self'; manifest-src 'none'")
			w.Header().Set("Cache-Control", "max-age=604800")
			files.ServeHTTP(w, r)
		}, []string{"host/policy-forbids-manifest", "updates/kept-too-long"}, []string{"host/policy-forbids-worker"}},
		"absolute addresses of its own": {func(w http.ResponseWriter, r *http.Request) {
			data, err := os.ReadFile(filepath.Join(dir, "dist", filepath.FromSlash(r.URL.Path), map[bool]string{true: "index.html"}[strings.HasSuffix(r.URL.Path, "/")]))
			if err != nil {
				http.NotFound(w, r)
				return
			}
			own := "http://" + r.Host + "/"
			text := string(data)
			switch {
			case strings.HasSuffix(r.URL.Path, "/"):
				text = strings.NewReplacer(`="/`, `="`+own).Replace(text)
				w.Header().Set("Content-Type", "text/html; charset=utf-8")
			case strings.HasSuffix(r.URL.Path, ".webmanifest"):
				text = strings.ReplaceAll(text, `": "/`, `": "`+own)
				w.Header().Set("Content-Type", "application/manifest+json")
			default:
				w.Header().Set("Content-Type", map[string]string{".js": "text/javascript", ".css": "text/css", ".svg": "image/svg+xml", ".png": "image/png"}[filepath.Ext(r.URL.Path)])
			}
			_, _ = w.Write([]byte(text))
		}, nil, []string{"manifest/not-linked", "manifest/start-url-invalid", "manifest/scope-ignored", "icons/file-missing", "icons/unusable", "pages/reference-leads-nowhere", "pages/touch-icon-missing", "pages/icon-file-missing",
			"worker/not-installed", "offline/start-page", "offline/page-partial", "icons/foreign"}},
	} {
		t.Run(name, func(t *testing.T) {
			server := httptest.NewServer(c.handler)
			defer server.Close()
			out, errs, _ := run(t, dir, "audit", server.URL+"/", "--format", "json")
			var r struct {
				Checks []struct{ ID, State string }
			}
			require.NoError(t, json.Unmarshal([]byte(out), &r), errs)
			state := map[string]string{}
			for _, k := range r.Checks {
				state[k.ID] = k.State
			}
			for _, id := range c.failed {
				assert.Equal(t, "failed", state[id], id)
			}
			for _, id := range c.passed {
				assert.Equal(t, "passed", state[id], id)
			}
		})
	}
}
