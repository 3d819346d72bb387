// Package caching says in words how a worker answers the addresses of a site, so that the trade between fresh and offline
// can be seen before anything is written.
package caching

import (
	"fmt"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Place is where a rule stands.
type Place struct {
	File string `json:"file,omitempty"`
	Line int    `json:"line,omitempty"`
}

// Row is a group of addresses that are answered in the same way.
type Row struct {
	What    string   `json:"what"`   // what groups them: a list, or a rule's pattern
	Answer  string   `json:"answer"` // "release", "release, later", an answer of a rule, "network" or "past the worker"
	How     string   `json:"how"`    // in words
	Online  string   `json:"online"`
	Offline string   `json:"offline"`
	Files   int      `json:"files"` // of the site
	Bytes   int64    `json:"bytes"` // of those files
	Asked   []string `json:"asked"` // addresses that the site's scripts and forms ask for, sorted
	Samples []string `json:"samples"`
	Place   Place    `json:"place"`
}

// Table is how a whole site is answered. Its JSON form is tachyform.rules/1.
type Table struct {
	Format   string        `json:"format"`
	Site     string        `json:"site"`
	Scope    string        `json:"scope"`
	First    Weight        `json:"first_visit"`
	Later    Weight        `json:"later"`
	Ceiling  int64         `json:"ceiling"`
	Takeover string        `json:"takeover"`
	StandIn  string        `json:"stand_in"` // page shown when nothing else can be
	Image    string        `json:"image"`    // picture shown when nothing else can be
	Rows     []Row         `json:"rows"`
	Groups   []Group       `json:"groups"`
	Explains []Explanation `json:"explains"`
}

// Group is what a visitor can ask for as a whole.
type Group struct {
	Name string `json:"name"`
	Weight
}

// Groups weighs the groups of a plan.
func Groups(p *worker.Plan, files []site.File) []Group {
	out := []Group{}
	for _, g := range p.Groups {
		x := Group{Name: g.Name}
		re := regexp.MustCompile(g.Match)
		for _, f := range files {
			_, now := p.Now[f.URL]
			_, later := p.Later[f.URL]
			if (now || later) && re.MatchString(f.URL) {
				x.Files++
				x.Bytes += f.Size
			}
		}
		out = append(out, x)
	}
	return out
}

// Weight is what is stored.
type Weight struct {
	Files int   `json:"files"`
	Bytes int64 `json:"bytes"` // uncompressed
}

// Format names the shape of a [Table].
const Format = "tachyform.rules/1"

// Asked is an address that a script or a form asks for.
type Asked struct{ Method, Address string }

// Known is what a site has and asks for.
type Known struct {
	Files  []site.File // with those that fit writes
	Asked  []Asked
	Places []Place // of the plan's rules; may be shorter
}

// DestinationOf says what a file is asked for as.
func DestinationOf(f site.File) string {
	switch kind := f.Kind(); kind {
	case "page":
		return "document"
	case "style", "script", "image", "font":
		return kind
	case "media":
		if strings.HasPrefix(f.Type, "video/") {
			return "video"
		}
		return "audio"
	}
	return "empty"
}

// Tabulate groups everything that is known of a site by how it is answered.
func Tabulate(p *worker.Plan, k Known) []Row {
	rows := make([]Row, len(p.Rules)+4)
	const now, later, network, past = 0, 1, 2, 3
	for i := range rows {
		rows[i].Asked, rows[i].Samples = []string{}, []string{}
	}
	rows[now].set("stored at the first visit", "release", "from the release, without a request", "as released", "the same")
	rows[later].set("stored when first asked for", "release, later", "from the network once, then from the release", "as released", "the same, if it was asked for before")
	rows[network].set("other pages of the site", "network", "from the network", "fresh", standIn(p, "document"))
	if p.Visited != nil {
		rows[network].set("pages of the server", "kept as visited", visits(p.Visited), "fresh; as kept when the network is slow", "as kept when they were visited, else "+standIn(p, "document"))
	}
	rows[past].set("everything else", "past the worker", "as if there were no worker; icons and manifests never ask it", "fresh", "nothing")
	for i := range p.Rules {
		r := &p.Rules[i]
		row := &rows[4+i]
		online, offline := promises(p, r)
		row.set(What(r), r.Answer, How(r), online, offline)
		if i < len(k.Places) {
			row.Place = k.Places[i]
		}
	}
	add := func(d worker.Decision) *Row {
		switch {
		case d.Rule >= 0:
			return &rows[4+d.Rule]
		case d.Answer == "release" && !d.Later:
			return &rows[now]
		case d.Answer == "release":
			return &rows[later]
		case d.Answer == "network" || d.Answer == "visited" || d.Answer == "redirect":
			return &rows[network]
		}
		return &rows[past]
	}
	for _, f := range k.Files {
		row := add(p.Decide(worker.Asked{Address: f.URL, Destination: DestinationOf(f)}))
		row.Files++
		row.Bytes += f.Size
		if len(row.Samples) < 3 {
			row.Samples = append(row.Samples, f.URL)
		}
	}
	for _, a := range k.Asked {
		row := add(p.Decide(worker.Asked{Address: a.Address, Method: a.Method, Destination: "empty"}))
		text := a.Address
		if a.Method != "" && a.Method != "GET" {
			text = a.Method + " " + text
		}
		if !slices.Contains(row.Asked, text) {
			row.Asked = append(row.Asked, text)
			sort.Strings(row.Asked)
		}
	}
	out := append(slices.Clone(rows[4:]), rows[:4]...) // rules come first, as they are asked first
	out = slices.DeleteFunc(out, func(r Row) bool { return r.Place == Place{} && r.Files == 0 && len(r.Asked) == 0 })
	return append(out, shell(p)...)
}

// shell gives the rows for the routes of an application, none without one.
func shell(p *worker.Plan) []Row {
	if p.Shell == "" {
		return nil
	}
	routes := Row{Asked: []string{}, Samples: []string{}}
	routes.set("routes of the application", "release", p.Shell+" of the release, without a request", "as released", "the same")
	if p.Routes == "" {
		return []Row{routes}
	}
	others := Row{Asked: []string{}, Samples: []string{}}
	others.set("other addresses, opened as pages", "network", "from the network", "fresh", p.Shell+" of the release, which may have nothing for them")
	return []Row{routes, others}
}

func (r *Row) set(what, answer, how, online, offline string) {
	r.What, r.Answer, r.How, r.Online, r.Offline = what, answer, how, online, offline
}

// What names what a rule is for.
func What(r *worker.Rule) string {
	what := r.Source
	if r.Method != "" && r.Method != "GET" {
		what = r.Method + " " + what
	}
	if len(r.Destinations) > 0 {
		what += " (" + strings.Join(r.Destinations, ", ") + ")"
	}
	return what
}

// How says what a rule does, in words.
func How(r *worker.Rule) string {
	var parts []string
	switch r.Answer {
	case worker.NetworkFirst:
		parts = append(parts, "waits "+wait(time.Duration(r.Patience)*time.Millisecond)+" for the network")
	case worker.Outbox:
		parts = append(parts, fmt.Sprintf("keeps up to %d posts for %s", r.Entries, wait(time.Duration(r.Age)*time.Second)))
	}
	if k := keeps(r); k != "" {
		parts = append(parts, k)
	}
	if len(r.Ignore) > 0 {
		parts = append(parts, "ignores "+strings.Join(r.Ignore, ", "))
	}
	if r.Vary != "" {
		parts = append(parts, "vary: "+r.Vary)
	}
	if r.Opaque {
		parts = append(parts, "opaque too")
	}
	return strings.Join(parts, ", ")
}

// visits says what is kept of pages that a server makes.
func visits(v *worker.Visited) string {
	s := fmt.Sprintf("keeps %d pages for %s, as everybody gets them", v.Entries, wait(time.Duration(v.Age)*time.Second))
	if n := len(v.Pages); n > 0 {
		s += fmt.Sprintf("; %s fetched at the first visit and every %s", strings.Join(v.Pages[:min(n, 4)], ", "), strings.TrimPrefix(wait(time.Duration(v.Renew)*time.Second), "a "))
	}
	return s
}

// keeps says how much a rule stores, "" for nothing.
func keeps(r *worker.Rule) string {
	if !r.Stores() {
		return ""
	}
	k := fmt.Sprintf("keeps %d answers", r.Entries)
	if r.Age > 0 {
		k += " for " + wait(time.Duration(r.Age)*time.Second)
	}
	return k
}

// wait writes a duration in its largest whole unit.
func wait(d time.Duration) string {
	for _, u := range []struct {
		size      time.Duration
		one, many string
	}{{24 * time.Hour, "a day", "days"}, {time.Hour, "an hour", "hours"}, {time.Minute, "a minute", "minutes"}} {
		if d >= u.size && d%u.size == 0 {
			if d == u.size {
				return u.one
			}
			return fmt.Sprintf("%d %s", d/u.size, u.many)
		}
	}
	return fmt.Sprintf("%g\u00a0s", d.Seconds())
}

func standIn(p *worker.Plan, destination string) string {
	switch {
	case destination == "document" && p.Offline != "":
		return p.Offline + " instead"
	case destination == "image" && p.Image != "":
		return p.Image + " instead"
	case destination == "document":
		return "the browser's error page"
	}
	return "nothing"
}

// promises says what visitors get by a rule with and without a network.
func promises(p *worker.Plan, r *worker.Rule) (online, offline string) {
	last := "nothing"
	if len(r.Destinations) == 1 {
		last = standIn(p, r.Destinations[0])
	}
	switch r.Answer {
	case worker.CacheFirst:
		return "the stored answer, however old" + within(r), "the stored answer"
	case worker.NetworkFirst:
		return "fresh; the stored answer when the network is slow", "the last answer" + within(r)
	case worker.StaleWhileRevalidate:
		return "the stored answer; the fresh one next time", "the last answer" + within(r)
	case worker.CacheOnly:
		return "what is stored, never the network", "the same"
	case worker.Outbox:
		return "sent at once", "202, kept and sent later"
	case worker.NetworkOnly:
		if last == "nothing" && len(r.Destinations) == 0 {
			last = "pages: " + standIn(p, "document")
		}
		return "fresh", last
	}
	return "fresh, past the worker", "the browser's error page"
}

func within(r *worker.Rule) string {
	if r.Age == 0 {
		return ""
	}
	return ", up to " + wait(time.Duration(r.Age)*time.Second) + " old"
}
