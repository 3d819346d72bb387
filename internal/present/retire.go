package present

import (
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/shell"
)

// RetireResult is what --format json prints of a retirement.
type RetireResult struct {
	Format     string          `json:"format"` // "tachyform.retirement/1"
	Site       string          `json:"site"`
	DryRun     bool            `json:"dry_run"`
	Everything bool            `json:"everything"` // the stores of all applications of the origin are removed
	Workers    []RetiredWorker `json:"workers"`
	Registered []RetirePlace   `json:"registered"` // places of the site's own that register a worker again
	Pages      int             `json:"pages"`      // pages that hold our script, which registers ours again
	Written    int             `json:"written"`    // files that are new or other than before
	Strip      *StripResult    `json:"strip,omitempty"`
}

// RetiredWorker is an address at which a retiring worker lies.
type RetiredWorker struct {
	URL      string `json:"url"`
	Known    string `json:"known"`    // by what it is known that a worker lies or lay there
	Replaced bool   `json:"replaced"` // a file of the site's own is replaced; strip brings it back
}

// RetirePlace is a place in a file.
type RetirePlace struct {
	File   string `json:"file"`
	Line   int    `json:"line"`
	Column int    `json:"column"`
}

// RetireOf makes the JSON form of a retirement.
func RetireOf(dir string, r *fitting.Retirement, everything, dryRun bool) RetireResult {
	out := RetireResult{Format: "tachyform.retirement/1", Site: dir, DryRun: dryRun, Everything: everything, Workers: []RetiredWorker{}, Registered: []RetirePlace{}, Pages: r.Pages, Written: len(r.Changes())}
	for _, w := range r.Workers {
		out.Workers = append(out.Workers, RetiredWorker{w.URL, w.Known, w.Own})
	}
	for _, g := range r.Registered {
		out.Registered = append(out.Registered, RetirePlace{g.File, g.Line, g.Column})
	}
	if r.Removal != nil {
		s := StripOf(dir, r.Removal, dryRun)
		out.Strip = &s
		out.Pages = 0
	}
	return out
}

// Retire writes what a retirement does.
func (s *Style) Retire(r RetireResult) error {
	if r.DryRun {
		s.sayf("%s nothing was written; this would be\n\n", s.title.Render("Dry run of retire "+r.Site+":"))
	} else {
		s.sayf("%s\n\n", s.title.Render("Retired the worker of "+r.Site))
	}
	for i, w := range r.Workers {
		label := "worker"
		if i > 0 {
			label = ""
		}
		more := w.Known
		if w.Replaced {
			more += "; the file that lay there is kept, and strip brings it back"
		}
		s.row(label, s.good.Render(pad(w.URL, 24))+" "+s.faint.Render(more))
	}
	if r.Strip != nil {
		s.row("taken out", count(r.Strip.Pages, "page")+" and "+count(len(r.Strip.Deleted)+len(r.Strip.Restored), "file")+s.faint.Render(", as tachyform strip does"))
		for _, k := range r.Strip.Kept {
			s.row("", s.warn.Render(k.Path)+" "+s.faint.Render(k.Why))
		}
	}
	stores := "what Tachyform's worker stored for this site; stores that another worker made stay on devices (--clear empties all of the origin)"
	if r.Everything {
		stores = s.warn.Render("the stores of every application of this origin")
	}
	s.row("empties", lines(s.faint, s.wrap(stores, 100, 18)))
	s.row("keeps", lines(s.faint, s.wrap("what visitors sent and the server does not have yet: it is sent first, and until then the worker stays, without answering anything", 100, 18)))
	s.row("visitors", lines(s.faint, s.wrap("are free at their next visit with a network: open pages are loaded once from the network. Keep these files deployed until everybody has been there", 100, 18)))
	for i, g := range r.Registered {
		if i == 0 {
			s.sayf("\n  %s\n", s.wrap("A page registers the worker again at every visit, and each time it goes again. No harm is done, and it costs every visit a download: take the call out of", 110, 2))
		}
		s.sayf("    %s:%d:%d\n", g.File, g.Line, g.Column)
	}
	if r.Pages > 0 {
		s.sayf("\n  %s\n", s.wrap(count(r.Pages, "page")+" hold our script, which registers the worker again at every visit, and each time it goes again: --strip takes that out, too.", 110, 2))
	}
	if r.DryRun {
		return s.err
	}
	return s.Next("tachyform fit "+shell.Quote(r.Site), "puts a worker in its place again, and visitors have it from their next visit on")
}
