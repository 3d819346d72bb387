package present

import (
	"maps"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/record"
)

// RecordReport is what --format json prints of a recording.
type RecordReport struct {
	Format  string           `json:"format"` // "tachyform.recording/1"
	Site    string           `json:"site"`
	List    string           `json:"list"` // path of the list of answers
	Pages   int              `json:"pages"`
	More    bool             `json:"more"` // there were more pages than were opened
	Asked   int              `json:"asked"`
	Written int              `json:"written"` // files that are new or other than before
	Removed int              `json:"removed"` // files of an earlier recording that are gone
	Answers []RecordedAnswer `json:"answers"`
	Left    []RecordLeft     `json:"left"`
	Unasked []RecordUnasked  `json:"unasked"`
	Led     []RecordLed      `json:"led"`
}

// RecordLed is an address that the server leads elsewhere.
type RecordLed struct {
	From   string `json:"from"`
	To     string `json:"to"`
	Status int    `json:"status"`
	SignIn bool   `json:"sign_in"` // it looks like the way to a sign-in
}

// RecordedAnswer is an answer that was kept.
type RecordedAnswer struct {
	URL     string   `json:"url"` // root-relative for the site's own origin; values that looked like secrets are *
	Status  int      `json:"status"`
	Type    string   `json:"type"`
	Bytes   int      `json:"bytes"`
	By      string   `json:"by"`      // the first page that asked for it
	Secrets []string `json:"secrets"` // names of what was taken out
}

// RecordLeft is a request of which nothing was kept.
type RecordLeft struct {
	URL    string `json:"url"`
	Method string `json:"method"`
	Why    string `json:"why"`
	By     string `json:"by"`
}

// RecordUnasked is another origin that pages asked, and that nobody allowed to be asked.
type RecordUnasked struct {
	Origin   string `json:"origin"`
	Requests int    `json:"requests"` // different addresses
}

// RecordOf makes the JSON form of a recording.
func RecordOf(address string, r *record.Recording, w *record.Written) RecordReport {
	out := RecordReport{Format: "tachyform.recording/1", Site: address, List: w.List, Pages: r.Pages, More: r.More, Asked: r.Asked, Written: w.Changed, Removed: w.Removed,
		Answers: []RecordedAnswer{}, Left: []RecordLeft{}, Unasked: []RecordUnasked{}, Led: []RecordLed{}}
	for i := range r.Answers {
		a := &r.Answers[i]
		out.Answers = append(out.Answers, RecordedAnswer{a.URL(), a.Status, a.Type, len(a.Body), a.By, append([]string{}, a.Secrets...)})
	}
	for _, l := range r.Left {
		out.Left = append(out.Left, RecordLeft{l.URL, l.Method, l.Why, l.By})
	}
	for _, l := range r.Led {
		out.Led = append(out.Led, RecordLed(l))
	}
	for _, u := range r.Unasked {
		out.Unasked = append(out.Unasked, RecordUnasked{u.Origin, u.Requests})
	}
	return out
}

// Record writes what was recorded.
func (s *Style) Record(r RecordReport, folder string) error {
	s.sayf("%s\n\n", s.title.Render("Recorded "+r.Site))
	pages := count(r.Pages, "page") + " opened"
	if r.More {
		pages += s.warn.Render(", and there are more: --pages opens them")
	}
	s.row("pages", pages)
	bytes := 0
	for _, a := range r.Answers {
		bytes += a.Bytes
	}
	kept := count(len(r.Answers), "answer") + ", " + Bytes(int64(bytes))
	switch {
	case len(r.Answers) == 0 && r.Written == 0:
		kept = "nothing: the pages ask for no data that the site has no file for"
	case r.Written == 0 && r.Removed == 0:
		kept += ", the same as before"
	default:
		kept += ", in " + folder
	}
	s.row("kept", kept)
	secrets := map[string]bool{}
	for _, a := range r.Answers {
		for _, n := range a.Secrets {
			secrets[n] = true
		}
	}
	if len(secrets) > 0 {
		s.row("taken out", "values of "+s.warn.Render(strings.Join(slices.Sorted(maps.Keys(secrets)), ", "))+", which look like secrets")
	}
	if len(r.Answers) > 0 {
		s.row("", s.faint.Render("Cookies and headers are not kept. Look the answers over before you commit them: names of people are no secrets to a program."))
		s.sayf("\n  %s\n", s.title.Render("Answers"))
	}
	for i, a := range r.Answers {
		if i == maxPages {
			s.sayf("  and %s; %s has all\n", count(len(r.Answers)-i, "more"), r.List)
			break
		}
		essence, _, _ := strings.Cut(a.Type, ";")
		s.sayf("  %s %s %s  %s\n", pad(middle(a.URL, s.column(52)), s.column(52)), s.status(a.Status), pad(clip(essence, 22), 22), s.faint.Render(pad(Bytes(int64(a.Bytes)), 8)+"  for "+clip(a.By, 32)))
	}
	if len(r.Led) > 0 {
		s.sayf("\n  %s\n", s.title.Render("Addresses that the server leads elsewhere"))
	}
	for _, l := range r.Led {
		to := "to " + l.To
		if l.SignIn {
			to += ": a sign-in? [offline] except keeps the worker out of it"
		}
		s.sayf("  %s %s  %s\n", pad(middle(l.From, s.column(52)), s.column(52)), itoa(l.Status), s.faint.Render(to))
	}
	if len(r.Left) > 0 {
		s.sayf("\n  %s\n", s.title.Render("Not kept"))
	}
	for i, l := range r.Left {
		if i == maxPages {
			s.sayf("  and %s; --format json has all\n", count(len(r.Left)-i, "more"))
			break
		}
		s.sayf("  %s %s\n", pad(middle(l.Method+" "+l.URL, s.column(56)), s.column(56)), s.faint.Render(l.Why))
	}
	if len(r.Unasked) > 0 {
		s.sayf("\n  %s\n", s.title.Render("Other origins, which were not asked"))
	}
	for _, u := range r.Unasked {
		s.sayf("  %s %s\n", pad(u.Origin, 40), s.faint.Render(count(u.Requests, "address")+"; --origin "+u.Origin+" asks for them"))
	}
	return s.err
}

func (s *Style) status(n int) string {
	if n >= 400 {
		return s.warn.Render(itoa(n))
	}
	return itoa(n)
}
