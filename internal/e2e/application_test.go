package e2e

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/audit"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

// ferries is an application with one page, as bundlers write them: chunks with digests in their names, a route that is loaded late, one that fetches.
var ferries = map[string]string{
	"index.html": `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Skerry Boats</title><meta name="viewport" content="width=device-width"><script type="module" src="/assets/main-Bx81kd9s.js"></script></head><body><div id="root"></div></body></html>`,
	"assets/main-Bx81kd9s.js": `const root = document.getElementById("root");
const link = (to, text) => "<a href='" + to + "'>" + text + "</a> ";
const views = {
  "/": () => "<h1>Skerry boats</h1>" + link("/boats", "Boats") + link("/tides", "Tides") + link("/lost", "Lost"),
  "/boats": () => "<h1>Our boats</h1>" + [1, 2, 3, 4, 5].map((n) => link("/boats/" + n, "No. " + n)).join(""),
  "/tides": async () => (await import("./tides-Dk20ska1.js")).tides(),
};
const boat = async (path) => { try { const r = await fetch("/api" + path); if (!r.ok) throw 0; return "<h1>" + (await r.json()).name + "</h1>"; } catch { return "<p>The boat cannot be shown just now</p>"; } };
async function draw() {
  const path = location.pathname;
  root.innerHTML = views[path] ? await views[path]() : /^\/boats\/\d+$/.test(path) ? await boat(path) : "<h1>There is no such page</h1>";
}
addEventListener("click", (e) => { const a = e.target.closest("a"); if (a) { e.preventDefault(); history.pushState(null, "", a.href); draw(); } });
addEventListener("popstate", draw);
draw();`,
	"assets/tides-Dk20ska1.js": `export const tides = () => "<h1>Tides</h1><p>High water at noon in every harbour</p>";`,
}

// TestApplicationUnasked fits an application without a word of configuration, and opens every route in Chromium by its address while the server is
// gone: the application draws it. What is the server's own stays the server's.
func TestApplicationUnasked(t *testing.T) {
	needsAll(t)
	t.Parallel()
	api := site.AnswerRule{Path: "/api/boats/*", Method: "GET", Type: "application/json", Body: []byte(`{"name": "Maid of Orran"}`)}
	export := site.AnswerRule{Path: "/api/export", Method: "GET", Type: "text/html", Body: []byte(`<title>The server's own</title>`)}
	desk := site.AnswerRule{Path: "/desk", Method: "GET", Type: "text/html", Body: []byte(`<title>The server's desk</title>`)}
	onChromium(t, ferries, "", site.Rules{Fallback: "/index.html", Answers: []site.AnswerRule{api, export, desk}}, func(w *world) {
		w.visit()
		w.Received()
		assert.Contains(w, w.open("/boats/3").Text, "Maid of Orran")
		assert.NotContains(w, w.asked(), "GET /boats/3", "a route costs the server nothing")
		assert.Equal(w, "The server's own", w.open("/api/export").Title)
		assert.Equal(w, "The server's desk", w.open("/desk").Title, "what no link of the application shows is the server's first")
		w.network(stage.Offline)
		w.rest()
		for address, text := range map[string]string{"/": "Skerry boats Boats Tides Lost", "/unlinked": "There is no such page", "/boats": "Our boats No. 1 No. 2 No. 3 No. 4 No. 5", "/tides": "Tides High water at noon in every harbour",
			"/boats/7": "The boat cannot be shown just now", "/boats/7?crew=1#deck": "The boat cannot be shown just now"} {
			l := w.open(address)
			assert.Equal(w, text, l.Text, address)
			assert.Equal(w, 200, l.Status, address)
			assert.Equal(w, stage.ByWorker, l.AnsweredBy, address)
		}
	})
}

