package config

import (
	"strings"
	"testing"
)

// FuzzParse reads any configurations: what is wrong is said with the file's name, and what is right can be used.
func FuzzParse(f *testing.F) {
	for _, s := range []string{
		"site = \"dist\"\nbase = \"/x/\"\n[app]\nname = \"Skerry\"\ntheme_color = \"#0b4f6c\"\n[[app.shortcuts]]\nname = \"Tides\"\nurl = \"/tides/\"\n",
		"[[rule]]\nmatch = \"/api/:a\"\nanswer = \"network-first\"\npatience = \"2s\"\nkeep = { entries = 3, age = \"6h\" }\n", "[[story]]\nname = \"s\"\nsteps = [\"open /\", \"expect whole\"]\n",
		"[place.staging]\nbase = \"/p/\"\n[place.staging.app]\nname = \"x\"\n", "\ufeffsite = 1\n", "[[server.answer]]\npath = \"/a\"\nbody = '{}'\n", "a = [", "[app", "x = \"\\u\"", "site = \"a\"\nsite = \"b\"\n", "[stow]\nnow = [1]\nceiling = \"x\"", "= 1", "[audit]\nlevels = { a = \"b\" }\nskip = 1",
	} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, src string) {
		c, err := Parse("t.toml", []byte(src))
		if err != nil {
			if !strings.Contains(err.Error(), "t.toml") {
				t.Fatalf("%q: %v says not where", src, err)
			}
			return
		}
		_, _ = c.SiteRules()
		_, _ = c.Ceiling()
		for _, name := range c.PlaceNames() {
			if _, err := c.At(name); err != nil {
				t.Fatalf("%q: the place %q: %v", src, name, err)
			}
		}
	})
}
