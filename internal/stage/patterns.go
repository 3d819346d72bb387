package stage

import (
	"errors"
	"fmt"
	"strings"
	"unicode/utf8"

	"github.com/dop251/goja"
)

// The engine's regular expressions know neither sets of characters with operations (the flag v) nor properties; both are written in what it
// knows (ECMAScript, "ClassSetExpression").

// hostPatterns gives the prelude the pattern that the engine is to have for one with the flag u or v.
func (g *realm) hostPatterns(set setter) {
	set("expression", func(c goja.FunctionCall) goja.Value {
		source, v := c.Argument(0).String(), c.Argument(1).ToBoolean()
		if v {
			r := &setReader{in: source}
			out := r.pattern()
			if r.err != nil {
				return goja.Null()
			}
			source = out
		}
		return g.vm.ToValue(writtenOut(source))
	})
}

// hostPromises tells promises from what only looks like one.
func (g *realm) hostPromises(set setter) {
	set("isPromise", func(c goja.FunctionCall) goja.Value {
		_, ok := c.Argument(0).Export().(*goja.Promise)
		return g.vm.ToValue(ok)
	})
}

// maxSets bounds how deep sets are nested.
const maxSets = 50

var errPattern = errors.New("not a pattern of the flag v")

// setReader turns a pattern of the flag v into one of the flag u.
type setReader struct {
	in   string
	at   int
	deep int
	err  error
}

func (r *setReader) next(s string) bool {
	if strings.HasPrefix(r.in[r.at:], s) {
		r.at += len(s)
		return true
	}
	return false
}

func (r *setReader) fail() string {
	r.err, r.at = errPattern, len(r.in)
	return ""
}

func (r *setReader) pattern() string {
	var b strings.Builder
	for r.at < len(r.in) {
		switch c := r.in[r.at]; {
		case c == '\\' && r.at+1 < len(r.in):
			b.WriteString(r.in[r.at : r.at+2])
			r.at += 2
		case c == '[':
			b.WriteString(r.set())
		default:
			b.WriteByte(c)
			r.at++
		}
	}
	return b.String()
}

// set reads from its bracket on, and gives an expression for one of its members.
func (r *setReader) set() string {
	if r.deep++; r.deep > maxSets {
		return r.fail()
	}
	defer func() { r.deep-- }()
	r.at++
	not := r.next("^")
	all, op := "", ""
	first := true
	for {
		if r.at >= len(r.in) {
			return r.fail()
		}
		if r.next("]") {
			break
		}
		switch {
		case !first && r.next("--"):
			op = "--"
		case !first && r.next("&&"):
			op = "&&"
		}
		member := r.member()
		if r.err != nil {
			return ""
		}
		switch {
		case first:
			all = member
		case op == "--":
			all = "(?:(?!" + member + ")" + all + ")"
		case op == "&&":
			all = "(?:(?=" + member + ")" + all + ")"
		default:
			all = either(all, member)
		}
		first = false
	}
	switch {
	case first && not:
		return `[\s\S]`
	case first:
		return `(?!)`
	case not:
		return "(?:(?!" + all + `)[\s\S])`
	}
	return all
}

// either joins two members; plain sets become one.
func either(a, b string) string {
	if strings.HasPrefix(a, "[") && strings.HasPrefix(b, "[") {
		return a[:len(a)-1] + b[1:]
	}
	return "(?:" + b + "|" + a + ")"
}

// member reads a character, a range, a class, texts or a set.
func (r *setReader) member() string {
	if r.in[r.at] == '[' {
		return r.set()
	}
	if r.next(`\q{`) {
		end := strings.IndexByte(r.in[r.at:], '}')
		if end < 0 {
			return r.fail()
		}
		texts := r.in[r.at : r.at+end]
		r.at += end + 1
		return "(?:" + texts + ")"
	}
	from, class := r.character()
	if class {
		return "[" + from + "]"
	}
	if r.at+1 < len(r.in) && r.in[r.at] == '-' && r.in[r.at+1] != '-' && r.in[r.at+1] != ']' {
		r.at++
		to, _ := r.character()
		return "[" + from + "-" + to + "]"
	}
	return "[" + from + "]"
}

// character reads one, as the flag u has it, or an escape for several.
func (r *setReader) character() (text string, class bool) {
	if r.at >= len(r.in) {
		return r.fail(), false
	}
	if r.in[r.at] != '\\' {
		c, n := utf8.DecodeRuneInString(r.in[r.at:])
		r.at += n
		if strings.ContainsRune(`()[]{}/-\|`, c) { // which are written with a backslash here
			return r.fail(), false
		}
		return string(c), false
	}
	r.at++
	if r.at >= len(r.in) {
		return r.fail(), false
	}
	c, n := utf8.DecodeRuneInString(r.in[r.at:])
	from := r.at
	r.at += n
	switch c {
	case 'p', 'P', 'u':
		if r.next("{") {
			end := strings.IndexByte(r.in[r.at:], '}')
			if end < 0 {
				return r.fail(), false
			}
			r.at += end + 1
		} else if r.at = min(len(r.in), r.at+4); c != 'u' {
			return r.fail(), false
		}
		return `\` + r.in[from:r.at], c != 'u'
	case 'x':
		r.at = min(len(r.in), r.at+2)
		return `\` + r.in[from:r.at], false
	case 'c':
		r.at = min(len(r.in), r.at+1)
		return `\` + r.in[from:r.at], false
	case 'd', 'D', 'w', 'W', 's', 'S':
		return `\` + string(c), true
	case 'n', 'r', 't', 'f', 'v', 'b', '0', '^', '$', '\\', '.', '*', '+', '?', '(', ')', '[', ']', '{', '}', '|', '/', '-':
		return `\` + string(c), false
	}
	return fmt.Sprintf(`\u{%x}`, c), false
}
