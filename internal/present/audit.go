package present

import (
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/shell"
)

// Audit writes verdicts, then what failed, from the worst.
func (s *Style) Audit(r *audit.Report) error {
	s.sayf("%s\n\n", s.title.Render("Audit of "+r.Site))
	for _, p := range r.Platforms {
		switch {
		case p.Installable:
			s.sayf("  %s %s %s\n", s.good.Render("installs "), pad(p.Name, 26), s.faint.Render(p.How))
		case len(p.NotKnown) > 0:
			s.sayf("  %s %s %s\n", s.faint.Render("not known"), pad(p.Name, 26), strings.Join(p.NotKnown, ", "))
		default:
			s.sayf("  %s %s %s\n", s.bad.Render("does not "), pad(p.Name, 26), s.bad.Render(strings.Join(p.Blockers, ", ")))
		}
	}
	if installs := slices.ContainsFunc(r.Platforms, func(v audit.Verdict) bool { return v.Installable && strings.HasPrefix(v.ID, "chromium") }); installs {
		s.sayf("  %s %s\n", pad("", 9), s.faint.Render("why a browser may offer nothing all the same: tachyform explain install"))
	}
	tally, offline := map[rehearsal.Outcome]int{}, 0
	for _, p := range r.Rehearsal.Pages {
		if p.Network == "offline" {
			offline++
			tally[p.Outcome]++
		}
	}
	var sums []string
	for _, o := range rehearsal.Outcomes {
		if tally[o] > 0 {
			sums = append(sums, s.outcome(o).Render(itoa(tally[o])+" "+string(o)))
		}
	}
	s.sayf("  %s %s\n", pad("offline", 9), sampled(offline, r.Rehearsal)+": "+strings.Join(sums, ", "))
	if tally[rehearsal.NotKnown] > 0 {
		why := "the scripts use what this stage lacks; tachyform rehearse --stage auto asks a Chromium"
		if !r.Rehearsal.Judged() {
			why = "the worker imports a script of another origin, of which nothing is known here"
		}
		s.sayf("  %s %s\n", pad("", 9), s.faint.Render("not known: "+why))
	}
	if worst := r.Rehearsal.Worst(); worst != nil {
		s.sayf("  %s %s\n", pad("release", 9), s.wrap("the next one is "+arrivals(r.Rehearsal), 100, 12))
	} else if len(r.Rehearsal.Comebacks) > 0 {
		s.sayf("  %s %s\n", pad("release", 9), "what visitors see of the next one cannot be told: the worker shows pages of its own making, or none")
	}
	if d := r.Deployed; d != nil {
		style := s.bad
		if d.Whole {
			style = s.good
		}
		s.sayf("  %s %s\n", pad("deployed", 9), lines(style, s.wrap(d.Verdict, 100, 12)))
	}
	if b := r.Baseline; b != nil {
		s.sayf("  %s %s\n", pad("baseline", 9), s.wrap(sinceBaseline(b, ""), 100, 12))
	}
	passed, failed, other := 0, 0, 0
	for _, level := range []audit.Level{audit.Blocker, audit.Warning, audit.Advice} {
		for _, c := range r.Checks {
			if c.State == "failed" && c.Level == level {
				s.check(c)
			}
		}
	}
	for _, c := range r.Checks {
		switch c.State {
		case "passed":
			passed++
		case "failed":
			failed++
		default:
			other++
		}
	}
	s.sayf("\n  %s\n", s.faint.Render("Of "+count(passed+failed+other, "check")+" "+itoa(failed)+" found something, "+itoa(passed)+" found nothing amiss, "+itoa(other)+" had nothing to look at"))
	for _, c := range r.Checks {
		if c.Skipped != "" {
			s.sayf("  %s\n", s.faint.Render("left out: "+c.ID+" ("+c.Skipped+")"))
		}
	}
	return s.afterAudit(r)
}

