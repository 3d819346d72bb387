package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/chromium"
)

// serving is the built program while it serves.
type serving struct {
	t             *testing.T
	cmd           *exec.Cmd
	site, control string
	lines         chan string
	temp          string // folder for what it needs for a while
}

// serveIn starts the program and waits until it says where it serves.
func serveIn(t *testing.T, dir string, args ...string) *serving {
	t.Helper()
	return servedBy(t, dir, append([]string{"serve", "--port", "0"}, args...)...)
}

// servedBy starts a command that serves.
func servedBy(t *testing.T, dir string, args ...string) *serving {
	t.Helper()
	s := &serving{t: t, cmd: exec.Command(program, args...), lines: make(chan string, 10_000), temp: t.TempDir()}
	s.cmd.Dir = dir
	s.cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(dir, "own config"), "TMPDIR="+s.temp)
	out, err := s.cmd.StdoutPipe()
	require.NoError(t, err)
	s.cmd.Stderr = os.Stderr
	require.NoError(t, s.cmd.Start())
	t.Cleanup(func() { _ = s.cmd.Process.Kill() })
	scan := bufio.NewScanner(out)
	for s.control == "" && scan.Scan() {
		if v, ok := strings.CutPrefix(scan.Text(), "site      "); ok {
			s.site = v
		}
		if v, ok := strings.CutPrefix(scan.Text(), "control   "); ok {
			s.control = v
		}
	}
	require.NotEmpty(t, s.control, "it says where the control is")
	go func() {
		for scan.Scan() {
			s.lines <- scan.Text()
		}
		close(s.lines)
	}()
	return s
}

// chrome starts a Chromium with a fresh profile and one tab.
func chrome(t *testing.T) context.Context {
	t.Helper()
	path, err := chromium.Find(context.Background())
	require.NoError(t, err, "a missing browser is a failure here")
	ctx, cancel := chromedp.NewExecAllocator(context.Background(), append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath(path), chromedp.NoSandbox, chromedp.WindowSize(1280, 800))...)
	t.Cleanup(cancel)
	ctx, cancel = chromedp.NewContext(ctx)
	t.Cleanup(cancel)
	_, err = chromedp.Run(ctx, chromedp.Navigate("about:blank")) // the browser lives as long as this context
	require.NoError(t, err)
	return ctx
}

// says evaluates a script in a tab that gives a text, or promises one.
func says(t *testing.T, tab context.Context, script string) string {
	t.Helper()
	ctx, cancel := context.WithTimeout(tab, 2*time.Minute)
	defer cancel()
	out, err := chromedp.Run(ctx, chromedp.Evaluate[string](script, func(p *runtime.EvaluateParams) { yes := true; p.AwaitPromise = &yes }))
	require.NoError(t, err, script)
	return out
}

// goes navigates a tab.
func goes(t *testing.T, tab context.Context, address string) {
	t.Helper()
	ctx, cancel := context.WithTimeout(tab, 2*time.Minute)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Navigate(address))
	require.NoError(t, err)
}

// until waits until an expression is true in a tab.
func until(t *testing.T, tab context.Context, expression string) {
	t.Helper()
	says(t, tab, `new Promise((done, fail) => { const end = Date.now() + 60000, look = () => (`+expression+`) ? done("") : Date.now() > end ? fail(new Error("it never came")) : setTimeout(look, 30); look(); })`)
}

