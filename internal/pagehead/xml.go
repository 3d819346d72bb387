package pagehead

import (
	"bytes"
	"encoding/xml"
	"errors"
	"io"
	"strings"

	"golang.org/x/net/html/charset"
)

const xhtml = "http://www.w3.org/1999/xhtml"

// readXML finds the head of a page that is served as XML.
func (h *Head) readXML(src []byte) error {
	if h.form.unit != 1 {
		return unsafef("XHTML in UTF-16 is not edited")
	}
	text := h.form.ascii
	dec := xml.NewDecoder(bytes.NewReader(text))
	exact := true // offsets are those of the bytes only when nothing is converted
	dec.CharsetReader = func(label string, in io.Reader) (io.Reader, error) {
		_, name := charset.Lookup(label)
		switch {
		case name == "utf-8":
			return in, nil
		case strings.HasPrefix(name, "windows-125") || strings.HasPrefix(name, "iso-8859"):
			return latin{in}, nil
		}
		exact = false
		return nil, errors.New("encoding " + label)
	}
	depth, insert := 0, -1
	inHead := false
	for {
		before := int(dec.InputOffset())
		tok, err := dec.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			if !exact {
				return unsafef("XHTML in an encoding that is not edited")
			}
			return unsafef("broken XML (%v), which a browser does not show either", err)
		}
		after := int(dec.InputOffset())
		switch t := tok.(type) {
		case xml.StartElement:
			depth++
			switch {
			case depth == 2 && t.Name.Local == "head" && t.Name.Space == xhtml:
				if bytes.HasSuffix(text[before:after], []byte("/>")) {
					return unsafef("its head element is closed in itself; nothing can be inserted into it")
				}
				raw := string(text[before+1 : after])
				if i := strings.Index(raw, "head"); i > 0 {
					h.form.prefix = raw[:i]
				}
				inHead, insert = true, after
			case depth == 3 && inHead && t.Name.Space == xhtml:
				h.tagXML(t, before)
			}
		case xml.EndElement:
			if depth == 3 && inHead {
				insert = after
			}
			if depth == 2 {
				inHead = false
			}
			depth--
		}
	}
	if insert < 0 {
		return unsafef("XHTML without a head element")
	}
	h.Insert = h.offset(insert)
	return nil
}

// latin reads single-byte text as if each byte were an ASCII character, to keep offsets.
type latin struct{ io.Reader }

func (l latin) Read(p []byte) (int, error) {
	n, err := l.Reader.Read(p)
	for i := range n {
		if p[i] >= 0x80 {
			p[i] = 'x'
		}
	}
	return n, err
}

func (h *Head) tagXML(t xml.StartElement, at int) {
	get := func(name string) string {
		for _, a := range t.Attr {
			if a.Name.Local == name && a.Name.Space == "" {
				return strings.TrimSpace(a.Value)
			}
		}
		return ""
	}
	kind, value := "", ""
	switch t.Name.Local {
	case "base":
		if h.Base == "" {
			h.Base = get("href")
		}
	case "link":
		for _, r := range strings.Fields(strings.ToLower(get("rel"))) {
			switch r {
			case "manifest", "icon", "mask-icon", Launch:
				kind, value = r, get("href")
			case "apple-touch-icon":
				kind, value = "touch-icon", get("href")
			}
		}
	case "meta":
		switch n := strings.ToLower(get("name")); n {
		case "theme-color", "viewport":
			kind, value = n, get("content")
		default:
			if IsIOS(n) {
				kind, value = n, get("content")
			}
		}
	case "script":
		if get("src") != "" {
			kind, value = "script", get("src")
		}
	}
	if kind != "" {
		h.Tags = append(h.Tags, Tag{Kind: kind, Value: value, Media: get("media"), Offset: at})
	}
}
