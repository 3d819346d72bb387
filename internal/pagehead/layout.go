package pagehead

import (
	"bytes"
	"regexp"
	"slices"
	"strings"
)

// Layout is a template that all pages of a site share, and the place in it where tags may be put.
type Layout struct {
	Insert int // offset: in front of the end tag of the head
	Line   int // from 1, of that end tag; 0 when there is none

	form form
}

// pair is a kind of template expression, with what it begins and ends with. Longer ones come first.
var expressions = [][2]string{{"{{{", "}}}"}, {"{{--", "--}}"}, {"{{!--", "--}}"}, {"{!!", "!!}"}, {"{{", "}}"}, {"{%", "%}"}, {"{#", "#}"}, {"<?php", "?>"}, {"<?=", "?>"}, {"<?", "?>"}, {"<%", "%>"}, {"@*", "*@"}}

var (
	endOfHead   = regexp.MustCompile(`(?i)</head\s*>`)
	startOfHead = regexp.MustCompile(`(?i)<head(?:\s[^<>]*)?>`)
	rawText     = regexp.MustCompile(`(?is)<(script|style|title|textarea|template)\b[^>]*>.*?</(?:script|style|title|textarea|template)\s*>`)
	comment     = regexp.MustCompile(`(?s)<!--.*?-->`)
	firstWord   = regexp.MustCompile(`^[-+~=\s]*([#/^]?)\s*([A-Za-z_]\w*)?`)
	directive   = regexp.MustCompile(`@(end)?([a-z]\w*)`)
	indentBy    = regexp.MustCompile(`(?m)^([ \t]+)<(?:meta|link|title|script)\b`)
)

// expression is one of the template's own language.
type expression struct {
	from, to int
	open     string // with what it begins
	inner    string
}

// expressionsOf finds the template's expressions.
func expressionsOf(src []byte) (out []expression) {
	for i := 0; i < len(src); {
		x := slices.IndexFunc(expressions, func(e [2]string) bool { return bytes.HasPrefix(src[i:], []byte(e[0])) })
		if x < 0 || bytes.HasPrefix(src[i:], []byte("<?xml")) {
			i++
			continue
		}
		begin, end := expressions[x][0], expressions[x][1]
		n := bytes.Index(src[i+len(begin):], []byte(end))
		if n < 0 && strings.HasPrefix(begin, "<?") {
			n = len(src) - i - len(begin) // PHP may end with the file
			end = ""
		}
		if n < 0 { // not what it looks like
			i += len(begin)
			continue
		}
		to := i + len(begin) + n + len(end)
		out = append(out, expression{i, to, begin, string(src[i+len(begin) : i+len(begin)+n])})
		i = to
	}
	return out
}

func lineOf(src []byte, at int) int { return bytes.Count(src[:at], []byte("\n")) + 1 }

// block is a part of a template that an expression opens and another one closes.
type block struct {
	from, to int
	name     string
}

// blocksOf pairs what opens a part of the template with what closes it. What has no partner is left out: it cannot be told whether it opens one.
func blocksOf(src []byte, all []expression) (out []block) {
	var open []block
	push := func(name string, at int) { open = append(open, block{from: at, name: name}) }
	pop := func(name string, at int) { // "" closes whatever was opened last
		for i := len(open) - 1; i >= 0; i-- {
			if name == "" || open[i].name == name {
				b := open[i]
				b.to = at
				out = append(out, b)
				open = open[:i]
				return
			}
		}
	}
	for _, e := range all {
		m := firstWord.FindStringSubmatch(e.inner)
		sign, word := m[1], strings.ToLower(m[2])
		switch e.open {
		case "{%":
			if rest, ok := strings.CutPrefix(word, "end"); ok {
				pop(rest, e.to)
			} else {
				push(word, e.from)
			}
		case "{{", "{{{":
			switch {
			case sign == "#" || sign == "^":
				push(word, e.from)
			case sign == "/":
				pop(word, e.to)
			case word == "end":
				pop("", e.to)
			case slices.Contains([]string{"if", "range", "with", "block", "define"}, word):
				push(word, e.from)
			}
		case "<?php", "<?", "<%":
			code := strings.TrimSpace(e.inner)
			switch {
			case strings.HasPrefix(word, "end"):
				pop("", e.to)
				if strings.HasSuffix(code, "do") {
					push("block", e.from)
				}
			case strings.HasPrefix(code, "}"):
				pop("{", e.to)
				if strings.HasSuffix(code, "{") || strings.HasSuffix(code, ":") {
					push("{", e.from)
				}
			case strings.HasSuffix(code, "{"):
				push("{", e.from)
			case strings.HasSuffix(code, ":") && !slices.Contains([]string{"else", "elseif", "case", "default"}, word):
				push("block", e.from)
			case e.open == "<%" && (slices.Contains([]string{"if", "unless", "while", "case", "begin"}, word) || strings.HasSuffix(code, " do") || strings.HasSuffix(code, "|")):
				push("block", e.from)
			}
		}
	}
	masked := masked(src, all)
	for _, m := range directive.FindAllSubmatchIndex(masked, -1) {
		name := string(masked[m[4]:m[5]])
		if m[2] >= 0 {
			pop("@"+name, m[1])
		} else if slices.Contains([]string{"show", "stop", "append", "overwrite"}, name) {
			pop("@section", m[1])
		} else if at := m[0]; at == 0 || !isWordByte(masked[at-1]) {
			push("@"+name, at)
		}
	}
	return out
}

