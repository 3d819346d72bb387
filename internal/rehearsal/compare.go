package rehearsal

import (
	"fmt"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"
)

// Difference is something that came out differently on the two stages.
type Difference struct {
	Where    string `json:"where"`
	Embedded string `json:"embedded"`
	Chromium string `json:"chromium"`
}

// Compare names what came out differently on the embedded stage and in Chromium.
func Compare(embedded, chromium *Report) []Difference {
	out := []Difference{}
	add := func(where, a, b string) {
		if a != b {
			out = append(out, Difference{where, a, b})
		}
	}
	add("worker", embedded.Worker.State, chromium.Worker.State)
	of := func(p PageResult) string {
		text := string(p.Outcome)
		if p.Outcome != Lost {
			text += fmt.Sprintf(", status %d, by the %s", p.Status, p.AnsweredBy)
		}
		return text
	}
	pages := map[string]PageResult{}
	for _, p := range chromium.Pages {
		pages[p.Network+" "+p.URL] = p
	}
	for _, p := range embedded.Pages {
		q, ok := pages[p.Network+" "+p.URL]
		if !ok {
			continue
		}
		add(p.Network+" "+p.URL, of(p), of(q))
		beyond := slices.ContainsFunc(p.Errors, func(e Error) bool { return e.Needs != "" }) // the model's own gap, which is said by itself
		if p.Outcome == NotKnown || p.Outcome == Lost || beyond || of(p) != of(q) {          // the rest follows from that
			continue
		}
		for _, d := range shownOtherwise(&p, &q) {
			add(p.Network+" "+p.URL+": "+d.Where, d.Embedded, d.Chromium)
		}
	}
	entered := map[string]EntranceResult{}
	for _, x := range chromium.Entrances {
		entered[x.Network+" "+x.Member] = x
	}
	for _, x := range embedded.Entrances {
		if y, ok := entered[x.Network+" "+x.Member]; ok {
			add(fmt.Sprintf("%s %s %s", x.Network, x.Method, x.URL), fmt.Sprintf("%s, sent %t", of(x.PageResult), x.Sent), fmt.Sprintf("%s, sent %t", of(y.PageResult), y.Sent))
		}
	}
	for i, f := range embedded.Fetches {
		if i < len(chromium.Fetches) {
			g := chromium.Fetches[i]
			add("fetch "+f.Network+" "+f.URL, fmt.Sprintf("%s %d %s", f.Result, f.Status, f.SHA256), fmt.Sprintf("%s %d %s", g.Result, g.Status, g.SHA256))
		}
	}
	for i, s := range embedded.Stories {
		if i >= len(chromium.Stories) {
			break
		}
		for k, step := range s.Steps {
			if c := chromium.Stories[i]; k < len(c.Steps) {
				add(fmt.Sprintf("story %q, step %d: %s", s.Name, k+1, step.Step), verdict(step), verdict(c.Steps[k]))
			}
		}
	}
	return out
}

// shownOtherwise compares what a page shows, lacks, asks for and throws. What the browser itself asks for, such as icons, is no part of the page, and
// the words of errors are each engine's own: their class and place count.
func shownOtherwise(p, q *PageResult) []Difference {
	out := []Difference{{"title", p.Title, q.Title}}
	if p.Text != nil && q.Text != nil {
		a, b := parted(strings.Join(strings.Fields(*p.Text), " "), strings.Join(strings.Fields(*q.Text), " "))
		out = append(out, Difference{"text", a, b})
	}
	sets := func(where string, a, b []string) {
		slices.Sort(a)
		slices.Sort(b)
		out = append(out, Difference{where, only(a, b), only(b, a)})
	}
	var a, b []string
	for _, m := range p.Missing {
		a = append(a, m.URL)
	}
	for _, m := range q.Missing {
		b = append(b, m.URL)
	}
	sets("missing", a, b)
	if p.Ran && q.Ran {
		sets("requests", asked(p.Requests), asked(q.Requests))
		sets("errors", thrown(p.Errors), thrown(q.Errors))
	}
	return out
}

func asked(list []Request) []string {
	var out []string
	for _, r := range list {
		if r.Use == "icon" || r.Use == "manifest" {
			continue
		}
		out = append(out, fmt.Sprintf("%s %s %s %d", r.Method, r.URL, r.Result, r.Status))
	}
	return out
}

var errorClass = regexp.MustCompile(`\b[A-Z]\w*(?:Error|Exception)\b`)

func thrown(list []Error) []string {
	var out []string
	for _, e := range list {
		out = append(out, fmt.Sprintf("%s %s:%d", orElse(errorClass.FindString(e.Message), "an exception"), e.File, e.Line))
	}
	return out
}

// only names what is in one list and not in the other, a few of many.
func only(a, b []string) string {
	const shown = 5
	var out []string
	for _, x := range slices.Compact(a) {
		if !slices.Contains(b, x) {
			out = append(out, x)
		}
	}
	if n := len(out); n > shown {
		out = append(out[:shown], fmt.Sprintf("%d more", n-shown))
	}
	if len(out) == 0 && len(a)+len(b) > 0 {
		return "nothing else"
	}
	return strings.Join(out, ", ")
}

// parted gives two texts from shortly before where they part, "" and "" when they do not.
func parted(a, b string) (string, string) {
	if a == b {
		return "", ""
	}
	const before, shown = 20, 80
	at := 0
	for at < len(a) && at < len(b) && a[at] == b[at] {
		at++
	}
	cut := func(s string) string {
		from, to := max(0, at-before), min(len(s), at+shown)
		for from > 0 && !utf8.RuneStart(s[from]) {
			from--
		}
		for to < len(s) && !utf8.RuneStart(s[to]) {
			to++
		}
		out := s[from:to]
		if from > 0 {
			out = "…" + out
		}
		if to < len(s) {
			out += "…"
		}
		return fmt.Sprintf("%q", out)
	}
	return cut(a), cut(b)
}

// Keep takes details of pages out that were needed for a comparison and not asked for.
func (r *Report) Keep(detail map[string]bool) {
	for i := range r.Pages {
		p := &r.Pages[i]
		if !detail["text"] {
			p.Text = nil
		}
		if !detail["requests"] {
			p.Requests = nil
		}
		if !detail["errors"] {
			p.Errors = nil
		}
	}
}

func verdict(s StepResult) string {
	if s.Passed {
		return orElse(s.Saw, "done")
	}
	return "failed: " + s.Why
}
