package rehearsal

import "fmt"

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
		if q, ok := pages[p.Network+" "+p.URL]; ok {
			add(p.Network+" "+p.URL, of(p), of(q))
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

func verdict(s StepResult) string {
	if s.Passed {
		return orElse(s.Saw, "done")
	}
	return "failed: " + s.Why
}
