package stage

import (
	"net/http"
	"slices"
	"sort"
	"strings"

	"github.com/dop251/goja"

	"tachyform.dev/tachyform/internal/markup"
)

// hostObject adds what only pages have.
func (d *document) hostObject() *goja.Object {
	o, set := d.host()
	vm := d.vm
	vm.SetPromiseRejectionTracker(func(p *goja.Promise, op goja.PromiseRejectionOperation) {
		if op == goja.PromiseRejectionReject {
			d.rejected = append(d.rejected, p)
		} else {
			for i, q := range d.rejected {
				if q == p {
					d.rejected = append(d.rejected[:i:i], d.rejected[i+1:]...)
					break
				}
			}
		}
	})
	undefined := goja.Undefined()
	_ = vm.GlobalObject().DefineDataProperty(hidden+"i", vm.ToValue(func(c goja.FunctionCall) goja.Value {
		return d.importer(c.Argument(0).String())(goja.FunctionCall{Arguments: c.Arguments[1:]})
	}), goja.FLAG_FALSE, goja.FLAG_FALSE, goja.FLAG_FALSE)
	does := func(name string, f func(c goja.FunctionCall)) {
		set(name, func(c goja.FunctionCall) goja.Value { f(c); return undefined })
	}
	// open defines properties as descriptors have them, and lets them be changed.
	open := func(o, list *goja.Object) {
		for _, k := range list.Keys() {
			d := list.Get(k).ToObject(vm)
			enumerable := goja.FLAG_FALSE
			if e := d.Get("enumerable"); e != nil && e.ToBoolean() {
				enumerable = goja.FLAG_TRUE
			}
			get, put := d.Get("get"), d.Get("set")
			if get != nil || put != nil {
				_ = o.DefineAccessorProperty(k, get, put, goja.FLAG_TRUE, enumerable)
				continue
			}
			_ = o.DefineDataProperty(k, d.Get("value"), goja.FLAG_TRUE, goja.FLAG_TRUE, enumerable)
		}
	}
	set("create", func(c goja.FunctionCall) goja.Value {
		var o *goja.Object
		if p, ok := c.Argument(0).(*goja.Object); ok {
			o = vm.CreateObject(p)
		} else {
			o = vm.CreateObject(nil)
		}
		if d, ok := c.Argument(1).(*goja.Object); ok {
			open(o, d)
		}
		return o
	})
	set("define", func(c goja.FunctionCall) goja.Value {
		open(c.Argument(0).ToObject(vm), c.Argument(1).ToObject(vm))
		return c.Argument(0)
	})
	// globals gives the global object what a script sees by its name; interfaces say how they are called.
	set("globals", func(c goja.FunctionCall) goja.Value {
		all, interfaces, global := c.Argument(0).ToObject(vm), c.Argument(1).ToBoolean(), vm.GlobalObject()
		for _, k := range all.Keys() {
			v := all.Get(k)
			_ = global.DefineDataProperty(k, v, goja.FLAG_TRUE, goja.FLAG_TRUE, goja.FLAG_FALSE)
			if o, ok := v.(*goja.Object); ok && interfaces {
				if p, ok := o.Get("prototype").(*goja.Object); ok && !slices.ContainsFunc(p.Symbols(), func(s *goja.Symbol) bool { return s == goja.SymToStringTag }) {
					_ = p.DefineDataPropertySymbol(goja.SymToStringTag, vm.ToValue(k), goja.FLAG_FALSE, goja.FLAG_TRUE, goja.FLAG_FALSE)
				}
			}
		}
		return undefined
	})
	set("dom", func(c goja.FunctionCall) goja.Value {
		p, err := dominoProgram()
		if err != nil {
			panic(vm.NewGoError(err))
		}
		v, err := vm.RunProgram(p)
		if err != nil {
			panic(vm.NewGoError(err))
		}
		f, _ := goja.AssertFunction(v)
		made, err := f(undefined, vm.NewObject(), undefined, undefined, undefined, undefined, c.Argument(0))
		if err != nil {
			panic(vm.NewGoError(err))
		}
		return made
	})
	does("then", func(c goja.FunctionCall) {
		if f, ok := goja.AssertFunction(c.Argument(0)); ok {
			d.next = append(d.next, f)
		}
	})
	set("place", func(goja.FunctionCall) goja.Value {
		d.unlike = true
		if p := d.b.place; p != nil {
			return vm.ToValue([]float64{p[0], p[1]})
		}
		return goja.Null()
	})
	does("thrown", func(c goja.FunctionCall) {
		e := d.describe(c.Argument(1))
		d.uncaught(c.Argument(1), e)
	})
	does("uncaught", func(c goja.FunctionCall) { d.uncaught(c.Argument(0), d.describe(c.Argument(0))) })
	does("addAllFailed", func(goja.FunctionCall) {})
	does("classic", func(c goja.FunctionCall) {
		came, _ := goja.AssertFunction(c.Argument(2))
		d.classic(c.Argument(0).String(), c.Argument(1).ToObject(vm), came)
	})
	does("module", func(c goja.FunctionCall) {
		came, _ := goja.AssertFunction(c.Argument(3))
		var inline *string
		if s := c.Argument(1); !goja.IsNull(s) {
			t := s.String()
			inline = &t
		}
		var at place
		if inline != nil {
			at = d.placeOf(*inline)
		}
		options, _ := c.Argument(2).(*goja.Object)
		d.loadModule(c.Argument(0).String(), inline, at, text(options, "crossorigin"), text(options, "integrity"), func(m *module) {
			run := undefined
			if m.state != moduleMissing {
				run = vm.ToValue(func(goja.FunctionCall) goja.Value { d.evaluateModule(m, nil); return undefined })
			}
			d.report("module", d.enter(came, run))
		})
	})
	set("execute", func(c goja.FunctionCall) goja.Value {
		d.execute(c.Argument(0).String(), c.Argument(1).String(), d.placeOf(c.Argument(1).String()))
		return undefined
	})
	set("importMap", func(c goja.FunctionCall) goja.Value {
		if err := d.maps.add(c.Argument(0).String(), func(ref string) (string, bool) {
			u, err := d.b.resolve(ref, c.Argument(1).String())
			return u, err == nil
		}); err != nil {
			return vm.ToValue(err.Error())
		}
		return goja.Null()
	})
	does("need", func(c goja.FunctionCall) {
		done, _ := goja.AssertFunction(c.Argument(2))
		options := c.Argument(3).ToObject(vm)
		d.needs(c.Argument(0).String(), markup.Use(c.Argument(1).String()), text(options, "media"), text(options, "crossorigin"), text(options, "integrity"), func(ok bool) { d.report("load", d.enter(done, vm.ToValue(ok))) })
	})
	does("prefetch", func(c goja.FunctionCall) {
		d.unlike = true
		if url := c.Argument(0).String(); strings.HasPrefix(url, "http") {
			d.loader.need(markup.Ref{URL: url, Use: markup.UsePrefetch}, d.url)
		}
	})
	does("setBase", func(c goja.FunctionCall) { d.base = c.Argument(0).String() })
	does("style", func(c goja.FunctionCall) {
		d.style(c.Argument(0).String(), c.Argument(1).String(), c.Argument(2).String())
	})
	set("ruleFor", func(c goja.FunctionCall) goja.Value {
		return d.rulesFor(c.Argument(0).String(), c.Argument(1).String(), c.Argument(2).String(), c.Argument(3).String())
	})
	set("choose", func(c goja.FunctionCall) goja.Value {
		for _, ref := range markup.ReadPage([]byte(c.Argument(0).String())).Refs {
			if ref.Use == markup.UseImage && !ref.Spare && !ref.Dense {
				return vm.ToValue(ref.URL)
			}
		}
		return goja.Null()
	})
	does("navigate", func(c goja.FunctionCall) {
		d.unlike = true

		d.navigate(c.Argument(0).String(), c.Argument(1).ToBoolean(), c.Argument(2).String(), c.Argument(3).String())
	})
	does("moved", func(c goja.FunctionCall) {
		d.moved(c.Argument(0).String(), c.Argument(1).String(), c.Argument(2).String())
	})
	does("traverse", func(c goja.FunctionCall) {
		d.unlike = true
		d.tab.traverse(int(c.Argument(0).ToInteger()))
	})
	set("historyLength", func(goja.FunctionCall) goja.Value { return vm.ToValue(max(len(d.tab.history), 1)) })
	set("referrer", func(goja.FunctionCall) goja.Value { return vm.ToValue(d.referer) })
	set("visible", func(goja.FunctionCall) goja.Value { return vm.ToValue(true) })
	d.hostStorage(set)
	d.hostLaunch(set)
	d.hostTree(set)
	d.hostWorkers(set)
	does("loaded", func(goja.FunctionCall) {
		d.done, d.since = true, d.b.loop.now
		d.b.loop.after(atLeast, func() {})
		d.b.loop.after(recurring, func() {})
	})
	does("broadcast", func(c goja.FunctionCall) {
		d.unlike = true

		for _, t := range d.b.tabs {
			if o := t.document(); o != nil && o != d && !o.over {
				o.later("broadcast", c.Argument(0).String(), carry(c.Argument(1), o.vm))
			}
		}
	})
	return o
}

