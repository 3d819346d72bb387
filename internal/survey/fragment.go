package survey

import (
	"bytes"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
)

// ofAPage is what a page has of its own and a part of one has not.
var ofAPage = regexp.MustCompile(`(?i)<!doctype|<html[\s>]|<head[\s>]|<body[\s>]|<title[\s>]|<frameset[\s>]`)

// inAHead is what parts of pages do not begin with.
var inAHead = regexp.MustCompile(`(?i)<meta[\s>]|<link[\s>]|<base[\s>]`)

// fragments finds the files that scripts put into a page: a part with tags of its own would be a page in a page. They are those that scripts fetch by
// their address, and those that no page and no script names.
func (inv *Inventory) fragments() {
	inv.Fragments = map[string]string{}
	var unsure []site.File
	for _, p := range inv.Pages {
		if p.File.Path == inv.StartFile.Path || p.Title != "" || p.Size > maxFragment {
			continue
		}
		src, err := inv.Site.Read(p.File.Path)
		if err != nil {
			continue
		}
		if clean, _, err := pagehead.Remove(src); err == nil {
			src = clean
		}
		switch {
		case ofAPage.Match(src):
		case slices.Contains(inv.Data, p.File.URL):
			by := "a script"
			for _, e := range inv.Endpoints {
				if e.URL == p.File.URL {
					by = fmt.Sprintf("%s:%d", e.File, e.Line)
					break
				}
			}
			inv.Fragments[p.File.Path] = "a part of a page: " + by + " fetches it, and it has no doctype, head or body of its own"
		case !inAHead.Match(src) && editable(p.File.Path, src):
			unsure = append(unsure, p.File)
		}
	}
	if len(unsure) == 0 {
		return
	}
	named := inv.named(unsure)
	for _, f := range unsure {
		if !named[f.Path] {
			inv.Fragments[f.Path] = "a part of a page, as it seems: it has no doctype, head, body or title of its own, and nothing names it; give it a title when people open it"
		}
	}
}

// editable says whether nothing else keeps a page from being edited; what does says more.
func editable(name string, src []byte) bool {
	_, err := pagehead.Read(name, src)
	return err == nil && len(bytes.TrimSpace(src)) > 0
}

// maxFragment is how large a part of a page may be, in bytes.
const maxFragment = 1 << 20

// named says which of some pages another page or a script names: by the file's name, or by an address that ends in it without its extension.
func (inv *Inventory) named(pages []site.File) map[string]bool {
	byName := map[string][]string{}
	for _, f := range pages {
		base := path.Base(f.Path)
		byName[base] = append(byName[base], f.Path)
		bare := "/" + strings.TrimSuffix(base, path.Ext(base))
		if strings.HasPrefix(base, "index.") {
			bare = "/" + path.Base(path.Dir(f.Path)) + "/"
		}
		byName[bare] = append(byName[bare], f.Path)
	}
	out := map[string]bool{}
	for _, f := range inv.Site.Files {
		if kind := f.Kind(); kind != "page" && kind != "script" && kind != "data" {
			continue
		}
		src, err := inv.Site.Read(f.Path)
		if err != nil || slices.ContainsFunc(inv.Registrations, func(r Registration) bool { return r.URL == f.URL }) || bytes.Contains(src, []byte("self.tachyform")) {
			continue // the list of a worker says nothing of who opens a page
		}
		for _, word := range addresses.FindAll(src, -1) {
			last := string(word[bytes.LastIndexByte(bytes.TrimSuffix(word, []byte("/")), '/')+1:])
			for _, key := range []string{last, "/" + last} {
				for _, p := range byName[key] {
					if p != f.Path && (key == last || bytes.IndexByte(word, '/') >= 0) {
						out[p] = true
					}
				}
			}
		}
	}
	return out
}

// addresses matches what may be one.
var addresses = regexp.MustCompile(`[\w.~%/-]+`)
