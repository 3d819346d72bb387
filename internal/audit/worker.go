package audit

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

var workerChecks = []Check{
	{
		ID: "worker/none", Level: Warning, Title: "A service worker is registered",
		Example: `a site without navigator.serviceWorker.register`, Safe: true,
		Why:  "Without a service worker nothing of the site works when there is no network.",
		Mend: "run tachyform fit", Spec: "Service Workers, \"register\"",
		run: func(f *facts) ([]Finding, bool) {
			behind := func(r *survey.Registration) string {
				if r.When == "" {
					return ""
				}
				return ": what stands before it does not hold there (" + r.When + ")"
			}
			if r := f.unmet; r != nil {
				return []Finding{{File: r.File, Line: r.Line, Column: r.Column, Message: "a worker is registered here, and not when the start page runs" + behind(r), Mend: "have the build give the condition its value, or take it away"}}, true
			}
			if f.rehearsal.Worker.State != "none" {
				return nil, true
			}
			m := "no page registers a worker"
			for _, file := range f.site.Files {
				if data, err := f.site.Read(file.Path); file.Kind() == "script" && err == nil && bytes.HasPrefix(data, []byte(worker.RetiringMark)) {
					return []Finding{{File: file.Path, URL: file.URL, Message: "the site's worker is retired: this one takes itself from visitors' browsers", Mend: "nothing, while visitors are to be rid of it; tachyform fit puts a worker in its place again"}}, true
				}
			}
			if n := len(f.inv.Registrations); n > 0 {
				r := f.inv.Registrations[0]
				return []Finding{{File: r.File, Line: r.Line, Column: r.Column, Message: fmt.Sprintf("a worker is registered here, but not when a visitor comes to %s", f.inv.StartFile.URL) + behind(&r)}}, true
			}
			return []Finding{{File: f.inv.StartFile.Path, URL: f.inv.StartFile.URL, Message: m}}, true
		},
	},
	{
		ID: "worker/not-installed", Level: Blocker, Title: "The service worker installs",
		Example: `caches.addAll(["/", "/gone.css"]) while installing`,
		Why:     "A worker that does not install does nothing; visitors keep the old one, or have none.",
		Mend:    "correct what failed", Spec: "Service Workers, \"Install\"",
		run: func(f *facts) ([]Finding, bool) {
			w := f.rehearsal.Worker
			if w.State == "none" || w.State == "not known" {
				return nil, false
			}
			if w.State != "failed" {
				return nil, true
			}
			return []Finding{{File: strings.TrimPrefix(w.File, f.site.Base), Line: w.Line, URL: w.URL, Message: w.Error}}, true
		},
	},
	{
		ID: "worker/start-url-out-of-scope", Level: Warning, Title: "The worker's scope contains the start URL",
		Example: `register("/app/sw.js") and "start_url": "/"`,
		Why:     "The app opens on a page that the worker does not answer for: without a network it shows an error.",
		Mend:    "register the worker with a scope that begins the start URL", Spec: "Service Workers, \"Match Service Worker Registration\"",
		run: func(f *facts) ([]Finding, bool) {
			w := f.rehearsal.Worker
			if w.State == "none" || w.State == "failed" || w.State == "not known" || !f.readable() {
				return nil, false
			}
			start := strings.TrimPrefix(f.manifest.Processed.StartURL, f.origin())
			if strings.HasPrefix(start, w.Scope) {
				return nil, true
			}
			return []Finding{f.at("start_url", fmt.Sprintf("%s is outside the worker's scope %s", start, w.Scope), "")}, true
		},
	},
}

// dead lists what a page misses even when there is a network: no worker can help there.
func dead(f *facts) map[string]bool {
	out := map[string]bool{}
	for _, v := range f.rehearsal.Visits {
		for _, m := range v.Missing {
			out[m.URL] = true
		}
	}
	for _, p := range f.rehearsal.Pages {
		for _, m := range p.Missing {
			if u, _, _ := strings.Cut(m.URL, "?"); strings.HasPrefix(u, f.site.Base) {
				if a := f.server.Answer("GET", u); a.Status >= 400 {
					out[m.URL] = true
				}
			}
		}
	}
	for u := range f.refused {
		out[u] = true
	}
	return out
}

