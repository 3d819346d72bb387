package markup

import "regexp"

// TokenName matches the names of fields and meta elements that hold a token: another one for each visitor, or each time.
var TokenName = regexp.MustCompile(`(?i)csrf|xsrf|token|nonce|authenticity`)

var (
	inputTag  = regexp.MustCompile(`(?i)<input\b[^>]*>`)
	fieldName = regexp.MustCompile(`(?i)\bname\s*=\s*["']?([^"'\s>]+)`)
)

// FormToken gives the name of the first field of a page's forms that holds a token, "" when there is none.
func FormToken(page []byte) string {
	for _, tag := range inputTag.FindAll(page, -1) {
		if name := FieldName(tag); TokenName.MatchString(name) {
			return name
		}
	}
	return ""
}

// FieldName gives the name that a tag of a field or a meta element has, "" for none.
func FieldName(tag []byte) string {
	if m := fieldName.FindSubmatch(tag); m != nil {
		return string(m[1])
	}
	return ""
}
