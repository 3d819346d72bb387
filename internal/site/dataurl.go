package site

import (
	"encoding/base64"
	"mime"
	"strconv"
	"strings"
)

// DataURL gives what a data: URL holds, and its media type (Fetch Standard, "data: URL processor"). It is false for what is no such URL and for one whose
// data cannot be read.
func DataURL(u string) (mediaType string, data []byte, ok bool) {
	if len(u) < 5 || !strings.EqualFold(u[:5], "data:") {
		return "", nil, false
	}
	u, _, _ = strings.Cut(u[5:], "#")
	kind, text, ok := strings.Cut(u, ",")
	if !ok {
		return "", nil, false
	}
	data = []byte(unescaped(text))
	kind = strings.TrimSpace(kind)
	if i := strings.LastIndexByte(kind, ';'); i >= 0 && strings.EqualFold(strings.TrimSpace(kind[i+1:]), "base64") {
		kind = strings.TrimRight(kind[:i], " ")
		plain := strings.TrimRight(strings.Map(func(r rune) rune {
			if strings.ContainsRune("\t\n\f\r ", r) {
				return -1
			}
			return r
		}, string(data)), "=")
		var err error
		if data, err = base64.RawStdEncoding.DecodeString(plain); err != nil {
			return "", nil, false
		}
	}
	if strings.HasPrefix(kind, ";") {
		kind = "text/plain" + kind
	}
	if _, _, err := mime.ParseMediaType(kind); err != nil || !strings.Contains(kind, "/") {
		kind = "text/plain;charset=US-ASCII"
	}
	return kind, data, true
}

// unescaped decodes percent-encoding; what is none stays.
func unescaped(s string) string {
	var b strings.Builder
	for i := 0; i < len(s); i++ {
		if s[i] == '%' && i+2 < len(s) {
			if n, err := strconv.ParseUint(s[i+1:i+3], 16, 8); err == nil {
				b.WriteByte(byte(n))
				i += 2
				continue
			}
		}
		b.WriteByte(s[i])
	}
	return b.String()
}
