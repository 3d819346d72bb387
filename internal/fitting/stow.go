package fitting

import (
	"context"
	"fmt"
	"path"
	"regexp"
	"runtime"
	"sort"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/dustin/go-humanize"
	"golang.org/x/sync/errgroup"

	"tachyform/internal/release"
	"tachyform/internal/site"
	"tachyform/internal/survey"
	"tachyform/internal/worker"
)

// maxListed is how many files a worker lists at most; of larger sites it stores what is visited.
const maxListed = 4000

func quote(u string) string { return regexp.QuoteMeta(u) }

// worker writes the service worker.
func (f *fitter) worker(ctx context.Context, workerPath, offline string, digests map[string]string) error {
	rules, err := f.rules()
	if err != nil {
		return err
	}
	plan := &worker.Plan{Base: f.site.Base, Script: f.script, Now: map[string]string{}, Later: map[string]string{}, Rules: rules,
		Offline: offline, Takeover: f.cfg.Update.Takeover}
	if plan.Takeover == "" {
		plan.Takeover = "next-visit"
	}
	now, later, err := f.stow(workerPath, offline)
	if err != nil {
		return err
	}
	if err := f.digests(ctx, append(append([]site.File{}, now...), later...), digests); err != nil {
		return err
	}
	for _, file := range now {
		plan.Now[file.URL] = digests[file.Path]
	}
	for _, file := range later {
		plan.Later[file.URL] = digests[file.Path]
	}
	if f.plan.Stowed.AsVisited {
		plan.Rules = append(plan.Rules, worker.Rule{Match: "^" + quote(f.site.Base), Answer: "network-first", Patience: 4000, Entries: 500})
	}
	f.write("worker", workerPath, worker.Worker(plan))
	return nil
}

// digests fills in the digests of files that are not pages.
func (f *fitter) digests(ctx context.Context, files []site.File, digests map[string]string) error {
	var mu sync.Mutex
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for _, file := range files {
		mu.Lock()
		_, known := digests[file.Path]
		mu.Unlock()
		if known {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			data, ours := f.ours[file.Path]
			if !ours {
				var err error
				if data, err = f.site.Read(file.Path); err != nil {
					return fmt.Errorf("%w: the worker could not check what it stores of it, so nothing was written; make the file readable, take it out of the site, or name it in [stow] never", err)
				}
			}
			d := release.Digest(data)
			if file.IsPage() && !ours { // not digested with the others, since there are so many
				out, _, err := f.edit(file.Path, file.URL, data)
				if err == nil {
					data = out
				}
				d = f.releaseOf(data)
			}
			mu.Lock()
			digests[file.Path] = d
			mu.Unlock()
			return nil
		})
	}
	return g.Wait()
}

// stow divides the site's files into those stored now, later and never.
func (f *fitter) stow(workerPath, offline string) (now, later []site.File, err error) {
	st := &f.plan.Stowed
	if st.Ceiling, err = f.cfg.Ceiling(); err != nil {
		return nil, nil, err
	}
	candidates := f.candidates(workerPath)
	match := func(globs []string, file site.File) bool {
		for _, g := range globs {
			for _, name := range []string{file.URL, f.site.Base + file.Path} {
				if ok, _ := doublestar.Match(g, name); ok {
					return true
				}
			}
		}
		return false
	}
	var total int64
	for _, file := range candidates {
		total += file.Size
	}
	configured := len(f.cfg.Stow.Now)+len(f.cfg.Stow.Later) > 0
	first := f.inv.Closure(f.inv.StartFile.URL, offline)
	if offline != "" {
		first[offline] = true
	}
	if f.script != "" {
		first[f.script] = true
	}
	small := !configured && total <= st.Ceiling && len(candidates) <= maxListed
	for _, file := range candidates {
		switch {
		case configured && match(f.cfg.Stow.Now, file), first[file.URL] && !configured, small,
			file.URL == offline, file.URL == f.script:
			now = append(now, file)
			st.Now++
			st.NowBytes += file.Size
		case configured && match(f.cfg.Stow.Later, file), !configured:
			later = append(later, file)
			st.Later++
			st.LaterBytes += file.Size
		}
	}
	if len(later) > maxListed || len(later) > 0 && !configured && len(candidates) > maxListed {
		st.AsVisited = true
		later = nil
	}
	if st.NowBytes > st.Ceiling {
		f.remark("the first visit downloads %s, over the ceiling of %s; the biggest are %s", size(st.NowBytes), size(st.Ceiling), biggest(now))
	}
	return now, later, nil
}

func size(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }

func biggest(files []site.File) string {
	sorted := append([]site.File{}, files...)
	sort.SliceStable(sorted, func(i, j int) bool { return sorted[i].Size > sorted[j].Size })
	var out []string
	for _, f := range sorted[:min(3, len(sorted))] {
		out = append(out, fmt.Sprintf("%s (%s)", f.Path, size(f.Size)))
	}
	return strings.Join(out, ", ")
}

// candidates are the files that visitors ask for, with those that fit writes.
func (f *fitter) candidates(workerPath string) []site.File {
	st := &f.plan.Stowed
	personal := map[string]string{}
	for _, p := range f.inv.Pages {
		personal[p.File.Path] = p.Personal
	}
	var out []site.File
	add := func(file site.File) {
		never := func(why string) { st.Never = append(st.Never, site.Skipped{Path: file.Path, Why: why}) }
		switch kind := f.kinds[file.Path]; {
		case kind == "icon" || kind == "manifest" || kind == "screenshot" || kind == "worker" || file.Path == workerPath:
			return // browsers fetch these past the worker
		case f.rec.Files[file.Path].SHA256 != "" && kind == "":
			return
		}
		for _, g := range append(append([]string{}, f.cfg.Stow.Never...), f.cfg.Offline.Except...) {
			if ok, _ := doublestar.Match(g, file.URL); ok {
				never("the configuration says so")
				return
			}
		}
		switch {
		case personal[file.Path] != "" && len(f.cfg.Stow.Now)+len(f.cfg.Stow.Later) == 0:
			never(personal[file.Path])
		case !file.IsPage() && survey.NotForVisitors.MatchString(file.Path):
			never("visitors do not ask for it")
		default:
			out = append(out, file)
		}
	}
	seen := map[string]bool{}
	for _, file := range f.site.Files {
		seen[file.Path] = true
		if n, ok := f.sizes[file.Path]; ok {
			file.Size = n
		}
		if data, ok := f.ours[file.Path]; ok {
			file.Size = int64(len(data))
		}
		add(file)
	}
	for p, data := range f.ours {
		if !seen[p] {
			add(site.File{Path: p, Real: p, URL: site.PageURL(f.site.Base, p), Size: int64(len(data)), Type: site.TypeOf(path.Base(p))})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Path < out[j].Path })
	return out
}
