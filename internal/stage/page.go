package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/weburl"
)

// AnsweredBy says who gave a visitor an answer.
type AnsweredBy string

// Who can answer.
const (
	ByWorker  AnsweredBy = "worker"
	ByNetwork AnsweredBy = "network"
	ByBrowser AnsweredBy = "browser" // its own error page
)

// Missing is something that a page needs and did not get.
type Missing struct {
	URL string // root-relative for the site's own origin
	Use markup.Use
	Why string
}

// Load is what came of opening a page.
type Load struct {
	URL        string // root-relative, after redirects
	Status     int    // 0 when the browser shows its own error page
	Title      string
	Digest     string // SHA-256 of the document's bytes, in hexadecimal
	AnsweredBy AnsweredBy
	Source     string // "store NAME", "network", or "" when the worker made the answer itself
	Controlled bool   // a worker controls the page
	Why        string // the reason chain when something is not whole
	File       string // of the worker's line that answered or failed
	Line       int
	Missing    []Missing // sorted
	Needs      int       // what the page asked for
	Parts      []Part    // the document and what it needs, when asked for with [Browser.KeepParts]
	Body       []byte    // of the document, when asked for with [Browser.KeepParts]

	Ran      bool          // the page's scripts ran; what follows was observed
	Text     string        // what the visitor reads
	Manifest string        // the address that the page links as its manifest by then, "" for none; root-relative for the site's own origin
	Shown    string        // where the page's own scripts have led the address, "" for nowhere
	Requests []PageRequest // sorted
	Errors   []PageError
	Launched *Launched // of an address that was opened as an app
	Unknown  []string  // origins that it asked for data or scripts, and of which nothing is known; sorted
}

// Part is a document or something that it needs, as the page got it.
type Part struct {
	URL    string // root-relative for the site's own origin
	Digest string // SHA-256 of its bytes, in hexadecimal
}

// Tab is a window of the browser.
type Tab struct {
	b          *Browser
	id         string // of the client
	url        string // absolute
	controller *worker
	Messages   []any   // what workers posted to the page
	loader     *loader // of what it shows
	looked     *Load   // what was given of it last
	led        int     // how often workers have led it elsewhere since it was opened
	history    []entry // of the session
	place      int     // in it
	session    map[string]string
}

// NewTab opens an empty tab.
func (b *Browser) NewTab() *Tab {
	t := &Tab{b: b}
	b.tabs = append(b.tabs, t)
	return t
}

// Position says which of the open tabs a tab is, -1 when it was closed.
func (b *Browser) Position(t *Tab) int { return slices.Index(b.tabs, t) }

// Close closes the tab; a waiting worker may become active.
func (t *Tab) Close() {
	for i, o := range t.b.tabs {
		if o == t {
			t.b.tabs = append(t.b.tabs[:i:i], t.b.tabs[i+1:]...)
			break
		}
	}
	t.controller = nil
	if d := t.document(); d != nil {
		d.leave()
	}
	for _, r := range t.b.regs {
		if r.waiting != nil {
			r.tryActivate()
		}
	}
}

// maxNeeds bounds what one page is allowed to ask for.
const maxNeeds = 5000

// Open navigates the tab to a root-relative or absolute URL and loads everything that the page needs.
func (t *Tab) Open(url string) (*Load, error) {
	abs, err := t.b.absolute(url)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	t.led = 0
	t.lead(abs, func() {})
	if !t.come() {
		t.loader.giveUp()
	}
	return t.look(), nil
}

// visitOptions say how a page is gone to.
type visitOptions struct {
	method, body, contentType string // of a form that is sent
	reload, replace, traverse bool
	past                      bool   // the reload goes past workers and caches
	done                      func() // called when the document is there
	launch                    *launch
}

// lead begins to load a page, in place of what the tab shows. done is called when it has the document.
func (t *Tab) lead(abs string, done func()) { t.visit(abs, visitOptions{done: done}) }

