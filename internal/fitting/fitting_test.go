package fitting

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"image"
	"image/png"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"unicode"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

func write(t testing.TB, dir string, files map[string]string) string {
	t.Helper()
	tested.Write(t, dir, files)
	return dir
}

func plan(t testing.TB, dir string, cfg *config.Config, o Options) (*Plan, error) {
	t.Helper()
	if cfg == nil {
		cfg = &config.Config{}
	}
	s, err := site.Open(dir, cfg.Base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return Make(context.Background(), s, cfg, o)
}

func fit(t testing.TB, dir string, cfg *config.Config, o Options) *Plan {
	t.Helper()
	p, err := plan(t, dir, cfg, o)
	require.NoError(t, err)
	require.NoError(t, p.Apply(context.Background(), nil))
	return p
}

// tree gives a digest of every file below a folder, without our own folder.
func tree(t testing.TB, dir string) map[string][32]byte {
	t.Helper()
	out := map[string][32]byte{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		rel, _ := filepath.Rel(dir, p)
		out[rel] = sha256.Sum256(data)
		return err
	}))
	return out
}

// same expects that no file of a tree changed.
func same(t testing.TB, before, after map[string][32]byte, why ...any) {
	t.Helper()
	var changed []string
	for name := range after {
		if before[name] != after[name] {
			changed = append(changed, name)
		}
	}
	for name := range before {
		if _, ok := after[name]; !ok {
			changed = append(changed, name+" is gone")
		}
	}
	assert.Empty(t, changed, why...)
}

// paths names the files that a plan changes.
func (p *Plan) paths() []string {
	out := []string{}
	for _, c := range p.Changes {
		out = append(out, c.Path)
	}
	return out
}

func read(t testing.TB, dir, name string) string {
	t.Helper()
	data, err := os.ReadFile(filepath.Join(dir, filepath.FromSlash(name)))
	require.NoError(t, err)
	return string(data)
}

var small = map[string]string{
	"index.html":      "<!doctype html>\n<html lang=\"gd\">\n<head>\n  <title>Home - Kelda Mail</title>\n  <meta name=\"description\" content=\"Letters\">\n  <link rel=\"stylesheet\" href=\"a.css\">\n</head>\n<body><a href=\"/\">Kelda Mail</a></body>\n</html>\n",
	"post/index.html": "<title>Post - Kelda Mail</title><p>x",
	"a.css":           ":root { --accent: #a03 } body { background: #fafaf0 }",
	"a.css.map":       "{}",
}

func values(p *Plan) map[string]string {
	out := map[string]string{}
	for _, i := range p.Inferences {
		out[i.What] = i.Value
	}
	return out
}

func TestInferences(t *testing.T) {
	p := fit(t, write(t, t.TempDir(), small), nil, Options{})
	v := values(p)
	assert.Equal(t, map[string]string{"name": "Kelda Mail", "short_name": "Kelda Mail", "description": "Letters", "lang": "gd", "theme_color": "#aa0033",
		"background_color": "#fafaf0", "master": "a drawn letter"}, v)
	for _, i := range p.Inferences {
		assert.NotEmpty(t, i.From)
	}
	cfg := &config.Config{File: "tachyform.toml"}
	cfg.App.Name, cfg.App.ThemeColor = "Other name of some length", "teal"
	p, err := plan(t, write(t, t.TempDir(), small), cfg, Options{})
	require.NoError(t, err)
	assert.Equal(t, "Other name of some length", values(p)["name"])
	assert.Equal(t, "Other name", values(p)["short_name"])
	assert.Equal(t, "teal", values(p)["theme_color"])
}

func TestFitTwiceChangesNothing(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	first := fit(t, dir, nil, Options{})
	assert.NotEmpty(t, first.paths())
	before := tree(t, dir)
	second := fit(t, dir, nil, Options{})
	assert.Empty(t, second.paths())
	same(t, before, tree(t, dir))
	assert.Equal(t, 2, second.Same["page"])

	other := write(t, t.TempDir(), small)
	fit(t, other, nil, Options{})
	same(t, before, tree(t, other), "the same site gives the same bytes")
}

// table gives what the worker says of the release, without the line by which it knows what fit wrote.
func table(t *testing.T, dir string) string {
	t.Helper()
	sw, _, signed := strings.Cut(read(t, dir, "sw.js"), "// fit wrote this")
	require.True(t, signed)
	return sw
}

