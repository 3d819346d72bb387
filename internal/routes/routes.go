// Package routes finds the addresses that applications answer by their own scripts, by running them.
package routes

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
	"maps"
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

const (
	maxOpened = 60 // pages that are run for one application
	maxAlike  = 3  // of them, with addresses of one form
	maxShells = 6  // documents that are tried
	maxLooked = 60 // starts of folders that are looked into for one
)

// nowhere is what no application answers.
const nowhere = "tachyform-no-such-page"

// Options of a search.
type Options struct {
	Fallback string // what the configuration says answers when no file matches, root-relative; "" when it says nothing
	Limits   stage.Limits
	Progress func(done, total int)
}

// Found is what a search comes to.
type Found struct {
	Applications []survey.Application
	Remarks      []string // why something could not be found out
}

// Find runs the documents of a site that may be applications, and the links that they draw and no file answers. Workers are refused. Each document is
// tried as what the server answers to navigations for which it has no file; data that it does not have is missing.
func Find(ctx context.Context, server *site.Server, others map[string]*site.Server, inv *survey.Inventory, o Options) (*Found, error) {
	f := &Found{}
	for _, c := range candidates(server, inv, o.Fallback) {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s := &search{ctx: ctx, candidate: c, inv: inv, others: others, o: o, seen: map[string]bool{}, forms: map[string]int{}, routes: map[string]*survey.Route{}, dead: map[string]bool{}}
		s.plain = site.NewServer(server.Site, server.Rules)
		s.plain.Rules.Fallback, s.plain.Beyond = "", server.Beyond
		s.server = site.NewServer(server.Site, server.Rules)
		s.server.Rules.Fallback, s.server.Beyond = "", s.beyond
		a, remark, err := s.run()
		if err != nil {
			return nil, err
		}
		if a != nil {
			a.Below, a.Main = c.below, c.known != "" && c.below == "" || c.shell == inv.StartFile.URL
			f.Applications = append(f.Applications, *a)
		}
		if remark != "" {
			f.Remarks = append(f.Remarks, remark)
		}
	}
	f.share()
	return f, nil
}

// share takes out of what an application links and does not answer what another one of the site answers.
func (f *Found) share() {
	for i := range f.Applications {
		f.Applications[i].Dead = slices.DeleteFunc(f.Applications[i].Dead, func(u string) bool {
			return slices.ContainsFunc(f.Applications, func(a survey.Application) bool {
				return a.Below != "" && strings.HasPrefix(u, a.Below) || slices.ContainsFunc(a.Routes, func(r survey.Route) bool { return r.Address == u || r.Pattern == survey.Pattern(u) })
			})
		})
	}
}

// candidate is a document that may be an application.
type candidate struct {
	shell string // its URL
	known string // by what it is known already, "" when only running it tells
	below string // the folder for which the host answers with it, when that is not everything
}

// router is what scripts have that answer addresses by themselves.
var router = regexp.MustCompile(`\b(pushState|replaceState|popstate|hashchange)\b|\blocation\.(pathname|hash)\b|\bnavigation\.(addEventListener|navigate)\b`)

// candidates gives the documents that are worth running, the best first.
func candidates(server *site.Server, inv *survey.Inventory, fallback string) []candidate {
	var out []candidate
	add := func(u, known string) {
		if f := inv.FileOf(u); f != nil && f.IsPage() && !slices.ContainsFunc(out, func(c candidate) bool { return c.shell == f.URL }) {
			out = append(out, candidate{shell: f.URL, known: known})
		}
	}
	if fallback != "" {
		add(fallback, "the configuration answers with it when no file matches")
	}
	for _, h := range hints(server.Site, inv) {
		if add(h.shell, h.known); len(out) > 0 && out[len(out)-1].shell == h.shell {
			out[len(out)-1].below = h.below
		}
	}
	slices.SortStableFunc(out, func(a, b candidate) int { return cmp.Compare(len(a.below), len(b.below)) }) // who answers everything comes first
	read := map[string]bool{}
	for _, u := range append([]string{inv.StartFile.URL}, otherStarts(server.Site, inv)...) {
		if len(out) < maxShells && (u != inv.StartFile.URL || open(server, inv)) && routed(server.Site, inv, u, read) {
			add(u, "")
		}
	}
	return out
}

