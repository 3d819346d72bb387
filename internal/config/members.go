package config

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/pelletier/go-toml/v2"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/weburl"
)

// ownMembers are those that have a field of their own in [App], or are made from another table.
var ownMembers = []string{"name", "short_name", "description", "id", "start_url", "scope", "display", "orientation", "theme_color", "background_color", "lang", "dir"}

// member says whether a key below [app] is one that the manifest may have.
func member(key string) bool {
	return strings.HasPrefix(key, "x_") || slices.Contains(manifest.Members(), key)
}

// members reads the members of [app] that have no field of their own, as what JSON can say.
func (c *Config) members(data []byte) (out []error) {
	var all struct {
		App map[string]any `toml:"app"`
	}
	if toml.Unmarshal(data, &all) != nil {
		return nil // which was said
	}
	for _, k := range slices.Sorted(maps.Keys(all.App)) {
		if slices.Contains(ownMembers, k) {
			continue
		}
		mistake := func(format string, args ...any) {
			line, column := find(c.settings, "app", k, "")
			if line == 0 {
				line, column = c.below([]string{"app", k})
			}
			out = append(out, &Error{c.File, line, column, fmt.Sprintf(format, args...)})
		}
		switch {
		case k == "icons":
			mistake("icons are made from what [icons] says; an icon of your own stands in a manifest of your own")
		case dated(all.App[k]):
			mistake("%s: a manifest has no dates; write it in quotes", k)
		default:
			if c.App.Members == nil {
				c.App.Members = map[string]any{}
			}
			c.App.Members[k] = all.App[k]
		}
	}
	return append(out, c.checkMembers()...)
}

// dated says whether there is a date somewhere in a value.
func dated(v any) bool {
	switch v := v.(type) {
	case time.Time, toml.LocalDate, toml.LocalDateTime, toml.LocalTime:
		return true
	case []any:
		return slices.ContainsFunc(v, dated)
	case map[string]any:
		for _, x := range v {
			if dated(x) {
				return true
			}
		}
	}
	return false
}

// checkMembers has our processor read the members as browsers do: what they would drop is a mistake, at the line that it stands on.
func (c *Config) checkMembers() (out []error) {
	if len(c.App.Members) == 0 {
		return nil
	}
	base := c.Base
	if !strings.HasPrefix(base, "/") {
		base = "/"
	}
	entries := []manifest.Entry{{Key: "name", Value: "x"}, {Key: "start_url", Value: base}, {Key: "scope", Value: base}, {Key: "display", Value: "standalone"}}
	for _, k := range slices.Sorted(maps.Keys(c.App.Members)) {
		entries = append(entries, manifest.Entry{Key: k, Value: c.App.Members[k]})
	}
	data, err := manifest.Write(entries)
	if err != nil {
		return []error{&Error{File: c.File, Message: "[app]: " + err.Error()}}
	}
	m, err := manifest.Process(data, c.File, weburl.Origin+base+"manifest.webmanifest", weburl.Origin+base)
	if err != nil {
		return []error{&Error{File: c.File, Message: "[app]: " + err.Error()}}
	}
	for _, p := range m.Problems {
		path := m.PathAt(p.Line, p.Column)
		if p.Level == manifest.Advice || len(path) == 0 {
			continue
		}
		top, _, _ := strings.Cut(path[0], "[")
		if _, ours := c.App.Members[top]; !ours || strings.HasPrefix(top, "x_") {
			continue
		}
		line, column := c.below(append([]string{"app"}, path...))
		message := p.Message
		if p.Mend != "" {
			message += "; " + p.Mend
		}
		out = append(out, &Error{c.File, line, column, message})
	}
	return out
}

// below gives the place of a path of keys, or of the nearest one above it that stands in the file.
func (c *Config) below(path []string) (line, column int) {
	for n := len(path); n > 1; n-- {
		want := path[:n]
		for _, s := range c.settings {
			if len(s.path) >= n && slices.Equal(s.path[:n-1], want[:n-1]) && (s.path[n-1] == want[n-1] || strings.HasPrefix(s.path[n-1], want[n-1]+"[")) {
				return s.place()
			}
		}
		if bare, _, list := strings.Cut(path[n-1], "["); list { // a list in one line has no paths of its own
			want = append(slices.Clone(path[:n-1]), bare)
			for _, s := range c.settings {
				if len(s.path) >= n && slices.Equal(s.path[:n], want) {
					return s.place()
				}
			}
		}
	}
	return 0, 0
}
