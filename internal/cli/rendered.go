package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
)

// whole is a site that was opened, with what is known of the server that makes its pages.
type whole struct {
	config *config.Config
	site   *site.Site
	served *fitting.Served // nil for a folder of pages
	read   *crawl.Result   // nil for a folder of pages
	access *crawl.Access
}

// isRendered says whether arguments mean the site of the configuration, whose pages come from a server: none, the public folder, or the address.
func isRendered(args []string, c *config.Config) bool {
	if !c.IsRendered() {
		return false
	}
	if len(args) == 0 || strings.TrimSuffix(args[0], "/") == strings.TrimSuffix(c.Address, "/") {
		return true
	}
	named, err1 := filepath.Abs(args[0])
	public, err2 := filepath.Abs(c.PublicFolder())
	return err1 == nil && err2 == nil && named == public
}

var (
	errBase = errors.New("--base is for a folder of finished pages; that of a server is in its address")
	errLive = errors.New("--live asks the server that makes a site's pages again: name it with address and public in tachyform.toml")
)

// checked reads the configuration, when the format is one that there is.
func (a *app) checked(args []string) (*config.Config, error) {
	if err := a.checkFormat(); err != nil {
		return nil, err
	}
	return a.configuration(args)
}

// errRendered is said by commands that want a folder of finished pages.
func errRendered(c *config.Config) error {
	return usage(fmt.Errorf("the pages of this site come from a server (address in %s), and this command works on a folder of finished pages", c.File))
}

// openWhole opens a site that something is decided about: a folder of pages, or what a server sends together with its public folder.
func (a *app) openWhole(ctx context.Context, args []string, base string, live bool, reach *reaching) (*whole, error) {
	c, err := a.checked(args)
	if err != nil {
		return nil, err
	}
	if !isRendered(args, c) {
		if err := reach.folder(); err != nil {
			return nil, err
		}
		s, err := a.openFolder(args, base, c)
		if err != nil {
			return nil, err
		}
		return &whole{config: c, site: s}, nil
	}
	if base != "" {
		return nil, usage(errBase)
	}
	w := &whole{config: c}
	reach.Mine = true
	if w.access, err = a.access(c.Address, reach); err != nil {
		return nil, err
	}
	if live {
		w.read, err = a.work(c).Asked(ctx, w.access)
	} else {
		w.read, err = a.work(c).Kept(ctx, false, w.access)
	}
	if err != nil {
		return nil, runError(err)
	}
	if w.site, w.served, err = a.work(c).Rendered(w.read); err != nil {
		w.read.Close()
		return nil, runError(err)
	}
	return w, nil
}

// openSeen opens a site that something is seen on: a folder of pages, or what a server sent, which read is set to then.
func (a *app) openSeen(ctx context.Context, args []string, base string, live bool, reach *reaching, read **crawl.Result) (*config.Config, *site.Site, error) {
	c, err := a.configuration(args)
	if err != nil {
		return nil, nil, err
	}
	if isRendered(args, c) && base != "" {
		return nil, nil, usage(errBase)
	}
	if !isRendered(args, c) {
		if live {
			return nil, nil, usage(errLive)
		}
		if err := reach.folder(); err != nil {
			return nil, nil, err
		}
		s, err := a.openFolder(args, base, c)
		return c, s, err
	}
	reach.Mine = true
	access, err := a.access(c.Address, reach)
	if err != nil {
		return nil, nil, err
	}
	if *read, err = a.work(c).Kept(ctx, live, access); err != nil {
		return nil, nil, runError(err)
	}
	return c, (*read).Site, nil
}

// close gives everything back.
func (w *whole) close() {
	w.site.Close()
	if w.read != nil {
		w.read.Close()
	}
}

// openPublic opens the folder that fit writes into, whatever its pages come from.
func (a *app) openPublic(args []string) (*site.Site, error) {
	c, err := a.checked(args)
	if err != nil {
		return nil, err
	}
	if !isRendered(args, c) {
		return a.openFolder(args, "", c)
	}
	s, err := site.Open(c.PublicFolder(), c.PublicPath)
	if err != nil {
		return nil, usage(err)
	}
	s.Record = c.RecordFolder()
	if u := a.work(c).WorkerURL(); u != s.FileURL("sw.js") {
		if err := s.Pin("sw.js", u); err != nil {
			s.Close()
			return nil, usage(err)
		}
	}
	return s, nil
}

// writeSnippet writes the tags for the head into a file.
func writeSnippet(file string, snippet []byte) error {
	if err := os.WriteFile(file, snippet, 0o644); err != nil {
		return broken(fmt.Errorf("--snippet: %w", err))
	}
	return nil
}

// liveFlag is what --live means.
const liveFlag = "of a site whose pages come from a server: ask it again, in place of the snapshot"