// open says whether the start page may have routes: it has next to no text without scripts, or links that no file answers.
func open(server *site.Server, inv *survey.Inventory) bool {
	data, err := server.Site.Read(inv.StartFile.Path)
	if err != nil || sparse(data) {
		return err == nil
	}
	plain := site.NewServer(server.Site, server.Rules)
	plain.Rules.Fallback = ""
	return slices.ContainsFunc(linkedIn(data, inv.StartFile.URL), func(u string) bool {
		u, fragment, _ := strings.Cut(u, "#")
		if strings.HasPrefix(strings.TrimPrefix(fragment, "!"), "/") {
			return true
		}
		p, _, _ := strings.Cut(u, "?")
		return strings.HasPrefix(p, folder(inv.StartFile.URL)) && path.Ext(p) == "" && unanswered(plain, inv.StartFile.URL, p)
	})
}

// unanswered says whether the server has nothing of its own for an address: it answers 404, or a live one answers as it does for any address.
func unanswered(server *site.Server, shell, p string) bool {
	a := server.Answer("GET", p)
	if a.Status == 404 || !server.Site.IsLive() {
		return a.Status == 404
	}
	if _, read := server.Site.File(p); read && p != shell {
		data, err := server.Site.Read(p)
		if err != nil {
			return false
		}
		a.Body = data
	}
	lost := server.Answer("GET", folder(shell)+nowhere)
	return a.Status == 200 && lost.Status == 200 && bytes.Equal(a.Body, lost.Body)
}

// linkedIn gives where the links in the markup of a page lead.
func linkedIn(data []byte, address string) []string {
	var out []string
	page := markup.ReadPage(data)
	for _, r := range page.Refs {
		if u, ok := survey.Resolve(survey.BaseOf("", address, page.Base.Value), r.URL); ok && r.Use == markup.UseLink {
			if i := strings.IndexByte(r.URL, '#'); i >= 0 {
				u += r.URL[i:]
			}
			out = append(out, u)
		}
	}
	return out
}

// otherStarts gives the pages other than the start page that may be applications: they stand at a folder's start, or beside the start page, and have
// next to no text without scripts.
func otherStarts(s *site.Site, inv *survey.Inventory) []string {
	var starts []survey.Page
	for _, p := range inv.Pages {
		if (strings.HasSuffix(p.File.URL, "/") || folder(p.File.URL) == folder(inv.StartFile.URL)) && p.File.URL != inv.StartFile.URL && p.Size <= 16<<10 {
			starts = append(starts, p)
		}
	}
	slices.SortStableFunc(starts, func(a, b survey.Page) int { // folders first
		named := func(p survey.Page) int { return btoi(!strings.HasSuffix(p.File.URL, "/")) }
		return cmp.Or(cmp.Compare(named(a), named(b)), cmp.Compare(strings.Count(a.File.URL, "/"), strings.Count(b.File.URL, "/")))
	})
	var out []string
	for _, p := range starts[:min(maxLooked, len(starts))] {
		if data, err := s.Read(p.File.Path); err == nil && sparse(data) && len(out) < maxShells {
			out = append(out, p.File.URL)
		}
	}
	return out
}

func btoi(b bool) int {
	if b {
		return 1
	}
	return 0
}

// sparseWords is up to how many words a page counts as one that its scripts draw.
const sparseWords = 25

