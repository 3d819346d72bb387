package compare

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// Tabs says how a visitor has the site open while the release comes.
type Tabs string

// The ways to have it open.
const (
	OneTab   Tabs = "one tab"
	TwoTabs  Tabs = "two tabs"
	LeftOpen Tabs = "a tab left open for three days"
)

// What a visit shows.
const (
	Old     = "old"
	New     = "new"
	Same    = "same" // nothing of the page differs between the releases
	Mix     = "mix"
	Lost    = "lost"
	Unknown = "unknown" // the worker shows something of its own making
)

// Visit is one visit after a release.
type Visit struct {
	What       string   `json:"visit"`
	URL        string   `json:"url"`
	Shows      string   `json:"shows"`             // one of the words above
	Releases   []int    `json:"releases"`          // that page, styles and scripts are of; empty for a mix
	Outcome    string   `json:"outcome"`           // of the page, as in a rehearsal
	AnsweredBy string   `json:"answered_by"`       // "worker", "network" or "browser"
	Missing    []string `json:"missing,omitempty"` // that the page asks for and does not get
	Older      []string `json:"older,omitempty"`   // pictures and data of an earlier release beside a page of the new one
	Because    []Piece  `json:"because,omitempty"` // of a mix: what is of which release, and who answered
	Requests   int      `json:"requests"`          // that reached the server until all was quiet
	Bytes      int64    `json:"bytes"`             // of their answers
}

// Piece is a part of a page that is a mix.
type Piece struct {
	URL     string `json:"url"`
	Release int    `json:"release"`        // the newest that has it
	By      string `json:"by"`             // "worker" or "network"
	File    string `json:"file,omitempty"` // of the worker's line that answered
	Line    int    `json:"line,omitempty"`
}

// Timeline is what one visitor sees, visit by visit.
type Timeline struct {
	Releases []int   `json:"releases"` // in the order in which they come; the visits are after the last
	Tabs     Tabs    `json:"tabs"`
	Takeover string  `json:"takeover,omitempty"` // as the worker would be with another setting; "" as it is
	Arrives  int     `json:"arrives"`            // the first visit, from 1, from which on all show the release; 0 for none
	Visits   []Visit `json:"visits"`

	order int
}

// told is a timeline with what its visitor has downloaded.
type told struct {
	Timeline
	st         rehearsal.Stage
	had, until []request // before the release, and after it until it was there
	stop       func()
}

func (t *told) close() {
	if t != nil && t.stop != nil {
		t.stop()
	}
}

// request is one that reached a server.
type request struct {
	method, url string
	fresh       bool // no cache of the browser may answer it, not even by asking whether it has changed
}

// visitor has a stage and remembers what reached the server.
type visitor struct {
	c        *comparison
	st       rehearsal.Stage
	releases []*Release // that the visitor has met, the newest last
	numbers  []int
	sent     []request
}

// open opens a page, and waits until all is quiet.
func (v *visitor) open(what, url string) (Visit, error) {
	var answers map[string]Piece
	tracer, traced := v.st.(rehearsal.Tracer)
	if traced && what != "" {
		answers = map[string]Piece{}
		tracer.Trace(listen(answers))
		defer tracer.Trace(nil)
	}
	l, err := v.st.Open(url)
	if err != nil {
		return Visit{}, err
	}
	if err := v.st.Settle(); err != nil {
		return Visit{}, err
	}
	if x, ok := v.st.(rehearsal.Updater); ok { // browsers look for a new worker in a moment of their own
		if err := x.Update(); err != nil {
			return Visit{}, err
		}
		if err := v.st.Settle(); err != nil {
			return Visit{}, err
		}
	}
	shown, err := v.st.Shown()
	if err != nil {
		return Visit{}, err
	}
	if shown != nil { // a page script or a worker has loaded it again
		l = shown
	}
	out := Visit{What: what, URL: url, AnsweredBy: string(l.AnsweredBy)}
	for _, r := range v.st.Received() {
		fresh := r.Cache == "reload" || r.Cache == "no-store" || slices.ContainsFunc(r.Header, func(h [2]string) bool { return h[0] == "pragma" }) // as browsers send it with these
		v.sent = append(v.sent, request{r.Method, r.URL, fresh})
		out.Requests++
		if own(r.URL) {
			out.Bytes += int64(len(v.newest().server.Answer("GET", pathOf(r.URL)).Body))
		}
	}
	v.judge(&out, l, answers)
	return out, nil
}

