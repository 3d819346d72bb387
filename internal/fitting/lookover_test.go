package fitting

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/site"
)

// ferry is a site with something of everything.
var ferry = map[string]string{
	"index.html":         `<!doctype html><html lang=en><head><title>Ferry</title><link rel=stylesheet href=/app.css></head><body><script src=/app.js></script>`,
	"app.css":            "body { color: teal }",
	"app.js":             `fetch("/data/now.json"); fetch("/api/tides");`,
	"data/now.json":      "{}",
	"account/index.html": `<title>My account</title><form method=post><input type=password></form>`,
	"none.svg":           `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><path d="M0 0h9v9z"/></svg>`,
	"gone.html":          `<!doctype html><title>No network</title><link rel=stylesheet href=/gone.css>`,
	"gone.css":           "p {}",
	"push.js":            `addEventListener("push", () => {});`,
}

// planned makes a plan with a configuration.
func planned(t *testing.T, files map[string]string, toml string) (*Plan, error) {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, files)
	c, err := config.Parse("t.toml", []byte(toml))
	require.NoError(t, err)
	c.Icons.Effort = "quick"
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return Make(context.Background(), s, c, Options{})
}

func TestLookOver(t *testing.T) {
	for name, c := range map[string]struct {
		toml string
		line int
		want string // "" for nothing said
	}{
		"nothing wrong":       {"[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n", 0, ""},
		"hidden":              {"[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n[[rule]]\nmatch = \"/api/:x\"\nanswer = \"cache-first\"\n", 5, `the rule for "/api/:x" can never be reached: "/api/*" before it`},
		"hidden by except":    {"[offline]\nexcept = [\"/api/**\"]\n[[rule]]\nmatch = \"/api/tides\"\nanswer = \"network-first\"\n", 4, "can never be reached"},
		"misspelt":            {"[[rule]]\nmatch = \"/dat/now.json\"\nanswer = \"network-first\"\n", 2, "matches no file of the site"},
		"stored for nothing":  {"[stow]\nnow = [\"/**\", \"/\"]\n[[rule]]\nmatch = \"/none.svg\"\nanswer = \"network-only\"\n", 4, "[stow] stores /none.svg: it costs the first visit and is never shown"},
		"code by a rule":      {"[[rule]]\nmatch = \"/*.js\"\nanswer = \"stale-while-revalidate\"\n", 2, "takes /app.js, /push.js out of the release"},
		"varies by cookies":   {"[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n[[server.header]]\npath = \"/api/**\"\nname = \"Vary\"\nvalue = \"Accept, Cookie\"\n", 2, "stores nothing of /api/**: the server says that it varies by Accept, Cookie"},
		"said to be the same": {"[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\nvary = \"ignore\"\n[[server.header]]\npath = \"/api/**\"\nname = \"Vary\"\nvalue = \"Cookie\"\n", 0, ""},
		"not to be stored":    {"[[rule]]\nmatch = \"/data/*\"\nanswer = \"cache-first\"\n[[server.header]]\npath = \"/data/**\"\nname = \"Cache-Control\"\nvalue = \"no-store\"\n", 2, "the server forbids it (Cache-Control: no-store)"},
		"a glob of nothing":   {"[stow]\nnow = [\"/\", \"/app.*\",\n  \"/photo/**\"]\n", 3, `now: "/photo/**" matches no file`},
		"a glob of no effect": {"[stow]\nnow = [\"/**\", \"/\"]\nlater = [\"/data/**\"]\n", 3, `later: "/data/**" has no effect: what it matches (/data/now.json) is kept by a rule`},
		"personal pages":      {"[stow]\nnow = [\"/**/\", \"/**\"]\n", 2, "belonged to one person are stored (/account/)"},
		"the start page":      {"[stow]\nnever = [\"/\"]\nnow = [\"/app.*\"]\n", 0, "the app starts at /, which always comes from the network"},
		"the offline page":    {"[offline]\npage = \"/gone.html\"\nexcept = [\"/gone.html\"]\n", 3, "except keeps the worker away from it"},
	} {
		t.Run(name, func(t *testing.T) {
			p, err := planned(t, ferry, c.toml)
			require.NoError(t, err)
			var said []string
			for _, x := range p.Conflicts {
				said = append(said, x.Message)
				if c.want != "" && strings.Contains(x.Message, c.want) {
					assert.Equal(t, "t.toml", x.File)
					assert.Equal(t, c.line, x.Line)
				}
			}
			if c.want == "" {
				assert.Empty(t, said)
				return
			}
			assert.Contains(t, strings.Join(said, "\n"), c.want)
		})
	}
}