func TestNothingOfNoUseIsStowed(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	write(t, dir, map[string]string{"login.html": "<input type=password>", "robots.txt": "x"})
	p := fit(t, dir, nil, Options{})
	sw := table(t, dir)
	for _, never := range []string{"a.css.map", "robots.txt", "manifest.webmanifest\"", "icon-512", "\"/sw.js\"", "record.json"} {
		assert.NotContains(t, sw, never)
	}
	assert.NotContains(t, sw, "\"/login.html\":")
	assert.Contains(t, sw, `{ match: "^/login\\.html(?:\\?[\\s\\S]*)?$", answer: "network-only" }`)
	assert.Contains(t, sw, "\"/offline.html\": \"")
	assert.Len(t, p.Stowed.Never, 3)
}

func TestCeiling(t *testing.T) {
	files := map[string]string{"index.html": "<title>a</title><img src=1.jpg>", "1.jpg": strings.Repeat("x", 15000), "2.jpg": strings.Repeat("y", 19000), "b.html": "<title>b</title><img src=2.jpg>"}
	cfg := &config.Config{}
	cfg.Stow.Ceiling = "40 kB"
	p := fit(t, write(t, t.TempDir(), files), cfg, Options{})
	assert.Equal(t, 5, p.Stowed.Now, "start page, its picture, offline page with its script, and page script")
	assert.Equal(t, 2, p.Stowed.Later)
	cfg.Stow.Ceiling = "4 kB"
	dir := write(t, t.TempDir(), files)
	p = fit(t, dir, cfg, Options{})
	assert.Contains(t, strings.Join(p.Remarks, "\n"), "over the ceiling of 4.0 kB; the biggest are 1.jpg")
	cfg.Stow.Now, cfg.Stow.Never = []string{"/**/*.html"}, []string{"/2.jpg"}
	p = fit(t, dir, cfg, Options{})
	assert.NotContains(t, read(t, dir, "sw.js"), "\"/1.jpg\":")
	assert.Contains(t, read(t, dir, "sw.js"), "\"/b.html\":")
	assert.Equal(t, "the configuration says so", p.Stowed.Never[0].Why)
}

func TestExistingManifestIsCompleted(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	own := "{\n\t\"name\": \"Mine\",\n\t\"theme_color\": \"#123456\",\n\t\"x_ours\": [1]\n}\n"
	write(t, dir, map[string]string{"app.json": own, "index.html": strings.Replace(small["index.html"], "</head>", "<link rel=manifest href=app.json></head>", 1)})
	fit(t, dir, nil, Options{})
	got := read(t, dir, "app.json")
	assert.True(t, strings.HasPrefix(got, own[:len(own)-3]+","), got)
	m, err := manifest.Process([]byte(got), "app.json", "https://a.example/app.json", "https://a.example/")
	require.NoError(t, err)
	assert.Equal(t, "Mine", m.Processed.Name)
	assert.Equal(t, "standalone", m.Processed.Display)
	assert.NotEmpty(t, m.Processed.SuitableIcons())
	assert.NotContains(t, read(t, dir, "index.html"), `rel="manifest"`, "the link that is there is respected")
	assert.Contains(t, read(t, dir, "post/index.html"), `href="/app.json"`, "pages without it get the same")
	before := tree(t, dir)
	assert.Empty(t, fit(t, dir, nil, Options{}).paths())
	same(t, before, tree(t, dir))
	sum := sha256.Sum256([]byte(own))
	assert.Equal(t, own, read(t, dir, originalPath(hexOf(sum[:]))), "the original is kept")
}

func hexOf(b []byte) string {
	const digits = "0123456789abcdef"
	var s strings.Builder
	for _, c := range b {
		s.WriteByte(digits[c>>4])
		s.WriteByte(digits[c&15])
	}
	return s.String()
}

func TestBrokenManifestStopsBeforeAnythingIsWritten(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	write(t, dir, map[string]string{"app.webmanifest": "{ \"name\": }", "index.html": strings.Replace(small["index.html"], "</head>", "<link rel=manifest href=app.webmanifest></head>", 1)})
	before := tree(t, dir)
	_, err := plan(t, dir, nil, Options{})
	require.ErrorIs(t, err, ErrManifest)
	assert.Contains(t, err.Error(), "app.webmanifest:1:11")
	same(t, before, tree(t, dir))
}

