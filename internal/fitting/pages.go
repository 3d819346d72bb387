package fitting

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"path"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/cespare/xxhash/v2"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// elements are the tags that pages get unless they have their own.
func (f *fitter) elements(manifestPath string, icons []icon.Icon) []pagehead.Element {
	tags := []pagehead.Element{{Name: "link", Attrs: [][2]string{{"rel", "manifest"}, {"href", f.url(manifestPath)}}}}
	if f.app.themeDark != "" { // the first whose media holds counts
		tags = append(tags, pagehead.Element{Name: "meta", Attrs: [][2]string{{"name", "theme-color"}, {"media", "(prefers-color-scheme: dark)"}, {"content", f.app.themeDark}}})
	}
	tags = append(tags, pagehead.Element{Name: "meta", Attrs: [][2]string{{"name", "theme-color"}, {"content", f.app.theme}}})
	for p, k := range f.kinds {
		if k == "icon" && strings.HasPrefix(path.Base(p), "touch-") {
			tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "apple-touch-icon"}, {"href", f.url(p)}}})
		}
	}
	if _, ok := f.ours["favicon.ico"]; ok {
		tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "icon"}, {"href", f.url("favicon.ico")}, {"sizes", "16x16 32x32 48x48"}}})
	}
	for _, i := range icons {
		if i.Purpose != icon.Vector {
			continue
		}
		at := i.File
		if own := f.masterInSite(); own != "" {
			at = own
		}
		tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "icon"}, {"type", "image/svg+xml"}, {"href", f.url(at)}}})
	}
	for _, i := range icons { // behind the others: of several that fit, browsers take the last
		if i.Purpose == icon.Dark {
			tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "icon"}, {"type", i.Type}, {"media", "(prefers-color-scheme: dark)"}, {"href", f.url(i.File)}}})
		}
	}
	tags = append(tags, f.iosElements()...)
	if f.script != "" {
		tags = append(tags, pagehead.Element{Name: "script", Attrs: [][2]string{{"src", f.script}, {"defer", ""}}})
	}
	return tags
}

// edit gives a page as it should be: what fit inserted before is taken out, and what is needed now is put in.
func (f *fitter) edit(name, url string, src []byte) ([]byte, []Conflict, error) {
	clean, _, err := pagehead.Remove(src)
	if err != nil {
		return nil, nil, err
	}
	head, err := pagehead.ReadClean(name, clean)
	if err != nil {
		return nil, nil, err
	}
	insert, clashes, err := f.decide(url, head)
	if err != nil {
		return nil, nil, err
	}
	var conflicts []Conflict
	for _, c := range clashes {
		if f.cfg.Pages.Conflicts == config.Outrank && head.Outrank(c.tag.Kind) {
			insert = f.tagsBut(insert, c.tag.Kind)
			continue
		}
		line, column := markup.Position(clean, c.tag.Offset)
		conflicts = append(conflicts, Conflict{name, line, column, c.message})
	}
	insert, _ = f.digested(sha256.Sum256(clean), head, insert)
	return head.Edit(clean, insert), conflicts, nil
}

// digested writes the page's digest into our script tag, so that the worker knows the page even when the host rewrites it
// on its way. It is made of the page without the insertion and of the insertion with zeros in its place, and given, too: "" for none.
func (f *fitter) digested(clean [sha256.Size]byte, head *pagehead.Head, insert []pagehead.Element) ([]pagehead.Element, string) {
	last := len(insert) - 1
	if last < 0 || insert[last].Name != "script" {
		return insert, ""
	}
	with := func(digest string) []pagehead.Element {
		e := insert[last]
		e.Attrs = append(slices.Clone(e.Attrs), [2]string{digestAttr, digest})
		return append(slices.Clone(insert[:last]), e)
	}
	d := release.Digest(append(clean[:], head.Insertion(with(strings.Repeat("0", release.DigestLength)))...))
	return with(d), d
}

// digestAttr is the attribute of our script tag that holds the page's digest.
const digestAttr = "data-digest"

// clash is a tag of a page that says something else than ours would.
type clash struct {
	tag     pagehead.Tag
	message string
}

