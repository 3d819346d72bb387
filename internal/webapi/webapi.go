// Package webapi knows what scripts find in Chromium, by name: to tell a page's mistake from what our engine lacks.
package webapi

import (
	_ "embed"
	"strings"
	"sync"
)

// names.txt has a line for each interface: its name, then its members, sorted. "Window" has those of the global.
//
//go:embed names.txt
var text string

var names = sync.OnceValue(func() (n struct{ globals, members map[string]bool }) {
	n.globals, n.members = map[string]bool{}, map[string]bool{}
	for _, line := range strings.Split(text, "\n") {
		words := strings.Fields(line)
		if len(words) == 0 || words[0] == "#" {
			continue
		}
		n.globals[words[0]] = true
		for _, m := range words[1:] {
			n.members[m] = true
			if words[0] == "Window" {
				n.globals[m] = true
			}
		}
	}
	return n
})

// Global says whether a script in Chromium finds something under a name that nothing declares: an interface, or a member of Window.
func Global(name string) bool { return names().globals[name] }

// Member says whether some interface in Chromium has a member of a name.
func Member(name string) bool { return names().members[name] }
