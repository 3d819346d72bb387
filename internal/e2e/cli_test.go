package e2e

import (
	"bufio"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

func TestBadInput(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"site/index.html":     "<title>a</title>",
		"empty/readme.txt":    "no page",
		"broken/index.html":   "<head><link rel=manifest href=m.json></head>",
		"broken/m.json":       "{",
		"readonly/index.html": "<title>a</title>",
		"mine/notes.txt":      "do not touch",
		"unknown.toml":        "[stow]\nceilling = \"1 MB\"\n",
		"value.toml":          "[app]\ntheme_color = \"blau\"\n",
		"shell.toml":          "[offline]\nshell = \"/gone.html\"\n",
		"text.svg":            "hello",
	})
	require.NoError(t, os.Chmod(filepath.Join(dir, "readonly", "index.html"), 0o444))
	for _, c := range []struct {
		args string
		code int
		want string
	}{
		{"fit gone", 2, "gone: there is no such folder"},
		{"fit text.svg", 2, "is a file; a site is a folder"},
		{"fit empty", 2, "no HTML page in it"},
		{"fit", 2, "name the folder of the site"},
		{"fit a b", 2, "and 2 names were given"},
		{"fit https://ferry.example/", 2, "not on an address"},
		{"fit site --colour", 2, "has no option"},
		{"fit site --theme-color blau", 2, "no colour by CSS syntax"},
		{"fit site --config gone.toml", 2, "gone.toml: no such file"},
		{"fit site --config unknown.toml", 2, "unknown.toml:2:1: unknown key \"stow.ceilling\"; do you mean \"stow.ceiling\"?"},
		{"fit site --config value.toml", 2, "value.toml:2:1: theme_color = \"blau\""},
		{"fit site --config shell.toml", 2, "[offline] names /gone.html, which is not in the site"},
		{"fit site --master text.svg", 2, "not an SVG, PNG, JPEG, WebP, GIF or BMP picture"},
		{"fit site --master gone.svg", 2, "master gone.svg: no such file"},
		{"fit broken", 2, "m.json:1:1: not JSON"},
		{"fit readonly", 3, "nothing was written, because index.html is read-only"},
		{"fit site --out mine", 2, "the folder is not empty"},
		{"rehearse gone", 2, "no such folder"},
		{"rehearse site --network wet", 2, "it is one of online, offline"},
		{"audit site --fail-on never --format xml", 2, "it is text, json, markdown"},
		{"audit site --fail-on sometimes", 2, "it is one of blocker"},
		{"demo mine", 2, "not empty and not an earlier demo"},
		{"demo unknown.toml", 2, "is a file"},
		{"bogus", 2, "there is no command"},
	} {
		before := snapshot(t, dir)
		out, errs, code := run(t, dir, strings.Fields(c.args)...)
		assert.Equal(t, c.code, code, "%s\n%s", c.args, errs)
		assert.Contains(t, errs, c.want, c.args)
		assert.True(t, strings.HasPrefix(errs, "tachyform: "), c.args)
		assert.Empty(t, out, "nothing on standard output: %s", c.args)
		assert.Equal(t, before, snapshot(t, dir), "nothing half-written: %s", c.args)
	}
}

// snapshot lists the files below a folder with their contents.
func snapshot(t testing.TB, dir string) string {
	t.Helper()
	out, err := exec.Command("sh", "-c", "cd \"$0\" && find . -type f -exec sha256sum {} + | sort", dir).Output()
	require.NoError(t, err)
	return string(out)
}

func TestExitStatusOfTheGate(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	fittedDemo(t, dir)
	for level, want := range map[string]int{"blocker": 0, "warning": 0, "advice": 1, "never": 0} {
		_, errs, code := run(t, dir, "audit", "demo-site", "--fail-on", level)
		assert.Equal(t, want, code, level)
		assert.Empty(t, errs)
	}
	write(t, dir, map[string]string{"tachyform.toml": "site = \"demo-site\"\n[audit]\nfail_on = \"advice\"\nplatforms = [\"safari-ios\"]\n"})
	out, _, code := run(t, dir, "audit", "--format", "json")
	assert.Equal(t, 1, code)
	assert.Contains(t, out, "safari-ios")
	assert.NotContains(t, out, "chromium-desktop")
}

