package hosting

import (
	"net/url"
	"regexp"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"tachyform.dev/tachyform/internal/site"
)

// Match says whether a glob matches a path, both percent-encoded.
func Match(glob, path string) bool {
	ok, _ := doublestar.Match(glob, path)
	return ok
}

// expression gives a regular expression for the paths that a header is for.
func (h *Header) expression(decoded bool) string {
	re := expression(h.Path, decoded)
	if folder, ok := strings.CutSuffix(re, "(?:/.*)?$"); ok && h.Digests {
		return folder + "/.*" + site.DigestExpression
	}
	return re
}

// expression gives a regular expression, for the engines of servers, that matches what a glob does. decoded is for servers that look at
// paths without percent-encoding.
func expression(glob string, decoded bool) string {
	var b strings.Builder
	b.WriteByte('^')
	depth := 0
	literal := func(s string) {
		if decoded {
			if plain, err := url.PathUnescape(s); err == nil {
				s = plain
			}
		}
		b.WriteString(regexp.QuoteMeta(s))
	}
	for i := 0; i < len(glob); {
		switch c := glob[i]; {
		case strings.HasPrefix(glob[i:], "/**/"):
			b.WriteString("/(?:.*/)?")
			i += 4
		case strings.HasPrefix(glob[i:], "/**") && i+3 == len(glob):
			b.WriteString("(?:/.*)?")
			i += 3
		case strings.HasPrefix(glob[i:], "**"):
			b.WriteString(".*")
			i += 2
		case c == '*':
			b.WriteString("[^/]*")
			i++
		case c == '?':
			b.WriteString("[^/]")
			i++
		case c == '{':
			b.WriteString("(?:")
			depth++
			i++
		case c == '}' && depth > 0:
			b.WriteByte(')')
			depth--
			i++
		case c == ',' && depth > 0:
			b.WriteByte('|')
			i++
		case c == '[' && strings.IndexByte(glob[i:], ']') > 1:
			end := i + strings.IndexByte(glob[i:], ']') + 1
			class := glob[i:end]
			b.WriteString(strings.Replace(class, "[!", "[^", 1))
			i = end
		case c == '\\' && i+1 < len(glob):
			literal(glob[i+1 : i+2])
			i += 2
		default:
			end := i + 1
			for end < len(glob) && !strings.ContainsRune(`*?{}[,\/`, rune(glob[end])) {
				end++
			}
			literal(glob[i:end])
			i = end
		}
	}
	b.WriteByte('$')
	return b.String()
}

// plain says whether a glob is a path and nothing else, and gives it.
func plain(glob string) (string, bool) {
	var b strings.Builder
	for i := 0; i < len(glob); i++ {
		switch glob[i] {
		case '\\':
			if i++; i < len(glob) {
				b.WriteByte(glob[i])
			}
		case '*', '?', '[', '{':
			return "", false
		default:
			b.WriteByte(glob[i])
		}
	}
	return b.String(), true
}
