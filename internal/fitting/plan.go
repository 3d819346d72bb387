// Package fitting decides what to put into a site and puts it there, with a journal, so that a crash at any moment
// leaves every file either old or new.
package fitting

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"image/color"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// Options of a fit beside the configuration.
type Options struct {
	Urgent        bool            // this release takes over at once, whatever the configuration says
	ReplaceWorker bool            // write our worker in place of the site's own
	Anyway        bool            // also when the folder is probably not what was meant
	NoWorker      bool            // write no worker into a site that has none of ours
	Progress      survey.Progress // told how many of how many files are read

	// ManifestOnly writes the manifest and links it; icons, worker and other tags are left out. In a site that was fitted
	// it makes no difference: everything else is there already.
	ManifestOnly bool
	// RulesOnly is for a plan that is looked at and not applied: no icons are drawn.
	RulesOnly bool
	// Screenshots are pictures of the app for the dialogue to install. Those of an earlier fit stay without new ones.
	Screenshots []Screenshot

	// Applications finds the applications of the site that was surveyed, and says what could not be found out; nil for nobody who does.
	Applications func(context.Context, *survey.Inventory) ([]survey.Application, []string, error)

	// Redirects are those of the server, as far as they are known: a draft leaves those that lead to a sign-in to it.
	Redirects []site.RedirectRule

	From *From // what a draft says of the server that makes the pages; nil for a folder of pages

	// Served is what is known of the server of a site whose pages come from one.
	Served *Served

	listed int // files that the worker lists at most, 0 for the usual number
}

// Change is one file to write.
type Change struct {
	Path   string // below the site
	Kind   string // "page", "icon", "manifest", "worker", "page script" or "offline page"
	Exists bool   // something stands there already
	mode   uint32
	data   []byte // nil for pages, which are edited again when they are written
	splice *splice
	old    string // digest of what stands there, "" when nothing does; a quick one for pages
	sum    string // digest of what will stand there
	keep   bool   // what stands there is not ours and must be kept for strip
}

// Conflict is a tag of a page that says something else than fit would, or something in the configuration that does not
// do what it seems to.
type Conflict struct {
	File         string
	Line, Column int
	Message      string
}

// Stowed says what the worker will store.
type Stowed struct {
	Now, Later           int   // files
	NowBytes, LaterBytes int64 // uncompressed
	Ceiling              int64
	Never                []site.Skipped
	Spared               []site.File // of a site that is stored as a whole: what nothing in it asks for, so that it waits until somebody does
	AsVisited            bool        // too many files to list in the worker: the list lies beside it, in pieces
	Ahead                int         // data that rules keep and that is fetched while the worker installs
	AheadBytes           int64       // of it
}

// Plan is what a fit would do.
type Plan struct {
	Site       *site.Site
	Changes    []Change // in path order
	Same       map[string]int
	Inferences []Inference
	Left       []site.Skipped // pages that are not edited, and why
	Conflicts  []Conflict
	Remarks    []string
	Stowed     Stowed
	Manifest   string // path of the manifest
	Worker     string // path of our worker, "" when none is written
	Foreign    *survey.Registration
	Caching    *worker.Plan // what our worker is written from, nil when none is written

	Rendered *Rendered // of a site whose pages come from a server; nil for a folder of pages

	fitter *fitter
	record *record
	next   *record
	left   map[string]bool // paths of the pages that are left alone
	strip  bool            // takes out what an earlier fit put in
}

// ErrManifest wraps what is wrong with a site's own manifest so that it cannot be completed.
var ErrManifest = errors.New("the site's own manifest cannot be completed")

