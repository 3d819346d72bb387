// Package distribution makes archives and packages of the built program: the same bytes for the same files.
package distribution

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"compress/gzip"
	"crypto/md5" //nolint:gosec // what the Debian format asks for
	"encoding/json"
	"fmt"
	"path"
	"slices"
	"sort"
	"strings"
	"time"
)

// File is one that goes into an archive.
type File struct {
	Name string // with slashes, relative
	Mode int64  // 0o644 or 0o755
	Data []byte
}

// epoch stands for the time of everything: archives say nothing of when they were made.
var epoch = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)

// sorted gives files by name.
func sorted(files []File) []File {
	out := slices.Clone(files)
	sort.Slice(out, func(i, j int) bool { return out[i].Name < out[j].Name })
	return out
}

// Gzip packs data without a name and a time.
func Gzip(data []byte) ([]byte, error) {
	var b bytes.Buffer
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return nil, err
	}
	if _, err := w.Write(data); err != nil {
		return nil, err
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// TarGz makes a packed archive; with folders, they stand before what is in them and all names begin with "./", as Debian wants it.
func TarGz(files []File, folders bool) ([]byte, error) {
	var b bytes.Buffer
	w := tar.NewWriter(&b)
	seen := map[string]bool{}
	for _, f := range sorted(files) {
		if folders {
			if err := parents(w, path.Dir(f.Name), seen); err != nil {
				return nil, err
			}
		}
		name := f.Name
		if folders {
			name = "./" + name
		}
		if err := w.WriteHeader(&tar.Header{Name: name, Mode: f.Mode, Size: int64(len(f.Data)), ModTime: epoch, Format: tar.FormatUSTAR, Typeflag: tar.TypeReg}); err != nil {
			return nil, err
		}
		if _, err := w.Write(f.Data); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return Gzip(b.Bytes())
}

func parents(w *tar.Writer, dir string, seen map[string]bool) error {
	if dir == "." || dir == "/" || seen[dir] {
		return nil
	}
	if err := parents(w, path.Dir(dir), seen); err != nil {
		return err
	}
	seen[dir] = true
	return w.WriteHeader(&tar.Header{Name: "./" + dir + "/", Mode: 0o755, ModTime: epoch, Format: tar.FormatUSTAR, Typeflag: tar.TypeDir})
}

// Zip makes a zip archive.
func Zip(files []File) ([]byte, error) {
	var b bytes.Buffer
	w := zip.NewWriter(&b)
	for _, f := range sorted(files) {
		h := &zip.FileHeader{Name: f.Name, Method: zip.Deflate, Modified: epoch}
		h.SetMode(0o644)
		if f.Mode&0o111 != 0 {
			h.SetMode(0o755)
		}
		to, err := w.CreateHeader(h)
		if err != nil {
			return nil, err
		}
		if _, err := to.Write(f.Data); err != nil {
			return nil, err
		}
	}
	if err := w.Close(); err != nil {
		return nil, err
	}
	return b.Bytes(), nil
}

// Control is what a Debian package says of itself (Debian Policy, section 5.3).
type Control struct {
	Package, Version, Architecture, Maintainer, Summary, Description string
}

// Deb makes a Debian package (deb(5)); the names of files are paths below the root.
func Deb(c Control, files []File) ([]byte, error) {
	size := int64(0)
	var sums strings.Builder
	for _, f := range sorted(files) {
		size += int64(len(f.Data))
		fmt.Fprintf(&sums, "%x  %s\n", md5.Sum(f.Data), f.Name) //nolint:gosec // the format
	}
	var text strings.Builder
	fmt.Fprintf(&text, "Package: %s\nVersion: %s\nArchitecture: %s\nMaintainer: %s\nInstalled-Size: %d\nSection: web\nPriority: optional\nDescription: %s\n", c.Package, c.Version, c.Architecture, c.Maintainer, (size+1023)/1024, c.Summary)
	for line := range strings.Lines(c.Description) {
		if line = strings.TrimSpace(line); line == "" {
			line = "."
		}
		fmt.Fprintf(&text, " %s\n", line)
	}
	control, err := TarGz([]File{{"control", 0o644, []byte(text.String())}, {"md5sums", 0o644, []byte(sums.String())}}, false)
	if err != nil {
		return nil, err
	}
	data, err := TarGz(files, true)
	if err != nil {
		return nil, err
	}
	out := bytes.NewBufferString("!<arch>\n")
	for _, m := range []File{{"debian-binary", 0, []byte("2.0\n")}, {"control.tar.gz", 0, control}, {"data.tar.gz", 0, data}} {
		fmt.Fprintf(out, "%-16s%-12d%-6d%-6d%-8s%-10d`\n", m.Name, epoch.Unix(), 0, 0, "100644", len(m.Data))
		out.Write(m.Data)
		if len(m.Data)%2 == 1 {
			out.WriteByte('\n')
		}
	}
	return out.Bytes(), nil
}

// Target is a system that the program is built for, in the words of Go.
type Target struct{ OS, Arch string }

// Targets are all of them.
var Targets = []Target{{"linux", "amd64"}, {"linux", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"}}

// Program is the name of the program's file.
func (t Target) Program() string {
	if t.OS == "windows" {
		return "tachyform.exe"
	}
	return "tachyform"
}

// node gives the words that Node.js has for the system.
func (t Target) node() (os, cpu string) {
	os, cpu = t.OS, t.Arch
	if os == "windows" {
		os = "win32"
	}
	if cpu == "amd64" {
		cpu = "x64"
	}
	return os, cpu
}

// NPMName is the name of the npm package that carries the program for the target.
func (t Target) NPMName() string {
	os, cpu := t.node()
	return "@tachyform/" + os + "-" + cpu
}

// NPM makes the npm package of a target.
func (t Target) NPM(version string, program, licence []byte) ([]byte, error) {
	os, cpu := t.node()
	about, err := json.MarshalIndent(map[string]any{"name": t.NPMName(), "version": version, "description": "The program of the package tachyform, for " + os + " on " + cpu, "license": "MIT", "os": []string{os}, "cpu": []string{cpu}, "files": []string{"bin"}}, "", "  ")
	if err != nil {
		return nil, err
	}
	return TarGz([]File{{"package/package.json", 0o644, append(about, '\n')}, {"package/LICENSE", 0o644, licence}, {"package/bin/" + t.Program(), 0o755, program}}, false)
}

// launcher finds the program in the package of the system and runs it.
const launcher = `#!/usr/bin/env node
"use strict";
// Runs the program that the package of this system carries. Nothing is fetched.
const {spawnSync} = require("node:child_process");
const name = "@tachyform/" + process.platform + "-" + process.arch;
let program;
try {
  program = require.resolve(name + "/bin/tachyform" + (process.platform === "win32" ? ".exe" : ""));
} catch {
  console.error("tachyform: the package " + name + ", which carries the program for this system, is not installed.\n" +
    "Install without --omit=optional (or --no-optional), on the system that it is to run on; if npm knows no such package, there is none for this system.");
  process.exit(3);
}
const run = spawnSync(program, process.argv.slice(2), {stdio: "inherit"});
if (run.error) {
  console.error("tachyform: " + program + " cannot be run: " + run.error.message);
  process.exit(3);
}
if (run.signal) process.kill(process.pid, run.signal);
process.exit(run.status === null ? 3 : run.status);
`

// NPM makes the package that people install: it depends on those of all targets, of which npm installs the one that fits.
func NPM(version string, readme, licence []byte) ([]byte, error) {
	optional := map[string]string{}
	for _, t := range Targets {
		optional[t.NPMName()] = version
	}
	about, err := json.MarshalIndent(map[string]any{"name": "tachyform", "version": version, "description": "Makes a finished website an installable, offline-capable web app, and proves it", "license": "MIT",
		"bin": map[string]string{"tachyform": "bin/tachyform.js"}, "files": []string{"bin"}, "engines": map[string]string{"node": ">=18"}, "optionalDependencies": optional,
		"keywords": []string{"web app manifest", "service worker", "offline", "icons", "audit"}}, "", "  ")
	if err != nil {
		return nil, err
	}
	return TarGz([]File{{"package/package.json", 0o644, append(about, '\n')}, {"package/README.md", 0o644, readme}, {"package/LICENSE", 0o644, licence}, {"package/bin/tachyform.js", 0o755, []byte(launcher)}}, false)
}