// offline gives a finding for each page with an outcome when there is no network.
func offline(f *facts, outcome rehearsal.Outcome, start bool) []Finding {
	var out []Finding
	nowhere := dead(f)
	for _, p := range f.rehearsal.Pages {
		p.Missing = slices.DeleteFunc(slices.Clone(p.Missing), func(m rehearsal.Missing) bool { return nowhere[m.URL] })
		if p.Outcome == rehearsal.Partial && len(p.Missing) == 0 && !p.Less {
			continue
		}
		if p.Seen == rehearsal.Whole || f.isRoute(p.URL) && (outcome == rehearsal.StandIn || outcome == rehearsal.Lost || len(p.SeenMissing) > 0) {
			continue // a visitor who has seen it has it; other checks are about routes
		}
		if p.Network != "offline" || p.Outcome != outcome || start != (p.URL == f.inv.StartFile.URL) || outcome == rehearsal.StandIn && f.private(p.URL) {
			continue
		}
		m, mend := p.Why, ""
		if len(p.Missing) > 0 {
			if !slices.ContainsFunc(p.Missing, func(x rehearsal.Missing) bool { return f.inv.FileOf(x.URL) != nil }) {
				mend = "it is not a file of the site: say how it is answered by a [[rule]] in tachyform.toml (tachyform draft writes one)"
			}
			var names []string
			for _, x := range p.Missing[:min(3, len(p.Missing))] {
				names = append(names, x.URL)
			}
			m = "missing: " + strings.Join(names, ", ")
			if n := len(p.Missing) - len(names); n > 0 {
				m += fmt.Sprintf(" and %d more", n)
			}
		}
		out = append(out, Finding{URL: p.URL, Message: m, Mend: mend})
	}
	return out
}

var offlineChecks = []Check{
	{
		ID: "offline/start-page", Level: Warning, Title: "The start page works without a network",
		Example: `the start page is not in the store`,
		Why:     "It is what opens when a visitor taps the icon on a train.",
		Mend:    "run tachyform fit, or let the worker store the start page and what it needs", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) {
			found := offline(f, rehearsal.Lost, true)
			found = append(found, offline(f, rehearsal.StandIn, true)...)
			found = append(found, offline(f, rehearsal.Blank, true)...)
			return append(found, offline(f, rehearsal.Partial, true)...), true
		},
	},
	{
		ID: "offline/page-lost", Level: Warning, Title: "No page ends in the browser's error page",
		Example: `fetch(e.request) without .catch()`,
		Why:     "The visitor sees the browser's own error page and believes that the site is broken.",
		Mend:    "show an offline page for pages that are not stored", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) { return offline(f, rehearsal.Lost, false), true },
	},
	{
		ID: "offline/page-blank", Level: Warning, Title: "Pages show something without a network",
		Example: `the document is stored, and the data that its script draws is not`,
		Why:     "The document comes, and next to nothing of what it shows online is there: the visitor looks at an empty page.",
		Mend:    "give the data a rule that keeps it, stow the scripts that draw the page, or let the page say that it needs the network", Spec: "rehearsed with the page's own scripts",
		run: func(f *facts) ([]Finding, bool) { return offline(f, rehearsal.Blank, false), true },
	},
	{
		ID: "offline/page-partial", Level: Warning, Title: "Stored pages are whole",
		Example: `the page is stored, and its style sheet is not`,
		Why:     "The page comes without its styles, pictures or scripts.",
		Mend:    "store what the page needs together with it", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) { return offline(f, rehearsal.Partial, false), true },
	},
	{
		ID: "offline/page-stand-in", Level: Advice, Title: "Pages are there without a network",
		Example: `/fares/ shows /offline.html`,
		Why:     "The visitor sees the offline page instead of this one. That is right for pages that need the network.",
		Mend:    "stow the page, if it is of use without a network", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) { return offline(f, rehearsal.StandIn, false), true },
	},
}
