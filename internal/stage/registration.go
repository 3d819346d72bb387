package stage

import (
	"cmp"
	"strings"
)

// registration ties a scope to workers (Service Workers, section 2.2).
type registration struct {
	b                           *Browser
	scope, script               string
	module                      bool
	viaCache                    string  // updateViaCache: "imports", "all" or "none"
	checked                     float64 // when an update was last looked for, in ms of the virtual clock
	installing, waiting, active *worker
	busy                        int // events in progress
	syncTags                    []string
	syncing                     map[string]bool // tags whose event is going on
	preload                     bool            // navigations are asked of the network while the worker starts
	preloadValue                string          // of the header that says so, "" for "true"
	error                       *scriptError    // of the last failed registration or install
	notes                       []Notification  // that are shown, the last at the end
	unknown                     *scriptError    // what the worker threw, which imports a script of which nothing is known
}

// Registration says what came of a page's call of register.
type Registration struct {
	URL, Scope string // root-relative
	State      string // "none", "failed", "waiting", "activated", or "not known" when it needs a script of which nothing is known here
	Error      string
	File       string
	Line       int
	Column     int
}

// Registrations gives the state of every registration, by scope.
func (b *Browser) Registrations() []Registration {
	var out []Registration
	for _, r := range b.regs {
		x := Registration{URL: b.Relative(r.script), Scope: b.Relative(r.scope)}
		switch {
		case r.unknown != nil:
			x.State = "not known"
		case r.waiting != nil:
			x.State = "waiting"
		case r.active != nil:
			x.State = "activated"
		case r.error != nil:
			x.State = "failed"
		default:
			x.State = "none"
		}
		if e := cmp.Or(r.unknown, r.error); e != nil {
			x.Error, x.File, x.Line, x.Column = e.message, e.file, e.line, e.column
		}
		out = append(out, x)
	}
	return out
}

// find gives the registration with the longest scope that a URL begins with ("match service worker registration").
func (b *Browser) find(url string) *registration {
	var best *registration
	for _, r := range b.regs {
		if strings.HasPrefix(withoutFragment(url), r.scope) && (best == nil || len(r.scope) > len(best.scope)) {
			best = r
		}
	}
	return best
}

// register is the call of a page. The URLs are absolute; scope is "" for the default.
func (b *Browser) register(script, scope string, module bool, viaCache string, done func(error)) {
	fail := func(message string) {
		if r := b.known(scopeOr(scope, script)); r != nil && r.newest() != nil && r.newest().url == script { // it is there, and works on: only the promise is rejected
			done(&scriptError{message: message, file: b.Relative(script)})
			return
		}
		r := b.registrationFor(scopeOr(scope, script))
		if r.script == "" {
			r.script = script
		}
		r.error = &scriptError{message: message, file: b.Relative(script)}
		b.remark(Remark{Kind: "register", Message: message, URL: b.Relative(script)})
		done(r.error)
	}
	if b.workerless {
		done(&scriptError{message: "no worker is wanted here", file: b.Relative(script)})
		return
	}
	if !strings.HasPrefix(script, b.origin+"/") {
		fail("the worker's script is on another origin, which browsers refuse")
		return
	}
	scope = scopeOr(scope, script)
	if !strings.HasPrefix(scope, b.origin+"/") {
		fail("the scope is on another origin, which browsers refuse")
		return
	}
	if reg := b.known(scope); reg != nil {
		if w := reg.newest(); w != nil && w.url == script && w.module == module && reg.viaCache == viaCache {
			done(nil) // the same worker again: nothing is fetched; updates are looked for after navigations
			return
		}
	}
	mode := "no-cache"
	if viaCache == "all" {
		mode = "default"
	}
	b.fetchScript(script, mode, func(r *response, message string) {
		if message != "" {
			fail(message)
			return
		}
		allowed := folder(script)
		if h := r.header("service-worker-allowed"); h != "" {
			if a, err := b.resolve(h, script); err == nil {
				allowed = a
			}
		}
		if !strings.HasPrefix(scope, allowed) {
			fail("the scope " + b.Relative(scope) + " is wider than the folder of the script allows (" + b.Relative(allowed) +
				"); send the header Service-Worker-Allowed or move the script")
			return
		}
		reg := b.registrationFor(scope)
		same := reg.newest() != nil && reg.script == script && reg.module == module && reg.newest().scripts[script] == string(r.bytes())
		reg.script, reg.module, reg.viaCache, reg.checked = script, module, viaCache, b.loop.now
		if same { // only how updates are looked for is another
			done(nil)
			return
		}
		reg.install(string(r.bytes()), done)
	})
}

