package worker

import (
	"fmt"
	"regexp"
	"strings"

	"github.com/dunglas/go-urlpattern"

	"tachyform.dev/tachyform/internal/weburl"
)

// anyQuery matches a query, or none.
const anyQuery = `(?:\?[\s\S]*)?`

// anything is how the components of a pattern say that everything matches.
const anything = "*"

// Pattern is a pattern of the URL Pattern Standard, compiled.
type Pattern struct {
	Match string // regular expression for an address, in the common part of the syntaxes of JavaScript and Go
	Path  string // the pattern for the path when the pattern says nothing else and holds no regular expression, else ""
	Other bool   // it is for other origins
}

// ParsePattern compiles a pattern: a path such as "/api/:name", or a whole URL with another origin. A pattern that says
// nothing of a query matches any.
func ParsePattern(pattern string) (Pattern, error) {
	p, err := urlpattern.New(pattern, weburl.Origin, nil)
	if err != nil {
		return Pattern{}, fmt.Errorf("%q is no URL pattern: %w", pattern, err)
	}
	path, err := component(p.Pathname(), "[^/?]+", "[^?]*", "/")
	if err != nil {
		return Pattern{}, fmt.Errorf("%q: %w", pattern, err)
	}
	query := anyQuery
	if s := p.Search(); s != anything {
		if query, err = component(s, `[\s\S]+`, `[\s\S]*`, ""); err != nil {
			return Pattern{}, fmt.Errorf("%q: %w", pattern, err)
		}
		if query != "" {
			query = `\?` + query
		}
	}
	out := Pattern{}
	origin := ""
	if !strings.HasPrefix(pattern, "/") && p.Protocol()+"://"+p.Hostname() != weburl.Origin {
		out.Other = true
		var parts [3]string
		for i, c := range [...][2]string{{p.Protocol(), "[^/]+"}, {p.Hostname(), "[^./]+"}, {p.Port(), "[^/]+"}} {
			if parts[i], err = component(c[0], c[1], "[^/]*", ""); err != nil {
				return Pattern{}, fmt.Errorf("%q: %w", pattern, err)
			}
		}
		origin = parts[0] + "://" + parts[1]
		switch {
		case p.Port() == anything:
			origin += `(?::\d+)?`
		case parts[2] != "":
			origin += ":" + parts[2]
		}
	}
	out.Match = "^" + origin + path + query + "$"
	if _, err := regexp.Compile(out.Match); err != nil {
		return Pattern{}, fmt.Errorf("%q holds a regular expression that is not understood here: %w", pattern, err)
	}
	if !out.Other && query == anyQuery && !strings.Contains(p.Pathname(), "(") {
		out.Path = p.Pathname()
	}
	return out, nil
}

func isWord(c byte) bool {
	return c == '_' || c == '$' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9'
}

// component makes the regular expression of one component of a pattern (URL Pattern Standard, "generate a regular
// expression and name list"). segment and wildcard are what a :name and a * match; neither leaves the component, since
// the expressions of all are put together. prefix is what belongs to a group behind it.
func component(pattern, segment, wildcard, prefix string) (string, error) {
	c := compiler{in: pattern, prefix: prefix, segment: segment, wildcard: wildcard}
	for c.at < len(c.in) {
		if err := c.part(); err != nil {
			return "", err
		}
	}
	c.flush()
	return c.out.String(), nil
}

// compiler reads one component of a pattern.
type compiler struct {
	in, prefix, segment, wildcard string

	at      int
	pending string // text that stands for itself
	out     strings.Builder
}

func (c *compiler) flush() {
	c.out.WriteString(regexp.QuoteMeta(c.pending))
	c.pending = ""
}

// part reads a character, a group or what stands in braces.
func (c *compiler) part() error {
	ch := c.in[c.at]
	switch {
	case ch == '\\' && c.at+1 < len(c.in):
		c.pending += string(c.in[c.at+1])
		c.at += 2
		return nil
	case ch == '{':
		return c.braces()
	case c.groupAt(c.at):
		return c.group("", "")
	case c.groupAt(c.at+1) && ch != '}':
		c.at++
		if string(ch) == c.prefix {
			return c.group(c.prefix, "")
		}
		c.pending += string(ch)
		return c.group("", "")
	}
	c.pending += string(ch)
	c.at++
	return nil
}

