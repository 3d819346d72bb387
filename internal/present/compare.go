package present

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/finding"
)

// Comparison writes what visitors get of a release, as text or in Markdown.
func (s *Style) Comparison(format string, r *compare.Report) error {
	if format == "markdown" {
		s.sayf("%s", comparisonMarkdown(r))
		return s.err
	}
	var names []string
	for _, x := range r.Releases {
		names = append(names, x.Site)
	}
	s.sayf("%s on the %s stage\n\n", s.title.Render("Comparison of "+listing(names)), r.Stage)
	for i, x := range r.Releases {
		s.row("release "+itoa(i+1), describeRelease(x))
	}
	for _, step := range r.Steps {
		s.sayf("\n  %s\n", s.title.Render(fmt.Sprintf("Visitors of release %d meet release %d", step.From, step.To)))
		s.row("files", s.wrap(files(step.Files), 100, 18))
		for _, line := range downloads(step) {
			s.row(line[0], s.wrap(line[1], 100, 18))
		}
		if v := step.Visits[0].Visits[0]; v.URL != "/" {
			s.row("visits", "of "+v.URL)
		}
		for _, t := range step.Visits {
			s.timeline(t)
		}
	}
	if len(r.Ways) > 0 {
		s.sayf("\n  %s\n", s.title.Render("One after the other"))
		for _, t := range r.Ways {
			s.sayf("  %s %s\n", pad(way(t.Releases), 34), s.visits(t))
		}
	}
	s.sayf("\n")
	s.row("pages", s.wrap(pages(r), 100, 18))
	for _, level := range levels {
		for _, c := range r.Checks {
			if c.State == "failed" && c.Level == level {
				s.check(c)
			}
		}
	}
	s.sayf("\n  %s\n", s.faint.Render(checked(r.Checks)))
	return s.err
}

var levels = []finding.Level{finding.Blocker, finding.Warning, finding.Advice}

// checked counts what came of checks.
func checked(all []finding.Result) string {
	n := map[string]int{}
	for _, c := range all {
		n[c.State]++
	}
	return "Of " + count(len(all), "check") + " " + itoa(n["failed"]) + " found something, " + itoa(n["passed"]) + " found nothing amiss, " + itoa(n["not-applicable"]) + " had nothing to look at"
}

func describeRelease(x *compare.Release) string {
	text := fmt.Sprintf("%s: %s, %s, %s", x.Site, count(x.Pages, "page"), count(x.Files, "file"), Bytes(x.Bytes))
	switch {
	case x.Worker == "":
		text += ", no worker"
	case x.ID != "":
		text += ", worker " + x.Worker + " of release " + x.ID
	default:
		text += ", worker " + x.Worker
	}
	return text
}

// listing writes names for people.
func listing(names []string) string {
	if len(names) == 1 {
		return names[0]
	}
	return strings.Join(names[:len(names)-1], ", ") + " and " + names[len(names)-1]
}

func files(f compare.Files) string {
	var parts []string
	add := func(n int, what string, names []string) {
		if n == 0 {
			return
		}
		parts = append(parts, fmt.Sprintf("%d %s", n, what)+naming(names))
	}
	add(len(f.Changed), "changed", f.Changed)
	add(len(f.New), "new", f.New)
	add(len(f.Gone), "gone", f.Gone)
	var names []string
	for _, x := range f.Renamed {
		names = append(names, x.From+" → "+x.To)
	}
	add(len(f.Renamed), "under another name", names)
	if len(parts) == 0 {
		return "all " + itoa(f.Same) + " are the same"
	}
	return strings.Join(append(parts, itoa(f.Same)+" the same"), "; ")
}

// downloads says what a visitor downloads, and for how long.
func downloads(step *compare.Step) [][2]string {
	d := step.Download
	until := "until it is there"
	if step.Visits[0].Arrives == 0 {
		until = "in all visits"
	}
	out := [][2]string{{"downloads", fmt.Sprintf("%s in %s%s %s (%s compressed); a first visit takes %s in %d", Bytes(d.Bytes), count(d.Files, "file"), naming(d.URLs), until, Bytes(d.Packed), Bytes(step.First.Bytes), step.First.Files)}}
	var times []string
	for _, c := range compare.Connections {
		times = append(times, fmt.Sprintf("%s s on a %s one (%s, %.0f ms)", strconv.FormatFloat(d.Seconds[c.Name], 'f', -1, 64), c.Name, speed(c.Bits), c.Wait*1000))
	}
	out = append(out, [2]string{"connection", strings.Join(times, ", ")})
	if len(d.Unchanged) > 0 {
		out = append(out, [2]string{"", fmt.Sprintf("%s of %s asked for again and not changed: a server with ETag answers each in a line", count(len(d.Unchanged), "file"), Bytes(d.Saved))})
	}
	return out
}

func speed(bits float64) string {
	if bits >= 1e6 {
		return strconv.FormatFloat(bits/1e6, 'f', -1, 64) + " Mbit/s"
	}
	return strconv.FormatFloat(bits/1e3, 'f', -1, 64) + " kbit/s"
}

