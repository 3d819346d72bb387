package pagehead

import (
	"bytes"
	"slices"
	"strings"
)

// layout decides how an insertion is set: on lines of its own with the neighbour's indentation where the page
// has lines, otherwise within the line.
func (h *Head) layout() {
	f := &h.form
	at := (h.Insert - f.bom) / f.unit
	text := f.ascii
	rest := text[at:]
	blank := len(rest) - len(bytes.TrimLeft(rest, " \t"))
	atLineEnd := blank == len(rest) || rest[blank] == '\n' || rest[blank] == '\r'
	f.lines = f.newline != "" && atLineEnd && at > 0 && text[at-1] != '\r' // which a line feed behind it would be joined to
	if !f.lines {
		return
	}
	begin := bytes.LastIndexAny(text[:at], "\r\n") + 1
	line := text[begin:at]
	f.indent = string(line[:len(line)-len(bytes.TrimLeft(line, " \t"))])
	if bytes.HasPrefix(bytes.ToLower(bytes.TrimLeft(line, " \t")), []byte("<head")) {
		if next := bytes.TrimLeft(rest[blank:], "\r\n"); len(next) > 0 {
			f.indent = string(next[:len(next)-len(bytes.TrimLeft(next, " \t"))])
		}
	}
}

// Element is one element to insert.
type Element struct {
	Name  string
	Attrs [][2]string // in order; an empty value is written without "="
}

// Outrank moves the insertion before the first tag of a kind, so that what is inserted counts and what the page says
// does not: of several manifest links or theme colours browsers take the first. It reports false when that is not
// safe, because the page's encoding is declared behind that place.
func (h *Head) Outrank(kind string) bool {
	for _, t := range h.Tags {
		if t.Kind != kind {
			continue
		}
		if t.Start >= h.Insert {
			return true // it comes later as it is
		}
		if h.lastly > t.Start || h.form.ascii == nil || h.form.xml {
			return false
		}
		h.Insert = t.Start
		h.layout()
		return true
	}
	return false
}

// Slim lets go of the page's bytes. [Head.Insertion] works as before, [Head.Outrank] does not.
func (h *Head) Slim() { h.form.ascii = nil }

// Insertion gives the bytes that go to the place for insertions. Values must be ASCII; they are escaped.
func (h *Head) Insertion(elements []Element) []byte {
	if len(elements) == 0 {
		return nil
	}
	f := h.form
	var b strings.Builder
	line := func(s string) {
		if f.lines {
			b.WriteString(f.newline + f.indent)
		}
		b.WriteString(s)
	}
	begin, end := beginInline, endInline
	if f.lines {
		begin, end = beginLines, endLines
	}
	line(begin)
	for _, e := range elements {
		line(e.write(f.prefix, f.xml))
	}
	line(end)
	return f.encode(b.String())
}

// Edit gives the page with the elements in its head, marked. The page must not hold a marked span; see
// [Remove].
func (h *Head) Edit(src []byte, elements []Element) []byte {
	insertion := h.Insertion(elements)
	if len(insertion) == 0 {
		return src
	}
	out := make([]byte, 0, len(src)+len(insertion))
	out = append(out, src[:h.Insert]...)
	out = append(out, insertion...)
	return append(out, src[h.Insert:]...)
}

func (f form) encode(s string) []byte {
	if f.unit == 1 {
		return []byte(s)
	}
	out := make([]byte, 0, len(s)*2)
	for i := range len(s) {
		if f.big {
			out = append(out, 0, s[i])
		} else {
			out = append(out, s[i], 0)
		}
	}
	return out
}

var escaper = strings.NewReplacer("&", "&amp;", `"`, "&quot;", "<", "&lt;", ">", "&gt;")

func (e Element) write(prefix string, xml bool) string {
	var b strings.Builder
	b.WriteString("<" + prefix + e.Name)
	for _, a := range e.Attrs {
		b.WriteString(" " + a[0])
		if a[1] != "" || xml {
			v := a[1]
			if v == "" {
				v = a[0]
			}
			b.WriteString(`="` + escaper.Replace(v) + `"`)
		}
	}
	switch {
	case e.Name == "script":
		b.WriteString("></" + prefix + e.Name + ">")
	case xml:
		b.WriteString("/>")
	default:
		b.WriteString(">")
	}
	return b.String()
}

// Remove takes the marked spans out and says how many there were. A page without any comes back as it is. Its
// error wraps [ErrUnsafe] when a mark is damaged.
func Remove(src []byte) ([]byte, int, error) {
	clean, marked, err := Part(src, nil)
	return clean, len(marked), err
}

// Marked is a span that an earlier edit inserted.
type Marked struct {
	At   int // offset in the page without any span
	Text []byte
}

// Part parts a page into what it was and the marked spans. buf is used for the former when there are spans and it is
// large enough. Its error wraps [ErrUnsafe] when a mark is damaged.
func Part(src, buf []byte) ([]byte, []Marked, error) {
	wide := bytes.HasPrefix(src, []byte("\xff\xfe")) || bytes.HasPrefix(src, []byte("\xfe\xff"))
	if !wide && !bytes.Contains(src, []byte("tachyform")) {
		return src, nil, nil
	}
	f, err := formOf(src)
	if err != nil {
		return src, nil, nil //nolint:nilerr // what cannot be edited holds nothing of ours
	}
	found, err := spans(f.ascii)
	if err != nil || len(found) == 0 {
		return src, nil, err
	}
	out := slices.Grow(buf[:0], len(src))
	marked := make([]Marked, 0, len(found))
	last := 0
	for _, s := range found {
		begin, end := f.bom+s[0]*f.unit, f.bom+s[1]*f.unit
		out = append(out, src[last:begin]...)
		marked = append(marked, Marked{len(out), src[begin:end]})
		last = end
	}
	return append(out, src[last:]...), marked, nil
}
