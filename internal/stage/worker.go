package stage

import (
	"errors"
	"strings"

	"github.com/dop251/goja"
)

// state of a worker (Service Workers, section 2.1).
type state string

const (
	parsed     state = "parsed"
	installing state = "installing"
	installed  state = "installed"
	activating state = "activating"
	activated  state = "activated"
	redundant  state = "redundant"
)

// worker is one service worker with the scripts it was installed with. Its globals live only while it runs.
type worker struct {
	b       *Browser
	reg     *registration
	url     string // of the script
	module  bool
	scripts map[string]string // by URL: the script and what it imported
	state   state
	skip    bool            // skipWaiting was called
	listens map[string]bool // event types with listeners after the first run
	preload bool
	routes  []route         // static routes, in their order
	filled  map[string]bool // stores that it put something into while it installed

	vm      *goja.Runtime
	hooks   map[string]goja.Callable
	timers  map[int64]*task
	lastID  int64
	running int // generation, to drop callbacks of an ended run
	loading bool
	respond *scriptError // where respondWith was called last
	failed  *scriptError // exception of the event being handled
	addAll  string       // URL that addAll failed with last
}

// stop ends a running worker; its globals are lost.
func (w *worker) stop() {
	w.vm, w.hooks = nil, nil
	w.running++
	for _, t := range w.timers {
		t.dead = true
	}
	w.timers = nil
}

// start runs the worker's script in fresh globals unless it is running already.
func (w *worker) start() error {
	if w.vm != nil {
		return nil
	}
	w.b.trace(nil, "the worker %s is started, with fresh globals", w.b.Relative(w.url))
	p, err := prelude()
	if err != nil {
		return err
	}
	vm := goja.New()
	vm.SetMaxCallStackSize(2000)
	vm.SetTimeSource(w.b.loop.time)
	seed := uint64(88172645463325252)
	vm.SetRandSource(func() float64 { // xorshift: the same numbers in every rehearsal
		seed ^= seed << 13
		seed ^= seed >> 7
		seed ^= seed << 17
		return float64(seed>>11) / (1 << 53)
	})
	w.vm, w.timers, w.hooks = vm, map[int64]*task{}, map[string]goja.Callable{}
	w.listens = map[string]bool{}
	w.loading = true
	defer func() { w.loading = false }()
	v, err := vm.RunProgram(p)
	if err != nil {
		return err
	}
	setup, _ := goja.AssertFunction(v)
	if _, err := w.call(setup, w.host()); err != nil {
		return err
	}
	if err := w.run(w.url); err != nil {
		w.stop()
		return err
	}
	if w.vm == nil {
		return errStopped
	}
	_, err = w.call(w.hooks["loaded"])
	return err
}

// run executes one of the worker's scripts.
func (w *worker) run(url string) error {
	var prog *goja.Program
	var err error
	if w.module && url == w.url {
		prog, err = w.moduleProgram()
	} else {
		prog, err = w.b.docs.program(url, w.scripts[url])
	}
	if err != nil {
		var se *scriptError
		if errors.As(err, &se) {
			se.file = w.b.Relative(se.file)
		}
		return err
	}
	_, err = w.call(func(goja.Value, ...goja.Value) (goja.Value, error) { return w.vm.RunProgram(prog) })
	var ex *goja.Exception
	if errors.As(err, &ex) {
		e := w.describe(ex.Value())
		if e.line == 0 {
			p := w.place(ex.String())
			e.file, e.line, e.column = p.file, p.line, p.column
		}
		return e
	}
	return err
}

// task schedules a callback of this run of the worker.
func (w *worker) task(ms float64, f goja.Callable, args ...goja.Value) *task {
	gen := w.running
	return w.b.loop.after(ms, func() {
		if gen == w.running {
			w.report("task", w.invoke(f, args...))
		}
	})
}

func (w *worker) invoke(f goja.Callable, args ...goja.Value) error {
	_, err := w.call(f, args...)
	return err
}

// report notes an exception that nothing caught.
func (w *worker) report(where string, err error) {
	var ex *goja.Exception
	if errors.As(err, &ex) {
		e := w.describe(ex.Value())
		w.b.remark(Remark{Kind: "exception", Message: e.message + " (in a " + where + ")", File: e.file, Line: e.line, Column: e.column})
	}
}

