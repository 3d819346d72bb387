package manifest

import (
	"bytes"
	"maps"
	"slices"
	"strconv"
	"unicode/utf8"
)

// Members gives the names of the members that browsers, stores and editors read, sorted; those that are obsolete are not among them.
func Members() []string {
	out := slices.Clone(processedMembers)
	for _, m := range slices.Sorted(maps.Keys(otherMembers)) {
		if otherMembers[m] == "" || m == "version" { // which does no harm, either
			out = append(out, m)
		}
	}
	slices.Sort(out)
	return out
}

// Obsolete says what has become of a member that nothing reads any more, "" for others.
func Obsolete(member string) string {
	if member == "version" {
		return ""
	}
	return otherMembers[member]
}

// PathAt gives the keys that lead to what stands at a place, an element of a list as "shortcuts[0]"; none when the manifest is no object.
func (m *Manifest) PathAt(line, column int) []string {
	root, err := parse(m.src)
	if err != nil || root.kind != object {
		return nil
	}
	at := 0
	for range line - 1 {
		i := bytes.IndexByte(m.src[at:], '\n')
		if i < 0 {
			return nil
		}
		at += i + 1
	}
	for range column - 1 {
		_, n := utf8.DecodeRune(m.src[at:])
		at += n
	}
	var path []string
	for v := root; v != nil; {
		next := (*Value)(nil)
		for _, e := range v.members {
			if e.keyStart <= at && at < e.value.end {
				path, next = append(path, e.key), e.value
			}
		}
		for i, item := range v.items {
			if item.start <= at && at < item.end && len(path) > 0 {
				path[len(path)-1] += "[" + strconv.Itoa(i) + "]"
				next = item
			}
		}
		v = next
	}
	return path
}
