package stage

import (
	"encoding/base64"
	"sort"

	"github.com/dop251/goja"
)

// maxBases bounds what an origin keeps in databases, in bytes of text.
const maxBases = 64 << 20

// hostDatabases gives the prelude the texts of the origin's databases.
func (g *realm) hostDatabases(set setter) {
	vm := g.vm
	set("idbRead", func(c goja.FunctionCall) goja.Value {
		g.noteStore()
		return vm.ToValue(g.b.bases[c.Argument(0).String()])
	})
	set("idbWrite", func(c goja.FunctionCall) goja.Value {
		g.noteStore()
		name, text := c.Argument(0).String(), c.Argument(1).String()
		total := len(text)
		for k, v := range g.b.bases {
			if k != name {
				total += len(v)
			}
		}
		if total > maxBases {
			return vm.ToValue("Quota exceeded.")
		}
		g.b.bases[name] = text
		return goja.Undefined()
	})
	set("idbDelete", func(c goja.FunctionCall) goja.Value {
		g.noteStore()
		delete(g.b.bases, c.Argument(0).String())
		return goja.Undefined()
	})
	set("idbNames", func(goja.FunctionCall) goja.Value {
		g.noteStore()
		names := make([]string, 0, len(g.b.bases))
		for n := range g.b.bases {
			names = append(names, n)
		}
		sort.Strings(names)
		items := make([]any, len(names))
		for i, n := range names {
			items[i] = n
		}
		return vm.NewArray(items...)
	})
	set("encode64", func(c goja.FunctionCall) goja.Value {
		if b := toBlob(c.Argument(0)); b != nil {
			return vm.ToValue(base64.StdEncoding.EncodeToString(b.data))
		}
		return vm.ToValue("")
	})
	set("decode64", func(c goja.FunctionCall) goja.Value {
		data, err := base64.StdEncoding.DecodeString(c.Argument(0).String())
		if err != nil {
			panic(vm.NewTypeError("a stored value is damaged"))
		}
		return g.handle(&blob{data: data})
	})
}
