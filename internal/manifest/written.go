package manifest

import "encoding/json"

// WrittenMember is a member as it stands in the file.
type WrittenMember struct {
	Key   string
	Value json.RawMessage // without comments
}

// Written gives the members in the file's order; of equal keys the last, in the first one's place.
func (m *Manifest) Written() []WrittenMember {
	root, err := parse(m.src)
	if err != nil || root.kind != object {
		return nil
	}
	var out []WrittenMember
	seen := map[string]bool{}
	for _, e := range root.members {
		if !seen[e.key] {
			seen[e.key] = true
			out = append(out, WrittenMember{e.key, root.get(e.key).json()})
		}
	}
	return out
}

// json writes a value anew.
func (v *Value) json() json.RawMessage {
	raw, err := json.Marshal(v.plain())
	if err != nil {
		return json.RawMessage("null") // a number that JSON cannot write, which the parser refuses
	}
	return raw
}

func (v *Value) plain() any {
	switch v.kind {
	case boolean:
		return v.truth
	case number:
		return v.num
	case text:
		return v.str
	case array:
		out := make([]any, 0, len(v.items))
		for _, i := range v.items {
			out = append(out, i.plain())
		}
		return out
	case object:
		out := map[string]any{}
		for _, m := range v.members {
			out[m.key] = m.value.plain()
		}
		return out
	}
	return nil
}
