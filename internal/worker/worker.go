// Package worker writes the service worker and the page script of a site.
package worker

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"regexp"
	"slices"
	"sort"
	"strconv"
	"strings"

	"github.com/evanw/esbuild/pkg/api"

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
var Answers = []string{CacheFirst, NetworkFirst, StaleWhileRevalidate, CacheOnly, NetworkOnly, Outbox}

// The ways to answer a request.
const (
	CacheFirst           = "cache-first"
	NetworkFirst         = "network-first"
	StaleWhileRevalidate = "stale-while-revalidate"
	CacheOnly            = "cache-only"
	NetworkOnly          = "network-only"
	Outbox               = "outbox" // kept while it cannot be sent

	leave = "leave" // the worker keeps out of it altogether
)

// Destinations are what a rule can be limited to: the request destinations of the Fetch Standard (section 2.2.5), with
// "empty" for fetch() and XMLHttpRequest, as in the header Sec-Fetch-Dest.
var Destinations = []string{"audio", "document", "embed", "empty", "font", "frame", "iframe", "image", "json", "manifest", "object",
	"script", "sharedworker", "style", "track", "video", "worker"}

// What becomes of the header Vary of answers that a rule stores.
const (
	VaryObey   = "obey"   // answers that vary by a header are kept apart; by cookies, they are not stored
	VaryIgnore = "ignore" // the header does not count, not even for cookies
)

// Rule says how requests are answered. Exactly those match whose address fits and whose method and destination are named.
type Rule struct {
	Source       string   // what it was made from, for messages
	Match        string   // regular expression for the address: path and query, behind the origin when that is another one
	Method       string   // "" for GET
	Destinations []string // of [Destinations]; empty for all
	Answer       string   // one of [Answers], or as [Leave] makes it
	Patience     int      // ms, of network-first
	Entries      int      // the most answers, or posts, to keep
	Age          int      // seconds until a kept answer, or post, is thrown away; 0 for never
	Ignore       []string // names of query parameters that make no difference, with * for any letters
	Vary         string   // [VaryObey], [VaryIgnore], or "": one answer for each URL, none that vary by cookies
	Opaque       bool     // answers of other origins that cannot be looked into may be stored
	Path         string   // the pattern for a path, when it can be said as one (URL Pattern Standard)
}

// Leave makes the rule by which the worker keeps out of the paths that a glob matches.
func Leave(glob string) Rule {
	return Rule{Source: glob, Match: strings.TrimSuffix(Glob(glob), "$") + anyQuery + "$", Answer: leave, Path: globPattern(glob)}
}

// NetworkOnlyRule makes the rule by which paths that a glob matches always come from the network, and nothing of them is stored.
func NetworkOnlyRule(glob string) Rule {
	return Rule{Source: glob, Match: strings.TrimSuffix(Glob(glob), "$") + anyQuery + "$", Answer: NetworkOnly}
}

// Stores says whether the rule stores answers.
func (r *Rule) Stores() bool {
	return r.Answer == CacheFirst || r.Answer == NetworkFirst || r.Answer == StaleWhileRevalidate
}

// Plan is what a worker is written from. URLs are root-relative paths.
type Plan struct {
	Base     string            // scope
	Script   string            // URL of the page script
	Now      map[string]string // URL to digest, stored while the worker installs
	Later    map[string]string // URL to digest, stored when first asked for
	Rules    []Rule
	Offline  string // URL of the page or shell shown when a navigation cannot be answered, "" for none
	Image    string // URL of the picture shown for images that cannot be had, "" for none
	Takeover string // "next-visit", "when-asked" or "at-once"
	Preload  bool   // navigations are asked of the network while the worker starts
	Beside   string // URL of a script that is loaded beside the engine, "" for none
	Minify   bool   // no comments and short names
}

// Held marks the digest of a page that holds this digest itself: the host may rewrite the page on its way, and the
// worker looks for the digest in it.
func Held(digest string) string { return "~" + digest }

// Loose marks the digest of a page that the host may rewrite on its way and that is checked by its page script only.
func Loose(digest string) string { return "?" + digest }

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
	return release.ID(files, p.Base, p.Script, string(rules), p.Offline, p.Image, p.Takeover, strconv.FormatBool(p.Preload), p.Beside, engine)
}

