package present

import (
	"flag"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/compare"
	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/glossary"
)

// allChecks are those of the audit and of comparisons.
func allChecks() []finding.Check { return append(audit.About(), compare.Checks()...) }

var update = flag.Bool("update", false, "write the reference of the checks anew")

func TestTheReferenceOfChecksIsCurrent(t *testing.T) {
	want := ChecksMarkdown(ChecksOf(allChecks()))
	const name = "../../docs/checks.md"
	if *update {
		require.NoError(t, os.WriteFile(name, []byte(want), 0o644))
	}
	got, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, want, string(got), "go test ./internal/present -update")
}

func TestTheReferenceOfWordsIsCurrent(t *testing.T) {
	want := WordsMarkdown(WordsOf(glossary.Words))
	const name = "../../docs/words.md"
	if *update {
		require.NoError(t, os.WriteFile(name, []byte(want), 0o644))
	}
	got, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, want, string(got), "go test ./internal/present -update")
	word, _ := glossary.Find("theme_color")
	out := text(t, func(s *Style) error { return s.Words(WordsOf([]glossary.Word{word})) })
	for _, part := range []string{"means", "together with", "when it changes", "looked at by", "Safari, iPhone and iPad since 15", "follows"} {
		assert.Contains(t, out, part)
	}
}

func TestEveryCheckExplainsItself(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range allChecks() {
		assert.False(t, seen[c.ID], c.ID)
		seen[c.ID] = true
		assert.NotEmpty(t, c.Title, c.ID)
		assert.NotEmpty(t, c.Why, c.ID)
		assert.NotEmpty(t, c.Mend, c.ID)
		assert.NotEmpty(t, c.Spec, c.ID)
		assert.Regexp(t, `^`+c.Area()+`/[a-z-]+$`, c.ID)
	}
	out := text(t, func(s *Style) error { return s.Checks(ChecksOf(allChecks()[:1]), true) })
	for _, part := range []string{allChecks()[0].ID, "why", "mend", "follows"} {
		assert.Contains(t, out, part)
	}
}