// fitter holds what the decisions are made from.
type fitter struct {
	site   *site.Site
	cfg    *config.Config
	opts   Options
	inv    *survey.Inventory
	app    app
	rec    *record
	plan   *Plan
	tags   []pagehead.Element
	ours   map[string][]byte // files that fit writes, by path
	kinds  map[string]string
	sizes  map[string]int64 // of pages as they will be
	many   bool             // so many files that what the survey kept of pages has to do where it can
	script string           // URL of the page script, "" when none is written

	otherRoutes []string            // globs for the routes of further applications at the site's root
	routesOf    *survey.Application // the application whose routes its document answers, nil for none
	shell       string              // URL of that document

	offlineIcon   string          // URL of the picture on it, "" for none
	offlineScript string          // path of the script of our offline page, "" when none is written
	caching       *worker.Plan    // what our worker is written from, as far as it is decided
	places        []caching.Place // where its rules stand in the configuration
	ruleAt        []int           // number of each configured rule among them
}

// Make decides what to write. Nothing is changed.
func Make(ctx context.Context, s *site.Site, cfg *config.Config, opts Options) (made *Plan, err error) {
	rec, err := recoverRecord(s)
	if err != nil {
		return nil, err
	}
	if rec.Icons == "" && !opts.ManifestOnly && !opts.RulesOnly { // a master is likely to be SVG: let its renderer start while the pages are read
		icon.Warm()
	}
	inv, err := survey.Take(ctx, s, survey.Options{Progress: opts.Progress, Edits: true})
	if err != nil {
		return nil, err
	}
	if d := inv.Doubt(); d != nil && !opts.Anyway && !opts.RulesOnly && len(rec.Files) == 0 && cfg.App.StartURL == "" {
		return nil, fmt.Errorf("%s. Nothing was written; %s. tachyform fit --anyway takes the folder as it is", d.Why, d.Mend)
	}
	based := ""
	if cfg.Base == "" && s.Base == "/" && inv.Sure && !s.IsRendered() {
		based = inv.Hint
		s.Rebase(based)
		if inv, err = survey.Take(ctx, s, survey.Options{Progress: opts.Progress, Edits: true}); err != nil {
			return nil, err
		}
	}
	if rec.Adopted != "" && len(rec.Files) > 0 {
		defer func() {
			if made != nil {
				made.Remarks = append(made.Remarks, fmt.Sprintf("%s says that fit wrote %d files here, as they are; its record (%s) is not there, and is written anew", rec.Adopted, len(rec.Files), recordName(s)))
			}
		}()
	}
	f := &fitter{site: s, cfg: cfg, opts: opts, inv: inv, rec: rec, ours: map[string][]byte{}, kinds: map[string]string{}, sizes: map[string]int64{},
		plan: &Plan{Site: s, Same: map[string]int{}, record: rec}}
	f.plan.fitter = f
	if s.IsRendered() {
		f.plan.Rendered = &Rendered{}
	}
	if based != "" {
		f.plan.Inferences = append(f.plan.Inferences, Inference{"base", based, "the start page refers to files there; if the site is served from /, say --base /"})
	}
	if err := f.findApplications(ctx); err != nil {
		return nil, err
	}
	f.many = !s.IsRendered() && len(s.Files) > cmp.Or(opts.listed, maxListed) && !cfg.Stow.Strict
	if err := f.make(ctx); err != nil {
		if ctx.Err() != nil { // whatever came of it
			return nil, fmt.Errorf("interrupted, nothing was written: %w", ctx.Err())
		}
		return nil, err
	}
	if err := f.keepsLinks(); err != nil {
		return nil, err
	}
	f.sayVersions()
	f.sayRendered()
	if f.opts.Urgent && f.caching != nil && f.plan.Worker != "" {
		f.remark("urgent: everybody who is there gets this release at the navigation after the one whose look found it. Pages that are open keep the release that they came with until then, so that none is a mix; but pages of both releases are then open at a time, and what they keep in the browser has to suit both. The next fit without --urgent waits again")
	}
	return f.plan, nil
}

func digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

func (f *fitter) remark(format string, args ...any) {
	f.plan.Remarks = append(f.plan.Remarks, fmt.Sprintf(format, args...))
}