func TestMachineOutput(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	fittedDemo(t, dir)
	var r map[string]any
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", "demo-site", "--format", "json", "--network", "offline,failing,portal,slow,online", "--page", "/tides/", "--fetch", "/data/tides.json")), &r))
	assert.Equal(t, "tachyform.rehearsal/1", r["format"])
	assert.Equal(t, "embedded", r["stage"])
	assert.Equal(t, map[string]any{"url": "/sw.js", "scope": "/", "state": "activated", "error": ""}, r["worker"])
	pages := r["pages"].([]any)
	require.Len(t, pages, 5)
	for _, p := range pages {
		assert.Equal(t, "whole", p.(map[string]any)["outcome"], p)
		for _, field := range []string{"url", "network", "status", "title", "answered_by", "missing", "why"} {
			assert.Contains(t, p, field)
		}
	}
	fetches := r["fetches"].([]any)
	require.Len(t, fetches, 5)
	for _, f := range fetches {
		assert.Equal(t, "answered", f.(map[string]any)["result"])
		assert.Len(t, f.(map[string]any)["sha256"], 64)
		assert.Equal(t, fetches[0].(map[string]any)["sha256"], f.(map[string]any)["sha256"], "the stored tides in every state")
	}
	var a map[string]any
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "audit", "demo-site", "--format", "json", "--output", "a.json")+"null"), &a))
	data, err := os.ReadFile(filepath.Join(dir, "a.json"))
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(data, &a))
	assert.Equal(t, "tachyform.audit/1", a["format"])
	for _, field := range []string{"site", "platforms", "checks", "rehearsal"} {
		assert.Contains(t, a, field)
	}
}

func TestFitOnTheCommandLine(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	before := snapshot(t, filepath.Join(dir, "dist"))
	diff := fine(t, dir, "fit", "dist", "--dry-run")
	assert.Contains(t, diff, "+++ b/index.html")
	assert.Contains(t, diff, "Dry run of dist")
	assert.Equal(t, before, snapshot(t, filepath.Join(dir, "dist")))
	assert.Contains(t, fine(t, dir, "fit", "dist", "--dry-run", "--output", "fit.diff"), "The diff is in fit.diff")
	file, err := os.ReadFile(filepath.Join(dir, "fit.diff"))
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(diff, "\n\n"+string(file)), "the summary first, then the same diff")
	fine(t, dir, "fit", "dist", "--out", "copy", "--quiet")
	assert.Equal(t, before, snapshot(t, filepath.Join(dir, "dist")))
	fine(t, dir, "fit", "dist")
	once := snapshot(t, filepath.Join(dir, "dist"))
	assert.Equal(t, once, snapshot(t, filepath.Join(dir, "copy")))
	assert.Contains(t, fine(t, dir, "fit", "dist"), "nothing to do")
	assert.Equal(t, once, snapshot(t, filepath.Join(dir, "dist")))
}

func TestEveryHelpHasAnExampleThatWorks(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/timetable/index.html": strings.ReplaceAll(start, "Skerry Line", "Timetable"), "dist/app.css": "body { color: teal }",
		"dist/api/departures.json": "[]"})
	fine(t, dir, "fit", "dist")
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist-new"), os.DirFS(filepath.Join(dir, "dist"))))
	mark, err := os.ReadFile("../../demo/site/assets/brand/mark.svg")
	require.NoError(t, err)
	write(t, dir, map[string]string{"mark.svg": string(mark), "mark.png": plain(t, 512), "app.webmanifest": `{"name": "Skerry"}`, "dist/app.webmanifest": `{"name": "Skerry"}`})
	write(t, filepath.Dir(dir), map[string]string{"next/dist/index.html": start, "next/dist/app.css": ""})
	live := httptest.NewServer(http.FileServer(http.Dir(filepath.Join(dir, "dist"))))
	defer live.Close()
	commands := regexp.MustCompile(`(?m)^  (\w+) +\S`)
	_, help, _ := strings.Cut(fine(t, dir, "--help"), "Available Commands:")
	help, _, _ = strings.Cut(help, "Flags:")
	found := 0
	for _, m := range commands.FindAllStringSubmatch(help, -1) {
		if m[1] == "help" || m[1] == "completion" {
			continue
		}
		text := fine(t, dir, m[1], "--help")
		_, examples, ok := strings.Cut(text, "Examples:\n")
		require.True(t, ok, m[1])
		examples, _, _ = strings.Cut(examples, "\n\n")
		for _, line := range strings.Split(strings.TrimSpace(examples), "\n") {
			found++
			line, _, _ = strings.Cut(strings.TrimSpace(line), " #")
			if os.Getenv("TACHYFORM_ALL") == "" && (strings.Contains(line, "--stage both") || line == "tachyform demo") {
				continue // it takes long, and other tests do as much
			}
			line = strings.Replace(line, "https://skerry-line.example", live.URL, 1)
			require.NoError(t, os.RemoveAll(filepath.Join(dir, "icons"))) // two examples write there
			sh := exec.Command("sh", "-c", line)
			sh.Dir = dir
			sh.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"), "XDG_CONFIG_HOME="+filepath.Join(dir, "own"))
			if strings.Contains(line, " --serve") {
				sh.Args[2] = "exec " + line
				serves(t, sh)
				continue
			}
			if m[1] == "serve" {
				sh.Args[2] = "exec " + line + " --port 0"
				serves(t, sh)
				continue
			}
			out, err := sh.CombinedOutput()
			if strings.Contains(line, "--fail-on warning") {
				continue // may find something
			}
			assert.NoError(t, err, "%s\n%s", line, out)
		}
	}
	assert.GreaterOrEqual(t, found, 8)
}

