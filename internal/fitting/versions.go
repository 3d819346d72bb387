package fitting

import (
	"os"
	"path/filepath"
	"strings"

	ignore "github.com/sabhiram/go-gitignore"

	"tachyform.dev/tachyform/internal/site"
)

// ignoreFile keeps what lies in a site's own folder only while something is being written out of version control.
const ignoreFile = site.OwnDir + "/.gitignore"

const ignored = "# Written by tachyform: these are there only while it works. The record belongs to the files that it speaks of.\njournal.json\nlock\nspare/\n"

// sayVersions says, the first time, which of the written files belong into version control.
func (f *fitter) sayVersions() {
	if len(f.rec.Files) > 0 || len(f.plan.Changes) == 0 {
		return
	}
	switch tree, build := workTree(f.site.Dir); {
	case tree == "":
	case build:
		f.remark("this folder is kept out of version control (.gitignore): run fit after each build, as its last step; nothing that it writes has to be kept")
	default:
		f.remark("this folder lies in a work tree: the files that fit writes and %s belong into version control together with the pages, so that the next fit and strip know them", recordName(f.site))
	}
}

// workTree gives the work tree that a folder lies in, "" for none, and whether the folder is kept out of version control.
func workTree(dir string) (tree string, build bool) {
	at, err := filepath.Abs(dir)
	if err != nil {
		return "", false
	}
	if real, err := filepath.EvalSymlinks(at); err == nil {
		at = real
	}
	var above []string // from the folder up
	for d := at; ; d = filepath.Dir(d) {
		above = append(above, d)
		if _, err := os.Stat(filepath.Join(d, ".git")); err == nil {
			tree = d
			break
		}
		if filepath.Dir(d) == d {
			return "", false
		}
	}
	for _, d := range above[1:] { // a folder decides on what is in it
		lines, err := ignore.CompileIgnoreFile(filepath.Join(d, ".gitignore"))
		if err != nil {
			continue
		}
		rel, err := filepath.Rel(d, at)
		if err == nil && (lines.MatchesPath(filepath.ToSlash(rel)+"/") || lines.MatchesPath(filepath.ToSlash(rel)+"/x")) {
			return tree, true
		}
	}
	if strings.HasPrefix(at, filepath.Join(tree, ".git")+string(filepath.Separator)) {
		return "", false
	}
	return tree, false
}