// isOurs says whether fit wrote the file at a path and nobody changed it since.
func (f *fitter) isOurs(p string) bool {
	r, ok := f.rec.Files[p]
	if !ok {
		return false
	}
	data, err := f.site.Read(p)
	return err == nil && digest(data) == r.SHA256
}

// wasOurs says whether the file at a path is a script that fit wrote and somebody changed since.
func (f *fitter) wasOurs(p string) bool {
	if r, known := f.rec.Files[p]; !known || r.Original != "" {
		return false
	}
	data, err := f.site.Read(p)
	return err == nil && isScript(data)
}

// free chooses the first name that is free or ours.
func (f *fitter) free(names ...string) string {
	for _, n := range names {
		if _, taken := f.site.File(n); !f.isLink(n) && (!taken || f.isOurs(n) || f.wasOurs(n)) {
			return n
		}
	}
	return names[len(names)-1]
}

// isLink says whether a link stands at a path, wherever it leads.
func (f *fitter) isLink(p string) bool {
	about, err := f.site.Root().Lstat(filepath.FromSlash(p))
	return err == nil && about.Mode()&fs.ModeSymlink != 0
}

// keepsLinks refuses a plan that would put a file in the place of a link: strip could not give it back.
func (f *fitter) keepsLinks() error {
	var links []string
	for _, c := range f.plan.Changes {
		if c.Kind != "page" && f.isLink(c.Path) {
			links = append(links, c.Path)
		}
	}
	if len(links) == 0 {
		return nil
	}
	return fmt.Errorf("%w: %s; fit would put a file in its place, and strip could not give the link back. Put the file itself there, or remove the link", ErrLink, strings.Join(links, ", "))
}

// ErrLink says that a link stands where fit would write.
var ErrLink = errors.New("a link stands where fit writes")

func (f *fitter) write(kind, p string, data []byte) {
	f.ours[p], f.kinds[p] = data, kind
}

func (f *fitter) url(p string) string { return f.site.FileURL(p) }

func (f *fitter) make(ctx context.Context) error {
	existing, original, manifestPath, err := f.existingManifest()
	if err != nil {
		return err
	}
	in := &inferrer{inv: f.inv, cfg: f.cfg, existing: existing, ours: func(p string) bool {
		r, known := f.rec.Files[p]
		return known && r.Original == ""
	}}
	only := f.opts.ManifestOnly && f.rec.Icons == ""
	in.noIcons = only
	f.app = in.infer()
	f.plan.Inferences = append(f.plan.Inferences, in.out...)
	f.plan.Manifest = manifestPath
	var icons []icon.Icon
	if only {
		f.plan.next = &record{Format: recordFormat, Files: map[string]recorded{}, Base: f.site.Base}
	} else if f.opts.RulesOnly {
		f.plan.next = &record{Format: recordFormat, Files: map[string]recorded{}, Base: f.site.Base}
	} else if icons, err = f.icons(ctx); err != nil {
		return err
	} else if err := f.absentIcons(ctx, existing, f.plan.next.Icons); err != nil {
		return err
	} else if err := f.drawLaunches(ctx); err != nil {
		return err
	}
	if err := f.manifest(manifestPath, original, existing, icons); err != nil {
		return err
	}
	workerPath := ""
	if !only {
		workerPath = f.chooseWorker()
	}
	f.plan.Worker = workerPath
	if err := f.pin(workerPath); err != nil {
		return err
	}
	offline := ""
	if workerPath != "" {
		if offline, err = f.scriptAndOffline(workerPath); err != nil {
			return err
		}
	}
	f.tags = f.elements(manifestPath, icons)
	if only {
		f.tags = f.tags[:1]
	}
	digests, err := f.pages(ctx)
	if err != nil {
		return err
	}
	if err := f.servedPages(); err != nil {
		return err
	}
	if workerPath != "" {
		if err := f.worker(ctx, workerPath, offline, digests); err != nil {
			return err
		}
	}
	return f.finish()
}

