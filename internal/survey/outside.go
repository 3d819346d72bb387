package survey

import (
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// Outside is a script or a style sheet of another origin that a page names.
type Outside struct {
	URL       string
	Use       markup.Use
	Integrity string // as the page has it, "" for none
	CORS      bool   // it is asked for with CORS, so that what comes can be looked into
	File      string // that names it
	Line      int
}

// noteOutside takes down what a page names of other origins.
func (r *reader) noteOutside(refs []markup.Ref, base string) {
	for _, ref := range refs {
		if ref.Use != markup.UseScript && ref.Use != markup.UseModule && ref.Use != markup.UseStyle || !strings.Contains(ref.URL, "//") {
			continue
		}
		u, ok := ResolveOn(r.inv.Site.Origin, base, ref.URL)
		if !ok || !strings.HasPrefix(u, "http") {
			continue
		}
		line, _ := markup.Position(r.src, ref.Offset)
		r.outside = append(r.outside, Outside{u, ref.Use, ref.Digest, ref.CORS != "" || ref.Use == markup.UseModule, r.file.Path, line})
	}
}

// takeOutside keeps one of each URL, rather one whose page knows its digest.
func (inv *Inventory) takeOutside(list []Outside) {
	for _, x := range list {
		at := sort.Search(len(inv.Outside), func(i int) bool { return inv.Outside[i].URL >= x.URL })
		switch {
		case at < len(inv.Outside) && inv.Outside[at].URL == x.URL:
			if inv.Outside[at].Integrity == "" && x.Integrity != "" {
				inv.Outside[at] = x
			}
		default:
			inv.Outside = append(inv.Outside[:at], append([]Outside{x}, inv.Outside[at:]...)...)
		}
	}
}
