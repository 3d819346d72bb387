package cli

import (
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/record"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/site"
)

func (a *app) recordCommand() *cobra.Command {
	var out string
	var origins, headers []string
	limits := crawl.Usual
	cmd := &cobra.Command{
		Use:   "record URL",
		Short: "Keep what a live site's endpoints answer, so that rehearsals know it without a network",
		Long: `Record reads the live site at URL, runs its pages in our model of a browser, follows the links that they draw, and asks
for what they ask for: data of the site's own origin that is no file, and everything of the other origins that --origin
allows. What is answered is kept in the folder "recorded" beside the configuration, one file for each answer and a list.
Rehearsals, audits and fit answer with it from then on, where the site has no file; recorded = "" in [server] stops that.

Only GET requests are sent, and no worker is let in. Cookies and headers are not kept. Values of members and parameters
that look like secrets (tokens, passwords, keys) are taken out, besides those that [record] secrets names; addresses that
look like what belongs to one person are not asked for, and [record] except leaves out more. Recording again replaces what
was recorded before: the same answers give the same bytes.`,
		Example: "  tachyform record https://skerry-line.example/\n  tachyform record https://skerry-line.example/ --origin https://weather.example\n  tachyform record https://skerry-line.example/ --header \"Authorization: Bearer …\"",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := a.checkFormat(); err != nil {
				return err
			}
			if !run.IsAddress(args[0]) {
				return usage(fmt.Errorf("%s: record asks a live site; give its address, such as https://skerry-line.example/", args[0]))
			}
			if limits.Pages < 1 {
				return usage(errors.New("--pages is 1 or more"))
			}
			c, err := config.Find(a.config, "")
			if err == nil && a.place != "" {
				c, err = c.At(a.place)
			}
			if err != nil {
				return usage(err)
			}
			o := record.Options{Pages: limits.Pages, Secrets: c.Record.Secrets, Header: http.Header{}, Except: func(p string) bool { return matchesAny(c.Record.Except, p) }}
			for _, origin := range origins {
				u, err := url.Parse(origin)
				if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" {
					return usage(fmt.Errorf("--origin %s: an origin is written like https://weather.example", origin))
				}
				o.Origins = append(o.Origins, u.Scheme+"://"+u.Host)
			}
			for _, h := range headers {
				name, value, ok := strings.Cut(h, ":")
				if name = strings.TrimSpace(name); !ok || name == "" || strings.ContainsAny(name, " \t") {
					return usage(errors.New("--header is written like \"Authorization: Bearer …\""))
				}
				o.Header.Add(name, strings.TrimSpace(value))
			}
			dir := out
			if dir == "" {
				if dir = c.Recorded(); dir == "" {
					return usage(fmt.Errorf("%s says recorded = \"\", so nothing would read what is recorded; name a folder there, or with --out", c.File))
				}
			}
			if c.Site != "" {
				s, err := site.Open(c.SiteFolder(), c.Base)
				if err != nil {
					return usage(err)
				}
				defer s.Close()
				o.Has = func(p string) bool { _, ok := s.Find(p); return ok }
			}
			step, end := a.progress("Fetching")
			res, err := crawl.Take(cmd.Context(), args[0], limits, step)
			end()
			if err != nil {
				return fitError(err)
			}
			defer res.Close()
			o.Progress, end = a.progress("Running")
			r, err := record.Take(cmd.Context(), res, o)
			end()
			if err != nil {
				return broken(err)
			}
			w, err := record.Write(dir, r)
			if errors.Is(err, record.ErrOther) {
				return usage(err)
			}
			if err != nil {
				return broken(err)
			}
			report := present.RecordOf(args[0], r, w)
			return a.emit(func(st *present.Style) error {
				if err := st.Record(report, dir); err != nil {
					return err
				}
				if len(r.Answers) == 0 {
					return nil
				}
				if c.File == "" && dir != config.RecordedDir {
					return st.Next("tachyform rehearse SITE --config FILE", fmt.Sprintf("with recorded = %q in [server], rehearses with these answers", dir))
				}
				return st.Next("tachyform rehearse SITE", "rehearses with these answers")
			}, report)
		},
	}
	f := cmd.Flags()
	f.StringVar(&out, "out", "", "`folder` that the answers are kept in (default: recorded, beside the configuration)")
	f.StringSliceVar(&origins, "origin", nil, "another `origin` that may be asked, such as https://weather.example; may be given again")
	f.StringArrayVar(&headers, "header", nil, "`header` for requests for data to the site's own origin, such as \"Authorization: Bearer …\"; it is not kept")
	f.IntVar(&limits.Pages, "pages", limits.Pages, "`pages` to open at most")
	f.DurationVar(&limits.Time, "time", limits.Time, "how long to read the site's files at most")
	return cmd
}

func matchesAny(globs []string, p string) bool {
	return slices.ContainsFunc(globs, func(g string) bool { ok, _ := doublestar.Match(g, p); return ok })
}
