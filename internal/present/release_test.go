package present

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/rehearsal"
)

// TestWhatIsSaidOfReleases has visitors see releases early, late, mixed, never, and what cannot be told.
func TestWhatIsSaidOfReleases(t *testing.T) {
	for shows, want := range map[string]string{
		"":                  "",
		"new new new new":   "the next one is seen at the first visit\n",
		"old new new new":   "the next one is seen at the second visit\n",
		"old old new new":   "the next one is seen when all tabs were closed and the site is opened anew\n",
		"old old old new":   "the next one is seen at the second visit after all tabs were closed\n",
		"old old old old":   "the next one is never seen\n",
		"mix new new new":   "the next one is seen at the second visit; parts of the old one are shown beside parts of the new\n",
		"unknown old old o": "what visitors see of the next one cannot be told",
		"lost lost old old": "what visitors see of the next one cannot be told",
	} {
		r := &audit.Report{Site: "dist", Rehearsal: &rehearsal.Report{}}
		if shows != "" {
			c := rehearsal.Comeback{Changes: rehearsal.WorkerChange}
			for _, s := range strings.Fields(shows) {
				c.Visits = append(c.Visits, rehearsal.ComebackVisit{Visit: "a visit", Shows: s})
			}
			r.Rehearsal.Comebacks = []rehearsal.Comeback{c}
		}
		var b strings.Builder
		require.NoError(t, New(&b, false).Audit(r))
		if want == "" {
			assert.NotContains(t, b.String(), "release")
			continue
		}
		assert.Contains(t, b.String(), "  release   "+want, shows)
	}
}

// TestListed joins what is to be said of several pages, and leaves alone what has a line of its own to show.
func TestListed(t *testing.T) {
	many := []audit.Finding{{File: "a.html", Line: 2, Column: 3, Message: "m", Source: "<a>"}, {File: "b.html", Line: 4, Column: 1, Message: "m", Source: "<b>"}}
	for range maxPlaces + 5 {
		many = append(many, audit.Finding{URL: "/x", Message: "same", Mend: "mend"})
	}
	got := listed(many)
	require.Len(t, got, 3)
	assert.Equal(t, []string{"a.html:2:3"}, got[0].Places)
	assert.Equal(t, "<b>", got[1].Source)
	assert.Len(t, got[2].Places, maxPlaces)
	assert.Equal(t, 5, got[2].More)
	assert.Empty(t, listed(nil))
}
