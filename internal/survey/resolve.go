package survey

import (
	"strings"

	"tachyform.dev/tachyform/internal/weburl"
)

// Resolve makes a reference absolute against a root-relative base URL. Those of the site's own origin come back
// root-relative. Fragments are dropped; what is no http(s) URL reports false.
func Resolve(base, ref string) (string, bool) {
	ref = strings.TrimSpace(ref)
	if ref == "" || strings.HasPrefix(ref, "#") {
		return base, ref != ""
	}
	if strings.HasPrefix(ref, "/") && !strings.HasPrefix(ref, "//") && !strings.ContainsAny(ref, "\\#?%\"<>`{}|^") && !strings.Contains(ref, "/.") && isVisible(ref) {
		return ref, true // the usual case needs no parser
	}
	if u, ok := simple(base, ref); ok {
		return u, true
	}
	if i := strings.IndexByte(ref, ':'); i > 0 && i < 12 && !strings.ContainsAny(ref[:i], "/?#.") {
		scheme := strings.ToLower(ref[:i])
		if scheme != "http" && scheme != "https" {
			return "", false
		}
	}
	if !strings.HasPrefix(base, "http:") && !strings.HasPrefix(base, "https:") {
		base = weburl.Origin + base
	}
	u, err := weburl.ParseRef(base, ref)
	if err != nil {
		return "", false
	}
	h := u.Href(true)
	if rest, ok := strings.CutPrefix(h, weburl.Origin); ok {
		return rest, true
	}
	return h, strings.HasPrefix(h, "http")
}

// ResolveOn does the same for a site whose origin is known, such as "https://skerry-line.example": its absolute URLs come back
// root-relative too.
func ResolveOn(origin, base, ref string) (string, bool) {
	u, ok := Resolve(base, ref)
	if origin != "" && ok {
		if rest, own := strings.CutPrefix(u, origin); own && strings.HasPrefix(rest, "/") {
			return rest, true
		}
	}
	return u, ok
}

// BaseOf gives what the references of a page are resolved against: its own address, or what its base element says (HTML Standard,
// "document base URL"). origin is "" where it is not known.
func BaseOf(origin, address, base string) string {
	if base == "" {
		return address
	}
	if u, ok := ResolveOn(origin, address, base); ok {
		return u
	}
	return address
}

// StartBase is what the references of the start page are resolved against.
func (inv *Inventory) StartBase() string {
	return BaseOf(inv.Site.Origin, inv.StartFile.URL, inv.Start.Base.Value)
}

// simple resolves a relative path of plain characters against a root-relative base, as most references are.
func simple(base, ref string) (string, bool) {
	for i := range len(ref) {
		c := ref[i]
		if !(c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '/' || c == '.' || c == '-' || c == '_') {
			if c == '#' && i > 0 {
				ref = ref[:i]
				break
			}
			return "", false
		}
	}
	if ref[0] == '/' || base == "" || base[0] != '/' || strings.ContainsAny(base, "?#\\") || strings.Contains(ref, "//") {
		return "", false
	}
	dir := base[:strings.LastIndexByte(base, '/')+1]
	for {
		if rest, ok := strings.CutPrefix(ref, "./"); ok {
			ref = rest
			continue
		}
		rest, ok := strings.CutPrefix(ref, "../")
		if !ok {
			break
		}
		ref = rest
		if len(dir) > 1 {
			dir = dir[:strings.LastIndexByte(dir[:len(dir)-1], '/')+1]
		}
	}
	if ref == "." || ref == ".." || strings.Contains(ref, "/.") {
		return "", false
	}
	return dir + ref, true
}

// isVisible says whether a text has visible characters of ASCII alone.
func isVisible(s string) bool {
	for i := range len(s) {
		if s[i] <= ' ' || s[i] >= 0x7f {
			return false
		}
	}
	return true
}
