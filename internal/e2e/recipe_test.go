package e2e

import (
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestRecipe runs the commands of docs/releases.md for a worker that went wrong, in their order, against a server that gets what is deployed
// between its parts.
func TestRecipe(t *testing.T) {
	t.Parallel()
	text := string(must(os.ReadFile("../../docs/releases.md")))
	parts := regexp.MustCompile("(?s)<!-- recipe -->\n```sh\n(.*?)```").FindAllStringSubmatch(text, -1)
	require.Len(t, parts, 3)
	dir := t.TempDir()
	bad := `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/", "/app.css"])));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	page := func(h1 string) string {
		return strings.Replace(start, "<h1>Skerry Line", `<script>navigator.serviceWorker.register("/sw.js")</script><h1>`+h1, 1)
	}
	write(t, dir, map[string]string{
		"live/index.html": page("Yesterday"), "live/app.css": "body { color: teal }", "live/sw.js": bad,
		"dist/index.html": page("Today"), "dist/app.css": "body { color: navy }", "dist/sw.js": bad,
		"tachyform.toml": "[icons]\neffort = \"quick\"\n",
	})
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Cache-Control", "no-cache")
		if strings.HasSuffix(r.URL.Path, ".webmanifest") {
			w.Header().Set("Content-Type", "application/manifest+json")
		}
		http.FileServer(http.Dir(filepath.Join(dir, "live"))).ServeHTTP(w, r)
	}))
	defer server.Close()
	for _, part := range parts {
		for _, line := range strings.Split(strings.TrimSpace(part[1]), "\n") {
			command, comment, ok := strings.Cut(line, "#")
			require.True(t, ok, line)
			want, about, _ := strings.Cut(strings.TrimSpace(comment), ":")
			code, err := strconv.Atoi(want)
			require.NoError(t, err, line)
			args := strings.Fields(strings.ReplaceAll(command, "https://skerry-line.example/", server.URL+"/"))[1:]
			out, errs, got := run(t, dir, args...)
			assert.Equal(t, code, got, "%s\n%s%s", line, out, errs)
			if id := regexp.MustCompile(`[a-z]+/[a-z-]+`).FindString(about); id != "" {
				assert.Contains(t, out, id, line)
			}
		}
		require.NoError(t, os.RemoveAll(filepath.Join(dir, "live"))) // deployed
		require.NoError(t, os.CopyFS(filepath.Join(dir, "live"), os.DirFS(filepath.Join(dir, "dist"))))
	}
}
