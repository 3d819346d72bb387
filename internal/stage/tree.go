package stage

import (
	"strings"

	"github.com/dop251/goja"
	"golang.org/x/net/html"
	"golang.org/x/net/html/atom"
)

// Steps by which a document is built in its realm.
const (
	stepClose = iota
	stepElement
	stepText
	stepComment
	stepDoctype
)

// maxNodes bounds what a document may have when it is parsed.
const maxNodes = 1_000_000

// treeSteps parses a document by the tree construction rules of the HTML Standard, and gives the steps that build it, in the order of the
// document: for an element its name, namespace and attributes, then its children, then its end.
func treeSteps(source string) ([]any, error) {
	doc, err := html.ParseWithOptions(strings.NewReader(source), html.ParseOptionEnableScripting(true))
	if err != nil {
		return nil, err
	}
	return stepsOf(doc), nil
}

// fragmentSteps does so for what a script writes into an element.
func fragmentSteps(source, context string) ([]any, error) {
	nodes, err := html.ParseFragmentWithOptions(strings.NewReader(source), &html.Node{Type: html.ElementNode, Data: context, DataAtom: atom.Lookup([]byte(context))}, html.ParseOptionEnableScripting(true))
	if err != nil {
		return nil, err
	}
	root := &html.Node{Type: html.DocumentNode}
	for _, n := range nodes {
		root.AppendChild(n)
	}
	return stepsOf(root), nil
}

func stepsOf(root *html.Node) []any {
	var out []any
	nodes := 0
	n := root.FirstChild
	for n != nil && nodes < maxNodes {
		nodes++
		down := false
		switch n.Type {
		case html.ElementNode:
			out = append(out, stepElement, n.Data, n.Namespace, len(n.Attr))
			for _, a := range n.Attr {
				out = append(out, a.Key, a.Val, a.Namespace)
			}
			down = true
		case html.TextNode:
			out = append(out, stepText, n.Data)
		case html.CommentNode:
			out = append(out, stepComment, n.Data)
		case html.DoctypeNode:
			public, system := "", ""
			for _, a := range n.Attr {
				switch a.Key {
				case "public":
					public = a.Val
				case "system":
					system = a.Val
				}
			}
			out = append(out, stepDoctype, n.Data, public, system)
		}
		if down && n.FirstChild != nil {
			n = n.FirstChild
			continue
		}
		if down {
			out = append(out, stepClose)
		}
		for n != nil && n != root && n.NextSibling == nil {
			if n = n.Parent; n != nil && n != root {
				out = append(out, stepClose)
			}
		}
		if n == nil || n == root {
			break
		}
		n = n.NextSibling
	}
	return out
}

// hostTree gives the prelude parsed documents.
func (d *document) hostTree(set setter) {
	vm := d.vm
	give := func(steps []any, err error) goja.Value {
		if err != nil {
			panic(vm.NewGoError(err))
		}
		return vm.NewArray(steps...)
	}
	set("tree", func(c goja.FunctionCall) goja.Value { return give(treeSteps(c.Argument(0).String())) })
	set("fragment", func(c goja.FunctionCall) goja.Value {
		return give(fragmentSteps(c.Argument(0).String(), c.Argument(1).String()))
	})
}
