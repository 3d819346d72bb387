package manifest

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
)

// Entry is a member to write, in order.
type Entry struct {
	Key   string
	Value any // as encoding/json writes it
}

// Write gives the bytes of a new manifest with the members in the order given.
func Write(entries []Entry) ([]byte, error) {
	var b bytes.Buffer
	b.WriteString("{\n")
	for i, e := range entries {
		if i > 0 {
			b.WriteString(",\n")
		}
		v, err := encode(e.Value, "  ", "  ")
		if err != nil {
			return nil, fmt.Errorf("member %s: %w", e.Key, err)
		}
		k, err := encode(e.Key, "", "")
		if err != nil {
			return nil, err
		}
		b.WriteString("  " + k + ": " + v)
	}
	b.WriteString("\n}\n")
	return b.Bytes(), nil
}

func encode(v any, prefix, indent string) (string, error) {
	var b bytes.Buffer
	enc := json.NewEncoder(&b)
	enc.SetEscapeHTML(false)
	enc.SetIndent(prefix, indent)
	if err := enc.Encode(v); err != nil {
		return "", err
	}
	return strings.TrimRight(b.String(), "\n"), nil
}

// Complete adds the members that an existing manifest lacks behind its last one, in the file's own indentation.
// All other bytes stay. It says which members it added. A manifest that is no JSON object is an error.
func Complete(existing []byte, entries []Entry) ([]byte, []string, error) {
	if bytes.HasPrefix(existing, []byte("\xff\xfe")) || bytes.HasPrefix(existing, []byte("\xfe\xff")) {
		return nil, nil, fmt.Errorf("a manifest in UTF-16 is not completed; save it as UTF-8")
	}
	bom := 0
	if bytes.HasPrefix(existing, []byte("\xef\xbb\xbf")) {
		bom = 3
	}
	root, err := parse(existing[bom:])
	if err != nil {
		return nil, nil, err
	}
	if root.kind != object {
		return nil, nil, fmt.Errorf("the manifest is %s, not an object", kindNames[root.kind])
	}
	newline, indent, step := "", " ", ""
	at := root.end - 1
	if n := len(root.members); n > 0 {
		at = root.members[n-1].value.end
		lead := existing[bom:][root.start+1 : root.members[0].keyStart]
		if i := bytes.LastIndexByte(lead, '\n'); i >= 0 {
			newline, indent = "\n", string(lead[i+1:])
			if i > 0 && lead[i-1] == '\r' {
				newline = "\r\n"
			}
			step = indent
		}
	}
	var b strings.Builder
	var added []string
	for _, e := range entries {
		if root.get(e.Key) != nil {
			continue
		}
		v, err := encode(e.Value, indent, step)
		if err != nil {
			return nil, nil, fmt.Errorf("member %s: %w", e.Key, err)
		}
		if newline == "" {
			var c bytes.Buffer
			if err := json.Compact(&c, []byte(v)); err != nil {
				return nil, nil, err
			}
			v = c.String()
		}
		if len(root.members)+len(added) > 0 {
			b.WriteString(",")
		}
		b.WriteString(newline + indent + `"` + e.Key + `": ` + strings.ReplaceAll(v, "\n", newline))
		added = append(added, e.Key)
	}
	if len(added) == 0 {
		return existing, nil, nil
	}
	at += bom
	return append(append(append([]byte{}, existing[:at]...), b.String()...), existing[at:]...), added, nil
}
