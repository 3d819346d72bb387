package fitting

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestShortNamesFitUnderAnIcon(t *testing.T) {
	for name, want := range map[string]string{
		"Skerry Line":                  "Skerry Line",
		"Skerry Line ferries":          "Skerry Line",
		"Illimitable Islands":          "Illimitable", // narrow letters: more of them fit
		"WWWWWWWWWWWWWWW":              "WWWWWW",
		"MMMMMMMMMMMM Line":            "MMMMMMM",
		"Fährverbindung":               "Fährverbindun",
		"島のフェリー時刻表案内":                  "島のフェリー",
		"A & B - Ferries of the north": "A & B",
		"":                             "",
	} {
		got := shorten(name)
		assert.LessOrEqual(t, ems(got), labelWidth, name)
		assert.Equal(t, want, got)
	}
	assert.Greater(t, ems("WWWW"), 2*ems("iiii"))
}
