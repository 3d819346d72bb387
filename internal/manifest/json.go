package manifest

import (
	"bytes"
	"fmt"
	"mime"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"
)

// kind of a JSON value.
type kind uint8

const (
	null kind = iota
	boolean
	number
	text
	array
	object
)

var kindNames = [...]string{"null", "a boolean", "a number", "a string", "a list", "an object"}

// Value is a JSON value with its place in the source.
type Value struct {
	kind       kind
	str        string // of a string
	num        float64
	truth      bool
	items      []*Value
	members    []member
	start, end int
}

type member struct {
	key      string
	keyStart int
	value    *Value
}

// get gives a member's value; of equal keys the last one counts.
func (v *Value) get(key string) *Value {
	if v == nil {
		return nil
	}
	for i := len(v.members) - 1; i >= 0; i-- {
		if v.members[i].key == key {
			return v.members[i].value
		}
	}
	return nil
}

// SyntaxError says where a manifest is not JSON.
type SyntaxError struct {
	Line, Column int // from 1; columns count UTF-16 code units
	Message      string
}

func (e *SyntaxError) Error() string {
	return fmt.Sprintf("%d:%d: %s", e.Line, e.Column, e.Message)
}

// maxDepth is the deepest nesting that Chromium's parser takes.
const maxDepth = 1000

// decode gives a manifest's bytes as UTF-8, as a browser decodes them: by byte order mark, else as UTF-8 with
// U+FFFD for what is broken.
func decode(data []byte) []byte {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		data = data[3:]
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		if out, err := unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewDecoder().Bytes(data); err == nil {
			data = out
		}
	}
	return bytes.ToValidUTF8(data, []byte("\ufffd"))
}

// FromHeader gives a manifest's bytes as UTF-8 when the Content-Type header that they came with names another encoding, as browsers do
// (Fetch Standard and Encoding Standard, "decode"): a byte order mark counts for more.
func FromHeader(data []byte, contentType string) []byte {
	_, params, err := mime.ParseMediaType(contentType)
	if err != nil || params["charset"] == "" || bytes.HasPrefix(data, []byte("\xef\xbb\xbf")) || bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff")) {
		return data
	}
	e, err := htmlindex.Get(params["charset"])
	if err != nil { // seen in Chromium: a name that nobody knows is taken for Latin
		e = charmap.Windows1252
	}
	if e == unicode.UTF8 {
		return data
	}
	out, err := e.NewDecoder().Bytes(data)
	if err != nil {
		return data
	}
	return out
}

// position counts lines by LF and columns in UTF-16 code units.
func position(src []byte, offset int) (line, column int) {
	p := places{src: src}
	return p.of(offset)
}

// stride is how far the offsets lie apart whose places are kept, in bytes.
const stride = 512

// places gives the places of many offsets: those of every few thousand bytes are kept, so that each costs a look at as many.
type places struct {
	src  []byte
	kept []place
}

// place is a line and a column, and the offset behind the last whole character that they count.
type place struct{ at, line, column int }

func (p *places) of(offset int) (line, column int) {
	offset = min(max(offset, 0), len(p.src))
	if len(p.kept) == 0 {
		p.kept = []place{{0, 1, 1}}
	}
	for last := p.kept[len(p.kept)-1]; last.at+stride <= offset; last = p.kept[len(p.kept)-1] {
		p.kept = append(p.kept, p.on(last, last.at+stride))
	}
	got := p.on(p.kept[min(offset/stride, len(p.kept)-1)], offset)
	return got.line, got.column
}

// on goes on from a place to an offset.
func (p *places) on(from place, offset int) place {
	if offset < from.at { // the kept place lies behind a character that crosses its offset
		from = place{0, 1, 1}
	}
	rest := p.src[from.at:offset]
	if n := bytes.Count(rest, []byte("\n")); n > 0 {
		from.line += n
		from.column = 1
		rest = rest[bytes.LastIndexByte(rest, '\n')+1:]
	}
	for len(rest) > 0 {
		r, n := utf8.DecodeRune(rest)
		if r == utf8.RuneError && n == 1 && offset < len(p.src) && !utf8.FullRune(rest) { // a character that goes on behind the offset
			return place{offset - len(rest), from.line, from.column}
		}
		from.column += max(1, utf16.RuneLen(r))
		rest = rest[n:]
	}
	from.at = offset
	return from
}