// Worker gives the source of the service worker.
func Worker(p *Plan) ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("// ---- Table: this release -------------------------------------------------------------------------------------\n\n")
	b.WriteString("const TABLE = {\n")
	member := func(comment, name string, value any) {
		fmt.Fprintf(&b, "  // %s\n  %s: %s,\n", comment, name, js(value))
	}
	member("Digest of everything below", "release", p.ID())
	member("URL path this worker is responsible for", "base", p.Base)
	member("Page script that every fitted page holds", "script", p.Script)
	files(&b, "Stored while the worker installs, each with its digest (\"~\": a page that holds it and may be rewritten by the host)", "now", p.Now)
	files(&b, "Stored when first asked for", "later", p.Later)
	b.WriteString("  // How other requests are answered; the first match counts\n  rules: [\n")
	left := []string{}
	for i := range p.Rules {
		r := &p.Rules[i]
		fmt.Fprintf(&b, "    { %s },\n", strings.Join(r.members(), ", "))
		if r.Answer == leave && r.Path != "" && !slices.ContainsFunc(p.Rules[:i], func(earlier Rule) bool { return earlier.Answer != leave }) {
			left = append(left, r.Path)
		}
	}
	b.WriteString("  ],\n")
	member("Paths that the browser need not ask this worker about", "left", left)
	member("Shown when a page can neither be fetched nor is stored", "offline", p.Offline)
	member("Shown when an image can neither be fetched nor is stored", "image", p.Image)
	member("Whether pages are asked of the network while this worker starts", "preload", p.Preload)
	member("When a new release takes over: \"next-visit\", \"when-asked\" or \"at-once\"", "takeover", p.Takeover)
	b.WriteString("};\n\n")
	b.WriteString(engine)
	if p.Beside != "" {
		fmt.Fprintf(&b, "\n// The site's own worker, which answers what is left.\nimportScripts(%s);\n", js(p.Beside))
	}
	return finish(Mark+"service worker. \"tachyform fit\" wrote it; the next fit writes it anew, \"tachyform strip\" removes it.\n", b.String(), p.Minify)
}

// finish puts the head before a script, made small when asked.
func finish(head, src string, minify bool) ([]byte, error) {
	if !minify {
		return []byte(head + src), nil
	}
	out := api.Transform(src, api.TransformOptions{MinifyWhitespace: true, MinifyIdentifiers: true, MinifySyntax: true, Target: api.ES2020, Format: api.FormatIIFE, LogLevel: api.LogLevelSilent})
	if len(out.Errors) > 0 {
		return nil, fmt.Errorf("making a script small: %s", out.Errors[0].Text)
	}
	return append([]byte(head), out.Code...), nil
}

// members writes a rule's members that matter.
func (r *Rule) members() []string {
	m := []string{"match: " + js(r.Match)}
	add := func(when bool, name string, value any) {
		if when {
			m = append(m, name+": "+js(value))
		}
	}
	keeps := r.Stores() || r.Answer == Outbox
	add(r.Method != "" && r.Method != "GET", "method", r.Method)
	add(len(r.Destinations) > 0, "destination", r.Destinations)
	m = append(m, "answer: "+js(r.Answer))
	add(r.Answer == NetworkFirst, "patience", r.Patience)
	add(keeps, "entries", r.Entries)
	add(keeps && r.Age > 0, "age", r.Age)
	add(len(r.Ignore) > 0, "ignore", ignoring(r.Ignore))
	add(r.Vary != "", "vary", r.Vary)
	add(r.Opaque, "opaque", true)
	return m
}

// ignoring gives the regular expression for the names of parameters.
func ignoring(names []string) string {
	var parts []string
	for _, n := range names {
		parts = append(parts, strings.ReplaceAll(regexp.QuoteMeta(n), `\*`, ".*"))
	}
	return "^(?:" + strings.Join(parts, "|") + ")$"
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

// PageScript gives the script that every page loads.
func PageScript(worker, scope string, minify bool) ([]byte, error) {
	src := strings.NewReplacer("WORKER", js(worker), "SCOPE", js(scope), "OUTBOX", js("tachyform "+scope+" ")).Replace(page)
	head, body := src, ""
	if i := strings.Index(src, "(() =>"); i >= 0 {
		head, body = src[:i], src[i:]
	}
	if minify {
		head = Mark + "page script: registers the service worker.\n"
	}
	return finish(head, body, minify)
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
