// Package stage is a model of a browser that executes real service workers: network, HTTP cache, Cache Storage,
// registrations, tabs and a virtual clock, after the Service Workers, Fetch and HTML Standards. Pages are not
// run; what a page needs is read from its HTML, style sheets and scripts.
package stage

import (
	"fmt"
	"maps"
	"sync"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// Origin is the origin that a folder is rehearsed on; a site that was read from a live origin has that one.
const Origin = "https://site.example"

// Limits bound what a worker may cost. The zero value means the defaults.
type Limits struct {
	Step   time.Duration // real time of one callback; 5 s
	Memory uint64        // growth of the program's heap in bytes; 768 MiB
	Ledger *Ledger       // is shared by browsers of the same site; one of its own
}

// Remark is something that the stage noticed about a worker.
type Remark struct {
	Kind    string // "console", "page-console", "exception", "rejection", "late", "body-used", "add-all", "limit", "register", "update", "note"
	Message string
	File    string // root-relative URL of the script, "" when unknown
	Line    int
	Column  int
	URL     string
}

// Sent is one request that reached the server.
type Sent struct {
	Method, URL string
	Status      int
	Body        []byte
	Header      [][2]string
	Cache       string // the request's cache mode, "" when it is not known
}

// Browser is one visitor's browser with one origin. It is used by one goroutine.
type Browser struct {
	origin     string
	server     *site.Server
	others     map[string]*site.Server
	network    Network
	place      *[2]float64 // latitude and longitude of the device, which pages may know; nil when they may not
	faults     site.Faults
	loop       *loop
	http       *httpCache
	read       map[string]bool // scripts that it was remarked of that they were only read
	store      *cacheStorage
	bases      map[string]string // databases of IndexedDB by name, each as one text
	regs       []*registration
	tabs       []*Tab
	nextTab    int
	guard      *guard
	lane       lane
	limits     Limits
	remarks    []Remark
	sent       []Sent
	docs       *readCache
	addresses  addresses
	waiters    []func() // until a worker is activated
	teller     func(TraceStep)
	traced     int
	parts      bool
	hung       []func()          // what waits for a network that does not answer
	again      bool              // a page that would do the same again need not run again
	scripts    bool              // scripts of pages run
	workerless bool              // no worker can be registered
	local      map[string]string // localStorage
	cookies    map[string]string // that scripts of pages have set
	lastWorker int64
	allowed    bool       // the visitor has allowed notifications
	activated  bool       // a notification was tapped, and what that allows is not used up
	notes      int        // how many notifications were shown
	opened     string     // address that a worker opened at a tap
	focused    string     // address of the page that it brought to the front
	fresh      *Tab       // that it opened
	loading    sync.Mutex // modules are resolved and loaded by several goroutines
	random     uint64
}

// New starts a browser with nothing stored, online. others are stand-ins for other origins.
func New(server *site.Server, others map[string]*site.Server, limits Limits) *Browser {
	if limits.Step == 0 {
		limits.Step = 5 * time.Second
	}
	if limits.Memory == 0 {
		limits.Memory = 768 << 20 // more than what the collector lets gather (run.roomy), or a callback would be ended for what others leave lying
	}
	if limits.Ledger == nil {
		limits.Ledger = NewLedger()
	}
	b := &Browser{origin: Origin, server: server, others: others, network: Online, loop: &loop{},
		http: &httpCache{map[string]cached{}}, read: map[string]bool{}, store: &cacheStorage{quota: maxStored}, bases: map[string]string{}, limits: limits, guard: newGuard(limits),
		docs: newReadCache(), addresses: addresses{}, local: map[string]string{}, cookies: map[string]string{}}
	if server.Site.Origin != "" {
		b.origin = server.Site.Origin
	}
	b.loop.begins = b.guard.newAct
	b.loop.busy = func() {
		b.blame("it keeps the browser busy with timers and events without end")
		b.endWorkers()
	}
	return b
}

// Close ends the browser, its pages and its workers.
func (b *Browser) Close() {
	for _, t := range b.tabs {
		if d := t.document(); d != nil {
			d.stop()
		}
	}
	b.endWorkers()
	b.guard.close()
	b.lane.close()
}

// RunScripts lets the scripts of pages run from now on; else what pages need is read from their files.
func (b *Browser) RunScripts(run bool) {
	b.scripts = run
	if run {
		b.docs.ahead()
	}
}

// RefuseWorkers has every registration of a worker be refused from now on, so that all that pages show is the server's and their own.
func (b *Browser) RefuseWorkers() { b.workerless = true }

// Replay lets pages that would do the same again be taken from before; nothing can be done on such a page.
func (b *Browser) Replay(on bool) { b.again = on }

// Stand puts the device to a latitude and longitude, in degrees, which pages are told when they ask (Geolocation).
func (b *Browser) Stand(latitude, longitude float64) { b.place = &[2]float64{latitude, longitude} }

// SetNetwork changes the state of the network.
func (b *Browser) SetNetwork(n Network) error {
	for _, known := range Networks {
		if n == known {
			if n != b.network {
				hung := b.hung
				b.hung = nil
				for _, end := range hung { // their connections are cut
					b.loop.after(0, end)
				}
			}
			was := b.network
			b.network = n
			if (n == Offline) != (was == Offline) {
				b.eachPage(func(*Tab) bool { return true }, "network", n != Offline)
			}
			if n != Offline {
				for _, r := range b.regs {
					r.fireSyncs()
				}
			}
			return nil
		}
	}
	return fmt.Errorf("unknown network state %q", n)
}

// SetFaults sets the state of the network for single addresses, while it is online.
func (b *Browser) SetFaults(f site.Faults) { b.faults = f }

// SetQuota bounds what the origin may store, in bytes.
func (b *Browser) SetQuota(bytes int64) { b.store.quota = bytes }

// Release replaces the site that the server answers with.
func (b *Browser) Release(server *site.Server) { b.server = server }

// Remarks gives what was noticed since the last call.
func (b *Browser) Remarks() []Remark {
	r := b.remarks
	b.remarks = nil
	return r
}

// Sent gives the requests that reached the server since the last call.
func (b *Browser) Sent() []Sent {
	s := b.sent
	b.sent = nil
	return s
}

func (b *Browser) remark(r Remark) {
	if len(b.remarks) < 1000 {
		r.Message = clipped(r.Message)
		b.remarks = append(b.remarks, r)
	}
}

// Advance lets virtual time pass.
func (b *Browser) Advance(d time.Duration) {
	ms := float64(d) / float64(time.Millisecond)
	end := b.loop.now + ms
	b.loop.runUntil(func() bool { return false }, ms)
	b.loop.now = max(b.loop.now, end)
}

// Settle runs until no worker is installing or activating and no event is going on, at most ten minutes of virtual time, and
// a second longer, in which what goes on in the background comes to its end. What waits for a network that does not answer
// is not waited for.
func (b *Browser) Settle() bool {
	settled := func() bool {
		for _, r := range b.regs {
			if r.busy > 0 && len(b.hung) == 0 || r.installing != nil && len(b.hung) == 0 || r.active != nil && r.active.state == activating {
				return false
			}
			if r.waiting != nil && r.waiting.skip && len(b.hung) == 0 { // for the events of the active one
				return false
			}
		}
		return true
	}
	if !b.loop.runUntil(settled, 600_000) {
		return false
	}
	b.Advance(time.Second)
	return settled() || b.loop.runUntil(settled, 600_000)
}

// endWorkers ends all workers, whatever they do.
func (b *Browser) endWorkers() {
	for _, r := range b.regs {
		for _, w := range []*worker{r.installing, r.waiting, r.active} {
			if w != nil {
				w.stop()
			}
		}
	}
}

// StopWorkers ends idle workers; their globals are lost, as they are minutes after their last event.
func (b *Browser) StopWorkers() {
	for _, r := range b.regs {
		for _, w := range []*worker{r.waiting, r.active} {
			if w != nil {
				w.stop()
			}
		}
	}
}

// Clear removes what the origin has stored, and its workers; the pages that are open stay.
func (b *Browser) Clear() {
	for _, r := range b.regs {
		for _, w := range []*worker{r.installing, r.waiting, r.active} {
			if w != nil {
				w.redundant()
			}
		}
	}
	b.regs = nil
	for _, t := range b.tabs {
		t.controller = nil
		t.session = nil
	}
	b.store = &cacheStorage{quota: b.store.quota}
	b.bases, b.local, b.cookies = map[string]string{}, map[string]string{}, map[string]string{}
	b.http.entries = map[string]cached{}
}

// TakeOver lets waiting workers become active, whatever they wait for. It reports whether there were any.
func (b *Browser) TakeOver() bool {
	any := false
	for _, r := range b.regs {
		if r.waiting != nil {
			any = true
			r.waiting.skip = true
			r.tryActivate()
		}
	}
	return any
}

// Snapshot keeps what the origin has stored.
type Snapshot struct {
	store *cacheStorage
	http  map[string]cached
	bases map[string]string

	local, cookies map[string]string
}

// Snapshot copies what is stored, to return to it with [Browser.Restore].
func (b *Browser) Snapshot() *Snapshot {
	h := make(map[string]cached, len(b.http.entries))
	for k, v := range b.http.entries {
		h[k] = v
	}
	return &Snapshot{b.store.copy(), h, maps.Clone(b.bases), maps.Clone(b.local), maps.Clone(b.cookies)}
}

// Restore goes back to what was stored and stops all workers.
func (b *Browser) Restore(s *Snapshot) {
	b.StopWorkers()
	b.hung = nil
	b.store, b.bases, b.local, b.cookies = s.store.copy(), maps.Clone(s.bases), maps.Clone(s.local), maps.Clone(s.cookies)
	b.http.entries = make(map[string]cached, len(s.http))
	for k, v := range s.http {
		b.http.entries[k] = v
	}
}