// sparse says whether a page has next to no text of its own.
func sparse(page []byte) bool {
	z := html.NewTokenizer(bytes.NewReader(page))
	words, inside := 0, ""
	for words <= sparseWords {
		switch z.Next() {
		case html.ErrorToken:
			return true
		case html.StartTagToken:
			name, _ := z.TagName()
			switch string(name) {
			case "script", "style", "title", "noscript", "template", "svg":
				inside = string(name)
			}
		case html.EndTagToken:
			if name, _ := z.TagName(); string(name) == inside {
				inside = ""
			}
		case html.TextToken:
			if inside == "" {
				words += len(bytes.Fields(z.Text()))
			}
		}
	}
	return false
}

// routed says whether a page or what it needs has a script that answers addresses. known has what was read before.
func routed(s *site.Site, inv *survey.Inventory, page string, known map[string]bool) bool {
	for u := range inv.Closure(page) {
		f := inv.FileOf(u)
		if f == nil || f.Kind() != "script" && u != page {
			continue
		}
		is, read := known[f.Path]
		if !read {
			data, err := s.Read(f.Path)
			is = err == nil && router.Match(data)
			known[f.Path] = is
		}
		if is {
			return true
		}
	}
	return false
}

// search is the search for the routes of one document.
type search struct {
	candidate
	ctx           context.Context
	inv           *survey.Inventory
	plain, server *site.Server // without and with the document for what has no file
	others        map[string]*site.Server
	o             Options

	b      *stage.Browser
	tab    *stage.Tab
	at     string // the address that is being opened
	opened int
	more   bool
	queue  []string
	seen   map[string]bool // addresses that were met
	forms  map[string]int  // how many addresses of a form were opened
	routes map[string]*survey.Route
	dead   map[string]bool
	own    []survey.Data // what the document asked for at its own address
	shown  []string      // pictures that it asked for there
	hash   bool
}

// run opens the document, what it links, and so on.
func (s *search) run() (*survey.Application, string, error) {
	s.b = stage.New(s.server, s.others, s.o.Limits)
	defer s.b.Close()
	s.b.RunScripts(true)
	s.b.RefuseWorkers()
	s.tab = s.b.NewTab()
	home, err := s.open(s.shell)
	if err != nil {
		return nil, "", err
	}
	if x, lacks := needs(home); lacks {
		at := x.File
		if x.Line > 0 {
			at = fmt.Sprintf("%s:%d", x.File, x.Line)
		}
		return nil, fmt.Sprintf("%s: what its scripts answer is not known: they need %s, which the stage lacks (%s)", s.shell, x.Needs, at), nil
	}
	s.links(home)
	s.own = append([]survey.Data{}, dataOf(home, s.inv)...)
	slices.SortFunc(s.own, compareData)
	s.shown = imagesOf(home, s.inv, nil)
	if start := s.inv.StartFile.URL; s.known != "" && s.below == "" && start != s.shell && folder(start) == folder(s.shell) { // a page for what has no file draws little at its own address
		l, err := s.open(start)
		if err != nil {
			return nil, "", err
		}
		s.links(l)
	}
	if len(s.queue) == 0 && s.known == "" {
		return nil, "", nil
	}
	lost, err := s.open(folder(s.shell) + nowhere)
	if err != nil {
		return nil, "", err
	}
	for len(s.queue) > 0 {
		if err := s.ctx.Err(); err != nil {
			return nil, "", err
		}
		u := s.queue[0]
		s.queue = s.queue[1:]
		if err := s.try(u, home, lost); err != nil {
			return nil, "", err
		}
	}
	if len(s.routes) == 0 && s.known == "" {
		return nil, "", nil
	}
	return s.result(), "", nil
}

// open opens an address and counts it.
func (s *search) open(u string) (*stage.Load, error) {
	if s.opened++; s.o.Progress != nil {
		s.o.Progress(s.opened, max(maxOpened, s.opened))
	}
	s.at, _, _ = strings.Cut(u, "#")
	return s.tab.Open(u)
}

