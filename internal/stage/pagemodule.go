package stage

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"regexp"
	"sort"
	"strings"

	"github.com/dop251/goja"
	"github.com/evanw/esbuild/pkg/api"

	"tachyform.dev/tachyform/internal/markup"
)

// states of a module (HTML Standard, "fetch a module script graph"; ECMAScript, "Evaluate").
const (
	moduleFetching = iota
	moduleMissing  // it, or something that it imports, cannot be had
	moduleLinked
	moduleEvaluated
)

// module is one module of a page.
type module struct {
	url     string
	state   int
	program *goja.Program
	deps    []string // specifiers of static imports, in their order
	by      map[string]*module
	async   bool // it awaits at its top level
	json    []byte
	wait    []func(*module)
	exports *goja.Object
	begun   bool       // it runs, or has run
	failure goja.Value // what evaluating it threw
	broken  *scriptError
	settled goja.Value // promise of an asynchronous one
}

// importMap resolves names of modules (HTML Standard, section 8.1.5.3).
type importMap struct {
	imports   map[string]string
	scopes    map[string]map[string]string
	integrity map[string]string // by address
}

func (m *importMap) add(text string, resolve func(string) (string, bool)) error {
	var in struct {
		Imports   map[string]string            `json:"imports"`
		Scopes    map[string]map[string]string `json:"scopes"`
		Integrity map[string]string            `json:"integrity"`
	}
	if err := json.Unmarshal([]byte(text), &in); err != nil {
		return fmt.Errorf("failed to parse import map: %w", err)
	}
	if m.imports == nil {
		m.imports, m.scopes, m.integrity = map[string]string{}, map[string]map[string]string{}, map[string]string{}
	}
	put := func(to, from map[string]string) {
		for k, v := range from {
			key := k
			if strings.HasPrefix(k, "/") || strings.HasPrefix(k, "./") || strings.HasPrefix(k, "../") || strings.Contains(k, "://") {
				if u, ok := resolve(k); ok {
					key = u
				}
			}
			if u, ok := resolve(v); ok && (strings.HasPrefix(v, "/") || strings.HasPrefix(v, "./") || strings.HasPrefix(v, "../") || strings.Contains(v, ":")) {
				if _, taken := to[key]; !taken {
					to[key] = u
				}
			}
		}
	}
	put(m.imports, in.Imports)
	for k, v := range in.Integrity {
		if u, ok := resolve(k); ok && m.integrity[u] == "" {
			m.integrity[u] = v
		}
	}
	for scope, list := range in.Scopes {
		u, ok := resolve(scope)
		if !ok {
			continue
		}
		if m.scopes[u] == nil {
			m.scopes[u] = map[string]string{}
		}
		put(m.scopes[u], list)
	}
	return nil
}

// lookup finds a name in one list: as it is, or by the longest prefix that ends in a slash.
func lookup(list map[string]string, name string) (string, bool) {
	if u, ok := list[name]; ok {
		return u, true
	}
	best := ""
	for k := range list {
		if strings.HasSuffix(k, "/") && strings.HasPrefix(name, k) && len(k) > len(best) {
			best = k
		}
	}
	if best == "" {
		return "", false
	}
	return list[best] + name[len(best):], true
}

// unresolved is what a page is told of a name that leads to no module.
type unresolved string

func (u unresolved) Error() string { return string(u) }

// resolveModule gives the address of a module's name, as the page's import map and the importer's address have it.
func (d *document) resolveModule(name, from string) (string, error) {
	key := name
	relative := strings.HasPrefix(name, "/") || strings.HasPrefix(name, "./") || strings.HasPrefix(name, "../")
	asURL := ""
	if relative || regexp.MustCompile(`^[a-z][a-z0-9+.-]*:`).MatchString(name) {
		u, err := d.b.resolve(name, from)
		if err != nil {
			return "", unresolved("Failed to resolve module specifier '" + name + "'")
		}
		key, asURL = u, u
	}
	scopes := make([]string, 0, len(d.maps.scopes))
	for s := range d.maps.scopes {
		scopes = append(scopes, s)
	}
	sort.Slice(scopes, func(i, j int) bool { return len(scopes[i]) > len(scopes[j]) })
	for _, s := range scopes {
		if s == from || strings.HasSuffix(s, "/") && strings.HasPrefix(from, s) {
			if u, ok := lookup(d.maps.scopes[s], key); ok {
				return u, nil
			}
		}
	}
	if u, ok := lookup(d.maps.imports, key); ok {
		return u, nil
	}
	if asURL != "" {
		return asURL, nil
	}
	return "", unresolved("Failed to resolve module specifier \"" + name + "\". Relative references must start with either \"/\", \"./\", or \"../\".")
}

