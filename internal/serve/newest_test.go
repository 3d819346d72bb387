package serve

import (
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestIsModule(t *testing.T) {
	for source, want := range map[string]bool{
		"addEventListener('fetch', () => {})":           false,
		"importScripts('/a.js')":                        false,
		"// import \"x\"\nself.x = 'export default 1'":  false,
		"const load = () => import('./late.js')":        false,
		"import './rules.js'; self.x = 1":               true,
		"(()=>{})();import{a as b}from\"./c.js\";b()":   true,
		"export const version = 3":                      true,
		"import.meta.url;":                              true,
		"this is no script (":                           false,
		"importScripts('a.js'); module.exports = 3":     false,
		"/* \n */ import * as rules from 'rules'":       true,
		"var a = `\nimport x from 'y'\n`":               false,
		"self.importScripts ? 1 : 2; require('x')":      false,
		"const x = {import: 1, export: 2}; x.import\n;": false,
	} {
		assert.Equal(t, want, isModule([]byte(source)), source)
	}
}

func TestNewest(t *testing.T) {
	script := func(body string) answer {
		return answer{http.StatusOK, http.Header{"Content-Type": {"text/javascript; charset=utf-8"}, "Etag": {`"1"`}}, []byte(body)}
	}
	classic := newest(script("self.a = 1"))
	assert.Equal(t, newestScript+"self.a = 1", string(classic.body))
	assert.Empty(t, classic.header.Get("Etag"), "it is another script than the file")
	assert.Equal(t, `import "/.tachyform/newest.js";`+"\nimport './a.js'", string(newest(script("import './a.js'")).body))
	page := answer{http.StatusOK, http.Header{"Content-Type": {"text/html"}}, []byte("<!doctype html>")}
	assert.Equal(t, page, newest(page))
	gone := answer{http.StatusNotFound, http.Header{"Content-Type": {"text/javascript"}}, []byte("//")}
	assert.Equal(t, gone, newest(gone))
}

// TestBenchNewest has the worker's address, and nothing else, answered with what stands before it.
func TestBenchNewest(t *testing.T) {
	b := workbench(t, BenchOptions{})
	require.Equal(t, 204, b.do(t, `{"mode": "newest"}`))
	res, body, err := ask(t, b.Site+"sw.js", "Service-Worker", "script")
	require.NoError(t, err)
	assert.Equal(t, newestScript+"// worker 1", body)
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	_, body, err = ask(t, b.Site+"sw.js")
	require.NoError(t, err)
	assert.Equal(t, "// worker 1", body, "read as a file it is the file")
	_, body, err = ask(t, strings.TrimSuffix(b.Site, "/")+newestPath)
	require.NoError(t, err)
	assert.Equal(t, newestScript, body)
	require.Equal(t, 204, b.do(t, `{"network": "failing"}`))
	assert.Equal(t, Real, b.State().Mode)
}
