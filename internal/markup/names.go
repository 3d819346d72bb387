package markup

import (
	"strings"

	"github.com/tdewolff/parse/v2/js"
)

// constReader collects names that are bound once to a literal.
type constReader struct{ *scriptReader }

func (c constReader) Enter(n js.INode) js.IVisitor {
	if b, ok := n.(*js.BinaryExpr); ok && assigns[b.Op] {
		if v, ok := b.X.(*js.Var); ok {
			c.changed[variable(v)] = true
		}
	}
	if d, ok := n.(*js.VarDecl); ok {
		for _, b := range d.List {
			if o, ok := b.Binding.(*js.BindingObject); ok && b.Default != nil {
				c.unpacked(o, b.Default)
			}
			v, ok := b.Binding.(*js.Var)
			if !ok || b.Default == nil {
				continue
			}
			if s, ok := c.literal(b.Default); ok {
				c.consts[variable(v)] = s
			} else if isServiceWorker(b.Default) {
				c.aliases[variable(v)] = true
			}
		}
	}
	return c
}

// assigns are the operators that change a variable.
var assigns = map[js.TokenType]bool{js.EqToken: true, js.AddEqToken: true, js.OrEqToken: true, js.AndEqToken: true, js.NullishEqToken: true}

// variable gives what a use of a variable refers to, by the scopes of the script.
func variable(v *js.Var) *js.Var {
	for v.Link != nil {
		v = v.Link
	}
	return v
}

// alias says whether an expression is a variable that holds navigator.serviceWorker.
func (r *scriptReader) alias(e js.IExpr) bool {
	v, ok := e.(*js.Var)
	return ok && r.aliases[variable(v)]
}

// unpacked notes what const { serviceWorker: w } = navigator gives a name to.
func (c constReader) unpacked(o *js.BindingObject, from js.IExpr) {
	if n, _ := name(from); n != "navigator" {
		return
	}
	for _, item := range o.List {
		v, ok := item.Value.Binding.(*js.Var)
		if !ok {
			continue
		}
		key := string(v.Name())
		if item.Key != nil && len(item.Key.Literal.Data) > 0 {
			key = strings.Trim(string(item.Key.Literal.Data), `"'`)
		}
		if key == "serviceWorker" {
			c.aliases[variable(v)] = true
		}
	}
}

func (c constReader) Exit(js.INode) {}