// TestServe is the walk of a new user: install, offline by the control, a release that was built meanwhile, editing with the worker aside, looking at
// what is stored, and the end.
func TestServe(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "body { color: teal }", "dist/fares/index.html": strings.Replace(start, "Skerry Line", "Fares", 1), "tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	before := readAll(t, filepath.Join(dir, "dist"))
	s := serveIn(t, dir, "dist", "--fitted", "--watch")
	page := chrome(t)
	goes(t, page, s.site)
	assert.Equal(t, "activated", says(t, page, `navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? r.active.state : new Promise((done) => { r.active.onstatechange = () => done(r.active.state); }))`))
	control, cancel := chromedp.NewContext(page)
	t.Cleanup(cancel)
	pick := func(name, value string) {
		t.Helper()
		says(t, control, `document.querySelector('input[name=`+name+`][value="`+value+`"]').click(), ""`)
		until(t, control, `document.body.dataset.`+name+` === "`+value+`"`)
	}
	_, err := chromedp.Run(control, chromedp.Navigate(s.control))
	require.NoError(t, err)
	until(t, control, `document.querySelectorAll("#log tr").length > 2`)

	pick("network", "offline")
	until(t, control, `document.getElementById("said").textContent.includes("offline")`)
	goes(t, page, s.site+"fares/")
	assert.Equal(t, "Fares true", says(t, page, `document.title + " " + !!navigator.serviceWorker.controller`))
	assert.Equal(t, "rejected", says(t, page, `fetch("/nowhere?" + Math.random()).then((r) => String(r.status), () => "rejected")`), "offline is refused")
	pick("network", "online")

	write(t, dir, map[string]string{"dist/index.html": strings.Replace(start, "<title>Skerry Line", "<title>Built anew", 1)})
	until(t, control, `document.querySelectorAll('input[name=release]').length === 2 && document.querySelector('input[name=release][value="1"]').checked`)
	assert.Equal(t, "new", says(t, page, `navigator.serviceWorker.getRegistration().then(async (r) => { await r.update(); return r.waiting || r.installing ? "new" : "none"; })`), "the browser finds the release")
	assert.Equal(t, "Skerry Line", says(t, page, `fetch("/").then((r) => r.text()).then((t) => /<title>([^<]*)/.exec(t)[1])`), "the open page keeps its own")

	pick("mode", "aside") // what browsers are answered then is in TestBenchStates
	pick("mode", "real")

	says(t, control, `document.getElementById("look").click(), ""`)
	until(t, control, `/Worker for \/: \/sw.js/.test(document.getElementById("stored").textContent)`)
	assert.Equal(t, "the worker itself", says(t, control, `[...document.querySelectorAll("#stored tr")].find((r) => r.cells[0].textContent.startsWith("/fares/?")).cells[4].textContent`), "whose request brought it")
	says(t, control, `document.querySelector("[data-take=workers]").click(), ""`)
	until(t, control, `/No worker/.test(document.getElementById("stored").textContent)`)
	assert.Equal(t, "0", says(t, page, `navigator.serviceWorker.getRegistrations().then((l) => String(l.length))`))
	assert.Equal(t, "false", says(t, control, `String([...document.querySelectorAll("button, input, select")].some((e) => !e.textContent.trim() && !e.labels?.length && !e.getAttribute("aria-label")))`), "every control has a name")

	require.NoError(t, s.cmd.Process.Signal(syscall.SIGINT))
	require.NoError(t, s.cmd.Wait())
	log := ""
	for line := range s.lines {
		log += line + "\n"
	}
	assert.Contains(t, log, "update check")
	assert.Contains(t, log, "> offline")
	for line := range strings.Lines(log) {
		assert.LessOrEqual(t, len([]rune(strings.TrimRight(line, "\n"))), 80, line)
	}
	write(t, dir, map[string]string{"dist/index.html": start})
	assert.Equal(t, before, readAll(t, filepath.Join(dir, "dist")), "the site itself is not touched")
}

func readAll(t *testing.T, dir string) map[string]string {
	t.Helper()
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(dir, func(p string, d os.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		data, err := os.ReadFile(p)
		out[p] = string(data)
		return err
	}))
	return out
}

// TestServeFitsAsFitDoes serves a fitted copy of an application: its document answers routes, as it would after fit.
func TestServeFitsAsFitDoes(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"tachyform.toml": "[icons]\neffort = \"quick\"\n[server]\nfallback = \"/index.html\"\n", "dist/index.html": `<!doctype html><html lang=en><head><title>Boats</title></head><body><div id=app></div><script>
const at = location.pathname; document.getElementById("app").innerHTML = at === "/boats" ? "<h1>Our boats and their captains</h1>" : "<h1>Start</h1><a href=/boats>Boats</a>"; addEventListener("popstate", () => {}); history.replaceState({}, "");
</script></body></html>`})
	s := serveIn(t, dir, "dist", "--fitted")
	_, copied, err := fetched(s.site + "sw.js")
	require.NoError(t, err)
	fine(t, dir, "fit", "dist")
	fitted, err := os.ReadFile(filepath.Join(dir, "dist/sw.js"))
	require.NoError(t, err)
	assert.Contains(t, string(fitted), "shell:")
	assert.Equal(t, string(fitted), copied)
}

