package stage

import (
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestSheetsForSomeMedia asks for every sheet that is linked, and for the pictures and fonts of those that apply, with and without scripts
// (e2e.TestStylesInChromium compares the page).
func TestSheetsForSomeMedia(t *testing.T) {
	page, err := os.ReadFile("../styled/testdata/page3.html")
	require.NoError(t, err)
	sheet, err := os.ReadFile("../styled/testdata/page3.css")
	require.NoError(t, err)
	for name, script := range map[string]string{"no script": "", "a script": "<script>document.title += '!'</script></body>"} {
		text := string(page)
		if script != "" {
			text = strings.Replace(text, "</body>", script, 1)
		}
		for _, run := range []bool{true, false} {
			b := New(serve(t, map[string]string{"index.html": text, "page3.css": string(sheet)}, site.Rules{}), nil, Limits{})
			t.Cleanup(b.Close)
			b.RunScripts(run)
			l, err := b.NewTab().Open("/")
			require.NoError(t, err)
			var got []string
			for _, m := range l.Missing {
				if !strings.HasPrefix(m.URL, "/gone-") || len(m.URL) != len("/gone-1.png") {
					got = append(got, m.URL)
				}
			}
			want := []string{"/gone-at-screen.png", "/gone-li.png", "/gone-night.css", "/gone-print.css", "/gone-screen.png", "/gone-shown.woff2", "/gone-wide.css"}
			if script != "" && !run { // what the page shows is not known: everything that may be taken
				assert.Subset(t, got, want, name)
				continue
			}
			assert.Equal(t, want, got, "%s, run: %v", name, run)
		}
	}
}