type parser struct {
	src []byte
	at  int
}

// parse reads JSON strictly except that comments are allowed, as Chromium does.
func parse(src []byte) (v *Value, err error) {
	p := &parser{src: src}
	defer func() {
		if r := recover(); r != nil {
			e, ok := r.(*SyntaxError)
			if !ok {
				panic(r)
			}
			v, err = nil, e
		}
	}()
	if len(src) < 3 { // seen in Chromium: shorter documents are lost
		p.fail(0, "a manifest of fewer than three bytes is not read by Chromium; write a newline behind it")
	}
	v = p.value(0)
	p.space()
	if p.at < len(src) {
		p.fail(p.at, "there is something behind the end of the object")
	}
	return v, nil
}

func (p *parser) fail(at int, format string, args ...any) {
	line, column := position(p.src, at)
	panic(&SyntaxError{line, column, fmt.Sprintf(format, args...)})
}

func (p *parser) space() {
	for p.at < len(p.src) {
		switch c := p.src[p.at]; {
		case c == ' ' || c == '\t' || c == '\n' || c == '\r':
			p.at++
		case bytes.HasPrefix(p.src[p.at:], []byte("//")):
			if i := bytes.IndexAny(p.src[p.at:], "\r\n"); i >= 0 {
				p.at += i
			} else {
				p.at = len(p.src)
			}
		case bytes.HasPrefix(p.src[p.at:], []byte("/*")):
			i := bytes.Index(p.src[p.at+2:], []byte("*/"))
			if i < 0 {
				p.fail(p.at, "the comment is never closed")
			}
			p.at += i + 4
		default:
			return
		}
	}
}

func (p *parser) value(depth int) *Value {
	p.space()
	if depth > maxDepth {
		p.fail(p.at, "nested more than %d deep", maxDepth)
	}
	if p.at >= len(p.src) {
		p.fail(p.at, "the file ends where a value is expected")
	}
	v := &Value{start: p.at}
	switch c := p.src[p.at]; {
	case c == '{':
		p.object(v, depth)
	case c == '[':
		p.array(v, depth)
	case c == '"':
		v.kind, v.str = text, p.string()
	case c == '-' || c >= '0' && c <= '9':
		v.kind, v.num = number, p.number()
	case c == '\'':
		p.fail(p.at, "strings stand in double quotes in JSON")
	default:
		p.word(v)
	}
	v.end = p.at
	return v
}

func (p *parser) word(v *Value) {
	rest := p.src[p.at:]
	for word, set := range map[string]func(){
		"true":  func() { v.kind, v.truth = boolean, true },
		"false": func() { v.kind = boolean },
		"null":  func() { v.kind = null },
	} {
		if bytes.HasPrefix(rest, []byte(word)) {
			set()
			p.at += len(word)
			return
		}
	}
	r, _ := utf8.DecodeRune(rest)
	p.fail(p.at, "%q cannot begin a value", r)
}

func (p *parser) object(v *Value, depth int) {
	v.kind = object
	p.at++
	for first := true; ; first = false {
		p.space()
		if first && p.at < len(p.src) && p.src[p.at] == '}' {
			p.at++
			return
		}
		if p.at >= len(p.src) {
			p.fail(p.at, "the file ends inside an object")
		}
		if p.src[p.at] != '"' {
			p.fail(p.at, "a member's name in double quotes is expected")
		}
		m := member{keyStart: p.at}
		m.key = p.string()
		p.space()
		if p.at >= len(p.src) || p.src[p.at] != ':' {
			p.fail(p.at, "a colon is expected behind the name %q", m.key)
		}
		p.at++
		m.value = p.value(depth + 1)
		v.members = append(v.members, m)
		if !p.comma('}', "member") {
			return
		}
	}
}