// afterAudit says what to do next about what was found.
func (s *Style) afterAudit(r *audit.Report) error {
	if s.Within {
		return s.err
	}
	var worst *audit.Result
	bare, left := false, map[string]bool{} // pages that fit leaves alone
	rank := map[audit.Level]int{audit.Blocker: 3, audit.Warning: 2, audit.Advice: 1}
	for i, c := range r.Checks {
		if c.State != "failed" {
			continue
		}
		bare = bare || c.ID == "manifest/not-linked" || c.ID == "worker/none"
		if c.ID == "pages/head-unclear" {
			for _, f := range c.Findings {
				left[f.File] = true
			}
		}
		if worst == nil || rank[c.Level] > rank[worst.Level] {
			worst = &r.Checks[i]
		}
	}
	folder := !strings.Contains(r.Site, "://")
	var next []string
	if len(left) > 0 && slices.ContainsFunc(r.Checks, func(c audit.Result) bool {
		return c.ID == "manifest/not-linked" && slices.ContainsFunc(c.Findings, func(f audit.Finding) bool { return left[f.File] })
	}) {
		next = append(next, "tachyform explain pages/head-unclear", "why fit leaves the start page alone, and what to do instead")
		bare = false
	}
	if bare && folder {
		next = append(next, "tachyform fit "+shell.Quote(r.Site), "puts in what is missing")
	}
	if worst != nil {
		next = append(next, "tachyform explain "+worst.ID, "the check, with an example, and how it is mended")
	}
	if folder && (worst == nil || worst.Level == audit.Advice) {
		next = append(next, "tachyform serve "+shell.Quote(r.Site), "try it in a browser, as visitors will have it")
	}
	return s.Next(next...)
}

// arrivals says when a visitor who was there before sees a release, in the worst case first.
func arrivals(r *rehearsal.Report) string {
	worst, best := r.Worst(), r.Best()
	text := arrival(worst)
	if best != nil && arrival(best) != text {
		text += " when only " + worst.Changes + " change"
		if worst.Changes == rehearsal.PageChange {
			text += "s"
		}
		text += "; " + arrival(best) + " when " + best.Changes + " do"
	}
	return text
}

// arrival says when a visitor who was there before sees a release.
func arrival(c *rehearsal.Comeback) string {
	when := []string{"never seen", "seen at the first visit", "seen at the second visit",
		"seen when all tabs were closed and the site is opened anew", "seen at the second visit after all tabs were closed"}[c.Arrives()]
	if c.Mixes() {
		when += "; parts of the old one are shown beside parts of the new"
	}
	return when
}

// notPage finds the places, with or without line and column, that are in no page.
var notPage = regexp.MustCompile(`\.[a-zA-Z0-9]+(?::\d+:\d+)?$`)

// placesOf says what a list of places is of: pages, or other files, too.
func placesOf(where []string) string {
	for _, w := range where {
		if ext := notPage.FindString(w); ext != "" && !strings.HasPrefix(strings.ToLower(ext), ".htm") && !strings.HasPrefix(strings.ToLower(ext), ".xht") {
			return "place"
		}
	}
	return "page"
}

func (s *Style) check(c audit.Result) {
	style := s.warn
	switch c.Level {
	case audit.Blocker:
		style = s.bad
	case audit.Advice:
		style = s.accent
	}
	s.sayf("\n  %s %s\n", style.Render(pad(string(c.Level), 8)), s.title.Render(c.ID))
	s.sayf("           %s\n", s.wrap(c.Why, 100, 11))
	mend := ""
	groups := together(c.Findings)
	for i, g := range groups {
		if i == 6 {
			s.sayf("           and %s; --format json has all\n", count(len(groups)-i, "more place"))
			break
		}
		if g.Mend != mend && mend != "" {
			s.sayf("           %s\n", lines(s.faint, "mend: "+s.wrap(mend, 94, 17)))
		}
		mend = g.Mend
		if len(g.where) == 1 {
			if s.width > 0 {
				s.sayf("           %s\n", s.wrap(s.accent.Render(g.where[0])+" "+g.Message, 98, 13))
				continue
			}
			s.sayf("           %s  %s\n", s.accent.Render(g.where[0]), wrap(g.Message, 84, 13))
			continue
		}
		s.sayf("           %s\n", lines(s.accent, s.wrap(brief(g.where), 100, 11)))
		s.sayf("             %s\n", s.wrap(count(len(g.where), placesOf(g.where))+": "+g.Message, 98, 13))
	}
	if mend != "" {
		s.sayf("           %s\n", lines(s.faint, "mend: "+s.wrap(mend, 94, 17)))
	}
}

// group is findings that say the same of several places.
type group struct {
	audit.Finding
	where []string
}

// together joins findings that say the same, in the order of the first of each.
func together(findings []audit.Finding) []group {
	var out []group
	index := map[[2]string]int{}
	for _, f := range findings {
		where := f.File
		if f.Line > 0 {
			where += ":" + itoa(f.Line)
			if f.Column > 0 {
				where += ":" + itoa(f.Column)
			}
		}
		if where == "" {
			where = f.URL
		}
		k := [2]string{f.Message, f.Mend}
		i, ok := index[k]
		if !ok {
			i = len(out)
			index[k] = i
			out = append(out, group{Finding: f})
		}
		out[i].where = append(out[i].where, where)
	}
	return out
}
