// Package cli is the command line: flags in, a call of the core, a presenter out. One file for each command.
package cli

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/schollz/progressbar/v3"
	"github.com/spf13/cobra"
	"golang.org/x/term"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
	"tachyform.dev/tachyform/internal/site"
)

// Version of the program; a release sets it.
var Version = "0.1.0"

// Exit statuses.
const (
	ExitFine   = 0
	ExitFound  = 1 // the audit found something at or above --fail-on, or a story of the configuration failed
	ExitUsage  = 2 // wrong usage or unreadable input
	ExitBroken = 3 // something broke while working
)

// exit carries an exit status with an error; a nil err means that everything was said already.
type exit struct {
	code int
	err  error
}

func (e *exit) Error() string {
	if e.err == nil {
		return ""
	}
	return e.err.Error()
}

func (e *exit) Unwrap() error { return e.err }

func usage(err error) error  { return &exit{ExitUsage, err} }
func broken(err error) error { return &exit{ExitBroken, err} }

// app is what all commands share.
type app struct {
	formats   []string // of the command, beside text and json
	out, err  io.Writer
	config    string
	place     string // name of a place in it, "" for the usual one
	format    string
	output    string
	quiet     bool
	noColor   bool
	terminal  io.Writer // standard error as it is, for progress
	schemaFor string    // file that draft writes the schema of the configuration to, "" for none
}

// Run runs the program with arguments and gives the exit status.
func Run(ctx context.Context, args []string, out, errw io.Writer) int {
	a := &app{out: out, err: present.Marks(errw), terminal: errw}
	root := a.root()
	root.SetArgs(args)
	root.SetOut(out)
	root.SetErr(errw)
	err := root.ExecuteContext(ctx)
	if err == nil {
		return ExitFine
	}
	var e *exit
	code := ExitUsage // what Cobra itself finds is wrong usage
	if errors.As(err, &e) {
		code = e.code
	}
	if msg := strings.TrimSuffix(err.Error(), ": "+context.Canceled.Error()); msg != "" {
		for i, line := range strings.Split(msg, "\n") {
			if i == 0 {
				line = "tachyform: " + line
			}
			fmt.Fprintln(errw, present.Visible(line))
		}
	}
	return code
}

// Root gives all commands, for manual pages and completions.
func Root() *cobra.Command { return (&app{out: io.Discard, err: io.Discard}).root() }

// stdout in the place of a file's name means standard output.
const stdout = "-"

func (a *app) root() *cobra.Command {
	cmd := &cobra.Command{
		Use:   "tachyform",
		Short: "Make a finished website an installable, offline-capable web app, and prove it",
		Long: `Tachyform takes a finished website folder and makes it an installable, offline-capable web app: manifest,
icons, page tags, service worker. Then it proves, before release, what visitors will get: it runs the service
worker in a model of a browser, opens every page without a network, and audits what hinders installation.`,
		Example:       "  tachyform demo          # try everything on a made-up ferry company's site\n  tachyform fit dist      # fit your own",
		Version:       version(),
		SilenceErrors: true,
		SilenceUsage:  true,
		Args:          cobra.NoArgs,
		RunE:          func(cmd *cobra.Command, _ []string) error { return cmd.Help() },
	}
	cmd.PersistentPreRun = func(c *cobra.Command, _ []string) {
		if a.output == stdout && c.Name() != "draft" { // what a draft writes is no report
			a.output = ""
		}
	}
	cmd.SetVersionTemplate("tachyform {{.Version}}\n")
	cmd.SetHelpFunc(func(c *cobra.Command, _ []string) {
		if err := present.Help(c.OutOrStdout(), cmp.Or(c.Long, c.Short), c.UsageString()); err != nil {
			c.PrintErrln(err)
		}
	})
	f := cmd.PersistentFlags()
	f.StringVar(&a.config, "config", "", "configuration `file` (default: tachyform.toml in the current folder, if there is one)")
	f.StringVar(&a.place, "place", "", "the `name` of a [place.NAME] in the configuration, such as staging")
	f.StringVar(&a.format, "format", "text", "text or json")
	f.StringVar(&a.output, "output", "", "write the result to a `file` instead of standard output (-)")
	f.BoolVar(&a.quiet, "quiet", false, "print nothing but errors and what was asked for with --format")
	f.BoolVar(&a.noColor, "no-color", false, "print without colours (also: NO_COLOR in the environment)")
	cmd.AddCommand(a.surveyCommand(), a.draftCommand(), a.iconsCommand(), inBrowser(a.manifestCommand()), a.rulesCommand(), inBrowser(a.fitCommand()), inBrowser(a.rehearseCommand()), a.auditCommand(), a.explainCommand(), a.schemaCommand(), a.demoCommand(), a.stripCommand(), a.recordCommand(), a.retireCommand(), inBrowser(a.serveCommand()), a.compareCommand(), a.headersCommand(), a.licencesCommand())
	inOurWords(cmd)
	completions(cmd)
	return cmd
}

