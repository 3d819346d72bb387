package snapshot

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/site"
)

// files gives all that lies in a folder.
func files(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		out[p] = string(data)
		return err
	}))
	return out
}

// TestSnapshot keeps what a server sent and reads it again: the same each time, though tokens and nonces differ, and without secrets.
func TestSnapshot(t *testing.T) {
	n := 0
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n++
		w.Header().Set("Set-Cookie", "session=very-secret")
		w.Header().Set("Date", "today")
		w.Header().Set("Vary", "Cookie")
		switch r.URL.Path {
		case "/":
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			w.Header().Set("Content-Security-Policy", fmt.Sprintf("script-src 'nonce-n%d'", n))
			fmt.Fprintf(w, `<!doctype html><meta name="csrf-token" content="secret%[1]d"><form><input value="secret%[1]d" type=hidden name=csrfmiddlewaretoken><input name=harbour value=rona></form><script nonce="n%[1]d" src="/a.js"></script><a href="/old">x</a><a href="/gone/">y</a><img src="/p%%20q.png">`, n)
		case "/a.js":
			w.Header().Set("Content-Type", "text/javascript")
			fmt.Fprint(w, `const a = {"token": "not touched: scripts are checked byte for byte"}`)
		case "/p q.png":
			fmt.Fprint(w, "png")
		case "/old":
			http.Redirect(w, r, "/new/", http.StatusFound)
		case "/new/":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<title>New</title>")
		default:
			w.Header().Set("Content-Type", "text/html")
			w.WriteHeader(404)
			fmt.Fprint(w, "<title>Lost</title>")
		}
	}))
	defer server.Close()
	dir := filepath.Join(t.TempDir(), "snap")
	take := func() *crawl.Result {
		limits := crawl.Usual
		limits.Missing = true
		res, err := crawl.Take(context.Background(), server.URL+"/", limits, nil)
		require.NoError(t, err)
		return res
	}
	res := take()
	defer res.Close()
	require.NoError(t, Save(dir, res, map[string]string{"app.css": "12"}))
	first := files(t, dir)
	for name, data := range first {
		assert.NotContains(t, data, "secret", name)
		assert.NotContains(t, data, "today", name)
	}
	again := take()
	defer again.Close()
	require.NoError(t, Save(dir, again, map[string]string{"app.css": "12"}))
	assert.Equal(t, first, files(t, dir), "no byte is another one")

	require.True(t, Is(dir))
	got, err := Read(dir)
	require.NoError(t, err)
	defer got.Site.Close()
	assert.Equal(t, map[string]string{"app.css": "12"}, got.Sources)
	s := site.NewServer(got.Site, site.Rules{})
	s.Absent = got.Missing
	assert.Contains(t, string(s.Answer("GET", "/").Body), `name=harbour value=rona`)
	assert.Contains(t, string(s.Answer("GET", "/a.js").Body), "byte for byte")
	assert.Equal(t, "png", string(s.Answer("GET", "/p%20q.png").Body))
	assert.Equal(t, "/new/", s.Answer("GET", "/old").Header.Get("Location"))
	lost := s.Answer("GET", "/nowhere/")
	assert.Equal(t, 404, lost.Status)
	assert.Equal(t, "<title>Lost</title>", string(lost.Body))
	assert.Equal(t, "Cookie", got.Headers["/"].Get("Vary"))
	assert.Equal(t, "script-src 'nonce-removed'", got.Report.Policies[0].Value)

	// What is somebody else's is left alone, and what is no snapshot is not read.
	other := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(other, "mine.txt"), []byte("mine"), 0o644))
	assert.ErrorIs(t, Save(other, res, nil), ErrOther)
	_, err = Read(other)
	assert.ErrorContains(t, err, "no such file")
	for name, list := range map[string]string{"another version": `{"format": "tachyform.snapshot/9"}`, "out of the folder": `{"format": "tachyform.snapshot/1", "files": [{"url": "/", "body": "../../../etc/passwd"}]}`, "no address": `{"format": "tachyform.snapshot/1", "files": [{"url": "x", "body": "y"}]}`, "not JSON": `{`} {
		require.NoError(t, os.WriteFile(filepath.Join(other, Name), []byte(list), 0o644))
		_, err := Read(other)
		assert.Error(t, err, name)
	}
}
