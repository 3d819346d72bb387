// Package survey takes a read-only inventory of a site: its pages, what each needs, what scripts say.
package survey

import (
	"bytes"
	"context"
	"crypto/sha256"
	"fmt"
	"path"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"
	"unicode/utf8"

	"github.com/cespare/xxhash/v2"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
)

// Page is what the inventory keeps of a page.
type Page struct {
	File     site.File
	Title    string
	Lang     string
	Needs    []Need
	Personal string // why the page looks personal, "" when it does not
	Size     int
	CSP      []string // Content-Security-Policy of meta elements
	Manifest string   // URL of the manifest that it links, "" for none
	Fitted   bool     // it holds what fit inserts

	Edit *Edit // set when [Options.Edits] asks for it

	shape   uint64     // a hash of the needs
	imports *importMap // nil for a page without
}

// Edit is what an editor of the page's head has to know, without the page's bytes.
type Edit struct {
	Head   *pagehead.Head // of the page without what fit inserted, slim; nil when Err is set
	Err    error          // why the page cannot be edited
	Marked []pagehead.Marked
	Size   int64             // bytes without what fit inserted
	Sum    uint64            // xxHash of the page as it lies there
	Clean  [sha256.Size]byte // SHA-256 of the page without what fit inserted
}

// asksForPassword is why a page with a field for one looks personal.
const asksForPassword = "it asks for a password"

// Need is something that a page or another file asks for by itself.
type Need struct {
	URL   string // root-relative for the site, absolute otherwise; without fragment
	Use   markup.Use
	Spare bool   // no current browser asks for it: it stands behind another format
	Range string // the unicode-range of a font, as written
}

// Registration is a place that registers a worker.
type Registration struct {
	File         string // of the page or script
	Line, Column int
	URL, Scope   string // root-relative; URL is "" when it is computed while the page runs
	When         string // the condition that it stands behind, "" for none
}

// Endpoint is an address that scripts or forms send to.
type Endpoint struct {
	URL, Method  string
	File         string
	Line, Column int
	Form         bool
}

// Links says how pages link to pages of the site, as seen on a sample of them.
type Links struct {
	Pages   int `json:"pages"`   // in the sample
	Files   int `json:"files"`   // links that name a file, such as /about.html
	Folders int `json:"folders"` // links that name a folder with its slash, such as /about/
	Clean   int `json:"clean"`   // links to a page without its extension, such as /about for about.html
	Bare    int `json:"bare"`    // links that name a folder without its slash, which servers redirect
}

// sampled is of how many pages the links are read at most.
const sampled = 200

// Inventory is a site as the survey saw it.
type Inventory struct {
	Site          *site.Site
	Pages         []Page // in path order
	Start         *markup.Page
	StartFile     site.File
	StartBytes    []byte            // without what fit inserted
	Needs         map[string][]Need // of style sheets and scripts, by URL
	Data          []string          // URLs of the site's files that scripts fetch, sorted
	Fragments     map[string]string // pages that are parts of others, by path: what says so
	Registrations []Registration
	Endpoints     []Endpoint
	Outside       []Outside      // scripts and style sheets of other origins that pages name, by their URLs
	Integrity     []Integrity    // what pages say of the bytes of own scripts and style sheets, by their URLs
	Stores        []string       // kinds of storage that scripts mention, sorted
	Features      []Asked        // what scripts ask of a device, by id: the first place of each
	Unread        []site.Skipped // files that could not be read or understood
	Links         Links
	Hint          string            // another base path that references point to, "" for none
	Applications  []Application     // set by whoever ran the pages
	Ours          bool              // the site is the one that the configuration names, so that commands need not name it
	Characters    markup.Characters // beyond ASCII that pages, scripts, style sheets and data may show
	Sure          bool              // the start page itself points there, and so does most of what leads nowhere

	byURL   map[string]*Page
	scripts sync.Map // what scripts inside pages say, by a hash of them
	shared  sync.Map // needs of pages, by a hash of what they refer to: pages of one template need the same
}

// Words in addresses of pages that belong to one person: some anywhere, others only where a site's own sections begin,
// since documentation has pages of such names too.
var (
	personalAnywhere = words("account login log-in logout log-out signin sign-in signout sign-out checkout")
	personalFirst    = words("admin dashboard profile order orders basket cart my")
)

func words(list string) map[string]bool {
	m := map[string]bool{}
	for _, w := range strings.Fields(list) {
		m[w] = true
	}
	return m
}

// PersonalPath says whether a URL path below the base looks like that of an account page, or of what such a page asks for.
func PersonalPath(p string) bool {
	for i, segment := range strings.Split(strings.TrimPrefix(p, "/"), "/") {
		word, _, _ := strings.Cut(segment, ".")
		if len(word) > len("my-checkout") {
			continue
		}
		word = strings.ToLower(word)
		if i == 0 && personalFirst[word] || personalAnywhere[strings.TrimPrefix(strings.TrimPrefix(word, "my"), "-")] {
			return true
		}
	}
	return false
}

