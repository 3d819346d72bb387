package stage

import (
	"crypto/sha256"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"sort"
	"strings"

	"github.com/dop251/goja"
	"github.com/evanw/esbuild/pkg/api"
)

// moduleSpace is the name space that a module worker's sources have while they are put together.
const moduleSpace = "site"

// maxModules bounds the modules of one worker.
const maxModules = 500

// moduleProgram puts the modules of a worker together, since the engine knows scripts only. What is imported is fetched
// while the worker is installed, and kept with its script.
func (w *worker) moduleProgram() (*goja.Program, error) {
	if w.state == parsed || w.unkept { // its modules are not all known yet, and with them what it is remembered by
		return w.bundle()
	}
	return cachedIn(w.b.docs, w.b.docs.programs, w.moduleKey(), w.bundle)
}

func (w *worker) bundle() (*goja.Program, error) {
	out := api.Build(api.BuildOptions{EntryPoints: []string{w.url}, Bundle: true, Format: api.FormatIIFE, Target: api.ES2017, Supported: withoutImport, LogLevel: api.LogLevelSilent,
		Sourcemap: api.SourceMapExternal, SourcesContent: api.SourcesContentExclude, Outfile: "worker.js", AbsWorkingDir: "/",
		Define:  map[string]string{"import.meta.url": fmt.Sprintf("%q", w.url)},
		Plugins: []api.Plugin{{Name: moduleSpace, Setup: w.modules}}})
	if len(out.Errors) > 0 {
		e := out.Errors[0]
		s := &scriptError{message: "SyntaxError: " + e.Text, file: w.b.Relative(w.url)}
		if e.Location != nil {
			s.file, s.line, s.column = w.b.Relative(strings.TrimPrefix(e.Location.File, moduleSpace+":")), e.Location.Line, e.Location.Column+1
		}
		return nil, s
	}
	var code, sourceMap []byte
	for _, f := range out.OutputFiles {
		if strings.HasSuffix(f.Path, ".map") {
			sourceMap = f.Contents
		} else {
			code = f.Contents
		}
	}
	return lowered(w.url, refusedImport(string(code)), sourceMap, true)
}

// moduleKey names what the worker is made of.
func (w *worker) moduleKey() string {
	urls := make([]string, 0, len(w.scripts))
	for u := range w.scripts {
		urls = append(urls, u)
	}
	sort.Strings(urls)
	h := sha256.New()
	for _, u := range urls {
		h.Write([]byte(u + "\x00" + w.scripts[u] + "\x00"))
	}
	return "module " + w.url + " " + string(h.Sum(nil))
}

// modules resolves and loads modules as a browser does: by URL, no bare names.
func (w *worker) modules(build api.PluginBuild) {
	build.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(a api.OnResolveArgs) (api.OnResolveResult, error) {
		if a.Kind == api.ResolveEntryPoint {
			return api.OnResolveResult{Path: a.Path, Namespace: moduleSpace}, nil
		}
		if a.Kind == api.ResolveJSDynamicImport {
			return api.OnResolveResult{Path: a.Path, External: true}, nil // which workers of this kind refuse when they run
		}
		if !strings.HasPrefix(a.Path, "/") && !strings.HasPrefix(a.Path, ".") && !strings.Contains(a.Path, "://") {
			return api.OnResolveResult{}, fmt.Errorf("failed to resolve module specifier %q: relative references begin with /, ./ or ../", a.Path)
		}
		w.b.loading.Lock()
		defer w.b.loading.Unlock()
		u, err := w.b.resolve(a.Path, a.Importer)
		return api.OnResolveResult{Path: u, Namespace: moduleSpace}, err
	})
	build.OnLoad(api.OnLoadOptions{Filter: ".*", Namespace: moduleSpace}, func(a api.OnLoadArgs) (api.OnLoadResult, error) {
		w.b.loading.Lock()
		defer w.b.loading.Unlock()
		src, err := w.moduleSource(a.Path, a.With["type"] == "json")
		if err == nil && !shallow(src) {
			err = errNested
		}
		if a.With["type"] == "json" {
			return api.OnLoadResult{Contents: &src, Loader: api.LoaderJSON}, err
		}
		return api.OnLoadResult{Contents: &src, Loader: api.LoaderJS}, err
	})
}

// withoutImport is what the engine has, import() left out: esbuild then writes it as a call.
var withoutImport = func() map[string]bool {
	m := maps.Clone(engineHas)
	m["dynamic-import"] = false
	return m
}()

// importCall is what esbuild makes of import(), with the way to the call of require in it.
var importCall = regexp.MustCompile(`\.then\(\(\w*\) => __toESM\((?:__)?require\(`)

// refusedImport lets import() fail as it does in service workers (HTML Standard, "HostLoadImportedModule").
func refusedImport(code string) string {
	return importCall.ReplaceAllString(code, ".then(() => { throw new TypeError(\"import() is disallowed on ServiceWorkerGlobalScope by the HTML specification. See https://github.com/w3c/ServiceWorker/issues/1356.\"); }).then(() => ((")
}

// moduleSource gives the source of a module. Data is not kept with the worker: each start asks the network for it again, as in Chromium.
func (w *worker) moduleSource(u string, data bool) (string, error) {
	if src, ok := w.scripts[u]; ok {
		return src, nil
	}
	if data {
		if w.state == parsed {
			w.b.remark(Remark{Kind: "json-module", Message: "the worker imports " + w.b.Relative(u) + " as JSON, which browsers do not keep with it: without a network the worker does not start again, and nothing of what it stored is shown", File: w.b.Relative(w.url), URL: w.b.Relative(u)})
		}
		w.unkept = true
		r := w.b.serve(&request{url: u, method: "GET", mode: "cors"})
		if n := w.b.networkFor(u); n == Offline || n == Slow || r == nil || r.status != 200 || !isJSON(r.header("content-type")) {
			return "", errors.New("the data " + w.b.Relative(u) + ", which it imports, cannot be had")
		}
		return string(r.bytes()), nil
	}
	if w.state != parsed || len(w.scripts) >= maxModules {
		return "", errors.New("the module " + w.b.Relative(u) + " was not imported during installation")
	}
	r := w.b.serve(&request{url: u, method: "GET", mode: "cors"})
	if n := w.b.networkFor(u); n == Offline || n == Slow || r == nil || r.status != 200 || !isScriptType(r.header("content-type")) {
		return "", errors.New("the module " + w.b.Relative(u) + " cannot be loaded as a script")
	}
	w.scripts[u] = string(r.bytes())
	return w.scripts[u], nil
}

// isJSON says whether a media type is that of JSON (MIME Sniffing, "JSON MIME type").
func isJSON(mediaType string) bool {
	t, _, _ := strings.Cut(strings.ToLower(mediaType), ";")
	t = strings.TrimSpace(t)
	return t == "application/json" || t == "text/json" || strings.HasSuffix(t, "+json")
}
