package stage

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/markup"
)

// loader loads one page.
type loader struct {
	b       *Browser
	tab     *Tab
	load    *Load
	began   float64 // in ms of the virtual clock
	pending int
	done    bool
	seen    map[string]bool
	docURL  string
	waiting map[string]Missing // what is asked for and not there yet
	over    bool               // nobody waits for it any longer
	arrived func()             // called when the document is there
	options visitOptions
	referer string
	page    *document     // the page that runs, nil when its scripts do not
	static  bool          // no script has anything to do with what it shows
	source  func() string // the document as text
	run     func()        // runs a page after all of which what came of it before was taken; nil when there is none, or it came

	sheets    []*readSheet
	styleRefs []styleRef // that are not asked for yet
}

func (l *loader) navigate(url, dest string, hops int) {
	b := l.b
	if hops == 0 {
		b.nextTab++
	}
	id, before := fmt.Sprintf("client-%d", b.nextTab), l.tab.id // measured in Chromium: the page that is left is the client
	req := &request{url: url, method: "GET", mode: "navigate", credentials: "include", cache: "default", redirect: "manual", destination: dest,
		headers: [][2]string{{"accept", "text/html,application/xhtml+xml,application/xml;q=0.9,*/*;q=0.8"}, {"upgrade-insecure-requests", "1"}}}
	if o := l.options; o.method != "" && hops == 0 {
		req.method, req.body = o.method, &blob{data: []byte(o.body)}
		req.headers = append(req.headers, [2]string{"content-type", o.contentType})
	}
	req.reload = l.options.reload
	req.referrer = l.referer
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
	case l.options.past:
		req.cache = "reload"
		direct("the visitor reloads past the worker")
	case reg == nil && len(b.regs) > 0:
		direct("the page is outside the scope " + b.Relative(b.regs[0].scope) + " of the worker")
	case reg == nil:
		direct("no worker is registered")
	case reg.active == nil && reg.error != nil:
		direct("the worker did not install: " + reg.error.message)
	case reg.active == nil:
		direct("no worker is active yet")
	case reg.active.state == activating:
		b.waiters = append(b.waiters, func() { b.workerFetch(reg.active, req, before, id, direct, finish) })
	default:
		b.workerFetch(reg.active, req, before, id, direct, finish)
	}
}

// document takes the document's response and begins to load what it needs.
func (l *loader) document(url, id string, r reply) {
	if l.over {
		return
	}
	b, t := l.b, l.tab
	defer b.loop.after(0, l.arrived)
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
		l.updates(reg) // a worker that fails is replaced like another one
		return
	}
	if reg != nil && reg.active != nil && !l.options.past { // Service Workers, "Handle Fetch": a forced reload has no controller
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
	l.source = func() string { return markup.Decode(body, r.response.header("content-type")) }
	if b.scripts && isPage(r.response) {
		if len(t.history) > 0 {
			t.history[t.place].url = url
		}
		source := l.source()
		l.done = true
		if inert(body) {
			l.static = true
			l.load.Text, l.load.Ran = textOf(source), true
		} else {
			key := ""
			if b.again && l.options.launch == nil {
				key = l.key(url)
			}
			run := func() {
				l.page = newDocument(l, url, source)
				l.page.referer, l.page.key = l.referer, key
				if len(t.history) > 0 {
					t.history[t.place].document = l.page
				}
				l.pending++
				b.loop.after(0, func() {
					l.pending--
					l.page.run()
				})
			}
			b.docs.mu.Lock()
			before := b.docs.ran[key]
			b.docs.mu.Unlock()
			if key != "" && before != nil {
				l.replay(before, run)
			} else {
				run()
			}
			l.updates(reg)
			return
		}
	}
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
	for i, s := range doc.styles {
		l.styles(s, base, doc.page.Styles[i].Media)
	}
	l.registrations(doc.registrations, base)
	b.unread(doc.unread, url, body)
	l.done = true
	l.updates(reg)
}

