package fitting

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"unicode"
	"unicode/utf8"

	"github.com/bmatcuk/doublestar/v4"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// Draft writes a commented configuration for a site, filled from what the survey saw. siteDir is the folder as the
// configuration is to name it. A fit with it does what a fit without any would do, until something in it is changed; but it keeps what the routes of an
// application fetch. Of opts only Progress, Applications and Redirects count.
func Draft(ctx context.Context, s *site.Site, siteDir string, opts Options) ([]byte, error) {
	rec, err := recoverRecord(s)
	if err != nil {
		return nil, err
	}
	inv, err := survey.Take(ctx, s, survey.Options{Progress: opts.Progress})
	if err != nil {
		return nil, err
	}
	based := s.Base == "/" && inv.Sure
	if based {
		s.Rebase(inv.Hint)
		if inv, err = survey.Take(ctx, s, survey.Options{Progress: opts.Progress}); err != nil {
			return nil, err
		}
	}
	f := &fitter{site: s, cfg: &config.Config{}, opts: Options{Applications: opts.Applications, Served: opts.Served}, inv: inv, rec: rec, ours: map[string][]byte{}, kinds: map[string]string{}, sizes: map[string]int64{},
		plan: &Plan{Site: s, Same: map[string]int{}, record: rec}}
	f.plan.fitter = f
	if s.IsRendered() {
		f.plan.Rendered = &Rendered{}
	}
	for p := range rec.Files { // what an earlier fit wrote is not part of the site
		f.kinds[p] = "icon"
	}
	for _, p := range inv.Pages { // weighed without what fit inserted
		f.sizes[p.File.Path] = int64(p.Size)
	}
	if err := f.findApplications(ctx); err != nil {
		return nil, err
	}
	if f.shell, err = f.named("shell", f.cfg.Offline.Shell); err != nil {
		return nil, err
	}
	in := &inferrer{inv: inv, cfg: f.cfg, ours: func(p string) bool { r, known := rec.Files[p]; return known && r.Original == "" }}
	f.app = in.infer()
	if err := f.prepare(); err != nil {
		return nil, err
	}
	now, later, err := f.stow(ctx, "", "")
	if err != nil {
		return nil, err
	}
	d := &drafter{}
	from := map[string]string{}
	for _, i := range in.out {
		from[i.What] = i.From
	}
	d.line("# Tachyform: what \"tachyform fit\" does to this site. Everything here is optional; remove what you do not want to decide.")
	d.line("")
	if from := opts.From; from != nil {
		d.value("address", from.Address, "the running server, whose pages are fitted")
		d.value("public", siteDir, "the folder whose files it sends, relative to this file: manifest, icons and worker go there")
		d.value("public_path", from.PublicPath, from.Why)
	} else {
		d.value("site", siteDir, "the folder that is deployed, relative to this file")
	}
	if s.IsRendered() {
		d.line("# snapshot = \"snapshot\"  # keeps what the server sent, so that rehearse and audit need no server")
	} else if based {
		d.value("base", s.Base, "URL path it is served from: the start page refers to files there")
	} else {
		d.value("base", s.Base, "URL path it is served from")
	}
	d.line("")
	d.line("[app]")
	d.value("name", f.app.name, from["name"])
	d.value("short_name", f.app.shortName, from["short_name"])
	if f.app.description != "" {
		d.value("description", f.app.description, from["description"])
	}
	if f.app.lang != "" {
		d.value("lang", f.app.lang, from["lang"])
	}
	d.value("start_url", f.app.startURL, "what opens when a visitor taps the icon")
	d.value("display", f.app.display, "without the browser's frame")
	d.value("theme_color", f.app.theme, from["theme_color"])
	d.value("background_color", f.app.background, from["background_color"])
	if f.app.themeDark != "" && !s.IsRendered() {
		d.line("")
		d.line("[pages]")
		d.value("theme_color_dark", f.app.themeDark, from["theme_color_dark"])
	}
	d.line("")
	d.line("[icons]")
	if f.app.master != "" {
		d.value("master", f.app.master, from["master"])
	} else {
		d.line("# master = \"brand/mark.svg\"  # " + from["master"])
	}
	if s.IsRendered() {
		f.draftVisited(d)
	} else {
		f.draftStow(d, now, later)
	}
	f.draftRules(d)
	d.line("")
	d.line("[offline]")
	shell := ""
	if f.shell != "" {
		shell = f.url(f.inv.FileOf(f.shell).Path)
		d.value("shell", shell, f.routesOf.Known)
		if len(f.cfg.Offline.Routes) > 0 {
			d.list("routes", f.cfg.Offline.Routes, "answered by the shell at once; other addresses are asked of the server first")
		}
	}
	if file, ok := s.File("offline.html"); ok && rec.Files["offline.html"].SHA256 == "" {
		d.value("page", file.URL, "the site's own")
	} else if f.shell == "" || f.pagesBesides() {
		d.line("# page = \"/offline.html\"  # shown for pages that are not stored; fit writes one when none is named")
	}
	if p := signIns(opts.Redirects, s.Base); len(p) > 0 {
		d.list("except", p, "the server leads them to a sign-in: it is always asked")
	} else if p := personal(inv); len(p) > 0 {
		d.line("# except = " + quoteList(p) + "  # would keep the worker out of these pages altogether: the browser's own error page when there is no network")
	}
	if shell != "" || inv.Links.Clean > 0 {
		d.line("")
		d.line("[server]")
	}
	if inv.Links.Clean > 0 {
		d.line(fmt.Sprintf("clean = true  # links name pages without .html (%d do): rehearsals answer them, as the server has to", inv.Links.Clean))
	}
	if shell != "" {
		d.value("fallback", shell, "rehearsals answer with it when no file matches, as the server has to")
	}
	d.line("")
	d.line("[update]")
	d.value("takeover", "next-visit", "a new release waits until all pages of the old one are closed; or \"when-asked\", \"at-once\"")
	d.value("look_every", "4h", "how often a page that stays open looks for a new release; or \"never\"")
	return d.Bytes(), nil
}

