// Package pagehead edits the heads of pages by inserting marked bytes, and takes exactly those bytes out again.
//
// An insertion goes behind the last complete element of the head, where the HTML Standard's tree construction
// (sections 13.2.6.4.1 to 13.2.6.4.6) makes it a child of the head whatever the page looks like. All other bytes
// stay as they are.
package pagehead

import (
	"bytes"
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// The marks around an insertion. The first form, with a space, stands on lines of its own; the second in the
// middle of a line.
const (
	beginLines  = "<!-- tachyform: fit wrote these lines, strip removes them -->"
	beginInline = "<!--tachyform: fit wrote this, strip removes it-->"
	endLines    = "<!-- /tachyform -->"
	endInline   = "<!--/tachyform-->"
)

// ErrUnsafe is wrapped by every error that says why a page is left alone.
var ErrUnsafe = errors.New("left alone")

func unsafef(format string, args ...any) error {
	return fmt.Errorf("%s: %w", fmt.Sprintf(format, args...), ErrUnsafe)
}

// Launch is the kind of a link to a launch picture.
const Launch = "apple-touch-startup-image"

// IsIOS says whether the name of a meta element is one that iPhones look at, or looks like one; it is the kind of its [Tag] then, in lower case.
func IsIOS(name string) bool {
	name = strings.ToLower(strings.TrimSpace(name))
	return strings.HasPrefix(name, "apple-") || strings.Contains(name, "web-app-") || strings.Contains(name, "webapp-")
}

// Tag is an element of the head that Tachyform would otherwise insert.
type Tag struct {
	Kind   string // "manifest", "theme-color", "touch-icon", "icon", "mask-icon", "viewport", "script", [Launch], or a name by [IsIOS]
	Value  string // href, src or content
	Media  string
	Offset int  // of the value in the page's bytes
	Start  int  // of the element in the page's bytes
	Ours   bool // inside a marked span
}

// Head is what a browser's parser makes of a page's head.
type Head struct {
	Tags   []Tag
	Base   string // href of the first base element, "" for none
	Insert int    // offset for an insertion
	spans  [][2]int
	form   form
	lastly int // behind the last declaration of an encoding in the head, 0 for none
}

// form is how the bytes of a page are written.
type form struct {
	unit    int  // bytes of a code unit: 1, or 2 for UTF-16
	big     bool // UTF-16 with the high byte first
	bom     int  // bytes of the byte order mark before the text
	newline string
	indent  string
	lines   bool // the insertion stands on lines of its own
	xml     bool
	prefix  string // of the XHTML namespace, with its colon
	ascii   []byte // the text with one byte for each code unit
	plain   []byte // the same when ISO-2022-JP is not taken for that, nil when it makes no difference
}

// Read finds the head of a page. name tells XHTML from HTML by its extension. Its error wraps [ErrUnsafe] when
// the page must be left alone, and says why.
func Read(name string, src []byte) (*Head, error) { return read(name, src, false) }

// ReadClean is Read for what [Part] or [Remove] gave: a page without marked spans.
func ReadClean(name string, src []byte) (*Head, error) { return read(name, src, true) }

func read(name string, src []byte, clean bool) (*Head, error) {
	h := &Head{}
	f, err := formOf(src)
	if err != nil {
		return nil, err
	}
	lower := strings.ToLower(name)
	f.xml = strings.HasSuffix(lower, ".xhtml") || strings.HasSuffix(lower, ".xht")
	h.form = f
	if !clean {
		if h.spans, err = spans(f.ascii); err != nil {
			return nil, err
		}
	}
	if f.xml {
		err = h.readXML(src)
	} else {
		err = h.read()
	}
	if err != nil {
		return nil, err
	}
	if f.plain != nil && !f.xml {
		other := &Head{form: f}
		other.form.ascii = f.plain
		if err := other.read(); err != nil || other.Insert != h.Insert {
			return nil, unsafef("it holds escape sequences of ISO-2022-JP, and where its head ends depends on the encoding that a browser takes it to be in")
		}
	}
	for i := range h.Tags {
		t := &h.Tags[i]
		for _, s := range h.spans {
			t.Ours = t.Ours || t.Offset >= s[0] && t.Offset < s[1]
		}
		t.Offset, t.Start = h.offset(t.Offset), h.offset(t.Start)
	}
	if len(h.spans) == 0 {
		h.layout()
	}
	return h, nil
}

// offset turns an offset in the text of single bytes into one in the page.
func (h *Head) offset(i int) int { return h.form.bom + i*h.form.unit }

// formOf looks at a page's bytes: encoding, line ends. The text it gives has one byte for each code unit, so that
// offsets can be turned back.
func formOf(src []byte) (form, error) {
	f := form{unit: 1, ascii: src}
	switch {
	case len(bytes.TrimSpace(bytes.TrimPrefix(src, []byte("\xef\xbb\xbf")))) == 0:
		return f, unsafef("empty")
	case bytes.HasPrefix(src, []byte("\xff\xfe")), bytes.HasPrefix(src, []byte("\xfe\xff")):
		f.unit, f.bom, f.big = 2, 2, src[0] == 0xfe
		text := make([]byte, 0, len(src)/2)
		for i := 2; i+1 < len(src); i += 2 {
			lo, hi := src[i], src[i+1]
			if f.big {
				lo, hi = hi, lo
			}
			if hi != 0 || lo >= 0x80 {
				lo = 'x'
			}
			text = append(text, lo)
		}
		f.ascii = text
	case bytes.HasPrefix(src, []byte("\xef\xbb\xbf")):
		f.bom, f.ascii = 3, src[3:]
	}
	head := f.ascii[:min(len(f.ascii), 1024)]
	if len(bytes.TrimSpace(f.ascii)) == 0 {
		return f, unsafef("empty")
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return f, unsafef("not text (it holds NUL bytes)")
	}
	if bytes.IndexByte(f.ascii, 0x1b) >= 0 {
		if masked := maskEscapes(f.ascii); !bytes.Equal(masked, f.ascii) {
			f.ascii, f.plain = masked, f.ascii
		}
	}
	f.newline = newline(f.ascii)
	first := bytes.TrimLeft(head, " \t\r\n\f")
	for _, begin := range []string{"---\n", "---\r\n", "{%", "<%", "<?php", "<?=", "{{#", "{{>", "@extends", "@page"} {
		if bytes.HasPrefix(first, []byte(begin)) {
			return f, unsafef("a template (it begins with %q), not a finished page", strings.TrimSpace(begin))
		}
	}
	if mark, line := templateIn(f.ascii); mark != "" {
		return f, unsafef("a template (its head has %q in line %d), not a finished page", mark, line)
	}
	return f, nil
}

var (
	headEnd      = regexp.MustCompile(`(?i)</head|<body`)
	codeInHead   = regexp.MustCompile(`(?is)<(script|style)\b.*?</(?:script|style)`)
	remarked     = regexp.MustCompile(`(?s)<!--[^#].*?-->`)
	templateMark = regexp.MustCompile(`<\?php\b|<\?=|<%|\{%|<!--#[a-z]+|\{\{[>#^/{]|\{\{`)
	hiddenInHead = regexp.MustCompile(`(?is)<(script|style|noscript|template|title)\b.*?</(?:script|style|noscript|template|title)`)
	anyTag       = regexp.MustCompile(`<([a-zA-Z][^\s/>]*)`)
	drawsItself  = regexp.MustCompile(`(?i)\s(?:data-|x-)?ng-app\b`)
)

// templateIn finds what a server makes pages of in the head of one, and its line; "" for nothing. What stands in scripts, styles and comments is not looked at, and
// neither are braces of a page that fills them in by itself.
func templateIn(text []byte) (mark string, line int) {
	head := text[:min(len(text), 64<<10)]
	if !slices.ContainsFunc([]string{"<?", "<%", "{%", "{{", "<!--#"}, func(m string) bool { return bytes.Contains(head, []byte(m)) }) {
		return "", 0 // which is quicker to see than where the head ends
	}
	if end := headEnd.FindIndex(head); end != nil {
		head = head[:end[0]]
	} else {
		head = head[:min(len(head), headWithoutEnd(head), 1024)]
	}
	if !templateMark.Match(head) {
		return "", 0
	}
	head = remarked.ReplaceAllFunc(codeInHead.ReplaceAllFunc(head, spaces), spaces)
	for _, at := range templateMark.FindAllIndex(head, -1) {
		mark = string(head[at[0]:at[1]])
		if strings.HasPrefix(mark, "{{") && drawsItself.Match(text) {
			continue
		}
		return mark, bytes.Count(head[:at[0]], []byte("\n")) + 1
	}
	return "", 0
}

// spaces gives as many spaces as there are bytes, with their lines.
func spaces(m []byte) []byte {
	out := bytes.Repeat([]byte{' '}, len(m))
	for i, c := range m {
		if c == '\n' {
			out[i] = c
		}
	}
	return out
}

// inHeads are the elements that stand in heads (HTML Standard, "metadata content"), and those around them.
var inHeads = map[string]bool{"html": true, "head": true, "title": true, "meta": true, "link": true, "base": true, "script": true, "style": true, "noscript": true, "template": true, "basefont": true, "bgsound": true, "noframes": true}

// headWithoutEnd finds where a head ends that nothing closes: at the first element that stands in no head.
func headWithoutEnd(text []byte) int {
	bare := hiddenInHead.ReplaceAllFunc(remarked.ReplaceAllFunc(text, spaces), spaces)
	for _, at := range anyTag.FindAllSubmatchIndex(bare, -1) {
		if !inHeads[strings.ToLower(string(bare[at[2]:at[3]]))] {
			return at[0]
		}
	}
	return len(text)
}

// maskEscapes replaces bytes that an ISO-2022-JP page shifts out of ASCII, where "<" is half of a letter.
func maskEscapes(src []byte) []byte {
	out := bytes.Clone(src)
	shifted := false
	for i := 0; i < len(out); i++ {
		if out[i] == 0x1b && i+2 < len(out) {
			switch string(src[i+1 : i+3]) {
			case "$@", "$B", "(I":
				shifted = true
			case "(B", "(J":
				shifted = false
			default:
				continue
			}
			i += 2
			continue
		}
		if shifted && out[i] > ' ' {
			out[i] = 'x'
		}
	}
	return out
}

func newline(text []byte) string {
	i := bytes.IndexAny(text, "\r\n")
	switch {
	case i < 0:
		return ""
	case text[i] == '\n':
		return "\n"
	case i+1 < len(text) && text[i+1] == '\n':
		return "\r\n"
	}
	return "\r"
}

// spans finds the marked insertions with the white space that belongs to them.
func spans(text []byte) ([][2]int, error) {
	var out [][2]int
	for from := 0; ; {
		i := bytes.Index(text[from:], []byte("tachyform"))
		if i < 0 {
			return out, nil
		}
		i += from
		from = i + 1
		begin, end, start := "", "", 0
		if s := i - len("<!-- "); s >= 0 && bytes.HasPrefix(text[s:], []byte(beginLines)) {
			begin, end, start = beginLines, endLines, s
		} else if s := i - len("<!--"); s >= 0 && bytes.HasPrefix(text[s:], []byte(beginInline)) {
			begin, end, start = beginInline, endInline, s
		} else {
			continue
		}
		j := bytes.Index(text[start+len(begin):], []byte(end))
		if j < 0 {
			return nil, unsafef("the mark of an earlier fit has lost its end (%s)", end)
		}
		stop := start + len(begin) + j + len(end)
		if begin == beginLines {
			for start > 0 && (text[start-1] == ' ' || text[start-1] == '\t') {
				start--
			}
			switch {
			case start > 1 && text[start-2] == '\r' && text[start-1] == '\n':
				start -= 2
			case start > 0 && (text[start-1] == '\n' || text[start-1] == '\r'):
				start--
			}
		}
		out = append(out, [2]int{start, stop})
		from = stop
	}
}

// The insertion modes of tree construction that matter here.
const (
	beforeHTML = iota
	beforeHead
	inHead
	afterHead
)

// voids are the elements that stand in a head and have no content.
func void(name string) bool {
	switch name {
	case "base", "basefont", "bgsound", "link", "meta":
		return true
	}
	return false
}

// read runs the first insertion modes over the page's tokens.
func (h *Head) read() error {
	text := h.form.ascii
	toks := markup.TokensOf(text)
	mode, template := beforeHTML, 0
	insert := -1
	open := "" // the raw text element that is open in the head
	done := func(at int) {
		if insert < 0 {
			insert = at
		}
	}
	lateCharset := -1
loop:
	for {
		t, ok := toks.Next()
		if !ok {
			break
		}
		if template > 0 {
			switch {
			case t.Kind == markup.StartTag && t.Name == "template":
				template++
			case t.Kind == markup.EndTag && t.Name == "template":
				if template--; template == 0 && mode == inHead {
					insert = t.End
				}
			}
			continue
		}
		if open != "" {
			if t.Kind == markup.EndTag && t.Name == open {
				open = ""
				if mode == inHead {
					insert = t.End
				}
			}
			continue
		}
		switch t.Kind {
		case markup.Comment, markup.Doctype:
			if t.End == len(text) && mode < inHead && !complete(text[t.Start:]) {
				return unsafef("it ends in the middle of a tag or comment, before any content")
			}
			continue
		case markup.Text:
			body := text[t.Start:t.End]
			blank := len(body) - len(bytes.TrimLeft(body, " \t\r\n\f"))
			if blank == len(body) {
				continue
			}
			if mode < inHead {
				done(t.Start + blank)
			}
			break loop
		case markup.EndTag:
			switch {
			case mode == inHead && t.Name == "head":
				mode = afterHead
			case t.Name == "body" || t.Name == "html" || t.Name == "br" || mode < inHead && t.Name == "head":
				if mode < inHead {
					done(t.Start)
				}
				if mode < inHead && t.Name == "head" { // an implied head that ends at once
					mode = afterHead
					continue
				}
				break loop
			}
			continue
		}
		switch {
		case t.Name == "html":
			if mode == beforeHTML {
				mode = beforeHead
			}
		case t.Name == "head":
			if mode < inHead {
				mode, insert = inHead, t.End
			}
		case void(t.Name):
			if mode < inHead {
				mode = inHead
			}
			h.tag(t)
			if mode == inHead {
				insert = t.End
			}
			if t.Name == "meta" {
				if _, ok := t.Attr("charset"); ok && mode == afterHead {
					lateCharset = t.Start
				}
			}
		case t.Name == "template":
			template = 1
			if mode < inHead {
				done(t.Start)
				mode = inHead
			}
		case t.Name == "title" || t.Name == "style" || t.Name == "script" || t.Name == "noframes" || t.Name == "noscript":
			if mode == afterHead && t.Name == "noscript" {
				break loop
			}
			if mode < inHead {
				done(t.Start)
				mode = inHead
			}
			h.tag(t)
			open = t.Name
		default:
			if mode < inHead {
				done(t.Start)
			}
			break loop
		}
	}
	if insert < 0 { // only white space, comments and the html tag: the head begins at the end
		insert = len(text)
	}
	if lateCharset >= 0 && lateCharset < 1024 && !isASCII(text) {
		return unsafef("its charset declaration stands behind the head, and an insertion before it could change how the page is read")
	}
	h.Insert = h.offset(insert)
	return nil
}

// complete says whether a token at the end of a page is closed, so that something behind it is not drawn into it.
func complete(token []byte) bool {
	t, _ := markup.TokensOf(append(bytes.Clone(token), "<p>"...)).Next()
	return t.End == len(token)
}

func isASCII(text []byte) bool {
	for _, c := range text {
		if c >= 0x80 {
			return false
		}
	}
	return true
}

// tag notes an element of the head that Tachyform knows.
func (h *Head) tag(t markup.Token) {
	text := h.form.ascii
	note := func(kind, attr string) {
		v, ok := t.Get(text, attr)
		a, _ := t.Attr(attr)
		if !ok {
			a.ValStart = t.Start
		}
		media, _ := t.Get(text, "media")
		h.Tags = append(h.Tags, Tag{Kind: kind, Value: strings.TrimSpace(v), Media: media, Offset: a.ValStart, Start: t.Start})
	}
	switch t.Name {
	case "base":
		if v, ok := t.Get(text, "href"); ok && h.Base == "" {
			h.Base = strings.TrimSpace(v)
		}
	case "link":
		rel, _ := t.Get(text, "rel")
		switch {
		case markup.TokenList(rel, "manifest"):
			note("manifest", "href")
		case markup.TokenList(rel, "apple-touch-icon"), markup.TokenList(rel, "apple-touch-icon-precomposed"):
			note("touch-icon", "href")
		case markup.TokenList(rel, "apple-touch-startup-image"):
			note(Launch, "href")
		case markup.TokenList(rel, "mask-icon"):
			note("mask-icon", "href")
		case markup.TokenList(rel, "icon"):
			note("icon", "href")
		}
	case "meta":
		_, short := t.Attr("charset")
		if _, pragma := t.Attr("http-equiv"); short || pragma {
			h.lastly = h.offset(t.End)
		}
		switch name, _ := t.Get(text, "name"); strings.ToLower(name) {
		case "theme-color":
			note("theme-color", "content")
		case "viewport":
			note("viewport", "content")
		default:
			if IsIOS(name) {
				note(strings.ToLower(name), "content")
			}
		}
	case "script":
		if _, ok := t.Attr("src"); ok {
			note("script", "src")
		}
	}
}
