package fitting

import (
	"fmt"
	"os"
	"path"
	"path/filepath"

	"tachyform.dev/tachyform/internal/site"
)

// Copy copies a site's files into a folder that is new or empty, or that an earlier copy made, and opens it.
// Symbolic links are copied as the files that they lead to.
func Copy(s *site.Site, dir string) (*site.Site, error) {
	entries, err := os.ReadDir(dir)
	if err == nil && len(entries) > 0 {
		if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(recordFile))); err != nil {
			return nil, fmt.Errorf("--out %s: the folder is not empty, and no earlier fit made it", dir)
		}
	}
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return nil, fmt.Errorf("--out: %w", err)
	}
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, fmt.Errorf("--out: %w", err)
	}
	defer root.Close()
	for _, f := range s.Files {
		data, err := s.Read(f.Path)
		if err != nil {
			return nil, err
		}
		if err := root.MkdirAll(filepath.FromSlash(path.Dir(f.Path)), 0o755); err != nil {
			return nil, fmt.Errorf("--out %s: %w", dir, err)
		}
		if err := writeNew(root, f.Path, data, uint32(f.Mode), false); err != nil {
			return nil, fmt.Errorf("--out %s: %w", dir, err)
		}
	}
	return site.Open(dir, s.Base)
}
