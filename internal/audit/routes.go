package audit

import (
	"bytes"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/survey"
)

// routeOf gives the application and the route that a page of the rehearsal is, nil for other pages.
func (f *facts) routeOf(url string) (*survey.Application, *survey.Route) {
	for i := range f.inv.Applications {
		a := &f.inv.Applications[i]
		for j := range a.Routes {
			if a.Routes[j].Address == url {
				return a, &a.Routes[j]
			}
		}
	}
	return nil, nil
}

// tellsOffline is how scripts and pages notice that there is no network.
var tellsOffline = regexp.MustCompile("navigator\\.onLine|addEventListener\\([\"'`](offline|online)[\"'`]|\\bon(off|on)line\\b|data-app-offline")

// maxRoutesAsked is of how many routes of one application a live server is asked.
const maxRoutesAsked = 20

var routeChecks = []Check{
	{
		ID: "offline/route-stand-in", Level: Warning, Title: "The routes of an application are there without a network",
		Example: `/boats shows /offline.html, and the application that draws it is stored`,
		Why:     "The document that draws this address is on the device, and the visitor gets another page in its place.",
		Mend:    "let the worker answer routes with the application's document: shell in [offline] of tachyform.toml", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, p := range f.rehearsal.Pages {
				if a, _ := f.routeOf(p.URL); a != nil && p.Network == "offline" && (p.Outcome == rehearsal.StandIn || p.Outcome == rehearsal.Lost) {
					x := Finding{URL: p.URL, Message: p.Why + "; it is a route of " + a.Shell}
					if !a.Main && a.Within(f.site.Base) {
						x.Mend = "move the application into a folder of its own and fit it there, or name its document and its routes as shell and routes in [offline]"
					}
					out = append(out, x)
				}
			}
			return out, len(f.inv.Applications) > 0
		},
	},
	{
		ID: "offline/route-data", Level: Warning, Title: "Routes have their data once they were seen",
		Example: `/boats/7 asks for /api/boats/7, which no rule keeps`,
		Why:     "The visitor looked at it before the journey, and finds it empty on the way.",
		Mend:    "a [[rule]] in tachyform.toml that keeps it (tachyform draft writes one)", Spec: "rehearsed: opened online, then without a network",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			asked := false
			for _, p := range f.rehearsal.Pages {
				a, r := f.routeOf(p.URL)
				if a == nil || len(r.Data) == 0 || p.Network != "offline" || f.private(p.URL) {
					continue
				}
				asked = true
				var lacking []string
				for _, m := range p.SeenMissing {
					if !f.private(m.URL) {
						lacking = append(lacking, m.URL)
					}
				}
				if len(lacking) > 0 {
					out = append(out, Finding{URL: p.URL, Message: "once it was seen online it still lacks " + strings.Join(lacking[:min(3, len(lacking))], ", ")})
				}
			}
			return out, asked
		},
	},
	{
		ID: "worker/server-not-asked", Level: Warning, Title: "Where the server leads visitors elsewhere, they come there",
		Example: `/account leads to a sign-in, and the worker answers it with the application's page`,
		Why:     "Who has to sign in never sees where, and who comes back from it is not let in: the server is not asked.",
		Mend:    "leave these addresses to the network: except in [offline] of tachyform.toml, or a condition in the worker's fetch handler", Spec: "rehearsed: opened online, with the worker and without",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, l := range f.rehearsal.Led {
				if l.Shown != l.To {
					out = append(out, Finding{URL: l.URL, Message: fmt.Sprintf("the server leads to %s, and the visitor is shown %s, answered by the %s", l.To, l.Shown, l.AnsweredBy)})
				}
			}
			return out, len(f.rehearsal.Led) > 0
		},
	},
	{
		ID: "host/route-not-answered", Level: Warning, Title: "The server answers the routes of an application",
		Example: `GET /boats/7 is answered with status 404`,
		Why:     "Who reloads the page, opens a link or a bookmark to it gets an error page, until a worker is there to answer.",
		Mend:    "have the server answer addresses without a file with the application's page", Spec: "HTML Standard, \"session history\": the address is asked for again",
		run: func(f *facts) ([]Finding, bool) {
			if f.live == nil {
				return nil, false
			}
			var out []Finding
			asked := false
			for _, a := range f.inv.Applications {
				for i, r := range a.Routes {
					if a.Hash || i >= maxRoutesAsked {
						break
					}
					asked = true
					if s := f.server.Answer("GET", r.Address).Status; s >= 400 {
						out = append(out, Finding{URL: r.Address, Message: fmt.Sprintf("it is a route of %s, and answered with status %d", a.Shell, s)})
					}
				}
			}
			return out, asked
		},
	},
	{
		ID: "pages/route-leads-nowhere", Level: Warning, Title: "What an application links is answered",
		Example: `a link to /gone, which shows "No such page"`,
		Why:     "The visitor follows a link of the application and is told that there is nothing.",
		Mend:    "mend the link; when the server answers it, name it in [[server.answer]] of tachyform.toml", Spec: "rehearsed: the link was opened in the application",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, a := range f.inv.Applications {
				for _, u := range a.Dead {
					out = append(out, Finding{URL: u, Message: fmt.Sprintf("%s links it; no file answers, and the application shows what it shows for any address", a.Shell)})
				}
			}
			return out, len(f.inv.Applications) > 0
		},
	},
	{
		ID: "offline/offline-unsaid", Level: Advice, Title: "An application says when it is offline",
		Example: `no script looks at navigator.onLine`,
		Why:     "Without a network old data looks like new, and what the visitor sends fails without a word.",
		Mend:    "give an element the attribute data-app-offline, which the page script shows when there is no network, or listen to online and offline", Spec: "HTML Standard, \"Browser state\"",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, a := range f.inv.Applications {
				if !f.closureSays(a.Shell, tellsOffline) {
					out = append(out, Finding{URL: a.Shell, Message: "neither the page nor its scripts notice that there is no network"})
				}
			}
			return out, len(f.inv.Applications) > 0
		},
	},
}

// closureSays says whether a page or a script that it needs matches; our own scripts do not count.
func (f *facts) closureSays(page string, what *regexp.Regexp) bool {
	for u := range f.inv.Closure(page) {
		file := f.inv.FileOf(u)
		if file == nil || file.Kind() != "script" && !file.IsPage() {
			continue
		}
		data, err := f.site.Read(file.Path)
		if err == nil && !bytes.HasPrefix(data, []byte("// Tachyform")) && what.Match(data) {
			return true
		}
	}
	return false
}

// isRoute says whether a page of the rehearsal is a route.
func (f *facts) isRoute(url string) bool {
	return slices.ContainsFunc(f.inv.Applications, func(a survey.Application) bool {
		return slices.ContainsFunc(a.Routes, func(r survey.Route) bool { return r.Address == url })
	})
}
