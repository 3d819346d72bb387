package stage

import (
	"errors"

	"github.com/nlnwa/whatwg-url/url"
)

// address is a parsed URL (URL Standard). It is shared, and must not be changed.
type address struct {
	*url.Url
	href   string
	bare   string // without fragment
	origin string // protocol and host
	path   string
}

// urls parses as the URL Standard does now: the path's percent-encode set has the circumflex since 2023.
var urls = url.NewParser(url.WithPathPercentEncodeSet(url.PathPercentEncodeSet.Set('^')))

// addresses parses URLs, and remembers those that were parsed lately: a site has few, which are asked for again and again.
type addresses map[[2]string]*address

const (
	maxKnown     = 4096 // addresses that are remembered
	maxKnownSize = 1000 // bytes of one
)

var errAddress = errors.New("it is no URL")

// parse parses a reference, against a base unless that is empty.
func (a addresses) parse(ref, base string) (*address, error) {
	key := [2]string{base, ref}
	if u, ok := a[key]; ok {
		if u == nil {
			return nil, errAddress
		}
		return u, nil
	}
	var u *url.Url
	var err error
	if base != "" {
		u, err = urls.ParseRef(base, ref)
	} else {
		u, err = urls.Parse(ref)
	}
	var out *address
	if err == nil {
		out = &address{Url: u, href: u.Href(false), bare: u.Href(true), origin: u.Protocol() + "//" + u.Host(), path: u.Pathname()}
	}
	if len(ref)+len(base) <= maxKnownSize {
		if len(a) >= maxKnown {
			clear(a)
		}
		a[key] = out
		if out != nil && base != "" { // which is often asked for next
			a[[2]string{"", out.href}] = out
		}
	}
	return out, err
}
