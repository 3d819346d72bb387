package worker

import (
	"net/url"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"
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
	Answer   string // one of [Answers], "release", "redirect", "network", "visited" (the network, else what a visit has kept) or "past" (the worker keeps out of it)
	StandIn  string // URL of what is shown when nothing else can be, "" for the browser's own error
}

// Decide says how the worker that is written from the plan answers a request. It follows the engine's answerTo, which a test of the built program
// holds it to. It is not for several goroutines at a time.
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
	case rule == nil && (methodOf(a.Method) != "GET" || !strings.HasPrefix(pathname, p.Base) && p.listed(pathname, false) == ""):
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
	file := p.listed(pathname, navigation)
	later := false
	if file != "" {
		_, now := p.Now[file]
		later = !now
	}
	switch {
	case rule == nil && file != "":
		d.Answer, d.File, d.Later = "release", file, later
	case rule != nil && rule.Answer != NetworkOnly:
		d.Answer, d.File, d.Later = rule.Answer, file, later
	case navigation && rule == nil && p.listed(pathname+"/", false) != "":
		d.Answer, d.Redirect, d.StandIn = "redirect", pathname+"/", ""
		if query != "" {
			d.Redirect += "?" + query
		}
	case navigation && rule == nil && p.Shell != "" && path.Ext(pathname) == "" && !slices.Contains(p.Apart, unescaped(pathname)):
		if d.Answer, d.File = "release", p.Shell; !p.routed(pathname) {
			d.Answer, d.File, d.StandIn = "network", "", p.Shell
		}
	case navigation || d.StandIn != "" && rule == nil:
		d.Answer = "network"
		if navigation && rule == nil && p.Visited != nil {
			d.Answer = "visited"
		}
		if rule != nil {
			d.Answer = NetworkOnly
		}
	case rule != nil:
		d.Answer = NetworkOnly
	}
	return d
}

// routed says whether the shell answers a path at once.
func (p *Plan) routed(pathname string) bool {
	if p.Routes == "" {
		return true
	}
	if p.routes == nil {
		p.routes = regexp.MustCompile(p.Routes) // of our making
	}
	return p.routes.MatchString(pathname)
}

var indexName = regexp.MustCompile(`/index\.html?$`)

// listed finds the release's file for a path, as the engine's nameIn does: by names without percent-encoding.
func (p *Plan) listed(at string, navigation bool) string {
	at = unescaped(indexName.ReplaceAllString(at, "/"))
	for _, name := range []string{at, at + ".html"} {
		if u, ok := p.names()[name]; ok && (name == at || navigation) {
			return u
		}
	}
	return ""
}

// names gives the files of the release by their names without percent-encoding. It is made once for as many files as there are.
func (p *Plan) names() map[string]string {
	known := p.plain
	if known != nil && known.files == len(p.Now)+len(p.Later) {
		return known.names
	}
	known = &plainNames{len(p.Now) + len(p.Later), map[string]string{}}
	for _, list := range []map[string]Entry{p.Now, p.Later} {
		for _, u := range sorted(list) {
			known.names[unescaped(u)] = u
		}
	}
	p.plain = known
	return known.names
}

type plainNames struct {
	files int
	names map[string]string
}

func unescaped(p string) string {
	if u, err := url.PathUnescape(p); err == nil && utf8.ValidString(u) {
		return u
	}
	return p // as decodeURIComponent refuses it
}
