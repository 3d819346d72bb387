package audit

import (
	"cmp"
	"fmt"
	"strings"

	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// linksManifest finds the manifest that the start page links, as it is written or, when that is said, as its scripts leave it, and reads it.
func (f *facts) linksManifest(linked string) error {
	t := f.start.tag("manifest")
	if t != nil {
		f.link = t
		line, column := markup.Position(f.start.src, t.Offset)
		f.linkPlace = [2]int{line, column}
		f.linkURL = f.linkOf(f.start, t.Value)
	}
	if linked != "" && linked != f.linkURL {
		f.byScript, f.linkURL = true, linked
		if f.link = t; t == nil {
			f.link, f.linkPlace = &pagehead.Tag{Kind: "manifest", Value: linked}, [2]int{1, 1}
		}
	}
	var data []byte
	address := f.linkURL
	origin, path := originOf(f.linkURL)
	switch kind, body, inline := site.DataURL(f.linkURL); {
	case f.linkURL == "":
		return nil
	case inline:
		f.file, data = &site.File{Path: f.start.file.Path + inItsAddress}, manifest.FromHeader(body, kind)
	case origin != "" && f.others[origin] == nil:
		f.elsewhere = true
		return nil
	case origin != "":
		a := f.others[origin].Answer("GET", withoutQuery(path))
		if a.Status/100 != 2 {
			return nil
		}
		f.file, data = &site.File{Path: f.linkURL, URL: f.linkURL}, manifest.FromHeader(a.Body, a.Header.Get("Content-Type"))
	default:
		if f.file = f.inv.FileOf(f.linkURL); f.file == nil {
			if data = f.answered(f.linkURL); data == nil { // what only scripts name was not read
				return nil
			}
			f.file = &site.File{Path: f.linkURL, URL: f.linkURL, Size: int64(len(data))}
			address = f.origin() + f.linkURL
			break
		}
		body, err := f.site.Read(f.file.Path)
		if err != nil {
			return err
		}
		address, data = f.origin()+f.file.URL, manifest.FromHeader(body, f.header(f.file.URL, "Content-Type"))
	}
	var err error
	f.manifest, err = manifest.Process(data, f.file.Path, address, f.origin()+f.start.file.URL)
	return err
}

// inItsAddress marks the path of a page whose manifest stands in the link's address.
const inItsAddress = " (the manifest in its link)"

// place moves a finding about a manifest that stands in its own address to the link.
func (f *facts) place(x *Finding) {
	if page, ok := strings.CutSuffix(x.File, inItsAddress); ok {
		x.File, x.Line, x.Column = page, f.linkPlace[0], f.linkPlace[1]
	}
}

// linkOf gives the address of a manifest that a page links.
func (f *facts) linkOf(h pageHead, value string) string {
	if v := strings.TrimSpace(value); len(v) > 5 && strings.EqualFold(v[:5], "data:") {
		return v
	}
	return f.resolve(h, value)
}

// originOf splits an absolute address; the origin of a root-relative one, and of one that has none, is "".
func originOf(address string) (origin, rest string) {
	scheme, after, ok := strings.Cut(address, "://")
	if !ok || strings.HasPrefix(address, "/") || strings.HasPrefix(address, "data:") {
		return "", address
	}
	host, path, _ := strings.Cut(after, "/")
	return scheme + "://" + host, "/" + path
}

// brief shortens an address that holds a whole file.
func brief(u string) string {
	if len(u) > 60 && strings.HasPrefix(u, "data:") {
		return u[:40] + "…"
	}
	return u
}

// maxLed is how many redirects a browser follows for an icon.
const maxLed = 20

// draw looks at an icon of the site as browsers get it: redirects on the origin are followed.
func (f *facts) draw(i *iconFact, u string) {
	if i.file = f.inv.FileOf(u); i.file != nil && i.file.Status != 0 { // an icon is taken from an answer with 200 only
		i.why = fmt.Sprintf("is answered with status %d; browsers take icons from answers with 200 only", i.file.Status)
		i.file = nil
		return
	}
	if i.file != nil {
		i.data, _ = f.site.Read(i.file.Path)
	} else {
		at, a := u, site.Answer{}
		for range maxLed {
			path, query, _ := strings.Cut(at, "?")
			a = f.server.Ask("GET", path, query)
			if a.Status/100 != 3 {
				break
			}
			to, ok := survey.ResolveOn(f.site.Origin, at, a.Header.Get("Location"))
			if !ok || !strings.HasPrefix(to, "/") {
				i.why = "leads to " + a.Header.Get("Location") + ", which is not asked"
				return
			}
			at = to
		}
		if a.Status/100 == 3 {
			i.why = "leads elsewhere without end"
		} else if a.Status != 200 && a.Status != 404 {
			i.why = fmt.Sprintf("is answered with status %d; browsers take icons from answers with 200 only", a.Status)
		}
		file := f.inv.FileOf(at)
		switch {
		case a.Status != 200:
			return
		case file != nil && at != u:
			i.file = file
		case f.site.IsLive(): // no page refers to it, so it was not read
			i.file = &site.File{Path: u, URL: u, Size: int64(len(a.Body))}
		default:
			return
		}
		i.data = a.Body
	}
	i.width, i.height, i.kind, _ = icon.Size(i.data)
}

// missing says what is the matter with an icon that cannot be had.
func (i *iconFact) missing(f *facts) Finding {
	return i.finding(f, strings.TrimPrefix(i.image.Src, f.origin())+" "+cmp.Or(i.why, "is not in the site"))
}