// lifecycle dispatches install or activate and calls done with the first error.
func (w *worker) lifecycle(event string, done func(*scriptError)) {
	w.failed, w.addAll = nil, ""
	if err := w.start(); err != nil {
		done(asScriptError(err))
		return
	}
	if !w.listens[event] {
		w.b.loop.after(0, func() { done(nil) })
		return
	}
	gen, finished := w.running, false
	finish := func(e *scriptError) {
		if !finished {
			finished = true
			w.reg.busy--
			done(e)
		}
	}
	w.reg.busy++
	settled := w.vm.ToValue(func(c goja.FunctionCall) goja.Value {
		if list := c.Argument(0).ToObject(w.vm); list.Get("length").ToInteger() > 0 {
			finish(w.describe(list.Get("0")))
		} else {
			finish(nil)
		}
		return goja.Undefined()
	})
	if _, err := w.call(w.hooks["lifecycle"], w.vm.ToValue(event), settled); err != nil {
		finish(asScriptError(err))
		return
	}
	// A promise given to waitUntil that never settles: the browser ends the event after five minutes.
	w.b.loop.after(300_000, func() {
		if !finished && gen == w.running {
			w.b.remark(Remark{Kind: "limit", Message: "the " + event + " event never came to its end; after five minutes the browser ends it", File: w.b.Relative(w.url)})
			finish(&scriptError{message: "the " + event + " event never came to its end"})
		} else if !finished {
			finish(&scriptError{message: "the worker was ended during the " + event + " event"})
		}
	})
}

// event dispatches a functional event by one of the prelude's hooks and calls done with its first error.
func (w *worker) event(hook string, done func(*scriptError), args ...any) {
	if err := w.start(); err != nil {
		done(asScriptError(err))
		return
	}
	gen, finished := w.running, false
	finish := func(e *scriptError) {
		if !finished {
			finished = true
			w.reg.busy--
			done(e)
		}
	}
	w.reg.busy++
	settled := w.vm.ToValue(func(c goja.FunctionCall) goja.Value {
		if list := c.Argument(0).ToObject(w.vm); list.Get("length").ToInteger() > 0 {
			finish(w.describe(list.Get("0")))
		} else {
			finish(nil)
		}
		return goja.Undefined()
	})
	values := make([]goja.Value, 0, len(args)+1)
	for _, a := range args {
		values = append(values, w.vm.ToValue(a))
	}
	if _, err := w.call(w.hooks[hook], append(values, settled)...); err != nil || gen != w.running {
		finish(&scriptError{message: "the worker was ended during the event"})
		return
	}
	w.b.loop.after(300_000, func() { finish(&scriptError{message: "the event never came to its end"}) })
}

func asScriptError(err error) *scriptError {
	var e *scriptError
	if errors.As(err, &e) {
		return e
	}
	return &scriptError{message: err.Error()}
}

// outcome of a fetch event.
type handled struct {
	kind     string // "none", "response" or "error"
	response *response
	why      string
	at       *scriptError
}

// fetchEvent dispatches a fetch event and calls done with what the worker did.
func (w *worker) fetchEvent(req *request, clientID, resultingID string, done func(handled)) {
	if err := w.start(); err != nil {
		done(handled{kind: "error", why: "the worker does not start: " + err.Error(), at: asScriptError(err)})
		return
	}
	if !w.listens["fetch"] {
		done(handled{kind: "none", why: "the worker has no fetch handler"})
		return
	}
	w.b.trace(nil, "the worker %s gets a fetch event: %s%s", w.b.Relative(w.url), w.b.Relative(req.url), asWhat(req))
	gen, finished := w.running, false
	w.reg.busy++
	finish := func(h handled) {
		if !finished {
			finished = true
			w.reg.busy--
			done(h)
		}
	}
	w.failed, w.respond = nil, nil
	meta := w.vm.NewObject()
	_ = meta.Set("clientId", clientID)
	_ = meta.Set("resultingClientId", resultingID)
	if w.preload && req.mode == "navigate" && req.method == "GET" {
		_ = meta.Set("preload", func(c goja.FunctionCall) goja.Value {
			cb, _ := goja.AssertFunction(c.Argument(0))
			pre := *req
			pre.headers = append(append([][2]string{}, req.headers...), [2]string{"service-worker-navigation-preload", "true"})
			w.fetchFor(&pre, cb)
			return goja.Undefined()
		})
	}
	place := &scriptError{}
	respond := w.vm.ToValue(func(c goja.FunctionCall) goja.Value {
		h := handled{kind: c.Argument(0).String(), at: place}
		switch h.kind {
		case "none":
			h.why = "the worker does not answer this request (no respondWith)"
			if w.failed != nil {
				h.why, h.at = "the worker's fetch handler threw before it answered: "+w.failed.message, w.failed
			}
		case "response":
			h.response = w.toResponse(c.Argument(2))
		default:
			if m := c.Argument(1); !goja.IsNull(m) {
				h.why = m.String()
			} else {
				e := w.describe(c.Argument(2))
				h.why = e.message
				if e.line > 0 {
					h.at = e
				}
			}
		}
		finish(h)
		return goja.Undefined()
	})
	settled := w.vm.ToValue(func(c goja.FunctionCall) goja.Value {
		if list := c.Argument(0).ToObject(w.vm); list.Get("length").ToInteger() > 0 {
			e := w.describe(list.Get("0"))
			w.b.remark(Remark{Kind: "rejection", Message: e.message, File: e.file, Line: e.line, Column: e.column, URL: w.b.Relative(req.url)})
		}
		return goja.Undefined()
	})
	_, err := w.call(w.hooks["fetch"], w.fromRequest(req), meta, respond, settled)
	if w.respond != nil {
		*place = *w.respond
		w.b.trace(place, "it calls respondWith")
	}
	if err != nil || gen != w.running {
		finish(handled{kind: "error", why: "the worker was ended while it handled this request", at: place})
		return
	}
	w.b.loop.after(giveUp+1000, func() {
		finish(handled{kind: "error", why: "the worker took the request and never answered it", at: place})
	})
}

