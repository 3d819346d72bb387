package pagetruth

import (
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// TestAgreesWithChromium compares every recorded fact with what the embedded stage makes of the pages.
func TestAgreesWithChromium(t *testing.T) {
	all, err := Recorded()
	require.NoError(t, err)
	dir := t.TempDir()
	require.NoError(t, Write(dir))
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	st := rehearsal.NewEmbedded(site.NewServer(s, site.Rules{}), nil, stage.Limits{})
	defer st.Close()
	states, cases := States[:1], Cases()
	if os.Getenv("TACHYFORM_ALL") == "" { // every third is enough for every day
		for i := range (len(cases) + 2) / 3 {
			cases[i] = cases[i*3]
		}
		cases = cases[:(len(cases)+2)/3]
	}
	if os.Getenv("TACHYFORM_ALL") != "" { // scripts/test --all
		states = States
	}
	facts, other := 0, 0
	require.NoError(t, Observe(st, cases, states, func(name, state string, got []string) {
		want := all[name][state]
		require.NotEmpty(t, want, "record it: go run ./internal/rehearsal/pagetruth/record")
		facts += len(want)
		if Differs[name] != "" {
			other++
			return
		}
		assert.Equal(t, want, got, "%s, %s", name, state)
	}))
	t.Logf("%d facts of %d pages; %d of pages that are known to differ", facts, len(cases), other)
	assert.GreaterOrEqual(t, len(Cases()), 80)
}