// comma goes over a comma and says whether another element follows.
func (p *parser) comma(end byte, what string) bool {
	p.space()
	switch {
	case p.at >= len(p.src):
		p.fail(p.at, "the file ends where a comma or %q is expected", end)
	case p.src[p.at] == end:
		p.at++
		return false
	case p.src[p.at] != ',':
		p.fail(p.at, "a comma or %q is expected behind the %s", end, what)
	}
	p.at++
	p.space()
	if p.at < len(p.src) && p.src[p.at] == end {
		p.fail(p.at, "there is a comma behind the last %s", what)
	}
	return true
}

func (p *parser) array(v *Value, depth int) {
	v.kind = array
	p.at++
	p.space()
	if p.at < len(p.src) && p.src[p.at] == ']' {
		p.at++
		return
	}
	for {
		v.items = append(v.items, p.value(depth+1))
		if !p.comma(']', "item") {
			return
		}
	}
}

func (p *parser) string() string {
	start := p.at
	p.at++
	var b strings.Builder
	for {
		if p.at >= len(p.src) {
			p.fail(start, "the string is never closed")
		}
		c := p.src[p.at]
		switch {
		case c == '"':
			p.at++
			return b.String()
		case c < 0x20:
			p.fail(p.at, "a control character (0x%02x) stands in a string; write it as an escape", c)
		case c == '\\':
			p.escape(&b)
		default:
			b.WriteByte(c)
			p.at++
		}
	}
}

func (p *parser) escape(b *strings.Builder) {
	at := p.at
	p.at += 2
	if p.at > len(p.src) {
		p.fail(at, "the file ends inside a string")
	}
	switch c := p.src[p.at-1]; c {
	case '"', '\\', '/':
		b.WriteByte(c)
	case 'b':
		b.WriteByte('\b')
	case 'f':
		b.WriteByte('\f')
	case 'n':
		b.WriteByte('\n')
	case 'r':
		b.WriteByte('\r')
	case 't':
		b.WriteByte('\t')
	case 'u':
		r := p.hex4(at)
		if utf16.IsSurrogate(r) {
			low := rune(-1)
			if bytes.HasPrefix(p.src[p.at:], []byte(`\u`)) {
				p.at += 2
				low = p.hex4(at)
			}
			if r = utf16.DecodeRune(r, low); r == utf8.RuneError {
				p.fail(at, "half of a surrogate pair")
			}
		}
		b.WriteRune(r)
	default:
		p.fail(at, "unknown escape \\%c", c)
	}
}

func (p *parser) hex4(at int) rune {
	if p.at+4 > len(p.src) {
		p.fail(at, "an escape needs four hexadecimal digits")
	}
	n, err := strconv.ParseUint(string(p.src[p.at:p.at+4]), 16, 32)
	if err != nil {
		p.fail(at, "an escape needs four hexadecimal digits")
	}
	p.at += 4
	return rune(n)
}

func (p *parser) number() float64 {
	start := p.at
	digits := func() int {
		from := p.at
		for p.at < len(p.src) && p.src[p.at] >= '0' && p.src[p.at] <= '9' {
			p.at++
		}
		return p.at - from
	}
	if p.src[p.at] == '-' {
		p.at++
	}
	zero := p.at < len(p.src) && p.src[p.at] == '0'
	if n := digits(); n == 0 || zero && n > 1 {
		p.fail(start, "not a number as JSON writes them")
	}
	if p.at < len(p.src) && p.src[p.at] == '.' {
		p.at++
		if digits() == 0 {
			p.fail(start, "digits are expected behind the point")
		}
	}
	if p.at < len(p.src) && p.src[p.at]|0x20 == 'e' {
		p.at++
		if p.at < len(p.src) && (p.src[p.at] == '+' || p.src[p.at] == '-') {
			p.at++
		}
		if digits() == 0 {
			p.fail(start, "digits are expected in the exponent")
		}
	}
	n, err := strconv.ParseFloat(string(p.src[start:p.at]), 64)
	if err != nil {
		p.fail(start, "the number is too large")
	}
	return n
}
