package rehearsal

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// Embedded is our browser model as a [Stage].
type Embedded struct {
	b    *stage.Browser
	tabs []*stage.Tab
	tab  int // the one in use

	fresh func(*site.Server) *Embedded // makes another with nothing stored
}

// NewEmbedded starts the embedded stage for a site.
func NewEmbedded(server *site.Server, others map[string]*site.Server, limits stage.Limits) *Embedded {
	if limits.Ledger == nil {
		limits.Ledger = stage.NewLedger()
	}
	b := stage.New(server, others, limits)
	return &Embedded{b: b, tabs: []*stage.Tab{b.NewTab()}, fresh: func(s *site.Server) *Embedded { return NewEmbedded(s, others, limits) }}
}

// Close ends the stage.
func (e *Embedded) Close() { e.b.Close() }

// Name is "embedded".
func (e *Embedded) Name() string { return "embedded" }

// current gives the tab in use, and opens one when all were closed.
func (e *Embedded) current() *stage.Tab {
	if len(e.tabs) == 0 {
		e.tabs, e.tab = []*stage.Tab{e.b.NewTab()}, 0
	}
	return e.tabs[e.tab]
}

// Open navigates the visitor's tab.
func (e *Embedded) Open(url string) (*stage.Load, error) { return e.current().Open(url) }

// OpenForm posts a form, as another program does.
func (e *Embedded) OpenForm(url string, f *entrance.Form) (*stage.Load, error) {
	body, kind := f.Body()
	return e.current().OpenForm(url, body, kind)
}

// Push lets a push message come.
func (e *Embedded) Push(text string, empty bool) (*stage.Event, error) {
	return e.b.Push(text, empty), nil
}

// Tap taps on the notification shown last, or on one of its actions.
func (e *Embedded) Tap(action string) (*stage.Event, error) {
	got := e.b.TapNotification(action)
	if t := e.b.Fresh(); t != nil {
		e.tabs = append(e.tabs, t)
		e.tab = len(e.tabs) - 1
	} else if got != nil && got.Focused != "" {
		e.tab = max(0, slices.Index(e.tabs, e.b.Front()))
	}
	return got, nil
}

// Sync fires the event of a tag.
func (e *Embedded) Sync(tag string) (*stage.Event, error) { return e.b.Sync(tag), nil }

// Notifications lists what is shown.
func (e *Embedded) Notifications() ([]stage.Notification, error) { return e.b.Notifications(), nil }

// RunScripts lets the scripts of pages run from now on.
func (e *Embedded) RunScripts(run bool) { e.b.RunScripts(run) }

// Act does something on the open page.
func (e *Embedded) Act(what, on, value string) (bool, error) { return e.current().Act(what, on, value) }

// Element says whether the open page has an element.
func (e *Embedded) Element(what string) (bool, error) { return e.current().Element(what), nil }

// Travel goes back or forward in the tab's history.
func (e *Embedded) Travel(by int) (*stage.Load, error) { return e.current().Travel(by), nil }

// Reload loads what the tab shows again, past worker and caches.
func (e *Embedded) Reload() (*stage.Load, error) {
	if l := e.current().Reload(); l != nil {
		return l, nil
	}
	return &stage.Load{AnsweredBy: stage.ByBrowser, Why: "the tab shows no page"}, nil
}

// Stand puts the device somewhere.
func (e *Embedded) Stand(latitude, longitude float64) error {
	e.b.Stand(latitude, longitude)
	return nil
}

// Look reads again what the tab shows.
func (e *Embedded) Look() (*stage.Load, error) { return e.current().Look(), nil }

// Replay lets pages that would do the same again be taken from before.
func (e *Embedded) Replay(on bool) { e.b.Replay(on) }

// Shown gives what the tab shows if a worker has led it to another page since it was looked at; nil otherwise.
func (e *Embedded) Shown() (*stage.Load, error) { return e.current().Shown(), nil }

// Fetch fetches by a script of the open page.
func (e *Embedded) Fetch(url string) (*stage.Answer, error) { return e.current().Fetch(url) }

// Send sends something by a script of the open page.
func (e *Embedded) Send(m stage.Message) (*stage.Answer, error) { return e.current().Send(m) }

// ErrUncontrolled says that no worker is there to take a message.
var ErrUncontrolled = errors.New("no worker controls the open page, or waits")

// Post gives a message to the worker that controls the open page, or to the one that waits to take over.
func (e *Embedded) Post(message string, waiting bool) error {
	if !e.current().Post(message, waiting) {
		return ErrUncontrolled
	}
	return nil
}

// ErrWaiting says that no worker waits to take over.
var ErrWaiting = errors.New("no worker waits to take over")

// TakeOver lets a waiting worker become active.
func (e *Embedded) TakeOver() error {
	if !e.b.TakeOver() {
		return ErrWaiting
	}
	return nil
}

