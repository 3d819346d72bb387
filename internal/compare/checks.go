package compare

import (
	"bytes"
	"cmp"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/site"
)

// check is a rule with the function that performs it.
type check struct {
	finding.Check
	run func(*comparison) (found []finding.Finding, applies bool)
}

// Checks are all checks of a comparison, in the order in which they are shown.
func Checks() []finding.Check {
	var out []finding.Check
	for _, c := range checks {
		out = append(out, c.Check)
	}
	return out
}

const retire = "keep a worker at the address of the old one that takes itself out: tachyform retire --worker"

var checks = []check{
	{
		finding.Check{
			ID: "release/never-arrives", Level: finding.Blocker, Title: "Visitors who were there before get the release",
			Why:     "Whoever has the old release goes on seeing it, after every tab was closed, whatever is on the server.",
			Mend:    "change the worker with every release, and the names of its stores; tachyform fit as the last step of the build does both",
			Spec:    "Service Workers, \"Update\"",
			Example: "a worker that answers from its store first, and is the same in both releases",
		},
		neverArrives,
	},
	{
		finding.Check{
			ID: "release/mixed", Level: finding.Blocker, Title: "No page is shown with parts of two releases",
			Why:     "A page of one release with the styles or scripts of another looks broken or does not work, and nobody can reproduce it.",
			Mend:    "answer a page and its parts from the same place: both from a store of one release, or both from the network, asked for with no-cache",
			Spec:    "Service Workers, \"Handle Fetch\"; RFC 9111",
			Example: "pages from the network and app.css from a store, or from the browser's cache for a week",
		},
		mixed,
	},
	{
		finding.Check{
			ID: "release/page-broken", Level: finding.Blocker, Title: "What is whole for new visitors is whole for those who come back",
			Why:     "Whoever was there before sees a page without its styles or scripts, or none, while everybody who tries it for the first time sees it as it should be.",
			Mend:    "keep the files of the old release on the server for some days, or give an old page what it needs from a store",
			Spec:    "observed",
			Example: "a stored page that asks for app.3f9c2b71.js, which the new release does not have",
		},
		pageBroken,
	},
	{
		finding.Check{
			ID: "release/worker-unaware", Level: finding.Warning, Title: "The worker notices every change of what it stores",
			Why:     "Files that have changed are shown as they were, while the rest of the site is new.",
			Mend:    "write the digests of the files into the worker, or answer these files from the network first",
			Spec:    "Service Workers, \"Update\"",
			Example: "cache-first for /data/**, whose files change",
		},
		unaware,
	},
	{
		finding.Check{
			ID: "release/worker-stays", Level: finding.Warning, Title: "A worker that is not used any more goes",
			Why:     "The old worker stays registered in visitors' browsers and goes on answering for its scope.",
			Mend:    retire,
			Spec:    "Service Workers, \"Unregister\"",
			Example: "sw.js of the old release, service-worker.js of the new",
		},
		stays,
	},
	{
		finding.Check{
			ID: "release/gone-while-open", Level: finding.Warning, Title: "An open page gets what it asks for later",
			Why:     "Somebody has the page open while the release comes; a click asks for a script that is gone, and nothing happens.",
			Mend:    "leave the files of the old release on the server for some days, or store them at the first visit ([stow] now)",
			Spec:    "observed",
			Example: "import(\"./map.3f9c2b71.js\") on a click",
		},
		goneWhileOpen,
	},
	{
		finding.Check{
			ID: "release/immutable-changed", Level: finding.Warning, Title: "What is promised never to change does not",
			Why:     "Browsers keep such a file without asking, for a year; visitors have the old bytes beside a new page.",
			Mend:    "give changed bytes another name, or take the promise back: Cache-Control: no-cache",
			Spec:    "RFC 8246",
			Example: "other bytes in app.3f9c2b71.js, or in a file with Cache-Control: immutable",
		},
		immutable,
	},
	{
		finding.Check{
			ID: "release/page-gone", Level: finding.Warning, Title: "Addresses of pages go on working",
			Why:     "Links, bookmarks and search engines lead to a page that is not there.",
			Mend:    "redirect the old address to the page that takes its place ([[server.redirect]])",
			Spec:    "RFC 9110, section 15.4.2",
			Example: "/timetable.html, which is /timetable/ now",
		},
		pageGone,
	},
	{
		finding.Check{
			ID: "release/another-app", Level: finding.Warning, Title: "The app stays the same app",
			Why:     "Browsers take it for another one: who has installed it keeps the old, which is not updated any more, and is offered the new beside it.",
			Mend:    "say the old identity in the manifest (id)",
			Spec:    "Web App Manifest, \"id member\"",
			Example: "start_url changes, and there is no id",
		},
		anotherApp,
	},
	{
		finding.Check{
			ID: "release/asks-again", Level: finding.Advice, Title: "Name and icons of the app are what people installed",
			Why:     "Browsers ask people who have installed the app whether they want the new name or icon, since a site could pass for another with it.",
			Mend:    "change them on purpose, and say so to your visitors",
			Spec:    "Web App Manifest, \"Updating the manifest\"",
			Example: "another name, or other bytes of an icon",
		},
		asksAgain,
	},
	{
		finding.Check{
			ID: "release/stores-left", Level: finding.Advice, Title: "Nothing that is stored is left behind",
			Why:     "It takes room on visitors' devices for ever, and counts when the browser runs out of it.",
			Mend:    "delete stores of older releases in the activate event",
			Spec:    "Service Workers, \"Activate\"",
			Example: "the store \"v1\", beside \"v2\"",
		},
		storesLeft,
	},
	{
		finding.Check{
			ID: "release/downloads-again", Level: finding.Advice, Title: "What has not changed is not downloaded again",
			Why:     "Every visitor pays for it with every release, on a phone in megabytes.",
			Mend:    "take what has the same digest from the older store, or ask with cache: \"no-cache\", which servers answer in a line when nothing has changed",
			Spec:    "Fetch, \"cache mode\"",
			Example: "fetch(url, {cache: \"reload\"}) of the whole list with every release",
		},
		downloadsAgain,
	},
}