func scopeOr(scope, script string) string {
	if scope == "" {
		return folder(script)
	}
	return withoutFragment(scope)
}

func folder(u string) string {
	u = withoutSearch(withoutFragment(u))
	return u[:strings.LastIndexByte(u, '/')+1]
}

// known finds the registration of exactly this scope.
func (b *Browser) known(scope string) *registration {
	for _, r := range b.regs {
		if r.scope == scope {
			return r
		}
	}
	return nil
}

func (b *Browser) registrationFor(scope string) *registration {
	if r := b.known(scope); r != nil {
		return r
	}
	r := &registration{b: b, scope: scope}
	b.regs = append(b.regs, r)
	return r
}

func (r *registration) newest() *worker {
	switch {
	case r.installing != nil:
		return r.installing
	case r.waiting != nil:
		return r.waiting
	}
	return r.active
}

// aDay is how long an update may be looked for in the HTTP cache, in ms (Service Workers, "stale").
const aDay = 24 * 3600 * 1000.0

// cacheMode is how a script is asked for when an update is looked for (Service Workers, "Update").
func (r *registration) cacheMode(main bool) string {
	if r.b.loop.now-r.checked > aDay || r.viaCache == "none" || main && r.viaCache != "all" {
		return "no-cache"
	}
	return "default"
}

// imported gives a script that the worker imports, through the HTTP cache as far as the registration lets it.
func (r *registration) imported(url string) *response {
	req := &request{url: url, method: "GET", mode: "no-cors", cache: r.cacheMode(false)}
	if kept := r.b.http.get(r.b, req); kept != nil {
		return kept
	}
	a := r.b.serve(req)
	if a != nil {
		r.b.http.put(r.b, req, a)
	}
	return a
}

// fetchScript fetches a worker's main script, by default past the HTTP cache.
func (b *Browser) fetchScript(url, mode string, done func(*response, string)) {
	req := &request{url: url, method: "GET", mode: "same-origin", credentials: "same-origin", cache: mode, redirect: "error",
		destination: "serviceworker", headers: [][2]string{{"accept", "*/*"}, {"service-worker", "script"}}}
	if kept := b.http.get(b, req); kept != nil {
		b.loop.after(1, func() { done(kept, "") })
		return
	}
	b.networkFetch(req, func(r *response, e netError) {
		if e == "" && r != nil {
			b.http.put(b, req, r)
		}
		switch {
		case e != "" || r == nil:
			done(nil, "the worker's script "+b.Relative(url)+" cannot be fetched")
		case r.status < 200 || r.status > 299:
			done(nil, "the worker's script "+b.Relative(url)+" is answered with status "+itoa(r.status))
		case !isScriptType(r.header("content-type")):
			done(nil, "the worker's script "+b.Relative(url)+" is sent as "+r.header("content-type")+", which is not JavaScript")
		default:
			done(r, "")
		}
	})
}