// navigate leads the tab elsewhere, for a script, a link or a form.
func (d *document) navigate(url string, replace bool, body, contentType string) {
	t := d.tab
	if d.over {
		return
	}
	if t.led++; t.led > maxLed {
		d.fail(PageError{Message: "the page leads the visitor elsewhere again and again", File: d.b.Relative(d.url)})
		return
	}
	o := visitOptions{replace: replace || !d.done}
	if body == "reload" && contentType == "" {
		o.reload = true
	} else if contentType != "" {
		o.method, o.body, o.contentType = "POST", body, contentType
	}
	d.tasks++
	d.b.loop.after(1, func() {
		d.tasks--
		if !d.over {
			t.visit(url, o)
		}
	})
}

// hostStorage gives localStorage, which the origin has, and sessionStorage, which the tab has.
func (d *document) hostStorage(set setter) {
	vm := d.vm
	area := func(c goja.FunctionCall) map[string]string {
		if c.Argument(0).String() == "local" {
			return d.b.local
		}
		if d.tab.session == nil {
			d.tab.session = map[string]string{}
		}
		return d.tab.session
	}
	set("storageGet", func(c goja.FunctionCall) goja.Value {
		if v, ok := area(c)[c.Argument(1).String()]; ok {
			return vm.ToValue(v)
		}
		return goja.Null()
	})
	set("storageSet", func(c goja.FunctionCall) goja.Value {
		d.unlike = true

		a, k, v := area(c), c.Argument(1).String(), c.Argument(2).String()
		size := len(k) + len(v)
		for k, v := range a {
			size += len(k) + len(v)
		}
		if size > 5<<20 {
			return vm.ToValue(true)
		}
		a[k] = v
		return vm.ToValue(false)
	})
	set("storageRemove", func(c goja.FunctionCall) goja.Value {
		d.unlike = true
		delete(area(c), c.Argument(1).String())
		return goja.Undefined()
	})
	set("storageKeys", func(c goja.FunctionCall) goja.Value {
		keys := []string{}
		for k := range area(c) {
			keys = append(keys, k)
		}
		sort.Strings(keys)
		list := make([]any, len(keys))
		for i, k := range keys {
			list[i] = k
		}
		return vm.NewArray(list...)
	})
}

