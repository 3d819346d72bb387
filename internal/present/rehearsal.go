package present

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/charmbracelet/lipgloss"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/shell"
)

func itoa(n int) string { return strconv.Itoa(n) }

func (s *Style) outcome(o rehearsal.Outcome) lipgloss.Style {
	switch o {
	case rehearsal.Whole:
		return s.good
	case rehearsal.Lost, rehearsal.Blank:
		return s.bad
	}
	return s.warn
}

// maxPages is how many pages a rehearsal lists before it groups them.
const maxPages = 60

// Rehearsal writes what visitors got.
func (s *Style) Rehearsal(r *rehearsal.Report) error {
	s.sayf("%s on the %s stage\n\n", s.title.Render("Rehearsal of "+r.Site), r.Stage)
	w := r.Worker
	switch w.State {
	case "none":
		s.row("worker", s.warn.Render("none")+": after the visits none is registered")
	case "not known":
		s.row("worker", s.warn.Render("not known")+" "+w.URL+": "+s.wrap(w.Error, 100, 17))
	case "failed":
		s.row("worker", s.bad.Render("failed")+" "+w.URL+": "+s.wrap(w.Error, 100, 17))
		if w.Line > 0 {
			s.row("", s.faint.Render(w.File+":"+itoa(w.Line)))
		}
	default:
		s.row("worker", s.good.Render(w.State)+" "+w.URL+s.faint.Render(", scope "+w.Scope))
	}
	for i, v := range r.Visits {
		by := v.AnsweredBy
		if v.Source != "" && v.Source != by {
			by += ", " + v.Source
		}
		text := "online, answered by the " + by
		if v.Outcome != rehearsal.Whole {
			text += ", " + s.outcome(v.Outcome).Render(string(v.Outcome)) + s.missing(v)
		}
		s.row("visit "+itoa(i+1), pad(v.URL, 6)+" "+text)
	}
	for i, st := range r.Stores {
		if i == 20 && len(r.Stores) > 21 {
			s.row("", s.faint.Render(fmt.Sprintf("and %s; --format json has all", count(len(r.Stores)-i, "more store"))))
			break
		}
		s.row("store", st.Name+s.faint.Render(fmt.Sprintf("  %s, %s", count(len(st.URLs), "answer"), Bytes(st.Bytes))))
	}
	s.stored(r)
	s.matrix(r)
	for _, f := range r.Fetches {
		s.row("fetch "+f.Network, f.URL+" "+f.Result+" "+itoa(f.Status))
	}
	s.entrances(r)
	s.stories(r)
	s.traces(r)
	s.differences(r)
	if len(r.Findings) > 0 {
		s.sayf("\n  %s\n", s.title.Render("Noticed"))
		for i, f := range r.Findings {
			if i == 12 {
				s.sayf("  and %s; --format json has all\n", count(len(r.Findings)-i, "more remark"))
				break
			}
			where := f.File
			if f.Line > 0 {
				where += ":" + itoa(f.Line) + ":" + itoa(f.Column)
			}
			if f.Original != "" {
				where += " (written in " + f.Original + ")"
			}
			if where == "" {
				where = f.URL
			}
			style := s.warn
			if f.Level == "blocker" {
				style = s.bad
			}
			s.sayf("  %s %s\n", style.Render(pad(f.Level, 8)), s.wrap(strings.TrimPrefix(where+": "+f.Message, ": "), 100, 11))
			if f.Mend != "" {
				s.sayf("           %s\n", s.faint.Render("mend: "+f.Mend))
			}
		}
	}
	return s.afterRehearsal(r)
}

// afterRehearsal says what to do next about what was seen.
func (s *Style) afterRehearsal(r *rehearsal.Report) error {
	if s.Within {
		return s.err
	}
	folder := !strings.Contains(r.Site, "://")
	site := shell.Quote(r.Site)
	var next []string
	if r.Worker.State == "none" && folder {
		next = append(next, "tachyform fit "+site, "gives the site a worker")
	} else {
		rank := map[rehearsal.Outcome]int{rehearsal.Lost: 4, rehearsal.Blank: 3, rehearsal.Partial: 2}
		var worst *rehearsal.PageResult
		for i, p := range r.Pages {
			if p.Network != "online" && rank[p.Outcome] > 0 && (worst == nil || rank[p.Outcome] > rank[worst.Outcome]) {
				worst = &r.Pages[i]
			}
		}
		if worst != nil {
			next = append(next, "tachyform rehearse "+site+" --trace "+shell.Quote(worst.URL)+" --network "+worst.Network, "how "+worst.URL+" came to be "+string(worst.Outcome))
		}
	}
	return s.Next(append(next, "tachyform audit "+site, "see whether it installs, and where")...)
}

