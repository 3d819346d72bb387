package rehearsal

import (
	"context"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/stage"
)

// EntranceResult is what somebody gets who comes into the app by one of the ways in that its manifest names, in one network state.
type EntranceResult struct {
	Kind   entrance.Kind `json:"kind"`
	Name   string        `json:"name,omitempty"`
	Member string        `json:"member"`
	Method string        `json:"method"` // GET, or POST for what is shared
	PageResult
	// Sent says of a post without a network whether it reached the server once that was there again.
	Sent bool `json:"sent,omitempty"`
	// Launch says what the page made of it that it was opened as an app; nil where no script ran, or the stage cannot tell.
	Launch *Launched `json:"launch,omitempty"`
}

// Launched is what a page made of it that it was opened as an app, with a file or without.
type Launched struct {
	File   string  `json:"file,omitempty"`   // the name of what was opened, made up here
	Heard  bool    `json:"heard"`            // the page set a consumer of the launch queue
	Read   bool    `json:"read,omitempty"`   // it asked for the file's content
	Errors []Error `json:"errors,omitempty"` // of its scripts, after it was told
}

// PushResult is what the worker makes of a push message, and of a tap on what it shows.
type PushResult struct {
	Worker  string   `json:"worker"`
	Message string   `json:"message"` // that was sent last: the first that the worker takes
	Shown   []string `json:"shown"`   // titles of notifications
	Error   string   `json:"error,omitempty"`
	File    string   `json:"file,omitempty"`
	Line    int      `json:"line,omitempty"`
	Column  int      `json:"column,omitempty"`

	Read bool       `json:"read,omitempty"` // the worker looked at what the message says: of other messages it may do something else
	Tap  *TapResult `json:"tap,omitempty"`  // nil when nothing is shown
}

// TapResult is what comes of a tap on a notification.
type TapResult struct {
	Listens bool   `json:"listens"`
	Opened  string `json:"opened,omitempty"`
	Focused string `json:"focused,omitempty"`
	Closed  bool   `json:"closed"`
	Error   string `json:"error,omitempty"`
	File    string `json:"file,omitempty"`
	Line    int    `json:"line,omitempty"`
	Column  int    `json:"column,omitempty"`

	// Outcome is that of the page that was opened, "" for none.
	Outcome Outcome `json:"outcome,omitempty"`
}

// from gives a stage that begins where the visits ended.
type from func() (Stage, func(), error)

// enter comes in by every way, online and in each network state.
func (r *Report) enter(ctx context.Context, begin from, o Options, e expected) error {
	if len(o.Entrances) == 0 {
		return nil
	}
	e.online = nil
	networks := append([]stage.Network{stage.Online}, slices.DeleteFunc(slices.Clone(o.Networks), func(n stage.Network) bool { return n == stage.Online })...)
	for _, n := range networks {
		st, end, err := begin()
		if err != nil {
			return err
		}
		if err := prepare(st, n); err != nil {
			end()
			return err
		}
		for _, x := range o.Entrances {
			if err := ctx.Err(); err != nil {
				end()
				return err
			}
			if x.Form != nil {
				continue
			}
			l, err := launch(st, x)
			if err != nil {
				end()
				return err
			}
			if n == stage.Online {
				e.note(x.URL, l)
			}
			r.Entrances = append(r.Entrances, EntranceResult{Kind: x.Kind, Name: x.Name, Member: x.Member, Method: "GET", PageResult: e.result(x.URL, n, l), Launch: launched(x, l)})
		}
		end()
		for _, x := range o.Entrances {
			if x.Form == nil {
				continue
			}
			got, err := share(begin, x, n, o, e)
			if err != nil {
				return err
			}
			if got != nil {
				r.Entrances = append(r.Entrances, *got)
			}
		}
	}
	return nil
}

// launch opens an address as the app does, where the stage can.
func launch(st Stage, x entrance.Entrance) (*stage.Load, error) {
	e, ok := st.(*Embedded)
	if !ok {
		return st.Open(x.URL)
	}
	var file *stage.LaunchFile
	if f := x.File; f != nil {
		file = &stage.LaunchFile{Name: f.Name, Type: f.Type, Data: f.Data}
	}
	return e.current().Launch(x.URL, file)
}

// launched tells what the page made of it.
func launched(x entrance.Entrance, l *stage.Load) *Launched {
	if l.Launched == nil {
		return nil
	}
	out := &Launched{Heard: l.Launched.Heard, Read: l.Launched.Read}
	if x.File != nil {
		out.File = x.File.Name
	}
	for _, e := range l.Launched.Errors {
		out.Errors = append(out.Errors, errorOf(e))
	}
	return out
}

// prepare brings a stage into a network state, as for somebody who comes later.
func prepare(st Surroundings, n stage.Network) error {
	if n == stage.Online {
		return nil
	}
	if err := st.SetNetwork(n); err != nil {
		return err
	}
	return st.Rest()
}

