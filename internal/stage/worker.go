package stage

import (
	"cmp"
	"errors"
	"fmt"
	"slices"

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
	realm
	reg     *registration
	id      int64 // by which pages know it, 0 when none does
	module  bool
	scripts map[string]string // by URL: the script and what it imported
	state   state
	skip    bool            // skipWaiting was called
	telling bool            // it is told of an exception of its own
	listens map[string]bool // event types with listeners after the first run
	routes  []route         // static routes, in their order

	events    map[int64]*dispatched // that are not over yet
	lastEvent int64
	install   int64 // the event in which it is installed, in the run that is going on; 0 for none, or when it is waited for
	loading   bool
	respond   *scriptError // where respondWith was called last
	read      bool         // a handler looked at what a push message says
	failed    *scriptError // exception of the event being handled
	addAll    string       // URL that addAll failed with last
	unkept    bool         // it imports data, which is asked for at every start
	unknown   string       // URL of an imported script of which nothing is known, "" for none
}

// stop ends a running worker; its globals are lost.
func (w *worker) stop() {
	w.realm.stop()
	w.events, w.install = nil, 0
}

// start runs the worker's script in fresh globals unless it is running already.
func (w *worker) start() error {
	if w.vm != nil {
		return nil
	}
	if why := w.account("").refused(); why != "" {
		w.b.trace(nil, "the worker %s is not started again: it was ended before", w.b.Relative(w.url))
		return &scriptError{message: "it was ended before (" + why + "), and is not run again", file: w.b.Relative(w.url)}
	}
	w.b.trace(nil, "the worker %s is started, with fresh globals", w.b.Relative(w.url))
	p, err := workerPrelude()
	if err != nil {
		return err
	}
	w.open("the worker", w)
	vm := w.vm
	w.events = map[int64]*dispatched{}
	w.listens = map[string]bool{}
	w.loading = true
	defer func() { w.loading = false }()
	w.watchRejections()
	v, err := vm.RunProgram(p)
	if err != nil {
		return err
	}
	setup, _ := goja.AssertFunction(v)
	if _, err := w.call(setup, w.hostObject()); err != nil {
		return w.told(err)
	}
	if err := w.run(w.url); err != nil {
		w.stop()
		return err
	}
	if w.vm == nil {
		return errStopped
	}
	_, err = w.call(w.hooks["loaded"])
	return w.told(err)
}

// account is one for all of the worker's scripts.
func (w *worker) account(string) *account {
	return w.b.limits.Ledger.of(w.url, w.scripts[w.url])
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
	return w.told(err)
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
	w.event("lifecycle", done, event)
}

// maxEvent is how long a browser lets an event go on, in ms.
const maxEvent = 300_000

