// Package hosting says what a web server has to send for a site: as data, which the local server follows, and as configuration for common
// servers.
package hosting

import (
	"fmt"
	"path"
	"regexp"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/site"
)

// Format names the shape of a [Plan] as JSON.
const Format = "tachyform.hosting/1"

// Plan is what a host has to send for a site.
type Plan struct {
	Format    string     `json:"format"`
	Site      string     `json:"site"`
	Base      string     `json:"base"`
	Headers   []Header   `json:"headers"`              // of the same name the later wins
	Types     []Type     `json:"types"`                // media types that hosts may lack
	Redirects []Redirect `json:"redirects"`            // in their order
	Routes    []Route    `json:"routes"`               // what is answered with a page though no file has that address
	Clean     bool       `json:"clean"`                // pages are answered without .html, too
	CleanOnly bool       `json:"clean_only,omitempty"` // and who asks with .html is led to the address without
	NotFound  string     `json:"not_found,omitempty"`
	Compress  []string   `json:"compress"` // media types that are sent compressed
	Hidden    []string   `json:"hidden"`   // globs for what is answered with 404 though it may have been deployed
	Release   []string   `json:"release"`  // URLs of what names the release, of which no old form may be kept: worker, page script, manifest
	Remarks   []string   `json:"remarks"`

	digested []string // URLs of files with a digest in their name
}

// Header is a response header.
type Header struct {
	Path string `json:"path"` // a glob over percent-encoded paths, as in [[server.header]]
	// Digests says that only names with a digest are meant: what comes into the folder without one later is not.
	Digests bool   `json:"digests,omitempty"`
	Name    string `json:"name"`
	Value   string `json:"value"`
	Why     string `json:"why"`
}

// Type is the media type of an extension.
type Type struct {
	Extension string `json:"extension"` // with its dot
	Type      string `json:"type"`      // without parameters
}

// Redirect leads an address to another.
type Redirect struct {
	From   string `json:"from"`
	To     string `json:"to"`
	Status int    `json:"status"`
}

// Route answers addresses with a page.
type Route struct {
	Folder string   `json:"folder"` // with its slash
	Page   string   `json:"page"`   // URL
	File   string   `json:"file"`   // its file, as a URL path
	Except []string `json:"except"` // globs of paths that are answered otherwise
	Every  bool     `json:"every"`  // also addresses that end in an extension
}

// Forever is the lifetime of what has another name when its content changes; Asked is that of everything else.
const (
	Forever = "public, max-age=31536000, immutable"
	Asked   = "no-cache"
)

// Cleared is what Clear-Site-Data says for browsers to be rid of workers and stores.
const Cleared = `"cache", "storage"`

// Lifetime is how long browsers may keep what is at a path: for ever when its name changes with its content, and else until they have asked.
func Lifetime(p string) string {
	if site.SurelyDigest(p) && site.Kind(p) != "page" {
		return Forever
	}
	return Asked
}

// lacking are media types that servers of these days do not know in all their versions.
var lacking = []string{".avif", ".mjs", ".wasm", ".webmanifest", ".woff2", ".geojson", ".vtt"}

// compressed are the kinds of files that become much smaller.
var compressed = []string{"application/geo+json", "application/javascript", "application/json", "application/ld+json", "application/manifest+json", "application/rss+xml", "application/atom+xml",
	"application/wasm", "application/xhtml+xml", "application/xml", "image/svg+xml", "text/calendar", "text/css", "text/csv", "text/html", "text/javascript", "text/markdown", "text/plain", "text/vtt"}

// Options are what the files do not say.
type Options struct {
	Worker    string                       // URL of the worker, "" for none
	Scope     string                       // that it is registered for, "" for its own folder
	Forbidden func(policy string) []string // what of a release a Content-Security-Policy forbids
	Policies  []string                     // Content-Security-Policy in pages
	Clear     bool                         // pages have browsers empty what the origin has stored
	Releases  []string                     // URLs that name the release: the worker, its engine's table, the page script, the manifest
}

