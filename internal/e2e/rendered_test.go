package e2e

import (
	"context"
	"encoding/json"
	"fmt"
	"html/template"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/rehearsal"
)

// rendering is a site whose pages a server makes, from templates that it reads anew for each.
type rendering struct {
	dir, port string
	layout    string // the template that all pages share
	public    string // the folder whose files it sends
	css       string // the file in it that pages name
	start     func(t *testing.T) (stop func())
}

func (r *rendering) address(path string) string { return "http://127.0.0.1:" + r.port + path }

// freePort gives a port that nobody listens on.
func freePort(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	_, port, err := net.SplitHostPort(l.Addr().String())
	require.NoError(t, err)
	return port
}

// process starts a server and waits until it answers; stop ends it.
func process(t *testing.T, port string, cmds ...*exec.Cmd) (stop func()) {
	t.Helper()
	for _, cmd := range cmds {
		cmd.Stdout, cmd.Stderr = io.Discard, os.Stderr
		require.NoError(t, cmd.Start())
	}
	ended := false
	stop = func() {
		if ended {
			return
		}
		ended = true
		for _, cmd := range cmds {
			_ = cmd.Process.Signal(syscall.SIGTERM)
			_ = cmd.Wait()
		}
	}
	t.Cleanup(stop)
	require.Eventually(t, func() bool {
		res, err := http.Get("http://127.0.0.1:" + port + "/")
		if err == nil {
			res.Body.Close()
		}
		return err == nil && res.StatusCode == 200
	}, time.Minute, 20*time.Millisecond)
	return stop
}

// renderedApp copies one of the sites below testdata/rendered.
func renderedApp(t *testing.T, name string) *rendering {
	t.Helper()
	r := &rendering{dir: t.TempDir(), port: freePort(t)}
	require.NoError(t, os.CopyFS(r.dir, os.DirFS(filepath.Join("testdata/rendered", name))))
	return r
}

// goApp is a site made by templates of Go, in this process.
func goApp(t *testing.T) *rendering {
	r := renderedApp(t, "go")
	r.layout, r.public, r.css = "layout.html", "static", "static/app.css"
	r.start = func(t *testing.T) func() {
		static := http.StripPrefix("/static/", http.FileServer(http.Dir(filepath.Join(r.dir, "static"))))
		server := &http.Server{Handler: http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
			who := ""
			if c, err := q.Cookie("user"); err == nil {
				who = c.Value
			}
			page := func(status int, title, token string, styled bool) {
				edition, err := os.ReadFile(filepath.Join(r.dir, "edition.txt"))
				tmpl, err2 := template.ParseFiles(filepath.Join(r.dir, r.layout))
				if err != nil || err2 != nil {
					http.Error(w, "no template", 500)
					return
				}
				w.Header().Set("Content-Type", "text/html; charset=utf-8")
				w.WriteHeader(status)
				_ = tmpl.ExecuteTemplate(w, "layout", map[string]any{"Title": title, "Edition": strings.TrimSpace(string(edition)), "Who": who, "Token": token, "Styled": styled})
			}
			switch q.URL.Path {
			case "/":
				page(200, "Skerry Line", "", true)
			case "/timetable/":
				page(200, "Timetable", "", true)
			case "/harbours/staffin/":
				page(200, "Staffin", "", true)
			case "/harbours/rona/":
				page(200, "Rona", "", true)
			case "/greet/":
				w.Header().Set("Vary", "Cookie")
				page(200, "Greetings", "", true)
			case "/book/":
				page(200, "Book", fmt.Sprint(time.Now().UnixNano()), true)
			case "/news/":
				edition, _ := os.ReadFile(filepath.Join(r.dir, "edition.txt"))
				w.Header().Set("Content-Type", "text/html; charset=utf-8")
				fmt.Fprintf(w, `<!doctype html><html lang="en"><head><title>News</title></head><body><h1>News</h1><p id="edition">%s</p><p id="who"></p></body></html>`, edition)
			case "/account/":
				if who == "" {
					http.Redirect(w, q, "/", http.StatusFound)
					return
				}
				w.Header().Set("Cache-Control", "no-store")
				page(200, "Account", "", true)
			case "/sign-in":
				http.SetCookie(w, &http.Cookie{Name: "user", Value: "Anna", Path: "/", HttpOnly: true})
				http.Redirect(w, q, "/account/", http.StatusFound)
			case "/sign-out":
				http.SetCookie(w, &http.Cookie{Name: "user", Path: "/", MaxAge: -1})
				http.Redirect(w, q, "/", http.StatusFound)
			case "/sw.js":
				http.ServeFile(w, q, filepath.Join(r.dir, "static/sw.js"))
			default:
				if strings.HasPrefix(q.URL.Path, "/static/") {
					static.ServeHTTP(w, q)
					return
				}
				page(404, "Not here", "", true)
			}
		})}
		l, err := net.Listen("tcp", "127.0.0.1:"+r.port)
		require.NoError(t, err)
		go func() { _ = server.Serve(l) }()
		stop := func() { _ = server.Close() }
		t.Cleanup(stop)
		return stop
	}
	return r
}

