package e2e

import (
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// hosts are real web servers: how each is given the configuration that headers writes, and started.
var hosts = map[string]func(t *testing.T, dir string, port int, text string) (check, start *exec.Cmd){
	"nginx": func(t *testing.T, dir string, port int, text string) (*exec.Cmd, *exec.Cmd) {
		text = strings.Replace(text, "listen 80;", fmt.Sprintf("listen 127.0.0.1:%d;", port), 1)
		write(t, dir, map[string]string{"nginx.conf": fmt.Sprintf("daemon off;\nuser root;\npid %[1]s/pid;\nerror_log stderr;\nevents {}\nhttp {\ninclude /etc/nginx/mime.types;\naccess_log off;\nclient_body_temp_path %[1]s/b;\nproxy_temp_path %[1]s/p;\nfastcgi_temp_path %[1]s/f;\nuwsgi_temp_path %[1]s/u;\nscgi_temp_path %[1]s/s;\n%[2]s}\n", dir, text)})
		conf := filepath.Join(dir, "nginx.conf")
		return exec.Command("/usr/sbin/nginx", "-t", "-q", "-c", conf), exec.Command("/usr/sbin/nginx", "-c", conf)
	},
	"apache": func(t *testing.T, dir string, port int, text string) (*exec.Cmd, *exec.Cmd) {
		write(t, dir, map[string]string{"dist/.htaccess": text})
		modules := ""
		for _, m := range []string{"mpm_event", "authz_core", "dir", "mime", "headers", "rewrite", "alias", "deflate", "filter"} {
			modules += fmt.Sprintf("LoadModule %s_module /usr/lib/apache2/modules/mod_%s.so\n", m, m)
		}
		write(t, dir, map[string]string{"httpd.conf": fmt.Sprintf("%[3]sServerName localhost\nListen 127.0.0.1:%[2]d\nPidFile %[1]s/apache.pid\nErrorLog %[1]s/error.log\nTypesConfig /etc/mime.types\nDefaultRuntimeDir %[1]s\nDocumentRoot %[1]s/dist\n<Directory %[1]s/dist>\nAllowOverride All\nRequire all granted\n</Directory>\n", dir, port, modules)})
		conf := filepath.Join(dir, "httpd.conf")
		return exec.Command("/usr/sbin/apache2", "-t", "-f", conf), exec.Command("/usr/sbin/apache2", "-X", "-f", conf)
	},
	"caddy": func(t *testing.T, dir string, port int, text string) (*exec.Cmd, *exec.Cmd) {
		text = strings.Replace(text, "\n:80 {", fmt.Sprintf("\nhttp://127.0.0.1:%d {", port), 1)
		write(t, dir, map[string]string{"Caddyfile": "{\n\tadmin off\n\tauto_https off\n}\n" + text})
		conf := filepath.Join(dir, "Caddyfile")
		return exec.Command("/usr/bin/caddy", "validate", "--adapter", "caddyfile", "--config", conf), exec.Command("/usr/bin/caddy", "run", "--adapter", "caddyfile", "--config", conf)
	},
}

// started gives a real server a configuration, has it check that, starts it, and gives its address.
func started(t *testing.T, name, dir, text string) string {
	t.Helper()
	binary := map[string]string{"nginx": "/usr/sbin/nginx", "apache": "/usr/sbin/apache2", "caddy": "/usr/bin/caddy"}[name]
	if _, err := os.Stat(binary); err != nil && name != "nginx" && os.Getenv("TACHYFORM_ALL") == "" {
		t.Skip("scripts/test --all installs it")
	}
	require.NoError(t, os.Chmod(dir, 0o755))
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	port := l.Addr().(*net.TCPAddr).Port
	l.Close()
	check, begin := hosts[name](t, dir, port, text)
	out, err := check.CombinedOutput()
	require.NoError(t, err, "%s", out)
	begin.Env = append(os.Environ(), "HOME="+dir, "XDG_DATA_HOME="+dir, "XDG_CONFIG_HOME="+dir)
	require.NoError(t, begin.Start())
	t.Cleanup(func() {
		_ = begin.Process.Signal(syscall.SIGTERM)
		_ = begin.Wait()
	})
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err == nil {
			c.Close()
		}
		return err == nil
	}, 20*time.Second, 10*time.Millisecond)
	return fmt.Sprintf("http://127.0.0.1:%d", port)
}

