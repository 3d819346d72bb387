package present

import (
	"fmt"
	"strings"

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/shell"
)

// Rules writes how a site is answered, and how single addresses are.
func (s *Style) Rules(t *caching.Table, p *fitting.Plan) error {
	if len(t.Explains) > 0 {
		for i := range t.Explains {
			if i > 0 {
				s.sayf("\n")
			}
			s.explanation(&t.Explains[i])
		}
		return s.err
	}
	s.sayf("%s\n\n", s.title.Render("How "+t.Site+" is answered"))
	over := ""
	if t.First.Bytes > t.Ceiling {
		over = s.warn.Render(" over the ceiling of " + Bytes(t.Ceiling))
	}
	s.sayf("  %s%s, %s%s\n", pad("First visit", 14), count(t.First.Files, "file"), Bytes(t.First.Bytes), over)
	if t.Later.Files > 0 {
		s.sayf("  %s%s, %s, each when it is first asked for\n", pad("Later", 14), count(t.Later.Files, "file"), Bytes(t.Later.Bytes))
	}
	for _, g := range t.Groups {
		s.sayf("  %s%s: %s, %s, when a visitor asks for them\n", pad("Group", 14), g.Name, count(g.Files, "file"), Bytes(g.Bytes))
	}
	s.sayf("  %s%s\n\n", pad("Next release", 14), map[string]string{"next-visit": "takes over when all pages of the old one are closed", "when-asked": "takes over when a visitor asks for it",
		"at-once": "takes over at once; open pages keep theirs"}[t.Takeover])
	beside := s.width == 0 || s.width >= mostWidth // a table of four columns
	if beside {
		s.sayf("  %s\n", s.faint.Render(pad("Asked for", 40)+pad("Answered", 24)+pad("With a network", 42)+"Without"))
	}
	for i, r := range t.Rows {
		if i > 0 {
			s.sayf("\n")
		}
		if !beside {
			s.below(&r)
			continue
		}
		what := strings.Split(s.wrap(r.What, 38, 0), "\n")
		answer := r.Answer
		if r.Answer == "leave" {
			answer = "past the worker"
		}
		online, offline := strings.Split(s.wrap(r.Online, 40, 0), "\n"), strings.Split(s.wrap(r.Offline, 36, 0), "\n")
		for i := range max(len(what), len(online), len(offline)) {
			cell := func(lines []string, width int) string {
				if i < len(lines) {
					return pad(lines[i], width)
				}
				return pad("", width)
			}
			a := pad("", 24)
			if i == 0 {
				a = s.accent.Render(pad(answer, 24))
			}
			s.sayf("  %s\n", strings.TrimRight(cell(what, 40)+a+cell(online, 42)+cell(offline, 0), " "))
		}
		for _, l := range details(&r) {
			s.sayf("    %s\n", s.faint.Render(l))
		}
	}
	s.remarks(&fitting.Plan{Conflicts: p.Conflicts})
	return s.Next("tachyform rules "+shell.Quote(t.Site)+" URL", "why one address is answered as it is", "tachyform rehearse "+shell.Quote(t.Site), "what every page does without a network, once fitted")
}

// below writes a row over several lines.
func (s *Style) below(r *caching.Row) {
	answer := r.Answer
	if answer == "leave" {
		answer = "past the worker"
	}
	s.sayf("  %s\n", s.wrap(r.What, 100, 2))
	s.sayf("    %s %s\n", s.faint.Render(pad("answered", 15)), s.accent.Render(answer))
	s.sayf("    %s %s\n", s.faint.Render(pad("with a network", 15)), s.wrap(r.Online, 80, 20))
	s.sayf("    %s %s\n", s.faint.Render(pad("without", 15)), s.wrap(r.Offline, 80, 20))
	for _, l := range details(r) {
		s.sayf("    %s\n", s.faint.Render(l))
	}
}

// details are what belongs to a row in small print.
func details(r *caching.Row) []string {
	var out []string
	where := ""
	if r.Place.Line > 0 {
		where = fmt.Sprintf("%s:%d", r.Place.File, r.Place.Line)
	}
	if first := strings.Join(nonEmpty(where, r.How), ", "); first != "" && (r.Place.Line > 0 || r.Answer != "release" && r.How != "") {
		out = append(out, first)
	}
	var has []string
	if r.Files > 0 {
		samples := strings.Join(r.Samples, ", ")
		if r.Files > len(r.Samples) {
			samples += ", …"
		}
		has = append(has, fmt.Sprintf("%s, %s: %s", count(r.Files, "file"), Bytes(r.Bytes), samples))
	}
	if len(r.Asked) > 0 {
		has = append(has, "asked for by scripts and forms: "+strings.Join(r.Asked[:min(3, len(r.Asked))], ", "))
	}
	for _, h := range has {
		out = append(out, clip(h, 118))
	}
	return out
}

func nonEmpty(list ...string) []string {
	var out []string
	for _, l := range list {
		if l != "" {
			out = append(out, l)
		}
	}
	return out
}

// explanation writes how one address is answered.
func (s *Style) explanation(e *caching.Explanation) {
	as := map[string]string{"document": "opened as a page", "empty": "asked for by a script"}[e.Destination]
	if as == "" {
		as = "asked for as " + e.Destination
	}
	s.sayf("%s %s\n", s.title.Render(e.Method+" "+e.Address), s.faint.Render(as))
	line := func(name, text string) {
		if text != "" {
			s.sayf("  %s%s\n", s.faint.Render(pad(name, 12)), s.wrap(text, 100, 14))
		}
	}
	by := e.By
	if e.Place.Line > 0 {
		by += fmt.Sprintf(" (%s:%d)", e.Place.File, e.Place.Line)
	}
	answer := e.Answer
	switch answer {
	case "past":
		answer = "past the worker"
	case "release":
		answer = "from the release"
	}
	line("answered", answer)
	line("because of", by)
	for _, p := range e.Passed {
		line("not by", p.Rule+": "+p.Why)
	}
	line("online", e.Online)
	line("slow", e.Slow)
	line("failing", e.Failing)
	line("offline", e.Offline)
	line("stored", e.Stored)
}
