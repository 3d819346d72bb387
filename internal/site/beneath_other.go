//go:build !linux

package site

import (
	"io/fs"
	"path/filepath"
)

func (s *Site) readFile(p string, buf []byte) ([]byte, error) { return s.readRoot(p, buf) }

// WriteTemp writes a new file with a mode, or an old temporary one anew.
func (s *Site) WriteTemp(p string, data []byte, mode fs.FileMode) error {
	return s.writeRoot(p, data, mode)
}

// Replace renames a file within its folder.
func (s *Site) Replace(from, to string) error {
	return s.root.Rename(filepath.FromSlash(from), filepath.FromSlash(to))
}
