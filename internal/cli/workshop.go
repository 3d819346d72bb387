package cli

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// workshop makes releases of a folder.
type workshop struct {
	ctx    context.Context
	c      *config.Config
	dir    string // of the site
	base   string
	fitted bool
	routes func(*site.Site) func(context.Context, *survey.Inventory) ([]survey.Application, []string, error)
	mu     sync.Mutex
	temp   string       // holds fitted copies
	sites  []*site.Site // that are open
	copies int
}

func (w *workshop) open(dir string) (*site.Server, error) {
	s, err := site.Open(dir, w.base)
	if err != nil {
		return nil, err
	}
	s.Record = w.c.RecordFolder()
	if b := fitting.RecordedBase(s); w.c.Base == "" && b != "" {
		s.Rebase(b)
	}
	rules, err := w.c.SiteRules()
	if err != nil {
		s.Close()
		return nil, err
	}
	w.mu.Lock()
	w.sites = append(w.sites, s)
	w.mu.Unlock()
	return site.NewServer(s, rules), nil
}

// make reads a folder as it is now, fitted when that is wanted.
func (w *workshop) make(dir string) (*site.Server, error) {
	if !w.fitted {
		return w.open(dir)
	}
	s, err := site.Open(dir, w.base)
	if err != nil {
		return nil, err
	}
	defer s.Close()
	s.Record = w.c.RecordFolder()
	w.mu.Lock()
	if w.temp == "" {
		w.temp, err = os.MkdirTemp("", "tachyform-serve-")
	}
	w.copies++
	out := filepath.Join(w.temp, fmt.Sprint(w.copies))
	w.mu.Unlock()
	if err != nil {
		return nil, err
	}
	copied, err := fitting.Copy(s, out, "")
	if err != nil {
		return nil, err
	}
	defer copied.Close()
	p, err := fitting.Make(w.ctx, copied, w.c, fitting.Options{Anyway: true, Applications: w.routes(copied)})
	if err != nil {
		return nil, err
	}
	if err := p.Apply(w.ctx, nil); err != nil {
		return nil, err
	}
	return w.open(out)
}

// folder looks whether a folder has changed since it was read, and reads it again then; nil for fitted copies, which take their time.
func (w *workshop) folder(dir string) *serve.Folder {
	if w.fitted {
		return nil
	}
	last, took, looked := fingerprint(dir), time.Duration(0), time.Time{}
	var older, newer *site.Server // that were read here
	return &serve.Folder{Now: func() *site.Server {
		began := time.Now()
		if began.Sub(looked) < took*10 { // a folder so large that looking is felt
			return nil
		}
		print := fingerprint(dir)
		looked = time.Now()
		if took = looked.Sub(began); took < 20*time.Millisecond {
			took = 0
		}
		if print == last {
			return nil
		}
		s, err := w.open(dir)
		if err != nil {
			return nil // a build is at it
		}
		last = print
		if older != nil {
			w.shut(older.Site)
		}
		older, newer = newer, s
		return s
	}}
}

// shut closes a site that nothing is answered from any more.
func (w *workshop) shut(s *site.Site) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.sites = slices.DeleteFunc(w.sites, func(x *site.Site) bool { return x == s })
	s.Close()
}

func (w *workshop) close() {
	w.mu.Lock()
	defer w.mu.Unlock()
	for _, s := range w.sites {
		s.Close()
	}
	if w.temp != "" {
		os.RemoveAll(w.temp)
	}
}

// watchFolder calls when a folder has changed and then was left alone for a while.
func watchFolder(ctx context.Context, dir string, changed func()) {
	const look = 500 * time.Millisecond
	last := fingerprint(dir)
	dirty := false
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(look):
		}
		now := fingerprint(dir)
		switch {
		case now != last:
			last, dirty = now, true
		case dirty && now != "":
			dirty = false
			changed()
		}
	}
}

// fingerprint is another text when a file of a folder is new, gone, or changed.
func fingerprint(dir string) string {
	var b strings.Builder
	_ = filepath.WalkDir(dir, func(p string, d fs.DirEntry, err error) error { // what cannot be read is as if it were not there
		if err != nil {
			return nil //nolint:nilerr // a build may be taking it away
		}
		if d.IsDir() {
			if d.Name() == site.OwnDir {
				return filepath.SkipDir
			}
			return nil
		}
		if info, err := d.Info(); err == nil {
			fmt.Fprintf(&b, "%s %d %d\n", p, info.Size(), info.ModTime().UnixNano())
		}
		return nil
	})
	return b.String()
}
