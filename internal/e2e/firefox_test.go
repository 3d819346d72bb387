package e2e

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/websocket"

	"tachyform.dev/tachyform/demo"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// firefox is a headless Firefox, driven over WebDriver BiDi.
type firefox struct {
	t    *testing.T
	conn *websocket.Conn
	tab  string
	last int
	logs []string // errors in the console
}

// startFirefox starts a Firefox with a fresh profile.
func startFirefox(t *testing.T) *firefox {
	t.Helper()
	path, err := exec.LookPath("firefox-esr")
	require.NoError(t, err, "a missing browser is a failure here: apt-get install firefox-esr")
	profile := t.TempDir()
	write(t, profile, map[string]string{"user.js": `user_pref("dom.serviceWorkers.enabled", true);
user_pref("app.update.enabled", false);
user_pref("network.captive-portal-service.enabled", false);
user_pref("network.connectivity-service.enabled", false);
user_pref("datareporting.policy.dataSubmissionEnabled", false);
`})
	const origin = "http://localhost"
	ctx, cancel := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, path, "--headless", "--no-remote", "--profile", profile, "--remote-debugging-port", "0", "--remote-allow-origins", origin)
	cmd.Env = append(os.Environ(), "HOME="+profile)
	errs, err := cmd.StderrPipe()
	require.NoError(t, err)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { cancel(); _ = cmd.Wait() })
	address := ""
	for lines := bufio.NewScanner(errs); lines.Scan(); {
		if _, at, ok := strings.Cut(lines.Text(), "WebDriver BiDi listening on "); ok {
			address = strings.TrimSpace(at)
			break
		}
	}
	require.NotEmpty(t, address, "Firefox listens for its driver")
	go func() {
		for lines := bufio.NewScanner(errs); lines.Scan(); {
			continue // so that it is never held up by what it says
		}
	}()
	conn, err := websocket.Dial(address+"/session", "", origin)
	require.NoError(t, err)
	t.Cleanup(func() { conn.Close() })
	f := &firefox{t: t, conn: conn}
	f.call("session.new", map[string]any{"capabilities": map[string]any{}}, nil)
	var tree struct{ Contexts []struct{ Context string } }
	f.call("browsingContext.getTree", map[string]any{}, &tree)
	require.NotEmpty(t, tree.Contexts)
	f.tab = tree.Contexts[0].Context
	f.call("session.subscribe", map[string]any{"events": []string{"log.entryAdded"}}, nil)
	return f
}

// command asks the browser for something; err is the browser's refusal.
func (f *firefox) command(method string, params any, result any) error {
	f.t.Helper()
	f.last++
	require.NoError(f.t, f.conn.SetDeadline(time.Now().Add(4*time.Minute)))
	require.NoError(f.t, websocket.JSON.Send(f.conn, map[string]any{"id": f.last, "method": method, "params": params}))
	for {
		var m struct {
			ID             int
			Type           string
			Method         string
			Params         struct{ Level, Text string }
			Error, Message string
			Result         json.RawMessage
		}
		require.NoError(f.t, websocket.JSON.Receive(f.conn, &m))
		switch {
		case m.Method == "log.entryAdded" && m.Params.Level == "error":
			f.logs = append(f.logs, m.Params.Text)
		case m.ID == f.last && m.Type == "error":
			return fmt.Errorf("%s: %s", m.Error, m.Message)
		case m.ID == f.last && result != nil:
			return json.Unmarshal(m.Result, result)
		case m.ID == f.last:
			return nil
		}
	}
}

func (f *firefox) call(method string, params any, result any) {
	f.t.Helper()
	require.NoError(f.t, f.command(method, params, result), method)
}

// newTab opens a tab and closes the one before.
func (f *firefox) newTab() {
	f.t.Helper()
	var made struct{ Context string }
	f.call("browsingContext.create", map[string]any{"type": "tab"}, &made)
	f.call("browsingContext.close", map[string]any{"context": f.tab}, nil)
	f.tab = made.Context
}

// open navigates and waits for the page's load event.
func (f *firefox) open(url string) error {
	f.t.Helper()
	return f.command("browsingContext.navigate", map[string]any{"context": f.tab, "url": url, "wait": "complete"}, nil)
}

// evaluate runs a script in the page and gives the text that it promises.
func (f *firefox) evaluate(script string) string {
	f.t.Helper()
	var r struct {
		Type   string
		Result struct{ Value any }
	}
	f.call("script.evaluate", map[string]any{"expression": script, "target": map[string]any{"context": f.tab}, "awaitPromise": true}, &r)
	require.Equal(f.t, "success", r.Type, script)
	return fmt.Sprint(r.Result.Value)
}

// rested waits for what the demo's pages fetch: Firefox reports what is cut off by leaving a page as an error.
func (f *firefox) rested() string {
	f.t.Helper()
	return f.evaluate(`fetch("/data/departures.json").then((r) => r.status)`)
}

