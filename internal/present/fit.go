package present

import (
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
)

// FitResult is the JSON form of a fit, tachyform.fit/1.
type FitResult struct {
	Format     string        `json:"format"`
	Site       string        `json:"site"`
	DryRun     bool          `json:"dry_run"`
	Written    []FitFile     `json:"written"`
	Unchanged  int           `json:"unchanged"`
	Inferences []FitInferred `json:"inferences"`
	Left       []FitLeft     `json:"left_alone"`
	NotStowed  []FitLeft     `json:"not_stowed"`
	Conflicts  []FitConflict `json:"conflicts"`
	Remarks    []string      `json:"remarks"`
	Worker     string        `json:"worker"`
	Stowed     FitStowed     `json:"stowed"`
	Rendered   *FitRendered  `json:"rendered,omitempty"` // of a site whose pages come from a server
	Arrived    *FitArrived   `json:"arrived,omitempty"`
}

// FitFile is a file that was written.
type FitFile struct {
	Path string `json:"path"`
	Kind string `json:"kind"`
	New  bool   `json:"new"`
}

// FitInferred is a value and where it came from.
type FitInferred struct {
	What  string `json:"what"`
	Value string `json:"value"`
	From  string `json:"from"`
}

// FitLeft is a file that was left out, and why.
type FitLeft struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// FitConflict is a tag of the site's own that says something else.
type FitConflict struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
}

// FitStowed says what the worker stores.
type FitStowed struct {
	Now        int   `json:"now"`
	NowBytes   int64 `json:"now_bytes"`
	Later      int   `json:"later"`
	LaterBytes int64 `json:"later_bytes"`
	Ceiling    int64 `json:"ceiling"`
	AsVisited  bool  `json:"as_visited"`
	Kept       int   `json:"kept_by_rules"`
	KeptBytes  int64 `json:"kept_by_rules_bytes"`

	Spared []string `json:"spared"` // of Later, paths of what nothing in a small site asks for
}

// FitOf makes the JSON form of a plan.
func FitOf(p *fitting.Plan, dryRun bool) FitResult {
	r := FitResult{Format: "tachyform.fit/1", Site: p.Site.Dir, DryRun: dryRun, Written: []FitFile{}, Inferences: []FitInferred{}, Left: []FitLeft{},
		NotStowed: []FitLeft{}, Conflicts: []FitConflict{}, Remarks: []string{}, Worker: p.Worker,
		Stowed: FitStowed{p.Stowed.Now, p.Stowed.NowBytes, p.Stowed.Later, p.Stowed.LaterBytes, p.Stowed.Ceiling, p.Stowed.AsVisited, p.Stowed.Ahead, p.Stowed.AheadBytes, []string{}}}
	for _, c := range p.Changes {
		r.Written = append(r.Written, FitFile{c.Path, c.Kind, !c.Exists})
	}
	for _, n := range p.Same {
		r.Unchanged += n
	}
	for _, i := range p.Inferences {
		r.Inferences = append(r.Inferences, FitInferred(i))
	}
	for _, l := range p.Left {
		r.Left = append(r.Left, FitLeft(l))
	}
	for _, file := range p.Stowed.Spared {
		r.Stowed.Spared = append(r.Stowed.Spared, file.Path)
	}
	for _, l := range p.Stowed.Never {
		r.NotStowed = append(r.NotStowed, FitLeft(l))
	}
	for _, c := range p.Conflicts {
		r.Conflicts = append(r.Conflicts, FitConflict(c))
	}
	r.Remarks = append(r.Remarks, p.Remarks...)
	r.Rendered = renderedOf(p.Rendered)
	return r
}