// signIns gives globs for the addresses that the server leads to another origin, or to an address that looks like a sign-in.
func signIns(redirects []site.RedirectRule, base string) []string {
	var out []string
	for _, r := range redirects {
		if strings.Contains(r.To, "://") || survey.PersonalPath(strings.TrimPrefix(r.To, base)) {
			out = append(out, globEscape(r.From))
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// From is what a draft says of the server that makes a site's pages.
type From struct {
	Address    string
	PublicPath string
	Why        string // where the path comes from
}

// draftVisited writes what is kept of pages that a server makes.
func (f *fitter) draftVisited(d *drafter) {
	d.line("")
	d.line("[pages]")
	if f.app.themeDark != "" {
		d.value("theme_color_dark", f.app.themeDark, "the background of the start page where dark is preferred")
	}
	d.line("# layout = \"templates/base.html\"  # the template that all pages share: the tags go into it")
	d.line("")
	d.line("[worker]")
	d.value("url", f.site.Base+"sw.js", "where the server has to send the worker from, so that it may answer all pages")
	d.line("")
	d.line("[stow]")
	d.list("now", []string{globEscape(f.inv.StartFile.URL)}, "pages that are fetched at the first visit; others are kept as they are visited")
	if p := personal(f.inv); len(p) > 0 {
		d.list("never", p, "they look like pages that belong to one person")
	}
	d.value("ceiling", "3 MB", "what the first visit may cost")
	d.line("")
	d.line("[stow.visited]")
	d.line("entries = 50   # pages that are kept at most")
	d.line("age = \"30d\"    # how long a kept page may be shown")
	d.line("renew = \"1d\"   # after which the pages of now are fetched again")
	d.line("private = false  # true keeps what the server marks as private, too, as it is sent to somebody without cookies")
}

// draftStow writes the lists of what is stored, with what they weigh.
func (f *fitter) draftStow(d *drafter, now, later []site.File) {
	st := f.plan.Stowed
	d.line("")
	d.line("[stow]")
	switch {
	case len(later) == 0:
		d.list("now", []string{f.site.Base + "**"}, fmt.Sprintf("the whole site: %d files, %s", st.Now, size(st.NowBytes)))
	case len(st.Spared) > 0:
		names := []string{}
		for _, file := range st.Spared {
			names = append(names, file.Path)
		}
		d.line(fmt.Sprintf("# Without lists, the pages and what they ask for are stored now (%d files, %s), and what nothing in the site asks for", st.Now, size(st.NowBytes)))
		d.line(fmt.Sprintf("# when somebody does: %s (%s).", listed(names), size(st.LaterBytes)))
		d.line("# now = " + quoteList([]string{f.site.Base + "**"}))
	default: // names of files would not outlast the next build
		d.line(fmt.Sprintf("# Without lists, what the start page needs is stored now (%d files, %s), and everything else when a visitor first asks for it (%d files, %s).", st.Now, size(st.NowBytes), st.Later, size(st.LaterBytes)))
		urls := []string{}
		for _, file := range now {
			if u := globEscape(site.WithoutDigest(file.URL)); !slices.Contains(urls, u) {
				urls = append(urls, u)
			}
		}
		d.line("# now = " + quoteList(urls))
		d.line("# later = " + quoteList([]string{f.site.Base + "**"}))
		all := slices.Concat(now, later)
		d.line("# By folder: " + f.byFolder(all) + ".")
		if room := f.roomFor(all, st.Ceiling); room != "" {
			d.line("# Within the ceiling: " + room + ".")
		}
	}
	if p := personal(f.inv); len(p) > 0 {
		d.list("never", p, "they look like pages that belong to one person")
	}
	d.value("ceiling", "3 MB", "what the first visit may cost")
}

// draftRules writes a rule for each endpoint, with the reason for its answer.
func (f *fitter) draftRules(d *drafter) {
	seen := map[string]bool{}
	for _, g := range f.otherRoutes {
		d.line("")
		d.line("[[rule]]")
		d.value("match", globPattern(g), "routes of another application beside the start page")
		d.line("destination = [\"document\"]")
		d.value("answer", "network-only", "its document is not the shell; without a network the offline page is shown")
	}
	f.draftOutside(d)
	f.draftData(d, seen)
	ends := append([]survey.Endpoint{}, f.inv.Endpoints...)
	sort.SliceStable(ends, func(i, j int) bool { return ends[i].URL < ends[j].URL })
	for _, e := range ends {
		u, _, _ := strings.Cut(e.URL, "?")
		where := fmt.Sprintf("%s:%d", e.File, e.Line)
		if seen[e.Method+u] || strings.HasPrefix(u, "http") {
			continue
		}
		seen[e.Method+u] = true
		d.line("")
		if e.Method != "GET" {
			d.line(fmt.Sprintf("# %s %s (%s) sends something: it always goes to the network, and fails without one.", e.Method, u, where))
			continue
		}
		if survey.PersonalData(strings.TrimPrefix(u, f.site.Base)) && f.inv.FileOf(u) == nil || survey.PersonalPath(strings.TrimPrefix(u, f.site.Base)) || f.covered(u) {
			d.line(fmt.Sprintf("# GET %s (%s) looks like what belongs to one person: nothing of it is stored. A rule with never = \"ignore\" would.", u, where))
			continue
		}
		if f.inv.FileOf(u) == nil {
			d.line(fmt.Sprintf("# GET %s (%s) is an endpoint of the server: it fails without a network, unless you say what may be kept of it.", u, where))
			d.line("# [[rule]]")
			d.line("# match = " + quoteTOML(patternEscape(u)))
			d.line("# answer = \"network-first\"  # fresh where there is a network, else the last answer that was seen")
			continue
		}
		d.line("[[rule]]")
		d.value("match", patternEscape(site.WithoutDigest(u)), where+" fetches this file as data")
		d.value("answer", "network-first", "fresh where there is a network, else the last answer that was seen")
		d.value("patience", "3s", "how long to wait for the network before the stored answer is taken")
	}
}

// maxOutside is how many files of other origins a draft is written about.
const maxOutside = 12

// draftOutside writes of scripts and styles of other origins: a rule that makes them part of the offline promise where the page has their digest, and
// what it takes where it has not.
func (f *fitter) draftOutside(d *drafter) {
	for i, x := range f.inv.Outside {
		d.line("")
		if i == maxOutside {
			d.line(fmt.Sprintf("# Of %d more files of other origins the same can be said.", len(f.inv.Outside)-maxOutside))
			return
		}
		digest, _, _ := strings.Cut(strings.TrimSpace(x.Integrity), " ")
		where := fmt.Sprintf("%s:%d", x.File, x.Line)
		if config.IsIntegrity(digest) && x.CORS {
			d.line(fmt.Sprintf("# %s needs this of another origin. It is stored at the first visit, and is whole without a network; when it changes, say its new digest here, too.", where))
			d.line("[[rule]]")
			d.value("match", patternEscapeOther(x.URL), where+" names it")
			d.value("answer", "cache-first", "the digest says that it is the right one")
			d.value("integrity", digest, "as the page has it")
			continue
		}
		lacks := "an integrity and crossorigin in the page"
		switch {
		case config.IsIntegrity(digest):
			lacks = "crossorigin in the page"
		case x.CORS:
			lacks = "an integrity in the page"
		}
		d.line(fmt.Sprintf("# %s needs %s of another origin, and lacks it without a network. Better is a copy in the site. As part of the offline promise it takes", where, x.URL))
		d.line("# " + lacks + ", an origin that allows CORS, and this rule:")
		d.line("# [[rule]]")
		d.line("# match = " + quoteTOML(patternEscapeOther(x.URL)))
		d.line("# answer = \"cache-first\"")
		d.line("# integrity = " + quoteTOML(cmp.Or(digest, "sha384-…")))
	}
}

// patternEscapeOther writes the URL of another origin as a pattern that matches nothing else.
func patternEscapeOther(u string) string {
	scheme, rest, _ := strings.Cut(u, "://")
	host, path, _ := strings.Cut(rest, "/")
	return scheme + "://" + host + "/" + strings.ReplaceAll(patternEscape(path), "?", `\?`)
}

// draftData writes a rule for what each route of the application asked for when it ran. seen has what is written about.
func (f *fitter) draftData(d *drafter, seen map[string]bool) {
	if f.routesOf == nil {
		return
	}
	for _, r := range f.routesOf.Asking() {
		for _, x := range r.Data {
			u, _, _ := strings.Cut(x.URL, "?")
			seen[x.Method+u] = true
			form := survey.Pattern(u)
			if seen["form "+x.Method+form] {
				continue
			}
			seen["form "+x.Method+form] = true
			d.line("")
			switch {
			case x.Method != "GET":
				d.line(fmt.Sprintf("# %s %s (asked for by %s) sends something: it always goes to the network, and fails without one.", x.Method, form, r.Pattern))
			case survey.PersonalData(strings.TrimPrefix(u, f.site.Base)) || survey.PersonalPath(strings.TrimPrefix(r.Address, f.site.Base)):
				d.line(fmt.Sprintf("# GET %s (asked for by %s) looks like what belongs to one person: nothing of it is stored. A rule with never = \"ignore\" would.", form, r.Pattern))
			default:
				d.line("# If the answer differs from visitor to visitor, take this rule out: what it keeps is there for whoever uses the device next.")
				d.line("[[rule]]")
				why := "asked for by the route " + r.Pattern + " when it ran"
				if strings.Contains(u, "://") {
					why += "; another origin's"
				}
				d.value("match", patternOf(form), why)
				d.value("answer", "network-first", "fresh where there is a network, else the last answer that was seen")
				d.value("patience", "3s", "how long to wait for the network before the stored answer is taken")
				d.line("keep = { entries = 50, age = \"7d\" }  # what a visitor saw stays a week")
			}
		}
		for _, form := range r.ImageForms() {
			if !seen["images "+form] {
				seen["images "+form] = true
				f.draftImages(d, form, r.Pattern)
			}
		}
	}
}

// draftImages writes a rule for pictures of one form that a route shows and no file of the site is.
func (f *fitter) draftImages(d *drafter, form, route string) {
	d.line("")
	if rest := strings.TrimPrefix(form, f.site.Base); survey.PersonalData(rest) || survey.PersonalPath(rest) {
		d.line(fmt.Sprintf("# %s (pictures that %s shows) looks like what belongs to one person: nothing of it is stored. A rule with never = \"ignore\" would.", form, route))
		return
	}
	if strings.Contains(form, "://") {
		d.line("# Another origin's: what is kept can be looked into only when the pictures have crossorigin and the origin allows it. With opaque = true")
		d.line("# the others are kept, too; nobody can tell an error among them, and browsers count megabytes for each.")
	}
	d.line("[[rule]]")
	d.value("match", patternOf(strings.TrimSuffix(form, "*"))+"*", "pictures that the route "+route+" showed when it ran")
	d.line("destination = [\"image\"]")
	d.value("answer", "stale-while-revalidate", "the stored picture at once, and a fresh one for the next time")
	d.line("keep = { entries = 60, age = \"30d\" }  # of the pictures that a visitor saw")
}

// patternOf writes a form of addresses as a URL pattern, in which every name has to be another.
func patternOf(form string) string {
	scheme, rest, other := strings.Cut(form, "://")
	if !other {
		scheme, rest = "", form
	} else {
		scheme += "://"
	}
	segments := strings.Split(rest, "/")
	ids := 0
	for i, x := range segments {
		if x != ":id" {
			segments[i] = patternEscape(x)
		} else if ids++; ids > 1 {
			segments[i] = fmt.Sprintf(":id%d", ids)
		}
	}
	return scheme + strings.Join(segments, "/")
}

// globPattern writes a glob of ours as a URL pattern.
func globPattern(glob string) string {
	marked := strings.NewReplacer(`\*`, "\x00", `\?`, "?", `\[`, "[", `\{`, "{", "**", "\x01", "*", "\x01").Replace(glob)
	return strings.NewReplacer("\x00", `\*`, "\x01", "*").Replace(patternEscape(marked))
}

// covered says whether a page that looks personal lies at an address, or above it.
func (f *fitter) covered(u string) bool {
	for _, g := range personal(f.inv) {
		if ok, _ := doublestar.Match(g, u); ok {
			return true
		}
	}
	return false
}

// personal gives globs for the pages that look personal: their folder for index pages.
func personal(inv *survey.Inventory) []string {
	var out []string
	for _, p := range inv.Pages {
		if p.Personal == "" {
			continue
		}
		g := globEscape(p.File.URL)
		if site.IsIndex(path.Base(p.File.Path)) && p.File.URL != inv.Site.Base {
			g += "**"
		}
		out = append(out, g)
	}
	return out
}

func globEscape(u string) string {
	return strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, "{", `\{`).Replace(u)
}

func patternEscape(u string) string {
	return strings.NewReplacer("*", `\*`, ":", `\:`, "+", `\+`, "(", `\(`, "{", `\{`).Replace(u)
}

// drafter writes TOML with remarks.
type drafter struct{ bytes.Buffer }

// line writes a line. What a name or an address has that ends lines, obeys, or turns the direction of writing stands in a remark as a mark; values
// have their own escapes for it.
func (d *drafter) line(s string) {
	d.WriteString(strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.Is(unicode.Bidi_Control, r) {
			return utf8.RuneError
		}
		return r
	}, strings.ToValidUTF8(s, "\ufffd")) + "\n")
}

