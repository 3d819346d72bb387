package cli

import (
	"github.com/spf13/cobra"

	"tachyform/internal/present"
	"tachyform/internal/survey"
)

func (a *app) surveyCommand() *cobra.Command {
	var base string
	cmd := &cobra.Command{
		Use:   "survey [SITE]",
		Short: "See what a site has, what its pages need, and what is missing",
		Long: `Survey reads the folder SITE and changes nothing. It shows pages and files with their weight, references that lead
nowhere, what comes from other origins, endpoints and forms, pages that look personal, and the manifest and worker
that are there already; and it says what to do next.`,
		Example: "  tachyform survey dist\n  tachyform survey dist --format json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			_, s, err := a.open(args, base)
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
			sum := inv.Summarize()
			return a.emit(func(st *present.Style) error { return st.Survey(sum) }, sum)
		},
	}
	cmd.Flags().StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	return cmd
}
