package routes

import (
	"bytes"
	"encoding/json"
	"regexp"
	"strings"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// maxHost bounds the files of hosts that are read, in bytes.
const maxHost = 1 << 20

// hints gives the documents that files for the host say answer everything that has no file.
func hints(s *site.Site, inv *survey.Inventory) []candidate {
	var out []candidate
	add := func(u, known, below string) {
		if inv.FileOf(u) == nil && strings.HasPrefix(u, "/") { // hosts count from the folder, visitors from the base path
			u = s.Base + strings.TrimPrefix(u, "/")
		}
		if f := inv.FileOf(u); f != nil && f.IsPage() {
			out = append(out, candidate{f.URL, known, below})
		}
	}
	read := func(name string) []byte {
		f, ok := s.File(name)
		if !ok || f.Size > maxHost {
			return nil
		}
		data, err := s.Read(name)
		if err != nil {
			return nil
		}
		return data
	}
	for _, line := range strings.Split(string(read("_redirects")), "\n") {
		w := strings.Fields(line)
		if len(w) < 3 || strings.TrimSuffix(w[2], "!") != "200" {
			continue
		}
		if below, whole := strings.CutSuffix(w[0], "*"); w[0] == "/*" {
			add(w[1], "_redirects answers everything else with it", "")
		} else if whole && strings.HasPrefix(below, "/") && strings.HasSuffix(below, "/") && !strings.Contains(below, "*") && !strings.Contains(w[1], ":splat") {
			add(w[1], "_redirects answers everything else below "+below+" with it", s.Base+strings.TrimPrefix(below, "/"))
		}
	}
	if m := fallbackResource.FindSubmatch(read(".htaccess")); m != nil {
		add(string(m[1]), ".htaccess answers everything else with it", "")
	}
	var host struct {
		NavigationFallback struct {
			Rewrite string `json:"rewrite"`
		} `json:"navigationFallback"`
	}
	if json.Unmarshal(read("staticwebapp.config.json"), &host) == nil {
		add(host.NavigationFallback.Rewrite, "staticwebapp.config.json answers everything else with it", "")
	}
	if _, ok := s.File("200.html"); ok {
		add(s.Base+"200.html", "200.html is what hosts answer with when no file matches", "")
	}
	if missing := read("404.html"); len(missing) > 0 && bytes.Equal(missing, read(inv.StartFile.Path)) {
		add(inv.StartFile.URL, "404.html is the same page", "")
	}
	return out
}

var fallbackResource = regexp.MustCompile(`(?mi)^\s*FallbackResource\s+(/\S+)`)
