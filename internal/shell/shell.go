// Package shell writes words as a POSIX shell reads them, for commands that are suggested.
package shell

import (
	"regexp"
	"strings"
)

var simple = regexp.MustCompile(`^[A-Za-z0-9_./:@%+,=-]+$`)

// Quote gives a word that a shell reads as s, and a program not as an option.
func Quote(s string) string {
	if strings.HasPrefix(s, "-") {
		s = "./" + s
	}
	if simple.MatchString(s) {
		return s
	}
	return "'" + strings.ReplaceAll(s, "'", `'\''`) + "'"
}
