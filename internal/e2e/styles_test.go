package e2e

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestStylesInChromium has both stages ask for the same pictures and fonts of style sheets, by rules that win and lose, of what is shown and what is not.
// None of the files is there, so that what is asked for is what is missing.
func TestStylesInChromium(t *testing.T) {
	needsAll(t)
	for _, name := range []string{"page1", "page2", "page3"} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			for from, to := range map[string]string{".html": "dist/index.html", ".css": "dist/" + name + ".css"} {
				data, err := os.ReadFile(filepath.Join("../styled/testdata", name+from))
				require.NoError(t, err)
				write(t, dir, map[string]string{to: string(data)})
			}
			r := rehearsed(t, dir, "dist", "--stage", "both", "--network", "online", "--story", "none")
			require.NotNil(t, r.Chromium)
			here, there := addresses(r.Pages[0].Missing), addresses(r.Chromium.Pages[0].Missing)
			assert.Greater(t, len(there), 12)
			assert.ElementsMatch(t, there, here)
		})
	}
}
