package e2e

import (
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestUrgent has a release take over at once, and the one after it wait again. No visitor gets a mix.
func TestUrgent(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	toml := map[string]string{"quick.toml": "[icons]\neffort = \"quick\"\n"}
	write(t, dir, toml)
	for i, css := range []string{"a {}", "b {}", "c {}"} {
		name := string(rune('1' + i))
		write(t, filepath.Join(dir, name), map[string]string{"index.html": start, "app.css": css, "fares/index.html": start})
		args := []string{"fit", name, "--config", "quick.toml"}
		if i == 1 {
			args = append(args, "--urgent")
		}
		out := fine(t, dir, args...)
		assert.Equal(t, i == 1, strings.Contains(out, "urgent: everybody who is there"))
	}
	r := compared(t, dir, "1", "2", "3")
	for _, s := range r.Steps {
		for _, v := range s.Visits {
			if v.Takeover != "" {
				continue
			}
			want := map[bool]map[string]string{
				true:  {"one tab": "old new new new", "two tabs": "old new new new", "a tab left open for three days": "old new new"},
				false: {"one tab": "old old new new", "two tabs": "old old old new", "a tab left open for three days": "old old new"},
			}[s.To == 2]
			assert.Equal(t, want[string(v.Tabs)], shown(v.Visits), "%d to %d, %s", s.From, s.To, v.Tabs)
		}
	}
	for _, c := range r.Checks {
		assert.NotEqual(t, "failed", c.State, "%s %v", c.ID, c.Findings)
	}
	fine(t, dir, "fit", "2", "--config", "quick.toml")
	assert.Equal(t, "old old new new", shown(compared(t, dir, "1", "2").Steps[0].Visits[0].Visits), "fitted again without it, it waits")
}

// TestOpenPagesLook has a page that stays open find a release by itself, and say since when its visitor has one.
func TestOpenPagesLook(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	for _, name := range []string{"1", "2"} {
		write(t, filepath.Join(dir, name), map[string]string{"index.html": start[:len(start)-len("</body></html>")] + `<p data-app-release></p></body></html>`, "app.css": "a { order: " + name + " }"})
	}
	story := func(update, steps string) bool {
		write(t, dir, map[string]string{"tachyform.toml": "[icons]\neffort = \"quick\"\n[update]\nage = true\n" + update + "\n[[story]]\nname = \"open\"\nsteps = [\"open /\", \"open /\", " + steps + "]\n"})
		for _, name := range []string{"1", "2"} {
			fine(t, dir, "fit", name, "--config", "tachyform.toml")
		}
		_, _, code := run(t, dir, "rehearse", "1", "--next", "2", "--scripts", "run", "--story", "open", "--page", "/", "--config", "tachyform.toml")
		require.Contains(t, []int{0, 1}, code)
		return code == 0
	}
	assert.True(t, story("", `"serve next", "wait 5h", "take over", "open /", "expect release 2"`), "every four hours")
	assert.False(t, story("", `"serve next", "wait 3h", "take over"`))
	assert.True(t, story(`look_every = "10m"`, `"serve next", "wait 11m", "take over"`))
	assert.False(t, story(`look_every = "never"`, `"serve next", "wait 50h", "take over"`))
	assert.True(t, story("", `"expect element [data-app-release][data-days='0'][data-since]", "wait 73h", "open /", "open /", "expect element [data-app-release][data-days='3']"`))
	write(t, dir, map[string]string{"tachyform.toml": "[update]\nlook_every = \"5s\"\n"})
	_, errs, code := run(t, dir, "fit", "1", "--config", "tachyform.toml")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "tachyform.toml:2")
}
