package run

import (
	"context"
	"errors"

	"tachyform.dev/tachyform/internal/likeness"
	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// Likeness gathers how the app of a site will look. Its error wraps [linked.ErrNone] when the start page links no manifest.
func Likeness(ctx context.Context, s *site.Site) (*likeness.App, error) {
	found, err := linked.Site(s)
	if err != nil {
		return nil, err
	}
	if found.Manifest == nil {
		return nil, errors.New(found.Missing)
	}
	inv, err := survey.Take(ctx, s, survey.Options{})
	if err != nil {
		return nil, err
	}
	src, err := s.Read(inv.StartFile.Path) // what the inventory keeps has no tags of ours
	if err != nil {
		return nil, err
	}
	head, err := pagehead.Read(inv.StartFile.Path, src)
	if err != nil {
		return nil, err
	}
	return likeness.OfSite(inv, head, &found.Manifest.Processed, weburl.Origin, nil), nil
}