// personalData are words in addresses of what servers know of whoever asks.
var personalData = words("me self whoami profile session sessions viewer identity user currentuser current-user current_user")

// PersonalData says whether the address of an endpoint looks like that of what its server answers to one person only.
func PersonalData(p string) bool {
	return PersonalPath(p) || slices.ContainsFunc(strings.Split(p, "/"), func(segment string) bool {
		word, _, _ := strings.Cut(segment, ".")
		return personalData[strings.ToLower(word)]
	})
}

// Options of a survey.
type Options struct {
	Progress Progress // may be nil
	Edits    bool     // fill in [Page.Edit]
}

// Progress is told how many of how many files are done.
type Progress func(done, total int)

// Take reads the whole site. It fails only when the context ends or the site has no page.
func Take(ctx context.Context, s *site.Site, opts Options) (*Inventory, error) {
	progress := opts.Progress
	start, err := s.StartPage()
	if err != nil {
		return nil, err
	}
	inv := &Inventory{Site: s, StartFile: start, Needs: map[string][]Need{}}
	type result struct {
		page      *Page
		needs     []Need
		regs      []Registration
		endpoints []Endpoint
		data      []string
		stores    map[string]bool
		features  []Asked
		unread    string
		links     []string
		shows     markup.Characters
		bare      []markup.Ref
		outside   []Outside
		integrity []Integrity
	}
	results := make([]result, len(s.Files))
	every := len(s.Pages())/sampled + 1
	page := 0
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	done := 0
	ticks := make(chan struct{}, 64)
	finished := make(chan struct{})
	go func() {
		defer close(finished)
		for range ticks {
			if done++; progress != nil {
				progress(done, len(s.Files))
			}
		}
	}()
	for i, f := range s.Files {
		kind := f.Kind()
		if kind != "page" && kind != "style" && kind != "script" && !isData(f) {
			ticks <- struct{}{}
			continue
		}
		sample := false
		if kind == "page" {
			sample = page%every == 0
			page++
		}
		g.Go(func() error {
			defer func() { ticks <- struct{}{} }()
			if err := ctx.Err(); err != nil {
				return fmt.Errorf("interrupted: %w", err)
			}
			r := &results[i]
			buf := buffers.Get().(*[]byte)
			defer buffers.Put(buf)
			data, err := s.ReadInto(f.Path, *buf)
			*buf = data
			if err != nil {
				r.unread = err.Error()
				return nil
			}
			r.shows.Read(utf8Of(data))
			rd := reader{inv: inv, file: f, src: data}
			switch kind {
			case "page":
				spare := buffers.Get().(*[]byte)
				defer buffers.Put(spare)
				clean, marked, broken := pagehead.Part(data, *spare)
				if len(marked) > 0 {
					*spare = clean
				}
				var edit *Edit
				if opts.Edits {
					edit = editOf(f.Path, data, clean, marked, broken)
				}
				data, rd.src = clean, clean
				if f.Path == start.Path {
					inv.StartBytes = bytes.Clone(data)
				}
				r.page, r.links = rd.page(data, sample)
				r.page.Fitted, r.page.Edit = len(marked) > 0, edit
			case "style":
				r.needs = rd.refs(markup.StyleRefs(data, 0), f.URL)
			case "script":
				if bytes.HasPrefix(data, []byte("// Tachyform ")) {
					return nil
				}
				facts := markup.ReadScript(data, 0)
				r.bare = facts.Bare
				rd.script(facts, f.URL)
			}
			if kind != "page" {
				r.needs = append(r.needs, rd.needs...)
			}
			r.regs, r.endpoints, r.data, r.stores = rd.regs, rd.endpoints, rd.data, rd.stores
			r.features, r.outside, r.integrity = rd.features, rd.outside, rd.integrity
			return nil
		})
	}
	err = g.Wait()
	close(ticks)
	<-finished
	if err != nil {
		return nil, err
	}
	data, stores, said := map[string]bool{}, map[string]bool{}, integrities{}
	bare := map[string][]markup.Ref{} // names of modules that are no addresses, by the script file that has them
	for i, r := range results {
		for k := range r.stores {
			stores[k] = true
		}
		f := s.Files[i]
		if r.unread != "" {
			inv.Unread = append(inv.Unread, site.Skipped{Path: f.Path, Why: r.unread})
		}
		if r.page != nil {
			inv.Pages = append(inv.Pages, *r.page)
		}
		inv.Characters.Join(&r.shows)
		if len(r.bare) > 0 {
			bare[f.URL] = r.bare
		}
		if len(r.needs) > 0 {
			inv.Needs[f.URL] = r.needs
		}
		if r.links != nil {
			inv.Links.Pages++
			inv.link(r.links)
		}
		for _, a := range r.features {
			if !slices.ContainsFunc(inv.Features, func(b Asked) bool { return b.ID == a.ID }) {
				inv.Features = append(inv.Features, a)
			}
		}
		inv.Registrations = append(inv.Registrations, r.regs...)
		inv.Endpoints = append(inv.Endpoints, r.endpoints...)
		inv.takeOutside(r.outside)
		said.take(r.integrity)
		for _, d := range r.data {
			data[d] = true
		}
	}
	inv.mapped(bare)
	inv.Integrity = said.sorted()
	for d := range data {
		inv.Data = append(inv.Data, d)
	}
	sort.Strings(inv.Data)
	inv.fragments()
	for k := range stores {
		inv.Stores = append(inv.Stores, k)
	}
	sort.Strings(inv.Stores)
	sort.Slice(inv.Features, func(i, j int) bool { return inv.Features[i].ID < inv.Features[j].ID })
	inv.base()
	if inv.StartBytes != nil {
		inv.Start = markup.ReadPage(inv.StartBytes)
	} else {
		inv.Start = &markup.Page{}
	}
	return inv, nil
}

