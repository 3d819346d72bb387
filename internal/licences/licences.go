// Package licences holds the licences of everything that is built into the program.
package licences

import (
	"bytes"
	"compress/gzip"
	_ "embed"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"sync"
)

// Part is something that is built in.
type Part struct {
	Name    string `json:"name"`    // module path, or what a part of another language is called
	Version string `json:"version"` // "" for the program itself
	Licence string `json:"licence"` // by its SPDX identifier
	Text    string `json:"text,omitempty"`
}

//go:embed licences.json.gz
var packed []byte

var all = sync.OnceValues(func() ([]Part, error) {
	r, err := gzip.NewReader(bytes.NewReader(packed))
	if err != nil {
		return nil, err
	}
	data, err := io.ReadAll(r)
	if err != nil {
		return nil, err
	}
	var out []Part
	return out, json.Unmarshal(data, &out)
})

// All lists all parts, the program first and the others by name. The error is one of the file that is embedded.
func All() ([]Part, error) { return all() }

// Find gives the parts whose name is the one given, or ends with it.
func Find(name string) ([]Part, error) {
	list, err := all()
	if err != nil {
		return nil, err
	}
	var out []Part
	for _, p := range list {
		if strings.EqualFold(p.Name, name) || strings.HasSuffix(strings.ToLower(p.Name), "/"+strings.ToLower(name)) {
			out = append(out, p)
		}
	}
	if len(out) == 0 {
		return nil, fmt.Errorf("nothing that is built in is called %q", name)
	}
	return out, nil
}

// Kind recognises a licence by its text, as its SPDX identifier; "" for one that is not known.
func Kind(text string) string {
	t := strings.Join(strings.Fields(strings.ToLower(text)), " ")
	has := func(s string) bool { return strings.Contains(t, s) }
	switch {
	case has("free and unencumbered software released into the public domain"):
		return "Unlicense"
	case has("apache license version 2.0") || has("apache license, version 2.0"):
		return "Apache-2.0"
	case has("mozilla public license version 2.0"):
		return "MPL-2.0"
	case has("creative commons legal code cc0") || has("cc0 1.0 universal"):
		return "CC0-1.0"
	case has("permission is hereby granted, free of charge, to any person obtaining"):
		return "MIT"
	case has("permission to use, copy, modify, and/or distribute this software") || has("permission to use, copy, modify, and distribute this software"):
		return "ISC"
	case has("redistributions in binary form must reproduce") && (has("endorse or promote") || has("neither the name")):
		return "BSD-3-Clause"
	case has("redistributions in binary form must reproduce"):
		return "BSD-2-Clause"
	}
	return ""
}