// listen notes by which line of the worker each request is answered.
func listen(answers map[string]Piece) func(stage.TraceStep) {
	url := ""
	return func(s stage.TraceStep) {
		if _, rest, ok := strings.Cut(s.Text, " gets a fetch event: "); ok {
			url, _, _ = strings.Cut(rest, " ")
			url, _, _ = strings.Cut(url, ",")
		}
		if s.Text == "it calls respondWith" && url != "" {
			answers[url] = Piece{File: s.File, Line: s.Line}
		}
	}
}

func (v *visitor) newest() *Release { return v.releases[len(v.releases)-1] }

// judge says of which releases a page is.
func (v *visitor) judge(out *Visit, l *stage.Load, answers map[string]Piece) {
	out.Releases = []int{}
	for _, m := range l.Missing {
		out.Missing = append(out.Missing, m.URL)
	}
	switch {
	case l.Status == 0:
		out.Outcome, out.Shows = string(rehearsal.Lost), Lost
		return
	case len(l.Missing) > 0:
		out.Outcome = string(rehearsal.Partial)
	default:
		out.Outcome = string(rehearsal.Whole)
	}
	if l.Status >= 400 {
		out.Outcome = string(rehearsal.StandIn)
	}
	all := uint64(1)<<len(v.releases) - 1
	set, known := all, false
	type part struct {
		url string
		of  uint64
	}
	var parts []part
	for i, p := range l.Parts {
		if !own(p.URL) {
			continue
		}
		of := uint64(0)
		for n, x := range v.releases {
			if x.digest(pathOf(p.URL)) == p.Digest {
				of |= 1 << n
			}
		}
		if of == 0 {
			if i == 0 {
				break
			}
			continue
		}
		if i == 0 {
			known = true
		}
		if i > 0 && !isCode(v.newest(), p.URL) {
			if of&(1<<(len(v.releases)-1)) == 0 {
				out.Older = append(out.Older, p.URL)
			}
			continue
		}
		set &= of
		parts = append(parts, part{p.URL, of})
	}
	newest := uint64(1) << (len(v.releases) - 1)
	if set&newest == 0 {
		out.Older = nil // the page is of that release, too
	}
	switch {
	case !known:
		out.Shows = Unknown
	case set == 0:
		out.Shows = Mix
	case set == all && len(v.releases) > 1:
		out.Shows = Same
	case set&newest != 0:
		out.Shows = New
	default:
		out.Shows = Old
	}
	number := func(n int) int {
		if v.numbers != nil {
			return v.numbers[n] + 1
		}
		return n + 1
	}
	for n := range v.releases {
		if known && set&(1<<n) != 0 && !slices.Contains(out.Releases, number(n)) {
			out.Releases = append(out.Releases, number(n))
		}
	}
	slices.Sort(out.Releases)
	if out.Shows != Mix {
		return
	}
	for _, p := range parts {
		if p.of == all {
			continue
		}
		piece := answers[p.url]
		piece.URL, piece.By = p.url, string(stage.ByNetwork)
		if piece.File != "" {
			piece.By = string(stage.ByWorker)
		}
		for n := range v.releases {
			if p.of&(1<<n) != 0 {
				piece.Release = number(n)
			}
		}
		out.Because = append(out.Because, piece)
	}
}

// isCode says whether a page and what is at an address have to be of one release.
func isCode(x *Release, url string) bool {
	file, ok := x.server.Site.Find(pathOf(url))
	if !ok {
		return strings.HasSuffix(pathOf(url), ".css") || strings.HasSuffix(pathOf(url), ".js") || strings.HasSuffix(pathOf(url), ".mjs")
	}
	switch file.Kind() {
	case "page", "style", "script":
		return true
	}
	return false
}

// leg is one visit of a timeline.
type leg struct {
	what string
	tab  int
	url  string
	anew bool // all tabs are closed before
}

