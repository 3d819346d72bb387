// Package present writes what the core found: as text for a terminal, and as JSON for machines.
package present

import (
	"encoding/json"
	"fmt"
	"io"
	"strings"

	"github.com/charmbracelet/lipgloss"
	"github.com/dustin/go-humanize"
	"github.com/muesli/termenv"
)

// Style writes text with or without colours.
type Style struct {
	w                                     io.Writer
	title, good, warn, bad, faint, accent lipgloss.Style
	code                                  lipgloss.Style // of what is read by machines: white on black
	err                                   error
	colours                               bool // they may be used
	raw                                   bool // the terminal does not begin a line by itself
	width                                 int  // how wide lines may be, in columns; 0 for any width

	Within bool // of a longer output, which ends with what is next by itself

	Also string // options that every command which is suggested needs, such as " --place staging"
}

// New makes a style for a writer. Colours are used on terminals only, and never when color is false.
func New(w io.Writer, color bool) *Style {
	r := lipgloss.NewRenderer(w)
	if !color {
		r.SetColorProfile(termenv.Ascii)
	}
	c := func(index string) lipgloss.Style { return r.NewStyle().Foreground(lipgloss.Color(index)) }
	// The basic colours, which people set up in their terminals so that they can be read there.
	return &Style{w: w, width: widthOf(w), colours: color, title: r.NewStyle().Bold(true), good: c("2"), warn: c("3"), bad: c("1").Bold(true), faint: c("8"), accent: c("6"), code: r.NewStyle().Foreground(lipgloss.Color("15")).Background(lipgloss.Color("0"))}
}

func (s *Style) printf(format string, args ...any) {
	if s.err != nil {
		return
	}
	s.put(visible(fmt.Sprintf(format, args...), s.colours))
}

// sayf writes text for people, in lines that fit. What is copied elsewhere, such as code and configuration, is written by printf.
func (s *Style) sayf(format string, args ...any) {
	if s.err == nil {
		s.put(folded(visible(fmt.Sprintf(format, args...), s.colours), s.width))
	}
}

func (s *Style) put(text string) {
	if s.raw {
		text = strings.ReplaceAll(text, "\n", "\r\n")
	}
	_, s.err = io.WriteString(s.w, text)
}

// lines puts a style on each line by itself, so that no line is filled up with spaces.
func lines(style lipgloss.Style, text string) string {
	parts := strings.Split(text, "\n")
	for i, p := range parts {
		trimmed := strings.TrimLeft(p, " ")
		parts[i] = p[:len(p)-len(trimmed)] + style.Render(trimmed)
	}
	return strings.Join(parts, "\n")
}

// pad fills a text up to a width, before colours are put on.
func pad(text string, width int) string {
	if n := lipgloss.Width(text); n < width {
		return text + strings.Repeat(" ", width-n)
	}
	return text
}

// clip shortens a text to a width.
func clip(text string, width int) string {
	r := []rune(text)
	if len(r) <= width {
		return text
	}
	return string(r[:width-1]) + "…"
}

// wrap breaks text as [wrap] does, into lines that end where those of the style do.
func (s *Style) wrap(text string, width, indent int) string {
	if s.width > 0 {
		width = max(min(width, s.width-indent), 20)
	}
	return wrap(text, width, indent)
}

// wrap breaks text into lines of at most width, with an indentation for all but the first.
func wrap(text string, width, indent int) string {
	var lines []string
	line := ""
	for _, w := range strings.FieldsFunc(text, func(r rune) bool { return r == ' ' || r == '\n' || r == '\t' }) { // not at no-break spaces
		if line != "" && lipgloss.Width(line)+1+lipgloss.Width(w) > width {
			lines = append(lines, line)
			line = ""
		}
		if line != "" {
			line += " "
		}
		line += w
	}
	return strings.Join(append(lines, line), "\n"+strings.Repeat(" ", indent))
}

// Bytes writes a number of bytes for people.
func Bytes(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }

// count writes a number with its noun.
func count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	if stem, ok := strings.CutSuffix(one, "y"); ok {
		return humanize.Comma(int64(n)) + " " + stem + "ies"
	}
	if strings.HasSuffix(one, "s") || strings.HasSuffix(one, "sh") || strings.HasSuffix(one, "ch") {
		one += "e"
	}
	return humanize.Comma(int64(n)) + " " + one + "s"
}

// JSON writes a value as one indented object.
func JSON(w io.Writer, v any) error {
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

// Next says what to do next: pairs of a command and its purpose.
func (s *Style) Next(pairs ...string) error {
	s.printf("\n  %s\n", s.title.Render("Next"))
	wide := 30
	for i := 0; i+1 < len(pairs); i += 2 {
		word, ours := strings.CutPrefix(pairs[i], "tachyform ")
		if ours && !strings.Contains(word, "--config") && !strings.Contains(word, "YOUR-SITE") && !strings.HasPrefix(word, "explain") && !strings.HasPrefix(word, "schema") {
			pairs[i] += s.Also
		}
		if n := lipgloss.Width(pairs[i]); n <= 70 {
			wide = max(wide, n)
		}
	}
	for i := 0; i+1 < len(pairs); i += 2 {
		s.sayf("  %s  %s\n", s.accent.Render(pad(pairs[i], wide)), s.faint.Render(pairs[i+1]))
	}
	return s.err
}

// Heading writes a line in bold.
func (s *Style) Heading(text string) error {
	s.printf("%s\n\n", s.title.Render(text))
	return s.err
}

// Rule writes a line between parts.
func (s *Style) Rule() { s.printf("\n%s\n\n", s.faint.Render(strings.Repeat("─", 72))) }