// quoteTOML writes a TOML basic string; those of JSON are among them.
func quoteTOML(s string) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(s) // a string
	return strings.TrimRight(b.String(), "\n")
}

func quoteList(list []string) string {
	q := make([]string, len(list))
	for i, s := range list {
		q[i] = quoteTOML(s)
	}
	return "[" + strings.Join(q, ", ") + "]"
}

func (d *drafter) value(key, value, why string) { d.remark(key+" = "+quoteTOML(value), why) }

func (d *drafter) list(key string, list []string, why string) {
	if len(list) <= 4 {
		d.remark(key+" = "+quoteList(list), why)
		return
	}
	d.remark(key+" = [", why)
	for _, s := range list {
		d.line("  " + quoteTOML(s) + ",")
	}
	d.line("]")
}

func (d *drafter) remark(text, why string) {
	if why != "" {
		text += "  # " + strings.Join(strings.Fields(why), " ")
	}
	d.line(text)
}

// SiteFor gives a site's folder as a configuration file in another folder names it.
func SiteFor(siteDir, configFile string) (string, error) {
	abs, err := filepath.Abs(siteDir)
	if err != nil {
		return "", err
	}
	dir, err := filepath.Abs(filepath.Dir(configFile))
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(dir, abs)
	return filepath.ToSlash(rel), err
}
