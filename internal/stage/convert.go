package stage

import (
	"cmp"
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/dop251/goja"
)

// hostCaches gives the prelude the origin's CacheStorage.
func (g *realm) hostCaches(set setter) {
	vm := g.vm
	undefined := goja.Undefined()
	byID := map[int64]*cacheStore{} // stores stay usable after they were deleted
	store := func(v goja.Value) *cacheStore {
		return byID[v.ToInteger()]
	}
	options := func(v goja.Value) matchOptions {
		o, ok := v.(*goja.Object)
		if !ok {
			return matchOptions{}
		}
		flag := func(k string) bool { x := o.Get(k); return x != nil && x.ToBoolean() }
		m := matchOptions{ignoreSearch: flag("ignoreSearch"), ignoreMethod: flag("ignoreMethod"), ignoreVary: flag("ignoreVary")}
		if n := o.Get("cacheName"); n != nil && !goja.IsUndefined(n) {
			m.cacheName = n.String()
		}
		return m
	}
	all := func(entries []*cacheEntry, f func(*cacheEntry) goja.Value) goja.Value {
		items := make([]any, len(entries))
		for i, e := range entries {
			items[i] = f(e)
		}
		return vm.NewArray(items...)
	}
	answer := func(c *cacheStore, e *cacheEntry) goja.Value {
		r := *e.res
		r.own = true // scripts may change the headers of what comes out of a store, as in Chromium
		if r.body != nil {
			r.body = &blob{r.body.data, "store " + c.name}
		}
		return g.fromResponse(&r)
	}
	// every operation on stores is done in a task of its own
	does := func(name string, f func(c goja.FunctionCall) func() goja.Value) {
		set(name, func(c goja.FunctionCall) goja.Value {
			g.noteStore()
			do := f(c)
			return g.soon(func() (goja.Value, goja.Value) { return do(), nil })
		})
	}
	does("cacheOpen", func(c goja.FunctionCall) func() goja.Value {
		name := c.Argument(0).String()
		return func() goja.Value {
			s := g.b.store.open(name)
			byID[int64(s.id)] = s
			v, err := g.hooks["cache"](undefined, vm.ToValue(s.id))
			if err != nil {
				return undefined
			}
			return v
		}
	})
	does("cacheHas", func(c goja.FunctionCall) func() goja.Value {
		name := c.Argument(0).String()
		return func() goja.Value { return vm.ToValue(g.b.store.find(name) != nil) }
	})
	does("cacheRemove", func(c goja.FunctionCall) func() goja.Value {
		name := c.Argument(0).String()
		return func() goja.Value {
			if g.in.phase() == activating && g.filled[name] {
				g.b.remark(Remark{Kind: "own-store", Message: fmt.Sprintf("while it activates, the worker deletes the store %q that it filled while it installed; what it stored is gone", name), File: g.b.Relative(g.url)})
			}
			return vm.ToValue(g.b.store.remove(name))
		}
	})
	does("cacheNames", func(goja.FunctionCall) func() goja.Value {
		return func() goja.Value {
			var items []any
			for _, s := range g.b.store.stores {
				items = append(items, s.name)
			}
			return vm.NewArray(items...)
		}
	})
	does("cacheMatch", func(c goja.FunctionCall) func() goja.Value {
		s, req, o := store(c.Argument(0)), g.toRequest(c.Argument(1), c.Argument(2), goja.Null()), options(c.Argument(3))
		return func() goja.Value {
			if found := s.match(req, o); len(found) > 0 {
				g.b.trace(nil, "it looks for %s in the store %q: %s", g.b.Relative(req.url), s.name, describeStored(found[0].res))
				return answer(s, found[0])
			}
			g.b.trace(nil, "it looks for %s in the store %q: not there", g.b.Relative(req.url), s.name)
			return undefined
		}
	})
	does("cacheMatchAny", func(c goja.FunctionCall) func() goja.Value {
		req, o := g.toRequest(c.Argument(0), c.Argument(1), goja.Null()), options(c.Argument(2))
		return func() goja.Value {
			for _, s := range g.b.store.stores {
				if o.cacheName != "" && s.name != o.cacheName {
					continue
				}
				if found := s.match(req, o); len(found) > 0 {
					if o.cacheName != "" {
						g.b.trace(nil, "it looks for %s in the store %q: %s", g.b.Relative(req.url), s.name, describeStored(found[0].res))
					} else {
						g.b.trace(nil, "it looks for %s in all stores: in %q, %s", g.b.Relative(req.url), s.name, describeStored(found[0].res))
					}
					return answer(s, found[0])
				}
			}
			where := "all stores"
			if o.cacheName != "" {
				where = fmt.Sprintf("the store %q", o.cacheName)
			}
			g.b.trace(nil, "it looks for %s in %s: not there", g.b.Relative(req.url), where)
			return undefined
		}
	})
	entries := func(c goja.FunctionCall) (*cacheStore, func() []*cacheEntry) {
		s := store(c.Argument(0))
		if goja.IsNull(c.Argument(1)) {
			return s, func() []*cacheEntry { return s.entries }
		}
		req, o := g.toRequest(c.Argument(1), c.Argument(2), goja.Null()), options(c.Argument(3))
		return s, func() []*cacheEntry { return s.match(req, o) }
	}
	does("cacheMatchAll", func(c goja.FunctionCall) func() goja.Value {
		s, list := entries(c)
		return func() goja.Value { return all(list(), func(e *cacheEntry) goja.Value { return answer(s, e) }) }
	})
	does("cacheKeys", func(c goja.FunctionCall) func() goja.Value {
		_, list := entries(c)
		return func() goja.Value {
			return all(list(), func(e *cacheEntry) goja.Value {
				r := *e.req
				r.own = true
				v, err := g.hooks["request"](undefined, g.hold(&r))
				if err != nil {
					return undefined
				}
				return v
			})
		}
	})
	does("cacheDelete", func(c goja.FunctionCall) func() goja.Value {
		s, list := entries(c)
		return func() goja.Value { return vm.ToValue(g.b.store.delete(s, list())) }
	})
	set("cacheRefuses", func(c goja.FunctionCall) goja.Value { // what no store takes (Service Workers, section 5.4.5)
		r := g.toResponse(c.Argument(0), c.Argument(1), undefined)
		switch {
		case r.hidden():
		case r.status == 206:
			return vm.ToValue("Partial response (status code 206) is unsupported")
		case slices.Contains(strings.FieldsFunc(r.header("vary"), func(c rune) bool { return c == ',' || c == ' ' }), "*"):
			return vm.ToValue("Vary header contains *")
		}
		return goja.Null()
	})
	set("cacheDoubts", func(c goja.FunctionCall) goja.Value { // what should not be stored
		req, res := g.toRequest(c.Argument(0), c.Argument(1), goja.Null()), g.toResponse(c.Argument(2), c.Argument(3), undefined)
		if res.hidden() {
			return undefined
		}
		switch {
		case res.status >= 400:
			at := g.here()
			g.b.remark(Remark{Kind: "stored-error", Message: "an answer with status " + itoa(res.status) + " is stored as if it were good; visitors get it even when the server is well again",
				File: at.file, Line: at.line, Column: at.column, URL: g.b.Relative(req.url)})
		case req.header("authorization") != "" || private.MatchString(res.header("cache-control")) || personal.MatchString(res.header("vary")):
			at := g.here()
			g.b.remark(Remark{Kind: "stored-private", Message: "an answer for one person is stored for everybody who uses this browser",
				File: at.file, Line: at.line, Column: at.column, URL: g.b.Relative(req.url)})
		}
		return undefined
	})
	set("cachePut", func(c goja.FunctionCall) goja.Value {
		s, req, res := store(c.Argument(0)), g.toRequest(c.Argument(1), c.Argument(2), goja.Null()), g.toResponse(c.Argument(3), c.Argument(4), c.Argument(5))
		if w, ok := g.in.(*worker); ok {
			w.unawaited(req.url)
		}
		return g.soon(func() (goja.Value, goja.Value) {
			by := "worker"
			switch {
			case g.what == "the page":
				by = "page"
			case g.in.phase() == installing:
				by = "install"
			}
			m := g.b.store.put(s, req, res, by, g.b.loop.now)
			if g.in.phase() == installing {
				if g.filled == nil {
					g.filled = map[string]bool{}
				}
				g.filled[s.name] = true
			}
			if res.kind == "opaque" && !s.opaque {
				s.opaque = true
				g.b.remark(Remark{Kind: "stored-opaque", Message: fmt.Sprintf("opaque answers of other origins go to the store %q: errors among them cannot be told from successes, and browsers count megabytes for each", s.name), File: g.b.Relative(g.url), URL: req.url})
			}
			g.b.trace(nil, "it stores %s in %q: %s%s", g.b.Relative(req.url), s.name, describeResponse(res), strings.TrimSuffix(": "+m, ": "))
			if m != "" {
				return nil, g.exception(m, "QuotaExceededError")
			}
			return undefined, nil
		})
	})
}

