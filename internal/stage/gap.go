package stage

import (
	"regexp"

	"github.com/dop251/goja"

	"tachyform.dev/tachyform/internal/webapi"
)

// What the engine says of names that it does not have.
var (
	notDefined = regexp.MustCompile(`\bReferenceError: ([\w$]+) is not defined`)
	noMember   = regexp.MustCompile(`\bTypeError: Object has no member '([\w$]+)'`)
)

// gapIn names what an exception shows to be lacking here that scripts find in Chromium, "" when it is the page's own mistake.
func (c *readCache) gapIn(message string) string {
	if m := notDefined.FindStringSubmatch(message); m != nil && webapi.Global(m[1]) {
		return m[1]
	}
	if m := noMember.FindStringSubmatch(message); m != nil && webapi.Member(m[1]) {
		if c.ours.Do(c.readMembers); !c.members[m[1]] {
			return m[1]
		}
	}
	return ""
}

// readMembers takes the names of all members that interfaces have on the stage's pages.
func (c *readCache) readMembers() {
	c.members = map[string]bool{}
	n := newBlank()
	<-n.ready
	if f := n.d.hooks["members"]; f != nil {
		if v, err := f(goja.Undefined()); err == nil {
			n.d.vm.ForOf(v, func(v goja.Value) bool { c.members[v.String()] = true; return true })
		}
	}
}