func (t *Tab) visit(abs string, o visitOptions) {
	referer := ""
	if t.loader != nil {
		t.loader.over = true
		if t.loader.page != nil {
			referer = t.loader.page.url
			t.loader.page.leave()
		}
	}
	if o.done == nil {
		o.done = func() {}
	}
	t.loader = &loader{b: t.b, tab: t, load: &Load{}, seen: map[string]bool{}, waiting: map[string]Missing{}, docURL: abs, arrived: o.done, options: o, referer: referer, began: t.b.loop.now}
	switch {
	case o.traverse:
	case o.replace && len(t.history) > 0 || o.reload && len(t.history) > 0:
		t.history[t.place] = entry{url: abs, state: "null"}
	default:
		t.history = append(t.history[:min(t.place+1, len(t.history))], entry{url: abs, state: "null"})
		t.place = len(t.history) - 1
	}
	t.loader.navigate(abs, "document", 0)
}

// come waits until the page is there, and says whether it came.
func (t *Tab) come() bool {
	for {
		switch {
		case t.b.loop.runUntil(t.loaded, giveUp):
			if !t.loader.late() {
				return true
			}
		case t.loader != nil && t.loader.run != nil:
			t.loader.run()
		default:
			return false
		}
	}
}

func (t *Tab) loaded() bool {
	return t.loader == nil || t.loader.done && t.loader.pending == 0 && (t.loader.page == nil || t.loader.page.settled())
}

func (t *Tab) look() *Load {
	l := t.loader.load
	if p := t.loader.page; p != nil {
		p.look(l)
	} else if t.loader.static && t.loader.options.launch != nil { // no script is there that could ask
		l.Launched = &Launched{}
	}
	sortRequests(l.Requests)
	sort.Slice(l.Missing, func(i, j int) bool { return l.Missing[i].URL < l.Missing[j].URL })
	t.looked = l
	return l
}

// Shown gives what the tab shows if a worker has led it to another page, or loaded it again, since it was looked at; nil
// otherwise.
func (t *Tab) Shown() *Load {
	if t.loader == nil || t.loader.load == t.looked {
		return nil
	}
	if !t.come() {
		t.loader.giveUp()
	}
	return t.look()
}

// maxLed is how often a worker may lead a tab elsewhere.
const maxLed = 20

// ledBy leads the tab to a URL for a worker (Service Workers, WindowClient.navigate). why is empty when it is led there.
func (t *Tab) ledBy(w *worker, abs string, done func()) (why string) {
	switch {
	case t.controller != w:
		return "This service worker is not the client's active service worker."
	case !strings.HasPrefix(abs, "http"):
		return "'" + abs + "' cannot navigate."
	}
	if t.led++; t.led > maxLed {
		w.b.remark(Remark{Kind: "limit", Message: fmt.Sprintf("the worker leads a page elsewhere (navigate) for the %dth time since it was opened: the visitor never comes to rest", t.led), File: w.b.Relative(w.url), URL: w.b.Relative(t.url)})
		return "Cannot navigate to URL: " + abs
	}
	w.b.trace(nil, "the worker leads the page to %s", w.b.Relative(abs))
	t.lead(abs, done)
	return ""
}

// giveUp is what a visitor does who has waited long enough.
func (l *loader) giveUp() {
	why := "the network does not answer in time"
	if len(l.b.hung) == 0 {
		why = "nothing answers it in time"
		if l.tab.controller != nil {
			why = "the worker took the request and does not answer it in time"
		}
	}
	if !l.done {
		l.load.URL, l.load.AnsweredBy, l.load.Why = l.b.Relative(l.docURL), ByBrowser, why
		l.tab.id, l.tab.controller, l.done = "", nil, true
	}
	for _, m := range l.waiting {
		m.Why = why
		l.load.Missing = append(l.load.Missing, m)
	}
	l.over = true
}

// Answer is what a fetch by a page's script gave.
type Answer struct {
	URL    string
	Result string // "answered" or "rejected"
	Status int
	Type   string // media type, without parameters, "" when rejected or opaque
	Source string // "store NAME", "network", or "" when the worker made the answer itself, or the stage does not know
	SHA256 string // of the body, "" when rejected or opaque
	Body   string // when it is not large
	By     AnsweredBy
	Why    string
}

// maxShown is how large a body may be to be given in an [Answer], in bytes.
const maxShown = 1 << 20

// Post sends a message as postMessage does, to the worker that controls the page, or to the one that waits to take over. It
// reports whether there is one.
func (t *Tab) Post(data any, waiting bool) bool {
	w := t.controller
	if waiting {
		w = nil
		if r := t.b.find(t.url); r != nil {
			w = r.waiting
		}
	}
	if w == nil {
		return false
	}
	source := map[string]any{"id": t.id, "url": t.url, "type": "window", "frameType": "top-level", "focused": true}
	t.b.loop.after(1, func() { w.event("message", func(*scriptError) {}, data, source) })
	return true
}

