package e2e

import (
	"bytes"
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/pelletier/go-toml/v2"
	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// strict closes every object of a schema: what is printed and not described is found out.
func strict(v any) {
	switch v := v.(type) {
	case map[string]any:
		if _, ok := v["properties"].(map[string]any); ok && v["type"] == "object" {
			v["additionalProperties"] = false
		}
		for _, x := range v {
			strict(x)
		}
	case []any:
		for _, x := range v {
			strict(x)
		}
	}
}

func compiled(t *testing.T, text []byte, closed bool) *jsonschema.Schema {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	if closed {
		strict(doc)
	}
	c := jsonschema.NewCompiler()
	c.AssertFormat()
	require.NoError(t, c.AddResource("mem:///schema.json", doc))
	s, err := c.Compile("mem:///schema.json")
	require.NoError(t, err)
	return s
}

func valid(t *testing.T, s *jsonschema.Schema, output string) {
	t.Helper()
	v, err := jsonschema.UnmarshalJSON(strings.NewReader(output))
	require.NoError(t, err, output)
	assert.NoError(t, s.Validate(v))
}

// TestOutputFollowsItsSchema compares what every command prints as JSON with the schema that the program gives for it, on the demo
// site, on one without anything, and on one whose worker does everything wrong.
func TestOutputFollowsItsSchema(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"skerry/index.html":           strings.Replace(start, "</body>", `<a href=/timetable/>Timetable</a><script>fetch("/data/tides.json").then((r) => r.json()).then((t) => console.log(t.missing.x))</script></body>`, 1),
		"skerry/timetable/index.html": start, "skerry/app.css": "body { color: teal }", "skerry/data/tides.json": "{}",
		"bare/index.html": "<title>Bare</title><a href=/gone>x</a>", "bare/100%.html": "x",
		"wrong/index.html": `<!doctype html><link rel=manifest href=m.json><script>navigator.serviceWorker.register("sw.js")</script><img src=no.png>`,
		"wrong/m.json":     `{"name": 1, "icons": [{"src": "no.png"}, 3], "start_url": "https://elsewhere.example/", "theme_color": "nope"}`,
		"wrong/sw.js":      `oninstall = (e) => e.waitUntil(caches.open("a").then((c) => c.addAll(["/", "/missing"]))); onfetch = (e) => { throw new Error("no"); };`,
		"mark.svg":         `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 64 64"><rect width="64" height="64" fill="#0b4f6c"/></svg>`,
	})
	const site = "skerry"
	fine(t, dir, "fit", site)
	for name, runs := range map[string][][]string{
		"survey":    {{"survey", site}, {"survey", "bare"}, {"survey", "wrong"}},
		"manifest":  {{"manifest", site}, {"manifest", "wrong"}},
		"rules":     {{"rules", site}, {"rules", site, "/", "/nowhere"}, {"rules", "bare"}},
		"fit":       {{"fit", "bare", "--dry-run"}, {"fit", site, "--dry-run"}},
		"rehearsal": {{"rehearse", site}, {"rehearse", "wrong"}, {"rehearse", "bare"}, {"rehearse", site, "--trace", "/", "--next", "bare"}},
		"audit":     {{"audit", site}, {"audit", "wrong"}, {"audit", "bare"}, {"audit", "bare", "--only", "pages"}},
		"checks":    {{"explain"}, {"explain", "manifest/not-linked"}},
		"schemas":   {{"schema"}},
		"icons":     {{"icons", "mark.svg", "--out", "icons"}},
		"draft":     {{"draft", "bare"}},
		"strip":     {{"strip", site, "--dry-run"}, {"strip", "bare"}},
	} {
		t.Run(name, func(t *testing.T) {
			s := compiled(t, []byte(fine(t, dir, "schema", name)), true)
			for _, args := range runs {
				cmd := exec.Command(program, append(args, "--format", "json")...)
				cmd.Dir = dir
				out, _ := cmd.Output() // that it finds something is its exit status, and not of interest
				require.NotEmpty(t, out, args)
				valid(t, s, string(out))
			}
		})
	}
}

