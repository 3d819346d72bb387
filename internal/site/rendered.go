package site

import (
	"bytes"
	"errors"
	"sort"
	"strings"
)

// rendered is what a site of two sources has beside its files: what a server sent, and a folder below a path.
type rendered struct {
	at     string // URL path of the folder, with slashes at both ends
	server *Site  // what was read of the server
	own    func(path string) bool
	byURL  map[string]int
	sent   map[string]bool // URLs that the server answered
	differ []string        // paths of the folder whose server sends other bytes for them
}

// Rendering says how a site of two sources is put together.
type Rendering struct {
	At     string                 // URL path that the folder's files are sent below
	Server *Site                  // what was read of the server, as [Live] gives it; it is closed with the site
	Pinned map[string]string      // URLs of files of the folder that are sent from elsewhere, by their paths
	Own    func(path string) bool // files of the folder that count whatever the server sent; nil for none
}

// ErrRendered is returned for what cannot be done with a site whose pages come from a server.
var ErrRendered = errors.New("its pages come from a server")

// Rendered makes a site of what a server sends and of the folder that it sends files from. Files of the folder have their path below it, and
// all else has its URL as its path, which begins with a slash and is never written. Of a file that the server sends with other bytes than the
// folder has, what was sent counts.
func Rendered(dir string, r Rendering) (*Site, error) {
	s, err := Open(dir, r.At)
	if err != nil {
		return nil, err
	}
	s.Origin = r.Server.Origin
	s.rendered = &rendered{at: s.Base, server: r.Server, own: r.Own}
	s.pinned = r.Pinned
	s.Base = "/"
	if start := r.Server.live.start; start != "" {
		s.Base = start[:strings.LastIndexByte(start, '/')+1]
	}
	if err := s.join(); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// join puts the files of both sources together.
func (s *Site) join() error {
	r := s.rendered
	sent := map[string]File{}
	for _, f := range r.server.Files {
		sent[f.URL] = f
	}
	r.differ, r.sent = nil, map[string]bool{}
	for u := range sent {
		r.sent[u] = true
	}
	var files []File
	for _, f := range s.Files {
		if f.URL = PageURL(r.at, f.Path); s.pinned[f.Path] != "" {
			f.URL = s.pinned[f.Path]
		}
		if got, ok := sent[f.URL]; ok {
			if r.own == nil || !r.own(f.Path) {
				theirs, err := r.server.Read(got.Path)
				if err != nil {
					return err
				}
				if ours, err := s.Read(f.Path); err == nil && !bytes.Equal(ours, theirs) {
					r.differ = append(r.differ, f.Path)
					continue // what was sent counts
				}
			}
			delete(sent, f.URL)
		}
		files = append(files, f)
	}
	for _, f := range sent {
		files = append(files, f)
	}
	s.Files = files
	sort.Slice(s.Files, func(i, j int) bool { return s.Files[i].Path < s.Files[j].Path })
	s.byPath = make(map[string]int, len(s.Files))
	r.byURL = make(map[string]int, len(s.Files))
	for i, f := range s.Files {
		s.byPath[f.Path] = i
		r.byURL[f.URL] = i
	}
	return nil
}

// IsRendered says whether the site's pages come from a server.
func (s *Site) IsRendered() bool { return s.rendered != nil }

// Served says whether a path of a rendered site is what its server sent, and not a file of the folder.
func Served(path string) bool { return strings.HasPrefix(path, "/") }

// Sent says whether the server of a rendered site was seen to answer a URL.
func (s *Site) Sent(url string) bool { return s.rendered != nil && s.rendered.sent[url] }

// Differ are the paths of the folder's files that the server of a rendered site sends with other bytes, in their order.
func (s *Site) Differ() []string {
	if s.rendered == nil {
		return nil
	}
	return s.rendered.differ
}

// Pin has the file at a path be sent at a URL of its own.
func (s *Site) Pin(path, url string) error {
	if s.pinned == nil {
		s.pinned = map[string]string{}
	}
	s.pinned[path] = url
	return s.Rescan()
}

// FileURL is the root-relative URL of a file of the site; index pages keep their name. The file need not be there yet.
func (s *Site) FileURL(path string) string {
	switch {
	case s.pinned[path] != "":
		return s.pinned[path]
	case s.rendered == nil:
		return FileURL(s.Base, path)
	case Served(path):
		return path
	}
	return FileURL(s.rendered.at, path)
}

// PageURL is the root-relative URL that visitors use for a file of the site: index pages are their folder.
func (s *Site) PageURL(path string) string {
	switch {
	case s.pinned[path] != "" || s.rendered != nil && Served(path):
		return s.FileURL(path)
	case s.rendered == nil:
		return PageURL(s.Base, path)
	}
	return PageURL(s.rendered.at, path)
}

// Below gives the path of the site's file at a URL, there or not yet; false for what no file of the folder can have.
func (s *Site) Below(url string) (string, bool) {
	for p, u := range s.pinned {
		if u == url {
			return p, true
		}
	}
	base := s.Base
	if s.rendered != nil {
		base = s.rendered.at
	}
	rest, ok := strings.CutPrefix(url, base)
	if !ok {
		return "", false
	}
	return UnescapePath(rest)
}

// find is [Site.Find] for a rendered site.
func (r *rendered) find(s *Site, u string) (File, bool) {
	for range 10 {
		if i, ok := r.byURL[u]; ok {
			return s.Files[i], true
		}
		to, ok := r.server.live.aliases[u]
		if !ok {
			return File{}, false
		}
		u = to
	}
	return File{}, false
}