// install makes a new worker and takes it through install (Service Workers, "Install").
func (r *registration) install(source string, done func(error)) {
	w := &worker{realm: realm{b: r.b, url: r.script}, reg: r, module: r.module, state: parsed, scripts: map[string]string{r.script: source}}
	if err := w.start(); err != nil {
		e := asScriptError(err)
		if r.lacks(w, e) {
			r.error = r.unknown
			done(r.error)
			return
		}
		r.error = &scriptError{message: "the worker's script threw while it was first run: " + e.message, file: e.file, line: e.line, column: e.column}
		r.b.remark(Remark{Kind: "register", Message: r.error.message, File: e.file, Line: e.line, Column: e.column})
		done(r.error)
		return
	}
	if r.installing != nil {
		r.installing.redundant()
	}
	r.installing = w
	w.become(installing)
	r.b.eachPage(func(t *Tab) bool { return r.b.find(t.url) == r }, "updatefound", r.scope)
	w.lifecycle("install", func(e *scriptError) {
		if r.installing != w {
			return
		}
		r.installing = nil
		if e != nil {
			w.redundant()
			if r.lacks(w, e) {
				r.error = r.unknown
				return
			}
			m := "the install event failed: " + e.message
			if w.addAll != "" {
				m += " (" + w.addAll + ")"
			}
			r.error = &scriptError{message: m, file: e.file, line: e.line, column: e.column}
			r.b.remark(Remark{Kind: "install", Message: m, File: e.file, Line: e.line, Column: e.column})
			return
		}
		r.error = nil
		if r.waiting != nil {
			r.waiting.redundant()
		}
		r.waiting = w
		w.become(installed)
		r.tryActivate()
	})
	done(nil)
}

// lacks says whether a worker may have thrown because it imports a script of another origin of which nothing is known here, and notes that.
func (r *registration) lacks(w *worker, e *scriptError) bool {
	if w.unknown == "" {
		return false
	}
	if r.unknown == nil {
		r.unknown = &scriptError{message: "it imports " + w.unknown + ", of which nothing is known here, and fails without it (" + e.message + ")", file: e.file, line: e.line, column: e.column}
		r.b.remark(Remark{Kind: "unknown-script", Message: "the worker imports " + w.unknown + ", of which nothing is known here: what it does cannot be told", File: e.file, Line: e.line, Column: e.column})
	}
	return true
}

func (w *worker) redundant() {
	w.become(redundant)
	w.stop()
}

// pending says whether an event of the worker is going on, as long as a browser lets one.
func (w *worker) pending() bool {
	for _, d := range w.events {
		if w.b.loop.now < d.began+maxEvent {
			return true
		}
	}
	return false
}

// tryActivate activates the waiting worker when nothing is controlled by the active one, or when it asked to skip
// waiting ("Try Activate").
func (r *registration) tryActivate() {
	w := r.waiting
	if w == nil || r.active != nil && r.active.state == activating {
		return
	}
	if r.active != nil && !w.skip && r.controls() {
		return
	}
	old := r.active
	if old != nil && old.pending() { // its events end before ("Service Worker Has No Pending Events")
		return
	}
	r.waiting, r.active = nil, w
	w.become(activating)
	if old != nil {
		old.redundant()
		for _, t := range r.b.tabs {
			if t.controller == old {
				t.controlledBy(w)
			}
		}
	}
	w.lifecycle("activate", func(*scriptError) { // a failing activate does not hinder activation
		if w.state != activating {
			return
		}
		w.become(activated)
		waiters := r.b.waiters
		r.b.waiters = nil
		for _, f := range waiters {
			f()
		}
		r.tryActivate()
	})
}

// controls says whether some tab is controlled by the active worker.
func (r *registration) controls() bool {
	for _, t := range r.b.tabs {
		if t.controller != nil && t.controller == r.active {
			return true
		}
	}
	return false
}

// update fetches the script again and installs it when a byte differs ("Soft Update").
func (r *registration) update() {
	newest := r.newest()
	if newest == nil {
		return
	}
	b := r.b
	r.busy++
	mode := r.cacheMode(true)
	b.fetchScript(r.script, mode, func(res *response, message string) {
		r.busy--
		if message != "" {
			b.remark(Remark{Kind: "update", Message: message, URL: b.Relative(r.script)})
			return
		}
		changed := newest.scripts[r.script] != string(res.bytes())
		for url, src := range newest.scripts {
			if url == r.script || changed {
				continue
			}
			if b.network != Online {
				continue
			}
			if a := r.imported(url); a != nil && a.status == 200 && string(a.bytes()) != src {
				changed = true
			}
		}
		if mode == "no-cache" { // what the cache gives is no look at the server
			r.checked = b.loop.now
		}
		if changed && r.newest() == newest {
			r.install(string(res.bytes()), func(error) {})
		}
	})
}
