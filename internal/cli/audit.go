package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net"
	"net/url"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/config"
	"tachyform/internal/crawl"
	"tachyform/internal/deployed"
	"tachyform/internal/fitting"
	"tachyform/internal/present"
	"tachyform/internal/rehearsal"
	"tachyform/internal/routes"
	"tachyform/internal/site"
	"tachyform/internal/stage"
	"tachyform/internal/survey"
)

// manyPages is from how many pages on a site is audited without a network only, and not in the other states.
const manyPages = 2000

// auditing is what is asked of an audit.
type auditing struct {
	base, failOn, baseline string
	scripts                string // as in [rehearsing]
	only, skip             []string
	mend                   bool
	release                string // folder of what is to be live
	reach                  reaching
	pics                   pictured
}

func (a *app) auditCommand() *cobra.Command {
	var o auditing
	cmd := &cobra.Command{
		Use:   "audit [SITE]",
		Short: "Check whether a site can be installed and works offline, and say why not",
		Long: `Audit checks what makes a site installable or not, rehearses every page without a network, and gives a verdict for
each platform. Every finding says why it matters, where it is and what to do. The exit status is 1 when something
at or above --fail-on was found, which makes it a gate for CI.

With --baseline, an earlier report in JSON, only what is new counts. Checks are left out, with the reason, by [[audit.skip]]
of the configuration, and have another level by [audit.levels].

With --release and a live address, the folder that was to be deployed is compared with what the server answers: missing, altered
and old files, headers, redirects, and whether the worker accepts what comes; a line says which release is live, and whether
it is whole. Of a large site a sample is asked for. --header, --user, --cookies, --ca and --insecure reach a staging server.

SITE may be a live address: what survey reads of it is audited (its own origin, politely, within limits), together with what
only a server can show: https, headers, media types, how missing files are answered.

Formats: text, json, markdown for a pull request, junit and sarif for CI and editors, html for one page without anything else.`,
		Example: "  tachyform audit dist\n  tachyform audit dist --fail-on warning\n  tachyform audit dist --format json --output audit.json\n  tachyform audit dist --format html --output audit.html\n  tachyform audit dist --only manifest,icons\n  tachyform audit https://skerry-line.example/ --fail-on never\n  tachyform audit https://skerry-line.example/ --release dist",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			a.formats = []string{"markdown", "junit", "sarif", "html"}
			if len(args) > 0 && isAddress(args[0]) {
				return a.auditAddress(cmd, o, args[0])
			}
			if err := o.reach.folder(); err != nil {
				return err
			}
			if o.release != "" {
				return usage(errors.New("--release compares a live address with a folder; name the address"))
			}
			c, s, err := a.open(args, o.base)
			if err != nil {
				return err
			}
			defer s.Close()
			if !cmd.Flags().Changed("fail-on") && c.Audit.FailOn != "" {
				o.failOn = c.Audit.FailOn
			}
			opts, earlier, err := o.options(c)
			if err != nil {
				return usage(err)
			}
			if o.scripts != "" && o.scripts != "run" && o.scripts != "read" {
				return usage(fmt.Errorf("--scripts %s: it is run or read", o.scripts))
			}
			if err := o.pics.check(); err != nil {
				return err
			}
			report, server, err := a.auditFolder(cmd.Context(), c, s, opts, o.scripts)
			if err != nil {
				return err
			}
			if o.mend {
				if report, server, err = a.mend(cmd.Context(), c, s, opts, report, server, o.scripts); err != nil {
					return err
				}
			}
			shots, err := a.pictures(cmd.Context(), c, o.pics, server, rehearsal.Options{Networks: networksOf(len(s.Pages()))}, report.Rehearsal)
			if err != nil {
				return err
			}
			return a.verdict(o, report, earlier, shots)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&o.failOn, "fail-on", "blocker", "lowest `level` that makes the exit status 1: blocker, warning, advice, or never")
	f.StringVar(&o.baseline, "baseline", "", "an earlier report (--format json); only what is new makes the exit status 1")
	f.StringSliceVar(&o.only, "only", nil, "`checks` or areas to look at; all others are left out")
	f.StringVar(&o.scripts, "scripts", "", "run the scripts of pages, as rehearse does, or read them for what they ask for, which is quicker (default read; run for applications)")
	f.StringVar(&o.release, "release", "", "`folder` that was to be deployed at a live address: says whether it is there, whole")
	o.reach.flags(f)
	f.BoolVar(&o.mend, "mend", false, "fit the site first when that mends something; says what it mended and what it did not")
	o.pics.flags(f)
	f.StringSliceVar(&o.skip, "skip", nil, "`checks` or areas to leave out")
	return cmd
}