// decide chooses what a page's head lacks.
func (f *fitter) decide(url string, head *pagehead.Head) ([]pagehead.Element, []clash, error) {
	if head.Base != "" {
		if b, ok := survey.Resolve(url, head.Base); !ok || strings.HasPrefix(b, "http") {
			return nil, nil, fmt.Errorf("its base element leads to another origin (%s), so that no link of ours would stay on this one: %w", head.Base, pagehead.ErrUnsafe)
		}
	}
	has := map[string]pagehead.Tag{}
	for _, t := range head.Tags {
		if _, ok := has[t.Kind]; !ok {
			has[t.Kind] = t
		}
	}
	var insert []pagehead.Element
	var clashes []clash
	for _, e := range f.tags {
		kind, want := kindOf(e), e.Attrs[len(e.Attrs)-1][1]
		t, ok := has[kind]
		if !ok || kind == "script" {
			insert = append(insert, e)
			continue
		}
		switch kind {
		case "manifest":
			if u, ok := survey.Resolve(survey.BaseOf("", url, head.Base), t.Value); !ok || u != want {
				clashes = append(clashes, clash{t, fmt.Sprintf("links another manifest (%s) than %s; browsers look at the first link only, so this page installs something else. Remove the link and fit again, name the manifest the same, or set conflicts = \"outrank\" under [pages]", t.Value, want)})
			}
		case "theme-color":
			if !sameColor(t.Value, want) && t.Media == "" && len(e.Attrs) == 2 { // one for dark colours does not say that all have it
				clashes = append(clashes, clash{t, fmt.Sprintf("has the theme colour %s of its own, the manifest says %s; the window's title bar changes its colour when the visitor comes to this page. Make them the same, or set conflicts = \"outrank\" under [pages]", t.Value, want)})
			}
		}
	}
	return insert, clashes, nil
}

// tagsBut gives the tags of insert with ours of one kind more, in the order of all.
func (f *fitter) tagsBut(insert []pagehead.Element, kind string) []pagehead.Element {
	var out []pagehead.Element
	for _, e := range f.tags {
		if kindOf(e) == kind || slices.ContainsFunc(insert, func(i pagehead.Element) bool { return kindOf(i) == kindOf(e) }) {
			out = append(out, e)
		}
	}
	return out
}

func sameColor(a, b string) bool {
	x, ok := csscolor.Parse(a)
	y, ok2 := csscolor.Parse(b)
	return ok && ok2 && x.NRGBA == y.NRGBA
}

// kindOf names an element as [pagehead.Tag] does.
func kindOf(e pagehead.Element) string {
	switch kind := e.Attrs[0][1]; {
	case e.Name == "script":
		return "script"
	case kind == "apple-touch-icon":
		return "touch-icon"
	default:
		return kind
	}
}

// pageResult is what becomes of one page.
type pageResult struct {
	change    *Change
	left      string
	conflicts []Conflict
	release   *worker.Entry // nil when the page has to be read for it
	size      int64
}

// leave says why a page is left alone as configured, "" when it is not.
func (f *fitter) leave(file site.File) string {
	for _, glob := range f.cfg.Pages.Leave {
		for _, name := range []string{file.URL, f.site.Base + file.Path} {
			if ok, _ := doublestar.Match(glob, name); ok {
				return "left alone as configured"
			}
		}
	}
	return f.inv.Fragments[file.Path]
}

// withEarlier is said of a page that is left alone and was not always.
const withEarlier = ", with what an earlier fit put in"

// pageAsSurveyed decides about a page by what the survey kept of it. It reports false when the page must be read.
func (f *fitter) pageAsSurveyed(file site.File, e *survey.Edit, r *pageResult) bool {
	if e == nil || e.Err != nil && !errors.Is(e.Err, pagehead.ErrUnsafe) {
		return false
	}
	var insertion []byte
	at := 0
	r.left = f.leave(file)
	if r.left != "" && len(e.Marked) > 0 {
		r.left += withEarlier
		r.size = file.Size
		return true
	}
	if r.left == "" {
		err := e.Err
		var insert []pagehead.Element
		if err == nil {
			var clashes []clash
			if insert, clashes, err = f.decide(file.URL, e.Head); len(clashes) > 0 {
				return false // their lines have to be found
			}
		}
		if err != nil {
			r.left = strings.TrimSuffix(err.Error(), ": "+pagehead.ErrUnsafe.Error())
			r.size = file.Size
			return true
		}
		insert, d := f.digested(e.Clean, e.Head, insert)
		if d != "" {
			r.release = &worker.Entry{Digest: d, Kind: worker.Pages}
		}
		insertion, at = e.Head.Insertion(insert), e.Head.Insert
	}
	r.size = e.Size + int64(len(insertion))
	same := len(e.Marked) == 0 && len(insertion) == 0 ||
		len(e.Marked) == 1 && e.Marked[0].At == at && bytes.Equal(e.Marked[0].Text, insertion)
	if !same && file.Real == file.Path {
		r.change = &Change{Path: file.Path, Kind: "page", Exists: true, mode: uint32(file.Mode), old: quickly(e.Sum)}
		if len(e.Marked) == 0 {
			r.change.splice = &splice{at, insertion}
		}
	}
	return true
}