func isWordByte(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c == '_' || c == '.' || c == '-'
}

// masked gives a template with spaces in the place of its expressions.
func masked(src []byte, all []expression) []byte {
	out := bytes.Clone(src)
	for _, e := range all {
		blank(out[e.from:e.to])
	}
	return out
}

// blank writes spaces over a text, but for its line ends.
func blank(text []byte) {
	for i, c := range text {
		if c != '\n' && c != '\r' {
			text[i] = ' '
		}
	}
}

// ReadLayout finds the place for tags in a template: in front of the end tag of its one head, outside of the template's own expressions, and of
// parts of it that are not always there. It knows curly braces and percent signs, PHP, embedded Ruby and JavaScript, and at-signs. The template
// must not hold a marked span; see [RemoveFromLayout]. Its error wraps [ErrUnsafe]; the Layout then has the line of what may be the place.
func ReadLayout(src []byte) (*Layout, error) {
	l := &Layout{}
	if bytes.HasPrefix(src, []byte("\xff\xfe")) || bytes.HasPrefix(src, []byte("\xfe\xff")) || bytes.IndexByte(src, 0) >= 0 {
		return l, unsafef("not text of one byte a letter")
	}
	all := expressionsOf(src)
	text := masked(src, all)
	for _, hidden := range []*regexp.Regexp{comment, rawText} {
		for _, m := range hidden.FindAllIndex(text, -1) {
			blank(text[m[0]:m[1]])
		}
	}
	ends, starts := endOfHead.FindAllIndex(text, -1), startOfHead.FindAllIndex(text, -1)
	if len(ends) > 0 {
		l.Insert, l.Line = ends[0][0], lineOf(src, ends[0][0])
	}
	switch {
	case len(ends) == 0:
		return l, unsafef("no </head> in it")
	case len(ends) > 1:
		return l, unsafef("%d times </head> in it, in the lines %d and %d", len(ends), l.Line, lineOf(src, ends[1][0]))
	case len(starts) != 1 || starts[0][0] > l.Insert:
		return l, unsafef("%d times <head> in it", len(starts))
	}
	for _, b := range blocksOf(src, all) {
		if b.from > starts[0][0] && b.from < l.Insert && b.to > l.Insert {
			return l, unsafef("</head> in line %d stands inside of a part of the template that begins in line %d (%s)", l.Line, lineOf(src, b.from), strings.TrimSpace(firstLine(src[b.from:])))
		}
	}
	l.form = form{unit: 1, newline: newline(src), lines: bytes.ContainsAny(src, "\r\n")}
	line := src[bytes.LastIndexAny(src[:l.Insert], "\r\n")+1 : l.Insert]
	switch {
	case len(bytes.TrimLeft(line, " \t")) > 0:
		l.form.lines = false // the line goes on: so does the insertion
	default:
		if m := indentBy.FindSubmatch(text[starts[0][1]:l.Insert]); m != nil {
			l.form.indent = string(m[1])
		}
		before := bytes.TrimSuffix(bytes.TrimSuffix(src[:l.Insert-len(line)], []byte("\n")), []byte("\r")) // the line before, without its end
		if len(before) < starts[0][1] || bytes.HasSuffix(before, []byte("\r")) {
			l.form.lines = false
			break
		}
		l.Insert = len(before)
	}
	return l, nil
}

func firstLine(text []byte) string {
	if i := bytes.IndexAny(text, "\r\n"); i >= 0 {
		text = text[:i]
	}
	if len(text) > 40 {
		return string(text[:40]) + "…"
	}
	return string(text)
}

// Edit gives the template with the elements in its head, marked. Its error wraps [ErrUnsafe] when a value would be taken for an expression of the
// template's language.
func (l *Layout) Edit(src []byte, elements []Element) ([]byte, error) {
	insertion := (&Head{form: l.form}).Insertion(elements)
	for _, e := range expressions {
		if bytes.Contains(insertion, []byte(e[0])) {
			return src, unsafef("one of the tags holds %s, which the template would take for its own", e[0])
		}
	}
	if directive.Match(insertion) {
		return src, unsafef("one of the tags holds an at-sign, which the template may take for its own")
	}
	return slices.Concat(src[:l.Insert], insertion, src[l.Insert:]), nil
}

// RemoveFromLayout takes the marked spans out of a template and says how many there were. Its error wraps [ErrUnsafe] when a mark is damaged.
func RemoveFromLayout(src []byte) ([]byte, int, error) {
	found, err := spans(src)
	if err != nil {
		return src, 0, err
	}
	out := bytes.Clone(src)
	for _, s := range slices.Backward(found) {
		out = slices.Delete(out, s[0], s[1])
	}
	return out, len(found), nil
}

// Snippet gives the elements as lines of HTML, without marks: for layouts that are edited by hand.
func Snippet(elements []Element) []byte {
	var b strings.Builder
	for _, e := range elements {
		b.WriteString(e.write("", false) + "\n")
	}
	return []byte(b.String())
}
