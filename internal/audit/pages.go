package audit

import (
	"bytes"
	"cmp"
	"crypto/sha512"
	"encoding/base64"
	"fmt"
	"image"
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/raster"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

var pageChecks = []Check{
	{
		ID: "pages/reference-leads-nowhere", Level: Warning, Title: "What pages ask for is there",
		Example: `<img src="/gone.png">`,
		Why:     "The page asks for a file that the site does not have, online or not: a style, picture or script is missing for everybody.",
		Mend:    "put the file there, or remove the reference", Spec: "HTML Standard, \"Fetching resources\"",
		run: func(f *facts) ([]Finding, bool) {
			nowhere := dead(f)
			first := map[string]string{}
			for _, p := range append(slices.Clone(f.rehearsal.Visits), f.rehearsal.Pages...) {
				for _, m := range p.Missing {
					u, _, _ := strings.Cut(m.URL, "?")
					if m.Use == string(markup.UseFetch) && path.Ext(u) == "" {
						continue // an endpoint of the server
					}
					if _, ok := first[m.URL]; nowhere[m.URL] && !ok && len(f.refused[m.URL]) == 0 {
						first[m.URL] = p.URL
					}
				}
			}
			var out []Finding
			for u, page := range first {
				out = append(out, Finding{URL: u, Message: "asked for by " + page + ", and not in the site"})
			}
			slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.URL, b.URL) })
			return out, true
		},
	},
	{
		ID: "pages/integrity-differs", Level: Warning, Title: "Files have the digests that pages name",
		Example: `<script src="/app.js" integrity="sha256-…"> of the file as it was before the build wrote it anew`,
		Why:     "Browsers refuse a script or style sheet whose bytes are not those that its element names: the page stays without it, for everybody.",
		Mend:    "have the build write the digest after everything else has changed the file", Spec: "Subresource Integrity, \"Do bytes match metadataList?\"",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, list := range f.refused {
				for _, x := range list {
					m := x.URL + " has other bytes than integrity says; its digest is " + x.is
					if x.Pages > 1 {
						m += fmt.Sprintf(" (the same in %d pages)", x.Pages)
					}
					out = append(out, Finding{File: x.File, Line: x.Line, Column: x.Column, URL: x.URL, Message: m})
				}
			}
			slices.SortFunc(out, func(a, b Finding) int { return cmp.Or(strings.Compare(a.URL, b.URL), strings.Compare(a.File, b.File)) })
			return out, len(f.inv.Integrity) > 0
		},
	},
	{
		ID: "pages/manifest-not-linked", Level: Warning, Title: "Every page links the manifest",
		Example: `a page without <link rel="manifest">`, Safe: true,
		Why:  "A visitor who arrives on a page without the link is offered no installation there.",
		Mend: "run tachyform fit", Spec: "W3C Web Application Manifest, \"Linking to a manifest\"",
		run: func(f *facts) ([]Finding, bool) {
			if f.link == nil || f.byScript && f.start.tag("manifest") == nil { // of other pages' scripts nothing is known
				return nil, false
			}
			var out []Finding
			for _, h := range f.heads {
				t := h.tag("manifest")
				switch {
				case h.err != nil || h.file.Path == f.start.file.Path:
				case t == nil:
					out = append(out, Finding{File: h.file.Path, Line: 1, Column: 1, URL: h.file.URL, Message: "there is no manifest link in the head"})
				case withoutQuery(f.linkOf(h, t.Value)) != withoutQuery(f.linkURL):
					out = append(out, Finding{File: h.file.Path, Line: 1, Column: 1, URL: h.file.URL,
						Message: fmt.Sprintf("links %s, the start page links %s", brief(f.linkOf(h, t.Value)), brief(f.linkURL)), Mend: "link the same manifest everywhere"})
				}
			}
			return out, true
		},
	},
	{
		ID: "pages/viewport-missing", Level: Warning, Title: "Pages fit the screen of a phone",
		Example: `a head without <meta name="viewport">`,
		Why:     "Without a viewport a phone shows the page as on a desktop, tiny and to be zoomed.",
		Mend:    "put <meta name=\"viewport\" content=\"width=device-width, initial-scale=1\"> into the head, and look at the page on a phone",
		Spec:    "CSS Viewport Module",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, h := range f.heads {
				if h.err == nil && h.tag("viewport") == nil {
					out = append(out, Finding{File: h.file.Path, Line: 1, Column: 1, URL: h.file.URL, Message: "there is no viewport in the head"})
				}
			}
			return out, true
		},
	},
	{
		ID: "pages/touch-icon-missing", Level: Warning, Title: "iPhones find an icon",
		Example: `a head without <link rel="apple-touch-icon">`, Safe: true,
		Why:  "An iPhone that finds no touch icon and no icon in the manifest puts a picture of the page on the home screen.",
		Mend: "run tachyform fit, or link a 180x180 PNG with rel=\"apple-touch-icon\"", Spec: "Safari's documentation of web apps on the home screen",
		run: func(f *facts) ([]Finding, bool) {
			if f.start.head == nil {
				return nil, false
			}
			t := f.start.tag("touch-icon")
			if t == nil {
				return []Finding{{File: f.start.file.Path, Line: 1, Column: 1, URL: f.start.file.URL, Message: "there is no touch icon in the head"}}, true
			}
			u := f.resolve(f.start, t.Value)
			if !strings.HasPrefix(u, "http") && f.inv.FileOf(u) == nil {
				line, column := markup.Position(f.start.src, t.Offset)
				return []Finding{{File: f.start.file.Path, Line: line, Column: column, URL: u, Message: u + " is not in the site"}}, true
			}
			return nil, true
		},
	},
	{
		ID: "pages/touch-icon-transparent", Level: Warning, Title: "The touch icon is opaque",
		Example: `a touch icon with an alpha channel`,
		Why:     "iPhones put black under the transparent parts of a touch icon.",
		Mend:    "put the art on a background", Spec: "Safari's documentation of web apps on the home screen",
		run: func(f *facts) ([]Finding, bool) {
			t := f.start.tag("touch-icon")
			if t == nil {
				return nil, false
			}
			file := f.inv.FileOf(f.resolve(f.start, t.Value))
			if file == nil || file.Size > 4<<20 {
				return nil, false
			}
			data, err := f.site.Read(file.Path)
			if err != nil {
				return nil, false
			}
			cfg, _, err := image.DecodeConfig(bytes.NewReader(data))
			if err != nil || cfg.Width > 2048 || cfg.Height > 2048 {
				return nil, false
			}
			img, _, err := raster.Decode(data)
			if err != nil {
				return nil, false
			}
			if o, ok := img.(interface{ Opaque() bool }); ok && !o.Opaque() {
				return []Finding{{File: file.Path, Line: 0, URL: file.URL, Message: "the touch icon has transparent parts"}}, true
			}
			return nil, true
		},
	},
}

// refusal is a file of the site whose bytes are not those that pages name.
type refusal struct {
	survey.Integrity
	is string // the digest that it has, as integrity metadata
}

// misfits gives what browsers refuse for its bytes, by address.
func misfits(s *site.Site, inv *survey.Inventory) map[string][]refusal {
	out := map[string][]refusal{}
	for _, x := range inv.Integrity {
		file := inv.FileOf(x.URL)
		if file == nil {
			continue
		}
		data, err := s.Read(file.Path)
		if err != nil || stage.Fits(func() []byte { return data }, x.Metadata) {
			continue
		}
		sum := sha512.Sum384(data)
		out[x.URL] = append(out[x.URL], refusal{x, "sha384-" + base64.StdEncoding.EncodeToString(sum[:])})
	}
	return out
}
