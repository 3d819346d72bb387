package e2e

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/tested"
)

// BenchmarkProgram times the program from start to end on the demo site.
func BenchmarkProgram(b *testing.B) {
	dir := b.TempDir()
	fine(b, dir, "demo", "--quiet") // compiles the SVG renderer into its cache
	b.Run("version", func(b *testing.B) {
		for b.Loop() {
			fine(b, dir, "--version")
		}
	})
	plain := filepath.Join(dir, "plain")
	b.Run("fit+rehearse+audit", func(b *testing.B) {
		for b.Loop() {
			b.StopTimer()
			require.NoError(b, os.RemoveAll(plain))
			require.NoError(b, os.CopyFS(plain, os.DirFS("../../demo/site")))
			b.StartTimer()
			fine(b, dir, "fit", "plain", "--quiet")
			fine(b, dir, "rehearse", "plain", "--quiet")
			fine(b, dir, "audit", "plain", "--quiet")
		}
	})
	b.Run("second fit", func(b *testing.B) {
		for b.Loop() {
			fine(b, dir, "fit", "plain", "--quiet")
		}
	})
	info, err := os.Stat(program)
	require.NoError(b, err)
	b.Logf("the program has %d bytes", info.Size())
}

// BenchmarkRehearsal runs the whole matrix of the demo, every page in all five network states, on both stages, in turn, and gives the ratio of their times.
func BenchmarkRehearsal(b *testing.B) {
	if _, err := chromium.Find(context.Background()); err != nil {
		b.Skip(err)
	}
	dir := b.TempDir()
	fine(b, dir, "demo", "--quiet")
	s, err := site.Open(filepath.Join(dir, "demo-site"), "/")
	require.NoError(b, err)
	defer s.Close()
	var embedded, real time.Duration
	for b.Loop() {
		begin := time.Now()
		server := site.NewServer(s, site.Rules{})
		st := rehearsal.NewEmbedded(server, nil, stage.Limits{})
		_, err := rehearsal.Run(context.Background(), st, server, rehearsal.Options{Networks: stage.Networks})
		st.Close()
		require.NoError(b, err)
		embedded += time.Since(begin)
		begin = time.Now()
		web, err := serve.Start(server)
		require.NoError(b, err)
		c, err := chromium.Start(context.Background(), web)
		require.NoError(b, err)
		_, err = rehearsal.Run(context.Background(), c, server, rehearsal.Options{Networks: stage.Networks})
		require.NoError(b, err)
		c.Close()
		require.NoError(b, web.Stop())
		real += time.Since(begin)
	}
	b.ReportMetric(embedded.Seconds()*1000/float64(b.N), "embedded-ms/op")
	b.ReportMetric(real.Seconds()*1000/float64(b.N), "chromium-ms/op")
	b.ReportMetric(real.Seconds()/embedded.Seconds(), "times-faster")
}

// storesAll is a hand-written worker that stores every page of manyPages while it installs.
const storesAll = `const PAGES = ["/"];
for (let i = 0; i < %d; i++) PAGES.push("/log/" + String(i %% 100).padStart(2, "0") + "/p" + String(i).padStart(5, "0") + ".html");
oninstall = (e) => e.waitUntil(caches.open("all").then(async (c) => {
  await c.addAll(["/css/site.css", "/app.js"]);
  for (let i = 0; i < PAGES.length; i += 500) await c.addAll(PAGES.slice(i, i + 500));
}));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));
`

// manyPages writes a site of many small pages that share a style sheet and a module. script is put into each of them.
func manyPages(b *testing.B, dir string, pages int, script string) {
	b.Helper()
	write := func(name, data string) { tested.Write(b, dir, map[string]string{name: data}) }
	text := strings.Repeat("The boat calls at every pier on its way round the islands, tide and wind permitting. ", 4)
	page := func(title, body string) string {
		return fmt.Sprintf("<!doctype html><html lang=\"en\"><head><meta charset=\"utf-8\"><meta name=\"viewport\" content=\"width=device-width\"><title>%s</title>"+
			"<link rel=\"stylesheet\" href=\"/css/site.css\"></head><body><h1>%s</h1>%s<script src=\"/app.js\" type=\"module\"></script></body></html>\n", title, title, body)
	}
	write("css/site.css", "body { font: 16px sans-serif; color: #123 }\n")
	write("app.js", script+"document.documentElement.dataset.ready = \"yes\";\n")
	var links strings.Builder
	for i := range pages - 1 {
		name := fmt.Sprintf("log/%02d/p%05d.html", i%100, i)
		if i < 100 {
			fmt.Fprintf(&links, "<a href=\"/%s\">%d</a> ", name, i)
		}
		write(name, page(fmt.Sprintf("Crossing %d", i), "<p>"+text+"</p><a href=\"/\">home</a>"))
	}
	write("index.html", page("Skerry Line log book", links.String()))
}

