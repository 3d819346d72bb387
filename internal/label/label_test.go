package label

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
		got := Shorten(name)
		assert.LessOrEqual(t, Ems(got), UnderIcon, name)
		assert.Equal(t, want, got)
	}
	assert.Greater(t, Ems("WWWW"), 2*Ems("iiii"))
}

func TestSeen(t *testing.T) {
	for name, want := range map[string]string{"Skerry Line": "Skerry Line", "Skerry Line ferries": "Skerry Line…", "Hebridean ferries": "Hebridean f…", "島のフェリー時刻表案内": "島のフェリ…", "": ""} {
		got := Seen(name, UnderIcon)
		assert.Equal(t, want, got)
		assert.LessOrEqual(t, Ems(got), UnderIcon)
	}
}
