package cli

import (
	"fmt"
	"io"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/present"
)

func (a *app) schemaCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "schema [NAME]",
		Short: "Describe what --format json prints, as JSON Schema",
		Long: `Schema prints the JSON Schema (draft 2020-12) of what a command prints with --format json, for programs that read it.
Within a version fields may be added and are never renamed or taken away. Without a name it lists what there is.

schema config prints that of tachyform.toml (draft 7), for editors: with the first line "#:schema tachyform.schema.json" an
editor of TOML completes its keys and says what each means. draft --schema writes both.`,
		Example: "  tachyform schema\n  tachyform schema audit\n  tachyform schema config --output tachyform.schema.json\n  tachyform schema rehearsal --output rehearsal.schema.json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if len(args) == 0 {
				list := present.Schemas()
				return a.emit(func(st *present.Style) error { return st.Schemas(list) }, list)
			}
			data, ok := present.Schema(args[0])
			if args[0] == "config" {
				data, ok = config.Schema(), true
			}
			if !ok {
				names := []string{"config"}
				for _, i := range present.Schemas().Schemas {
					names = append(names, i.Name)
				}
				return usage(fmt.Errorf("no form of output is called %q; there are %s", args[0], strings.Join(names, ", ")))
			}
			return a.write(func(w io.Writer) error { _, err := w.Write(data); return err })
		},
	}
}
