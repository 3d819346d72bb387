package fitting

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/site"
)

// TestRoomUnderTheCeiling proposes for a large site what can be there at the first visit, and what it proposes holds.
func TestRoomUnderTheCeiling(t *testing.T) {
	files := map[string]string{"index.html": "<!doctype html><title>Skerry</title><link rel=stylesheet href=base.css><img src=map/all.png>", "base.css": "b {}", "map/all.png": strings.Repeat("m", 900)}
	for i := range 12 {
		files[fmt.Sprintf("boats/%d.html", i)] = "<!doctype html><title>Boat</title><link rel=stylesheet href=/base.css><img src=/map/boat.png>" + strings.Repeat("b", 200)
		files[fmt.Sprintf("archive/%d.html", i)] = "<!doctype html><title>Old</title>" + strings.Repeat("a", 290_000)
		files[fmt.Sprintf("log [%d].html", i)] = "<!doctype html><title>Log</title>" + strings.Repeat("l", 4000)
	}
	files["map/boat.png"] = strings.Repeat("p", 500)
	dir := write(t, t.TempDir(), files)
	cfg := &config.Config{Stow: config.Stow{Now: []string{"/**"}}, Icons: config.Icons{Effort: "quick"}}
	p := fit(t, dir, cfg, Options{})
	remarks := strings.Join(p.Remarks, "\n")
	assert.Contains(t, remarks, "by folder: /archive/** 3.5 MB (12 files), ")
	now := []string{"/", "/base.css", "/map/all.png", "/boats/**", "/map/boat.png", "/*"}
	assert.Contains(t, remarks, "within the ceiling, [stow] now = "+quoteList(now)+` with later = ["/**"] has 26 pages there at the first visit`)
	strip(t, dir)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	text, err := Draft(context.Background(), s, dir, Options{})
	require.NoError(t, err)
	assert.Contains(t, string(text), "# Within the ceiling: now = "+quoteList(now))
	cfg.Stow.Now, cfg.Stow.Later = now, []string{"/**"}
	p = fit(t, dir, cfg, Options{})
	assert.LessOrEqual(t, p.Stowed.NowBytes, p.Stowed.Ceiling)
	assert.Greater(t, p.Stowed.Now, 26)
	assert.NotContains(t, strings.Join(p.Remarks, "\n"), "over the ceiling")
}