// TestServeSays is about what it says of what it cannot do, and its lines for machines.
func TestServeSays(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start})
	for args, want := range map[string]string{"serve gone": "gone", "serve dist --network missing": "it is online, offline", "serve dist --slow fast": "no shape", "serve dist --worker x": "real, aside or newest", "serve dist --port 70000": "--port", "serve dist --next gone": "gone"} {
		_, errs, code := run(t, dir, strings.Fields(args)...)
		assert.Equal(t, 2, code, "%s: %s", args, errs)
		assert.Contains(t, errs, want, args)
	}
	cmd := exec.Command(program, "serve", "dist", "--port", "0", "--format", "json")
	cmd.Dir = dir
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	errs, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { _ = cmd.Process.Kill() })
	first := bufio.NewScanner(errs)
	require.True(t, first.Scan())
	address, _, _ := strings.Cut(first.Text(), " ")
	_, _, err = fetched(address + "gone?x=1")
	require.NoError(t, err)
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan())
	var e struct {
		URL    string
		Status int
	}
	require.NoError(t, json.Unmarshal(lines.Bytes(), &e), lines.Text())
	assert.Equal(t, "/gone?x=1 404", fmt.Sprint(e.URL, " ", e.Status))
}

// fetched gives the status and the body of an answer.
func fetched(address string) (int, string, error) {
	res, err := http.Get(address) //nolint:gosec // it is our own
	if err != nil {
		return 0, "", err
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	return res.StatusCode, string(body), err
}

// TestServeReports has pages tell what never reached the server: online, and without a network, from the worker's store.
func TestServeReports(t *testing.T) {
	needsAll(t)
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "body { color: teal }", "tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	s := serveIn(t, dir, "dist", "--fitted", "--report")
	var page context.Context
	stored := func(url string) { // loaded again and again: a page right behind what the worker has fetched could have asked for it
		t.Helper()
		for range 30 {
			goes(t, page, s.site)
			for next := time.After(2 * time.Second); next != nil; {
				select {
				case line, ok := <-s.lines:
					require.True(t, ok)
					if f := strings.Fields(line); len(f) > 3 && f[2] == "stored" && f[len(f)-1] == url {
						return
					}
				case <-next:
					next = nil
				}
			}
		}
		t.Fatal(url + " was not reported")
	}
	page = chrome(t)
	goes(t, page, s.site)
	until(t, page, `navigator.serviceWorker.controller`)
	stored("/app.css")
	res, err := http.Post(s.control+"do", "application/json", strings.NewReader(`{"refit": true}`))
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	other, end := chromedp.NewContext(page)
	defer end()
	goes(t, other, s.site)
	for line := range s.lines { // it came with the release of the page that is open
		if strings.Contains(line, "tab 2") {
			assert.Contains(t, line, "tab 2 shows release 1 of 2: /")
			break
		}
	}
	r, err := http.Post(s.control+"do", "application/json", strings.NewReader(`{"network": "offline"}`))
	require.NoError(t, err)
	require.NoError(t, r.Body.Close())
	stored("/")
}

// TestServeRemembersTheMode ends serve while the worker steps aside, and starts it again: it still does, until the network is taken away.
func TestServeRemembersTheMode(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "b {}", "dist/sw.js": "// the site's own"})
	worker := func(s *serving) string {
		r, err := http.NewRequest("GET", s.site+"sw.js", nil)
		require.NoError(t, err)
		r.Header.Set("Service-Worker", "script")
		res, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		defer res.Body.Close()
		return string(must(io.ReadAll(res.Body)))
	}
	do := func(s *serving, what string) {
		res, err := http.Post(s.control+"do", "application/json", strings.NewReader(what))
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, 204, res.StatusCode)
	}
	ends := func(s *serving) {
		require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
		for range s.lines {
		}
		_ = s.cmd.Wait()
	}
	remembered := filepath.Join(dir, "own config", "tachyform", "serve.json")
	first := serveIn(t, dir, "dist")
	assert.Equal(t, "// the site's own", worker(first))
	do(first, `{"mode": "aside"}`)
	require.Eventually(t, func() bool { data, _ := os.ReadFile(remembered); return strings.Contains(string(data), "aside") }, time.Minute, 10*time.Millisecond)
	ends(first)
	second := serveIn(t, dir, "dist")
	assert.Contains(t, worker(second), "answers nothing")
	do(second, `{"network": "offline"}`)
	do(second, `{"network": "online"}`)
	assert.Equal(t, "// the site's own", worker(second))
	require.Eventually(t, func() bool { data, _ := os.ReadFile(remembered); return !strings.Contains(string(data), "aside") }, time.Minute, 10*time.Millisecond)
	ends(second)
}

