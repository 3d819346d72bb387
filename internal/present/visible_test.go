package present

import (
	"bytes"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/rehearsal"
)

func TestVisible(t *testing.T) {
	for _, c := range []struct {
		text    string
		colours bool
		want    string
	}{
		{"Staffin\tto Orran\n", false, "Staffin\tto Orran\n"},
		{"a\x1b]0;owned\x07b", false, "a␛]0;owned␇b"},
		{"a\x1b[31mred\x1b[0m", true, "a\x1b[31mred\x1b[0m"},
		{"a\x1b[31mred", false, "a␛[31mred"},
		{"a\x1b[2Jb\x1b[1;1H", true, "a␛[2Jb␛[1;1H"},
		{"a\u202eb\u2066c\u200f", true, "a‹U+202E›b‹U+2066›c‹U+200F›"},
		{"a\u009b31mb\x7f\x00", true, "a‹U+009B›31mb␡␀"},
		{"a\xffb", true, "a‹FF›b"},
		{"a: b\n  ::error file=x::y\n::set-output name=a::b\n##[error]z\n## A heading\n", false, "a: b\n  ›::error file=x::y\n›::set-output name=a::b\n›##[error]z\n## A heading\n"},
		{"https://[::1]/ a::b", false, "https://[::1]/ a::b"},
		{"島 é 👨‍👩‍👧", false, "島 é 👨‍👩‍👧"},
	} {
		assert.Equal(t, c.want, visible(c.text, c.colours))
	}
	var w bytes.Buffer
	out := Marks(&w)
	for _, part := range []string{"a\xe5", "\xb3", "\xb6\x1b[2J", "\xff", "b"} {
		n, err := out.Write([]byte(part))
		require.NoError(t, err)
		assert.Equal(t, len(part), n)
	}
	assert.Equal(t, "a島␛[2J‹FF›b", w.String())
	var b bytes.Buffer
	require.NoError(t, New(&b, false).Rehearsal(&rehearsal.Report{Site: "x", Pages: []rehearsal.PageResult{{URL: "/\x1b]0;owned\x07", Title: "a\u202etxt", Network: "offline", Outcome: rehearsal.Whole}}}))
	assert.NotContains(t, b.String(), "\x1b")
	assert.NotContains(t, b.String(), "\u202e")
	assert.Contains(t, b.String(), "␛]0;owned␇")
}