// check performs the checks.
func (c *comparison) check() []finding.Result {
	out := []finding.Result{}
	for _, k := range checks {
		r := finding.Result{ID: k.ID, Level: k.Level, State: "passed", Title: k.Title, Findings: []finding.Finding{}, Why: k.Why}
		switch found, applies := k.run(c); {
		case !applies:
			r.State = "not-applicable"
		case len(found) > 0:
			r.State, r.Findings = "failed", found
			for i := range r.Findings {
				r.Findings[i].Mend = cmp.Or(r.Findings[i].Mend, k.Mend)
			}
		}
		out = append(out, r)
	}
	return out
}

// between names two releases, "" when there are no others.
func (c *comparison) between(from, to int) string {
	if len(c.Releases) == 2 && from < to {
		return ""
	}
	return fmt.Sprintf("from release %d to %d: ", from, to)
}

// inWorker makes a finding about the worker that visitors of a release have.
func (c *comparison) inWorker(release int, message string) finding.Finding {
	x := c.Releases[release-1]
	file, _ := x.server.Find(pathOf(x.Worker))
	return finding.Finding{File: file, URL: x.Worker, Message: message}
}

func neverArrives(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		old, next := c.Releases[s.From-1], c.Releases[s.To-1]
		for _, t := range s.Visits {
			if len(s.Files.Changed)+len(s.Files.New)+len(s.Files.Gone)+len(s.Files.Renamed) == 0 || t.Takeover != "" || !judged(t.Visits) {
				continue
			}
			applies = true
			if t.Arrives > 0 || t.Tabs != OneTab {
				continue
			}
			x := c.inWorker(s.From, fmt.Sprintf("%s%d visits a day later show: %s", c.between(s.From, s.To), len(t.Visits), shows(t.Visits)))
			switch {
			case next.Worker == "" && old.Worker != "":
				x.Message += "; the new release registers no worker, so that the old one stays"
				x.Mend = retire + " " + old.Worker
			case pathOf(old.Worker) == pathOf(next.Worker) && bytes.Equal(old.body, next.body):
				x.Message += "; the worker's bytes are the same in both, so that no browser installs it again"
			}
			out = append(out, x)
		}
	}
	for _, t := range c.Report.Ways {
		if t.Arrives == 0 && judged(t.Visits) {
			out = append(out, c.inWorker(t.Releases[len(t.Releases)-2], fmt.Sprintf("%s: %d visits a day later show: %s", way(t.Releases), len(t.Visits), shows(t.Visits))))
		}
	}
	return out, applies
}

// judged says whether it can be told of which release a visit is.
func judged(visits []Visit) bool {
	return !slices.ContainsFunc(visits, func(v Visit) bool { return v.Shows == Unknown })
}

func shows(visits []Visit) string {
	var out []string
	for _, v := range visits {
		out = append(out, v.Shows)
	}
	return strings.Join(out, ", ")
}

// way tells in which order somebody meets releases.
func way(list []int) string {
	var out []string
	for i, n := range list {
		if i == len(list)-1 && slices.Contains(list[:i], n) {
			return "release " + strings.Join(out, ", ") + ", then " + strconv.Itoa(n) + " again"
		}
		out = append(out, strconv.Itoa(n))
	}
	return "release " + strings.Join(out, ", then ")
}