// serves starts a command that serves, and ends it once it says where.
func serves(t *testing.T, cmd *exec.Cmd) {
	t.Helper()
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	said := false
	for lines := bufio.NewScanner(out); !said && lines.Scan(); {
		said = strings.HasPrefix(lines.Text(), "control ")
	}
	assert.True(t, said, cmd.Args[2])
	require.NoError(t, cmd.Process.Signal(os.Interrupt))
	_, _ = io.Copy(io.Discard, out) // until it ends
	assert.NoError(t, cmd.Wait(), cmd.Args[2])
}

func TestVersionIsAStaticFile(t *testing.T) {
	t.Parallel()
	assert.Regexp(t, `^tachyform \d+\.\d+\.\d+(, commit [0-9a-f]{12}( with changes)?)?, go1\.\S+\n$`, fine(t, t.TempDir(), "--version"))
	out, err := exec.Command("sh", "-c", "ldd \"$0\" 2>&1 || true", program).CombinedOutput()
	require.NoError(t, err)
	assert.Contains(t, string(out), "not a dynamic executable")
}

// TestDebianDocumentation runs the whole sequence on a site that nobody here wrote.
func TestDebianDocumentation(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := debian(t, "python-flask-doc", "usr/share/doc/python-flask-doc/html")
	fine(t, filepath.Dir(dir), "fit", "html")
	before := snapshot(t, dir)
	assert.Contains(t, fine(t, filepath.Dir(dir), "fit", "html"), "nothing to do")
	assert.Equal(t, before, snapshot(t, dir))
	said := rehearsed(t, filepath.Dir(dir), "html")
	assert.Equal(t, "activated", said.Worker.State)
	whole := 0
	for _, p := range said.Pages {
		assert.NotEqual(t, rehearsal.Lost, p.Outcome, p.URL)
		if p.Outcome == rehearsal.Whole {
			whole++
		}
	}
	t.Logf("%d pages, %d whole", len(said.Pages), whole)
	assert.Greater(t, len(said.Pages), 20)
	_, _, code := run(t, filepath.Dir(dir), "audit", "html")
	assert.Equal(t, 0, code, "no blocker")
	b, _ := browse(t, dir, "/")
	_, err := b.Open("/")
	require.NoError(t, err)
	require.NoError(t, b.Settle())
	hindrances, problems, err := b.Install()
	require.NoError(t, err)
	assert.Empty(t, hindrances)
	assert.Empty(t, problems)
}

// debian fetches a documentation package and gives a copy of a folder in it.
func debian(t testing.TB, name, folder string) string {
	t.Helper()
	cache, err := os.UserCacheDir()
	require.NoError(t, err)
	cache = filepath.Join(cache, "tachyform-test-sites")
	unpacked := filepath.Join(cache, name)
	if _, err := os.Stat(filepath.Join(unpacked, "done")); err != nil {
		require.NoError(t, os.RemoveAll(unpacked))
		require.NoError(t, os.MkdirAll(unpacked, 0o755))
		sh := exec.Command("sh", "-ec", "apt-get download \"$0\" >/dev/null 2>&1 || { apt-get update -qq >/dev/null; apt-get download \"$0\" >/dev/null; }; dpkg-deb -x ./*.deb tree; rm ./*.deb; touch done", name)
		sh.Dir = unpacked
		out, err := sh.CombinedOutput()
		require.NoError(t, err, "fetching the Debian package %s\n%s", name, out)
	}
	dir := filepath.Join(t.TempDir(), filepath.Base(folder))
	out, err := exec.Command("cp", "-a", filepath.Join(unpacked, "tree", filepath.FromSlash(folder)), dir).CombinedOutput()
	require.NoError(t, err, string(out))
	return dir
}

func TestDraftThenFit(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	fine(t, dir, "draft", "dist")
	_, errs, code := run(t, dir, "draft", "dist")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "is there already; --force overwrites it")
	fine(t, dir, "draft", "dist", "--force")
	fine(t, dir, "fit")
	for _, p := range rehearsed(t, dir, "--story", "none").Pages {
		want := rehearsal.Whole
		if p.URL == "/account/" {
			want = rehearsal.StandIn
		}
		assert.Equal(t, want, p.Outcome, p.URL)
	}
	var s map[string]any
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "survey", "--format", "json")), &s))
	assert.Equal(t, "tachyform.survey/1", s["format"])
	assert.EqualValues(t, 17, s["fitted"])
	assert.Contains(t, fine(t, dir, "strip"), "Stripped dist")
}

