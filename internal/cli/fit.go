package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
)

func (a *app) fitCommand() *cobra.Command {
	var base, out, master, name, shortName, theme, background string
	var layout, snippet string
	var dryRun, urgent, replace, shots, anyway bool
	var reach reaching
	cmd := &cobra.Command{
		Use:   "fit [SITE]",
		Short: "Put manifest, icons, page tags and service worker into a site",
		Long: `Fit makes the folder SITE an installable web app that works offline. It draws the icons from the site's own mark,
writes a manifest, a service worker, the script that registers it and an offline page, and inserts the tags into
every page. Pages are edited by inserting marked lines and nothing else. Without a configuration good values are
taken from the pages; the summary says which, and where they came from. A second run changes nothing.

Of a site whose pages a server makes (address and public in tachyform.toml; tachyform draft writes them), files go into the
public folder and the tags into the one template that all pages share (--layout), or into a file (--snippet); then the
server is asked whether it sends all of it.`,
		Example: "  tachyform fit dist\n  tachyform fit dist --dry-run\n  tachyform fit dist --out fitted --name \"Skerry Line\" --theme-color \"#0b4f6c\"",
		Args:    cobra.MaximumNArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if info, err := os.Stat(a.output); a.output != "" && out == "" && (err == nil && info.IsDir() || err != nil && filepath.Ext(a.output) == "") {
				return usage(fmt.Errorf("--output %s is a file for the summary, and SITE itself would be changed: --out %s fits a copy there; a summary wants a name with an extension, such as %s.txt", a.output, a.output, a.output))
			}
			w, err := a.openWhole(cmd.Context(), args, base, true, &reach)
			if err != nil {
				return err
			}
			defer func() { w.close() }()
			c, s := w.config, w.site
			if err := layoutFlags(w, layout, snippet, out, dryRun); err != nil {
				return err
			}
			if _, err := os.Stat(master); master != "" && err == nil { // a flag is relative to where one stands
				if master, err = filepath.Abs(master); err != nil {
					return usage(err)
				}
			}
			override(c, name, shortName, theme, background, master)
			for flag, v := range map[string]string{"--theme-color": theme, "--background-color": background} {
				if _, ok := csscolor.Parse(v); v != "" && !ok {
					return usage(fmt.Errorf("%s %q is no colour by CSS syntax", flag, v))
				}
			}
			if out != "" {
				s.Record = "" // it is the copy's
			}
			if out != "" && !dryRun {
				copied, err := fitting.Copy(s, out, c.RecordFolder())
				if err != nil {
					return usage(err)
				}
				s.Close()
				s, w.site = copied, copied
			}
			opts := fitting.Options{ReplaceWorker: replace, Anyway: anyway, Urgent: urgent, Served: w.served}
			if shots {
				if opts.Screenshots, err = run.Screenshots(cmd.Context(), s); err != nil {
					return broken(err)
				}
			}
			step, end := a.progress("Reading")
			opts.Progress = step
			opts.Applications = a.work(c).Applications(s)
			plan, err := fitting.Make(cmd.Context(), s, c, opts)
			end()
			if err != nil {
				return fitError(err)
			}
			if dryRun {
				return a.dryRun(plan)
			}
			if w.read != nil {
				return a.applyRendered(cmd.Context(), w, plan, snippet, anyway)
			}
			return a.apply(cmd.Context(), plan, "tachyform rehearse "+shell.Quote(s.Dir), "see every page without a network", "tachyform audit "+shell.Quote(s.Dir), "see whether it installs, and where")
		},
	}
	f := cmd.Flags()
	f.StringVar(&base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&out, "out", "", "fit a copy in this `folder`, which must be new or empty, and leave SITE alone")
	f.StringVar(&master, "master", "", "picture `file` the icons are made from: SVG, PNG, JPEG, WebP or GIF")
	f.StringVar(&name, "name", "", "name of the app")
	f.StringVar(&shortName, "short-name", "", "name under the icon")
	f.StringVar(&theme, "theme-color", "", "theme `colour`")
	f.StringVar(&background, "background-color", "", "background `colour` of the splash screen")
	f.BoolVar(&dryRun, "dry-run", false, "show what would change as a unified diff, and write nothing")
	f.BoolVar(&shots, "screenshots", false, "let Chromium draw the start page, narrow and wide, for the dialogue to install")
	f.BoolVar(&anyway, "anyway", false, "fit SITE also when it looks like a project's folder, or like several sites, and the layout also when the server does not send the files yet")
	f.BoolVar(&urgent, "urgent", false, "have this release take over at once, for a mistake that has to be gone: everybody gets it at the navigation after the one that finds it")
	f.StringVar(&layout, "layout", "", "of a site whose pages come from a server: the template `file` that all pages share; the tags go into it")
	f.StringVar(&snippet, "snippet", "", "of a site whose pages come from a server: `file` for the tags, to be put into the layout by hand")
	reach.flags(f)
	f.BoolVar(&replace, "replace-worker", false, "put our worker in the place of the site's own")
	return cmd
}

