// Package markup reads HTML, CSS and JavaScript for what they say and what they refer to. It changes nothing.
package markup

import (
	"bytes"
	"slices"
)

// TokenKind says what a [Token] is.
type TokenKind uint8

// The kinds of tokens that the HTML Standard's tokenizer emits (section 13.2.5), with text as one run.
const (
	Text TokenKind = iota
	StartTag
	EndTag
	Comment
	Doctype
)

// Token is one token of a page with its place in the bytes.
type Token struct {
	Kind        TokenKind
	Start, End  int    // byte offsets, End is behind the last byte
	Name        string // lower-case tag name
	SelfClosing bool
	Raw         bool // text of an element whose content is not markup, such as a script
	Attrs       []Attr
}

// Attr is one attribute of a start tag with its place in the bytes. Only the first of equal names counts.
type Attr struct {
	Name       string // lower case
	Start, End int    // of the whole attribute
	ValStart   int    // of the value without quotes; ValStart == ValEnd when empty or absent
	ValEnd     int
}

// Tokens walks through the bytes of a page as the HTML Standard's tokenizer does, with scripting on. Offsets
// are those of the input, which must be in an encoding that keeps ASCII bytes for ASCII (see pagehead for the
// others). It never fails; whatever the bytes, the tokens come in order.
type Tokens struct {
	src     []byte
	at      int
	rawName string // element whose raw text comes next
	// only, when set, names the tags that the caller looks at. Text and other tags are passed over, unless they matter
	// to the tokenizer itself.
	only    *wanted
	foreign []string
	attrs   []Attr
	names   map[string]bool // of the attributes of a tag with many
}

// NewTokens starts at the beginning of src, behind a UTF-8 byte order mark.
func NewTokens(src []byte) *Tokens {
	t := TokensOf(src)
	if bytes.HasPrefix(src, []byte("\xef\xbb\xbf")) {
		t.at = 3
	}
	return t
}

// TokensOf starts at the beginning of text whose byte order mark was taken off: another one is a character.
func TokensOf(text []byte) *Tokens { return &Tokens{src: text} }

// rawText are the elements whose content the tokenizer reads as text (section 13.2.6.4: raw text, RCDATA,
// script data and PLAINTEXT).
var rawText = map[string]bool{"script": true, "style": true, "title": true, "textarea": true, "xmp": true,
	"iframe": true, "noembed": true, "noframes": true, "noscript": true, "plaintext": true}

// Next gives the next token, false at the end. The token's Attrs are overwritten by the next call.
func (t *Tokens) Next() (Token, bool) {
	if t.at >= len(t.src) {
		return Token{}, false
	}
	if name := t.rawName; name != "" {
		t.rawName = ""
		if end := t.rawEnd(name); end > t.at {
			tok := Token{Kind: Text, Start: t.at, End: end, Raw: true, Name: name}
			t.at = end
			return tok, true
		}
	}
	if t.only != nil && len(t.foreign) == 0 {
		if t.skip(); t.at >= len(t.src) {
			return Token{}, false
		}
	}
	start := t.at
	i := start
	for {
		j := bytes.IndexByte(t.src[i:], '<')
		if j < 0 || i+j+1 >= len(t.src) {
			t.at = len(t.src)
			return Token{Kind: Text, Start: start, End: t.at}, true
		}
		i += j
		if c := t.src[i+1]; isAlpha(c) || c == '/' || c == '!' || c == '?' {
			break
		}
		i++
	}
	if i > start {
		t.at = i
		return Token{Kind: Text, Start: start, End: i}, true
	}
	return t.markup()
}

func isAlpha(c byte) bool { return c|0x20 >= 'a' && c|0x20 <= 'z' }

func isSpace(c byte) bool { return c == ' ' || c == '\t' || c == '\n' || c == '\f' || c == '\r' }

// markup reads what begins with "<" at t.at.
func (t *Tokens) markup() (Token, bool) {
	src, start := t.src, t.at
	switch c := src[start+1]; {
	case c == '!':
		return t.declaration()
	case c == '?':
		return t.bogus(start + 1)
	case c == '/':
		if start+2 >= len(src) {
			t.at = len(src)
			return Token{Kind: Text, Start: start, End: t.at}, true
		}
		if src[start+2] == '>' { // "</>" is nothing at all
			t.at = start + 3
			return Token{Kind: Comment, Start: start, End: t.at}, true
		}
		if !isAlpha(src[start+2]) {
			return t.bogus(start + 2)
		}
		return t.tag(EndTag, start+2)
	}
	return t.tag(StartTag, start+1)
}

