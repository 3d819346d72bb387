package run

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// Rehearsal is what is asked of a rehearsal.
type Rehearsal struct {
	rehearsal.Options
	NextDir   string            // folder of the release that replaces the site, "" for none
	On        string            // "embedded" (or ""), "chromium", "both" or "auto": ours, and chromium for pages that need what ours lacks
	How       string            // scripts "run", "read" or "" for what the number of pages says
	Reading   bool              // scripts are read when nothing is said, unless the site is an application
	Inventory *survey.Inventory // of the site, nil when it was not surveyed
	Named     []string          // names of stories, or none; empty for all
	Sample    int               // how many of the pages are opened, 0 for all; no matter when pages are named
	Served    *crawl.Result     // what a server was seen to send, when the site's pages come from one
}

// maxRun is of how many pages the scripts are run when nothing is said.
const maxRun = 120

// rehearsalMemory is up to where the program's heap grows before it is tidied more often, in bytes: workers make much that
// is soon of no use.
const rehearsalMemory = 640 << 20

// Rehearse runs a site on the stages that are asked for.
func (w *Work) Rehearse(ctx context.Context, s *site.Site, o Rehearsal) (*rehearsal.Report, *site.Server, error) {
	roomy()
	c := w.Config
	rules, err := c.SiteRules()
	if err != nil {
		return nil, nil, input(err)
	}
	others, err := c.Origins()
	if err != nil {
		return nil, nil, input(err)
	}
	for _, list := range [][]string{o.Visits, o.Pages, o.Fetches, o.Traces} {
		for i, u := range list {
			if !strings.HasPrefix(u, "/") && !strings.Contains(u, "://") {
				list[i] = "/" + u
			}
		}
	}
	o.Private = Private(c, s)
	asked := slices.Clone(o.Pages)
	if n := len(s.Pages()); o.Sample > 0 && o.Sample < n && len(asked) == 0 && o.Served == nil {
		o.Pages, o.SampledOf = Sample(s, o.Sample), n
	}
	pages := len(o.Pages)
	if pages == 0 {
		pages = len(s.Pages())
	}
	if rules.Routes, err = o.routes(ctx, w, s, rules.Fallback); err != nil {
		return nil, nil, err
	}
	if slices.ContainsFunc(rules.Routes, func(r site.RouteRule) bool { return r.Whole(s.Base) }) {
		rules.Fallback = "" // said more exactly: data that the folder does not have is not answered with a page
	}
	if len(asked) == 0 {
		o.Entrances = entrancesOf(s)
	}
	for _, x := range rules.Redirects {
		if !strings.ContainsAny(x.From, "*[{") {
			o.Led = append(o.Led, x.From)
		}
	}
	o.Scripts = o.How == "run" || o.How == "" && pages <= maxRun && (!o.Reading || len(o.Revisit) > 0)
	if o.How == "" && !o.Scripts && !o.Reading {
		o.Unrun = fmt.Sprintf("the scripts of pages were read for what they ask for, and not run, since there are more than %d pages; --scripts run runs them, --page names single ones", maxRun)
	}
	t := teller{server: site.NewServer(s, rules)}
	if o.Served != nil {
		if t.server, err = w.serverOf(o.Served); err != nil {
			return nil, nil, err
		}
		if t.server.Rules.Routes = rules.Routes; len(o.Pages) == 0 {
			for i, p := range visible(o.Served) {
				o.Pages = append(o.Pages, p.URL)
				if i < maxRoutes && !slices.Contains(o.Revisit, p.URL) {
					o.Revisit = append(o.Revisit, p.URL)
				}
			}
		}
	}
	for _, u := range asked {
		if a := t.server.Answer("GET", pathOf(u)); strings.HasPrefix(u, "/") && a.Status == 404 {
			such := ""
			if list := s.Pages(); len(list) > 0 {
				such = ", such as " + list[len(list)-1].URL
			}
			return nil, nil, input(fmt.Errorf("--page %s: the site has no such page; pages are named by their addresses%s", u, such))
		}
	}
	if o.NextDir != "" {
		next, err := site.Open(o.NextDir, s.Base)
		if err != nil {
			return nil, nil, input(err)
		}
		defer next.Close()
		t.next = site.NewServer(next, rules)
		o.Next = t.next
	}
	if o.Share != nil {
		o.Named = []string{"none"}
	}
	if t.stories, err = storiesOf(c, s, o, t.next != nil); err != nil {
		return nil, nil, input(err)
	}
	if o.Share != nil || o.Merged != nil {
		all := rehearsal.Share{}
		if o.Share != nil {
			all = *o.Share
		}
		if all.Site, err = digestOf(ctx, t.server); err != nil {
			return nil, nil, err
		}
		o.Share = &all
	}
	limits := w.limits()
	embedded := func() (rehearsal.Stage, func(), error) {
		st := rehearsal.NewEmbedded(t.server, others, limits)
		return st, st.Close, nil
	}
	real := func() (rehearsal.Stage, func(), error) { return inChromium(ctx, t.server) }
	if o.On == "chromium" {
		r, err := t.rehearse(ctx, real, o.Options)
		return r, t.server, err
	}
	detail := o.Detail
	if o.On == "both" { // what is compared
		o.Detail = map[string]bool{"text": true, "requests": true, "errors": true}
	}
	r, err := t.rehearse(ctx, embedded, o.Options)
	if err != nil {
		return nil, nil, err
	}
	if unknown := r.NotKnown(); o.On == "auto" && len(unknown) > 0 {
		o.Pages, o.Fetches, o.Traces, o.Next, o.Comeback = unknown, nil, nil, nil, false
		seen, err := (&teller{server: t.server}).rehearse(ctx, real, o.Options)
		if err != nil {
			return nil, nil, err
		}
		r.Take(seen)
	}
	if o.On != "both" {
		return r, t.server, nil
	}
	o.Traces = nil
	if r.Chromium, err = t.rehearse(ctx, real, o.Options); err != nil {
		return nil, nil, err
	}
	r.Differences = rehearsal.Compare(r, r.Chromium)
	r.Keep(detail)
	r.Chromium.Keep(detail)
	return r, t.server, nil
}