// tell lets a visitor have the site open in some way while a release comes, and come back.
func (c *comparison) tell(b *before, tabs Tabs, home, deep string, way []int, takeover string) (*told, *told, error) {
	st, end, err := b.stand()
	if err != nil {
		return nil, nil, err
	}
	t := &told{Timeline: Timeline{Tabs: tabs, Takeover: takeover, Visits: []Visit{}}, st: st, had: b.had, stop: end}
	fail := func(err error) (*told, *told, error) {
		end()
		return nil, nil, err
	}
	v := &visitor{c: c, st: st, numbers: way}
	for _, n := range way {
		t.Releases = append(t.Releases, n+1)
		v.releases = append(v.releases, c.Releases[n])
	}
	next := v.newest().server
	if takeover != "" {
		file, _ := next.Find(pathOf(v.newest().Worker))
		next = next.With(map[string][]byte{file: worker.WithTakeover(v.newest().body, takeover)})
	}
	if start, err := c.Releases[way[0]].server.Site.StartPage(); err == nil && home != start.URL {
		known := &visitor{c: c, st: st, releases: v.releases[:len(way)-1]}
		if _, err := known.open("", home); err != nil {
			return fail(err)
		}
	}
	pause, open := day, 1
	legs := []leg{{what: "loaded again a day later", url: home}, {what: "and once more", url: home}, {what: "all tabs closed, opened anew", url: home, anew: true}, {what: "and once more", url: home}}
	switch tabs {
	case TwoTabs:
		legs = []leg{{what: "the first tab is loaded again a day later", url: home}, {what: "the second tab is loaded again", url: deep, tab: 1}, {what: "the first tab once more", url: home}, {what: "all tabs closed, opened anew", url: home, anew: true}}
		open = 2
		if err := st.Tab(1); err != nil {
			return fail(err)
		}
		if _, err := v.open("", deep); err != nil {
			return fail(err)
		}
	case LeftOpen:
		pause = 3 * day
		legs = []leg{{what: "a link is followed three days later", url: deep}, {what: "and one back", url: home}, {what: "all tabs closed, opened anew", url: home, anew: true}}
	}
	st.Release(next)
	advance(st, pause)
	v.sent = nil
	for i, x := range legs {
		if x.anew {
			err = anew(st, open)
		} else {
			err = st.Tab(x.tab)
		}
		if err != nil {
			return fail(err)
		}
		visit, err := v.open(x.what, x.url)
		if err != nil {
			return fail(err)
		}
		t.Visits = append(t.Visits, visit)
		there := visit.Shows == New || visit.Shows == Same
		switch {
		case !there:
			t.Arrives = 0
		case t.Arrives == 0:
			t.Arrives = i + 1
		}
		if !there || t.Arrives == i+1 {
			t.until = slices.Clone(v.sent)
		}
		if takeover == "when-asked" && i == 0 { // the page offers it, and the visitor takes it
			if st.TakeOver() == nil {
				t.Visits[0].What += "; the new release is offered and taken"
			}
			if err := st.Settle(); err != nil {
				return fail(err)
			}
		}
	}
	return t, t, nil
}

// page lets somebody who knows a page meet it after a release: loaded again, once more, and opened anew.
func (c *comparison) page(b *before, url string, from, to int) (*Page, error) {
	st, end, err := b.stand()
	if err != nil {
		return nil, err
	}
	defer end()
	v := &visitor{c: c, st: st, releases: []*Release{c.Releases[from], c.Releases[to]}, numbers: []int{from, to}}
	if _, err := v.open("", url); err != nil {
		return nil, err
	}
	st.Release(c.Releases[to].server)
	advance(st, day)
	p := &Page{URL: url}
	for i, what := range []string{"loaded again a day later", "and once more", "all tabs closed, opened anew"} {
		if i == 2 {
			if err := anew(st, 1); err != nil {
				return nil, err
			}
		}
		visit, err := v.open(what, url)
		if err != nil {
			return nil, err
		}
		p.Visits = append(p.Visits, visit)
	}
	fresh, stop, err := c.open(c.Releases[to].server)
	if err != nil {
		return nil, err
	}
	defer stop()
	n := &visitor{c: c, st: fresh, releases: []*Release{c.Releases[to]}}
	first, err := n.open("", url)
	if err != nil {
		return nil, err
	}
	for i := range p.Visits { // what everybody lacks is not the release's doing
		p.Visits[i].Missing = slices.DeleteFunc(p.Visits[i].Missing, func(u string) bool { return slices.Contains(first.Missing, u) })
		if len(p.Visits[i].Missing) == 0 && p.Visits[i].Outcome == string(rehearsal.Partial) {
			p.Visits[i].Outcome = string(rehearsal.Whole)
		}
	}
	return p, nil
}

