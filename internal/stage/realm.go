package stage

import (
	"errors"
	"time"

	"github.com/dop251/goja"
)

// realm is one JavaScript global: of a worker or of a page. Its globals live from open to stop.
type realm struct {
	b    *Browser
	url  string // of the script or page
	base string // what relative addresses are resolved against when that is another
	what string // "the worker" or "the page", for remarks
	in   host   // whose global it is

	vm      *goja.Runtime
	hooks   map[string]goja.Callable
	errors  map[string]goja.Value // the engine's own types of errors
	spent   time.Duration         // in its callbacks, of the processor
	timers  map[int64]*task
	lastID  int64
	running int             // generation, to drop callbacks of an ended run
	filled  map[string]bool // stores that it put something into while it installed
	causes  causes          // which of a worker's events its code comes from

	next     []goja.Callable // what follows a call, each with its own turn for promises
	rejected []*goja.Promise // without a handler so far
	tasks    int             // that wait for their turn, timers left out
}

// host is what a realm needs of the worker or page that it belongs to.
type host interface {
	// fetches sends a request of a script and calls done with the response, nil for none.
	fetches(req *request, done func(*response)) cancel
	// thrown is told of an exception that nothing caught, and of the value itself, nil when it is not at hand.
	thrown(where string, v goja.Value, e *scriptError)
	// stop ends the realm.
	stop()
	// account is that of one of its scripts, by its root-relative URL; nil for one that has none.
	account(file string) *account
	// phase is "installing", "activating" or "" for a worker at work or a page.
	phase() state
}

// open makes fresh globals.
func (g *realm) open(what string, in host) {
	vm := goja.New()
	vm.SetMaxCallStackSize(10_000) // as many as browsers have
	vm.SetTimeSource(func() time.Time {
		if d, page := in.(*document); page {
			d.unlike = true // what it shows may have the time in it
		}
		return g.b.loop.time()
	})
	seed := uint64(88172645463325252)
	vm.SetRandSource(func() float64 { // xorshift: the same numbers in every rehearsal
		seed ^= seed << 13
		seed ^= seed >> 7
		seed ^= seed << 17
		return float64(seed>>11) / (1 << 53)
	})
	g.what, g.in = what, in
	g.errors = map[string]goja.Value{"RangeError": vm.Get("RangeError")}
	g.vm, g.timers, g.hooks = vm, map[int64]*task{}, map[string]goja.Callable{}
	g.causes = causes{}
	if _, page := in.(*document); !page {
		vm.SetAsyncContextTracker(&g.causes)
	}
}

// stop ends what runs; its globals are lost.
func (g *realm) stop() {
	g.vm, g.hooks, g.errors = nil, nil, nil
	g.running++
	for _, t := range g.timers {
		g.b.loop.cancel(t)
	}
	g.timers, g.next, g.rejected = nil, nil, nil
}

// task schedules a callback of this run.
func (g *realm) task(ms float64, f goja.Callable, args ...goja.Value) *task {
	gen := g.running
	d, page := g.in.(*document)
	if page {
		g.tasks++
	} else {
		f = g.causes.from(f)
	}
	return g.b.loop.after(ms, func() {
		if gen != g.running {
			return
		}
		if page {
			g.tasks--
			d.report("task", d.enter(f, args...))
			return
		}
		g.report("task", g.invoke(f, args...))
	})
}

// invokeIn calls something in the way that the realm's own tasks are called.
func (g *realm) invokeIn(f goja.Callable, args ...goja.Value) error {
	if d, page := g.in.(*document); page {
		return d.enter(f, args...)
	}
	return g.invoke(f, args...)
}

func (g *realm) invoke(f goja.Callable, args ...goja.Value) error {
	_, err := g.call(f, args...)
	return err
}

// report hands on an exception that nothing caught.
func (g *realm) report(where string, err error) {
	var ex *goja.Exception
	if errors.As(g.tooDeep(err), &ex) {
		g.in.thrown("in a "+where, ex.Value(), g.caught(ex))
	}
}

// baseURL is what relative addresses are resolved against.
func (g *realm) baseURL() string {
	if g.base != "" {
		return g.base
	}
	return g.url
}

// noteStore notes that a script has used what the origin stores.
func (g *realm) noteStore() {
	if d, page := g.in.(*document); page {
		d.unlike = true
	}
}
