package cli

import (
	"fmt"
	"strings"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/compare"
	"tachyform/internal/finding"
	"tachyform/internal/present"
)

func (a *app) explainCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "explain [CHECK]",
		Short: "Say what a check means, and how to mend what it finds",
		Long: `Explain says of one check, of audit or compare, why it matters to visitors, how to mend what it finds, on which platforms it
decides about installing, and which text it follows. Without a name it lists all checks.`,
		Example: "  tachyform explain\n  tachyform explain icons/unusable",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(_ *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			checks := append(audit.About(), compare.Checks()...)
			if len(args) > 0 {
				var found, names []finding.Check
				for _, c := range checks {
					switch {
					case c.ID == args[0]:
						found = append(found, c)
					case strings.Contains(c.ID, strings.Trim(args[0], "/")):
						names = append(names, c)
					}
				}
				if len(found) == 0 {
					return usage(fmt.Errorf("no check is called %q%s; tachyform explain lists all", args[0], like(names)))
				}
				checks = found
			}
			report := present.ChecksOf(checks)
			return a.emit(func(st *present.Style) error { return st.Checks(report, len(args) > 0) }, report)
		},
	}
}

// like names checks that may have been meant.
func like(checks []finding.Check) string {
	if len(checks) == 0 {
		return ""
	}
	var ids []string
	for _, c := range checks {
		ids = append(ids, c.ID)
	}
	return " (do you mean " + strings.Join(ids, ", ") + "?)"
}
