// Package compat reads the support statements of open compatibility data.
package compat

import "encoding/json"

// Support is what the data says about a feature: by browser, one statement or a list of them.
type Support map[string]json.RawMessage

// Read reads a feature's "__compat" object. What it cannot read supports nothing.
func Read(raw json.RawMessage) Support {
	var c struct {
		Support Support `json:"support"`
	}
	if json.Unmarshal(raw, &c) != nil {
		return nil
	}
	return c.Support
}

// Since gives the version from which on a browser has the feature without a flag, as the data writes it ("≤80" is one, too); "" for none, for
// what was taken out again, and for previews. A version that the data does not know is "true".
func (s Support) Since(browser string) string {
	type statement struct {
		Added   any   `json:"version_added"`
		Removed any   `json:"version_removed"`
		Flags   []any `json:"flags"`
	}
	var list []statement
	if json.Unmarshal(s[browser], &list) != nil {
		var one statement
		if json.Unmarshal(s[browser], &one) != nil {
			return ""
		}
		list = []statement{one}
	}
	for _, s := range list {
		if s.Removed != nil && s.Removed != false || len(s.Flags) > 0 {
			continue
		}
		switch v := s.Added.(type) {
		case string:
			if v != "preview" {
				return v
			}
		case bool:
			if v {
				return "true"
			}
		}
	}
	return ""
}