// TestServeNewest edits a site whose own worker would show the first file for ever: every load is the file on disk, the worker that was written last
// runs, and without a network it answers from its store.
func TestServeNewest(t *testing.T) {
	t.Parallel()
	const fetches = `addEventListener("fetch", (event) => event.respondWith(caches.match(event.request).then((a) => a || fetch(event.request))));`
	const installs = `addEventListener("install", (event) => event.waitUntil(caches.open("boats").then((c) => c.addAll(["./", "./tides.html"]))));`
	const tells = `addEventListener("message", (event) => event.source.postMessage("worker 1"));`
	html := func(title, options string) string {
		return `<!doctype html><html lang=en><head><title>` + title + `</title></head><body><script>navigator.serviceWorker.register("sw.js"` + options + `)</script></body></html>`
	}
	for name, c := range map[string]struct {
		options string
		files   map[string]string
	}{
		"classic": {"", map[string]string{"dist/sw.js": fetches + installs + tells}},
		"module":  {`, {type: "module"}`, map[string]string{"dist/sw.js": `import "./answers.js";` + installs + tells, "dist/answers.js": fetches}},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			write(t, dir, c.files)
			write(t, dir, map[string]string{"dist/index.html": html("First", c.options), "dist/tides.html": html("Tides", c.options)})
			s := serveIn(t, dir, "dist", "--worker", "newest")
			page := chrome(t)
			goes(t, page, s.site)
			until(t, page, `navigator.serviceWorker.controller`)
			asked := `new Promise((done) => { navigator.serviceWorker.onmessage = (e) => done(e.data); navigator.serviceWorker.controller.postMessage(""); })`
			assert.Equal(t, "worker 1", says(t, page, asked), "the worker runs")

			write(t, dir, map[string]string{"dist/index.html": html("Second", c.options)})
			goes(t, page, s.site)
			assert.Equal(t, "Second", says(t, page, `document.title`), "its store holds the first")

			if os.Getenv("TACHYFORM_ALL") != "" { // when Chromium finds the worker before it idle is a matter of how busy the machine is
				write(t, dir, map[string]string{"dist/sw.js": strings.Replace(c.files["dist/sw.js"], "worker 1", "worker 2", 1)})
				goes(t, page, s.site)
				says(t, page, `new Promise(async (done) => { (await navigator.serviceWorker.ready).update(); const look = async () => (await Promise.race([`+asked+`, new Promise((late) => setTimeout(late, 5000, ""))])) === "worker 2" ? done("") : setTimeout(look, 2000); look(); })`)
			}

			res, err := http.Post(s.control+"do", "application/json", strings.NewReader(`{"network": "offline"}`))
			require.NoError(t, err)
			res.Body.Close()
			goes(t, page, s.site+"tides.html")
			assert.Equal(t, "Tides", says(t, page, `document.title`), "without a network it is the worker that answers")
		})
	}
}

// TestServeWhileEditing answers with the files on disk in both modes for editing, new ones too, and keeps to the release otherwise.
func TestServeWhileEditing(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": "first", "dist/boats/index.html": "boats", "tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	s := serveIn(t, dir, "dist")
	asked := func(p string) string {
		status, body, err := fetched(s.site + p)
		require.NoError(t, err)
		return fmt.Sprint(status, " ", body)
	}
	order := func(what string) {
		res, err := http.Post(s.control+"do", "application/json", strings.NewReader(what))
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, 204, res.StatusCode)
	}
	assert.Equal(t, "200 first", asked(""))
	for i, mode := range []string{"aside", "newest"} {
		edited := fmt.Sprintf("edited, %d", i)
		write(t, dir, map[string]string{"dist/index.html": edited, fmt.Sprintf("dist/new%d.txt", i): "new"})
		assert.NotEqual(t, "200 "+edited, asked(""), "a release stays as it was read")
		assert.Contains(t, asked(fmt.Sprintf("new%d.txt", i)), "404 ")
		order(`{"mode": "` + mode + `"}`)
		assert.Equal(t, "200 "+edited, asked(""))
		assert.Equal(t, "200 new", asked(fmt.Sprintf("new%d.txt", i)))
		require.NoError(t, os.Remove(filepath.Join(dir, fmt.Sprintf("dist/new%d.txt", i))))
		assert.Contains(t, asked(fmt.Sprintf("new%d.txt", i)), "404 ")
		for n := range 5 { // the folder is opened anew each time, and closed again
			write(t, dir, map[string]string{"dist/index.html": fmt.Sprint("again and again, ", n)})
			assert.Equal(t, fmt.Sprint("200 again and again, ", n), asked(""))
		}
		order(`{"mode": "real"}`)
	}
	order(`{"refit": true}`)
	order(`{"mode": "aside"}`)
	write(t, dir, map[string]string{"dist/index.html": "the last"})
	assert.Equal(t, "200 the last", asked(""))
	order(`{"release": 0}`)
	assert.Equal(t, "200 the last", asked(""), "of the same folder")
}

