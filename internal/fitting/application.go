package fitting

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// findApplications has the applications of the site be found, and chooses what answers their routes.
func (f *fitter) findApplications(ctx context.Context) error {
	if f.opts.Applications == nil || f.opts.ManifestOnly {
		return nil
	}
	found, remarks, err := f.opts.Applications(ctx, f.inv)
	if err != nil {
		return err
	}
	f.inv.Applications = found
	for _, r := range remarks {
		f.remark("%s", r)
	}
	f.chooseShell()
	return nil
}

// chooseShell lets an application's document answer its routes when the configuration does not say what is shown, and says which applications are left
// alone and why.
func (f *fitter) chooseShell() {
	said := f.cfg.Offline.Shell != "" || f.cfg.Offline.Page != ""
	for i := range f.inv.Applications {
		a := &f.inv.Applications[i]
		switch {
		case a.Hash:
			continue // one address: its document is stored like any page
		case said:
			if shell := f.inv.FileOf(f.cfg.Offline.Shell); shell != nil && shell.URL == a.Shell {
				f.routesOf = a
			}
			continue
		case !a.Within(f.site.Base):
			dir := path.Dir(f.inv.FileOf(a.Shell).Path)
			f.remark("%s is an application of its own folder (%s), and offline its routes are answered by the offline page: fit it alone, with \"tachyform fit %s --base %s\", or name it as shell in [offline] if it answers for the whole site", a.Shell, a.Known, path.Join(f.site.Dir, dir), f.site.Base+dir+"/")
			continue
		case f.routesOf != nil || !a.Main:
			f.leaveRoutes(a)
			continue
		}
		f.routesOf = a
		cfg := *f.cfg
		cfg.Offline.Shell = a.Shell
		for _, r := range a.Routes {
			if !survey.PersonalPath(strings.TrimPrefix(r.Address, f.site.Base)) { // the server may lead to a sign-in there
				cfg.Offline.Routes = append(cfg.Offline.Routes, globEscape(r.Pattern))
			}
		}
		why := "other addresses are asked of the server first, and the shell answers them without one"
		if len(cfg.Offline.Routes) == 0 {
			cfg.Offline.Routes, why = []string{globEscape(a.Shell)}, "no link of it shows another: every address is asked of the server first, and the shell answers without one"
		}
		f.cfg = &cfg
		f.plan.Inferences = append(f.plan.Inferences, Inference{"shell", a.Shell, a.Known}, Inference{"routes", listed(cfg.Offline.Routes), why})
	}
}

// leaveRoutes has the routes of an application at the site's root be asked of the server whose document is not shown for what has no file.
func (f *fitter) leaveRoutes(a *survey.Application) {
	var globs []string
	if a.Below != "" {
		globs = append(globs, globEscape(a.Below)+"**")
	}
	for _, r := range a.Routes {
		if !strings.HasPrefix(r.Address, cmp.Or(a.Below, "\x00")) && !slices.Contains(f.cfg.Offline.Routes, globEscape(r.Pattern)) {
			globs = append(globs, survey.Starred(globEscape(r.Pattern)))
		}
	}
	f.otherRoutes = append(f.otherRoutes, globs...)
	f.remark("%s is an application beside the start page (%s): its routes, %s, come from the server, and without one visitors get the offline page there. In a folder of its own it can be fitted alone; shell and routes in [offline] have its document answer, in the place of any other", a.Shell, a.Known, listed(globs))
}

// pagesBesides says whether the site has pages that an application does not draw, so that something else has to be shown in their place.
func (f *fitter) pagesBesides() bool {
	return slices.ContainsFunc(f.inv.Pages, func(p survey.Page) bool {
		name := path.Base(p.File.Path)
		return p.File.URL != f.shell && name != "404.html" && name != "200.html" && f.rec.Files[p.File.Path].SHA256 == "" && p.File.URL != f.inv.StartFile.URL
	})
}

// notRoutes gives the rules for addresses that look like routes and are the server's: what the application fetches, and links that it does not answer.
// They are for navigations alone.
func (f *fitter) notRoutes() []worker.Rule {
	others := f.fromServer(f.otherRoutes, "routes of another application")
	if f.routesOf == nil || len(f.cfg.Offline.Routes) > 0 { // what is named is no such address
		return others
	}
	var globs []string
	add := func(g string) {
		if !slices.Contains(globs, g) {
			globs = append(globs, g)
		}
	}
	routed := func(prefix string) bool {
		return slices.ContainsFunc(f.routesOf.Routes, func(r survey.Route) bool { return strings.HasPrefix(r.Address+"/", prefix) })
	}
	asked := func(u string) {
		u, _, _ = strings.Cut(u, "?")
		rest, own := strings.CutPrefix(u, f.site.Base)
		if !own || rest == "" || f.inv.FileOf(u) != nil {
			return
		}
		first, _, deep := strings.Cut(rest, "/")
		if prefix := f.site.Base + first + "/"; deep && !routed(prefix) {
			add(globEscape(prefix) + "**")
		} else if !routed(u + "/") {
			add(globEscape(u))
		}
	}
	for _, r := range f.routesOf.Asking() {
		for _, d := range r.Data {
			asked(d.URL)
		}
	}
	for _, e := range f.inv.Endpoints {
		if !strings.Contains(e.URL, "://") {
			asked(e.URL)
		}
	}
	for _, u := range f.routesOf.Dead {
		if !routed(u + "/") {
			add(globEscape(u))
		}
	}
	return append(f.fromServer(globs, "the application asks the server for them, or does not answer them"), others...)
}

// fromServer makes the rules by which navigations to some addresses are always asked of the server.
func (f *fitter) fromServer(globs []string, why string) []worker.Rule {
	slices.Sort(globs)
	var out []worker.Rule
	for _, g := range slices.Compact(globs) {
		r := worker.NetworkOnlyRule(g)
		r.Destinations = []string{"document"}
		out = append(out, r)
	}
	if len(globs) > 0 {
		f.plan.Inferences = append(f.plan.Inferences, Inference{"no routes", listed(globs), why})
	}
	return out
}

// unkept says which data of routes no rule keeps, so that those routes lack it offline.
func (f *fitter) unkept(plan *worker.Plan) {
	if f.routesOf == nil {
		return
	}
	var lacking []string
	for _, r := range f.routesOf.Asking() {
		for _, d := range r.Data {
			if u, _, _ := strings.Cut(d.URL, "?"); !strings.Contains(u, "://") && d.Method == "GET" {
				at := plan.Decide(worker.Asked{Address: d.URL, Destination: "empty"})
				if at.Rule < 0 || !plan.Rules[at.Rule].Stores() {
					if text := fmt.Sprintf("%s (asked for by %s)", survey.Pattern(u), r.Pattern); !slices.Contains(lacking, text) {
						lacking = append(lacking, text)
					}
				}
			}
		}
	}
	if len(lacking) > 0 {
		f.remark("no rule keeps %s: without a network these routes lack it; tachyform draft writes rules to look over", listed(lacking))
	}
}
