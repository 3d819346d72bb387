package present

import (
	"fmt"
	"regexp"
	"strings"
	"unicode/utf8"
)

// coloured is a change of colour, which styles make.
var coloured = regexp.MustCompile(`^\x1b\[[0-9;]*m`)

// Visible shows as marks what a terminal would obey; see visible.
func Visible(text string) string { return visible(text, false) }

// visible shows what a terminal would obey, or what turns the direction of writing, as marks: titles, addresses, names of files and errors of
// workers come from sites. Changes of colour are left when there are any.
func visible(text string, colours bool) string {
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
