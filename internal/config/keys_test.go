package config

import (
	"flag"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestEveryKeyIsDescribed holds the descriptions against the types that a configuration is read into, both ways.
func TestEveryKeyIsDescribed(t *testing.T) {
	seen := map[string]bool{}
	for _, k := range Keys() {
		seen[k.Name] = true
		assert.NotEmpty(t, k.Text, k.Name)
		assert.True(t, strings.HasSuffix(k.Text, "."), k.Name)
		if strings.HasPrefix(k.Kind, "table") && k.Name != "audit.levels" {
			continue
		}
		assert.NotEmpty(t, k.Default, k.Name)
		if k.Kind != "any" {
			assert.NotEmpty(t, k.Example, k.Name)
		}
	}
	for name := range described {
		assert.True(t, seen[name], "%s is no key", name)
	}
	assert.True(t, seen["app.categories"])
	assert.False(t, seen["app.icons"])
}

// TestExamplesOfKeys reads each example as the only thing that a configuration says. What needs company says so.
func TestExamplesOfKeys(t *testing.T) {
	company := map[string]string{
		"rule": "match = \"/api/*\"\nanswer = \"network-first\"\n", "story": "name = \"x\"\nsteps = [\"open /\"]\n", "stow.group": "name = \"g\"\nfiles = [\"/a\"]\n",
		"audit.skip": "check = \"pages\"\nreason = \"later\"\n", "server.header": "path = \"/*\"\nname = \"A\"\nvalue = \"b\"\n", "server.redirect": "from = \"/a\"\nto = \"/b\"\n", "server.answer": "path = \"/a\"\nbody = \"x\"\n",
		"server.origin": "url = \"https://a.example\"\ndir = \"a\"\n",
	}
	more := map[string]string{
		"public": "address = \"http://127.0.0.1:1/\"\n", "public_path": "address = \"http://127.0.0.1:1/\"\npublic = \"static\"\n", "snapshot": "address = \"http://127.0.0.1:1/\"\npublic = \"static\"\n", "address": "public = \"static\"\n",
		"pages.layout": "address = \"http://127.0.0.1:1/\"\npublic = \"static\"\n", "worker.url": "address = \"http://127.0.0.1:1/\"\npublic = \"static\"\n",
	}
	kinds := map[string]string{}
	for _, k := range Keys() {
		kinds[k.Name] = k.Kind
	}
	for _, k := range Keys() {
		if k.Example == "" || strings.HasPrefix(k.Name, "place.NAME.") && k.Name != "place.NAME.base" {
			continue // as at large
		}
		t.Run(k.Name, func(t *testing.T) {
			text := more[k.Name]
			table, key := "", k.Name
			if i := strings.LastIndex(k.Name, "."); i >= 0 {
				table, key = k.Name[:i], k.Name[i+1:]
			}
			lines := []string{}
			switch {
			case kinds[table] == "tables":
				text += "[[" + table + "]]\n"
				lines = strings.SplitAfter(company[table], "\n")
			case table == "rule.keep":
				text, key = text+"[[rule]]\n"+company["rule"], "keep."+key
			case table != "":
				text += "[" + table + "]\n"
			}
			for _, l := range lines { // without what the example says
				if !strings.HasPrefix(l, key+" ") {
					text += l
				}
			}
			text += key + " = " + k.Example + "\n"
			switch k.Name {
			case "rule.method":
				text = strings.Replace(text, "network-first", "outbox", 1)
			case "rule.opaque", "rule.integrity":
				text = strings.Replace(strings.Replace(text, "\"/api/*\"", "\"https://cdn.example/a.js\"", 1), "network-first", "cache-first", 1)
				text = strings.Replace(text, "sha384-…", "sha384-"+strings.Repeat("A", 64), 1)
			case "rule.forget":
				text = strings.Replace(text, "network-first", "network-only", 1) + "[[rule]]\nname = \"departures\"\n" + company["rule"]
			case "rule.tell":
				text = strings.Replace(text, "network-first", "stale-while-revalidate", 1)
			case "ios.launch_dark":
				text += "launch = \"all\"\n"
			case "offline.routes":
				text += "shell = \"/index.html\"\n"
			case "worker.first":
				text += "beside = \"/push.js\"\n"
			case "rule.never":
				text += "[stow]\nnever = [\"/api/*\"]\n"
			}
			_, err := Parse("t.toml", []byte(text))
			require.NoError(t, err, text)
		})
	}
}

var update = flag.Bool("update", false, "write docs/configuration.md anew")

// TestReference holds the page about keys against what the program says.
func TestReference(t *testing.T) {
	const page = "../../docs/configuration.md"
	if *update {
		require.NoError(t, os.WriteFile(page, Reference(), 0o644))
	}
	got, err := os.ReadFile(page)
	require.NoError(t, err)
	assert.Equal(t, string(Reference()), string(got), "go test ./internal/config -update")
}
