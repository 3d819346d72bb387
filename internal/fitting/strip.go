package fitting

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"sort"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Removal is what a strip would do.
type Removal struct {
	Pages    int            // pages to be restored
	Deleted  []string       // files that fit wrote
	Restored []string       // files of the site's own that fit replaced or completed
	Kept     []site.Skipped // what somebody changed since, and what cannot be restored
	Worker   string         // path of a worker of ours, or one that retires another, that is among the deleted or replaced; "" for none
	Farewell string         // source of the worker that takes it from visitors' browsers

	Layouts []*Layout // templates whose tags are taken out, or have to be by hand

	Leftovers []string // of a run of fit that was interrupted: files of our own folder, and folders that it made and that are empty

	plan         *Plan
	site         *site.Site
	emptied      []string // folders that an interrupted run made and that are empty
	keepRetiring bool     // workers that retire others stay
}

// Nothing says whether there is nothing to take out.
func (r *Removal) Nothing() bool {
	return r.Pages+len(r.Deleted)+len(r.Restored)+len(r.Kept)+len(r.Layouts)+len(r.Leftovers) == 0 && len(r.plan.record.Files) == 0
}

// Unfit decides what to take out of a site. Nothing is changed.
func Unfit(ctx context.Context, s *site.Site, progress func(done, total int)) (*Removal, error) {
	return unfit(ctx, s, progress, false)
}

func unfit(ctx context.Context, s *site.Site, progress func(done, total int), keepRetiring bool) (*Removal, error) {
	rec, err := recoverRecord(s)
	if err != nil {
		return nil, err
	}
	r := &Removal{site: s, keepRetiring: keepRetiring, plan: &Plan{Site: s, Same: map[string]int{}, record: rec, strip: true,
		next: &record{Format: recordFormat, Files: map[string]recorded{}, Base: rec.Base}}}
	written := make([]string, 0, len(rec.Files))
	for p := range rec.Files {
		written = append(written, p)
	}
	sort.Strings(written)
	whole := map[string]bool{} // pages that go as files
	for _, p := range written {
		if err := r.file(p, rec.Files[p], whole); err != nil {
			return nil, err
		}
	}
	if err := r.pages(ctx, whole, progress); err != nil {
		return nil, err
	}
	for _, name := range rec.Layouts {
		l, err := unfitLayout(s.Dir, name)
		if err != nil {
			return nil, err
		}
		switch {
		case l == nil:
		case l.Why != "":
			r.Kept = append(r.Kept, site.Skipped{Path: l.File, Why: l.Why})
			r.plan.next.Layouts = append(r.plan.next.Layouts, name)
		case l.Changed:
			r.Layouts = append(r.Layouts, l)
		}
	}
	left := leftovers(s.Root())
	r.Leftovers, r.emptied = append(left.files, left.folders...), left.folders
	sort.Slice(r.plan.Changes, func(i, j int) bool { return r.plan.Changes[i].Path < r.plan.Changes[j].Path })
	sort.Slice(r.Kept, func(i, j int) bool { return r.Kept[i].Path < r.Kept[j].Path })
	return r, nil
}

// file decides about one file that fit wrote.
func (r *Removal) file(p string, e recorded, whole map[string]bool) error {
	data, err := regular.ReadIn(r.site.Root(), filepath.FromSlash(p), regular.Large)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("%s: %w", p, err)
	}
	if digest(data) == e.Original {
		return nil // restored already, by a run that was interrupted
	}
	if digest(data) != e.SHA256 {
		r.Kept = append(r.Kept, site.Skipped{Path: p, Why: "fit wrote it and somebody changed it since"})
		return nil
	}
	if isRetiring(data) && r.keepRetiring {
		r.plan.next.Files[p] = e
		return nil
	}
	if isWorker(data) || isRetiring(data) {
		r.Worker, r.Farewell = p, worker.Retiring(cmp.Or(r.plan.record.Base, r.site.Base), false)
	}
	if e.Original == "" {
		whole[p] = true
		r.Deleted = append(r.Deleted, p)
		return nil
	}
	original, err := originalOf(r.site, e.Original)
	if err != nil || digest(original) != e.Original {
		r.Kept = append(r.Kept, site.Skipped{Path: p, Why: "its original, which fit kept beside " + recordName(r.site) + ", is missing or damaged"})
		return nil //nolint:nilerr // said to the user
	}
	file, _ := r.site.File(p)
	r.Restored = append(r.Restored, p)
	r.plan.Changes = append(r.plan.Changes, Change{Path: p, Kind: "original", Exists: true, mode: uint32(file.Mode), data: original, old: digest(data), sum: e.Original})
	return nil
}

