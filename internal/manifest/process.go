// Package manifest reads web app manifests as the W3C Web Application Manifest text processes them, and writes
// them with the order of an existing file kept.
package manifest

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"github.com/agnivade/levenshtein"
	weburl "github.com/nlnwa/whatwg-url/url"
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

// Image is a processed image resource (Image Resource text).
type Image struct {
	Src        string   `json:"src"` // absolute
	Sizes      []string `json:"sizes,omitempty"`
	Type       string   `json:"type,omitempty"`
	Purpose    []string `json:"purpose,omitempty"`
	Label      string   `json:"label,omitempty"`
	FormFactor string   `json:"form_factor,omitempty"`
	Line       int      `json:"-"`
	Column     int      `json:"-"`
}

// Shortcut is a processed shortcut item.
type Shortcut struct {
	Name string `json:"name"`
	URL  string `json:"url"`
}

// Processed is what a browser makes of a manifest. URLs are absolute.
type Processed struct {
	Name                      string     `json:"name,omitempty"`
	ShortName                 string     `json:"short_name,omitempty"`
	Description               string     `json:"description,omitempty"`
	ID                        string     `json:"id,omitempty"`
	StartURL                  string     `json:"start_url,omitempty"`
	StartURLGiven             bool       `json:"-"` // false when it is the document's own URL
	Scope                     string     `json:"scope,omitempty"`
	Display                   string     `json:"display,omitempty"`
	DisplayOverride           []string   `json:"display_override,omitempty"`
	Orientation               string     `json:"orientation,omitempty"`
	ThemeColor                string     `json:"theme_color,omitempty"`
	BackgroundColor           string     `json:"background_color,omitempty"`
	Lang                      string     `json:"lang,omitempty"`
	Dir                       string     `json:"dir,omitempty"`
	Icons                     []Image    `json:"icons,omitempty"`
	Screenshots               []Image    `json:"screenshots,omitempty"`
	Shortcuts                 []Shortcut `json:"shortcuts,omitempty"`
	PreferRelatedApplications bool       `json:"prefer_related_applications,omitempty"`
	RelatedApplications       int        `json:"-"` // valid entries
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
	manifestURL, documentURL *weburl.Url
}

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
	p := &processor{Manifest: &Manifest{src: decode(data), places: map[string][2]int{}}, manifestURL: mu, documentURL: du}
	defer func() {
		for i := range p.Problems {
			p.Problems[i].File = file
		}
	}()
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
		line, column := position(p.src, m.value.start)
		p.places[m.key] = [2]int{line, column}
	}
	p.members(root)
	return p.Manifest, nil
}

