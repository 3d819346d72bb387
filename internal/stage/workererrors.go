package stage

import (
	"slices"
	"strings"

	"github.com/dop251/goja"
)

// thrown notes an exception that nothing caught, unless the worker says that it has dealt with it.
func (w *worker) thrown(where string, v goja.Value, e *scriptError) {
	dealt := w.uncaught(v, e)
	if !strings.HasPrefix(where, "in ") {
		w.failed = e
		where = "in the " + where + " handler"
	}
	if dealt || w.reg.lacks(w, e) {
		return
	}
	w.b.remark(Remark{Kind: "exception", Message: e.message + " (" + where + ")", File: e.file, Line: e.line, Column: e.column})
}

// uncaught tells the worker's own listeners of an exception that nothing caught (HTML Standard, "report an exception"), and says whether one of them
// has dealt with it.
func (w *worker) uncaught(v goja.Value, e *scriptError) bool {
	f := w.hooks["uncaught"]
	if f == nil || w.vm == nil || w.telling || !w.listens["error"] {
		return false
	}
	if v == nil {
		v = goja.Undefined()
	}
	file := e.file
	if u, err := w.b.absolute(file); err == nil && file != "" {
		file = u
	}
	w.telling = true
	r, err := w.call(f, v, w.vm.ToValue("Uncaught "+e.message), w.vm.ToValue(file), w.vm.ToValue(e.line), w.vm.ToValue(e.column))
	w.telling = false
	return err == nil && r != nil && r.ToBoolean()
}

// rejections tells the worker's own listeners of promises that were rejected and that nobody has a handler for (HTML Standard, "notify about rejected
// promises").
func (w *worker) rejections() {
	for len(w.rejected) > 0 && w.vm != nil {
		p := w.rejected[0]
		w.rejected = w.rejected[1:]
		if f := w.hooks["rejected"]; f != nil && p.State() == goja.PromiseStateRejected {
			if _, err := w.call(f, w.vm.ToValue(p), p.Result()); err != nil {
				w.report("task", err)
			}
		}
	}
}

// watchRejections has rejections looked at once what runs is over.
func (w *worker) watchRejections() {
	w.vm.SetPromiseRejectionTracker(func(p *goja.Promise, op goja.PromiseRejectionOperation) {
		if op == goja.PromiseRejectionHandle {
			w.rejected = slices.DeleteFunc(w.rejected, func(q *goja.Promise) bool { return q == p })
			return
		}
		if !w.listens["unhandledrejection"] || len(w.rejected) >= maxRejected {
			return
		}
		if w.rejected = append(w.rejected, p); len(w.rejected) == 1 {
			gen := w.running
			w.b.loop.after(0, func() {
				if gen == w.running {
					w.rejections()
				}
			})
		}
	})
}

// maxRejected is how many rejected promises wait to be told of.
const maxRejected = 1000
