package stage

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"

	"github.com/dunglas/go-urlpattern"
)

// route is a rule of the Static Routing API (Service Workers, section 4.8).
type route struct {
	condition condition
	source    string // "network", "cache", "fetch-event" or "race-network-and-fetch-handler"
	cache     string // name of the store, "" for any
}

// condition is when a route applies. All members that are given must hold.
type condition struct {
	pattern     *urlpattern.URLPattern
	method      string
	mode        string
	destination *string
	running     string
	or          []condition
	not         *condition
}

// maxRoutes bounds the routes of one worker.
const maxRoutes = 1024

// addRoutes takes rules as JSON, as the prelude writes them.
func (w *worker) addRoutes(text string) error {
	var rules []struct {
		Condition json.RawMessage
		Source    json.RawMessage
	}
	if err := json.Unmarshal([]byte(text), &rules); err != nil {
		return err
	}
	var out []route
	for _, r := range rules {
		c, err := w.condition(r.Condition, 0)
		if err != nil {
			return err
		}
		n := route{condition: c}
		var named struct{ CacheName *string }
		switch {
		case json.Unmarshal(r.Source, &n.source) == nil:
			if !slices.Contains([]string{"network", "cache", "fetch-event", "race-network-and-fetch-handler"}, n.source) {
				return fmt.Errorf("the provided value '%s' is not a valid enum value of type RouterSourceEnum", n.source)
			}
		case json.Unmarshal(r.Source, &named) == nil && named.CacheName != nil:
			n.source, n.cache = "cache", *named.CacheName
		default:
			return errors.New("a rule has no source")
		}
		out = append(out, n)
	}
	if len(w.routes)+len(out) > maxRoutes {
		return errors.New("too many rules")
	}
	w.routes = append(w.routes, out...)
	return nil
}

func (w *worker) condition(text json.RawMessage, depth int) (condition, error) {
	var c condition
	var in struct {
		URLPattern         json.RawMessage `json:"urlPattern"`
		RequestMethod      string
		RequestMode        string
		RequestDestination *string
		RunningStatus      string
		Or                 []json.RawMessage
		Not                json.RawMessage
	}
	if err := json.Unmarshal(text, &in); err != nil || depth > 10 {
		return c, errors.New("a condition is not understood")
	}
	c.method, c.mode, c.destination, c.running = in.RequestMethod, in.RequestMode, in.RequestDestination, in.RunningStatus
	if len(in.URLPattern) > 0 {
		var s string
		var init urlpattern.URLPatternInit
		var err error
		if json.Unmarshal(in.URLPattern, &s) == nil {
			c.pattern, err = urlpattern.New(s, w.url, nil)
		} else if err = json.Unmarshal(in.URLPattern, &init); err == nil {
			if init.BaseURL == nil && init.Protocol == nil && init.Hostname == nil {
				init.BaseURL = &w.url
			}
			c.pattern, err = init.New(nil)
		}
		if err != nil {
			return c, err
		}
	}
	for _, o := range in.Or {
		x, err := w.condition(o, depth+1)
		if err != nil {
			return c, err
		}
		c.or = append(c.or, x)
	}
	if len(in.Not) > 0 {
		x, err := w.condition(in.Not, depth+1)
		if err != nil {
			return c, err
		}
		c.not = &x
	}
	if c.pattern == nil && c.method == "" && c.mode == "" && c.destination == nil && c.running == "" && len(c.or) == 0 && c.not == nil {
		return c, errors.New("at least one condition must be set")
	}
	return c, nil
}

func (c *condition) holds(w *worker, r *request) bool {
	switch {
	case c.pattern != nil && !c.pattern.Test(r.url, ""),
		c.method != "" && c.method != r.method,
		c.mode != "" && c.mode != r.mode,
		c.destination != nil && *c.destination != destination(r.destination),
		c.running == "running" && w.vm == nil, c.running == "not-running" && w.vm != nil,
		len(c.or) > 0 && !slices.ContainsFunc(c.or, func(o condition) bool { return o.holds(w, r) }),
		c.not != nil && c.not.holds(w, r):
		return false
	}
	return true
}

// routeFor gives the first route that applies to a request, nil for none.
func (w *worker) routeFor(r *request) *route {
	for i := range w.routes {
		if w.routes[i].condition.holds(w, r) {
			return &w.routes[i]
		}
	}
	return nil
}
