package e2e

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	webserver "tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// webkitHost is a window with WebKitGTK that does what it is told on its standard input, a line of JSON each, and answers in one.
const webkitHost = `
import json, sys, gi
gi.require_version("Gtk", "3.0"); gi.require_version("WebKit2", "4.1")
from gi.repository import Gtk, WebKit2, GLib
data = WebKit2.WebsiteDataManager(base_data_directory=sys.argv[1], base_cache_directory=sys.argv[1] + "/cache")
view = WebKit2.WebView.new_with_context(WebKit2.WebContext.new_with_website_data_manager(data))
window = Gtk.Window(); window.set_default_size(1000, 700); window.add(view); window.show_all()
waiting = [False]
def say(**what):
    print(json.dumps(what), flush=True)
def loaded(view, event):
    if waiting[0] and event == WebKit2.LoadEvent.FINISHED:
        waiting[0] = False
        say(title=view.get_title() or "")
view.connect("load-changed", loaded)
def evaluated(view, result):
    try:
        say(value=view.call_async_javascript_function_finish(result).to_string())
    except GLib.Error as e:
        say(error=str(e))
def told(channel, condition):
    line = sys.stdin.readline()
    if not line:
        Gtk.main_quit(); return False
    m = json.loads(line)
    if "open" in m:
        waiting[0] = True; view.load_uri(m["open"])
    else:
        view.call_async_javascript_function(m["run"], -1, None, None, None, None, evaluated)
    return True
GLib.io_add_watch(GLib.IOChannel.unix_new(0), GLib.IO_IN | GLib.IO_HUP, told)
Gtk.main()
`

// webkit is a WebKitGTK window on a display of its own.
type webkit struct {
	t   *testing.T
	in  io.WriteCloser
	out *bufio.Scanner
}

func startWebkit(t *testing.T) *webkit {
	t.Helper()
	dir := t.TempDir()
	write(t, dir, map[string]string{"host.py": webkitHost})
	cmd := exec.Command("xvfb-run", "-a", "/usr/bin/python3", filepath.Join(dir, "host.py"), filepath.Join(dir, "data"))
	cmd.Env = append(os.Environ(), "GDK_BACKEND=x11", "WEBKIT_DISABLE_DMABUF_RENDERER=1", "LIBGL_ALWAYS_SOFTWARE=1", "HOME="+dir, "WEBKIT_DISABLE_SANDBOX_THIS_IS_DANGEROUS=1")
	in, err := cmd.StdinPipe()
	require.NoError(t, err)
	out, err := cmd.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start(), "a missing browser is a failure here: apt-get install gir1.2-webkit2-4.1 python3-gi xvfb")
	t.Cleanup(func() { in.Close(); _ = cmd.Process.Signal(os.Interrupt); _ = cmd.Wait() })
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 1<<20)
	return &webkit{t, in, lines}
}

func (k *webkit) ask(m map[string]string) (title, value string) {
	k.t.Helper()
	line, err := json.Marshal(m)
	require.NoError(k.t, err)
	_, err = fmt.Fprintf(k.in, "%s\n", line)
	require.NoError(k.t, err)
	require.True(k.t, k.out.Scan(), "the browser ended: %v", m)
	var answer struct{ Title, Value, Error string }
	require.NoError(k.t, json.Unmarshal(k.out.Bytes(), &answer))
	require.Empty(k.t, answer.Error, m)
	return answer.Title, answer.Value
}

// open gives the title of the page; the window itself learns it a moment later.
func (k *webkit) open(url string) string {
	k.t.Helper()
	k.ask(map[string]string{"open": url})
	return k.run("return document.title + (document.body ? '' : ' (nothing)')")
}

// run runs the body of an async function.
func (k *webkit) run(body string) string {
	k.t.Helper()
	_, v := k.ask(map[string]string{"run": body})
	return v
}

// TestPromisesInWebKit installs a worker, opens pages offline, keeps a post, and takes an update.
func TestPromisesInWebKit(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "", "dist/fares/index.html": strings.Replace(start, "Skerry Line", "Fares", 1), "dist/account/index.html": strings.Replace(start, "Skerry Line", "Account", 1),
		"tachyform.toml": "site = \"dist\"\n[stow]\nnever = [\"/account/**\"]\n" + outboxRule})
	fine(t, dir, "fit")
	serve := func() *site.Server {
		s := serverOf(t, filepath.Join(dir, "dist"), "/")
		s.Rules.Answers = []site.AnswerRule{booked}
		return s
	}
	web, err := webserver.Start(serve())
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	k := startWebkit(t)
	assert.Equal(t, "Skerry Line", k.open(web.Origin+"/"))
	k.run(`const r = await navigator.serviceWorker.ready; while (!navigator.serviceWorker.controller) await new Promise((done) => setTimeout(done, 50)); return r.active.state`)
	assert.Equal(t, "Account", k.open(web.Origin+"/account/"), "a page that comes from the network through the worker")
	k.open(web.Origin + "/")
	require.NoError(t, web.SetNetwork(site.Offline))
	assert.Equal(t, "Fares", k.open(web.Origin+"/fares/"))
	assert.Contains(t, k.open(web.Origin+"/nowhere/"), "No connection")
	assert.Equal(t, "Skerry Line", k.open(web.Origin+"/"))
	assert.Equal(t, "202 1", k.run(`const r = await fetch("/api/bookings", {method: "POST", body: "kept"}); return r.status + " " + (await r.json()).waiting`))
	require.NoError(t, web.SetNetwork(site.Online))
	web.Log()
	assert.Equal(t, "sent 201", k.run(`return await new Promise((done) => { addEventListener("app-outbox", ({detail}) => detail.result === "sent" && done(detail.result + " " + detail.status)); dispatchEvent(new Event("online")); })`))
	write(t, dir, map[string]string{"dist/fares/index.html": strings.Replace(start, "Skerry Line", "New fares", 1)})
	fine(t, dir, "fit")
	web.Release(serve())
	k.run(`const r = await navigator.serviceWorker.getRegistration(); await r.update(); while (!r.waiting) await new Promise((done) => setTimeout(done, 50)); return ""`)
	assert.Equal(t, "Fares", k.open(web.Origin+"/fares/"), "the old release stays as long as its page is open")
	k.run(`(await navigator.serviceWorker.getRegistration()).waiting.postMessage("tachyform: take over"); await new Promise((done) => navigator.serviceWorker.addEventListener("controllerchange", done)); return ""`)
	assert.Equal(t, "New fares", k.open(web.Origin+"/fares/"))
}