// realApps are sites made by frameworks that others made. scripts/test --all installs them.
var realApps = map[string]func(t *testing.T) *rendering{
	"flask": func(t *testing.T) *rendering {
		r := renderedApp(t, "flask")
		r.layout, r.public, r.css = "templates/base.html", "static", "static/app.css"
		r.start = func(t *testing.T) func() {
			return process(t, r.port, exec.Command("python3", filepath.Join(r.dir, "app.py"), r.port))
		}
		return r
	},
	"php": func(t *testing.T) *rendering {
		r := renderedApp(t, "php")
		r.layout, r.public, r.css = "layout.php", "public", "public/app.css"
		fpm, err := filepath.Glob("/usr/sbin/php-fpm*")
		require.NoError(t, err)
		require.NotEmpty(t, fpm, "Debian's php-fpm")
		at := t.TempDir() // of what the servers themselves need
		write(t, at, map[string]string{
			"fpm.conf":   fmt.Sprintf("[global]\nerror_log = %[1]s/fpm.log\ndaemonize = no\n[www]\nuser = root\ngroup = root\nlisten = %[1]s/fpm.sock\npm = static\npm.max_children = 4\n", at),
			"nginx.conf": fmt.Sprintf("daemon off;\nuser root;\npid %[1]s/pid;\nerror_log %[1]s/error.log;\nevents {}\nhttp {\ninclude /etc/nginx/mime.types;\naccess_log off;\nclient_body_temp_path %[1]s/b;\nproxy_temp_path %[1]s/p;\nfastcgi_temp_path %[1]s/f;\nuwsgi_temp_path %[1]s/u;\nscgi_temp_path %[1]s/s;\nserver {\nlisten 127.0.0.1:%[2]s;\nroot %[3]s/public;\nlocation / { try_files $uri @page; }\nlocation @page { include /etc/nginx/fastcgi_params; fastcgi_param SCRIPT_FILENAME %[3]s/public/index.php; fastcgi_pass unix:%[1]s/fpm.sock; }\n}\n}\n", at, r.port, r.dir),
		})
		r.start = func(t *testing.T) func() {
			return process(t, r.port, exec.Command(fpm[0], "-R", "-y", filepath.Join(at, "fpm.conf")), exec.Command("/usr/sbin/nginx", "-c", filepath.Join(at, "nginx.conf")))
		}
		return r
	},
	"express": func(t *testing.T) *rendering {
		r := renderedApp(t, "express")
		r.layout, r.public, r.css = "views/head.ejs", "assets", "assets/app.css"
		npm := exec.Command("npm", "install", "--no-save", "--no-audit", "--no-fund", "--silent", "express@4.21.2", "ejs@3.1.10")
		npm.Dir = r.dir
		out, err := npm.CombinedOutput()
		require.NoError(t, err, "%s", out)
		r.start = func(t *testing.T) func() {
			return process(t, r.port, exec.Command("node", filepath.Join(r.dir, "app.js"), r.port))
		}
		return r
	},
}

// edit makes the pages and the style sheet of another edition.
func (r *rendering) edition(t *testing.T, n int) {
	t.Helper()
	write(t, r.dir, map[string]string{"edition.txt": fmt.Sprintf("%d\n", n), r.css: fmt.Sprintf("html { --edition: %d }\nbody { color: #0b4f6c; background: #fff }\n", n)})
}

// kept waits until a page is kept in a browser, or is not.
func kept(t *testing.T, tab context.Context, path string, want bool) {
	t.Helper()
	says(t, tab, fmt.Sprintf(`(async () => { for (const end = Date.now() + 60000; Date.now() < end; await new Promise((r) => setTimeout(r, 30))) if (!!(await caches.match(%q, { cacheName: "tachyform / kept", ignoreVary: true })) === %v) return ""; throw new Error("kept: " + !%v); })()`, path, want, want))
}