// Clear removes everything that the site has stored, and its workers.
func (e *Embedded) Clear() error {
	e.b.Clear()
	return nil
}

// KeepParts has every load say what the page and its parts are.
func (e *Embedded) KeepParts() { e.b.KeepParts() }

// Trace has every step of what happens told from now on; nil ends it.
func (e *Embedded) Trace(tell func(stage.TraceStep)) { e.b.Trace(tell) }

// ErrTab says that there is no such tab.
var ErrTab = errors.New("there is no such tab")

// Tab goes to another tab, or opens the next.
func (e *Embedded) Tab(number int) error {
	if number < 0 || number > len(e.tabs) {
		return fmt.Errorf("tab %d of %d: %w", number, len(e.tabs), ErrTab)
	}
	if number == len(e.tabs) {
		e.tabs = append(e.tabs, e.b.NewTab())
	}
	e.tab = number
	return nil
}

// CloseTab closes the tab in use.
func (e *Embedded) CloseTab() error {
	if len(e.tabs) == 0 {
		return ErrTab
	}
	e.tabs[e.tab].Close()
	e.tabs = slices.Delete(e.tabs, e.tab, e.tab+1)
	e.tab = max(0, e.tab-1)
	return nil
}

// Release replaces the site that the server answers with.
func (e *Embedded) Release(s *site.Server) { e.b.Release(s) }

// Received gives the requests that reached the site since the last call.
func (e *Embedded) Received() []stage.Sent { return e.b.Sent() }

// SetFaults changes the network for single addresses while it is online.
func (e *Embedded) SetFaults(f site.Faults) { e.b.SetFaults(f) }

// SetNetwork changes the state of the network.
func (e *Embedded) SetNetwork(n stage.Network) error { return e.b.SetNetwork(n) }

// ErrUnsettled says that a worker never came to the end of installing or activating.
var ErrUnsettled = errors.New("a worker never came to the end of installing or activating")

// Settle waits until no worker is installing or activating.
func (e *Embedded) Settle() error {
	if !e.b.Settle() {
		return ErrUnsettled
	}
	return nil
}

// Advance lets virtual time pass.
func (e *Embedded) Advance(d time.Duration) { e.b.Advance(d) }

// Update is nothing here: a new worker is looked for at every navigation.
func (e *Embedded) Update() error { return nil }

// Quota bounds what the site may store, in bytes.
func (e *Embedded) Quota(bytes int64) { e.b.SetQuota(bytes) }

// Rest ends idle workers.
func (e *Embedded) Rest() error {
	e.b.StopWorkers()
	return nil
}

// Keep notes what is stored.
func (e *Embedded) Keep() (func() error, error) {
	s := e.b.Snapshot()
	return func() error { e.b.Restore(s); return nil }, nil
}

// Fork gives another stage that begins where this one stands; both may be used at the same time.
func (e *Embedded) Fork() Forked {
	b, tabs := e.b.Fork()
	f := &Embedded{b: b, tab: e.tab}
	for _, t := range e.tabs { // the browser has its tabs in the order they were opened
		f.tabs = append(f.tabs, tabs[e.b.Position(t)])
	}
	return f
}

// Stores lists what is stored.
func (e *Embedded) Stores() ([]stage.Store, error) { return e.b.Stores(), nil }

// Registrations lists the workers.
func (e *Embedded) Registrations() ([]stage.Registration, error) { return e.b.Registrations(), nil }

// Remarks gives what was noticed since the last call.
func (e *Embedded) Remarks() []stage.Remark { return e.b.Remarks() }

// StartPage is what was seen of a page whose scripts were run.
type StartPage struct {
	Sure      bool   // its scripts ran without failing for what the stage lacks, and asked for nothing that nothing is known of
	Registers bool   // a worker
	Manifest  string // the address that it links as its manifest in the end, "" for none; root-relative for the site's own origin
}

// Watch runs the scripts of a page as a first visitor's browser does, and looks at what comes of it.
func Watch(server *site.Server, others map[string]*site.Server, limits stage.Limits, url string) (*StartPage, error) {
	st := NewEmbedded(server, others, limits)
	defer st.Close()
	st.RunScripts(true)
	l, err := st.Open(url)
	if err != nil {
		return nil, err
	}
	if err := st.Settle(); err != nil {
		return nil, err
	}
	regs, err := st.Registrations()
	if err != nil {
		return nil, err
	}
	unknown := slices.ContainsFunc(l.Errors, func(e stage.PageError) bool { return e.Needs != "" }) || slices.ContainsFunc(st.Remarks(), func(r stage.Remark) bool { return r.Kind == "unknown-origin" || r.Kind == "unknown-script" })
	return &StartPage{Sure: l.Ran && !unknown, Registers: len(regs) > 0, Manifest: l.Manifest}, nil
}
