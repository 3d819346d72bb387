package worker

import (
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
)

// Asked is a request as rules see it.
type Asked struct {
	Address     string // path and query, behind the origin when that is another one
	Method      string // "" for GET
	Destination string // of [Destinations]; "document" is a navigation
}

// compiled remembers regular expressions.
var compiled sync.Map

func compile(re string) *regexp.Regexp {
	if r, ok := compiled.Load(re); ok {
		return r.(*regexp.Regexp)
	}
	r, err := regexp.Compile(re)
	if err != nil { // patterns were compiled when they were read
		r = regexp.MustCompile(`$^`)
	}
	compiled.Store(re, r)
	return r
}

func methodOf(m string) string {
	if m == "" {
		return "GET"
	}
	return m
}

// Matches says whether the rule is for a request.
func (r *Rule) Matches(a Asked) bool {
	return methodOf(r.Method) == methodOf(a.Method) && (len(r.Destinations) == 0 || slices.Contains(r.Destinations, a.Destination)) &&
		compile(r.Match).MatchString(a.Address)
}

// MatchesAddress says whether the rule is for an address, with some method and destination.
func (r *Rule) MatchesAddress(address string) bool { return compile(r.Match).MatchString(address) }

// Decision is how a worker answers a request.
type Decision struct {
	Rule     int    // number of the rule that decides, from 0; -1 for none
	File     string // URL of the release's file that answers, "" for none
	Later    bool   // that file is stored when it is first asked for
	Redirect string // URL of a folder that the request is sent on to, "" for none
	Answer   string // one of [Answers], "release", "redirect", "network" or "past" (the worker keeps out of it)
	StandIn  string // URL of what is shown when nothing else can be, "" for the browser's own error
}

// Decide says how the worker that is written from the plan answers a request. It follows the engine's answerTo.
func (p *Plan) Decide(a Asked) Decision {
	d := Decision{Rule: slices.IndexFunc(p.Rules, func(r Rule) bool { return r.Matches(a) }), Answer: "past"}
	pathname, query, _ := strings.Cut(a.Address, "?")
	navigation := a.Destination == "document"
	var rule *Rule
	if d.Rule >= 0 {
		rule = &p.Rules[d.Rule]
	}
	switch {
	case rule != nil && rule.Answer == leave:
		return d
	case rule == nil && (methodOf(a.Method) != "GET" || !strings.HasPrefix(pathname, p.Base)):
		return d
	case rule != nil && rule.Answer == Outbox:
		d.Answer = Outbox
		return d
	}
	switch {
	case navigation:
		d.StandIn = p.Offline
	case a.Destination == "image":
		d.StandIn = p.Image
	}
	file, later := p.file(pathname, navigation)
	switch {
	case rule == nil && file != "":
		d.Answer, d.File, d.Later = "release", file, later
	case rule != nil && rule.Answer != NetworkOnly:
		d.Answer, d.File, d.Later = rule.Answer, file, later
	case navigation && rule == nil && p.has(pathname+"/"):
		d.Answer, d.Redirect, d.StandIn = "redirect", pathname+"/", ""
		if query != "" {
			d.Redirect += "?" + query
		}
	case navigation && rule == nil && p.Shell != "" && path.Ext(pathname) == "" && !slices.Contains(p.Apart, unescaped(pathname)):
		d.Answer, d.File = "release", p.Shell
	case navigation || d.StandIn != "" && rule == nil:
		d.Answer = "network"
		if rule != nil {
			d.Answer = NetworkOnly
		}
	case rule != nil:
		d.Answer = NetworkOnly
	}
	return d
}

func (p *Plan) has(u string) bool {
	_, now := p.Now[u]
	_, later := p.Later[u]
	return now || later
}

var indexName = regexp.MustCompile(`/index\.html?$`)

// file finds the release's file for a path, as the engine's fileOf does.
func (p *Plan) file(at string, navigation bool) (file string, later bool) {
	at = indexName.ReplaceAllString(at, "/")
	give := func(u string) (string, bool) {
		_, now := p.Now[u]
		return u, !now
	}
	if p.has(at) {
		return give(at)
	}
	if navigation && p.has(at+".html") {
		return give(at + ".html")
	}
	if !strings.Contains(at, "%") {
		return "", false
	}
	plain := unescaped(at)
	for _, list := range []map[string]Entry{p.Now, p.Later} {
		for u := range list {
			if unescaped(u) == plain {
				return give(u)
			}
		}
	}
	return "", false
}

func unescaped(p string) string {
	if u, err := url.PathUnescape(p); err == nil {
		return u
	}
	return p
}
