package config

import (
	"bytes"
	"slices"
	"strconv"
	"strings"

	"github.com/pelletier/go-toml/v2/unstable"
)

// setting is one place of a TOML text that gives a key a value, or one element of a list.
type setting struct {
	path  []string // keys from the root; tables of a list are "rule[0]"
	value string   // as a text, without quotes
	data  []byte   // the whole text
	at    int      // offset in it of the key; of the element in a list
}

// place gives line and column, from 1.
func (s setting) place() (line, column int) {
	before := s.data[:max(s.at, 0)]
	return bytes.Count(before, []byte("\n")) + 1, len([]rune(string(before[bytes.LastIndexByte(before, '\n')+1:]))) + 1
}

// settings reads where a TOML text says what. What is no TOML has none from there on.
func settings(data []byte) []setting {
	var out []setting
	p := unstable.Parser{}
	p.Reset(data)
	var table []string
	counts := map[string]int{}
	for p.NextExpression() {
		e := p.Expression()
		switch e.Kind {
		case unstable.Table, unstable.ArrayTable:
			table = nil
			for k := e.Key(); k.Next(); {
				table = append(table, string(k.Node().Data))
				name := strings.Join(table, ".")
				if n := counts[name]; n > 0 && !(e.Kind == unstable.ArrayTable && k.IsLast()) { // below the last table of a list
					table[len(table)-1] += "[" + strconv.Itoa(n-1) + "]"
				}
			}
			if e.Kind == unstable.ArrayTable {
				name := strings.Join(table, ".")
				table[len(table)-1] += "[" + strconv.Itoa(counts[name]) + "]"
				counts[name]++
			}
		case unstable.KeyValue:
			out = keyValue(out, &p, data, table, e)
		}
	}
	return out
}

func keyValue(out []setting, p *unstable.Parser, data []byte, table []string, e *unstable.Node) []setting {
	path := slices.Clone(table)
	at := -1
	for k := e.Key(); k.Next(); {
		if at < 0 {
			at = int(k.Node().Raw.Offset)
		}
		path = append(path, string(k.Node().Data))
	}
	return value(out, p, data, path, at, e.Value())
}

func value(out []setting, p *unstable.Parser, data []byte, path []string, at int, v *unstable.Node) []setting {
	switch v.Kind {
	case unstable.InlineTable:
		out = append(out, placed(data, path, "", at))
		for i := v.Children(); i.Next(); {
			if i.Node().Kind == unstable.KeyValue {
				out = keyValue(out, p, data, path, i.Node())
			}
		}
	case unstable.Array:
		out = append(out, placed(data, path, "", at))
		for i := v.Children(); i.Next(); {
			if n := i.Node(); n.Raw.Length > 0 {
				out = append(out, placed(data, path, string(n.Data), int(n.Raw.Offset)))
			}
		}
	default:
		out = append(out, placed(data, path, string(v.Data), at))
	}
	return out
}

func placed(data []byte, path []string, value string, at int) setting {
	return setting{path, value, data, at}
}

// find gives the place that sets a key, by the end of its path such as "now" or "stow.now", to a value; of any value when that is "" or when
// nothing has it. The path begins with what stands in before. 0, 0 is for none.
func find(all []setting, before, key, value string) (line, column int) {
	want := strings.Split(key, ".")
	for _, exact := range []bool{true, false} {
		for _, s := range all {
			if before != "" && s.path[0] != before || len(s.path) < len(want) || !slices.Equal(s.path[len(s.path)-len(want):], want) {
				continue
			}
			if s.value == value || !exact {
				return s.place()
			}
		}
	}
	return 0, 0
}
