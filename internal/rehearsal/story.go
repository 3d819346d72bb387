package rehearsal

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// Story is what one visitor does, step by step.
type Story struct {
	Name  string
	Steps []string
	Asked bool // from the configuration, not built in
}

// StoryResult is what came of a story.
type StoryResult struct {
	Name   string       `json:"name"`
	Asked  bool         `json:"asked"`
	Passed bool         `json:"passed"`
	Steps  []StepResult `json:"steps"`
}

// StepResult is what came of one step. Steps behind one that failed are not tried.
type StepResult struct {
	Step   string `json:"step"`
	Passed bool   `json:"passed"`
	Saw    string `json:"saw"`
	Why    string `json:"why,omitempty"`
}

// Builtin gives the stories that are told of every site: start is the start page, deep a page far from it. With a next
// release, those of visitors who come back are among them.
func Builtin(start, title, deep string, next bool) []Story {
	known := "expect title " + title
	if strings.TrimSpace(title) == "" { // then its own page tells it from the portal's
		known = "expect whole"
	}
	list := []Story{
		{Name: "First visit, then no network", Steps: []string{"open " + start, "network offline", "stop worker", "open " + start, "expect whole"}},
		{Name: "Arrives deep in the site, then goes home without a network", Steps: []string{"open " + deep, "network offline", "stop worker", "open " + start, "expect whole"}},
		{Name: "Slow train", Steps: []string{"open " + start, "open " + start, "network slow", "stop worker", "open " + start, "expect whole"}},
		{Name: "Captive portal at the hotel", Steps: []string{"open " + start, "open " + start, "network portal", "stop worker", "open " + start, known,
			"network online", "open " + start, "expect whole", "network offline", "open " + start, known}},
		{Name: "The browser forgets everything, and the visitor comes back", Steps: []string{"open " + start, "open " + start, "forget everything", "open " + start, "expect whole", "network offline", "stop worker", "open " + start, "expect whole"}},
	}
	if next {
		list = append(list,
			Story{Name: "Back after a release, with one tab", Steps: []string{"open " + start, "open " + start, "serve next", "open " + start, "expect no mix", "close", "tab 1", "open " + start, "expect no mix", "open " + deep, "expect no mix", "close", "tab 1", "open " + start, "expect release 2"}},
			Story{Name: "Back after a release, with two tabs", Steps: []string{"open " + start, "open " + start, "tab 2", "open " + deep, "serve next", "tab 1", "open " + start, "expect no mix", "tab 2", "reload", "expect no mix", "close", "close", "tab 1", "open " + start, "expect release 2"}})
	}
	return list
}

// Teller tells stories, each on a stage of its own.
type Teller struct {
	Start  func() (Stage, func(), error) // a stage with nothing stored, and its end
	Server *site.Server
	Next   *site.Server // the next release; nil for none

	Private func(url string) bool // as in [Options]
	Scripts bool                  // as in [Options]
}

// Tell tells a story. The error is one of the stage; a story that fails says so in its result.
func (t *Teller) Tell(ctx context.Context, story Story) (*StoryResult, error) {
	st, end, err := t.Start()
	if err != nil {
		return nil, err
	}
	defer end()
	st.KeepParts()
	if s, ok := st.(ScriptRunner); ok {
		s.RunScripts(t.Scripts)
	}
	r := &StoryResult{Name: story.Name, Asked: story.Asked, Passed: true, Steps: []StepResult{}}
	p := &telling{Teller: t, st: st, e: newExpected(t.Server, t.Private), network: stage.Online}
	for _, text := range story.Steps {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		s, err := parseStep(text)
		if err != nil {
			return nil, err
		}
		saw, why, err := s.kind.do(p, s)
		if err != nil {
			return nil, fmt.Errorf("story %q, %q: %w", story.Name, text, err)
		}
		r.Steps = append(r.Steps, StepResult{Step: text, Passed: why == "", Saw: saw, Why: why})
		if why != "" {
			r.Passed = false
			break
		}
	}
	return r, nil
}

// telling is a story that is being told.
type telling struct {
	*Teller
	st      Stage
	e       expected
	network stage.Network
	faults  site.Faults
	served  bool // the next release is

	tab  int     // in use
	tabs []shows // of the others
	shows
}