// cookieText gives the origin's cookies as document.cookie has them.
func (b *Browser) cookieText() string {
	names := make([]string, 0, len(b.cookies))
	for k := range b.cookies {
		names = append(names, k)
	}
	sort.Strings(names)
	parts := make([]string, len(names))
	for i, k := range names {
		parts[i] = k + "=" + b.cookies[k]
	}
	return strings.Join(parts, "; ")
}

// setCookie keeps a cookie that a script sets, for the whole origin. One that has run out is removed.
func (b *Browser) setCookie(line string) {
	pair, attributes, _ := strings.Cut(line, ";")
	k, v, _ := strings.Cut(strings.TrimSpace(pair), "=")
	low := strings.ToLower(attributes)
	if strings.Contains(low, "httponly") || k == "" {
		return
	}
	gone := strings.Contains(low, "max-age=0") || strings.Contains(low, "max-age=-") || strings.Contains(low, "1970")
	if c, err := http.ParseSetCookie(line); err == nil {
		gone = c.MaxAge < 0 || !c.Expires.IsZero() && c.Expires.Before(b.loop.time())
	}
	if gone {
		delete(b.cookies, k)
	} else if len(b.cookies) < 200 && len(v) < 4096 {
		b.cookies[k] = v
	}
}

// hostWorkers gives navigator.serviceWorker.
func (d *document) hostWorkers(set setter) {
	vm := d.vm
	info := d.workerValue
	byID := func(c goja.FunctionCall) *registration {
		for _, r := range d.b.regs {
			if r.scope == c.Argument(0).String() {
				return r
			}
		}
		return nil
	}
	set("controller", func(goja.FunctionCall) goja.Value { return info(d.tab.controller) })
	set("registration", func(c goja.FunctionCall) goja.Value {
		r := byID(c)
		if r == nil {
			return goja.Null()
		}
		o := vm.NewObject()
		_ = o.Set("scope", r.scope)
		_ = o.Set("viaCache", r.viaCache)
		_ = o.Set("installing", info(r.installing))
		_ = o.Set("waiting", info(r.waiting))
		_ = o.Set("active", info(r.active))
		return o
	})
	set("registrationFor", func(c goja.FunctionCall) goja.Value {
		if r := d.b.find(c.Argument(0).String()); r != nil && r.newest() != nil {
			return vm.ToValue(r.scope)
		}
		return goja.Null()
	})
	set("registrations", func(goja.FunctionCall) goja.Value {
		var list []any
		for _, r := range d.b.regs {
			if r.newest() != nil {
				list = append(list, r.scope)
			}
		}
		return vm.NewArray(list...)
	})
	set("register", func(c goja.FunctionCall) goja.Value {
		script, scope, module := c.Argument(0).String(), c.Argument(1).String(), c.Argument(2).ToBoolean()
		done, _ := goja.AssertFunction(c.Argument(3))
		via := c.Argument(4).String()
		if r := d.b.known(scopeOr(scope, script)); r == nil || r.newest() == nil || r.newest().url != script {
			d.unlike = true
		}
		d.pending(1)
		d.b.loop.after(1, func() {
			d.b.register(script, scope, module, via, func(err error) {
				d.pending(-1)
				if d.over {
					return
				}
				if err != nil {
					kind := ""
					if strings.Contains(err.Error(), "scope") || strings.Contains(err.Error(), "origin") {
						kind = "SecurityError"
					}
					d.report("register", d.enter(done, vm.ToValue("Failed to register a ServiceWorker: "+err.Error()), vm.ToValue(kind)))
					return
				}
				d.report("register", d.enter(done, goja.Null(), goja.Null(), vm.ToValue(scopeOr(scope, script))))
			})
		})
		return goja.Undefined()
	})
	set("updateOf", func(c goja.FunctionCall) goja.Value {
		d.unlike = true

		r := byID(c)
		done, _ := goja.AssertFunction(c.Argument(1))
		if r != nil && d.b.network == Online {
			r.update()
		}
		d.b.loop.after(latency*2, func() {
			if !d.over {
				if r == nil || d.b.network != Online {
					d.report("update", d.enter(done, vm.ToValue("Failed to update a ServiceWorker: the script could not be fetched")))
					return
				}
				d.report("update", d.enter(done, goja.Null()))
			}
		})
		return goja.Undefined()
	})
	set("unregister", func(c goja.FunctionCall) goja.Value {
		d.unlike = true

		r := byID(c)
		if r == nil {
			return vm.ToValue(false)
		}
		for i, x := range d.b.regs {
			if x == r {
				d.b.regs = append(d.b.regs[:i:i], d.b.regs[i+1:]...)
				break
			}
		}
		return vm.ToValue(true)
	})
	set("syncFor", func(c goja.FunctionCall) goja.Value {
		d.unlike = true

		if r := byID(c); r != nil {
			r.sync(c.Argument(1).String())
		}
		return goja.Undefined()
	})
	set("postToWorker", func(c goja.FunctionCall) goja.Value {
		id := c.Argument(0).ToInteger()
		data := c.Argument(1)
		if w := d.tab.controller; w != nil && d.b.workerID(w) == id {
			d.posted = append(d.posted, data.Export())
		} else {
			d.unlike = true
		}
		source := map[string]any{"id": d.tab.id, "url": d.tab.url, "type": "window", "frameType": "top-level", "focused": true}
		for _, r := range d.b.regs {
			for _, w := range []*worker{r.installing, r.waiting, r.active} {
				if w != nil && d.b.workerID(w) == id {
					message := data.Export()
					d.b.loop.after(1, func() { w.event("message", func(*scriptError) {}, message, source) })
					return goja.Undefined()
				}
			}
		}
		return goja.Undefined()
	})
}