// compiledModule is what comes of a module's source.
type compiledModule struct {
	program *goja.Program
	deps    []string
	async   bool
}

var (
	dynamicImport = regexp.MustCompile(`\.then\(\((\w*)\) => __toESM\(require\(`)
	topAwait      = regexp.MustCompile(`Top-level await`)
	importLine    = regexp.MustCompile(`(?m)^import (?:(\w+|\{[^}]*\}|\* as \w+)(?:, (\{[^}]*\}|\* as \w+))? from )?("(?:[^"\\]|\\.)*");$`)
	exportFrom    = regexp.MustCompile(`(?m)^export (\*|\{[^}]*\}) from ("(?:[^"\\]|\\.)*");$`)
	exportList    = regexp.MustCompile(`(?ms)^export \{(.*?)\};`)
)

// compileModule lowers a module to a function that is given its exports, what it imports, and what import() and import.meta are.
func compileModule(url, src string) (*compiledModule, error) {
	if !shallow(src) {
		return nil, &scriptError{message: errNested.Error(), file: url}
	}
	out := &compiledModule{}
	build := func(format api.Format, supported map[string]bool) api.BuildResult {
		out.deps = nil
		return api.Build(api.BuildOptions{Stdin: &api.StdinOptions{Contents: src, Sourcefile: url, Loader: api.LoaderJS}, Bundle: true, Format: format, Target: api.ES2017, Supported: supported, LogLevel: api.LogLevelSilent, TreeShaking: api.TreeShakingFalse,
			Sourcemap: api.SourceMapExternal, SourcesContent: api.SourcesContentExclude, Outfile: "module.js", AbsWorkingDir: "/", Define: map[string]string{"import.meta": "$meta"},
			Plugins: []api.Plugin{{Name: moduleSpace, Setup: func(b api.PluginBuild) {
				b.OnResolve(api.OnResolveOptions{Filter: ".*"}, func(a api.OnResolveArgs) (api.OnResolveResult, error) {
					if a.Kind == api.ResolveJSImportStatement {
						out.deps = append(out.deps, a.Path)
					}
					return api.OnResolveResult{Path: a.Path, External: true}, nil
				})
			}}}})
	}
	supported := map[string]bool{"dynamic-import": false}
	for k, v := range engineHas {
		supported[k] = v
	}
	r := build(api.FormatCommonJS, supported)
	if len(r.Errors) > 0 && topAwait.MatchString(r.Errors[0].Text) {
		supported["top-level-await"] = true
		r = build(api.FormatESModule, supported)
		out.async = true
	}
	if len(r.Errors) > 0 {
		e := r.Errors[0]
		s := &scriptError{message: "SyntaxError: " + e.Text, file: url}
		if e.Location != nil {
			s.line, s.column = e.Location.Line, e.Location.Column+1
		}
		return nil, s
	}
	var code, sourceMap []byte
	for _, f := range r.OutputFiles {
		if strings.HasSuffix(f.Path, ".map") {
			sourceMap = f.Contents
		} else {
			code = f.Contents
		}
	}
	text := string(code)
	if i := strings.LastIndex(text, "//# sourceMappingURL="); i >= 0 {
		text = text[:i]
	}
	text = dynamicImport.ReplaceAllString(text, ".then(($1) => ($$import(")
	head := "(function (exports, module, require, $import, $meta, __toESM) { \"use strict\"; "
	if out.async {
		text = withImports(text)
		head = "(async function (exports, module, require, $import, $meta, __toESM) { \"use strict\"; "
	} else {
		head = strings.Replace(head, ", __toESM", "", 1)
	}
	p, err := lowered(url, head+text+"\n})", sourceMap, false)
	out.program = p
	return out, err
}

