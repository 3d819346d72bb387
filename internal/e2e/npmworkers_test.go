package e2e

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// workersOfOthers are service workers in npm packages that nobody here wrote: they answer requests for tests, isolate pages,
// stream downloads, or serve the files of notebooks.
var workersOfOthers = []struct {
	pkg, file string
	query     string   // of the address it is registered with
	module    bool     // registered as a module
	messages  []string // that the page posts to it
	outcome   string   // of the start page without a network
}{
	{"msw@2.11.6", "lib/mockServiceWorker.js", "", false, []string{"INTEGRITY_CHECK_REQUEST", "KEEPALIVE_REQUEST"}, "lost"},
	{"msw@1.3.5", "lib/mockServiceWorker.js", "", false, []string{"INTEGRITY_CHECK_REQUEST"}, "lost"},
	{"coi-serviceworker@0.1.7", "coi-serviceworker.js", "", false, []string{"hello"}, "lost"},
	{"mini-coi@0.4.3", "mini-coi-fd.js", "", false, nil, "lost"},
	{"streamsaver@2.0.6", "sw.js", "", false, []string{"ping"}, "lost"},
	{"native-file-system-adapter@3.0.1", "example/sw.js", "", false, []string{"hello"}, "lost"},
	{"webtorrent@2.8.4", "dist/sw.min.js", "", false, nil, "lost"},
	{"@jupyterlite/apputils@0.8.3", "lib/service-worker.js", "?enableCache=true", false, nil, "whole"},
	{"@jupyterlite/server@0.6.1", "lib/service-worker.js", "?enableCache=true", true, nil, "whole"},
}

// TestWorkersOfOthers lets workers from npm packages serve a small site on both stages, which must agree on everything.
func TestWorkersOfOthers(t *testing.T) {
	needsAll(t)
	for _, c := range workersOfOthers {
		t.Run(c.pkg+" "+c.file+c.query, func(t *testing.T) {
			t.Parallel()
			source, err := os.ReadFile(filepath.Join(unpacked(t, c.pkg), "tree", "package", filepath.FromSlash(c.file)))
			require.NoError(t, err)
			dir := t.TempDir()
			options := ""
			if c.module {
				options = `, {type: "module"}`
			}
			page := `<!doctype html><html lang=en><title>%s</title><link rel="stylesheet" href="/app.css"><img src="/ferry.svg" alt="">
<script>navigator.serviceWorker.register("/sw.js` + c.query + `"` + options + `)</script>`
			write(t, dir, map[string]string{
				"index.html": fmt.Sprintf(page, "Skerry Line"), "fares.html": fmt.Sprintf(page, "Fares"), "sw.js": string(source),
				"app.css": "body { color: teal }", "ferry.svg": `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>`,
				"api/ferries.json": `["Staffin", "Uig"]`,
			})
			told := map[string][]string{}
			for _, name := range []string{"embedded", "chromium"} {
				s, err := site.Open(dir, "/")
				require.NoError(t, err)
				defer s.Close()
				server := site.NewServer(s, site.Rules{Answers: []site.AnswerRule{{Path: "/api/book", Method: "POST", Status: 201, Body: []byte("booked"), Type: "text/plain"}}})
				var st rehearsal.Stage
				if name == "embedded" {
					e := rehearsal.NewEmbedded(server, nil, stage.Limits{})
					defer e.Close()
					st = e
				} else {
					web, err := serve.Start(server)
					require.NoError(t, err)
					defer func() { _ = web.Stop() }()
					b, err := chromium.Start(context.Background(), web)
					require.NoError(t, err, "a missing browser is a failure here")
					defer b.Close()
					st = b
				}
				told[name] = slices.DeleteFunc(useEverything(t, st, c.messages), func(fact string) bool { return strings.HasSuffix(fact, ": /favicon.ico") }) // which Chromium asks for by itself, when it likes
				if name == "embedded" {
					for _, r := range st.Remarks() {
						assert.NotContains(t, []string{"late", "limit", "register", "install", "note"}, r.Kind, "%s:%d: %s", r.File, r.Line, r.Message)
						assert.NotRegexp(t, "is not defined|not a function|not a constructor|not modelled", r.Message, "%s:%d", r.File, r.Line)
					}
				}
			}
			differ := []string{}
			for i, fact := range told["chromium"] {
				if i >= len(told["embedded"]) || told["embedded"][i] != fact {
					differ = append(differ, "chromium: "+fact)
				}
			}
			assert.Empty(t, differ)
			assert.Len(t, told["embedded"], len(told["chromium"]))
			assert.Contains(t, told["embedded"], "offline / "+c.outcome)
		})
	}
}

// useEverything is a visitor who opens the pages of the site in several network states, and tells what came of it.
func useEverything(t *testing.T, st rehearsal.Stage, messages []string) []string {
	t.Helper()
	var facts []string
	outcome := func(l *stage.Load) string {
		switch {
		case l.Status == 0:
			return "lost"
		case len(l.Missing) > 0:
			return "partial"
		}
		return "whole"
	}
	for range 2 {
		_, err := st.Open("/")
		require.NoError(t, err)
		require.NoError(t, st.Settle())
	}
	for _, m := range messages {
		require.NoError(t, st.Post(m, false))
	}
	require.NoError(t, st.Settle())
	regs, err := st.Registrations()
	require.NoError(t, err)
	for _, r := range regs {
		facts = append(facts, "registered "+r.URL+" "+r.Scope+" "+r.State)
	}
	for _, n := range []stage.Network{stage.Online, stage.Failing, stage.Offline} {
		require.NoError(t, st.SetNetwork(n))
		for _, u := range []string{"/", "/fares.html", "/?from=mail"} {
			l, err := st.Open(u)
			require.NoError(t, err)
			facts = append(facts, fmt.Sprintf("%s %s %s", n, u, outcome(l)))
			if l.Status > 0 {
				facts = append(facts, fmt.Sprintf("%s %s status %d, %q, by the %s, controlled %t", n, u, l.Status, l.Title, l.AnsweredBy, l.Controlled))
			} else {
				continue // an error page fetches nothing
			}
			for _, m := range []stage.Message{{URL: "/api/ferries.json"}, {URL: "/ferry.svg"}, {URL: "/gone.json"}, {Method: "POST", URL: "/api/book", Type: "text/plain", Body: "one"}, {Method: "HEAD", URL: "/app.css"}} {
				a, err := st.Send(m)
				require.NoError(t, err)
				facts = append(facts, fmt.Sprintf("%s %s: %s %s %s %d %s", n, u, m.Method, m.URL, a.Result, a.Status, a.SHA256))
			}
		}
	}
	stores, err := st.Stores()
	require.NoError(t, err)
	for _, s := range stores {
		for _, e := range s.Entries {
			facts = append(facts, "stored in "+s.Name+": "+e.URL)
		}
	}
	return facts
}
