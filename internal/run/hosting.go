package run

import (
	"bytes"
	"context"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// Hosting gives what a host has to send for a folder.
func (w *Work) Hosting(ctx context.Context, s *site.Site, clear bool) (*hosting.Plan, error) {
	inv, err := survey.Take(ctx, s, survey.Options{})
	if err != nil {
		return nil, err
	}
	server, err := w.Server(ctx, s)
	if err != nil {
		return nil, err
	}
	o := hosting.Options{Forbidden: survey.Forbidden, Clear: clear}
	for _, p := range inv.Pages {
		for _, policy := range p.CSP {
			if !slices.Contains(o.Policies, policy) {
				o.Policies = append(o.Policies, policy)
			}
		}
	}
	for _, g := range inv.Registrations {
		if strings.HasPrefix(g.URL, "/") && (o.Worker == "" || g.Scope != "") {
			o.Worker, o.Scope = g.URL, g.Scope
		}
	}
	name := func(u string) {
		if !slices.Contains(o.Releases, u) && strings.HasPrefix(u, "/") {
			o.Releases = append(o.Releases, u)
		}
	}
	for _, f := range s.Files {
		if f.Kind() != "script" || f.Size > 1<<20 {
			continue
		}
		if data, err := s.Read(f.Path); err == nil && bytes.HasPrefix(data, []byte(worker.Mark)) {
			name(f.URL)
		}
	}
	if o.Worker != "" {
		name(o.Worker)
	}
	if found, err := linked.Site(s); err == nil && found.Manifest != nil {
		if f, ok := s.File(found.File); ok {
			name(f.URL)
		}
	}
	return hosting.Of(s, server.Rules, o), nil
}
