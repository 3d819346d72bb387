package markup

import (
	"bytes"
	"maps"
	"regexp"
	"slices"
	"strings"
	"unsafe"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// ScriptFacts is what can be read from a script without running it.
type ScriptFacts struct {
	Refs          []Ref // imports, literal fetches, workers
	Bare          []Ref // imports by names that only an import map can turn into addresses
	Registrations []Registration
	Unread        []Unread        // what only running it tells, in order
	Broken        string          // why the script could not be parsed, "" when it could
	Stores        map[string]bool // "localStorage", "sessionStorage", "indexedDB" when mentioned
	Features      map[string]int  // what is asked of a device, by the id of package platform, with the place of the first mention
}

// Registration is a call of navigator.serviceWorker.register.
type Registration struct {
	URL, Scope string // as written; Scope "" when not given
	Module     bool
	ViaCache   string // updateViaCache, "" when not given
	Relative   bool   // the URL is relative to the script (import.meta.url), not to the page
	Offset     int
	Known      bool   // the URL could be read
	When       string // the innermost condition that it stands behind, "" for none, or for one that only asks whether workers are supported
}

// Unread is something that a script does and that cannot be read from it.
type Unread struct {
	Message bool // it posts a message to a worker; else it asks for an address that is put together while it runs
	Offset  int
}

// At gives the facts of the same script at another place of a file.
func (f ScriptFacts) At(offset int) ScriptFacts {
	if offset == 0 || len(f.Refs)+len(f.Registrations)+len(f.Features)+len(f.Unread) == 0 {
		return f
	}
	f.Refs, f.Registrations = slices.Clone(f.Refs), slices.Clone(f.Registrations)
	for i := range f.Refs {
		f.Refs[i].Offset += offset
	}
	for i := range f.Registrations {
		f.Registrations[i].Offset += offset
	}
	f.Unread = slices.Clone(f.Unread)
	for i := range f.Unread {
		f.Unread[i].Offset += offset
	}
	f.Features = maps.Clone(f.Features)
	for id := range f.Features {
		f.Features[id] += offset
	}
	return f
}

// hints are the words without one of which a script has nothing to tell, with what may stand behind them. A word is
// counted only where a name begins.
var hints = append([]hint{
	{[]byte("import"), "({*\"'", true},
	{[]byte("import.meta"), "", true},
	{[]byte("import "), "", false},
	{[]byte("importScripts"), "(", true},
	{[]byte("export"), "{*", true},
	{[]byte("fetch"), "(", true},
	{[]byte("serviceWorker"), "", true},
	{[]byte("Worker"), "(", false},
	{[]byte("XMLHttpRequest"), "", true},
	{[]byte("postMessage"), "(", true},
	{[]byte(".open"), "(", false},
	{[]byte("localStorage"), "", true},
	{[]byte("sessionStorage"), "", true},
	{[]byte("indexedDB"), "", true},
}, featureHints()...)

// hint is a word that makes a script worth reading.
type hint struct {
	word  []byte
	then  string // one of these bytes follows, behind white space; "" for anything
	start bool   // the word begins a name
}

// useful says whether a script may have something to tell, without parsing it.
func useful(src []byte) bool {
	for _, h := range hints {
		for from := 0; ; {
			i := bytes.Index(src[from:], h.word)
			if i < 0 {
				break
			}
			i += from
			from = i + len(h.word)
			if h.start && i > 0 && isName(src[i-1]) || h.start && from < len(src) && isName(src[from]) {
				continue
			}
			if i > 0 && (src[i-1] == '"' || src[i-1] == '\'') && from < len(src) && src[from] == src[i-1] {
				continue // the word alone in quotes
			}
			if string(h.word) == "import " && !imports(src[from:]) {
				continue // prose
			}
			if h.then == "" {
				return true
			}
			rest := bytes.TrimLeft(src[from:min(len(src), from+200)], " \t\r\n")
			if len(rest) == 0 || strings.IndexByte(h.then, rest[0]) >= 0 || rest[0] == '/' { // or a comment
				return true
			}
		}
	}
	return false
}

// imports says whether what stands behind "import " can be an import declaration: names, then "from" or a string.
func imports(rest []byte) bool {
	for i, c := range rest[:min(len(rest), 64<<10)] {
		switch {
		case c == '"' || c == '\'':
			before := bytes.TrimRight(rest[:i], " \t\r\n")
			return len(before) == 0 || bytes.HasSuffix(before, []byte("from")) || bytes.HasSuffix(before, []byte("*/"))
		case c == '/' || c == '(':
			return true // a comment, or a call
		case isName(c) || isSpace(c) || c == '{' || c == '}' || c == ',' || c == '*':
		default:
			return false
		}
	}
	return false
}

func isName(c byte) bool {
	return c == '_' || c == '$' || c >= 0x80 || c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'z'
}

// ReadScript reads JavaScript source. Constants with literal values are followed; other computed values are not
// known. offset is where src begins in its file.
func ReadScript(src []byte, offset int) ScriptFacts {
	f := ScriptFacts{Stores: map[string]bool{}}
	if !useful(src) {
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
	r := &scriptReader{facts: &f, src: buf, offset: offset, consts: map[*js.Var]string{}, changed: map[*js.Var]bool{}, aliases: map[*js.Var]bool{}, taken: map[*js.NewExpr]bool{}}
	js.Walk(constReader{r}, ast)
	js.Walk(r, ast)
	return f
}

type scriptReader struct {
	facts   *ScriptFacts
	src     []byte
	offset  int
	consts  map[*js.Var]string   // by the variable, not by its name: built code has the same names in every function
	changed map[*js.Var]bool     // that are assigned to
	aliases map[*js.Var]bool     // variables that hold navigator.serviceWorker
	when    []string             // conditions around what is being read
	taken   map[*js.NewExpr]bool // URLs that a worker or registration around them is made from
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

// maxLiteral is how long a text is that an address may be put together to, in bytes.
const maxLiteral = 16 << 10

// literal gives the value of an expression that is a string without anything computed in it, unless it is longer than any address.
func (r *scriptReader) literal(e js.IExpr) (string, bool) {
	s, ok := r.text(e)
	if len(s) > maxLiteral {
		return "", false
	}
	return s, ok
}

func (r *scriptReader) text(e js.IExpr) (string, bool) {
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
			if b.WriteString(v); b.Len() > maxLiteral {
				return "", false
			}
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
		s, ok := r.consts[variable(e)]
		return s, ok && !r.changed[variable(e)]
	}
	return "", false
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

// bare says whether the name of a module is no address, so that only an import map can say where it is (HTML, "resolve a module specifier").
func bare(name string) bool {
	return !strings.HasPrefix(name, "/") && !strings.HasPrefix(name, "./") && !strings.HasPrefix(name, "../") && !scheme.MatchString(name)
}

var scheme = regexp.MustCompile(`^[A-Za-z][A-Za-z0-9+.-]*:`)

func (r *scriptReader) module(spec []byte, lazy bool) {
	if len(spec) < 2 {
		return
	}
	ref := Ref{URL: unquoteJS(spec[1 : len(spec)-1]), Use: UseModule, Offset: r.at(spec) + 1, Lazy: lazy}
	if bare(ref.URL) {
		r.facts.Bare = append(r.facts.Bare, ref)
		return
	}
	r.facts.Refs = append(r.facts.Refs, ref)
}

// Enter is called by the parser's walk.
func (r *scriptReader) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.IfStmt:
		r.when = append(r.when, condition(n.Cond))
	case *js.CondExpr:
		r.when = append(r.when, condition(n.Cond))
	case *js.BinaryExpr:
		if n.Op == js.AndToken {
			r.when = append(r.when, condition(n.X))
		}
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
		default:
			r.feature(globalFeatures[s], n.Data)
		}
	case *js.DotExpr:
		member, of := name(n)
		id := memberFeatures[member]
		if on, ok := ofFeatures[member]; id == "" && ok && of != nil {
			if owner, _ := name(of); owner == on.of {
				id = on.id
			}
		}
		if y, ok := n.Y.(js.LiteralExpr); ok {
			r.feature(id, y.Data)
		} else if y, ok := n.Y.(*js.LiteralExpr); ok {
			r.feature(id, y.Data)
		}
	}
	return r
}

