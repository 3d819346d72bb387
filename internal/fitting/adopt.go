package fitting

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io/fs"
	"path"
	"path/filepath"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// manifestNames are those that a manifest of ours takes, the first that is free.
var manifestNames = []string{"manifest.webmanifest", "app.webmanifest", "tachyform.webmanifest"}

// workerNames are the names that our worker takes, the first that is free.
var workerNames = []string{"sw.js", "app-sw.js", "tachyform-sw.js"}

// signed is the line at the end of our worker by which what fit wrote is known in a copy of the site that has no record.
var (
	signed   = regexp.MustCompile(`(?m)^// fit wrote this \(([\w-]{16})\) and these, and knows them by it: (\{.*\})$`)
	baseLine = regexp.MustCompile(`(?m)^  base: ("[^"\n]*"),$`)
)

// sign adds the line: the digest of what stands before it, and those of the other files, by path.
func sign(src []byte, others map[string]string) []byte {
	list, err := json.Marshal(others)
	if err != nil {
		panic(err) // strings
	}
	return append(bytes.Clone(src), fmt.Sprintf("// fit wrote this (%s) and these, and knows them by it: %s\n", release.Digest(src), list)...)
}

// changed stands in a record for the digest of a file of ours that somebody changed.
const changed = "changed"

// adopt makes a record of what fit wrote, by our worker's last line, for a site whose own is lost: it was copied or deployed without our folder. Only files
// that are as they were written count, and our scripts.
func adopt(s *site.Site) *record {
	rec := &record{Format: recordFormat, Files: map[string]recorded{}}
	read := func(p string) []byte {
		if !fs.ValidPath(p) {
			return nil
		}
		data, err := regular.ReadIn(s.Root(), filepath.FromSlash(p), regular.Large)
		if err != nil {
			return nil
		}
		return data
	}
	for _, name := range workerNames {
		data := read(name)
		if !isWorker(data) {
			continue
		}
		all := signed.FindAllSubmatchIndex(data, -1)
		if len(all) == 0 {
			continue
		}
		at := all[len(all)-1]
		var others map[string]string
		if json.Unmarshal(data[at[4]:at[5]], &others) != nil {
			continue
		}
		rec.Adopted = name
		rec.Files[name] = recorded{SHA256: changed}
		if release.Digest(data[:at[0]]) == string(data[at[2]:at[3]]) && at[1] == len(data)-1 {
			rec.Files[name] = recorded{SHA256: digest(data)}
		}
		if m := baseLine.FindSubmatch(data); m != nil {
			_ = json.Unmarshal(m[1], &rec.Base) // a text
		}
		for p, sum := range others {
			switch there := read(p); {
			case there == nil || !writes(p, there):
			case release.Digest(there) == sum:
				rec.Files[p] = recorded{SHA256: digest(there)}
			case isScript(there):
				rec.Files[p] = recorded{SHA256: changed}
			}
		}
		for _, f := range s.Files { // pieces of a long list are called by their digests
			if d, ok := strings.CutPrefix(f.Path, worker.PieceFolder+"/"); ok {
				if there := read(f.Path); there != nil && d == release.Digest(there)+".json" {
					rec.Files[f.Path] = recorded{SHA256: digest(there)}
				}
			}
		}
		break
	}
	return rec
}

// writes says whether a file may be one that fit writes: whatever our worker's line says, no other file of a site is taken for ours.
func writes(p string, data []byte) bool {
	switch path.Ext(p) {
	case ".js":
		return isScript(data)
	case ".webmanifest":
		return slices.Contains(manifestNames, p)
	case ".html":
		return p == "offline.html"
	case ".png", ".svg", ".ico":
		return true
	}
	return false
}

// isScript says whether a file is one of our scripts, as its first line says.
func isScript(data []byte) bool { return bytes.HasPrefix(data, []byte("// Tachyform ")) }
