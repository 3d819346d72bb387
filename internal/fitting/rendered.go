package fitting

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/dustin/go-humanize/english"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Served is what is known of the server that makes a site's pages.
type Served struct {
	Headers map[string]http.Header // of its answers, by URL
	Layout  string                 // the template that all pages share, as a file; "" for none
}

// Rendered is what a fit of a site does whose pages come from a server.
type Rendered struct {
	Pages     int    // that were read
	WorkerURL string // where the worker has to be sent from
	Above     bool   // that is above the folder whose files the server sends

	plain, base string         // the URL that the worker has as a file of the folder, and the path of the start page
	Chosen      []string       // URLs of pages that are fetched while the worker installs
	Unkept      []site.Skipped // pages of which nothing is kept, and why
	Unmatched   []string       // paths of the folder that the server sends with other bytes
	Unnamed     []string       // URLs of code whose names hold no digest, sorted
	Snippet     []byte         // the tags for the head, as lines of HTML
	Layout      *Layout        // nil when no template is named
}

// Layout is what becomes of the template that all pages share.
type Layout struct {
	File    string // as it was named
	Line    int    // of the end tag of its head, 0 when it has none
	Why     string // why it is not edited, "" when it is
	Changed bool   // its bytes will be others
	old     []byte
	data    []byte
	mode    fs.FileMode
}

// Arrival is what a server was seen to send after a fit.
type Arrival struct {
	Pages    int      // that were read
	Without  []string // URLs of pages that the tags have not reached, sorted
	Missing  bool     // the answer to what is not there has not got them
	Worker   string   // why browsers cannot have the worker, "" when they can
	Held     bool     // the layout was left alone, since the server does not send what its tags would name
	Files    []string // what fit wrote and the server does not send as it lies there, and why
	Together string   // what the pages have in common that the tags have not reached, "" for nothing
}

// Whole says whether everything is there.
func (a *Arrival) Whole() bool { return len(a.Without)+len(a.Files) == 0 && a.Worker == "" }

// Written gives the paths of the files that fit wrote into a folder.
// apart is where its record lies, "" for in it.
func Written(dir, apart string) (func(path string) bool, error) {
	s, err := site.Open(dir, "/")
	if err != nil {
		return nil, err
	}
	defer s.Close()
	s.Record = apart
	rec, err := recordApart(s)
	if in, e := readRecord(s.Root()); rec == nil || len(in.Files) > 0 {
		rec, err = in, e
	}
	if err != nil {
		return nil, err
	}
	return func(p string) bool { return rec.Files[p].SHA256 != "" }, nil
}

// Wrote gives the paths of the files that fit wrote, now or earlier, sorted.
func (p *Plan) Wrote() []string { return slices.Sorted(maps.Keys(p.next.Files)) }

// pin decides where the worker of a rendered site is sent from: beside the start page, unless something else is configured.
func (f *fitter) pin(workerPath string) error {
	if !f.site.IsRendered() || workerPath == "" {
		return nil
	}
	u := cmp.Or(f.cfg.Worker.URL, f.site.Base+workerPath)
	r := f.plan.Rendered
	r.WorkerURL = u
	plain := site.FileURL(site.CleanBase(f.cfg.PublicPath), workerPath)
	r.plain, r.base = plain, f.site.Base
	r.Above = !strings.HasPrefix(f.site.Base, plain[:strings.LastIndexByte(plain, '/')+1])
	if u == plain {
		return nil
	}
	return f.site.Pin(workerPath, u)
}

