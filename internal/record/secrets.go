package record

import (
	"net/url"
	"regexp"
	"slices"
	"strings"
)

// Removed stands in the place of what looked like a secret.
const Removed = "removed"

var (
	// secretName matches names of members whose values nobody else may see.
	secretName = regexp.MustCompile(`(?i)(token|secret|password|passwd|passphrase|jwt|api[_-]?key|session([_-]?id)?|csrf|xsrf|authorization|credentials?|private[_-]?key)$`)
	// secretParameter matches the names of parameters besides.
	secretParameter = regexp.MustCompile(`(?i)^(key|sig|signature|auth|pwd|sid|appid|app_id)$`)
	// member is a member of JSON whose value is a string.
	member = regexp.MustCompile(`"((?:[^"\\]|\\.)*)"(\s*:\s*)"((?:[^"\\]|\\.)*)"`)
	// webToken is a JSON Web Token (RFC 7519), wherever it stands.
	webToken = regexp.MustCompile(`eyJ[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]*`)
	// bearer is what follows a scheme of authorisation.
	bearer = regexp.MustCompile(`\b(Bearer|Basic)\s+[A-Za-z0-9+/=._~-]{12,}`)
	// parameter is one of an address that stands in a text.
	parameter = regexp.MustCompile(`([?&]|&amp;)([A-Za-z0-9_.-]+)=([^&"'\s<>#\\]+)`)
	// opaque is a part of a path that nobody would give by hand.
	opaque = regexp.MustCompile(`^[A-Za-z0-9_-]{40,}$`)
)

func isSecret(name string, more []string) bool {
	return secretName.MatchString(name) || slices.ContainsFunc(more, func(m string) bool { return strings.EqualFold(m, name) })
}

// Redact takes out of a text what looks like a secret, byte for byte but for that, and gives the names of what it took out. more are further names
// of secrets. What is no text is as it was.
func Redact(mediaType string, body []byte, more []string) ([]byte, []string) {
	if !isText(mediaType) {
		return body, nil
	}
	var names []string
	took := func(name string) {
		if !slices.Contains(names, name) {
			names = append(names, name)
		}
	}
	out := member.ReplaceAllFunc(body, func(m []byte) []byte {
		part := member.FindSubmatch(m)
		if !isSecret(string(part[1]), more) || len(part[3]) == 0 {
			return m
		}
		took(string(part[1]))
		return []byte(`"` + string(part[1]) + `"` + string(part[2]) + `"` + Removed + `"`)
	})
	out = webToken.ReplaceAllFunc(out, func([]byte) []byte { took("a web token"); return []byte(Removed) })
	out = bearer.ReplaceAllFunc(out, func(m []byte) []byte {
		took("an authorisation")
		return []byte(string(bearer.FindSubmatch(m)[1]) + " " + Removed)
	})
	out = parameter.ReplaceAllFunc(out, func(m []byte) []byte {
		part := parameter.FindSubmatch(m)
		if name := string(part[2]); isSecret(name, more) || secretParameter.MatchString(name) {
			took(name)
			return []byte(string(part[1]) + name + "=" + Removed)
		}
		return m
	})
	return out, names
}

func isText(mediaType string) bool {
	essence, _, _ := strings.Cut(strings.ToLower(mediaType), ";")
	essence = strings.TrimSpace(essence)
	return essence == "" || strings.HasPrefix(essence, "text/") || strings.HasSuffix(essence, "json") || strings.HasSuffix(essence, "xml") || strings.HasSuffix(essence, "javascript")
}

// redactQuery writes * for the values of parameters that look like secrets.
func redactQuery(query string, more []string) (string, []string) {
	if query == "" {
		return "", nil
	}
	var names []string
	parts := strings.Split(query, "&")
	for i, part := range parts {
		name, value, _ := strings.Cut(part, "=")
		plain, err := url.QueryUnescape(name)
		if err != nil {
			plain = name
		}
		if v, err := url.QueryUnescape(value); isSecret(plain, more) || secretParameter.MatchString(plain) || err == nil && webToken.MatchString(v) {
			parts[i] = name + "=*"
			names = append(names, plain)
		}
	}
	return strings.Join(parts, "&"), names
}

// withoutSecrets gives an address as it may be printed.
func withoutSecrets(address string, more []string) string {
	p, query, has := strings.Cut(address, "?")
	if !has {
		return webToken.ReplaceAllString(address, Removed)
	}
	query, _ = redactQuery(query, more)
	return webToken.ReplaceAllString(p, Removed) + "?" + query
}

// secretPath says whether a part of a path looks like a token.
func secretPath(p string) bool {
	return webToken.MatchString(p) || slices.ContainsFunc(strings.Split(p, "/"), func(s string) bool {
		return opaque.MatchString(s) && strings.ContainsAny(s, "0123456789") && strings.ToLower(s) != s
	})
}
