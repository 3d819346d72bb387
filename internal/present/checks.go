package present

import (
	"fmt"
	"strings"

	"tachyform.dev/tachyform/internal/finding"
)

// CheckList is checks as data; its JSON form is tachyform.checks/1.
type CheckList struct {
	Format string      `json:"format"`
	Checks []CheckInfo `json:"checks"`
}

// CheckInfo is one check.
type CheckInfo struct {
	ID      string   `json:"id"`
	Level   string   `json:"level"`
	Area    string   `json:"area"`
	Title   string   `json:"title"`
	Why     string   `json:"why"`
	Mend    string   `json:"mend"`
	Spec    string   `json:"spec"`
	Example string   `json:"example"`
	Matters []string `json:"matters"` // platforms whose visitors notice, empty for all
	Blocks  []string `json:"blocks"`  // platforms on which a site that fails cannot be installed
}

// ChecksOf turns checks into what is shown of them.
func ChecksOf(checks []finding.Check) *CheckList {
	l := &CheckList{Format: "tachyform.checks/1", Checks: []CheckInfo{}}
	for _, c := range checks {
		l.Checks = append(l.Checks, CheckInfo{c.ID, string(c.Level), c.Area(), c.Title, c.Why, c.Mend, c.Spec, c.Example, append([]string{}, c.Matters...), append([]string{}, c.Blocks...)})
	}
	return l
}

// Checks writes the checks, each in full or a line each.
func (s *Style) Checks(l *CheckList, full bool) error {
	for _, c := range l.Checks {
		level := s.accent
		switch finding.Level(c.Level) {
		case finding.Blocker:
			level = s.bad
		case finding.Warning:
			level = s.warn
		}
		if !full {
			s.sayf("  %s %s %s\n", level.Render(pad(c.Level, 8)), pad(c.ID, 34), s.faint.Render(c.Title))
			continue
		}
		s.sayf("%s  %s\n\n", s.title.Render(c.ID), level.Render(c.Level))
		s.row("passes when", s.wrap(lowerFirst(c.Title), 96, 18))
		s.row("why", s.wrap(c.Why, 96, 18))
		if c.Example != "" {
			s.row("finds such as", s.wrap(c.Example, 96, 18))
		}
		if len(c.Matters) > 0 {
			s.row("matters on", strings.Join(c.Matters, ", "))
		}
		if c.Mend != "" {
			s.row("mend", s.wrap(c.Mend, 96, 18))
		}
		if len(c.Blocks) > 0 {
			s.row("decides on", strings.Join(c.Blocks, ", "))
		}
		if c.Spec != "" {
			s.row("follows", s.faint.Render(c.Spec))
		}
	}
	return s.err
}

func lowerFirst(t string) string {
	if t == "" {
		return t
	}
	return strings.ToLower(t[:1]) + t[1:]
}

// ChecksMarkdown writes the reference of all checks.
func ChecksMarkdown(l *CheckList) string {
	var b strings.Builder
	b.WriteString("# Checks\n\nOf `audit`, and at the end of `compare` (area release). Made from the checks themselves by `go test ./internal/present -update`. `tachyform explain CHECK` says the same.\n")
	area := ""
	for _, c := range l.Checks {
		if c.Area != area {
			area = c.Area
			fmt.Fprintf(&b, "\n## %s\n", area)
		}
		fmt.Fprintf(&b, "\n### %s\n\n%s. %s Level: %s.", c.ID, c.Title, c.Why, c.Level)
		if len(c.Blocks) > 0 {
			fmt.Fprintf(&b, " Decides about installing on: %s.", strings.Join(c.Blocks, ", "))
		}
		fmt.Fprintf(&b, "\n\nFinds such as: %s", code(c.Example))
		if c.Mend != "" {
			fmt.Fprintf(&b, "\n\nMend: %s.", c.Mend)
		}
		if c.Spec != "" {
			fmt.Fprintf(&b, "\n\nFollows: %s.", c.Spec)
		}
		b.WriteString("\n")
	}
	return b.String()
}

// code writes an example as code.
func code(text string) string {
	if strings.Contains(text, "`") {
		return "`` " + text + " ``"
	}
	return "`" + text + "`"
}