// auditFolder surveys, rehearses and checks a folder.
func (a *app) auditFolder(ctx context.Context, c *config.Config, s *site.Site, opts audit.Options, scripts string) (*audit.Report, *site.Server, error) {
	var err error
	if opts.Inventory, err = survey.Take(ctx, s, survey.Options{}); err != nil {
		return nil, nil, broken(err)
	}
	networks := networksOf(len(opts.Inventory.Pages))
	if len(networks) == 1 && !a.quiet {
		fmt.Fprintf(a.err, "%d pages: rehearsed without a network only, not on a slow or failing one (tachyform rehearse --network slow,failing does)\n", len(opts.Inventory.Pages))
	}
	opts.Private = privateIn(c, s)
	step, end := a.progress("Rehearsing")
	r, server, err := rehearse(ctx, c, s, rehearsing{Options: rehearsal.Options{Progress: step, Networks: networks, Fetches: slices.DeleteFunc(slices.Clone(opts.Inventory.Data), opts.Private), Comeback: true}, stories: []string{"none"}, scripts: scripts, reading: true, inventory: opts.Inventory})
	end()
	if err != nil {
		return nil, nil, err
	}
	report, err := audit.Run(ctx, server, r, opts)
	if err != nil {
		return nil, nil, broken(err)
	}
	return report, server, nil
}

// mend fits the site when that mends something, audits it again, and says what was mended and what was not.
func (a *app) mend(ctx context.Context, c *config.Config, s *site.Site, opts audit.Options, before *audit.Report, server *site.Server, scripts string) (*audit.Report, *site.Server, error) {
	safe, area := map[string]bool{}, map[string]string{}
	for _, k := range audit.Checks() {
		safe[k.ID], area[k.ID] = k.Safe, k.Area
	}
	failed := func(r *audit.Report) (out []string) {
		for _, k := range r.Checks {
			if k.State == "failed" {
				out = append(out, k.ID)
			}
		}
		return out
	}
	say := func(what string, ids []string) {
		if len(ids) > 0 && !a.quiet {
			fmt.Fprintf(a.err, "%s: %s\n", what, strings.Join(ids, ", "))
		}
	}
	first := failed(before)
	if !slices.ContainsFunc(first, func(id string) bool { return safe[id] }) {
		say("nothing was changed; these are not safe to mend by themselves", first)
		return before, server, nil
	}
	worker := slices.ContainsFunc(first, func(id string) bool { return safe[id] && area[id] == "worker" })
	plan, err := fitting.Make(ctx, s, c, fitting.Options{NoWorker: !worker, Applications: a.applications(c, s)})
	if err != nil {
		return nil, nil, fitError(err)
	}
	if err := plan.Apply(ctx, nil); err != nil {
		return nil, nil, broken(err)
	}
	if err := s.Rescan(); err != nil {
		return nil, nil, broken(err)
	}
	after, server, err := a.auditFolder(ctx, c, s, opts, scripts)
	if err != nil {
		return nil, nil, err
	}
	left := failed(after)
	how := "mended by a fit of %s (tachyform strip takes it out again)"
	if !worker && plan.Worker == "" {
		how = "mended by a fit of %s without a worker, which nothing here asked for (tachyform strip takes it out again)"
	}
	say(fmt.Sprintf(how, s.Dir), slices.DeleteFunc(first, func(id string) bool { return slices.Contains(left, id) }))
	say("not safe to mend by itself", left)
	return after, server, nil
}

// networksOf gives the states in which a site of so many pages is audited.
func networksOf(pages int) []stage.Network {
	networks := []stage.Network{stage.Offline, stage.Slow, stage.Failing}
	if pages > manyPages {
		return networks[:1]
	}
	return networks
}

// verdict writes a report, and gives the exit status.
func (a *app) verdict(o auditing, report, earlier *audit.Report, shots *present.Shots) error {
	if earlier != nil {
		report.Against(earlier)
	}
	if err := a.emit(func(st *present.Style) error { return st.AuditAs(a.format, report, shots) }, report); err != nil {
		return err
	}
	if worst := report.Worst(); o.failOn != "never" && worst != "" && worst.AtLeast(audit.Level(o.failOn)) {
		return &exit{code: ExitFound}
	}
	return nil
}

