package cli

import (
	"bytes"
	"context"
	"encoding/json"
	"io/fs"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/tested"
)

// islands is a small site that installs nothing yet.
var islands = map[string]string{
	"dist/index.html":       `<!doctype html><html lang="en"><head><title>Fares - Skerry Line</title><link rel="stylesheet" href="/a.css"></head><body><nav><a href="/tides/">Tides</a></nav></body></html>`,
	"dist/tides/index.html": `<!doctype html><html lang="en"><head><title>Tides - Skerry Line</title><script src="/main.js"></script></head></html>`,
	"dist/a.css":            "body { background: #f8f5ef }",
	"dist/main.js":          `fetch("/api/tides"); fetch("/api/book", {method: "POST"})`,
	"dist/mark.svg":         `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4.5" cy="4.5" r="4" fill="#0b4f6c"/></svg>`,
}

// folder writes files into a fresh folder and makes it the current one.
func folder(t *testing.T, files map[string]string) {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	t.Chdir(dir)
}

// program runs a command line.
func program(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	var o, e bytes.Buffer
	code = Run(context.Background(), args, &o, &e)
	return code, o.String(), e.String()
}

// listing names the files of the current folder with their bytes.
func listing(t *testing.T) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(".", func(p string, d fs.DirEntry, err error) error {
		if err == nil && d.Type().IsRegular() {
			data, e := os.ReadFile(p)
			out[p], err = string(data), e
		}
		return err
	}))
	return out
}

// Wrong usage is said in a line, gives status 2 and writes nothing.
func TestWrongUsage(t *testing.T) {
	files := map[string]string{"empty/readme.txt": "no page", "bad.toml": "[app]\nnmae = \"x\"\n", "file.html": "<p>"}
	for name, data := range islands {
		files[name] = data
	}
	folder(t, files)
	before := listing(t)
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"nonsense"}, "there is no command"},
		{[]string{"survey"}, "name the folder of the site"},
		{[]string{"survey", "gone"}, "gone: there is no such folder"},
		{[]string{"survey", "bad.toml"}, "is a file; a site is a folder"},
		{[]string{"survey", "empty"}, "no HTML page in it"},
		{[]string{"survey", "dist", "--format", "xml"}, "it is text or json"},
		{[]string{"survey", "dist", "more"}, "and 2 names were given"},
		{[]string{"survey", "dist", "--nonsense"}, "has no option"},
		{[]string{"survey", "http://127.0.0.1:1/", "--pages", "0"}, "--pages is 1 or more"},
		{[]string{"survey", "http://127.0.0.1:1/"}, "does not answer"},
		{[]string{"fit", "https://skerry.example/"}, "works on the folder that is deployed"},
		{[]string{"fit", "dist", "--config", "bad.toml"}, "bad.toml:2"},
		{[]string{"fit", "dist", "--config", "gone.toml"}, "gone.toml"},
		{[]string{"fit", "dist", "--theme-color", "blau"}, "no colour by CSS syntax"},
		{[]string{"fit", "dist", "--master", "gone.png"}, "gone.png"},
		{[]string{"fit", "dist", "--out", "dist"}, "dist"},
		{[]string{"rehearse", "dist", "--network", "slowly"}, "it is one of online, offline"},
		{[]string{"audit", "dist", "--fail-on", "worse"}, "it is one of blocker"},
		{[]string{"draft"}, "and 0 names were given"},
		{[]string{"rehearse", "dist", "--browser", "/no/such"}, "none is: ask for one"},
		{[]string{"rehearse", "dist", "--stage", "chromium", "--browser", "/no/such"}, "--browser /no/such: there is no such file"},
		{[]string{"demo", "dist"}, "dist"},
		{[]string{"demo", "."}, "name a folder to be made"},
		{[]string{"demo", "--place", "x"}, "the demo has one place"},
		{[]string{"demo", "--format", "json"}, "demo prints text only"},
		{[]string{"manifest", "dist"}, "--write makes one"},
		{[]string{"manifest", "gone.json"}, "gone.json"},
		{[]string{"manifest", "http://127.0.0.1:1/"}, "does not answer: dial tcp"},
		{[]string{"manifest", "file.html", "--write"}, "needs the folder of the site"},
		{[]string{"icons", "dist/mark.svg"}, "--out DIR says where"},
		{[]string{"explain", "unusable"}, "icons/unusable?"},
		{[]string{"icons", "file.html", "--out", "x"}, "not an SVG, PNG"},
	} {
		code, out, errs := program(t, c.args...)
		assert.Equal(t, ExitUsage, code, "%v: %s", c.args, errs)
		assert.Empty(t, out, "%v", c.args)
		assert.Contains(t, errs, c.says, "%v", c.args)
		assert.True(t, strings.HasPrefix(errs, "tachyform: "), errs)
	}
	assert.Equal(t, before, listing(t), "nothing was written")
}