func (p *processor) problem(v *Value, member string, level Level, message, mend string) {
	line, column := 1, 1
	if v != nil {
		line, column = position(p.src, v.start)
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
	r.Description = p.label(root, "description")
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
	r.Icons = p.images(root, "icons", true)
	r.Screenshots = p.images(root, "screenshots", false)
	p.shortcuts(root, scope)
	p.related(root)
	p.unknown(root)
}

// text gives a string member, with a problem for another type.
func (p *processor) text(o *Value, key string) string {
	v := o.get(key)
	if v == nil {
		return ""
	}
	if v.kind != text {
		p.problem(v, key, Warning, fmt.Sprintf("%s is %s; a string is expected, so it is ignored", key, kindNames[v.kind]), "write it in double quotes")
		return ""
	}
	return v.str
}

// label gives a text member as Chromium shows it: trimmed, without line breaks and tabs.
func (p *processor) label(o *Value, key string) string {
	s := strings.TrimFunc(p.text(o, key), func(r rune) bool {
		return r != '\u00a0' && unicode.IsSpace(r)
	})
	return strings.Map(func(r rune) rune {
		if r == '\n' || r == '\r' || r == '\t' {
			return -1
		}
		return r
	}, s)
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
	c, ok := ParseColor(s)
	if !ok {
		p.problem(v, key, Warning, fmt.Sprintf("%q is no colour by CSS syntax; it is ignored", s), `write it like "#0b4f6c"`)
		return ""
	}
	return c.Hex()
}

func sameOrigin(a, b *weburl.Url) bool {
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

func within(target, scope *weburl.Url) bool {
	return sameOrigin(target, scope) && strings.HasPrefix(target.Pathname(), scope.Pathname())
}

// startURL processes start_url. The result is nil only when the manifest gives none that is valid, and then the
// document's URL stands in for it.
func (p *processor) startURL(o *Value) *weburl.Url {
	v := o.get("start_url")
	if v == nil {
		p.problem(o, "start_url", Blocker, "start_url is missing; Chromium offers no installation without it", `add "start_url"`)
		return p.documentURL
	}
	s := p.text(o, "start_url")
	if v.kind != text {
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
func (p *processor) scope(o *Value, start *weburl.Url) *weburl.Url {
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

func (p *processor) id(o *Value, start *weburl.Url) {
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

// images processes icons and screenshots.
func (p *processor) images(o *Value, key string, purposes bool) []Image {
	v := o.get(key)
	if v == nil {
		return nil
	}
	if v.kind != array {
		p.problem(v, key, Warning, fmt.Sprintf("%s is %s; a list is expected, so it is ignored", key, kindNames[v.kind]), "write [ { … } ]")
		return nil
	}
	var out []Image
	for i, item := range v.items {
		member := fmt.Sprintf("%s[%d]", key, i)
		if item.kind != object {
			p.problem(item, member, Warning, "not an object; it is ignored", "")
			continue
		}
		if img, ok := p.image(item, member, purposes); ok {
			out = append(out, img)
		}
	}
	return out
}

func (p *processor) image(item *Value, member string, purposes bool) (Image, bool) {
	img := Image{}
	img.Line, img.Column = position(p.src, item.start)
	src := item.get("src")
	if src == nil || src.kind != text {
		p.problem(item, member+".src", Warning, "src is missing or no string; the entry is ignored", `add "src"`)
		return img, false
	}
	u, err := p.manifestURL.Parse(src.str)
	if err != nil || strings.TrimSpace(src.str) == "" {
		p.problem(src, member+".src", Warning, fmt.Sprintf("%q is no valid URL; the entry is ignored", src.str), "")
		return img, false
	}
	img.Src = u.Href(false)
	if t := item.get("type"); t != nil && t.kind == text {
		img.Type = strings.TrimSpace(t.str)
	} else if t != nil {
		p.problem(t, member+".type", Warning, "type is "+kindNames[t.kind]+"; a string is expected, so it is ignored", "")
	}
	if s := item.get("sizes"); s != nil {
		if s.kind != text {
			p.problem(s, member+".sizes", Warning, "sizes is "+kindNames[s.kind]+"; a string such as \"192x192\" is expected, so it is ignored", "")
		} else {
			img.Sizes = p.sizes(s, member)
		}
	}
	if f := item.get("form_factor"); f != nil && f.kind == text {
		img.FormFactor = strings.ToLower(strings.TrimSpace(f.str))
	}
	if l := item.get("label"); l != nil && l.kind == text {
		img.Label = l.str
	}
	if !purposes {
		return img, true
	}
	img.Purpose = []string{"any"}
	if v := item.get("purpose"); v != nil && v.kind == text && strings.TrimSpace(v.str) != "" {
		img.Purpose = nil
		for _, w := range strings.Fields(strings.ToLower(v.str)) {
			switch {
			case w != "any" && w != "maskable" && w != "monochrome":
				p.problem(v, member+".purpose", Warning, fmt.Sprintf("unknown purpose %q%s; it is ignored", w, suggest(w, []string{"any", "maskable", "monochrome"})), "")
			case !slices.Contains(img.Purpose, w):
				img.Purpose = append(img.Purpose, w)
			}
		}
		if img.Purpose == nil {
			p.problem(v, member+".purpose", Warning, "no purpose that browsers know is left; the icon is dropped", "")
			return img, false
		}
	}
	return img, true
}

func (p *processor) sizes(v *Value, member string) []string {
	var out []string
	for _, token := range strings.Fields(v.str) {
		w, h, ok := ParseSize(token)
		switch {
		case strings.EqualFold(token, "any"):
			out = append(out, "any")
		case !ok:
			p.problem(v, member+".sizes", Warning, fmt.Sprintf("%q is no size; it is skipped", token), `write sizes like "192x192", separated by spaces`)
		default:
			out = append(out, fmt.Sprintf("%dx%d", w, h))
		}
	}
	if len(out) == 0 {
		p.problem(v, member+".sizes", Warning, "no size is left; an icon without a size is never used for installing", `write "sizes": "512x512"`)
	}
	return out
}

// ParseSize reads one size such as 192x192, in px.
func ParseSize(token string) (w, h int, ok bool) {
	a, b, found := strings.Cut(strings.ToLower(token), "x")
	if !found || a == "" || b == "" || a[0] == '0' || b[0] == '0' {
		return 0, 0, false
	}
	w, err := strconv.Atoi(a)
	if err != nil || w < 0 || a[0] == '+' {
		return 0, 0, false
	}
	h, err = strconv.Atoi(b)
	return w, h, err == nil && h > 0 && b[0] != '+'
}

func (p *processor) shortcuts(o *Value, scope *weburl.Url) {
	v := o.get("shortcuts")
	if v == nil || v.kind != array {
		return
	}
	for i, item := range v.items {
		member := fmt.Sprintf("shortcuts[%d]", i)
		name, u := item.get("name"), item.get("url")
		if item.kind != object || name == nil || name.kind != text || strings.TrimSpace(name.str) == "" || u == nil || u.kind != text {
			p.problem(item, member, Warning, "a shortcut needs a name and a url; it is ignored", "")
			continue
		}
		abs, err := p.manifestURL.Parse(u.str)
		if err != nil || scope == nil || !within(abs, scope) {
			p.problem(u, member+".url", Warning, fmt.Sprintf("%q is not inside the scope; the shortcut is ignored", u.str), "")
			continue
		}
		p.Processed.Shortcuts = append(p.Processed.Shortcuts, Shortcut{strings.TrimSpace(name.str), abs.Href(false)})
	}
}

func (p *processor) related(o *Value) {
	if v := o.get("prefer_related_applications"); v != nil {
		if v.kind != boolean {
			p.problem(v, "prefer_related_applications", Warning, "prefer_related_applications is "+kindNames[v.kind]+"; true or false is expected, so it is ignored", "write true or false without quotes")
		} else {
			p.Processed.PreferRelatedApplications = v.truth
		}
	}
	if v := o.get("related_applications"); v != nil && v.kind == array {
		for _, item := range v.items {
			if item.get("platform") != nil && (item.get("url") != nil || item.get("id") != nil) {
				p.Processed.RelatedApplications++
			}
		}
	}
}

// members that browsers or app stores know, beside those processed above.
var otherMembers = []string{"categories", "file_handlers", "handle_links", "iarc_rating_id", "launch_handler", "note_taking",
	"permissions_policy", "protocol_handlers", "scope_extensions", "share_target", "tab_strip", "edge_side_panel", "widgets",
	"gcm_sender_id", "capture_links", "url_handlers", "author", "version", "manifest_version", "$schema", "user_preferences", "theme_colors"}

var processedMembers = []string{"name", "short_name", "description", "id", "start_url", "scope", "display", "display_override",
	"orientation", "theme_color", "background_color", "lang", "dir", "icons", "screenshots", "shortcuts",
	"prefer_related_applications", "related_applications"}

func (p *processor) unknown(o *Value) {
	for _, m := range o.members {
		if slices.Contains(otherMembers, m.key) || slices.Contains(processedMembers, m.key) || strings.HasPrefix(m.key, "_") {
			continue
		}
		if hint := suggest(m.key, append(slices.Clone(processedMembers), otherMembers...)); hint != "" {
			p.problem(&Value{start: m.keyStart}, m.key, Warning, fmt.Sprintf("no member is called %q%s; it is ignored", m.key, hint), "correct the name")
		} else {
			p.problem(&Value{start: m.keyStart}, m.key, Advice, fmt.Sprintf("no browser knows a member %q; it is ignored", m.key), "")
		}
	}
}