// withImports writes the imports and exports of a module that awaits as what a function can have. What it imports is read once, when it
// begins.
func withImports(text string) string {
	n := 0
	text = exportFrom.ReplaceAllStringFunc(text, func(s string) string {
		m := exportFrom.FindStringSubmatch(s)
		if m[1] == "*" {
			return fmt.Sprintf("for (const $k of Object.keys(require(%[1]s))) if ($k !== \"default\") exports[$k] = require(%[1]s)[$k];", m[2])
		}
		var b strings.Builder
		for _, x := range strings.Split(strings.Trim(m[1], "{} \n"), ",") {
			from, to, as := strings.Cut(strings.TrimSpace(x), " as ")
			if !as {
				to = from
			}
			if from != "" {
				fmt.Fprintf(&b, "exports[%q] = require(%s)[%q];", to, m[2], from)
			}
		}
		return b.String()
	})
	text = importLine.ReplaceAllStringFunc(text, func(s string) string {
		m := importLine.FindStringSubmatch(s)
		n++
		out := fmt.Sprintf("const $m%d = require(%s);", n, m[3])
		for _, clause := range m[1:3] {
			switch {
			case clause == "":
			case strings.HasPrefix(clause, "* as "):
				out += fmt.Sprintf("const %s = $m%d;", clause[5:], n)
			case strings.HasPrefix(clause, "{"):
				out += fmt.Sprintf("const %s = $m%d;", strings.ReplaceAll(clause, " as ", ": "), n)
			default:
				out += fmt.Sprintf("const %s = $m%d.default;", clause, n)
			}
		}
		return out
	})
	return exportList.ReplaceAllStringFunc(text, func(s string) string {
		var b strings.Builder
		for _, x := range strings.Split(exportList.FindStringSubmatch(s)[1], ",") {
			from, to, as := strings.Cut(strings.TrimSpace(x), " as ")
			if !as {
				to = from
			}
			if from != "" {
				fmt.Fprintf(&b, "Object.defineProperty(exports, %q, {enumerable: true, configurable: true, get: () => %s});", to, from)
			}
		}
		return b.String()
	})
}

// loadModule fetches a module and all that it imports, and calls done when they are there, or cannot be had. source is that of an inline
// one; cors and integrity are those of the element that asks for it.
func (d *document) loadModule(url string, source *string, at place, cors, integrity string, done func(*module)) {
	if source != nil {
		m := &module{url: url, by: map[string]*module{}}
		d.link(m, at.padded(*source), done)
		return
	}
	m := d.modules[url]
	if m == nil {
		if len(d.modules) > maxModules*4 {
			done(&module{url: url, state: moduleMissing})
			return
		}
		m = &module{url: url, by: map[string]*module{}}
		d.modules[url] = m
		m.wait = append(m.wait, done)
		came := func(m *module) {
			wait := m.wait
			m.wait = nil
			for _, f := range wait {
				f(m)
			}
		}
		d.loader.request(d.b.need(url, markup.UseModule, d.url).as(cors, cmp.Or(integrity, d.maps.integrity[url])), markup.UseModule, func(r reply, why string) {
			if why != "" {
				m.state = moduleMissing
				came(m)
				return
			}
			if r.response.url != "" {
				m.url = r.response.url
			}
			if strings.Contains(r.response.header("content-type"), "json") {
				m.json, m.state = r.response.bytes(), moduleLinked
				came(m)
				return
			}
			d.link(m, string(r.response.bytes()), came)
		})
		return
	}
	if m.state == moduleFetching && m.wait != nil {
		m.wait = append(m.wait, done)
		return
	}
	done(m)
}