// foreignFavicon says whether the site has a favicon.ico of its own.
func (f *fitter) foreignFavicon() bool {
	_, taken := f.site.File("favicon.ico")
	return taken && !f.isOurs("favicon.ico")
}

// master reads the master that the user named: beside the configuration, or in the site.
func (f *fitter) master(name string) ([]byte, error) {
	beside := filepath.FromSlash(name)
	if !filepath.IsAbs(beside) {
		beside = filepath.Join(f.cfg.Dir(), beside)
	}
	data, err := readLimited(beside)
	if err == nil {
		return data, nil
	}
	if inSite, err := f.site.Read(strings.TrimPrefix(path.Clean(filepath.ToSlash(name)), "/")); err == nil {
		return inSite, nil
	}
	return nil, fmt.Errorf("master %s: %w", name, err)
}

// chooseWorker decides where our worker goes; "" when the site has one of its own that stays.
func (f *fitter) chooseWorker() string {
	ours := slices.ContainsFunc(f.inv.Registrations, func(r survey.Registration) bool { return f.isOurs(r.File) })
	if f.opts.NoWorker && !ours {
		return ""
	}
	for i, r := range f.inv.Registrations {
		if r.File == "sw-page.js" && f.isOurs(r.File) {
			continue
		}
		if file := f.inv.FileOf(r.URL); r.URL != "" && file != nil && f.isOurs(file.Path) {
			return file.Path
		}
		if !f.opts.ReplaceWorker {
			f.plan.Foreign = &f.inv.Registrations[i]
			return ""
		}
		if file := f.inv.FileOf(r.URL); r.URL != "" && file != nil {
			f.remark("%s is replaced by our worker; strip brings it back. The page script registers it, so that the call in %s, and those like it, can go: beside ours it only has browsers look for an update twice", file.Path, r.File)
			return file.Path
		}
	}
	p := f.free(workerNames...)
	if p != "sw.js" {
		f.remark("sw.js is there already and is not ours; no page registers it. Ours is %s. Whoever got sw.js from an earlier visit keeps it until a page registers ours in its place; if sw.js answers pages from its store, that page never reaches them: then remove sw.js and fit again, so that ours comes under its name, or let --replace-worker put ours there", p)
	}
	return p
}

// scriptAndOffline writes the page script and, when the site has none, the offline page. It gives the URL of what is
// shown offline.
func (f *fitter) scriptAndOffline(workerPath string) (string, error) {
	p := f.free("sw-page.js", "app-sw-page.js")
	f.script = f.url(p)
	if err := f.prepare(); err != nil {
		return "", err
	}
	script, err := worker.PageScript(f.url(workerPath), f.caching)
	if err != nil {
		return "", err
	}
	f.write("page script", p, script)
	if f.shell, err = f.named("[offline]", f.cfg.Offline.Shell); err != nil {
		return "", err
	}
	u := f.cfg.Offline.Page
	if u == "" && f.shell != "" && !f.pagesBesides() {
		u = f.cfg.Offline.Shell
	}
	if u != "" {
		file := f.inv.FileOf(u)
		below, _ := f.site.Below(u)
		written := f.rec.Files[below] // by an earlier fit
		switch {
		case file == nil && u != f.url("offline.html"):
			return "", fmt.Errorf("%s: [offline] names %s, which is not in the site", f.cfg.File, u)
		case file != nil && (written.SHA256 == "" || written.Original != "" || file.Path != "offline.html"):
			return f.site.PageURL(file.Path), nil
		}
	} else if file, ok := f.site.File("offline.html"); ok && !f.isOurs("offline.html") {
		if _, known := f.rec.Files["offline.html"]; !known {
			f.remark("offline.html is the site's own: it is shown for pages that are not stored")
			return file.URL, nil
		}
	}
	return f.offlinePage()
}

