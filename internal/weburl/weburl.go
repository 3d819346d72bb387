// Package weburl parses URLs as the URL Standard does now.
package weburl

import "github.com/nlnwa/whatwg-url/url"

// Origin stands for the origin of a folder, which has none yet: a name that no resolver knows (RFC 2606, section 2).
const Origin = "https://site.invalid"

// URL is a parsed URL (URL Standard, "URL record" with its API).
type URL = url.Url

// parser has what the standard has gained since its edition: the path's percent-encode set holds the circumflex since 2023.
var parser = url.NewParser(url.WithPathPercentEncodeSet(url.PathPercentEncodeSet.Set('^')))

// Parse parses an absolute URL.
func Parse(s string) (*URL, error) { return parser.Parse(s) }

// ParseRef parses a reference against an absolute base URL.
func ParseRef(base, ref string) (*URL, error) { return parser.ParseRef(base, ref) }
