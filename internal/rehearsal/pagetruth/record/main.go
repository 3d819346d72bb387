// Record has Chromium open the pages of package pagetruth, and writes down what came of them.
//
//	go run ./internal/rehearsal/pagetruth/record [NAME...]
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"slices"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal/pagetruth"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

const file = "internal/rehearsal/pagetruth/testdata/chromium.json"

func main() {
	if err := record(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "record:", err)
		os.Exit(1)
	}
}

func record(names []string) error {
	dir, err := os.MkdirTemp("", "pages")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := pagetruth.Write(dir); err != nil {
		return err
	}
	s, err := site.Open(dir, "/")
	if err != nil {
		return err
	}
	defer s.Close()
	web, err := serve.Start(site.NewServer(s, site.Rules{}))
	if err != nil {
		return err
	}
	defer func() { _ = web.Stop() }()
	b, err := chromium.Start(context.Background(), web)
	if err != nil {
		return err
	}
	defer b.Close()
	all, cases := map[string]map[string][]string{}, pagetruth.Cases()
	if len(names) > 0 {
		if all, err = pagetruth.Recorded(); err != nil {
			return err
		}
		cases = slices.DeleteFunc(cases, func(c pagetruth.Case) bool { return !slices.Contains(names, c.Name) })
	}
	if err := pagetruth.Observe(b, cases, pagetruth.States, func(name, state string, facts []string) {
		if all[name] == nil {
			all[name] = map[string][]string{}
		}
		all[name][state] = facts
		fmt.Println(state, name)
	}); err != nil {
		return err
	}
	data, err := json.MarshalIndent(all, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(data, '\n'), 0o644)
}