// TestDemoInFirefox installs the demo's worker in Firefox, opens every page offline, and updates.
func TestDemoInFirefox(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	site1 := filepath.Join(dir, "site")
	_, err := demo.Write(site1)
	require.NoError(t, err)
	fine(t, dir, "fit", "site")
	web, err := serve.Start(serverOf(t, site1, "/"))
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	f := startFirefox(t)
	require.NoError(t, f.open(web.Origin+"/"))
	assert.Equal(t, "activated", f.evaluate(`navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? r.active.state : new Promise((done) => { r.active.onstatechange = () => done(r.active.state); }))`))
	require.NoError(t, web.SetNetwork(site.Offline))
	s := serverOf(t, site1, "/").Site
	for _, p := range s.Pages() {
		if p.Path == "account/index.html" {
			continue // it looks personal and is not stored
		}
		require.NoError(t, f.open(web.Origin+p.URL), p.URL)
		assert.Equal(t, "200", f.rested(), p.URL)
		assert.Equal(t, "true 0", f.evaluate(`[!!navigator.serviceWorker.controller, [...document.images].filter((i) => i.complete && !i.naturalWidth && i.currentSrc).length].join(" ")`), p.URL)
		assert.NotEqual(t, "", f.evaluate(`[...document.styleSheets].map((s) => s.cssRules.length).join()`), p.URL)
	}
	require.NoError(t, f.open(web.Origin+"/account/"))
	assert.Contains(t, f.evaluate("document.title"), "No connection")

	require.NoError(t, web.SetNetwork(site.Online))
	about := filepath.Join(site1, "about", "index.html")
	data, err := os.ReadFile(about)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(about, []byte(strings.Replace(string(data), "<title>", "<title>New: ", 1)), 0o644))
	fine(t, dir, "fit", "site")
	web.Release(serverOf(t, site1, "/"))
	web.Log()
	require.NoError(t, f.open(web.Origin+"/"))
	f.evaluate(`navigator.serviceWorker.getRegistration().then((r) => r.update().then(() => r.waiting ? "" : new Promise((done) => {
		const w = r.installing; if (!w) return done(""); w.onstatechange = () => { if (w.state === "installed") done(""); }; })))`)
	var fetched []string
	for _, r := range web.Log() {
		if !strings.Contains(r.URL, "icon") && r.URL != "/" && !strings.HasPrefix(r.URL, "/data/") && !strings.Contains(r.URL, "manifest") {
			fetched = append(fetched, r.URL)
		}
	}
	assert.Contains(t, fetched, "/about/")
	assert.NotContains(t, strings.Join(fetched, " "), "/assets/", "what has not changed is not fetched again")
	require.NoError(t, f.open(web.Origin+"/about/"))
	f.rested()
	assert.NotContains(t, f.evaluate("document.title"), "New: ", "the old release stays as long as its page is open")
	f.newTab() // a page that was left is kept for the way back, and with it its release: only a closed tab is gone
	deadline := time.Now().Add(20 * time.Second)
	for title := ""; !strings.HasPrefix(title, "New: "); f.newTab() {
		require.True(t, time.Now().Before(deadline), "the new release never took over: %s", title)
		require.NoError(t, f.open(web.Origin+"/about/"))
		f.rested()
		title = f.evaluate("document.title")
	}
	assert.Empty(t, f.logs, "the console holds no error")
}

// TestPromisesInFirefox is about what differs there: pages by a rule without a network, the outbox, and a sound played from the middle.
func TestPromisesInFirefox(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	const rate, seconds = 8000, 4
	wav := "RIFF" + le(36+rate*seconds, 4) + "WAVEfmt " + le(16, 4) + le(1, 2) + le(1, 2) + le(rate, 4) + le(rate, 4) + le(1, 2) + le(8, 2) + "data" + le(rate*seconds, 4) + strings.Repeat("\x80\x90\xa0\x90\x80\x70\x60\x70", rate*seconds/8)
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "", "dist/horn.wav": wav, "dist/news/index.html": strings.Replace(start, "Skerry Line", "News", 1),
		"tachyform.toml": "site = \"dist\"\n[stow]\nnow = [\"/\", \"/app.css\", \"/horn.wav\"]\n[[rule]]\nmatch = \"/news/*\"\nanswer = \"network-first\"\n" + outboxRule})
	fine(t, dir, "fit")
	server := serverOf(t, filepath.Join(dir, "dist"), "/")
	server.Rules.Answers = []site.AnswerRule{booked}
	web, err := serve.Start(server)
	require.NoError(t, err)
	t.Cleanup(func() { _ = web.Stop() })
	f := startFirefox(t)
	require.NoError(t, f.open(web.Origin+"/"))
	f.evaluate(`navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? "" : new Promise((done) => { r.active.onstatechange = () => done(""); }))`)
	require.NoError(t, f.open(web.Origin+"/news/"))
	assert.Equal(t, "News", f.evaluate("document.title"))
	require.NoError(t, f.open(web.Origin+"/"))
	require.NoError(t, web.SetNetwork(site.Offline))
	require.NoError(t, f.open(web.Origin+"/news/"), "a page that a rule keeps")
	assert.Equal(t, "News", f.evaluate("document.title"))
	require.NoError(t, f.open(web.Origin+"/news/other"), "a page that nobody has")
	assert.Contains(t, f.evaluate("document.title"), "No connection")
	require.NoError(t, f.open(web.Origin+"/"))
	assert.Equal(t, "202 1", f.evaluate(`fetch("/api/bookings", {method: "POST", body: "kept"}).then(async (r) => [r.status, (await r.json()).waiting].join(" "))`))
	assert.Equal(t, "4,3", f.evaluate(`(async () => {
		const a = new Audio("/horn.wav"); a.muted = true;
		const once = (type) => new Promise((done, fail) => { a.addEventListener(type, done, {once: true}); a.addEventListener("error", () => fail(new Error(a.error.message)), {once: true}); });
		await once("canplaythrough");
		a.currentTime = 3; await once("seeked");
		return [a.duration, a.currentTime].join();
	})()`))
	web.Log()
	require.NoError(t, web.SetNetwork(site.Online))
	assert.Equal(t, "sent 201", f.evaluate(`new Promise((done) => { addEventListener("app-outbox", ({detail}) => detail.result === "sent" && done(detail.result + " " + detail.status)); dispatchEvent(new Event("online")); })`))
	var bodies []string
	for _, r := range web.Log() {
		if r.Method == "POST" {
			bodies = append(bodies, string(r.Body))
		}
	}
	assert.Equal(t, []string{"kept"}, bodies)
}
