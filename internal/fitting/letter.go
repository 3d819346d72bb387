package fitting

import (
	"fmt"
	"strings"
	"unicode"
)

// strokes are capital letters as lines on a grid of 4 by 6, for the mark of a site that has no picture of its own.
var strokes = map[rune]string{
	'A': "M0 6 2 0 4 6M.8 3.8H3.2", 'B': "M0 0V6H2.4A1.6 1.6 0 0 0 2.4 2.9H0M0 0H2.2A1.45 1.45 0 0 1 2.2 2.9",
	'C': "M4 1.2A2.2 2.6 0 1 0 4 4.8", 'D': "M0 0V6H1.6A2.4 3 0 0 0 1.6 0Z", 'E': "M4 0H0V6H4M0 3H3", 'F': "M4 0H0V6M0 3H3",
	'G': "M4 1.2A2.2 2.6 0 1 0 4 4.6V3.2H2.4", 'H': "M0 0V6M4 0V6M0 3H4", 'I': "M2 0V6", 'J': "M3.4 0V4.2A1.7 1.7 0 0 1 .2 4.6",
	'K': "M0 0V6M4 0 0 3.4M1.4 2.3 4 6", 'L': "M0 0V6H4", 'M': "M0 6V0L2 3.6 4 0V6", 'N': "M0 6V0L4 6V0", 'O': "M2 0A2 3 0 1 0 2 6 2 3 0 1 0 2 0Z",
	'P': "M0 6V0H2.3A1.6 1.6 0 0 1 2.3 3.3H0", 'Q': "M2 0A2 3 0 1 0 2 6 2 3 0 1 0 2 0ZM2.6 4.4 4.2 6.4", 'R': "M0 6V0H2.3A1.6 1.6 0 0 1 2.3 3.3H0M2 3.3 4 6",
	'S': "M3.8 1A1.9 1.5 0 0 0 2 0 1.8 1.5 0 0 0 2 3 1.9 1.5 0 0 1 2 6 2 1.6 0 0 1 .2 5", 'T': "M0 0H4M2 0V6", 'U': "M0 0V4A2 2 0 0 0 4 4V0",
	'V': "M0 0 2 6 4 0", 'W': "M0 0 1 6 2 1.6 3 6 4 0", 'X': "M0 0 4 6M4 0 0 6", 'Y': "M0 0 2 3 4 0M2 3V6", 'Z': "M0 0H4L0 6H4",
}

// letterMark draws a plain mark with the first letter of a name, or a ring when it has none of ours.
func letterMark(name, background string) []byte {
	path := "M2 1A2 2 0 1 0 2 5 2 2 0 1 0 2 1Z"
	for _, r := range strings.ToUpper(name) {
		if p, ok := strokes[r]; ok {
			path = p
			break
		}
		if unicode.IsLetter(r) {
			break
		}
	}
	return fmt.Appendf(nil, `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16"><rect width="16" height="16" rx="3.2" fill="%s"/>`+
		`<path d="%s" transform="translate(5.4 4.1) scale(1.3)" fill="none" stroke="%s" stroke-width="0.95" stroke-linecap="round" stroke-linejoin="round"/></svg>`,
		background, path, ink(background))
}

// ink is black or white, whichever is easier to see on a colour like #rrggbb.
func ink(background string) string {
	var r, g, b int
	if _, err := fmt.Sscanf(background, "#%02x%02x%02x", &r, &g, &b); err == nil && r*299+g*587+b*114 > 150_000 {
		return "#10202c"
	}
	return "#ffffff"
}