// seen gives what a page shows: its heading, its edition, that of its style sheet, and whom it greets.
func seen(t *testing.T, tab context.Context) string {
	t.Helper()
	return says(t, tab, `(() => { const text = (s) => (document.querySelector(s) || { textContent: "-" }).textContent.trim(); return [text("h1"), text("#edition"), getComputedStyle(document.documentElement).getPropertyValue("--edition").trim() || "-", text("#who")].join(" ").trim(); })()`)
}

// TestRendered fits a site that a server makes, and lives with it: a visitor who signs in and out, the server away, a deployment without a fit, one
// with it, and everything taken out again.
func TestRendered(t *testing.T) {
	t.Parallel()
	t.Run("go", func(t *testing.T) {
		t.Parallel()
		renderedLife(t, goApp(t))
	})
	for name, make := range realApps {
		t.Run(name, func(t *testing.T) {
			needsAll(t)
			t.Parallel()
			renderedLife(t, make(t))
		})
	}
}

func renderedLife(t *testing.T, r *rendering) {
	r.edition(t, 1)
	before := readAll(t, r.dir)
	stop := r.start(t)
	defer func() { stop() }()

	// A new user: the draft, the layout, the fit, the answer of the server.
	fine(t, r.dir, "draft", r.address("/"), "--public", r.public)
	draft := string(must(os.ReadFile(filepath.Join(r.dir, "tachyform.toml"))))
	public := map[string]string{"static": "/static/", "assets": "/assets/", "public": "/"}[r.public]
	assert.Contains(t, draft, fmt.Sprintf("public_path = %q  # app.css is sent as", public))
	draft = strings.Replace(draft, "# layout = \"templates/base.html\"", fmt.Sprintf("layout = %q", r.layout), 1)
	draft = strings.Replace(draft, "[icons]\n", "[icons]\neffort = \"quick\"\n", 1)
	if r.public == "assets" { // its server sends the worker with a header
		draft = strings.Replace(draft, `url = "/sw.js"`, `url = "/assets/sw.js"`, 1)
	}
	write(t, r.dir, map[string]string{"tachyform.toml": draft})
	dry := fine(t, r.dir, "fit", "--dry-run")
	assert.Contains(t, dry, "the tags would go into "+r.layout)
	assert.Contains(t, dry, "+++ b/"+r.layout)
	out := fine(t, r.dir, "fit")
	assert.Contains(t, out, "the tags are in "+r.layout)
	assert.Contains(t, out, "is sent as browsers want it")
	if r.public == "static" && strings.HasSuffix(r.layout, "layout.html") {
		assert.Contains(t, out, "on 6 of 7 pages")
	}
	assert.Contains(t, out, "it varies by cookie (Vary: Cookie")
	assert.Contains(t, out, "a form in it holds a token (csrf_token)")
	assert.Contains(t, fine(t, r.dir, "fit"), "nothing to do")
	after := readAll(t, r.dir)

	// What was sent is kept: no server is needed, and both stages see the same.
	stop()
	var seenBoth rehearsal.Report
	on := "embedded"
	if os.Getenv("TACHYFORM_ALL") != "" {
		on = "both"
	}
	require.NoError(t, json.Unmarshal([]byte(fine(t, r.dir, "rehearse", "--format", "json", "--stage", on)), &seenBoth))
	assert.Empty(t, seenBoth.Differences)
	outcome := map[string]string{}
	for _, p := range seenBoth.Pages {
		outcome[p.URL] = string(p.Outcome) + ", once seen " + string(p.Seen)
	}
	assert.Equal(t, "whole, once seen ", outcome["/"])
	assert.Equal(t, "stand-in, once seen whole", outcome["/harbours/rona/"])
	assert.Equal(t, "stand-in, once seen stand-in", outcome["/greet/"])
	assert.Equal(t, "stand-in, once seen stand-in", outcome["/book/"])
	for _, s := range seenBoth.Stories {
		assert.True(t, s.Passed, "%s %v", s.Name, s.Steps)
	}
	audit, errs, code := run(t, r.dir, "audit")
	assert.Equal(t, 0, code, "%s%s", audit, errs)
	assert.Contains(t, audit, "pages/layout-without-tags")
	assert.Contains(t, audit, "updates/names-without-digest")
	assert.NotContains(t, audit, "offline/page-partial")
	assert.Equal(t, after, readAll(t, r.dir), "looking changes nothing")

	// A visitor, who signs in and out.
	stop = r.start(t)
	tab := chrome(t)
	goes(t, tab, r.address("/"))
	until(t, tab, `navigator.serviceWorker.controller`)
	assert.Equal(t, "Skerry Line 1 1", seen(t, tab))
	kept(t, tab, "/", true)
	goes(t, tab, r.address("/harbours/rona/"))
	kept(t, tab, "/harbours/rona/", true)
	goes(t, tab, r.address("/sign-in"))
	assert.Equal(t, "Account 1 1 Anna", seen(t, tab))
	for _, p := range []string{"/timetable/", "/greet/", "/book/"} {
		goes(t, tab, r.address(p))
		assert.Contains(t, seen(t, tab), "1 1 Anna", "online, the visitor gets what is made for them")
	}
	kept(t, tab, "/timetable/", true)
	kept(t, tab, "/greet/", false)
	kept(t, tab, "/book/", false)
	goes(t, tab, r.address("/news/"))
	goes(t, tab, r.address("/sign-out"))
	stop()
	for p, want := range map[string]string{"/": "Skerry Line 1 1", "/harbours/rona/": "Rona 1 1", "/timetable/": "Timetable 1 1"} {
		goes(t, tab, r.address(p))
		assert.Equal(t, want, seen(t, tab), "%s: as everybody gets it, nobody is greeted", p)
	}
	for _, p := range []string{"/account/", "/greet/", "/book/", "/news/", "/harbours/staffin/"} {
		goes(t, tab, r.address(p))
		assert.NotContains(t, seen(t, tab), "Anna", p)
		assert.Contains(t, says(t, tab, `document.title`), "No connection", p)
	}

	// A deployment without a fit: what is new is shown at once, and nothing that does not fit together is kept.
	r.edition(t, 2)
	stop = r.start(t)
	goes(t, tab, r.address("/harbours/rona/"))
	assert.Equal(t, "Rona 2 2", seen(t, tab))
	kept(t, tab, "/harbours/rona/", false)
	goes(t, tab, r.address("/harbours/staffin/"))
	assert.Equal(t, "Staffin 2 2", seen(t, tab))
	stop()
	for _, p := range []string{"/harbours/rona/", "/harbours/staffin/"} {
		goes(t, tab, r.address(p))
		assert.Contains(t, says(t, tab, `document.title`), "No connection", "%s: no page of one deployment with parts of another", p)
	}
	goes(t, tab, r.address("/timetable/"))
	assert.Equal(t, "Timetable 1 1", seen(t, tab), "what was kept before goes with what was stored with it")
	_, said, _ := run(t, r.dir, "rehearse", "--page", "/", "--story", "none")
	assert.Contains(t, said, "is older than "+r.css)

	// With a fit.
	stop = r.start(t)
	fine(t, r.dir, "fit")
	_, said, _ = run(t, r.dir, "rehearse", "--page", "/", "--story", "none")
	assert.NotContains(t, said, "is older than")
	goes(t, tab, r.address("/"))
	says(t, tab, `navigator.serviceWorker.getRegistration().then((r) => r.update()).then(() => "")`)
	says(t, tab, `(async () => { const r = await navigator.serviceWorker.getRegistration(); for (const end = Date.now() + 60000; Date.now() < end; await new Promise((x) => setTimeout(x, 30))) if (r.waiting) return ""; throw new Error("no release waits"); })()`)
	goes(t, tab, "about:blank")
	goes(t, tab, r.address("/"))
	goes(t, tab, r.address("/harbours/rona/"))
	assert.Equal(t, "Rona 2 2", seen(t, tab))
	kept(t, tab, "/harbours/rona/", true)
	stop()
	for p, want := range map[string]string{"/": "Skerry Line 2 2", "/harbours/rona/": "Rona 2 2"} {
		goes(t, tab, r.address(p))
		assert.Equal(t, want, seen(t, tab), p)
	}
	for i := 0; i < 2; i++ { // of the release before, with the parts of that
		goes(t, tab, r.address("/timetable/"))
		assert.Equal(t, "Timetable 1 1", seen(t, tab))
	}

	// Everything is taken out again.
	fine(t, r.dir, "strip")
	r.edition(t, 1)
	left := readAll(t, r.dir)
	relative := func(all map[string]string) map[string]string {
		out := map[string]string{}
		for name, data := range all {
			out[strings.TrimPrefix(name, r.dir+"/")] = data
		}
		return out
	}
	before, left = relative(before), relative(left)
	for name := range left {
		if name == "tachyform.toml" || strings.HasPrefix(name, "snapshot/") || strings.HasPrefix(name, "node_modules/") || strings.Contains(name, "__pycache__") {
			delete(left, name)
		}
	}
	for name := range before {
		if strings.HasPrefix(name, "node_modules/") {
			delete(before, name)
		}
	}
	assert.Equal(t, before, left, "byte for byte")
	_ = chromedp.Cancel(tab)
}

