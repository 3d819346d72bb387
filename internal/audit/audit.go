// Package audit checks whether a site can be installed and works offline, and says why not.
package audit

import (
	"context"
	"slices"
	"strings"

	"tachyform/internal/icon"
	"tachyform/internal/manifest"
	"tachyform/internal/markup"
	"tachyform/internal/pagehead"
	"tachyform/internal/platform"
	"tachyform/internal/rehearsal"
	"tachyform/internal/site"
	"tachyform/internal/survey"
)

// Level says how much a failed check costs.
type Level string

// The levels, from the worst.
const (
	Blocker Level = "blocker"
	Warning Level = "warning"
	Advice  Level = "advice"
)

// AtLeast says whether a level is as bad as another or worse. Unknown levels are never reached.
func (l Level) AtLeast(other Level) bool {
	order := []Level{Advice, Warning, Blocker}
	i := slices.Index(order, other)
	return i >= 0 && slices.Index(order, l) >= i
}

// Finding is one place where a check failed.
type Finding struct {
	File    string `json:"file,omitempty"`
	Line    int    `json:"line,omitempty"`
	Column  int    `json:"column,omitempty"`
	URL     string `json:"url,omitempty"`
	Message string `json:"message"`
	Mend    string `json:"mend,omitempty"`
}

// Check is one rule of the audit, as data beside the function that performs it.
type Check struct {
	ID    string
	Level Level
	Area  string
	Title string
	Why   string // what it means for a visitor
	Mend  string // what to do in general
	Spec  string // the text it follows
	// Blocks names the platforms on which a site that fails cannot be installed as an app.
	Blocks []string
	run    func(*facts) ([]Finding, bool) // false when the check does not apply
}

// Result is what came of a check; its state is "passed", "failed" or "not-applicable".
type Result struct {
	ID       string    `json:"id"`
	Level    Level     `json:"level"`
	State    string    `json:"state"`
	Title    string    `json:"title"`
	Findings []Finding `json:"findings"`
	Why      string    `json:"-"`
}

// Verdict is what a platform makes of the site.
type Verdict struct {
	ID          string   `json:"id"`
	Name        string   `json:"name"`
	Installable bool     `json:"installable"`
	How         string   `json:"how"`
	Blockers    []string `json:"blockers"`
}

// Report is a whole audit; its JSON form is tachyform.audit/1.
type Report struct {
	Format    string            `json:"format"`
	Site      string            `json:"site"`
	Platforms []Verdict         `json:"platforms"`
	Checks    []Result          `json:"checks"`
	Rehearsal *rehearsal.Report `json:"rehearsal"`
}

// Format names the shape of the report.
const Format = "tachyform.audit/1"

// Worst is the level of the worst failed check, "" when none failed.
func (r *Report) Worst() Level {
	worst := Level("")
	for _, c := range r.Checks {
		if c.State == "failed" && (worst == "" || c.Level.AtLeast(worst)) {
			worst = c.Level
		}
	}
	return worst
}

// Checks are all checks in the order they are shown.
func Checks() []Check {
	return slices.Concat(hostChecks, manifestChecks, iconChecks, pageChecks, workerChecks, offlineChecks)
}

// pageHead is what the audit keeps of a page's head.
type pageHead struct {
	file site.File
	src  []byte // only of the start page
	head *pagehead.Head
	err  error
}

// facts are what the checks look at.
type facts struct {
	server    *site.Server
	site      *site.Site
	inv       *survey.Inventory
	heads     []pageHead
	start     pageHead
	link      *pagehead.Tag      // the start page's manifest link
	linkURL   string             // root-relative
	linkPlace [2]int             // line and column
	file      *site.File         // of the manifest
	manifest  *manifest.Manifest // nil when there is none
	icons     []iconFact
	rehearsal *rehearsal.Report
}

// iconFact is an icon of the manifest with what its file really is.
type iconFact struct {
	image  manifest.Image
	file   *site.File // nil when it is not in the site
	outer  bool       // on another origin
	data   []byte
	width  int
	height int
	kind   string // real media type, "" when it cannot be read
}

