package fitting

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
)

// A record may lie apart from its site, in [site.Site.Record], so that nothing but what is deployed is left in the folder. While something is
// being written it lies in the site, as every record does: what an interrupted run leaves is found there, and counts before what lies apart.

// apartOf opens the folder in which a site's record lies apart. There is none (nil) when it lies in the site, or is not yet made.
func apartOf(s *site.Site) (*os.Root, error) {
	if s.Record == "" {
		return nil, nil
	}
	root, err := os.OpenRoot(s.Record)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("record_dir: %w", err)
	}
	return root, nil
}

// whereabouts is how a record that lies apart names its site: relative to where it lies, so that both can be moved together.
func whereabouts(s *site.Site) (string, error) {
	from, err := filepath.Abs(s.Record)
	if err != nil {
		return "", err
	}
	to, err := filepath.Abs(s.Dir)
	if err != nil {
		return "", err
	}
	rel, err := filepath.Rel(from, to)
	return filepath.ToSlash(rel), err
}

// recordApart reads the record that lies apart, nil for none.
func recordApart(s *site.Site) (*record, error) {
	root, err := apartOf(s)
	if root == nil {
		return nil, err
	}
	defer root.Close()
	name := path.Base(recordFile)
	if _, err := root.Lstat(name); errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	rec, err := readRecordFile(root, name)
	if err != nil {
		return nil, fmt.Errorf("record_dir: %w", err)
	}
	at, err := whereabouts(s)
	if err != nil {
		return nil, err
	}
	if rec.Site != at {
		return nil, fmt.Errorf("record_dir: %s is about %s, and not about %s: each site needs a folder of its own for its record", filepath.Join(s.Record, name), filepath.Join(s.Record, filepath.FromSlash(rec.Site)), s.Dir)
	}
	rec.Site = ""
	return rec, nil
}

// recordName is how a site's record is named to people.
func recordName(s *site.Site) string {
	if s.Record == "" {
		return recordFile
	}
	return filepath.Join(s.Record, path.Base(recordFile))
}

// originalOf reads what stood in the place of a file that fit wrote.
func originalOf(s *site.Site, digest string) ([]byte, error) {
	data, err := regular.ReadIn(s.Root(), filepath.FromSlash(originalPath(digest)), regular.Large)
	if !errors.Is(err, fs.ErrNotExist) {
		return data, err
	}
	root, apart := apartOf(s)
	if root == nil {
		return nil, errors.Join(apart, err)
	}
	defer root.Close()
	return regular.ReadIn(root, filepath.FromSlash(path.Join(path.Base(originalsDir), digest)), regular.Large)
}

// bringIn has a record that lies apart lie in its site.
func bringIn(s *site.Site) error {
	if _, err := s.Root().Lstat(filepath.FromSlash(recordFile)); !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	rec, err := recordApart(s)
	if rec == nil {
		return err
	}
	for _, r := range rec.Files {
		if r.Original == "" {
			continue
		}
		data, err := originalOf(s, r.Original)
		if errors.Is(err, fs.ErrNotExist) {
			continue // strip says that it is missing
		}
		if err == nil {
			err = keepOriginal(s.Root(), r.Original, data)
		}
		if err != nil {
			return err
		}
	}
	return replace(s.Root(), recordFile, rec.bytes(), 0o644)
}

// takeApart has the record of a site lie apart from it, if that is where it belongs.
func takeApart(s *site.Site) error {
	if s.Record == "" {
		return nil
	}
	in := s.Root()
	rec, err := readRecord(in)
	if err != nil {
		return err
	}
	originals, err := fs.ReadDir(in.FS(), originalsDir)
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	_, err = in.Lstat(filepath.FromSlash(recordFile))
	there := err == nil
	if !there && len(originals) == 0 { // everything was taken out
		root, err := apartOf(s)
		if root == nil {
			return err
		}
		defer root.Close()
		if err := root.Remove(path.Base(recordFile)); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
		_ = root.RemoveAll(path.Base(originalsDir))
		_ = os.Remove(s.Record) // only when it is empty
		return nil
	}
	if err := os.MkdirAll(s.Record, 0o755); err != nil {
		return err
	}
	root, err := os.OpenRoot(s.Record)
	if err != nil {
		return err
	}
	defer root.Close()
	for _, o := range originals {
		data, err := regular.ReadIn(in, filepath.FromSlash(originalPath(o.Name())), regular.Large)
		if err == nil {
			err = writeApart(root, path.Join(path.Base(originalsDir), o.Name()), data)
		}
		if err != nil {
			return err
		}
	}
	if there {
		if rec.Site, err = whereabouts(s); err != nil {
			return err
		}
		if err := writeApart(root, path.Base(recordFile), rec.bytes()); err != nil {
			return err
		}
		if err := in.Remove(filepath.FromSlash(recordFile)); err != nil {
			return err
		}
	}
	return in.RemoveAll(filepath.FromSlash(originalsDir))
}

// writeApart writes a file whole, when it is another than the one that is there: new bytes beside it, made durable, then renamed.
func writeApart(root *os.Root, name string, data []byte) error {
	if was, err := regular.ReadIn(root, filepath.FromSlash(name), regular.Large); err == nil && string(was) == string(data) {
		return nil
	}
	if err := root.MkdirAll(filepath.FromSlash(path.Dir(name)), 0o755); err != nil {
		return err
	}
	spare := name + ".new"
	if err := root.Remove(filepath.FromSlash(spare)); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return err
	}
	f, err := root.OpenFile(filepath.FromSlash(spare), os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	err = errors.Join(err, f.Sync(), f.Close())
	if err == nil {
		err = root.Rename(filepath.FromSlash(spare), filepath.FromSlash(name))
	}
	if err != nil {
		_ = root.Remove(filepath.FromSlash(spare))
	}
	return err
}