func TestForeignWorker(t *testing.T) {
	own := map[string]string{"main.js": `navigator.serviceWorker.register("/push.js")`, "push.js": "onpush = () => {}"}
	dir := write(t, write(t, t.TempDir(), small), own)
	p := fit(t, dir, nil, Options{})
	require.NotNil(t, p.Foreign)
	assert.Equal(t, "main.js", p.Foreign.File)
	assert.Empty(t, p.Worker)
	assert.NoFileExists(t, filepath.Join(dir, "sw.js"))
	assert.NotContains(t, read(t, dir, "index.html"), "sw-page.js")
	assert.Equal(t, own["push.js"], read(t, dir, "push.js"))

	p = fit(t, dir, nil, Options{ReplaceWorker: true})
	assert.Equal(t, "push.js", p.Worker)
	assert.True(t, strings.HasPrefix(read(t, dir, "push.js"), "// Tachyform "))
	before := tree(t, dir)
	p = fit(t, dir, nil, Options{})
	assert.Empty(t, p.paths(), "what was replaced once stays replaced")
	same(t, before, tree(t, dir))
}

func TestNamesThatAreTaken(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	taken := map[string]string{"sw.js": "// something else", "sw-page.js": "1", "icons/icon-192.png": "x", "favicon.ico": "theirs", "offline.html": "<title>Gone fishing</title>"}
	write(t, dir, taken)
	p := fit(t, dir, nil, Options{})
	for name, data := range taken {
		if name != "offline.html" {
			assert.Equal(t, data, read(t, dir, name))
		}
	}
	assert.Equal(t, "app-sw.js", p.Worker)
	assert.FileExists(t, filepath.Join(dir, "app-icons", "icon-192.png"))
	assert.Contains(t, read(t, dir, "app-sw.js"), `offline: "/offline.html"`)
	assert.Contains(t, read(t, dir, "offline.html"), "Gone fishing")
	assert.Empty(t, fit(t, dir, nil, Options{}).paths())
}

func TestPagesLeftAlone(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	write(t, dir, map[string]string{"empty.html": "", "bin.html": "\x00\x01", "frag.html": "{% include x %}", "cdn.html": "<base href='https://cdn.example/'><p>", "legacy/a.html": "<p>"})
	cfg := &config.Config{}
	cfg.Pages.Leave = []string{"/legacy/**"}
	before := tree(t, dir)
	p := fit(t, dir, cfg, Options{})
	why := map[string]string{}
	for _, l := range p.Left {
		why[l.Path] = l.Why
	}
	assert.Len(t, why, 5)
	assert.Contains(t, why["cdn.html"], "another origin")
	assert.Contains(t, why["legacy/a.html"], "configured")
	after := tree(t, dir)
	for name := range why {
		assert.Equal(t, before[name], after[name], name)
	}
	cfg.Pages.Leave = nil
	fit(t, dir, cfg, Options{})
	assert.NotEqual(t, before["legacy/a.html"], tree(t, dir)["legacy/a.html"])
	cfg.Pages.Leave = []string{"/legacy/**"}
	fitted := tree(t, dir)["legacy/a.html"]
	fit(t, dir, cfg, Options{})
	assert.Equal(t, fitted, tree(t, dir)["legacy/a.html"], "left alone with what an earlier fit inserted")
	strip(t, dir)
	assert.Equal(t, before["legacy/a.html"], tree(t, dir)["legacy/a.html"])
}

func TestSymbolicLinksAreEditedOnce(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	require.NoError(t, os.Symlink("post/index.html", filepath.Join(dir, "again.html")))
	fit(t, dir, nil, Options{})
	info, err := os.Lstat(filepath.Join(dir, "again.html"))
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&fs.ModeSymlink, "the link stays a link")
	assert.Equal(t, 1, strings.Count(read(t, dir, "again.html"), "rel=\"manifest\""))
	assert.Empty(t, fit(t, dir, nil, Options{}).paths())
}

