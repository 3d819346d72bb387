package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"sort"
	"strings"

	"github.com/dop251/goja"
	weburl "github.com/nlnwa/whatwg-url/url"

	"tachyform/internal/markup"
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
	Messages   []any // what workers posted to the page
}

// NewTab opens an empty tab.
func (b *Browser) NewTab() *Tab {
	t := &Tab{b: b}
	b.tabs = append(b.tabs, t)
	return t
}

// Close closes the tab; a waiting worker may become active.
func (t *Tab) Close() {
	for i, o := range t.b.tabs {
		if o == t {
			t.b.tabs = append(t.b.tabs[:i:i], t.b.tabs[i+1:]...)
			break
		}
	}
	t.controller = nil
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
	l := &loader{b: t.b, tab: t, load: &Load{}, seen: map[string]bool{}, waiting: map[string]Missing{}, docURL: abs}
	l.navigate(abs, "document", 0)
	if !t.b.loop.runUntil(func() bool { return l.done && l.pending == 0 }, giveUp) {
		if len(t.b.hung) == 0 && l.done {
			return nil, fmt.Errorf("%s: the page never came to the end of loading", url)
		}
		l.giveUp()
	}
	sort.Slice(l.load.Missing, func(i, j int) bool { return l.load.Missing[i].URL < l.load.Missing[j].URL })
	return l.load, nil
}