// layoutOf puts the tags into the template that all pages share.
func (f *fitter) layoutOf(insert []pagehead.Element) error {
	r := f.plan.Rendered
	r.Snippet = pagehead.Snippet(insert)
	f.plan.next.Layouts = slices.Clone(f.rec.Layouts)
	name := ""
	if f.opts.Served != nil {
		name = f.opts.Served.Layout
	}
	if name != "" && !slices.Contains(f.rec.Layouts, f.relative(name)) {
		f.plan.next.Layouts = append(f.plan.next.Layouts, f.relative(name))
	}
	for _, other := range f.rec.Layouts {
		if name != "" && other != f.relative(name) {
			f.remark("%s holds the tags of an earlier fit; tachyform strip takes them out there, too", other)
		}
	}
	if name == "" {
		return nil
	}
	l := &Layout{File: filepath.ToSlash(name)}
	r.Layout = l
	info, err := os.Stat(name)
	if err == nil && info.Size() > 16<<20 {
		err = errors.New("too large for a template")
	}
	if err != nil {
		var pe *fs.PathError
		if errors.As(err, &pe) {
			err = pe.Err
		}
		return fmt.Errorf("the layout %s: %w", name, err)
	}
	l.mode = info.Mode().Perm()
	if l.old, err = regular.ReadFile(name, regular.Large); err != nil {
		return err
	}
	clean, _, err := pagehead.RemoveFromLayout(l.old)
	if err == nil {
		var at *pagehead.Layout
		if at, err = pagehead.ReadLayout(clean); at != nil {
			l.Line = at.Line
		}
		if err == nil {
			l.data, err = at.Edit(clean, insert)
		}
	}
	if err != nil {
		if !errors.Is(err, pagehead.ErrUnsafe) {
			return err
		}
		l.Why = strings.TrimSuffix(err.Error(), ": "+pagehead.ErrUnsafe.Error())
		return nil
	}
	l.Changed = !bytes.Equal(l.old, l.data)
	return nil
}

// relative gives a file's name from the folder of the site on.
func (f *fitter) relative(name string) string {
	from, err1 := filepath.Abs(f.site.Dir)
	to, err2 := filepath.Abs(name)
	if rel, err := filepath.Rel(from, to); err1 == nil && err2 == nil && err == nil {
		return filepath.ToSlash(rel)
	}
	return filepath.ToSlash(name)
}

// write exchanges a template's bytes, whole or not at all, unless somebody else changed it since.
func (l *Layout) write() error {
	if !l.Changed {
		return nil
	}
	name := filepath.FromSlash(l.File)
	if target, err := filepath.EvalSymlinks(name); err == nil {
		name = target
	}
	if now, err := regular.ReadFile(name, regular.Large); err != nil || !bytes.Equal(now, l.old) {
		return fmt.Errorf("%s: %w", l.File, ErrChanged)
	}
	temp, err := os.CreateTemp(filepath.Dir(name), ".tachyform-*")
	if err != nil {
		return err
	}
	_, err = temp.Write(l.data)
	if err == nil {
		err = temp.Chmod(l.mode)
	}
	if err == nil {
		err = temp.Sync()
	}
	if e := temp.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(temp.Name(), name)
	}
	if err != nil {
		_ = os.Remove(temp.Name())
		return fmt.Errorf("%s: %w", l.File, err)
	}
	return nil
}

// unfitLayout takes the tags out of a template. File is as the record names it, from the folder of the site on.
func unfitLayout(dir, file string) (*Layout, error) {
	name := filepath.FromSlash(file)
	if !filepath.IsAbs(name) {
		name = filepath.Join(dir, name)
	}
	l := &Layout{File: filepath.ToSlash(name)}
	info, err := os.Stat(name)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	l.mode = info.Mode().Perm()
	if l.old, err = regular.ReadFile(name, regular.Large); err != nil {
		return nil, err
	}
	n := 0
	if l.data, n, err = pagehead.RemoveFromLayout(l.old); err != nil {
		l.Why = err.Error()
		return l, nil
	}
	l.Changed = n > 0
	return l, nil
}