// editOf keeps what an edit of a page has to know.
func editOf(name string, data, clean []byte, marked []pagehead.Marked, err error) *Edit {
	e := &Edit{Size: int64(len(clean)), Sum: xxhash.Sum64(data), Clean: sha256.Sum256(clean), Err: err}
	for _, m := range marked {
		e.Marked = append(e.Marked, pagehead.Marked{At: m.At, Text: bytes.Clone(m.Text)})
	}
	if e.Err == nil {
		if e.Head, e.Err = pagehead.ReadClean(name, clean); e.Head != nil {
			e.Head.Slim()
		}
	}
	return e
}

// maxData is how large data may be of which the characters are read, in bytes.
const maxData = 4 << 20

// isData says whether a file holds data whose text pages may show.
func isData(f site.File) bool {
	return (path.Ext(f.Path) == ".json" || path.Ext(f.Path) == ".geojson" || path.Ext(f.Path) == ".txt" || path.Ext(f.Path) == ".vtt" || path.Ext(f.Path) == ".csv") && f.Size <= maxData
}

// utf8Of gives a text as UTF-8, whatever its bytes are.
func utf8Of(data []byte) []byte {
	if utf8.Valid(data) {
		return data
	}
	return []byte(markup.Decode(data, ""))
}

// buffers are used again from file to file.
var buffers = sync.Pool{New: func() any { return new([]byte) }}

// reader reads one file.
type reader struct {
	inv       *Inventory
	file      site.File
	src       []byte
	needs     []Need
	regs      []Registration
	endpoints []Endpoint
	data      []string
	stores    map[string]bool
	features  []Asked
	outside   []Outside
	integrity []Integrity
}

// link sorts the links of one page.
func (inv *Inventory) link(links []string) {
	for _, u := range links {
		f, ok := inv.Site.Find(u)
		u, _, _ = strings.Cut(u, "#")
		u, _, _ = strings.Cut(u, "?")
		switch {
		case ok && !f.IsPage():
		case ok && strings.HasSuffix(u, "/"):
			inv.Links.Folders++
		case ok && site.IsPage(u):
			inv.Links.Files++
		case ok:
			inv.Links.Clean++
		case inv.FileOf(u+".html") != nil:
			inv.Links.Clean++
		case inv.FileOf(u+"/") != nil:
			inv.Links.Bare++
		}
	}
}

