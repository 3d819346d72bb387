// Package audit checks whether a site can be installed and works offline, and says why not.
package audit

import (
	"bytes"
	"context"
	"encoding/xml"
	"errors"
	"io"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/deployed"
	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/likeness"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// What was found, in the words of all commands.
type (
	Level   = finding.Level
	Finding = finding.Finding
	Result  = finding.Result
)

// The levels, from the worst.
const (
	Blocker = finding.Blocker
	Warning = finding.Warning
	Advice  = finding.Advice
)

// Check is one rule of the audit, as data beside the function that performs it.
type Check struct {
	ID    string
	Level Level
	Title string
	Why   string // what it means for a visitor
	Mend  string // what to do in general
	Spec  string // the text it follows
	// Example shows what the check finds, as somebody would have written it.
	Example string
	// Matters names the platforms whose visitors notice; empty for all.
	Matters []string
	// Blocks names the platforms on which a site that fails cannot be installed as an app.
	Blocks []string
	Hides  []string // ids of platforms for which nobody can tell whether the site installs when it fails
	// Lacks, in its place, is what the manifest of a site that fails lacks, in the words of [platform.Gap]: platforms that need it do not install.
	Lacks string
	// Safe says that tachyform fit, and so audit --mend, mends it without touching what the site's makers wrote.
	Safe bool
	run  func(*facts) ([]Finding, bool) // false when the check does not apply
}

// Area is the first part of its ID.
func (c *Check) Area() string { return finding.Area(c.ID) }

// About gives what there is to say of the check.
func (c Check) About() finding.Check {
	return finding.Check{ID: c.ID, Level: c.Level, Title: c.Title, Why: c.Why, Mend: c.Mend, Spec: c.Spec, Example: c.Example, Matters: c.Matters, Blocks: c.DecidesOn()}
}

// About gives what there is to say of all checks.
func About() []finding.Check {
	var out []finding.Check
	for _, c := range Checks() {
		out = append(out, c.About())
	}
	return out
}

// Verdict is what a platform makes of the site.
type Verdict struct {
	ID          string   `json:"id"`
	Name        string   `json:"name"`
	Installable bool     `json:"installable"`
	How         string   `json:"how"`
	Blockers    []string `json:"blockers"`            // ids of the checks that failed
	NotKnown    []string `json:"not_known,omitempty"` // ids of the checks that say why nobody can tell here; only without blockers
	// Lacks is what would make the app better there and changes nothing about the verdict.
	Lacks []platform.Gap `json:"lacks"`
	// Silent is for what the browser offers nothing although it installs: what cannot be seen here, and what was.
	Silent []Silence `json:"not_offered"`
}

// Silence is something for which a browser offers nothing.
type Silence struct {
	platform.Silence
	Seen string `json:"seen"` // "yes", "no", or "" for what cannot be seen here
}

// Report is a whole audit; its JSON form is tachyform.audit/1.
type Report struct {
	Format    string            `json:"format"`
	Site      string            `json:"site"`
	Platforms []Verdict         `json:"platforms"`
	Checks    []Result          `json:"checks"`
	Rehearsal *rehearsal.Report `json:"rehearsal"`
	App       *likeness.App     `json:"-"` // how the app will look; nil when that was not asked
	Baseline  *Comparison       `json:"baseline,omitempty"`
	FailOn    Level             `json:"fail_on,omitempty"`  // from which level on it fails, or "never"; "" when nobody asked
	Deployed  *deployed.Report  `json:"deployed,omitempty"` // for --release
}

// Format names the shape of the report.
const Format = "tachyform.audit/1"

// Fails says whether a check is among those that make the audit fail. When nobody said from which level on, each that failed is.
func (r *Report) Fails(c Result) bool {
	switch {
	case c.State != "failed" || r.FailOn == "never":
		return false
	case r.Baseline != nil && !slices.Contains(r.Baseline.New, c.ID):
		return false
	}
	return r.FailOn == "" || c.Level.AtLeast(r.FailOn)
}

// Failing gives the ids of the checks that make the audit fail, in their order.
func (r *Report) Failing() []string {
	var out []string
	for _, c := range r.Checks {
		if r.Fails(c) {
			out = append(out, c.ID)
		}
	}
	return out
}

// Checks are all checks in the order they are shown.
func Checks() []Check {
	return slices.Concat(hostChecks, manifestChecks, memberChecks(), appearanceChecks, iconChecks, pixelChecks, pageChecks, headChecks, iosChecks, deviceChecks, servedChecks, workerChecks, mistakeChecks(), entranceChecks, sameIDChecks,
		offlineChecks, routeChecks, dataChecks, updateChecks, weightChecks, privacyChecks, deployedChecks)
}

// pageHead is what the audit keeps of a page's head.
type pageHead struct {
	file site.File
	src  []byte // only of the start page
	head *pagehead.Head
	err  error
	page int // its place in the inventory
}

// facts are what the checks look at.
type facts struct {
	server    *site.Server
	site      *site.Site
	inv       *survey.Inventory
	heads     []pageHead
	start     pageHead
	link      *pagehead.Tag // the start page's manifest link
	linkURL   string        // root-relative for the site's own origin; a data: address as it is written
	byScript  bool          // scripts have put the link there
	elsewhere bool          // the manifest is on another origin, of which nothing is known
	others    map[string]*site.Server
	linkPlace [2]int             // line and column
	file      *site.File         // of the manifest
	manifest  *manifest.Manifest // nil when there is none
	icons     []*iconFact
	rehearsal *rehearsal.Report
	summary   *survey.Summary
	live      *Live
	deployed  *deployed.Report
	ceiling   int64
	platforms []string // ids of those that the site is for
	private   func(url string) bool
	unmet     *survey.Registration
	refused   map[string][]refusal // files whose bytes are not those that pages name
}

// iconFact is an icon of the manifest with what its file really is.
type iconFact struct {
	image  manifest.Image
	file   *site.File // nil when it is not in the site
	why    string     // why not, when it is something else than that it is not there
	outer  bool       // on another origin
	asked  string     // why nothing is known of it: it is asked of another origin, and not here; "" when it is known
	data   []byte
	width  int
	height int
	kind   string // real media type, "" when it cannot be read
	pix    *pixels
	looked bool
	broken bool // it begins as a picture and cannot be decoded
}

// look gives what the icon's pixels are like; nil when it is no raster picture of a reasonable size.
func (i *iconFact) look() *pixels {
	if !i.looked {
		i.looked = true
		switch i.kind {
		case "":
		case "image/svg+xml":
			i.broken = !wellFormed(i.data)
		default:
			i.pix, i.broken = readPixels(i.data)
		}
	}
	return i.pix
}

// unreadable says whether no browser can draw the icon.
func (i *iconFact) unreadable() bool {
	i.look()
	return i.kind == "" || i.broken
}

// wellFormed says whether an SVG can be read as XML, without which browsers draw nothing.
func wellFormed(data []byte) bool {
	d := xml.NewDecoder(bytes.NewReader(data))
	d.CharsetReader = func(_ string, r io.Reader) (io.Reader, error) { return r, nil } // what its letters are makes no difference here
	d.Entity = xml.HTMLEntity
	for {
		switch _, err := d.Token(); {
		case errors.Is(err, io.EOF):
			return true
		case err != nil:
			return false
		}
	}
}

// Options of an audit. The zero value audits a folder for the usual platforms.
type Options struct {
	Platforms []string          // ids; empty for the usual ones
	Only      []string          // ids or areas of checks; empty for all
	Skip      map[string]string // ids or areas of checks that are left out, and why
	Levels    map[string]Level  // of checks whose level is another here
	Ceiling   int64             // what the first visit may cost, in bytes; 0 for 3 MB
	Live      *Live             // what a live origin's server showed; nil for a folder
	Inventory *survey.Inventory // of the site when it was taken before
	Deployed  *deployed.Report  // how what is live differs from the release that was to be deployed; nil when that was not asked

	Sample int // how many pages are rehearsed, 0 for all; every page is read all the same

	Looks bool // how the app will look is gathered, which takes its pictures to be decoded

	Unmet *survey.Registration // a call that registers a worker and is not come to when the start page's scripts run; nil for none

	Linked string                  // the manifest's address when the start page's scripts have run; "" for what is written, and when they were not run
	Others map[string]*site.Server // that stand in for other origins, by scheme and host

	Private func(url string) bool // what belongs to one visitor, and is right not to be there without a network; nil for nothing
}

// named says whether a list has a check by its id or area.
func named(c Check, list []string) bool {
	return slices.Contains(list, c.ID) || slices.Contains(list, c.Area())
}

// Unknown gives the names among some that are neither a check's id nor an area, sorted.
func Unknown(names []string) []string {
	var out []string
	for _, n := range names {
		if !slices.ContainsFunc(Checks(), func(c Check) bool { return named(c, []string{n}) }) {
			out = append(out, n)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// Run audits a site. The rehearsal must be one of the same site with every page offline.
func Run(ctx context.Context, server *site.Server, r *rehearsal.Report, o Options) (*Report, error) {
	inv := o.Inventory
	if inv == nil {
		var err error
		if inv, err = survey.Take(ctx, server.Site, survey.Options{}); err != nil {
			return nil, err
		}
	}
	f, err := gather(server, inv, r, o)
	if err != nil {
		return nil, err
	}
	f.live, f.deployed, f.ceiling, f.summary, f.unmet = o.Live, o.Deployed, o.Ceiling, inv.Summarize(), o.Unmet
	if f.platforms = o.Platforms; len(f.platforms) == 0 {
		f.platforms = usual
	}
	if f.ceiling == 0 {
		f.ceiling = 3 << 20
	}
	out := &Report{Format: Format, Site: server.Site.Dir, Deployed: o.Deployed, Rehearsal: r, Platforms: []Verdict{}}
	blockers, hidden := map[string][]string{}, map[string][]string{}
	for _, c := range Checks() {
		if len(o.Only) > 0 && !named(c, o.Only) {
			f.blocks(c, blockers)
			continue
		}
		res := Result{ID: c.ID, Level: c.Level, Title: c.Title, State: "passed", Findings: []Finding{}, Why: c.Why}
		if l, ok := o.Levels[c.ID]; ok {
			res.Level = l
		}
		why, skip := o.Skip[c.ID]
		if !skip {
			why, skip = o.Skip[c.Area()]
		}
		if skip {
			f.blocks(c, blockers)
			res.State, res.Skipped = "not-applicable", why
			out.Checks = append(out.Checks, res)
			continue
		}
		findings, applies := c.run(f)
		switch {
		case !applies:
			res.State = "not-applicable"
		case len(findings) > 0:
			res.State, res.Findings = "failed", findings
			for i := range res.Findings {
				f.place(&res.Findings[i])
				if res.Findings[i].Mend == "" {
					res.Findings[i].Mend = c.Mend
				}
				if i < maxSources {
					res.Findings[i].Source = f.source(res.Findings[i])
				}
			}
			for _, p := range c.Blocks {
				blockers[p] = append(blockers[p], c.ID)
			}
			for _, p := range c.Hides {
				hidden[p] = append(hidden[p], c.ID)
			}
		}
		out.Checks = append(out.Checks, res)
	}
	platforms := o.Platforms
	if len(platforms) == 0 {
		platforms = usual
	}
	for _, p := range platform.All {
		if !slices.Contains(platforms, p.ID) {
			continue
		}
		v := Verdict{ID: p.ID, Name: p.Name, How: p.How, Blockers: []string{}, Lacks: []platform.Gap{}}
		v.Blockers = append(v.Blockers, blockers[p.ID]...)
		if f.readable() {
			for _, g := range p.Gaps(f.manifest, platform.Page{TouchIcon: f.start.tag("touch-icon") != nil, ThemeColor: f.start.tag("theme-color") != nil}) {
				if !g.Blocks {
					v.Lacks = append(v.Lacks, g)
					continue
				}
				for _, c := range Checks() {
					if c.Lacks == g.What {
						v.Blockers = append(v.Blockers, c.ID)
					}
				}
			}
		}
		if len(v.Blockers) == 0 {
			v.NotKnown = hidden[p.ID]
		}
		v.Installable = p.Installs && len(v.Blockers) == 0 && len(v.NotKnown) == 0
		v.Silent = f.silent(p)
		out.Platforms = append(out.Platforms, v)
	}
	if o.Looks {
		out.App = f.app()
	}
	return out, nil
}

// maxSources is of how many findings of a check the source is shown.
const maxSources = 20

// source gives the line that a finding is about, without its indentation, at most 160 bytes of it.
func (f *facts) source(x Finding) string {
	if x.File == "" || x.Line == 0 || x.Line == 1 && x.Column <= 1 {
		return ""
	}
	src, err := f.site.Read(x.File)
	if err != nil || len(src) > maxShown {
		return ""
	}
	lines := bytes.SplitN(src, []byte("\n"), x.Line+1)
	if len(lines) < x.Line {
		return ""
	}
	line := lines[x.Line-1]
	if from := x.Column - 60; from > 0 && len(line) > 160 {
		line = line[min(from, len(line)):]
	}
	return strings.ToValidUTF8(strings.TrimSpace(string(line[:min(160, len(line))])), "\ufffd")
}

// app gathers what the installed app will look like.
func (f *facts) app() *likeness.App {
	if !f.readable() {
		return nil
	}
	return likeness.OfSite(f.inv, f.start.head, &f.manifest.Processed, f.origin(), f.answered)
}

// bytes gives a file by its root-relative URL, of a live site also what no page refers to; nil when it is not there.
func (f *facts) bytes(url string) []byte {
	if file := f.inv.FileOf(url); file != nil {
		if data, err := f.site.Read(file.Path); err == nil {
			return data
		}
		return nil
	}
	return f.answered(url)
}

// answered gives what a live site answers; nil for a folder, whose files are known.
func (f *facts) answered(url string) []byte {
	if !f.site.IsLive() || !strings.HasPrefix(url, "/") {
		return nil
	}
	if a := f.server.Answer("GET", url); a.Status == 200 {
		return a.Body
	}
	return nil
}

// maxShown bounds the pictures that a report holds, in bytes.
const maxShown = 512 << 10

// DecidesOn names the platforms on which a site that fails the check cannot be installed as an app.
func (c Check) DecidesOn() []string {
	if c.Lacks != "" {
		return platform.Needing(c.Lacks)
	}
	return c.Blocks
}

// blocks lets a check that is not reported on still count for the verdicts: what browsers do does not depend on what is asked.
func (f *facts) blocks(c Check, blockers map[string][]string) {
	if len(c.Blocks) == 0 {
		return
	}
	if found, applies := c.run(f); applies && len(found) > 0 {
		for _, p := range c.Blocks {
			blockers[p] = append(blockers[p], c.ID)
		}
	}
}

// usual are the platforms that get a verdict when none are named; the others of [platform.All] get one when they are.
var usual = []string{"chromium-desktop", "chromium-android", "safari-ios", "safari-macos", "firefox-android"}

func gather(server *site.Server, inv *survey.Inventory, r *rehearsal.Report, o Options) (*facts, error) {
	f := &facts{server: server, site: server.Site, inv: inv, rehearsal: r, private: o.Private, others: o.Others, refused: misfits(server.Site, inv)}
	if o.Private == nil {
		f.private = func(string) bool { return false }
	}
	for n, p := range inv.Pages {
		src, err := f.site.Read(p.File.Path)
		if err != nil {
			continue
		}
		h := pageHead{file: p.File, page: n}
		h.head, h.err = pagehead.Read(p.File.Path, src)
		if p.File.Path == inv.StartFile.Path {
			h.src = src
			f.start = h
		}
		if inv.Fragments[p.File.Path] == "" {
			f.heads = append(f.heads, h)
		}
	}
	if f.start.head == nil {
		return f, nil
	}
	if err := f.linksManifest(o.Linked); err != nil || f.manifest == nil {
		return f, err
	}
	for _, img := range f.manifest.Processed.Icons {
		i := &iconFact{image: img}
		f.draw(i, img.Src)
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

// origin is that of the site; a folder has one that stands for any.
func (f *facts) origin() string {
	if o := f.site.Origin; o != "" {
		return o
	}
	return weburl.Origin
}

func (f *facts) resolve(h pageHead, ref string) string {
	u, _ := survey.ResolveOn(f.site.Origin, survey.BaseOf(f.site.Origin, h.file.URL, h.head.Base), ref)
	return u
}

// at makes a finding at a member of the manifest.
func (f *facts) at(member, message, mend string) Finding {
	line, column := f.manifest.Place(member)
	for outer := member; line == 0; line, column = f.manifest.Place(outer) { // of some parts the whole has a place
		end := strings.LastIndexAny(outer, ".[")
		if end < 0 {
			line, column = 1, 1
			break
		}
		outer = outer[:end]
	}
	return Finding{File: f.file.Path, Line: line, Column: column, Message: message, Mend: mend}
}

var chromium = []string{"chromium-desktop", "chromium-android", "samsung-android"}
