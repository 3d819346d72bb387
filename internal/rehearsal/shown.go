package rehearsal

import (
	"context"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// blankBelow is the part of the words that a page shows online below which it counts as blank.
const blankBelow = 0.1

// maxWhy bounds what is quoted of a page's text, in bytes.
const maxWhy = 80

// baseline is what pages show online.
type baseline struct {
	ready map[string]chan struct{} // by page, closed when it was opened
	loads map[string]*stage.Load   // read only what is ready
}

func newBaseline(pages []string) *baseline {
	b := &baseline{ready: make(map[string]chan struct{}, len(pages)), loads: make(map[string]*stage.Load, len(pages))}
	for _, p := range pages {
		b.ready[p], b.loads[p] = make(chan struct{}), &stage.Load{}
	}
	return b
}

// of gives what a page shows online, nil when it cannot be had. It waits until the page was opened.
func (b *baseline) of(page string) *stage.Load {
	if b == nil || b.ready[page] == nil {
		return nil
	}
	<-b.ready[page]
	if l := b.loads[page]; l.Status > 0 && l.Status < 400 {
		return l
	}
	return nil
}

// take opens every page online. What that stores stays in the stage that is given.
func (b *baseline) take(ctx context.Context, st visited, pages []string) error {
	opened := map[string]bool{}
	defer func() { // nobody waits for ever
		for _, p := range pages {
			if !opened[p] {
				opened[p] = true
				close(b.ready[p])
			}
		}
	}()
	if err := st.SetNetwork(stage.Online); err != nil {
		return err
	}
	for _, p := range pages {
		if err := ctx.Err(); err != nil {
			return err
		}
		if opened[p] {
			continue
		}
		l, err := st.Open(p)
		if err != nil {
			return err
		}
		*b.loads[p] = *l
		opened[p] = true
		close(b.ready[p])
	}
	return nil
}

var digits = regexp.MustCompile(`[0-9]+`)

// wordsOf counts the words of a text. Numbers of one form count as the same, since clocks and counters move.
func wordsOf(text string) (words map[string]int, total int) {
	words = map[string]int{}
	for _, w := range strings.Fields(text) {
		words[digits.ReplaceAllString(w, "0")]++
		total++
	}
	return words, total
}

// compare says what a visitor lacks of a page against the same page online, nil when it cannot be had, unless the stage cannot know it.
func (e *expected) compare(p *PageResult, n stage.Network, l, base *stage.Load) {
	e.against(p, n, l, base)
	errors := l.Errors
	if base != nil {
		errors = append(slices.Clip(errors), base.Errors...)
	}
	i := slices.IndexFunc(errors, func(x stage.PageError) bool { return x.Needs != "" })
	if i < 0 || len(p.Missing) > 0 || p.Outcome != Whole && p.Outcome != Partial && p.Outcome != Blank {
		return
	}
	x := errors[i]
	p.Outcome, p.Less, p.File, p.Line, p.Column = NotKnown, false, x.File, x.Line, x.Column
	p.Why = fmt.Sprintf("needs %s, which this stage lacks: %s:%d:%d", x.Needs, x.File, x.Line, x.Column)
}

// against finds words that are not there, and exceptions that are not thrown online.
func (e *expected) against(p *PageResult, n stage.Network, l, base *stage.Load) {
	p.Ran, p.Shown = true, l.Shown
	here, total := wordsOf(l.Text)
	p.Words = total
	if e.detail["text"] {
		text := l.Text
		p.Text = &text
	}
	if e.detail["requests"] {
		p.Requests = []Request{}
		for _, r := range l.Requests {
			p.Requests = append(p.Requests, Request{r.URL, r.Method, string(r.Use), r.Result, r.Status, string(r.AnsweredBy)})
		}
	}
	if e.detail["errors"] {
		p.Errors = []Error{}
		for _, x := range l.Errors {
			p.Errors = append(p.Errors, errorOf(x))
		}
	}
	if n == stage.Online || base == nil {
		return
	}
	there, most := wordsOf(base.Text)
	p.Online = most
	if p.Outcome != Whole && p.Outcome != Partial || len(p.Private) > 0 {
		return
	}
	lost := 0
	for w, count := range there {
		lost += max(0, count-here[w])
	}
	if lost > 0 {
		p.Outcome, p.Less = Partial, true
		if float64(most-lost) < blankBelow*float64(most) {
			p.Outcome = Blank
		}
		p.Why = fmt.Sprintf("shows %d of %d words", most-lost, most)
		if total > 0 {
			p.Why += fmt.Sprintf(": %q", quoted(l.Text, base.Text))
		}
	}
	for _, x := range l.Errors {
		if slices.ContainsFunc(base.Errors, func(y stage.PageError) bool { return y.Message == x.Message }) {
			continue
		}
		p.Less = true
		if p.Outcome == Whole {
			p.Outcome = Partial
			p.Why = x.Message
		}
		if p.File == "" || strings.HasPrefix(p.Why, "shows ") {
			p.File, p.Line, p.Column = x.File, x.Line, x.Column
		}
		if strings.HasPrefix(p.Why, "shows ") && !strings.Contains(p.Why, x.Message) {
			p.Why += "; " + x.Message
		}
		break
	}
	if p.Outcome == Partial && len(p.Missing) > 0 && !strings.Contains(p.Why, p.Missing[0].URL) {
		p.Why = p.Missing[0].URL + ": " + p.Missing[0].Why + "; " + p.Why
	}
}

// maxFresh bounds how often a visitor begins afresh for pages that show less than online.
const maxFresh = 20

// again compares pages that show less with what they show online to a visitor who has opened nothing else since the visits, since a page may list
// what is stored. fresh gives such a visitor. The first page that one opens is alone; of the others, those that show what they showed before
// do not depend on what was opened.
func (b *baseline) again(ctx context.Context, parts []part, fresh func() (Stage, func(), error)) error {
	less := map[string][]*PageResult{}
	for i := range parts {
		for j := range parts[i].Pages {
			if p := &parts[i].Pages[j]; p.again != nil {
				less[p.URL] = append(less[p.URL], p)
			}
		}
	}
	pages := slices.Sorted(maps.Keys(less))
	slices.Reverse(pages) // the baseline had them in order
	for round := 0; len(pages) > 0 && round < maxFresh; round++ {
		st, end, err := fresh()
		if err != nil {
			return err
		}
		left, err := b.round(ctx, st, pages, less)
		end()
		if err != nil {
			return err
		}
		pages = left
	}
	for _, results := range less {
		for _, p := range results {
			p.again = nil
		}
	}
	return nil
}

// afterwards does what needs the visitor who has only made the visits once more: fresh gives one.
func (r *Report) afterwards(ctx context.Context, parts []part, o Options, e expected, fresh func() (Stage, func(), error)) error {
	if err := e.online.again(ctx, parts, fresh); err != nil {
		return err
	}
	less := map[string]*PageResult{}
	var pages []string
	for i := range parts {
		for j := range parts[i].Pages {
			p := &parts[i].Pages[j]
			if p.Network == string(stage.Offline) && p.Outcome != Whole && p.Outcome != NotKnown && slices.Contains(o.Revisit, p.URL) {
				less[p.URL] = p
				pages = append(pages, p.URL)
			}
		}
	}
	if len(pages) == 0 || r.Worker.State == "none" {
		return nil
	}
	st, end, err := fresh()
	if err != nil {
		return err
	}
	defer end()
	open := func(n stage.Network, note func(page string, l *stage.Load)) error {
		if err := st.SetNetwork(n); err != nil {
			return err
		}
		for _, page := range pages {
			if err := ctx.Err(); err != nil {
				return err
			}
			l, err := st.Open(page)
			if err != nil {
				return err
			}
			note(page, l)
		}
		return nil
	}
	if len(o.MadeUp) > 0 {
		made := e.server.With(nil)
		made.Rules.Answers = slices.Clone(made.Rules.Answers)
		for _, p := range o.MadeUp {
			made.Rules.Answers = append(made.Rules.Answers, site.AnswerRule{Path: p, Method: "GET", Type: "application/json", Body: []byte("{}")})
		}
		st.Release(made)
		defer st.Release(e.server)
	}
	if err := open(stage.Online, func(string, *stage.Load) {}); err != nil {
		return err
	}
	if err := st.Settle(); err != nil {
		return err
	}
	if err := st.Rest(); err != nil {
		return err
	}
	err = open(stage.Offline, func(page string, l *stage.Load) {
		p := e.result(page, stage.Offline, l)
		if slices.ContainsFunc(l.Requests, func(q stage.PageRequest) bool {
			u, _, _ := strings.Cut(q.URL, "?")
			return slices.Contains(o.MadeUp, u)
		}) { // it shows what was made up
			p.Outcome, p.Why = Whole, "with answers made up for data that the server does not have here"
			if len(p.Missing) > 0 {
				p.Outcome, p.Why = Partial, "missing "+p.Missing[0].URL
			}
		}
		less[page].Seen, less[page].SeenWhy, less[page].SeenMissing = p.Outcome, p.Why, p.Missing
	})
	if err != nil {
		return err
	}
	return st.SetNetwork(stage.Online)
}

// round opens pages online and gives those that have to be opened alone.
func (b *baseline) round(ctx context.Context, st visited, pages []string, less map[string][]*PageResult) (left []string, err error) {
	if err := st.SetNetwork(stage.Online); err != nil {
		return nil, err
	}
	for i, page := range pages {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		l, err := st.Open(page)
		if err != nil {
			return nil, err
		}
		if base := b.of(page); l.Status == 0 || l.Status >= 400 || base != nil && sameWords(l.Text, base.Text) {
			continue
		}
		if i > 0 {
			left = append(left, page)
			continue
		}
		for _, p := range less[page] {
			*p = p.again(l)
		}
	}
	return left, nil
}

func sameWords(a, b string) bool {
	x, _ := wordsOf(a)
	y, _ := wordsOf(b)
	return maps.Equal(x, y)
}

// quoted gives the part of a text that begins to differ from another, a word or two before it.
func quoted(text, other string) string {
	a, b := strings.Fields(text), strings.Fields(other)
	at := 0
	for at < len(a) && at < len(b) && a[at] == b[at] {
		at++
	}
	from := max(0, min(at, len(a)-1)-1)
	s := strings.Join(a[from:], " ")
	if len(s) > maxWhy {
		s = strings.ToValidUTF8(s[:maxWhy], "") + "…"
	}
	if from > 0 {
		s = "… " + s
	}
	return s
}
