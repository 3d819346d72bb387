package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestGuide runs every command of docs/guide.md. What goes on is done in one folder; a recipe with a name of its own begins anew, with a site that suits it.
func TestGuide(t *testing.T) {
	t.Parallel()
	text := string(must(os.ReadFile("../../docs/guide.md")))
	const worker = `onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	demo := func(dir string) { require.NoError(t, os.CopyFS(dir, os.DirFS("../../demo/site"))) }
	sites := map[string]func(dir string){
		"": func(dir string) { demo(filepath.Join(dir, "dist")) },
		"plain": func(dir string) {
			write(t, dir, map[string]string{"site/index.html": start, "site/app.css": "", "site/fares/index.html": start})
		},
		"apps": func(dir string) {
			write(t, dir, map[string]string{"boats/index.html": strings.Replace(start, "/app.css", "app.css", 1), "boats/app.css": "", "crew/index.html": strings.Replace(start, "/app.css", "app.css", 1), "crew/app.css": ""})
		},
		"worker": func(dir string) {
			write(t, dir, map[string]string{"old/index.html": strings.Replace(start, "</body>", `<script>navigator.serviceWorker.register("/sw.js")</script></body>`, 1), "old/app.css": "", "old/sw.js": worker})
		},
	}
	going := t.TempDir()
	sites[""](going)
	file := ""
	ran := 0
	for _, m := range regexp.MustCompile("(?s)<!-- (run|file)(?:: ([a-z.]+))? -->\n```[a-z]+\n(.*?)```").FindAllStringSubmatch(text, -1) {
		if m[1] == "file" {
			file = m[3]
			continue
		}
		dir := going
		if m[2] != "" {
			dir = t.TempDir()
			sites[m[2]](dir)
		}
		write(t, dir, map[string]string{"tachyform.toml": file + "\n[icons]\neffort = \"quick\"\n"})
		file = ""
		for _, line := range strings.Split(strings.TrimSpace(m[3]), "\n") {
			command, comment, ok := strings.Cut(line, " # ")
			require.True(t, ok, line)
			want, about, _ := strings.Cut(comment, ":")
			code, err := strconv.Atoi(want)
			require.NoError(t, err, line)
			sh := exec.Command("sh", "-c", command)
			sh.Dir = dir
			sh.Env = append(os.Environ(), "PATH="+filepath.Dir(program)+":"+os.Getenv("PATH"))
			out, _ := sh.CombinedOutput()
			assert.Equal(t, code, sh.ProcessState.ExitCode(), "%s\n%s", line, out)
			if id := regexp.MustCompile(`[a-z]+/[a-z-]+`).FindString(about); id != "" && !strings.Contains(about, " /") {
				assert.Contains(t, string(out), id, line)
			}
			ran++
		}
	}
	assert.Greater(t, ran, 25)
	assert.Equal(t, ran, len(regexp.MustCompile(`(?m)^tachyform .*  ?# [0-3]`).FindAllString(text, -1)), "every command with a status is run")
}
