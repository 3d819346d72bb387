package stage

import (
	"errors"

	"tachyform.dev/tachyform/internal/weburl"
)

// address is a parsed URL (URL Standard). It is shared, and must not be changed.
type address struct {
	*weburl.URL
	href   string
	bare   string // without fragment
	origin string // protocol and host
	path   string
}

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
	var u *weburl.URL
	var err error
	if base != "" {
		u, err = weburl.ParseRef(base, ref)
	} else {
		u, err = weburl.Parse(ref)
	}
	var out *address
	if err == nil {
		out = &address{URL: u, href: u.Href(false), bare: u.Href(true), origin: u.Protocol() + "//" + u.Host(), path: u.Pathname()}
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