// offlinePage writes the offline page with its script, in the site's looks.
func (f *fitter) offlinePage() (string, error) {
	with := func(part string) bool { return !slices.Contains(f.cfg.Offline.Without, part) }
	look := worker.OfflineLook{Lang: cmp.Or(f.app.lang, "en"), Name: f.app.name, Start: f.app.startURL, Self: f.url("offline.html"), Returns: with("return"), Pages: with("pages"),
		Outbox: with("outbox") && slices.ContainsFunc(f.caching.Rules, func(r worker.Rule) bool { return r.Answer == worker.Outbox })}
	if c, ok := opaque(f.app.background); ok && with("colours") {
		look.Background, look.Dark = f.app.background, (csscolor.Color{NRGBA: c}).Luminance() < 0.4
	}
	if own := f.masterInSite(); own != "" && with("icon") {
		look.Icon = f.url(own)
		f.offlineIcon = look.Icon
	}
	f.offlineScript = f.free("sw-offline.js", "app-sw-offline.js")
	look.Script = f.url(f.offlineScript)
	script, err := worker.OfflineScript(f.caching)
	if err != nil {
		return "", err
	}
	f.write("offline script", f.offlineScript, script)
	data, err := worker.OfflinePage(look)
	if err != nil {
		return "", err
	}
	f.write("offline page", "offline.html", data)
	return f.url("offline.html"), nil
}

// opaque reads a colour by CSS syntax; ok is false for one that is partly transparent.
func opaque(s string) (color.NRGBA, bool) {
	c, ok := csscolor.Parse(s)
	return c.NRGBA, ok && c.NRGBA.A == 255
}

// finish compares what should stand in the site with what does.
func (f *fitter) finish() error {
	paths := make([]string, 0, len(f.ours))
	for p := range f.ours {
		paths = append(paths, p)
	}
	sort.Slice(paths, func(i, j int) bool { // the worker last: it knows the others
		if wi, wj := f.kinds[paths[i]] == "worker", f.kinds[paths[j]] == "worker"; wi != wj {
			return wj
		}
		return paths[i] < paths[j]
	})
	known := map[string]string{}
	for _, p := range paths {
		data, kind := f.ours[p], f.kinds[p]
		if kind == "worker" && isWorker(data) {
			data = sign(data, known)
			f.ours[p] = data
		}
		c := Change{Path: p, Kind: kind, mode: 0o644, data: data, sum: digest(data)}
		before := f.rec.Files[p]
		entry := recorded{SHA256: c.sum, Original: before.Original}
		if file, ok := f.site.File(p); ok {
			old, err := f.site.Read(p)
			if err != nil {
				return err
			}
			c.Exists, c.mode, c.old = true, uint32(file.Mode), digest(old)
			if before.SHA256 != c.old && c.old != c.sum { // somebody else's
				c.keep, entry.Original = true, c.old
				if before.SHA256 != "" && kind != "manifest" && (kind != "worker" || isWorker(old)) {
					f.remark("%s was changed since the last fit; it is written anew, and what stood there is kept for strip", p)
				}
			}
		}
		f.plan.next.Files[p] = entry
		if (entry.Original == "" || isScript(data)) && kind != "launch picture" && kind != "list" { // these are told by their names, and there may be very many
			known[p] = release.Digest(data)
		}
		if c.old == c.sum {
			f.plan.Same[kind]++
			continue
		}
		f.plan.Changes = append(f.plan.Changes, c)
	}
	for p, r := range f.rec.Files { // what an earlier fit wrote and this one does not stays known to strip
		if _, ok := f.plan.next.Files[p]; !ok {
			if _, there := f.site.File(p); there {
				f.plan.next.Files[p] = r
			}
		}
	}
	if f.plan.Rendered == nil {
		f.plan.next.Layouts = f.rec.Layouts
	}
	f.plan.left = map[string]bool{}
	for _, l := range f.plan.Left {
		f.plan.left[l.Path] = true
	}
	sort.Slice(f.plan.Changes, func(i, j int) bool { return f.plan.Changes[i].Path < f.plan.Changes[j].Path })
	return nil
}
