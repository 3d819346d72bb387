package e2e

import (
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// TestVisitedPagesOverTime lets time pass on the stage: pages that are chosen are fetched again, others are forgotten when they are too old or too
// many, and what the server takes back goes.
func TestVisitedPagesOverTime(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	plan := &worker.Plan{Base: "/", Script: "/sw-page.js", Engine: "/sw-engine.js", Takeover: "next-visit", Patience: 10000, Offline: "/offline.html",
		Now: map[string]worker.Entry{}, Later: map[string]worker.Entry{}, Visited: &worker.Visited{Pages: []string{"/"}, Entries: 2, Age: 3 * 86400, Renew: 86400}}
	write(t, dir, map[string]string{"offline.html": `<!doctype html><title>No connection</title><script src="/sw-page.js"></script>`})
	script := must(worker.PageScript("/sw.js", plan))
	digest := func(data []byte) worker.Entry { return worker.Entry{Digest: release.Digest(data), Kind: worker.Code} }
	plan.Now["/offline.html"], plan.Now["/sw-page.js"] = digest(must(os.ReadFile(filepath.Join(dir, "offline.html")))), digest(script)
	write(t, dir, map[string]string{"sw-page.js": string(script), "sw.js": string(must(worker.Worker(plan))), "sw-engine.js": string(must(worker.Engine(plan)))})
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	defer s.Close()
	edition, asked, gone := 1, map[string]int{}, ""
	server := site.NewServer(s, site.Rules{})
	server.Beyond = func(p, _ string) (site.Answer, bool) {
		asked[p]++
		if p == gone || !strings.HasSuffix(p, "/") {
			return site.Answer{}, false
		}
		body := fmt.Sprintf(`<!doctype html><title>%s of edition %d</title><script src="/sw-page.js"></script>`, p, edition)
		return site.Answer{Status: 200, Header: http.Header{"Content-Type": {"text/html"}}, Body: []byte(body)}, true
	}
	b := stage.New(server, nil, stage.Limits{Step: time.Minute})
	defer b.Close()
	b.RunScripts(true)
	tab := b.NewTab()
	open := func(p string) string {
		t.Helper()
		l, err := tab.Open(p)
		require.NoError(t, err)
		b.Settle()
		return l.Title
	}
	offline := func(p string) string {
		t.Helper()
		require.NoError(t, b.SetNetwork(stage.Offline))
		defer func() { require.NoError(t, b.SetNetwork(stage.Online)) }()
		return open(p)
	}
	open("/")
	open("/")
	open("/a/")
	assert.Equal(t, "/a/ of edition 1", offline("/a/"))

	edition = 2
	before := asked["/a/"]
	open("/a/")
	assert.Equal(t, before+1, asked["/a/"], "kept a moment ago: the page is asked for once, and not for keeping again")
	assert.Equal(t, "/a/ of edition 1", offline("/a/"))
	b.Advance(11 * time.Minute)
	open("/a/")
	assert.Equal(t, before+3, asked["/a/"])
	assert.Equal(t, "/a/ of edition 2", offline("/a/"))

	assert.Equal(t, "/ of edition 1", offline("/"))
	edition = 3
	b.Advance(25 * time.Hour)
	b.StopWorkers() // as browsers do after half a minute
	open("/b/")     // any visit
	assert.Equal(t, "/ of edition 3", offline("/"), "chosen pages are fetched again after a day, though nobody opened them")

	open("/c/")
	assert.Equal(t, "No connection", offline("/a/"), "two others are kept, the newest")
	assert.Equal(t, "/b/ of edition 3", offline("/b/"))
	gone = "/b/"
	open("/b/")
	assert.Equal(t, "No connection", offline("/b/"), "what the server does not have any more is not kept")
	b.Advance(4 * 24 * time.Hour)
	assert.Equal(t, "No connection", offline("/c/"), "too old")
}
