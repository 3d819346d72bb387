//go:build !linux

package site

import (
	"io/fs"
	"path"
	"path/filepath"
)

func (s *Site) readFile(p string, buf []byte) ([]byte, error) { return s.readRoot(p, buf) }

// Spares are files in a folder of their own inside the site, to be written and then put in another's place.
type Spares struct {
	site *Site
	path string
}

// Spares makes the folder of spare files, anew when there is one.
func (s *Site) Spares(p string) (*Spares, error) {
	if err := s.root.RemoveAll(filepath.FromSlash(p)); err != nil {
		return nil, err
	}
	return &Spares{s, p}, s.root.MkdirAll(filepath.FromSlash(p), 0o755)
}

// Close removes the spare files.
func (sp *Spares) Close() { _ = sp.site.root.RemoveAll(filepath.FromSlash(sp.path)) }

// Write fills the spare file of a name.
func (sp *Spares) Write(name string, data []byte, mode fs.FileMode) error {
	return sp.site.writeRoot(path.Join(sp.path, name), data, mode)
}

// Place puts the spare file of a name in the place of another file, or where there is none.
func (sp *Spares) Place(name, to string) error {
	return sp.site.root.Rename(filepath.FromSlash(path.Join(sp.path, name)), filepath.FromSlash(to))
}
