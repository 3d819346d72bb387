package markup

import (
	"bytes"

	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// ReadWorker says what the source of a service worker does, with the offset of the first place: "fetch" (it answers
// requests), "skipWaiting", "addRoutes", "caches.keys" and "caches.delete". Source that cannot be parsed does nothing.
func ReadWorker(src []byte) map[string]int {
	out := map[string]int{}
	buf := append(bytes.Clone(src), 0)[:len(src)]
	ast, err := js.Parse(parse.NewInputBytes(buf), js.Options{})
	if err != nil {
		return out
	}
	r := &scriptReader{facts: &ScriptFacts{Stores: map[string]bool{}}, src: buf, consts: map[*js.Var]string{}, changed: map[*js.Var]bool{}, aliases: map[*js.Var]bool{}}
	js.Walk(constReader{r}, ast)
	js.Walk(workerReader{r, out}, ast)
	return out
}

// workerReader looks for what a worker does.
type workerReader struct {
	*scriptReader
	does map[string]int
}

func (w workerReader) note(what string, e js.IExpr) {
	at := w.at(part(e))
	if known, ok := w.does[what]; !ok || at < known {
		w.does[what] = at
	}
}

// Enter is called by the parser's walk.
func (w workerReader) Enter(n js.INode) js.IVisitor {
	switch n := n.(type) {
	case *js.CallExpr:
		fn, of := name(n.X)
		ofName := ""
		if of != nil {
			ofName, _ = name(of)
		}
		switch {
		case fn == "addEventListener" && len(n.Args.List) > 0:
			if event, ok := w.literal(n.Args.List[0].Value); ok && event == "fetch" {
				w.note("fetch", n)
			}
		case fn == "skipWaiting", fn == "addRoutes":
			w.note(fn, n)
		case ofName == "caches" && (fn == "keys" || fn == "delete"):
			w.note("caches."+fn, n)
		}
	case *js.BinaryExpr:
		if fn, _ := name(n.X); n.Op == js.EqToken && fn == "onfetch" {
			w.note("fetch", n)
		}
	}
	return w
}

// Exit is called by the parser's walk.
func (w workerReader) Exit(js.INode) {}
