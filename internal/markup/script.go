package markup

import (
	"bytes"
	"slices"
	"strings"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// ScriptFacts is what can be read from a script without running it.
type ScriptFacts struct {
	Refs          []Ref // imports, literal fetches, workers
	ImportScripts []Ref
	Registrations []Registration
	Broken        string // why the script could not be parsed, "" when it could
	Listens       map[string]bool
	Stores        map[string]bool // "localStorage", "sessionStorage", "indexedDB" when mentioned
}

// Registration is a call of navigator.serviceWorker.register.
type Registration struct {
	URL, Scope string // as written; Scope "" when not given
	Module     bool
	Relative   bool // the URL is relative to the script (import.meta.url), not to the page
	Offset     int
	Known      bool // the URL could be read
}

// At gives the facts of the same script at another place of a file.
func (f ScriptFacts) At(offset int) ScriptFacts {
	if offset == 0 || len(f.Refs)+len(f.ImportScripts)+len(f.Registrations) == 0 {
		return f
	}
	f.Refs, f.ImportScripts, f.Registrations = slices.Clone(f.Refs), slices.Clone(f.ImportScripts), slices.Clone(f.Registrations)
	for i := range f.Refs {
		f.Refs[i].Offset += offset
	}
	for i := range f.ImportScripts {
		f.ImportScripts[i].Offset += offset
	}
	for i := range f.Registrations {
		f.Registrations[i].Offset += offset
	}
	return f
}

// hints are the words without one of which a script has nothing to tell.
var hints = [][]byte{[]byte("import"), []byte("export"), []byte("fetch"), []byte("serviceWorker"), []byte("Worker"),
	[]byte("XMLHttpRequest"), []byte("new URL"), []byte("Storage"), []byte("indexedDB"), []byte("addEventListener")}

// ReadScript reads JavaScript source. Constants with literal values are followed; other computed values are not
// known. offset is where src begins in its file.
func ReadScript(src []byte, offset int) ScriptFacts {
	f := ScriptFacts{Listens: map[string]bool{}, Stores: map[string]bool{}}
	useful := false
	for _, h := range hints {
		useful = useful || bytes.Contains(src, h)
	}
	if !useful {
		return f
	}
	buf := append(bytes.Clone(src), 0)[:len(src)]
	ast, err := js.Parse(parse.NewInputBytes(buf), js.Options{})
	if err != nil {
		f.Broken = err.Error()
		if i := strings.IndexByte(f.Broken, '\n'); i >= 0 {
			f.Broken = f.Broken[:i]
		}
		return f
	}
	r := &scriptReader{facts: &f, src: buf, offset: offset, consts: map[string]string{}, aliases: map[string]bool{}}
	js.Walk(constReader{r}, ast)
	js.Walk(r, ast)
	return f
}

type scriptReader struct {
	facts   *ScriptFacts
	src     []byte
	offset  int
	consts  map[string]string
	aliases map[string]bool // variables that hold navigator.serviceWorker
}

// at gives the offset in the file of a part of the source that the parser handed out.
func (r *scriptReader) at(part []byte) int {
	if len(part) == 0 || len(r.src) == 0 {
		return r.offset
	}
	d := int(uintptr(unsafe.Pointer(unsafe.SliceData(part))) - uintptr(unsafe.Pointer(unsafe.SliceData(r.src))))
	if d < 0 || d >= len(r.src) { // the parser made a copy
		d = max(0, bytes.Index(r.src, part))
	}
	return r.offset + d
}

// constReader collects names that are bound once to a literal.
type constReader struct{ *scriptReader }

func (c constReader) Enter(n js.INode) js.IVisitor {
	if d, ok := n.(*js.VarDecl); ok {
		for _, b := range d.List {
			v, ok := b.Binding.(*js.Var)
			if !ok || b.Default == nil {
				continue
			}
			if s, ok := c.literal(b.Default); ok {
				c.consts[string(v.Name())] = s
			} else if isServiceWorker(b.Default) {
				c.aliases[string(v.Name())] = true
			}
		}
	}
	return c
}

func (c constReader) Exit(js.INode) {}

// literal gives the value of an expression that is a string without anything computed in it.
func (r *scriptReader) literal(e js.IExpr) (string, bool) {
	switch e := e.(type) {
	case *js.LiteralExpr:
		if e.TokenType == js.StringToken && len(e.Data) >= 2 {
			return unquoteJS(e.Data[1 : len(e.Data)-1]), true
		}
	case *js.TemplateExpr:
		if e.Tag != nil {
			return "", false
		}
		var b strings.Builder
		for _, p := range e.List {
			b.WriteString(unquoteJS(bytes.TrimSuffix(bytes.TrimPrefix(bytes.TrimPrefix(p.Value, []byte("`")), []byte("}")), []byte("${"))))
			v, ok := r.literal(p.Expr)
			if !ok {
				return "", false
			}
			b.WriteString(v)
		}
		tail := bytes.TrimSuffix(bytes.TrimPrefix(bytes.TrimPrefix(e.Tail, []byte("`")), []byte("}")), []byte("`"))
		b.WriteString(unquoteJS(tail))
		return b.String(), true
	case *js.GroupExpr:
		return r.literal(e.X)
	case *js.BinaryExpr:
		if e.Op != js.AddToken {
			return "", false
		}
		x, ok := r.literal(e.X)
		if !ok {
			return "", false
		}
		y, ok := r.literal(e.Y)
		return x + y, ok
	case *js.Var:
		s, ok := r.consts[string(e.Name())]
		return s, ok
	}
	return "", false
}

func unquoteJS(b []byte) string {
	if bytes.IndexByte(b, '\\') < 0 {
		return string(b)
	}
	return strings.NewReplacer(`\/`, "/", `\"`, `"`, `\'`, "'", `\\`, `\`, "\\`", "`", `\n`, "\n", `\u002F`, "/", `\u002f`, "/", `\x2F`, "/").Replace(string(b))
}

// name gives the last name of a dotted expression, and the expression before it.
func name(e js.IExpr) (string, js.IExpr) {
	switch e := e.(type) {
	case *js.Var:
		return string(e.Name()), nil
	case *js.DotExpr:
		switch y := e.Y.(type) {
		case *js.LiteralExpr:
			return string(y.Data), e.X
		case *js.Var:
			return string(y.Name()), e.X
		case js.LiteralExpr:
			return string(y.Data), e.X
		}
	case *js.LiteralExpr:
		return string(e.Data), nil
	case *js.GroupExpr:
		return name(e.X)
	}
	return "", nil
}

func isServiceWorker(e js.IExpr) bool {
	n, _ := name(e)
	return n == "serviceWorker"
}

// part gives source bytes inside an expression, to find its place.
func part(e js.IExpr) []byte {
	switch e := e.(type) {
	case *js.LiteralExpr:
		return e.Data
	case *js.Var:
		return e.Data
	case *js.TemplateExpr:
		if len(e.List) > 0 {
			return e.List[0].Value
		}
		return e.Tail
	case *js.BinaryExpr:
		return part(e.X)
	case *js.GroupExpr:
		return part(e.X)
	case *js.NewExpr:
		if e.Args != nil && len(e.Args.List) > 0 {
			return part(e.Args.List[0].Value)
		}
	case *js.DotExpr:
		return part(e.X)
	case *js.CallExpr:
		return part(e.X)
	}
	return nil
}

func (r *scriptReader) module(spec []byte, lazy bool) {
	if len(spec) < 2 {
		return
	}
	r.facts.Refs = append(r.facts.Refs, Ref{URL: unquoteJS(spec[1 : len(spec)-1]), Use: UseModule,
		Offset: r.at(spec) + 1, Lazy: lazy})
}

// Enter is called by the parser's walk.
func (r *scriptReader) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.ImportStmt:
		r.module(n.Module, false)
	case *js.ExportStmt:
		r.module(n.Module, false)
	case *js.CallExpr:
		r.call(n)
	case *js.NewExpr:
		r.construct(n)
	case *js.Var:
		switch s := string(n.Name()); s {
		case "localStorage", "sessionStorage", "indexedDB":
			r.facts.Stores[s] = true
		}
	}
	return r
}

// Exit is called by the parser's walk.
func (r *scriptReader) Exit(js.INode) {}

func (r *scriptReader) call(c *js.CallExpr) {
	if len(c.Args.List) == 0 {
		return
	}
	arg := c.Args.List[0].Value
	fn, of := name(c.X)
	ofName := ""
	if of != nil {
		ofName, _ = name(of)
	}
	switch fn {
	case "import":
		if u, ok := r.literal(arg); ok {
			r.facts.Refs = append(r.facts.Refs, Ref{URL: u, Use: UseModule, Offset: r.at(part(arg)) + 1, Lazy: true})
		}
	case "fetch":
		if u, ok := r.urlOf(arg); ok && (of == nil || ofName == "window" || ofName == "self" || ofName == "globalThis") {
			ref := Ref{URL: u, Use: UseFetch, Offset: r.at(part(arg)) + 1}
			if len(c.Args.List) > 1 {
				if m, ok := r.property(c.Args.List[1].Value, "method"); ok && !strings.EqualFold(m, "GET") {
					ref.Method = strings.ToUpper(m)
				}
			}
			r.facts.Refs = append(r.facts.Refs, ref)
		}
	case "open":
		if len(c.Args.List) >= 2 && ofName != "caches" && ofName != "window" && ofName != "indexedDB" {
			m, ok := r.literal(arg)
			u, ok2 := r.literal(c.Args.List[1].Value)
			if ok && ok2 && isMethod(m) {
				ref := Ref{URL: u, Use: UseFetch, Offset: r.at(part(c.Args.List[1].Value)) + 1}
				if !strings.EqualFold(m, "GET") {
					ref.Method = strings.ToUpper(m)
				}
				r.facts.Refs = append(r.facts.Refs, ref)
			}
		}
	case "importScripts":
		for _, a := range c.Args.List {
			if u, ok := r.literal(a.Value); ok {
				r.facts.ImportScripts = append(r.facts.ImportScripts, Ref{URL: u, Use: UseScript, Offset: r.at(part(a.Value)) + 1})
			}
		}
	case "addEventListener":
		if t, ok := r.literal(arg); ok {
			r.facts.Listens[t] = true
		}
	case "register":
		if of == nil || !(isServiceWorker(of) || r.aliases[ofName]) {
			return
		}
		reg := Registration{Offset: r.at(part(arg))}
		reg.URL, reg.Known = r.literal(arg)
		if !reg.Known {
			if u, ok := r.metaURL(arg); ok {
				reg.URL, reg.Known, reg.Relative = u, true, true
			}
		}
		if len(c.Args.List) > 1 {
			reg.Scope, _ = r.property(c.Args.List[1].Value, "scope")
			t, _ := r.property(c.Args.List[1].Value, "type")
			reg.Module = t == "module"
		}
		r.facts.Registrations = append(r.facts.Registrations, reg)
	}
}

func isMethod(s string) bool {
	switch strings.ToUpper(s) {
	case "GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS":
		return true
	}
	return false
}

// urlOf reads a fetch argument: a literal, or a Request made from one.
func (r *scriptReader) urlOf(e js.IExpr) (string, bool) {
	if n, ok := e.(*js.NewExpr); ok && n.Args != nil && len(n.Args.List) > 0 {
		if class, _ := name(n.X); class == "Request" {
			return r.literal(n.Args.List[0].Value)
		}
	}
	return r.literal(e)
}

// metaURL reads new URL("…", import.meta.url).
func (r *scriptReader) metaURL(e js.IExpr) (string, bool) {
	if d, ok := e.(*js.DotExpr); ok {
		e = d.X
	}
	n, ok := e.(*js.NewExpr)
	if !ok || n.Args == nil || len(n.Args.List) < 2 {
		return "", false
	}
	if class, _ := name(n.X); class != "URL" {
		return "", false
	}
	d, ok := n.Args.List[1].Value.(*js.DotExpr)
	if !ok {
		return "", false
	}
	if _, ok := d.X.(*js.ImportMetaExpr); !ok {
		return "", false
	}
	return r.literal(n.Args.List[0].Value)
}

// property reads a literal member of an object literal.
func (r *scriptReader) property(e js.IExpr, key string) (string, bool) {
	o, ok := e.(*js.ObjectExpr)
	if !ok {
		return "", false
	}
	for _, p := range o.List {
		if p.Name != nil && strings.Trim(string(p.Name.Literal.Data), `"'`) == key {
			return r.literal(p.Value)
		}
	}
	return "", false
}

func (r *scriptReader) construct(n *js.NewExpr) {
	if n.Args == nil || len(n.Args.List) == 0 {
		return
	}
	class, _ := name(n.X)
	arg := n.Args.List[0].Value
	switch class {
	case "Worker", "SharedWorker":
		u, ok := r.literal(arg)
		if !ok {
			u, ok = r.metaURL(arg)
		}
		if ok {
			r.facts.Refs = append(r.facts.Refs, Ref{URL: u, Use: UseWorker, Offset: r.at(part(arg)) + 1})
		}
	}
}
