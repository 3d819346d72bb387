package rehearsal

import (
	"time"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// Stage is something that can act as a browser. Who needs less of it says so by one of its parts; what only some stages can do stands below them.
type Stage interface {
	// Name is "embedded" or "chromium".
	Name() string
	Tabs
	Scripting
	Surroundings
	Holder
	// Remarks gives what was noticed since the last call.
	Remarks() []stage.Remark
}

// Opener opens pages.
type Opener interface {
	// Open navigates the visitor's tab and loads what the page needs.
	Open(url string) (*stage.Load, error)
}

// Tabs are what a visitor looks at.
type Tabs interface {
	Opener
	// Shown gives what the tab shows if a worker has led it to another page, or loaded it again, since it was looked at; nil
	// otherwise.
	Shown() (*stage.Load, error)
	// Tab goes to the tab with a number, from 0; the one after the last is opened.
	Tab(number int) error
	// CloseTab closes the tab that is in use and goes to the one before. Without any, Tab(0) opens one.
	CloseTab() error
	// KeepParts has every load say what the page and its parts are.
	KeepParts()
}

// Scripting lets a script of the open page do something.
type Scripting interface {
	// Fetch lets it fetch a URL.
	Fetch(url string) (*stage.Answer, error)
	// Send lets it send something.
	Send(stage.Message) (*stage.Answer, error)
	// Post gives a message to the worker that controls the open page, or to the one that waits to take over.
	Post(message string, waiting bool) error
}

// Surroundings are what is around a visitor: the network, the server behind it, and time that passes.
type Surroundings interface {
	// Release replaces the site that the server answers with.
	Release(*site.Server)
	// Received gives the requests that reached the site since the last call.
	Received() []stage.Sent
	// SetFaults changes the network for single addresses while it is online.
	SetFaults(site.Faults)
	// SetNetwork changes the state of the network.
	SetNetwork(stage.Network) error
	// Settle waits until no worker is installing or activating.
	Settle() error
	// Rest ends idle workers, so that their globals are lost.
	Rest() error
}

// Holder is what a browser holds of a site: workers and stores.
type Holder interface {
	// Stores lists what is stored.
	Stores() ([]stage.Store, error)
	// Registrations lists the workers.
	Registrations() ([]stage.Registration, error)
	// TakeOver lets a waiting worker become active.
	TakeOver() error
	// Clear removes everything that the site has stored, and its workers.
	Clear() error
	// Keep notes what is stored; the function it gives goes back to that.
	Keep() (func() error, error)
}

// visited is what opening pages in some network state needs.
type visited interface {
	Opener
	Surroundings
}

// ScriptRunner is a stage that can leave the scripts of pages alone.
type ScriptRunner interface {
	RunScripts(run bool)
}

// Replayer is a stage that need not run a page again that would do the same again.
type Replayer interface {
	Replay(on bool)
}

// Forker is a stage of which several can go on from where it is.
type Forker interface {
	Fork() Forked
}

// Forked is a stage that was made by a fork.
type Forked interface {
	Stage
	Close()
}

// Tracer is a stage that tells each step of what it does; nil ends that.
type Tracer interface {
	Trace(func(stage.TraceStep))
}

// Clock is a stage whose time is its own.
type Clock interface {
	// Advance lets time pass at once.
	Advance(time.Duration)
}

// Updater is a stage that can be told to look for a new worker, as browsers do in a moment of their own.
type Updater interface {
	Update() error
}

// Device is a stage whose visitor can do what is done with a device rather than with a page.
type Device interface {
	// Reload loads what the tab shows again, past worker and caches.
	Reload() (*stage.Load, error)
	// Stand puts the device to a latitude and longitude, in degrees, which pages may know.
	Stand(latitude, longitude float64) error
}

// Actor is a stage on whose pages a visitor can do something.
type Actor interface {
	// Act does what a step says ("click", "type", "choose", "submit") on what a selector or a text names, and says whether there is such a
	// thing.
	Act(what, on, value string) (found bool, err error)
	// Element says whether the page has an element that a selector or a text names.
	Element(what string) (bool, error)
	// Travel goes back (-1) or forward (1) in the tab's history.
	Travel(by int) (*stage.Load, error)
	// Look reads again what the tab shows.
	Look() (*stage.Load, error)
}

// Messenger is a stage that can bring push messages and fire the events of the browser.
type Messenger interface {
	// Push lets a message come; without a text it is empty.
	Push(text string, empty bool) (*stage.Event, error)
	// Tap taps on the notification shown last, or on one of its actions; nil when none is shown.
	Tap(action string) (*stage.Event, error)
	// Sync fires the event of a tag.
	Sync(tag string) (*stage.Event, error)
	// Notifications lists what is shown.
	Notifications() ([]stage.Notification, error)
}

// Submitter is a stage on which a form can be posted by another program.
type Submitter interface {
	OpenForm(url string, f *entrance.Form) (*stage.Load, error)
}

var _ interface {
	Stage
	ScriptRunner
	Replayer
	Forker
	Tracer
	Clock
	Updater
	Device
	Actor
	Messenger
	Submitter
} = (*Embedded)(nil)