func TestMasters(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	cfg := &config.Config{}
	for master, want := range map[string]string{"gone.svg": "no such file", dir: "it is a folder", filepath.Join(dir, "index.html"): "not an SVG"} {
		cfg.Icons.Master = master
		_, err := plan(t, dir, cfg, Options{})
		require.Error(t, err)
		assert.Contains(t, err.Error(), want)
	}
}

func TestDraftSaysWhatFitDoes(t *testing.T) {
	files := map[string]string{"account/index.html": "<input type=password>", "main.js": `fetch("/data.json"); fetch("/account/loans.json"); fetch("/api/boats?x=1"); fetch("/api/book", {method: "POST"})`, "data.json": "{}",
		"odd (1)*.html": "<title>Odd \"one\"\\ - Kelda Mail</title><script src=/main.js></script>"}
	dir := write(t, write(t, t.TempDir(), small), files)
	draft := func() (*config.Config, string) {
		s, err := site.Open(dir, "/")
		require.NoError(t, err)
		defer s.Close()
		data, err := Draft(context.Background(), s, dir, Options{})
		require.NoError(t, err)
		cfg, err := config.Parse(filepath.Join(filepath.Dir(dir), "tachyform.toml"), data)
		require.NoError(t, err, string(data))
		return cfg, string(data)
	}
	cfg, text := draft()
	for _, part := range []string{`now = ["/**"]  # the whole site: 5 files`, `never = ["/account/**"]`, "# GET /api/boats (main.js:1) is an endpoint of the server", "# match = \"/api/boats\"", "# GET /account/loans.json (main.js:1) looks like what belongs to one person",
		"match = \"/data.json\"", "# POST /api/book (main.js:1) sends something", "theme_color = \"#aa0033\"  # the custom property --accent"} {
		assert.Contains(t, text, part)
	}
	fit(t, dir, nil, Options{})
	p, err := plan(t, dir, cfg, Options{})
	require.NoError(t, err)
	for _, changed := range p.paths() {
		assert.Contains(t, []string{"sw.js"}, changed, "only the rules are told apart")
	}
	_, again := draft()
	assert.Equal(t, text, again, "what fit wrote is not part of the site")
}

// TestDraftsOfOddNames reads the draft of a site whose names and addresses end lines, obey and turn the writing.
func TestDraftsOfOddNames(t *testing.T) {
	odd := "\x1b[2J\n\u202e\u0085'\"\\#"
	dir := write(t, t.TempDir(), map[string]string{"index.html": "<title>Skerry " + odd + "</title><script src='a%0A%1b.js'></script>", "a\n\x1b.js": `fetch("/api/\x1b[2J\n\u202e"); fetch("/book/\u0007", {method: "POST"}); fetch("/account/\r\n=1"); fetch("/\xe9.json")`, "é.json": "{}", "x\xff.html": "<title>x</title>"})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	data, err := Draft(context.Background(), s, dir, Options{})
	require.NoError(t, err)
	for i, r := range string(data) {
		require.True(t, r == '\n' || !unicode.IsControl(r) && !unicode.Is(unicode.Bidi_Control, r), "%q", data[i:min(len(data), i+60)])
	}
	assert.Contains(t, string(data), `# match = "/api/%1B[2J%E2%80%AE"`)
	assert.Contains(t, string(data), `match = "/%C3%A9.json"`)
	_, err = config.Parse(filepath.Join(filepath.Dir(dir), "tachyform.toml"), data)
	require.NoError(t, err, string(data))
}

func TestASiteWithoutAnIndexPage(t *testing.T) {
	dir := write(t, t.TempDir(), map[string]string{"docs/a.html": "<title>A - Manual</title><link rel=stylesheet href=a.css>", "docs/b.html": "<title>B - Manual</title>", "docs/a.css": "body { background: teal }"})
	p := fit(t, dir, nil, Options{})
	assert.Equal(t, "Manual", values(p)["name"])
	assert.Empty(t, fit(t, dir, nil, Options{}).paths(), "the offline page does not become the start page")
}

func TestAFileThatCannotBeRead(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"ship.jpg": "x"})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	require.NoError(t, os.Remove(filepath.Join(dir, "ship.jpg"))) // as good as unreadable, for root too
	before := tree(t, dir)
	_, err = Make(context.Background(), s, &config.Config{}, Options{})
	require.Error(t, err)
	assert.Contains(t, err.Error(), "ship.jpg: no such file")
	assert.Contains(t, err.Error(), "nothing was written; make the file readable")
	same(t, before, tree(t, dir))
}

