package e2e

import (
	"bufio"
	"context"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/charmbracelet/x/ansi"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/creack/pty"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// terminal is the built program in a terminal of 80 columns, where it takes keys.
type terminal struct {
	t             *testing.T
	cmd           *exec.Cmd
	keys          *os.File
	lines         chan string
	said          []string // every line so far
	site, control string
}

// inTerminal starts serve in a terminal and waits until it takes keys.
func inTerminal(t *testing.T, dir string, args ...string) *terminal {
	t.Helper()
	s := &terminal{t: t, cmd: exec.Command(program, append([]string{"serve", "--port", "0"}, args...)...), lines: make(chan string, 10_000)}
	s.cmd.Dir = dir
	s.cmd.Env = append(os.Environ(), "XDG_CONFIG_HOME="+filepath.Join(dir, "own config"), "TERM=xterm-256color", "NO_COLOR=")
	var err error
	s.keys, err = pty.StartWithSize(s.cmd, &pty.Winsize{Rows: 24, Cols: 80})
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.cmd.Process.Kill(); _ = s.keys.Close() })
	go func() {
		for scan := bufio.NewScanner(s.keys); scan.Scan(); {
			s.lines <- strings.TrimRight(ansi.Strip(scan.Text()), "\r")
		}
		close(s.lines) // the program has ended
	}()
	s.until("> online")
	for _, line := range s.said {
		if v, ok := strings.CutPrefix(line, "site      "); ok {
			s.site = v
		}
		if v, ok := strings.CutPrefix(line, "control   "); ok {
			s.control = v
		}
	}
	require.NotEmpty(t, s.control)
	return s
}

// press types a key, and waits for what the program says to it.
func (s *terminal) press(key, says string) {
	s.t.Helper()
	_, err := s.keys.WriteString(key)
	require.NoError(s.t, err)
	s.until(says)
}

// until reads lines until one holds a text.
func (s *terminal) until(text string) {
	s.t.Helper()
	for end := time.After(time.Minute); ; {
		select {
		case line, ok := <-s.lines:
			require.True(s.t, ok, "it ended without saying %q:\n%s", text, strings.Join(s.said, "\n"))
			if s.said = append(s.said, line); strings.Contains(line, text) {
				return
			}
		case <-end:
			require.FailNow(s.t, "it never said "+text, strings.Join(s.said, "\n"))
		}
	}
}

// TestServeKeys goes through what a visitor meets by keys alone, with Chromium before it.
func TestServeKeys(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := map[string]string{"index.html": start, "app.css": "body { color: teal }", "fares/index.html": strings.Replace(start, "Skerry Line", "Fares", 1)}
	for name, data := range files {
		write(t, dir, map[string]string{"dist/" + name: data, "next/" + name: strings.ReplaceAll(data, "<title>", "<title>New ")})
	}
	write(t, dir, map[string]string{"tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	s := inTerminal(t, dir, "dist", "--fitted", "--next", "next")
	page := chrome(t)
	goes(t, page, s.site)
	says(t, page, `navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? "" : new Promise((done) => { r.active.onstatechange = () => done(""); }))`)
	const asks = `fetch("/nowhere?" + Math.random()).then((r) => String(r.status), () => "rejected")`

	s.press("f", "> offline")
	goes(t, page, s.site+"fares/")
	assert.Equal(t, "Fares rejected", says(t, page, `(async () => document.title + " " + await `+asks+`)()`))
	s.press("e", "> failing")
	assert.Equal(t, "503", says(t, page, asks))
	s.press("o", "> online")
	assert.Equal(t, "404", says(t, page, asks))

	s.press("n", "release 2 of 2")
	says(t, page, `navigator.serviceWorker.getRegistration().then((r) => r.update()).then(() => "")`)
	until(t, page, `(navigator.serviceWorker.getRegistration().then((r) => { self.waits = !!r.waiting; }), self.waits)`)
	s.press("n", "there is no newer release")
	s.press("b", "release 1 of 2")

	s.press("a", "worker aside")
	s.press("l", "newest build")
	s.press("f", "> offline")
	assert.NotContains(t, s.said[len(s.said)-1], "newest", "rehearsing is of what visitors get")
	s.press("o", "> online")
	says(t, page, `caches.open("somebody else's").then(() => "")`)
	s.press("c", "the next page empties the browser")
	goes(t, page, s.site)
	s.until("> online") // also with a worker before it that answers every page: it is replaced, and leads the page to the network
	require.Eventually(t, func() bool {
		ctx, cancel := context.WithTimeout(page, 10*time.Second)
		defer cancel()
		left, err := chromedp.Run(ctx, chromedp.Evaluate[string](`caches.has("somebody else's").then(String)`, func(p *runtime.EvaluateParams) { yes := true; p.AwaitPromise = &yes }))
		return err == nil && left == "false" // while it is led, there is nothing to ask
	}, time.Minute, 100*time.Millisecond)

	_, err := s.keys.WriteString("q")
	require.NoError(t, err)
	require.NoError(t, s.cmd.Wait(), "q is the right end")
	for line := range s.lines {
		s.said = append(s.said, line)
	}
	for _, line := range s.said {
		assert.LessOrEqual(t, len([]rune(line)), 80, line)
	}
}

// TestServeInFirefox installs, goes offline by a key and by the control, and finds the release that was built meanwhile.
func TestServeInFirefox(t *testing.T) {
	needsAll(t)
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": start, "dist/app.css": "", "dist/fares/index.html": strings.Replace(start, "Skerry Line", "Fares", 1), "tachyform.toml": "[icons]\neffort = \"quick\"\n"})
	s := inTerminal(t, dir, "dist", "--fitted", "--watch")
	f := startFirefox(t)
	require.NoError(t, f.open(s.site))
	f.evaluate(`navigator.serviceWorker.ready.then((r) => r.active.state === "activated" ? "" : new Promise((done) => { r.active.onstatechange = () => done(""); }))`)
	order := func(what string) {
		t.Helper()
		res, err := http.Post(s.control+"do", "application/json", strings.NewReader(what))
		require.NoError(t, err)
		res.Body.Close()
		require.Equal(t, 204, res.StatusCode)
	}
	for _, offline := range []func(){func() { s.press("f", "> offline") }, func() { order(`{"network": "offline"}`) }} {
		offline()
		require.NoError(t, f.open(s.site+"fares/"))
		assert.Equal(t, "Fares", f.evaluate("document.title"))
		s.press("o", "> online")
		require.NoError(t, f.open(s.site))
	}
	write(t, dir, map[string]string{"dist/index.html": strings.Replace(start, "<title>Skerry Line", "<title>Built anew", 1)})
	s.until("release 2 of 2")
	assert.Equal(t, "new", f.evaluate(`navigator.serviceWorker.getRegistration().then(async (r) => { await r.update(); return r.waiting || r.installing ? "new" : "none"; })`))
}
