package fitting

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path"
	"path/filepath"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
)

// Paths inside a site's own folder.
const (
	recordFile    = site.OwnDir + "/record.json"
	journalFile   = site.OwnDir + "/journal.json"
	lockFile      = site.OwnDir + "/lock"
	sparesDir     = site.OwnDir + "/spare"
	originalsDir  = site.OwnDir + "/originals"
	recordFormat  = "tachyform.record/1"
	journalFormat = "tachyform.journal/1"
)

// record says what fit wrote into a site, so that strip can take it out again. It lies in the site itself, where it is
// moved, copied and thrown away together with the files that it speaks of, unless it is to lie apart.
type record struct {
	Format string              `json:"format"`
	Files  map[string]recorded `json:"files"` // files that fit wrote, by path
	Icons  string              `json:"icons"` // key of the icon set
	Base   string              `json:"base"`  // URL path that the site is served from

	Launch  string   `json:"launch,omitempty"`  // key of the launch pictures
	Layouts []string `json:"layouts,omitempty"` // templates that fit edited, from the folder of the site on
	Site    string   `json:"site,omitempty"`    // of one that lies apart: the site's folder, relative to its own
	Adopted string   `json:"-"`                 // there is no record: this worker of ours told what fit wrote
}

// recorded is one file that fit wrote.
type recorded struct {
	SHA256   string `json:"sha256"`             // of what was written
	Original string `json:"original,omitempty"` // digest of what stood there before, kept in originals/
}

func readRecord(root *os.Root) (*record, error) { return readRecordFile(root, recordFile) }

func readRecordFile(root *os.Root, name string) (*record, error) {
	r := &record{Format: recordFormat, Files: map[string]recorded{}}
	data, err := regular.ReadIn(root, filepath.FromSlash(name), regular.Large)
	if errors.Is(err, fs.ErrNotExist) {
		return r, nil
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	if err := json.Unmarshal(data, r); err != nil || r.Format != recordFormat {
		return nil, fmt.Errorf("%s: not a record that this version of Tachyform reads; remove it to start anew (strip will then not know which files fit wrote)", name)
	}
	for p := range r.Files {
		if !fs.ValidPath(p) {
			return nil, fmt.Errorf("%s: %q is no path inside the site", name, p)
		}
	}
	return r, nil
}

// recordOf gives the record of a site or, when it has none, what our worker tells of it.
func recordOf(s *site.Site) (*record, error) {
	if _, err := s.Root().Lstat(filepath.FromSlash(recordFile)); errors.Is(err, fs.ErrNotExist) {
		if rec, err := recordApart(s); rec != nil || err != nil {
			return rec, err
		}
		return adopt(s), nil
	}
	return readRecord(s.Root())
}

// RecordedBase gives the base path that an earlier fit worked with, "" when there was none.
func RecordedBase(s *site.Site) string {
	r, err := recordOf(s)
	if err != nil { // whoever needs the record says what is wrong with it
		r = adopt(s)
	}
	return r.Base
}

func (r *record) bytes() []byte {
	data, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		panic(err) // strings and maps
	}
	return append(data, '\n')
}

func originalPath(digest string) string { return path.Join(originalsDir, digest) }
