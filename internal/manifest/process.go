// Package manifest reads web app manifests as the W3C Web Application Manifest text processes them, and writes
// them with the order of an existing file kept.
package manifest

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/weburl"
)

// Level says how much a problem costs.
type Level string

// The levels of problems.
const (
	Blocker Level = "blocker"
	Warning Level = "warning"
	Advice  Level = "advice"
)

// Problem is a value that a browser drops or changes, with its place in the file.
type Problem struct {
	Member  string `json:"member"`
	Level   Level  `json:"level"`
	File    string `json:"file,omitempty"`
	Line    int    `json:"line"`
	Column  int    `json:"column"`
	Message string `json:"message"`
	Mend    string `json:"mend,omitempty"`
}

// Processed is what a browser makes of a manifest. URLs are absolute.
type Processed struct {
	Name                      string               `json:"name,omitempty"`
	ShortName                 string               `json:"short_name,omitempty"`
	Description               string               `json:"description,omitempty"`
	ID                        string               `json:"id,omitempty"`
	StartURL                  string               `json:"start_url,omitempty"`
	StartURLGiven             bool                 `json:"-"` // false when it is the document's own URL
	Scope                     string               `json:"scope,omitempty"`
	Display                   string               `json:"display,omitempty"`
	DisplayOverride           []string             `json:"display_override,omitempty"`
	Orientation               string               `json:"orientation,omitempty"`
	ThemeColor                string               `json:"theme_color,omitempty"`
	BackgroundColor           string               `json:"background_color,omitempty"`
	Lang                      string               `json:"lang,omitempty"`
	Dir                       string               `json:"dir,omitempty"`
	Icons                     []Image              `json:"icons,omitempty"`
	Screenshots               []Image              `json:"screenshots,omitempty"`
	Shortcuts                 []Shortcut           `json:"shortcuts,omitempty"`
	ShareTarget               *ShareTarget         `json:"share_target,omitempty"`
	FileHandlers              []FileHandler        `json:"file_handlers,omitempty"`
	ProtocolHandlers          []ProtocolHandler    `json:"protocol_handlers,omitempty"`
	ScopeExtensions           []ScopeExtension     `json:"scope_extensions,omitempty"`
	LaunchHandler             []string             `json:"launch_handler,omitempty"` // client modes in order; the first counts
	NoteTaking                string               `json:"new_note_url,omitempty"`
	PreferRelatedApplications bool                 `json:"prefer_related_applications,omitempty"`
	RelatedApplications       []RelatedApplication `json:"related_applications,omitempty"`
}

// Manifest is a processed manifest and what was wrong with it.
type Manifest struct {
	Processed Processed
	Problems  []Problem
	Lost      bool // nothing of it is used: not JSON, or no object
	src       []byte
	places    map[string][2]int
}

// Place gives the line and column of a member's value, 0 when the member is absent.
func (m *Manifest) Place(member string) (line, column int) {
	p := m.places[member]
	return p[0], p[1]
}

// Has says whether a member is written in the manifest, whatever became of it.
func (m *Manifest) Has(member string) bool { _, ok := m.places[member]; return ok }

type processor struct {
	*Manifest
	at                       places
	more                     int // problems that are not told one by one
	manifestURL, documentURL *weburl.URL
}

// maxBytes is what a manifest may weigh.
const maxBytes = 8 << 20