// beyond answers a navigation for which there is no file.
func (s *search) beyond(urlPath, query string) (site.Answer, bool) {
	if urlPath == s.at {
		return s.plain.Answer("GET", s.shell), true
	}
	if s.plain.Beyond != nil {
		return s.plain.Beyond(urlPath, query)
	}
	return site.Answer{}, false
}

// needs gives the first exception that the stage's own gaps caused.
func needs(l *stage.Load) (stage.PageError, bool) {
	for _, x := range l.Errors {
		if x.Needs != "" {
			return x, true
		}
	}
	return stage.PageError{}, false
}

// links queues what the open page links and only an application can answer.
func (s *search) links(l *stage.Load) {
	for _, u := range s.linked(l) {
		address, fragment, _ := strings.Cut(u, "#")
		if strings.HasPrefix(fragment, "/") || strings.HasPrefix(fragment, "!/") {
			if a, _, _ := strings.Cut(s.shell, "#"); address == a && !s.seen[u] {
				s.seen[u] = true
				s.queue = append(s.queue, u)
			}
			continue
		}
		p, _, _ := strings.Cut(address, "?")
		if !strings.HasPrefix(p, folder(s.shell)) || s.seen[p] || path.Ext(p) != "" || !unanswered(s.plain, s.shell, p) {
			continue
		}
		s.seen[p] = true
		s.queue = append(s.queue, p)
	}
}

// linked gives where the links of the open page lead; those of a page without scripts are read.
func (s *search) linked(l *stage.Load) []string {
	var out []string
	for _, link := range s.tab.Links() {
		out = append(out, s.b.Relative(link))
	}
	if len(out) > 0 {
		return out
	}
	p, _, _ := strings.Cut(l.URL, "?")
	return linkedIn(s.server.Answer("GET", p).Body, p)
}

// try opens an address and notes whether the application answers it.
func (s *search) try(u string, home, lost *stage.Load) error {
	form := survey.Pattern(u)
	if r := s.routes[form]; r != nil && s.forms[form] >= maxAlike {
		r.Seen++
		return nil
	}
	if s.opened >= maxOpened {
		s.more = true
		return nil
	}
	s.forms[form]++
	l, err := s.open(u)
	if err != nil {
		return err
	}
	hash := strings.Contains(u, "#")
	other := lost
	if hash {
		other = home
	}
	asks := dataOf(l, s.inv)
	if (l.Text == "" || same(l, other, u)) && !slices.ContainsFunc(asks, func(d survey.Data) bool { return !slices.Contains(dataOf(other, s.inv), d) }) {
		if !hash {
			s.dead[u] = true
		}
		return nil
	}
	s.hash = s.hash || hash
	r := s.routes[form]
	if r == nil {
		r = &survey.Route{Pattern: form, Address: u, Title: l.Title, Data: []survey.Data{}}
		s.routes[form] = r
	}
	r.Seen++
	for _, d := range asks {
		if !slices.Contains(r.Data, d) {
			r.Data = append(r.Data, d)
		}
	}
	r.Images = imagesOf(l, s.inv, r.Images)
	s.links(l)
	return nil
}

// maxImages is how many pictures of one route are noted.
const maxImages = 200

// imagesOf adds the pictures of a page that no file of the site is, as data names them: they were answered, or are another
// origin's, or the page asked for data that was answered, and nobody knows here what the server has besides.
func imagesOf(l *stage.Load, inv *survey.Inventory, to []string) []string {
	informed := slices.ContainsFunc(l.Requests, func(q stage.PageRequest) bool {
		return q.Use == markup.UseFetch && q.Result == "answered" && q.Status < 400
	})
	for _, q := range l.Requests {
		u := q.URL
		if q.Use != markup.UseImage || len(to) >= maxImages || slices.Contains(to, u) || inv.FileOf(u) != nil {
			continue
		}
		if strings.Contains(u, "://") || informed || q.Result == "answered" && q.Status < 400 {
			to = append(to, u)
		}
	}
	slices.Sort(to)
	return to
}

