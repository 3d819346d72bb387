package serve

import (
	"bytes"
	_ "embed"
	"net/http"
	"strings"

	"github.com/evanw/esbuild/pkg/api"
)

// newestPath answers with the script that stands before module workers in the mode "newest".
const newestPath = "/.tachyform/newest.js"

//go:embed newest.js
var newestScript string

// newest puts the script of the mode "newest" before a worker: in its first line when it is classic, as its first import when it is a module,
// since imports run before what stands in the module itself.
func newest(a answer) answer {
	if a.status != http.StatusOK || !strings.Contains(a.header.Get("Content-Type"), "javascript") {
		return a
	}
	before := newestScript
	if isModule(a.body) {
		before = `import "` + newestPath + `";` + "\n"
	}
	a.body = bytes.Join([][]byte{[]byte(before), a.body}, nil)
	a.header = a.header.Clone()
	a.header.Del("Etag")
	return a
}

// isModule says whether a script has imports or exports of its own. One that cannot be read is not.
func isModule(source []byte) bool {
	r := api.Build(api.BuildOptions{
		Stdin:  &api.StdinOptions{Contents: string(source), Sourcefile: "worker.js", Loader: api.LoaderJS},
		Bundle: true, Write: false, Metafile: true, LogLevel: api.LogLevelSilent, Format: api.FormatESModule,
		Plugins: []api.Plugin{{Name: "imports stay", Setup: func(b api.PluginBuild) {
			b.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(x api.OnResolveArgs) (api.OnResolveResult, error) {
				return api.OnResolveResult{Path: x.Path, External: x.Kind != api.ResolveEntryPoint}, nil
			})
		}}},
	})
	return len(r.Errors) == 0 && strings.Contains(r.Metafile, `"format": "esm"`)
}

// newestAnswer is the script by itself.
func newestAnswer() answer {
	return answer{http.StatusOK, http.Header{"Content-Type": {"text/javascript; charset=utf-8"}, "Cache-Control": {"no-store"}}, []byte(newestScript)}
}