func TestTheBasePathIsFound(t *testing.T) {
	files := map[string]string{"index.html": `<title>Skerry</title><link rel=stylesheet href=/ferries/a.css><a href=/ferries/b.html>B</a>`, "b.html": `<link rel=stylesheet href=/ferries/a.css>`, "a.css": "body { color: teal }"}
	dir := write(t, t.TempDir(), files)
	p := fit(t, dir, nil, Options{})
	assert.Equal(t, "/ferries/", values(p)["base"])
	assert.Contains(t, read(t, dir, "index.html"), `href="/ferries/manifest.webmanifest"`)
	assert.Contains(t, read(t, dir, "manifest.webmanifest"), `"scope": "/ferries/"`)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, "/ferries/", RecordedBase(s), "other commands work with it too")
	assert.Empty(t, values(fit(t, write(t, t.TempDir(), files), &config.Config{Base: "/"}, Options{}))["base"], "what is configured stays")
	files["index.html"] = `<title>Skerry</title><link rel=stylesheet href=/gone/x.css><script src=/gone.js></script>`
	assert.Empty(t, values(fit(t, write(t, t.TempDir(), files), nil, Options{}))["base"], "a page elsewhere does not decide it")
}

func TestShortcutsAndScreenshots(t *testing.T) {
	files := map[string]string{"index.html": `<title>Skerry</title><nav><a href=/>Home</a><a href=tides/><img alt="Tides"></a><a href="fares.html">Fares &amp; passes</a><a href=account/>Account</a><a href=gone.html>Gone</a><a href=https://other.example/>Other</a></nav><nav><a href=more.html>More</a></nav>`,
		"tides/index.html": "<p>", "fares.html": "<p>", "account/index.html": "<input type=password>", "more.html": "<p>"}
	dir := write(t, t.TempDir(), files)
	before := tree(t, dir)
	var picture bytes.Buffer
	require.NoError(t, png.Encode(&picture, image.NewGray(image.Rect(0, 0, 36, 72))))
	p := fit(t, dir, nil, Options{Screenshots: []Screenshot{{"narrow", picture.Bytes()}}})
	assert.Equal(t, "Tides, Fares & passes", values(p)["shortcuts"])
	m, err := manifest.Process([]byte(read(t, dir, "manifest.webmanifest")), "m", "https://a.example/manifest.webmanifest", "https://a.example/")
	require.NoError(t, err)
	assert.Equal(t, []manifest.Shortcut{{Name: "Tides", URL: "https://a.example/tides/"}, {Name: "Fares & passes", URL: "https://a.example/fares.html"}}, m.Processed.Shortcuts)
	require.Len(t, m.Processed.Screenshots, 1)
	assert.Equal(t, []string{"36x72"}, m.Processed.Screenshots[0].Sizes)
	assert.NotContains(t, table(t, dir), "app-narrow.png", "visitors never ask for it")
	assert.Empty(t, fit(t, dir, nil, Options{}).paths(), "screenshots stay without new ones")
	strip(t, dir)
	same(t, before, tree(t, dir))
}

func TestManifestOnly(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	before := tree(t, dir)
	p := fit(t, dir, nil, Options{ManifestOnly: true})
	assert.NotContains(t, strings.Join(p.paths(), " "), "icons/")
	assert.NoFileExists(t, filepath.Join(dir, "sw.js"))
	assert.Contains(t, read(t, dir, "index.html"), `rel="manifest"`)
	assert.NotContains(t, read(t, dir, "index.html"), "sw-page.js")
	fit(t, dir, nil, Options{})
	assert.FileExists(t, filepath.Join(dir, "sw.js"))
	assert.Empty(t, fit(t, dir, nil, Options{ManifestOnly: true}).paths(), "nothing of a whole fit is taken out")
	strip(t, dir)
	same(t, before, tree(t, dir))
}

