package present

import (
	"encoding/xml"
	"fmt"
	"io"
	"path"
	"path/filepath"
	"strings"

	"github.com/owenrumney/go-sarif/v2/sarif"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/finding"
)

// AuditAs writes an audit in one of its formats: text, markdown, junit, sarif or html. The last has pictures, nil for none.
func (s *Style) AuditAs(format string, r *audit.Report, shots *Shots) error {
	switch format {
	case "markdown":
		s.printf("%s", auditMarkdown(r))
		return s.err
	case "junit":
		return auditJUnit(s.w, r)
	case "sarif":
		return auditSARIF(s.w, r)
	case "html":
		return auditPage(Marks(s.w), r, shots)
	}
	return s.Audit(r)
}

// cell makes text fit for a cell of a Markdown table, or for a line.
var cell = strings.NewReplacer("|", "\\|", "\n", " ", "<", "&lt;", ">", "&gt;", "`", "'")

func auditMarkdown(r *audit.Report) string {
	var b strings.Builder
	fmt.Fprintf(&b, "## Audit of %s\n\n| platform | | |\n|---|---|---|\n", cell.Replace(r.Site))
	for _, p := range r.Platforms {
		switch {
		case p.Installable:
			fmt.Fprintf(&b, "| %s | installs | %s |\n", p.Name, p.How)
		case len(p.NotKnown) > 0:
			fmt.Fprintf(&b, "| %s | not known | %s |\n", p.Name, strings.Join(p.NotKnown, ", "))
		default:
			fmt.Fprintf(&b, "| %s | **does not install** | %s |\n", p.Name, orElse(strings.Join(p.Blockers, ", "), p.How))
		}
	}
	if d := r.Deployed; d != nil {
		fmt.Fprintf(&b, "\n%s.\n", cell.Replace(upperFirst(d.Verdict)))
	}
	if c := r.Baseline; c != nil {
		fmt.Fprintf(&b, "\nSince the baseline: %s.\n", sinceBaseline(c, "`"))
	}
	markdownChecks(&b, r.Checks)
	return b.String()
}

// markdownChecks writes what checks found.
func markdownChecks(b *strings.Builder, checks []finding.Result) {
	for _, level := range levels {
		begun := false
		for _, c := range checks {
			if c.State != "failed" || c.Level != level {
				continue
			}
			if !begun {
				fmt.Fprintf(b, "\n### %s\n", level)
				begun = true
			}
			fmt.Fprintf(b, "\n**%s** %s\n\n", c.ID, cell.Replace(c.Why))
			for i, g := range together(c.Findings) {
				if i == 10 {
					b.WriteString("- and more\n")
					break
				}
				fmt.Fprintf(b, "- `%s` %s. Mend: %s\n", cell.Replace(brief(g.where)), cell.Replace(g.Message), cell.Replace(g.Mend))
			}
		}
	}
}

func orElse(s, other string) string {
	if s == "" {
		return other
	}
	return s
}

type junitSuites struct {
	XMLName  xml.Name     `xml:"testsuites"`
	Tests    int          `xml:"tests,attr"`
	Failures int          `xml:"failures,attr"`
	Suites   []junitSuite `xml:"testsuite"`
}

type junitSuite struct {
	Name     string `xml:"name,attr"`
	Tests    int    `xml:"tests,attr"`
	Failures int    `xml:"failures,attr"`
	Skipped  int    `xml:"skipped,attr"`

	Properties *junitProperties `xml:"properties,omitempty"`
	Cases      []junitCase      `xml:"testcase"`
}

type junitProperties struct {
	List []junitProperty `xml:"property"`
}

type junitProperty struct {
	Name  string `xml:"name,attr"`
	Value string `xml:"value,attr"`
}

type junitCase struct {
	Name    string     `xml:"name,attr"`
	Class   string     `xml:"classname,attr"`
	Failure *junitText `xml:"failure,omitempty"`
	Skipped *junitText `xml:"skipped,omitempty"`
	Out     string     `xml:"system-out,omitempty"`
}

type junitText struct {
	Message string `xml:"message,attr,omitempty"`
	Type    string `xml:"type,attr,omitempty"`
	Text    string `xml:",chardata"`
}

