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
	"tachyform.dev/tachyform/internal/worker"
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

// TestDraftsOfOtherOrigins makes what pages name with its digest part of the offline promise, and says of the rest what it takes; fit takes the draft.
func TestDraftsOfOtherOrigins(t *testing.T) {
	const digest = "sha384-oqVuAfXRKap7fdgcCY5uykM6+R9GqQ8K/uxy9rx7HNQlGYl1kPzQho1wx4JwY8wC"
	dir := write(t, t.TempDir(), map[string]string{"index.html": "<!doctype html><title>Charts</title>\n<script src='https://cdn.example/chart(2).js?v=1' crossorigin integrity='" + digest + " sha256-x'></script>\n<script src=https://cdn.example/plain.js></script>"})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	data, err := Draft(context.Background(), s, dir, Options{})
	require.NoError(t, err)
	text := string(data)
	assert.Contains(t, text, "\n[[rule]]\nmatch = \"https://cdn.example/chart\\\\(2).js\\\\?v=1\"")
	assert.Contains(t, text, "\nintegrity = \""+digest+"\"")
	assert.Contains(t, text, "# index.html:3 needs https://cdn.example/plain.js of another origin, and lacks it without a network.")
	assert.Contains(t, text, "# an integrity and crossorigin in the page, an origin that allows CORS, and this rule:\n# [[rule]]\n# match = \"https://cdn.example/plain.js\"")
	cfg, err := config.Parse("tachyform.toml", data)
	require.NoError(t, err, text)
	cfg.Icons.Effort = "quick"
	p := fit(t, dir, cfg, Options{})
	assert.Equal(t, 0, p.Caching.Decide(worker.Asked{Address: "https://cdn.example/chart(2).js?v=1", Destination: "script"}).Rule)
	assert.Contains(t, p.Caching.Ahead, "https://cdn.example/chart(2).js?v=1")
	assert.Equal(t, -1, p.Caching.Decide(worker.Asked{Address: "https://cdn.example/plain.js", Destination: "script"}).Rule)
}
