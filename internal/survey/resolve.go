package survey

import (
	"strings"

	weburl "github.com/nlnwa/whatwg-url/url"
)

const anyOrigin = "https://site.invalid"

// Resolve makes a reference absolute against a root-relative base URL. Those of the site's own origin come back
// root-relative. Fragments are dropped; what is no http(s) URL reports false.
func Resolve(base, ref string) (string, bool) {
	ref = strings.TrimSpace(ref)
	if ref == "" || strings.HasPrefix(ref, "#") {
		return base, ref != ""
	}
	if strings.HasPrefix(ref, "/") && !strings.HasPrefix(ref, "//") && !strings.ContainsAny(ref, "\\#?% \t\r\n\"<>`{}|^") && !strings.Contains(ref, "/.") && isASCII(ref) {
		return ref, true // the usual case needs no parser
	}
	if i := strings.IndexByte(ref, ':'); i > 0 && i < 12 && !strings.ContainsAny(ref[:i], "/?#.") {
		scheme := strings.ToLower(ref[:i])
		if scheme != "http" && scheme != "https" {
			return "", false
		}
	}
	if !strings.HasPrefix(base, "http:") && !strings.HasPrefix(base, "https:") {
		base = anyOrigin + base
	}
	u, err := weburl.ParseRef(base, ref)
	if err != nil {
		return "", false
	}
	h := u.Href(true)
	if rest, ok := strings.CutPrefix(h, anyOrigin); ok {
		return rest, true
	}
	return h, strings.HasPrefix(h, "http")
}

func isASCII(s string) bool {
	for i := range len(s) {
		if s[i] >= 0x80 {
			return false
		}
	}
	return true
}
