package site

import (
	"net/http"

	"github.com/bmatcuk/doublestar/v4"
)

// Network is a state of the network between a visitor and a site, or of what answers one of its addresses.
type Network string

// The network states.
const (
	Online  Network = "online"
	Offline Network = "offline"
	Slow    Network = "slow"    // accepts connections and does not answer in time
	Failing Network = "failing" // answers everything with 503
	Portal  Network = "portal"  // a captive portal answers everything with its own page
	Missing Network = "missing" // answers with 404; for single addresses
)

// Networks are the states of the whole network in the order they are shown.
var Networks = []Network{Online, Offline, Slow, Failing, Portal}

// Instead gives what is answered in place of the site, ok false when the site itself answers, or nothing does.
func (n Network) Instead() (status int, mediaType, body string, ok bool) {
	switch n {
	case Failing:
		return http.StatusServiceUnavailable, "text/plain", "The server is not available.\n", true
	case Portal:
		return http.StatusOK, "text/html", "<!doctype html><title>Sign in to the network</title><p>Please accept our terms to use this network.</p>\n", true
	case Missing:
		return http.StatusNotFound, "text/plain", "not found\n", true
	}
	return 0, "", "", false
}

// Fault is the state of the network for the paths that a glob matches.
type Fault struct {
	Path  string  `json:"path"`
	State Network `json:"state"`
}

// Faults are looked through in their order; the first that matches counts.
type Faults []Fault

// For gives the state for a path, [Online] when no fault matches.
func (f Faults) For(path string) Network {
	for _, x := range f {
		if ok, _ := doublestar.Match(x.Path, path); ok {
			return x.State
		}
	}
	return Online
}