// A site from survey to strip, as text.
func TestEveryCommand(t *testing.T) {
	folder(t, islands)
	before := listing(t)
	for _, c := range []struct {
		args  []string
		code  int
		parts []string
	}{
		{[]string{"--version"}, 0, []string{"tachyform "}},
		{nil, 0, []string{"survey", "icons", "manifest", "strip"}},
		{[]string{"survey", "dist"}, 0, []string{"Fares - Skerry Line", "POST   /api/book", "tachyform fit dist --dry-run"}},
		{[]string{"audit", "dist"}, 1, []string{"does not  Chromium, desktop", "manifest/"}},
		{[]string{"audit", "dist", "--fail-on", "never"}, 0, []string{"does not"}},
		{[]string{"rehearse", "dist"}, 0, []string{"after the visits none is registered", "lost"}},
		{[]string{"fit", "dist", "--dry-run"}, 0, []string{"Dry run of dist: 13 files would be written; nothing was", "+++ b/sw.js"}},
		{[]string{"fit", "dist", "--dry-run", "--output", "d.diff"}, 0, []string{"The diff is in d.diff"}},
		{[]string{"draft", "dist", "--output", "-"}, 0, []string{"site = \"dist\"  # the folder", "takeover"}},
		{[]string{"draft", "dist", "--output", "-", "--schema"}, 2, nil},
		{[]string{"survey", "dist", "--output", "-"}, 0, []string{"Fares - Skerry Line"}},
		{[]string{"fit", "dist", "--quiet"}, 0, nil},
		{[]string{"fit", "dist"}, 0, []string{"nothing to do"}},
		{[]string{"manifest", "dist"}, 0, []string{"/manifest.webmanifest", "Tides", "installs  Chromium, desktop"}},
		{[]string{"rehearse", "dist", "--network", "offline,failing", "--page", "tides/"}, 0, []string{"Offline, 1 page  1 partial", "missing /api/tides", "Failing, 1 page"}},
		{[]string{"audit", "dist"}, 0, []string{"installs  Safari, Mac"}},
		{[]string{"survey", "dist"}, 0, []string{"3 of 3 pages"}},
		{[]string{"explain"}, 0, []string{"icons/unusable", "offline/page-lost"}},
		{[]string{"explain", "icons/unusable"}, 0, []string{"why", "Chromium fetches one icon", "chromium-desktop"}},
		{[]string{"strip", "dist"}, 0, []string{"Stripped dist", "removed"}},
		{[]string{"strip", "dist"}, 0, []string{"nothing"}},
	} {
		code, out, errs := program(t, c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		for _, p := range c.parts {
			assert.Contains(t, out, p, "%v", c.args)
		}
		if c.parts == nil {
			assert.Empty(t, out, "%v", c.args)
		}
		assert.NotContains(t, out, "\x1b[", "no colours into a buffer")
	}
	diff, err := os.ReadFile("d.diff")
	require.NoError(t, err)
	assert.Contains(t, string(diff), "+++ b/tides/index.html")
	require.NoError(t, os.Remove("d.diff"))
	assert.Equal(t, before, listing(t), "strip gave everything back")
}

// Every command that has a result gives it as one JSON object on standard output.
func TestJSON(t *testing.T) {
	folder(t, islands)
	for _, c := range []struct {
		format string
		args   []string
	}{
		{"tachyform.survey/1", []string{"survey", "dist"}},
		{"tachyform.fit/1", []string{"fit", "dist", "--dry-run"}},
		{"tachyform.draft/1", []string{"draft", "dist", "--output", "t.toml"}},
		{"tachyform.fit/1", []string{"fit", "dist"}},
		{"tachyform.manifest/1", []string{"manifest", "dist"}},
		{"tachyform.icons/1", []string{"icons", "dist/mark.svg", "--out", "set"}},
		{"tachyform.rehearsal/1", []string{"rehearse", "dist"}},
		{"tachyform.audit/1", []string{"audit", "dist"}},
		{"tachyform.checks/1", []string{"explain"}},
		{"tachyform.strip/1", []string{"strip", "dist"}},
	} {
		code, out, errs := program(t, append(c.args, "--format", "json")...)
		require.Zero(t, code, "%v: %s", c.args, errs)
		var v map[string]any
		require.NoError(t, json.Unmarshal([]byte(out), &v), "%v", c.args)
		assert.Equal(t, c.format, v["format"], "%v", c.args)
		assert.Empty(t, errs)
	}
}

func TestOutputGoesToAFile(t *testing.T) {
	folder(t, islands)
	code, out, _ := program(t, "survey", "dist", "--output", "s.txt")
	assert.Zero(t, code)
	assert.Empty(t, out)
	assert.Contains(t, listing(t)["s.txt"], "Survey of dist")
	code, _, errs := program(t, "survey", "dist", "--output", "gone/s.txt")
	assert.Equal(t, ExitBroken, code)
	assert.Contains(t, errs, "--output")
}

func TestConfigurationNamesTheSite(t *testing.T) {
	files := map[string]string{"tachyform.toml": "site = \"dist\"\n[app]\nname = \"Skerry Line ferries\"\n[pages]\nconflicts = \"outrank\"\n"}
	for name, data := range islands {
		files[name] = data
	}
	folder(t, files)
	code, out, errs := program(t, "fit")
	require.Zero(t, code, errs)
	assert.Contains(t, out, "Skerry Line ferries")
	assert.Contains(t, out, "tachyform.toml")
	code, out, _ = program(t, "survey", "--base", "/sub/")
	assert.Zero(t, code)
	assert.Contains(t, out, "starting at /sub/")
}

func TestInterrupted(t *testing.T) {
	folder(t, islands)
	before := listing(t)
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	for _, args := range [][]string{{"fit", "dist"}, {"survey", "dist"}, {"draft", "dist"}} {
		var o, e bytes.Buffer
		assert.Equal(t, ExitBroken, Run(ctx, args, &o, &e), "%v", args)
		assert.Contains(t, e.String(), "interrupted", "%v", args)
	}
	assert.Equal(t, before, listing(t))
}

func TestLiveAddresses(t *testing.T) {
	folder(t, islands)
	server := httptest.NewServer(http.FileServer(http.Dir("dist")))
	defer server.Close()
	code, out, errs := program(t, "survey", server.URL)
	require.Zero(t, code, errs)
	for _, part := range []string{"2, starting at /", "How it was read", "robots.txt: none", "/api/book", "tachyform fit FOLDER"} {
		assert.Contains(t, out, part)
	}
	code, out, _ = program(t, "survey", server.URL, "--pages", "1", "--format", "json")
	require.Zero(t, code)
	var v struct {
		Pages int
		Crawl struct{ Stopped string }
	}
	require.NoError(t, json.Unmarshal([]byte(out), &v))
	assert.Equal(t, 1, v.Pages)
	assert.Equal(t, "the limit of 1 page", v.Crawl.Stopped)
	code, _, errs = program(t, "manifest", server.URL)
	assert.Equal(t, ExitUsage, code)
	assert.Contains(t, errs, "links no manifest")
}

// A page that is named in the place of its site stands for its folder, and that is said.
func TestAPageForItsSite(t *testing.T) {
	folder(t, map[string]string{"dist/index.html": "<title>Skerry Line</title>", "dist/fares.html": "<title>Fares</title>"})
	code, out, errs := program(t, "survey", filepath.Join("dist", "fares.html"))
	assert.Equal(t, ExitFine, code, errs)
	assert.Contains(t, errs, "is a page; the site is its folder, dist.")
	assert.Contains(t, out, "2, starting at /")
	code, out, _ = program(t, "survey", filepath.Join("dist", "index.html"), "--place", "staging")
	assert.Equal(t, ExitUsage, code)
	assert.Empty(t, out)
}

// Commands that are suggested are about the same place and configuration, and a shell reads the folder's name as one word.
func TestSuggestedCommands(t *testing.T) {
	folder(t, map[string]string{"my site/index.html": "<title>Skerry Line</title>", "other.toml": "[place.staging]\nbase = \"/preview/\"\n"})
	code, out, errs := program(t, "survey", "my site", "--config", "other.toml", "--place", "staging")
	require.Equal(t, ExitFine, code, errs)
	assert.Contains(t, out, "tachyform fit 'my site' --config other.toml --place staging")
	assert.Contains(t, out, "tachyform audit 'my site' --config other.toml --place staging")
}