// page reads a page, with its links to the site's own pages when asked for.
func (r *reader) page(data []byte, withLinks bool) (*Page, []string) {
	read := markup.ReadNeeds
	if withLinks {
		read = markup.ReadPage
	}
	m := read(data)
	p := &Page{File: r.file, Title: m.Title.Value, Lang: m.Lang, Size: len(data)}
	base := BaseOf(r.inv.Site.Origin, r.file.URL, m.Base.Value)
	p.Needs = r.sharedRefs(m.Refs, base)
	for _, s := range m.Styles {
		p.Needs = append(p.Needs, r.refs(markup.StyleRefs(s.Source, s.Offset), base)...)
	}
	p.imports = importMapOf(r.inv.Site.Origin, base, m)
	for _, s := range m.Scripts {
		facts := r.inline(s)
		for _, ref := range facts.Bare {
			if u := p.imports.find(r.file.URL, ref.URL); u != "" {
				p.Needs = append(p.Needs, Need{URL: u, Use: ref.Use})
			}
		}
		r.script(facts, base)
	}
	p.Needs = append(p.Needs, r.needs...)
	p.shape = shapeOf(p.Needs)
	for _, c := range m.CSP {
		p.CSP = append(p.CSP, c.Value)
	}
	r.noteOutside(m.Refs, base)
	r.noteIntegrity(m.Refs, base)
	for _, ref := range m.Refs {
		if ref.Use == markup.UseManifest && p.Manifest == "" {
			p.Manifest, _ = ResolveOn(r.inv.Site.Origin, base, ref.URL)
		}
	}
	for _, f := range m.Forms {
		if u, ok := ResolveOn(r.inv.Site.Origin, base, f.Action); ok && f.Method != "GET" {
			line, column := markup.Position(r.src, f.Offset)
			r.endpoints = append(r.endpoints, Endpoint{URL: u, Method: f.Method, File: r.file.Path, Line: line, Column: column, Form: true})
		}
	}
	switch {
	case m.HasPassword:
		p.Personal = asksForPassword
	case PersonalPath(strings.TrimPrefix(r.file.URL, r.inv.Site.Base)):
		p.Personal = "its address is that of an account page"
	}
	if !withLinks {
		return p, nil
	}
	links := []string{}
	for _, ref := range m.Refs {
		if u, ok := ResolveOn(r.inv.Site.Origin, base, ref.URL); ok && ref.Use == markup.UseLink && strings.HasPrefix(u, "/") {
			links = append(links, u)
		}
	}
	return p, links
}

// inline reads a script inside a page. Many pages hold the same one, so that what it says is remembered.
func (r *reader) inline(s markup.Script) markup.ScriptFacts {
	k := xxhash.Sum64(s.Source)
	if f, ok := r.inv.scripts.Load(k); ok {
		return f.(markup.ScriptFacts).At(s.Offset)
	}
	f := markup.ReadScript(s.Source, 0)
	r.inv.scripts.Store(k, f)
	return f.At(s.Offset)
}

// shapeOf is a hash of needs.
func shapeOf(needs []Need) uint64 {
	var h xxhash.Digest
	for _, n := range needs {
		_, _ = h.WriteString(n.URL)
		_, _ = h.WriteString("\x00")
		_, _ = h.WriteString(string(n.Use))
		_, _ = h.WriteString("\x00" + n.Range)
		if n.Spare {
			_, _ = h.WriteString("\x01")
		}
	}
	return h.Sum64()
}

func (r *reader) script(f markup.ScriptFacts, base string) {
	r.needs = append(r.needs, r.refs(f.Refs, base)...)
	for k := range f.Stores {
		if r.stores == nil {
			r.stores = map[string]bool{}
		}
		r.stores[k] = true
	}
	for id, at := range f.Features {
		line, column := markup.Position(r.src, at)
		r.features = append(r.features, Asked{id, r.file.Path, line, column})
	}
	for _, g := range f.Registrations {
		line, column := markup.Position(r.src, g.Offset)
		reg := Registration{File: r.file.Path, Line: line, Column: column, When: g.When}
		if g.Known {
			at := base
			if !g.Relative && !r.file.IsPage() {
				at = r.inv.Site.Base // relative to the page, of which a script knows nothing
			}
			reg.URL, _ = ResolveOn(r.inv.Site.Origin, at, g.URL)
			if g.Scope != "" {
				reg.Scope, _ = ResolveOn(r.inv.Site.Origin, at, g.Scope)
			}
		}
		r.regs = append(r.regs, reg)
	}
}

// FileOf finds the site's file that a root-relative URL names, nil when there is none.
func (inv *Inventory) FileOf(u string) *site.File {
	if f, ok := inv.Site.Find(u); ok {
		return &f
	}
	return nil
}

// Closure gives the URLs of the site's files that current browsers ask for when they show the pages, closed over style sheets and
// scripts, with the pages themselves.
func (inv *Inventory) Closure(pages ...string) map[string]bool {
	if inv.byURL == nil {
		inv.byURL = make(map[string]*Page, len(inv.Pages))
		for i := range inv.Pages {
			inv.byURL[inv.Pages[i].File.URL] = &inv.Pages[i]
		}
	}
	out := map[string]bool{}
	queue := append([]string{}, pages...)
	for len(queue) > 0 {
		f := inv.FileOf(queue[0])
		queue = queue[1:]
		if f == nil || out[f.URL] {
			continue
		}
		out[f.URL] = true
		needs := inv.Needs[f.URL]
		if p := inv.byURL[f.URL]; p != nil {
			needs = p.Needs
		}
		for _, n := range needs {
			if !n.Spare && inv.Characters.In(n.Range) {
				queue = append(queue, n.URL)
			}
		}
	}
	return out
}
