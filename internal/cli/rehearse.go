package cli

import (
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/stage"
)

func (a *app) rehearseCommand() *cobra.Command {
	var base, shard string
	var o run.Rehearsal
	var detail []string
	var pics pictured
	var networks []string
	var live bool
	var reach reaching
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
			if !slices.Contains([]string{"embedded", "chromium", "both", "auto"}, o.On) {
				return usage(fmt.Errorf("--stage %s: it is one of embedded, chromium, both, auto", o.On))
			}
			if len(o.Traces) > 0 && o.On == "chromium" {
				return usage(errors.New("--trace follows a request on the embedded stage; a browser does not tell what its worker does"))
			}
			if o.How != "" && o.How != "run" && o.How != "read" {
				return usage(fmt.Errorf("--scripts %s: it is run or read", o.How))
			}
			if o.Sample < 0 {
				return usage(errors.New("--sample says how many pages, from 1"))
			}
			if o.Sample > 0 && len(o.Pages) > 0 {
				return usage(errors.New("--sample chooses pages, and --page names them: one of both"))
			}
			if shard != "" {
				var err error
				if o.Share, err = rehearsal.ParseShare(shard); err != nil {
					return usage(fmt.Errorf("--shard: %w", err))
				}
				if len(o.Pages) > 0 || o.On != "embedded" || o.NextDir != "" {
					return usage(errors.New("--shard opens a part of all pages on the embedded stage, and tells no stories: --page, --stage and --next are not for it"))
				}
			}
			if err := pics.check(); err != nil {
				return err
			}
			o.Detail = map[string]bool{}
			for _, d := range detail {
				if d != "text" && d != "requests" && d != "errors" {
					return usage(fmt.Errorf("--detail %s: it is one of text, requests, errors", d))
				}
				o.Detail[d] = true
			}
			c, s, err := a.openSeen(cmd.Context(), args, base, live, &reach, &o.Served)
			if err != nil {
				return err
			}
			defer s.Close()
			if o.Served != nil && o.NextDir != "" {
				return usage(errors.New("--next names a folder of finished pages; the pages of this site come from a server: compare shows what visitors get of two snapshots"))
			}
			step, end := a.progress("Rehearsing")
			o.Progress = step
			r, server, err := a.work(c).Rehearse(cmd.Context(), s, o)
			end()
			if err != nil {
				return runError(err)
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
	f.IntVar(&o.Sample, "sample", 0, "open `N` pages, spread over folders and templates, the same ones every time (default: all)")
	f.StringVar(&shard, "shard", "", "open the `I/N`-th part of the pages and tell no stories, so that N machines share the work; for a gate of all parts: audit --shard")
	f.StringArrayVar(&o.Fetches, "fetch", nil, "`URL` that a script of the first page fetches afterwards; repeatable")
	f.StringSliceVar(&networks, "network", []string{"offline"}, "network `states`: online, offline, slow, failing, portal")
	f.BoolVar(&o.Stores, "stores", false, "list what is stored after the visits: every answer with its type, size, age, and who put it there")
	f.StringArrayVar(&o.Traces, "trace", nil, "`URL` whose request is followed step by step; repeatable")
	f.StringVar(&o.NextDir, "next", "", "`folder` of the release that replaces SITE, for stories of visitors who come back")
	f.StringVar(&o.On, "stage", "embedded", "`stage`: embedded (ours), chromium (a real one), both, or auto: ours, and chromium for pages that need what ours lacks")
	f.StringVar(&o.How, "scripts", "", "run the scripts of pages, or read them for what they ask for (default run; read for more than 120 pages)")
	f.StringSliceVar(&detail, "detail", nil, "`details` of every page in --format json: text, requests, errors")
	f.BoolVar(&live, "live", false, liveFlag)
	reach.flags(f)
	pics.flags(f)
	f.StringArrayVar(&o.Named, "story", nil, "`name` of a story to tell, or none; repeatable (default: all)")
	return cmd
}
