package run

import (
	"context"
	"fmt"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// Screenshots lets Chromium draw the start page, narrow and wide.
func Screenshots(ctx context.Context, s *site.Site) ([]fitting.Screenshot, error) {
	start, err := s.StartPage()
	if err != nil {
		return nil, err
	}
	server, err := serve.Start(site.NewServer(s, site.Rules{}))
	if err != nil {
		return nil, err
	}
	defer server.Stop() //nolint:errcheck // nothing depends on it any more
	b, err := chromium.Start(ctx, server)
	if err != nil {
		return nil, fmt.Errorf("--screenshots needs Chromium: %w", err)
	}
	defer b.Close()
	var out []fitting.Screenshot
	for _, size := range []struct {
		form          string
		width, height int64
		scale         float64
	}{{"narrow", 360, 720, 2}, {"wide", 1280, 800, 1}} {
		if _, err := b.Open(start.URL); err != nil {
			return nil, err
		}
		png, err := b.Screenshot(size.width, size.height, size.scale)
		if err != nil {
			return nil, err
		}
		out = append(out, fitting.Screenshot{FormFactor: size.form, PNG: png})
	}
	return out, nil
}
