package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

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
	var serves bool
	cmd := &cobra.Command{
		Use:   "demo [DIR]",
		Short: "Write a demo site and run everything on it",
		Long: `Demo writes the site of Skerry Line, a made-up island ferry company, into DIR (default: demo-site), its next release
into DIR-next, and the configuration of both into DIR.toml. It fits both, rehearses the first, tells its stories and
audits it. With --serve it is served then, to be tried in a browser, and the next release with it. A folder that is
not an earlier demo is never touched, and a configuration that is there is kept.`,
		Example: "  tachyform demo\n  tachyform demo ferry --serve",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			dir := "demo-site"
			if len(args) > 0 {
				dir = args[0]
			}
			if a.format != "text" {
				return usage(errors.New("demo prints text only"))
			}
			if a.place != "" {
				return usage(errors.New("--place: the demo has one place"))
			}
			dir = filepath.Clean(dir)
			if b := filepath.Base(dir); b == "." || b == ".." || b == string(filepath.Separator) {
				return usage(fmt.Errorf("%s: name a folder to be made; the demo's next release and its configuration lie beside it", dir))
			}
			next := dir + "-next"
			for _, d := range []string{dir, next} { // both, before anything is written
				if err := demo.Writable(d); err != nil {
					return usage(err)
				}
			}
			if a.config == "" {
				a.config = dir + ".toml"
				if _, err := os.Stat(a.config); errors.Is(err, fs.ErrNotExist) {
					if err := os.WriteFile(a.config, demo.Settings(filepath.Base(dir)), 0o644); err != nil {
						return usage(err)
					}
				}
			}
			c, err := config.Read(a.config)
			if err != nil {
				return usage(err)
			}
			files, err := demo.Write(dir)
			if err != nil {
				return broken(err)
			}
			if _, err := demo.WriteNext(next); err != nil {
				return broken(err)
			}
			st := present.New(a.out, a.color(a.out))
			st.Within = true
			say := func(f func() error) error {
				if a.quiet {
					return nil
				}
				return f()
			}
			s, err := site.Open(dir, "")
			if err != nil {
				return broken(err)
			}
			defer s.Close()
			if err := say(func() error {
				return st.Heading(fmt.Sprintf("Wrote %d files of a demo site to %s, its next release to %s, and how it is fitted to %s", files, dir, next, a.config))
			}); err != nil {
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
			if err := a.fitNext(cmd.Context(), c, next); err != nil {
				return err
			}
			r, _, err := a.work(c).Rehearse(cmd.Context(), s, run.Rehearsal{})
			if err != nil {
				return runError(err)
			}
			if err := say(func() error { st.Rule(); return st.Rehearsal(r) }); err != nil {
				return err
			}
			report, _, err := a.work(c).AuditFolder(cmd.Context(), s, audit.Options{}, "read", nil)
			if err != nil {
				return runError(err)
			}
			err = say(func() error {
				st.Rule()
				if err := st.Audit(report); err != nil {
					return err
				}
				if serves {
					st.Rule()
					return nil
				}
				st.Also = a.also()
				return st.Next("tachyform serve --next "+shell.Quote(next), "try it in a browser: go offline, bring the next release",
					"tachyform compare "+shell.Quote(dir)+" "+shell.Quote(next), "what visitors get of the next release",
					"tachyform rules", "which address is answered how",
					"tachyform fit", "a second run changes nothing",
					"tachyform rehearse --network failing", "the same pages when the server is down",
					"less "+dir+"/sw.js", "the worker that was written, with its rules",
					"tachyform fit YOUR-SITE --dry-run", "what it would do to your own site")
			})
			if err != nil || !serves {
				return err
			}
			return a.serve(cmd.Context(), []string{dir}, serving{address: "127.0.0.1", port: defaultPort, next: []string{next}, state: "online", mode: "real", moded: true})
		},
	}
	cmd.Flags().BoolVar(&serves, "serve", false, "serve the demo afterwards, and its next release, to be tried in a browser")
	return cmd
}

// fitNext fits the next release of the demo.
func (a *app) fitNext(ctx context.Context, c *config.Config, dir string) error {
	s, err := site.Open(dir, "")
	if err != nil {
		return broken(err)
	}
	defer s.Close()
	plan, err := fitting.Make(ctx, s, c, fitting.Options{Applications: a.work(c).Applications(s)})
	if err != nil {
		return broken(err)
	}
	if err := plan.Apply(ctx, nil); err != nil {
		return broken(err)
	}
	return nil
}