// shows is what a tab shows.
type shows struct {
	url    string // of the page opened last
	load   *stage.Load
	result PageResult
	answer *stage.Answer
}

// turn goes to a tab.
func (p *telling) turn(to int) {
	for len(p.tabs) <= max(p.tab, to) {
		p.tabs = append(p.tabs, shows{})
	}
	p.tabs[p.tab] = p.shows
	p.tab, p.shows = to, p.tabs[to]
}

// reload opens the page again that the tab shows.
func (p *telling) reload(s step) (saw, why string, err error) {
	switch {
	case p.url == "":
		return "", "no page was opened before", nil
	case s.rest == "hard":
		return p.reloadHard()
	case p.load != nil && p.load.Shown != "": // where the page's own scripts have led it
		return p.open(p.load.Shown)
	}
	return p.open(p.url)
}

func (p *telling) goToTab(s step) (saw, why string, err error) {
	n, _ := strconv.Atoi(s.args[0]) // checked when it was parsed
	if err := p.st.Tab(n - 1); err != nil {
		return "", err.Error(), nil
	}
	p.turn(n - 1)
	return "", "", nil
}

func (p *telling) closeTab(step) (saw, why string, err error) {
	if err := p.st.CloseTab(); err != nil {
		return "", err.Error(), nil
	}
	p.tabs = slices.Delete(p.tabs, min(p.tab, len(p.tabs)), min(p.tab+1, len(p.tabs)))
	p.tab = len(p.tabs) // none, until a step says which
	p.shows = shows{}
	return "", "", p.st.Settle()
}

// send has a script of the page fetch or post.
func (p *telling) send(s step) (saw, why string, err error) {
	m := stage.Message{URL: s.args[0]}
	if s.verb == "post" {
		m.Method, m.Body = "POST", strings.TrimSpace(strings.TrimPrefix(s.rest, s.args[0]))
		m.Type = "text/plain"
		if strings.HasPrefix(m.Body, "{") || strings.HasPrefix(m.Body, "[") {
			m.Type = "application/json"
		}
	}
	if p.answer, err = p.st.Send(m); err != nil {
		return "", "", err
	}
	if p.answer.Result == "rejected" {
		return "rejected", "", nil
	}
	return fmt.Sprintf("status %d", p.answer.Status), "", nil
}

func (p *telling) wait(s step) (saw, why string, err error) {
	d, _ := time.ParseDuration(s.args[0])
	if e, ok := p.st.(Clock); ok {
		e.Advance(d)
		return "", "", nil
	}
	return "not on this stage: its time is real", "", nil
}

func (p *telling) serveNext(step) (saw, why string, err error) {
	if p.Next == nil {
		return "", "there is no next release; name its folder with --next", nil
	}
	p.served = true
	p.st.Release(p.Next)
	return "", "", nil
}

func (p *telling) takeOver(step) (saw, why string, err error) {
	if err := p.st.TakeOver(); err != nil {
		return "", err.Error(), nil
	}
	return "", "", p.st.Settle()
}

// stand puts the device somewhere.
func (p *telling) stand(s step) (saw, why string, err error) {
	d, ok := p.st.(Device)
	if !ok {
		return "", "this stage has no place", nil
	}
	lat, _ := strconv.ParseFloat(s.args[0], 64) // checked when it was parsed
	lon, _ := strconv.ParseFloat(s.args[1], 64)
	return "", "", d.Stand(lat, lon)
}

// reloadHard loads the page again, past the worker.
func (p *telling) reloadHard() (saw, why string, err error) {
	d, ok := p.st.(Device)
	if !ok {
		return "", "this stage reloads no page by force", nil
	}
	if p.load, err = d.Reload(); err != nil {
		return "", "", err
	}
	p.url, p.answer = p.load.URL, nil
	return p.look(), "", nil
}