// registration ties a scope to workers (Service Workers, section 2.2).
type registration struct {
	b                           *Browser
	scope, script               string
	module                      bool
	installing, waiting, active *worker
	busy                        int // events in progress
	syncTags                    []string
	syncing                     map[string]bool // tags whose event is going on
	error                       *scriptError    // of the last failed registration or install
}

// Registration says what came of a page's call of register.
type Registration struct {
	URL, Scope string // root-relative
	State      string // "none", "failed", "waiting" or "activated"
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
		case r.waiting != nil:
			x.State = "waiting"
		case r.active != nil:
			x.State = "activated"
		case r.error != nil:
			x.State = "failed"
		default:
			x.State = "none"
		}
		if r.error != nil {
			x.Error, x.File, x.Line, x.Column = r.error.message, r.error.file, r.error.line, r.error.column
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
func (b *Browser) register(script, scope string, module bool, done func(error)) {
	fail := func(message string) {
		r := b.registrationFor(scopeOr(scope, script))
		if r.script == "" {
			r.script = script
		}
		r.error = &scriptError{message: message, file: b.Relative(script)}
		b.remark(Remark{Kind: "register", Message: message, URL: b.Relative(script)})
		done(r.error)
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
		if w := reg.newest(); w != nil && w.url == script && w.module == module {
			done(nil) // the same worker again: nothing is fetched; updates are looked for after navigations
			return
		}
	}
	b.fetchScript(script, func(r *response, message string) {
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
		reg.script, reg.module = script, module
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

// fetchScript fetches a worker's main script past the HTTP cache.
func (b *Browser) fetchScript(url string, done func(*response, string)) {
	req := &request{url: url, method: "GET", mode: "same-origin", credentials: "same-origin", cache: "no-cache", redirect: "error",
		destination: "serviceworker", headers: [][2]string{{"accept", "*/*"}, {"service-worker", "script"}}}
	b.networkFetch(req, func(r *response, e netError) {
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
	w := &worker{b: r.b, reg: r, url: r.script, module: r.module, state: parsed, scripts: map[string]string{r.script: source}}
	if err := w.start(); err != nil {
		e := asScriptError(err)
		r.error = &scriptError{message: "the worker's script threw while it was first run: " + e.message, file: e.file, line: e.line, column: e.column}
		r.b.remark(Remark{Kind: "register", Message: r.error.message, File: e.file, Line: e.line, Column: e.column})
		done(r.error)
		return
	}
	if r.installing != nil {
		r.installing.redundant()
	}
	r.installing, w.state = w, installing
	w.lifecycle("install", func(e *scriptError) {
		if r.installing != w {
			return
		}
		r.installing = nil
		if e != nil {
			w.redundant()
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
		r.waiting, w.state = w, installed
		r.tryActivate()
	})
	done(nil)
}

func (w *worker) redundant() {
	w.state = redundant
	w.stop()
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
	r.waiting, r.active = nil, w
	w.state = activating
	if old != nil {
		old.redundant()
		for _, t := range r.b.tabs {
			if t.controller == old {
				t.controller = w
			}
		}
	}
	w.lifecycle("activate", func(*scriptError) { // a failing activate does not hinder activation
		if w.state != activating {
			return
		}
		w.state = activated
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
	b.fetchScript(r.script, func(res *response, message string) {
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
			if a := b.serve(&request{url: url, method: "GET"}); b.network == Online && a != nil && a.status == 200 && string(a.bytes()) != src {
				changed = true
			}
		}
		if changed && r.newest() == newest {
			r.install(string(res.bytes()), func(error) {})
		}
	})
}
