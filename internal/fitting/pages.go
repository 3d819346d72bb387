package fitting

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"runtime"
	"strconv"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
	"github.com/cespare/xxhash/v2"
	"golang.org/x/sync/errgroup"

	"tachyform/internal/markup"
	"tachyform/internal/pagehead"
	"tachyform/internal/release"
	"tachyform/internal/site"
	"tachyform/internal/survey"
	"tachyform/internal/worker"
)

// elements are the tags that pages get unless they have their own.
func (f *fitter) elements(manifestPath string) []pagehead.Element {
	tags := []pagehead.Element{{Name: "link", Attrs: [][2]string{{"rel", "manifest"}, {"href", f.url(manifestPath)}}}}
	tags = append(tags, pagehead.Element{Name: "meta", Attrs: [][2]string{{"name", "theme-color"}, {"content", f.app.theme}}})
	for p, k := range f.kinds {
		if k == "icon" && strings.HasPrefix(path.Base(p), "touch-") {
			tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "apple-touch-icon"}, {"href", f.url(p)}}})
		}
	}
	if _, ok := f.ours["favicon.ico"]; ok {
		tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "icon"}, {"href", f.url("favicon.ico")}, {"sizes", "16x16 32x32 48x48"}}})
	}
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
	head, err := pagehead.Read(name, clean)
	if err != nil {
		return nil, nil, err
	}
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
	var conflicts []Conflict
	for _, e := range f.tags {
		kind, want := e.Attrs[0][1], e.Attrs[len(e.Attrs)-1][1]
		switch {
		case e.Name == "script":
			kind = "script"
		case kind == "apple-touch-icon":
			kind = "touch-icon"
		}
		t, ok := has[kind]
		if !ok || kind == "script" {
			insert = append(insert, e)
			continue
		}
		if kind == "manifest" {
			if u, ok := survey.Resolve(baseOf(url, head.Base), t.Value); !ok || u != want {
				line, column := markup.Position(clean, t.Offset)
				conflicts = append(conflicts, Conflict{name, line, column, fmt.Sprintf("links another manifest (%s) than %s; browsers look at the first link only, so this page installs something else. Remove the link and fit again, or name the manifest the same", t.Value, want)})
			}
		}
	}
	return head.Edit(clean, insert), conflicts, nil
}

func baseOf(url, base string) string {
	if b, ok := survey.Resolve(url, base); ok && base != "" {
		return b
	}
	return url
}

// pages edits every page in memory and notes what would change. It gives the digests of the pages as they will be.
func (f *fitter) pages(ctx context.Context) (map[string]string, error) {
	type result struct {
		change    *Change
		left      string
		conflicts []Conflict
		release   string
		size      int64
	}
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
	results := make([]result, len(pages))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	for i, file := range pages {
		if _, ours := f.ours[file.Path]; ours {
			continue
		}
		g.Go(func() error {
			if err := ctx.Err(); err != nil {
				return err
			}
			r := &results[i]
			buf := buffers.Get().(*[]byte)
			defer buffers.Put(buf)
			src, err := f.site.ReadInto(file.Path, *buf)
			*buf = src
			if err != nil {
				r.left = "cannot be read"
				return nil //nolint:nilerr // said to the user
			}
			out := src
			for _, glob := range f.cfg.Pages.Leave {
				if ok, _ := doublestar.Match(glob, file.URL); ok {
					r.left = "left alone as configured"
				} else if ok, _ := doublestar.Match(glob, f.site.Base+file.Path); ok {
					r.left = "left alone as configured"
				}
			}
			if r.left != "" {
				if clean, _, err := pagehead.Remove(src); err == nil {
					out = clean
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
			if !f.many {
				r.release = f.releaseOf(out)
			}
			if !bytes.Equal(out, src) && file.Real == file.Path {
				r.change = &Change{Path: file.Path, Kind: "page", Exists: true, mode: uint32(file.Mode), old: quick(src)}
			}
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	digests := map[string]string{}
	for i, r := range results {
		file := pages[i]
		if _, ours := f.ours[file.Path]; ours {
			continue
		}
		if r.left != "" {
			f.plan.Left = append(f.plan.Left, site.Skipped{Path: file.Path, Why: r.left})
		}
		f.plan.Conflicts = append(f.plan.Conflicts, r.conflicts...)
		if r.release != "" {
			digests[file.Path] = r.release
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

// releaseOf gives the digest of a page for the worker's table. One that holds the page script is checked by that.
func (f *fitter) releaseOf(page []byte) string {
	d := release.Digest(page)
	if f.script == "" || f.cfg.Stow.Strict {
		return d
	}
	plain := page
	if bytes.HasPrefix(page, []byte("\xff\xfe")) || bytes.HasPrefix(page, []byte("\xfe\xff")) {
		plain = bytes.ReplaceAll(page, []byte{0}, nil)
	}
	if bytes.Contains(plain, []byte(f.script)) {
		return worker.Loose(d)
	}
	return d
}

// buffers are used again from page to page.
var buffers = sync.Pool{New: func() any { return new([]byte) }}

// quick tells versions of a page apart between planning and writing.
func quick(data []byte) string { return strconv.FormatUint(xxhash.Sum64(data), 36) }
