// Command reduce keeps of the compatibility data on its standard input what internal/platform needs.
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"strings"

	"tachyform.dev/tachyform/internal/compat"
	"tachyform.dev/tachyform/internal/platform"
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
		API map[string]map[string]json.RawMessage `json:"api"`
	}
	if err := json.NewDecoder(os.Stdin).Decode(&data); err != nil {
		return err
	}
	members := map[string]map[string]string{}
	for member, raw := range data.Manifests.Webapp {
		var m struct {
			Compat json.RawMessage `json:"__compat"`
		}
		if member == "__compat" {
			continue
		}
		if err := json.Unmarshal(raw, &m); err != nil {
			return fmt.Errorf("%s: %w", member, err)
		}
		members[member] = map[string]string{}
		for _, b := range browsers {
			members[member][b] = strings.TrimPrefix(compat.Read(m.Compat).Since(b), "true") // what has no known version is left out
		}
	}
	features := map[string]map[string]string{}
	for _, f := range platform.Features {
		parts := strings.Split(f.Key, ".") // api, an interface, and a member of it or nothing
		at := data.API[parts[1]]
		raw := at["__compat"]
		if len(parts) > 2 {
			var m struct {
				Compat json.RawMessage `json:"__compat"`
			}
			if err := json.Unmarshal(at[parts[2]], &m); err != nil {
				return fmt.Errorf("%s: %w", f.Key, err)
			}
			raw = m.Compat
		}
		if len(raw) == 0 {
			return fmt.Errorf("%s is not in the data", f.Key)
		}
		features[f.ID] = map[string]string{}
		for _, b := range browsers {
			features[f.ID][b] = strings.TrimPrefix(compat.Read(raw).Since(b), "true")
		}
	}
	enc := json.NewEncoder(os.Stdout)
	enc.SetIndent("", " ")
	return enc.Encode(map[string]any{"source": "@mdn/browser-compat-data " + version + " (CC0)", "date": data.Meta.Timestamp[:10], "members": members, "features": features})
}
