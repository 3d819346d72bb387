package markup

import (
	"strings"
)

func (r *pageReader) meta(t *Token) {
	content, _ := r.get(t, "content")
	if media, ok := r.get(t, "media"); ok {
		content.Media = media.Value
	}
	if prop, ok := r.get(t, "property"); ok && strings.EqualFold(prop.Value, "og:site_name") {
		r.p.AppNames = append(r.p.AppNames, content)
	}
	if h, ok := r.get(t, "http-equiv"); ok {
		switch strings.ToLower(h.Value) {
		case "refresh":
			if u := refreshURL(content.Value); u != "" {
				r.p.Refs = append(r.p.Refs, Ref{URL: u, Use: UseRefresh, Offset: content.Offset})
			}
		case "content-security-policy":
			r.p.CSP = append(r.p.CSP, content)
		}
	}
	name, _ := r.get(t, "name")
	switch strings.ToLower(name.Value) {
	case "description":
		if r.p.Description.Value == "" {
			r.p.Description = content
		}
	case "application-name":
		r.p.AppNames = append([]Tag{content}, r.p.AppNames...)
	case "theme-color":
		r.p.ThemeColors = append(r.p.ThemeColors, content)
	case "viewport":
		r.p.Viewport = content
	case "robots":
		r.p.Robots = strings.ToLower(content.Value)
	}
}

// refreshURL reads the URL of a refresh pragma, "" when it only reloads.
func refreshURL(content string) string {
	_, rest, ok := strings.Cut(content, ";")
	if !ok {
		if _, rest, ok = strings.Cut(content, ","); !ok {
			return ""
		}
	}
	rest = strings.TrimSpace(rest)
	if len(rest) > 3 && strings.EqualFold(rest[:3], "url") {
		if after := strings.TrimSpace(rest[3:]); strings.HasPrefix(after, "=") {
			rest = strings.TrimSpace(after[1:])
		}
	}
	return strings.Trim(rest, `"'`)
}
