package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/shell"
	"tachyform.dev/tachyform/internal/site"
)

// auditing is what is asked of an audit.
type auditing struct {
	base, failOn, baseline string
	scripts                string   // as in [run.Rehearsal]
	sample                 int      // pages that are rehearsed, 0 for all
	shard                  string   // I/N, "" for all
	merge                  []string // files that shards wrote
	only, skip             []string
	mend                   bool
	live                   bool   // a site whose pages come from a server is asked again
	release                string // folder of what is to be live
	reach                  reaching
	pics                   pictured
}

func (a *app) auditCommand() *cobra.Command {
	var o auditing
	cmd := &cobra.Command{
		Use:   "audit [SITE]",
		Short: "Check whether a site can be installed and works offline, and say why not",
		Long: `Audit checks what makes a site installable or not, rehearses every page without a network, and gives a verdict for
each platform. Every finding says why it matters, where it is and what to do. The exit status is 1 when something
at or above --fail-on was found, which makes it a gate for CI.

With --baseline, an earlier report in JSON, only what is new counts. Checks are left out, with the reason, by [[audit.skip]]
of the configuration, and have another level by [audit.levels].

With --release and a live address, the folder that was to be deployed is compared with what the server answers: missing, altered
and old files, headers, redirects, and whether the worker accepts what comes; a line says which release is live, and whether
it is whole. Of a large site a sample is asked for. --header, --user, --cookies, --ca and --insecure reach a staging server.

SITE may be a live address: what survey reads of it is audited (its own origin, politely, within limits), together with what
only a server can show: https, headers, media types, how missing files are answered.

Formats: text, json, markdown for a pull request, junit and sarif for CI and editors, html for one page without anything else.`,
		Example: "  tachyform audit dist\n  tachyform audit dist --fail-on warning\n  tachyform audit dist --format json --output audit.json\n  tachyform audit dist --format html --output audit.html\n  tachyform audit dist --only manifest,icons\n  tachyform audit https://skerry-line.example/ --fail-on never\n  tachyform audit https://skerry-line.example/ --release dist",
		Args:    func(cmd *cobra.Command, args []string) error { return cobra.MaximumNArgs(1)(cmd, o.parts(args)) },
		RunE: func(cmd *cobra.Command, args []string) error {
			a.formats = []string{"markdown", "junit", "sarif", "html"}
			args = o.parts(args)
			if len(args) > 0 && run.IsAddress(args[0]) {
				return a.auditAddress(cmd, o, args[0])
			}
			if c, err := a.configuration(args); err == nil && isRendered(args, c) {
				return a.auditServed(cmd, o, c)
			}
			if err := o.reach.folder(); err != nil {
				return err
			}
			if o.live {
				return usage(errLive)
			}
			if o.release != "" {
				return usage(errors.New("--release compares a live address with a folder; name the address"))
			}
			c, s, err := a.open(args, o.base)
			if err != nil {
				return err
			}
			defer s.Close()
			opts, earlier, err := o.configured(cmd, c)
			if err != nil {
				return err
			}
			opts.Looks = a.format == "html"
			if o.scripts != "" && o.scripts != "run" && o.scripts != "read" {
				return usage(fmt.Errorf("--scripts %s: it is run or read", o.scripts))
			}
			if err := o.pics.check(); err != nil {
				return err
			}
			work := a.work(c)
			if o.sample < 0 {
				return usage(errors.New("--sample says how many pages, from 1"))
			}
			opts.Sample = o.sample
			if o.shard != "" {
				return a.auditShare(cmd, s, work, opts, o)
			}
			var merged *rehearsal.Merged
			if len(o.merge) > 0 {
				if merged, err = run.Shares(o.merge); err != nil {
					return runError(err)
				}
			}
			report, server, err := work.AuditFolder(cmd.Context(), s, opts, o.scripts, merged)
			if err != nil {
				return runError(err)
			}
			if o.mend {
				m, err := work.Mend(cmd.Context(), s, opts, report, server, o.scripts)
				if err != nil {
					return runError(err)
				}
				a.sayMended(s.Dir, m)
				report, server = m.Report, m.Server
			}
			shots, err := a.pictures(cmd.Context(), c, o.pics, server, rehearsal.Options{Networks: run.NetworksOf(len(s.Pages()))}, report.Rehearsal)
			if err != nil {
				return err
			}
			return a.verdict(o, report, earlier, shots)
		},
	}
	f := cmd.Flags()
	f.StringVar(&o.base, "base", "", "URL `path` the site is served from (default /)")
	f.StringVar(&o.failOn, "fail-on", "blocker", "lowest `level` that makes the exit status 1: blocker, warning, advice, or never")
	f.StringVar(&o.baseline, "baseline", "", "an earlier report (--format json); only what is new makes the exit status 1")
	f.StringSliceVar(&o.only, "only", nil, "`checks` or areas to look at; all others are left out")
	f.IntVar(&o.sample, "sample", 0, "rehearse `N` pages, spread over folders and templates, the same ones every time (default: all); every page is read all the same")
	f.StringVar(&o.shard, "shard", "", "rehearse the `I/N`-th part of the pages and nothing else, for --merge on another machine; writes JSON")
	f.StringSliceVar(&o.merge, "merge", nil, "`files` that --shard wrote, one of each part: their pages are not rehearsed again; more may follow SITE")
	f.StringVar(&o.scripts, "scripts", "", "run the scripts of pages, as rehearse does, or read them for what they ask for, which is quicker (default read; run for applications)")
	f.StringVar(&o.release, "release", "", "`folder` that was to be deployed at a live address: says whether it is there, whole")
	o.reach.flags(f)
	f.BoolVar(&o.live, "live", false, liveFlag)
	f.BoolVar(&o.mend, "mend", false, "fit the site first when that mends something; says what it mended and what it did not")
	o.pics.flags(f)
	f.StringSliceVar(&o.skip, "skip", nil, "`checks` or areas to leave out")
	return cmd
}

