package cli

import (
	"context"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
)

// comparing is what is asked of a comparison.
type comparing struct {
	run.Comparison
	base, failOn, scripts string
	reach                 reaching
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
			case o.On != "embedded" && o.On != "chromium":
				return usage(fmt.Errorf("--stage %s: it is embedded or chromium", o.On))
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
	f.StringVar(&o.On, "stage", "embedded", "`stage`: embedded (ours) or chromium (a real one)")
	o.reach.flags(f)
	return cmd
}

func (a *app) compare(ctx context.Context, args []string, o comparing) (*compare.Report, error) {
	folder := slices.DeleteFunc(slices.Clone(args), run.IsAddress)
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
	o.Options.Scripts = o.scripts == "run"
	o.Access = func(address string) (*crawl.Access, error) { return a.access(address, &o.reach) }
	r, err := a.work(c).Compare(ctx, args, o.Comparison)
	return r, runError(err)
}
