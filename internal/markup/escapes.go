package markup

import (
	"bytes"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"
)

// unquoteJS gives what a string literal or a piece of a template stands for, without its quotes (ECMAScript, "String Literals": the value of its
// escape sequences). Half of a surrogate pair is U+FFFD.
func unquoteJS(b []byte) string {
	if bytes.IndexByte(b, '\\') < 0 {
		return string(b)
	}
	var out strings.Builder
	for i := 0; i < len(b); {
		if b[i] != '\\' || i+1 == len(b) {
			out.WriteByte(b[i])
			i++
			continue
		}
		i++
		switch c := b[i]; c {
		case 'b', 'f', 'n', 'r', 't', 'v':
			out.WriteByte(map[byte]byte{'b': '\b', 'f': '\f', 'n': '\n', 'r': '\r', 't': '\t', 'v': '\v'}[c])
			i++
		case '\r': // a line that goes on
			if i++; i < len(b) && b[i] == '\n' {
				i++
			}
		case '\n':
			i++
		case 'x', 'u':
			r, n := escaped(b[i:])
			if n == 0 { // no script has it; it is as if the backslash were not there
				out.WriteByte(c)
				i++
				continue
			}
			if i += n; utf16.IsSurrogate(r) && i < len(b) && b[i] == '\\' {
				if low, n := escaped(b[i+1:]); n > 0 {
					if both := utf16.DecodeRune(r, low); both != utf8.RuneError {
						r, i = both, i+1+n
					}
				}
			}
			out.WriteRune(r)
		case '0', '1', '2', '3', '4', '5', '6', '7':
			n := 1
			for n < 3 && i+n < len(b) && b[i+n] >= '0' && b[i+n] <= '7' && (n < 2 || c <= '3') {
				n++
			}
			v, _ := strconv.ParseUint(string(b[i:i+n]), 8, 16) // they are octal digits
			out.WriteRune(rune(v))
			i += n
		default:
			r, n := utf8.DecodeRune(b[i:])
			if r != '\u2028' && r != '\u2029' { // those are ends of lines, too
				out.Write(b[i : i+n])
			}
			i += n
		}
	}
	return out.String()
}

// escaped reads what stands behind a backslash as x2F, u002F or u{2F}, and gives the code unit or point, and how many bytes it takes; 0 when it is none.
func escaped(b []byte) (rune, int) {
	n := 0
	switch {
	case len(b) > 2 && b[0] == 'x':
		n = 3
	case len(b) > 2 && b[0] == 'u' && b[1] == '{':
		end := bytes.IndexByte(b, '}')
		if end < 3 || end > 20 {
			return 0, 0
		}
		v, err := strconv.ParseUint(string(b[2:end]), 16, 32)
		if err != nil || v > utf8.MaxRune {
			return 0, 0
		}
		return rune(v), end + 1
	case len(b) > 4 && b[0] == 'u':
		n = 5
	default:
		return 0, 0
	}
	v, err := strconv.ParseUint(string(b[1:n]), 16, 32)
	if err != nil {
		return 0, 0
	}
	return rune(v), n
}
