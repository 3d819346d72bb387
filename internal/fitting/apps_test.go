package fitting

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/worker"
)

// TestAppsInside fits a folder of a site by itself, and then the whole.
func TestAppsInside(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"app/index.html": "<title>Inner</title><p>x", "app/in.css": "p {}", "apple.html": "<title>Apple</title>"})
	fit(t, dir+"/app", &config.Config{Base: "/app/"}, Options{})
	inner := tree(t, dir+"/app")
	p := fit(t, dir, nil, Options{})
	same(t, inner, tree(t, dir+"/app"))
	var said []string
	for _, k := range p.Site.Skipped {
		said = append(said, k.Path+": "+k.Why)
	}
	assert.Contains(t, said, "app: an application of its own: it was fitted by itself")
	sw := read(t, dir, "sw.js")
	assert.NotContains(t, sw, `"/app/in.css"`)
	assert.NotContains(t, sw, `"/app/": "`)
	assert.Contains(t, sw, `"/apple.html"`)
	assert.Equal(t, "past", p.Caching.Decide(worker.Asked{Address: "/app/", Destination: "document"}).Answer, "the worker keeps out of it")
	strip(t, dir)
	same(t, inner, tree(t, dir+"/app"))
}

// TestOurOwnOfflinePageNamed names the page that an earlier fit wrote: it stays part of the release.
func TestOurOwnOfflinePageNamed(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	fit(t, dir, nil, Options{})
	before := read(t, dir, "sw.js")
	cfg := &config.Config{}
	cfg.Offline.Page = "/offline.html"
	assert.Empty(t, fit(t, dir, cfg, Options{}).paths(), "nothing is different")
	assert.Contains(t, before, `"/offline.html": "`)
	cfg.Offline.Page = "/nowhere.html"
	_, err := plan(t, dir, cfg, Options{})
	assert.ErrorContains(t, err, "/nowhere.html, which is not in the site")
}

// TestOfflinePageWithout leaves parts of the offline page out.
func TestOfflinePageWithout(t *testing.T) {
	dir := write(t, t.TempDir(), small)
	cfg := &config.Config{}
	cfg.Offline.Without = []string{"pages", "return", "colours", "icon"}
	fit(t, dir, cfg, Options{})
	page := read(t, dir, "offline.html")
	for _, part := range []string{"data-app-stored", "data-app-return", "<img"} {
		assert.NotContains(t, page, part)
	}
	assert.Contains(t, page, "background: Canvas")
}

// TestAWorkerFileOfSomebodyElse says so when sw.js is there and no page registers it.
func TestAWorkerFileOfSomebodyElse(t *testing.T) {
	dir := write(t, write(t, t.TempDir(), small), map[string]string{"sw.js": "// something else"})
	p := fit(t, dir, nil, Options{})
	assert.Equal(t, "app-sw.js", p.Worker)
	assert.Contains(t, strings.Join(p.Remarks, "\n"), "sw.js is there already and is not ours")
}

// TestNeverBeatsRules is about addresses that nothing may store.
func TestNeverBeatsRules(t *testing.T) {
	for toml, want := range map[string]string{
		"[stow]\nnever = [\"/account/**\"]\n[[rule]]\nmatch = \"/account/*\"\nanswer = \"network-first\"\n":                                                                         worker.NetworkOnly,
		"[stow]\nnever = [\"/account/**\"]\n[[rule]]\nmatch = \"/account/*\"\nanswer = \"network-first\"\nnever = \"ignore\"\n":                                                     worker.NetworkFirst,
		"[stow]\nnever = [\"/account/**\"]\n[[rule]]\nmatch = \"/x\"\nanswer = \"cache-first\"\n[[rule]]\nmatch = \"/account/*\"\nanswer = \"network-first\"\nnever = \"ignore\"\n": worker.NetworkOnly,
	} {
		p, err := planned(t, ferry, toml)
		require.NoError(t, err)
		assert.Equal(t, want, p.Caching.Decide(worker.Asked{Address: "/account/loans.json", Destination: "empty"}).Answer, toml)
	}
	files := map[string]string{"index.html": "<title>A</title><script src=/a.js></script>", "a.js": `fetch("/account/loans.json"); fetch("/data/now.json")`, "account/loans.json": "[]", "data/now.json": "{}"}
	p, err := planned(t, files, "")
	require.NoError(t, err)
	assert.Equal(t, worker.NetworkOnly, p.Caching.Decide(worker.Asked{Address: "/account/loans.json", Destination: "empty"}).Answer, "nothing is inferred for what looks personal")
	assert.Equal(t, []string{"/data/now.json"}, p.Caching.Ahead)
	for _, list := range []map[string]worker.Entry{p.Caching.Now, p.Caching.Later} {
		assert.NotContains(t, list, "/account/loans.json")
		assert.NotContains(t, list, "/data/now.json", "what a rule keeps is no part of the release")
	}
	p, err = planned(t, files, "[stow]\nnow = [\"/**\", \"/data/now.json\"]\n")
	require.NoError(t, err)
	assert.Contains(t, p.Caching.Now, "/data/now.json", "unless the file itself is named")
}
