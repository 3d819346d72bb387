package rehearsal

import (
	"errors"

	"tachyform/internal/site"
	"tachyform/internal/stage"
)

// Embedded is our browser model as a [Stage].
type Embedded struct {
	b   *stage.Browser
	tab *stage.Tab
}

// NewEmbedded starts the embedded stage for a site.
func NewEmbedded(server *site.Server, others map[string]*site.Server, limits stage.Limits) *Embedded {
	b := stage.New(server, others, limits)
	return &Embedded{b: b, tab: b.NewTab()}
}

// Close ends the stage.
func (e *Embedded) Close() { e.b.Close() }

// Name is "embedded".
func (e *Embedded) Name() string { return "embedded" }

// Open navigates the visitor's tab.
func (e *Embedded) Open(url string) (*stage.Load, error) { return e.tab.Open(url) }

// Fetch fetches by a script of the open page.
func (e *Embedded) Fetch(url string) (*stage.Answer, error) { return e.tab.Fetch(url) }

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

// Stores lists what is stored.
func (e *Embedded) Stores() ([]stage.Store, error) { return e.b.Stores(), nil }

// Registrations lists the workers.
func (e *Embedded) Registrations() ([]stage.Registration, error) { return e.b.Registrations(), nil }

// Remarks gives what was noticed since the last call.
func (e *Embedded) Remarks() []stage.Remark { return e.b.Remarks() }
