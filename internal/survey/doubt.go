package survey

import (
	"bytes"
	"fmt"
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// Doubt is why a folder is probably not what was meant.
type Doubt struct {
	Why  string `json:"why"`
	Mend string `json:"mend"`
}

// builds are the folders that a project's tools build into, the likeliest first.
var builds = []string{"dist", "build", "out", "_site", "www", "public"}

// Doubt finds out whether a project's folder was named in place of the one that is deployed, or one that holds several sites; nil when nothing speaks for it.
func (inv *Inventory) Doubt() *Doubt {
	s := inv.Site
	if s.IsLive() || s.IsRendered() {
		return nil
	}
	if _, project := s.File("package.json"); project {
		for _, b := range builds {
			for _, p := range inv.Pages {
				if strings.HasPrefix(p.File.Path, b+"/") {
					at := path.Join(s.Dir, b)
					return &Doubt{fmt.Sprintf("%s holds a package.json and a folder %s: it is a project's, and what is deployed is probably %s", s.Dir, b, at), "name that folder: " + at}
				}
			}
		}
	}
	if at := inv.template(); at != "" {
		return &Doubt{fmt.Sprintf("%s is a template, from which a server makes pages: what visitors get is not in this folder", at), "name the running server and the folder whose files it sends: tachyform draft http://127.0.0.1:8000/ --public FOLDER"}
	}
	if apart := inv.apart(); len(apart) > 1 {
		dirs := strings.Join(apart[:min(4, len(apart))], ", ")
		if n := len(apart) - 4; n > 0 {
			dirs += fmt.Sprintf(" and %d more", n)
		}
		return &Doubt{fmt.Sprintf("%s has no start page, and its folders are sites of their own: %s", s.Dir, dirs), fmt.Sprintf("name one of them, such as %s, with --base /%s/ when it is served from there; or say with start_url in [app] which page the app begins with", path.Join(s.Dir, apart[0]), apart[0])}
	}
	return nil
}

// apart gives the folders of a site without pages of its own that each have a start page and need nothing of one another.
func (inv *Inventory) apart() []string {
	var dirs []string
	for _, p := range inv.Pages {
		dir, rest, deep := strings.Cut(p.File.Path, "/")
		if !deep {
			if name := path.Base(p.File.Path); name == "offline.html" || strings.HasPrefix(name, "404.") {
				continue
			}
			return nil
		}
		if (rest == "index.html" || rest == "index.htm") && !slices.Contains(dirs, dir) {
			dirs = append(dirs, dir)
		}
	}
	for _, p := range inv.Pages {
		dir, _, _ := strings.Cut(p.File.Path, "/")
		if !slices.Contains(dirs, dir) {
			return nil // pages that lie elsewhere hold them together
		}
		for _, n := range p.Needs {
			if rest, own := strings.CutPrefix(n.URL, inv.Site.Base); own && inv.FileOf(n.URL) != nil && !strings.HasPrefix(rest, dir+"/") {
				return nil
			}
		}
	}
	if inv.linked(dirs) {
		return nil
	}
	return dirs
}

// linked says whether the start page of one folder links to another folder: then they are one site, in several languages for instance.
func (inv *Inventory) linked(dirs []string) bool {
	for _, p := range inv.Pages {
		dir, rest, _ := strings.Cut(p.File.Path, "/")
		if rest != "index.html" && rest != "index.htm" {
			continue
		}
		data, err := inv.Site.Read(p.File.Path)
		if err != nil {
			continue
		}
		page := markup.ReadPage(data)
		for _, r := range page.Refs {
			u, ok := Resolve(BaseOf("", p.File.URL, page.Base.Value), r.URL)
			if to, _, _ := strings.Cut(strings.TrimPrefix(u, inv.Site.Base), "/"); ok && r.Use == markup.UseLink && to != dir && slices.Contains(dirs, to) {
				return true
			}
		}
	}
	return false
}

// templateMarks begin expressions of templates, which a finished page has none of in its head.
var templateMarks = []string{"{%", "<?php", "<?=", "<%"}

// template finds out whether the start page, or most of the first pages, are templates, and gives the path and line of one; "" when they are not.
func (inv *Inventory) template() string {
	var found []string
	sample := inv.Pages[:min(20, len(inv.Pages))]
	for _, p := range sample {
		src, err := inv.Site.Read(p.File.Path)
		if err != nil {
			continue
		}
		head := src
		if i := bytes.Index(bytes.ToLower(src), []byte("</head")); i >= 0 {
			head = src[:i]
		} else if len(head) > 200 {
			head = head[:200]
		}
		for _, m := range templateMarks {
			i := bytes.Index(head, []byte(m))
			if i < 0 || bytes.Contains(head[:i], []byte("<script")) || bytes.Contains(head[:i], []byte("<style")) {
				continue
			}
			line, _ := markup.Position(src, i)
			at := fmt.Sprintf("%s:%d", path.Join(inv.Site.Dir, p.File.Path), line)
			if p.File.Path == inv.StartFile.Path {
				return at
			}
			found = append(found, at)
			break
		}
	}
	if len(found) > len(sample)/2 {
		return found[0]
	}
	return ""
}
