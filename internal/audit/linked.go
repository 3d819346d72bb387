package audit

import (
	"cmp"
	"fmt"
	"net"
	"net/url"
	"strings"

	"golang.org/x/net/publicsuffix"

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

// draw looks at an icon as browsers get it.
func (f *facts) draw(i *iconFact, src string) {
	if _, data, inline := site.DataURL(src); inline {
		i.file, i.data = &site.File{Path: brief(src), URL: src, Size: int64(len(data))}, data
	} else if u, own := strings.CutPrefix(src, f.origin()); own {
		f.drawOwn(i, u)
	} else {
		i.outer = true
		f.drawOuter(i, src)
	}
	if i.data != nil {
		i.width, i.height, i.kind, _ = icon.Size(i.data)
	}
}

// drawOuter looks at an icon of another origin, when the configuration says what that answers (Fetch Standard, "cross-origin resource policy
// check" and "main fetch" for mixed content; Chromium asks for icons without CORS).
func (f *facts) drawOuter(i *iconFact, src string) {
	origin, path := originOf(src)
	if strings.HasPrefix(f.origin(), "https:") && strings.HasPrefix(origin, "http:") && !loopback(origin) {
		i.asked = "is on another origin and without TLS: browsers ask for it by https instead, which is not tried here"
		origin = "https" + strings.TrimPrefix(origin, "http")
	}
	server := f.others[origin]
	if server == nil {
		i.asked = cmp.Or(i.asked, "is on another origin, which is not asked")
		return
	}
	i.asked = ""
	p, query, _ := strings.Cut(path, "?")
	a := server.Ask("GET", p, query)
	switch policy := strings.TrimSpace(a.Header.Get("Cross-Origin-Resource-Policy")); {
	case a.Status/100 == 3:
		i.asked = "leads elsewhere, which is not asked"
	case a.Status != 200:
		i.why = fmt.Sprintf("is answered with status %d there; browsers take icons from answers with 200 only", a.Status)
	case policy == "same-origin" || policy == "same-site" && !sameSite(f.origin(), origin):
		i.why = "is kept from other origins by the header Cross-Origin-Resource-Policy: " + policy
	case policy == "" && strings.EqualFold(strings.TrimSpace(f.header(f.start.file.URL, "Cross-Origin-Embedder-Policy")), "require-corp"):
		i.why = "comes without Cross-Origin-Resource-Policy, which the page's Cross-Origin-Embedder-Policy asks for"
	default:
		i.file, i.data = &site.File{Path: src, URL: src, Size: int64(len(a.Body))}, a.Body
	}
}

// loopback says whether an origin is this machine, which browsers trust without TLS.
func loopback(origin string) bool {
	u, err := url.Parse(origin)
	if err != nil {
		return false
	}
	ip := net.ParseIP(u.Hostname())
	return u.Hostname() == "localhost" || strings.HasSuffix(u.Hostname(), ".localhost") || ip != nil && ip.IsLoopback()
}

// sameSite says whether two origins have the same scheme and registrable domain (HTML Standard, "same site").
func sameSite(a, b string) bool {
	u, err := url.Parse(a)
	v, e := url.Parse(b)
	if err != nil || e != nil || u.Scheme != v.Scheme {
		return false
	}
	if u.Hostname() == v.Hostname() {
		return true
	}
	one, err := publicsuffix.EffectiveTLDPlusOne(u.Hostname())
	two, e := publicsuffix.EffectiveTLDPlusOne(v.Hostname())
	return err == nil && e == nil && one == two
}

// drawOwn looks at an icon of the site: redirects on the origin are followed.
func (f *facts) drawOwn(i *iconFact, u string) {
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
				i.asked = "leads to " + a.Header.Get("Location") + ", which is not asked"
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
}

// missing says what is the matter with an icon that cannot be had.
func (i *iconFact) missing(f *facts) Finding {
	return i.finding(f, brief(strings.TrimPrefix(i.image.Src, f.origin()))+" "+cmp.Or(i.why, "is not in the site"))
}