// link compiles a module and loads what it imports.
func (d *document) link(m *module, source string, done func(*module)) {
	c, err := d.b.docs.module(m.url, source)
	if err != nil {
		m.state, m.broken = moduleLinked, asScriptError(err)
		done(m)
		return
	}
	if !d.allows(m.url, source) {
		m.state, m.broken = moduleLinked, &scriptError{message: "Error: " + errEndedBefore, file: m.url}
		done(m)
		return
	}
	m.program, m.deps, m.async = c.program, c.deps, c.async
	left := 1
	ready := func() {
		if left--; left == 0 {
			if m.state == moduleFetching {
				m.state = moduleLinked
			}
			done(m)
		}
	}
	for _, name := range m.deps {
		if m.by[name] != nil {
			continue
		}
		u, err := d.resolveModule(name, m.url)
		if err != nil {
			m.broken = &scriptError{message: "TypeError: " + err.Error(), file: d.b.Relative(m.url)}
			continue
		}
		if x := d.modules[u]; x != nil && x.state == moduleFetching { // it is on its way, or waits for this one
			m.by[name] = x
			continue
		}
		left++
		m.by[name] = &module{state: moduleFetching}
		d.loadModule(u, nil, place{}, "", "", func(x *module) {
			m.by[name] = x
			if x.state == moduleMissing {
				m.state = moduleMissing
			}
			ready()
		})
	}
	ready()
}

// order gives the modules to evaluate for one, those that it imports first.
func (m *module) order(seen map[*module]bool, out []*module) []*module {
	if seen[m] {
		return out
	}
	seen[m] = true
	for _, name := range m.deps {
		if x := m.by[name]; x != nil {
			out = x.order(seen, out)
		}
	}
	return append(out, m)
}

// evaluateModule runs a module and what it imports. done is told when all has run, with what was thrown; when it is nil an exception is an
// uncaught one.
func (d *document) evaluateModule(m *module, done func(failure goja.Value)) {
	d.evaluateIn(m, m.order(map[*module]bool{}, nil), done)
}

func (d *document) evaluateIn(root *module, list []*module, done func(goja.Value)) {
	for i, m := range list {
		fresh := !m.begun
		if fresh {
			for _, x := range list { // what stands in a circle sees what is not there yet
				if x.exports == nil {
					x.exports = d.vm.NewObject()
				}
			}
			d.evaluate(m)
		}
		if m.failure != nil {
			if done != nil {
				done(m.failure)
			} else if fresh {
				d.moduleFailed(m)
			}
			return
		}
		if m.async && m.state != moduleEvaluated {
			then, ok := goja.AssertFunction(m.settled.ToObject(d.vm).Get("then"))
			if !ok {
				return
			}
			rest := list[i+1:]
			_, _ = then(m.settled, d.vm.ToValue(func(goja.FunctionCall) goja.Value {
				m.state = moduleEvaluated
				d.evaluateIn(root, rest, done)
				return goja.Undefined()
			}), d.vm.ToValue(func(c goja.FunctionCall) goja.Value {
				m.failure = c.Argument(0)
				if done != nil {
					done(m.failure)
				} else {
					d.moduleFailed(m)
				}
				return goja.Undefined()
			}))
			return
		}
	}
	if done != nil {
		done(nil)
	}
}

func (d *document) moduleFailed(m *module) {
	if m.broken != nil {
		e := *m.broken
		e.file = d.b.Relative(e.file)
		d.uncaught(m.failure, &e)
		return
	}
	d.uncaught(m.failure, d.describe(m.failure))
}