func (p *telling) open(url string) (saw, why string, err error) {
	if !strings.HasPrefix(url, "/") && !strings.Contains(url, "://") {
		url = "/" + url
	}
	if p.load, err = p.st.Open(url); err != nil {
		return "", "", err
	}
	p.url, p.answer = url, nil
	saw = p.look()
	if p.network != stage.Online {
		return saw, "", nil
	}
	if err := p.st.Settle(); err != nil {
		return "", "", err
	}
	next, err := p.st.Shown()
	if err != nil {
		return "", "", err
	}
	if next != nil {
		p.url, p.load = next.URL, next
		saw += ", then led to " + next.URL + ": " + p.look()
	}
	return saw, "", nil
}

// act lets the visitor do something on the page.
func (p *telling) act(s step) (saw, why string, err error) {
	a, ok := p.st.(Actor)
	if !ok || !p.Scripts {
		return "", "the scripts of pages do not run (--scripts run)", nil
	}
	if p.load == nil {
		return "", "no page was opened before", nil
	}
	if s.verb == "back" || s.verb == "forward" {
		by := map[string]int{"back": -1, "forward": 1}[s.verb]
		if p.load, err = a.Travel(by); err != nil {
			return "", "", err
		}
		p.url = p.load.URL
		return orElse(p.load.Shown, p.load.URL) + ": " + p.look(), "", nil
	}
	on, value := s.rest, ""
	if s.verb == "type" || s.verb == "choose" {
		on, value = s.args[0], strings.TrimSpace(strings.TrimPrefix(s.rest, s.args[0]))
	}
	found, err := a.Act(s.verb, on, value)
	if err != nil {
		return "", err.Error(), nil
	}
	if !found {
		return "", fmt.Sprintf("the page has nothing that is called %q", on), nil
	}
	if p.load, err = a.Look(); err != nil {
		return "", "", err
	}
	if p.load.URL != p.url {
		p.url = p.load.URL
	}
	return orElse(p.load.Shown, p.load.URL) + ": " + p.look(), "", nil
}

// look says what came of the page that was opened last.
func (p *telling) look() string {
	if p.network == stage.Online {
		p.e.note(p.url, p.load)
	}
	p.result = p.e.result(p.url, p.network, p.load)
	saw := string(p.result.Outcome)
	if r := p.releases(); p.served && r != "" {
		saw += ", " + r
	}
	return saw
}

func (p *telling) change(s step) (saw, why string, err error) {
	if len(s.args) > 1 {
		p.faults = append(site.Faults{{Path: s.args[0], State: site.Network(s.args[1])}}, p.faults...)
		p.st.SetFaults(p.faults)
		return "", "", nil
	}
	p.network = stage.Network(s.args[0])
	return "", "", p.st.SetNetwork(p.network)
}

// mixed is what a page is called that shows parts of two releases.
const mixed = "a mix of releases"

// releases says of which releases the page opened last and its parts are, such as "release 1" or "a mix". It is empty when
// nothing of it differs between the releases.
func (p *telling) releases() string {
	if p.Next == nil || p.load == nil {
		return ""
	}
	of := [2]int{}
	for _, part := range p.load.Parts {
		path, _, _ := strings.Cut(part.URL, "?")
		if !strings.HasPrefix(path, "/") {
			continue
		}
		one, two := p.Server.Digest(path), p.Next.Digest(path)
		switch part.Digest {
		case one:
			if one != two {
				of[0]++
			}
		case two:
			of[1]++
		}
	}
	switch {
	case of[0] > 0 && of[1] > 0:
		return mixed
	case of[0] > 0:
		return "release 1"
	case of[1] > 0:
		return "release 2"
	}
	return ""
}

// expect compares with what the story expects; why says how it came out instead.
func (p *telling) expect(s step) (saw, why string, err error) {
	x, rest := expectationOf(s)
	words := s.args[:len(s.args)-len(rest)]
	if p.load == nil && !x.early {
		return "", "no page was opened before", nil
	}
	text := s.rest
	for _, w := range words {
		text = strings.TrimSpace(strings.TrimPrefix(text, w))
	}
	saw, why = x.holds(p, strings.Join(words, " "), text)
	return saw, why, nil
}

// met gives what was seen, and why that is not what was expected unless it is.
func met(ok bool, saw, why string) (string, string) {
	if ok {
		return saw, ""
	}
	return saw, why
}

