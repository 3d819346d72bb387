package stage

import (
	"maps"
	"slices"
)

// Fork gives another browser that begins where this one stands: with what is stored, the workers as they were installed, and
// the tabs in their order. What goes on in the background stays here. Both may be used at the same time.
func (b *Browser) Fork() (*Browser, []*Tab) {
	f := New(b.server, b.others, b.limits)
	f.network, f.faults, f.docs, f.parts, f.random, f.nextTab, f.scripts, f.again, f.allowed, f.notes = b.network, b.faults, b.docs, b.parts, b.random, b.nextTab, b.scripts, b.again, b.allowed, b.notes
	f.loop.now = b.loop.now
	f.Restore(b.Snapshot())
	workers := map[*worker]*worker{}
	for _, r := range b.regs {
		n := &registration{b: f, scope: r.scope, script: r.script, module: r.module, viaCache: r.viaCache, checked: r.checked, error: r.error, unknown: r.unknown, syncTags: slices.Clone(r.syncTags), syncing: map[string]bool{},
			preload: r.preload, preloadValue: r.preloadValue, notes: slices.Clone(r.notes)}
		move := func(w *worker) *worker {
			if w == nil {
				return nil
			}
			workers[w] = &worker{realm: realm{b: f, url: w.url, filled: maps.Clone(w.filled), running: w.running}, reg: n, module: w.module, scripts: maps.Clone(w.scripts), state: w.state, skip: w.skip, unknown: w.unknown, unkept: w.unkept,
				listens: maps.Clone(w.listens), routes: slices.Clone(w.routes)}
			return workers[w]
		}
		n.waiting, n.active = move(r.waiting), move(r.active)
		f.regs = append(f.regs, n)
	}
	for _, t := range b.tabs {
		f.tabs = append(f.tabs, &Tab{b: f, id: t.id, url: t.url, controller: workers[t.controller], Messages: slices.Clone(t.Messages), session: maps.Clone(t.session)})
	}
	return f, slices.Clone(f.tabs)
}
