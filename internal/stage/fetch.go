package stage

import (
	"net/http"
	"sort"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/site"
)

// Network is a state of the network between browser and server.
type Network = site.Network

// The network states.
const (
	Online  = site.Online
	Offline = site.Offline
	Slow    = site.Slow
	Failing = site.Failing
	Portal  = site.Portal
)

// Networks are all states in the order they are shown.
var Networks = site.Networks

// Times of the virtual network, in ms.
const (
	maxSent = 20_000 // requests that are remembered
	latency = 20.0
	giveUp  = 60_000.0 // a visitor does not wait longer than this
)

// blob is immutable bytes that a worker holds without looking at them, and where they came from.
type blob struct {
	data []byte
	from string // "store NAME" or "network"
}

// request is a request of the Fetch Standard (section 2.2.5) as far as it is modelled.
type request struct {
	url         string
	method      string
	mode        string
	credentials string
	cache       string
	redirect    string
	destination string
	referrer    string
	integrity   string
	headers     [][2]string
	body        *blob
	reload      bool
	sent        float64 // by a page, in ms of the virtual clock

	referrerPolicy string
	keepalive      bool
	own            bool // a script of the worker made it, and may change its headers
}

func (r *request) header(name string) string { return combined(r.headers, name) }

// combined gives all values of a header, joined as the Fetch Standard does ("get").
func combined(headers [][2]string, name string) string {
	var all []string
	for _, h := range headers {
		if h[0] == name {
			all = append(all, h[1])
		}
	}
	return strings.Join(all, ", ")
}

// response is a response of the Fetch Standard (section 2.2.6). Those of type opaque, opaqueredirect and error
// carry their inside along.
type response struct {
	status     int
	statusText string
	headers    [][2]string
	url        string
	redirected bool
	kind       string // basic, cors, default, error, opaque, opaqueredirect
	body       *blob
	own        bool // a script of the worker made it, and may change its headers
	unknown    bool // what the server would answer is not known
}

func (r *response) header(name string) string { return combined(r.headers, name) }

func (r *response) bytes() []byte {
	if r == nil || r.body == nil {
		return nil
	}
	return r.body.data
}

// netError is why a fetch failed, in the words of the field.
type netError string

const failedToFetch = "Failed to fetch"

// cancel makes the callback of a fetch never happen.
type cancel func()

// network sends a request past any worker and calls done with a response or an error.
func (b *Browser) networkFetch(req *request, done func(*response, netError)) cancel {
	t := b.loop.after(0, nil)
	stopped := false
	finish := func(r *response, e netError) {
		if e != "" || r == nil {
			b.trace(nil, "%s%s: %s", b.Relative(req.url), asWhat(req), b.networkWord())
		} else {
			b.trace(nil, "%s%s: %s", b.Relative(req.url), asWhat(req), describeResponse(r))
		}
		if !stopped {
			done(r, e)
		}
	}
	t.run = func() { b.cachedFetch(req, 0, false, finish) }
	return func() { stopped = true }
}

// dataURL answers with what the URL itself holds.
func dataURL(u string) (*response, netError) {
	kind, body, ok := site.DataURL(u)
	if !ok {
		return nil, failedToFetch
	}
	u, _, _ = strings.Cut(u, "#")
	return &response{url: u, status: 200, statusText: "OK", kind: "basic", headers: [][2]string{{"content-type", kind}}, body: &blob{data: body}}, ""
}

// cachedFetch asks the HTTP cache, then the server.
func (b *Browser) cachedFetch(req *request, hops int, redirected bool, done func(*response, netError)) {
	if strings.HasPrefix(req.url, "data:") {
		r, e := dataURL(req.url)
		b.loop.after(0, func() { done(r, e) })
		return
	}
	if !strings.HasPrefix(req.url, "http:") && !strings.HasPrefix(req.url, "https:") {
		b.loop.after(0, func() { done(nil, failedToFetch) })
		return
	}
	if r := b.http.get(b, req); r != nil {
		b.trace(nil, "the browser's HTTP cache has %s", b.Relative(req.url))
		if isRedirect(r.status) {
			b.follow(req, r, hops, done)
			return
		}
		b.loop.after(1, func() { done(b.filter(req, r, redirected), "") })
		return
	}
	if req.cache == "only-if-cached" {
		b.loop.after(1, func() { done(nil, failedToFetch) })
		return
	}
	switch b.networkFor(req.url) {
	case Offline:
		b.loop.after(1, func() { done(nil, failedToFetch) })
		return
	case Slow: // nothing comes until the network changes
		b.hung = append(b.hung, func() { done(nil, failedToFetch) })
		return
	}
	b.loop.after(latency, func() {
		if b.networkFor(req.url) == Offline { // it went away in the meantime
			done(nil, failedToFetch)
			return
		}
		r := b.serve(req)
		if r == nil {
			done(nil, failedToFetch)
			return
		}
		if isRedirect(r.status) && r.header("location") != "" {
			b.http.put(b, req, r)
			b.follow(req, r, hops, done)
			return
		}
		b.http.put(b, req, r)
		done(b.filter(req, r, redirected), "")
	})
}

func isRedirect(status int) bool {
	switch status {
	case 301, 302, 303, 307, 308:
		return true
	}
	return false
}

// follow applies the request's redirect mode (Fetch Standard, "HTTP-redirect fetch").
func (b *Browser) follow(req *request, r *response, hops int, done func(*response, netError)) {
	switch req.redirect {
	case "error":
		done(nil, failedToFetch)
		return
	case "manual":
		r.kind = "opaqueredirect"
		done(r, "")
		return
	}
	next, err := b.led(req, r)
	if err != nil || hops >= maxHops {
		done(nil, failedToFetch)
		return
	}
	b.cachedFetch(next, hops+1, true, done)
}

