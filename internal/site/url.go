package site

import (
	"net/url"
	"path"
	"regexp"
	"strings"
)

// EscapePath percent-encodes a slash-separated file path as the URL Standard's path percent-encode set asks,
// and also encodes "%" itself, since file names are literal.
func EscapePath(p string) string {
	const hex = "0123456789ABCDEF"
	var b strings.Builder
	for i := range len(p) {
		c := p[i]
		if c <= ' ' || c >= 0x7f || strings.IndexByte("\"#<>?^`{}%\\|", c) >= 0 {
			b.WriteByte('%')
			b.WriteByte(hex[c>>4])
			b.WriteByte(hex[c&15])
			continue
		}
		b.WriteByte(c)
	}
	return b.String()
}

// UnescapePath turns a URL path into the file path it names. It reports false for paths with encoded
// slashes, NUL bytes or broken percent-encoding, which never name a file of a site.
func UnescapePath(p string) (string, bool) {
	u, err := url.PathUnescape(p)
	if err != nil || strings.ContainsRune(u, 0) || strings.Contains(u, "\\") ||
		strings.Count(u, "/") != strings.Count(p, "/") {
		return "", false
	}
	return u, true
}

// CleanBase normalises a base path: it begins and ends with a slash.
func CleanBase(base string) string {
	base = path.Clean("/" + base)
	if base != "/" {
		base += "/"
	}
	return base
}

// FileURL is the root-relative URL of a file below base; index pages keep their name.
func FileURL(base, file string) string { return base + EscapePath(file) }

// PageURL is the root-relative URL visitors use for a page: index pages are their folder.
func PageURL(base, file string) string {
	dir, name := path.Split(file)
	if IsIndex(name) {
		return base + EscapePath(dir)
	}
	return FileURL(base, file)
}

// IsIndex says whether a file name is one that servers answer for its folder.
func IsIndex(name string) bool { return name == "index.html" || name == "index.htm" }

// IsPage says whether the file name is that of an HTML or XHTML page.
func IsPage(name string) bool { return Kind(name) == "page" }

// DigestExpression matches the end of names such as app.3f9c2b71.js and index-BX3kd9aQ.css.
const DigestExpression = `[.-](?:[0-9a-f]{8,}|[0-9A-Za-z_-]*[0-9][0-9A-Za-z_-]*[A-Z][0-9A-Za-z_-]{4,}|[0-9A-Za-z_-]*[A-Z][0-9A-Za-z_-]*[0-9][0-9A-Za-z_-]{4,})\.\w+$`

var digestInName = regexp.MustCompile(DigestExpression)

// HasDigest says whether the name of a file, or the path of a URL, seems to hold a digest of its content, so that a changed file has
// another name.
func HasDigest(name string) bool {
	at := digestInName.FindStringIndex(name)
	return at != nil && !date.MatchString(name[at[0]+1:])
}

// date is a day as names have it.
var date = regexp.MustCompile(`^(?:19|20)\d\d(?:0[1-9]|1[0-2])(?:[0-2]\d|3[01])(?:\d{4}|\d{6})?\.`)

// SurelyDigest is [HasDigest], and that what looks like a digest is neither a number, such as a date, nor a word.
func SurelyDigest(name string) bool {
	at := digestInName.FindStringIndex(name)
	if at == nil {
		return false
	}
	token := name[at[0]+1 : strings.LastIndexByte(name, '.')]
	return strings.ContainsAny(token, "0123456789") && strings.ContainsFunc(token, func(c rune) bool { return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' })
}

// WithoutDigest gives a name or path with a star in place of the digest in it, so that it fits after the next build, too.
func WithoutDigest(name string) string {
	at := digestInName.FindStringIndex(name)
	if at == nil {
		return name
	}
	return name[:at[0]+1] + "*" + name[strings.LastIndexByte(name, '.'):]
}