// inBrowser gives a command that may start a Chromium the option that says which.
func inBrowser(cmd *cobra.Command) *cobra.Command {
	file := cmd.Flags().String("browser", "", "`file` of the Chromium to start (default: the one that is found)")
	work := cmd.RunE
	cmd.RunE = func(c *cobra.Command, args []string) error {
		if *file != "" {
			starts := false
			for name, not := range map[string]string{"stage": "embedded", "screenshots": "false", "pictures": "", "open": "false"} {
				f := c.Flags().Lookup(name)
				starts = starts || f != nil && f.Value.String() != not
			}
			if !starts {
				return usage(errors.New("--browser says which Chromium is started, and none is: ask for one (tachyform " + c.Name() + " --help)"))
			}
			ctx, err := chromium.With(c.Context(), *file)
			if err != nil {
				return usage(fmt.Errorf("--browser %w", err))
			}
			c.SetContext(ctx)
		}
		return work(c, args)
	}
	return cmd
}

// siteArg gives the site a command works on: its argument, else the configuration's.
func siteArg(args []string, c *config.Config) (string, error) {
	switch {
	case len(args) > 0 && run.IsAddress(args[0]):
		return "", fmt.Errorf("%s: this command works on the folder that is deployed, not on an address", args[0])
	case len(args) > 0:
		return args[0], nil
	case c.Site != "":
		return c.SiteFolder(), nil
	}
	return "", errors.New("name the folder of the site (or set site in tachyform.toml)")
}

// folderOfPage gives the folder of a page that is named in the place of its site.
func folderOfPage(name string) (string, bool) {
	switch strings.ToLower(filepath.Ext(name)) {
	case ".html", ".htm", ".xhtml":
		about, err := os.Stat(name)
		return filepath.Dir(name), err == nil && about.Mode().IsRegular()
	}
	return "", false
}

func (a *app) checkFormat() error {
	known := append([]string{"text", "json"}, a.formats...)
	if !slices.Contains(known, a.format) {
		return usage(fmt.Errorf("--format %s: it is %s or %s", a.format, strings.Join(known[:len(known)-1], ", "), known[len(known)-1]))
	}
	return nil
}

// configuration reads the configuration, the steps of its stories included.
func (a *app) configuration(args []string) (*config.Config, error) {
	folder := ""
	if len(args) > 0 {
		folder = args[0]
	}
	c, err := config.Find(a.config, folder)
	if err != nil {
		return nil, usage(err)
	}
	if a.place != "" {
		if c, err = c.At(a.place); err != nil {
			return nil, usage(err)
		}
	}
	if a.config == "" && c.File != "" && c.File != config.Name && !a.quiet {
		fmt.Fprintf(a.err, "The configuration is %s, which names this site.\n", c.File)
	}
	if n, file := c.RecordedAnswers(); n > 0 && !a.quiet {
		fmt.Fprintf(a.err, "What servers answered stands in %s (%d).\n", file, n)
	}
	for i, s := range c.Stories {
		for _, step := range s.Steps {
			if err := rehearsal.CheckStep(step); err != nil {
				line, column := c.StepPlace(i, step)
				return nil, usage(&config.Error{File: c.File, Line: line, Column: column, Message: fmt.Sprintf("story %q: %s", s.Name, err)})
			}
		}
	}
	return c, nil
}