// TestFitOfAServer reads every line that a new user gets who does it all by hand: no layout named, the worker not where it has to be, no server.
func TestFitOfAServer(t *testing.T) {
	t.Parallel()
	r := goApp(t)
	r.edition(t, 1)
	for args, want := range map[string]string{"draft http://127.0.0.1:" + r.port + "/ --public static": "the server, which has to run", "draft http://127.0.0.1:" + r.port + "/": "--public names the folder"} {
		_, errs, code := run(t, r.dir, strings.Fields(args)...)
		assert.Equal(t, 2, code)
		assert.Contains(t, errs, want)
	}
	write(t, r.dir, map[string]string{"tachyform.toml": fmt.Sprintf("address = %q\npublic = \"static\"\npublic_path = \"/static/\"\n[worker]\nurl = \"/static/sw.js\"\n[icons]\neffort = \"quick\"\n", r.address("/"))})
	_, errs, code := run(t, r.dir, "fit")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "the server, which has to run")
	r.start(t)
	assert.Contains(t, fine(t, r.dir, "manifest", "--write"), `<link rel="manifest" href="/static/manifest.webmanifest">`)
	assert.Contains(t, fine(t, r.dir, "strip"), "manifest.webmanifest")
	out := fine(t, r.dir, "fit", "--snippet", "tags.html")
	assert.Contains(t, out, "no template is named")
	assert.Contains(t, out, `<script src="/static/sw-page.js" defer></script>`)
	assert.Contains(t, out, "on none of 7 pages yet")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), `/static/sw.js may be registered for /static/ at most`)
	assert.Contains(t, out, "Service-Worker-Allowed: /")
	assert.Contains(t, string(must(os.ReadFile(filepath.Join(r.dir, "tags.html")))), `<link rel="manifest" href="/static/manifest.webmanifest">`)
	audit, _, _ := run(t, r.dir, "audit", "--fail-on", "never")
	assert.Contains(t, audit, "worker/none", "nothing is pretended")
	rehearse := fine(t, r.dir, "rehearse", "--story", "none")
	assert.Contains(t, rehearse, "8 lost")

	// A template that is not safe to edit is left alone, byte for byte, and its line named.
	unsafe := "{{define \"layout\"}}<html><head>\n{{if .Styled}}\n</head>{{end}}<body></body></html>{{end}}"
	write(t, r.dir, map[string]string{"other.html": unsafe})
	out = fine(t, r.dir, "fit", "--layout", "other.html")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "other.html was left alone: </head> in line 3 stands inside of a part of the template that begins in line 2")
	assert.Equal(t, unsafe, string(must(os.ReadFile(filepath.Join(r.dir, "other.html")))))
	var result present.FitResult
	require.NoError(t, json.Unmarshal([]byte(fine(t, r.dir, "fit", "--format", "json")), &result))
	assert.Equal(t, 7, result.Rendered.Pages)
	assert.NotEmpty(t, result.Arrived.Worker)
	assert.Len(t, result.Arrived.Without, 7)

	// What commands say that cannot work on a server.
	for args, want := range map[string]string{"serve": "come from a server", "headers --for nginx": "come from a server", "fit --out copy": "come from a server", "fit --base /x/": "in its address", "audit --mend": "come from a server", "fit --layout none.html": "no such file", "fit --dry-run --snippet x.html": "--dry-run nothing", "rehearse --next static": "compare shows", "rehearse --base /x/": "in its address", "audit --scripts run": "--scripts is for a folder", "rehearse templates --live": "--live asks the server", "audit templates --live": "--live asks the server", "rules templates --live": "--live asks the server"} {
		_, errs, code := run(t, r.dir, strings.Fields(args)...)
		assert.Equal(t, 2, code, args)
		assert.Contains(t, errs, want, args)
	}
	for text, want := range map[string]string{
		"address = \"http://127.0.0.1:1/\"":                                         "public names the folder",
		"public = \"static\"":                                                       "public goes with address",
		"address = \"ftp://x\"\npublic = \"a\"":                                     "is no http(s) address",
		"address = \"http://x/\"\npublic = \"a\"\nsite = \"b\"":                     "one of the two",
		"address = \"http://x/\"\npublic = \"a\"\npublic_path = \"static\"":         "is no path",
		"address = \"http://x/\"\npublic = \"nowhere\"\n[stow.visited]\nage=\"1s\"": "no time from a minute on",
	} {
		write(t, r.dir, map[string]string{"bad.toml": text})
		_, errs, code := run(t, r.dir, "fit", "--config", "bad.toml")
		assert.Equal(t, 2, code, text)
		assert.Contains(t, errs, want, text)
	}
	assert.Contains(t, fine(t, r.dir, "rules", "/harbours/rona/"), "it is a page of the server")
	assert.Contains(t, fine(t, r.dir, "rules"), "pages of the server")
	assert.Contains(t, fine(t, r.dir, "survey"), "7, starting at /")
	assert.Contains(t, fine(t, r.dir, "retire", "--strip"), "/static/sw.js")
	assert.NotContains(t, fine(t, r.dir, "fit"), "nothing to do")
}

