//go:build linux

package e2e

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestHostileSites runs the program, as a process of its own, on what is made to break it: it comes to an end with a word and a right exit status, within
// bounds of memory and output, and touches nothing outside. Those that take their time on purpose are run with everything.
func TestHostileSites(t *testing.T) {
	t.Parallel()
	const memory = 1_900 // MB; what is bounded to 512 MB and a half more, and what the collector needs besides
	page := func(head, body string) string {
		return `<!doctype html><html lang=en><head><title>T</title>` + head + `</head><body>` + body + `<script>navigator.serviceWorker && navigator.serviceWorker.register("/sw.js")</script></body></html>`
	}
	worker := func(source string) map[string]string {
		return map[string]string{"index.html": page("", "x"), "sw.js": source}
	}
	many := func(n int, format string) string {
		var b strings.Builder
		for i := range n {
			fmt.Fprintf(&b, format, i)
		}
		return b.String()
	}
	manifest := func(m string) map[string]string {
		return map[string]string{"index.html": page("<link rel=manifest href=m.json>", "x"), "m.json": m}
	}
	rooms := map[string]string{"index.html": "<!doctype html><title>Rooms</title>"}
	for i := range 60 {
		rooms[fmt.Sprintf("rooms/%d.txt", i)] = "room"
	}
	const rehearse, audit, fit = "rehearse site --story none", "audit site --fail-on never", "fit site"
	for name, c := range map[string]struct {
		files  map[string]string
		toml   string
		runs   []string
		status int
		says   string
		slow   bool
		make   func(dir string) error
	}{
		"a list of enormous length":        {files: worker("let a = []; a.length = 4294967295; a.map((x) => x)"), runs: []string{rehearse}, says: "RangeError"},
		"a message that never comes":       {files: worker("onfetch = () => { throw {name: 'x', get message() { for (;;) {} }}; };"), runs: []string{rehearse}, says: "ran for more than 5s", slow: true},
		"a worker that hangs":              {files: worker("onfetch = () => { for (;;) {} };"), runs: []string{rehearse}, says: "ran for more than 5s", slow: true},
		"messages back and forth":          {files: worker("const a = new BroadcastChannel('x'), b = new BroadcastChannel('x'); a.onmessage = () => a.postMessage(1); b.onmessage = () => b.postMessage(1); a.postMessage(1); onfetch = () => {};"), runs: []string{rehearse}, says: "was ended", slow: true},
		"functions bound for ever":         {files: worker("let f = () => 1; for (let i = 0; i < 3e7; i++) f = f.bind(null, i); f(); onfetch = () => {};"), runs: []string{rehearse}, slow: true},
		"texts joined to ten gigabytes":    {files: worker("new Array(1e6).fill('x'.repeat(1e4)).join('y'); onfetch = () => {};"), runs: []string{rehearse}, status: 3, says: "in one call that cannot be ended", slow: true},
		"enormous errors":                  {files: worker("onfetch = () => { throw new Error('x'.repeat(1 << 26)); };"), runs: []string{rehearse}, says: "bytes more", slow: true},
		"stores without end":               {files: worker("onfetch = (e) => e.waitUntil((async () => { for (let i = 0; ; i++) await caches.open('s' + i); })());"), runs: []string{rehearse}, says: "was ended", slow: true},
		"a hundred thousand theme colours": {files: map[string]string{"index.html": page(many(100_000, "<meta name=theme-color content='#%06d'>"), "")}, runs: []string{fit, audit}},
		"a tag of many attributes":         {files: map[string]string{"index.html": page("<meta "+many(300_000, "a%d=x ")+">", "")}, runs: []string{fit, audit}},
		"members twice":                    {files: manifest("{" + strings.TrimSuffix(many(100_000, `"name": "x%d",`), ",") + "}"), runs: []string{"manifest site", audit}},
		"an enormous manifest":             {files: manifest(`{"name": "` + strings.Repeat("x", 50_000_000) + `"}`), runs: []string{audit}, says: "larger than 8 MB"},
		"a configuration of many keys":     {files: map[string]string{"index.html": page("", "")}, toml: many(100_000, "k%d = 1\n"), runs: []string{fit}, status: 2, says: "more than 2000 keys"},
		"rules by the thousand":            {files: rooms, toml: "[icons]\neffort = \"quick\"\n" + many(4_000, "[[rule]]\nmatch = \"/api/x%d/:id\"\nanswer = \"network-first\"\n"), runs: []string{"rules site", fit}, slow: true},
		"a story of many steps":            {files: map[string]string{"index.html": page("", "")}, toml: "[[story]]\nname = \"x\"\nsteps = [" + strings.Repeat("\"network offline\", ", 100_000) + "]\n", runs: []string{fit}, status: 2, says: "more than 1000 elements"},
		"pipes in the place of files":      {files: map[string]string{"index.html": page("", "")}, runs: []string{"fit site --config pipe", "fit site --master pipe", "audit site --baseline pipe", "icons pipe --out icons"}, status: 2, says: "is a pipe, and not a file", make: func(dir string) error { return syscall.Mkfifo(filepath.Join(dir, "pipe"), 0o600) }},
		"a device without end":             {files: map[string]string{"index.html": page("", "")}, runs: []string{"fit site --config /dev/zero", "icons /dev/zero --out icons"}, status: 2, says: "is a device, and not a file"},
		"a lock that leads elsewhere": {files: map[string]string{"index.html": page("", ""), ".tachyform/.gitignore": ""}, runs: []string{fit}, status: 3, says: ".tachyform/lock is a link, and not a file", make: func(dir string) error {
			return os.Symlink(filepath.Join(dir, "outside"), filepath.Join(dir, "site", ".tachyform", "lock"))
		}},
		"what terminals obey": {files: map[string]string{"index.html": page("<title>\x1b]0;owned\x07</title>", "<a href='/\u202e\x1b[2J'>x</a>"), "f\x1b[2J.html": "x"}, runs: []string{"survey site", "audit site --fail-on never --format html", "audit site --fail-on never --format markdown", "fit site/\x1b[2J"}, status: -1},
	} {
		t.Run(name, func(t *testing.T) {
			if c.slow {
				needsAll(t)
			}
			t.Parallel()
			dir := t.TempDir()
			files := map[string]string{"tachyform.toml": c.toml}
			for k, v := range c.files {
				files["site/"+k] = v
			}
			write(t, dir, files)
			if c.make != nil {
				require.NoError(t, c.make(dir))
			}
			for _, line := range c.runs {
				ctx, cancel := context.WithTimeout(context.Background(), 2*time.Minute) // against waiting for ever; it is over in seconds
				defer cancel()
				cmd := exec.CommandContext(ctx, program, strings.Split(line, " ")...)
				cmd.Dir = dir
				var out bytes.Buffer
				cmd.Stdout, cmd.Stderr = &out, &out
				_ = cmd.Run()
				require.NoError(t, ctx.Err(), line)
				text := out.String()
				if c.status >= 0 {
					assert.Equal(t, c.status, cmd.ProcessState.ExitCode(), "%s\n%.2000s", line, text)
				}
				assert.Contains(t, text, c.says, line)
				assert.NotContains(t, text, "goroutine ", "no trace of the stack")
				assert.NotContains(t, text, "\x1b")
				assert.NotContains(t, text, "\u202e")
				assert.Less(t, len(text), 2_000_000, line)
				if used, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
					assert.Less(t, int(used.Maxrss/1024), memory, "%s: MB", line)
				}
			}
			left, err := os.ReadDir(dir)
			require.NoError(t, err)
			for _, e := range left {
				assert.Contains(t, []string{"site", "tachyform.toml", "pipe"}, e.Name(), "nothing outside of the site")
			}
		})
	}
}