// TestApplicationReleases brings a build with other names to a visitor who has a tab open: routes that are loaded late come from the build that the tab is
// of, without a network too, and who comes back has the new one whole.
func TestApplicationReleases(t *testing.T) {
	needsAll(t) // TestChunksOfOpenTabs is about the same, with every build
	t.Parallel()
	onChromium(t, ferries, "", site.Rules{Fallback: "/index.html"}, func(w *world) {
		w.visit()
		w.away("assets/main-Bx81kd9s.js", "assets/tides-Dk20ska1.js")
		main := strings.NewReplacer("tides-Dk20ska1", "tides-Qq71mzp4", "Skerry boats", "Skerry boats anew").Replace(ferries["assets/main-Bx81kd9s.js"])
		w.release(map[string]string{"index.html": strings.Replace(ferries["index.html"], "main-Bx81kd9s", "main-Ww20xlk7", 1), "assets/main-Ww20xlk7.js": main,
			"assets/tides-Qq71mzp4.js": strings.Replace(ferries["assets/tides-Dk20ska1.js"], "noon", "nine", 1)})
		require.NoError(w, w.Tab(1))
		assert.Equal(w, "Skerry boats Boats Tides Lost", w.open("/").Text, "a tab of the old build is open")
		w.updated()
		require.NoError(w, w.CloseTab())
		w.network(stage.Offline)
		w.rest()
		found, err := w.chrome.Act("click", "Tides", "")
		require.NoError(w, err)
		require.True(w, found)
		l, err := w.chrome.Look()
		require.NoError(w, err)
		assert.Equal(w, "Tides High water at noon in every harbour", l.Text, "its chunk is no more on the server")
		w.network(stage.Online)
		require.NoError(w, w.CloseTab())
		w.network(stage.Offline)
		for address, text := range map[string]string{"/": "Skerry boats anew Boats Tides Lost", "/tides": "Tides High water at nine in every harbour"} {
			assert.Equal(w, text, w.open(address).Text, address)
		}
	})
}

func built(t *testing.T, files map[string]string) string {
	t.Helper()
	dir := t.TempDir()
	for name, data := range files {
		write(t, dir, map[string]string{filepath.Join("dist", name): data})
	}
	return dir
}

func checked(t *testing.T, r *audit.Report) map[string]string {
	t.Helper()
	out := map[string]string{}
	for _, c := range r.Checks {
		out[c.ID] = c.State
	}
	return out
}