// parts takes the files that follow --merge, as shells write them for *, out of the arguments.
func (o *auditing) parts(args []string) (rest []string) {
	for i, x := range args {
		if len(o.merge) > 0 && (i > 0 || strings.HasSuffix(x, ".json")) {
			if !slices.Contains(o.merge, x) {
				o.merge = append(o.merge, x)
			}
			continue
		}
		rest = append(rest, x)
	}
	return rest
}

// auditShare rehearses a part of the pages and writes what came of it.
func (a *app) auditShare(cmd *cobra.Command, s *site.Site, work *run.Work, opts audit.Options, o auditing) error {
	share, err := rehearsal.ParseShare(o.shard)
	switch {
	case err != nil:
		return usage(fmt.Errorf("--shard: %w", err))
	case len(o.merge) > 0 || o.mend || o.pics.dir != "" || o.baseline != "":
		return usage(errors.New("--shard rehearses and judges nothing: --merge, --mend, --pictures and --baseline are for the audit that takes what all parts saw"))
	case cmd.Flags().Changed("format") && a.format != "json":
		return usage(errors.New("--shard writes JSON, which --merge reads: --format " + a.format + " is for the audit that takes what all parts saw"))
	}
	a.format = "json"
	r, err := work.AuditShare(cmd.Context(), s, opts, o.scripts, share)
	if err != nil {
		return runError(err)
	}
	if !a.quiet {
		fmt.Fprintf(a.err, "rehearsed %d of %d pages, part %s; nothing is judged yet: tachyform audit %s --merge FILE... does, with one file of each part\n", len(r.Pages)/max(1, len(r.Share.Networks)), r.Share.Pages, o.shard, shell.Quote(s.Dir))
	}
	return a.emit(func(*present.Style) error { return nil }, r)
}

// verdict writes a report, and gives the exit status.
func (a *app) verdict(o auditing, report, earlier *audit.Report, shots *present.Shots) error {
	if earlier != nil {
		report.Against(earlier)
	}
	report.FailOn = audit.Level(o.failOn)
	if err := a.emit(func(st *present.Style) error { return st.AuditAs(a.format, report, shots) }, report); err != nil {
		return err
	}
	failing := report.Failing()
	if len(failing) == 0 {
		return nil
	}
	if a.quiet || a.output != "" || a.format != "text" { // who reads the log of a build sees why it ended
		more := ""
		if n := len(failing) - 5; n > 0 {
			failing, more = failing[:5], fmt.Sprintf(" and %d more", n)
		}
		fmt.Fprintf(a.err, "tachyform: the audit of %s fails (--fail-on %s): %s%s\n", report.Site, o.failOn, strings.Join(failing, ", "), more)
	}
	return &exit{code: ExitFound}
}

// sayMended says what was mended and what was not.
func (a *app) sayMended(dir string, m *run.Mending) {
	say := func(what string, ids []string) {
		if len(ids) > 0 && !a.quiet {
			fmt.Fprintf(a.err, "%s: %s\n", what, strings.Join(ids, ", "))
		}
	}
	if !m.Changed {
		say("nothing was changed; these are not safe to mend by themselves", m.Left)
		return
	}
	how := "mended by a fit of %s (tachyform strip takes it out again)"
	if m.NoWorker {
		how = "mended by a fit of %s without a worker, which nothing here asked for (tachyform strip takes it out again)"
	}
	say(fmt.Sprintf(how, dir), m.Mended)
	say("not safe to mend by itself", m.Left)
}

