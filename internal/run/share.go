package run

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"runtime"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// digestOf is what shares of a site are held to: a digest of its files, and of what its server answers besides.
func digestOf(ctx context.Context, server *site.Server) (string, error) {
	s := server.Site
	digests := make([]string, len(s.Files))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, f := range s.Files {
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			data, err := s.Read(f.Path)
			if err != nil {
				digests[i] = "unread" // which is said where it is asked for
				return nil            //nolint:nilerr
			}
			digests[i] = release.Digest(data)
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return "", err
	}
	files := map[string]string{}
	for i, f := range s.Files {
		files[f.URL] = digests[i]
	}
	rules, err := json.Marshal(server.Rules)
	if err != nil {
		return "", err
	}
	return release.ID(files, s.Base, string(rules)), nil
}

// Shares reads the files that "--shard" wrote. Its errors are [Input].
func Shares(names []string) (*rehearsal.Merged, error) {
	var reports []*rehearsal.Report
	for _, name := range names {
		data, err := regular.ReadFile(name, regular.Large)
		if err != nil {
			return nil, input(fmt.Errorf("--merge: %w", err))
		}
		r := &rehearsal.Report{}
		if err := json.NewDecoder(bytes.NewReader(data)).Decode(r); err != nil || r.Format != rehearsal.Format {
			return nil, input(fmt.Errorf("--merge %s: it is no %s, which audit --shard I/N writes", name, rehearsal.Format))
		}
		reports = append(reports, r)
	}
	m, err := rehearsal.Merge(names, reports)
	if err != nil {
		return nil, input(fmt.Errorf("--merge: %w", err))
	}
	return m, nil
}

// AuditShare rehearses one share of a folder's pages, as [Work.AuditFolder] rehearses all. The audit takes what the shares saw.
func (w *Work) AuditShare(ctx context.Context, s *site.Site, opts audit.Options, scripts string, share *rehearsal.Share) (*rehearsal.Report, error) {
	var err error
	if opts.Inventory, err = survey.Take(ctx, s, survey.Options{}); err != nil {
		return nil, err
	}
	r, _, err := w.rehearseFor(ctx, s, &opts, scripts, share, nil)
	return r, err
}
