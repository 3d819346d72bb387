package linked

import (
	"context"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
	"tachyform.dev/tachyform/internal/weburl"
)

func folder(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	return dir
}

func TestSite(t *testing.T) {
	for name, c := range map[string]struct {
		page, url, missing, err string
	}{
		"plain":          {"<link rel=manifest href=m.json>", "/app/m.json", "", ""},
		"base":           {"<base href=/app/sub/><link rel=manifest href=../m.json>", "/app/m.json", "", ""},
		"gone":           {"<link rel=manifest href=gone.json>", "/app/gone.json", "/app/gone.json is not in the site", ""},
		"another origin": {"<link rel=manifest href=https://cdn.example/m.json>", "https://cdn.example/m.json", "another origin", ""},
		"none":           {"<p>", "", "", "index.html links no manifest"},
		"empty":          {"<link rel=manifest href=''>", "", "", "links no manifest"},
		"no address":     {"<link rel=manifest href='http://[bad'>", "", "", "index.html:1:"},
	} {
		t.Run(name, func(t *testing.T) {
			s, err := site.Open(folder(t, map[string]string{"index.html": c.page, "m.json": `{"name": "Skerry", "start_url": ".", "nmae": 1, "icons": [{"src": "gone.png", "sizes": "any"}, {"src": "index.html"}]}`}), "/app/")
			require.NoError(t, err)
			defer s.Close()
			f, err := Site(s)
			if c.err != "" {
				require.ErrorIs(t, err, ErrNone)
				assert.ErrorContains(t, err, c.err)
				return
			}
			require.NoError(t, err)
			assert.Equal(t, c.url, f.URL)
			assert.Contains(t, f.Missing, c.missing)
			if c.missing == "" {
				assert.Equal(t, weburl.Origin+"/app/", f.Manifest.Processed.StartURL)
				assert.Equal(t, "m.json", f.Manifest.Problems[0].File)
				last := f.Manifest.Problems[len(f.Manifest.Problems)-1]
				assert.Equal(t, "icons[0].src", last.Member)
				assert.Contains(t, last.Message, "/app/gone.png is not in the site")
			}
		})
	}
}

func TestFile(t *testing.T) {
	dir := folder(t, map[string]string{"my app.json": `{"name": 3}`})
	f, err := File(filepath.Join(dir, "my app.json"))
	require.NoError(t, err)
	assert.Equal(t, "/my%20app.json", f.URL)
	assert.NotEmpty(t, f.Manifest.Problems)
	_, err = File(filepath.Join(dir, "gone"))
	assert.Error(t, err)
}

func TestAddress(t *testing.T) {
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		html := func(body string) { w.Header().Set("Content-Type", "text/html"); _, _ = w.Write([]byte(body)) }
		switch r.URL.Path {
		case "/":
			html(`<link rel=manifest href=app/m.json><link rel=apple-touch-icon href=a.png><meta name=theme-color content=red>`)
		case "/moved":
			http.Redirect(w, r, "/", http.StatusFound)
		case "/away":
			http.Redirect(w, r, "https://other.example/", http.StatusFound)
		case "/broken":
			html(`<link rel=manifest href=gone.json>`)
		case "/cdn":
			html(`<link rel=manifest href=https://cdn.example/m.json>`)
		case "/bare":
			html(`<p>`)
		case "/app/m.json":
			_, _ = w.Write([]byte(`{"name": "Skerry", "start_url": "./x"}`))
		default:
			http.NotFound(w, r)
		}
	}))
	defer s.Close()
	for _, p := range []string{"/", "/moved"} {
		f, err := Address(context.Background(), s.URL+p)
		require.NoError(t, err)
		assert.Equal(t, "/app/m.json", f.URL)
		assert.Equal(t, s.URL+"/app/x", f.Manifest.Processed.StartURL)
		assert.True(t, f.Head.TouchIcon && f.Head.ThemeColor)
		assert.Equal(t, s.URL+"/", f.Page)
	}
	f, err := Address(context.Background(), s.URL+"/app/m.json")
	require.NoError(t, err)
	assert.Equal(t, "Skerry", f.Manifest.Processed.Name)
	for p, want := range map[string]string{"/broken": "answered with 404", "/cdn": "another origin"} {
		f, err := Address(context.Background(), s.URL+p)
		require.NoError(t, err)
		assert.Nil(t, f.Manifest)
		assert.Contains(t, f.Missing, want)
	}
	for p, want := range map[string]string{"/away": "redirects to another origin", "/bare": "links no manifest", "/gone": "answered with 404"} {
		_, err := Address(context.Background(), s.URL+p)
		assert.ErrorContains(t, err, want)
	}
}