// entrancesOf lists the ways into the app of a site, none without a manifest that can be read.
func entrancesOf(s *site.Site) []entrance.Entrance {
	found, err := linked.Site(s)
	if err != nil || found.Manifest == nil {
		return nil // that there is none is said elsewhere
	}
	return entrance.Of(found.Manifest, weburl.Origin)
}

// maxRoutes is how many routes of applications are rehearsed when nothing is said.
const maxRoutes = 40

// routes finds the applications of a site, and adds their routes to the pages that are opened when none are named. It gives what the server has to answer to
// them, as far as the configuration does not.
func (o *Rehearsal) routes(ctx context.Context, w *Work, s *site.Site, fallback string) ([]site.RouteRule, error) {
	if len(s.Pages()) > maxRun && o.How != "run" {
		return nil, nil
	}
	if o.Inventory == nil {
		inv, err := survey.Take(ctx, s, survey.Options{})
		if err != nil {
			return nil, err
		}
		o.Inventory = inv
	}
	found, err := w.applicationsOf(ctx, s, o.Inventory, nil)
	if err != nil {
		return nil, err
	}
	o.Inventory.Applications = found.Applications
	for _, x := range found.Remarks {
		o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", Message: x, Mend: "name what is to be opened with --page, and see it with --stage chromium"})
	}
	configured, err := w.Config.SiteRules()
	if err != nil {
		return nil, input(err)
	}
	configured.Fallback = ""
	plain := site.NewServer(s, configured)
	var rules []site.RouteRule
	var routes []string
	for i := range found.Applications {
		a := &found.Applications[i]
		for _, r := range a.Routes {
			routes = append(routes, r.Address)
			for _, d := range r.Data {
				if u, query, _ := strings.Cut(d.URL, "?"); d.Method == "GET" && strings.HasPrefix(u, "/") && plain.Ask("GET", u, query).Status >= 400 {
					o.MadeUp = append(o.MadeUp, u)
				}
			}
		}
		said := o.Inventory.FileOf(fallback)
		if a.Hash || len(a.Routes) == 0 || fallback != "" && (said == nil || said.URL != a.Shell) {
			continue
		}
		rules = append(rules, routeRule(a))
		if fallback != "" {
			continue
		}
		o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", URL: a.Routes[0].Address,
			Message: fmt.Sprintf("no file answers this: it is a route of the application %s. The server is taken to answer it with that page, as yours has to", a.Shell),
			Mend:    "have your host answer what has no file with this page, and say so in tachyform.toml: [server] fallback"})
	}
	if (len(o.Pages) == 0 || o.SampledOf > 0) && len(routes) > 0 {
		if o.SampledOf == 0 {
			for _, p := range s.Pages() {
				o.Pages = append(o.Pages, p.URL)
			}
		}
		if len(routes) > maxRoutes {
			o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", Message: fmt.Sprintf("%d of %d routes are opened; --page names others", maxRoutes, len(routes))})
		}
		o.Revisit = routes[:min(maxRoutes, len(routes))]
		o.Pages = append(o.Pages, o.Revisit...)
	}
	slices.SortStableFunc(rules, func(a, b site.RouteRule) int { return len(b.Only) - len(a.Only) }) // who answers everything comes last
	slices.SortStableFunc(rules, func(a, b site.RouteRule) int { return len(b.Folder) - len(a.Folder) })
	return rules, nil
}

