package survey

import (
	"fmt"
	"regexp"

	"tachyform.dev/tachyform/internal/pagehead"
)

// ofAPage is what a page has of its own and a part of one has not.
var ofAPage = regexp.MustCompile(`(?i)<!doctype|<html[\s>]|<head[\s>]|<body[\s>]|<title[\s>]|<frameset[\s>]`)

// fragments finds the files that scripts fetch to put them into a page: a part with tags of its own would be a page in a page.
func (inv *Inventory) fragments() {
	inv.Fragments = map[string]string{}
	for _, u := range inv.Data {
		file := inv.FileOf(u)
		if file == nil || !file.IsPage() || file.Path == inv.StartFile.Path {
			continue
		}
		src, err := inv.Site.Read(file.Path)
		if err != nil {
			continue
		}
		if clean, _, err := pagehead.Remove(src); err == nil {
			src = clean
		}
		if ofAPage.Match(src) {
			continue
		}
		by := "a script"
		for _, e := range inv.Endpoints {
			if e.URL == u {
				by = fmt.Sprintf("%s:%d", e.File, e.Line)
				break
			}
		}
		inv.Fragments[file.Path] = "a part of a page: " + by + " fetches it, and it has no doctype, head or body of its own"
	}
}
