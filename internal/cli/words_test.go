package cli

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestWhatMayHaveBeenMeant says what is wrong in the words that everything else is said in, and what may have been meant.
func TestWhatMayHaveBeenMeant(t *testing.T) {
	for _, c := range []struct {
		args []string
		want string
	}{
		{[]string{"auditt", "dist"}, `tachyform: there is no command "auditt"; do you mean audit? (tachyform --help lists all)`},
		{[]string{"zzzzzzzz"}, `tachyform: there is no command "zzzzzzzz" (tachyform --help lists all)`},
		{[]string{"audit", "--fial-on", "never"}, "tachyform: audit has no option --fial-on; do you mean --fail-on?"},
		{[]string{"audit", "--fail=never"}, "tachyform: audit has no option --fail; do you mean --fail-on?"},
		{[]string{"audit", "--fail-on"}, "tachyform: --fail-on wants a value"},
		{[]string{"draft"}, `tachyform: it is written as "tachyform draft SITE", and 0 names were given`},
		{[]string{"compare", "a"}, `tachyform: it is written as "tachyform compare OLD NEW...", and 1 name was given`},
		{[]string{"fit", "dist", "--output", "fitted"}, "tachyform: --output fitted is a file for the summary, and SITE itself would be changed: --out fitted fits a copy there; a summary wants a name with an extension, such as fitted.txt"},
	} {
		code, _, errs := program(t, c.args...)
		assert.Equal(t, ExitUsage, code, c.args)
		assert.Equal(t, c.want+"\n", errs)
	}
}

// TestCompletions gives shells what options and names can be.
func TestCompletions(t *testing.T) {
	for _, c := range []struct {
		args []string
		want []string
	}{
		{[]string{"audit", "--fail-on", ""}, []string{"blocker", "never"}},
		{[]string{"audit", "--only", ""}, []string{"manifest", "icons/unusable"}},
		{[]string{"audit", "--format", ""}, []string{"sarif", "html"}},
		{[]string{"compare", "--format", ""}, []string{"markdown"}},
		{[]string{"survey", "--format", ""}, []string{"text", "json"}},
		{[]string{"explain", ""}, []string{"icons/unusable", "release/mixed"}},
		{[]string{"schema", ""}, []string{"comparison"}},
		{[]string{"headers", "--for", ""}, []string{"nginx", "caddy"}},
		{[]string{"rehearse", "--network", ""}, []string{"portal"}},
		{[]string{"rehearse", "--stage", ""}, []string{"auto"}},
	} {
		code, out, _ := program(t, append([]string{"__complete"}, c.args...)...)
		assert.Zero(t, code)
		for _, w := range c.want {
			assert.Contains(t, out, w+"\n", c.args)
		}
	}
}