// private and personal are what the headers of answers say that are meant for one person.
var (
	private  = regexp.MustCompile(`(?i)\bprivate\b`)
	personal = regexp.MustCompile(`(?i)cookie|authorization`)
)

// hostClients gives the prelude clients, registration and lifecycle.
func (w *worker) hostClients(set setter) {
	vm := w.vm
	undefined := goja.Undefined()
	info := func(t *Tab) goja.Value {
		o := vm.NewObject()
		_ = o.Set("id", t.id)
		_ = o.Set("url", t.url)
		_ = o.Set("type", "window")
		_ = o.Set("frameType", "top-level")
		_ = o.Set("focused", t == w.b.tabs[len(w.b.tabs)-1])
		return o
	}
	set("client", func(c goja.FunctionCall) goja.Value {
		for _, t := range w.b.tabs {
			if t.id == c.Argument(0).String() {
				return info(t)
			}
		}
		return goja.Null()
	})
	set("clients", func(c goja.FunctionCall) goja.Value {
		var items []any
		if k := c.Argument(1).String(); k == "window" || k == "all" {
			for _, t := range w.b.tabs {
				if t.id != "" && (c.Argument(0).ToBoolean() || t.controller == w) {
					items = append(items, info(t))
				}
			}
		}
		return vm.NewArray(items...)
	})
	set("claim", func(goja.FunctionCall) goja.Value {
		if w.reg.active != w {
			return vm.ToValue("Only the active worker can claim clients.")
		}
		for _, t := range w.b.tabs {
			if t.id != "" && w.b.find(t.url) == w.reg {
				t.controlledBy(w)
			}
		}
		return undefined
	})
	set("postToClient", func(c goja.FunctionCall) goja.Value {
		for _, t := range w.b.tabs {
			if t.id == c.Argument(0).String() {
				t.Messages = append(t.Messages, c.Argument(1).Export())
				if d := t.document(); d != nil && !d.over {
					d.later("message", carry(c.Argument(1), d.vm), d.workerValue(w))
				}
			}
		}
		return undefined
	})
	set("navigateClient", func(c goja.FunctionCall) goja.Value {
		id, abs := c.Argument(0).String(), c.Argument(1).String()
		done, _ := goja.AssertFunction(c.Argument(2))
		i := slices.IndexFunc(w.b.tabs, func(t *Tab) bool { return t.id == id })
		if i < 0 {
			return vm.ToValue("The client was not found.")
		}
		t := w.b.tabs[i]
		why := t.ledBy(w, abs, func() {
			to := goja.Null()
			if t.id != "" && strings.HasPrefix(t.url, w.b.origin+"/") {
				to = info(t)
			}
			w.task(0, done, to)
		})
		return vm.ToValue(why)
	})
	set("broadcast", func(c goja.FunctionCall) goja.Value {
		for _, t := range w.b.tabs {
			if d := t.document(); d != nil && !d.over {
				d.later("broadcast", c.Argument(0).String(), carry(c.Argument(1), d.vm))
			}
		}
		return undefined
	})
	set("skipWaiting", func(goja.FunctionCall) goja.Value {
		w.skip = true
		w.b.loop.after(0, func() {
			if w.reg.waiting == w {
				w.reg.tryActivate()
			}
		})
		return undefined
	})
	set("scriptURL", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.url) })
	set("scope", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.reg.scope) })
	set("viaCache", func(goja.FunctionCall) goja.Value { return vm.ToValue(cmp.Or(w.reg.viaCache, "imports")) })
	set("workerState", func(goja.FunctionCall) goja.Value { return vm.ToValue(string(w.state)) })
	set("has", func(c goja.FunctionCall) goja.Value {
		switch c.Argument(0).String() {
		case "active":
			return vm.ToValue(w.reg.active != nil)
		case "waiting":
			return vm.ToValue(w.reg.waiting != nil)
		}
		return vm.ToValue(w.reg.installing != nil)
	})
	set("preload", func(c goja.FunctionCall) goja.Value { // Service Workers, section 3.4: it belongs to the registration
		if w.reg.active == nil {
			return vm.ToValue("Registration failed - no active Service Worker")
		}
		if !goja.IsNull(c.Argument(0)) {
			w.reg.preload = c.Argument(0).ToBoolean()
		}
		if !goja.IsNull(c.Argument(1)) {
			w.reg.preloadValue = c.Argument(1).String()
		}
		return undefined
	})
	set("preloadState", func(goja.FunctionCall) goja.Value {
		o := vm.NewObject()
		_ = o.Set("enabled", w.reg.preload)
		_ = o.Set("headerValue", cmp.Or(w.reg.preloadValue, "true"))
		return o
	})
	set("addRoutes", func(c goja.FunctionCall) goja.Value {
		if err := w.addRoutes(c.Argument(0).String()); err != nil {
			return vm.ToValue("Failed to execute 'addRoutes' on 'InstallEvent': " + err.Error())
		}
		return undefined
	})
	set("sync", func(c goja.FunctionCall) goja.Value {
		w.reg.sync(c.Argument(0).String())
		return undefined
	})
	set("syncTags", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.reg.syncTags) })
	set("update", func(goja.FunctionCall) goja.Value { w.reg.update(); return undefined })
	set("unregister", func(goja.FunctionCall) goja.Value {
		for i, r := range w.b.regs {
			if r == w.reg {
				w.b.regs = append(w.b.regs[:i:i], w.b.regs[i+1:]...)
				break
			}
		}
		return undefined
	})
}
