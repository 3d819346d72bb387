package config

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"github.com/pelletier/go-toml/v2"
)

// SchemaName is the file that an editor reads the schema from, beside the configuration.
const SchemaName = "tachyform.schema.json"

// SchemaLine is what the first line of a configuration says to editors that follow schemas.
const SchemaLine = "#:schema " + SchemaName

// Schema gives the JSON Schema (draft 7, which editors of TOML read) of a configuration.
func Schema() []byte {
	root := node{Kind: "table"}
	root.Text = "What tachyform fit does to a site, and how the site is rehearsed and audited. Everything is optional."
	for _, k := range Keys() {
		root.add(strings.Split(k.Name, "."), k)
	}
	out := root.schema()
	out["$schema"] = "http://json-schema.org/draft-07/schema#"
	out["title"] = Name
	data, err := json.MarshalIndent(out, "", "  ")
	if err != nil { // of texts and lists of our own
		panic(err)
	}
	return append(data, '\n')
}

// node is a key with those below it.
type node struct {
	Key
	Kind  string
	below map[string]*node
}

func (n *node) add(path []string, k Key) {
	if n.below == nil {
		n.below = map[string]*node{}
	}
	next := n.below[path[0]]
	if next == nil {
		next = &node{}
		n.below[path[0]] = next
	}
	if len(path) == 1 {
		next.Key, next.Kind = k, k.Kind
		return
	}
	next.add(path[1:], k)
}

func (n *node) schema() map[string]any {
	out := map[string]any{}
	var needed []string
	object := func() map[string]any {
		o := map[string]any{"type": "object", "additionalProperties": false}
		members := map[string]any{}
		for name, b := range n.below {
			if name == "NAME" {
				o["additionalProperties"] = b.schema()
				continue
			}
			members[name] = b.schema()
			if b.Default == "needed" {
				needed = append(needed, name)
			}
		}
		o["properties"] = members
		if len(needed) > 0 {
			slices.Sort(needed)
			o["required"] = needed
		}
		if n.Name == "app" {
			o["patternProperties"] = map[string]any{"^x_": map[string]any{}}
		}
		if n.Name == "audit.levels" {
			o["additionalProperties"] = map[string]any{"enum": []string{"blocker", "warning", "advice"}}
		}
		return o
	}
	switch n.Kind {
	case "text":
		out["type"] = "string"
		if n.Values != nil {
			out["enum"] = n.Values
		}
	case "number":
		out["type"] = "integer"
	case "yes or no":
		out["type"] = "boolean"
	case "texts":
		items := map[string]any{"type": "string"}
		if n.Values != nil {
			items["enum"] = n.Values
		}
		out["type"], out["items"] = "array", items
	case "table":
		out = object()
	case "tables":
		out["type"], out["items"] = "array", object()
	}
	out["description"] = n.Text
	if n.Default != "" && n.Default != "needed" {
		if v, ok := valueOf(n.Default); ok {
			out["default"] = v
		} else {
			out["description"] = fmt.Sprintf("%s When it is not given: %s.", n.Text, n.Default)
		}
	}
	if v, ok := valueOf(n.Example); ok && n.Example != "" {
		out["examples"] = []any{v}
	}
	return out
}

// valueOf reads a value as it stands in TOML.
func valueOf(s string) (any, bool) {
	var v struct {
		V any `toml:"v"`
	}
	if s == "" || toml.Unmarshal([]byte("v = "+s+"\n"), &v) != nil {
		return nil, false
	}
	return v.V, true
}

// Reference gives the page docs/configuration.md.
func Reference() []byte {
	var b strings.Builder
	b.WriteString("# tachyform.toml, key by key\n\nEverything is optional. `tachyform draft SITE` writes a file that says what `fit` would do without any; `tachyform schema config` prints this as JSON Schema, for editors. Mistakes are named with line, column and what may have been meant.\n\nThis page is made from the program (`go test ./internal/config -update`).\n")
	keys := Keys()
	row := func(k Key, short string) {
		fmt.Fprintf(&b, "| `%s` | %s%s | %s | %s |\n", short, cell(k.Text), cell(values(k)), cell(plain(k.Default)), code(k.Example))
	}
	const head = "\n| key | says | when it is not given | example |\n|---|---|---|---|\n"
	b.WriteString(head)
	for _, k := range keys {
		if !strings.Contains(k.Name, ".") && !strings.HasPrefix(k.Kind, "table") {
			row(k, k.Name)
		}
	}
	for _, table := range keys {
		if !strings.HasPrefix(table.Kind, "table") || table.Name == "audit.levels" || table.Name == "place" {
			continue
		}
		open, end := "[", "]"
		if table.Kind == "tables" {
			open, end = "[[", "]]"
		}
		fmt.Fprintf(&b, "\n## `%s%s%s`\n\n%s\n%s", open, table.Name, end, table.Text, head)
		for _, k := range keys {
			short, ok := strings.CutPrefix(k.Name, table.Name+".")
			if ok && !strings.Contains(short, ".") && (!strings.HasPrefix(k.Kind, "table") || k.Name == "audit.levels") && k.Kind != "any" {
				row(k, short)
			}
		}
		if table.Name == "app" {
			var rest []string
			for _, k := range keys {
				if short, ok := strings.CutPrefix(k.Name, "app."); ok && k.Kind == "any" {
					rest = append(rest, "`"+short+"`")
				}
			}
			fmt.Fprintf(&b, "\nWritten as they stand: %s, and names that begin with `x_`.\n", strings.Join(rest, ", "))
		}
	}
	return []byte(b.String())
}

func values(k Key) string {
	if k.Values == nil {
		return ""
	}
	return " One of " + strings.Join(k.Values, ", ") + "."
}

func plain(s string) string {
	if _, ok := valueOf(s); ok && s != "" {
		return "`" + s + "`"
	}
	return s
}

func code(s string) string {
	if s == "" {
		return ""
	}
	return "`" + cell(s) + "`"
}

// cell keeps a text within a cell of a table.
func cell(s string) string { return strings.ReplaceAll(s, "|", "\\|") }
