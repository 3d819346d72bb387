package e2e

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

const gallery = `const root = document.getElementById("root");
async function show() {
  if (location.pathname === "/boats") {
    const list = await (await fetch("/api/boats")).json();
    root.innerHTML = "<h1>All our boats</h1>" + list.map((b) => "<figure><img src='" + b.photo + "'><figcaption>" + b.name + "</figcaption></figure>").join("");
  } else if (location.pathname === "/") root.innerHTML = "<h1>Skerry Line</h1><p>Ferries between the islands</p><img src='/logo.png'><a href='/boats'>Boats</a>";
  else root.innerHTML = "<p>Nothing here</p>";
}
show();`

// TestPicturesThatDataNames records, drafts and rehearses an application whose data names pictures, on its own server and on another.
func TestPicturesThatDataNames(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	picture := plain(t, 4)
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "image/png")
		_, _ = w.Write([]byte(picture))
	}))
	t.Cleanup(host.Close)
	write(t, dir, map[string]string{"dist/index.html": "<!doctype html><html lang=en><head><meta charset=utf-8><title>Boats</title></head><body><div id=root></div><script src=/app.js></script></body></html>",
		"dist/app.js": gallery, "dist/logo.png": picture, "tachyform.toml": "site = \"dist\"\n"})
	live := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch p := r.URL.Path; {
		case p == "/api/boats":
			w.Header().Set("Content-Type", "application/json")
			_, _ = fmt.Fprintf(w, `[{"name": "Merganser", "photo": "/media/7/side.png"}, {"name": "Eider", "photo": "/media/9/side.png?w=2"}, {"name": "Gannet", "photo": "%s/pic/gannet.png"}, {"name": "Ours", "photo": "/account/me.png"}]`, host.URL)
		case strings.HasPrefix(p, "/media/"), p == "/account/me.png":
			w.Header().Set("Content-Type", "image/png")
			_, _ = w.Write([]byte(picture))
		case strings.Contains(p, "."):
			http.ServeFile(w, r, filepath.Join(dir, "dist", p))
		default:
			http.ServeFile(w, r, filepath.Join(dir, "dist/index.html"))
		}
	}))
	t.Cleanup(live.Close)

	out := fine(t, dir, "record", live.URL+"/")
	for _, want := range []string{"/media/7/side.png", "/media/9/side.png?w=2", host.URL} {
		assert.Contains(t, out, want)
	}
	live.Close()
	host.Close()
	_, err := os.Stat(filepath.Join(dir, "recorded/site/logo.png"))
	assert.ErrorIs(t, err, os.ErrNotExist, "what the site has is not recorded")

	fine(t, dir, "draft", "dist", "--force")
	draft, err := os.ReadFile(filepath.Join(dir, "tachyform.toml"))
	require.NoError(t, err)
	for _, want := range []string{"match = \"/media/:id/*\"", "match = \"" + strings.Replace(host.URL, "http://", `http://`, 1) + "/pic/*\"", "destination = [\"image\"]", "# /account/* (pictures that /boats shows) looks like what belongs to one person"} {
		assert.Contains(t, strings.ReplaceAll(string(draft), `\\:`, ":"), want)
	}
	fine(t, dir, "fit")
	out = fine(t, dir, "survey")
	assert.Contains(t, out, "shows pictures /media/:id/*")
	r := rehearsed(t, dir, "--story", "none")
	i := slices.IndexFunc(r.Pages, func(p rehearsal.PageResult) bool { return p.URL == "/boats" })
	require.GreaterOrEqual(t, i, 0)
	assert.Equal(t, []string{"/account/me.png", host.URL + "/pic/gannet.png"}, addresses(r.Pages[i].SeenMissing), "pictures that the rules keep are there once they were seen")
}

// TestPicturesThatDataNamesInChromium has the stages agree on what is there.
func TestPicturesThatDataNamesInChromium(t *testing.T) {
	needsAll(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": "<!doctype html><html lang=en><head><meta charset=utf-8><title>Boats</title></head><body><div id=root></div><script src=/app.js></script></body></html>",
		"dist/app.js": gallery, "dist/logo.png": plain(t, 4), "p.png": plain(t, 5), "boats.json": `[{"name": "Merganser", "photo": "/media/7/side.png"}]`})
	answers := "[[server.answer]]\npath = \"/api/boats\"\nfile = \"boats.json\"\n[[server.answer]]\npath = \"/media/7/side.png\"\nfile = \"p.png\"\n"
	fine(t, dir, "draft", "dist")
	draft, err := os.ReadFile(filepath.Join(dir, "tachyform.toml"))
	require.NoError(t, err)
	write(t, dir, map[string]string{"tachyform.toml": string(draft) + answers + "[[rule]]\nmatch = \"/media/*/*\"\ndestination = [\"image\"]\nanswer = \"stale-while-revalidate\"\nkeep = { entries = 60, age = \"30d\" }\n"})
	fine(t, dir, "fit")
	r := rehearsed(t, dir, "--stage", "both", "--story", "none")
	assert.Empty(t, r.Differences)
	for _, of := range []*rehearsal.Report{r, r.Chromium} {
		i := slices.IndexFunc(of.Pages, func(p rehearsal.PageResult) bool { return p.URL == "/boats" })
		require.GreaterOrEqual(t, i, 0)
		assert.Equal(t, rehearsal.Whole, of.Pages[i].Seen)
		assert.Empty(t, of.Pages[i].SeenMissing)
	}
}

func addresses(missing []rehearsal.Missing) []string {
	out := []string{}
	for _, m := range missing {
		out = append(out, m.URL)
	}
	return out
}
