package fitting

import (
	"cmp"
	"context"
	"fmt"
	"net/url"
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

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
	"tachyform.dev/tachyform/internal/worker"
)

// maxListed is how many files a site may have that is stored as a whole, and whose pages are read twice.
const maxListed = 4000

// maxLater is how many files that are stored later stand in the worker itself; longer lists lie beside it, in pieces.
const maxLater = 500

func quote(u string) string { return regexp.QuoteMeta(u) }

// prepare decides what of the worker does not depend on the site's files: what the page script has to know, too.
func (f *fitter) prepare() error {
	rules, err := f.rules()
	if err != nil {
		return err
	}
	f.caching = &worker.Plan{Base: f.site.Base, Script: f.script, Rules: rules, Takeover: cmp.Or(f.cfg.Update.Takeover, "next-visit"), Urgent: f.opts.Urgent, Look: int(f.cfg.Update.LookEvery().Milliseconds()), Age: f.cfg.Update.Age, Minify: f.cfg.Worker.Minify,
		Preload: f.cfg.Worker.Preload, Persist: f.cfg.Worker.Persist, Patience: int(f.cfg.Offline.NavigationPatience().Milliseconds()), Now: map[string]worker.Entry{}, Later: map[string]worker.Entry{}}
	if o := f.cfg.Offer; o != nil {
		f.caching.Offer = &worker.Offer{After: cmp.Or(o.After, 2), Times: cmp.Or(o.Times, 3), Rest: o.Resting().Milliseconds()}
	}
	for _, g := range f.cfg.Stow.Groups {
		var parts []string
		for _, glob := range g.Files {
			parts = append(parts, worker.Glob(glob))
		}
		f.caching.Groups = append(f.caching.Groups, worker.Group{Name: g.Name, Match: strings.Join(parts, "|")})
	}
	return nil
}

// worker writes the service worker.
func (f *fitter) worker(ctx context.Context, workerPath, offline string, digests map[string]worker.Entry) error {
	plan := f.caching
	plan.Offline = offline
	plan.Shell, plan.Routes = f.shell, worker.RoutesOf(f.cfg.Offline.Routes)
	var err error
	if plan.Image, err = f.named("image", f.cfg.Offline.Image); err != nil {
		return err
	}
	if plan.Beside, err = f.beside(workerPath); err != nil {
		return err
	}
	now, later, err := f.stow(ctx, workerPath, offline)
	if err != nil {
		return err
	}
	if err := f.digests(ctx, append(append([]site.File{}, now...), later...), digests); err != nil {
		return err
	}
	for _, file := range now {
		plan.Now[file.URL] = digests[file.Path]
		plan.Ranges = plan.Ranges || file.Kind() == "media"
	}
	for _, file := range later {
		plan.Later[file.URL] = digests[file.Path]
		plan.Ranges = plan.Ranges || file.Kind() == "media"
	}
	plan.Long = f.plan.Stowed.AsVisited
	plan.Visited = f.visited()
	f.ahead(plan)
	plan.Apart = f.apart(plan)
	f.unkept(plan)
	enginePath := f.free("sw-engine.js", "app-sw-engine.js")
	plan.Engine = f.url(enginePath)
	f.lookOver(plan, now, later)
	src, err := worker.Worker(plan)
	if err != nil {
		return err
	}
	f.write("worker", workerPath, src)
	if src, err = worker.Engine(plan); err != nil {
		return err
	}
	f.write("engine", enginePath, src)
	files, _ := plan.Pieces()
	for u, data := range files {
		f.write("list", strings.TrimPrefix(u, f.site.Base), data)
	}
	f.plan.Caching = plan
	return nil
}

