package cli

import (
	"context"
	"errors"
	"fmt"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/chromium"
	"tachyform/internal/compare"
	"tachyform/internal/config"
	"tachyform/internal/finding"
	"tachyform/internal/present"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/stage"
	"tachyform/internal/survey"
)

// comparing is what is asked of a comparison.
type comparing struct {
	compare.Options
	base, failOn, stage, scripts string
	reach                        reaching
}

func (a *app) compareCommand() *cobra.Command {
	var o comparing
	cmd := &cobra.Command{
		Use:   "compare OLD NEW...",
		Short: "See what visitors who were there before get of the next release",
		Long: `Compare lets visitors who know one release meet the next, in a model of a browser that runs both workers: with one tab,
with two, with a tab left open for days. It says at which visit they see the release, what they download until then and how
long that takes, which pages they can get in parts of both, and what else a release can break: a worker that does not notice
it, files that are gone while pages are open that ask for them, other bytes under a name that promises to keep them, stores
and workers that stay behind, a manifest that browsers take for another app.

Releases are folders or live addresses, in the order in which they come; any worker will do. Of workers that fit wrote it
also says what each [update] takeover would bring. With more than two, visitors are among them who skip one, who meet all,
and who get the first again after the last. Pages are looked at on a sample, half of it pages that have changed (--sample).
The exit status is 1 when something at or above --fail-on was found.

Formats: text, json, markdown for a pull request.`,
		Example: "  tachyform compare dist dist-new\n  tachyform compare dist dist-new --format markdown --output release.md\n  tachyform compare https://skerry-line.example/ dist-new --fail-on warning\n  tachyform compare dist dist-new dist",
		Args:    cobra.MinimumNArgs(2),
		RunE: func(cmd *cobra.Command, args []string) error {
			a.formats = []string{"markdown"}
			if err := a.checkFormat(); err != nil {
				return err
			}
			switch {
			case !slices.Contains([]string{"blocker", "warning", "advice", "never"}, o.failOn):
				return usage(fmt.Errorf("--fail-on %s: it is one of blocker, warning, advice, never", o.failOn))
			case o.stage != "embedded" && o.stage != "chromium":
				return usage(fmt.Errorf("--stage %s: it is embedded or chromium", o.stage))
			case o.scripts != "run" && o.scripts != "read":
				return usage(fmt.Errorf("--scripts %s: it is run or read", o.scripts))
			case o.Sample < 0:
				return usage(fmt.Errorf("--sample %d: it is a number of pages", o.Sample))
			}
			r, err := a.compare(cmd.Context(), args, o)
			if err != nil {
				return err
			}
			if err := a.emit(func(st *present.Style) error { return st.Comparison(a.format, r) }, r); err != nil {
				return err
			}
			if worst := r.Worst(); o.failOn != "never" && worst != "" && worst.AtLeast(finding.Level(o.failOn)) {
				return &exit{code: ExitFound}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&o.failOn, "fail-on", "blocker", "lowest `level` that makes the exit status 1: blocker, warning, advice, or never")
	f.IntVar(&o.Sample, "sample", 40, "of how many `pages` it is seen what visitors get")
	f.StringArrayVar(&o.Pages, "page", nil, "`URL` of a page that is looked at, in place of a sample; repeatable")
	f.StringVar(&o.scripts, "scripts", "read", "run the scripts of pages, or read them for what they ask for")
	f.StringVar(&o.stage, "stage", "embedded", "`stage`: embedded (ours) or chromium (a real one)")
	o.reach.flags(f)
	return cmd
}

func (a *app) compare(ctx context.Context, args []string, o comparing) (*compare.Report, error) {
	folder := slices.DeleteFunc(slices.Clone(args), isAddress)
	if len(folder) == len(args) {
		if err := o.reach.folder(); err != nil {
			return nil, err
		}
	}
	c, err := a.configuration(folder[max(len(folder)-1, 0):])
	if err != nil {
		return nil, err
	}
	if o.base != "" {
		c.Base = o.base
	}
	others, err := c.Origins()
	if err != nil {
		return nil, usage(err)
	}
	var servers []*site.Server
	origins := []string{}
	for _, arg := range args {
		if isAddress(arg) {
			access, err := a.access(arg, &o.reach)
			if err != nil {
				return nil, err
			}
			res, server, err := a.live(ctx, c, arg, access)
			if err != nil {
				return nil, err
			}
			defer res.Close()
			servers = append(servers, server)
			origins = append(origins, res.Site.Origin)
			continue
		}
		_, s, err := a.open([]string{arg}, c.Base)
		if err != nil {
			return nil, err
		}
		defer s.Close()
		server, err := serverOf(ctx, c, s)
		if err != nil {
			return nil, err
		}
		servers = append(servers, server)
	}
	if slices.Sort(origins); len(slices.Compact(origins)) > 1 && !a.quiet {
		fmt.Fprintf(a.err, "%s are taken for one and the same origin, to which the releases come one after the other\n", strings.Join(origins, " and "))
	}
	debug.SetMemoryLimit(rehearsalMemory)
	debug.SetGCPercent(400)
	o.Options.Scripts = o.scripts == "run"
	for i, u := range o.Pages {
		if !strings.HasPrefix(u, "/") && !isAddress(u) {
			o.Pages[i] = "/" + u
		}
	}
	o.Start = func(s *site.Server) (rehearsal.Stage, func(), error) {
		st := rehearsal.NewEmbedded(s, others, stage.Limits{})
		return st, st.Close, nil
	}
	if o.stage == "chromium" {
		o.Start = func(s *site.Server) (rehearsal.Stage, func(), error) { return inChromium(ctx, s) }
	}
	o.Lazy = a.lazy
	var end func()
	o.Progress, end = a.progress("Comparing")
	r, err := compare.Run(ctx, servers, o.Options)
	end()
	switch {
	case errors.Is(err, compare.ErrOne), errors.Is(err, chromium.ErrMissing), errors.Is(err, site.ErrNoPages):
		return nil, usage(err)
	case err != nil:
		return nil, broken(err)
	}
	return r, nil
}

// serverOf gives a server that answers for a folder as the configuration says, routes of applications included.
func serverOf(ctx context.Context, c *config.Config, s *site.Site) (*site.Server, error) {
	rules, err := c.SiteRules()
	if err != nil {
		return nil, usage(err)
	}
	o := rehearsing{}
	if rules.Routes, err = o.routes(ctx, c, s, rules.Fallback); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(rules.Routes, func(r site.RouteRule) bool { return r.Folder == s.Base }) {
		rules.Fallback = ""
	}
	return site.NewServer(s, rules), nil
}

// lazy gives which files of a release open pages may ask for after they were loaded: those that anything of it names.
func (a *app) lazy(ctx context.Context, s *site.Site, gone []string) ([]string, error) {
	if len(s.Pages()) > manyPages {
		if !a.quiet {
			fmt.Fprintf(a.err, "%s has %d pages: it was not looked for what open pages ask for later\n", s.Dir, len(s.Pages()))
		}
		return nil, nil
	}
	inv, err := survey.Take(ctx, s, survey.Options{})
	if err != nil {
		return nil, err
	}
	wanted, known, err := inv.Wanted(ctx, func(string) bool { return false })
	if err != nil || !known {
		return nil, err
	}
	return slices.DeleteFunc(gone, func(u string) bool { return !wanted[u] }), nil
}