// Run audits a site. The rehearsal must be one of the same site with every page offline.
func Run(ctx context.Context, server *site.Server, r *rehearsal.Report, platforms []string) (*Report, error) {
	inv, err := survey.Take(ctx, server.Site, survey.Options{})
	if err != nil {
		return nil, err
	}
	f, err := gather(server, inv, r)
	if err != nil {
		return nil, err
	}
	out := &Report{Format: Format, Site: server.Site.Dir, Rehearsal: r, Platforms: []Verdict{}}
	blockers := map[string][]string{}
	for _, c := range Checks() {
		res := Result{ID: c.ID, Level: c.Level, Title: c.Title, State: "passed", Findings: []Finding{}, Why: c.Why}
		findings, applies := c.run(f)
		switch {
		case !applies:
			res.State = "not-applicable"
		case len(findings) > 0:
			res.State, res.Findings = "failed", findings
			for i := range res.Findings {
				if res.Findings[i].Mend == "" {
					res.Findings[i].Mend = c.Mend
				}
			}
			for _, p := range c.Blocks {
				blockers[p] = append(blockers[p], c.ID)
			}
		}
		out.Checks = append(out.Checks, res)
	}
	if len(platforms) == 0 {
		platforms = usual
	}
	for _, p := range platform.All {
		if !slices.Contains(platforms, p.ID) {
			continue
		}
		v := Verdict{ID: p.ID, Name: p.Name, How: p.How, Blockers: []string{}}
		v.Blockers = append(v.Blockers, blockers[p.ID]...)
		v.Installable = p.Installs && len(v.Blockers) == 0
		out.Platforms = append(out.Platforms, v)
	}
	return out, nil
}

// usual are the platforms that get a verdict when none are named; the others of [platform.All] get one when they are.
var usual = []string{"chromium-desktop", "chromium-android", "safari-ios", "safari-macos", "firefox-android"}

const anyOrigin = "https://site.invalid"

func gather(server *site.Server, inv *survey.Inventory, r *rehearsal.Report) (*facts, error) {
	f := &facts{server: server, site: server.Site, inv: inv, rehearsal: r}
	for _, p := range inv.Pages {
		src, err := f.site.Read(p.File.Path)
		if err != nil {
			continue
		}
		h := pageHead{file: p.File}
		h.head, h.err = pagehead.Read(p.File.Path, src)
		if p.File.Path == inv.StartFile.Path {
			h.src = src
			f.start = h
		}
		f.heads = append(f.heads, h)
	}
	if f.start.head == nil {
		return f, nil
	}
	t := f.start.tag("manifest")
	if t == nil {
		return f, nil
	}
	f.link = t
	line, column := markup.Position(f.start.src, t.Offset)
	f.linkPlace = [2]int{line, column}
	f.linkURL = f.start.resolve(t.Value)
	if f.file = inv.FileOf(f.linkURL); f.file == nil {
		return f, nil
	}
	data, err := f.site.Read(f.file.Path)
	if err != nil {
		return nil, err
	}
	f.manifest, err = manifest.Process(data, f.file.Path, anyOrigin+f.file.URL, anyOrigin+f.start.file.URL)
	if err != nil {
		return nil, err
	}
	for _, img := range f.manifest.Processed.Icons {
		i := iconFact{image: img}
		u, own := strings.CutPrefix(img.Src, anyOrigin)
		if i.outer = !own; own {
			if i.file = inv.FileOf(u); i.file != nil {
				if i.data, err = f.site.Read(i.file.Path); err == nil {
					i.width, i.height, i.kind, _ = icon.Size(i.data)
				}
			}
		}
		f.icons = append(f.icons, i)
	}
	return f, nil
}

// tag gives the first tag of a kind.
func (h pageHead) tag(kind string) *pagehead.Tag {
	if h.head == nil {
		return nil
	}
	for i := range h.head.Tags {
		if h.head.Tags[i].Kind == kind {
			return &h.head.Tags[i]
		}
	}
	return nil
}

func (h pageHead) resolve(ref string) string {
	base := h.file.URL
	if h.head.Base != "" {
		if b, ok := survey.Resolve(base, h.head.Base); ok {
			base = b
		}
	}
	u, _ := survey.Resolve(base, ref)
	return u
}

// at makes a finding at a member of the manifest.
func (f *facts) at(member, message, mend string) Finding {
	line, column := f.manifest.Place(member)
	if line == 0 {
		line, column = 1, 1
	}
	return Finding{File: f.file.Path, Line: line, Column: column, Message: message, Mend: mend}
}

var chromium = []string{"chromium-desktop", "chromium-android", "samsung-android"}
