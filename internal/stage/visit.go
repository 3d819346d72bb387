package stage

import (
	"errors"
	"slices"
)

// What a visitor does in a tab whose page runs: going back and forward, and using what stands on it.

// entry is one entry of a tab's session history.
type entry struct {
	url, state string
	document   *document
}

// moved notes that the page changed its own address (HTML Standard, "URL and history update steps").
func (d *document) moved(url, how, state string) {
	t := d.tab
	t.url = url
	e := entry{url, state, d}
	if how == "replace" && len(t.history) > 0 {
		t.history[t.place] = e
	} else {
		t.history = append(t.history[:min(t.place+1, len(t.history))], e)
		t.place = len(t.history) - 1
	}
	d.loader.load.Shown = d.b.Relative(url)
}

// traverse goes back or forward in the history, in a task.
func (t *Tab) traverse(by int) {
	from := t.document()
	if from != nil {
		from.tasks++
	}
	t.b.loop.after(1, func() {
		if from != nil {
			from.tasks--
		}
		to := t.place + by
		if to < 0 || to >= len(t.history) {
			return
		}
		t.place = to
		e := t.history[to]
		t.url = e.url
		if d := t.document(); d != nil && e.document == d && !d.over {
			d.loader.load.Shown = t.b.Relative(e.url)
			d.hook("popstate", e.url, e.state)
			return
		}
		t.visit(e.url, visitOptions{traverse: true})
	})
}

// document is the running page that the tab shows, nil for none.
func (t *Tab) document() *document {
	if t.loader == nil {
		return nil
	}
	return t.loader.page
}

// Travel goes back (-1) or forward (1) in the tab's history, as the browser's buttons do.
func (t *Tab) Travel(by int) *Load {
	moved := false
	t.traverse(by)
	t.b.loop.after(2, func() { moved = true })
	t.b.loop.runUntil(func() bool { return moved && t.loaded() }, giveUp)
	return t.look()
}

// Reload loads what the tab shows again, past workers and caches, as a forced reload does; nil when it shows nothing.
func (t *Tab) Reload() *Load {
	if t.url == "" {
		return nil
	}
	t.led = 0
	t.visit(withoutFragment(t.url), visitOptions{reload: true, past: true})
	if !t.come() {
		t.loader.giveUp()
	}
	return t.look()
}

// ErrNoPage says that a tab shows no page whose scripts run.
var ErrNoPage = errors.New("the tab shows no page that is run")

// Act does something on the page: "click", "type", "choose" or "submit", on what a selector or a text names. found is false when there is
// no such thing.
func (t *Tab) Act(what, on, value string) (found bool, err error) {
	d := t.document()
	if d == nil || d.over {
		return false, ErrNoPage
	}
	args := []any{on}
	if what == "type" || what == "choose" {
		args = append(args, value)
	}
	v := d.hook(what, args...)
	found = v.ToBoolean()
	t.b.loop.runUntil(t.loaded, giveUp)
	d.since = t.b.loop.now
	t.b.loop.runUntil(t.loaded, giveUp)
	return found, nil
}

// Element says whether the page has an element that a selector or a text names.
func (t *Tab) Element(what string) bool {
	d := t.document()
	return d != nil && !d.over && d.hook("find", what).String() != ""
}

// Look reads again what the tab shows.
func (t *Tab) Look() *Load {
	t.b.loop.runUntil(t.loaded, giveUp)
	return t.look()
}

// Links gives where the links of the page lead, absolute, in their order.
func (t *Tab) Links() []string {
	d := t.document()
	if d == nil || d.over {
		return nil
	}
	list, _ := d.hook("links").Export().([]any) // none when the page has ended
	var out []string
	for _, v := range list {
		if u, _ := v.(string); u != "" && !slices.Contains(out, u) {
			out = append(out, u)
		}
	}
	return out
}