// Of makes the plan for a site and the rules of its server.
func Of(s *site.Site, rules site.Rules, o Options) *Plan {
	p := &Plan{Format: Format, Site: s.Dir, Base: s.Base, Headers: []Header{}, Types: []Type{}, Redirects: []Redirect{}, Routes: []Route{}, Compress: []string{}, Hidden: []string{s.Base + ownFolder + "**"}, Release: []string{}, Remarks: []string{}, Clean: rules.Clean, CleanOnly: rules.CleanOnly}
	p.Headers = append(p.Headers, Header{Path: s.Base + "**", Name: "Cache-Control", Value: Asked, Why: "browsers ask before they use what they have, which costs a line when it has not changed"})
	for _, g := range forever(s) {
		p.Headers = append(p.Headers, Header{Path: g, Digests: strings.HasSuffix(g, "/**"), Name: "Cache-Control", Value: Forever, Why: "the name changes with the content"})
	}
	for _, u := range o.Releases {
		p.Release = append(p.Release, u)
		if p.HeadersFor(u)["cache-control"] != Asked {
			p.Headers = append(p.Headers, Header{Path: escapeGlob(u), Name: "Cache-Control", Value: Asked, Why: "it names the release"})
		}
	}
	if o.Worker != "" && o.Scope != "" && !strings.HasPrefix(o.Scope, o.Worker[:strings.LastIndexByte(o.Worker, '/')+1]) {
		p.Headers = append(p.Headers, Header{Path: o.Worker, Name: "Service-Worker-Allowed", Value: o.Scope, Why: "the worker's scope is wider than its folder"})
	}
	for _, h := range rules.Headers {
		why := "[[server.header]] in tachyform.toml"
		if strings.EqualFold(h.Name, "Content-Security-Policy") && o.Forbidden != nil {
			if more := additions(h.Value, o.Forbidden); more != "" {
				h.Value, why = more, "the site's policy, with what the release needs"
			}
		}
		p.Headers = append(p.Headers, Header{Path: h.Path, Name: h.Name, Value: h.Value, Why: why})
	}
	if o.Clear {
		for _, g := range []string{s.Base, s.Base + "**/", s.Base + "**/*.html"} {
			p.Headers = append(p.Headers, Header{Path: g, Name: "Clear-Site-Data", Value: Cleared, Why: "browsers empty what this origin has stored, its workers too"})
		}
		p.Remarks = append(p.Remarks, "Clear-Site-Data comes to nobody whose worker answers pages from its store and asks the server for nothing; and it deletes what waits in an outbox and all that the site itself keeps in the browser. tachyform retire does neither")
	}
	for _, policy := range o.Policies {
		if o.Forbidden == nil {
			break
		}
		if list := o.Forbidden(policy); len(list) > 0 {
			p.Remarks = append(p.Remarks, fmt.Sprintf("a policy inside of pages forbids %s; a header cannot allow it again, the pages have to: %s", strings.Join(list, " and "), additions(policy, o.Forbidden)))
		}
	}
	there := map[string]bool{}
	for _, f := range s.Files {
		if Lifetime(f.URL) == Forever {
			p.digested = append(p.digested, f.URL)
		}
		there[strings.ToLower(path.Ext(f.Path))] = true
		there[site.Essence(f.Type)] = true
		if f.Path == "404.html" {
			p.NotFound = f.URL
		}
	}
	for _, ext := range lacking {
		if there[ext] {
			p.Types = append(p.Types, Type{ext, site.Essence(site.TypeOf("a" + ext))})
		}
	}
	for _, kind := range compressed {
		if there[kind] || kind == "application/javascript" && there["text/javascript"] {
			p.Compress = append(p.Compress, kind)
		}
	}
	for _, r := range rules.Redirects {
		if !r.Spare {
			p.Redirects = append(p.Redirects, Redirect{r.From, r.To, map[bool]int{true: 301, false: r.Status}[r.Status == 0]})
		}
	}
	p.routes(s, rules)
	return p
}

