// Package worker writes the service worker and the page script of a site.
package worker

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"regexp"
	"sort"
	"strings"

	"github.com/dunglas/go-urlpattern"

	"tachyform/internal/release"
)

// The sources that are the same for every site.
var (
	//go:embed assets/engine.js
	engine string
	//go:embed assets/page.js
	page string
	//go:embed assets/offline.html
	offline string
)

// Mark begins every file that this package writes, and tells our worker from another.
const Mark = "// Tachyform "

// Answers are the ways to answer a request, as they are called in the configuration.
var Answers = []string{"cache-first", "network-first", "stale-while-revalidate", "cache-only", "network-only"}

// Rule says how requests whose path matches are answered.
type Rule struct {
	Match    string // regular expression for the path, as JavaScript writes it
	Answer   string // one of [Answers], or "leave" to keep out of it altogether
	Patience int    // ms, of network-first
	Entries  int    // the most answers to keep
}

// Plan is what a worker is written from. URLs are root-relative paths.
type Plan struct {
	Base     string            // scope
	Script   string            // URL of the page script
	Now      map[string]string // URL to digest, stored while the worker installs
	Later    map[string]string // URL to digest, stored when first asked for
	Rules    []Rule
	Offline  string // URL of the page or shell shown when a navigation cannot be answered, "" for none
	Takeover string // "next-visit", "when-asked" or "at-once"
}

// Loose marks the digest of a page that the host may rewrite on its way: it is checked by its page script only.
func Loose(digest string) string { return "~" + digest }

// ID is the release that the plan describes.
func (p *Plan) ID() string {
	files := map[string]string{}
	for u, d := range p.Later {
		files[u] = "later " + d
	}
	for u, d := range p.Now {
		files[u] = d
	}
	rules, _ := json.Marshal(p.Rules) // plain strings and numbers
	return release.ID(files, p.Base, p.Script, string(rules), p.Offline, p.Takeover, engine)
}

// Worker gives the source of the service worker.
func Worker(p *Plan) []byte {
	var b bytes.Buffer
	fmt.Fprintf(&b, Mark+"service worker. \"tachyform fit\" wrote it; the next fit writes it anew, \"tachyform strip\" removes it.\n")
	b.WriteString("// ---- Table: this release -------------------------------------------------------------------------------------\n\n")
	b.WriteString("const TABLE = {\n")
	member := func(comment, name string, value any) {
		fmt.Fprintf(&b, "  // %s\n  %s: %s,\n", comment, name, js(value))
	}
	member("Digest of everything below", "release", p.ID())
	member("URL path this worker is responsible for", "base", p.Base)
	member("Page script that every fitted page holds", "script", p.Script)
	files(&b, "Stored while the worker installs, each with its digest (\"~\": a page that the host may rewrite)", "now", p.Now)
	files(&b, "Stored when first asked for", "later", p.Later)
	b.WriteString("  // How other requests are answered; the first match counts\n  rules: [\n")
	for _, r := range p.Rules {
		fmt.Fprintf(&b, "    { match: %s, answer: %s", js(r.Match), js(r.Answer))
		if r.Answer == "network-first" {
			fmt.Fprintf(&b, ", patience: %d", r.Patience)
		}
		if r.Answer != "network-only" && r.Answer != "leave" && r.Answer != "cache-only" {
			fmt.Fprintf(&b, ", entries: %d", r.Entries)
		}
		b.WriteString(" },\n")
	}
	b.WriteString("  ],\n")
	member("Shown when a page can neither be fetched nor is stored", "offline", p.Offline)
	member("When a new release takes over: \"next-visit\", \"when-asked\" or \"at-once\"", "takeover", p.Takeover)
	b.WriteString("};\n\n")
	b.WriteString(engine)
	return b.Bytes()
}

func files(b *bytes.Buffer, comment, name string, list map[string]string) {
	fmt.Fprintf(b, "  // %s\n  %s: {\n", comment, name)
	urls := make([]string, 0, len(list))
	for u := range list {
		urls = append(urls, u)
	}
	sort.Strings(urls)
	for _, u := range urls {
		fmt.Fprintf(b, "    %s: %s,\n", js(u), js(list[u]))
	}
	b.WriteString("  },\n")
}

// js writes a value as a JavaScript literal.
func js(v any) string {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(v) // strings and numbers
	return strings.NewReplacer("\u2028", `\u2028`, "\u2029", `\u2029`).Replace(strings.TrimRight(b.String(), "\n"))
}

// PageScript gives the script that every page loads. worker and scope are root-relative URLs.
func PageScript(worker, scope string) []byte {
	return []byte(strings.NewReplacer("WORKER", js(worker), "SCOPE", js(scope)).Replace(page))
}

// OfflinePage gives a page for navigations that cannot be answered.
func OfflinePage(lang, name, start string) ([]byte, error) {
	t, err := template.New("offline").Parse(offline)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	err = t.Execute(&b, map[string]string{"Lang": lang, "Title": "No connection - " + name, "Name": name, "Start": start})
	return b.Bytes(), err
}

// Pattern turns a path pattern of the URL Pattern Standard into a regular expression for paths. It knows :names,
// the wildcard * and {groups} with a ? behind them.
func Pattern(pattern string) (string, error) {
	if _, err := urlpattern.New(pattern, "https://site.example", nil); err != nil {
		return "", fmt.Errorf("%q is no URL pattern: %w", pattern, err)
	}
	var b strings.Builder
	b.WriteByte('^')
	for i := 0; i < len(pattern); i++ {
		switch c := pattern[i]; {
		case c == '\\' && i+1 < len(pattern): // taken literally
			i++
			b.WriteString(regexp.QuoteMeta(string(pattern[i])))
		case c == '*':
			b.WriteString(".*")
		case c == ':' && i+1 < len(pattern) && (isWord(pattern[i+1])):
			for i+1 < len(pattern) && isWord(pattern[i+1]) {
				i++
			}
			b.WriteString("[^/]+")
		case c == '{':
			b.WriteString("(?:")
		case c == '}':
			b.WriteByte(')')
		case c == '?' || c == '+':
			b.WriteByte(c)
		case c == '(':
			return "", fmt.Errorf("%q: regular expressions in patterns are not supported", pattern)
		default:
			b.WriteString(regexp.QuoteMeta(string(c)))
		}
	}
	return b.String() + "$", nil
}

func isWord(c byte) bool {
	return c == '_' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// Glob turns a path glob (* within a folder, ** across folders, ?) into a regular expression for paths.
func Glob(glob string) string {
	var b strings.Builder
	b.WriteByte('^')
	for i := 0; i < len(glob); i++ {
		switch {
		case strings.HasPrefix(glob[i:], "/**/"):
			b.WriteString("/(?:.*/)?")
			i += 3
		case strings.HasPrefix(glob[i:], "**"):
			b.WriteString(".*")
			i++
		case glob[i] == '\\' && i+1 < len(glob):
			i++
			b.WriteString(regexp.QuoteMeta(string(glob[i])))
		case glob[i] == '*':
			b.WriteString("[^/]*")
		case glob[i] == '?':
			b.WriteString("[^/]")
		default:
			b.WriteString(regexp.QuoteMeta(string(glob[i])))
		}
	}
	return b.String() + "$"
}