// TestApplicationCommands takes an application through the commands: each knows its routes, the draft keeps their data, and the audit fails for as long as nothing does.
func TestApplicationCommands(t *testing.T) {
	t.Parallel()
	dir := built(t, ferries)
	var sum survey.Summary
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "survey", "dist", "--format", "json")), &sum))
	require.Len(t, sum.Applications, 1)
	var forms []string
	for _, r := range sum.Applications[0].Routes {
		forms = append(forms, r.Pattern)
	}
	assert.Equal(t, []string{"/boats", "/boats/:id", "/tides"}, forms)
	assert.Equal(t, []string{"/lost"}, sum.Applications[0].Dead)
	require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "survey", "dist", "--scripts", "read", "--format", "json")), &sum))
	assert.Empty(t, sum.Applications)

	outcomes := func() map[string][2]rehearsal.Outcome {
		var r rehearsal.Report
		require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", "dist", "--story", "none", "--format", "json")), &r))
		out := map[string][2]rehearsal.Outcome{}
		for _, p := range r.Pages {
			out[p.URL] = [2]rehearsal.Outcome{p.Outcome, p.Seen}
		}
		return out
	}
	judged := func() map[string]string {
		var r audit.Report
		out, _, _ := run(t, dir, "audit", "dist", "--format", "json")
		require.NoError(t, json.Unmarshal([]byte(out), &r))
		return checked(t, &r)
	}
	text := fine(t, dir, "fit", "dist")
	assert.Contains(t, text, "no rule keeps /api/boats/:id (asked for by /boats/:id)")
	assert.NoFileExists(t, filepath.Join(dir, "dist", "offline.html"))
	assert.Equal(t, map[string][2]rehearsal.Outcome{"/": {"whole"}, "/boats": {"whole"}, "/boats/1": {"partial", "partial"}, "/tides": {"whole"}}, outcomes())
	states := judged()
	assert.Equal(t, "failed", states["offline/route-data"])
	assert.Equal(t, "passed", states["offline/route-stand-in"])
	assert.Equal(t, "failed", states["pages/route-leads-nowhere"])
	assert.Equal(t, "failed", states["offline/offline-unsaid"])
	assert.Equal(t, "passed", states["pages/reference-leads-nowhere"], "an endpoint is no file that is missing")
	fine(t, dir, "strip", "dist")

	fine(t, dir, "draft", "dist")
	data, err := os.ReadFile(filepath.Join(dir, "tachyform.toml"))
	require.NoError(t, err)
	for _, line := range []string{"routes = [", "\"/boats/:id\"", "shell = \"/index.html\"", "fallback = \"/index.html\"", "match = \"/api/boats/:id\"  # asked for by the route /boats/:id when it ran"} {
		assert.Contains(t, string(data), line)
	}
	text = fine(t, dir, "fit", "dist")
	assert.NotContains(t, text, "no rule keeps")
	assert.Contains(t, fine(t, dir, "rules", "dist", "/boats/9"), "a route of the application")
	assert.Equal(t, [2]rehearsal.Outcome{"partial", "whole"}, outcomes()["/boats/1"])
	assert.Contains(t, fine(t, dir, "rehearse", "dist", "--story", "none", "--network", "online"), "missing /api/boats/1", "the fallback is for navigations: data that the folder does not have is no page")
	states = judged()
	assert.Equal(t, "passed", states["offline/route-data"])
	assert.Equal(t, "passed", states["offline/page-partial"])
}

// TestApplicationInAFolder leaves an application that answers for one folder to a fit of its own, and says how; pages beside an application have an
// offline page.
func TestApplicationInAFolder(t *testing.T) {
	needsAll(t)
	t.Parallel()
	files := map[string]string{"index.html": start, "app.css": ""}
	for name, data := range ferries {
		data = strings.NewReplacer(`"/assets`, `"/depot/assets`, `"/boats`, `"/depot/boats`, `"/tides"`, `"/depot/tides"`, `"/lost"`, `"/depot/lost"`, `"/":`, `"/depot/":`, `^\/boats`, `^\/depot\/boats`, `"/api" + path`, `"/depot/api" + path.slice(6)`).Replace(data)
		files["depot/"+name] = data
	}
	dir := built(t, files)
	text := strings.Join(strings.Fields(fine(t, dir, "fit", "dist")), " ")
	assert.Contains(t, text, "/depot/ is an application of its own folder")
	assert.Contains(t, text, `"tachyform fit dist/depot --base /depot/"`)
	assert.FileExists(t, filepath.Join(dir, "dist", "offline.html"))
	fine(t, dir, "strip", "dist")
	text = fine(t, dir, "fit", "dist/depot", "--base", "/depot/")
	assert.Contains(t, text, "shell             /depot/")
	if os.Getenv("TACHYFORM_ALL") != "" {
		assert.Contains(t, fine(t, dir, "rehearse", "dist/depot", "--base", "/depot/", "--story", "none"), "whole     /depot/tides")
	}

	files = map[string]string{"about/index.html": strings.ReplaceAll(start, "Skerry Line", "About"), "app.css": ""}
	for name, data := range ferries {
		files[name] = data
	}
	dir = built(t, files)
	fine(t, dir, "fit", "dist")
	assert.FileExists(t, filepath.Join(dir, "dist", "offline.html"), "for pages that the application does not draw")
	out := fine(t, dir, "rehearse", "dist", "--story", "none")
	for _, page := range []string{"/about/", "/boats", "/tides"} {
		assert.Contains(t, out, "whole     "+page)
	}
}

