package e2e

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/caching"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// TestRulesSayWhatTheWorkerDoes asks "rules" about many addresses, and the worker for them without a network: both say the same.
func TestRulesSayWhatTheWorkerDoes(t *testing.T) {
	t.Parallel()
	page := func(title string) string { return strings.Replace(start, "Skerry Line", title, 1) }
	files := map[string]string{"about.html": page("about"), "town/index.html": page("town"), "café.html": page("cafe"), "höfn/index.html": page("hofn"), "50% off.html": page("off"), "a+b.html": page("plus"),
		"old/index.htm": page("old"), "data/list.json": "[]", "data/one.json": "{}", "photos/pier.jpg": "jpg", "photos/été.jpg": "jpg", "account/me.html": page("me"), "deep/er/x.html": page("deep"), "notes.txt": "n"}
	addresses := []string{"/", "/index.html", "/?utm_source=x", "/about", "/about.html", "/about/", "/about.html?x=1", "/ABOUT", "/town", "/town/", "/town/index.html", "/town/index.htm", "/town?x=1", "/caf%C3%A9", "/caf%c3%a9", "/caf%C3%A9.html", "/café.html",
		"/caf%c3%a92", "/h%C3%B6fn", "/h%c3%b6fn/", "/höfn", "/50%25%20off", "/50%25%20off.html", "/50%20off", "/a+b", "/a%2Bb", "/old", "/old/", "/old/index.htm", "/data/list.json", "/data/one.json?page=2", "/data/none.json", "/photos/pier.jpg",
		"/photos/%C3%A9t%C3%A9.jpg", "/photos/%c3%a9t%c3%a9.jpg", "/photos/none.jpg", "/account/me.html", "/account/me", "/account/", "/deep/er/x", "/deep/er/", "/deep/er/x.html/", "/notes.txt", "/notes", "/none", "/none/", "/none.html", "/%", "/%zz", "/%E0%A4%A", "/about%2ehtml", "/./about", "/a//b"}
	for name, toml := range map[string]string{
		"all stored":   "",
		"rules":        "[[rule]]\nmatch = \"/data/*\"\nanswer = \"network-first\"\n[[rule]]\nmatch = \"/photos/:name\"\nanswer = \"cache-first\"\ndestination = [\"image\"]\n[stow]\nnever = [\"/account/**\"]\n",
		"some later":   "[stow]\nnow = [\"/\", \"/about.html\", \"/town/\", \"/caf%C3%A9.html\"]\nlater = [\"/photos/**\", \"/deep/**\"]\nnever = [\"/account/**\"]\n",
		"a shell":      "[offline]\nshell = \"/\"\nexcept = [\"/account/**\"]\n[stow]\nnow = [\"/\", \"/about.html\", \"/app.css\"]\n",
		"some routes":  "[offline]\nshell = \"/\"\nroutes = [\"/none\", \"/deep/:id\", \"/caf%c3%a92\"]\n[stow]\nnow = [\"/\", \"/about.html\", \"/app.css\"]\n",
		"network only": "[[rule]]\nmatch = \"/town/*\"\nanswer = \"network-only\"\n[[rule]]\nmatch = \"/about*\"\nanswer = \"cache-only\"\n",
	} {
		t.Run(name, func(t *testing.T) {
			onEmbedded(t, files, toml, site.Rules{}, func(w *world) {
				w.visit()
				w.network(stage.Offline)
				for _, as := range []string{"document", "empty"} {
					var table caching.Table
					require.NoError(w, json.Unmarshal([]byte(fine(w.T, w.dir, append([]string{"rules", "dist", "--format", "json", "--as", as}, addresses...)...)), &table))
					require.Len(w, table.Explains, len(addresses))
					for i, e := range table.Explains {
						address := addresses[i]
						var saw string
						if as == "document" {
							l := w.open(address)
							switch {
							case strings.Contains(l.Title, "No connection"):
								saw = "stand-in"
							case l.AnsweredBy == stage.ByBrowser:
								saw = "lost"
							case strings.HasSuffix(strings.SplitN(l.URL, "?", 2)[0], "/") && !strings.HasSuffix(strings.SplitN(address, "?", 2)[0], "/"):
								saw = "redirect"
							default:
								saw = "shown"
							}
						} else if saw = "shown"; w.send(stage.Message{URL: address}).Result == "rejected" {
							saw = "lost"
						}
						want := map[string]string{"release": "shown", "redirect": "redirect", "past": "lost", "cache-only": ""}[e.Answer]
						if e.Answer == "cache-only" && strings.Contains(e.Online, "the release's ") {
							want = "shown"
						}
						if e.Answer == "redirect" && !strings.Contains(e.Offline, "the same") {
							want = "" // the rule there says so
						}
						if strings.Contains(e.Offline, "if it was asked for before") {
							want = "" // it was not
						}
						switch {
						case want != "":
						case as == "empty":
							want = "lost"
						case strings.HasPrefix(e.Offline, "/ "):
							want = "shown" // the shell
						default:
							want = "stand-in"
						}
						if saw == "redirect" && want == "shown" && strings.HasSuffix(address, "index.html") {
							continue
						}
						assert.Equal(w, want, saw, "%s as %s: rules say %q (%s)", address, as, e.Answer, e.Offline)
					}
				}
			})
		})
	}
}
