package rehearsal

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestCompareWhatPagesShow names differences in text, title, missing parts, requests and errors, and not what browsers ask for by themselves.
func TestCompareWhatPagesShow(t *testing.T) {
	page := func(change func(*PageResult)) *Report {
		text := "Tides of Kelda:\n high water 06:10, low water 12:25"
		p := PageResult{URL: "/tides/", Network: "offline", Outcome: Partial, Status: 200, AnsweredBy: "worker", Title: "Tides", Ran: true, Text: &text, Missing: []Missing{{URL: "/moon.png"}},
			Requests: []Request{{Method: "GET", URL: "/data.json", Result: "answered", Status: 200}, {Method: "GET", URL: "/icon.png", Use: "icon", Result: "answered"}},
			Errors:   []Error{{Message: "Uncaught TypeError: x is not a function", File: "/a.js", Line: 3}}}
		if change != nil {
			change(&p)
		}
		return &Report{Pages: []PageResult{p}}
	}
	for name, c := range map[string]struct {
		change func(*PageResult)
		want   []Difference
	}{
		"white space alone": {func(p *PageResult) { s := strings.Join(strings.Fields(*p.Text), "  "); p.Text = &s }, nil},
		"another text": {func(p *PageResult) { s := "Tides of Kelda: high water 07:00, low water 12:25"; p.Text = &s },
			[]Difference{{"offline /tides/: text", `"… Kelda: high water 06:10, low water 12:25"`, `"… Kelda: high water 07:00, low water 12:25"`}}},
		"another title":      {func(p *PageResult) { p.Title = "Loading" }, []Difference{{"offline /tides/: title", "Tides", "Loading"}}},
		"something lacks":    {func(p *PageResult) { p.Missing = nil }, []Difference{{"offline /tides/: missing", "/moon.png", "nothing else"}}},
		"other requests":     {func(p *PageResult) { p.Requests[0].Status = 503 }, []Difference{{"offline /tides/: requests", "GET /data.json answered 200", "GET /data.json answered 503"}}},
		"no icon":            {func(p *PageResult) { p.Requests = p.Requests[:1] }, nil},
		"the words of error": {func(p *PageResult) { p.Errors[0].Message = "Uncaught TypeError: x isn't one" }, nil},
		"another error":      {func(p *PageResult) { p.Errors[0].Line = 4 }, []Difference{{"offline /tides/: errors", "TypeError /a.js:3", "TypeError /a.js:4"}}},
		"the model's gap":    {func(p *PageResult) { p.Title = "Loading" }, nil},
		"no script ran":      {func(p *PageResult) { p.Ran, p.Requests, p.Errors = false, nil, nil }, nil},
		"another outcome":    {func(p *PageResult) { p.Outcome, p.Title = Whole, "Loading" }, []Difference{{"offline /tides/", "partial, status 200, by the worker", "whole, status 200, by the worker"}}},
	} {
		one := page(nil)
		if name == "the model's gap" {
			one.Pages[0].Errors[0].Needs = "OffscreenCanvas"
		}
		got := Compare(one, page(c.change))
		if c.want == nil {
			assert.Empty(t, got, name)
			continue
		}
		assert.Equal(t, c.want, got, name)
	}
	many := page(func(p *PageResult) {
		for _, u := range strings.Split("a b c d e f g", " ") {
			p.Missing = append(p.Missing, Missing{URL: "/" + u})
		}
	})
	assert.Equal(t, "/a, /b, /c, /d, /e, 2 more", Compare(page(nil), many)[0].Chromium)
	many.Keep(map[string]bool{"text": true})
	assert.NotNil(t, many.Pages[0].Text)
	assert.Nil(t, many.Pages[0].Requests)
	assert.Nil(t, many.Pages[0].Errors)
}
