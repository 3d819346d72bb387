package cli

import (
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/routes"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

func (a *app) surveyCommand() *cobra.Command {
	var base, scripts string
	var reach reaching
	limits := crawl.Usual
	cmd := &cobra.Command{
		Use:   "survey [SITE]",
		Short: "See what a site has, what its pages need, and what is missing",
		Long: `Survey reads SITE, a folder or a live address, and changes nothing. It shows pages and files with their weight,
references that lead nowhere, what comes from other origins, endpoints and forms, pages that look personal, and the
manifest and worker that are there already; and it says what to do next. Pages that may be applications are run, in our
model of a browser and without a network, to find the addresses that they answer by themselves, and the data they ask for.

A live address is read politely: only its own origin, only pages below the folder of the address, a few requests at a
time, as its robots.txt asks, and within limits. What was left out is said. Of an application, what its pages ask for by
GET is asked for, too; --scripts read leaves that out.`,
		Example: "  tachyform survey dist\n  tachyform survey dist --format json\n  tachyform survey https://skerry-line.example/ --pages 50",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if len(args) > 0 && run.IsAddress(args[0]) {
				var err error
				if limits.Access, err = a.access(args[0], &reach); err != nil {
					return err
				}
				return a.surveyAddress(cmd.Context(), args[0], limits, scripts, false)
			}
			if c, err := a.configuration(args); err == nil && isRendered(args, c) {
				reach.Mine = true
				if limits.Access, err = a.access(c.Address, &reach); err != nil {
					return err
				}
				return a.surveyAddress(cmd.Context(), c.Address, limits, scripts, true)
			}
			if err := reach.folder(); err != nil {
				return err
			}
			if scripts != "run" && scripts != "read" {
				return usage(fmt.Errorf("--scripts %q: it is run or read", scripts))
			}
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			step, end := a.progress("Reading")
			inv, err := survey.Take(cmd.Context(), s, survey.Options{Progress: step})
			end()
			if err != nil {
				return fitError(err)
			}
			var remarks []string
			if scripts == "run" {
				if inv.Applications, remarks, err = a.work(c).Applications(s)(cmd.Context(), inv); err != nil {
					return fitError(err)
				}
			}
			sum := inv.Summarize()
			sum.NotFound = append(sum.NotFound, remarks...)
			return a.emit(func(st *present.Style) error { return st.Survey(sum, nil) }, sum)
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&scripts, "scripts", "run", "run the scripts of pages that may be applications, to find their routes and what they ask for, or only read them")
	f.IntVar(&limits.Pages, "pages", limits.Pages, "of a live address: `pages` to read at most")
	f.IntVar(&limits.Depth, "depth", limits.Depth, "of a live address: links to follow from the first page at most")
	f.DurationVar(&limits.Time, "time", limits.Time, "of a live address: how long to read at most")
	f.IntVar(&limits.Parallel, "parallel", limits.Parallel, "of a live address: requests at once, 1 to 16")
	reach.flags(f)
	return cmd
}

// surveyed is a survey of a live address with what it took to read it.
type surveyed struct {
	*survey.Summary
	Crawl *crawl.Report `json:"crawl"`
}

func (a *app) surveyAddress(ctx context.Context, address string, limits crawl.Limits, scripts string, ours bool) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	if limits.Pages < 1 || limits.Depth < 0 || limits.Time < time.Second || limits.Parallel < 1 || limits.Parallel > 16 {
		return usage(errors.New("--pages is 1 or more, --depth 0 or more, --time a second or more, --parallel 1 to 16"))
	}
	step, end := a.progress("Fetching")
	defer end()
	res, err := crawl.Take(ctx, address, limits, step)
	if err != nil {
		return fitError(err)
	}
	defer res.Close()
	inv, err := res.Survey(ctx, survey.Options{})
	if err != nil {
		return fitError(err)
	}
	end()
	var remarks []string
	if scripts == "run" {
		server := site.NewServer(res.Site, site.Rules{})
		server.Beyond = res.Beyond(ctx)
		run, done := a.progress("Running")
		found, err := routes.Find(ctx, server, nil, inv, routes.Options{Progress: run})
		done()
		if err != nil {
			return fitError(err)
		}
		inv.Applications, remarks = found.Applications, found.Remarks
	}
	inv.Ours = ours
	sum := inv.Summarize()
	sum.NotFound = append(sum.NotFound, remarks...)
	return a.emit(func(st *present.Style) error { return st.Survey(sum, res.Report) }, surveyed{sum, res.Report})
}
