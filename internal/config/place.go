package config

import (
	"fmt"
	"maps"
	"reflect"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/meant"
)

// Place is somewhere that a site is deployed to beside the usual place: a staging server under a path, a preview, a second
// site of the same kind. What it says counts instead of what the file says at large.
type Place struct {
	Site       string `toml:"site"`
	Base       string `toml:"base"`
	Address    string `toml:"address"`
	Public     string `toml:"public"`
	PublicPath string `toml:"public_path"`
	Snapshot   string `toml:"snapshot"`
	RecordDir  string `toml:"record_dir"`
	FailOn     string `toml:"fail_on"`
	App        App    `toml:"app"`
}

// PlaceNames gives the names of all places, sorted.
func (c *Config) PlaceNames() []string { return slices.Sorted(maps.Keys(c.Places)) }

// At gives the configuration of a place.
func (c *Config) At(name string) (*Config, error) {
	p, ok := c.Places[name]
	if !ok {
		names := c.PlaceNames()
		if len(names) == 0 {
			if c.File == "" {
				return nil, fmt.Errorf("--place %s: there is no %s that names places", name, Name)
			}
			return nil, fmt.Errorf("--place %s: %s names no places; a table [place.%s] is one", name, c.File, name)
		}
		likely := ""
		if m := meant.By(name, names); m != "" {
			likely = fmt.Sprintf("; do you mean %q?", m)
		}
		return nil, fmt.Errorf("--place %s: %s has no such place; it names %s%s", name, c.File, strings.Join(names, ", "), likely)
	}
	out := *c
	take := func(to *string, from string) {
		if from != "" {
			*to = from
		}
	}
	take(&out.Site, p.Site)
	take(&out.Base, p.Base)
	take(&out.Address, p.Address)
	take(&out.Public, p.Public)
	take(&out.PublicPath, p.PublicPath)
	take(&out.Snapshot, p.Snapshot)
	take(&out.RecordDir, p.RecordDir)
	take(&out.Audit.FailOn, p.FailOn)
	to, from := reflect.ValueOf(&out.App).Elem(), reflect.ValueOf(p.App)
	for i := range to.NumField() {
		if f := from.Field(i); f.Kind() == reflect.String && f.String() != "" {
			to.Field(i).SetString(f.String())
		}
	}
	return &out, nil
}

// checkPlaces looks at what each place makes of the configuration; what is wrong without it was said.
func (c *Config) checkPlaces(said []error) (out []error) {
	known := map[string]bool{}
	for _, e := range said {
		known[e.Error()] = true
	}
	for _, name := range c.PlaceNames() {
		if !groupName.MatchString(name) {
			out = append(out, &Error{File: c.File, Message: fmt.Sprintf("[place.%s]: letters, digits, - and _ make a name", name)})
			continue
		}
		at, err := c.At(name)
		if err != nil {
			return append(out, err)
		}
		at.Places = nil
		for _, e := range at.check() {
			if !known[e.Error()] {
				known[e.Error()] = true
				out = append(out, e)
			}
		}
	}
	return out
}

// sites gives every folder that the configuration is about.
func (c *Config) sites() []string {
	out := []string{c.Site, c.Public}
	for _, name := range c.PlaceNames() {
		out = append(out, c.Places[name].Site, c.Places[name].Public)
	}
	return slices.DeleteFunc(out, func(s string) bool { return s == "" })
}