func (t *Tokens) bogus(from int) (Token, bool) {
	start := t.at
	end := len(t.src)
	if j := bytes.IndexByte(t.src[from:], '>'); j >= 0 {
		end = from + j + 1
	}
	t.at = end
	return Token{Kind: Comment, Start: start, End: end}, true
}

func (t *Tokens) declaration() (Token, bool) {
	src, start := t.src, t.at
	rest := src[start+2:]
	switch {
	case bytes.HasPrefix(rest, []byte("--")):
		t.at = commentEnd(src, start+4)
		return Token{Kind: Comment, Start: start, End: t.at}, true
	case len(rest) >= 7 && bytes.EqualFold(rest[:7], []byte("doctype")):
		tok, _ := t.bogus(start + 2)
		tok.Kind = Doctype
		return tok, true
	case len(t.foreign) > 0 && bytes.HasPrefix(rest, []byte("[CDATA[")):
		end := len(src)
		if j := bytes.Index(rest, []byte("]]>")); j >= 0 {
			end = start + 2 + j + 3
		}
		t.at = end
		return Token{Kind: Text, Start: start, End: end, Raw: true}, true
	}
	return t.bogus(start + 2)
}

// commentEnd finds the end of a comment whose text begins at i.
func commentEnd(src []byte, i int) int {
	if bytes.HasPrefix(src[i:], []byte(">")) {
		return i + 1
	}
	if bytes.HasPrefix(src[i:], []byte("->")) {
		return i + 2
	}
	for {
		j := bytes.Index(src[i:], []byte("--"))
		if j < 0 {
			return len(src)
		}
		i += j
		for i+2 < len(src) && src[i+2] == '-' {
			i++
		}
		if i+2 < len(src) && src[i+2] == '>' {
			return i + 3
		}
		if i+3 < len(src) && src[i+2] == '!' && src[i+3] == '>' {
			return i + 4
		}
		i += 2
		if i > len(src) {
			return len(src)
		}
	}
}

// tag reads a start or end tag whose name begins at i. A tag that the file's end cuts off is no tag: the
// standard drops it, and so it comes as a comment here, to keep the bytes accounted for.
func (t *Tokens) tag(kind TokenKind, i int) (Token, bool) {
	src, start := t.src, t.at
	nameAt := i
	for i < len(src) && !isSpace(src[i]) && src[i] != '/' && src[i] != '>' {
		i++
	}
	t.attrs = t.attrs[:0]
	tok := Token{Kind: kind, Start: start, Name: lower(src[nameAt:i])}
	for {
		for i < len(src) && (isSpace(src[i]) || src[i] == '/') {
			if src[i] == '/' && i+1 < len(src) && src[i+1] == '>' {
				tok.SelfClosing = true
			}
			i++
		}
		if i >= len(src) {
			t.at = len(src)
			return Token{Kind: Comment, Start: start, End: t.at}, true
		}
		if src[i] == '>' {
			i++
			break
		}
		if i = t.attr(i); i < 0 {
			t.at = len(src)
			return Token{Kind: Comment, Start: start, End: t.at}, true
		}
	}
	tok.End, tok.Attrs = i, t.attrs
	t.at = i
	t.content(tok)
	return tok, true
}

// wanted holds, for each first letter, the lengths of the tag names that are wanted as bits. A tag that only looks
// wanted is read in full, which does no harm.
type wanted struct{ start, end [256]uint32 }

// want makes the set for start and end tags. What changes how the tokenizer reads on is always in it.
func want(start, end []string) *wanted {
	w := &wanted{}
	mark := func(set *[256]uint32, n string) {
		set[n[0]] |= 1 << len(n)
		set[n[0]-'a'+'A'] |= 1 << len(n)
	}
	for _, n := range start {
		mark(&w.start, n)
	}
	for n := range rawText {
		mark(&w.start, n)
	}
	mark(&w.start, "svg")
	mark(&w.start, "math")
	for _, n := range end {
		mark(&w.end, n)
	}
	return w
}