// maxHops is how often a request is led on (Fetch Standard, "HTTP-redirect fetch").
const maxHops = 20

// led gives the request that follows when an answer leads it on.
func (b *Browser) led(req *request, r *response) (*request, error) {
	to, err := b.resolve(r.header("location"), req.url)
	if err != nil {
		return nil, err
	}
	next := *req
	next.url = to
	if r.status == 303 && req.method != "HEAD" || (r.status == 301 || r.status == 302) && req.method == "POST" {
		next.method, next.body = "GET", nil
	}
	return &next, nil
}

// networkFor gives the state of the network for one request.
func (b *Browser) networkFor(url string) Network {
	if b.network == Online {
		if path, ok := strings.CutPrefix(b.Relative(url), "/"); ok {
			path, _, _ = strings.Cut("/"+path, "?")
			return b.faults.For(path)
		}
	}
	return b.network
}

// serve gives the server's answer, nil when there is no such server.
func (b *Browser) serve(req *request) *response {
	u, err := b.addresses.parse(req.url, "")
	if err != nil {
		return nil
	}
	r := &response{url: u.bare, kind: "basic"}
	if status, kind, body, ok := b.networkFor(req.url).Instead(); ok {
		r.status, r.headers, r.body = status, [][2]string{{"content-type", kind}}, &blob{[]byte(body), "network"}
		if req.method == "HEAD" {
			r.body = nil
		}
		return r
	}
	server := b.server
	if u.origin != b.origin {
		if server = b.others[u.origin]; server == nil {
			// What another origin would send is not known. It is taken to answer, with nothing in it.
			r.status, r.body, r.unknown = http.StatusOK, &blob{nil, "network"}, true
			r.headers = [][2]string{{"access-control-allow-origin", "*"}}
			return r
		}
	}
	a := server.Ask(req.method, u.path, strings.TrimPrefix(u.Search(), "?"))
	if len(b.sent) < maxSent {
		b.sent = append(b.sent, Sent{Method: req.method, URL: b.Relative(req.url), Status: a.Status, Body: bodyOf(req), Header: req.headers, Cache: req.cache})
	}
	if req.method == "GET" {
		a = a.Part(req.header("range"))
	}
	r.status = a.Status
	names := make([]string, 0, len(a.Header))
	for k := range a.Header {
		names = append(names, k)
	}
	sort.Strings(names)
	for _, k := range names {
		for _, v := range a.Header[k] {
			r.headers = append(r.headers, [2]string{strings.ToLower(k), v})
		}
	}
	r.headers = append(r.headers, [2]string{"content-length", strconv.Itoa(len(a.Body))})
	r.body = &blob{a.Body, "network"}
	if req.method == "HEAD" {
		r.body = nil
	}
	return r
}

func bodyOf(req *request) []byte {
	if req.body == nil {
		return nil
	}
	return req.body.data
}

// filter makes the response that the request's mode lets a script see (Fetch Standard, "main fetch").
func (b *Browser) filter(req *request, r *response, redirected bool) *response {
	out := *r
	out.redirected = redirected
	if u, err := b.addresses.parse(r.url, ""); err != nil || u.origin == b.origin {
		out.kind = "basic"
		return &out
	}
	switch req.mode {
	case "no-cors":
		out.kind = "opaque"
	case "cors":
		allow := r.header("access-control-allow-origin")
		if allow != "*" && allow != b.origin || allow == "*" && req.credentials == "include" {
			return nil
		}
		out.kind = "cors"
	case "same-origin":
		return nil
	default:
		out.kind = "basic"
	}
	return &out
}

// httpCache is the browser's cache between worker or page and network (RFC 9111), for answers with a lifetime.
type httpCache struct{ entries map[string]cached }

type cached struct {
	r     *response
	until float64 // virtual ms
}

func (c *httpCache) get(b *Browser, req *request) *response {
	if req.method != "GET" && req.method != "HEAD" {
		return nil
	}
	switch req.cache {
	case "no-store", "reload", "no-cache":
		return nil
	}
	e, ok := c.entries[req.url]
	if !ok || e.until <= b.loop.now && req.cache != "force-cache" && req.cache != "only-if-cached" {
		return nil
	}
	return e.r
}

func (c *httpCache) put(b *Browser, req *request, r *response) {
	permanent := r.status == http.StatusMovedPermanently || r.status == http.StatusPermanentRedirect
	if req.method != "GET" || req.cache == "no-store" || r.status != http.StatusOK && !permanent || b.networkFor(req.url) != Online {
		return
	}
	age := lifetime(r.header("cache-control"))
	if permanent && r.header("cache-control") == "" { // kept without being told (RFC 9110, section 15.4.2)
		age = 365 * 24 * 3600
	}
	if strings.Contains(strings.ToLower(r.header("cache-control")), "no-store") {
		delete(c.entries, req.url)
		return
	}
	c.entries[req.url] = cached{r, b.loop.now + age*1000}
}

// lifetime reads max-age in seconds; 0 when the answer must not be kept.
func lifetime(cacheControl string) float64 {
	age := 0.0
	for _, d := range strings.Split(strings.ToLower(cacheControl), ",") {
		d = strings.TrimSpace(d)
		switch {
		case d == "no-store" || d == "no-cache":
			return 0
		case strings.HasPrefix(d, "max-age="):
			age, _ = strconv.ParseFloat(strings.Trim(d[len("max-age="):], `"`), 64)
		}
	}
	return age
}
