package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/pflag"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/pictures"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/run"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// pictured is what is asked of pictures.
type pictured struct {
	dir string
	max int // pages
}

// check says what is wrong with what was asked, before anything is done.
func (p *pictured) check() error {
	if p.dir == "" {
		return nil
	}
	if p.max < 1 {
		return usage(errors.New("--pictured: 1 page or more"))
	}
	list, err := os.ReadDir(p.dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil
	case err != nil:
		return usage(fmt.Errorf("--pictures: %w", err))
	case len(list) > 0 && !slices.ContainsFunc(list, func(e fs.DirEntry) bool { return e.Name() == "index.html" }):
		return usage(fmt.Errorf("--pictures %s: the folder holds other things; name a new one, or one of earlier pictures", p.dir))
	}
	return nil
}

// worst orders outcomes: what is of most interest in a picture first.
var worst = []rehearsal.Outcome{rehearsal.Lost, rehearsal.Blank, rehearsal.StandIn, rehearsal.NotKnown, rehearsal.Partial, rehearsal.Whole}

// choose gives the pages of a report that pictures are taken of, those with the worst outcomes first.
func (p *pictured) choose(r *rehearsal.Report) (pages []string, left int) {
	for _, o := range worst {
		for _, x := range r.Pages {
			if x.Outcome == o && !slices.Contains(pages, x.URL) {
				pages = append(pages, x.URL)
			}
		}
	}
	if len(pages) > p.max {
		pages, left = pages[:p.max], len(pages)-p.max
	}
	slices.Sort(pages)
	return pages, left
}

// pictures takes the pictures that were asked for, and says where they are; nil when none were.
func (a *app) pictures(ctx context.Context, c *config.Config, p pictured, server *site.Server, o rehearsal.Options, r *rehearsal.Report) (*present.Shots, error) {
	if p.dir == "" {
		return nil, nil
	}
	step, end := a.progress("Pictures")
	o.Progress, o.Private = step, run.Private(c, server.Site)
	shots, err := p.take(ctx, server, o, r)
	end()
	if err != nil || a.quiet {
		return shots, err
	}
	line := fmt.Sprintf("Wrote %d pictures of %d pages to %s; %s shows all, sheet.png too.", len(shots.Set.Pictures), len(shots.Set.Pages()), p.dir, filepath.Join(p.dir, "index.html"))
	if shots.Left > 0 {
		line += fmt.Sprintf(" %d more pages were left out (--pictured).", shots.Left)
	}
	fmt.Fprintln(a.err, line)
	return shots, nil
}

// take has a Chromium show pages in the states that were rehearsed, and online, and writes pictures of them and a sheet of all.
func (p *pictured) take(ctx context.Context, server *site.Server, o rehearsal.Options, r *rehearsal.Report) (*present.Shots, error) {
	pages, left := p.choose(r)
	web, err := serve.Start(server)
	if err != nil {
		return nil, broken(err)
	}
	defer web.Stop() //nolint:errcheck // nothing depends on it any more
	b, err := chromium.Start(ctx, web)
	if errors.Is(err, chromium.ErrMissing) {
		return nil, usage(fmt.Errorf("--pictures: %w", err))
	}
	if err != nil {
		return nil, broken(err)
	}
	defer b.Close()
	if err := os.MkdirAll(p.dir, 0o755); err != nil {
		return nil, broken(err)
	}
	set := &pictures.Set{Dir: p.dir}
	networks := []stage.Network{stage.Online}
	for _, n := range o.Networks {
		if n != stage.Online {
			networks = append(networks, n)
		}
	}
	o.Pages, o.Networks, o.Fetches, o.Traces, o.Revisit, o.Next, o.Comeback, o.Notes, o.Detail, o.Scripts = pages, networks, nil, nil, nil, nil, false, nil, nil, true
	o.Picture = func(url string, n stage.Network) error {
		for _, w := range pictures.Widths {
			png, err := b.Screenshot(w.Width, w.Height, 1)
			if err != nil {
				return fmt.Errorf("a picture of %s: %w", url, err)
			}
			if err := set.Take(url, string(n), w, png); err != nil {
				return err
			}
		}
		return nil
	}
	seen, err := rehearsal.Run(ctx, b, server, o)
	if err != nil {
		return nil, broken(err)
	}
	shots := &present.Shots{Set: set, Seen: seen, Left: left}
	var sheet strings.Builder
	if err := present.Pictures(&sheet, shots); err != nil {
		return nil, broken(err)
	}
	if err := os.WriteFile(filepath.Join(p.dir, "index.html"), []byte(sheet.String()), 0o644); err != nil {
		return nil, broken(err)
	}
	png, err := b.Sheet(sheet.String())
	if err != nil {
		return nil, broken(err)
	}
	if err := os.WriteFile(filepath.Join(p.dir, "sheet.png"), png, 0o644); err != nil {
		return nil, broken(err)
	}
	return shots, nil
}

// flags adds what is said of pictures to a command.
func (p *pictured) flags(f *pflag.FlagSet) {
	f.StringVar(&p.dir, "pictures", "", "`folder` for pictures of the pages in every state, and online, as Chromium shows them, with a sheet of all: index.html")
	f.IntVar(&p.max, "pictured", 12, "`pages` in pictures at most, those first that come out worst")
}
