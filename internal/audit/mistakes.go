package audit

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// workers says whether a page registers a worker.
func (f *facts) workers() bool { return f.rehearsal.Worker.State != "none" }

// states gives what became of each page in one network state.
func (f *facts) states(network string) map[string]rehearsal.PageResult {
	out := map[string]rehearsal.PageResult{}
	for _, p := range f.rehearsal.Pages {
		if p.Network == network {
			out[p.URL] = p
		}
	}
	return out
}

// worse finds pages that are whole offline and not in another network state.
func (f *facts) worse(network string) ([]Finding, bool) {
	there, offline := f.states(network), f.states("offline")
	var out []Finding
	for _, p := range f.rehearsal.Pages {
		q, ok := there[p.URL]
		if p.Network != "offline" || !ok || offline[p.URL].Outcome != rehearsal.Whole || q.Outcome == rehearsal.Whole {
			continue
		}
		out = append(out, Finding{URL: p.URL, Message: fmt.Sprintf("whole without a network, and %s when the network is %s: %s", q.Outcome, network, q.Why)})
	}
	return out, len(there) > 0 && f.workers()
}

// updateChecks are about what a returning visitor gets.
var updateChecks = []Check{
	{
		ID: "offline/slow-network", Level: Advice, Title: "A slow network is no worse than none",
		Why:  "On a train the network is mostly there and does not answer: the visitor waits for a page that lies on the device.",
		Mend: "wait for the network only for a while, then take the stored copy",
		Spec: "rehearsed", Example: "network-first without a time limit",
		run: func(f *facts) ([]Finding, bool) { return f.worse("slow") },
	},
	{
		ID: "offline/failing-server", Level: Advice, Title: "A failing server is no worse than none",
		Why:  "The visitor sees the server's error page although a good copy lies on the device.",
		Mend: "look at response.ok, and take the stored copy when it is not",
		Spec: "rehearsed", Example: "fetch(e.request).catch(() => caches.match(e.request))",
		run: func(f *facts) ([]Finding, bool) { return f.worse("failing") },
	},
	{
		ID: "offline/data-lost", Level: Advice, Title: "Data that scripts fetch is there without a network",
		Why:  "The page is there, and shows no departures, no list, no map.",
		Mend: "stow the file, or answer it by a [[rule]] that keeps a copy",
		Spec: "rehearsed", Example: `fetch("/api/departures.json") with no stored copy`,
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			applies := false
			for _, r := range f.rehearsal.Fetches {
				if r.Network == "offline" && slices.Contains(f.inv.Data, r.URL) {
					path, _, _ := strings.Cut(r.URL, "?")
					sum := sha256.Sum256(f.server.Answer("GET", path).Body)
					switch applies = true; {
					case r.Result == "rejected" || r.Status >= 400:
						out = append(out, Finding{URL: r.URL, Message: r.URL + " is fetched by a script, and cannot be had"})
					case f.inv.FileOf(path) != nil && !f.pageAsData(r) && r.SHA256 != hex.EncodeToString(sum[:]):
						out = append(out, Finding{URL: r.URL, Message: r.URL + " is fetched by a script, and something else is given for it"})
					}
				}
			}
			return out, applies && f.workers()
		},
	},
	{
		ID: "worker/pages-out-of-scope", Level: Advice, Title: "The worker's scope contains the site's pages",
		Why:  "Pages outside the scope are never answered by the worker: without a network they show an error.",
		Mend: "register the worker from the root, or with a wider scope",
		Spec: "Service Workers, \"Match Service Worker Registration\"", Example: `register("/app/sw.js") on a site with pages outside of /app/`,
		run: func(f *facts) ([]Finding, bool) {
			w := f.rehearsal.Worker
			if w.State == "none" || w.State == "failed" || w.State == "not known" {
				return nil, false
			}
			n, first := 0, ""
			for _, p := range f.inv.Pages {
				if !strings.HasPrefix(p.File.URL, w.Scope) {
					if n++; n == 1 {
						first = p.File.URL
					}
				}
			}
			if n == 0 {
				return nil, true
			}
			return []Finding{{URL: first, Message: fmt.Sprintf("%d of %d pages are outside of the worker's scope %s", n, len(f.inv.Pages), w.Scope)}}, true
		},
	},
	{
		ID: "worker/pages-without", Level: Advice, Title: "Every page registers the worker",
		Why:  "A visitor who arrives deep in the site, from a search or a message, has no worker until he comes to a page that registers it.",
		Mend: "run tachyform fit",
		Spec: "Service Workers, \"register\"", Example: "only the start page registers the worker", Safe: true,
		run: func(f *facts) ([]Finding, bool) {
			if !f.workers() || f.summary.WorkerPages == 0 {
				return nil, false
			}
			if n := f.summary.Pages - f.summary.WorkerPages; n > 0 {
				return []Finding{{URL: f.inv.StartFile.URL, Message: fmt.Sprintf("%d of %d pages register no worker", n, f.summary.Pages)}}, true
			}
			return nil, true
		},
	},
	{
		ID: "updates/several-workers", Level: Warning, Title: "Pages register one worker for a scope",
		Why:  "Each page replaces the worker of the other: visitors download everything again and again.",
		Mend: "register the same script everywhere",
		Spec: "Service Workers, \"Register\"", Example: `register("/sw.js") on one page and register("/sw2.js") on another`,
		run: func(f *facts) ([]Finding, bool) {
			by := map[string]survey.Registration{}
			var out []Finding
			for _, r := range f.inv.Registrations {
				if r.URL == "" {
					continue
				}
				scope := r.Scope
				if scope == "" {
					scope = r.URL[:strings.LastIndex(r.URL, "/")+1]
				}
				first, ok := by[scope]
				if !ok {
					by[scope] = r
				} else if first.URL != r.URL {
					out = append(out, Finding{File: r.File, Line: r.Line, Column: r.Column, URL: r.URL, Message: fmt.Sprintf("registers %s for %s, and %s registers %s", r.URL, scope, first.File, first.URL)})
				}
			}
			return out, len(by) > 0
		},
	},
	{
		ID: "updates/digest-in-worker-name", Level: Warning, Title: "The worker's name does not change with its content",
		Why:  "Pages that are stored ask for the worker by its old name; when that is gone, visitors never get another.",
		Mend: "give the worker one name for ever",
		Spec: "Service Workers, \"Update\"", Example: `register("/sw.3f9c2a7b.js")`,
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, r := range f.inv.Registrations {
				if site.HasDigest(r.URL) {
					out = append(out, Finding{File: r.File, Line: r.Line, Column: r.Column, URL: r.URL, Message: r.URL + " has a digest in its name"})
				}
			}
			return out, len(f.inv.Registrations) > 0
		},
	},
	{
		ID: "updates/never-arrives", Level: Warning, Title: "Visitors get the next release",
		Why:  "The worker goes on showing what it stored first: whoever was there once sees that for ever, whatever is released.",
		Mend: "give the stores another name with each release and delete the old ones in the activate event, or let tachyform fit write the worker",
		Spec: "Service Workers, \"Update\"", Example: `caches.match(request) while a store of an older release is there and never deleted`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.rehearsal.Told() {
				return nil, false
			}
			for i := range f.rehearsal.Comebacks {
				if f.rehearsal.Comebacks[i].Arrives() > 0 {
					return nil, true
				}
			}
			best := f.rehearsal.Best()
			return []Finding{f.inWorker(after(best) + tried(f.rehearsal.Comebacks))}, true
		},
	},
	{
		ID: "updates/mixes-releases", Level: Warning, Title: "Visitors never get parts of two releases",
		Why:  "A page of one release with the styles or scripts of another looks broken or does not work, and nobody can reproduce it.",
		Mend: "store a whole release under a name of its own and answer a page and its parts from the same one, or let tachyform fit write the worker",
		Spec: "Service Workers, \"Update\"", Example: "network-first for pages and cache-first for the style sheet beside them",
		run: func(f *facts) ([]Finding, bool) {
			best := f.rehearsal.Best()
			if best == nil || len(best.Changed) < 2 {
				return nil, false
			}
			for i := range f.rehearsal.Comebacks { // those that change the worker, before the one that does not: its mix has another cause
				if c := &f.rehearsal.Comebacks[i]; c.Mixes() && (best.Mixes() || c.Changes == rehearsal.FilesChange) {
					return []Finding{f.inWorker(after(c))}, true
				}
			}
			return nil, true
		},
	},
	{
		ID: "updates/changed-since-fit", Level: Warning, Title: "Files are what the worker was told of them",
		Why:  "The worker checks what it stores. A page, script or style that is something else stops the release for everybody; a picture or text is left out of what works without a network.",
		Mend: "run tachyform fit as the last step of the build; when the host rewrites the file on its way, keep it from that, or name the file in [stow] never",
		Spec: "docs/caching.md, \"The release\"", Example: "app.css is minified by the host, after the fit",
		run: func(f *facts) ([]Finding, bool) {
			script, _, _ := strings.Cut(f.rehearsal.Worker.URL, "?")
			files, ours := worker.Released(f.server.Answer("GET", script).Body)
			if !ours {
				return nil, f.workers()
			}
			var out []Finding
			for _, u := range slices.Sorted(maps.Keys(files)) {
				a := f.server.Answer("GET", u)
				for range 3 { // hosts redirect to clean addresses
					if to := a.Header.Get("Location"); to != "" {
						a = f.server.Answer("GET", to)
					}
				}
				e := files[u]
				what := "has other bytes than the worker was told"
				switch {
				case a.Status != 200:
					what = fmt.Sprintf("is answered with status %d", a.Status)
				case e.Is(a.Body, ""):
					continue
				}
				if e.Kind == worker.Other {
					what += "; it is left out of what works without a network"
				} else {
					what += "; nobody gets this release"
				}
				file, _ := f.server.Find(u)
				out = append(out, Finding{File: file, URL: u, Message: u + " " + what})
			}
			return out, true
		},
	},
	{
		ID: "updates/worker-must-change", Level: Warning, Title: "Every release arrives, whatever it changes",
		Why:  "Browsers install a worker again when its bytes change, and stores keep what they have while their names stay. A release that leaves these as they are never reaches those who were there before.",
		Mend: "have the build write a version or the digests of the files into the worker, and use it in the names of its stores, or let tachyform fit write the worker",
		Spec: "Service Workers, \"Update\"", Example: `const STORE = "v1", which nobody changes when a page does`,
		run: func(f *facts) ([]Finding, bool) {
			best := f.rehearsal.Best()
			if best == nil {
				return nil, false
			}
			never, changes, changed := []string{}, false, []string{}
			for i := range f.rehearsal.Comebacks {
				if c := &f.rehearsal.Comebacks[i]; c.Arrives() == 0 {
					never, changed = append(never, c.Changes), append(changed, c.Changed...)
					changes = changes || c.Changes == rehearsal.WorkerChange || c.Changes == rehearsal.ListChange
				}
			}
			if len(never) == 0 || best.Arrives() == 0 {
				return nil, true
			}
			slices.Sort(changed)
			changed = slices.Compact(changed)
			message := fmt.Sprintf("a release that changes %s and not the worker never arrives: visitors keep the old ones", strings.Join(changed[:min(3, len(changed))], ", "))
			mend := "have the build write a version or the digests of the files into the worker"
			if changes {
				message = fmt.Sprintf("a release that changes %s never arrives, even when it changes other bytes of the worker: its stores keep what they have", strings.Join(changed[:min(3, len(changed))], ", "))
			}
			switch best.Changes {
			case rehearsal.StoresChange:
				mend = "give the stores of the worker another name with each release, and delete the old ones"
			case rehearsal.ListChange:
				mend = "have the build write the digests of the files into the worker's list"
			}
			x := f.inWorker(message)
			x.Mend = fmt.Sprintf("%s (tried here: the release is then seen at visit %d after it), or let tachyform fit write the worker", mend, best.Arrives())
			return []Finding{x}, true
		},
	},
	{
		ID: "updates/kept-too-long", Level: Warning, Title: "What changes under the same address is not kept for long",
		Why:  "Browsers do not ask again before the lifetime is over: visitors see yesterday's pages and styles, and a mix of two releases.",
		Mend: "write Cache-Control: no-cache for pages and for files without a digest in their name",
		Spec: "RFC 9111, section 5.2.2.1", Example: "Cache-Control: max-age=604800 on /app.css",
		run: func(f *facts) ([]Finding, bool) {
			applies := false
			var out []Finding
			for _, x := range f.site.Files {
				switch x.Kind() {
				case "page", "style", "script":
				default:
					continue
				}
				age := f.lifetime(x.URL)
				if age < 0 {
					continue
				}
				applies = true
				if limit := 86400; age > limit && !f.site.HasDigest(x.Path) || x.IsPage() && age > 3600 {
					out = append(out, Finding{File: x.Path, URL: x.URL, Message: fmt.Sprintf("%s may be kept for %d hours without asking", x.URL, age/3600)})
				}
			}
			return out, applies
		},
	},
}