// answerOf asks a server, and gives the status, the body as it was before it was compressed, the headers, and where it leads.
func answerOf(t *testing.T, address string) (status int, body string, h http.Header) {
	t.Helper()
	c := &http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := c.Get(address) // compressed on its way, and unpacked by the client
	require.NoError(t, err)
	defer r.Body.Close()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, string(data), r.Header
}

// TestHeaders gives real servers what headers writes, and compares what they answer with what serve answers.
func TestHeaders(t *testing.T) {
	t.Parallel()
	files := map[string]string{
		"dist/index.html": start, "dist/app.css": "body { color: teal }" + strings.Repeat("/* sea */", 90), "dist/fares/index.html": start, "dist/about.html": start, "dist/404.html": "<!doctype html><title>Lost</title>",
		"dist/assets/app.3f9c2b71.js": "1", "dist/assets/a-BX3kd9aQ.css": "a {}", "dist/mixed/b.77aa2b71.js": "2", "dist/mixed/plain.js": "3", "dist/a b/100% ä.html": start, "dist/a b/x [1]+(2).css": "i {}",
		"dist/planner/index.html": "<!doctype html><title>Planner</title>", "dist/planner/list.json": "[]", "dist/map.avif": "avif", "dist/lib.mjs": "export {}",
		"tachyform.toml": `site = "dist"
[icons]
effort = "quick"
[server]
clean = true
[[server.header]]
path = "/**"
name = "X-Content-Type-Options"
value = "nosniff"
[[server.header]]
path = "/a%20b/**"
name = "X-Served"
value = "\"100%\" of \\ it"
[[server.redirect]]
from = "/sailings"
to = "/fares/"
status = 302
`}
	for _, name := range []string{"nginx", "apache", "caddy", "nginx only", "apache only", "caddy only"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			dir := t.TempDir()
			write(t, dir, files)
			name, only, _ := strings.Cut(name, " ")
			if only != "" {
				write(t, dir, map[string]string{"tachyform.toml": strings.Replace(files["tachyform.toml"], "clean = true", "clean_only = true", 1)})
			}
			fine(t, dir, "fit")
			theirs := started(t, name, dir, fine(t, dir, "headers", "dist", "--for", name, "--clear", "--root", filepath.Join(dir, "dist")))

			c, err := config.Read(filepath.Join(dir, "tachyform.toml"))
			require.NoError(t, err)
			s, err := site.Open(filepath.Join(dir, "dist"), "/")
			require.NoError(t, err)
			defer s.Close()
			rules, err := c.SiteRules()
			require.NoError(t, err)
			b, _, err := serve.StartBench([]serve.Release{{Name: "one", Server: site.NewServer(s, rules)}}, serve.BenchOptions{Host: "127.0.0.1", Base: "/"})
			require.NoError(t, err)
			defer func() { _ = b.Stop() }()
			ours := strings.TrimSuffix(b.Site, "/")
			plan := hosting.Of(s, rules, hosting.Options{Clear: true})

			addresses := []string{"/.tachyform/record.json", "/sailings", "/fares", "/about", "/missing", "/missing.js", "/assets/gone.3f9c2b71.js", "/fares/?a=b", "/about.html?a=b%20c", "/a%20b/100%25%20%C3%A4", "/fares/index.html?q", "/gone.html", "/app.css?v=1"}
			for _, f := range s.Files {
				addresses = append(addresses, f.URL)
			}
			for _, u := range addresses {
				status, body, h := answerOf(t, ours+u)
				if only != "" && strings.Contains(u, ".html") {
					require.Equal(t, 301, status, u)
				}
				gotStatus, gotBody, got := answerOf(t, theirs+u)
				path, _, _ := strings.Cut(u, "?")
				if status >= 300 && status < 400 {
					assert.Equal(t, h.Get("Location"), regexp.MustCompile(`^http://[^/]*`).ReplaceAllString(got.Get("Location"), ""), u)
					assert.Contains(t, []int{301, 302, 308}, gotStatus, u)
					continue
				}
				assert.Equal(t, status, gotStatus, u)
				assert.Equal(t, body, gotBody, u)
				if status != 200 {
					assert.NotContains(t, got.Get("Cache-Control"), "immutable", "%s: an error is not kept", u)
					continue
				}
				for name, value := range plan.HeadersFor(path) {
					assert.Equal(t, []string{value}, got.Values(name), "%s: %s", u, name)
					if name != "clear-site-data" {
						assert.Equal(t, value, h.Get(name), "%s: %s by serve", u, name)
					}
				}
				for _, x := range plan.Types {
					if strings.HasSuffix(path, x.Extension) {
						assert.Equal(t, x.Type, site.Essence(got.Get("Content-Type")), u)
					}
				}
			}
			write(t, dir, map[string]string{"dist/assets/later.txt": "no digest in its name"})
			_, _, late := answerOf(t, theirs+"/assets/later.txt")
			assert.Equal(t, "no-cache", late.Get("Cache-Control"), "what comes into a folder of digests later is not kept for ever")
			require.NoError(t, os.Remove(filepath.Join(dir, "dist/assets/later.txt")))
			r, err := http.NewRequest("GET", theirs+"/app.css", nil)
			require.NoError(t, err)
			r.Header.Set("Accept-Encoding", "gzip")
			res, err := http.DefaultTransport.RoundTrip(r)
			require.NoError(t, err)
			res.Body.Close()
			assert.Equal(t, "gzip", res.Header.Get("Content-Encoding"), "what becomes smaller by it is compressed")

			audit, errs, code := run(t, dir, "audit", theirs+"/", "--release", "dist", "--only", "deployed,host", "--fail-on", "warning")
			assert.Equal(t, 0, code, "%s%s", audit, errs)
			assert.Contains(t, audit, ", whole")
		})
	}
}