// TestTemplatesAreNotPages names the folder of a server's templates: nothing is edited, and what to do is said.
func TestTemplatesAreNotPages(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"templates/index.html": "<!doctype html><html><head><title>{% block title %}Skerry{% endblock %}</title></head><body></body></html>", "empty/app.php": "<?php"})
	_, errs, code := run(t, dir, "fit", "templates")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "index.html:1 is a template, from which a server makes pages")
	assert.Contains(t, errs, "tachyform draft http://127.0.0.1:8000/ --public FOLDER")
	_, errs, code = run(t, dir, "survey", "empty")
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "when a server makes the pages")
}

// TestRenderedRecipe runs the commands of docs/rendered.md in their order.
func TestRenderedRecipe(t *testing.T) {
	needsAll(t)
	t.Parallel()
	text := string(must(os.ReadFile("../../docs/rendered.md")))
	part := regexp.MustCompile("(?s)<!-- recipe -->\n```sh\n(.*?)```").FindStringSubmatch(text)
	require.Len(t, part, 2)
	r := goApp(t)
	r.edition(t, 1)
	r.start(t)
	before := readAll(t, r.dir)
	for _, line := range strings.Split(strings.TrimSpace(part[1]), "\n") {
		command, comment, ok := strings.Cut(line, "#")
		require.True(t, ok, line)
		want, about, _ := strings.Cut(strings.TrimSpace(comment), ":")
		code, err := strconv.Atoi(want)
		require.NoError(t, err, line)
		args := strings.Fields(strings.ReplaceAll(command, "http://127.0.0.1:8000/", r.address("/")))[1:]
		out, errs, got := run(t, r.dir, args...)
		assert.Equal(t, code, got, "%s\n%s%s", line, out, errs)
		if id := regexp.MustCompile(`[a-z]+/[a-z-]+`).FindString(about); id != "" {
			assert.Contains(t, out, id, line)
		}
	}
	for name, data := range before {
		assert.Equal(t, data, string(must(os.ReadFile(name))), name)
	}
}

