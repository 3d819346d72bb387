// Package site sees a folder that will be deployed as visitors see it: files with URLs, answered as a plain
// static server answers. Nothing outside the folder can be reached through it.
package site

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sort"
	"strings"
	"sync/atomic"
)

// OwnDir is the folder inside a site where Tachyform keeps its record and journal. It is never deployed,
// stowed or surveyed.
const OwnDir = ".tachyform"

// MaxFile is the largest file that is read whole, in bytes.
const MaxFile = 256 << 20

// File is one file that visitors can ask for.
type File struct {
	Path string      // slash-separated, below the site's folder
	URL  string      // root-relative and percent-encoded; the folder for index pages
	Size int64       // bytes
	Mode fs.FileMode // permission bits
	Type string      // media type a plain server sends
	// Real is the path below the site of the file that this one is a symbolic link to, or Path itself.
	Real   string
	Status int // of the answer of a live origin when it is another than 200 and has the file all the same; 0 for 200
}

// IsPage says whether the file is an HTML or XHTML page.
func (f File) IsPage() bool { return f.Kind() == "page" }

// Skipped is something in the folder that is not part of the site, and why.
type Skipped struct{ Path, Why string }

// Site is a folder as files and URLs. Its files are sorted by path.
type Site struct {
	Dir     string // as the user named it
	Base    string // URL path it is served from, with slashes at both ends
	Origin  string // scheme and host of a live origin, such as "https://skerry-line.example"; "" for a folder, which does not know it
	Files   []File
	Skipped []Skipped
	Record  string   // folder apart from it in which what fit wrote is remembered, "" for [OwnDir] in it
	Apps    []string // folders inside that an earlier fit made into applications of their own, as paths; they are served and nothing else

	root     *os.Root
	dir      *os.File // the folder, for system calls relative to it
	byPath   map[string]int
	live     *live             // set for a live origin
	pinned   map[string]string // URLs of files that are sent from elsewhere than they lie, by their paths
	rendered *rendered         // set for a site whose pages come from a server
	dirs     map[string]bool
	hashed   atomic.Pointer[map[string]bool] // the files whose names hold a digest, once somebody asked
}

// ErrNoPages is returned for a folder without any HTML page.
var ErrNoPages = errors.New("no HTML page in it")

// Open reads the folder's list of files. base is the URL path that it will be served from.
// The error says what is wrong with dir: missing, not a folder, or unreadable.
func Open(dir, base string) (*Site, error) {
	info, err := os.Stat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("%s: there is no such folder", dir)
	case err != nil:
		return nil, fmt.Errorf("%s: %w", dir, errors.Unwrap(err))
	case !info.IsDir():
		return nil, fmt.Errorf("%s: is a file; a site is a folder", dir)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	s := &Site{Dir: dir, Base: CleanBase(base), root: root}
	if s.dir, err = root.Open("."); err != nil {
		root.Close()
		return nil, fmt.Errorf("%s: %w", dir, err)
	}
	if err := s.Rescan(); err != nil {
		s.Close()
		return nil, err
	}
	return s, nil
}

// Rebase changes the URL path that the site is served from. That of a site whose pages come from a server is known.
func (s *Site) Rebase(base string) {
	if s.rendered != nil {
		return
	}
	s.Base = CleanBase(base)
	for i := range s.Files {
		s.Files[i].URL = PageURL(s.Base, s.Files[i].Path)
	}
}

// Close gives the folder's handle back.
func (s *Site) Close() error {
	err := s.dir.Close()
	if s.rendered != nil {
		if e := s.rendered.server.Close(); err == nil {
			err = e
		}
	}
	if e := s.root.Close(); err == nil {
		err = e
	}
	return err
}

// Root is the folder as a handle that no path can leave.
func (s *Site) Root() *os.Root { return s.root }