// TestHeadersOfAnApplication has real servers answer the routes of an application, and nothing else, with its page.
func TestHeadersOfAnApplication(t *testing.T) {
	t.Parallel()
	for name := range hosts {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			for _, rules := range []site.Rules{
				{Fallback: "/planner/index.html"},
				{Fallback: "/a%20b/100%25.html"},
				{Routes: []site.RouteRule{{Folder: "/planner/", Shell: "/planner/", Except: []string{"/planner/api/**", "/planner/sign-in"}}}},
			} {
				dir := t.TempDir()
				write(t, dir, map[string]string{"dist/index.html": start, "dist/planner/index.html": "<!doctype html><title>Planner</title>", "dist/planner/list.json": "[]", "dist/app.css": "b {}", "dist/a b/100%.html": "<!doctype html><title>All</title>"})
				s, err := site.Open(filepath.Join(dir, "dist"), "/")
				require.NoError(t, err)
				defer s.Close()
				text, _ := hosting.Of(s, rules, hosting.Options{}).For(name, filepath.Join(dir, "dist"))
				address := started(t, name, dir, text[0].Text)
				for _, u := range []string{"/", "/planner/", "/planner/list.json", "/planner/sailing/7", "/planner/api/boats", "/planner/sign-in", "/planner/gone.js", "/harbour", "/deep/er/", "/harbour.txt"} {
					want := site.NewServer(s, rules).Answer("GET", u)
					status, body, h := answerOf(t, address+u)
					require.Equal(t, want.Status, status, u)
					if status == 200 {
						assert.Equal(t, string(want.Body), body, u)
						assert.Equal(t, "no-cache", h.Get("Cache-Control"), u)
					}
				}
			}
		})
	}
}
