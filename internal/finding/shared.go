package finding

import (
	"slices"
	"sort"
	"strings"
)

// Group is some of the addresses of which the same was found.
type Group struct {
	First  string // address
	Count  int
	Folder string // that holds all of them and no other page, "" for a single address
}

// Shared puts addresses together by what they have in common that others have not: the largest folder without any of the others. The groups come in
// the order of their addresses.
func Shared(some, others []string) []Group {
	left := slices.Clone(some)
	sort.Strings(left)
	var out []Group
	for len(left) > 0 {
		g := Group{First: left[0], Count: 1}
		for at := 0; ; {
			n := strings.IndexByte(left[0][at+1:], '/')
			if n < 0 {
				break
			}
			at += n + 1
			folder := left[0][:at+1]
			inside := func(u string) bool { return strings.HasPrefix(u, folder) }
			if slices.ContainsFunc(others, inside) {
				continue
			}
			if n := len(slices.DeleteFunc(slices.Clone(left), func(u string) bool { return !inside(u) })); n > 1 {
				g = Group{left[0], n, folder}
			}
			break
		}
		left = slices.DeleteFunc(left, func(u string) bool { return u == g.First || g.Folder != "" && strings.HasPrefix(u, g.Folder) })
		out = append(out, g)
	}
	return out
}
