package survey

import (
	"cmp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// Integrity is what pages say of the bytes of one of the site's own scripts or style sheets, by the attribute of that name.
type Integrity struct {
	URL      string // root-relative
	Metadata string // as written
	File     string // the first page that says it
	Line     int
	Column   int
	Pages    int // that say it
}

// noteIntegrity takes down what a page says of the bytes of the site's own files.
func (r *reader) noteIntegrity(refs []markup.Ref, base string) {
	for _, ref := range refs {
		if ref.Digest == "" || ref.Use != markup.UseScript && ref.Use != markup.UseModule && ref.Use != markup.UseStyle {
			continue
		}
		if u, ok := ResolveOn(r.inv.Site.Origin, base, ref.URL); ok && strings.HasPrefix(u, "/") {
			line, column := markup.Position(r.src, ref.Offset)
			r.integrity = append(r.integrity, Integrity{u, ref.Digest, r.file.Path, line, column, 1})
		}
	}
}

// integrities gathers what pages say, by address.
type integrities map[[2]string]*Integrity

func (all integrities) take(list []Integrity) {
	for _, x := range list {
		k := [2]string{x.URL, x.Metadata}
		if have := all[k]; have == nil {
			all[k] = &x
		} else {
			have.Pages++
		}
	}
}

func (all integrities) sorted() []Integrity {
	var out []Integrity
	for _, x := range all {
		out = append(out, *x)
	}
	slices.SortFunc(out, func(a, b Integrity) int {
		return cmp.Or(strings.Compare(a.URL, b.URL), strings.Compare(a.Metadata, b.Metadata))
	})
	return out
}