// routeRule says what the server answers with an application's document.
func routeRule(a *survey.Application) site.RouteRule {
	r := site.RouteRule{Folder: cmp.Or(a.Below, a.Folder()), Shell: a.Shell, Except: a.ServerPaths()}
	if a.Main || a.Below != "" || strings.HasSuffix(a.Shell, "/") {
		return r
	}
	for _, x := range a.Routes {
		r.Only = append(r.Only, survey.Starred(strings.NewReplacer("*", `\*`, "?", `\?`, "[", `\[`, "{", `\{`).Replace(x.Pattern)))
	}
	return r
}

// inChromium starts a Chromium with a fresh profile, and the server that it visits.
func inChromium(ctx context.Context, server *site.Server) (rehearsal.Stage, func(), error) {
	web, err := serve.Start(server)
	if err != nil {
		return nil, nil, err
	}
	b, err := chromium.Start(ctx, web)
	if err != nil {
		_ = web.Stop()
		return nil, nil, err
	}
	return b, func() { b.Close(); _ = web.Stop() }, nil
}

// Private says what belongs to one visitor: what the configuration never stores, and addresses that look like it.
func Private(c *config.Config, s *site.Site) func(string) bool {
	return func(u string) bool {
		path, _, _ := strings.Cut(u, "?")
		return survey.PersonalPath(strings.TrimPrefix(path, s.Base)) || survey.PersonalData(path) && fileless(s, path) || slices.ContainsFunc(c.Stow.Never, func(g string) bool {
			ok, _ := doublestar.Match(g, path)
			return ok
		})
	}
}

func fileless(s *site.Site, u string) bool { _, ok := s.Find(u); return !ok }

// teller rehearses a site and tells its stories.
type teller struct {
	server, next *site.Server
	stories      []rehearsal.Story
}

func (t *teller) rehearse(ctx context.Context, start func() (rehearsal.Stage, func(), error), o rehearsal.Options) (*rehearsal.Report, error) {
	st, end, err := start()
	if errors.Is(err, chromium.ErrMissing) {
		return nil, input(err)
	}
	if err != nil {
		return nil, err
	}
	r, err := rehearsal.Run(ctx, st, t.server, o)
	end()
	if err != nil {
		if errors.Is(err, site.ErrNoPages) || errors.Is(err, rehearsal.ErrParts) {
			return nil, input(err)
		}
		return nil, err
	}
	tell := rehearsal.Teller{Start: start, Server: t.server, Next: t.next, Private: o.Private, Scripts: o.Scripts}
	for _, story := range t.stories {
		if !story.Asked && r.Worker.State == "none" || !r.Judged() {
			continue // nothing would come of it
		}
		result, err := tell.Tell(ctx, story)
		if err != nil {
			return nil, err
		}
		r.Stories = append(r.Stories, result)
	}
	return r, nil
}

// storiesOf gives the stories to tell: those of the configuration, then the built-in ones.
func storiesOf(c *config.Config, s *site.Site, o Rehearsal, next bool) ([]rehearsal.Story, error) {
	var all []rehearsal.Story
	for _, x := range c.Stories {
		all = append(all, rehearsal.Story{Name: x.Name, Steps: x.Steps, Asked: true})
	}
	start, err := s.StartPage()
	if err != nil {
		return nil, err
	}
	deep := start.URL
	for _, p := range s.Pages() {
		if strings.Count(p.URL, "/") > strings.Count(deep, "/") {
			deep = p.URL
		}
	}
	title := ""
	if data, err := s.Read(start.Path); err == nil {
		title = markup.ReadPage(data).Title.Value
	}
	all = append(all, rehearsal.Builtin(start.URL, title, deep, next)...)
	if len(o.Named) == 0 {
		return all, nil
	}
	var out []rehearsal.Story
	for _, name := range o.Named {
		if name == "none" {
			continue
		}
		i := slices.IndexFunc(all, func(x rehearsal.Story) bool { return x.Name == name })
		if i < 0 {
			return nil, fmt.Errorf("--story %q: there is no such story", name)
		}
		out = append(out, all[i])
	}
	return out, nil
}

func pathOf(u string) string {
	u, _, _ = strings.Cut(u, "#")
	u, _, _ = strings.Cut(u, "?")
	return u
}
