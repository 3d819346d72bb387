package cli

import (
	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
)

func (a *app) stripCommand() *cobra.Command {
	var dryRun bool
	cmd := &cobra.Command{
		Use:   "strip [SITE]",
		Short: "Take everything out again, byte for byte",
		Long: `Strip takes out what fit put in: the marked lines of every page, and the files that fit wrote. Files of the site's own
that fit completed or replaced are restored. What somebody changed since is kept and named.`,
		Example: "  tachyform strip dist --dry-run\n  tachyform strip dist",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			s, err := a.openPublic(args)
			if err != nil {
				return err
			}
			defer s.Close()
			step, end := a.progress("Reading")
			r, err := fitting.Unfit(cmd.Context(), s, step)
			end()
			if err != nil {
				return fitError(err)
			}
			if !dryRun && !r.Nothing() {
				step, end := a.progress("Writing")
				err := r.Apply(cmd.Context(), step)
				end()
				if err != nil {
					return broken(err)
				}
			}
			return a.emit(func(st *present.Style) error { return st.Strip(s.Dir, r, dryRun) }, present.StripOf(s.Dir, r, dryRun))
		},
	}
	cmd.Flags().BoolVar(&dryRun, "dry-run", false, "say what would be taken out, and write nothing")
	return cmd
}
