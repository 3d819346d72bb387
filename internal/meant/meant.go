// Package meant finds the word that a misspelt one may stand for.
package meant

import (
	"strings"

	"github.com/agnivade/levenshtein"
)

// By gives the word among some that a misspelt one is nearest to, the first of those that are equally near, or the first that begins with it; ""
// when none is near enough: two letters, or a third of a longer word. Capitals do not count.
func By(word string, words []string) string {
	word = strings.ToLower(word)
	best, distance := "", max(2, len(word)/3)+1
	for _, w := range words {
		if len(word) > 2 && strings.HasPrefix(w, word) {
			return w
		}
		if d := levenshtein.ComputeDistance(word, w); d < distance {
			best, distance = w, d
		}
	}
	return best
}