// Exit is called by the parser's walk.
func (r *scriptReader) Exit(n js.INode) {
	switch n := n.(type) {
	case *js.BinaryExpr:
		if n.Op != js.AndToken {
			return
		}
	case *js.IfStmt, *js.CondExpr:
	default:
		return
	}
	r.when = r.when[:len(r.when)-1]
}

// condition is how a condition is told; "" for one that asks for what is needed anyway.
func condition(e js.IExpr) string {
	if b, ok := e.(*js.BinaryExpr); ok && b.Op == js.AndToken { // one after the other
		if c := condition(b.Y); c != "" {
			return c
		}
		return condition(b.X)
	}
	var b strings.Builder
	e.JS(&b)
	if s := b.String(); len(s) <= 200 && !strings.Contains(s, "serviceWorker") {
		return s
	}
	return ""
}

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
			ref := Ref{URL: u, Use: UseModule, Offset: r.at(part(arg)) + 1, Lazy: true}
			if bare(u) {
				r.facts.Bare = append(r.facts.Bare, ref)
			} else {
				r.facts.Refs = append(r.facts.Refs, ref)
			}
		}
	case "postMessage":
		if ofName == "active" || ofName == "controller" || ofName == "waiting" || ofName == "installing" {
			r.facts.Unread = append(r.facts.Unread, Unread{true, r.at(memberOf(c.X))})
		}
	case "fetch":
		if of != nil && ofName != "window" && ofName != "self" && ofName != "globalThis" {
			return
		}
		if u, ok := r.urlOf(arg); !ok {
			at := part(arg)
			if at == nil {
				at = memberOf(c.X)
			}
			r.facts.Unread = append(r.facts.Unread, Unread{false, r.at(at)})
		} else {
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
				ref := Ref{URL: u, Use: UseScript, Offset: r.at(part(a.Value)) + 1}
				r.facts.Refs = append(r.facts.Refs, ref)
			}
		}
	case "register":
		if of == nil || !(isServiceWorker(of) || r.alias(of)) {
			return
		}
		reg := Registration{Offset: r.at(part(arg))}
		for _, c := range r.when {
			if c != "" {
				reg.When = c
			}
		}
		reg.URL, reg.Known = r.literal(arg)
		if !reg.Known {
			if u, ok := r.metaURL(r.take(arg)); ok {
				reg.URL, reg.Known, reg.Relative = u, true, true
			}
		}
		if len(c.Args.List) > 1 {
			reg.Scope, _ = r.property(c.Args.List[1].Value, "scope")
			t, _ := r.property(c.Args.List[1].Value, "type")
			reg.Module = t == "module"
			reg.ViaCache, _ = r.property(c.Args.List[1].Value, "updateViaCache")
		}
		r.facts.Registrations = append(r.facts.Registrations, reg)
	}
}

// memberOf gives the part of the source that names what is called.
func memberOf(e js.IExpr) []byte {
	d, ok := e.(*js.DotExpr)
	if !ok {
		return part(e)
	}
	if y, ok := d.Y.(js.LiteralExpr); ok {
		return y.Data
	}
	return part(d.Y)
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

// take notes that an expression is a part of what is read already.
func (r *scriptReader) take(e js.IExpr) js.IExpr {
	x := e
	if d, ok := x.(*js.DotExpr); ok {
		x = d.X
	}
	if n, ok := x.(*js.NewExpr); ok {
		r.taken[n] = true
	}
	return e
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
	case "URL": // an asset of a module, of a kind that nobody says
		if u, ok := r.metaURL(n); ok && !r.taken[n] {
			r.facts.Refs = append(r.facts.Refs, Ref{URL: u, Use: UsePreload, Offset: r.at(part(arg)) + 1, Lazy: true})
		}
	case "Worker", "SharedWorker":
		u, ok := r.literal(arg)
		if !ok {
			u, ok = r.metaURL(r.take(arg))
		}
		if ok {
			r.facts.Refs = append(r.facts.Refs, Ref{URL: u, Use: UseWorker, Offset: r.at(part(arg)) + 1})
		}
	}
}
