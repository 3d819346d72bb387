// Command release builds the program for all systems and packs it: archives with manual pages and completions, Debian and npm packages, and their
// digests. The same source, version and Go give the same bytes. It is run from the repository's root; scripts/release calls it.
package main

import (
	"bytes"
	"crypto/sha256"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"

	"tachyform.dev/tachyform/internal/cli"
	"tachyform.dev/tachyform/internal/distribution"
	"tachyform.dev/tachyform/internal/licences"
)

func main() {
	version := flag.String("version", "", "of the release, such as 0.2.0")
	out := flag.String("out", "dist", "folder that is written")
	only := flag.String("only", "", "one target, such as linux/amd64, in the place of all")
	flag.Parse()
	if err := release(*version, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "release:", err)
		os.Exit(1)
	}
}

var versions = regexp.MustCompile(`^\d+\.\d+\.\d+(-[0-9A-Za-z.-]+)?$`)

func release(version, out, only string) error {
	if !versions.MatchString(version) {
		return fmt.Errorf("--version %q: a version is written as 0.2.0 or 0.2.0-rc.1", version)
	}
	targets := slices.DeleteFunc(slices.Clone(distribution.Targets), func(t distribution.Target) bool { return only != "" && only != t.OS+"/"+t.Arch })
	if len(targets) == 0 {
		return fmt.Errorf("--only %s: there is no such target", only)
	}
	common, licence, err := documents(version)
	if err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	sums := map[string][sha256.Size]byte{}
	write := func(name string, data []byte, err error) error {
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		sums[name] = sha256.Sum256(data)
		fmt.Printf("%s  %d bytes\n", name, len(data))
		return os.WriteFile(filepath.Join(out, name), data, 0o644)
	}
	for _, t := range targets {
		program, err := build(t, version)
		if err != nil {
			return err
		}
		folder := fmt.Sprintf("tachyform-%s-%s-%s", version, t.OS, t.Arch)
		files := []distribution.File{{Name: folder + "/" + t.Program(), Mode: 0o755, Data: program}}
		for _, f := range common {
			files = append(files, distribution.File{Name: folder + "/" + f.Name, Mode: f.Mode, Data: f.Data})
		}
		if t.OS == "windows" {
			data, err := distribution.Zip(files)
			if err := write(folder+".zip", data, err); err != nil {
				return err
			}
		} else {
			data, err := distribution.TarGz(files, false)
			if err := write(folder+".tar.gz", data, err); err != nil {
				return err
			}
		}
		data, err := t.NPM(version, program, licence)
		if err := write(strings.ReplaceAll(strings.TrimPrefix(t.NPMName(), "@"), "/", "-")+"-"+version+".tgz", data, err); err != nil {
			return err
		}
		if t.OS == "linux" {
			data, err := debian(t, version, program, common)
			if err := write(fmt.Sprintf("tachyform_%s_%s.deb", strings.ReplaceAll(version, "-", "~"), t.Arch), data, err); err != nil {
				return err
			}
		}
	}
	readme, err := os.ReadFile("README.md")
	if err != nil {
		return err
	}
	data, err := distribution.NPM(version, forNPM(readme), licence)
	if err := write("tachyform-"+version+".tgz", data, err); err != nil {
		return err
	}
	var list bytes.Buffer
	names := make([]string, 0, len(sums))
	for n := range sums {
		names = append(names, n)
	}
	sort.Strings(names)
	for _, n := range names {
		fmt.Fprintf(&list, "%x  %s\n", sums[n], n)
	}
	return os.WriteFile(filepath.Join(out, "SHA256SUMS"), list.Bytes(), 0o644)
}

// build makes the program for a target.
func build(t distribution.Target, version string) ([]byte, error) {
	dir, err := os.MkdirTemp("", "tachyform-release-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	file := filepath.Join(dir, t.Program())
	cmd := exec.Command("go", "build", "-trimpath", "-buildvcs=true", "-ldflags", "-s -w -buildid= -X tachyform.dev/tachyform/internal/cli.Version="+version, "-o", file, "./cmd/tachyform")
	cmd.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+t.OS, "GOARCH="+t.Arch, "GOAMD64=v1", "GOARM64=v8.0")
	cmd.Stderr = os.Stderr
	if err := cmd.Run(); err != nil {
		return nil, fmt.Errorf("building for %s/%s: %w", t.OS, t.Arch, err)
	}
	return os.ReadFile(file)
}

