package markup

import (
	"bytes"
	"regexp"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// Placeholder is a place in a script in which a build was to put something.
type Placeholder struct {
	Text   string // as written
	Offset int    // in the script
}

// Names and texts that stand for something else until a build is done.
var (
	placeName = regexp.MustCompile(`^__[A-Z][A-Z0-9_]+$`)
	placeText = regexp.MustCompile(`^(?:%[A-Z][A-Z0-9_]{2,}%|\{\{[^{}]+\}\}|<%[^%]+%>|@@[A-Za-z_]\w+(?:@@)?|__[A-Z][A-Z0-9_]{2,}__|#\{[\w.]+\}#?|\$\{[\w.]+\})$`)
)

// Placeholders finds in a script what nothing has put a value in: names such as __LIST that nothing declares or sets, and texts such as
// "@@version" that are nothing but a mark. A name whose type is asked for is left out; so is everything in a script that cannot be parsed.
func Placeholders(src []byte) []Placeholder {
	buf := append(bytes.Clone(src), 0)[:len(src)]
	ast, err := js.Parse(parse.NewInputBytes(buf), js.Options{})
	if err != nil {
		return nil
	}
	r := &placeReader{at: (&scriptReader{src: buf}).at, known: map[string]bool{}}
	js.Walk(r, ast)
	var out []Placeholder
	for _, p := range r.found {
		if !r.known[p.Text] {
			out = append(out, p)
		}
	}
	return out
}

type placeReader struct {
	at    func([]byte) int
	known map[string]bool // names that are declared, set, or asked for their type
	found []Placeholder
}

// Enter looks at one expression.
func (r *placeReader) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.Var:
		if name := string(n.Name()); placeName.MatchString(name) {
			r.found = append(r.found, Placeholder{name, r.at(n.Data)})
			if n.Decl != js.NoDecl || n.Link != nil && n.Link.Decl != js.NoDecl {
				r.known[name] = true
			}
		}
	case *js.DotExpr:
		if name, of := name(n); placeName.MatchString(name) && ofGlobal(of) {
			r.found = append(r.found, Placeholder{name, r.at(part(n))})
		}
	case *js.BinaryExpr:
		if n.Op == js.EqToken || n.Op == js.OrEqToken || n.Op == js.NullishEqToken {
			r.know(n.X)
		}
	case *js.UnaryExpr:
		if n.Op == js.TypeofToken {
			r.know(n.X)
		}
	case *js.LiteralExpr:
		if n.TokenType == js.StringToken && len(n.Data) > 2 && placeText.Match(n.Data[1:len(n.Data)-1]) {
			r.found = append(r.found, Placeholder{string(n.Data), r.at(n.Data)})
		}
	}
	return r
}

func (r *placeReader) know(e js.IExpr) {
	if name, _ := name(e); name != "" {
		r.known[name] = true
	}
}

// Exit does nothing.
func (r *placeReader) Exit(js.INode) {}

func ofGlobal(e js.IExpr) bool {
	n, of := name(e)
	return of == nil && (n == "self" || n == "globalThis" || n == "this")
}
