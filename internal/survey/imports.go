package survey

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// importMap says where modules are that are asked for by a name (HTML Standard, "import maps"). Addresses are root-relative for the site's own origin.
type importMap struct {
	imports map[string]string
	scopes  map[string]map[string]string // by what the importer's address begins with
	key     string                       // the same for equal maps
}

// importMapOf resolves a page's map against its base; nil for a page without one.
func importMapOf(origin, base string, m *markup.Page) *importMap {
	if len(m.Imports)+len(m.Scopes) == 0 {
		return nil
	}
	resolved := func(list map[string]string) map[string]string {
		out := map[string]string{}
		for name, u := range list {
			if strings.HasPrefix(name, "/") || strings.HasPrefix(name, ".") {
				if n, ok := ResolveOn(origin, base, name); ok {
					name = n
				}
			}
			if to, ok := ResolveOn(origin, base, u); ok {
				out[name] = to
			}
		}
		return out
	}
	i := &importMap{imports: resolved(m.Imports), scopes: map[string]map[string]string{}}
	for scope, list := range m.Scopes {
		if s, ok := ResolveOn(origin, base, scope); ok {
			i.scopes[s] = resolved(list)
		}
	}
	i.key = fmt.Sprint(i.imports, i.scopes) // maps are printed in the order of their keys
	return i
}

// find gives the address of a module that a script asks for by a name, "" for none.
func (i *importMap) find(by, name string) string {
	if i == nil {
		return ""
	}
	scopes := slices.SortedFunc(maps.Keys(i.scopes), func(a, b string) int { return len(b) - len(a) }) // the longest counts first
	for _, s := range scopes {
		if s == by || strings.HasSuffix(s, "/") && strings.HasPrefix(by, s) {
			if u := markup.Imported(i.scopes[s], name); u != "" {
				return u
			}
		}
	}
	return markup.Imported(i.imports, name)
}

// mapped gives script files the needs that they name by the import maps of the pages that run them.
func (inv *Inventory) mapped(bare map[string][]markup.Ref) {
	if len(bare) == 0 {
		return
	}
	done := map[string]bool{}
	for n := range inv.Pages {
		p := &inv.Pages[n]
		if p.imports == nil {
			continue
		}
		queue := slices.Clone(p.Needs)
		for len(queue) > 0 {
			u := queue[0].URL
			queue = queue[1:]
			if key := p.imports.key + "\x00" + u; done[key] {
				continue
			} else {
				done[key] = true
			}
			for _, ref := range bare[u] {
				to := p.imports.find(u, ref.URL)
				if to != "" && !slices.ContainsFunc(inv.Needs[u], func(n Need) bool { return n.URL == to }) {
					inv.Needs[u] = append(inv.Needs[u], Need{URL: to, Use: ref.Use})
				}
			}
			queue = append(queue, inv.Needs[u]...)
		}
	}
}
