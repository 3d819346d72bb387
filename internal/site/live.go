package site

import (
	"fmt"
	"os"
	"path"
	"sort"
	"strings"
)

// live is what a site of a live origin has beside its files.
type live struct {
	start   string
	aliases map[string]string
}

// Live makes a site of what was read from a live origin (scheme and host) into the folder dir: name is shown, start is the URL of the
// start page, the files' Path is their URL and Real their name in dir, and aliases are URLs that redirect to another.
// The files are in path order. Only reading such a site makes sense.
func Live(dir, name, origin, start string, files []File, aliases map[string]string) (*Site, error) {
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	s := &Site{Dir: name, Base: "/", Origin: origin, Files: files, root: root, byPath: map[string]int{}, live: &live{start, aliases}}
	if s.dir, err = root.Open("."); err != nil {
		root.Close()
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	for i, f := range files {
		s.byPath[f.Path] = i
	}
	return s, nil
}

// Put adds a file to a site that was read from a live origin, in the place of one of the same path.
func (s *Site) Put(f File) {
	if i, ok := s.byPath[f.Path]; ok {
		s.Files[i] = f
		return
	}
	s.Files = append(s.Files, f)
	sort.Slice(s.Files, func(i, j int) bool { return s.Files[i].Path < s.Files[j].Path })
	for i, f := range s.Files {
		s.byPath[f.Path] = i
	}
}

// Empty makes a site without any file. It need not be closed.
func Empty(name string) *Site {
	return &Site{Dir: name, Base: "/", byPath: map[string]int{}, live: &live{}}
}

// IsLive says whether the site was read from a live origin.
func (s *Site) IsLive() bool { return s.live != nil }

// Find gives the file that a root-relative URL names, as visitors come to it: folders give their index page.
func (s *Site) Find(u string) (File, bool) {
	u, _, _ = strings.Cut(u, "#")
	u, _, _ = strings.Cut(u, "?")
	if s.live != nil {
		for range 10 {
			if f, ok := s.File(u); ok {
				return f, true
			}
			to, ok := s.live.aliases[u]
			if !ok {
				break
			}
			u = to
		}
		return File{}, false
	}
	if s.rendered != nil {
		return s.rendered.find(s, u)
	}
	rest, ok := strings.CutPrefix(u, s.Base)
	if !ok {
		return File{}, false
	}
	p, ok := UnescapePath(rest)
	if !ok {
		return File{}, false
	}
	if p != "" && !strings.HasSuffix(p, "/") {
		return s.File(path.Clean(p))
	}
	for _, n := range []string{"index.html", "index.htm"} {
		if f, ok := s.File(path.Clean(p + n)); ok {
			return f, true
		}
	}
	return File{}, false
}
