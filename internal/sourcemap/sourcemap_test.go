package sourcemap

import (
	"encoding/base64"
	"encoding/json"
	"strings"
	"testing"

	"github.com/evanw/esbuild/pkg/api"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const written = `export function tide(x: number): number {
  const unused = 1;
  if (x > 3) {
    throw new RangeError("too high");
  }
  return x;
}
console.log(tide(5));
`

// build minifies a script, and gives it with its map.
func build(t *testing.T, maps api.SourceMap) (code, m string) {
	t.Helper()
	r := api.Transform(written, api.TransformOptions{Loader: api.LoaderTS, Sourcefile: "webpack://boats/./src/tide.ts?x", Sourcemap: maps, MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true})
	require.Empty(t, r.Errors)
	return string(r.Code), string(r.Map)
}

// at gives the line and column, both from 1, of a text.
func at(t *testing.T, code, text string) (line, column int) {
	t.Helper()
	i := strings.Index(code, text)
	require.GreaterOrEqual(t, i, 0, code)
	return 1 + strings.Count(code[:i], "\n"), i - strings.LastIndexByte(code[:i], '\n')
}

func TestFind(t *testing.T) {
	code, m := build(t, api.SourceMapExternal)
	inline, _ := build(t, api.SourceMapInline)
	sections := `{"version": 3, "sections": [{"offset": {"line": 1, "column": 0}, "map": ` + m + `}]}`
	files := map[string]string{
		"/app.js": code + "//# sourceMappingURL=app.js.map\n", "/app.js.map": m,
		"/deep/b.js": code + "\n//# sourceMappingURL=../app.js.map", "/old.js": code + "\n//@ sourceMappingURL=/app.js.map",
		"/inline.js": inline, "/guarded.js": code + "\n//# sourceMappingURL=guarded.map", "/guarded.map": ")]}'\n" + m,
		"/sections.js": "// first\n" + code + "\n//# sourceMappingURL=sections.map", "/sections.map": sections,
		"/none.js": code, "/gone.js": code + "\n//# sourceMappingURL=gone.map", "/broken.js": code + "\n//# sourceMappingURL=broken.map", "/broken.map": `{"version":3,"mappings":"!!!","sources":[1]}`,
		"/elsewhere.js": code + "\n//# sourceMappingURL=https://cdn.example/app.js.map", "/odd.js": code + "\n//# sourceMappingURL=data:application/json;base64," + base64.StdEncoding.EncodeToString([]byte(`{"version":3,"sources":["a"],"names":[],"mappings":"AAAAAAAAAAAAAAAAAA"}`)),
	}
	r := New(func(u string) ([]byte, bool) { s, ok := files[u]; return []byte(s), ok })
	for file, want := range map[string]string{
		"/app.js": "src/tide.ts:4:11", "/deep/b.js": "src/tide.ts:4:11", "/old.js": "src/tide.ts:4:11", "/inline.js": "src/tide.ts:4:11", "/guarded.js": "src/tide.ts:4:11", "/sections.js": "src/tide.ts:4:11",
		"/none.js": "", "/gone.js": "", "/broken.js": "", "/elsewhere.js": "", "/nowhere.js": "",
	} {
		line, column := at(t, code, "new RangeError")
		if file == "/sections.js" {
			line++
		}
		for range 2 { // the second time from what was kept
			assert.Equal(t, want, r.Find(file, line, column), file)
		}
	}
	assert.NotPanics(t, func() { r.Find("/odd.js", 1, 1) })
	assert.Empty(t, r.Find("/app.js", 0, 0))
	assert.Empty(t, r.Find("app.js", 1, 1))
}

func TestNamed(t *testing.T) {
	for file, want := range map[string]string{"webpack://app/./src/a.js": "src/a.js", "webpack:///src/a.js?1f2e": "src/a.js", "../../src/a.ts": "src/a.ts", "a.ts": "a.ts", "": "", "file:///home/x/a.ts": "home/x/a.ts"} {
		assert.Equal(t, want, named(file), file)
	}
}

func FuzzFind(f *testing.F) {
	for _, m := range []string{`{"version":3,"sources":["a"],"names":[],"mappings":"AAAA;AACA,CAAC"}`, `{"version":3,"sections":[{"offset":{"line":0,"column":0},"map":{"version":3,"sources":["a"],"mappings":"AAAA"}}]}`, `{"version":3,"sections":[{"offset":{"line":-1},"map":{}}]}`, "", "[]", `{"sourceRoot":"%","sources":["%"],"version":3,"mappings":"A"}`} {
		f.Add(m, 1, 1)
	}
	f.Fuzz(func(t *testing.T, m string, line, column int) {
		r := New(func(u string) ([]byte, bool) {
			if u == "/a.js" {
				return []byte("x\n//# sourceMappingURL=a.map"), true
			}
			return []byte(m), true
		})
		if got := r.Find("/a.js", line, column); got != "" && !json.Valid([]byte(m)) && !strings.HasPrefix(m, ")]}'") {
			t.Fatalf("%q of what is no JSON", got)
		}
	})
}
