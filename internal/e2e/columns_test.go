package e2e

import (
	"os"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
)

// TestEightyColumns reads what commands say in a terminal of 80 columns. Code, configuration and words that cannot be broken are as wide as they are.
func TestEightyColumns(t *testing.T) {
	t.Setenv("COLUMNS", "80")
	dir := t.TempDir()
	fittedDemo(t, dir)
	lines := []string{"survey demo-site", "rules demo-site", "rules demo-site /data/tides.json", "fit demo-site --dry-run", "audit demo-site --fail-on never", "manifest demo-site", "strip demo-site --dry-run",
		"retire demo-site --worker sw.js --dry-run", "explain theme_color", "explain install", "explain worker/none", "explain network-first", "explain", "schema", "licences",
		"--help", "fit --help", "audit --help", "rehearse --help", "serve --help", "icons --help", "record --help", "headers --help"}
	if os.Getenv("TACHYFORM_ALL") != "" {
		lines = append(lines, "rehearse demo-site", "rehearse demo-site --trace /tides/ --stores", "compare demo-site demo-site")
	}
	for _, line := range lines {
		out, _, _ := run(t, dir, strings.Fields(line)...)
		for i, l := range strings.Split(out, "\n") {
			longest := 0
			for _, w := range strings.Fields(l) {
				longest = max(longest, utf8.RuneCountInString(w))
			}
			assert.Truef(t, utf8.RuneCountInString(l) <= 80 || longest > 40, "%s, line %d of %d columns: %s", line, i+1, utf8.RuneCountInString(l), l)
		}
		assert.NotEmpty(t, out, line)
	}
	t.Setenv("COLUMNS", "")
	out, _, _ := run(t, dir, "rules", "demo-site")
	assert.Contains(t, out, "With a network", "a table where there is room")
}