// Process applies the text's "processing the manifest" steps. file is named in problems; manifestURL and
// documentURL are absolute. It fails only when one of the two is no URL.
func Process(data []byte, file, manifestURL, documentURL string) (*Manifest, error) {
	mu, err := weburl.Parse(manifestURL)
	if err != nil {
		return nil, fmt.Errorf("manifest URL %q: %w", manifestURL, err)
	}
	du, err := weburl.Parse(documentURL)
	if err != nil {
		return nil, fmt.Errorf("document URL %q: %w", documentURL, err)
	}
	if mu.Protocol() == "data:" { // an address that holds the manifest leads nowhere: browsers take the document's
		mu = du
	}
	large := len(data) > maxBytes
	if large { // it is read as if nothing stood in it
		data = nil
	}
	src := decode(data)
	p := &processor{Manifest: &Manifest{src: src, places: map[string][2]int{}}, at: places{src: src}, manifestURL: mu, documentURL: du}
	defer func() {
		slices.SortStableFunc(p.Problems, func(a, b Problem) int { return cmp.Or(a.Line-b.Line, a.Column-b.Column) })
		if p.more > 0 {
			p.Problems = append(p.Problems, Problem{Level: Warning, Line: 1, Column: 1, Message: fmt.Sprintf("%d more problems are not told one by one", p.more), Mend: "mend the ones that are"})
		}
		for i := range p.Problems {
			p.Problems[i].File = file
		}
	}()
	if large {
		p.Lost = true
		p.Problems = append(p.Problems, Problem{Level: Blocker, Line: 1, Column: 1, Message: fmt.Sprintf("the manifest is larger than %d MB and is not read; every visitor would download it", maxBytes>>20), Mend: "name pictures by their addresses, and leave out what is no member"})
		return p.Manifest, nil
	}
	root, err := parse(p.src)
	if err != nil {
		e := err.(*SyntaxError) //nolint:errorlint // parse gives no other
		p.Lost = true
		p.Problems = append(p.Problems, Problem{Level: Blocker, Line: e.Line, Column: e.Column,
			Message: "not JSON: " + e.Message + "; browsers ignore the whole manifest", Mend: "correct the JSON at this place"})
		return p.Manifest, nil
	}
	if root.kind != object {
		p.Lost = true
		p.problem(root, "", Blocker, "the manifest is "+kindNames[root.kind]+", not an object; browsers ignore it", "write the members inside { }")
		return p.Manifest, nil
	}
	for _, m := range root.members {
		line, column := p.at.of(m.value.start)
		p.places[m.key] = [2]int{line, column}
	}
	if v := policyFault(root.get("permissions_policy")); v != nil {
		p.Lost = true
		p.problem(v, "permissions_policy", Blocker, "permissions_policy is an object of lists of strings; this is "+kindNames[v.kind]+", and Chromium ignores the whole manifest because of it", `write "permissions_policy": {"geolocation": ["self"]}`)
		return p.Manifest, nil
	}
	p.twice(root, "")
	p.members(root)
	return p.Manifest, nil
}

// policyFault gives what makes a permissions_policy member fatal, nil when nothing does.
func policyFault(v *Value) *Value {
	if v == nil {
		return nil
	}
	if v.kind != object {
		return v
	}
	for _, m := range v.members {
		if m.value.kind != array {
			return m.value
		}
		for _, item := range m.value.items {
			if item.kind != text {
				return item
			}
		}
	}
	return nil
}

// twice reports members that are written more than once: the last counts.
func (p *processor) twice(v *Value, prefix string) {
	seen := map[string]bool{}
	for i := len(v.members) - 1; i >= 0; i-- {
		m := v.members[i]
		if seen[m.key] {
			p.problem(&Value{start: m.keyStart}, prefix+m.key, Warning, fmt.Sprintf("%q is written more than once; browsers take the last, whatever it says", m.key), "keep one")
		}
		seen[m.key] = true
		for j, item := range m.value.items {
			if item.kind == object {
				p.twice(item, fmt.Sprintf("%s%s[%d].", prefix, m.key, j))
			}
		}
		if m.value.kind == object {
			p.twice(m.value, prefix+m.key+".")
		}
	}
}

// maxProblems is how many problems of a manifest are told one by one; of the others only their number is.
const maxProblems = 1000

func (p *processor) problem(v *Value, member string, level Level, message, mend string) {
	if level != Blocker && len(p.Problems) >= maxProblems {
		p.more++
		return
	}
	line, column := 1, 1
	if v != nil {
		line, column = p.at.of(v.start)
	}
	p.Problems = append(p.Problems, Problem{Member: member, Level: level, Line: line, Column: column, Message: message, Mend: mend})
}