// auditAddress audits a live origin: what survey reads of it, and what only its server can show.
func (a *app) auditAddress(cmd *cobra.Command, o auditing, address string) error {
	ctx := cmd.Context()
	if o.pics.dir != "" {
		return usage(errors.New("--pictures needs a folder; a live address is only read"))
	}
	if o.mend {
		return usage(errors.New("--mend needs a folder; a live address can only be looked at"))
	}
	if err := a.checkFormat(); err != nil {
		return err
	}
	c, err := a.configuration(nil)
	if err != nil {
		return err
	}
	if !cmd.Flags().Changed("fail-on") && c.Audit.FailOn != "" {
		o.failOn = c.Audit.FailOn
	}
	opts, earlier, err := o.options(c)
	if err != nil {
		return usage(err)
	}
	o.reach.Mine = o.release != ""
	access, err := a.access(address, &o.reach)
	if err != nil {
		return err
	}
	if o.release != "" {
		if opts.Deployed, err = a.deployed(ctx, c, address, access, o); err != nil {
			return err
		}
	}
	res, server, err := a.live(ctx, c, address, access)
	if err != nil {
		return err
	}
	defer res.Close()
	if opts.Inventory, err = res.Survey(ctx, survey.Options{}); err != nil {
		return fitError(err)
	}
	others, err := c.Origins()
	if err != nil {
		return usage(err)
	}
	opts.Live = shown(ctx, access, address, res)
	st := rehearsal.NewEmbedded(server, others, stage.Limits{})
	defer st.Close()
	opts.Private = privateIn(c, res.Site)
	ro := rehearsal.Options{Networks: []stage.Network{stage.Offline, stage.Slow, stage.Failing}, Fetches: slices.DeleteFunc(slices.Clone(opts.Inventory.Data), opts.Private), Comeback: true, Private: opts.Private}
	step, end := a.progress("Running")
	found, err := routes.Find(ctx, server, others, opts.Inventory, routes.Options{Fallback: c.Server.Fallback, Progress: step})
	end()
	if err != nil {
		return broken(err)
	}
	opts.Inventory.Applications = found.Applications
	for _, p := range res.Site.Pages() {
		ro.Pages = append(ro.Pages, p.URL)
	}
	for i := range found.Applications {
		for _, route := range found.Applications[i].Routes {
			if ro.Scripts = true; len(ro.Revisit) < maxRoutes && !slices.Contains(ro.Pages, route.Address) {
				ro.Revisit = append(ro.Revisit, route.Address)
			}
		}
	}
	ro.Pages = append(ro.Pages, ro.Revisit...)
	for _, x := range res.Report.Redirects {
		if p, query, _ := strings.Cut(x.From, "?"); query == "" && strings.TrimSuffix(p, "/") != strings.TrimSuffix(x.To, "/") {
			ro.Led = append(ro.Led, p)
		}
	}
	ro.Progress, end = a.progress("Rehearsing")
	r, err := rehearsal.Run(ctx, st, server, ro)
	end()
	if err != nil {
		return broken(err)
	}
	report, err := audit.Run(ctx, server, r, opts)
	if err != nil {
		return broken(err)
	}
	return a.verdict(o, report, earlier, nil)
}

// live reads a live origin, and gives a server that answers as it does.
func (a *app) live(ctx context.Context, c *config.Config, address string, access *crawl.Access) (*crawl.Result, *site.Server, error) {
	step, end := a.progress("Fetching")
	limits := crawl.Usual
	limits.Access = access
	res, err := crawl.Take(ctx, address, limits, step)
	end()
	if err != nil {
		return nil, nil, fitError(err)
	}
	if res.Report.Stopped != "" && !a.quiet {
		fmt.Fprintf(a.err, "only a part was read, because of %s; tachyform survey %s says what was left out\n", res.Report.Stopped, address)
	}
	configured, err := c.SiteRules()
	if err != nil {
		res.Close()
		return nil, nil, usage(err)
	}
	if len(configured.Headers)+len(configured.Redirects) > 0 && !a.quiet {
		fmt.Fprintln(a.err, "[[server.header]] and [[server.redirect]] are not used: the server itself was asked")
	}
	rules := site.Rules{Answers: configured.Answers} // of its data the server is not asked
	for _, f := range res.Site.Files {
		for k, list := range res.Headers[f.URL] {
			rules.Headers = append(rules.Headers, site.HeaderRule{Path: f.URL, Name: k, Value: strings.Join(list, ", ")})
		}
	}
	server := site.NewServer(res.Site, rules)
	server.Beyond = res.Beyond(ctx)
	return res, server, nil
}