func TestOtherMastersAndEffort(t *testing.T) {
	drawing := func(colour string) string {
		return `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="4" fill="` + colour + `"/><path d="M1 1l5 6" stroke="#fff"/></svg>`
	}
	dir := write(t, t.TempDir(), small)
	write(t, dir, map[string]string{"red.svg": drawing("red"), "lime.svg": drawing("lime"), "blue.svg": drawing("blue")})
	made := func(icons config.Icons) map[string]string {
		icons.Master = "red.svg"
		fit(t, dir, &config.Config{Icons: icons}, Options{})
		out := map[string]string{}
		for _, name := range []string{"favicon.ico", "icons/icon-192.png", "icons/maskable-512.png"} {
			out[name] = read(t, dir, name)
		}
		return out
	}
	differ := func(a, b map[string]string) (names []string) {
		for name := range a {
			if a[name] != b[name] {
				names = append(names, name)
			}
		}
		return names
	}
	plain := made(config.Icons{})
	assert.Equal(t, []string{"favicon.ico"}, differ(plain, made(config.Icons{Small: "lime.svg"})))
	assert.Equal(t, []string{"icons/maskable-512.png"}, differ(plain, made(config.Icons{Maskable: "blue.svg"})))
	assert.Less(t, len(made(config.Icons{Effort: "small"})["icons/icon-192.png"]), len(made(config.Icons{Effort: "quick"})["icons/icon-192.png"]))
	made(config.Icons{Dark: "lime.svg"})
	assert.Equal(t, drawing("lime"), read(t, dir, "icons/icon-dark.svg"))
	page := read(t, dir, "index.html")
	link := `<link rel="icon" type="image/svg+xml" media="(prefers-color-scheme: dark)" href="/icons/icon-dark.svg">`
	assert.Less(t, strings.Index(page, `href="/red.svg"`), strings.Index(page, link), "of several that fit, the last is taken")
	before := tree(t, dir)
	made(config.Icons{Dark: "lime.svg"})
	assert.Equal(t, before, tree(t, dir), "again, it is the same")
	assert.Equal(t, plain, made(config.Icons{}))
	assert.NotContains(t, read(t, dir, "index.html"), "icon-dark.svg")
}

