package stage

import (
	"fmt"
	"slices"
	"strings"

	"github.com/dop251/goja"
)

func (w *worker) fromHeaders(list [][2]string) goja.Value {
	items := make([]any, len(list))
	for i, h := range list {
		items[i] = w.vm.NewArray(h[0], h[1])
	}
	return w.vm.NewArray(items...)
}

func (w *worker) toHeaders(v goja.Value) [][2]string {
	o, ok := v.(*goja.Object)
	if !ok {
		return nil
	}
	n := int(o.Get("length").ToInteger())
	out := make([][2]string, 0, n)
	for i := range n {
		p, ok := o.Get(itoa(i)).(*goja.Object)
		if !ok {
			continue
		}
		out = append(out, [2]string{p.Get("0").String(), p.Get("1").String()})
	}
	return out
}

// native gives the stage's own form of what a worker hands back.
func native[T any](o *goja.Object) (t T, ok bool) {
	v := o.Get("native")
	if v == nil || goja.IsNull(v) || goja.IsUndefined(v) {
		return t, false
	}
	t, ok = v.Export().(T)
	return t, ok
}

// fromRequest is what the prelude's requestFrom reads.
func (w *worker) fromRequest(r *request) goja.Value {
	o := w.vm.NewObject()
	referrer := r.referrer
	if referrer == "" {
		referrer = "about:client"
	}
	for _, f := range [...][2]string{{"url", r.url}, {"method", r.method}, {"mode", r.mode}, {"credentials", r.credentials}, {"cache", r.cache},
		{"redirect", r.redirect}, {"destination", destination(r.destination)}, {"referrer", referrer}, {"integrity", r.integrity}} {
		_ = o.Set(f[0], f[1])
	}
	_ = o.Set("reload", r.reload)
	_ = o.Set("native", w.vm.ToValue(r))
	_ = o.Set("body", w.handle(r.body))
	return o
}

// destination hides our own words from the worker.
func destination(d string) string {
	if d == "fetch" {
		return ""
	}
	return d
}

func (w *worker) toRequest(v goja.Value) *request {
	o := v.ToObject(w.vm)
	if n, ok := native[*request](o); ok { // it comes back as the worker got it
		r := *n
		r.destination, r.reload, r.body, r.headers = destination(r.destination), false, toBlob(o.Get("body")), slices.Clip(r.headers)
		if r.referrer == "" {
			r.referrer = "about:client"
		}
		return &r
	}
	s := func(k string) string { return o.Get(k).String() }
	return &request{url: s("url"), method: s("method"), mode: s("mode"), credentials: s("credentials"), cache: s("cache"), redirect: s("redirect"),
		destination: s("destination"), referrer: s("referrer"), integrity: s("integrity"), headers: w.toHeaders(o.Get("headers")), body: toBlob(o.Get("body"))}
}

// fromResponse is what the prelude's responseFrom reads.
func (w *worker) fromResponse(r *response) goja.Value {
	o := w.vm.NewObject()
	_ = o.Set("status", r.status)
	_ = o.Set("statusText", r.statusText)
	_ = o.Set("native", w.vm.ToValue(r))
	_ = o.Set("url", r.url)
	_ = o.Set("redirected", r.redirected)
	_ = o.Set("type", r.kind)
	_ = o.Set("body", w.handle(r.body))
	return o
}

func (w *worker) toResponse(v goja.Value) *response {
	o := v.ToObject(w.vm)
	if n, ok := native[*response](o); ok {
		r := *n
		r.headers = slices.Clip(r.headers)
		return &r
	}
	return &response{status: int(o.Get("status").ToInteger()), statusText: o.Get("statusText").String(), headers: w.toHeaders(o.Get("headers")),
		url: o.Get("url").String(), redirected: o.Get("redirected").ToBoolean(), kind: o.Get("type").String(), body: toBlob(o.Get("body"))}
}