// unread remarks on what a script does that was read and not run: each kind once, at its first place.
func (b *Browser) unread(list []markup.Unread, url string, src []byte) {
	if strings.HasPrefix(string(src[:min(len(src), 16)]), "// Tachyform ") {
		return
	}
	for _, kind := range []struct {
		message   bool
		kind, one string
		more      string
	}{
		{false, "unread-request", "the script was read and not run: it asks for an address that is put together while it runs, and what comes of that was not tried", "the script was read and not run: it asks for %d addresses that are put together while it runs, and what comes of that was not tried"},
		{true, "unread-message", "the script was read and not run: it posts a message to a worker, and what the worker does then was not seen", "the script was read and not run: it posts messages to a worker in %d places, and what the worker does then was not seen"},
	} {
		first, n := 0, 0
		for _, u := range list {
			if u.Message == kind.message {
				if n++; n == 1 {
					first = u.Offset
				}
			}
		}
		if n == 0 || b.read[kind.kind+url] {
			continue
		}
		b.read[kind.kind+url] = true
		text := kind.one
		if n > 1 {
			text = fmt.Sprintf(kind.more, n)
		}
		line, column := markup.Position(src, first)
		b.remark(Remark{Kind: kind.kind, Message: text, File: b.Relative(url), Line: line, Column: column})
	}
}

// updates looks for a new worker after a navigation (Service Workers, "Soft Update").
func (l *loader) updates(reg *registration) {
	if reg != nil && l.b.network == Online && reg.active != nil {
		l.pending++
		l.b.loop.after(latency, func() { reg.update(); l.pending-- })
	}
}

// isPage says whether an answer is a document that is parsed as HTML.
func isPage(r *response) bool {
	t, _, _ := strings.Cut(strings.ToLower(r.header("content-type")), ";")
	t = strings.TrimSpace(t)
	return t == "text/html" || t == "application/xhtml+xml" || t == ""
}

// expect notes that something is asked for, and what it is then known by.
func (l *loader) expect(req *request, use markup.Use) (key string) {
	l.load.Needs++
	key = string(use) + " " + req.method + " " + withoutFragment(req.url)
	l.waiting[key] = Missing{URL: l.b.Relative(withoutFragment(req.url)), Use: use}
	return key
}

// request asks for something that a running page needs. why says why it cannot be used.
func (l *loader) request(req *request, use markup.Use, done func(r reply, why string)) {
	if l.options.past && req.cache == "default" {
		req.cache = "reload"
	}
	key := l.expect(req, use)
	l.pending++
	l.b.clientFetch(l.tab, req, l.inTurn(func(r reply) {
		delete(l.waiting, key)
		if l.page != nil {
			l.page.trail = append(l.page.trail, askedFor{use, *req, answered(r)})
		}
		l.noteRequest(req, use, r)
		why := l.b.unusable(use, req, r)
		if why != "" {
			l.miss(req.url, use, why)
		} else if r.response.kind != "opaque" {
			l.part(withoutFragment(req.url), r.response.bytes())
		}
		l.pending--
		if l.page == nil || !l.page.over {
			done(r, why)
		}
	}))
}

// inTurn gives an answer to the page in a task of its own, and not inside of what the worker is doing.
func (l *loader) inTurn(f func(reply)) func(reply) {
	return func(r reply) {
		l.b.loop.after(0, func() {
			if !l.over {
				f(r)
			}
		})
	}
}

func (l *loader) miss(url string, use markup.Use, why string) {
	m := Missing{URL: l.b.Relative(withoutFragment(url)), Use: use, Why: why}
	if len(l.load.Missing) < maxNeeds && !slices.Contains(l.load.Missing, m) {
		l.load.Missing = append(l.load.Missing, m)
	}
}

// noteRequest keeps what became of a request of a running page.
func (l *loader) noteRequest(req *request, use markup.Use, r reply) {
	if u, err := l.b.addresses.parse(req.url, ""); err == nil && r.response != nil && r.response.unknown && (use == markup.UseFetch || use == markup.UseScript || use == markup.UseModule) {
		if i, known := slices.BinarySearch(l.load.Unknown, u.origin); !known {
			l.load.Unknown = slices.Insert(l.load.Unknown, i, u.origin)
		}
	}
	if len(l.load.Requests) >= maxRequests || req.keepalive && req.mode == "no-cors" { // a beacon
		return
	}
	p := PageRequest{URL: l.b.Relative(withoutFragment(req.url)), Method: req.method, Use: use, Result: "rejected", AnsweredBy: r.by,
		Sent: req.sent - l.began, Took: l.b.loop.now - req.sent}
	if r.response != nil {
		p.Result, p.Source, p.Bytes = "answered", r.response.body.from, int64(len(r.response.bytes()))
		if r.response.kind != "opaque" {
			p.Status = r.response.status
		}
	}
	l.load.Requests = append(l.load.Requests, p)
}

