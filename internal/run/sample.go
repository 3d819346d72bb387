package run

import (
	"bytes"
	"path"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/site"
)

// partOf finds what a page's markup asks for in its head, by which pages of one template are told from those of another.
var partOf = regexp.MustCompile(`(?i)\b(?:src|href)\s*=\s*["']?([^"'\s>]+)`)

// headBytes is how much of a page is looked at for its template.
const headBytes = 4 << 10

// Sample chooses n pages of a site: the start page, and as evenly as may be some of each folder and template, the same ones every time. All of them
// when there are no more.
func Sample(s *site.Site, n int) []string {
	pages := s.Pages()
	if n >= len(pages) {
		n = len(pages)
	}
	start, err := s.StartPage()
	chosen := []string{}
	if err == nil && n > 0 {
		chosen = append(chosen, start.URL)
	}
	groups, names := map[string][]string{}, []string{}
	for _, p := range pages {
		if p.URL == start.URL {
			continue
		}
		key := path.Dir(p.Path) + " " + template(s, p)
		if groups[key] == nil {
			names = append(names, key)
		}
		groups[key] = append(groups[key], p.URL)
	}
	slices.Sort(names)
	quota := map[string]int{}
	for left := n - len(chosen); left > 0; { // one of each group in turn
		for _, k := range names {
			if left > 0 && quota[k] < len(groups[k]) {
				quota[k]++
				left--
			}
		}
	}
	for _, k := range names {
		list := groups[k]
		for i := range quota[k] {
			chosen = append(chosen, list[i*len(list)/quota[k]])
		}
	}
	slices.Sort(chosen)
	return chosen
}

// template gives a text that is the same for pages whose heads ask for the same.
func template(s *site.Site, p site.File) string {
	src, err := s.Read(p.Path)
	if err != nil {
		return ""
	}
	head := src[:min(len(src), headBytes)]
	if i := bytes.Index(bytes.ToLower(head), []byte("<body")); i >= 0 {
		head = head[:i]
	}
	var parts []string
	for _, m := range partOf.FindAllSubmatch(head, 40) {
		if ext := path.Ext(string(m[1])); ext != "" && len(ext) < 6 { // styles, scripts and icons, and not the page's own address
			parts = append(parts, path.Base(string(m[1])))
		}
	}
	return strings.Join(parts, " ")
}
