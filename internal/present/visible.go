package present

import (
	"fmt"
	"io"
	"regexp"
	"strings"
	"unicode/utf8"
)

// coloured is a change of colour, which styles make.
var coloured = regexp.MustCompile(`^\x1b\[[0-9;]*m`)

// obeyedByCI is how lines begin that services which run builds take out of a log as commands.
var obeyedByCI = regexp.MustCompile(`(?m)^(\s*)(::[a-z]|##\[|##vso|##teamcity)`)

// Marks gives a writer that shows as marks what a terminal would obey. A character that comes in two pieces is written with the second.
func Marks(w io.Writer) io.Writer { return &marks{w: w} }

type marks struct {
	w    io.Writer
	rest []byte // the first bytes of a character
}

func (m *marks) Write(p []byte) (int, error) {
	data := append(m.rest, p...)
	whole := len(data)
	for n := 1; n < utf8.UTFMax && n <= len(data); n++ {
		if at := len(data) - n; utf8.RuneStart(data[at]) {
			if !utf8.FullRune(data[at:]) {
				whole = at
			}
			break
		}
	}
	if _, err := io.WriteString(m.w, Visible(string(data[:whole]))); err != nil {
		return 0, err
	}
	m.rest = append([]byte(nil), data[whole:]...)
	return len(p), nil
}

// Visible shows as marks what a terminal would obey; see visible.
func Visible(text string) string { return visible(text, false) }

// visible shows what a terminal would obey, or what turns the direction of writing, as marks: titles, addresses, names of files and errors of
// workers come from sites. Changes of colour are left when there are any.
func visible(text string, colours bool) string {
	if strings.Contains(text, "::") || strings.Contains(text, "##") {
		text = obeyedByCI.ReplaceAllString(text, "${1}›${2}")
	}
	if !strings.ContainsFunc(text, obeyed) && utf8.ValidString(text) {
		return text
	}
	var b strings.Builder
	for i := 0; i < len(text); {
		if colours && text[i] == '\x1b' {
			if seq := coloured.FindString(text[i:]); seq != "" {
				b.WriteString(seq)
				i += len(seq)
				continue
			}
		}
		r, n := utf8.DecodeRuneInString(text[i:])
		switch {
		case r == utf8.RuneError && n == 1:
			fmt.Fprintf(&b, "‹%02X›", text[i])
		case !obeyed(r):
			b.WriteRune(r)
		case r < 0x20:
			b.WriteRune('\u2400' + r)
		case r == 0x7f:
			b.WriteRune('\u2421')
		default:
			fmt.Fprintf(&b, "‹U+%04X›", r)
		}
		i += n
	}
	return b.String()
}

// obeyed says whether a terminal does something at a character instead of showing it, or writes what follows the other way round.
func obeyed(r rune) bool {
	switch {
	case r == '\n' || r == '\t':
		return false
	case r < 0x20, r >= 0x7f && r < 0xa0:
		return true
	}
	return r == 0x061c || r == 0x200e || r == 0x200f || r >= 0x202a && r <= 0x202e || r >= 0x2066 && r <= 0x2069
}
