// Record has Chromium tell the stories of package truth, and writes down what came of them.
//
//	go run ./internal/rehearsal/truth/record [NAME...]
package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"sync"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/rehearsal/truth"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

const file = "internal/rehearsal/truth/testdata/chromium.json"

func main() {
	if err := record(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "record:", err)
		os.Exit(1)
	}
}

func record(names []string) error {
	all, err := truth.Recorded()
	if err != nil {
		return err
	}
	if all == nil || len(names) == 0 {
		all = map[string]map[string][]string{}
	}
	var mu sync.Mutex
	g := errgroup.Group{}
	g.SetLimit(6) // browsers wait more than they work
	for _, c := range truth.Cases() {
		if len(names) > 0 && !contains(names, c.Name) {
			continue
		}
		g.Go(func() error {
			facts := map[string][]string{}
			for _, story := range truth.Stories {
				seen, err := observe(c, story)
				if err != nil { // a browser that did not start in time: once more
					if seen, err = observe(c, story); err != nil {
						return fmt.Errorf("%s, %s: %w", c.Name, story, err)
					}
				}
				facts[story] = seen
			}
			mu.Lock()
			defer mu.Unlock()
			all[c.Name] = facts
			fmt.Println(len(all), c.Name)
			return write(all) // what is done is kept, whatever comes
		})
	}
	return g.Wait()
}

func write(all map[string]map[string][]string) error {
	data, err := json.MarshalIndent(all, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(data, '\n'), 0o644)
}

func contains(list []string, s string) bool {
	for _, x := range list {
		if x == s {
			return true
		}
	}
	return false
}

// observe tells one story in a fresh browser.
func observe(c truth.Case, story string) ([]string, error) {
	one, end1, err := served(c, "one")
	if err != nil {
		return nil, err
	}
	defer end1()
	two, end2, err := served(c, "two")
	if err != nil {
		return nil, err
	}
	defer end2()
	web, err := serve.Start(one)
	if err != nil {
		return nil, err
	}
	defer func() { _ = web.Stop() }()
	b, err := chromium.Start(context.Background(), web)
	if err != nil {
		return nil, err
	}
	defer b.Close()
	return truth.Observe(b, story, two)
}

func served(c truth.Case, release string) (*site.Server, func(), error) {
	dir, err := os.MkdirTemp("", "truth")
	if err != nil {
		return nil, nil, err
	}
	if err := c.Write(dir, release); err != nil {
		return nil, nil, err
	}
	s, err := site.Open(dir, "/")
	if err != nil {
		return nil, nil, err
	}
	return site.NewServer(s, site.Rules{}), func() { s.Close(); _ = os.RemoveAll(dir) }, nil
}
