package cli

import (
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/demo"
	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
	"tachyform.dev/tachyform/internal/site"
)

func (a *app) demoCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Write a demo site and run everything on it",
		Long: `Demo writes the site of Skerry Line, a made-up island ferry company, into DIR (default: demo-site), fits it, rehearses
it and audits it. A folder that is not an earlier demo is never touched.`,
		Example: "  tachyform demo\n  tachyform demo ferry",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			dir := "demo-site"
			if len(args) > 0 {
				dir = args[0]
			}
			if a.format != "text" {
				return usage(errors.New("demo prints text only"))
			}
			files, err := demo.Write(dir)
			if err != nil {
				return usage(err)
			}
			st := present.New(a.out, a.color(a.out))
			st.Within = true
			say := func(f func() error) error {
				if a.quiet {
					return nil
				}
				return f()
			}
			c := &config.Config{}
			s, err := site.Open(dir, "")
			if err != nil {
				return broken(err)
			}
			defer s.Close()
			if err := say(func() error { return st.Heading(fmt.Sprintf("Wrote %d files of a demo site to %s", files, dir)) }); err != nil {
				return err
			}
			plan, err := fitting.Make(cmd.Context(), s, c, fitting.Options{Applications: a.work(c).Applications(s)})
			if err != nil {
				return broken(err)
			}
			if err := plan.Apply(cmd.Context(), nil); err != nil {
				return broken(err)
			}
			if err := say(func() error { return st.Fit(plan, false) }); err != nil {
				return err
			}
			if err := s.Rescan(); err != nil {
				return broken(err)
			}
			r, _, err := a.work(c).Rehearse(cmd.Context(), s, run.Rehearsal{Named: []string{"none"}})
			if err != nil {
				return runError(err)
			}
			if err := say(func() error { st.Rule(); return st.Rehearsal(r) }); err != nil {
				return err
			}
			report, _, err := a.work(c).AuditFolder(cmd.Context(), s, audit.Options{}, "read")
			if err != nil {
				return runError(err)
			}
			return say(func() error {
				st.Rule()
				if err := st.Audit(report); err != nil {
					return err
				}
				return st.Next("less "+dir+"/sw.js", "the worker that was written, with its rules",
					"tachyform fit "+shell.Quote(dir), "a second run changes nothing",
					"tachyform rehearse "+shell.Quote(dir)+" --network offline,failing", "the same pages when the server is down",
					"tachyform fit YOUR-SITE --dry-run", "what it would do to your own site")
			})
		},
	}
}
