package truth

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

func served(t *testing.T, c Case, release string) *site.Server {
	t.Helper()
	dir := t.TempDir()
	require.NoError(t, c.Write(dir, release))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, site.Rules{})
}

// TestAgreesWithChromium compares every recorded fact with what the embedded stage does.
func TestAgreesWithChromium(t *testing.T) {
	all, err := Recorded()
	require.NoError(t, err)
	facts := 0
	for i, c := range Cases() {
		t.Run(c.Name, func(t *testing.T) {
			one, two := served(t, c, "one"), served(t, c, "two")
			require.Len(t, all[c.Name], len(Stories), "record it: go run ./internal/rehearsal/truth/record %q", c.Name)
			for j, story := range Stories {
				every := story == "offline" || story == "two releases" && i%2 == 0
				if !every && j%4 != i%4 && os.Getenv("TACHYFORM_ALL") == "" { // one or two of the others are enough for every day
					continue
				}
				st := rehearsal.NewEmbedded(one, nil, stage.Limits{})
				st.RunScripts(c.Runs())
				got, err := Observe(st, story, two)
				st.Close()
				require.NoError(t, err)
				assert.Equal(t, all[c.Name][story], got, story)
				facts += len(got)
			}
		})
	}
	t.Logf("%d facts of %d sites", facts, len(Cases()))
	assert.GreaterOrEqual(t, len(Cases()), 160)
}