func (p *processor) members(root *Value) {
	r := &p.Processed
	r.Dir = p.choice(root, "dir", []string{"auto", "ltr", "rtl"}, "auto")
	r.Lang = strings.TrimSpace(p.text(root, "lang"))
	r.Name = p.label(root, "name")
	r.ShortName = p.label(root, "short_name")
	if r.Name == "" && r.ShortName == "" {
		at := root.get("name")
		if at == nil {
			at = root
		}
		p.problem(at, "name", Blocker, "neither name nor short_name says anything; browsers offer no installation without a name",
			`add "name": "…"`)
	}
	r.Description = p.trimmed(root, "description", "description")
	r.Display = p.choice(root, "display", []string{"fullscreen", "standalone", "minimal-ui", "browser"}, "browser")
	p.displayOverride(root)
	r.Orientation = p.choice(root, "orientation", []string{"any", "natural", "landscape", "landscape-primary", "landscape-secondary",
		"portrait", "portrait-primary", "portrait-secondary"}, "")
	r.ThemeColor = p.color(root, "theme_color")
	r.BackgroundColor = p.color(root, "background_color")
	start := p.startURL(root)
	scope := p.scope(root, start)
	p.id(root, start)
	if start != nil {
		r.StartURL = start.Href(false)
	}
	if scope != nil {
		r.Scope = scope.Href(false)
	}
	r.Icons = p.icons(root, "icons", "icons")
	r.Screenshots = p.screenshots(root)
	p.shortcuts(root, scope)
	p.shareTarget(root, scope)
	p.fileHandlers(root, scope)
	p.protocolHandlers(root, scope)
	p.scopeExtensions(root)
	p.launchHandler(root)
	p.noteTaking(root, scope)
	p.related(root)
	p.unknown(root)
}

// text gives a string member, with a problem for another type.
func (p *processor) text(o *Value, key string) string { return p.textAs(o, key, key) }

// textAs is text for a member that problems call by a longer name.
func (p *processor) textAs(o *Value, key, member string) string {
	v := o.get(key)
	if v == nil {
		return ""
	}
	if v.kind != text {
		p.problem(v, member, Warning, fmt.Sprintf("%s is %s; a string is expected, so it is ignored", key, kindNames[v.kind]), "write it in double quotes")
		return ""
	}
	return v.str
}

// label gives a text member as Chromium shows it: trimmed, without line breaks and tabs.
func (p *processor) label(o *Value, key string) string {
	return strings.Map(func(r rune) rune {
		if r == '\n' || r == '\r' || r == '\t' {
			return -1
		}
		return r
	}, p.trimmed(o, key, key))
}

// trimmed gives a text member without white space around it.
func (p *processor) trimmed(o *Value, key, member string) string {
	return strings.TrimFunc(p.textAs(o, key, member), func(r rune) bool { return r != '\u00a0' && unicode.IsSpace(r) })
}

func (p *processor) choice(o *Value, key string, values []string, fallback string) string {
	v := o.get(key)
	if v == nil {
		return fallback
	}
	s := strings.ToLower(strings.TrimSpace(p.text(o, key)))
	if slices.Contains(values, s) {
		return s
	}
	if v.kind == text {
		p.problem(v, key, Warning, fmt.Sprintf("%q is no %s that browsers know%s; it is ignored", v.str, key, suggest(s, values)),
			"use one of "+strings.Join(values, ", "))
	}
	return fallback
}

func suggest(s string, values []string) string {
	best, distance := "", 3
	for _, v := range values {
		if d := levenshtein.ComputeDistance(s, v); d < distance {
			best, distance = v, d
		}
	}
	if best == "" {
		return ""
	}
	return fmt.Sprintf(" (do you mean %q?)", best)
}

// displayOverride keeps the entries that browsers understand.
func (p *processor) displayOverride(o *Value) {
	v := o.get("display_override")
	if v == nil {
		return
	}
	if v.kind != array {
		p.problem(v, "display_override", Warning, "display_override is "+kindNames[v.kind]+"; a list is expected, so it is ignored", `write ["…"]`)
		return
	}
	for _, item := range v.items {
		s := strings.ToLower(strings.TrimSpace(item.str))
		switch s {
		case "fullscreen", "standalone", "minimal-ui", "browser", "window-controls-overlay", "unframed", "picture-in-picture":
			p.Processed.DisplayOverride = append(p.Processed.DisplayOverride, s)
		default:
			p.problem(item, "display_override", Advice, "an entry that Chromium does not understand; it goes on to the next", "")
		}
	}
}