// hostCaches gives the prelude the origin's CacheStorage.
func (w *worker) hostCaches(set setter) {
	vm := w.vm
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
	list := func(entries []*cacheEntry, f func(*cacheEntry) goja.Value) goja.Value {
		items := make([]any, len(entries))
		for i, e := range entries {
			items[i] = f(e)
		}
		return vm.NewArray(items...)
	}
	answer := func(c *cacheStore, e *cacheEntry) goja.Value {
		r := *e.res
		if r.body != nil {
			r.body = &blob{r.body.data, "store " + c.name}
		}
		return w.fromResponse(&r)
	}
	set("cacheOpen", func(c goja.FunctionCall) goja.Value {
		s := w.b.store.open(c.Argument(0).String())
		byID[int64(s.id)] = s
		return vm.ToValue(s.id)
	})
	set("cacheHas", func(c goja.FunctionCall) goja.Value { return vm.ToValue(w.b.store.find(c.Argument(0).String()) != nil) })
	set("cacheRemove", func(c goja.FunctionCall) goja.Value {
		name := c.Argument(0).String()
		if w.state == activating && w.filled[name] {
			w.b.remark(Remark{Kind: "own-store", Message: fmt.Sprintf("while it activates, the worker deletes the store %q that it filled while it installed; what it stored is gone", name), File: w.b.Relative(w.url)})
		}
		return vm.ToValue(w.b.store.remove(name))
	})
	set("cacheNames", func(goja.FunctionCall) goja.Value {
		var items []any
		for _, s := range w.b.store.stores {
			items = append(items, s.name)
		}
		return vm.NewArray(items...)
	})
	set("cacheMatch", func(c goja.FunctionCall) goja.Value {
		s := store(c.Argument(0))
		req := w.toRequest(c.Argument(1))
		if found := s.match(req, options(c.Argument(2))); len(found) > 0 {
			w.b.trace(nil, "it looks for %s in the store %q: %s", w.b.Relative(req.url), s.name, describeStored(found[0].res))
			return answer(s, found[0])
		}
		w.b.trace(nil, "it looks for %s in the store %q: not there", w.b.Relative(req.url), s.name)
		return goja.Null()
	})
	set("cacheMatchAny", func(c goja.FunctionCall) goja.Value {
		req, o := w.toRequest(c.Argument(0)), options(c.Argument(1))
		for _, s := range w.b.store.stores {
			if o.cacheName != "" && s.name != o.cacheName {
				continue
			}
			if found := s.match(req, o); len(found) > 0 {
				if o.cacheName != "" {
					w.b.trace(nil, "it looks for %s in the store %q: %s", w.b.Relative(req.url), s.name, describeStored(found[0].res))
				} else {
					w.b.trace(nil, "it looks for %s in all stores: in %q, %s", w.b.Relative(req.url), s.name, describeStored(found[0].res))
				}
				return answer(s, found[0])
			}
		}
		where := "all stores"
		if o.cacheName != "" {
			where = fmt.Sprintf("the store %q", o.cacheName)
		}
		w.b.trace(nil, "it looks for %s in %s: not there", w.b.Relative(req.url), where)
		return goja.Null()
	})
	all := func(c goja.FunctionCall) []*cacheEntry {
		s := store(c.Argument(0))
		if goja.IsNull(c.Argument(1)) {
			return s.entries
		}
		return s.match(w.toRequest(c.Argument(1)), options(c.Argument(2)))
	}
	set("cacheMatchAll", func(c goja.FunctionCall) goja.Value {
		return list(all(c), func(e *cacheEntry) goja.Value { return answer(store(c.Argument(0)), e) })
	})
	set("cacheKeys", func(c goja.FunctionCall) goja.Value {
		return list(all(c), func(e *cacheEntry) goja.Value { return w.fromRequest(e.req) })
	})
	set("cacheDelete", func(c goja.FunctionCall) goja.Value {
		s := store(c.Argument(0))
		return vm.ToValue(w.b.store.delete(s, s.match(w.toRequest(c.Argument(1)), options(c.Argument(2)))))
	})
	set("cachePut", func(c goja.FunctionCall) goja.Value {
		s := store(c.Argument(0))
		req, res := w.toRequest(c.Argument(1)), w.toResponse(c.Argument(2))
		m := w.b.store.put(s, req, res)
		if w.state == installing {
			if w.filled == nil {
				w.filled = map[string]bool{}
			}
			w.filled[s.name] = true
		}
		if res.kind == "opaque" && !s.opaque {
			s.opaque = true
			w.b.remark(Remark{Kind: "stored-opaque", Message: fmt.Sprintf("opaque answers of other origins go to the store %q: errors among them cannot be told from successes, and browsers count megabytes for each", s.name), File: w.b.Relative(w.url), URL: req.url})
		}
		w.b.trace(nil, "it stores %s in %q: %s%s", w.b.Relative(req.url), s.name, describeResponse(res), strings.TrimSuffix(": "+m, ": "))
		if m != "" {
			return vm.ToValue(m)
		}
		return undefined
	})
}

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
				t.controller = w
			}
		}
		return undefined
	})
	set("postToClient", func(c goja.FunctionCall) goja.Value {
		for _, t := range w.b.tabs {
			if t.id == c.Argument(0).String() {
				t.Messages = append(t.Messages, c.Argument(1).Export())
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
	set("broadcast", func(goja.FunctionCall) goja.Value { return undefined })
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
	set("online", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.b.network != Offline) })
	set("estimate", func(goja.FunctionCall) goja.Value {
		o := vm.NewObject()
		_ = o.Set("usage", w.b.store.bytes)
		_ = o.Set("quota", w.b.store.quota)
		return o
	})
	set("preload", func(c goja.FunctionCall) goja.Value {
		if !goja.IsNull(c.Argument(0)) {
			w.preload = c.Argument(0).ToBoolean()
		}
		return undefined
	})
	set("preloadState", func(goja.FunctionCall) goja.Value {
		o := vm.NewObject()
		_ = o.Set("enabled", w.preload)
		_ = o.Set("headerValue", "true")
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
