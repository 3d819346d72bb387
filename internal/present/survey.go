package present

import (
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// Survey writes what a site has, on one screen for a small one. crawl is what was done to read a live origin, nil for a
// folder.
func (s *Style) Survey(r *survey.Summary, crawl *crawl.Report) error {
	s.sayf("%s %s\n\n", s.title.Render("Survey of "+r.Site+":"), clip(r.Title, 80))
	s.row("pages", itoa(r.Pages)+s.faint.Render(", starting at "+r.Start+", which weighs "+Bytes(r.StartWeight)+" with all it needs"))
	if r.BaseHint != "" {
		s.row("base", s.warn.Render(r.Base)+", but references point to "+s.warn.Render(r.BaseHint))
	}
	var kinds []string
	files := 0
	for _, k := range r.Kinds {
		files += k.Files
		name := k.Kind
		switch name {
		case "data", "media", "other":
			name += " file"
		}
		kinds = append(kinds, count(k.Files, name)+" "+strings.ReplaceAll(Bytes(k.Bytes), " ", "\u00a0"))
	}
	s.row("files", s.wrap(count(files, "file")+", "+Bytes(r.Bytes)+": "+strings.Join(kinds, ", "), 105, 18))
	var big []string
	for _, b := range r.Biggest[:min(3, len(r.Biggest))] {
		big = append(big, b.Path+" "+Bytes(b.Bytes))
	}
	s.row("biggest", s.faint.Render(clip(strings.Join(big, ", "), 116)))
	s.links(r.Links)
	if r.Hashed > 0 {
		s.row("hashed names", count(r.Hashed, "file")+s.faint.Render(" with a digest in the name"))
	}
	if len(r.Unneeded) > 0 {
		s.row("of no use", count(len(r.Unneeded), "file")+" "+lines(s.faint, s.wrap("that visitors never ask for: "+brief(r.Unneeded), 100, 18)))
	}
	if len(r.ServerScripts) > 0 {
		s.row("run by a server", count(len(r.ServerScripts), "file")+" "+lines(s.faint, s.wrap("whose answers are not in the folder, so that nothing is known of them here: "+brief(r.ServerScripts), 100, 18)))
	}
	if r.Doubt != nil {
		s.row("is it this?", lines(s.warn, s.wrap(r.Doubt.Why, 100, 18)))
		s.row("", lines(s.faint, s.wrap(r.Doubt.Mend, 100, 18)))
	}
	s.surveyed(r)
	s.applications(r)
	if len(r.Nowhere) > 0 {
		s.sayf("\n  %s\n", s.title.Render("References that lead nowhere"))
		for i, n := range r.Nowhere {
			if i == maxListed {
				s.sayf("  and %s; --format json has all\n", count(len(r.Nowhere)-i, "more reference"))
				break
			}
			s.sayf("  %s %s\n", s.warn.Render(pad(middle(n.URL, s.column(52)), s.column(52))), s.faint.Render(clip(n.Use+", needed by "+count(n.Pages, "page")+": "+strings.Join(tails(n.Chain), " > "), 80)))
		}
	}
	if len(r.Endpoints) > 0 {
		s.sayf("\n  %s\n", s.title.Render("Where scripts and forms send to"))
		for i, e := range r.Endpoints {
			if i == maxListed {
				s.sayf("  and %s; --format json has all\n", count(len(r.Endpoints)-i, "more endpoint"))
				break
			}
			what := "not in the folder: an endpoint of the server"
			if crawl != nil {
				what = "an endpoint of the server: not asked"
			}
			if e.InSite {
				what = "a file of the site"
			}
			if e.Form {
				what = "form"
			}
			s.sayf("  %s %s %s\n", pad(e.Method, 6), pad(clip(e.URL, s.column(45)), s.column(45)), s.faint.Render(clip(e.File+":"+itoa(e.Line)+"  "+what, 78)))
		}
	}
	if len(r.Foreign) > 0 {
		s.sayf("\n  %s\n", s.title.Render("From other origins"))
		for i, f := range r.Foreign {
			if i == maxListed {
				s.sayf("  and %s; --format json has all\n", count(len(r.Foreign)-i, "more origin"))
				break
			}
			s.sayf("  %s %s\n", pad(clip(f.Origin, s.column(52)), s.column(52)), s.faint.Render(strings.Join(f.Uses, ", ")+", on "+count(f.Pages, "page")))
		}
	}
	if crawl != nil {
		s.crawled(crawl)
	}
	var next []string
	for _, n := range r.Next {
		next = append(next, n.Command, n.Why)
	}
	return s.Next(next...)
}

// applications lists what answers addresses by its own scripts.
func (s *Style) applications(r *survey.Summary) {
	for _, a := range r.Applications {
		s.sayf("\n  %s\n", s.title.Render("An application: "+a.Shell))
		s.sayf("  %s\n", s.faint.Render(s.wrap(a.Known, 110, 2)))
		for i, x := range a.Routes {
			if i == maxListed {
				s.sayf("  and %s; --format json has all\n", count(len(a.Routes)-i, "more route"))
				break
			}
			text := clip(x.Title, 40)
			if x.Seen > 1 {
				text = itoa(x.Seen) + " of this form, such as " + x.Address + "  " + text
			}
			s.sayf("  route  %s %s\n", pad(clip(x.Pattern, s.column(45)), s.column(45)), s.faint.Render(clip(text, 78)))
			for _, d := range formsOf(x.Data) {
				s.sayf("         %s\n", s.faint.Render("asks for "+clip(d, 98)))
			}
			for _, u := range x.ImageForms() {
				s.sayf("         %s\n", s.faint.Render("shows pictures "+clip(u, 92)))
			}
		}
		if len(a.Dead) > 0 {
			s.sayf("  %s\n", s.warn.Render(s.wrap("neither a file nor the application answers "+brief(a.Dead)+", which it links", 110, 2)))
		}
		if a.Bounded {
			s.sayf("  %s\n", s.faint.Render("there may be more routes: not every link was followed"))
		}
	}
	for _, n := range r.NotFound {
		s.sayf("\n  %s %s\n", s.warn.Render("not known"), s.wrap(n, 100, 12))
	}
}

// formsOf writes requests for data, those of one form once.
func formsOf(data []survey.Data) []string {
	var out []string
	for _, d := range data {
		if line := d.Method + " " + survey.Pattern(d.URL); !slices.Contains(out, line) {
			out = append(out, line)
		}
	}
	return out
}

// links says how pages are linked when that asks something of the server.
func (s *Style) links(l survey.Links) {
	if l.Clean+l.Bare == 0 {
		return
	}
	var parts []string
	if l.Clean > 0 {
		parts = append(parts, itoa(l.Clean)+" without the extension (/about for about.html), which the server has to answer (clean = true in [server] has rehearsals do it)")
	}
	if l.Bare > 0 {
		parts = append(parts, itoa(l.Bare)+" to folders without their slash, which it has to redirect")
	}
	s.row("links", strings.Join(parts, "; ")+s.faint.Render("; "+itoa(l.Files)+" name files, "+itoa(l.Folders)+" folders (seen on "+count(l.Pages, "page")+")"))
}

// crawled says what reading a live origin took and what was left out.
func (s *Style) crawled(c *crawl.Report) {
	s.sayf("\n  %s\n", s.title.Render("How it was read"))
	s.row("requests", count(c.Requests, "request")+s.faint.Render(", "+Bytes(c.Bytes)+" read; robots.txt: "+c.Robots))
	if c.Stopped != "" {
		s.row("stopped", s.warn.Render("at "+c.Stopped)+": there may be more; raise it with an option, or survey the folder")
	}
	left := func(n int, what string) {
		if n > 0 {
			s.row("not followed", count(n, "link")+s.faint.Render(" "+what))
		}
	}
	left(c.TooDeep, "that lie deeper than --depth allows")
	left(c.Queries, "with a query")
	left(len(c.Avoided), "that may change something for who is signed in")
	left(c.Outside, "to pages outside the folder of the address")
	list := func(label string, n int, line func(i int) string) {
		for i := range n {
			if i == 5 {
				s.row("", "and "+itoa(n-i)+" more; --format json has all")
				return
			}
			s.row(label, line(i))
			label = ""
		}
	}
	list("forbidden", len(c.Disallowed), func(i int) string { return c.Disallowed[i] + s.faint.Render(" by robots.txt") })
	list("redirects", len(c.Redirects), func(i int) string {
		r := c.Redirects[i]
		note := ""
		if r.Left {
			note = s.faint.Render(", another origin: not followed")
		}
		return r.From + " " + s.faint.Render("("+itoa(r.Status)+") to ") + middle(r.To, 60) + note
	})
	list("no answer", len(c.Failed), func(i int) string {
		f := c.Failed[i]
		return s.warn.Render(middle(f.URL, 52)) + " " + s.faint.Render(f.Why+"; named by "+middle(f.By, 36))
	})
}

// surveyed says what is there of an app already.
func (s *Style) surveyed(r *survey.Summary) {
	if r.Fitted > 0 {
		s.row("fitted", s.good.Render(itoa(r.Fitted)+" of "+count(r.Pages, "page"))+s.faint.Render(": the rest of this is the site without what fit put in"))
		if r.Record != "" {
			s.row("record", r.Record+s.faint.Render(", in which fit remembers what it wrote"))
		} else {
			s.row("not deployed", site.OwnDir+"/"+s.faint.Render(", in which fit remembers what it wrote: leave it out of what is deployed"))
		}
	}
	if r.Manifest == "" {
		s.row("manifest", s.warn.Render("none"))
	} else {
		s.row("manifest", r.Manifest+s.faint.Render(", linked by "+itoa(r.ManifestPages)+" of "+count(r.Pages, "page")))
	}
	switch {
	case len(r.Workers) > 0:
		calls := map[string][]string{} // where each is registered
		var urls []string
		for _, w := range r.Workers {
			at := w.File + ":" + itoa(w.Line)
			if calls[w.URL] == nil {
				urls = append(urls, w.URL)
			}
			if !slices.Contains(calls[w.URL], at) {
				calls[w.URL] = append(calls[w.URL], at)
			}
		}
		for i, w := range urls[:min(4, len(urls))] {
			label := "worker"
			if i > 0 {
				label = ""
			}
			u, at := w, calls[w][0]
			if u == "" {
				u = "one whose address is computed"
			}
			if n := len(calls[w]) - 1; n > 0 {
				at += " and " + count(n, "more place")
			}
			s.row(label, u+s.faint.Render(", registered in "+at+", on "+itoa(r.WorkerPages)+" of "+count(r.Pages, "page")))
		}
	default:
		s.row("worker", s.warn.Render("none"))
	}
	for i, p := range r.Personal {
		label := ""
		if i == 0 {
			label = "personal"
		}
		if i == 4 {
			s.row("", "and "+count(len(r.Personal)-i, "more page"))
			break
		}
		s.row(label, p.Path+s.faint.Render(": "+p.Why+", so it is never stored"))
	}
	for i, c := range r.CSP {
		if i == 3 {
			s.row("", "and "+count(len(r.CSP)-i, "more policy"))
			break
		}
		s.row("policy", s.warn.Render(c.Path)+": "+c.Why)
	}
	switch {
	case len(r.Storage) > 0:
		s.row("keeps data in", strings.Join(r.Storage, ", "))
	case slices.ContainsFunc(r.Kinds, func(k survey.Kind) bool { return k.Kind == "script" }):
		s.row("keeps data in", "memory only, as far as scripts show"+s.faint.Render(": it is gone when the page is left"))
	}
	for i, d := range r.Device {
		label := ""
		if i == 0 {
			label = "asks for"
		}
		if i == maxListed {
			s.row("", "and "+count(len(r.Device)-i, "more thing"))
			break
		}
		s.row(label, d.Name+"  "+lines(s.faint, s.wrap(d.File+":"+itoa(d.Line)+deviceWords(d), 92-len(d.Name), 18)))
	}
	byWhy := map[string][]string{}
	var order []string
	for _, k := range r.Skipped {
		if byWhy[k.Why] == nil {
			order = append(order, k.Why)
		}
		byWhy[k.Why] = append(byWhy[k.Why], k.Path)
	}
	for _, why := range order {
		s.row("not looked at", count(len(byWhy[why]), "entry")+": "+lines(s.faint, s.wrap(why+" ("+brief(byWhy[why])+")", 90, 18)))
	}
}

// middle cuts an address in its middle, since its end tells more than its beginning.
func middle(u string, width int) string {
	r := []rune(u)
	if len(r) <= width {
		return u
	}
	return string(r[:width/4]) + "…" + string(r[len(r)-(width-width/4-1):])
}

func tails(chain []string) []string {
	out := make([]string, len(chain))
	for i, c := range chain {
		out[i] = middle(c, 34)
	}
	return out
}

// deviceWords says who lacks what scripts ask for, and what it takes.
func deviceWords(d survey.Device) string {
	text := ""
	if len(d.Lacking) > 0 {
		text += "; not on " + strings.Join(d.Lacking, ", ")
	}
	if d.App && !slices.Contains(d.Lacking, "safari-ios") {
		text += "; on iPhones only in the installed app"
	}
	return text
}