// auditServed audits the site of the configuration, whose pages come from a server.
func (a *app) auditServed(cmd *cobra.Command, o auditing, c *config.Config) error {
	switch {
	case o.pics.dir != "" || o.mend:
		return usage(errors.New("--pictures and --mend need a folder of finished pages; the pages of this site come from a server (tachyform fit is what mends)"))
	case o.base != "":
		return usage(errBase)
	case o.sample != 0 || o.shard != "" || len(o.merge) > 0:
		return usage(errors.New("--sample, --shard and --merge are for a folder of finished pages"))
	case o.scripts != "":
		return usage(errors.New("--scripts is for a folder of finished pages; of a server's, the scripts of applications are run and others read"))
	case o.release != "":
		return usage(errors.New("--release compares a live address with a folder of finished pages; the pages of this site come from a server: tachyform audit --live asks it"))
	}
	if err := a.checkFormat(); err != nil {
		return err
	}
	opts, earlier, err := o.configured(cmd, c)
	if err != nil {
		return err
	}
	opts.Looks = a.format == "html"
	o.reach.Mine = true
	access, err := a.access(c.Address, &o.reach)
	if err != nil {
		return err
	}
	report, err := a.work(c).AuditServed(cmd.Context(), o.live, access, opts)
	if err != nil {
		return runError(err)
	}
	return a.verdict(o, report, earlier, nil)
}

// auditAddress audits a live origin.
func (a *app) auditAddress(cmd *cobra.Command, o auditing, address string) error {
	if o.pics.dir != "" {
		return usage(errors.New("--pictures needs a folder; a live address is only read"))
	}
	if o.mend {
		return usage(errors.New("--mend needs a folder; a live address can only be looked at"))
	}
	if o.shard != "" || len(o.merge) > 0 {
		return usage(errors.New("--shard and --merge need a folder: a live address is read by one machine"))
	}
	if err := a.checkFormat(); err != nil {
		return err
	}
	c, err := a.configuration(nil)
	if err != nil {
		return err
	}
	opts, earlier, err := o.configured(cmd, c)
	if err != nil {
		return err
	}
	opts.Looks = a.format == "html"
	o.reach.Mine = o.release != ""
	access, err := a.access(address, &o.reach)
	if err != nil {
		return err
	}
	report, err := a.work(c).AuditAddress(cmd.Context(), run.Address{URL: address, Base: o.base, Release: o.release, Access: access}, opts)
	if err != nil {
		return runError(err)
	}
	return a.verdict(o, report, earlier, nil)
}

// configured is options, with the level of the configuration when none was said.
func (o *auditing) configured(cmd *cobra.Command, c *config.Config) (audit.Options, *audit.Report, error) {
	if !cmd.Flags().Changed("fail-on") && c.Audit.FailOn != "" {
		o.failOn = c.Audit.FailOn
	}
	opts, earlier, err := o.options(c)
	if err != nil {
		return opts, nil, usage(err)
	}
	return opts, earlier, nil
}

// options reads what is configured and asked for.
func (o auditing) options(c *config.Config) (opts audit.Options, earlier *audit.Report, err error) {
	switch o.failOn {
	case "blocker", "warning", "advice", "never":
	default:
		return opts, nil, fmt.Errorf("--fail-on %s: it is one of blocker, warning, advice, never", o.failOn)
	}
	opts = audit.Options{Platforms: c.Audit.Platforms, Only: o.only, Skip: map[string]string{}, Levels: map[string]audit.Level{}}
	if opts.Ceiling, err = c.Ceiling(); err != nil {
		return opts, nil, err
	}
	names := append(append([]string{}, o.only...), o.skip...)
	for _, k := range c.Audit.Skip {
		opts.Skip[k.Check] = k.Reason
		names = append(names, k.Check)
	}
	for _, k := range o.skip {
		opts.Skip[k] = "left out on the command line"
	}
	for id, l := range c.Audit.Levels {
		opts.Levels[id] = audit.Level(l)
		names = append(names, id)
	}
	if unknown := audit.Unknown(names); len(unknown) > 0 {
		return opts, nil, fmt.Errorf("no check or area is called %s; tachyform explain lists all", strings.Join(unknown, ", "))
	}
	if o.baseline == "" {
		return opts, nil, nil
	}
	data, err := regular.ReadFile(o.baseline, regular.Large)
	if err != nil {
		return opts, nil, fmt.Errorf("--baseline: %w", err)
	}
	earlier = &audit.Report{}
	if err := json.Unmarshal(data, earlier); err != nil {
		return opts, nil, fmt.Errorf("--baseline %s: %w", o.baseline, err)
	}
	if earlier.Format != audit.Format {
		return opts, nil, fmt.Errorf("--baseline %s: its format is %q, and not %q", o.baseline, earlier.Format, audit.Format)
	}
	return opts, earlier, nil
}