// evaluate runs one module.
func (d *document) evaluate(m *module) {
	vm := d.vm
	m.begun = true
	if m.broken != nil {
		kind, message, _ := strings.Cut(m.broken.message, ": ")
		m.failure = d.newError(kind, message)
		return
	}
	if m.json != nil {
		var v any
		if err := json.Unmarshal(m.json, &v); err != nil {
			m.failure = d.newError("SyntaxError", "the JSON module cannot be read")
			return
		}
		_ = m.exports.Set("default", v)
		_ = m.exports.Set("__esModule", true)
		return
	}
	v, err := vm.RunProgram(m.program)
	if err != nil {
		m.failure = thrownValue(vm, err)
		return
	}
	f, _ := goja.AssertFunction(v)
	holder, exports := vm.NewObject(), m.exports
	meta := vm.NewObject()
	_ = meta.Set("url", m.url)
	_ = meta.Set("resolve", func(c goja.FunctionCall) goja.Value {
		u, err := d.resolveModule(c.Argument(0).String(), m.url)
		if err != nil {
			panic(vm.NewTypeError(err.Error()))
		}
		return vm.ToValue(u)
	})
	require := func(c goja.FunctionCall) goja.Value {
		x := m.by[c.Argument(0).String()]
		if x == nil || x.exports == nil {
			panic(vm.NewTypeError("the module " + c.Argument(0).String() + " is not there"))
		}
		return x.exports
	}
	// Its exports are known before it has run.
	_ = holder.DefineAccessorProperty("exports", vm.ToValue(func(goja.FunctionCall) goja.Value { return exports }), vm.ToValue(func(c goja.FunctionCall) goja.Value {
		o, ok := c.Argument(0).(*goja.Object)
		if !ok || o == exports {
			return goja.Undefined()
		}
		for _, k := range o.GetOwnPropertyNames() {
			_ = exports.DefineAccessorProperty(k, vm.ToValue(func(goja.FunctionCall) goja.Value { return o.Get(k) }), nil, goja.FLAG_TRUE, goja.ToFlag(k != "__esModule"))
		}
		return goja.Undefined()
	}), goja.FLAG_TRUE, goja.FLAG_TRUE)
	r, err := f(goja.Undefined(), m.exports, holder, vm.ToValue(require), vm.ToValue(d.importer(m.url)), meta)
	if m.async {
		_ = m.exports.DefineDataProperty("__esModule", vm.ToValue(true), goja.FLAG_FALSE, goja.FLAG_TRUE, goja.FLAG_FALSE)
		m.settled = r
	}
	if err != nil {
		m.failure = thrownValue(vm, err)
	}
}

func thrownValue(vm *goja.Runtime, err error) goja.Value {
	var ex *goja.Exception
	if errors.As(err, &ex) {
		return ex.Value()
	}
	var interrupted *goja.InterruptedError
	if errors.As(err, &interrupted) {
		vm.Interrupt(interrupted.Value())
	}
	return vm.NewGoError(err)
}

// importer gives what import() is in a script or module.
func (d *document) importer(from string) func(goja.FunctionCall) goja.Value {
	return func(c goja.FunctionCall) goja.Value {
		vm := d.vm
		p, resolve, reject := vm.NewPromise()
		u, err := d.resolveModule(c.Argument(0).String(), from)
		if err != nil {
			_ = reject(d.newError("TypeError", err.Error()))
			return vm.ToValue(p)
		}
		settle := func(f func(any) error, v any) {
			d.report("import", d.enter(func(goja.Value, ...goja.Value) (goja.Value, error) { return nil, f(v) }))
		}
		d.loadModule(u, nil, place{}, "", "", func(m *module) {
			if d.over {
				return
			}
			if m.state == moduleMissing {
				settle(reject, d.newError("TypeError", "Failed to fetch dynamically imported module: "+u))
				return
			}
			d.report("import", d.enter(func(goja.Value, ...goja.Value) (goja.Value, error) {
				d.evaluateModule(m, func(failure goja.Value) {
					if failure != nil {
						_ = reject(failure)
					} else {
						_ = resolve(d.namespace(m))
					}
				})
				return nil, nil
			}))
		})
		return vm.ToValue(p)
	}
}

// namespace gives what import() resolves with: the module's exports by name.
func (d *document) namespace(m *module) goja.Value {
	ns := d.vm.NewObject()
	for _, k := range m.exports.Keys() {
		if k == "__esModule" {
			continue
		}
		_ = ns.DefineAccessorProperty(k, d.vm.ToValue(func(goja.FunctionCall) goja.Value { return m.exports.Get(k) }), nil, goja.FLAG_FALSE, goja.FLAG_TRUE)
	}
	return ns
}
