package cli

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/spf13/cobra"

	"tachyform/internal/chromium"
	"tachyform/internal/config"
	"tachyform/internal/markup"
	"tachyform/internal/present"
	"tachyform/internal/rehearsal"
	"tachyform/internal/serve"
	"tachyform/internal/site"
	"tachyform/internal/stage"
	"tachyform/internal/survey"
)

func (a *app) rehearseCommand() *cobra.Command {
	var base string
	var o rehearsing
	var pics pictured
	var networks []string
	cmd := &cobra.Command{
		Use:   "rehearse [SITE]",
		Short: "Run the site's service worker and see every page without a network",
		Long: `Rehearse runs the service worker that the site's pages register, ours or any other, in a model of a browser: first
visit, install, activation, second visit. Then the network goes, and every page is opened. Each comes out as
  whole     the page and everything it needs
  partial   the page, with something missing, or showing less than online
  blank     the document, showing next to nothing of what it shows online
  stand-in  another document instead, such as the offline page
  lost      the browser's own error page
  not known its scripts need what the model lacks; --stage auto asks a Chromium
with the reason. Nothing is decided by reading a configuration: the worker is executed.

Then stories are told: those of the configuration ([[story]]), and built-in ones such as a first visit that loses the
network, a captive portal, and with --next a visitor who comes back after a release. A story of the configuration that
fails makes the exit status 1. The steps of stories:

  ` + strings.ReplaceAll(rehearsal.Steps, "\n", "\n  "),
		Example: "  tachyform rehearse dist\n  tachyform rehearse dist --network offline,failing --page /timetable/\n  tachyform rehearse dist --trace /timetable/\n  tachyform rehearse dist --next dist-new\n  tachyform rehearse dist --stage both --page /timetable/ --story none\n  tachyform rehearse dist --format json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			for _, n := range networks {
				if !slices.Contains(stage.Networks, stage.Network(n)) {
					return usage(fmt.Errorf("--network %s: it is one of online, offline, slow, failing, portal", n))
				}
				o.Networks = append(o.Networks, stage.Network(n))
			}
			if !slices.Contains([]string{"embedded", "chromium", "both", "auto"}, o.stage) {
				return usage(fmt.Errorf("--stage %s: it is one of embedded, chromium, both, auto", o.stage))
			}
			if len(o.Traces) > 0 && o.stage == "chromium" {
				return usage(errors.New("--trace follows a request on the embedded stage; a browser does not tell what its worker does"))
			}
			if o.scripts != "" && o.scripts != "run" && o.scripts != "read" {
				return usage(fmt.Errorf("--scripts %s: it is run or read", o.scripts))
			}
			if err := pics.check(); err != nil {
				return err
			}
			o.Detail = map[string]bool{}
			for _, d := range o.detail {
				if d != "text" && d != "requests" && d != "errors" {
					return usage(fmt.Errorf("--detail %s: it is one of text, requests, errors", d))
				}
				o.Detail[d] = true
			}
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			step, end := a.progress("Rehearsing")
			o.Progress = step
			r, server, err := rehearse(cmd.Context(), c, s, o)
			end()
			if err != nil {
				return err
			}
			if err := a.emit(func(st *present.Style) error { return st.Rehearsal(r) }, r); err != nil {
				return err
			}
			if _, err := a.pictures(cmd.Context(), c, pics, server, o.Options, r); err != nil {
				return err
			}
			for _, story := range r.Stories {
				if story.Asked && !story.Passed {
					return &exit{code: ExitFound} // it was said
				}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringArrayVar(&o.Visits, "visit", nil, "`URL` opened online before the network changes; repeatable (default: the start page, twice)")
	f.StringArrayVar(&o.Pages, "page", nil, "`URL` to open afterwards; repeatable (default: every page)")
	f.StringArrayVar(&o.Fetches, "fetch", nil, "`URL` that a script of the first page fetches afterwards; repeatable")
	f.StringSliceVar(&networks, "network", []string{"offline"}, "network `states`: online, offline, slow, failing, portal")
	f.BoolVar(&o.Stores, "stores", false, "list what is stored after the visits: every answer with its type, size, age, and who put it there")
	f.StringArrayVar(&o.Traces, "trace", nil, "`URL` whose request is followed step by step; repeatable")
	f.StringVar(&o.next, "next", "", "`folder` of the release that replaces SITE, for stories of visitors who come back")
	f.StringVar(&o.stage, "stage", "embedded", "`stage`: embedded (ours), chromium (a real one), both, or auto: ours, and chromium for pages that need what ours lacks")
	f.StringVar(&o.scripts, "scripts", "", "run the scripts of pages, or read them for what they ask for (default run; read for more than 120 pages)")
	f.StringSliceVar(&o.detail, "detail", nil, "`details` of every page in --format json: text, requests, errors")
	pics.flags(f)
	f.StringArrayVar(&o.stories, "story", nil, "`name` of a story to tell, or none; repeatable (default: all)")
	return cmd
}

// rehearsing is what is asked of a rehearsal.
type rehearsing struct {
	rehearsal.Options
	next, stage string
	scripts     string            // "run", "read" or "" for what the number of pages says
	detail      []string          // "text", "requests", "errors"
	reading     bool              // scripts are read when nothing is said, unless the site is an application
	inventory   *survey.Inventory // of the site, nil when it was not surveyed
	stories     []string          // names, or none; empty for all
}

// maxRun is of how many pages the scripts are run when nothing is said.
const maxRun = 120

// rehearsalMemory is up to where the program's heap grows before it is tidied more often, in bytes: workers make much that
// is soon of no use.
const rehearsalMemory = 640 << 20

// rehearse runs a site on the stages that are asked for.
func rehearse(ctx context.Context, c *config.Config, s *site.Site, o rehearsing) (*rehearsal.Report, *site.Server, error) {
	debug.SetMemoryLimit(rehearsalMemory)
	debug.SetGCPercent(400)
	rules, err := c.SiteRules()
	if err != nil {
		return nil, nil, usage(err)
	}
	others, err := c.Origins()
	if err != nil {
		return nil, nil, usage(err)
	}
	for _, list := range [][]string{o.Visits, o.Pages, o.Fetches, o.Traces} {
		for i, u := range list {
			if !strings.HasPrefix(u, "/") && !strings.Contains(u, "://") {
				list[i] = "/" + u
			}
		}
	}
	o.Private = privateIn(c, s)
	pages := len(o.Pages)
	if pages == 0 {
		pages = len(s.Pages())
	}
	if rules.Routes, err = o.routes(ctx, c, s, rules.Fallback); err != nil {
		return nil, nil, err
	}
	if slices.ContainsFunc(rules.Routes, func(r site.RouteRule) bool { return r.Folder == s.Base }) {
		rules.Fallback = "" // said more exactly: data that the folder does not have is not answered with a page
	}
	for _, x := range rules.Redirects {
		if !strings.ContainsAny(x.From, "*[{") {
			o.Led = append(o.Led, x.From)
		}
	}
	o.Scripts = o.scripts == "run" || o.scripts == "" && pages <= maxRun && (!o.reading || len(o.Revisit) > 0)
	if o.scripts == "" && !o.Scripts && !o.reading {
		o.Unrun = fmt.Sprintf("the scripts of pages were read for what they ask for, and not run, since there are more than %d pages; --scripts run runs them, --page names single ones", maxRun)
	}
	t := teller{server: site.NewServer(s, rules)}
	if o.next != "" {
		next, err := site.Open(o.next, s.Base)
		if err != nil {
			return nil, nil, usage(err)
		}
		defer next.Close()
		t.next = site.NewServer(next, rules)
		o.Next = t.next
	}
	if t.stories, err = storiesOf(c, s, o, t.next != nil); err != nil {
		return nil, nil, usage(err)
	}
	embedded := func() (rehearsal.Stage, func(), error) {
		st := rehearsal.NewEmbedded(t.server, others, stage.Limits{})
		return st, st.Close, nil
	}
	real := func() (rehearsal.Stage, func(), error) { return inChromium(ctx, t.server) }
	if o.stage == "chromium" {
		r, err := t.rehearse(ctx, real, o.Options)
		return r, t.server, err
	}
	r, err := t.rehearse(ctx, embedded, o.Options)
	if err != nil {
		return nil, nil, err
	}
	if unknown := r.NotKnown(); o.stage == "auto" && len(unknown) > 0 {
		o.Pages, o.Fetches, o.Traces, o.Next, o.Comeback = unknown, nil, nil, nil, false
		seen, err := (&teller{server: t.server}).rehearse(ctx, real, o.Options)
		if err != nil {
			return nil, nil, err
		}
		r.Take(seen)
	}
	if o.stage != "both" {
		return r, t.server, nil
	}
	o.Traces = nil
	if r.Chromium, err = t.rehearse(ctx, real, o.Options); err != nil {
		return nil, nil, err
	}
	r.Differences = rehearsal.Compare(r, r.Chromium)
	return r, t.server, nil
}

// maxRoutes is how many routes of applications are rehearsed when nothing is said.
const maxRoutes = 40

// routes finds the applications of a site, and adds their routes to the pages that are opened when none are named. It gives what the server has to answer to
// them, as far as the configuration does not.
func (o *rehearsing) routes(ctx context.Context, c *config.Config, s *site.Site, fallback string) ([]site.RouteRule, error) {
	if len(s.Pages()) > maxRun && o.scripts != "run" {
		return nil, nil
	}
	if o.inventory == nil {
		inv, err := survey.Take(ctx, s, survey.Options{})
		if err != nil {
			return nil, broken(err)
		}
		o.inventory = inv
	}
	found, err := applicationsOf(ctx, c, s, o.inventory, nil)
	if err != nil {
		return nil, err
	}
	o.inventory.Applications = found.Applications
	for _, x := range found.Remarks {
		o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", Message: x, Mend: "name what is to be opened with --page, and see it with --stage chromium"})
	}
	configured, err := c.SiteRules()
	if err != nil {
		return nil, usage(err)
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
		said := o.inventory.FileOf(fallback)
		if a.Hash || len(a.Routes) == 0 || fallback != "" && (said == nil || said.URL != a.Shell) {
			continue
		}
		rules = append(rules, site.RouteRule{Folder: a.Folder(), Shell: a.Shell, Except: a.ServerPaths()})
		if fallback != "" {
			continue
		}
		o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", URL: a.Routes[0].Address,
			Message: fmt.Sprintf("no file answers this: it is a route of the application %s. The server is taken to answer it with that page, as yours has to", a.Shell),
			Mend:    "have your host answer what has no file with this page, and say so in tachyform.toml: [server] fallback"})
	}
	if len(o.Pages) == 0 && len(routes) > 0 {
		for _, p := range s.Pages() {
			o.Pages = append(o.Pages, p.URL)
		}
		if len(routes) > maxRoutes {
			o.Notes = append(o.Notes, rehearsal.Finding{Kind: "routes", Level: "advice", Message: fmt.Sprintf("%d of %d routes are opened; --page names others", maxRoutes, len(routes))})
		}
		o.Revisit = routes[:min(maxRoutes, len(routes))]
		o.Pages = append(o.Pages, o.Revisit...)
	}
	return rules, nil
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

// privateIn says what belongs to one visitor: what the configuration never stores, and addresses that look like it.
func privateIn(c *config.Config, s *site.Site) func(string) bool {
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
		return nil, usage(err)
	}
	if err != nil {
		return nil, broken(err)
	}
	r, err := rehearsal.Run(ctx, st, t.server, o)
	end()
	if err != nil {
		if errors.Is(err, site.ErrNoPages) {
			return nil, usage(err)
		}
		return nil, broken(err)
	}
	tell := rehearsal.Teller{Start: start, Server: t.server, Next: t.next, Private: o.Private, Scripts: o.Scripts}
	for _, story := range t.stories {
		if !story.Asked && r.Worker.State == "none" || !r.Judged() {
			continue // nothing would come of it
		}
		result, err := tell.Tell(ctx, story)
		if err != nil {
			return nil, broken(err)
		}
		r.Stories = append(r.Stories, result)
	}
	return r, nil
}

// storiesOf gives the stories to tell: those of the configuration, then the built-in ones.
func storiesOf(c *config.Config, s *site.Site, o rehearsing, next bool) ([]rehearsal.Story, error) {
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
	if len(o.stories) == 0 {
		return all, nil
	}
	var out []rehearsal.Story
	for _, name := range o.stories {
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
