package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/config"
	"tachyform/internal/present"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/stage"
)

func (a *app) rehearseCommand() *cobra.Command {
	var base string
	var o rehearsal.Options
	var networks []string
	cmd := &cobra.Command{
		Use:   "rehearse [SITE]",
		Short: "Run the site's service worker and see every page without a network",
		Long: `Rehearse runs the service worker that the site's pages register, ours or any other, in a model of a browser: first
visit, install, activation, second visit. Then the network goes, and every page is opened. Each comes out as
  whole     the page and everything it needs
  partial   the page, with something missing
  stand-in  another document instead, such as the offline page
  lost      the browser's own error page
with the reason. Nothing is decided by reading a configuration: the worker is executed.`,
		Example: "  tachyform rehearse dist\n  tachyform rehearse dist --network offline,failing --page /timetable/\n  tachyform rehearse dist --format json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			for _, n := range networks {
				if !slices.Contains(stage.Networks, stage.Network(n)) {
					return usage(fmt.Errorf("--network %s: it is one of online, offline, slow, failing, portal", n))
				}
				o.Networks = append(o.Networks, stage.Network(n))
			}
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			step, end := a.progress("Rehearsing")
			o.Progress = step
			r, _, err := rehearse(cmd.Context(), c, s, o)
			end()
			if err != nil {
				return err
			}
			return a.emit(func(st *present.Style) error { return st.Rehearsal(r) }, r)
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringArrayVar(&o.Visits, "visit", nil, "`URL` opened online before the network changes; repeatable (default: the start page, twice)")
	f.StringArrayVar(&o.Pages, "page", nil, "`URL` to open afterwards; repeatable (default: every page)")
	f.StringArrayVar(&o.Fetches, "fetch", nil, "`URL` that a script of the first page fetches afterwards; repeatable")
	f.StringSliceVar(&networks, "network", []string{"offline"}, "network `states`: online, offline, slow, failing, portal")
	return cmd
}

// rehearse runs a site on the embedded stage.
func rehearse(ctx context.Context, c *config.Config, s *site.Site, o rehearsal.Options) (*rehearsal.Report, *site.Server, error) {
	rules, err := c.SiteRules()
	if err != nil {
		return nil, nil, usage(err)
	}
	others, err := c.Origins()
	if err != nil {
		return nil, nil, usage(err)
	}
	for _, list := range [][]string{o.Visits, o.Pages, o.Fetches} {
		for i, u := range list {
			if !strings.HasPrefix(u, "/") && !strings.Contains(u, "://") {
				list[i] = "/" + u
			}
		}
	}
	server := site.NewServer(s, rules)
	st := rehearsal.NewEmbedded(server, others, stage.Limits{})
	defer st.Close()
	r, err := rehearsal.Run(ctx, st, server, o)
	if err != nil {
		if errors.Is(err, site.ErrNoPages) {
			return nil, nil, usage(err)
		}
		return nil, nil, broken(err)
	}
	return r, server, nil
}
