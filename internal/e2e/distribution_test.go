package e2e

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/mod/module"
	"golang.org/x/mod/zip"
)

// sh runs a command line in a folder with a fresh home, and gives what it prints and its exit status.
func sh(t *testing.T, dir, home, line string, env ...string) (string, int) {
	t.Helper()
	cmd := exec.Command("bash", "-c", line)
	cmd.Dir = dir
	for _, e := range os.Environ() {
		if name, _, _ := strings.Cut(e, "="); name != "HOME" && !strings.HasPrefix(name, "XDG_") && !strings.HasPrefix(name, "npm_") {
			cmd.Env = append(cmd.Env, e)
		}
	}
	cmd.Env = append(append(cmd.Env, "HOME="+home, "NO_COLOR=1"), env...)
	out, err := cmd.CombinedOutput()
	if _, ended := err.(*exec.ExitError); err != nil && !ended {
		require.NoError(t, err)
	}
	return string(out), cmd.ProcessState.ExitCode()
}

// released builds the release for this system into a folder.
func released(t *testing.T, dir string) {
	t.Helper()
	cmd := exec.Command("go", "run", "./cmd/release", "-version", "0.2.0", "-only", runtime.GOOS+"/"+runtime.GOARCH, "-out", dir)
	cmd.Dir = "../.."
	out, err := cmd.CombinedOutput()
	require.NoError(t, err, string(out))
}

// TestRelease builds a release twice, installs it in each way, and uses it as people do: in a build script with npm, as a Debian package, from the archive.
func TestRelease(t *testing.T) {
	needsAll(t)
	one, two := t.TempDir(), t.TempDir()
	released(t, one)
	released(t, two)
	entries, err := os.ReadDir(one)
	require.NoError(t, err)
	assert.Len(t, entries, 5)
	for _, e := range entries {
		a, err := os.ReadFile(filepath.Join(one, e.Name()))
		require.NoError(t, err)
		b, err := os.ReadFile(filepath.Join(two, e.Name()))
		require.NoError(t, err)
		assert.True(t, bytes.Equal(a, b), "%s: the same bytes", e.Name())
	}
	out, code := sh(t, one, t.TempDir(), "sha256sum --check SHA256SUMS")
	assert.Zero(t, code, out)
	const said = "tachyform 0.2.0, commit "

	t.Run("npm", func(t *testing.T) {
		home, project := t.TempDir(), t.TempDir()
		require.NoError(t, os.CopyFS(filepath.Join(project, "public"), os.DirFS("../../demo/site")))
		write(t, project, map[string]string{"package.json": `{"name": "skerry-line", "private": true, "scripts": {"build": "rm -rf dist && cp -r public dist && tachyform fit dist --quiet && tachyform audit dist", "check": "tachyform audit public"}}`})
		out, code := sh(t, project, home, "npm install --no-audit --no-fund --save-dev "+one+"/tachyform-linux-x64-0.2.0.tgz "+one+"/tachyform-0.2.0.tgz")
		require.Zero(t, code, out)
		out, code = sh(t, project, home, "npx --no-install tachyform --version")
		assert.Zero(t, code)
		assert.Contains(t, out, said)
		out, code = sh(t, project, home, "npm run check")
		assert.NotZero(t, code, "before it is fitted the gate is shut")
		assert.Contains(t, out, "manifest/not-linked")
		out, code = sh(t, project, home, "npm run build")
		assert.Zero(t, code, out)
		assert.Contains(t, out, "installs  Chromium, desktop")
		out, code = sh(t, project, home, "npx --no-install tachyform audit nowhere")
		assert.Equal(t, 2, code, "the exit status is the program's: %s", out)
		out, code = sh(t, project, home, "mv node_modules/@tachyform elsewhere && npx --no-install tachyform --version")
		assert.Equal(t, 3, code)
		assert.Contains(t, out, "@tachyform/linux-x64, which carries the program for this system, is not installed")
	})

	t.Run("archive", func(t *testing.T) {
		dir := t.TempDir()
		out, code := sh(t, dir, dir, "tar xzf "+one+"/tachyform-0.2.0-linux-amd64.tar.gz && cd tachyform-0.2.0-linux-amd64 && ./tachyform --version && bash -n completions/tachyform.bash && ls man completions LICENSE LICENCES.txt CHANGELOG.md")
		require.Zero(t, code, out)
		assert.Contains(t, out, said)
		assert.Contains(t, out, "tachyform-audit.1")
		page, err := os.ReadFile(filepath.Join(dir, "tachyform-0.2.0-linux-amd64/man/tachyform-audit.1"))
		require.NoError(t, err)
		assert.Contains(t, string(page), `.TH "TACHYFORM-AUDIT" "1" "" "tachyform 0.2.0"`, "without a date")
		out, code = sh(t, dir, dir, `source tachyform-0.2.0-linux-amd64/completions/tachyform.bash && type __start_tachyform >/dev/null && tachyform-0.2.0-linux-amd64/tachyform __complete audit --fail-on "" 2>/dev/null`)
		assert.Zero(t, code, out)
		assert.Contains(t, out, "blocker\nwarning\nadvice\nnever\n")
	})

	t.Run("Debian", func(t *testing.T) {
		dir := t.TempDir()
		deb := one + "/tachyform_0.2.0_amd64.deb"
		out, code := sh(t, dir, dir, "dpkg-deb --info "+deb+" && dpkg-deb --extract "+deb+" root && root/usr/bin/tachyform --version && (cd root && dpkg-deb --ctrl-tarfile "+deb+" | tar xO ./md5sums 2>/dev/null || dpkg-deb --ctrl-tarfile "+deb+" | tar xO md5sums) | (cd root && md5sum --check --quiet)")
		require.Zero(t, code, out)
		assert.Contains(t, out, said)
		for _, name := range []string{"usr/share/man/man1/tachyform.1.gz", "usr/share/bash-completion/completions/tachyform", "usr/share/zsh/vendor-completions/_tachyform", "usr/share/fish/vendor_completions.d/tachyform.fish", "usr/share/doc/tachyform/copyright"} {
			assert.FileExists(t, filepath.Join(dir, "root", name))
		}
		if os.Getuid() == 0 { // as people install it, and take it away
			out, code = sh(t, dir, dir, "dpkg --install "+deb+" && cd / && tachyform --version && man -w tachyform-audit 2>/dev/null; dpkg --remove tachyform")
			assert.Zero(t, code, out)
			assert.Contains(t, out, said)
		}
	})
}

