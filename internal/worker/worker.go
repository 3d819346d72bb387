// Package worker writes the service worker and the page script of a site.
package worker

import (
	"bytes"
	"embed"
	"encoding/json"
	"fmt"
	"html/template"
	"maps"
	"regexp"
	"slices"
	"strings"

	"github.com/cespare/xxhash/v2"
	"github.com/evanw/esbuild/pkg/api"

	"tachyform.dev/tachyform/internal/release"
)

// The sources that are the same for every site.
var (
	//go:embed assets
	assets embed.FS
	//go:embed assets/page.js
	page string
	//go:embed assets/offline.js
	offlineScript string
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
	Name         string   // what Forget calls it, "" for none
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
	Integrity    string   // digest (Subresource Integrity, section 3.5) of what another origin has under this address, "" for none
	Private      bool     // answers for one visitor (private, no-store, by cookie or Authorization) may be stored
	Tell         bool     // pages are told when a fresh answer differs from the stored one
	Forget       []string // names of rules whose answers are thrown away when a request of this one succeeds
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

// StoredFile gives the URL of the file that our worker stores under a URL in Cache Storage; other URLs stay as they are.
func StoredFile(key string) string {
	file, _, _ := strings.Cut(key, "?tachyform=")
	return file
}

// Kind is how a file of a release is checked, and whether the release can do without it.
type Kind string

// The kinds of files.
const (
	Pages  Kind = "pages"  // hold their digest, and may be rewritten on their way by the host
	Linked Kind = "linked" // pages that hold no digest, only the page script
	Code   Kind = "code"   // scripts, styles and other pages: byte for byte, and the release has to have them
	Other  Kind = "other"  // byte for byte; what cannot be had is left out
)

// Kinds are all kinds, in the order of the table.
var Kinds = []Kind{Pages, Linked, Code, Other}

// Entry is a file of a release.
type Entry struct {
	Digest string
	Kind   Kind
}

// Group is a set of files that pages can ask for as a whole.
type Group struct {
	Name  string
	Match string // regular expression for paths
}

// Plan is what a worker is written from. URLs are root-relative paths.
type Plan struct {
	Base     string           // scope
	Script   string           // URL of the page script
	Engine   string           // URL of the engine
	Now      map[string]Entry // by URL, stored while the worker installs
	Later    map[string]Entry // by URL, stored when first asked for
	Long     bool             // the list of what is stored later lies beside the worker, in pieces
	Rules    []Rule
	Ahead    []string // URLs of the site's own data that rules keep, fetched while the worker installs when they can be had
	Offline  string   // URL of the page shown when a navigation cannot be answered, "" for none
	Shell    string   // URL of the page that answers every route, "" for none
	Routes   string   // regular expression for the paths that it answers at once, as [RoutesOf] makes it; "" for all
	Apart    []string // paths that look like routes and are files, when there is a shell
	Image    string   // URL of the picture shown for images that cannot be had, "" for none
	Patience int      // ms that a navigation waits for the network, 0 for ever
	Takeover string   // "next-visit", "when-asked" or "at-once"
	Urgent   bool     // this release takes over at once, whatever Takeover says
	Look     int      // ms after which an open page looks for a new release, again and again; 0 for never
	Age      bool     // pages can say since when a visitor has the release
	Groups   []Group
	Offer    *Offer   // manners of an element that offers to install; nil for none
	Ranges   bool     // parts of stored files are asked for
	Preload  bool     // navigations are asked of the network while the worker starts
	Persist  bool     // pages ask that nothing is thrown away even where the browser shows a question
	Beside   string   // URL of a script that is loaded beside the engine, "" for none
	Visited  *Visited // what is kept of pages that a server makes; nil for a site of files
	Minify   bool     // no comments and short names

	plain  *plainNames // of Now and Later
	routes *regexp.Regexp
}

// Visited says what is kept of pages that a server makes.
type Visited struct {
	Pages   []string `json:"pages"`   // addresses that are fetched while the worker installs
	Entries int      `json:"entries"` // others that are kept at most
	Age     int      `json:"age"`     // seconds that a kept page may be shown
	Renew   int      `json:"renew"`   // seconds after which those that are named are fetched again
	Private bool     `json:"private"` // also what the server marks as private
}

// parts are the names of the engine's parts that the plan needs, in their order.
func (p *Plan) parts() []string {
	out := []string{"core"}
	add := func(when bool, name string) {
		if when {
			out = append(out, name)
		}
	}
	add(p.Long, "pieces")
	add(p.Ranges, "range")
	add(p.Image != "", "images")
	add(p.Preload, "preload")
	add(len(p.Rules) > 0 || p.Visited != nil, "foreign")
	add(len(p.Rules) > 0, "rules")
	add(slices.ContainsFunc(p.Rules, func(r Rule) bool { return r.Answer == Outbox }), "outbox")
	add(len(p.Groups) > 0, "groups")
	add(p.Age, "age")
	add(p.Visited != nil, "visited")
	return out
}

// Offer says when an element of a page may offer to install the app.
type Offer struct {
	After int   `json:"after"` // page views until it may
	Times int   `json:"times"` // visits on which it is shown at most
	Rest  int64 `json:"rest"`  // ms for which it is not shown to who has put it away
}

// pageParts are the names of the page script's parts, of which some have none in the engine.
func (p *Plan) pageParts() []string {
	out := p.parts()
	if p.Offer != nil {
		out = append(out, "offer")
	}
	return out
}

// takeover is how this release takes over.
func (p *Plan) takeover() string {
	if p.Urgent {
		return "at-once"
	}
	return p.Takeover
}

// joined gives the engine's source, of the parts that the plan needs. Plans that need the same get the same bytes.
func (p *Plan) joined() string {
	var b strings.Builder
	b.WriteString("(() => {\n\"use strict\";\n")
	for _, name := range p.parts() {
		src, err := assets.ReadFile("assets/" + name + ".js")
		if err != nil {
			panic(err) // they are embedded
		}
		b.WriteString("\n")
		b.Write(src)
	}
	b.WriteString("})();\n")
	return b.String()
}

// engineDigest names the engine, so that no table is used with the engine of another release.
func (p *Plan) engineDigest() string { return release.Digest([]byte(p.joined())) }

// ID is the release that the plan describes.
func (p *Plan) ID() string {
	files := map[string]string{}
	for u, e := range p.Later {
		files[u] = "later " + string(e.Kind) + " " + e.Digest
	}
	for u, e := range p.Now {
		files[u] = string(e.Kind) + " " + e.Digest
	}
	more, _ := json.Marshal([]any{p.Rules, p.Ahead, p.Apart, p.Groups, p.Patience, p.Preload, p.Visited}) // plain strings and numbers
	return release.ID(files, p.Base, p.Script, string(more), p.Offline, p.Shell+p.Routes, p.Image, p.takeover(), p.Beside, p.engineDigest())
}

// pieceFiles is about how many files a piece of a long list has.
const pieceFiles = 120

// Pieces gives the list of what is stored later, when it is long, as files by URL, and what the table says of them: the first URL in
// each and its digest. A piece ends where a digest says so, so that one file more changes one piece and not all that follow.
func (p *Plan) Pieces() (files map[string][]byte, table [][2]string) {
	if !p.Long {
		return nil, nil
	}
	files = map[string][]byte{}
	urls := sorted(p.Later)
	for from := 0; from < len(urls); {
		to := from + 1
		for to < len(urls) && (to-from < pieceFiles/4 || xxhash.Sum64String(urls[to])%(pieceFiles*3/4) != 0) && to-from < pieceFiles*4 {
			to++
		}
		kinds := map[Kind]map[string]string{}
		for _, u := range urls[from:to] {
			e := p.Later[u]
			if kinds[e.Kind] == nil {
				kinds[e.Kind] = map[string]string{}
			}
			kinds[e.Kind][u] = e.Digest
		}
		data := []byte(js(kinds) + "\n")
		d := release.Digest(data)
		files[p.Base+PieceFolder+"/"+d+".json"] = data
		table = append(table, [2]string{urls[from], d})
		from = to
	}
	return files, table
}

// PieceFolder holds the pieces of a long list, below the base path.
const PieceFolder = "sw-list"

// Worker gives the source of the service worker: the table of this release, and a call for the engine.
func Worker(p *Plan) ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("self.tachyform = {\n")
	member := func(comment, name string, value any) {
		fmt.Fprintf(&b, "  // %s\n  %s: %s,\n", comment, name, js(value))
	}
	member("Digest of everything below", "release", p.ID())
	member("Digest of the engine that this is for", "engine", p.engineDigest())
	member("URL path this worker is responsible for", "base", p.Base)
	member("Page script that every fitted page holds", "script", p.Script)
	b.WriteString("  // Files with their digests. \"pages\" hold theirs and may be rewritten by the host, \"linked\" ones hold the page script; \"code\" is checked byte for byte.\n" +
		"  // \"other\" files are, too, and left out when they cannot be had.\n")
	files(&b, "Stored while the worker installs", "now", p.Now)
	later := p.Later
	if p.Long {
		later = nil
	}
	files(&b, "Stored when first asked for", "later", later)
	if _, table := p.Pieces(); p.Long {
		b.WriteString("  // More of them, in pieces: the first file of each, and its digest\n  pieces: [\n")
		for _, x := range table {
			fmt.Fprintf(&b, "    %s,\n", js(x))
		}
		b.WriteString("  ],\n")
	}
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
	if len(p.Rules) > 0 {
		member("Data that rules keep, asked for while the worker installs", "ahead", append([]string{}, p.Ahead...))
	}
	member("Paths that the browser need not ask this worker about", "left", left)
	member("Shown when a page can neither be fetched nor is stored", "offline", p.Offline)
	member("Shown for every route of the application", "shell", p.Shell)
	if p.Routes != "" {
		member("Its routes; other addresses are asked of the server first", "routes", p.Routes)
	}
	if p.Shell != "" {
		member("Pages that are no routes", "apart", p.Apart)
	}
	if p.Image != "" {
		member("Shown when an image can neither be fetched nor is stored", "image", p.Image)
	}
	if len(p.Groups) > 0 {
		groups := map[string]string{}
		for _, g := range p.Groups {
			groups[g.Name] = g.Match
		}
		member("Groups of files that pages can ask for, by the paths of their files", "groups", groups)
	}
	member("How long a page waits for the network, in ms; 0 for ever", "patience", p.Patience)
	if p.Visited != nil {
		member("Pages are kept as they are visited, so many; those named here are fetched while the worker installs. Times in seconds", "visited", p.Visited)
	}
	if p.Beside != "" {
		member("Another worker answers what this one leaves", "beside", true)
	}
	member("When a new release takes over: \"next-visit\", \"when-asked\" or \"at-once\"", "takeover", p.takeover())
	b.WriteString("};\n")
	fmt.Fprintf(&b, "importScripts(%s);\n", js(p.Engine+"?"+p.engineDigest()))
	if p.Beside != "" {
		fmt.Fprintf(&b, "\n// The site's own worker, which answers what is left.\nimportScripts(%s);\n", js(p.Beside))
	}
	return finish(Mark+"service worker: this release. \"tachyform fit\" wrote it; the next fit writes it anew, \"tachyform strip\" removes it.\n", b.String(), p.Minify)
}

