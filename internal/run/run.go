// Package run does what commands do, without flags, output or exit status: it reads what is configured, puts the rooms of the core together,
// and gives what came of it.
package run

import (
	"context"
	"errors"
	"fmt"
	"path/filepath"
	"runtime/debug"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// Work is what all that is run has in common.
type Work struct {
	Config   *config.Config
	Progress func(what string) (step func(done, total int), end func()) // of long work; nil for nobody
	Say      func(text string)                                          // a remark for whoever waits; nil for nobody

	ledger *stage.Ledger // of all that is run
}

// limits are those of every stage: what was ended on one is not tried at length on the next.
func (w *Work) limits() stage.Limits {
	if w.ledger == nil {
		w.ledger = stage.NewLedger()
	}
	return stage.Limits{Ledger: w.ledger}
}

func (w *Work) progress(what string) (step func(done, total int), end func()) {
	if w.Progress == nil {
		return func(int, int) {}, func() {}
	}
	return w.Progress(what)
}

func (w *Work) say(format string, args ...any) {
	if w.Say != nil {
		w.Say(fmt.Sprintf(format, args...))
	}
}

// WhenExhausted has f called when a script of a site takes all memory and cannot be ended but with the process.
func WhenExhausted(f func(why string)) { stage.WhenExhausted(f) }

// Input is an error about what was given: a configuration, a folder, an address. All other errors are about what broke while working.
type Input struct{ err error }

func (e *Input) Error() string { return e.err.Error() }

// Unwrap gives the error itself.
func (e *Input) Unwrap() error { return e.err }

func input(err error) error { return &Input{err} }

// fitted tells whether an error of the fitting or the crawling room is about what was given.
func fitted(err error) error {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, fitting.ErrBusy) {
		return err
	}
	return input(err)
}

// Open opens a folder as the site that it is, with the base path that an earlier fit worked with when none is given. Record is the folder in
// which what fit wrote is remembered, "" for the site's own. Its errors are [Input].
func Open(dir, base, record string) (*site.Site, error) {
	s, err := site.Open(dir, base)
	if err != nil {
		return nil, input(err)
	}
	if err := apart(dir, record); err != nil {
		s.Close()
		return nil, input(err)
	}
	s.Record = record
	if b := fitting.RecordedBase(s); base == "" && b != "" {
		s.Rebase(b)
	}
	if _, err := s.StartPage(); err != nil {
		s.Close()
		return nil, input(fmt.Errorf("%w; name the folder that is deployed, with the finished .html files in it; when a server makes the pages, name the server: tachyform draft http://127.0.0.1:8000/ --public FOLDER", err))
	}
	return s, nil
}

// apart says what is wrong with a folder for a site's record: one in the site would be deployed with it.
func apart(dir, record string) error {
	if record == "" {
		return nil
	}
	from, err := filepath.Abs(dir)
	if err != nil {
		return err
	}
	to, err := filepath.Abs(record)
	if err != nil {
		return err
	}
	if rel, err := filepath.Rel(from, to); err == nil && (rel == "." || filepath.IsLocal(rel)) {
		return fmt.Errorf("record_dir = %s lies in the site %s, and would be deployed with it: name a folder beside it, or leave it out, and the record lies in %s", record, dir, filepath.Join(dir, site.OwnDir))
	}
	return nil
}

// roomy lets the program's heap grow before it is tidied: workers and pages make much that is soon of no use.
func roomy() {
	debug.SetMemoryLimit(rehearsalMemory)
	debug.SetGCPercent(400)
}