func TestOfflinePageHasWhatItNeeds(t *testing.T) {
	p, err := planned(t, ferry, "[stow]\nnow = [\"/\", \"/app.*\"]\n[offline]\npage = \"/gone.html\"\nimage = \"/none.svg\"\n")
	require.NoError(t, err)
	for _, u := range []string{"/gone.html", "/gone.css", "/none.svg"} {
		assert.Contains(t, p.Caching.Now, u)
	}
	assert.Contains(t, strings.Join(p.Remarks, "\n"), "what is shown offline needs /gone.css, /none.svg, which no list in [stow] now has")
	_, err = planned(t, ferry, "[offline]\nimage = \"/nowhere.svg\"\n")
	assert.ErrorContains(t, err, "/nowhere.svg, which is not in the site")
}

func TestWorkersBeside(t *testing.T) {
	for name, c := range map[string]struct{ worker, more, want string }{
		"push only":            {`addEventListener("push", () => {});`, "", ""},
		"answers requests":     {"// one\nself.addEventListener('fetch', (e) => e.respondWith(fetch(e.request)));", "", "push.js:2: this worker answers requests itself"},
		"answers by attribute": {"self.onfetch = () => {};", "", "push.js:1: this worker answers requests itself"},
		"after ours":           {"onfetch = () => {};", "first = \"ours\"\n", ""},
		"deletes all stores":   {"onactivate = (e) => e.waitUntil(caches.keys().then((k) => Promise.all(k.map((n) => caches.delete(n)))));", "first = \"ours\"\n", "it would delete ours"},
		"deletes its own":      {"onactivate = (e) => e.waitUntil(caches.delete('push'));", "", ""},
	} {
		files := map[string]string{"index.html": ferry["index.html"], "push.js": c.worker}
		p, err := planned(t, files, "[worker]\nbeside = \"/push.js\"\n"+c.more)
		if c.want != "" {
			assert.ErrorIs(t, err, ErrBeside, name)
			assert.ErrorContains(t, err, c.want, name)
			continue
		}
		require.NoError(t, err, name)
		assert.Equal(t, "/push.js", p.Caching.Beside)
	}
	p, err := planned(t, map[string]string{"index.html": ferry["index.html"], "push.js": "self.skipWaiting();"}, "[worker]\nbeside = \"/push.js\"\n")
	require.NoError(t, err)
	require.NotEmpty(t, p.Conflicts)
	assert.Contains(t, p.Conflicts[0].Message, "skipWaiting(): loaded beside ours")
}

func TestAnswers(t *testing.T) {
	p, err := planned(t, ferry, "[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n")
	require.NoError(t, err)
	table, err := p.Answers([]string{"/", "/app.css", "/api/tides", "/data/now.json", "/nowhere"}, "", "")
	require.NoError(t, err)
	var got []string
	for _, e := range table.Explains {
		got = append(got, e.Destination+" "+e.Answer)
	}
	assert.Equal(t, []string{"document release", "style release", "empty network-first", "empty network-first", "document network"}, got)
	assert.Equal(t, 2, table.Explains[2].Place.Line)
	_, err = p.Answers([]string{"api"}, "", "")
	assert.ErrorContains(t, err, "begins with a slash")
}