// everyVisit goes through the visits of those who meet a release with the worker as it is.
func (c *comparison) everyVisit(work func(where string, from int, v Visit)) {
	seen := map[string]bool{}
	once := func(where string, from int, v Visit) {
		if k := where + v.URL + v.Shows + strings.Join(v.Missing, " "); !seen[k] {
			seen[k] = true
			work(where, from, v)
		}
	}
	for _, s := range c.Steps {
		for _, p := range s.Pages {
			for _, v := range p.Visits {
				once(c.between(s.From, s.To), s.From, v)
			}
		}
		for _, t := range s.Visits {
			for _, v := range t.Visits {
				if t.Takeover == "" {
					once(c.between(s.From, s.To), s.From, v)
				}
			}
		}
	}
	for _, t := range c.Report.Ways {
		for _, v := range t.Visits {
			once(way(t.Releases)+": ", t.Releases[len(t.Releases)-2], v)
		}
	}
}

func mixed(c *comparison) (out []finding.Finding, applies bool) {
	c.everyVisit(func(where string, from int, v Visit) {
		applies = true
		if v.Shows != Mix {
			return
		}
		var parts []string
		oldest := 0
		x := finding.Finding{URL: v.URL}
		for _, p := range v.Because {
			by := p.By
			if p.File != "" && p.Line > 0 {
				by = fmt.Sprintf("%s:%d", strings.TrimPrefix(p.File, "/"), p.Line)
				if x.File == "" || p.Release < oldest {
					oldest = p.Release
					x.File, _ = c.Releases[from-1].server.Find(pathOf(p.File))
					x.Line = p.Line
				}
			}
			parts = append(parts, fmt.Sprintf("%s of release %d (%s)", p.URL, p.Release, by))
		}
		more := ""
		if n := len(parts) - 4; n > 0 {
			parts, more = parts[:4], fmt.Sprintf(" and %d more", n)
		}
		x.Message = fmt.Sprintf("%s%s, %s: %s%s", where, v.URL, v.What, strings.Join(parts, ", "), more)
		out = append(out, x)
	})
	return out, applies
}

func pageBroken(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		for _, p := range s.Pages {
			applies = true
			for _, v := range p.Visits {
				switch {
				case v.Shows == Lost:
					out = append(out, finding.Finding{URL: p.URL, Message: fmt.Sprintf("%s%s, %s: the browser's own error page", c.between(s.From, s.To), p.URL, v.What)})
				case len(v.Missing) > 0:
					out = append(out, finding.Finding{URL: p.URL, Message: fmt.Sprintf("%s%s, %s, lacks %s, which new visitors get", c.between(s.From, s.To), p.URL, v.What, some(v.Missing))})
				default:
					continue
				}
				break
			}
		}
	}
	return out, applies || len(c.Steps) > 0
}

// some names the first of a list.
func some(list []string) string {
	if len(list) > 3 {
		return fmt.Sprintf("%s and %d more", strings.Join(list[:3], ", "), len(list)-3)
	}
	return strings.Join(list, ", ")
}

func unaware(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		if c.Releases[s.To-1].Worker == "" {
			continue
		}
		applies = true
		if len(s.unaware) > 0 && s.Visits[0].Arrives > 0 { // else it is said already
			out = append(out, c.inWorker(s.From, fmt.Sprintf("%safter all visits, without a network, %s %s given as before the release", c.between(s.From, s.To), some(s.unaware), are(s.unaware))))
		}
	}
	return out, applies
}

func are(list []string) string {
	if len(list) == 1 {
		return "is"
	}
	return "are"
}

func stays(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		applies = applies || c.Releases[s.From-1].Worker != ""
		for _, u := range s.stayed {
			x := c.inWorker(s.From, fmt.Sprintf("%s%s is still registered after all visits", c.between(s.From, s.To), u))
			x.URL, x.Mend = u, retire+" "+u
			out = append(out, x)
		}
	}
	return out, applies
}

func goneWhileOpen(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		applies = applies || len(s.Files.Gone)+len(s.Files.Renamed) > 0
		for _, u := range s.late {
			out = append(out, finding.Finding{URL: u, Message: c.between(s.From, s.To) + u + " is asked for by a page that was open before the release, and is gone"})
		}
	}
	return out, applies
}

func immutable(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		old := c.Releases[s.From-1]
		for _, u := range s.Files.Changed {
			applies = true
			why := ""
			if f, ok := old.server.Site.Find(u); ok && site.HasDigest(u) && !f.IsPage() {
				why = "has a digest in its name"
			} else if v := old.server.HeaderOf(u, "Cache-Control"); promises(v) {
				why = "is sent with Cache-Control: " + v
			}
			if why != "" {
				file, _ := c.Releases[s.To-1].server.Find(u)
				out = append(out, finding.Finding{File: file, URL: u, Message: c.between(s.From, s.To) + u + " " + why + ", and has other bytes"})
			}
		}
	}
	return out, applies
}