func (p *telling) hasElement(_, what string) (saw, why string) {
	a, ok := p.st.(Actor)
	if !ok || !p.Scripts {
		return "", "the scripts of pages do not run (--scripts run)"
	}
	there, err := a.Element(what)
	if err != nil {
		return "", err.Error()
	}
	return met(there, "", "there is no such element")
}

func (p *telling) cameOut(outcome, _ string) (saw, why string) {
	got := string(p.result.Outcome)
	return met(got == outcome, got, orElse(p.result.Why, "it came out "+got))
}

func (p *telling) stands(_, url string) (saw, why string) {
	at := orElse(p.load.Shown, p.load.URL)
	return met(at == url, at, "the tab shows "+at)
}

func (p *telling) titled(_, text string) (saw, why string) {
	return met(strings.Contains(markup.Words(p.load.Title), markup.Words(text)), p.load.Title, fmt.Sprintf("the title is %q", p.load.Title))
}

func (p *telling) reads(_, want string) (saw, why string) {
	text := p.text()
	return met(strings.Contains(text, strings.Join(strings.Fields(want), " ")), "", fmt.Sprintf("the page does not say so: %q", clip(text)))
}

func (p *telling) doesNotRead(_, text string) (saw, why string) {
	return met(!strings.Contains(p.text(), strings.Join(strings.Fields(text), " ")), "", "the page says so")
}

func (p *telling) answeredWith(_, want string) (saw, why string) {
	status := p.load.Status
	if p.answer != nil {
		status = p.answer.Status
	}
	got := strconv.Itoa(status)
	want, _, _ = strings.Cut(want, " ")
	return met(got == want, got, "the status is "+got)
}

func (p *telling) fetchedBody(_, text string) (saw, why string) {
	if p.answer == nil {
		return "", "nothing was fetched since the page was opened"
	}
	return met(strings.Contains(p.answer.Body, text), p.answer.Result, fmt.Sprintf("the answer is %q", clip(p.answer.Body)))
}

func (p *telling) isOf(_, release string) (saw, why string) {
	got := orElse(p.releases(), "the same in both releases")
	release, _, _ = strings.Cut(release, " ")
	return met(got == "release "+release, got, "what was shown is "+got)
}

func (p *telling) isOfOne(string, string) (saw, why string) {
	got := p.releases()
	return met(got != mixed, got, "page and parts are of different releases")
}

// stored looks for an address in all stores.
func (p *telling) stored(url string, wanted bool) (saw, why string) {
	stores, err := p.st.Stores()
	if err != nil {
		return "", err.Error()
	}
	in := ""
	for _, st := range stores {
		if slices.ContainsFunc(st.Entries, func(e stage.Stored) bool { return worker.StoredFile(e.URL) == url }) {
			in = "store " + st.Name
		}
	}
	if !wanted {
		return met(in == "", in, "it is in "+in)
	}
	return met(in != "", in, "no store holds it")
}

// text is what the visitor reads: of the page as it is now when its scripts run.
func (p *telling) text() string {
	if p.load.Ran {
		if a, ok := p.st.(Actor); ok {
			if l, err := a.Look(); err == nil && l != nil {
				p.load = l
			}
		}
		return p.load.Text
	}
	return textOf(p.load.Body)
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

func clip(s string) string {
	if len(s) > 200 {
		return strings.ToValidUTF8(s[:200], "") + "…"
	}
	return s
}

// textOf gives the text of a page, with single spaces.
func textOf(body []byte) string {
	var out []string
	skip := 0
	for z := html.NewTokenizer(strings.NewReader(string(body))); ; {
		switch z.Next() {
		case html.ErrorToken:
			return strings.Join(out, " ")
		case html.StartTagToken:
			if name, _ := z.TagName(); string(name) == "script" || string(name) == "style" {
				skip++
			}
		case html.EndTagToken:
			if name, _ := z.TagName(); (string(name) == "script" || string(name) == "style") && skip > 0 {
				skip--
			}
		case html.TextToken:
			if skip == 0 {
				out = append(out, strings.Fields(string(z.Text()))...)
			}
		}
	}
}