// open reads the configuration and the site, a folder of finished pages.
func (a *app) open(args []string, base string) (*config.Config, *site.Site, error) {
	if err := a.checkFormat(); err != nil {
		return nil, nil, err
	}
	c, err := a.configuration(args)
	if err != nil {
		return nil, nil, err
	}
	if isRendered(args, c) {
		return nil, nil, errRendered(c)
	}
	s, err := a.openFolder(args, base, c)
	return c, s, err
}

// openFolder opens the folder of a site.
func (a *app) openFolder(args []string, base string, c *config.Config) (*site.Site, error) {
	if base != "" {
		c.Base = base
	}
	dir, err := siteArg(args, c)
	if err != nil {
		return nil, usage(err)
	}
	if folder, ok := folderOfPage(dir); ok {
		if !a.quiet {
			fmt.Fprintf(a.err, "%s is a page; the site is its folder, %s.\n", dir, folder)
		}
		dir = folder
	}
	s, err := run.Open(dir, c.Base, c.RecordFolder())
	if err != nil {
		return nil, runError(err)
	}
	return s, nil
}

// work gives what all that is run has in common.
func (a *app) work(c *config.Config) *run.Work {
	w := &run.Work{Config: c, Progress: a.progress}
	if !a.quiet {
		w.Say = func(text string) { fmt.Fprintln(a.err, text) }
	}
	return w
}

// runError gives an error of what was run its exit status.
func runError(err error) error {
	var wrong *run.Input
	var e *exit
	switch {
	case err == nil || errors.As(err, &e):
		return err
	case errors.As(err, &wrong):
		return usage(err)
	}
	return broken(err)
}

// also gives the options that a command which follows this one needs to be about the same thing.
func (a *app) also() string {
	out := ""
	if a.config != "" && a.config != config.Name {
		out += " --config " + shell.Quote(a.config)
	}
	if a.place != "" {
		out += " --place " + shell.Quote(a.place)
	}
	return out
}

// emit opens where the result goes, writes it, and closes it.
func (a *app) emit(text func(*present.Style) error, value any) error {
	return a.write(func(w io.Writer) error {
		switch {
		case a.format == "json":
			return present.JSON(w, value)
		case !a.quiet || a.output != "":
			st := present.New(w, a.color(w))
			st.Also = a.also()
			return text(st)
		}
		return nil
	})
}

// write writes a result where it is wanted.
func (a *app) write(result func(io.Writer) error) error {
	w := a.out
	if a.output != "" {
		f, err := os.Create(a.output)
		if err != nil {
			return broken(fmt.Errorf("--output: %w", err))
		}
		defer f.Close()
		w = f
	}
	if err := result(w); err != nil {
		return broken(fmt.Errorf("writing the result: %w", err))
	}
	return nil
}

// color says whether colours are wanted on a writer.
func (a *app) color(w io.Writer) bool {
	f, ok := w.(*os.File)
	_, no := os.LookupEnv("NO_COLOR")
	return ok && !no && !a.noColor && term.IsTerminal(int(f.Fd()))
}

// progress shows a bar on a terminal for work that takes more than half a second.
func (a *app) progress(what string) (step func(done, total int), end func()) {
	f, ok := a.terminal.(*os.File)
	if !ok || a.quiet || !term.IsTerminal(int(f.Fd())) {
		return func(int, int) {}, func() {}
	}
	begin := time.Now()
	var bar *progressbar.ProgressBar
	return func(done, total int) {
			if bar == nil {
				if time.Since(begin) < 500*time.Millisecond {
					return
				}
				bar = progressbar.NewOptions(total, progressbar.OptionSetWriter(a.terminal), progressbar.OptionSetDescription(what),
					progressbar.OptionThrottle(100*time.Millisecond), progressbar.OptionShowCount(), progressbar.OptionClearOnFinish(),
					progressbar.OptionSetWidth(30))
			}
			_ = bar.Set(done)
		}, func() {
			if bar != nil {
				_ = bar.Clear()
			}
		}
}

// fitError gives an error of the fitting room its exit status.
func fitError(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, context.Canceled):
		return broken(err)
	case errors.Is(err, fitting.ErrBusy):
		return broken(err)
	}
	return usage(err)
}