func isWorker(data []byte) bool {
	const mark = "// Tachyform service worker"
	return len(data) > len(mark) && string(data[:len(mark)]) == mark
}

func isRetiring(data []byte) bool { return bytes.HasPrefix(data, []byte(worker.RetiringMark)) }

// pages finds the pages that hold something of ours.
func (r *Removal) pages(ctx context.Context, whole map[string]bool, progress func(done, total int)) error {
	pages := r.site.Pages()
	changes := make([]*Change, len(pages))
	damaged := make([]string, len(pages))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, file := range pages {
		if whole[file.Path] || file.Real != file.Path {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			buf := buffers.Get().(*[]byte)
			defer buffers.Put(buf)
			src, err := r.site.ReadInto(file.Path, *buf)
			*buf = src
			if err != nil {
				damaged[i] = err.Error()
				return nil //nolint:nilerr // said to the user
			}
			_, n, err := pagehead.Remove(src)
			switch {
			case err != nil:
				damaged[i] = err.Error()
			case n > 0:
				changes[i] = &Change{Path: file.Path, Kind: "page", Exists: true, mode: uint32(file.Mode), old: quick(src)}
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for i, c := range changes {
		if damaged[i] != "" {
			r.Kept = append(r.Kept, site.Skipped{Path: pages[i].Path, Why: damaged[i]})
		}
		if c != nil {
			r.Pages++
			r.plan.Changes = append(r.plan.Changes, *c)
		}
	}
	if progress != nil {
		progress(len(pages), len(pages))
	}
	return nil
}

// Changes are the files to be written anew.
func (r *Removal) Changes() []Change { return r.plan.Changes }

// Apply takes everything out: pages first, then the files that they named, at last the record.
func (r *Removal) Apply(ctx context.Context, progress func(done, total int)) error {
	return r.plan.locked(func() error {
		for _, l := range r.Layouts { // before the files that its tags name
			if err := l.write(); err != nil {
				return fmt.Errorf("%w; nothing else was taken out: run strip again", err)
			}
		}
		if err := r.plan.apply(ctx, progress); err != nil {
			return err
		}
		root := r.site.Root()
		dirs := map[string]bool{}
		for _, p := range r.Deleted {
			if err := root.Remove(filepath.FromSlash(p)); err != nil && !errors.Is(err, fs.ErrNotExist) {
				return fmt.Errorf("%s: %w; run strip again to complete it", p, err)
			}
			dirs[path.Dir(p)] = true
		}
		for d := range dirs {
			if d != "." {
				_ = root.Remove(filepath.FromSlash(d)) // only when it is empty
			}
		}
		for _, d := range r.emptied {
			_ = root.Remove(filepath.FromSlash(d)) // only when it is still empty
		}
		if len(r.plan.next.Files) > 0 { // what was left is still known
			if err := replace(root, recordFile, r.plan.next.bytes(), 0o644); err != nil {
				return fmt.Errorf("the record: %w; run it again to complete the work", err)
			}
		}
		_ = root.Remove(filepath.FromSlash(journalFile))
		if len(r.plan.next.Files) > 0 {
			return nil
		}
		_ = root.Remove(filepath.FromSlash(recordFile))
		if len(r.Kept) == 0 && (len(r.plan.record.Files) > 0 || slices.Contains(r.Leftovers, originalsDir)) { // else they were left for somebody by an earlier strip
			_ = root.RemoveAll(filepath.FromSlash(originalsDir))
		}
		return nil
	})
}
