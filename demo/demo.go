// Package demo holds the site of Skerry Line, a made-up island ferry company, to try Tachyform on.
package demo

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

//go:embed site
var files embed.FS

//go:embed tachyform.toml
var settings string

// Settings is the configuration of the demo for a site in a folder beside it.
func Settings(site string) []byte {
	return []byte(strings.Replace(settings, `"SITE"`, strconv.Quote(site), 1))
}

// nextRelease says what the next release changes, by file.
var nextRelease = map[string][2]string{
	"timetable/index.html": {"<h1>Timetable</h1>", "<h1>Winter timetable</h1>"},
	"assets/css/base.css":  {"--sun: #f4a259", "--sun: #e07a5f"},
	"data/departures.json": {`"Maid of Orran"`, `"Lady Tarsay"`},
}

// marker lies in folders that Write made.
const marker = ".tachyform/demo"

// Files is the demo site.
func Files() fs.FS {
	sub, err := fs.Sub(files, "site")
	if err != nil {
		panic(err) // the folder is embedded
	}
	return sub
}

// Writable says why a release is not written into a folder; nil for one that is new, empty, or an earlier demo.
func Writable(dir string) error {
	info, err := os.Stat(dir)
	switch {
	case errors.Is(err, fs.ErrNotExist):
	case err != nil:
		return err
	case !info.IsDir():
		return fmt.Errorf("%s: is a file; name a folder for the demo", dir)
	default:
		entries, err := os.ReadDir(dir)
		if err != nil {
			return err
		}
		if _, err := os.Stat(filepath.Join(dir, filepath.FromSlash(marker))); len(entries) > 0 && err != nil {
			return fmt.Errorf("%s: the folder is not empty and not an earlier demo; name another one", dir)
		}
	}
	return nil
}

// Write writes the site into a folder that is new, empty, or an earlier demo, and gives the number of files. It
// refuses any other folder.
func Write(dir string) (int, error) { return write(dir, false) }

// WriteNext writes the next release as [Write] does the first: another timetable, another colour, and another ship.
func WriteNext(dir string) (int, error) { return write(dir, true) }

func write(dir string, next bool) (int, error) {
	if err := Writable(dir); err != nil {
		return 0, err
	}
	count := 0
	err := fs.WalkDir(Files(), ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		target := filepath.Join(dir, filepath.FromSlash(p))
		if d.IsDir() {
			return os.MkdirAll(target, 0o755)
		}
		data, err := fs.ReadFile(Files(), p)
		if err != nil {
			return err
		}
		if change, ok := nextRelease[p]; ok && next {
			data = bytes.ReplaceAll(data, []byte(change[0]), []byte(change[1]))
		}
		count++
		return os.WriteFile(target, data, 0o644)
	})
	if err != nil {
		return 0, err
	}
	target := filepath.Join(dir, filepath.FromSlash(marker))
	if err := os.MkdirAll(filepath.Dir(target), 0o755); err != nil {
		return 0, err
	}
	return count, os.WriteFile(target, []byte("tachyform demo wrote this folder and may write it again\n"), 0o644)
}