// entrances writes by which ways one comes into the app, and what is there in each network state.
func (s *Style) entrances(r *rehearsal.Report) {
	var members, networks []string
	by := map[string]map[string]rehearsal.EntranceResult{}
	for _, e := range r.Entrances {
		if by[e.Member] == nil {
			members = append(members, e.Member)
			by[e.Member] = map[string]rehearsal.EntranceResult{}
		}
		if !slices.Contains(networks, e.Network) {
			networks = append(networks, e.Network)
		}
		by[e.Member][e.Network] = e
	}
	if len(members) > 0 {
		line := pad("Ways into the app", 44)
		for _, n := range networks {
			line += " " + pad(n, 9)
		}
		s.sayf("\n  %s\n", s.title.Render(strings.TrimRight(line, " ")))
	}
	for _, m := range members {
		e := by[m][networks[0]]
		name := string(e.Kind)
		if e.Name != "" {
			name += " " + e.Name
		}
		if e.Method == "POST" {
			name += " (POST)"
		}
		s.sayf("  %s %s", pad(clip(name, 20), 20), pad(clip(e.URL, 23), 23))
		for i, n := range networks {
			o := by[m][n].Outcome
			text := " " + string(o)
			if i < len(networks)-1 {
				text = pad(text, 10)
			}
			s.sayf("%s", s.outcome(o).Render(text))
		}
		s.sayf("\n")
	}
	for _, e := range r.Entrances {
		if l := e.Launch; l != nil && l.File != "" && e.Network == networks[0] {
			s.sayf("  %s %s\n", pad(clip(l.File, 20), 20), s.wrap(opened(l), 100, 23))
		}
	}
	if p := r.Push; p != nil {
		text := "shows no notification"
		switch {
		case p.Error != "":
			text = s.bad.Render("fails") + ": " + s.wrap(p.Error, 60, 17)
		case len(p.Shown) > 0:
			text = fmt.Sprintf("shows %q", p.Shown[len(p.Shown)-1])
		}
		if t := p.Tap; t != nil {
			switch {
			case t.Error != "":
				text += "; a tap " + s.bad.Render("fails") + ": " + t.Error
			case t.Opened != "":
				text += "; a tap opens " + t.Opened
			case t.Focused != "":
				text += "; a tap brings " + t.Focused + " to the front"
			default:
				text += "; a tap " + s.warn.Render("does nothing")
			}
		}
		s.sayf("\n")
		s.row("push message", text)
	}
}

func (s *Style) missing(p rehearsal.PageResult) string {
	if len(p.Missing) == 0 {
		return ""
	}
	var names []string
	for _, m := range p.Missing[:min(3, len(p.Missing))] {
		names = append(names, m.URL)
	}
	text := ": missing " + strings.Join(names, ", ")
	if n := len(p.Missing) - len(names); n > 0 {
		text += fmt.Sprintf(" and %d more", n)
	}
	return text
}

// sampled counts pages, and says of how many they are a sample or a part.
func sampled(n int, r *rehearsal.Report) string {
	switch {
	case r.Share != nil:
		return fmt.Sprintf("%d of %s, part %d of %d", n, count(r.Share.Pages, "page"), r.Share.Index, r.Share.Of)
	case r.Sampled != nil:
		return itoa(n) + " of " + count(r.Sampled.Of, "page") + ", a sample"
	}
	return count(n, "page")
}

// putBy says who put an answer into a store.
var putBy = map[string]string{"install": "while the worker was installed", "worker": "by the worker", "page": "by a page"}

// since says how old an answer is and who put it there, as far as the stage knows.
func since(e rehearsal.Stored) string {
	if e.By == "" {
		return ""
	}
	return fmt.Sprintf("%.0f s old, %s", e.Age, putBy[e.By])
}

// stored lists the answers of every store, where that was asked for.
func (s *Style) stored(r *rehearsal.Report) {
	for _, st := range r.Stores {
		if len(st.Entries) == 0 {
			continue
		}
		s.sayf("\n  %s\n", s.title.Render("In "+st.Name))
		for _, e := range st.Entries {
			what := e.Type
			if e.Status == 0 {
				what = "cannot be looked into"
			} else if e.Status != 200 {
				what += ", status " + itoa(e.Status)
			}
			s.sayf("  %s %s %s %s\n", pad(clip(e.URL, 58), 58), pad(Bytes(e.Bytes), 9), pad(clip(what, 26), 26), s.faint.Render(since(e)))
		}
	}
}