// leave lets a waiting worker become active when this tab was the last one of the old.
func (l *loader) leave(old *worker) {
	if old != nil && old.reg.waiting != nil && l.tab.controller != old {
		old.reg.tryActivate()
	}
}

// wanted says whether a reference is something the page fetches by itself.
func wanted(ref markup.Ref) bool {
	if ref.Spare || ref.Dense { // the stage's screen has one pixel for each CSS px
		return false
	}
	switch ref.Use {
	case markup.UseLink, markup.UseRefresh, markup.UseIcon, markup.UseManifest:
		return false
	case markup.UseFetch:
		return ref.Method == ""
	case markup.UseModule:
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
	if ref.Use == markup.UsePrefetch {
		l.prefetch(abs)
		return
	}
	l.load.Needs++
	l.pending++
	l.waiting[key] = Missing{URL: l.b.Relative(abs), Use: ref.Use}
	digest := ref.Digest
	if ref.Use != markup.UseScript && ref.Use != markup.UseModule && ref.Use != markup.UseStyle {
		digest = "" // what is fetched ahead is checked when it is used
	}
	req := l.b.need(abs, ref.Use, l.docURL).as(ref.CORS, digest)
	l.b.clientFetch(l.tab, req, func(r reply) {
		if l.over {
			return
		}
		delete(l.waiting, key)
		defer func() { l.pending-- }()
		if l.page != nil || l.static {
			if l.page != nil {
				l.page.trail = append(l.page.trail, askedFor{ref.Use, *req, answered(r)})
			}
			l.noteRequest(req, ref.Use, r)
		}
		if why := l.b.unusable(ref.Use, req, r); why != "" {
			l.load.Missing = append(l.load.Missing, Missing{URL: l.b.Relative(abs), Use: ref.Use, Why: why})
			return
		}
		if r.response.kind == "opaque" && (ref.Use != markup.UseStyle || r.response.unknown) {
			return
		}
		l.part(abs, r.response.bytes())
		from := abs
		if r.response.url != "" {
			from = r.response.url
		}
		switch ref.Use {
		case markup.UseStyle:
			l.styles(l.b.docs.style(r.response.bytes()), from, ref.Media)
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
			l.b.unread(facts.Unread, from, r.response.bytes())
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
func (b *Browser) unusable(use markup.Use, req *request, r reply) string {
	switch {
	case r.response == nil:
		return r.why
	case r.response.kind == "opaque" && r.response.unknown:
		return ""
	case r.response.status >= 400: // of opaque ones, too: only scripts do not see it
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
	case !r.response.fits(req.integrity):
		if r.response.kind == "opaque" {
			return "its integrity cannot be checked, since it is asked for without crossorigin"
		}
		return "its bytes are not those that the page's integrity names"
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
	case markup.UsePreload, markup.UsePrefetch:
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

// as has an element's attributes crossorigin ("" without it) and integrity apply (HTML Standard, "create a potential-CORS request").
func (r *request) as(cors, integrity string) *request {
	r.integrity = integrity
	switch cors {
	case "anonymous":
		r.mode, r.credentials = "cors", "same-origin"
	case "use-credentials":
		r.mode, r.credentials = "cors", "include"
	}
	return r
}

// prefetch asks for something that may come next (HTML Standard, "Link type prefetch"). Nothing waits for it, and it is no part of the page.
func (l *loader) prefetch(abs string) {
	req := l.b.need(abs, markup.UsePrefetch, l.docURL)
	req.headers = append(req.headers, [2]string{"sec-purpose", "prefetch"}) // which workers see
	l.b.loop.after(1, func() {
		if !l.over {
			l.b.clientFetch(l.tab, req, func(reply) {})
		}
	})
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
			l.b.register(script, scope, reg.Module, cmp.Or(reg.ViaCache, "imports"), func(error) { l.pending-- })
		})
	}
}