// timeline writes what one visitor sees.
func (s *Style) timeline(t compare.Timeline) {
	name := string(t.Tabs)
	if t.Tabs == compare.LeftOpen {
		name = "tab left open"
	}
	if t.Takeover != "" {
		if t.Tabs != compare.OneTab {
			return // the text has the one that tells most
		}
		name = "with " + t.Takeover
	}
	s.row(name, s.visits(t))
}

// visits writes a word for each visit, and when the release is there.
func (s *Style) visits(t compare.Timeline) string {
	var words []string
	for _, v := range t.Visits {
		style := s.faint
		switch v.Shows {
		case compare.New:
			style = s.good
		case compare.Mix, compare.Lost:
			style = s.bad
		case compare.Unknown:
			style = s.warn
		}
		if len(v.Missing) > 0 {
			style = s.bad
		}
		words = append(words, style.Render(pad(v.Shows, 4)))
	}
	return pad(strings.Join(words, "  "), 22) + "  " + arrivesAt(t)
}

// arrivesAt says at which visit the release is there.
func arrivesAt(t compare.Timeline) string {
	if t.Arrives == 0 {
		return "never there"
	}
	if !slices.ContainsFunc(t.Visits, func(v compare.Visit) bool { return v.Shows != compare.Same }) {
		return "nothing of " + t.Visits[0].URL + " differs"
	}
	return "there at visit " + itoa(t.Arrives) + ": " + t.Visits[t.Arrives-1].What
}

// way names releases in the order in which somebody meets them.
func way(list []int) string {
	var out []string
	for _, n := range list {
		out = append(out, itoa(n))
	}
	text := "release " + strings.Join(out, ", ")
	if len(list) > 2 && list[len(list)-1] == list[0] {
		text = "release " + strings.Join(out[:len(out)-1], ", ") + ", then " + out[len(out)-1] + " again"
	}
	return text
}

// pages says of how many pages it was seen what visitors get, and how many came out badly.
func pages(r *compare.Report) string {
	mixed, broken, moved := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, s := range r.Steps {
		for _, p := range s.Pages {
			for _, v := range p.Visits {
				if v.Shows != compare.Same {
					moved[p.URL] = true
				}
				if v.Shows == compare.Mix {
					mixed[p.URL] = true
				}
				if v.Shows == compare.Lost || len(v.Missing) > 0 {
					broken[p.URL] = true
				}
			}
		}
	}
	text := fmt.Sprintf("looked at %d of %s that all releases have, three visits each: something of the release is shown on %d", r.Sampled.Pages, count(r.Sampled.Of, "page"), len(moved))
	if len(mixed)+len(broken) == 0 {
		text += ", none is a mix, none is broken"
	} else {
		text += fmt.Sprintf(", %d in a mix, %d broken", len(mixed), len(broken))
	}
	if r.Sampled.Pages < r.Sampled.Of {
		text += "; --sample " + itoa(r.Sampled.Of) + " looks at all"
	}
	return text
}

func comparisonMarkdown(r *compare.Report) string {
	var b strings.Builder
	var names []string
	for _, x := range r.Releases {
		names = append(names, cell.Replace(x.Site))
	}
	fmt.Fprintf(&b, "## What visitors get of %s\n\n", names[len(names)-1])
	for i, x := range r.Releases {
		fmt.Fprintf(&b, "%d. %s\n", i+1, cell.Replace(describeRelease(x)))
	}
	for _, step := range r.Steps {
		fmt.Fprintf(&b, "\n### From release %d to %d\n\n- Files: %s.\n", step.From, step.To, cell.Replace(files(step.Files)))
		for _, line := range downloads(step) {
			fmt.Fprintf(&b, "- %s\n", cell.Replace(strings.TrimSpace(upperFirst(line[0])+" "+line[1])))
		}
		b.WriteString("\n| | visit 1 | 2 | 3 | 4 | |\n|---|---|---|---|---|---|\n")
		for _, t := range step.Visits {
			name := string(t.Tabs)
			if t.Takeover != "" {
				name += ", with " + t.Takeover
			}
			markdownRow(&b, name, t)
		}
	}
	b.WriteString("\n| one after the other | visit 1 | 2 | 3 | 4 | |\n|---|---|---|---|---|---|\n")
	for _, t := range r.Ways {
		markdownRow(&b, way(t.Releases), t)
	}
	fmt.Fprintf(&b, "\nPages: %s.\n", pages(r))
	markdownChecks(&b, r.Checks)
	return b.String()
}

func markdownRow(b *strings.Builder, name string, t compare.Timeline) {
	fmt.Fprintf(b, "| %s |", name)
	for i := range 4 {
		word := ""
		if i < len(t.Visits) {
			word = t.Visits[i].Shows
			if word == compare.Mix || word == compare.Lost {
				word = "**" + word + "**"
			}
		}
		fmt.Fprintf(b, " %s |", word)
	}
	fmt.Fprintf(b, " %s |\n", arrivesAt(t))
}

func upperFirst(t string) string {
	if t == "" {
		return t
	}
	return strings.ToUpper(t[:1]) + t[1:]
}

// naming names the first of what there is, in brackets; nothing for nothing.
func naming(list []string) string {
	if len(list) == 0 {
		return ""
	}
	text := " (" + strings.Join(list[:min(3, len(list))], ", ")
	if len(list) > 3 {
		text += ", …"
	}
	return text + ")"
}