// groupAt says whether a :name, a regular expression or a wildcard begins at a place.
func (c *compiler) groupAt(i int) bool {
	return i < len(c.in) && (c.in[i] == '*' || c.in[i] == '(' || c.in[i] == ':' && i+1 < len(c.in) && isWord(c.in[i+1]))
}

// matching reads a name, a regular expression or a wildcard, or both of the first two, and gives its regular expression.
func (c *compiler) matching() (string, error) {
	named := false
	if c.in[c.at] == ':' {
		named = true
		for c.at++; c.at < len(c.in) && isWord(c.in[c.at]); c.at++ {
			continue
		}
	}
	switch {
	case c.at < len(c.in) && c.in[c.at] == '(':
		depth, from := 0, c.at
		for ; c.at < len(c.in); c.at++ {
			switch c.in[c.at] {
			case '\\':
				c.at++
			case '(':
				depth++
			case ')':
				depth--
			}
			if depth == 0 {
				c.at++
				return "(?:" + c.in[from+1:c.at-1] + ")", nil
			}
		}
		return "", fmt.Errorf("a bracket is not closed")
	case !named && c.at < len(c.in) && c.in[c.at] == '*':
		c.at++
		return c.wildcard, nil
	}
	return c.segment, nil
}

func (c *compiler) modifier() string {
	if c.at < len(c.in) && strings.IndexByte("?+*", c.in[c.at]) >= 0 {
		c.at++
		return c.in[c.at-1 : c.at]
	}
	return ""
}

// group reads a group with its modifier and writes it. suffix is what stands behind it in braces.
func (c *compiler) group(prefix, suffix string) error {
	re, err := c.matching()
	if err != nil {
		return err
	}
	c.flush()
	c.write(prefix, re, suffix, c.modifier())
	return nil
}

func (c *compiler) write(prefix, re, suffix, modifier string) {
	p, s := regexp.QuoteMeta(prefix), regexp.QuoteMeta(suffix)
	switch {
	case modifier == "":
		c.out.WriteString(p + re + s)
	case p == "" && s == "" || modifier == "?":
		c.out.WriteString("(?:" + p + re + s + ")" + modifier)
	default:
		c.out.WriteString("(?:" + p + re + "(?:" + s + p + re + ")*" + s + ")")
		if modifier == "*" {
			c.out.WriteString("?")
		}
	}
}

// braces reads {text}, or {text with a group}, with a modifier.
func (c *compiler) braces() error {
	c.at++
	prefix := c.text()
	if !c.groupAt(c.at) {
		if c.at >= len(c.in) || c.in[c.at] != '}' {
			return fmt.Errorf("a brace is not closed")
		}
		c.at++
		m := c.modifier()
		if m == "" {
			c.pending += prefix
			return nil
		}
		c.flush()
		c.out.WriteString("(?:" + regexp.QuoteMeta(prefix) + ")" + m)
		return nil
	}
	re, err := c.matching()
	if err != nil {
		return err
	}
	suffix := c.text()
	if c.at >= len(c.in) || c.in[c.at] != '}' {
		return fmt.Errorf("a brace is not closed")
	}
	c.at++
	c.flush()
	c.write(prefix, re, suffix, c.modifier())
	return nil
}

// text reads what stands for itself within braces.
func (c *compiler) text() string {
	out := ""
	for c.at < len(c.in) && c.in[c.at] != '}' && c.in[c.at] != '{' && !c.groupAt(c.at) {
		if c.in[c.at] == '\\' && c.at+1 < len(c.in) {
			c.at++
		}
		out += string(c.in[c.at])
		c.at++
	}
	return out
}

// globPattern gives the pattern of the URL Pattern Standard for a path glob, "" when there is none.
func globPattern(glob string) string {
	if strings.ContainsAny(glob, `\?[{`) || strings.Contains(strings.ReplaceAll(strings.TrimSuffix(glob, "/**"), "/**/", "/"), "*") || strings.Contains(glob, "/**/") {
		return ""
	}
	escaped := strings.NewReplacer(":", `\:`, "(", `\(`, ")", `\)`, "+", `\+`, "}", `\}`).Replace(strings.TrimSuffix(glob, "/**"))
	if strings.HasSuffix(glob, "/**") {
		return escaped + "/*"
	}
	return escaped
}
