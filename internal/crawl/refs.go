package crawl

import (
	"path"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
)

// mayChange matches addresses of links that may change something when they are only asked for, which no link should: by its words for signing out,
// taking away and the like, as whole words.
var mayChange = regexp.MustCompile(`(?i)(?:^|[/._?&=-])(?:log-?_?out|log-?_?off|sign-?_?out|sign-?_?off|delete|remove|destroy|unsubscribe|cancel|revoke|reset|disable|purge|empty|logout_all|deactivate)(?:$|[/._?&=-])`)

// refs gives what a file refers to on the same origin.
func (c *crawler) refs(f site.File, data []byte) []item {
	var refs []markup.Ref
	base := f.URL
	switch f.Kind() {
	case "page":
		m := markup.ReadPage(data)
		if b, ok := survey.ResolveOn(c.origin, base, m.Base.Value); ok && m.Base.Value != "" {
			base = b
		}
		refs = m.Refs
		for _, s := range m.Styles {
			refs = append(refs, markup.StyleRefs(s.Source, 0)...)
		}
		for _, s := range m.Scripts {
			facts := markup.ReadScript(s.Source, 0)
			refs = append(append(refs, facts.Refs...), registrations(facts)...)
		}
	case "style":
		refs = markup.StyleRefs(data, 0)
	case "script":
		facts := markup.ReadScript(data, 0)
		refs = append(facts.Refs, registrations(facts)...)
	}
	var out []item
	c.mu.Lock()
	defer c.mu.Unlock()
	for _, r := range refs {
		u, ok := survey.ResolveOn(c.origin, base, r.URL)
		if !ok || strings.HasPrefix(u, "http") {
			continue
		}
		link := r.Use == markup.UseLink || r.Use == markup.UseRefresh
		switch {
		case r.Use == markup.UseFetch && (r.Method != "" || path.Ext((item{url: u}).key()) == ""):
			continue // an endpoint: asking it is up to the page
		case link && c.limits.Access.signedIn() && mayChange.MatchString(u):
			if key := (item{url: u}).key(); !slices.Contains(c.report.Avoided, key) {
				c.report.Avoided = append(c.report.Avoided, key)
			}
			continue
		case link && strings.Contains(u, "?"):
			c.report.Queries++
			continue
		case link && !strings.HasPrefix(u, c.below):
			c.report.Outside++
			continue
		}
		out = append(out, item{url: u, page: link && maybePage(u), by: f.URL})
	}
	return out
}

// maybePage tells links to pages from links to downloads.
func maybePage(u string) bool {
	ext := path.Ext(u)
	return ext == "" || site.IsPage(u) || site.TypeOf(u) == "application/octet-stream"
}

// registrations are workers that a script registers at a known address.
func registrations(f markup.ScriptFacts) []markup.Ref {
	var out []markup.Ref
	for _, r := range f.Registrations {
		if r.Known {
			out = append(out, markup.Ref{URL: r.URL, Use: markup.UseWorker})
		}
	}
	return out
}