// TestTheFolderThatWasMeant edits nothing of a project's folder, or of one that holds several sites, and names what was probably meant.
func TestTheFolderThatWasMeant(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"boats/package.json": "{}", "boats/index.html": start, "boats/dist/index.html": start, "boats/node_modules/x/index.html": start, "two/a/index.html": start, "two/b/index.html": start})
	for site, want := range map[string]string{"boats": "what is deployed is probably boats/dist", "two": "its folders are sites of their own: a, b"} {
		_, stderr, code := run(t, dir, "fit", site)
		assert.Equal(t, 2, code)
		assert.Contains(t, stderr, want)
		assert.NoDirExists(t, filepath.Join(dir, site, ".tachyform"))
		assert.Contains(t, strings.Join(strings.Fields(fine(t, dir, "survey", site)), " "), want)
		fine(t, dir, "fit", site, "--anyway")
		fine(t, dir, "fit", site) // it is ours now
	}
	page, err := os.ReadFile(filepath.Join(dir, "boats/node_modules/x/index.html"))
	require.NoError(t, err)
	assert.Equal(t, start, string(page))
}

// TestRoutedApplications builds applications with routers from npm, fits them without configuration, and opens every route on both stages while the network is
// gone: none is blank, none is another page, and the stages agree.
func TestRoutedApplications(t *testing.T) {
	needsAll(t)
	dir := npmBuild(t, "routed.mjs")
	apps, err := os.ReadDir(filepath.Join(dir, "routed"))
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(apps), 8)
	write(t, dir, map[string]string{"clicks.toml": `[[story]]
name = "by clicks"
steps = ["open /", "network offline", "click Boats", "expect text All boats", "click Boat 1", "expect text cannot be shown just now", "click Fares", "expect text Fares from four pounds", "back", "expect text The boat", "back", "expect text All boats", "click Boat 2", "expect text The boat", "reload", "expect text The boat", "click Fares", "expect text Fares"]
`})
	for _, app := range apps {
		t.Run(app.Name(), func(t *testing.T) {
			t.Parallel()
			at := filepath.Join("routed", app.Name())
			var sum survey.Summary
			require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "survey", at, "--format", "json")), &sum))
			require.Len(t, sum.Applications, 1)
			var forms []string
			for _, r := range sum.Applications[0].Routes {
				forms = append(forms, strings.TrimPrefix(strings.TrimPrefix(r.Pattern, "/#!"), "/#"))
			}
			assert.Equal(t, []string{"/boats", "/boats/:id", "/fares"}, forms)
			fine(t, dir, "fit", at)
			seen := map[string]map[string]rehearsal.PageResult{}
			for _, stage := range []string{"embedded", "chromium"} {
				var r rehearsal.Report
				require.NoError(t, json.Unmarshal([]byte(fine(t, dir, "rehearse", at, "--story", "none", "--stage", stage, "--network", "online,offline", "--detail", "text", "--format", "json")), &r))
				seen[stage] = map[string]rehearsal.PageResult{}
				for _, p := range r.Pages {
					seen[stage][p.Network+" "+p.URL] = p
				}
			}
			assert.Len(t, seen["embedded"], len(seen["chromium"]))
			for key, want := range seen["chromium"] {
				got := seen["embedded"][key]
				assert.Contains(t, []rehearsal.Outcome{"whole", "partial"}, want.Outcome, "%s: %s", key, want.Why)
				assert.Equal(t, want.Outcome, got.Outcome, "%s: %s, and in Chromium %s", key, got.Why, want.Why)
				assert.Equal(t, strings.Join(strings.Fields(*want.Text), ""), strings.Join(strings.Fields(*got.Text), ""), key)
				assert.Equal(t, want.Seen, got.Seen, key)
			}
			for _, stage := range []string{"embedded", "chromium"} {
				out, _, status := run(t, dir, "rehearse", at, "--config", "clicks.toml", "--story", "by clicks", "--stage", stage)
				assert.Equal(t, 0, status, "%s, without a network: %s", stage, out)
			}
		})
	}
}
