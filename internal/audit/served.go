package audit

import (
	"bytes"
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/worker"
)

// pageScript gives the URL of the page script that fit wrote, "" for none.
func (f *facts) pageScript() string {
	for _, file := range f.site.Files {
		if file.Kind() != "script" || file.Size > 1<<20 {
			continue
		}
		if data, err := f.site.Read(file.Path); err == nil && bytes.HasPrefix(data, []byte(worker.Mark+"page script")) {
			return file.URL
		}
	}
	return ""
}

// keepsVisits says whether the site's worker is ours, for pages that a server makes.
func (f *facts) keepsVisits() bool {
	if f.rehearsal == nil {
		return false
	}
	body := f.server.Answer("GET", f.rehearsal.Worker.URL).Body
	return bytes.HasPrefix(body, []byte(worker.Mark)) && bytes.Contains(body, []byte("visited:"))
}

var servedChecks = []Check{
	{
		ID: "pages/layout-without-tags", Level: Warning, Title: "Every page of the server holds the tags", Example: "a second layout, for the pages of an account",
		Why:  "A visitor who comes in by such a page gets no worker there, is offered no installation, and the page is never kept.",
		Mend: "put the snippet into the layout that makes these pages, too (tachyform fit --snippet FILE writes it)", Spec: "Service Workers, \"register\"",
		run: func(f *facts) ([]Finding, bool) {
			script := f.pageScript()
			if script == "" || !f.site.IsLive() && !f.keepsVisits() {
				return nil, false
			}
			var without, with []string
			for _, p := range f.inv.Pages {
				held := p.Fitted || slices.ContainsFunc(p.Needs, func(n survey.Need) bool { return n.URL == script })
				if held {
					with = append(with, p.File.URL)
				} else {
					without = append(without, p.File.URL)
				}
			}
			var out []Finding
			for _, g := range finding.Shared(without, with) {
				m := "the page does not load " + script
				if g.Count > 1 {
					m = fmt.Sprintf("%d pages do not load %s; all of them lie below %s, and no other does", g.Count, script, g.Folder)
				}
				out = append(out, Finding{URL: g.First, Message: m})
			}
			if a := f.server.Absent; a != nil && strings.Contains(a.Header.Get("Content-Type"), "html") && !bytes.Contains(a.Body, []byte(script)) {
				out = append(out, Finding{Message: fmt.Sprintf("the page for what is missing (status %d) does not load %s", a.Status, script)})
			}
			return out, true
		},
	},
	{
		ID: "updates/names-without-digest", Level: Advice, Title: "Names of code change with its content", Example: "/static/app.css, which each deployment changes",
		Why:  "A page that was kept names its style sheets and scripts. When their names say nothing of their content, only the list in the worker says which belong to it: a deployment without tachyform fit leaves that behind, and nothing is kept until the next fit.",
		Mend: "have the pipeline name files by their content, or run tachyform fit as a part of each deployment", Spec: "RFC 9110, section 8.8.3",
		run: func(f *facts) ([]Finding, bool) {
			if !f.keepsVisits() {
				return nil, false
			}
			seen := map[string]bool{}
			var out []Finding
			script := f.pageScript()
			for _, p := range f.inv.Pages {
				for u := range f.inv.Closure(p.File.URL) {
					file := f.inv.FileOf(u)
					if file == nil || seen[u] || u == script || file.Kind() != "style" && file.Kind() != "script" || f.site.HasDigest(file.Path) {
						continue
					}
					if data, err := f.site.Read(file.Path); err == nil && bytes.HasPrefix(data, []byte(worker.Mark)) {
						continue
					}
					seen[u] = true
					out = append(out, Finding{URL: u, Message: "the name does not change with the content"})
				}
			}
			slices.SortFunc(out, func(a, b Finding) int { return strings.Compare(a.URL, b.URL) })
			return out, true
		},
	},
}