// TestAbsentIcons draws what the site's own manifest names and what is not there, and nothing else; strip takes it out again.
func TestAbsentIcons(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"m.json": `{"name": "Skerry", "icons": [{"src": "img/a%20b.png?v=3", "sizes": "96x96 144x144"}, {"src": "/img/mask.png", "sizes": "512x512", "purpose": "maskable"},
		{"src": "img/v.svg"}, {"src": "img/p.webp"}, {"src": "img/there.png", "sizes": "192x192"}, {"src": "https://elsewhere.example/x.png"}, {"src": "img/odd.png", "sizes": "99999x99999"}, {"src": "img/%00.png"}]}`,
		"img/there.png": "the site's own", "mark.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M4 1L8 8H1z" fill="#08a"/></svg>`,
		"index.html": "<!doctype html><title>Skerry</title><link rel=manifest href=m.json>"})
	before := tree(t, dir)
	cfg := &config.Config{Icons: config.Icons{Master: "mark.svg", Effort: "quick"}}
	p := fit(t, dir, cfg, Options{})
	remarks := strings.Join(p.Remarks, "\n")
	assert.Contains(t, remarks, "so drawn from mark.svg: img/a b.png, img/mask.png, img/v.svg, img/odd.png")
	assert.Contains(t, remarks, "not drawn: img/p.webp;")
	for name, n := range map[string]int{"img/a b.png": 144, "img/mask.png": 512, "img/odd.png": 1024} {
		w, h, kind, err := icon.Size([]byte(read(t, dir, name)))
		require.NoError(t, err)
		assert.Equal(t, []any{n, n, "image/png"}, []any{w, h, kind}, name)
	}
	assert.Equal(t, read(t, dir, "mark.svg"), read(t, dir, "img/v.svg"))
	assert.Equal(t, "the site's own", read(t, dir, "img/there.png"))
	assert.NoFileExists(t, filepath.Join(dir, "img/p.webp"))
	fitted := tree(t, dir)
	again := fit(t, dir, cfg, Options{})
	assert.Empty(t, again.paths())
	assert.NotContains(t, strings.Join(again.Remarks, "\n"), "so drawn")
	assert.Equal(t, fitted, tree(t, dir))
	cfg.Icons.Background = "#004455"
	assert.Contains(t, fit(t, dir, cfg, Options{}).paths(), "img/mask.png", "another background, another icon")
	strip(t, dir)
	same(t, before, tree(t, dir))
	cfg.Server.Answer = []config.ServerAnswer{{Path: "/img/mask.png", Type: "image/png", Body: "the server's"}}
	fit(t, dir, cfg, Options{})
	assert.NoFileExists(t, filepath.Join(dir, "img/mask.png"), "the server has it")
	assert.FileExists(t, filepath.Join(dir, "img/odd.png"))
}

// TestFurtherMembers writes members that the configuration has beyond those that fit infers; a manifest of the site's own keeps what it says.
func TestFurtherMembers(t *testing.T) {
	cfg, err := config.Parse("tachyform.toml", []byte("[app]\ncategories = [\"travel\"]\n[icons]\neffort = \"quick\"\n[[app.shortcuts]]\nname = \"Letters\"\nurl = \"/post/\"\n[app.launch_handler]\nclient_mode = \"navigate-existing\"\n"))
	require.NoError(t, err)
	members := func(dir, name string) map[string]any {
		out := map[string]any{}
		require.NoError(t, json.Unmarshal([]byte(read(t, dir, name)), &out))
		return out
	}
	dir := write(t, t.TempDir(), small)
	p := fit(t, dir, cfg, Options{})
	m := members(dir, "manifest.webmanifest")
	assert.Equal(t, []any{"travel"}, m["categories"])
	assert.Equal(t, []any{map[string]any{"name": "Letters", "url": "/post/"}}, m["shortcuts"])
	assert.Equal(t, map[string]any{"client_mode": "navigate-existing"}, m["launch_handler"])
	assert.Equal(t, "1 entry", values(p)["shortcuts"])
	assert.Empty(t, fit(t, dir, cfg, Options{}).paths(), "the same bytes again")

	dir = write(t, write(t, t.TempDir(), small), map[string]string{"manifest.json": `{"categories": ["post"]}`, "index.html": strings.Replace(small["index.html"], "<title>", `<link rel="manifest" href="/manifest.json"><title>`, 1)})
	fit(t, dir, cfg, Options{})
	m = members(dir, "manifest.json")
	assert.Equal(t, []any{"post"}, m["categories"], "the site's own word stays")
	assert.Equal(t, map[string]any{"client_mode": "navigate-existing"}, m["launch_handler"])
}

// TestBaseElement lets a page's base element decide what its links mean: the manifest and the icon that it has are found.
func TestBaseElement(t *testing.T) {
	dir := write(t, t.TempDir(), map[string]string{
		"index.html":     `<!doctype html><html lang=en><head><base href="/brand/"><title>Skerry</title><link rel=manifest href=m.json><link rel=icon href=mark.svg></head><body>x`,
		"brand/m.json":   `{"name": "Skerry Line", "start_url": "/", "display": "standalone"}`,
		"brand/mark.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path fill="#036" d="M0 0h9v9z"/></svg>`,
	})
	p := fit(t, dir, nil, Options{})
	assert.Contains(t, p.paths(), "brand/m.json", "the site's own manifest is completed")
	assert.NotContains(t, p.paths(), "manifest.webmanifest")
	assert.Empty(t, p.Conflicts)
	assert.Contains(t, read(t, dir, "brand/m.json"), "Skerry Line")
	assert.Contains(t, fmt.Sprint(p.Inferences), "{master brand/mark.svg", "the icon that the page links")
}

// TestManifestOfAPipeline has a file that is called manifest.json and says how a pipeline names files: it is left alone.
func TestManifestOfAPipeline(t *testing.T) {
	for name, c := range map[string]struct {
		data string
		ours bool
	}{
		"a pipeline's": {`{"main.js": "main.3f9c2b71.js"}`, false}, "a list": {`["main.js"]`, false}, "an app's": {`{"short_name": "Skerry"}`, true},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			for name, data := range map[string]string{"index.html": "<!doctype html><title>Skerry</title>", "manifest.json": c.data} {
				require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(data), 0o644))
			}
			s, err := site.Open(dir, "/")
			require.NoError(t, err)
			defer s.Close()
			plan, err := Make(context.Background(), s, &config.Config{Icons: config.Icons{Effort: "quick"}}, Options{})
			require.NoError(t, err)
			assert.Equal(t, map[bool]string{true: "manifest.json", false: "manifest.webmanifest"}[c.ours], plan.Manifest)
		})
	}
}
