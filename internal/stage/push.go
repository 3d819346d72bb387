package stage

import (
	"slices"
	"strings"

	"github.com/dop251/goja"
)

// Push messages and notifications, as for a visitor who has allowed them (Push API; Notifications API Standard).

// Notification is one that a worker shows.
type Notification struct {
	Title, Body, Tag string
	Actions          []string // their names

	id   int
	text string // everything of it, as JSON
}

// Event is what came of an event that the browser gave to a worker.
type Event struct {
	Worker  string // root-relative, "" when none was there
	Listens bool   // the worker has a handler
	Shown   []Notification
	Opened  string // address of the page that the handler opened, "" for none
	Focused string // address of the page that it brought to the front
	Closed  bool   // the notification that was tapped is gone
	Read    bool   // the handler looked at what the message says

	// Error is what the handler threw or rejected with, "" for nothing, with its place.
	Error        string
	File         string
	Line, Column int
}

// pushed gives the registration that push messages come to: the one whose worker listens for them, else the first that is active.
func (b *Browser) pushed(event string) *registration {
	var first *registration
	for _, r := range b.regs {
		if r.active == nil {
			continue
		}
		if r.active.start() == nil && r.active.listens[event] {
			return r
		}
		if first == nil {
			first = r
		}
	}
	return first
}

// Push lets a push message come; without a text it is empty. It waits until the worker has done with it.
func (b *Browser) Push(text string, empty bool) *Event {
	b.allowed = true
	var data any
	if !empty {
		data = text
	}
	before := b.notifications()
	e := b.dispatch("push", "push", data)
	for _, n := range b.notifications() {
		if !slices.ContainsFunc(before, func(o Notification) bool { return o.id == n.id }) {
			e.Shown = append(e.Shown, n)
		}
	}
	return e
}

// Sync lets the browser fire the event of a tag, though nobody has registered it.
func (b *Browser) Sync(tag string) *Event { return b.dispatch("sync", "sync", tag, false) }

// TapNotification taps on the notification shown last, or on one of its actions; nil when none is shown.
func (b *Browser) TapNotification(action string) *Event {
	for i := len(b.regs) - 1; i >= 0; i-- {
		r := b.regs[i]
		if len(r.notes) == 0 || r.active == nil {
			continue
		}
		n := r.notes[len(r.notes)-1]
		b.activated = true
		b.opened, b.focused = "", ""
		e := b.dispatch("notificationclick", "notificationclick", n.text, n.id, action)
		b.activated = false
		e.Opened, e.Focused = b.opened, b.focused
		e.Closed = !slices.ContainsFunc(r.notes, func(o Notification) bool { return o.id == n.id })
		return e
	}
	return nil
}

// dispatch gives an event to the worker that listens for it, and waits until that has done with it.
func (b *Browser) dispatch(event, hook string, args ...any) *Event {
	out := &Event{}
	r := b.pushed(event)
	if r == nil {
		return out
	}
	w := r.active
	out.Worker = b.Relative(w.url)
	if err := w.start(); err != nil {
		out.Error = err.Error()
		return out
	}
	if out.Listens = w.listens[event]; !out.Listens {
		return out
	}
	b.trace(nil, "the event %s comes to the worker %s", event, b.Relative(w.url))
	var failed *scriptError
	w.failed, w.read = nil, false
	over := false
	w.event(hook, func(e *scriptError) { failed, over = e, true }, args...)
	b.loop.runUntil(func() bool { return over }, maxEvent)
	out.Read = w.read
	if failed == nil {
		failed = w.failed
	}
	if failed != nil {
		out.Error, out.File, out.Line, out.Column = failed.message, failed.file, failed.line, failed.column
	}
	return out
}

// notifications lists what is shown, the last at the end.
func (b *Browser) notifications() []Notification {
	var out []Notification
	for _, r := range b.regs {
		out = append(out, r.notes...)
	}
	return out
}

// Notifications lists what workers have shown and nobody has closed.
func (b *Browser) Notifications() []Notification { return b.notifications() }

// maxNotes is how many notifications a registration can show; browsers drop the oldest.
const maxNotes = 50