// servedPages looks at the pages of a rendered site: none is edited. It chooses those that are fetched while the worker installs, and says of
// which nothing can be kept.
func (f *fitter) servedPages() error {
	if !f.site.IsRendered() {
		return nil
	}
	r := f.plan.Rendered
	r.Unmatched = f.site.Differ()
	matches := func(u string) bool {
		return slices.ContainsFunc(f.cfg.Stow.Now, func(g string) bool { ok, _ := doublestar.Match(g, u); return ok })
	}
	for _, p := range f.inv.Pages {
		u := p.File.URL
		if !site.Served(p.File.Path) {
			continue
		}
		r.Pages++
		if why := f.notKept(u, p.Personal); why != "" {
			r.Unkept = append(r.Unkept, site.Skipped{Path: u, Why: why})
			continue
		}
		if u == f.inv.StartFile.URL || matches(u) {
			r.Chosen = append(r.Chosen, u)
		}
	}
	head, err := pagehead.Read(f.inv.StartFile.Path, f.inv.StartBytes)
	if err != nil {
		return fmt.Errorf("%s: its head cannot be read: %w", f.inv.StartFile.URL, err)
	}
	if err := f.unlessOurs(head); err != nil {
		return err
	}
	insert, clashes, err := f.decide(f.inv.StartFile.URL, head)
	if err != nil {
		return err
	}
	for _, c := range clashes {
		f.plan.Conflicts = append(f.plan.Conflicts, Conflict{File: f.inv.StartFile.URL, Message: c.message})
	}
	return f.layoutOf(insert)
}

// unlessOurs leaves out of a page's head the tags that an earlier fit put into the layout: some templates send none of the marks around them. Those
// that the layout has of its own stay.
func (f *fitter) unlessOurs(head *pagehead.Head) error {
	var layout []byte
	if f.opts.Served != nil && f.opts.Served.Layout != "" {
		data, err := regular.ReadFile(f.opts.Served.Layout, regular.Large)
		if err != nil {
			return nil //nolint:nilerr // it is said where the layout is read
		}
		if layout, _, err = pagehead.RemoveFromLayout(data); err != nil {
			layout = data
		}
	}
	own := func(kind, value string) bool {
		if layout != nil {
			return bytes.Contains(layout, []byte(value))
		}
		return kind == "manifest" && f.rec.Files[f.plan.Manifest].Original != ""
	}
	head.Tags = slices.DeleteFunc(head.Tags, func(t pagehead.Tag) bool {
		return slices.ContainsFunc(f.tags, func(e pagehead.Element) bool {
			return kindOf(e) == t.Kind && slices.ContainsFunc(e.Attrs, func(a [2]string) bool { return a[1] == t.Value && t.Value != "" }) && !own(t.Kind, t.Value)
		})
	})
	return nil
}

// varies matches what in a Vary header says that answers are made for one visitor.
var varies = regexp.MustCompile(`(?i)cookie|authorization|\*`)

// notKept says why the worker will keep nothing of a page, "" when it will. The worker decides by itself, in the same way.
func (f *fitter) notKept(u, personal string) string {
	if personal != "" {
		return personal
	}
	for _, g := range append(slices.Clone(f.cfg.Stow.Never), f.cfg.Offline.Except...) {
		if ok, _ := doublestar.Match(g, u); ok {
			return "the configuration says so"
		}
	}
	if f.opts.Served == nil {
		return ""
	}
	h := f.opts.Served.Headers[u]
	control := strings.ToLower(strings.Join(h.Values("Cache-Control"), ", "))
	switch {
	case strings.Contains(control, "no-store"):
		return "the server says no-store"
	case strings.Contains(control, "private") && !f.cfg.Stow.Visited.Private:
		return "the server says that it is private"
	case varies.MatchString(strings.Join(h.Values("Vary"), ", ")):
		return "it varies by cookie (Vary: " + strings.Join(h.Values("Vary"), ", ") + ")"
	}
	file, ok := f.site.Find(u)
	if !ok {
		return ""
	}
	body, err := f.site.Read(file.Path)
	if err != nil {
		return err.Error()
	}
	if name := markup.FormToken(body); name != "" {
		return fmt.Sprintf("a form in it holds a token (%s)", name)
	}
	return ""
}