// giveUp is what a visitor does who has waited long enough.
func (l *loader) giveUp() {
	const why = "the network does not answer in time"
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

// clientFetch sends a request through the worker that controls the tab, or past it.
func (b *Browser) clientFetch(t *Tab, req *request, done func(reply)) {
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

// loader loads one page.
type loader struct {
	b       *Browser
	tab     *Tab
	load    *Load
	pending int
	done    bool
	seen    map[string]bool
	docURL  string
	waiting map[string]Missing // what is asked for and not there yet
	over    bool               // the visitor does not wait any longer
}

func (l *loader) navigate(url, dest string, hops int) {
	b := l.b
	if hops == 0 {
		b.nextTab++
	}
	id := fmt.Sprintf("client-%d", b.nextTab)
	req := &request{url: url, method: "GET", mode: "navigate", credentials: "include", cache: "default", redirect: "manual", destination: dest,
		headers: [][2]string{{"accept", "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8"}, {"upgrade-insecure-requests", "1"}}}
	b.trace(nil, "%s is opened", b.Relative(url))
	finish := func(r reply) {
		if r.response == nil {
			b.trace(r.at, "the browser shows its own error page: %s", r.why)
		}
		if r.response != nil && isRedirect(r.response.status) && r.response.header("location") != "" {
			to, err := b.resolve(r.response.header("location"), url)
			if err == nil && hops < 20 {
				if !strings.Contains(to, "#") {
					if i := strings.IndexByte(url, '#'); i >= 0 {
						to += url[i:]
					}
				}
				l.navigate(to, dest, hops+1)
				return
			}
			r = reply{by: ByBrowser, why: "too many redirects"}
		}
		l.document(url, id, r)
	}
	direct := func(why string) {
		b.networkFetch(req, func(r *response, e netError) {
			if e != "" || r == nil {
				finish(reply{by: ByBrowser, why: join(why, b.networkWord())})
				return
			}
			finish(reply{response: r, by: ByNetwork, why: why})
		})
	}
	reg := b.find(url)
	switch {
	case reg == nil && len(b.regs) > 0:
		direct("the page is outside the scope " + b.Relative(b.regs[0].scope) + " of the worker")
	case reg == nil:
		direct("no worker is registered")
	case reg.active == nil && reg.error != nil:
		direct("the worker did not install: " + reg.error.message)
	case reg.active == nil:
		direct("no worker is active yet")
	case reg.active.state == activating:
		b.waiters = append(b.waiters, func() { b.workerFetch(reg.active, req, "", id, direct, finish) })
	default:
		b.workerFetch(reg.active, req, "", id, direct, finish)
	}
}

// document takes the document's response and begins to load what it needs.
func (l *loader) document(url, id string, r reply) {
	if l.over {
		return
	}
	b, t := l.b, l.tab
	l.load.URL, l.load.AnsweredBy, l.load.Why = b.Relative(url), r.by, r.why
	if r.at != nil {
		l.load.File, l.load.Line = r.at.file, r.at.line
	}
	old := t.controller
	t.id, t.url, t.controller = id, url, nil
	l.docURL = url
	reg := b.find(url)
	if r.response == nil {
		t.id = ""
		l.leave(old)
		l.done = true
		return
	}
	if reg != nil && reg.active != nil {
		t.controller = reg.active
		l.load.Controlled = true
	}
	l.leave(old)
	if r.by == ByNetwork && r.response.status < 400 {
		l.load.Why = ""
	}
	body := r.response.bytes()
	l.load.Status = r.response.status
	if r.response.body != nil {
		l.load.Source = r.response.body.from
	}
	sum := sha256.Sum256(body)
	l.load.Digest = hex.EncodeToString(sum[:])
	if reg != nil && reg.active != nil && b.network == Online {
		defer b.loop.after(0, func() {}) // the update check comes after the load
	}
	if b.parts {
		l.load.Body = body
	}
	l.part(url, body)
	doc := b.docs.page(l.load.Digest, body)
	l.load.Title = doc.page.Title.Value
	base := url
	if doc.page.Base.Value != "" {
		if abs, err := b.resolve(doc.page.Base.Value, url); err == nil {
			base = abs
		}
	}
	for _, ref := range doc.refs {
		l.need(ref, base)
	}
	l.registrations(doc.registrations, base)
	l.done = true
	if reg != nil && b.network == Online && reg.active != nil {
		l.pending++
		b.loop.after(latency, func() { reg.update(); l.pending-- })
	}
}

// leave lets a waiting worker become active when this tab was the last one of the old.
func (l *loader) leave(old *worker) {
	if old != nil && old.reg.waiting != nil && l.tab.controller != old {
		old.reg.tryActivate()
	}
}

// wanted says whether a reference is something the page fetches by itself.
func wanted(ref markup.Ref) bool {
	switch ref.Use {
	case markup.UseLink, markup.UseRefresh, markup.UseIcon, markup.UseManifest:
		return false
	case markup.UseFetch:
		return ref.Method == ""
	case markup.UseModule, markup.UseFont:
		return !ref.Lazy
	}
	return true
}

// need loads one thing, and then what that needs.
func (l *loader) need(ref markup.Ref, base string) {
	if !wanted(ref) || len(l.seen) > maxNeeds {
		return
	}
	if ref.Use == markup.UseModule && !strings.HasPrefix(ref.URL, ".") && !strings.HasPrefix(ref.URL, "/") && !strings.Contains(ref.URL, ":") && base != l.docURL {
		return // a bare specifier, which an import map may resolve
	}
	abs, err := l.b.resolve(strings.TrimSpace(ref.URL), base)
	if err != nil || !strings.HasPrefix(abs, "http") {
		return
	}
	abs = withoutFragment(abs)
	key := string(ref.Use) + " " + abs
	if l.seen[key] || abs == withoutFragment(l.docURL) {
		return
	}
	l.seen[key] = true
	l.load.Needs++
	l.pending++
	l.waiting[key] = Missing{URL: l.b.Relative(abs), Use: ref.Use}
	l.b.clientFetch(l.tab, l.b.need(abs, ref.Use, l.docURL), func(r reply) {
		if l.over {
			return
		}
		delete(l.waiting, key)
		defer func() { l.pending-- }()
		if why := l.b.unusable(ref.Use, r); why != "" {
			l.load.Missing = append(l.load.Missing, Missing{URL: l.b.Relative(abs), Use: ref.Use, Why: why})
			return
		}
		if r.response.kind == "opaque" {
			return
		}
		l.part(abs, r.response.bytes())
		from := abs
		if r.response.url != "" {
			from = r.response.url
		}
		switch ref.Use {
		case markup.UseStyle:
			for _, next := range l.b.docs.style(r.response.bytes()) {
				l.need(next, from)
			}
		case markup.UseScript, markup.UseModule:
			facts := l.b.docs.script(r.response.bytes())
			for _, next := range facts.Refs {
				at := from
				if next.Use != markup.UseModule {
					at = l.docURL
				}
				l.need(next, at)
			}
			l.registrations(regs{facts.Registrations, from}, l.docURL)
		}
	})
}

// part notes what the page got.
func (l *loader) part(url string, body []byte) {
	if l.b.parts {
		sum := sha256.Sum256(body)
		l.load.Parts = append(l.load.Parts, Part{l.b.Relative(url), hex.EncodeToString(sum[:])})
	}
}

// unusable says why an answer does not serve a page, "" when it does.
func (b *Browser) unusable(use markup.Use, r reply) string {
	switch {
	case r.response == nil:
		return r.why
	case r.response.kind == "opaque":
		return ""
	case r.response.status >= 400:
		return fmt.Sprintf("answered with status %d by the %s", r.response.status, r.by)
	}
	t := strings.ToLower(r.response.header("content-type"))
	essence, _, _ := strings.Cut(t, ";")
	essence = strings.TrimSpace(essence)
	switch {
	case use == markup.UseStyle && essence != "text/css" && essence != "":
		return "answered with " + essence + " instead of a style sheet by the " + string(r.by)
	case use == markup.UseModule && !isScriptType(t):
		return "answered with " + essence + " instead of a script by the " + string(r.by)
	case (use == markup.UseImage || use == markup.UseScript || use == markup.UseFont) && essence == "text/html":
		return "answered with a page instead of the " + string(use) + " by the " + string(r.by)
	}
	return ""
}

// need makes the request by which a page asks for something.
func (b *Browser) need(url string, use markup.Use, referrer string) *request {
	r := &request{url: url, method: "GET", mode: "no-cors", credentials: "include", cache: "default", redirect: "follow", referrer: referrer,
		destination: string(use), headers: [][2]string{{"accept", "*/*"}}}
	switch use {
	case markup.UseModule:
		r.mode, r.credentials, r.destination = "cors", "same-origin", "script"
	case markup.UseFont:
		r.mode, r.credentials = "cors", "same-origin"
	case markup.UseFetch:
		r.mode, r.credentials, r.destination = "cors", "same-origin", "fetch"
	case markup.UseFrame:
		r.mode, r.redirect = "navigate", "manual"
	case markup.UsePreload:
		r.destination = ""
	case markup.UseStyle:
		r.headers[0][1] = "text/css,*/*;q=0.1"
	case markup.UseImage:
		r.headers[0][1] = "image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8"
	case markup.UseAudio, markup.UseVideo:
		r.headers = append(r.headers, [2]string{"range", "bytes=0-"})
	}
	return r
}

type regs struct {
	list []markup.Registration
	from string // the script they stand in, "" for the page
}

// registrations performs the calls of navigator.serviceWorker.register that the page's scripts hold.
func (l *loader) registrations(r regs, base string) {
	for _, reg := range r.list {
		if !reg.Known {
			l.b.remark(Remark{Kind: "register", Message: "a worker is registered under a URL that is computed while the page runs; it is not known here", URL: l.b.Relative(l.docURL)})
			continue
		}
		at := base
		if reg.Relative && r.from != "" {
			at = r.from
		}
		script, err := l.b.resolve(reg.URL, at)
		if err != nil {
			continue
		}
		scope := ""
		if reg.Scope != "" {
			if scope, err = l.b.resolve(reg.Scope, base); err != nil {
				continue
			}
		}
		l.pending++
		l.b.loop.after(1, func() { // registration waits for the page's load
			l.b.register(script, scope, reg.Module, func(error) { l.pending-- })
		})
	}
}

// readCache remembers what pages, style sheets and scripts refer to, by their bytes.
type readCache struct {
	pages    map[string]*readPage
	styles   map[[32]byte][]markup.Ref
	scripts  map[[32]byte]markup.ScriptFacts
	programs map[string]*goja.Program
}

type readPage struct {
	page          *markup.Page
	refs          []markup.Ref
	registrations regs
}

func newReadCache() *readCache {
	return &readCache{map[string]*readPage{}, map[[32]byte][]markup.Ref{}, map[[32]byte]markup.ScriptFacts{}, map[string]*goja.Program{}}
}

// maxRead bounds each part of the cache, in entries.
const maxRead = 4096

func (c *readCache) page(digest string, body []byte) *readPage {
	if p, ok := c.pages[digest]; ok {
		return p
	}
	p := &readPage{page: markup.ReadPage(body)}
	p.refs = p.page.Refs
	for _, s := range p.page.Styles {
		p.refs = append(p.refs, markup.StyleRefs(s.Source, s.Offset)...)
	}
	for _, s := range p.page.Scripts {
		f := c.script(s.Source)
		p.refs = append(p.refs, f.Refs...)
		p.registrations.list = append(p.registrations.list, f.Registrations...)
	}
	if len(c.pages) < maxRead {
		c.pages[digest] = p
	}
	return p
}

func (c *readCache) style(body []byte) []markup.Ref {
	k := sha256.Sum256(body)
	r, ok := c.styles[k]
	if !ok {
		r = markup.StyleRefs(body, 0)
		if len(c.styles) < maxRead {
			c.styles[k] = r
		}
	}
	return r
}

func (c *readCache) script(body []byte) markup.ScriptFacts {
	k := sha256.Sum256(body)
	f, ok := c.scripts[k]
	if !ok {
		f = markup.ReadScript(body, 0)
		if len(c.scripts) < maxRead {
			c.scripts[k] = f
		}
	}
	return f
}

func (c *readCache) program(name, src string) (*goja.Program, error) {
	sum := sha256.Sum256([]byte(src))
	k := name + "\x00" + string(sum[:])
	if p, ok := c.programs[k]; ok {
		return p, nil
	}
	p, err := compile(name, src)
	var se *scriptError
	if err != nil && !errors.As(err, &se) {
		err = &scriptError{message: err.Error(), file: name}
	}
	if err == nil && len(c.programs) < maxRead {
		c.programs[k] = p
	}
	return p, err
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
