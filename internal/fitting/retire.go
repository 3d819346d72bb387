package fitting

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// RetireOptions say which workers are retired.
type RetireOptions struct {
	Workers    []string // root-relative URLs of workers, beside those of the record and those that pages register
	Everything bool     // remove the stores of all applications of the origin, and not only ours of this site
	Strip      bool     // take everything else out, too
	Progress   func(done, total int)
}

// Retired is one address at which a retiring worker is to lie.
type Retired struct {
	URL   string
	Path  string
	Known string // by what it is known that a worker lies or lay there
	Own   bool   // a file of the site's own is replaced; strip brings it back
}

// Retirement is what a retirement would do.
type Retirement struct {
	Workers    []Retired
	Registered []survey.Registration // places of the site's own that register a worker again
	Pages      int                   // pages that hold our script, which registers ours again
	Removal    *Removal              // what else is taken out, nil for nothing
	plan       *Plan
	site       *site.Site
	progress   func(done, total int)
}

// ErrNoWorker says that nothing tells of a worker that visitors may have.
var ErrNoWorker = errors.New("no page registers a worker, and nothing says that the site had one")

// Retire decides what to write so that visitors are rid of their workers. Nothing is changed. The error wraps [ErrNoWorker] when there is none.
func Retire(ctx context.Context, s *site.Site, o RetireOptions) (*Retirement, error) {
	rec, err := recoverRecord(s)
	if err != nil {
		return nil, err
	}
	inv, err := survey.Take(ctx, s, survey.Options{Progress: o.Progress})
	if err != nil {
		return nil, err
	}
	base := s.Base
	if rec.Base != "" {
		base = rec.Base
	}
	r := &Retirement{site: s, progress: o.Progress}
	f := &fitter{site: s, inv: inv, rec: rec, ours: map[string][]byte{}, kinds: map[string]string{},
		plan: &Plan{Site: s, Same: map[string]int{}, record: rec, next: &record{Format: recordFormat, Files: map[string]recorded{}, Icons: rec.Icons, Base: base, Layouts: rec.Layouts}}}
	f.plan.fitter, r.plan = f, f.plan
	source := []byte(worker.Retiring(base, o.Everything))
	add := func(u, known string) error {
		p, err := pathOf(s, u)
		if err != nil {
			return err
		}
		if slices.ContainsFunc(r.Workers, func(x Retired) bool { return x.Path == p }) {
			return nil
		}
		x := Retired{URL: s.FileURL(p), Path: p, Known: known}
		if data, err := regular.ReadIn(s.Root(), filepath.FromSlash(p), regular.Large); err == nil {
			x.Own = digest(data) != rec.Files[p].SHA256 && !isWorker(data) && !isRetiring(data)
		}
		r.Workers = append(r.Workers, x)
		f.write("worker", p, source)
		return nil
	}
	for _, u := range o.Workers {
		if err := add(u, "it was named"); err != nil {
			return nil, err
		}
	}
	for p := range rec.Files {
		if data, err := regular.ReadIn(s.Root(), filepath.FromSlash(p), regular.Large); err == nil && (isWorker(data) || isRetiring(data)) {
			if err := add(s.FileURL(p), "fit wrote it"); err != nil {
				return nil, err
			}
		}
	}
	for i, g := range inv.Registrations {
		if f.isOurs(g.File) {
			continue
		}
		r.Registered = append(r.Registered, inv.Registrations[i])
		if g.URL == "" || strings.Contains(g.URL, "://") {
			continue
		}
		if err := add(g.URL, fmt.Sprintf("%s:%d registers it", g.File, g.Line)); err != nil {
			return nil, err
		}
	}
	if len(r.Workers) == 0 {
		return nil, ErrNoWorker
	}
	sort.Slice(r.Workers, func(i, j int) bool { return r.Workers[i].Path < r.Workers[j].Path })
	for i := range inv.Pages {
		if inv.Pages[i].Fitted {
			r.Pages++
		}
	}
	if err := f.finish(); err != nil {
		return nil, err
	}
	if o.Strip {
		if r.Removal, err = unfit(ctx, s, o.Progress, true); err != nil {
			return nil, err
		}
		for i := range r.Workers { // they stay
			p := r.Workers[i].Path
			r.Removal.Deleted = slices.DeleteFunc(r.Removal.Deleted, func(d string) bool { return d == p })
		}
	}
	return r, nil
}

// pathOf gives the path below the site of the file that answers a root-relative URL of a worker.
func pathOf(s *site.Site, u string) (string, error) {
	u, _, _ = strings.Cut(u, "#")
	u, _, _ = strings.Cut(u, "?")
	if !strings.HasPrefix(u, "/") && !strings.Contains(u, "://") { // below the site, as other commands name files
		u = s.Base + u
	}
	p, ok := s.Below(u)
	switch {
	case !ok || p == "" || strings.HasSuffix(p, "/") || !fs.ValidPath(p):
		return "", fmt.Errorf("%s is no address of a file below %s", u, s.Base)
	case path.Ext(p) != ".js" && path.Ext(p) != ".mjs":
		return "", fmt.Errorf("%s: a worker's address ends in .js; another one is not overwritten", u)
	case p == site.OwnDir || strings.HasPrefix(p, site.OwnDir+"/"):
		return "", fmt.Errorf("%s lies in the folder of our own", u)
	}
	return p, nil
}

// Changes are the files to be written.
func (r *Retirement) Changes() []Change { return r.plan.Changes }

// Apply writes the retiring workers, and then takes everything else out when that was asked for.
func (r *Retirement) Apply(ctx context.Context) error {
	if err := r.plan.Apply(ctx, nil); err != nil {
		return err
	}
	if r.Removal == nil {
		return nil
	}
	removal, err := unfit(ctx, r.site, r.progress, true) // it is decided anew, since the workers are there now
	if err != nil {
		return err
	}
	return removal.Apply(ctx, r.progress)
}