// BenchmarkManyPages rehearses sites of 10,000 pages with the built program, offline and in all five network states: one that
// was fitted and keeps pages as they are visited, and one with a hand-written worker that stores them all.
// BenchmarkApplication takes an application of 200 routes and 1,500 chunks through the commands.
func BenchmarkApplication(b *testing.B) {
	dir := b.TempDir()
	files := map[string]string{}
	for i := range 1300 {
		files[fmt.Sprintf("dist/assets/part-%04xb7k2.js", i)] = fmt.Sprintf("export const p = %q; // %s", fmt.Sprint("part ", i), strings.Repeat("x", 600))
	}
	table := ""
	for r := range 200 {
		name := string([]byte{'a' + byte(r/10), 'a' + byte(r%10)})
		text := ""
		for n := range 6 {
			text += fmt.Sprintf("import { p as p%d } from \"./part-%04xb7k2.js\";", n, (r*37+n*211)%1300)
		}
		files[fmt.Sprintf("dist/assets/view-%03xc9d1.js", r)] = text + "export default () => \"<h1>The view " + name + " of the line</h1>\" + [p0, p1, p2, p3, p4, p5].join(\" \");"
		table += fmt.Sprintf("\"/%s\": () => import(\"./view-%03xc9d1.js\"),", name, r)
	}
	files["dist/assets/main-0a1b2c3d.js"] = `const root = document.getElementById("root"), routes = {` + table + `};
async function draw() { const load = routes[location.pathname]; root.innerHTML = location.pathname === "/" ? Object.keys(routes).map((k) => "<a href=" + k + ">" + k + "</a>").join(" ") : load ? (await load()).default() : "No such page"; }
addEventListener("popstate", draw); draw();`
	files["dist/index.html"] = strings.Replace(ferries["index.html"], "main-Bx81kd9s", "main-0a1b2c3d", 1)
	write(b, dir, files)
	for _, command := range [][]string{{"survey", "dist"}, {"fit", "dist"}, {"rehearse", "dist", "--story", "none"}, {"audit", "dist", "--fail-on", "never"}} {
		b.Run(command[0], func(b *testing.B) {
			for b.Loop() {
				fine(b, dir, append(command, "--quiet")...)
			}
		})
	}
}

func BenchmarkManyPages(b *testing.B) {
	const pages = 10_000
	visited, stored := filepath.Join(b.TempDir(), "visited"), filepath.Join(b.TempDir(), "stored")
	manyPages(b, visited, pages, "")
	fine(b, visited, "fit", ".", "--quiet")
	manyPages(b, stored, pages, "navigator.serviceWorker.register(\"/sw.js\");\n")
	require.NoError(b, os.WriteFile(filepath.Join(stored, "sw.js"), fmt.Appendf(nil, storesAll, pages-1), 0o644))
	for _, dir := range []string{visited, stored} {
		for _, states := range []string{"offline", "online,offline,slow,failing,portal"} {
			b.Run(filepath.Base(dir)+"/"+states, func(b *testing.B) {
				var most int64
				for b.Loop() {
					cmd := exec.Command(program, "rehearse", dir, "--network", states)
					out, err := cmd.CombinedOutput()
					require.NoError(b, err, "%s", out)
					most = max(most, mostMemory(cmd.ProcessState))
				}
				b.ReportMetric(float64(most)/1024, "MB-at-most") // Linux counts in kB
			})
		}
	}
}

// BenchmarkCompare compares two releases of a site of 10,000 pages, of which 3% have changed, and gives the ratio of its time to that of taking
// digests of all their files with two processes.
func BenchmarkCompare(b *testing.B) {
	dir := b.TempDir()
	pages := map[string]string{"dist/app.css": "body { color: teal }"}
	for i := range 10_000 {
		pages[fmt.Sprintf("dist/log/%05d/index.html", i)] = strings.Replace(start, "<h1>", fmt.Sprintf("<p>Log of crossing %d</p>%s<h1>", i, strings.Repeat(fmt.Sprintf("<p>wave %d of this day", i*7919%10_000), 400)), 1)
	}
	pages["dist/index.html"] = start
	write(b, dir, pages)
	require.NoError(b, os.CopyFS(filepath.Join(dir, "next"), os.DirFS(filepath.Join(dir, "dist"))))
	for i := 0; i < 10_000; i += 33 {
		name := fmt.Sprintf("log/%05d/index.html", i)
		write(b, dir, map[string]string{"next/" + name: strings.Replace(pages["dist/"+name], "</h1>", ", changed</h1>", 1)})
	}
	fine(b, dir, "fit", "dist", "--quiet")
	fine(b, dir, "fit", "next", "--quiet")
	for b.Loop() {
		begin := time.Now()
		cmd := exec.Command("sh", "-c", "find dist next -type f -print0 | xargs -0 -P2 -n 500 sha256sum > digests")
		cmd.Dir = dir
		require.NoError(b, cmd.Run())
		hashed := time.Since(begin)
		begin = time.Now()
		fine(b, dir, "compare", "dist", "next", "--quiet")
		b.ReportMetric(time.Since(begin).Seconds()/hashed.Seconds(), "times-hashing")
	}
}
