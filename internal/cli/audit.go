package cli

import (
	"fmt"

	"github.com/spf13/cobra"

	"tachyform/internal/audit"
	"tachyform/internal/present"
	"tachyform/internal/rehearsal"
)

func (a *app) auditCommand() *cobra.Command {
	var base, failOn string
	cmd := &cobra.Command{
		Use:   "audit [SITE]",
		Short: "Check whether a site can be installed and works offline, and say why not",
		Long: `Audit checks what makes a site installable or not, rehearses every page without a network, and gives a verdict for
each platform. Every finding says why it matters, where it is and what to do. The exit status is 1 when something
at or above --fail-on was found, which makes it a gate for CI.`,
		Example: "  tachyform audit dist\n  tachyform audit dist --fail-on warning\n  tachyform audit dist --format json --output audit.json",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			c, s, err := a.open(args, base)
			if err != nil {
				return err
			}
			defer s.Close()
			if !cmd.Flags().Changed("fail-on") && c.Audit.FailOn != "" {
				failOn = c.Audit.FailOn
			}
			switch failOn {
			case "blocker", "warning", "advice", "never":
			default:
				return usage(fmt.Errorf("--fail-on %s: it is one of blocker, warning, advice, never", failOn))
			}
			step, end := a.progress("Rehearsing")
			r, server, err := rehearse(cmd.Context(), c, s, rehearsing{Options: rehearsal.Options{Progress: step}, stories: []string{"none"}})
			end()
			if err != nil {
				return err
			}
			report, err := audit.Run(cmd.Context(), server, r, c.Audit.Platforms)
			if err != nil {
				return broken(err)
			}
			if err := a.emit(func(st *present.Style) error { return st.Audit(report) }, report); err != nil {
				return err
			}
			if worst := report.Worst(); failOn != "never" && worst != "" && worst.AtLeast(audit.Level(failOn)) {
				return &exit{code: ExitFound}
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&failOn, "fail-on", "blocker", "lowest `level` that makes the exit status 1: blocker, warning, advice, or never")
	return cmd
}