// Rescan lists the files again.
func (s *Site) Rescan() error {
	real, err := filepath.EvalSymlinks(s.Dir)
	if err != nil {
		return fmt.Errorf("%s: %w", s.Dir, err)
	}
	real, err = filepath.Abs(real)
	if err != nil {
		return fmt.Errorf("%s: %w", s.Dir, err)
	}
	s.Files, s.Skipped, s.Apps = nil, nil, nil
	s.hashed.Store(nil)
	s.dirs = map[string]bool{"": true}
	if err := s.walk(real, "", []string{real}); err != nil {
		return err
	}
	sort.Slice(s.Files, func(i, j int) bool { return s.Files[i].Path < s.Files[j].Path })
	sort.Slice(s.Skipped, func(i, j int) bool { return s.Skipped[i].Path < s.Skipped[j].Path })
	s.byPath = make(map[string]int, len(s.Files))
	for i, f := range s.Files {
		s.byPath[f.Path] = i
	}
	if s.rendered != nil {
		return s.join()
	}
	return nil
}

// walk lists the folder rel of the site. above holds the real paths of the folders on the way, so that a
// symbolic link into one of them ends the walk.
func (s *Site) walk(real, rel string, above []string) error {
	entries, err := os.ReadDir(filepath.Join(real, filepath.FromSlash(rel)))
	if err != nil {
		if rel == "" {
			return fmt.Errorf("%s: %w", s.Dir, err)
		}
		s.skip(rel, "cannot be read: "+reason(err))
		return nil
	}
	for _, e := range entries {
		name := e.Name()
		p := path.Join(rel, name)
		if strings.HasPrefix(name, ".") && name != ".well-known" {
			if name == OwnDir && rel != "" && e.IsDir() {
				s.Apps = append(s.Apps, rel)
				s.skip(rel, "an application of its own: it was fitted by itself")
			} else if name != OwnDir || rel != "" {
				s.skip(p, "names that begin with a dot are not served")
			}
			continue
		}
		switch {
		case e.Type()&fs.ModeSymlink != 0:
			if err := s.walkLink(real, p, above); err != nil {
				return err
			}
		case e.IsDir():
			s.dirs[p] = true
			if err := s.walk(real, p, append(above, filepath.Join(real, filepath.FromSlash(p)))); err != nil {
				return err
			}
		case e.Type().IsRegular():
			info, err := e.Info()
			if err != nil {
				s.skip(p, "cannot be read: "+reason(err))
				continue
			}
			s.add(p, p, info)
		default:
			s.skip(p, "neither a file nor a folder")
		}
	}
	return nil
}

func (s *Site) walkLink(real, p string, above []string) error {
	target, err := filepath.EvalSymlinks(filepath.Join(real, filepath.FromSlash(p)))
	if err != nil {
		s.skip(p, "symbolic link that leads nowhere")
		return nil
	}
	inside, err := filepath.Rel(real, target)
	if err != nil || inside == ".." || strings.HasPrefix(inside, ".."+string(filepath.Separator)) {
		s.skip(p, "symbolic link that leads out of the site")
		return nil
	}
	info, err := os.Stat(target)
	switch {
	case err != nil:
		s.skip(p, "cannot be read: "+reason(err))
	case info.IsDir():
		for _, a := range above {
			if a == target {
				s.skip(p, "symbolic link to a folder above it")
				return nil
			}
		}
		s.dirs[p] = true
		return s.walk(real, p, append(above, target))
	case info.Mode().IsRegular():
		s.add(p, filepath.ToSlash(inside), info)
	}
	return nil
}

func (s *Site) add(p, real string, info fs.FileInfo) {
	s.Files = append(s.Files, File{Path: p, Real: real, URL: s.urlOf(p), Size: info.Size(),
		Mode: info.Mode().Perm(), Type: TypeOf(p)})
}

// urlOf is the URL of a file of the folder.
func (s *Site) urlOf(p string) string {
	if u := s.pinned[p]; u != "" {
		return u
	}
	return PageURL(s.Base, p)
}

func (s *Site) skip(p, why string) { s.Skipped = append(s.Skipped, Skipped{p, why}) }

// reason is an operating system's error without the path that the caller names already.
func reason(err error) string {
	var pe *fs.PathError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}

// File finds a file by its path below the site.
func (s *Site) File(p string) (File, bool) {
	i, ok := s.byPath[p]
	if !ok {
		return File{}, false
	}
	return s.Files[i], true
}