// Fit writes the summary of a fit.
func (s *Style) Fit(p *fitting.Plan, dryRun bool) error {
	wrote, verb := 0, "wrote"
	byKind := map[string][]fitting.Change{}
	for _, c := range p.Changes {
		wrote++
		byKind[c.Kind] = append(byKind[c.Kind], c)
	}
	switch {
	case dryRun:
		verb = "would write"
		s.sayf("%s %s would be written; nothing was\n", s.title.Render("Dry run of "+p.Site.Dir+":"), count(wrote, "file"))
	case wrote == 0:
		s.sayf("%s nothing to do, every file is as it should be\n", s.title.Render("Fitted "+p.Site.Dir+":"))
	default:
		s.sayf("%s %s written\n", s.title.Render("Fitted "+p.Site.Dir+":"), count(wrote, "file"))
	}
	s.sayf("\n")
	label := verb
	for _, kind := range []string{"icon", "launch picture", "manifest", "screenshot", "worker", "engine", "list", "page script", "offline page", "offline script", "page"} {
		list := byKind[kind]
		if len(list) == 0 {
			continue
		}
		var names []string
		fresh := 0
		for _, c := range list {
			names = append(names, c.Path)
			if !c.Exists {
				fresh++
			}
		}
		what := count(len(list), kind)
		if kind == "page" {
			what += " edited"
		} else if fresh < len(list) {
			what += " anew"
		}
		s.row(label, s.good.Render(pad(what, 18))+" "+lines(s.faint, s.wrap(brief(names), 82, 37)))
		label = ""
	}
	label = "unchanged"
	kinds := make([]string, 0, len(p.Same))
	for k := range p.Same {
		kinds = append(kinds, k)
	}
	sort.Strings(kinds)
	var same []string
	for _, k := range kinds {
		same = append(same, count(p.Same[k], k))
	}
	if len(same) > 0 {
		s.row(label, strings.Join(same, ", "))
	}
	s.left(p)
	if p.Foreign != nil {
		where := p.Foreign.URL
		if where == "" {
			where = "a worker"
		}
		s.sayf("\n  %s\n", s.warn.Render("No worker was written."))
		s.sayf("  %s\n", s.wrap(p.Foreign.File+" (line "+itoa(p.Foreign.Line)+") registers "+where+
			", which is the site's own. Two workers for the same pages would push each other out at every visit, so it stays and ours is left out, with the page script and the offline page. tachyform rehearse shows what the site's own worker does offline; --replace-worker puts ours in its place.", 100, 2))
	}
	s.sayf("\n  %s\n", s.title.Render("Chosen, and where from"))
	for _, i := range p.Inferences {
		s.sayf("  %s %s  %s\n", s.faint.Render(pad(i.What, 17)), pad(clip(i.Value, s.column(44)), s.column(44)), s.faint.Render(clip(i.From, 74)))
	}
	if p.Worker != "" {
		st := p.Stowed
		s.sayf("\n  %s\n", s.title.Render("Stored on the visitor's device"))
		s.row("at first visit", count(st.Now, "file")+", "+Bytes(st.NowBytes)+" of a ceiling of "+Bytes(st.Ceiling))
		if st.Ahead > 0 {
			s.row("", count(st.Ahead, "file")+" of data besides, "+Bytes(st.AheadBytes)+", which rules keep and which are no part of the release")
		}
		switch {
		case st.AsVisited:
			s.row("when asked for", count(st.Later, "file")+", "+Bytes(st.LaterBytes)+": too many for the worker, so their list lies beside it in pieces that are fetched when they are needed")
		case len(st.Spared) > 0:
			var names []string
			for _, file := range st.Spared {
				names = append(names, file.Path)
			}
			s.row("when asked for", count(st.Later, "file")+", "+Bytes(st.LaterBytes)+", which nothing in the site asks for; [stow] now would store them at the first visit")
			s.row("", s.faint.Render(brief(names)))
		case st.Later > 0:
			s.row("when asked for", count(st.Later, "file")+", "+Bytes(st.LaterBytes))
		}
		for i, n := range st.Never {
			if i == maxListed {
				s.row("", "and "+count(len(st.Never)-i, "more file"))
				break
			}
			l := "never"
			if i > 0 {
				l = ""
			}
			s.row(l, pad(clip(n.Path, s.column(40)), s.column(40))+" "+s.faint.Render(n.Why))
		}
	}
	s.rendered(p, dryRun)
	s.remarks(p)
	return s.err
}

func (s *Style) row(label, text string) {
	s.sayf("  %s %s\n", s.faint.Render(pad(label, 15)), text)
}

// grouped gives paths by the reason why they are left out, and the reasons in the order in which they come first.
func grouped(list []site.Skipped) (order []string, of map[string][]string) {
	of = map[string][]string{}
	for _, l := range list {
		if of[l.Why] == nil {
			order = append(order, l.Why)
		}
		of[l.Why] = append(of[l.Why], l.Path)
	}
	return order, of
}

// left names the pages that were not edited, grouped by the reason.
func (s *Style) left(p *fitting.Plan) {
	order, byWhy := grouped(p.Left)
	label := "left alone"
	for _, why := range order {
		s.row(label, s.warn.Render(count(len(byWhy[why]), "page"))+": "+lines(s.faint, s.wrap(why+" ("+brief(byWhy[why])+")", 100, 18)))
		label = ""
	}
	order, skipped := grouped(p.Site.Skipped)
	label = "not looked at"
	for _, why := range order {
		s.row(label, count(len(skipped[why]), "entry")+": "+lines(s.faint, s.wrap(why+" ("+brief(skipped[why])+")", 100, 18)))
		label = ""
	}
}

func (s *Style) remarks(p *fitting.Plan) {
	if len(p.Remarks)+len(p.Conflicts) == 0 {
		return
	}
	s.sayf("\n  %s\n", s.title.Render("To know"))
	for i, c := range p.Conflicts {
		if i == maxListed {
			s.sayf("  and %s of this kind\n", count(len(p.Conflicts)-i, "more conflict"))
			break
		}
		at := c.File
		if c.Line > 0 {
			at += ":" + itoa(c.Line) + ":" + itoa(c.Column)
		}
		s.sayf("  %s %s\n", s.warn.Render(at), s.wrap(c.Message, 100, 4))
	}
	for _, r := range p.Remarks {
		s.sayf("  %s\n", s.wrap(r, 116, 4))
	}
}
