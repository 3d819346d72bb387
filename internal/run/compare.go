package run

import (
	"context"
	"errors"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/snapshot"
	"tachyform.dev/tachyform/internal/survey"
)

// Comparison is what is asked of a comparison.
type Comparison struct {
	compare.Options
	On     string                                      // "embedded" (or "") or "chromium"
	Access func(address string) (*crawl.Access, error) // how a live address is reached; nil for as everybody does
}

// IsAddress says whether a site is named by a live address and not by a folder.
func IsAddress(s string) bool {
	return strings.HasPrefix(s, "http://") || strings.HasPrefix(s, "https://")
}

// Compare compares releases, folders or live addresses, in their order.
func (w *Work) Compare(ctx context.Context, releases []string, o Comparison) (*compare.Report, error) {
	others, err := w.Config.Origins()
	if err != nil {
		return nil, input(err)
	}
	var servers []*site.Server
	origins := []string{}
	for _, name := range releases {
		if IsAddress(name) {
			var access *crawl.Access
			if o.Access != nil {
				if access, err = o.Access(name); err != nil {
					return nil, err
				}
			}
			res, server, err := w.Live(ctx, name, access)
			if err != nil {
				return nil, err
			}
			defer res.Close()
			servers = append(servers, server)
			origins = append(origins, res.Site.Origin)
			continue
		}
		if snapshot.Is(name) {
			t, err := snapshot.Read(name)
			if err != nil {
				return nil, input(err)
			}
			defer t.Site.Close()
			server, err := w.serverOf(t.Result)
			if err != nil {
				return nil, err
			}
			servers = append(servers, server)
			continue
		}
		s, err := Open(name, w.Config.Base, "")
		if err != nil {
			return nil, err
		}
		defer s.Close()
		server, err := w.Server(ctx, s)
		if err != nil {
			return nil, err
		}
		servers = append(servers, server)
	}
	if slices.Sort(origins); len(slices.Compact(origins)) > 1 {
		w.say("%s are taken for one and the same origin, to which the releases come one after the other", strings.Join(origins, " and "))
	}
	roomy()
	for i, u := range o.Pages {
		if !strings.HasPrefix(u, "/") && !IsAddress(u) {
			o.Pages[i] = "/" + u
		}
	}
	limits := w.limits()
	o.Start = func(s *site.Server) (rehearsal.Stage, func(), error) {
		st := rehearsal.NewEmbedded(s, others, limits)
		return st, st.Close, nil
	}
	if o.On == "chromium" {
		o.Start = func(s *site.Server) (rehearsal.Stage, func(), error) { return inChromium(ctx, s) }
	}
	o.Lazy = w.lazy
	var end func()
	o.Progress, end = w.progress("Comparing")
	r, err := compare.Run(ctx, servers, o.Options)
	end()
	if errors.Is(err, compare.ErrOne) || errors.Is(err, chromium.ErrMissing) || errors.Is(err, site.ErrNoPages) {
		return nil, input(err)
	}
	return r, err
}

// Server gives a server that answers for a folder as the configuration says, routes of applications included.
func (w *Work) Server(ctx context.Context, s *site.Site) (*site.Server, error) {
	rules, err := w.Config.SiteRules()
	if err != nil {
		return nil, input(err)
	}
	o := Rehearsal{}
	if rules.Routes, err = o.routes(ctx, w, s, rules.Fallback); err != nil {
		return nil, err
	}
	if slices.ContainsFunc(rules.Routes, func(r site.RouteRule) bool { return r.Whole(s.Base) }) {
		rules.Fallback = ""
	}
	return site.NewServer(s, rules), nil
}

// lazy gives which files of a release open pages may ask for after they were loaded: those that anything of it names.
func (w *Work) lazy(ctx context.Context, s *site.Site, gone []string) ([]string, error) {
	if len(s.Pages()) > manyPages {
		w.say("%s has %d pages: it was not looked for what open pages ask for later", s.Dir, len(s.Pages()))
		return nil, nil
	}
	inv, err := survey.Take(ctx, s, survey.Options{})
	if err != nil {
		return nil, err
	}
	wanted, known, err := inv.Wanted(ctx, func(string) bool { return false })
	if err != nil || !known {
		return nil, err
	}
	return slices.DeleteFunc(gone, func(u string) bool { return !wanted[u] }), nil
}
