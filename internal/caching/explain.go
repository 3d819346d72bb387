package caching

import (
	"fmt"
	"slices"
	"time"

	"tachyform.dev/tachyform/internal/worker"
)

// Explanation says how one request is answered, and why.
type Explanation struct {
	Address     string   `json:"address"`
	Method      string   `json:"method"`
	Destination string   `json:"destination"`
	Answer      string   `json:"answer"` // as in [Row], or "redirect"
	By          string   `json:"by"`     // the rule or list that decides
	Place       Place    `json:"place"`
	Passed      []Passed `json:"passed"` // rules before it that match the address but not this request
	Online      string   `json:"online"`
	Slow        string   `json:"slow"`
	Failing     string   `json:"failing"`
	Offline     string   `json:"offline"`
	Stored      string   `json:"stored"`
}

// Passed is a rule that is passed over.
type Passed struct {
	Rule string `json:"rule"`
	Why  string `json:"why"`
}

// Explain says how a request is answered.
func Explain(p *worker.Plan, a worker.Asked, places []Place) Explanation {
	if a.Method == "" {
		a.Method = "GET"
	}
	d := p.Decide(a)
	e := Explanation{Address: a.Address, Method: a.Method, Destination: a.Destination, Answer: d.Answer, Passed: []Passed{}}
	upTo := d.Rule
	if upTo < 0 {
		upTo = len(p.Rules)
	}
	for i := range p.Rules[:upTo] {
		r := &p.Rules[i]
		if !r.MatchesAddress(a.Address) {
			continue
		}
		why := fmt.Sprintf("it is for %s, this is %s", methodName(r.Method), methodName(a.Method))
		if methodName(r.Method) == a.Method {
			why = fmt.Sprintf("it is for %v, this is %s", r.Destinations, a.Destination)
		}
		e.Passed = append(e.Passed, Passed{What(r), why})
	}
	last := standIn(p, a.Destination)
	if d.StandIn == "" {
		last = "nothing: the request fails"
		if a.Destination == "document" {
			last = "the browser's error page"
		}
	}
	if d.StandIn != "" && d.StandIn == p.Shell {
		last = p.Shell + " instead"
	}
	if d.Rule >= 0 {
		r := &p.Rules[d.Rule]
		e.By = "rule " + fmt.Sprint(d.Rule+1) + ": " + What(r)
		if d.Rule < len(places) {
			e.Place = places[d.Rule]
		}
		e.byRule(p, r, d, last)
		return e
	}
	switch d.Answer {
	case "release":
		e.By = "stow now"
		if d.File == p.Shell && p.Shell != a.Address && a.Destination == "document" {
			e.By = "no file and no rule: a route of the application, shown by its shell"
		}
		e.Stored = "with the release, at the first visit"
		e.set("the release's "+d.File+", without a request", "the same", "the same", "the same")
		if d.Later {
			e.By = "stow later"
			e.Stored = "with the release, when it is first asked for"
			e.set("the release's "+d.File+", fetched the first time", "the same, if it was asked for before", "the same, if it was asked for before", "the same, if it was asked for before; else "+last)
		}
	case "redirect":
		e.By = "the folder's page"
		there := Explain(p, worker.Asked{Address: d.Redirect, Method: a.Method, Destination: a.Destination}, places)
		e.Stored = there.Stored
		on := "sent on to " + d.Redirect + ": "
		e.set(on+there.Online, on+there.Slow, on+there.Failing, on+there.Offline)
	case "network":
		e.By = "no list and no rule has it"
		if d.StandIn != "" && d.StandIn == p.Shell && p.Routes != "" {
			e.By = "no list, no rule and no route has it: the server first, then the application's shell"
		}
		e.Stored = "no"
		e.set("from the network", slowly(p, a, last), "the server's error page", last)
	case "visited":
		e.By = "it is a page of the server"
		e.Stored = "as everybody gets it, when it was visited; never what the server marks as made for one visitor, nor a form with a token"
		kept := "as it was kept when it was visited, else " + last
		if slices.Contains(p.Visited.Pages, a.Address) {
			e.Stored, kept = "as everybody gets it, at the first visit and when it was visited", "as it was kept"
		}
		e.set("from the network", slowly(p, a, kept), kept+"; else the server's error page", kept)
	default:
		e.By = "no list and no rule has it"
		if !slices.Contains([]string{"GET"}, a.Method) {
			e.By = "no rule is for " + a.Method
		}
		e.Stored = "no"
		e.set("past the worker, as if there were none", "the network's", "the server's error", "nothing: the request fails")
	}
	return e
}

// slowly says what a request gets on a network that does not answer.
func slowly(p *worker.Plan, a worker.Asked, last string) string {
	if a.Destination == "document" && p.Patience > 0 {
		return "after " + wait(time.Duration(p.Patience)*time.Millisecond) + " " + last + "; waits as long as it takes when loaded again"
	}
	return "waits for the network, then " + last
}

func methodName(m string) string {
	if m == "" {
		return "GET"
	}
	return m
}

func (e *Explanation) set(online, slow, failing, offline string) {
	e.Online, e.Slow, e.Failing, e.Offline = online, slow, failing, offline
}

// byRule fills in what a rule promises.
func (e *Explanation) byRule(p *worker.Plan, r *worker.Rule, d worker.Decision, last string) {
	stored := "the stored answer" + within(r)
	if d.File != "" {
		stored += ", or the release's " + d.File
	}
	otherwise := stored + ", else " + last
	e.Stored = keeps(r)
	switch r.Answer {
	case worker.NetworkFirst:
		patience := wait(time.Duration(r.Patience) * time.Millisecond)
		e.set("from the network, and stored; 401, 403, 404 and 410 are shown and remove the stored answer", "after "+patience+" "+otherwise, otherwise, otherwise)
	case worker.CacheFirst:
		e.set(stored+", else from the network, and stored", stored, stored+", else the server's error", otherwise)
	case worker.StaleWhileRevalidate:
		e.set(stored+", else from the network; the fresh answer is stored for the next time", stored, stored+", else the server's error", otherwise)
	case worker.CacheOnly:
		e.set(otherwise, "the same", "the same", "the same")
	case worker.Outbox:
		e.set("sent at once, with an Idempotency-Key; the server's answer is given", "202 after 10 s: kept, and sent again", "202: kept, and sent again until the server takes it", "202: kept, and sent when there is a network")
		e.Stored = How(r)
	case worker.NetworkOnly:
		e.Stored = "no"
		e.set("from the network", slowly(p, worker.Asked{Destination: e.Destination}, last), "the server's error", last)
	default:
		e.Stored = "no"
		e.set("past the worker, as if there were none", "the network's", "the server's error", "the browser's error page")
	}
}
