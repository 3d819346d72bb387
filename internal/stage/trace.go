package stage

import "fmt"

// TraceStep is one thing that happened on the way of a request.
type TraceStep struct {
	At   float64 // ms of virtual time since the browser was started
	Text string
	File string // of the worker's line, root-relative, "" when none is to be named
	Line int
}

// Trace has every step of what happens told from now on; nil ends it.
func (b *Browser) Trace(tell func(TraceStep)) { b.teller = tell }

// KeepParts has every load say what the page and its parts are.
func (b *Browser) KeepParts() { b.parts = true }

// maxTrace bounds the steps of one trace.
const maxTrace = 10_000

func (b *Browser) trace(at *scriptError, format string, args ...any) {
	if b.teller == nil || b.traced > maxTrace {
		return
	}
	b.traced++
	s := TraceStep{At: b.loop.now, Text: fmt.Sprintf(format, args...)}
	if at != nil {
		s.File, s.Line = at.file, at.line
	}
	b.teller(s)
}

// describeResponse says what an answer is.
func describeResponse(r *response) string {
	switch {
	case r == nil:
		return "nothing"
	case r.kind == "opaque" || r.kind == "opaqueredirect" || r.kind == "error":
		return "an " + r.kind + " response"
	}
	from := ""
	if r.body != nil && r.body.from != "" {
		from = ", from " + r.body.from
		if r.body.from == "network" {
			from = ", from the network"
		}
	}
	return fmt.Sprintf("status %d, %d bytes%s", r.status, len(r.bytes()), from)
}

// describeStored says what a stored answer is.
func describeStored(r *response) string {
	plain := *r
	if r.body != nil {
		plain.body = &blob{data: r.body.data}
	}
	return describeResponse(&plain)
}

// asWhat says how a request is made.
func asWhat(r *request) string {
	text := ""
	if r.method != "GET" {
		text += " by " + r.method
	}
	switch d := destination(r.destination); {
	case r.mode == "navigate":
		text += " as a page"
	case d != "":
		text += " as " + d
	}
	if r.cache != "" && r.cache != "default" {
		text += ", cache: " + r.cache
	}
	return text
}
