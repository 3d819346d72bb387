package audit

import (
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// dataChecks are about what scripts get and what visitors send.
var dataChecks = []Check{
	{
		ID: "updates/data-never-fresh", Level: Warning, Title: "Data that changes on the server reaches visitors",
		Example: `addAll(["/departures.json"]) while installing, and caches.match(request) || fetch(request)`,
		Why:     "Timetables, prices and lists change without a release. Who was there once sees the old ones, and does not know that they are old.",
		Mend:    "ask the network first for it and keep a copy, with [[rule]] match = its address, answer = \"network-first\"; and leave it out of what is stored while installing", Spec: "rehearsed: the file changes on the server, and nothing else does",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, r := range f.rehearsal.Renewals {
				if r.Visit > 0 {
					continue
				}
				from := r.Source
				if name, ok := strings.CutPrefix(from, "store "); ok {
					from = fmt.Sprintf("the store %q", name)
				} else if from == "network" {
					from = "the browser's HTTP cache, where it may be kept too long"
				} else {
					from = "the worker"
				}
				path, _, _ := strings.Cut(r.URL, "?")
				file, _ := f.server.Find(path)
				out = append(out, Finding{File: file, URL: r.URL, Message: fmt.Sprintf("%s changes on the server, and at the fourth visit afterwards, online, scripts still get the old one, from %s", r.URL, from)})
			}
			return out, len(f.rehearsal.Renewals) > 0
		},
	},
	{
		ID: "offline/page-as-data", Level: Advice, Title: "Scripts that ask for data get no page",
		Example: `fetch(event.request).catch(() => caches.match("/offline.html")) for every request`,
		Why:     "The script takes the page for an answer: it throws, or draws nonsense, where it could say that there is no network.",
		Mend:    "show a page in place of another only for navigations (event.request.mode === \"navigate\")", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			applies := false
			seen := map[string]bool{}
			for _, r := range f.rehearsal.Fetches {
				if r.Network != string(stage.Offline) {
					continue
				}
				applies = true
				if !seen[r.URL] && f.pageAsData(r) {
					seen[r.URL] = true
					x := Finding{URL: r.URL, Message: fmt.Sprintf("%s is fetched by a script, and without a network the worker answers it with a page (status %d, %s)", r.URL, r.Status, r.Type)}
					for _, e := range f.inv.Endpoints {
						if e.URL == r.URL {
							x.File, x.Line, x.Column = e.File, e.Line, e.Column
							break
						}
					}
					out = append(out, x)
				}
			}
			return out, applies && f.workers()
		},
	},
	{
		ID: "offline/form-lost", Level: Advice, Title: "What visitors write into a form is not lost",
		Example: `<form method="post" action="/book"> and no rule that keeps the post`,
		Why:     "Somebody books on a train where the network has just gone: what was written is away, and nothing is sent later.",
		Mend:    "keep it: [[rule]] match = the action, method = \"POST\", answer = \"outbox\"; or say on the page that there is no network before it is sent", Spec: "rehearsed: the form is sent without a network, and then there is one",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, r := range f.rehearsal.Forms {
				if r.Sent {
					continue
				}
				x := Finding{URL: r.URL, Message: fmt.Sprintf("what is sent to %s is lost without a network: it %s, and nothing is sent later", r.URL, outcomeWords(r))}
				if r.Outcome == rehearsal.Whole && r.AnsweredBy == string(stage.ByWorker) {
					x.Message = fmt.Sprintf("what is sent to %s without a network is answered by the worker as if it had arrived, and the server never gets it", r.URL)
				}
				for _, e := range f.inv.Endpoints {
					if e.URL == r.URL && e.Form {
						x.File, x.Line, x.Column = e.File, e.Line, e.Column
						break
					}
				}
				out = append(out, x)
			}
			return out, len(f.rehearsal.Forms) > 0
		},
	},
	{
		ID: "worker/list-not-filled", Level: Warning, Title: "What the build writes into the worker is in it",
		Example: `keep(self.__FILES), and no build has put a list there`,
		Why:     "The worker was copied as it is in the sources. It does not start, or stores nothing: without a network nothing is there.",
		Mend:    "release the worker that the build wrote, and look whether its step ran; or let tachyform fit write the worker", Spec: "read",
		run: func(f *facts) ([]Finding, bool) {
			u, _, _ := strings.Cut(f.rehearsal.Worker.URL, "?")
			file := f.inv.FileOf(u)
			if !f.workers() || file == nil {
				return nil, false
			}
			src, err := f.site.Read(file.Path)
			if err != nil {
				return nil, false
			}
			places := markup.Placeholders(src)
			if strings.Contains(string(src), "importScripts") { // which may set the names
				places = slices.DeleteFunc(places, func(p markup.Placeholder) bool { return strings.HasPrefix(p.Text, "__") })
			}
			var out []Finding
			for _, p := range places[:min(5, len(places))] {
				line, column := position(src, p.Offset)
				what := "nothing gives it a value"
				if !strings.HasPrefix(p.Text, "__") {
					what = "it is a mark, and no value"
				}
				out = append(out, Finding{File: file.Path, Line: line, Column: column, URL: u, Message: fmt.Sprintf("%s stands in the worker, and %s: a build was to put something in its place", p.Text, what)})
			}
			return out, true
		},
	},
	{
		ID: "updates/one-store", Level: Advice, Title: "The release and what visits gather lie in stores of their own",
		Example: `one store "site" for addAll() while installing and for put() at every fetch`,
		Why:     "Neither can be thrown away without the other: a new release either takes along what visitors have kept, or leaves behind what nobody needs, and the store grows.",
		Mend:    "use a store for each release, and another one, with a bound, for what is kept as visitors come by it", Spec: "rehearsed",
		run: func(f *facts) ([]Finding, bool) {
			if len(f.rehearsal.Stores) == 0 || f.ours() {
				return nil, false
			}
			one := f.rehearsal.Stores[0]
			if len(f.rehearsal.Stores) > 1 || one.Listed == 0 || one.Gathered == 0 {
				return nil, true
			}
			return []Finding{f.inWorker(fmt.Sprintf("everything is in the store %q: %d answers that are stored while the worker installs, and %d more as a visitor comes by", one.Name, one.Listed, one.Gathered))}, true
		},
	},
}

// ours says whether fit wrote the worker.
func (f *facts) ours() bool {
	script, _, _ := strings.Cut(f.rehearsal.Worker.URL, "?")
	_, ours := worker.Released(f.server.Answer("GET", script).Body)
	return ours
}

// pageAsData says whether the worker gives a script a page for what is none.
func (f *facts) pageAsData(r rehearsal.FetchResult) bool {
	if r.Result != "answered" || r.Status >= 400 || r.Type != "text/html" && r.Type != "application/xhtml+xml" {
		return false
	}
	path, _, _ := strings.Cut(r.URL, "?")
	if !strings.HasPrefix(path, "/") {
		return true // of another origin, without a network: the worker made it
	}
	a := f.server.Answer("GET", path)
	return a.Status != 200 || !strings.Contains(a.Header.Get("Content-Type"), "html")
}
