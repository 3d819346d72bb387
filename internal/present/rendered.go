package present

import (
	"strings"

	"tachyform.dev/tachyform/internal/fitting"
)

// FitRendered is what a fit of a site does whose pages come from a server, as JSON.
type FitRendered struct {
	Pages     int        `json:"pages"`
	WorkerURL string     `json:"worker_url"`
	Chosen    []string   `json:"fetched_at_installation"`
	NotKept   []FitLeft  `json:"not_kept"`
	Snippet   string     `json:"snippet"`
	Layout    *FitLayout `json:"layout"`
}

// FitLayout is what became of the template that all pages share.
type FitLayout struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Changed bool   `json:"changed"`
	Why     string `json:"left_alone"`
}

// FitArrived is what the server was seen to send after a fit.
type FitArrived struct {
	Pages   int      `json:"pages"`
	Without []string `json:"pages_without_tags"`
	Missing bool     `json:"error_page_without_tags"`
	Worker  string   `json:"worker"`
	Files   []string `json:"files"`
	Held    bool     `json:"layout_waits"` // the layout was left alone, since the server does not send what its tags would name
}

func renderedOf(r *fitting.Rendered) *FitRendered {
	if r == nil {
		return nil
	}
	out := &FitRendered{Pages: r.Pages, WorkerURL: r.WorkerURL, Chosen: append([]string{}, r.Chosen...), NotKept: []FitLeft{}, Snippet: string(r.Snippet)}
	for _, u := range r.Unkept {
		out.NotKept = append(out.NotKept, FitLeft(u))
	}
	if l := r.Layout; l != nil {
		out.Layout = &FitLayout{l.File, l.Line, l.Changed, l.Why}
	}
	return out
}

// ArrivedOf makes the JSON form of what the server was seen to send.
func ArrivedOf(a *fitting.Arrival) *FitArrived {
	return &FitArrived{a.Pages, append([]string{}, a.Without...), a.Missing, a.Worker, append([]string{}, a.Files...), a.Held}
}

// rendered says what becomes of pages that a server makes.
func (s *Style) rendered(p *fitting.Plan, dryRun bool) {
	r := p.Rendered
	if r == nil {
		return
	}
	s.sayf("\n  %s\n", s.title.Render("Pages of the server"))
	s.row("layout", lines(s.faint, s.wrap(layoutWords(r, dryRun), 100, 18)))
	if r.Layout == nil || r.Layout.Why != "" {
		for _, line := range strings.Split(strings.TrimSpace(string(r.Snippet)), "\n") {
			s.row("", line)
		}
	}
	if p.Worker == "" {
		return
	}
	if len(r.Chosen) > 0 {
		s.row("at first visit", brief(r.Chosen)+s.faint.Render(", fetched without cookies"))
	}
	if n := r.Pages - len(r.Unkept); n > 0 {
		s.row("as visited", count(n, "page")+" of "+itoa(r.Pages)+s.faint.Render(" that were read: kept as everybody gets them, "+itoa(p.Caching.Visited.Entries)+" at most"))
	}
	order, byWhy := grouped(r.Unkept)
	label := "never kept"
	for _, why := range order {
		s.row(label, count(len(byWhy[why]), "page")+": "+lines(s.faint, s.wrap(why+" ("+brief(byWhy[why])+")", 100, 18)))
		label = ""
	}
}

func layoutWords(r *fitting.Rendered, dryRun bool) string {
	l := r.Layout
	switch {
	case l == nil:
		return "no template is named: put these lines into the head of the one that all pages share, in front of </head>. --layout FILE does it, --snippet FILE writes them"
	case l.Why != "" && l.Line > 0:
		return l.File + " was left alone: " + l.Why + ". Put these lines into its head; line " + itoa(l.Line) + " ends it"
	case l.Why != "":
		return l.File + " was left alone: " + l.Why + ". Put these lines where it makes the head"
	case !l.Changed:
		return l.File + " holds the tags"
	case dryRun:
		return "the tags would go into " + l.File + ", line " + itoa(l.Line)
	}
	return "the tags go into " + l.File + ", line " + itoa(l.Line) + ", once the server sends what they name"
}

// Arrived says what the server was seen to send after a fit.
func (s *Style) Arrived(p *fitting.Plan, a *fitting.Arrival, public, snapshot string) error {
	s.sayf("\n  %s\n", s.title.Render("Asked of the server"))
	if l := p.Rendered.Layout; l != nil && l.Why == "" {
		switch {
		case a.Held:
			s.row("layout", s.warn.Render(l.File+" was left alone: the server does not send what the tags name."))
			s.row("", lines(s.faint, s.wrap("Is public_path right? A server that looks for files only when it starts has to be started anew. Then fit again; --anyway does not wait for it.", 100, 18)))
		case l.Changed:
			s.row("layout", s.good.Render("the tags are in "+l.File)+", line "+itoa(l.Line))
		}
	}
	switch n := a.Pages - len(a.Without); {
	case len(a.Without) == 0:
		s.row("tags", s.good.Render("on all "+count(a.Pages, "page"))+" that were read")
	case n == 0 && a.Held:
		s.row("tags", s.warn.Render("on none of "+count(a.Pages, "page")+" yet"))
	case n == 0:
		s.row("tags", s.warn.Render("on none of "+count(a.Pages, "page")+" yet")+": put the lines above into the layout; a server that keeps its templates has to be started anew")
	case a.Together != "":
		s.row("tags", s.warn.Render("on "+itoa(n)+" of "+count(a.Pages, "page"))+": all below "+a.Together+" lack them, which another layout makes")
	default:
		s.row("tags", s.warn.Render("on "+itoa(n)+" of "+count(a.Pages, "page"))+": "+lines(s.faint, s.wrap(brief(a.Without)+" without them: another layout makes these", 90, 18)))
	}
	if a.Missing && a.Pages > len(a.Without) {
		s.row("", "not on the page for what is missing (404): visitors who come in there get no worker")
	}
	if p.Worker != "" && a.Worker == "" {
		s.row("worker", s.good.Render(p.Rendered.WorkerURL)+" is sent as browsers want it")
	} else if p.Worker != "" {
		s.row("worker", s.warn.Render(p.Rendered.WorkerURL+" "+a.Worker)+": until then nobody has a worker, and nothing works offline")
		for _, line := range p.Rendered.RenderedAdvice(public, p.Worker) {
			s.row("", line)
		}
	}
	label := "files"
	for i, f := range a.Files {
		if i == 4 && len(a.Files) > 5 {
			s.row("", "and "+count(len(a.Files)-i, "more file"))
			break
		}
		s.row(label, s.warn.Render(f))
		label = ""
	}
	s.row("snapshot", snapshot+s.faint.Render(" holds what was sent: rehearse and audit need no server"))
	return s.err
}