// InApp says whether a path lies in one of [Site.Apps].
func (s *Site) InApp(p string) bool {
	for _, a := range s.Apps {
		if strings.HasPrefix(p, a+"/") {
			return true
		}
	}
	return false
}

// Pages are the site's HTML and XHTML files in path order, without those of applications inside it.
func (s *Site) Pages() []File {
	var pages []File
	for _, f := range s.Files {
		if f.IsPage() && !s.InApp(f.Path) {
			pages = append(pages, f)
		}
	}
	return pages
}

// Read gives a file's bytes. Files over [MaxFile] are refused, as are links that lead out of the site.
func (s *Site) Read(p string) ([]byte, error) { return s.ReadInto(p, nil) }

// ReadInto is Read into a buffer that is used again, when it is large enough.
func (s *Site) ReadInto(p string, buf []byte) ([]byte, error) {
	if s.live != nil {
		f, _ := s.File(p)
		p = f.Real
	}
	if s.rendered != nil && Served(p) {
		return s.rendered.server.ReadInto(p, buf)
	}
	data, err := s.readFile(p, buf)
	if err != nil {
		return data[:0], fmt.Errorf("%s: %s", path.Join(filepath.ToSlash(s.Dir), p), reason(err))
	}
	return data, nil
}

// readRoot reads through os.Root.
func (s *Site) readRoot(p string, buf []byte) ([]byte, error) {
	f, err := s.root.Open(filepath.FromSlash(p))
	if err != nil {
		return buf[:0], err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return buf[:0], err
	}
	return readAll(f.Read, info.Size(), buf)
}

// readAll reads to the end. size is what the file is expected to have, in bytes.
func readAll(read func([]byte) (int, error), size int64, buf []byte) ([]byte, error) {
	if size > MaxFile {
		return buf[:0], fmt.Errorf("%d bytes; files over %d bytes are not read", size, MaxFile)
	}
	data := buf[:0]
	if int64(cap(data)) <= size {
		data = make([]byte, 0, size+size/4+512)
	}
	for {
		n, err := read(data[len(data):cap(data)])
		data = data[:len(data)+n]
		if err == io.EOF {
			return data, nil
		}
		if err != nil {
			return data, err
		}
		if len(data) == cap(data) {
			if len(data) > MaxFile {
				return data, fmt.Errorf("grew over %d bytes while it was read", MaxFile)
			}
			data = append(data, 0)[:len(data)]
		}
	}
}

// writeRoot writes through os.Root.
func (s *Site) writeRoot(p string, data []byte, mode fs.FileMode) error {
	f, err := s.root.OpenFile(filepath.FromSlash(p), os.O_WRONLY|os.O_CREATE|os.O_TRUNC, mode|0o200)
	if err != nil {
		return err
	}
	if _, err = f.Write(data); err == nil {
		err = f.Chmod(mode)
	}
	if e := f.Close(); err == nil {
		err = e
	}
	return err
}

// StartPage is the page at the base path, or the shortest path when there is none.
func (s *Site) StartPage() (File, error) {
	if s.live != nil {
		f, _ := s.File(s.live.start)
		return f, nil
	}
	if s.rendered != nil {
		f, _ := s.File(s.rendered.server.live.start)
		return f, nil
	}
	for _, name := range []string{"index.html", "index.htm"} {
		if f, ok := s.File(name); ok {
			return f, nil
		}
	}
	// Pages that stand in for others, the offline page that fit writes among them, are taken only when there is no
	// other.
	var best File
	rank := func(f File) int {
		n := strings.Count(f.Path, "/")
		if base := path.Base(f.Path); strings.HasPrefix(base, "404.") || base == "offline.html" {
			n += 1000
		}
		return n
	}
	for _, f := range s.Files {
		if f.IsPage() && (best.Path == "" || rank(f) < rank(best)) {
			best = f
		}
	}
	if best.Path == "" {
		return File{}, fmt.Errorf("%s: %w", s.Dir, ErrNoPages)
	}
	return best, nil
}