// documents are what every archive holds beside the program.
func documents(version string) (files []distribution.File, licence []byte, err error) {
	add := func(name string, data []byte) {
		files = append(files, distribution.File{Name: name, Mode: 0o644, Data: data})
	}
	for _, name := range []string{"LICENSE", "README.md", "CHANGELOG.md"} {
		data, err := os.ReadFile(name)
		if err != nil {
			return nil, nil, err
		}
		if name == "LICENSE" {
			licence = data
		}
		add(name, data)
	}
	parts, err := licences.All()
	if err != nil {
		return nil, nil, err
	}
	var texts bytes.Buffer
	for _, p := range parts {
		fmt.Fprintf(&texts, "%s\n\n%s\n\n", strings.TrimSpace(strings.Join([]string{p.Name, p.Version, "(" + p.Licence + ")"}, " ")), p.Text)
	}
	add("LICENCES.txt", texts.Bytes())
	root := cli.Root()
	if err := manual(root, version, func(name string, data []byte) { add("man/"+name, data) }); err != nil {
		return nil, nil, err
	}
	for name, generate := range map[string]func(*bytes.Buffer) error{
		"tachyform.bash": func(b *bytes.Buffer) error { return root.GenBashCompletionV2(b, true) },
		"_tachyform":     func(b *bytes.Buffer) error { return root.GenZshCompletion(b) },
		"tachyform.fish": func(b *bytes.Buffer) error { return root.GenFishCompletion(b, true) },
		"tachyform.ps1":  func(b *bytes.Buffer) error { return root.GenPowerShellCompletionWithDesc(b) },
	} {
		var b bytes.Buffer
		if err := generate(&b); err != nil {
			return nil, nil, err
		}
		add("completions/"+name, b.Bytes())
	}
	return files, licence, nil
}

// dated is the line of a manual page that says when it was made.
var dated = regexp.MustCompile(`(?m)^(\.TH "[^"]*" "1" )"[^"]*"`)

// manual writes the manual pages of all commands, without a date.
func manual(c *cobra.Command, version string, add func(name string, data []byte)) error {
	if !c.IsAvailableCommand() && c.HasParent() {
		return nil
	}
	name := strings.ReplaceAll(c.CommandPath(), " ", "-")
	c.DisableAutoGenTag = true
	var b bytes.Buffer
	never := time.Unix(0, 0).UTC()
	if err := doc.GenMan(c, &doc.GenManHeader{Title: strings.ToUpper(name), Section: "1", Source: "tachyform " + version, Manual: "Tachyform", Date: &never}, &b); err != nil {
		return err
	}
	add(name+".1", dated.ReplaceAll(b.Bytes(), []byte(`$1""`)))
	for _, sub := range c.Commands() {
		if err := manual(sub, version, add); err != nil {
			return err
		}
	}
	return nil
}

// debian makes the Debian package of a target.
func debian(t distribution.Target, version string, program []byte, common []distribution.File) ([]byte, error) {
	files := []distribution.File{{Name: "usr/bin/tachyform", Mode: 0o755, Data: program}}
	add := func(name string, data []byte) {
		files = append(files, distribution.File{Name: name, Mode: 0o644, Data: data})
	}
	const docs = "usr/share/doc/tachyform/"
	for _, f := range common {
		base := filepath.Base(f.Name)
		switch {
		case strings.HasPrefix(f.Name, "man/"):
			data, err := distribution.Gzip(f.Data)
			if err != nil {
				return nil, err
			}
			add("usr/share/man/man1/"+base+".gz", data)
		case base == "tachyform.bash":
			add("usr/share/bash-completion/completions/tachyform", f.Data)
		case base == "_tachyform":
			add("usr/share/zsh/vendor-completions/_tachyform", f.Data)
		case base == "tachyform.fish":
			add("usr/share/fish/vendor_completions.d/tachyform.fish", f.Data)
		case base == "LICENCES.txt":
			add(docs+"copyright", f.Data)
		case base == "CHANGELOG.md":
			data, err := distribution.Gzip(f.Data)
			if err != nil {
				return nil, err
			}
			add(docs+"changelog.gz", data)
		}
	}
	return distribution.Deb(distribution.Control{Package: "tachyform", Version: strings.ReplaceAll(version, "-", "~"), Architecture: t.Arch, Maintainer: "The Tachyform authors <tachyform@tachyform.example>",
		Summary: "make a finished website an installable, offline-capable web app", Description: "Manifest, icons, page tags and service worker for a site that exists, and the\nproof of what visitors will get, before release: installability on each platform,\nevery page without a network, what returning visitors get of the next release."}, files)
}

// forNPM leaves out the pictures of the README, which the package does not carry.
func forNPM(readme []byte) []byte {
	var out []string
	for line := range strings.Lines(string(readme)) {
		if !strings.HasPrefix(line, "![") {
			out = append(out, line)
		}
	}
	return []byte(strings.Join(out, ""))
}
