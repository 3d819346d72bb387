package site

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/tested"
)

// TestRendered puts what a server sends and the folder that it sends files from together.
func TestRendered(t *testing.T) {
	sent, folder := t.TempDir(), t.TempDir()
	tested.Write(t, sent, map[string]string{"1": "<title>Home</title>", "2": "body {}", "3": "minified", "4": "old worker", "5": "elsewhere"})
	tested.Write(t, folder, map[string]string{"app.css": "body {}", "lib.js": "not minified", "sw.js": "worker", "notes.txt": "nobody asks", "offline.html": "<title>Off</title>"})
	live, err := Live(sent, "http://127.0.0.1/app/", "http://127.0.0.1", "/app/", []File{
		{Path: "/app/", URL: "/app/", Real: "1", Size: 19, Type: "text/html"}, {Path: "/app/sw.js", URL: "/app/sw.js", Real: "4", Size: 10, Type: "text/javascript"},
		{Path: "/media/x.png", URL: "/media/x.png", Real: "5", Size: 9, Type: "image/png"}, {Path: "/static/app.css", URL: "/static/app.css", Real: "2", Size: 7, Type: "text/css"},
		{Path: "/static/lib.js", URL: "/static/lib.js", Real: "3", Size: 8, Type: "text/javascript"},
	}, map[string]string{"/": "/app/"})
	require.NoError(t, err)
	s, err := Rendered(folder, Rendering{At: "/static/", Server: live, Pinned: map[string]string{"sw.js": "/app/sw.js"}, Own: func(p string) bool { return p == "sw.js" }})
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, "/app/", s.Base)
	assert.True(t, s.IsRendered())
	assert.False(t, s.IsLive())
	start, err := s.StartPage()
	require.NoError(t, err)
	assert.Equal(t, "/app/", start.URL)
	got := map[string]string{}
	for _, f := range s.Files {
		data, err := s.Read(f.Path)
		require.NoError(t, err)
		got[f.Path+" "+f.URL] = string(data)
	}
	assert.Equal(t, map[string]string{
		"/app/ /app/": "<title>Home</title>", "/media/x.png /media/x.png": "elsewhere", "app.css /static/app.css": "body {}",
		"/static/lib.js /static/lib.js": "minified", "sw.js /app/sw.js": "worker", "notes.txt /static/notes.txt": "nobody asks", "offline.html /static/offline.html": "<title>Off</title>",
	}, got, "of what both have, what was sent counts, but for what is fit's own")
	assert.Equal(t, []string{"lib.js"}, s.Differ())
	assert.True(t, s.Sent("/static/app.css"))
	assert.False(t, s.Sent("/static/notes.txt"))
	f, ok := s.Find("/?a=b#c")
	assert.True(t, ok)
	assert.Equal(t, "/app/", f.Path)
	server := NewServer(s, Rules{})
	assert.Equal(t, "/app/", server.Answer("GET", "/").Header.Get("Location"))
	assert.Equal(t, "worker", string(server.Answer("GET", "/app/sw.js").Body))
	assert.Equal(t, 404, server.Answer("GET", "/static/sw.js").Status)
	assert.Equal(t, "/static/icons/a%20b.png", s.FileURL("icons/a b.png"))
	assert.Equal(t, "/static/guide/", s.PageURL("guide/index.html"))
	for u, want := range map[string]string{"/static/a%20b.js": "a b.js", "/app/sw.js": "sw.js"} {
		p, ok := s.Below(u)
		assert.True(t, ok)
		assert.Equal(t, want, p)
	}
	_, ok = s.Below("/app/x.js")
	assert.False(t, ok)
	s.Rebase("/other/")
	assert.Equal(t, "/app/", s.Base, "what the server says stays")
	_, err = Rendered(filepath.Join(folder, "none"), Rendering{At: "/", Server: live})
	assert.Error(t, err)
}
