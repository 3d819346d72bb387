package routes

import (
	"context"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/tested"
)

func find(t *testing.T, files map[string]string, base string, rules site.Rules) *Found {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	s, err := site.Open(dir, base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	inv, err := survey.Take(context.Background(), s, survey.Options{})
	require.NoError(t, err)
	f, err := Find(context.Background(), site.NewServer(s, rules), nil, inv, Options{})
	require.NoError(t, err)
	return f
}

// app draws what a table has for the path, links to all of it, and says so when there is nothing.
const app = `const views = VIEWS, root = document.getElementById("root");
async function draw() {
  const path = location.pathname.replace(BASE, "/"), view = views[path] || Object.entries(views).filter(([k]) => k.includes(":") && new RegExp("^" + k.replace(/:\w+/, "[^/]+") + "$").test(path)).map(([, v]) => v)[0];
  root.innerHTML = view ? typeof view === "function" ? await view(path) : view : "<h1>No such page</h1><p>There is nothing at " + path + "</p>";
}
addEventListener("click", (e) => { const a = e.target.closest("a"); if (a) { e.preventDefault(); history.pushState(null, "", a.href); draw(); } });
addEventListener("popstate", draw);
draw();`

const document = `<!doctype html><html lang=en><meta charset=utf-8><title>Skerry boats</title><div id=root></div><script>`

func page(base, views string) string {
	return document + `const BASE = "` + base + `"; ` + replaced(views) + `</script>`
}

func replaced(views string) string {
	const mark = "VIEWS"
	i := len("const views = ")
	return app[:i] + views + app[i+len(mark):]
}

func TestFind(t *testing.T) {
	views := `{"/": "<a href=/boats>Boats</a> <a href=/tides>Tides</a> <a href=/gone>Gone</a> <a href=/timetable.pdf>Plan</a>", "/tides": "High water at noon", "/boats": "<h1>Our boats</h1><a href=/boats/1>one</a><a href=/boats/2>two</a><a href=/boats/3>three</a><a href=/boats/4>four</a><a href=/boats/5>five</a>",
"/boats/:id": async (p) => { const r = await fetch("/api" + p).catch(() => {}); return "A ferry" + (r && r.ok ? (await r.json()).name : "") }}`
	for name, c := range map[string]struct {
		files map[string]string
		base  string
		rules site.Rules
		want  []survey.Application
	}{
		"an application with one page": {files: map[string]string{"index.html": page("/", views)}, want: []survey.Application{{
			Shell: "/", Known: "its scripts draw links that no file answers, such as /boats, and answer them", Dead: []string{"/gone"},
			Routes: []survey.Route{
				{Pattern: "/boats", Address: "/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}},
				{Pattern: "/boats/:id", Address: "/boats/1", Seen: 5, Title: "Skerry boats", Data: []survey.Data{{Method: "GET", URL: "/api/boats/1"}, {Method: "GET", URL: "/api/boats/2"}, {Method: "GET", URL: "/api/boats/3"}}},
				{Pattern: "/tides", Address: "/tides", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}},
			}}}},
		"in a sub-folder": {base: "/depot/", files: map[string]string{"index.html": page("/depot/", `{"/": "<a href=/depot/boats>Boats</a><a href=/other>Other</a>", "/boats": "Our boats"}`)}, want: []survey.Application{{
			Shell: "/depot/", Known: "its scripts draw links that no file answers, such as /depot/boats, and answer them", Dead: []string{},
			Routes: []survey.Route{{Pattern: "/depot/boats", Address: "/depot/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}}}},
		"in one folder of a site of pages": {files: map[string]string{"index.html": "<title>Start</title><a href=/about>About</a><a href=/app/>App</a>", "app/index.html": page("/app/", `{"/": "<a href=/app/boats>Boats</a>", "/boats": "Our boats"}`)}, want: []survey.Application{{
			Shell: "/app/", Known: "its scripts draw links that no file answers, such as /app/boats, and answer them", Dead: []string{},
			Routes: []survey.Route{{Pattern: "/app/boats", Address: "/app/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}}}},
		"routes behind the #": {files: map[string]string{"index.html": document + `const draw = () => { document.getElementById("root").innerHTML = ({"": "<a href='#/boats'>Boats</a>", "#/boats": "Our boats"})[location.hash] }; addEventListener("hashchange", draw); draw()</script>`}, want: []survey.Application{{
			Shell: "/", Hash: true, Known: "its scripts answer what stands behind the # of links, such as /#/boats", Dead: []string{},
			Routes: []survey.Route{{Pattern: "/#/boats", Address: "/#/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}}}},
		"what a host says": {files: map[string]string{"_redirects": "/*  /index.html  200\n", "index.html": page("/", `{"/": "Sign in"}`)}, want: []survey.Application{{
			Shell: "/", Known: "_redirects answers everything else with it", Dead: []string{}, Routes: []survey.Route{}}}},
		"a page of its own for what has no file": {files: map[string]string{"200.html": page("/", `{"/boats": "Our boats"}`), "index.html": `<title>Start</title><a href=/boats>Boats</a>`}, want: []survey.Application{{
			Shell: "/200.html", Known: "its scripts draw links that no file answers, such as /boats, and answer them", Dead: []string{},
			Routes: []survey.Route{{Pattern: "/boats", Address: "/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}}}},
		"two beside each other": {files: map[string]string{"index.html": page("/", `{"/": "<a href=/boats>Boats</a> <a href=/desk/people>Office</a> <a href=/gone>Gone</a>", "/boats": "Our boats"}`), "_redirects": "/desk/* /desk.html 200\n",
			"desk.html": page("/", `{"/desk.html": "<a href=/desk/people>People</a> <a href=/boats>Boats</a>", "/desk/people": "Everybody"}`)}, want: []survey.Application{
			{Shell: "/desk.html", Below: "/desk/", Known: "its scripts draw links that no file answers, such as /desk/people, and answer them", Dead: []string{}, Routes: []survey.Route{{Pattern: "/desk/people", Address: "/desk/people", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}},
			{Shell: "/", Main: true, Known: "its scripts draw links that no file answers, such as /boats, and answer them", Dead: []string{"/gone"}, Routes: []survey.Route{{Pattern: "/boats", Address: "/boats", Seen: 1, Title: "Skerry boats", Data: []survey.Data{}}}}}},
		"pages with dead links and a script that knows its address": {files: map[string]string{"index.html": `<title>Start</title><h1>Start</h1><a href=/missing>Missing</a><a href=/about>About</a><p id=p></p><script>p.textContent = "You are at " + location.pathname; addEventListener("hashchange", () => {})</script>`}},
		"pages only":                         {files: map[string]string{"index.html": `<title>Start</title><a href=/about/>About</a>`, "about/index.html": "<title>About</title>x"}},
		"a server that answers by itself":    {files: map[string]string{"index.html": page("/", `{"/": "<a href=/search>Search</a>", "/search": "never drawn"}`)}, rules: site.Rules{Answers: []site.AnswerRule{{Path: "/search", Method: "GET", Type: "text/html", Body: []byte("found")}}}},
		"a worker that would answer instead": {files: map[string]string{"index.html": `<title>Start</title><a href=/boats>Boats</a><script>navigator.serviceWorker.register("/sw.js"); history.replaceState(null, "")</script>`, "sw.js": `onactivate = () => clients.claim(); onfetch = (e) => e.respondWith(new Response("made up " + e.request.url, {headers: {"Content-Type": "text/html"}}))`}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			f := find(t, c.files, c.base, c.rules)
			for i := range c.want {
				c.want[i].Main = c.want[i].Main || c.want[i].Below == "" && len(c.want) == 1 && !strings.HasPrefix(c.want[i].Shell, "/app/")
				if c.want[i].Data == nil {
					c.want[i].Data = []survey.Data{}
				}
			}
			assert.Equal(t, c.want, f.Applications)
			assert.Empty(t, f.Remarks)
		})
	}
}

// TestFindBounded follows links that never end up to a bound, and says so; what the stage lacks is told and not guessed.
func TestFindBounded(t *testing.T) {
	f := find(t, map[string]string{"index.html": document + `const back = [...location.pathname].reverse().join(""); document.getElementById("root").innerHTML = "Room " + back + " of the ship <a href='" + location.pathname + "xy'>on</a>"; history.replaceState(null, "")</script>`}, "", site.Rules{})
	require.Len(t, f.Applications, 1)
	assert.True(t, f.Applications[0].Bounded)
	assert.LessOrEqual(t, len(f.Applications[0].Routes), maxOpened)

	f = find(t, map[string]string{"index.html": document + `document.startViewTransition(() => {}); history.pushState(null, "")</script>`}, "", site.Rules{})
	assert.Empty(t, f.Applications)
	require.Len(t, f.Remarks, 1)
	assert.Contains(t, f.Remarks[0], "they need startViewTransition")
}

// BenchmarkFind runs an application of many routes, each of a module of its own.
func BenchmarkFind(b *testing.B) {
	dir := b.TempDir()
	table := ""
	for i := range 200 {
		name := string([]byte{'a' + byte(i/26), 'a' + byte(i%26)})
		table += `"/` + name + `": () => import("./` + name + `.js"),`
		require.NoError(b, os.WriteFile(filepath.Join(dir, name+".js"), []byte(`export default () => "<h1>The view `+name+` of the line</h1>"`), 0o644))
	}
	main := document + `const views = {` + table + `}, root = document.getElementById("root");
(async () => { const view = views[location.pathname]; root.innerHTML = location.pathname === "/" ? Object.keys(views).map((k) => "<a href=" + k + ">" + k + "</a>").join(" ") : view ? (await view()).default() : "No such page"; history.replaceState(null, ""); })()</script>`
	require.NoError(b, os.WriteFile(filepath.Join(dir, "index.html"), []byte(main), 0o644))
	s, err := site.Open(dir, "/")
	require.NoError(b, err)
	defer s.Close()
	inv, err := survey.Take(context.Background(), s, survey.Options{})
	require.NoError(b, err)
	for b.Loop() {
		f, err := Find(context.Background(), site.NewServer(s, site.Rules{}), nil, inv, Options{})
		require.NoError(b, err)
		require.Len(b, f.Applications, 1)
		require.GreaterOrEqual(b, len(f.Applications[0].Routes), maxOpened-5)
	}
}
