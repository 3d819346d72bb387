package fitting

import (
	"cmp"
	"context"
	"fmt"
	"path"
	"regexp"
	"runtime"
	"slices"
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
		Offline: offline, Takeover: cmp.Or(f.cfg.Update.Takeover, "next-visit"), Minify: f.cfg.Worker.Minify}
	if plan.Image, err = f.named("image", f.cfg.Offline.Image); err != nil {
		return err
	}
	if plan.Beside, err = f.beside(workerPath); err != nil {
		return err
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
		plan.Rules = append(plan.Rules, worker.Rule{Source: f.site.Base + "*", Match: "^" + quote(f.site.Base), Answer: worker.NetworkFirst, Patience: 4000, Entries: 500})
	}
	plan.Preload = f.preloads(plan.Rules)
	f.lookOver(plan, now, later)
	src, err := worker.Worker(plan)
	if err != nil {
		return err
	}
	f.write("worker", workerPath, src)
	f.plan.Caching = plan
	return nil
}

// named finds a file that the configuration names by its URL, "" for none.
func (f *fitter) named(key, u string) (string, error) {
	if u == "" {
		return "", nil
	}
	file := f.inv.FileOf(u)
	if file == nil {
		return "", fmt.Errorf("%s: %s names %s, which is not in the site", f.cfg.File, key, u)
	}
	return file.URL, nil
}

// preloads says whether pages are answered from the network first, so that asking it while the worker starts saves time.
func (f *fitter) preloads(rules []worker.Rule) bool {
	for _, p := range f.inv.Pages {
		for i := range rules {
			if rules[i].Matches(worker.Asked{Address: p.File.URL, Destination: "document"}) {
				if rules[i].Answer == worker.NetworkFirst {
					return true
				}
				break
			}
		}
	}
	return false
}

// rules turns the configuration's rules and what the survey saw into the worker's.
func (f *fitter) rules() ([]worker.Rule, error) {
	var out []worker.Rule
	for _, g := range f.cfg.Offline.Except {
		out = append(out, worker.Leave(g))
	}
	for i := range f.cfg.Rules {
		r, err := f.cfg.Rules[i].Worker()
		if err != nil {
			return nil, err
		}
		out = append(out, r)
	}
	for _, g := range f.cfg.Stow.Never {
		out = append(out, worker.NetworkOnlyRule(g))
	}
	for _, p := range f.inv.Pages {
		if p.Personal != "" && len(f.cfg.Stow.Now)+len(f.cfg.Stow.Later) == 0 {
			out = append(out, worker.Rule{Source: p.File.URL, Match: "^" + quote(p.File.URL) + `(?:\?[\s\S]*)?$`, Answer: worker.NetworkOnly})
		}
	}
	for _, u := range f.inv.Data {
		if slices.ContainsFunc(out, func(r worker.Rule) bool { return r.Matches(worker.Asked{Address: u, Destination: "empty"}) }) {
			continue // the configuration has an answer
		}
		out = append(out, worker.Rule{Source: u, Match: "^" + quote(u) + `(?:\?[\s\S]*)?$`, Answer: worker.NetworkFirst, Patience: 3000, Entries: 50})
		f.plan.Inferences = append(f.plan.Inferences, Inference{"rule", u + " network-first, patience 3 s", "a script fetches it as data"})
	}
	return out, nil
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
	always := map[string]bool{f.script: true} // whatever the configuration says
	for u := range f.inv.Closure(offline) {
		always[u] = true
	}
	if image, err := f.named("image", f.cfg.Offline.Image); err == nil && image != "" {
		always[image] = true
	}
	delete(always, "")
	if offline != "" {
		always[offline] = true
	}
	var added []string
	small := !configured && total <= st.Ceiling && len(candidates) <= maxListed
	for _, file := range candidates {
		switch {
		case configured && match(f.cfg.Stow.Now, file), first[file.URL] && !configured, small, always[file.URL]:
			if configured && !match(f.cfg.Stow.Now, file) && file.URL != offline && file.URL != f.script {
				added = append(added, file.URL)
			}
			now = append(now, file)
			st.Now++
			st.NowBytes += file.Size
		case configured && match(f.cfg.Stow.Later, file), !configured:
			later = append(later, file)
			st.Later++
			st.LaterBytes += file.Size
		}
	}
	if len(added) > 0 {
		f.remark("what is shown offline needs %s, which no list in [stow] now has: stored now as well", listed(added))
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

// listed writes a few of many names.
func listed(names []string) string {
	const shown = 3
	if len(names) <= shown+1 {
		return strings.Join(names, ", ")
	}
	return fmt.Sprintf("%s and %d more", strings.Join(names[:shown], ", "), len(names)-shown)
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
