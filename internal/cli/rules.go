package cli

import (
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/worker"
)

func (a *app) rulesCommand() *cobra.Command {
	var base, method, as string
	var live bool
	var reach reaching
	cmd := &cobra.Command{
		Use:   "rules [SITE] [URL...]",
		Short: "See which address is answered how, fresh or stored, and what it weighs",
		Long: `Rules shows how the worker that "fit" would write answers a site: by which rule or list, what visitors get with and
without a network, and what the first visit and later ones store. Nothing is written.

With URLs it explains the answer to each: which rule decides and which were passed over, and what comes of it online, on
a slow network, from a failing server, and offline.`,
		Example: "  tachyform rules dist\n  tachyform rules dist /api/departures.json /photos/pier.jpg\n  tachyform rules dist /api/bookings --method POST",
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			var urls []string
			args, urls = siteFirst(args)
			if as != "" && !slices.Contains(worker.Destinations, as) {
				return usage(fmt.Errorf("--as %s: it is one of %s", as, strings.Join(worker.Destinations, ", ")))
			}
			if live {
				if c, err := a.checked(args); err == nil && !isRendered(args, c) {
					return usage(errLive)
				}
			}
			w, err := a.openWhole(cmd.Context(), args, base, live, &reach)
			if err != nil {
				return err
			}
			defer w.close()
			c, s := w.config, w.site
			step, end := a.progress("Reading")
			plan, err := fitting.Make(cmd.Context(), s, c, fitting.Options{Progress: step, RulesOnly: true, Served: w.served, Applications: a.work(c).Applications(s)})
			end()
			if err != nil {
				return fitError(err)
			}
			if plan.Caching == nil {
				return usage(fmt.Errorf("%s: the site has a worker of its own (%s), and fit would write none; \"tachyform rehearse\" shows what that one does, [worker] beside or --replace-worker of fit make room for ours", s.Dir, plan.Foreign.URL))
			}
			table, err := plan.Answers(urls, strings.ToUpper(method), as)
			if err != nil {
				return usage(err)
			}
			return a.emit(func(st *present.Style) error { return st.Rules(table, plan) }, table)
		},
	}
	cmd.Flags().StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	cmd.Flags().BoolVar(&live, "live", false, liveFlag)
	reach.flags(cmd.Flags())
	cmd.Flags().StringVar(&method, "method", "", "`method` of the requests for URL (default GET)")
	cmd.Flags().StringVar(&as, "as", "", "request `destination` of URL, such as image or empty (default: by what it is)")
	return cmd
}

// siteFirst parts the arguments into the site's folder, if one is named, and URLs. Both can begin with a slash: what is a
// folder is the site.
func siteFirst(args []string) (dir, urls []string) {
	if len(args) == 0 {
		return nil, nil
	}
	info, err := os.Stat(args[0])
	if strings.HasPrefix(args[0], "/") && (args[0] == "/" || err != nil || !info.IsDir()) || run.IsAddress(args[0]) {
		return nil, args
	}
	return args[:1], args[1:]
}
