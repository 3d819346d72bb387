package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/licences"
	"tachyform.dev/tachyform/internal/present"
)

func (a *app) licencesCommand() *cobra.Command {
	var all bool
	cmd := &cobra.Command{
		Use:   "licences [NAME]",
		Short: "Licences of everything that is built in",
		Long: `Licences lists what is built into the program, with version and licence; with a name it prints the text of that one,
with --all the texts of all. What fit writes into a site is yours.`,
		Example: "  tachyform licences\n  tachyform licences resvg\n  tachyform licences --all --output LICENCES.txt",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			list, err := licences.All()
			if err != nil {
				return broken(err)
			}
			if len(args) > 0 {
				if list, err = licences.Find(args[0]); err != nil {
					var names []string
					all, _ := licences.All() // it was read above
					for _, p := range all {
						names = append(names, p.Name)
					}
					return usage(fmt.Errorf("%w%s (tachyform licences lists all)", err, nearest(args[0], names)))
				}
			}
			v := present.LicencesOf(list, all || len(args) > 0)
			return a.emit(func(st *present.Style) error { return st.Licences(v) }, v)
		},
	}
	cmd.Flags().BoolVar(&all, "all", false, "print the texts")
	return cmd
}