// splice is an edit of a page that is known byte for byte before it is read again: one insertion.
type splice struct {
	at        int
	insertion []byte
}

// page decides about a page by reading it.
func (f *fitter) page(file site.File, r *pageResult) error {
	buf := buffers.Get().(*[]byte)
	defer buffers.Put(buf)
	src, err := f.site.ReadInto(file.Path, *buf)
	*buf = src
	if err != nil {
		r.left = "cannot be read"
		return nil //nolint:nilerr // said to the user
	}
	out := src
	if r.left = f.leave(file); r.left != "" {
		if clean, _, err := pagehead.Remove(src); err == nil && len(clean) != len(src) {
			r.left += withEarlier
		}
	} else {
		edited, conflicts, err := f.edit(file.Path, file.URL, src)
		switch {
		case errors.Is(err, pagehead.ErrUnsafe):
			r.left = strings.TrimSuffix(err.Error(), ": "+pagehead.ErrUnsafe.Error())
		case err != nil:
			return err
		default:
			out, r.conflicts = edited, conflicts
		}
	}
	r.size = int64(len(out))
	d := f.releaseOf(out)
	r.release = &d
	if !bytes.Equal(out, src) && file.Real == file.Path {
		r.change = &Change{Path: file.Path, Kind: "page", Exists: true, mode: uint32(file.Mode), old: quick(src)}
	}
	return nil
}

// pages edits every page in memory and notes what would change. It gives the digests of the pages as they will be.
func (f *fitter) pages(ctx context.Context) (map[string]worker.Entry, error) {
	for p, k := range f.kinds { // pages that fit writes get their tags like any other
		if k == "offline page" {
			out, _, err := f.edit(p, f.url(p), f.ours[p])
			if err != nil {
				return nil, err
			}
			f.ours[p] = out
		}
	}
	pages := f.site.Pages()
	results := make([]pageResult, len(pages))
	known := make(map[string]*survey.Edit, len(f.inv.Pages))
	for i := range f.inv.Pages {
		known[f.inv.Pages[i].File.Path] = f.inv.Pages[i].Edit
	}
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, file := range pages {
		if _, ours := f.ours[file.Path]; ours || site.Served(file.Path) {
			continue
		}
		if f.many && f.pageAsSurveyed(file, known[file.Path], &results[i]) {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			return f.page(file, &results[i])
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	digests := map[string]worker.Entry{}
	for i, r := range results {
		file := pages[i]
		if _, ours := f.ours[file.Path]; ours || site.Served(file.Path) {
			continue
		}
		if r.left != "" {
			f.plan.Left = append(f.plan.Left, site.Skipped{Path: file.Path, Why: r.left})
		}
		f.plan.Conflicts = append(f.plan.Conflicts, r.conflicts...)
		if r.release != nil {
			digests[file.Path] = *r.release
		}
		f.sizes[file.Path] = r.size
		switch {
		case r.change != nil:
			f.plan.Changes = append(f.plan.Changes, *r.change)
		case r.left == "":
			f.plan.Same["page"]++
		}
	}
	for p, k := range f.kinds {
		if k == "offline page" {
			digests[p] = f.releaseOf(f.ours[p])
		}
	}
	return digests, nil
}

// releaseOf gives the digest of a page for the worker's table. One that holds its digest is known by that, one that only
// holds the page script by that.
func (f *fitter) releaseOf(page []byte) worker.Entry {
	whole := worker.Entry{Digest: release.Digest(page), Kind: worker.Code}
	if f.script == "" || f.cfg.Stow.Strict {
		return whole
	}
	plain := page
	if bytes.HasPrefix(page, []byte("\xff\xfe")) || bytes.HasPrefix(page, []byte("\xfe\xff")) {
		plain = bytes.ReplaceAll(page, []byte{0}, nil)
	}
	if _, behind, ok := bytes.Cut(plain, []byte(`"`+f.script+`" defer`)); ok {
		at := bytes.Index(behind, []byte(digestAttr+`="`))
		if from := at + len(digestAttr) + 2; at >= 0 && at < 20 && len(behind) >= from+release.DigestLength {
			return worker.Entry{Digest: string(behind[from : from+release.DigestLength]), Kind: worker.Pages}
		}
	}
	if bytes.Contains(plain, []byte(f.script)) {
		whole.Kind = worker.Linked
	}
	return whole
}

// buffers are used again from page to page.
var buffers = sync.Pool{New: func() any { return new([]byte) }}

// quick tells versions of a page apart between planning and writing.
func quick(data []byte) string { return quickly(xxhash.Sum64(data)) }

func quickly(sum uint64) string { return strconv.FormatUint(sum, 36) }