// TestServeEditsFittedCopies fits the copy again when the site was edited in a mode for editing, without --watch.
func TestServeEditsFittedCopies(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	s := serveIn(t, dir, "dist", "--fitted", "--worker", "newest")
	write(t, dir, map[string]string{"dist/index.html": strings.Replace(start, "<title>Skerry Line", "<title>Edited", 1)})
	require.Eventually(t, func() bool {
		_, body, err := fetched(s.site)
		return err == nil && strings.Contains(body, "<title>Edited")
	}, time.Minute, 20*time.Millisecond)
	_, worker, err := fetched(s.site + "sw.js")
	require.NoError(t, err)
	assert.Contains(t, worker, "self.tachyform")
}

// TestServeOpens starts a browser of its own in which other origins are answered by the stand-ins, over https and with credentials too, until the
// network is taken away; it ends with the program, and leaves nothing behind.
func TestServeOpens(t *testing.T) {
	t.Parallel()
	path, err := chromium.Find(context.Background())
	require.NoError(t, err, "a missing browser is a failure here")
	dir := t.TempDir()
	write(t, dir, map[string]string{"headless": "#!/bin/sh\nexec '" + path + "' --headless=new --no-sandbox \"$@\"\n",
		"boats/hull.json": `"steel"`,
		"tachyform.toml": `[[server.origin]]
url = "https://boats.skerry.example"
dir = "boats"
[[server.answer]]
origin = "http://api.skerry.example:8080"
path = "/departures.json"
body = "[\"09:40\"]"
`,
		"dist/index.html": `<!doctype html><title>Boats</title><script>
const get = (url, options) => fetch(url, options).then((r) => r.json(), () => "refused");
(async () => { for (let i = 0; ; i++) {
  const all = [await get("https://boats.skerry.example/hull.json", {credentials: "include"}), await get("http://api.skerry.example:8080/departures.json", {method: "GET", headers: {"x-harbour": "north"}})];
  const told = await fetch("/seen?" + JSON.stringify(all).replaceAll('"', "")).catch(() => 0);
  await new Promise((done) => setTimeout(done, told ? 300 : 100));
} })();
</script>`})
	require.NoError(t, os.Chmod(filepath.Join(dir, "headless"), 0o755))
	s := servedBy(t, dir, "serve", "dist", "--port", "0", "--open", "--browser", "headless")
	log := []string{}
	until := func(text string) {
		t.Helper()
		for end := time.After(time.Minute); ; {
			select {
			case line, ok := <-s.lines:
				require.True(t, ok, strings.Join(log, "\n"))
				if log = append(log, line); strings.Contains(line, text) {
					return
				}
			case <-end:
				require.FailNow(t, "it never came: "+text, strings.Join(log, "\n"))
			}
		}
	}
	until("/seen?[steel,[09:40]]")
	all := strings.Join(log, "\n")
	assert.Contains(t, all, " https://boats.skerry.example/hull.json")
	assert.Contains(t, all, "OPTIONS h…example:8080/departures.json")
	order := func(what string) {
		res, err := http.Post(s.control+"do", "application/json", strings.NewReader(what))
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, 204, res.StatusCode)
	}
	order(`{"network": "offline"}`)
	until("> offline")
	until(" cut ")
	order(`{"network": "online"}`)
	until("/seen?[steel,[09:40]]")
	require.NoError(t, s.cmd.Process.Signal(os.Interrupt))
	for range s.lines {
	}
	require.NoError(t, s.cmd.Wait())
	left, err := filepath.Glob(filepath.Join(s.temp, "tachyform-*"))
	require.NoError(t, err)
	assert.Empty(t, left, "the profile is gone")
}