// auditJUnit writes a suite for each area and a case for each check.
func auditJUnit(w io.Writer, r *audit.Report) error {
	all := junitSuites{}
	for _, c := range r.Checks {
		area, _, _ := strings.Cut(c.ID, "/")
		if n := len(all.Suites); n == 0 || all.Suites[n-1].Name != area {
			all.Suites = append(all.Suites, junitSuite{Name: area})
		}
		suite := &all.Suites[len(all.Suites)-1]
		suite.Tests++
		all.Tests++
		k := junitCase{Name: c.ID, Class: "tachyform." + area}
		switch c.State {
		case "failed":
			var text strings.Builder
			for _, f := range c.Findings {
				state := ""
				if b := r.Baseline; b != nil && b.IsNew(c.ID, f) {
					state = "new: "
				}
				fmt.Fprintf(&text, "%s%s %s (mend: %s)\n", state, place(f), f.Message, f.Mend)
			}
			if !r.Fails(c) { // it is told, and stops nobody
				k.Out = string(c.Level) + ": " + c.Why + "\n" + text.String()
				break
			}
			k.Failure = &junitText{Message: c.Why, Type: string(c.Level), Text: text.String()}
			suite.Failures++
			all.Failures++
		case "not-applicable":
			k.Skipped = &junitText{Message: orElse(c.Skipped, "does not apply")}
			suite.Skipped++
		}
		suite.Cases = append(suite.Cases, k)
	}
	if b := r.Baseline; b != nil {
		for i := range all.Suites[:min(1, len(all.Suites))] {
			all.Suites[i].Properties = &junitProperties{[]junitProperty{{"since the baseline", sinceBaseline(b, "")}}}
		}
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(all); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}

// place writes where a finding is.
func place(f audit.Finding) string {
	p := f.File
	if f.Line > 0 {
		p += fmt.Sprintf(":%d:%d", f.Line, f.Column)
	}
	return orElse(p, f.URL)
}

// auditSARIF writes SARIF 2.1.0. Findings without a file are about the site's start.
func auditSARIF(w io.Writer, r *audit.Report) error {
	log, err := sarif.New(sarif.Version210)
	if err != nil {
		return err
	}
	run := sarif.NewRun(*sarif.NewSimpleTool("tachyform"))
	helps := map[string]string{}
	for _, c := range audit.Checks() {
		helps[c.ID] = c.Mend + " tachyform explain " + c.ID + " says more."
	}
	for _, c := range r.Checks {
		rule := run.AddRule(c.ID).WithDescription(c.Title).WithFullDescription(sarif.NewMultiformatMessageString(c.Why)).WithTextHelp(helps[c.ID])
		rule.WithDefaultConfiguration(sarif.NewReportingConfiguration().WithLevel(sarifLevels[c.Level]))
		if c.State != "failed" {
			continue
		}
		for _, f := range c.Findings {
			result := sarifResult(run, r.Site, c, f)
			if b := r.Baseline; b != nil {
				result.WithBaselineState(map[bool]string{true: "new", false: "unchanged"}[b.IsNew(c.ID, f)])
			}
		}
	}
	if r.Baseline != nil {
		for _, c := range r.Baseline.Lost() {
			for _, f := range c.Findings {
				sarifResult(run, r.Site, c, f).WithBaselineState("absent")
			}
		}
	}
	log.AddRun(run)
	return log.PrettyWrite(w)
}

var sarifLevels = map[audit.Level]string{audit.Blocker: "error", audit.Warning: "warning", audit.Advice: "note"}

// inRepository gives the path of a site's file from the current folder, which in CI is that of the repository. Of a site that lies elsewhere, or is live, paths
// are the site's own.
func inRepository(site, file string) string {
	if strings.Contains(site, "://") || !filepath.IsLocal(site) {
		return file
	}
	return path.Join(filepath.ToSlash(site), file)
}

// sarifResult adds a finding to a run.
func sarifResult(run *sarif.Run, site string, c audit.Result, f audit.Finding) *sarif.Result {
	message := f.Message + ". Mend: " + f.Mend
	if f.File == "" {
		message = f.URL + ": " + message
	}
	at := sarif.NewPhysicalLocation().WithArtifactLocation(sarif.NewSimpleArtifactLocation(uriOf(inRepository(site, orElse(f.File, "index.html")))))
	if f.Line > 0 {
		at.WithRegion(sarif.NewRegion().WithStartLine(f.Line).WithStartColumn(max(f.Column, 1)))
	}
	result := run.CreateResultForRule(c.ID).WithLevel(sarifLevels[c.Level]).WithMessage(sarif.NewTextMessage(message))
	result.AddLocation(sarif.NewLocationWithPhysicalLocation(at))
	return result
}

// sinceBaseline says what has changed since a baseline, checks by their names between marks.
func sinceBaseline(c *audit.Comparison, mark string) string {
	var parts []string
	for _, x := range []struct {
		what string
		ids  []string
	}{{"new", c.New}, {"gone", c.Gone}} {
		text := fmt.Sprintf("%d %s", len(x.ids), x.what)
		for i, id := range x.ids {
			text += map[bool]string{true: ": ", false: ", "}[i == 0] + mark + id + mark
		}
		parts = append(parts, text)
	}
	return strings.Join(append(parts, fmt.Sprintf("%d as before", len(c.Unchanged))), "; ")
}