func TestManifestCommand(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	_, errs, code := run(t, dir, "manifest", "dist")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--write makes one")
	fine(t, dir, "manifest", "dist", "--write", "--screenshots")
	out := fine(t, dir, "manifest", "dist")
	for _, part := range []string{"linked by index.html", `"Skerry Line"`, "it needs                   icons", "does not look at", "browser-compat-data"} {
		assert.Contains(t, out, part)
	}
	assert.FileExists(t, filepath.Join(dir, "dist", "screenshots", "app-wide.png"))
	write(t, dir, map[string]string{"m.json": "{\n  \"name\": \"Skerry\",\n  \"start_url\": 5,\n  \"theme_color\": \"blau\",\n  \"icons\": [{\"src\": \"a.png\", \"sizes\": 192}]\n}"})
	out = fine(t, dir, "manifest", "m.json")
	for _, part := range []string{"m.json:3:16", "m.json:4:18 theme_color", "m.json:5:39 icons[0].sizes", "nothing"} {
		assert.Contains(t, out, part)
	}
	var v struct {
		Format    string
		Processed map[string]any
		Problems  []struct{ Member, File string }
		Platforms []struct{ ID string }
	}
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "manifest", "m.json", "--format", "json")), &v))
	assert.Equal(t, "tachyform.manifest/1", v.Format)
	assert.Equal(t, "Skerry", v.Processed["name"])
	assert.Len(t, v.Platforms, 7)
	_, errs, code = run(t, dir, "manifest", "m.json", "--write")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "needs the folder of the site")
	fine(t, dir, "strip", "dist")
	assert.Equal(t, snapshot(t, "../../demo/site"), snapshot(t, filepath.Join(dir, "dist")))
}

func TestIconsCommand(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	mark, err := os.ReadFile("../../demo/site/assets/brand/mark.svg")
	require.NoError(t, err)
	write(t, dir, map[string]string{"mark.svg": string(mark), "dist/app.webmanifest": "{\n\t\"name\": \"Skerry\"\n}\n", "text.txt": "no picture"})
	_, errs, code := run(t, dir, "icons", "mark.svg", "--out", "dist/icons", "--list-in", "dist/nope.webmanifest")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "--list-in dist/nope.webmanifest: there is no such file")
	assert.NoDirExists(t, filepath.Join(dir, "dist", "icons"), "nothing is drawn before that is known")
	out := fine(t, dir, "icons", "mark.svg", "--out", "dist/icons", "--list-in", "dist/app.webmanifest", "--sizes", "96", "--shortcut", "mark.svg", "--sheet", "sheet.png")
	for _, part := range []string{"8 files written", "icon-96.png", "shortcut-mark-96.png", "dist/app.webmanifest got the icons member", `href="icons/favicon.ico"`, "sheet.png shows them all"} {
		assert.Contains(t, out, part)
	}
	out = fine(t, dir, "manifest", filepath.Join("dist", "app.webmanifest"))
	assert.Contains(t, out, "4: icons/icon-192.png")
	assert.Contains(t, fine(t, dir, "icons", "mark.svg", "--out", "dist/icons", "--sizes", "96", "--shortcut", "mark.svg"), "nothing to do")
	write(t, dir, map[string]string{"dist/icons/icon-192.png": "theirs"})
	before := snapshot(t, filepath.Join(dir, "dist"))
	for want, args := range map[string][]string{
		"--force replaces them":          {"icons", "mark.svg", "--out", "dist/icons"},
		"--out DIR says":                 {"icons", "mark.svg"},
		"not an SVG, PNG":                {"icons", "text.txt", "--out", "x"},
		"there is no such file":          {"icons", "gone.svg", "--out", "x"},
		"icons have 8 to 2048 px":        {"icons", "mark.svg", "--out", "x", "--sizes", "5000"},
		"is no colour by CSS":            {"icons", "mark.svg", "--out", "x", "--backdrop", "blau"},
		"is .png or .html":               {"icons", "mark.svg", "--out", "x", "--sheet", "a.gif"},
		"it is quick, usual or small":    {"icons", "mark.svg", "--out", "x", "--effort", "much"},
		"is a folder":                    {"icons", "dist", "--out", "x"},
		"and 0 names were given":         {"icons"},
		"mark.gone: there is no such fi": {"icons", "mark.svg", "--out", "x", "--small", "mark.gone"},
	} {
		_, errs, code := run(t, dir, args...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, want)
	}
	assert.Equal(t, before, snapshot(t, filepath.Join(dir, "dist")), "nothing was written")
	assert.NoDirExists(t, filepath.Join(dir, "x"))
	assert.Contains(t, fine(t, dir, "icons", "mark.svg", "--out", "dist/icons", "--force"), "1 file written")
}
