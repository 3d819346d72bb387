package markup

import (
	"bytes"
	"html"
	"strings"
	"unicode/utf8"
)

// unescape resolves character references.
func unescape(b []byte) string {
	if bytes.IndexByte(b, '&') < 0 {
		return string(b)
	}
	return html.UnescapeString(string(b))
}

// Position gives the line and column of an offset, both from 1. Lines end with LF, CR or CRLF; columns count
// characters, and bytes that are not UTF-8 count one each.
func Position(src []byte, offset int) (line, column int) {
	offset = min(max(offset, 0), len(src))
	line = 1
	begin := 0
	for i := 0; i < offset; i++ {
		switch src[i] {
		case '\r':
			if i+1 < len(src) && src[i+1] == '\n' {
				continue
			}
			line++
			begin = i + 1
		case '\n':
			line++
			begin = i + 1
		}
	}
	if begin == 0 && bytes.HasPrefix(src, []byte("\xef\xbb\xbf")) && offset >= 3 {
		begin = 3
	}
	return line, utf8.RuneCount(src[begin:max(begin, offset)]) + 1
}

// Words folds white space as HTML does.
func Words(s string) string { return strings.Join(strings.Fields(s), " ") }

// TokenList says whether a space-separated attribute value has a token, without regard to ASCII case.
func TokenList(value, token string) bool {
	for len(value) > 0 {
		end := 0
		for end < len(value) && !isSpace(value[end]) {
			end++
		}
		if strings.EqualFold(value[:end], token) && end > 0 {
			return true
		}
		value = value[min(end+1, len(value)):]
	}
	return false
}