// deployed compares what a live address answers with the release that was to be there.
func (a *app) deployed(ctx context.Context, c *config.Config, address string, access *crawl.Access, o auditing) (*deployed.Report, error) {
	u, err := url.Parse(address)
	if err != nil {
		return nil, usage(err)
	}
	base := o.base
	if base == "" {
		base = c.Base
	}
	s, err := site.Open(o.release, base)
	if err != nil {
		return nil, usage(fmt.Errorf("--release: %w", err))
	}
	defer s.Close()
	if b := fitting.RecordedBase(s); base == "" && b != "" {
		s.Rebase(b)
	} else if base == "" {
		s.Rebase(u.EscapedPath()[:strings.LastIndexByte(u.EscapedPath(), '/')+1])
	}
	plan, err := hostingOf(ctx, c, s, false)
	if err != nil {
		return nil, err
	}
	fetch := func(ctx context.Context, urlPath string, fresh bool) (deployed.Answer, error) {
		status, header, body, err := crawl.Fetch(ctx, access, u.Scheme+"://"+u.Host+urlPath, fresh, site.MaxFile)
		return deployed.Answer{Status: status, Header: header, Body: body}, err
	}
	step, end := a.progress("Asking")
	defer end()
	r, err := deployed.Compare(ctx, fetch, s, plan, deployed.Usual, step)
	if err != nil {
		return nil, broken(err)
	}
	return r, nil
}

// shown asks a live server what only it can show.
func shown(ctx context.Context, access *crawl.Access, address string, res *crawl.Result) *audit.Live {
	l := &audit.Live{Entry: address, Headers: res.Headers, Failed: map[string]string{}}
	u, err := url.Parse(address)
	if err != nil {
		return l
	}
	host := u.Hostname()
	ip := net.ParseIP(host)
	l.Secure = u.Scheme == "https" || host == "localhost" || strings.HasSuffix(host, ".localhost") || ip != nil && ip.IsLoopback()
	for _, f := range res.Report.Failed {
		l.Failed[f.URL] = f.Why
	}
	l.MissingStatus, _ = crawl.Ask(ctx, access, u.Scheme+"://"+u.Host+"/tachyform-asks-for-what-cannot-be-there.css")
	if u.Scheme == "https" && u.Port() == "" {
		plain := "http://" + u.Host + "/"
		if status, to := crawl.Ask(ctx, access, plain); to != "" {
			l.Insecure = to
		} else if status > 0 {
			l.Insecure = plain
		}
	}
	return l
}

// options reads what is configured and asked for.
func (o auditing) options(c *config.Config) (opts audit.Options, earlier *audit.Report, err error) {
	switch o.failOn {
	case "blocker", "warning", "advice", "never":
	default:
		return opts, nil, fmt.Errorf("--fail-on %s: it is one of blocker, warning, advice, never", o.failOn)
	}
	opts = audit.Options{Platforms: c.Audit.Platforms, Only: o.only, Skip: map[string]string{}, Levels: map[string]audit.Level{}}
	if opts.Ceiling, err = c.Ceiling(); err != nil {
		return opts, nil, err
	}
	names := append(append([]string{}, o.only...), o.skip...)
	for _, k := range c.Audit.Skip {
		opts.Skip[k.Check] = k.Reason
		names = append(names, k.Check)
	}
	for _, k := range o.skip {
		opts.Skip[k] = "left out on the command line"
	}
	for id, l := range c.Audit.Levels {
		opts.Levels[id] = audit.Level(l)
		names = append(names, id)
	}
	if unknown := audit.Unknown(names); len(unknown) > 0 {
		return opts, nil, fmt.Errorf("no check or area is called %s; tachyform explain lists all", strings.Join(unknown, ", "))
	}
	if o.baseline == "" {
		return opts, nil, nil
	}
	data, err := os.ReadFile(o.baseline)
	if err != nil {
		return opts, nil, fmt.Errorf("--baseline: %w", err)
	}
	earlier = &audit.Report{}
	if err := json.Unmarshal(data, earlier); err != nil {
		return opts, nil, fmt.Errorf("--baseline %s: %w", o.baseline, err)
	}
	if earlier.Format != audit.Format {
		return opts, nil, fmt.Errorf("--baseline %s: its format is %q, and not %q", o.baseline, earlier.Format, audit.Format)
	}
	return opts, earlier, nil
}