// skip passes over text and over tags that are not wanted, in one go, and stops before anything else: a wanted tag, a
// comment, or a tag written in an unusual way.
func (t *Tokens) skip() {
	src, i := t.src, t.at
	for {
		j := bytes.IndexByte(src[i:], '<')
		if j < 0 {
			t.at = len(src)
			return
		}
		i += j
		n := i + 1
		set := &t.only.start
		if n < len(src) && src[n] == '/' {
			n++
			set = &t.only.end
		}
		if n >= len(src) || !isAlpha(src[n]) {
			if n < len(src) && n == i+1 && src[n] != '!' && src[n] != '?' {
				i = n // a "<" in text
				continue
			}
			break
		}
		name := n
		for n < len(src) && !isSpace(src[n]) && src[n] != '/' && src[n] != '>' {
			n++
		}
		if set[src[name]]>>min(n-name, 31)&1 != 0 {
			break
		}
		if n < len(src) && src[n] == '>' {
			i = n + 1
			continue
		}
		if n = plainEnd(src, n); n < 0 {
			break
		}
		i = n
	}
	t.at = i
}

// plainEnd gives the offset behind a tag whose name ends at n, -1 when its attributes have to be read: because they
// are written in an unusual way, or refer to something in a style.
func plainEnd(src []byte, n int) int {
	for n < len(src) {
		switch src[n] {
		case '>':
			return n + 1
		case '"', '\'', '(':
			return -1
		case '=':
			before := src[n-1]
			n++
			if !isAlpha(before) && before != '-' && (before < '0' || before > '9') || n >= len(src) {
				return -1
			}
			switch q := src[n]; {
			case q == '"' || q == '\'':
				e := bytes.IndexByte(src[n+1:], q)
				if e < 0 || before|0x20 == 'e' && bytes.Contains(src[n+1:n+1+e], urlCall) {
					return -1
				}
				n += e + 2
			case isSpace(q) || q == '>':
				return -1
			default:
				for n < len(src) && !isSpace(src[n]) && src[n] != '>' {
					if src[n] == '(' {
						return -1
					}
					n++
				}
			}
		default:
			n++
		}
	}
	return -1
}

var urlCall = []byte("url(")

// attr reads an attribute that begins at i and gives the offset behind it, -1 when the file ends in it.
func (t *Tokens) attr(i int) int {
	src := t.src
	a := Attr{Start: i}
	j := i + 1 // a leading "=" belongs to the name
	for j < len(src) && !isSpace(src[j]) && src[j] != '/' && src[j] != '>' && src[j] != '=' {
		j++
	}
	a.Name, a.End, a.ValStart, a.ValEnd = lower(src[i:j]), j, j, j
	k := j
	for k < len(src) && isSpace(src[k]) {
		k++
	}
	if k < len(src) && src[k] == '=' {
		k++
		for k < len(src) && isSpace(src[k]) {
			k++
		}
		switch {
		case k >= len(src):
			return -1
		case src[k] == '>':
			a.ValStart, a.ValEnd, a.End = k, k, k
		case src[k] == '"' || src[k] == '\'':
			q := bytes.IndexByte(src[k+1:], src[k])
			if q < 0 {
				return -1
			}
			a.ValStart, a.ValEnd, a.End = k+1, k+1+q, k+q+2
		default:
			a.ValStart = k
			for k < len(src) && !isSpace(src[k]) && src[k] != '>' {
				k++
			}
			a.ValEnd, a.End = k, k
		}
	}
	if t.named(a.Name) {
		return a.End
	}
	t.attrs = append(t.attrs, a)
	return a.End
}

// fewAttrs is up to how many attributes of a tag are compared one by one.
const fewAttrs = 32

// named says whether the tag has an attribute of a name already, and notes the name.
func (t *Tokens) named(name string) bool {
	if len(t.attrs) < fewAttrs {
		return slices.ContainsFunc(t.attrs, func(a Attr) bool { return a.Name == name })
	}
	if len(t.attrs) == fewAttrs || t.names == nil {
		t.names = make(map[string]bool, 2*fewAttrs)
		for _, a := range t.attrs {
			t.names[a.Name] = true
		}
	}
	if t.names[name] {
		return true
	}
	t.names[name] = true
	return false
}

// content looks at what a tag means for the bytes behind it: raw text, or foreign content.
func (t *Tokens) content(tok Token) {
	n := len(t.foreign)
	inForeign := n > 0 && !integration(t.foreign[n-1])
	switch {
	case tok.Kind == EndTag:
		for i := n - 1; i >= 0; i-- {
			if t.foreign[i] == tok.Name {
				t.foreign = t.foreign[:i]
				break
			}
		}
	case tok.Name == "svg" || tok.Name == "math":
		if !tok.SelfClosing {
			t.foreign = append(t.foreign, tok.Name)
		}
	case inForeign && breakout(tok):
		t.foreign = t.foreign[:0]
		t.content(tok)
	case inForeign:
		if !tok.SelfClosing && integration(tok.Name) {
			t.foreign = append(t.foreign, tok.Name)
		}
	case rawText[tok.Name]:
		t.rawName = tok.Name
	}
}