// event dispatches an event by one of the prelude's hooks and calls done with its first error.
func (w *worker) event(hook string, done func(*scriptError), args ...any) {
	if err := w.start(); err != nil {
		done(asScriptError(err))
		return
	}
	gen, finished := w.running, false
	var limit *task
	finish := func(e *scriptError) {
		if !finished {
			finished = true
			w.b.loop.cancel(limit)
			w.reg.busy--
			done(e)
		}
	}
	w.reg.busy++
	id := w.begin(&dispatched{settled: func(first goja.Value) {
		if first == nil {
			finish(nil)
		} else {
			finish(w.describe(first))
		}
	}})
	name := hook
	if hook == "lifecycle" {
		name = fmt.Sprint(args[0])
	}
	values := make([]goja.Value, 0, len(args)+1)
	for _, a := range args {
		values = append(values, w.vm.ToValue(a))
	}
	if name == "install" {
		w.install = id
	}
	if _, err := w.call(w.causes.as(id, w.hooks[hook]), append(values, w.vm.ToValue(id))...); err != nil || gen != w.running {
		finish(&scriptError{message: "the worker was ended during the event"})
		return
	}
	if finished {
		return
	}
	limit = w.b.loop.after(maxEvent, func() {
		if gen == w.running { // a promise given to waitUntil never settles
			w.b.remark(Remark{Kind: "limit", Message: "an event (" + name + ") never came to its end; after five minutes the browser ends it", File: w.b.Relative(w.url)})
		}
		finish(&scriptError{message: "the event (" + name + ") never came to its end"})
	})
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

// dispatched is an event that a running worker has not done with yet.
type dispatched struct {
	request *request                               // of a fetch event
	respond func(kind string, c goja.FunctionCall) // what respondWith was given
	settled func(first goja.Value)                 // nothing extends it any more; the first rejection, nil for none
	partial func(c goja.FunctionCall)              // a part of what it was given has come
	began   float64                                // in ms of the virtual clock
	limit   *task                                  // when the browser ends it
}

// begin gives an event the number by which the prelude knows it.
func (w *worker) begin(d *dispatched) int64 {
	w.lastEvent++
	w.events[w.lastEvent] = d
	d.began = w.b.loop.now
	d.limit = w.b.loop.after(maxEvent, w.reg.tryActivate)
	return w.lastEvent
}

// unawaited notes that the worker stores something for its installation that this did not wait for.
func (w *worker) unawaited(url string) {
	if w.install == 0 || w.causes.now != w.install || w.events[w.install] != nil || w.state == installing || w.state == redundant {
		return
	}
	w.install = 0 // once is enough
	w.b.remark(Remark{Kind: "not-awaited", Message: "the installation is over before anything is stored: the worker takes over without " + w.b.Relative(url) + ", and also when that cannot be had", File: w.b.Relative(w.url), URL: w.b.Relative(url)})
}

// hostEvents gives the prelude what becomes of events.
func (w *worker) hostEvents(set setter) {
	vm := w.vm
	undefined := goja.Undefined()
	set("respond", func(c goja.FunctionCall) goja.Value {
		if d := w.events[c.Argument(0).ToInteger()]; d != nil && d.respond != nil {
			d.respond(c.Argument(1).String(), c)
		}
		return undefined
	})
	set("streaming", func(c goja.FunctionCall) goja.Value {
		if d := w.events[c.Argument(0).ToInteger()]; d != nil && d.partial != nil {
			d.partial(c)
		}
		return undefined
	})
	set("settled", func(c goja.FunctionCall) goja.Value {
		id := c.Argument(0).ToInteger()
		d := w.events[id]
		if d == nil {
			return undefined
		}
		delete(w.events, id)
		if id == w.install && len(w.filled) > 0 { // what is needed was waited for; the rest may be left to itself on purpose
			w.install = 0
		}
		w.b.loop.cancel(d.limit)
		if w.reg.waiting != nil {
			w.b.loop.after(0, w.reg.tryActivate)
		}
		var first goja.Value
		if list, ok := c.Argument(1).(*goja.Object); ok {
			first = list.Get("0")
		}
		d.settled(first)
		return undefined
	})
	set("preloaded", func(c goja.FunctionCall) goja.Value { // asks the network for a navigation while the worker starts
		d := w.events[c.Argument(0).ToInteger()]
		if d == nil {
			return undefined
		}
		pre := *d.request
		pre.headers = append(slices.Clip(pre.headers), [2]string{"service-worker-navigation-preload", cmp.Or(w.reg.preloadValue, "true")})
		return vm.ToValue(w.fetchPromise(&pre, c.Argument(1), undefined))
	})
}

// fetchEvent dispatches a fetch event and calls done with what the worker did.
func (w *worker) fetchEvent(req *request, clientID, resultingID string, done func(handled)) {
	if err := w.start(); err != nil {
		kind := "error"
		if w.unkept { // a worker that cannot be started for want of a script is passed over
			kind = "none"
		}
		done(handled{kind: kind, why: "the worker does not start: " + err.Error(), at: asScriptError(err)})
		return
	}
	if !w.listens["fetch"] {
		done(handled{kind: "none", why: "the worker has no fetch handler"})
		return
	}
	w.b.trace(nil, "the worker %s gets a fetch event: %s%s", w.b.Relative(w.url), w.b.Relative(req.url), asWhat(req))
	gen, finished := w.running, false
	w.reg.busy++
	var limit, stall *task
	finish := func(h handled) {
		if !finished {
			finished = true
			w.b.loop.cancel(limit)
			w.b.loop.cancel(stall)
			w.reg.busy--
			done(h)
		}
	}
	w.failed, w.respond = nil, nil
	place := &scriptError{}
	preloaded := w.reg.preload && req.mode == "navigate" && req.method == "GET"
	id := w.begin(&dispatched{
		request: req,
		respond: func(kind string, c goja.FunctionCall) {
			h := handled{kind: kind, at: place}
			switch kind {
			case "none":
				h.why = "the worker does not answer this request (no respondWith)"
				if w.failed != nil {
					h.why, h.at = "the worker's fetch handler threw before it answered: "+w.failed.message, w.failed
				}
			case "response":
				h.response = w.toResponse(c.Argument(3), c.Argument(4), c.Argument(5))
			default:
				if m := c.Argument(2); !goja.IsNull(m) {
					h.why = m.String()
				} else {
					e := w.describe(c.Argument(3))
					h.why = e.message
					if e.line > 0 {
						h.at = e
					}
				}
			}
			finish(h)
		},
		partial: func(c goja.FunctionCall) { // a page is shown as far as it has come
			w.b.loop.cancel(stall)
			if req.mode != "navigate" || finished {
				return
			}
			held, headers := c.Argument(1), c.Argument(2)
			parts, ok := goja.AssertFunction(c.Argument(3))
			stall = w.b.loop.after(giveUp/2, func() {
				if gen != w.running || !ok {
					return
				}
				if body, err := w.call(parts); err == nil {
					finish(handled{kind: "response", at: place, response: w.toResponse(held, headers, body)})
				}
			})
		},
		settled: func(first goja.Value) {
			if first != nil {
				e := w.describe(first)
				w.b.remark(Remark{Kind: "rejection", Message: e.message, File: e.file, Line: e.line, Column: e.column, URL: w.b.Relative(req.url)})
			}
		},
	})
	_, err := w.call(w.causes.as(id, w.hooks["fetch"]), w.fromRequest(req), w.vm.ToValue(id), w.vm.ToValue(clientID), w.vm.ToValue(resultingID), w.vm.ToValue(preloaded))
	if w.respond != nil {
		*place = *w.respond
		w.b.trace(place, "it calls respondWith")
	}
	if err != nil || gen != w.running {
		finish(handled{kind: "error", why: "the worker was ended while it handled this request", at: place})
		return
	}
	if finished {
		return
	}
	limit = w.b.loop.after(giveUp+1000, func() {
		finish(handled{kind: "error", why: "the worker took the request and never answered it", at: place})
	})
}
