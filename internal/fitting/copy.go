package fitting

import (
	"fmt"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"

	"tachyform.dev/tachyform/internal/site"
)

// Copy copies a site's files into a folder that is new or empty, or that an earlier copy made, and opens it. Apart is where the record of the
// copy is to lie, "" for in it.
// Symbolic links are copied as the files that they lead to.
func Copy(s *site.Site, dir, apart string) (*site.Site, error) {
	entries, err := os.ReadDir(dir)
	if err == nil && len(entries) > 0 {
		if !copiedBefore(dir, apart) {
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
	if err := copyRecord(s, root); err != nil {
		return nil, fmt.Errorf("--out %s: %w", dir, err)
	}
	copied, err := site.Open(dir, s.Base)
	if err == nil {
		copied.Record = apart
	}
	return copied, err
}

// copiedBefore says whether an earlier fit made a copy in a folder.
func copiedBefore(dir, apart string) bool {
	if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(recordFile))); err == nil {
		return true
	}
	s, err := site.Open(dir, "/")
	if err != nil {
		return false
	}
	defer s.Close()
	s.Record = apart
	rec, err := recordApart(s)
	return err == nil && rec != nil
}

// copyRecord takes along what is known of what fit wrote into the site, so that it is known of the copy.
func copyRecord(s *site.Site, root *os.Root) error {
	rec, err := recoverRecord(s)
	if err != nil || len(rec.Files) == 0 {
		return err
	}
	before, err := readRecord(root) // of an earlier copy
	if err != nil {
		return err
	}
	for p, r := range before.Files {
		if _, known := rec.Files[p]; !known {
			rec.Files[p] = r
		}
	}
	if err := root.MkdirAll(site.OwnDir, 0o755); err != nil {
		return err
	}
	for _, p := range slices.Sorted(maps.Keys(rec.Files)) {
		r := rec.Files[p]
		if r.Original == "" || before.Files[p] == r {
			continue
		}
		data, err := originalOf(s, r.Original)
		if err != nil {
			continue // strip says that it is missing
		}
		if err := root.MkdirAll(filepath.FromSlash(originalsDir), 0o755); err != nil {
			return err
		}
		if err := replace(root, originalPath(r.Original), data, 0o644); err != nil {
			return err
		}
	}
	return replace(root, recordFile, rec.bytes(), 0o644)
}
