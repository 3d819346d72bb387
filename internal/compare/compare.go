// Package compare lets visitors who were there before meet a release, and says what they download, what they see, visit by visit,
// and what could go wrong. All of it is observed on a stage; nothing is read from a configuration.
package compare

import (
	"context"
	"errors"
	"runtime"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Format names the shape of the report.
const Format = "tachyform.comparison/1"

// Report is a whole comparison; its JSON form is tachyform.comparison/1. Releases are numbered from 1.
type Report struct {
	Format   string           `json:"format"`
	Stage    string           `json:"stage"`
	Releases []*Release       `json:"releases"`
	Steps    []*Step          `json:"steps"`
	Ways     []Timeline       `json:"ways"` // of visitors who meet more than two releases, one after the other
	Sampled  Sample           `json:"sample"`
	Checks   []finding.Result `json:"checks"`
}

// Sample says of how many pages was seen what visitors get.
type Sample struct {
	Pages int `json:"pages"`
	Of    int `json:"of"` // pages that the first and the last release have
}

// Release is one of the releases.
type Release struct {
	Site   string `json:"site"`
	Pages  int    `json:"pages"`
	Files  int    `json:"files"`
	Bytes  int64  `json:"bytes"`
	ID     string `json:"id,omitempty"`     // of the release, when fit wrote the worker
	Worker string `json:"worker,omitempty"` // address, when a visitor gets one
	Scope  string `json:"scope,omitempty"`
	App    string `json:"app,omitempty"` // the app's identity, as the manifest says it

	first  Download // of a first visit
	server *site.Server
	sums   map[string]string // of every file, SHA-256 in hexadecimal, by URL
	stores []string
	served sync.Map // URL to what the server's answer is, as a digest
	body   []byte   // of the worker
	found  *linked.Found
}

// Step is what becomes of visitors of one release when another comes.
type Step struct {
	From     int        `json:"from"`
	To       int        `json:"to"`
	Files    Files      `json:"files"`
	Download Download   `json:"download"`
	First    Download   `json:"first"` // what somebody downloads who comes for the first time
	Visits   []Timeline `json:"visits"`
	Pages    []Page     `json:"pages"` // the pages of the sample that do not come out the same

	left    []string // names of stores that nothing uses any more
	stayed  []string // addresses of workers that are there and that the new release does not register
	unaware []string // URLs that are stored, have changed, and are still given in their old form
	late    []string // URLs that are gone and that an open page cannot get
}

// Page is a page that differs between the releases, or comes out otherwise, visit by visit after the release.
type Page struct {
	URL    string  `json:"url"`
	Visits []Visit `json:"visits"`
}

// Options of a comparison.
type Options struct {
	Start    func(*site.Server) (rehearsal.Stage, func(), error)                      // a stage with nothing stored, and its end
	Sample   int                                                                      // of how many pages it is seen what visitors get; 0 for 40
	Pages    []string                                                                 // these and no others, as URLs; empty for a sample
	Scripts  bool                                                                     // the scripts of pages run
	Progress func(done, total int)                                                    // nil for nobody
	Lazy     func(ctx context.Context, s *site.Site, gone []string) ([]string, error) // which of the files that are gone open pages may ask for later; nil for none
}

// ErrOne says that there are too few or too many releases.
var ErrOne = errors.New("name two releases, or up to six in their order")

// maxReleases bounds how many releases are compared at once.
const maxReleases = 6

// usualSample is of how many pages it is seen what visitors get when nothing is said.
const usualSample = 40

// Run compares releases in their order. The servers answer as the real one does with each.
func Run(ctx context.Context, servers []*site.Server, o Options) (*Report, error) {
	if len(servers) < 2 || len(servers) > maxReleases {
		return nil, ErrOne
	}
	r := &Report{Format: Format, Steps: []*Step{}, Ways: []Timeline{}, Checks: []finding.Result{}}
	if o.Sample == 0 {
		o.Sample = usualSample
	}
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(2)
	for _, s := range servers {
		x := &Release{Site: s.Site.Dir, server: s}
		r.Releases = append(r.Releases, x)
		g.Go(func() error { return x.read(each) })
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	c := &comparison{Report: r, Options: o, ctx: ctx}
	for i := range r.Releases {
		if err := c.meet(r.Releases[i]); err != nil {
			return nil, err
		}
	}
	for to := 1; to < len(r.Releases); to++ {
		for from := to - 1; from >= 0; from-- { // who was there last time, and who skipped some
			s, err := c.step(from, to)
			if err != nil {
				return nil, err
			}
			r.Steps = append(r.Steps, s)
		}
	}
	if err := c.ways(); err != nil {
		return nil, err
	}
	r.Checks = c.check()
	return r, nil
}

// comparison is one that is going on.
type comparison struct {
	*Report
	Options
	ctx  context.Context
	mu   sync.Mutex
	done int
}

func (c *comparison) progress(total int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.done++; c.Progress != nil {
		c.Progress(c.done, max(total, c.done))
	}
}

// open starts a stage.
func (c *comparison) open(s *site.Server) (rehearsal.Stage, func(), error) {
	st, end, err := c.Start(s)
	if err != nil {
		return nil, nil, err
	}
	st.KeepParts()
	if x, ok := st.(rehearsal.ScriptRunner); ok {
		x.RunScripts(c.Scripts)
	}
	return st, end, nil
}

// meet lets somebody visit a release who was never there.
func (c *comparison) meet(x *Release) error {
	st, end, err := c.open(x.server)
	if err != nil {
		return err
	}
	defer end()
	c.Stage = st.Name()
	home, err := x.server.Site.StartPage()
	if err != nil {
		return err
	}
	v := &visitor{c: c, st: st, releases: []*Release{x}}
	if _, err := v.open("", home.URL); err != nil {
		return err
	}
	x.first = c.download(v.sent, nil, x)
	regs, err := st.Registrations()
	if err != nil {
		return err
	}
	for _, g := range regs {
		if (x.Worker == "" || len(g.Scope) < len(x.Scope)) && g.State != "failed" {
			x.Worker, x.Scope = g.URL, g.Scope
		}
	}
	if x.Worker != "" {
		x.body = x.server.Answer("GET", pathOf(x.Worker)).Body
		x.ID, _ = worker.ReleaseOf(x.body)
	}
	stores, err := st.Stores()
	if err != nil {
		return err
	}
	for _, s := range stores {
		x.stores = append(x.stores, s.Name)
	}
	if x.found, err = linked.Site(x.server.Site); err != nil {
		x.found = nil // no manifest, or no page that can be read
	} else if m := x.found.Manifest; m != nil {
		x.App = ownURL(m.Processed.ID)
	}
	return nil
}

// step lets those who know one release meet another.
func (c *comparison) step(from, to int) (*Step, error) {
	old, next := c.Releases[from], c.Releases[to]
	s := &Step{From: from + 1, To: to + 1, Visits: []Timeline{}, Pages: []Page{}, First: next.first}
	s.Files = filesOf(old, next)
	b := &before{c: c, way: []int{from}}
	defer b.close()
	if err := b.prepare(); err != nil {
		return nil, err
	}
	home, deep, err := c.pagesFor(old, next)
	if err != nil {
		return nil, err
	}
	sample := c.sample(old, next)
	if c.Sampled.Of == 0 || c.Sampled.Pages < len(sample) {
		c.Sampled = Sample{len(sample), len(common(old, next))}
	}
	settings := []string{""}
	if t, ours := worker.TakeoverOf(next.body); ours {
		for _, other := range worker.Takeovers {
			if other != t {
				settings = append(settings, other)
			}
		}
	}
	jobs := []func() error{}
	var mu sync.Mutex
	var visits []Timeline
	for i, takeover := range settings {
		for k, tabs := range []Tabs{OneTab, TwoTabs, LeftOpen} {
			jobs = append(jobs, func() error {
				t, end, err := c.tell(b, tabs, home, deep, []int{from, to}, takeover)
				if err != nil {
					return err
				}
				defer end.close()
				mu.Lock()
				defer mu.Unlock()
				t.order = i*3 + k
				visits = append(visits, t.Timeline)
				if i > 0 || tabs != OneTab {
					return nil
				}
				s.Download = c.download(t.until, t.had, next)
				return c.afterwards(s, t, home, old, next)
			})
		}
	}
	pages := make([]*Page, len(sample))
	for i, u := range sample {
		jobs = append(jobs, func() error {
			p, err := c.page(b, u, from, to)
			pages[i] = p
			return err
		})
	}
	jobs = append(jobs, func() error { return c.late(b, s, home, old, next) })
	total := len(jobs) * len(c.Releases) * (len(c.Releases) - 1) / 2
	g, each := errgroup.WithContext(c.ctx)
	g.SetLimit(b.atOnce())
	for _, job := range jobs {
		g.Go(func() error {
			if err := each.Err(); err != nil {
				return err
			}
			defer c.progress(total)
			return job()
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	slices.SortFunc(visits, func(a, b Timeline) int { return a.order - b.order })
	s.Visits = visits
	for _, p := range pages {
		if p != nil && slices.ContainsFunc(p.Visits, func(v Visit) bool { return v.Shows != Same || len(v.Missing) > 0 }) {
			s.Pages = append(s.Pages, *p)
		}
	}
	return s, nil
}

// ways tells of visitors who meet every release, and of those who see all of them and then the first again.
func (c *comparison) ways() error {
	n := len(c.Releases)
	var all []int
	for i := range n {
		all = append(all, i)
	}
	list := [][]int{append(slices.Clone(all), 0)}
	if n > 2 {
		list = append([][]int{all}, list...)
	}
	for _, way := range list {
		last := len(way) - 1
		b := &before{c: c, way: way[:last]}
		home, deep, err := c.pagesFor(c.Releases[way[last-1]], c.Releases[way[last]])
		if err == nil {
			err = b.prepare()
		}
		if err != nil {
			return err
		}
		t, end, err := c.tell(b, OneTab, home, deep, way, "")
		b.close()
		if err != nil {
			return err
		}
		end.close()
		c.Report.Ways = append(c.Report.Ways, t.Timeline)
	}
	return nil
}

// atOnce is how many visitors there are at a time: stages that can be forked are many.
func (b *before) atOnce() int {
	if b.fork == nil {
		return 1
	}
	return min(max(runtime.GOMAXPROCS(0), 2), 4)
}

// before is where visitors stand who know some releases and have not met the next.
type before struct {
	c    *comparison
	way  []int
	st   rehearsal.Stage
	end  func()
	fork func() rehearsal.Forked // nil for a stage that cannot be forked
	had  []request
	mu   sync.Mutex
}

func (b *before) close() {
	if b.end != nil {
		b.end()
	}
}

// prepare visits the releases one after the other.
func (b *before) prepare() error {
	st, end, had, err := b.visit()
	if err != nil {
		return err
	}
	b.had = had
	f, ok := st.(rehearsal.Forker)
	if !ok {
		end() // each visitor is a browser of its own
		return nil
	}
	b.st, b.end, b.fork = st, end, f.Fork
	return nil
}

func (b *before) visit() (rehearsal.Stage, func(), []request, error) {
	first := b.c.Releases[b.way[0]]
	home, err := first.server.Site.StartPage()
	if err != nil {
		return nil, nil, nil, err
	}
	st, end, err := b.c.open(first.server)
	if err != nil {
		return nil, nil, nil, err
	}
	v := &visitor{c: b.c, st: st, releases: []*Release{first}}
	for i, n := range b.way {
		if i > 0 {
			st.Release(b.c.Releases[n].server)
			advance(st, day)
			v.releases = append(v.releases, b.c.Releases[n])
		}
		for k := range 4 { // the last ones with all tabs closed before: then every release is there that comes at all
			if i == 0 && k > 1 {
				break
			}
			if k == 2 {
				if err := anew(st, 1); err != nil {
					end()
					return nil, nil, nil, err
				}
			}
			if _, err := v.open("", home.URL); err != nil {
				end()
				return nil, nil, nil, err
			}
		}
	}
	return st, end, v.sent, nil
}

// stand gives a stage that stands there, for one visitor.
func (b *before) stand() (rehearsal.Stage, func(), error) {
	if b.fork == nil {
		st, end, _, err := b.visit()
		return st, end, err
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	f := b.fork()
	f.KeepParts()
	return f, f.Close, nil
}

const day = 24 * time.Hour

// advance lets time pass, on a stage whose time is its own.
func advance(st any, d time.Duration) {
	if e, ok := st.(rehearsal.Clock); ok {
		e.Advance(d)
	}
}

// anew closes all of so many tabs, so that the next visit opens the first again.
func anew(st rehearsal.Stage, tabs int) error {
	for i := tabs - 1; i >= 0; i-- {
		if err := st.Tab(i); err != nil {
			return err
		}
		if err := st.CloseTab(); err != nil {
			return err
		}
	}
	if err := st.Settle(); err != nil {
		return err
	}
	return st.Tab(0)
}

// pagesFor gives the page that visitors look at, and another far from it, both of them pages that all of these releases have. It is the start
// page when anything differs that it may show, and else one that has changed.
func (c *comparison) pagesFor(old, next *Release) (home, deep string, err error) {
	start, err := old.server.Site.StartPage()
	if err != nil {
		return "", "", err
	}
	home, deep = start.URL, start.URL
	f := filesOf(old, next)
	code := func(u string) bool { return isCode(old, u) && !isPage(old, u) && u != pathOf(old.Worker) }
	shows := old.sums[home] != next.sums[home] || slices.ContainsFunc(f.Changed, code) || slices.ContainsFunc(f.Renamed, func(r Renamed) bool { return code(r.From) })
	all := common(old, next)
	for _, u := range all {
		if u != home && !shows && old.sums[u] != next.sums[u] {
			home, shows = u, true
		}
	}
	for _, u := range all {
		if u != home && (deep == start.URL || deep == home || old.sums[deep] == next.sums[deep] && old.sums[u] != next.sums[u]) {
			deep = u
		}
	}
	return home, deep, nil
}

func isPage(x *Release, u string) bool {
	f, ok := x.server.Site.Find(u)
	return ok && f.IsPage()
}

// sample gives the pages of which it is seen what visitors get: those that have changed make up half of it, when there are so many.
func (c *comparison) sample(old, next *Release) []string {
	if len(c.Pages) > 0 {
		return c.Pages
	}
	all := common(old, next)
	var changed, rest []string
	for _, u := range all {
		if old.sums[u] != next.sums[u] {
			changed = append(changed, u)
		} else {
			rest = append(rest, u)
		}
	}
	n := min(c.Options.Sample, len(all))
	some := min(len(changed), max(n/2, n-len(rest)))
	out := append(spread(changed, some), spread(rest, n-some)...)
	slices.Sort(out)
	return out
}

// spread takes n of a list, at even distances.
func spread(list []string, n int) []string {
	var out []string
	n = min(n, len(list))
	for i := range n {
		out = append(out, list[i*len(list)/n])
	}
	return out
}

// Worst is the level of the worst failed check, "" when none failed.
func (r *Report) Worst() finding.Level { return finding.Worst(r.Checks) }