// TestServerBelowAFolder is about a site that begins below a folder, whose files are sent from beside it, one under a name with its digest.
func TestServerBelowAFolder(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	layout := "<!DOCTYPE html>\n<html lang=\"en\">\n<head>\n<title>{{title}}</title>\n<link rel=\"stylesheet\" href=\"/files/css/app.3f9c2b71.css\">\n</head>\n<body><h1>{{title}}</h1><a href=\"/ferries/fares\">Fares</a><a href=\"/other/\">Other</a><a href=\"/ferries/gone\">Gone</a></body>\n</html>\n"
	// The map of the pipeline has the name of a web app manifest.
	write(t, dir, map[string]string{"layout.mustache": layout, "public/css/app.css": "body { color: navy }", "public/manifest.json": `{"css/app.css": "css/app.3f9c2b71.css"}`, "public/100% a b.txt": "x"})
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		page := func(status int, title string) {
			w.Header().Set("Content-Type", "text/html; charset=utf-8")
			w.Header().Set("Cache-Control", "private")
			w.WriteHeader(status)
			data, _ := os.ReadFile(filepath.Join(dir, "layout.mustache"))
			fmt.Fprint(w, strings.ReplaceAll(string(data), "{{title}}", title))
		}
		switch {
		case q.URL.Path == "/ferries/":
			page(200, "Skerry")
		case q.URL.Path == "/ferries/fares":
			page(200, "Fares")
		case q.URL.Path == "/ferries/sw.js":
			http.ServeFile(w, q, filepath.Join(dir, "public/sw.js"))
		case strings.HasPrefix(q.URL.Path, "/files/"):
			http.ServeFile(w, q, filepath.Join(dir, "public", strings.Replace(strings.TrimPrefix(q.URL.Path, "/files/"), ".3f9c2b71", "", 1)))
		default:
			page(404, "Lost")
		}
	}))
	defer server.Close()
	fine(t, dir, "draft", server.URL+"/ferries/", "--public", "public")
	draft := string(must(os.ReadFile(filepath.Join(dir, "tachyform.toml"))))
	assert.Contains(t, draft, `public_path = "/files/"  # css/app.css is sent as /files/css/app.3f9c2b71.css`)
	draft = strings.Replace(draft, "# layout = \"templates/base.html\"", `layout = "layout.mustache"`, 1)
	draft = strings.Replace(draft, "[icons]\n", "[icons]\neffort = \"quick\"\n", 1)

	// Files that the server does not send: no page is made to name them.
	write(t, dir, map[string]string{"tachyform.toml": strings.Replace(draft, `"/files/"`, `"/assets/"`, 1)})
	out := fine(t, dir, "fit")
	assert.Contains(t, out, "layout.mustache was left alone: the server does not send what the tags name")
	assert.Contains(t, out, "/assets/favicon.ico is answered with status 404")
	assert.Equal(t, layout, string(must(os.ReadFile(filepath.Join(dir, "layout.mustache")))))
	fine(t, dir, "strip")

	write(t, dir, map[string]string{"tachyform.toml": draft})
	out = fine(t, dir, "fit")
	assert.Contains(t, out, "the tags are in layout.mustache")
	assert.Contains(t, out, "on all 2 pages")
	assert.Contains(t, out, "/ferries/sw.js is sent as browsers want it")
	assert.Contains(t, out, "no page will be kept: of all 2")
	assert.Contains(t, strings.Join(strings.Fields(out), " "), "1 file of the folder is sent under another name, by their content; manifest.json says so, too (css/app.css is sent as css/app.3f9c2b71.css)")
	assert.NotContains(t, out, "do not change with their content")
	assert.Equal(t, `{"css/app.css": "css/app.3f9c2b71.css"}`, string(must(os.ReadFile(filepath.Join(dir, "public/manifest.json")))))
	r := rehearsed(t, dir)
	outcomes := func(r *rehearsal.Report) map[string]string {
		got := map[string]string{}
		for _, p := range r.Pages {
			got[p.URL] = string(p.Outcome) + " " + string(p.Seen)
		}
		return got
	}
	assert.Equal(t, map[string]string{"/ferries/": "stand-in stand-in", "/ferries/fares": "stand-in stand-in"}, outcomes(r), "what is private is not kept")

	write(t, dir, map[string]string{"tachyform.toml": strings.Replace(draft, "private = false", "private = true", 1)})
	fine(t, dir, "fit")
	r = rehearsed(t, dir)
	assert.Equal(t, map[string]string{"/ferries/": "whole ", "/ferries/fares": "stand-in whole"}, outcomes(r), "unless that is asked for: it is what everybody gets")
	require.NoError(t, os.Rename(filepath.Join(dir, "snapshot"), filepath.Join(dir, "before")))
	fine(t, dir, "audit", "--live", "--fail-on", "blocker")
	assert.Contains(t, fine(t, dir, "compare", "before", "snapshot", "--fail-on", "never"), "one tab")
	fine(t, dir, "strip")
	assert.Equal(t, layout, string(must(os.ReadFile(filepath.Join(dir, "layout.mustache")))))
}