// Engine gives the source of the engine, which is the same for all sites that need the same of it.
func Engine(p *Plan) ([]byte, error) {
	guard := fmt.Sprintf("if (self.tachyform.engine !== %s) throw new Error(\"The service worker and its engine are of two releases. The next visit tries again.\");\n", js(p.engineDigest()))
	return finish(Mark+"engine of the service worker; \"sw.js\" says what is in the release.\n", guard+p.joined(), p.Minify)
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
	add(r.Name != "", "name", r.Name)
	add(r.Method != "" && r.Method != "GET", "method", r.Method)
	add(len(r.Destinations) > 0, "destination", r.Destinations)
	m = append(m, "answer: "+js(r.Answer))
	add(r.Answer == NetworkFirst, "patience", r.Patience)
	add(keeps, "entries", r.Entries)
	add(keeps && r.Age > 0, "age", r.Age)
	add(len(r.Ignore) > 0, "ignore", ignoring(r.Ignore))
	add(r.Vary != "", "vary", r.Vary)
	add(r.Opaque, "opaque", true)
	add(r.Integrity != "", "integrity", r.Integrity)
	add(r.Private, "private", true)
	add(r.Tell, "tell", true)
	add(len(r.Forget) > 0, "forget", r.Forget)
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

func sorted(list map[string]Entry) []string { return slices.Sorted(maps.Keys(list)) }

func files(b *bytes.Buffer, comment, name string, list map[string]Entry) {
	fmt.Fprintf(b, "  // %s\n  %s: {\n", comment, name)
	urls := sorted(list)
	for _, k := range Kinds {
		of := slices.DeleteFunc(slices.Clone(urls), func(u string) bool { return list[u].Kind != k })
		if len(of) == 0 {
			continue
		}
		fmt.Fprintf(b, "    %s: {\n", k)
		for _, u := range of {
			fmt.Fprintf(b, "      %s: %s,\n", js(u), js(list[u].Digest))
		}
		b.WriteString("    },\n")
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

// PageScript gives the script that every page loads, for the worker at a URL that is written from a plan.
func PageScript(worker string, p *Plan) ([]byte, error) {
	forms := []string{}
	for _, r := range p.Rules {
		if r.Answer == Outbox {
			forms = append(forms, r.Match)
		}
	}
	more := ""
	for _, part := range p.pageParts() {
		if src, err := assets.ReadFile("assets/page-" + part + ".js"); err == nil {
			more += string(src)
		}
	}
	src := strings.NewReplacer("PARTS\n", more+"\n").Replace(page)
	src = strings.NewReplacer("WORKER", js(worker), "SCOPE", js(p.Base), "NAME", js("tachyform "+p.Base+" "), "PERSIST", js(p.Persist), "OFFER", js(p.Offer), "FORMS", js(forms), "LOOK", js(p.Look), "QUIET", js(p.Takeover == "next-visit"), "AT_ONCE", js(p.Takeover == "at-once")).Replace(src)
	head, body := src, ""
	if i := strings.Index(src, "(() =>"); i >= 0 {
		head, body = src[:i], src[i:]
	}
	if p.Minify {
		head = Mark + "page script: registers the service worker.\n"
	}
	return finish(head, body, p.Minify)
}

// OfflineScript gives the script of the offline page that fit writes.
func OfflineScript(p *Plan) ([]byte, error) {
	head, body, _ := strings.Cut(offlineScript, "\n")
	return finish(head+"\n", strings.NewReplacer("NAME", js("tachyform "+p.Base+" ")).Replace(body), p.Minify)
}

// OfflineLook is how the offline page looks that fit writes, and what it holds.
type OfflineLook struct {
	Lang, Name, Start      string
	Self                   string // URL of the page
	Icon                   string // URL, "" for none
	Background             string // CSS colour, "" for the browser's own
	Dark                   bool   // the background is dark
	Script                 string // URL of its script
	Returns, Pages, Outbox bool   // it comes back by itself, lists what is stored, says what waits
}

// OfflinePage gives a page for navigations that cannot be answered.
func OfflinePage(l OfflineLook) ([]byte, error) {
	t, err := template.New("offline").Parse(offline)
	if err != nil {
		return nil, err
	}
	scheme, text, background := "light dark", "CanvasText", "Canvas"
	if l.Background != "" {
		scheme, text, background = "light", "#1a1a1a", l.Background
		if l.Dark {
			scheme, text = "dark", "#fff"
		}
	}
	var b bytes.Buffer
	err = t.Execute(&b, map[string]any{"Lang": l.Lang, "Title": "No connection - " + l.Name, "Name": l.Name, "Start": l.Start, "Icon": l.Icon, "Script": l.Script,
		"Scheme": scheme, "Text": template.CSS(text), "Background": template.CSS(background), "Returns": l.Returns, "Self": l.Self, "Pages": l.Pages, "Outbox": l.Outbox})
	return b.Bytes(), err
}

// RetiringMark begins a worker that retires another.
const RetiringMark = Mark + "retiring worker"

// Retiring gives the source of a worker that takes the place of another in visitors' browsers and goes: it sends what waits in our outbox,
// removes our stores of the site at a base path, or all stores of the origin, brings open pages to the network once, and unregisters
// (Service Workers, "Unregister"). It has to be deployed under the name that the other had, until everybody has been there.
func Retiring(base string, everything bool) string {
	src, err := assets.ReadFile("assets/retire.js")
	if err != nil {
		panic(err) // it is embedded
	}
	return fmt.Sprintf("%s: it removes what the worker before it stored on visitors' devices, and then itself. Keep it at this address until everybody\n// has been there once; \"tachyform fit\" puts a worker in its place again.\nconst BASE = %s;\nconst EVERYTHING = %v; // remove the stores of all applications of this origin\n%s", RetiringMark, js(base), everything, src)
}

// RoutesOf makes the expression that matches the paths of routes: globs, in which a segment such as ":id" stands for any one. A slash at the end makes no
// difference. "" for none.
func RoutesOf(patterns []string) string {
	var all []string
	for _, p := range patterns {
		segments := strings.Split(strings.TrimSuffix(p, "/"), "/")
		for i, s := range segments {
			if strings.HasPrefix(s, ":") {
				segments[i] = "*"
			}
		}
		all = append(all, strings.TrimSuffix(strings.TrimPrefix(Glob(strings.Join(segments, "/")), "^"), "$"))
	}
	if len(all) == 0 {
		return ""
	}
	return "^(?:" + strings.Join(all, "|") + ")/?$"
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
