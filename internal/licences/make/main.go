// Command make gathers the licences of everything that is built into the program, for all systems that it is released for, into
// internal/licences/licences.json.gz. It is run from the repository's root whenever go.mod or third_party changes.
package main

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/licences"
)

// systems are those that the program is released for.
var systems = []string{"linux", "darwin", "windows"}

type module struct{ Path, Version, Dir string }

func main() {
	if err := gather("internal/licences/licences.json.gz"); err != nil {
		fmt.Fprintln(os.Stderr, "licences:", err)
		os.Exit(1)
	}
}

func gather(file string) error {
	modules := map[string]module{}
	for _, s := range systems {
		cmd := exec.Command("go", "list", "-deps", "-f", "{{with .Module}}{{.Path}}\t{{.Version}}\t{{.Dir}}{{end}}", "./cmd/tachyform")
		cmd.Env = append(os.Environ(), "GOOS="+s, "CGO_ENABLED=0")
		out, err := cmd.Output()
		if err != nil {
			return fmt.Errorf("the modules for %s: %w", s, err)
		}
		for line := range strings.Lines(string(out)) {
			if f := strings.Split(strings.TrimSpace(line), "\t"); len(f) == 3 && f[1] != "" {
				modules[f[0]] = module{f[0], f[1], f[2]}
			}
		}
	}
	own, err := os.ReadFile("LICENSE")
	if err != nil {
		return err
	}
	var parts []licences.Part
	for _, m := range modules {
		text, err := textOf(m.Dir)
		if err != nil {
			return fmt.Errorf("%s: %w", m.Path, err)
		}
		parts = append(parts, licences.Part{Name: m.Path, Version: m.Version, Text: text})
	}
	out, err := exec.Command("go", "env", "GOROOT").Output()
	if err != nil {
		return err
	}
	text, err := textOf(strings.TrimSpace(string(out)))
	if err != nil {
		return err
	}
	parts = append(parts, licences.Part{Name: "Go", Text: text})
	for _, p := range []licences.Part{{Name: "resvg", Version: "2.6.2"}, {Name: "domino", Version: "2.2.0"}} {
		if p.Text, err = textOf(filepath.Join("third_party", p.Name)); err != nil {
			return err
		}
		parts = append(parts, p)
	}
	parts = append(parts, licences.Part{Name: "browser-compat-data", Version: "8.1.9", Text: "CC0 1.0 Universal. What this program knows of platforms was reduced from the npm package @mdn/browser-compat-data."})
	sort.Slice(parts, func(i, j int) bool { return strings.ToLower(parts[i].Name) < strings.ToLower(parts[j].Name) })
	parts = slices.Insert(parts, 0, licences.Part{Name: "tachyform", Text: string(own)})
	for i := range parts {
		if parts[i].Licence = licences.Kind(parts[i].Text); parts[i].Licence == "" {
			return fmt.Errorf("%s: the licence is not recognised", parts[i].Name)
		}
	}
	data, err := json.Marshal(parts)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	w, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err != nil {
		return err
	}
	if _, err := w.Write(data); err != nil {
		return err
	}
	if err := w.Close(); err != nil {
		return err
	}
	return os.WriteFile(file, b.Bytes(), 0o644)
}

// textOf reads what a folder says of its licence.
func textOf(dir string) (string, error) {
	entries, err := os.ReadDir(dir)
	if err != nil {
		return "", err
	}
	var texts []string
	for _, e := range entries {
		name := strings.ToUpper(strings.TrimSuffix(strings.TrimSuffix(e.Name(), filepath.Ext(e.Name())), "-MIT"))
		if e.IsDir() || name != "LICENSE" && name != "LICENCE" && name != "COPYING" && name != "NOTICE" {
			continue
		}
		data, err := os.ReadFile(filepath.Join(dir, e.Name()))
		if err != nil {
			return "", err
		}
		texts = append(texts, strings.TrimSpace(strings.ReplaceAll(string(data), "\r\n", "\n")))
	}
	if len(texts) == 0 {
		return "", fmt.Errorf("%s says nothing of a licence", dir)
	}
	return strings.Join(texts, "\n\n") + "\n", nil
}