// inWorker makes a finding about the worker as a whole.
func (f *facts) inWorker(message string) Finding {
	script, _, _ := strings.Cut(f.rehearsal.Worker.URL, "?")
	file, _ := f.server.Find(script)
	return Finding{File: file, URL: f.rehearsal.Worker.URL, Message: message}
}

// after tells of the visits after a release.
func after(c *rehearsal.Comeback) string {
	var words []string
	for _, v := range c.Visits {
		words = append(words, v.Shows)
	}
	what := strings.Join(c.Changed[:min(3, len(c.Changed))], ", ")
	switch c.Changes {
	case rehearsal.WorkerChange, rehearsal.ListChange, rehearsal.StoresChange:
		what += " and the worker"
	}
	return fmt.Sprintf("after a release that changes %s, four visits show: %s", what, strings.Join(words, ", "))
}

// tried says which imagined releases were tried.
func tried(all []rehearsal.Comeback) string {
	var names []string
	for _, c := range all {
		names = append(names, c.Changes)
	}
	return fmt.Sprintf(" (tried: a release that changes %s)", strings.Join(names, "; one that changes "))
}

// weightChecks are about what a visit costs.
var weightChecks = []Check{
	{
		ID: "weight/first-visit", Level: Warning, Title: "The first visit is light",
		Why:  "Everything is downloaded when a visitor comes for the first time, mostly on a phone, and paid for.",
		Mend: "stow less now and more later, or raise [stow] ceiling",
		Spec: "[stow] ceiling", Example: "an install that stores all photographs",
		run: func(f *facts) ([]Finding, bool) {
			total := f.stored()
			if total > f.ceiling {
				return []Finding{{URL: f.rehearsal.Worker.URL, Message: fmt.Sprintf("%.1f MB are stored while the worker installs; the ceiling is %.1f MB", float64(total)/(1<<20), float64(f.ceiling)/(1<<20))}}, true
			}
			return nil, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "weight/quota", Level: Warning, Title: "What is stored stays small",
		Why:  "Phones that are short of space throw away everything that a large site has stored.",
		Mend: "store less",
		Spec: "Storage Standard, \"Storage pressure\"", Example: "200 MB of films in a store",
		run: func(f *facts) ([]Finding, bool) {
			if total := f.stored(); total > 50<<20 {
				return []Finding{{URL: f.rehearsal.Worker.URL, Message: fmt.Sprintf("%d MB are stored", total>>20)}}, true
			}
			return nil, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "weight/large-file-stored", Level: Advice, Title: "No single large file is stored at once",
		Why:  "One film or photograph makes the installation slow for everybody, also for those who never look at it.",
		Mend: "stow it later, when it is asked for",
		Spec: "measured", Example: "a film of 5 MB in addAll()",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, s := range f.rehearsal.Stores {
				for _, u := range s.URLs {
					if x := f.inv.FileOf(u); x != nil && x.Size > 1<<20 {
						out = append(out, Finding{URL: u, File: x.Path, Message: fmt.Sprintf("%s has %.1f MB", x.Path, float64(x.Size)/(1<<20))})
					}
				}
			}
			return out, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "weight/unneeded-stored", Level: Advice, Title: "Nothing is stored that visitors do not ask for",
		Why:  "Source maps and the like are downloaded by every visitor and shown to none.",
		Mend: "leave them out of the list",
		Spec: "measured", Example: `addAll(["/app.js", "/app.js.map"])`,
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, s := range f.rehearsal.Stores {
				for _, u := range s.URLs {
					if x := f.inv.FileOf(u); x != nil && slices.Contains(f.summary.Unneeded, x.Path) {
						out = append(out, Finding{URL: u, File: x.Path, Message: x.Path + " is stored"})
					}
				}
			}
			return out, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "weight/start-page", Level: Advice, Title: "The start page is light",
		Why:  "A heavy start page is slow for everybody who comes for the first time.",
		Mend: "make its pictures and scripts smaller",
		Spec: "measured", Example: "a start page with 6 MB of photographs",
		run: func(f *facts) ([]Finding, bool) {
			if n := f.summary.StartWeight; n > 2<<20 {
				return []Finding{{URL: f.inv.StartFile.URL, File: f.inv.StartFile.Path, Line: 1, Column: 1, Message: fmt.Sprintf("it and what it needs weigh %.1f MB", float64(n)/(1<<20))}}, true
			}
			return nil, f.inv.Start != nil
		},
	},
}

// stored is how many bytes the visits left in the stores.
func (f *facts) stored() int64 {
	var n int64
	for _, s := range f.rehearsal.Stores {
		n += s.Bytes
	}
	return n
}

// privacyChecks are about what should not be kept, and who else has a say.
var privacyChecks = []Check{
	{
		ID: "privacy/cookie-with-stored", Level: Warning, Title: "What is stored sets no cookie",
		Why:  "An answer that sets a cookie is mostly made for one visitor. Workers cannot see that, and store it for whoever uses the browser next.",
		Mend: "name the address in [stow] never, or let the server set its cookies elsewhere",
		Spec: "Fetch Standard, \"forbidden response-header name\"", Example: "Set-Cookie on /api/loans, which a rule keeps",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			seen := map[string]bool{}
			for _, s := range f.rehearsal.Stores {
				for _, u := range s.URLs {
					path, _, _ := strings.Cut(u, "?")
					if seen[path] || !strings.HasPrefix(path, "/") || f.server.Answer("GET", path).Header.Get("Set-Cookie") == "" {
						continue
					}
					seen[path] = true
					file, _ := f.server.Find(path)
					out = append(out, Finding{File: file, URL: path, Message: fmt.Sprintf("it is in the store %q, and the server sets a cookie with it", s.Name)})
				}
			}
			return out, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "privacy/personal-page-stored", Level: Warning, Title: "Pages for one person are not stored",
		Why:  "The next person at the same device sees the page, signed in or not.",
		Mend: "keep such pages out of the store ([stow] never, [offline] except)",
		Spec: "Service Workers, \"Security considerations\"", Example: `addAll(["/account/"])`,
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, p := range f.inv.Pages {
				for _, s := range f.rehearsal.Stores {
					if p.Personal != "" && slices.Contains(s.URLs, p.File.URL) {
						out = append(out, Finding{File: p.File.Path, URL: p.File.URL, Message: fmt.Sprintf("it is in the store %q, and looks like a page for one person: %s", s.Name, p.Personal)})
					}
				}
			}
			return out, len(f.rehearsal.Stores) > 0
		},
	},
	{
		ID: "privacy/scope-too-wide", Level: Advice, Title: "The worker keeps to the site's own folder",
		Why:  "The worker answers for other sites of the same origin, too, and can read and change what they send.",
		Mend: "register it with the site's folder as its scope",
		Spec: "Service Workers, \"Path restriction\"", Example: `{scope: "/"} for a site in /ferries/`,
		run: func(f *facts) ([]Finding, bool) {
			w := f.rehearsal.Worker
			if w.State == "none" || w.State == "failed" || w.State == "not known" {
				return nil, false
			}
			if len(w.Scope) < len(f.site.Base) {
				return []Finding{{URL: w.URL, Message: fmt.Sprintf("the worker answers for %s, and the site is in %s", w.Scope, f.site.Base)}}, true
			}
			return nil, true
		},
	},
	{
		ID: "privacy/foreign-code-in-worker", Level: Warning, Title: "The worker runs no code of other origins",
		Why:  "Who can change that code sees everything that visitors send, and can answer in the site's name, as long as the worker lives.",
		Mend: "copy the code into the site",
		Spec: "Service Workers, \"importScripts\"", Example: `importScripts("https://cdn.example/lib.js")`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.workers() {
				return nil, false
			}
			u, _, _ := strings.Cut(f.rehearsal.Worker.URL, "?")
			file := f.inv.FileOf(u)
			if file == nil {
				return nil, false
			}
			src, err := f.site.Read(file.Path)
			if err != nil {
				return nil, false
			}
			var out []Finding
			for _, m := range foreignImport.FindAllSubmatchIndex(src, 20) {
				line, column := position(src, m[0])
				out = append(out, Finding{File: file.Path, Line: line, Column: column, Message: "it imports " + string(src[m[2]:m[3]])})
			}
			return out, true
		},
	},
}
