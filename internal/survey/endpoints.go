package survey

import (
	"slices"
	"strings"
)

// Posted lists the root-relative addresses of the site to which forms of its pages post what visitors write, sorted. Forms of a page that asks
// for a password are left out: who cannot sign in has lost nothing.
func (inv *Inventory) Posted() []string {
	signIn := map[string]bool{}
	for _, p := range inv.Pages {
		if p.Personal == asksForPassword {
			signIn[p.File.Path] = true
		}
	}
	var out []string
	for _, e := range inv.Endpoints {
		if e.Form && e.Method == "POST" && strings.HasPrefix(e.URL, "/") && !signIn[e.File] {
			out = append(out, e.URL)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Asked lists the addresses that scripts get something from and that are no files of the site: its server's, or those of other origins; sorted.
func (inv *Inventory) Asked() []string {
	var out []string
	for _, e := range inv.Endpoints {
		if u, _, _ := strings.Cut(e.URL, "?"); !e.Form && e.Method == "GET" && inv.FileOf(u) == nil {
			out = append(out, e.URL)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
