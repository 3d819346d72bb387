// Command reduce keeps of the compatibility data on its standard input what internal/platform needs.
package main

import (
	"encoding/json"
	"fmt"
	"os"
)

// browsers are those that a platform is made of.
var browsers = []string{"chrome", "chrome_android", "safari", "safari_ios", "firefox", "firefox_android", "samsunginternet_android"}

func main() {
	if err := reduce(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func reduce(version string) error {
	var data struct {
		Meta struct {
			Timestamp string `json:"timestamp"`
		} `json:"__meta"`
		Manifests struct {
			Webapp map[string]json.RawMessage `json:"webapp"`
		} `json:"manifests"`
	}
	if err := json.NewDecoder(os.Stdin).Decode(&data); err != nil {
		return err
	}
	members := map[string]map[string]string{}
	for member, raw := range data.Manifests.Webapp {
		var m struct {
			Compat struct {
				Support map[string]json.RawMessage `json:"support"`
			} `json:"__compat"`
		}
		if member == "__compat" {
			continue
		}
		if err := json.Unmarshal(raw, &m); err != nil {
			return fmt.Errorf("%s: %w", member, err)
		}
		members[member] = map[string]string{}
		for _, b := range browsers {
			members[member][b] = since(m.Compat.Support[b])
		}
	}
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", " ")
	return enc.Encode(map[string]any{"source": "@mdn/browser-compat-data " + version + " (CC0)", "date": data.Meta.Timestamp[:10], "members": members})
}

// since gives the version from which on a feature is there without a flag, "" for none.
func since(raw json.RawMessage) string {
	type statement struct {
		Added   any   `json:"version_added"`
		Removed any   `json:"version_removed"`
		Flags   []any `json:"flags"`
	}
	var list []statement
	if json.Unmarshal(raw, &list) != nil {
		var one statement
		if json.Unmarshal(raw, &one) != nil {
			return ""
		}
		list = []statement{one}
	}
	for _, s := range list {
		if v, ok := s.Added.(string); ok && v != "preview" && s.Removed == nil && len(s.Flags) == 0 {
			return v
		}
	}
	return ""
}