// workerValue is what the prelude knows of a worker.
func (d *document) workerValue(w *worker) goja.Value {
	if w == nil {
		return goja.Null()
	}
	o := d.vm.NewObject()
	_ = o.Set("id", d.b.workerID(w))
	_ = o.Set("url", w.url)
	_ = o.Set("state", string(w.state))
	return o
}

// workerID gives a worker a number by which pages know it.
func (b *Browser) workerID(w *worker) int64 {
	if w.id == 0 {
		b.lastWorker++
		w.id = b.lastWorker
	}
	return w.id
}

// each calls a hook on the running pages that a condition holds for.
func (b *Browser) eachPage(when func(*Tab) bool, hook string, args ...any) {
	for _, t := range b.tabs {
		if d := t.document(); d != nil && !d.over && when(t) {
			d.later(hook, args...)
		}
	}
}

// become moves a worker to a state and tells pages.
func (w *worker) become(s state) {
	w.state = s
	if w.id != 0 {
		w.b.eachPage(func(*Tab) bool { return true }, "workerstate", w.id, string(s))
	}
}

// controls makes a worker the one that controls a tab, and tells its page.
func (t *Tab) controlledBy(w *worker) {
	if t.controller == w {
		return
	}
	t.controller = w
	if d := t.document(); d != nil && !d.over {
		d.later("controllerchange")
	}
}
