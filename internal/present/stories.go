package present

import (
	"fmt"

	"tachyform.dev/tachyform/internal/rehearsal"
)

// stories writes what came of each story; of one that failed, the step that did.
func (s *Style) stories(r *rehearsal.Report) {
	if len(r.Stories) == 0 {
		return
	}
	s.sayf("\n  %s\n", s.title.Render("Stories"))
	for _, story := range r.Stories {
		if story.Passed {
			s.sayf("  %s %s\n", s.good.Render(pad("passed", 9)), story.Name)
			continue
		}
		style := s.warn
		if story.Asked {
			style = s.bad
		}
		s.sayf("  %s %s\n", style.Render(pad("failed", 9)), story.Name)
		for i, step := range story.Steps {
			mark, text := " ", step.Step
			if step.Saw != "" {
				text = pad(text, 40) + " " + step.Saw
			}
			if !step.Passed {
				s.sayf("            %s\n", style.Render(fmt.Sprintf("%d. %s", i+1, step.Step)))
				s.sayf("               %s\n", s.wrap(step.Why, 100, 15))
				continue
			}
			s.sayf("          %s %s\n", mark, s.faint.Render(fmt.Sprintf("%d. %s", i+1, text)))
		}
	}
}

// traces writes the way of single requests.
func (s *Style) traces(r *rehearsal.Report) {
	for _, t := range r.Traces {
		s.sayf("\n  %s\n", s.title.Render("The way of "+t.URL+", "+t.Network))
		for _, step := range t.Steps {
			where := ""
			if step.Line > 0 {
				where = s.accent.Render(" " + step.File + ":" + itoa(step.Line))
			}
			s.sayf("  %s %s%s\n", s.faint.Render(fmt.Sprintf("%8.0f ms", step.At)), s.wrap(step.Text, 100, 14), where)
		}
		s.asked(t)
	}
}

// asked lists the requests of a page that was followed.
func (s *Style) asked(t rehearsal.Trace) {
	if len(t.Asked) == 0 {
		return
	}
	s.sayf("\n  %s\n", s.faint.Render(fmt.Sprintf("%11s %9s  %s %s %s %s %s", "asked at", "took", pad("for", 8), pad("status", 8), pad("bytes", 9), pad("answered by", 34), "address")))
	for _, q := range t.Asked {
		status := s.good.Render(pad(itoa(q.Status), 8))
		switch {
		case q.Result == "rejected":
			status = s.bad.Render(pad("none", 8))
		case q.Status == 0:
			status = pad("opaque", 8)
		case q.Status >= 400:
			status = s.bad.Render(pad(itoa(q.Status), 8))
		}
		by := q.AnsweredBy
		if q.Source != "" && q.Source != by {
			by += ", " + q.Source
		}
		if q.Result == "rejected" {
			by = "nobody"
		}
		address := q.URL
		if q.Method != "GET" {
			address = q.Method + " " + address
		}
		s.sayf("  %8.0f ms %6.0f ms  %s %s %s %s %s\n", q.At, q.Took, pad(q.Use, 8), status, pad(Bytes(q.Bytes), 9), pad(clip(by, 34), 34), address)
	}
}

// differences writes what came out differently on the two stages.
func (s *Style) differences(r *rehearsal.Report) {
	if r.Chromium == nil {
		return
	}
	if len(r.Differences) == 0 {
		s.sayf("\n  %s\n", s.good.Render("Chromium does the same in everything"))
		return
	}
	s.sayf("\n  %s\n", s.title.Render("Chromium does otherwise"))
	for _, d := range r.Differences {
		s.sayf("  %s\n    embedded  %s\n    chromium  %s\n", s.warn.Render(d.Where), s.wrap(d.Embedded, 100, 14), s.wrap(d.Chromium, 100, 14))
	}
}