// Fetch lets the tab's page fetch a URL by script.
func (t *Tab) Fetch(url string) (*Answer, error) { return t.Send(Message{URL: url}) }

// Message is what a script of a page sends.
type Message struct {
	Method string // "" for GET
	URL    string // relative to the page
	Type   string // media type of the body
	Body   string
	Header [][2]string // further headers
}

// Send lets the tab's page send something by fetch().
func (t *Tab) Send(m Message) (*Answer, error) {
	url := m.URL
	if t.url != "" && t.id == "" {
		return &Answer{URL: url, Result: "rejected", Why: "the browser's error page fetches nothing"}, nil
	}
	base := t.url
	if base == "" {
		base = t.b.origin + "/"
	}
	abs, err := t.b.resolve(url, base)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	a := &Answer{URL: t.b.Relative(abs), Result: "rejected"}
	finished := false
	req := t.b.need(abs, markup.UseFetch, t.url)
	if m.Method != "" {
		req.method = strings.ToUpper(m.Method)
	}
	if m.Body != "" {
		req.body = &blob{data: []byte(m.Body)}
	}
	if m.Type != "" {
		req.headers = append(req.headers, [2]string{"content-type", m.Type})
	}
	for _, h := range m.Header {
		req.headers = append(req.headers, [2]string{strings.ToLower(h[0]), h[1]})
	}
	t.b.clientFetch(t, req, func(r reply) {
		if finished {
			return
		}
		finished = true
		a.By, a.Why = r.by, r.why
		if r.response != nil {
			a.Result, a.Status = "answered", r.response.status
			if r.response.kind == "opaque" {
				a.Status = 0
			} else {
				sum := sha256.Sum256(r.response.bytes())
				a.SHA256 = hex.EncodeToString(sum[:])
				a.Type, _, _ = strings.Cut(r.response.header("content-type"), ";")
				a.Type = strings.ToLower(strings.TrimSpace(a.Type))
				if r.response.body != nil {
					a.Source = r.response.body.from
				}
				if len(r.response.bytes()) <= maxShown {
					a.Body = string(r.response.bytes())
				}
			}
		}
	})
	if !t.b.loop.runUntil(func() bool { return finished }, giveUp) {
		finished = true
		a.Why = "nothing came in time"
	}
	return a, nil
}

// reply is how a request of a client ended.
type reply struct {
	response *response
	by       AnsweredBy
	why      string
	at       *scriptError
}

// clientFetch sends a request through the worker that controls the tab, or past it, and goes where the worker leads it.
func (b *Browser) clientFetch(t *Tab, req *request, done func(reply)) {
	b.clientFetchOn(t, req, 0, done)
}

func (b *Browser) clientFetchOn(t *Tab, req *request, hops int, finish func(reply)) {
	req.sent = b.loop.now
	done := func(r reply) {
		if r.by != ByWorker || r.response == nil || req.redirect != "follow" || !isRedirect(r.response.status) || r.response.header("location") == "" {
			if hops > 0 && r.response != nil && !r.response.redirected {
				led := *r.response
				led.redirected = true
				r.response = &led
			}
			finish(r)
			return
		}
		next, err := b.led(req, r.response)
		if err != nil || hops >= maxHops {
			finish(reply{by: ByBrowser, why: "the worker leads it on too often, or to no address", at: r.at})
			return
		}
		b.trace(r.at, "the worker leads it to %s", b.Relative(next.url))
		b.clientFetchOn(t, next, hops+1, finish)
	}
	direct := func(why string) {
		b.networkFetch(req, func(r *response, e netError) {
			if e != "" || r == nil {
				done(reply{by: ByBrowser, why: join(why, b.networkWord())})
				return
			}
			done(reply{response: r, by: ByNetwork, why: why})
		})
	}
	w := t.controller
	b.trace(nil, "the page asks for %s%s", b.Relative(req.url), asWhat(req))
	if req.destination == string(markup.UseObject) || req.destination == "embed" { // Service Workers, "Handle Fetch"
		b.trace(nil, "what is embedded is not asked of workers")
		direct("browsers do not ask the worker for what an object or embed element shows")
		return
	}
	if w == nil {
		b.trace(nil, "no worker controls the page")
		direct("no worker controls the page")
		return
	}
	b.workerFetch(w, req, t.id, "", direct, done)
}