// integration names the elements inside SVG and MathML whose content is HTML again.
func integration(name string) bool {
	switch name {
	case "foreignobject", "desc", "title", "mi", "mo", "mn", "ms", "mtext", "annotation-xml":
		return true
	}
	return false
}

// breakout says whether a start tag ends foreign content (section 13.2.6.5).
func breakout(tok Token) bool {
	switch tok.Name {
	case "b", "big", "blockquote", "body", "br", "center", "code", "dd", "div", "dl", "dt", "em", "embed",
		"h1", "h2", "h3", "h4", "h5", "h6", "head", "hr", "i", "img", "li", "listing", "menu", "meta", "nobr",
		"ol", "p", "pre", "ruby", "s", "small", "span", "strong", "strike", "sub", "sup", "table", "tt", "u",
		"ul", "var":
		return true
	case "font":
		for _, a := range tok.Attrs {
			if a.Name == "color" || a.Name == "face" || a.Name == "size" {
				return true
			}
		}
	}
	return false
}

// rawEnd finds where the raw text of the element name, which begins at t.at, ends.
func (t *Tokens) rawEnd(name string) int {
	src := t.src
	if name == "plaintext" {
		return len(src)
	}
	const (
		plain = iota
		escaped
		doubleEscaped
	)
	state, i := plain, t.at
	for {
		var j int
		if state == plain {
			j = bytes.IndexByte(src[i:], '<')
		} else {
			j = bytes.IndexAny(src[i:], "<-")
		}
		if j < 0 {
			return len(src)
		}
		i += j
		switch {
		case src[i] == '-':
			if bytes.HasPrefix(src[i:], []byte("-->")) {
				state = plain
				i += 3
			} else {
				i++
			}
		case bytes.HasPrefix(src[i:], []byte("</")) && endsName(src, i+2, name):
			if state != doubleEscaped {
				return i
			}
			state = escaped
			i += 2 + len(name)
		case name == "script" && state == plain && bytes.HasPrefix(src[i:], []byte("<!--")):
			state = escaped
			i += 2 // "<!-->" ends at once: its dashes are looked at again
		case name == "script" && state == escaped && endsName(src, i+1, name):
			state = doubleEscaped
			i += 1 + len(name)
		default:
			i++
		}
	}
}

// endsName says whether the tag name at i is name and is complete.
func endsName(src []byte, i int, name string) bool {
	if len(src)-i <= len(name) || !bytes.EqualFold(src[i:i+len(name)], []byte(name)) {
		return false
	}
	c := src[i+len(name)]
	return isSpace(c) || c == '/' || c == '>'
}

// lower makes an ASCII lower-case string; common names do not allocate.
func lower(b []byte) string {
	for _, c := range b {
		if c >= 'A' && c <= 'Z' {
			l := make([]byte, len(b))
			for i, c := range b {
				if c >= 'A' && c <= 'Z' {
					c |= 0x20
				}
				l[i] = c
			}
			return intern(l)
		}
	}
	return intern(b)
}

var common = func() map[string]string {
	m := map[string]string{}
	for _, n := range []string{"a", "abbr", "alt", "article", "aside", "b", "base", "body", "br", "button", "class",
		"code", "content", "crossorigin", "dd", "defer", "div", "dl", "dt", "em", "footer", "form", "h1", "h2", "h3",
		"h4", "head", "header", "height", "href", "html", "i", "id", "img", "input", "label", "lang", "li", "link",
		"main", "media", "meta", "name", "nav", "noscript", "ol", "p", "path", "pre", "rel", "script", "section",
		"sizes", "span", "src", "srcset", "strong", "style", "svg", "table", "tbody", "td", "th", "thead", "title",
		"tr", "tt", "type", "ul", "value", "width", "role", "aria-label", "data-value", "target", "valign", "align"} {
		m[n] = n
	}
	return m
}()

func intern(b []byte) string {
	if s, ok := common[string(b)]; ok {
		return s
	}
	return string(b)
}

// Get gives an attribute's value with character references resolved, and whether the attribute is there.
func (tok Token) Get(src []byte, name string) (string, bool) {
	for _, a := range tok.Attrs {
		if a.Name == name {
			return unescape(src[a.ValStart:a.ValEnd]), true
		}
	}
	return "", false
}

// Attr gives an attribute with its place, and whether it is there.
func (tok Token) Attr(name string) (Attr, bool) {
	for _, a := range tok.Attrs {
		if a.Name == name {
			return a, true
		}
	}
	return Attr{}, false
}
