package cli

import (
	"errors"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
)

func (a *app) retireCommand() *cobra.Command {
	var dryRun bool
	var o fitting.RetireOptions
	cmd := &cobra.Command{
		Use:   "retire [SITE]",
		Short: "Take a service worker from visitors who have it",
		Long: `Retire writes, at the address of the site's worker, one that takes its place in visitors' browsers, removes what was
stored, brings open pages to the network once, and unregisters. To take a worker's file away does not take it from
anybody: whoever has it keeps it, and with it the pages that it stored.

Workers are known by what fit wrote and by what pages register, ours or not; --worker names others, such as those of an
earlier version of the site. What waits in the outbox is sent first, and no waiting post is lost. Stores of other workers
stay, unless --clear empties all of the origin. --strip takes everything else out, too. Deploy the site, and keep the files
at their addresses until everybody has been there; fit puts a worker in their place again.`,
		Example: "  tachyform retire dist --dry-run\n  tachyform retire dist --strip\n  tachyform retire dist --worker /service-worker.js --clear",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := a.openPublic(args)
			if err != nil {
				return err
			}
			defer s.Close()
			step, end := a.progress("Reading")
			o.Progress = step
			r, err := fitting.Retire(cmd.Context(), s, o)
			end()
			if errors.Is(err, fitting.ErrNoWorker) {
				return usage(errors.New(err.Error() + "; name its address with --worker, such as --worker /sw.js"))
			}
			if err != nil {
				return fitError(err)
			}
			report := present.RetireOf(s.Dir, r, o.Everything, dryRun)
			if !dryRun {
				if err := r.Apply(cmd.Context()); err != nil {
					return broken(err)
				}
			}
			return a.emit(func(st *present.Style) error { return st.Retire(report) }, report)
		},
	}
	f := cmd.Flags()
	f.BoolVar(&dryRun, "dry-run", false, "say what would be written, and write nothing")
	f.StringSliceVar(&o.Workers, "worker", nil, "`address` of a worker that visitors may have, such as /sw.js; may be given again")
	f.BoolVar(&o.Everything, "clear", false, "empty the stores of every application of the origin, not only ours of this site")
	f.BoolVar(&o.Strip, "strip", false, "take everything else out, too, as strip does")
	return cmd
}