// dataOf gives the requests of a page for data that no file answers, each once.
func dataOf(l *stage.Load, inv *survey.Inventory) []survey.Data {
	var out []survey.Data
	for _, q := range l.Requests {
		d := survey.Data{Method: q.Method, URL: q.URL}
		if q.Use == markup.UseFetch && inv.FileOf(q.URL) == nil && !slices.Contains(out, d) {
			out = append(out, d)
		}
	}
	return out
}

// result sums up what was found.
func (s *search) result() *survey.Application {
	a := &survey.Application{Shell: s.shell, Known: s.known, Hash: s.hash, Routes: []survey.Route{}, Dead: append([]string{}, slices.Sorted(maps.Keys(s.dead))...), Bounded: s.more, Data: s.own, Images: s.shown}
	if len(s.routes) > 0 {
		a.Known = fmt.Sprintf("its scripts draw links that no file answers, such as %s, and answer them", first(s.routes))
		if s.hash {
			a.Known = fmt.Sprintf("its scripts answer what stands behind the # of links, such as %s", first(s.routes))
		}
	}
	for _, r := range folded(s.routes) {
		slices.SortFunc(r.Data, compareData)
		a.Routes = append(a.Routes, r)
	}
	return a
}

func compareData(a, b survey.Data) int {
	return strings.Compare(a.URL+" "+a.Method, b.URL+" "+b.Method)
}

func first(routes map[string]*survey.Route) string {
	return routes[slices.Min(slices.Collect(maps.Keys(routes)))].Address
}

// maxSiblings is how many routes below one address are listed before they count as of one form.
const maxSiblings = 8

// folded gives the routes by their patterns; very many that differ in their last segment only become one.
func folded(routes map[string]*survey.Route) []survey.Route {
	below := map[string]int{}
	for p := range routes {
		below[folder(p)]++
	}
	out := map[string]*survey.Route{}
	for _, p := range slices.Sorted(maps.Keys(routes)) {
		r := *routes[p]
		if dir := folder(p); below[dir] > maxSiblings && strings.Count(dir, "/") > 1 {
			r.Pattern = dir + ":name"
		}
		if o := out[r.Pattern]; o != nil {
			o.Seen += r.Seen
			for _, u := range r.Images {
				if len(o.Images) < maxImages && !slices.Contains(o.Images, u) {
					o.Images = append(o.Images, u)
				}
			}
			slices.Sort(o.Images)
			for _, d := range r.Data {
				if !slices.Contains(o.Data, d) {
					o.Data = append(o.Data, d)
				}
			}
			continue
		}
		out[r.Pattern] = &r
	}
	var list []survey.Route
	for _, p := range slices.Sorted(maps.Keys(out)) {
		list = append(list, *out[p])
	}
	return list
}

func folder(u string) string { return u[:strings.LastIndexByte(u, '/')+1] }

var digits = regexp.MustCompile(`[0-9]+`)

// same says whether two addresses show the same, but for numbers and for the words of the addresses themselves, which a page may repeat.
func same(a, b *stage.Load, address string) bool {
	if (a.Text == "") != (b.Text == "") {
		return false
	}
	own := map[string]bool{nowhere: true}
	if p, err := url.PathUnescape(address); err == nil {
		for _, s := range strings.FieldsFunc(p, func(r rune) bool { return r == '/' || r == '#' }) {
			own[strings.ToLower(s)] = true
		}
	}
	words := func(l *stage.Load) map[string]bool {
		out := map[string]bool{}
		for _, w := range strings.Fields(strings.ToLower(l.Title + " " + l.Text)) {
			if !own[strings.Trim(w, `/"'.,:;!?()`+"`\u201c\u201d")] && !strings.Contains(w, nowhere) && !strings.Contains(w, strings.ToLower(address)) {
				out[digits.ReplaceAllString(w, "0")] = true
			}
		}
		return out
	}
	return maps.Equal(words(a), words(b))
}