func (p *Plan) routes(s *site.Site, rules site.Rules) {
	fileOf := func(u string) string {
		f, ok := s.Find(u)
		if !ok {
			return u
		}
		return s.FileURL(f.Path)
	}
	for _, r := range rules.Routes {
		if len(r.Only) > 0 {
			continue // an application beside the start page: what the server does with its routes is not known
		}
		p.Routes = append(p.Routes, Route{r.Folder, r.Shell, fileOf(r.Shell), append([]string{}, r.Except...), false})
	}
	sort.SliceStable(p.Routes, func(i, j int) bool { return len(p.Routes[i].Folder) > len(p.Routes[j].Folder) })
	if rules.Fallback != "" {
		p.Routes = append(p.Routes, Route{s.Base, rules.Fallback, fileOf(rules.Fallback), []string{}, true})
	}
	if len(rules.Answers) > 0 {
		var paths []string
		for _, a := range rules.Answers {
			if !slices.Contains(paths, a.Path) {
				paths = append(paths, a.Path)
			}
		}
		p.Remarks = append(p.Remarks, fmt.Sprintf("what answers %s is not a file: lead it to the program that does", strings.Join(paths[:min(3, len(paths))], ", ")))
	}
}

// forever gives globs for the files whose name holds a digest: a folder where all in it do, else the files by their names. Of a folder, names
// without one are not meant.
func forever(s *site.Site) []string {
	mixed, any := map[string]bool{}, map[string]bool{}
	lasts := func(f site.File) bool { return Lifetime(f.URL) == Forever }
	for _, f := range s.Files {
		for d := path.Dir(f.URL); len(d) >= len(s.Base) && d != "/"; d = path.Dir(d) {
			if lasts(f) {
				any[d] = true
			} else {
				mixed[d] = true
			}
		}
	}
	var out []string
	seen := map[string]bool{}
	add := func(g string) {
		if !seen[g] {
			seen[g] = true
			out = append(out, g)
		}
	}
	for _, f := range s.Files {
		if !lasts(f) {
			continue
		}
		whole := ""
		for d := path.Dir(f.URL); len(d) >= len(s.Base) && d != "/"; d = path.Dir(d) {
			if any[d] && !mixed[d] {
				whole = d
			}
		}
		if whole != "" {
			add(escapeGlob(whole) + "/**")
		} else {
			add(escapeGlob(f.URL))
		}
	}
	return out
}

var escapeGlob = strings.NewReplacer(`\`, `\\`, "*", `\*`, "?", `\?`, "[", `\[`, "{", `\{`).Replace

// additions gives a policy with what it lacks of a release, "" when it lacks nothing.
func additions(policy string, forbidden func(string) []string) string {
	out := policy
	for _, d := range []string{"manifest-src", "worker-src", "script-src", "connect-src", "img-src"} {
		before := forbidden(out)
		if len(before) == 0 {
			break
		}
		tried := with(out, d)
		if len(forbidden(tried)) < len(before) {
			out = tried
		}
	}
	if out == policy {
		return ""
	}
	return out
}

var none = regexp.MustCompile(`(?i)\s*'none'`)

// with adds the site itself to a directive of a policy.
func with(policy, directive string) string {
	parts := strings.Split(policy, ";")
	for i, p := range parts {
		if f := strings.Fields(p); len(f) > 0 && strings.EqualFold(f[0], directive) {
			parts[i] = none.ReplaceAllString(p, "") + " 'self'"
			return strings.Join(parts, ";")
		}
	}
	value := " 'self'"
	for _, p := range parts { // what applies until now goes on to apply
		if f := strings.Fields(p); len(f) > 1 && strings.EqualFold(f[0], "default-src") && !strings.EqualFold(f[1], "'none'") {
			value = " " + strings.Join(append(f[1:], "'self'"), " ")
		}
	}
	return strings.TrimRight(strings.TrimSpace(policy), "; ") + "; " + directive + value
}

// HeadersFor gives the headers of a path, by their names in lower case.
func (p *Plan) HeadersFor(urlPath string) map[string]string {
	out := map[string]string{}
	for _, h := range p.Headers {
		if Match(h.Path, urlPath) && (!h.Digests || Lifetime(urlPath) == Forever) {
			out[strings.ToLower(h.Name)] = h.Value
		}
	}
	return out
}
