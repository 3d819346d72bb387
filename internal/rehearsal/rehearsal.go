// Package rehearsal lets visitors use a site on a stage, and records what they get.
package rehearsal

import (
	"cmp"
	"context"
	"fmt"
	"runtime"
	"slices"
	"sort"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// Outcome is what a visitor gets of a page.
type Outcome string

// The outcomes of a page.
const (
	Whole   Outcome = "whole"
	Partial Outcome = "partial"
	StandIn Outcome = "stand-in"
	Lost    Outcome = "lost"
	Blank   Outcome = "blank" // the document came, and under a tenth of the words that it shows online is there

	// NotKnown is the outcome of a page whose scripts failed because they use what browsers have and the stage lacks.
	NotKnown Outcome = "not known"
)

// Outcomes are all outcomes: those that are known, the best first, and the one that is not.
var Outcomes = []Outcome{Whole, Partial, Blank, StandIn, Lost, NotKnown}

// Options of a rehearsal. The zero value visits the start page twice and then opens every page offline.
type Options struct {
	Visits   []string
	Pages    []string
	Revisit  []string // of the pages: those that are also opened by a visitor who has seen them online
	MadeUp   []string // paths of data that the server does not have: for visitors who have seen a page it answers them with an empty object
	Fetches  []string
	Networks []stage.Network
	Next     *site.Server // the release that replaces the site, nil for none
	Traces   []string     // URLs whose requests are followed step by step, on the embedded stage
	Comeback bool         // imagine releases, and what visitors get who were there before; on the embedded stage
	Progress func(done, total int)
	Scripts  bool                                    // the scripts of pages run, and what visitors read is compared with what they read online
	Unrun    string                                  // why scripts do not run although nobody said so, "" when there is no such reason
	Picture  func(url string, n stage.Network) error // told of every page while it is shown, on a stage that shows one at a time; nil for nobody
	Notes    []Finding                               // what was noticed before
	Stores   bool                                    // every stored answer is listed
	Detail   map[string]bool                         // of pages: "text", "requests", "errors"
	// Entrances are the ways into the app that its manifest names: each is come in by, online and in every network state.
	Entrances []entrance.Entrance
	Led       []string              // addresses that the server leads elsewhere: they are opened online, too
	Forms     []string              // root-relative addresses that forms of pages post to: a visitor sends one without a network
	SampledOf int                   // of how many pages Pages are a sample, 0 when they are none
	Share     *Share                // the part of Pages that is opened, and nothing else is done; nil for all
	Merged    *Merged               // what shares saw of Pages, which are not opened; nil when they are
	Private   func(url string) bool // what belongs to one visitor: a page is whole without it; nil for nothing
}

// Run rehearses a site that server answers for.
func Run(ctx context.Context, st Stage, server *site.Server, o Options) (*Report, error) {
	r := &Report{Format: Format, Stage: st.Name(), Site: server.Site.Dir, Visits: []PageResult{}, Stores: []Store{}, Pages: []PageResult{},
		Fetches: []FetchResult{}, Stories: []*StoryResult{}, Findings: []Finding{}}
	if o.SampledOf > 0 {
		r.Sampled = &Sampled{len(o.Pages), o.SampledOf}
	}
	start, err := server.Site.StartPage()
	if err != nil {
		return nil, err
	}
	if len(o.Visits) == 0 {
		o.Visits = []string{start.URL, start.URL}
	}
	if len(o.Networks) == 0 {
		o.Networks = []stage.Network{stage.Offline}
	}
	if len(o.Pages) == 0 {
		for _, p := range server.Site.Pages() {
			o.Pages = append(o.Pages, p.URL)
		}
	}
	pages := o.Pages
	if o.Share != nil {
		s := *o.Share
		for _, n := range o.Networks {
			s.Networks = append(s.Networks, string(n))
		}
		s.Pages, s.Scripts = len(pages), o.Scripts
		if o.Merged != nil {
			if err := o.Merged.fits(s); err != nil {
				return nil, err
			}
			o.Pages, o.Revisit = nil, nil
		} else {
			r.Share, o.Pages = &s, s.of(pages)
		}
	}
	e := newExpected(server, o.Private)
	e.detail = o.Detail
	if s, ok := st.(ScriptRunner); ok {
		s.RunScripts(o.Scripts)
	}
	if s, ok := st.(Replayer); ok {
		s.Replay(true)
	}
	for _, v := range o.Visits {
		l, err := st.Open(v)
		if err != nil {
			return nil, err
		}
		e.note(v, l)
		r.Visits = append(r.Visits, e.result(v, stage.Online, l))
		if err := st.Settle(); err != nil {
			return nil, err
		}
	}
	if err := r.state(st, o.Stores); err != nil {
		return nil, err
	}
	if err := r.registerAsWritten(st, o, e); err != nil {
		return nil, err
	}
	r.take(st.Remarks(), o.Scripts)
	if !r.Judged() {
		e.doubt = "not known here: its worker imports a script of which nothing is known"
	}
	r.stale(server, o.Next)
	if o.Scripts {
		e.online = newBaseline(o.Pages)
	}
	begin, back, err := beginnings(st)
	if err != nil {
		return nil, err
	}
	parts, err := r.states(ctx, st, server, o, e, back)
	if err != nil {
		return nil, err
	}
	if o.Merged != nil {
		opened, err := o.Merged.states(pages, o.Networks)
		if err != nil {
			return nil, err
		}
		for i := range parts {
			parts[i].Pages, parts[i].Findings = opened[i].Pages, append(parts[i].Findings, opened[i].Findings...)
		}
	}
	r.Findings = append(r.Findings, o.Notes...)
	if o.Unrun != "" {
		r.Findings = append(r.Findings, Finding{Kind: "scripts", Level: "advice", Message: o.Unrun})
	}
	for _, p := range parts {
		r.Pages, r.Fetches, r.Traces = append(r.Pages, p.Pages...), append(r.Fetches, p.Fetches...), append(r.Traces, p.Traces...)
		r.Findings = append(r.Findings, p.Findings...)
		r.take(p.remarks, o.Scripts)
	}
	if o.Merged != nil {
		o.Merged.join(r)
	}
	if r.Share != nil { // what is not about single pages is seen to by who merges
		r.sayOrigins()
		r.sayUnknown()
		return r.located(server), nil
	}
	if r.Judged() && r.Worker.State != "none" || len(o.Entrances) > 0 {
		if err := r.enter(ctx, begin, o, e); err != nil {
			return nil, err
		}
		if r.Worker.State == "activated" && r.Judged() {
			if r.Push, err = push(begin, o.Visits, e.fork()); err != nil {
				return nil, err
			}
		}
	}
	if r.Worker.State == "activated" && r.Judged() && len(o.Forms) > 0 {
		if r.Forms, err = forms(ctx, begin, o, e.fork()); err != nil {
			return nil, err
		}
	}
	r.sayOrigins()
	r.sayUnknown()
	if e, ok := st.(*Embedded); ok && len(o.Led) > 0 && r.Judged() && r.Worker.State != "none" {
		if r.Led, err = led(ctx, func() *Embedded { return e.fresh(server) }, o); err != nil {
			return nil, err
		}
	}
	if e, ok := st.(*Embedded); ok && o.Comeback && r.Judged() {
		if r.Comebacks, err = comebacks(ctx, func() *Embedded { return e.fresh(server) }, server, r); err != nil {
			return nil, err
		}
		if r.Renewals, err = renewals(ctx, func() *Embedded { return e.fresh(server) }, server, r, o); err != nil {
			return nil, err
		}
	}
	return r.located(server), nil
}

// beginnings gives how stages are had that begin where the visits ended, and, for a stage that cannot be forked, how it goes back there.
func beginnings(st Stage) (begin from, back func() error, err error) {
	if forker, ok := st.(Forker); ok {
		return func() (Stage, func(), error) { f := forker.Fork(); return f, f.Close, nil }, nil, nil
	}
	if back, err = st.Keep(); err != nil {
		return nil, nil, err
	}
	return func() (Stage, func(), error) {
		if err := st.SetNetwork(stage.Online); err != nil {
			return nil, nil, err
		}
		return st, func() {}, back()
	}, back, nil
}

// registerAsWritten lets the worker be registered as scripts are written when running them does not come to it, for they may need what the
// stage lacks.
func (r *Report) registerAsWritten(st Stage, o Options, e expected) error {
	s, ok := st.(*Embedded)
	if !o.Scripts || !ok || r.Worker.State != "none" {
		return nil
	}
	s.RunScripts(false)
	defer s.RunScripts(true)
	for _, v := range o.Visits {
		l, err := st.Open(v)
		if err != nil {
			return err
		}
		e.note(v, l)
		if err := st.Settle(); err != nil {
			return err
		}
	}
	r.Stores = []Store{}
	if err := r.state(st, o.Stores); err != nil {
		return err
	}
	if r.Worker.State != "none" {
		r.Findings = append(r.Findings, Finding{Kind: "scripts", Level: "warning", URL: o.Visits[0], Message: "the page's scripts do not come to register the worker here; it was registered as they are written. --stage chromium tells what browsers do",
			Mend: mends["scripts"]})
	}
	return nil
}

// part is what came of one network state.
type part struct {
	Report
	remarks []stage.Remark
}

// states goes through the network states, each from what the visits left. A stage that can be forked goes through several at
// the same time.
func (r *Report) states(ctx context.Context, st Stage, server *site.Server, o Options, e expected, back func() error) ([]part, error) {
	parts := make([]part, len(o.Networks))
	total := len(o.Networks) * len(o.Pages)
	var mu sync.Mutex
	done := 0
	step := func() {
		mu.Lock()
		defer mu.Unlock()
		if done++; o.Progress != nil {
			o.Progress(done, total)
		}
	}
	if forker, ok := st.(Forker); ok {
		g, each := errgroup.WithContext(ctx)
		g.SetLimit(min(max(runtime.GOMAXPROCS(0), 2), 4)) // each holds an engine and what the worker keeps in memory
		if e.online != nil {                              // others wait for it, so it is first
			f := forker.Fork()
			g.Go(func() error {
				defer f.Close()
				return e.online.take(each, f, o.Pages)
			})
		}
		for i, n := range o.Networks {
			f := forker.Fork()
			g.Go(func() error {
				defer f.Close()
				return parts[i].state(each, f, server, o, e.fork(), n, step)
			})
		}
		if err := g.Wait(); err != nil {
			return nil, err
		}
		return parts, r.afterwards(ctx, parts, o, e, func() (Stage, func(), error) {
			f := forker.Fork()
			return f, f.Close, nil
		})
	}
	if e.online != nil {
		if err := back(); err != nil {
			return nil, err
		}
		if err := e.online.take(ctx, st, o.Pages); err != nil {
			return nil, err
		}
	}
	for i, n := range o.Networks {
		if err := back(); err != nil {
			return nil, err
		}
		if err := parts[i].state(ctx, st, server, o, e, n, step); err != nil {
			return nil, err
		}
		if err := st.SetNetwork(stage.Online); err != nil {
			return nil, err
		}
	}
	return parts, r.afterwards(ctx, parts, o, e, func() (Stage, func(), error) { return st, func() {}, back() })
}

// state opens every page in one network state.
func (r *part) state(ctx context.Context, st Stage, server *site.Server, o Options, e expected, n stage.Network, step func()) error {
	if err := st.SetNetwork(n); err != nil {
		return err
	}
	if err := st.Rest(); err != nil {
		return err
	}
	for _, p := range o.Pages {
		if err := ctx.Err(); err != nil {
			return err
		}
		if n != stage.Offline {
			e.online.of(p) // a page that does the same again is not run again
		}
		l, err := st.Open(p)
		if err != nil {
			return err
		}
		r.Pages = append(r.Pages, e.result(p, n, l))
		if o.Picture != nil {
			if err := o.Picture(p, n); err != nil {
				return err
			}
		}
		step()
	}
	if len(o.Fetches) > 0 {
		if _, err := st.Open(o.Visits[0]); err != nil {
			return err
		}
	}
	for _, f := range o.Fetches {
		a, err := st.Fetch(f)
		if err != nil {
			return err
		}
		r.Fetches = append(r.Fetches, FetchResult{URL: f, Network: string(n), Result: a.Result, Status: a.Status, Type: a.Type, SHA256: a.SHA256, Why: a.Why})
	}
	r.standIns(n)
	if err := r.follow(st, server, o, n); err != nil {
		return err
	}
	r.remarks = st.Remarks()
	return nil
}

// stale notes that the next release changes files that are stored, and not the worker, so that visitors keep the old ones.
func (r *Report) stale(server, next *site.Server) {
	if next == nil || r.Worker.URL == "" || server.Digest(r.Worker.URL) != next.Digest(r.Worker.URL) {
		return
	}
	var changed []string
	for _, s := range r.Stores {
		for _, u := range s.URLs {
			if path, _, _ := strings.Cut(u, "?"); strings.HasPrefix(u, "/") && server.Digest(path) != next.Digest(path) && !slices.Contains(changed, u) {
				changed = append(changed, u)
			}
		}
	}
	if len(changed) > 0 {
		r.Findings = append(r.Findings, Finding{Kind: "stale", Level: "warning", File: r.Worker.URL, Mend: mends["stale"],
			Message: fmt.Sprintf("the next release changes %s, which is stored, and the worker stays the same, so that no browser installs it again", strings.Join(changed[:min(3, len(changed))], ", "))})
	}
}

// standIns notes pages shown in place of others that lack something themselves.
func (r *Report) standIns(n stage.Network) {
	for _, p := range r.Pages {
		if p.Network == string(n) && p.Outcome == StandIn && len(p.Missing) > 0 && p.AnsweredBy == string(stage.ByWorker) {
			r.Findings = append(r.Findings, Finding{Kind: "stand-in", Level: "warning", URL: p.URL, Mend: mends["stand-in"],
				Message: fmt.Sprintf("the page that is shown instead (%q) lacks %s, which is not stored", p.Title, p.Missing[0].URL)})
			return // once is enough
		}
	}
}

// follow tells the way of the requests that were asked for.
func (r *Report) follow(st Stage, server *site.Server, o Options, n stage.Network) error {
	tracer, ok := st.(Tracer)
	if !ok {
		return nil
	}
	if s, ok := st.(Replayer); ok && len(o.Traces) > 0 { // what is told is to happen now
		s.Replay(false)
		defer s.Replay(true)
	}
	for _, u := range o.Traces {
		t := Trace{URL: u, Network: string(n), Steps: []TraceStep{}}
		path, _, _ := strings.Cut(u, "?")
		page := server.Answer("GET", path)
		asPage := page.Status >= 300 || strings.Contains(page.Header.Get("Content-Type"), "html")
		if !asPage { // a page has to be open to ask for it
			if _, err := st.Open(o.Visits[0]); err != nil {
				return err
			}
		}
		if err := st.Rest(); err != nil {
			return err
		}
		begin := -1.0
		tracer.Trace(func(s stage.TraceStep) {
			if begin < 0 {
				begin = s.At
			}
			t.Steps = append(t.Steps, TraceStep{s.At - begin, s.Text, s.File, s.Line})
		})
		var l *stage.Load
		var err error
		if asPage {
			l, err = st.Open(u)
		} else {
			_, err = st.Fetch(u)
		}
		tracer.Trace(nil)
		if err != nil {
			return err
		}
		if l != nil { // what the page asks for is told by itself
			if i := slices.IndexFunc(t.Steps, func(s TraceStep) bool { return strings.HasPrefix(s.Text, "the page asks for ") }); i >= 0 {
				t.Steps = t.Steps[:i]
			}
			for _, q := range l.Requests {
				t.Asked = append(t.Asked, Asked{Request{q.URL, q.Method, string(q.Use), q.Result, q.Status, string(q.AnsweredBy)}, q.Source, q.Bytes, q.Sent, q.Took})
			}
			slices.SortStableFunc(t.Asked, func(a, b Asked) int { return cmp.Compare(a.At, b.At) })
			for i, m := range l.Missing {
				t.Steps = append(t.Steps, TraceStep{At: t.last(), Text: fmt.Sprintf("of the %d things that the page asks for, %d of %d missing: %s (%s)", l.Needs, i+1, len(l.Missing), m.URL, m.Why)})
			}
			if l.Status > 0 && len(l.Missing) == 0 {
				t.Steps = append(t.Steps, TraceStep{At: t.last(), Text: fmt.Sprintf("the page asks for %d more things, and gets them", l.Needs)})
			}
		}
		r.Traces = append(r.Traces, t)
	}
	return nil
}

func (r *Report) state(st Holder, entries bool) error {
	r.Worker = Worker{State: "none"}
	regs, err := st.Registrations()
	if err != nil {
		return err
	}
	sort.SliceStable(regs, func(i, j int) bool { return len(regs[i].Scope) < len(regs[j].Scope) })
	if len(regs) > 0 {
		g := regs[0]
		r.Worker = Worker{URL: g.URL, Scope: g.Scope, State: g.State, Error: g.Error, File: g.File, Line: g.Line}
	}
	stores, err := st.Stores()
	if err != nil {
		return err
	}
	for _, s := range stores {
		out := Store{Name: s.Name, URLs: []string{}}
		for _, e := range s.Entries {
			if u := worker.StoredFile(e.URL); !slices.Contains(out.URLs[max(0, len(out.URLs)-1):], u) { // sorted
				out.URLs = append(out.URLs, u)
			}
			out.Bytes += e.Bytes
			switch {
			case e.Listed:
				out.Listed++
			case e.By == "worker":
				out.Gathered++
			}
			if entries {
				out.Entries = append(out.Entries, Stored{e.URL, e.Type, e.Status, e.Bytes, e.Age.Seconds(), e.By})
			}
		}
		r.Stores = append(r.Stores, out)
	}
	return nil
}

// take turns the stage's remarks into findings, each once. Of scripts that ran it is no matter that they were read as well.
func (r *Report) take(remarks []stage.Remark, ran bool) {
	seen := map[Finding]bool{}
	for _, f := range r.Findings {
		seen[f] = true
	}
	for _, m := range remarks {
		if ran && strings.HasPrefix(m.Kind, "unread-") {
			continue
		}
		f := Finding{Kind: m.Kind, Level: "warning", Message: m.Message, File: m.File, Line: m.Line, Column: m.Column, URL: m.URL}
		switch m.Kind {
		case "install", "register", "limit":
			f.Level = "blocker"
			f.Mend = mends[m.Kind]
		case "console", "page-console", "note", "unread-request", "unread-message":
			f.Level, f.Mend = "advice", mends[m.Kind]
		case "unknown-script":
			f.Level, f.Mend = "advice", mends["unknown-origin"]
		default:
			f.Mend = mends[m.Kind]
		}
		if !seen[f] {
			seen[f] = true
			r.Findings = append(r.Findings, f)
		}
	}
}

// mends say what to do about each kind of remark.
var mends = map[string]string{
	"install":    "correct the list or the handler; until then the worker is not installed and nothing is stored",
	"register":   "correct the script, its address or its scope; until then there is no worker at all",
	"limit":      "find what never ends; a browser stops such a worker too",
	"page-limit": "look at the page in a browser (--stage chromium), which runs scripts many times faster; when it is slow there too, find what takes so long",
	"exception":  "catch the exception, or correct what causes it",
	"rejection":  "catch the rejection, or correct what causes it",
	"late":       "call it while the event is being dispatched, before the first await",
	"body-used":  "clone() the response before its body is used",
	"add-all":    "remove the file from the list, or put it into the site",
	"update":     "keep the worker's script at the same address",

	"stored-error":   "look at response.ok before put()",
	"stored-private": "leave such requests to the network, or empty the store when the visitor signs out",
	"stored-opaque":  "request them with CORS (crossorigin on the element), or bound how many are kept",
	"not-awaited":    "give waitUntil() a promise that is settled when everything is stored: event.waitUntil(caches.open(name).then((store) => store.addAll(list))), with nothing in between that returns nothing",
	"json-module":    "write the data into the script, or import a module of JavaScript that exports it",
	"own-store":      "keep the names that install uses out of what activate deletes",
	"redirected":     "store the address that the redirect leads to, or answer with new Response(r.body, r)",
	"unknown-origin": "keep what it answers, with tachyform record, or name a folder that stands in for it ([[server.origin]])",
	"stand-in":       "store what the page that is shown instead needs, too",
	"scripts":        "look at the errors of the page (--detail errors); a condition before register() may not hold",
	"unread-request": "run the scripts: --scripts run, for single pages with --page, or --stage chromium",
	"unread-message": "run the scripts: --scripts run, for single pages with --page, or --stage chromium",
	"stale":          "change the worker with every release, for example its list of files with their digests",
}