func (p *processor) color(o *Value, key string) string {
	v := o.get(key)
	if v == nil {
		return ""
	}
	s := p.text(o, key)
	if v.kind != text {
		return ""
	}
	c, ok := csscolor.Parse(s)
	if !ok {
		p.problem(v, key, Warning, fmt.Sprintf("%q is no colour by CSS syntax; it is ignored", s), `write it like "#0b4f6c"`)
		return ""
	}
	return c.Hex()
}

func sameOrigin(a, b *weburl.URL) bool {
	return a.Protocol() == b.Protocol() && a.Host() == b.Host() && a.Protocol() != "data:"
}

// Within says whether a URL is within a scope: same origin, and a path that begins with the scope's path (Web
// Application Manifest, "within scope").
func Within(target, scope string) bool {
	t, err := weburl.Parse(target)
	if err != nil {
		return false
	}
	s, err := weburl.Parse(scope)
	return err == nil && within(t, s)
}

func within(target, scope *weburl.URL) bool {
	return sameOrigin(target, scope) && strings.HasPrefix(target.Pathname(), scope.Pathname())
}

// startURL processes start_url. The result is nil only when the manifest gives none that is valid, and then the
// document's URL stands in for it.
func (p *processor) startURL(o *Value) *weburl.URL {
	v := o.get("start_url")
	if v == nil {
		p.problem(o, "start_url", Blocker, "start_url is missing; Chromium offers no installation without it", `add "start_url"`)
		return p.documentURL
	}
	s := p.text(o, "start_url")
	if v.kind != text {
		p.Problems[len(p.Problems)-1].Level = Blocker // as if it were not there
		return p.documentURL
	}
	u, err := p.manifestURL.Parse(s)
	switch {
	case err != nil:
		p.problem(v, "start_url", Blocker, fmt.Sprintf("%q is no valid URL; Chromium offers no installation", s), "write a path such as \"/\"")
		return p.documentURL
	case !sameOrigin(u, p.documentURL):
		p.problem(v, "start_url", Blocker, fmt.Sprintf("%q leads to another origin than the page (%s); Chromium offers no installation", s, u.Host()),
			"write a URL of the page's own origin")
		return p.documentURL
	}
	p.Processed.StartURLGiven = true
	return u
}

// scope processes scope; where it is absent, invalid or does not contain the start URL, it is the start URL's
// folder.
func (p *processor) scope(o *Value, start *weburl.URL) *weburl.URL {
	fallback, err := start.Parse(".")
	if err != nil {
		return nil
	}
	fallback.SetSearch("")
	fallback.SetHash("")
	v := o.get("scope")
	if v == nil {
		return fallback
	}
	s := p.text(o, "scope")
	if v.kind != text {
		return fallback
	}
	u, err := p.manifestURL.Parse(s)
	switch {
	case err != nil:
		p.problem(v, "scope", Warning, fmt.Sprintf("%q is no valid URL; the start URL's folder is used", s), "")
		return fallback
	case !sameOrigin(u, p.documentURL):
		p.problem(v, "scope", Warning, fmt.Sprintf("%q is of another origin; the start URL's folder is used", s), "")
		return fallback
	}
	u.SetSearch("")
	u.SetHash("")
	if !within(start, u) {
		p.problem(v, "scope", Warning, fmt.Sprintf("the start URL %s is outside the scope %s; the scope is dropped and the start URL's folder is used",
			start.Pathname(), u.Pathname()), "widen the scope or move the start URL into it")
		return fallback
	}
	return u
}

func (p *processor) id(o *Value, start *weburl.URL) {
	without := start.Href(true)
	p.Processed.ID = without
	v := o.get("id")
	if v == nil {
		return
	}
	s := p.text(o, "id")
	if v.kind != text || s == "" {
		return
	}
	origin, err := start.Parse("/")
	if err != nil {
		return
	}
	u, err := origin.Parse(s)
	if err != nil || !sameOrigin(u, start) {
		p.problem(v, "id", Warning, fmt.Sprintf("%q is no URL of the start URL's origin; the start URL is used as the id", s), "")
		return
	}
	p.Processed.ID = u.Href(true)
}
