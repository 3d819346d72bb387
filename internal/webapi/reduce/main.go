// Command reduce keeps of the compatibility data on its standard input the names that internal/webapi needs.
package main

import (
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/compat"
)

func main() {
	if err := reduce(os.Args[1]); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func reduce(version string) error {
	var data struct {
		API map[string]map[string]json.RawMessage `json:"api"`
	}
	if err := json.NewDecoder(os.Stdin).Decode(&data); err != nil {
		return err
	}
	fmt.Printf("# @mdn/browser-compat-data %s (CC0)\n", version)
	for _, name := range slices.Sorted(maps.Keys(data.API)) {
		members := data.API[name]
		if !has(members["__compat"]) {
			continue
		}
		line := []string{name}
		for _, m := range slices.Sorted(maps.Keys(members)) {
			var feature map[string]json.RawMessage
			if m == "__compat" || m == name || strings.HasSuffix(m, "_event") || strings.HasPrefix(m, "@@") || json.Unmarshal(members[m], &feature) != nil {
				continue
			}
			if m = strings.TrimSuffix(m, "_static"); has(feature["__compat"]) && !strings.ContainsAny(m, "_ ") {
				line = append(line, m)
			}
		}
		fmt.Println(strings.Join(line, " "))
	}
	return nil
}

// has says whether Chromium has a feature without a flag.
func has(feature json.RawMessage) bool { return compat.Read(feature).Since("chrome") != "" }