// visited says what the worker keeps of pages.
func (f *fitter) visited() *worker.Visited {
	if !f.site.IsRendered() {
		return nil
	}
	v := f.cfg.Stow.Visited
	age, renew := v.Times()
	return &worker.Visited{Pages: append([]string{}, f.plan.Rendered.Chosen...), Entries: cmp.Or(v.Entries, 50), Age: int(age.Seconds()), Renew: int(renew.Seconds()), Private: v.Private}
}

// servedFile says of a file of a rendered site whether the worker may list it, and else why not. What fit writes may always be.
func (f *fitter) servedFile(file site.File) (bool, string) {
	if !f.site.IsRendered() {
		return true, ""
	}
	if _, ours := f.ours[file.Path]; ours {
		return true, ""
	}
	if file.IsPage() {
		return false, ""
	}
	if site.Served(file.Path) {
		if data, err := f.site.Read(file.Path); err == nil && bytes.HasPrefix(data, []byte(worker.Mark)) {
			return false, ""
		}
	} else if !f.site.Sent(file.URL) {
		return false, "" // nobody has seen what the server makes of it
	}
	if f.opts.Served != nil {
		control := strings.ToLower(f.opts.Served.Headers[file.URL].Get("Cache-Control"))
		if strings.Contains(control, "no-store") || strings.Contains(control, "private") {
			return false, "the server says " + control
		}
	}
	if kind := file.Kind(); kind == "style" || kind == "script" {
		if !site.SurelyDigest(file.URL) && !slices.Contains(f.plan.Rendered.Unnamed, file.URL) {
			f.plan.Rendered.Unnamed = append(f.plan.Rendered.Unnamed, file.URL)
		}
	}
	return true, ""
}

// sayRendered says what has to be done by hand.
func (f *fitter) sayRendered() {
	r := f.plan.Rendered
	if r == nil {
		return
	}
	for _, p := range r.Unmatched {
		f.remark("%s: the server sends other bytes under this name than the folder has, so what it sent counts; when that is not meant, build the folder and start the server anew", p)
	}
	if n, example := f.renamed(); n > 0 {
		more := ""
		if maps := f.buildMaps(); len(maps) > 0 {
			more = fmt.Sprintf("; %s says so, too (%s)", maps[0].file, maps[0].example)
		}
		f.remark("%s of the folder %s sent under another name, by their content%s: %s", english.Plural(n, "file", ""), map[bool]string{true: "is", false: "are"}[n == 1], more, example)
	} else if maps := f.buildMaps(); len(maps) > 0 {
		f.remark("%s names files by their content: %s", maps[0].file, maps[0].example)
	}
	if len(r.Unnamed) > 0 {
		f.remark("the names of %s do not change with their content: run fit as a part of each deployment, so that visitors get a page and its parts of one deployment without a network, too. When the server is changed without a fit, the worker notices, and keeps no page until the next one", listed(r.Unnamed))
	}
	if r.Pages > 0 && len(r.Unkept) == r.Pages {
		f.remark("no page will be kept: of all %d the server, or what is in them, says that they are made for one visitor. Without a network visitors get the offline page. Pages that are the same for everybody can be sent with \"Cache-Control: no-cache\" and without \"Vary: Cookie\"; [stow.visited] private = true keeps what is marked private only, as it is sent to somebody without cookies", r.Pages)
	}
}