// hostNotifications gives the prelude of workers what it needs for notifications.
func (w *worker) hostNotifications(set setter) {
	vm := w.vm
	set("messageRead", func(goja.FunctionCall) goja.Value { w.read = true; return goja.Undefined() })
	undefined := goja.Undefined()
	set("notify", func(c goja.FunctionCall) goja.Value {
		if !w.b.allowed {
			return vm.ToValue("No notification permission has been granted for this origin.")
		}
		w.b.notes++
		n := Notification{Title: c.Argument(0).String(), Body: c.Argument(1).String(), Tag: c.Argument(2).String(), id: w.b.notes, text: c.Argument(4).String()}
		if list, ok := c.Argument(3).Export().([]any); ok {
			for _, a := range list {
				if s, ok := a.(string); ok {
					n.Actions = append(n.Actions, s)
				}
			}
		}
		if n.Tag != "" {
			w.reg.notes = slices.DeleteFunc(w.reg.notes, func(o Notification) bool { return o.Tag == n.Tag })
		}
		if len(w.reg.notes) >= maxNotes {
			w.reg.notes = slices.Delete(w.reg.notes, 0, 1)
		}
		w.reg.notes = append(w.reg.notes, n)
		w.b.trace(nil, "the notification %q is shown", n.Title)
		return goja.Null()
	})
	set("shown", func(goja.FunctionCall) goja.Value {
		var out []any
		for _, n := range w.reg.notes {
			o := vm.NewObject()
			_ = o.Set("id", n.id)
			_ = o.Set("text", n.text)
			out = append(out, o)
		}
		return vm.NewArray(out...)
	})
	set("closeNotification", func(c goja.FunctionCall) goja.Value {
		id := int(c.Argument(0).ToInteger())
		w.reg.notes = slices.DeleteFunc(w.reg.notes, func(o Notification) bool { return o.id == id })
		return undefined
	})
	set("openWindow", func(c goja.FunctionCall) goja.Value { // Service Workers, section 4.3.4
		abs := c.Argument(0).String()
		done, _ := goja.AssertFunction(c.Argument(1))
		if !w.b.activated {
			return vm.ToValue("Not allowed to open a window.")
		}
		w.b.activated = false // one window for a tap
		w.b.opened = w.b.Relative(abs)
		if !strings.HasPrefix(abs, w.b.origin+"/") {
			w.task(0, done, goja.Null()) // what is on another origin is not told
			return goja.Null()
		}
		t := w.b.NewTab()
		w.b.fresh = t
		t.lead(abs, func() { w.task(0, done, vm.ToValue(t.id)) })
		return goja.Null()
	})
	set("focusClient", func(c goja.FunctionCall) goja.Value {
		if !w.b.activated {
			return vm.ToValue("Not allowed to focus a window.")
		}
		w.b.activated = false
		i := slices.IndexFunc(w.b.tabs, func(t *Tab) bool { return t.id == c.Argument(0).String() })
		if i < 0 {
			return vm.ToValue("The client was not found.")
		}
		t := w.b.tabs[i]
		w.b.focused = w.b.Relative(t.url)
		w.b.tabs = append(slices.Delete(w.b.tabs, i, i+1), t)
		return goja.Null()
	})
}

// Fresh gives the tab that a worker opened since the last call, nil for none.
func (b *Browser) Fresh() *Tab {
	t := b.fresh
	b.fresh = nil
	return t
}

// Front gives the tab that is in front, nil for none.
func (b *Browser) Front() *Tab {
	if len(b.tabs) == 0 {
		return nil
	}
	return b.tabs[len(b.tabs)-1]
}

// OpenForm navigates the tab by a form that is posted.
func (t *Tab) OpenForm(url, body, contentType string) (*Load, error) {
	abs, err := t.b.absolute(url)
	if err != nil {
		return nil, err
	}
	t.led = 0
	t.visit(abs, visitOptions{method: "POST", body: body, contentType: contentType})
	if !t.come() {
		t.loader.giveUp()
	}
	return t.look(), nil
}