// ahead names the data that scripts fetch and rules keep, and files of other origins whose digest is known, so that they are there after one
// visit.
func (f *fitter) ahead(plan *worker.Plan) {
	for i := range f.cfg.Rules {
		if r := &f.cfg.Rules[i]; r.Integrity != "" {
			plan.Ahead = append(plan.Ahead, r.URL())
		}
	}
	for _, u := range f.inv.Data {
		d := plan.Decide(worker.Asked{Address: u, Destination: "empty"})
		file := f.inv.FileOf(u)
		if d.Rule < 0 || file == nil || !plan.Rules[d.Rule].Stores() || plan.Rules[d.Rule].Private || plan.Rules[d.Rule].Entries < len(f.inv.Data) {
			continue
		}
		plan.Ahead = append(plan.Ahead, u)
		f.plan.Stowed.Ahead++
		f.plan.Stowed.AheadBytes += file.Size
	}
}

// apart gives the paths of the site's files that an application's shell would answer in their place: they look like routes, and are
// not stored.
func (f *fitter) apart(plan *worker.Plan) []string {
	out := []string{}
	if plan.Shell == "" {
		return out
	}
	for _, file := range f.site.Files {
		_, now := plan.Now[file.URL]
		_, later := plan.Later[file.URL]
		if now || later || path.Ext(file.URL) != "" {
			continue
		}
		name, err := url.PathUnescape(file.URL)
		if err != nil {
			name = file.URL
		}
		out = append(out, name)
		if bare := strings.TrimSuffix(name, "/"); bare != name && bare != "" {
			out = append(out, bare)
		}
	}
	slices.Sort(out)
	return out
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

// rules turns the configuration's rules and what the survey saw into the worker's. What a rule may not store comes before: only a rule
// that names the exception on purpose stands above it.
func (f *fitter) rules() ([]worker.Rule, error) {
	var out []worker.Rule
	f.places, f.ruleAt = nil, make([]int, len(f.cfg.Rules))
	add := func(r worker.Rule, line int) {
		out = append(out, r)
		place := caching.Place{}
		if line > 0 {
			place = caching.Place{File: f.cfg.File, Line: line}
		}
		f.places = append(f.places, place)
	}
	for _, a := range f.site.Apps {
		add(worker.Leave(f.site.Base+globEscape(a)+"/**"), 0)
	}
	for _, g := range f.cfg.Offline.Except {
		line, _ := f.cfg.Place("except", g)
		add(worker.Leave(g), line)
	}
	nevers := func() {
		for _, g := range f.cfg.Stow.Never {
			line, _ := f.cfg.Place("never", g)
			add(worker.NetworkOnlyRule(g), line)
		}
	}
	said := false
	for i := range f.cfg.Rules {
		r, err := f.cfg.Rules[i].Worker()
		if err != nil {
			return nil, err
		}
		if f.cfg.Rules[i].Never == "" && !said {
			nevers()
			said = true
		}
		line, _ := f.cfg.RulePlace(i)
		f.ruleAt[i] = len(out)
		add(r, line)
	}
	if !said {
		nevers()
	}
	personal := func(u string) {
		out = append(out, worker.Rule{Source: u, Match: "^" + quote(u) + `(?:\?[\s\S]*)?$`, Answer: worker.NetworkOnly})
	}
	for _, p := range f.inv.Pages {
		if p.Personal != "" && len(f.cfg.Stow.Now)+len(f.cfg.Stow.Later) == 0 {
			personal(p.File.URL)
		}
	}
	for _, u := range f.inv.Data {
		if slices.ContainsFunc(out, func(r worker.Rule) bool { return r.Matches(worker.Asked{Address: u, Destination: "empty"}) }) {
			continue // the configuration has an answer
		}
		if survey.PersonalPath(strings.TrimPrefix(u, f.site.Base)) {
			personal(u)
			f.plan.Inferences = append(f.plan.Inferences, Inference{"rule", u + " network-only", "its address looks like what belongs to one person: nothing of it is stored"})
			continue
		}
		out = append(out, worker.Rule{Source: u, Match: "^" + quote(u) + `(?:\?[\s\S]*)?$`, Answer: worker.NetworkFirst, Patience: 3000, Entries: 50})
		f.plan.Inferences = append(f.plan.Inferences, Inference{"rule", u + " network-first, patience 3 s", "a script fetches it as data"})
	}
	return append(out, f.notRoutes()...), nil
}

// keptByRule says whether a rule answers for a file and stores what it answers, so that the release has no part in it.
func (f *fitter) keptByRule(file site.File) bool {
	if _, ours := f.ours[file.Path]; ours || f.caching == nil || slices.Contains(f.cfg.Stow.Now, file.URL) || slices.Contains(f.cfg.Stow.Later, file.URL) {
		return false
	}
	as := caching.DestinationOf(file)
	for i := range f.caching.Rules {
		if r := &f.caching.Rules[i]; r.Matches(worker.Asked{Address: file.URL, Destination: as}) {
			return r.Stores()
		}
	}
	return false
}

// digests fills in the digests of files that are not pages.
func (f *fitter) digests(ctx context.Context, files []site.File, digests map[string]worker.Entry) error {
	left := map[string]bool{}
	for _, l := range f.plan.Left {
		left[l.Path] = true
	}
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
			d := worker.Entry{Digest: release.Digest(data), Kind: kindOfFile(file)}
			if file.IsPage() && !ours && !left[file.Path] { // not digested with the others, since there are so many
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

// kindOfFile says how a file that is no page is checked.
func kindOfFile(file site.File) worker.Kind {
	if kind := file.Kind(); kind == "script" || kind == "style" || kind == "page" || path.Ext(file.Path) == ".wasm" {
		return worker.Code
	}
	return worker.Other
}

// stow divides the site's files into those stored now, later and never.
func (f *fitter) stow(ctx context.Context, workerPath, offline string) (now, later []site.File, err error) {
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
	configured := len(f.cfg.Stow.Now)+len(f.cfg.Stow.Later) > 0 && !f.site.IsRendered() // there its lists are about pages
	first := f.inv.Closure(f.inv.StartFile.URL, offline, f.shell)
	always := map[string]bool{f.script: true, f.url(f.offlineScript): f.offlineScript != "", f.offlineIcon: true} // whatever the configuration says
	for u := range f.inv.Closure(offline, f.shell) {
		always[u] = true
	}
	if image, err := f.named("image", f.cfg.Offline.Image); err == nil && image != "" {
		always[image] = true
	}
	delete(always, "")
	for _, u := range []string{offline, f.shell} {
		always[u] = u != ""
	}
	var added []string
	wanted := map[string]bool{}
	if !configured {
		if wanted, err = f.wanted(ctx, candidates, st.Ceiling); err != nil {
			return nil, nil, err
		}
	}
	if !configured && len(wanted) == 0 && !f.site.IsRendered() {
		f.entered(candidates, first, always, st.Ceiling)
	}
	for _, file := range candidates {
		switch {
		case (configured || f.site.IsRendered()) && match(f.cfg.Stow.Now, file), first[file.URL] && !configured, wanted[file.URL], always[file.URL]:
			if configured && !match(f.cfg.Stow.Now, file) && file.URL != offline && file.URL != f.shell && file.URL != f.script {
				added = append(added, file.URL)
			}
			now = append(now, file)
			st.Now++
			st.NowBytes += file.Size
		case configured && match(f.cfg.Stow.Later, file), !configured:
			if len(wanted) > 0 {
				st.Spared = append(st.Spared, file)
			}
			later = append(later, file)
			st.Later++
			st.LaterBytes += file.Size
		}
	}
	if len(added) > 0 {
		f.remark("what is shown offline needs %s, which no list in [stow] now has: stored now as well", listed(added))
	}
	st.AsVisited = !f.site.IsRendered() && len(later) > cmp.Or(f.opts.listed, maxLater)
	if st.NowBytes > st.Ceiling {
		f.remark("the first visit downloads %s, over the ceiling of %s; the biggest are %s; by folder: %s", size(st.NowBytes), size(st.Ceiling), biggest(now), f.byFolder(now))
		if room := f.roomFor(candidates, st.Ceiling); room != "" && !f.site.IsRendered() {
			f.remark("within the ceiling, [stow] %s; what is later is stored when somebody asks for it", room)
		}
	}
	return now, later, nil
}

// entered adds to what is stored first, on a site that is too large to be stored as a whole, the pages that its manifest names: whoever has the
// icon taps on its shortcuts, too. A page for which there is no room under the ceiling is left out.
func (f *fitter) entered(candidates []site.File, first, always map[string]bool, ceiling int64) {
	sizes := map[string]int64{}
	var total int64
	for _, file := range candidates {
		if sizes[file.URL] = file.Size; first[file.URL] || always[file.URL] {
			total += file.Size
		}
	}
	for _, page := range f.entrances() {
		var more int64
		needs := f.inv.Closure(page)
		for u := range needs {
			if !first[u] && !always[u] {
				more += sizes[u]
			}
		}
		if total+more > ceiling {
			continue
		}
		total += more
		for u := range needs {
			first[u] = true
		}
	}
}

// entrances lists the pages of the site that its manifest leads to, as it will be, in their order.
func (f *fitter) entrances() (pages []string) {
	var asked []string
	data, known := f.ours[f.plan.Manifest]
	if _, there := f.site.File(f.plan.Manifest); !known && there {
		var err error
		data, err = f.site.Read(f.plan.Manifest)
		known = err == nil
	}
	if known {
		if m, err := manifest.Process(data, f.plan.Manifest, weburl.Origin+f.url(f.plan.Manifest), weburl.Origin+f.inv.StartFile.URL); err == nil {
			for _, e := range entrance.Of(m, weburl.Origin) {
				if e.Form == nil && e.File == nil {
					asked = append(asked, e.URL)
				}
			}
		}
	} else { // nothing is written yet
		for _, s := range f.app.shortcuts {
			asked = append(asked, s.URL)
		}
	}
	for _, u := range asked {
		path, _, _ := strings.Cut(u, "?")
		if file := f.inv.FileOf(path); file != nil && file.IsPage() && !slices.Contains(pages, file.URL) {
			pages = append(pages, file.URL)
		}
	}
	return pages
}

// wanted gives the URLs of a small site's files that its visitors may ask for; none when they are too many, or weigh more than the first
// visit may. When the site's text is too much to read, that is all of its files.
func (f *fitter) wanted(ctx context.Context, candidates []site.File, ceiling int64) (map[string]bool, error) {
	if len(candidates) > maxListed {
		return nil, nil
	}
	isOurs := func(path string) bool {
		_, written := f.ours[path]
		return written || f.rec.Files[path].SHA256 != ""
	}
	choose := func(wanted map[string]bool) map[string]bool {
		all := map[string]bool{}
		var total int64
		for _, file := range candidates {
			if all[file.URL] = isOurs(file.Path) || wanted == nil || wanted[file.URL]; all[file.URL] {
				total += file.Size
			}
		}
		if total > ceiling {
			return nil
		}
		return all
	}
	pages := []string{}
	for _, p := range f.inv.Pages {
		pages = append(pages, p.File.URL)
	}
	if choose(f.inv.Closure(pages...)) == nil {
		return nil, nil
	}
	wanted, known, err := f.inv.Wanted(ctx, isOurs)
	if err != nil {
		return nil, err
	}
	if !known {
		wanted = nil
	}
	return choose(wanted), nil
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
		if ok, why := f.servedFile(file); !ok {
			if why != "" {
				never(why)
			}
			return
		}
		switch kind := f.kinds[file.Path]; {
		case f.site.InApp(file.Path):
			return // named as a whole
		case kind == "icon" || kind == "launch picture" || kind == "manifest" || kind == "screenshot" || kind == "worker" || file.Path == workerPath:
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
		case !file.IsPage() && survey.ServerRuns.MatchString(file.Path):
			never("a server runs it")
		case f.keptByRule(file):
			never("a rule keeps it")
		case slices.Contains(f.inv.Data, file.URL) && survey.PersonalPath(strings.TrimPrefix(file.URL, f.site.Base)) && !slices.Contains(f.cfg.Stow.Now, file.URL):
			never("its address looks like what belongs to one person")
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
			add(site.File{Path: p, Real: p, URL: f.site.PageURL(p), Size: int64(len(data)), Type: site.TypeOf(path.Base(p))})
		}
	}
	sort.Slice(out, func(i, j int) bool { return out[i].Path < out[j].Path })
	return out
}