// TestGoInstall installs the module as go install does, from a module proxy made of files.
func TestGoInstall(t *testing.T) {
	needsAll(t)
	const path, version = "tachyform.dev/tachyform", "v0.2.0"
	proxy, home := t.TempDir(), t.TempDir()
	at := filepath.Join(proxy, filepath.FromSlash(path), "@v")
	require.NoError(t, os.MkdirAll(at, 0o755))
	src := filepath.Join(t.TempDir(), "source") // what is committed or is about to be
	out, code := sh(t, "../..", os.Getenv("HOME"), "mkdir "+src+" && git ls-files -z --cached --others --exclude-standard | xargs -0 cp --parents -t "+src)
	require.Zero(t, code, out)
	f, err := os.Create(filepath.Join(at, version+".zip"))
	require.NoError(t, err)
	require.NoError(t, zip.CreateFromDir(f, module.Version{Path: path, Version: version}, src))
	require.NoError(t, f.Close())
	mod, err := os.ReadFile("../../go.mod")
	require.NoError(t, err)
	assert.NotContains(t, string(mod), "replace")
	write(t, at, map[string]string{version + ".mod": string(mod), version + ".info": `{"Version": "` + version + `"}`, "list": version + "\n"})
	other, err := exec.Command("go", "env", "GOPROXY").Output()
	require.NoError(t, err)
	cache, err := exec.Command("go", "env", "GOCACHE").Output()
	require.NoError(t, err)
	bin := filepath.Join(home, "bin")
	out, code = sh(t, home, home, "go install "+path+"/cmd/tachyform@latest && "+bin+"/tachyform --version && "+bin+"/tachyform demo demo-site --quiet; chmod -R u+w "+home+"/go 2>/dev/null; exit 0",
		"GOPROXY=file://"+proxy+","+strings.TrimSpace(string(other)), "GONOSUMDB="+path, "GOBIN="+bin, "GOFLAGS=-modcacherw", "GOCACHE="+strings.TrimSpace(string(cache)), "CGO_ENABLED=0")
	assert.Zero(t, code)
	assert.Contains(t, out, "tachyform 0.2.0, go", out)
	assert.FileExists(t, filepath.Join(home, "demo-site/sw.js"))
}
