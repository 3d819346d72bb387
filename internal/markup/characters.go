package markup

import (
	"bytes"
	"html"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Characters is a set of code points beyond ASCII. The zero value is empty.
type Characters struct {
	blocks map[rune]*[4]uint64 // of 256 code points each, by the number of the block
}

// Add puts a code point into the set; those of ASCII count as always there.
func (c *Characters) Add(r rune) {
	if r < utf8.RuneSelf {
		return
	}
	c.block(r >> 8)[r>>6&3] |= 1 << (r & 63)
}

func (c *Characters) block(k rune) *[4]uint64 {
	if c.blocks == nil {
		c.blocks = map[rune]*[4]uint64{}
	}
	b := c.blocks[k]
	if b == nil {
		b = &[4]uint64{}
		c.blocks[k] = b
	}
	return b
}

// Join adds all of another set.
func (c *Characters) Join(o *Characters) {
	for k, from := range o.blocks {
		b := c.block(k)
		for i := range from {
			b[i] |= from[i]
		}
	}
}

// Read adds what a text can show: its own characters, and those that it writes as references of HTML (&eacute;) or as escapes of scripts
// and style sheets (\u00e9, \e9).
func (c *Characters) Read(text []byte) {
	for i := 0; i < len(text); {
		switch b := text[i]; {
		case b >= utf8.RuneSelf:
			r, n := utf8.DecodeRune(text[i:])
			if r != utf8.RuneError || n > 1 {
				c.Add(r)
			}
			i += n
		case b == '&':
			end := bytes.IndexByte(text[i:min(len(text), i+40)], ';')
			if end > 1 {
				for _, r := range html.UnescapeString(string(text[i : i+end+1])) {
					c.Add(r)
				}
			}
			i++
		case b == '\\':
			i++
			digits := i
			for digits < len(text) && (text[digits] == 'u' || text[digits] == 'x' || text[digits] == '{') && digits < i+2 {
				digits++
			}
			end := digits
			for end < len(text) && end < digits+6 && hexValue(text[end]) >= 0 {
				end++
			}
			for _, n := range []int{2, 4, end - digits} { // \xe9, \u00e9, and as long as it goes
				if digits+n > end {
					continue
				}
				if v, err := strconv.ParseUint(string(text[digits:digits+n]), 16, 32); err == nil && v <= utf8.MaxRune {
					c.Add(rune(v))
				}
			}
		default:
			i++
		}
	}
}

// In says whether one of the characters, or one of ASCII, is in a unicode-range (CSS Fonts 4, "unicode-range descriptor"), as written. What
// cannot be read is all there is.
func (c *Characters) In(span string) bool {
	for _, part := range strings.Split(span, ",") {
		part = strings.ToUpper(strings.TrimSpace(part))
		if part == "" {
			continue
		}
		first, last, ok := interval(part)
		if !ok || first < utf8.RuneSelf {
			return true
		}
		for k, b := range c.blocks {
			if k<<8 > last || k<<8|0xff < first {
				continue
			}
			for i := range rune(256) {
				if r := k<<8 | i; r >= first && r <= last && b[i>>6]&(1<<(i&63)) != 0 {
					return true
				}
			}
		}
	}
	return strings.Trim(span, " ,") == ""
}

// interval reads U+26, U+0-7F, or U+4??.
func interval(part string) (first, last rune, ok bool) {
	digits, is := strings.CutPrefix(part, "U+")
	if !is {
		return 0, 0, false
	}
	from, to, both := strings.Cut(digits, "-")
	if !both {
		from, to = strings.ReplaceAll(digits, "?", "0"), strings.ReplaceAll(digits, "?", "F")
	}
	a, err1 := strconv.ParseUint(strings.TrimSpace(from), 16, 32)
	b, err2 := strconv.ParseUint(strings.TrimSpace(to), 16, 32)
	return rune(min(a, utf8.MaxRune)), rune(min(b, utf8.MaxRune)), err1 == nil && err2 == nil
}