// TestConfigurationsFollowTheSchema validates what draft writes, and the tables of the documentation, with the schema that editors are given.
func TestConfigurationsFollowTheSchema(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	s := compiled(t, []byte(fine(t, dir, "schema", "config")), false)
	check := func(text, of string) {
		var v map[string]any
		require.NoError(t, toml.Unmarshal([]byte(text), &v), of)
		data, err := json.Marshal(v)
		require.NoError(t, err)
		valid(t, s, string(data))
	}
	require.NoError(t, os.CopyFS(filepath.Join(dir, "dist"), os.DirFS("../../demo/site")))
	assert.Contains(t, fine(t, dir, "draft", "dist", "--schema"), "and tachyform.schema.json for editors")
	read := func(name string) string {
		data, err := os.ReadFile(filepath.Join(dir, name))
		require.NoError(t, err)
		return string(data)
	}
	draft := read("tachyform.toml")
	assert.True(t, strings.HasPrefix(draft, "#:schema tachyform.schema.json\n"))
	assert.Equal(t, fine(t, dir, "schema", "config"), read("tachyform.schema.json"))
	check(draft, "the draft")
	fine(t, dir, "fit", "--dry-run")
	_, errs, code := run(t, dir, "draft", "dist", "--schema", "--output", "other.toml")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "tachyform.schema.json is there already")
	assert.NoFileExists(t, filepath.Join(dir, "other.toml"))
	blocks := 0
	for _, page := range []string{"../../README.md", "../../docs/caching.md", "../../docs/rehearsing.md", "../../docs/releases.md", "../../docs/iphone.md", "../../docs/rendered.md"} {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, m := range regexp.MustCompile("(?s)```toml\n(.*?)```").FindAllStringSubmatch(string(text), -1) {
			check(m[1], page)
			blocks++
		}
	}
	assert.GreaterOrEqual(t, blocks, 8)
	for _, wrong := range []string{`{"bse": "/"}`, `{"rule": [{"match": "/a"}]}`, `{"update": {"takeover": "soon"}}`, `{"app": {"nme": "x"}}`, `{"stow": {"now": "/"}}`} {
		v, err := jsonschema.UnmarshalJSON(strings.NewReader(wrong))
		require.NoError(t, err)
		assert.Error(t, s.Validate(v), wrong)
	}
}

// TestSARIFFollowsItsSchema validates reports with the schema of the standard, which an npm package ships.
func TestSARIFFollowsItsSchema(t *testing.T) {
	t.Parallel()
	schema, err := os.ReadFile(filepath.Join(unpacked(t, "@microsoft/jest-sarif@1.0.0-beta.0"), "tree", "package", "lib", "schemas", "sarif-2.1.0-rtm.5.json"))
	require.NoError(t, err)
	s := compiled(t, schema, false)
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"a b/index.html": "<title>Böök</title><a href=/gone>x</a>", "a b/100%.html": "x", "a b/ä?#.html": "<link rel=manifest href=m.json>",
		"wrong/index.html": `<!doctype html><link rel=manifest href=m.json><script>navigator.serviceWorker.register("sw.js")</script><img src=no.png>`,
		"wrong/m.json":     `{"name": 1, "icons": [{"src": "no.png"}, 3], "start_url": "https://elsewhere.example/", "theme_color": "nope"}`,
		"wrong/sw.js":      `onfetch = (e) => { throw new Error("no"); };`,
		"tachyform.toml":   "[[audit.skip]]\ncheck = \"pages/language-missing\"\nreason = \"later\"\n",
	})
	for _, site := range []string{"a b", "wrong"} {
		for _, more := range [][]string{nil, {"--baseline", "earlier.json"}} {
			cmd := exec.Command(program, append([]string{"audit", site, "--fail-on", "never", "--format", "sarif"}, more...)...)
			cmd.Dir = dir
			out, err := cmd.Output()
			require.NoError(t, err)
			valid(t, s, string(out))
			write(t, dir, map[string]string{"earlier.json": fine(t, dir, "audit", site, "--fail-on", "never", "--format", "json")})
		}
	}
	assert.Error(t, s.Validate(map[string]any{"version": "2.1.0"}), "the schema refuses what has no runs")
}