// share posts what another app shares, and without a network waits for one; nil on stages that cannot post.
func share(begin from, x entrance.Entrance, n stage.Network, o Options, e expected) (*EntranceResult, error) {
	st, end, err := begin()
	if err != nil {
		return nil, err
	}
	defer end()
	s, ok := st.(Submitter)
	if !ok {
		return nil, nil
	}
	if err := prepare(st, n); err != nil {
		return nil, err
	}
	st.Received()
	l, err := s.OpenForm(x.URL, x.Form)
	if err != nil {
		return nil, err
	}
	out := &EntranceResult{Kind: x.Kind, Name: x.Name, Member: x.Member, Method: "POST", PageResult: PageResult{URL: x.URL, Network: string(n), Status: l.Status, Title: l.Title, AnsweredBy: string(l.AnsweredBy),
		Source: l.Source, Missing: []Missing{}, Why: l.Why, File: l.File, Line: l.Line, Outcome: Whole}}
	took := func() bool {
		path, _, _ := strings.Cut(x.URL, "?")
		return slices.ContainsFunc(st.Received(), func(s stage.Sent) bool {
			at, _, _ := strings.Cut(s.URL, "?")
			return s.Method == "POST" && at == path && s.Status < 500
		})
	}
	switch {
	case l.Status == 0:
		out.Outcome = Lost
	case l.AnsweredBy == stage.ByNetwork && n == stage.Online && l.Status == 405 && !e.server.Declares("POST", x.URL):
		out.Outcome, out.Why = NotKnown, "the server is asked, and what it answers to a post is not known here: say it under [[server.answer]] (method = \"POST\")"
	case l.Status >= 400:
		out.Outcome, out.Why = StandIn, orElse(out.Why, "the answer is an error")
	}
	if n == stage.Online {
		return out, nil
	}
	if out.Sent = took(); !out.Sent {
		other, err := st.Open(nowhere)
		if err != nil {
			return nil, err
		}
		if out.Outcome == Whole && l.AnsweredBy == stage.ByWorker && other.Status == l.Status && other.Digest == l.Digest {
			out.Outcome, out.Why = StandIn, "what is shared is gone: the worker answers as for any address that it does not know"
		}
		if err := st.SetNetwork(stage.Online); err != nil {
			return nil, err
		}
		if _, err := st.Open(o.Visits[0]); err != nil {
			return nil, err
		}
		if err := st.Settle(); err != nil {
			return nil, err
		}
		out.Sent = took()
	}
	if out.Sent && out.Outcome == StandIn {
		out.Outcome, out.Why = Whole, "" // it is kept: the page says so
	}
	return out, nil
}

// nowhere is an address that no site has.
const nowhere = "/there-is-no-such-page-here/"

// messages are what is sent to a worker whose sender is not known, in order, until it takes one.
var messages = []string{`{"title": "Staffin to Orran", "body": "The 9:40 leaves at 10:05", "text": "The 9:40 leaves at 10:05", "url": "/", "tag": "boat", "data": {"url": "/"}, "notification": {"title": "Staffin to Orran", "body": "The 9:40 leaves at 10:05"}}`,
	"The 9:40 leaves at 10:05", ""}

// push brings a message to the worker, and taps on what it shows; nil for a worker that does not listen, and on stages that cannot.
func push(begin from, visits []string, e expected) (*PushResult, error) {
	var out *PushResult
	for i, m := range messages {
		st, end, err := begin()
		if err != nil {
			return nil, err
		}
		got, again, err := pushOne(st, m, visits[0], e)
		end()
		if err != nil || got == nil {
			return nil, err
		}
		if i == 0 || got.Error == "" {
			out = got
		}
		if !again {
			return out, nil
		}
	}
	return out, nil
}

// pushOne brings one message. again says that the worker does not take this one, and may take another.
func pushOne(st Stage, message, home string, e expected) (out *PushResult, again bool, err error) {
	m, ok := st.(*Embedded) // where it can be seen whether the worker listens
	if !ok {
		return nil, false, nil
	}
	got, err := m.Push(message, message == "")
	if err != nil || !got.Listens {
		return nil, false, err
	}
	out = &PushResult{Worker: got.Worker, Message: message, Shown: []string{}, Read: got.Read, Error: got.Error, File: got.File, Line: got.Line, Column: got.Column}
	for _, n := range got.Shown {
		out.Shown = append(out.Shown, n.Title)
	}
	if out.Error != "" || len(out.Shown) == 0 {
		return out, out.Error != "", nil
	}
	tap, err := m.Tap("")
	if err != nil || tap == nil {
		return out, false, err
	}
	out.Tap = &TapResult{Listens: tap.Listens, Opened: tap.Opened, Focused: tap.Focused, Closed: tap.Closed, Error: tap.Error, File: tap.File, Line: tap.Line, Column: tap.Column}
	if tap.Opened != "" && strings.HasPrefix(tap.Opened, "/") {
		l, err := st.Shown()
		if err != nil {
			return nil, false, err
		}
		if l != nil {
			e.note(tap.Opened, l)
			out.Tap.Outcome = e.result(tap.Opened, stage.Online, l).Outcome
		}
	}
	return out, false, nil
}