// apply writes a plan and says what came of it, and what to do next.
func (a *app) apply(ctx context.Context, plan *fitting.Plan, next ...string) error {
	step, end := a.progress("Writing")
	err := plan.Apply(ctx, step)
	end()
	if err != nil {
		return broken(err)
	}
	return a.emit(func(st *present.Style) error {
		if err := st.Fit(plan, false); err != nil {
			return err
		}
		return st.Next(next...)
	}, present.FitOf(plan, false))
}

// layoutFlags takes in what is said of a layout.
func layoutFlags(w *whole, layout, snippet, out string, dryRun bool) error {
	switch {
	case w.read == nil && layout+snippet != "":
		return usage(errors.New("--layout and --snippet are for a site whose pages come from a server: name it with address and public in tachyform.toml"))
	case dryRun && snippet != "":
		return usage(errors.New("--snippet writes a file, and --dry-run nothing: leave one out. The dry run shows the lines"))
	case w.read != nil && out != "":
		return usage(errors.New("--out fits a copy of a folder of finished pages; the pages of this site come from a server"))
	case layout != "":
		w.served.Layout = layout
	}
	return nil
}

// applyRendered writes a plan for a site whose pages come from a server, and asks that whether all of it is there.
func (a *app) applyRendered(ctx context.Context, w *whole, plan *fitting.Plan, snippet string, anyway bool) error {
	step, end := a.progress("Writing")
	err := plan.Apply(ctx, step)
	end()
	if err != nil {
		return broken(err)
	}
	if snippet != "" {
		if err := writeSnippet(snippet, plan.Rendered.Snippet); err != nil {
			return err
		}
	}
	seen, err := a.work(w.config).Arrive(ctx, plan, w.access, anyway)
	if err != nil {
		return broken(fmt.Errorf("everything was written, and the server could not be asked whether it sends it: %w", err))
	}
	result := present.FitOf(plan, false)
	result.Arrived = present.ArrivedOf(seen)
	return a.emit(func(st *present.Style) error {
		if err := st.Fit(plan, false); err != nil {
			return err
		}
		if err := st.Arrived(plan, seen, w.config.PublicFolder(), w.config.SnapshotFolder()); err != nil {
			return err
		}
		return st.Next("tachyform rehearse", "see every page without a network", "tachyform audit", "see whether it installs, and where")
	}, result)
}

// maxShown is how many changes a dry run shows on standard output.
const maxShown = 200

// dryRun shows what would change: the summary first, then the diff, which goes to a file when one is named. A diff of
// very many files is only written to a file.
func (a *app) dryRun(plan *fitting.Plan) error {
	if a.format == "json" {
		return a.emit(nil, present.FitOf(plan, true))
	}
	file := a.output
	a.output = ""
	if err := a.emit(func(st *present.Style) error { return st.Fit(plan, true) }, nil); err != nil {
		return err
	}
	switch {
	case file != "":
		f, err := os.Create(file)
		if err != nil {
			return broken(fmt.Errorf("--output: %w", err))
		}
		err = plan.Diff(f)
		if e := f.Close(); err == nil {
			err = e
		}
		if err != nil {
			return broken(err)
		}
		return a.note("\n  The diff is in %s.\n", file)
	case a.quiet:
		return nil
	case len(plan.Changes) > maxShown:
		return a.note("\n  The diff of %d files is not shown; --output FILE writes it to a file.\n", len(plan.Changes))
	}
	if err := a.note("\n"); err != nil {
		return err
	}
	to := a.out
	if f, ok := to.(*os.File); ok && term.IsTerminal(int(f.Fd())) { // a patch that is kept is as it is
		to = present.Marks(to)
	}
	if err := plan.Diff(to); err != nil {
		return broken(err)
	}
	return nil
}

// note writes a line to standard output.
func (a *app) note(format string, args ...any) error {
	if a.quiet {
		return nil
	}
	if _, err := fmt.Fprintf(a.out, format, args...); err != nil {
		return broken(err)
	}
	return nil
}

// override lets flags win over the configuration.
func override(c *config.Config, name, shortName, theme, background, master string) {
	for value, member := range map[*string]*string{&name: &c.App.Name, &shortName: &c.App.ShortName, &theme: &c.App.ThemeColor,
		&background: &c.App.BackgroundColor, &master: &c.Icons.Master} {
		if *value != "" {
			*member = *value
		}
	}
}