func join(why, more string) string {
	if why == "" {
		return more
	}
	return why + ", and " + more
}

// networkWord says what the network does.
func (b *Browser) networkWord() string {
	switch b.network {
	case Offline:
		return "there is no network"
	case Slow:
		return "the network does not answer in time"
	}
	return "the server cannot be reached"
}

// workerFetch lets a worker handle a request, and checks its answer as the Fetch Standard does ("HTTP fetch").
func (b *Browser) workerFetch(w *worker, req *request, client, resulting string, direct func(string), done func(reply)) {
	if r := w.routeFor(req); r != nil {
		b.trace(nil, "a static route of the worker says: %s", r.source)
		switch r.source {
		case "network":
			direct("a static route of the worker sends it to the network")
			return
		case "cache":
			for _, s := range b.store.stores {
				if r.cache != "" && s.name != r.cache {
					continue
				}
				if found := s.match(req, matchOptions{}); len(found) > 0 {
					res := *found[0].res
					if res.body != nil {
						res.body = &blob{res.body.data, "store " + s.name}
					}
					done(reply{response: &res, by: ByWorker})
					return
				}
			}
			direct("a static route of the worker finds nothing stored")
			return
		case "race-network-and-fetch-handler":
			b.race(w, req, client, resulting, direct, done)
			return
		}
	}
	b.askWorker(w, req, client, resulting, direct, done)
}

// race asks network and worker at once; the first good answer counts, and one that is not good only when there is no other.
func (b *Browser) race(w *worker, req *request, client, resulting string, direct func(string), done func(reply)) {
	finished, lost := false, 0
	finish := func(r reply, good bool) {
		if lost++; !finished && (good || lost == 2) {
			finished = true
			done(r)
		}
	}
	b.networkFetch(req, func(r *response, e netError) {
		if e != "" || r == nil {
			finish(reply{by: ByBrowser, why: b.networkWord()}, false)
			return
		}
		finish(reply{response: r, by: ByNetwork}, r.status >= 200 && r.status < 300)
	})
	b.askWorker(w, req, client, resulting, func(why string) {
		if !finished {
			finished = true
			direct(why)
		}
	}, func(r reply) { finish(r, r.response != nil) })
}

// askWorker dispatches the fetch event.
func (b *Browser) askWorker(w *worker, req *request, client, resulting string, direct func(string), done func(reply)) {
	w.fetchEvent(req, client, resulting, func(h handled) {
		if h.kind == "none" {
			b.trace(h.at, "%s: it goes to the network", h.why)
			direct(h.why)
			return
		}
		fail := func(why string) {
			b.trace(h.at, "%s", why)
			done(reply{by: ByBrowser, why: why, at: h.at})
		}
		r := h.response
		switch {
		case h.kind == "error":
			fail("the worker's answer failed: " + h.why)
		case r.kind == "error":
			fail("the worker answered with a network error (Response.error)")
		case req.mode == "same-origin" && r.kind == "cors", req.mode != "no-cors" && r.kind == "opaque":
			fail("the worker answered with an " + r.kind + " response, which this request does not accept")
		case req.redirect != "manual" && r.kind == "opaqueredirect":
			fail("the worker answered with an opaque redirect, which this request does not accept")
		case req.redirect != "follow" && r.redirected:
			if h.at != nil {
				b.remark(Remark{Kind: "redirected", Message: "a navigation is answered with a response that was redirected, which browsers refuse: the visitor sees an error page", File: h.at.file, Line: h.at.line, Column: h.at.column, URL: b.Relative(req.url)})
			}
			fail("the worker answered a navigation with a response that was redirected, which browsers refuse")
		default:
			b.trace(h.at, "the worker answers: %s", describeResponse(r))
			done(reply{response: r, by: ByWorker, at: h.at})
		}
	})
}

// SameDocument says whether a URL leads to the same document as another, without regard to fragments.
func SameDocument(a, b string) bool {
	x, err := weburl.Parse(Origin + a)
	if err != nil {
		return false
	}
	y, err := weburl.Parse(Origin + b)
	return err == nil && x.Href(true) == y.Href(true)
}