// matrix writes the pages, or groups of pages when there are many.
func (s *Style) matrix(r *rehearsal.Report) {
	var networks []string
	byNetwork := map[string][]rehearsal.PageResult{}
	for _, p := range r.Pages {
		if byNetwork[p.Network] == nil {
			networks = append(networks, p.Network)
		}
		byNetwork[p.Network] = append(byNetwork[p.Network], p)
	}
	for _, n := range networks {
		pages := byNetwork[n]
		tally := map[rehearsal.Outcome]int{}
		for _, p := range pages {
			tally[p.Outcome]++
		}
		var sums []string
		for _, o := range rehearsal.Outcomes {
			if tally[o] > 0 {
				sums = append(sums, s.outcome(o).Render(itoa(tally[o])+" "+string(o)))
			}
		}
		s.sayf("\n  %s  %s\n", s.title.Render(strings.ToUpper(n[:1])+n[1:]+", "+sampled(len(pages), r)), strings.Join(sums, ", "))
		if len(pages) <= maxPages {
			for _, p := range pages {
				s.page(p)
			}
			continue
		}
		s.groups(pages)
	}
}

func (s *Style) page(p rehearsal.PageResult) {
	detail := p.Title
	switch p.Outcome {
	case rehearsal.Partial, rehearsal.Blank:
		detail = strings.TrimPrefix(s.missing(p), ": ")
		if i := strings.Index(p.Why, "shows "); i >= 0 {
			detail = strings.TrimPrefix(detail+", "+p.Why[i:], ", ")
		} else if detail == "" {
			detail = p.Why
		}
	case rehearsal.StandIn, rehearsal.Lost, rehearsal.NotKnown:
		detail = p.Why
		if p.Line > 0 && p.Outcome == rehearsal.Lost {
			detail += " (" + p.File + ":" + itoa(p.Line) + ")"
		}
	}
	detail = clip(detail, 96)
	if p.Original != "" {
		detail += " (written in " + p.Original + ")"
	}
	s.sayf("  %s %s %s\n", s.outcome(p.Outcome).Render(pad(string(p.Outcome), 9)), pad(p.URL, 30), s.faint.Render(detail+seenBy(p.Stage)))
	if p.Seen != "" {
		s.sayf("            %s\n", lines(s.faint, s.wrap(strings.TrimSuffix("once it was seen online: "+string(p.Seen)+", "+p.SeenWhy, ", "), 110, 12)))
	}
}

// seenBy says which stage saw a page, when it is not that of the report.
func seenBy(stage string) string {
	if stage == "" {
		return ""
	}
	return " (seen by the " + stage + " stage)"
}

// groups writes pages with the same outcome and reason together.
func (s *Style) groups(pages []rehearsal.PageResult) {
	type key struct {
		outcome    rehearsal.Outcome
		why, stage string
	}
	groups := map[key][]rehearsal.PageResult{}
	var order []key
	for _, p := range pages {
		k := key{p.Outcome, p.Why, p.Stage}
		if p.Outcome == rehearsal.Whole {
			k.why = ""
		}
		if groups[k] == nil {
			order = append(order, k)
		}
		groups[k] = append(groups[k], p)
	}
	for i, k := range order {
		if i == 12 {
			s.sayf("  and %s; --format json has every page\n", count(len(order)-i, "more group"))
			break
		}
		var names []string
		for _, p := range groups[k][:min(3, len(groups[k]))] {
			names = append(names, p.URL)
		}
		s.sayf("  %s %s %s\n", s.outcome(k.outcome).Render(pad(string(k.outcome), 9)), pad(count(len(groups[k]), "page"), 14), s.faint.Render(clip(strings.Join(names, "  "), 100)+seenBy(k.stage)))
		if k.why != "" {
			s.sayf("            %s\n", lines(s.faint, s.wrap(k.why, 110, 12)))
		}
	}
}

// opened says what a page makes of a file that was opened with the app.
func opened(l *rehearsal.Launched) string {
	text := "the page is told of the file, and does not read it"
	switch {
	case !l.Heard:
		return "no script of the page asks for the file"
	case l.Read && len(l.Errors) > 0:
		return "the page reads the file that was made up here, and fails: " + l.Errors[0].Message
	case l.Read:
		return "the page reads the file"
	case len(l.Errors) > 0:
		text = "the page is told of the file, and fails: " + l.Errors[0].Message
	}
	return text
}
