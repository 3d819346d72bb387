package oddpages

import (
	"bytes"
	"strings"

	"golang.org/x/net/html"
	"golang.org/x/text/encoding/unicode"
)

// Outline parses a page as a browser does and writes its tree without the elements that ours picks out and without the
// comments that mark an insertion; it counts those elements that are children of the head. White space in the head is
// not told apart, since an insertion may stand on lines of its own.
func Outline(src []byte, ours func(*html.Node) bool) (outline string, inHead int, err error) {
	if bytes.HasPrefix(src, []byte("\xff\xfe")) || bytes.HasPrefix(src, []byte("\xfe\xff")) {
		if src, err = unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Bytes(src); err != nil {
			return "", 0, err
		}
	} else {
		src = bytes.TrimPrefix(src, []byte("\xef\xbb\xbf"))
	}
	n, err := html.Parse(bytes.NewReader(src))
	if err != nil {
		return "", 0, err
	}
	var b strings.Builder
	write(n, ours, &inHead, false, &b)
	return b.String(), inHead, nil
}

func write(n *html.Node, ours func(*html.Node) bool, count *int, inHead bool, b *strings.Builder) {
	for c := n.FirstChild; c != nil; c = c.NextSibling {
		switch {
		case c.Type == html.CommentNode && strings.Contains(c.Data, "tachyform"):
			continue
		case c.Type == html.ElementNode && ours(c):
			if n.Type == html.ElementNode && n.Data == "head" {
				*count++
			}
			continue
		case c.Type == html.TextNode && inHead && strings.TrimSpace(c.Data) == "":
			continue
		}
		b.WriteString("(")
		b.WriteString(c.Data)
		for _, a := range c.Attr {
			b.WriteString(" " + a.Key + "=" + a.Val)
		}
		write(c, ours, count, c.Type == html.ElementNode && (c.Data == "head" || c.Data == "html"), b)
		b.WriteString(")")
	}
}