// afterwards looks at what a visitor has once the release is there, and whatever it brings had the time to become active.
func (c *comparison) afterwards(s *Step, t *told, home string, old, next *Release) error {
	v := &visitor{c: c, st: t.st, releases: []*Release{old, next}}
	for range 2 {
		if err := anew(t.st, 1); err != nil {
			return err
		}
		if _, err := v.open("", home); err != nil {
			return err
		}
	}
	stores, err := t.st.Stores()
	if err != nil {
		return err
	}
	regs, err := t.st.Registrations()
	if err != nil {
		return err
	}
	for _, g := range regs {
		if g.URL != next.Worker && g.State != "failed" && pathOf(g.URL) != pathOf(next.Worker) {
			s.stayed = append(s.stayed, g.URL)
		}
	}
	var ask []string
	for _, x := range stores {
		if slices.Contains(old.stores, x.Name) && !slices.Contains(next.stores, x.Name) && len(x.Entries) > 0 {
			s.left = append(s.left, x.Name)
		}
		for _, e := range x.Entries {
			u := worker.StoredFile(e.URL)
			if _, there := next.sums[u]; there && old.sums[u] != "" && old.sums[u] != next.sums[u] && !slices.Contains(ask, u) {
				ask = append(ask, u)
			}
		}
	}
	slices.Sort(ask)
	if err := t.st.SetNetwork(stage.Offline); err != nil {
		return err
	}
	for _, u := range ask[:min(len(ask), maxAsked)] {
		a, err := t.st.Fetch(u)
		if err != nil {
			return err
		}
		if a.SHA256 == old.digest(u) {
			s.unaware = append(s.unaware, u)
		}
	}
	return t.st.SetNetwork(stage.Online)
}

// maxAsked bounds of how many files is looked at what visitors get of them.
const maxAsked = 60

// late lets a page that was open before the release ask for what is gone.
func (c *comparison) late(b *before, s *Step, home string, old, next *Release) error {
	if c.Lazy == nil || len(s.Files.Gone)+len(s.Files.Renamed) == 0 {
		return nil
	}
	gone := slices.Clone(s.Files.Gone)
	for _, x := range s.Files.Renamed {
		gone = append(gone, x.From)
	}
	wanted, err := c.Lazy(c.ctx, old.server.Site, gone)
	if err != nil || len(wanted) == 0 {
		return err
	}
	st, end, err := b.stand()
	if err != nil {
		return err
	}
	defer end()
	loaded := map[string]bool{}
	l, err := st.Open(home)
	if err != nil {
		return err
	}
	for _, p := range l.Parts {
		loaded[pathOf(p.URL)] = true
	}
	if err := st.Settle(); err != nil {
		return err
	}
	st.Release(next.server)
	advance(st, time.Hour)
	slices.Sort(wanted)
	for _, u := range wanted[:min(len(wanted), maxAsked)] {
		f, ok := old.server.Site.Find(u)
		if loaded[u] || !ok || f.IsPage() || !isCode(old, u) || u == pathOf(old.Worker) {
			continue
		}
		a, err := st.Fetch(u)
		if err != nil {
			return err
		}
		if a.Result != "answered" || a.SHA256 != old.digest(u) {
			s.late = append(s.late, u)
		}
	}
	return nil
}

// digest gives what the release's server answers to a path, as SHA-256 in hexadecimal; "" for what is not there.
func (x *Release) digest(path string) string {
	if d, ok := x.served.Load(path); ok {
		return d.(string)
	}
	d := x.server.Digest(path)
	x.served.Store(path, d)
	return d
}

// own says whether an address is the site's.
func own(url string) bool { return strings.HasPrefix(url, "/") && !strings.HasPrefix(url, "//") }

func pathOf(url string) string {
	url, _, _ = strings.Cut(url, "#")
	url, _, _ = strings.Cut(url, "?")
	return url
}

// common gives the addresses of pages that both releases have, sorted.
func common(old, next *Release) []string {
	var out []string
	for _, p := range old.server.Site.Pages() {
		if _, there := next.sums[p.URL]; there && !isError(p) {
			out = append(out, p.URL)
		}
	}
	slices.SortFunc(out, cmp.Compare)
	return out
}

// isError says whether a page is shown for what is missing.
func isError(f site.File) bool { return f.Path == "404.html" || f.Path == "500.html" }
