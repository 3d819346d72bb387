package survey

import (
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"

	"tachyform.dev/tachyform/internal/markup"
)

// sharedRefs is refs for a page's elements: what pages of one folder refer to with the same words is resolved once.
func (r *reader) sharedRefs(refs []markup.Ref, base string) []Need {
	var h xxhash.Digest
	_, _ = h.WriteString(base[:strings.LastIndexByte(base, '/')+1])
	for i := range refs {
		u := refs[i].URL
		if u == "" || u[0] == '?' || u[0] == '#' || refs[i].Use == markup.UseFetch { // depends on the page itself
			return r.refs(refs, base)
		}
		_, _ = h.WriteString("\x00")
		_, _ = h.WriteString(u)
		_, _ = h.WriteString("\x00")
		_, _ = h.WriteString(string(refs[i].Use))
		if refs[i].Spare {
			_, _ = h.WriteString("\x01")
		}
	}
	k := h.Sum64()
	if n, ok := r.inv.shared.Load(k); ok {
		return n.([]Need)
	}
	needs := slices.Clip(r.refs(refs, base))
	r.inv.shared.Store(k, needs)
	return needs
}

// refs turns references into needs.
func (r *reader) refs(refs []markup.Ref, base string) []Need {
	var out []Need
	var seen map[Need]bool
	for _, ref := range refs {
		switch ref.Use {
		case markup.UseLink, markup.UsePrefetch, markup.UseRefresh, markup.UseIcon, markup.UseManifest:
			continue
		}
		u, ok := ResolveOn(r.inv.Site.Origin, base, ref.URL)
		if !ok {
			continue
		}
		if ref.Use == markup.UseFetch {
			r.fetch(ref, u)
			if ref.Method != "" {
				continue
			}
		}
		n := Need{u, ref.Use, ref.Spare, ref.Range}
		if !seen[n] {
			if seen == nil {
				seen = map[Need]bool{}
			}
			seen[n] = true
			out = append(out, n)
		}
	}
	return out
}

func (r *reader) fetch(ref markup.Ref, u string) {
	line, column := markup.Position(r.src, ref.Offset)
	method := ref.Method
	if method == "" {
		method = "GET"
	}
	r.endpoints = append(r.endpoints, Endpoint{URL: u, Method: method, File: r.file.Path, Line: line, Column: column})
	if method == "GET" && r.inv.FileOf(u) != nil {
		r.data = append(r.data, u)
	}
}