// renamed counts what the server sends of the folder under another name, such as one with a digest in it, and gives an example.
func (f *fitter) renamed() (n int, example string) {
	sizes := map[int64][]site.File{}
	for _, file := range f.site.Files {
		if !site.Served(file.Path) && !f.site.Sent(file.URL) {
			sizes[file.Size] = append(sizes[file.Size], file)
		}
	}
	for _, file := range f.site.Files {
		if !site.Served(file.Path) || file.IsPage() || file.Size == 0 {
			continue
		}
		sent, err := f.site.Read(file.Path)
		if err != nil {
			continue
		}
		for _, own := range sizes[file.Size] {
			if data, err := f.site.Read(own.Path); err == nil && bytes.Equal(data, sent) {
				if n++; example == "" {
					example = file.URL + " is " + own.Path
				}
				break
			}
		}
	}
	return n, example
}

// buildMap is a file in which an asset pipeline says how it names files.
type buildMap struct{ file, example string }

// mapNames are the names that pipelines give to such files.
var mapNames = regexp.MustCompile(`(?:^|/)(?:staticfiles|manifest|asset-manifest|assets-manifest|rev-manifest|mix-manifest|assets|entrypoints|\.sprockets-manifest-[0-9a-f]+)\.json$`)

// buildMaps finds the maps of asset pipelines that name files which the server sent.
func (f *fitter) buildMaps() (out []buildMap) {
	sent := map[string]bool{}
	for _, file := range f.site.Files {
		if site.Served(file.Path) || f.site.Sent(file.URL) {
			sent[file.URL] = true
		}
	}
	var names []string
	for _, file := range f.site.Files {
		if mapNames.MatchString(file.Path) && !site.Served(file.Path) && file.Size < 4<<20 {
			names = append(names, file.Path)
		}
	}
	for _, hidden := range []string{".vite/manifest.json"} { // not served, and so no file of the site
		if _, err := f.site.Root().Stat(filepath.FromSlash(hidden)); err == nil {
			names = append(names, hidden)
		}
	}
	for _, name := range names {
		data, err := regular.ReadIn(f.site.Root(), filepath.FromSlash(name), regular.Large)
		if err != nil {
			continue
		}
		var any any
		if json.Unmarshal(data, &any) != nil {
			continue
		}
		pairs := map[string]string{}
		pairsOf(any, "", pairs)
		best := ""
		for from, to := range pairs {
			u := f.site.FileURL(strings.TrimPrefix(path.Clean("/"+to), "/"))
			if from != to && sent[u] && (best == "" || from < best) {
				best = from
			}
		}
		if best != "" {
			out = append(out, buildMap{name, best + " is sent as " + pairs[best]})
		}
	}
	return out
}

// pairsOf collects what a map says: texts under a name, and the "file" of objects under a name.
func pairsOf(v any, name string, out map[string]string) {
	switch v := v.(type) {
	case map[string]any:
		for k, x := range v {
			if k == "file" && name != "" {
				k = name
			}
			pairsOf(x, k, out)
		}
	case string:
		if name != "" && path.Ext(v) != "" && !strings.Contains(v, "://") {
			out[strings.TrimPrefix(name, "/")] = strings.TrimPrefix(v, "/")
		}
	}
}

// RenderedAdvice says on common servers how the worker comes to its address.
func (r *Rendered) RenderedAdvice(public, workerPath string) []string {
	if !r.Above || r.WorkerURL == "" {
		return nil
	}
	file := path.Join(filepath.ToSlash(public), workerPath)
	u, err := url.Parse(r.WorkerURL)
	if err != nil {
		return nil
	}
	return []string{
		fmt.Sprintf("nginx     location = %s { alias %s; add_header Cache-Control no-cache; }", u.Path, absolute(file)),
		fmt.Sprintf("Apache    Alias %s %s", u.Path, absolute(file)),
		fmt.Sprintf("in code   a route %s that sends %s as text/javascript", u.Path, file),
		fmt.Sprintf("or        have %s sent with \"Service-Worker-Allowed: %s\", and say so: [worker] url = %q", r.plain, r.base, r.plain),
	}
}

func absolute(file string) string {
	if p, err := filepath.Abs(filepath.FromSlash(file)); err == nil {
		return filepath.ToSlash(p)
	}
	return file
}