// promises says whether a Cache-Control lets browsers keep something for a month without asking.
func promises(v string) bool {
	v = strings.ToLower(v)
	if strings.Contains(v, "no-cache") || strings.Contains(v, "no-store") {
		return false
	}
	if strings.Contains(v, "immutable") {
		return true
	}
	_, rest, ok := strings.Cut(v, "max-age=")
	digits := rest[:len(rest)-len(strings.TrimLeft(rest, "0123456789"))]
	n, err := strconv.Atoi(digits)
	return ok && err == nil && n >= 30*86400
}

func pageGone(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		if s.To != s.From+1 {
			continue
		}
		old, next := c.Releases[s.From-1], c.Releases[s.To-1]
		for _, p := range old.server.Site.Pages() {
			applies = true
			if _, there := next.sums[p.URL]; there || isError(p) || next.digest(p.URL) != "" {
				continue
			}
			out = append(out, finding.Finding{File: p.Path, URL: p.URL, Message: c.between(s.From, s.To) + p.URL + " was a page, and is not answered any more"})
		}
	}
	return out, applies
}

// manifests gives the manifests of two releases; nil when one of them has none.
func (c *comparison) manifests(s *Step) (a, b *manifest.Manifest) {
	old, next := c.Releases[s.From-1].found, c.Releases[s.To-1].found
	if old == nil || next == nil || old.Manifest == nil || next.Manifest == nil {
		return nil, nil
	}
	return old.Manifest, next.Manifest
}

func anotherApp(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		a, b := c.manifests(s)
		if a == nil {
			continue
		}
		applies = true
		if a.Processed.ID != b.Processed.ID {
			x := c.atMember(s.To, "id", fmt.Sprintf("%sthe app was %s and is %s", c.between(s.From, s.To), ownURL(a.Processed.ID), ownURL(b.Processed.ID)))
			x.Mend = fmt.Sprintf("say the old identity in the manifest: \"id\": %q", ownURL(a.Processed.ID))
			out = append(out, x)
		}
	}
	return out, applies
}

// atMember makes a finding at a member of a release's manifest.
func (c *comparison) atMember(release int, member, message string) finding.Finding {
	f := c.Releases[release-1].found
	line, column := f.Manifest.Place(member)
	return finding.Finding{File: f.File, Line: max(line, 1), Column: max(column, 1), Message: message}
}

func asksAgain(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		a, b := c.manifests(s)
		if a == nil || a.Processed.ID != b.Processed.ID {
			continue
		}
		applies = true
		for _, m := range []struct{ member, was, is string }{{"name", a.Processed.Name, b.Processed.Name}, {"short_name", a.Processed.ShortName, b.Processed.ShortName}} {
			if m.was != m.is {
				out = append(out, c.atMember(s.To, m.member, fmt.Sprintf("%s%s was %q and is %q", c.between(s.From, s.To), m.member, m.was, m.is)))
			}
		}
		if changed := c.icons(s); len(changed) > 0 {
			out = append(out, c.atMember(s.To, "icons", c.between(s.From, s.To)+"other icons: "+some(changed)))
		}
	}
	return out, applies
}

// icons gives the icons of the new manifest whose picture the old one does not have.
func (c *comparison) icons(s *Step) (changed []string) {
	old, next := c.Releases[s.From-1], c.Releases[s.To-1]
	had := map[string]bool{}
	for _, i := range old.found.Manifest.Processed.Icons {
		had[old.digest(pathOf(ownURL(i.Src)))] = true
	}
	for _, i := range next.found.Manifest.Processed.Icons {
		if u := pathOf(ownURL(i.Src)); own(u) && !had[next.digest(u)] && !slices.Contains(changed, u) {
			changed = append(changed, u)
		}
	}
	return changed
}

func storesLeft(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		applies = applies || len(c.Releases[s.From-1].stores) > 0
		if len(s.left) > 0 {
			out = append(out, c.inWorker(s.To, fmt.Sprintf("%safter all visits there is still what the old release stored: %s", c.between(s.From, s.To), some(s.left))))
		}
	}
	return out, applies
}

// wasted is from how many bytes on it counts that something is downloaded again.
const wasted = 50 << 10

func downloadsAgain(c *comparison) (out []finding.Finding, applies bool) {
	for _, s := range c.Steps {
		applies = true
		if d := s.Download; d.Wasted > wasted {
			out = append(out, c.inWorker(s.To, fmt.Sprintf("%s%d kB are downloaded again and have not changed: %s", c.between(s.From, s.To), d.Wasted>>10, some(d.Again))))
		}
	}
	return out, applies
}
