// Command record serves every case to a real Chromium and writes down what it makes of it.
//
//	go run ./internal/manifest/truth/record
package main

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/manifest/truth"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

func main() {
	if err := record("internal/manifest/truth/testdata/chromium.json"); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func record(out string) error {
	dir, err := os.MkdirTemp("", "cases")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	cases := truth.Cases()
	if err := truth.Write(dir, cases); err != nil {
		return err
	}
	s, err := site.Open(dir, "/")
	if err != nil {
		return err
	}
	defer s.Close()
	server, err := serve.Start(site.NewServer(s, site.Rules{Headers: truth.Headers(cases)}))
	if err != nil {
		return err
	}
	defer server.Stop() //nolint:errcheck // the program ends
	b, err := chromium.Start(context.Background(), server)
	if err != nil {
		return err
	}
	defer b.Close()
	all := make([]truth.Recorded, 0, len(cases))
	for i, c := range cases {
		if _, err := b.Open(truth.Path(i)); err != nil {
			return fmt.Errorf("%s: %w", c.Name, err)
		}
		r := truth.Recorded{Name: c.Name}
		if r.Hindrances, _, err = b.Install(); err != nil {
			return fmt.Errorf("%s: %w", c.Name, err)
		}
		got, err := b.Manifest()
		if err != nil {
			return fmt.Errorf("%s: %w", c.Name, err)
		}
		for _, e := range got.Errors {
			r.Errors = append(r.Errors, fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Message))
			r.Lost = r.Lost || e.Critical != 0
		}
		raw, err := json.Marshal(got.Manifest)
		if err != nil {
			return err
		}
		r.URL = strings.ReplaceAll(got.URL, server.Origin, truth.Origin)
		r.Manifest = bytes.ReplaceAll(raw, []byte(server.Origin), []byte(truth.Origin))
		all = append(all, r)
	}
	data, err := json.MarshalIndent(all, "", " ")
	if err != nil {
		return err
	}
	fmt.Printf("%d cases recorded\n", len(all))
	return os.WriteFile(filepath.FromSlash(out), append(data, '\n'), 0o644)
}
