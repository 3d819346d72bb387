package stage

import (
	"net/url"
	"strconv"
	"strings"

	"github.com/dop251/goja"
	"github.com/dunglas/go-urlpattern"

	"tachyform.dev/tachyform/internal/weburl"
)

func itoa(n int) string { return strconv.Itoa(n) }

// host makes the object through which the prelude talks to the stage: what every global has.
func (g *realm) host() (*goja.Object, setter) {
	vm := g.vm
	o := vm.NewObject()
	set := func(name string, f func(c goja.FunctionCall) goja.Value) { _ = o.Set(name, f) }
	undefined := goja.Undefined()
	g.hostURLs(set)
	g.hostTame(set)
	g.hostPatterns(set)
	g.hostPromises(set)
	g.hostBytes(set)
	g.hostHeaders(set)
	g.hostObjects(set)
	g.hostCaches(set)
	g.hostDatabases(set)
	set("hooks", func(c goja.FunctionCall) goja.Value {
		h := c.Argument(0).ToObject(vm)
		for _, k := range h.Keys() {
			g.hooks[k], _ = goja.AssertFunction(h.Get(k))
		}
		return undefined
	})
	set("cookies", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.b.cookieText()) })
	set("setCookie", func(c goja.FunctionCall) goja.Value {
		g.noteStore()
		g.b.setCookie(c.Argument(0).String())
		return undefined
	})
	set("now", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.b.loop.now) })
	set("time", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.b.loop.time().UnixMilli()) })
	set("task", func(c goja.FunctionCall) goja.Value {
		if f, ok := goja.AssertFunction(c.Argument(0)); ok {
			g.task(0, f)
		}
		return undefined
	})
	set("setTimer", func(c goja.FunctionCall) goja.Value {
		f, ok := goja.AssertFunction(c.Argument(0))
		if !ok || len(g.timers) > 10_000 {
			return vm.ToValue(0)
		}
		g.lastID++
		g.setTimer(g.lastID, f, max(c.Argument(1).ToFloat(), 0), c.Argument(2).ToBoolean())
		return vm.ToValue(g.lastID)
	})
	set("clearTimer", func(c goja.FunctionCall) goja.Value {
		if t := g.timers[c.Argument(0).ToInteger()]; t != nil {
			g.b.loop.cancel(t)
			delete(g.timers, c.Argument(0).ToInteger())
		}
		return undefined
	})
	note := func(kind string, f func(c goja.FunctionCall) (string, *scriptError)) func(c goja.FunctionCall) goja.Value {
		return func(c goja.FunctionCall) goja.Value {
			m, at := f(c)
			g.b.remark(Remark{Kind: kind, Message: m, File: at.file, Line: at.line, Column: at.column})
			return undefined
		}
	}
	set("bodyUsedTwice", note("body-used", func(c goja.FunctionCall) (string, *scriptError) {
		return "a body is used a second time; clone the response before its first use", g.place(c.Argument(0).String())
	}))
	set("thrown", func(c goja.FunctionCall) goja.Value {
		g.in.thrown(c.Argument(0).String(), c.Argument(1), g.describe(c.Argument(1)))
		return undefined
	})
	set("console", func(c goja.FunctionCall) goja.Value {
		if level := c.Argument(0).String(); level == "error" || level == "warn" {
			said := g.place(c.Argument(1).String())
			said.message = clipped(withoutFrames(c.Argument(1).String()))
			if said.line == 0 {
				at := g.here()
				said.file, said.line, said.column = at.file, at.line, at.column
			}
			kind := "console"
			if d, page := g.in.(*document); page {
				kind = "page-console"
				if level == "error" && d.b.docs.gapIn(said.message) != "" { // frameworks catch what goes wrong, and tell of it
					d.fail(PageError{Message: said.message, File: said.file, Line: said.line, Column: said.column})
				}
			}
			g.b.remark(Remark{Kind: kind, Message: level + ": " + said.message, File: said.file, Line: said.line, Column: said.column})
		}
		return undefined
	})
	set("note", func(c goja.FunctionCall) goja.Value {
		g.b.remark(Remark{Kind: "note", Message: c.Argument(0).String() + " " + c.Argument(1).String()})
		return undefined
	})
	set("allowed", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.b.allowed) }) // notifications
	set("online", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.b.network != Offline) })
	set("estimate", func(goja.FunctionCall) goja.Value {
		o := vm.NewObject()
		_ = o.Set("usage", g.b.store.bytes)
		_ = o.Set("quota", g.b.store.quota)
		return o
	})
	set("fetch", func(c goja.FunctionCall) goja.Value {
		return g.fetchPromise(g.toRequest(c.Argument(0), c.Argument(1), c.Argument(2)), c.Argument(3), c.Argument(4))
	})
	return o, set
}

// hostObject adds what only workers have.
func (w *worker) hostObject() *goja.Object {
	o, set := w.host()
	vm := w.vm
	undefined := goja.Undefined()
	w.hostClients(set)
	w.hostEvents(set)
	w.hostNotifications(set)
	set("listens", func(c goja.FunctionCall) goja.Value { w.listens[c.Argument(0).String()] = true; return undefined })
	late := func(f func(c goja.FunctionCall) (string, *scriptError)) func(c goja.FunctionCall) goja.Value {
		return func(c goja.FunctionCall) goja.Value {
			m, at := f(c)
			w.b.remark(Remark{Kind: "late", Message: m, File: at.file, Line: at.line, Column: at.column})
			return undefined
		}
	}
	set("lateListener", late(func(c goja.FunctionCall) (string, *scriptError) {
		return "a " + c.Argument(0).String() + " listener is added after the first run of the script; it may not be called when the worker starts again", w.place(c.Argument(1).String())
	}))
	set("late", late(func(c goja.FunctionCall) (string, *scriptError) {
		return c.Argument(0).String() + "() is called after the event was dispatched; it throws", w.place(c.Argument(1).String())
	}))
	set("addAllFailed", func(c goja.FunctionCall) goja.Value {
		u, status := w.b.Relative(c.Argument(0).String()), c.Argument(1).ToInteger()
		w.addAll = u + " cannot be fetched"
		if status > 0 {
			w.addAll = u + " is answered with status " + itoa(int(status))
		}
		w.b.remark(Remark{Kind: "add-all", Message: w.addAll, URL: u})
		return undefined
	})
	set("respondAt", func(goja.FunctionCall) goja.Value { w.respond = w.here(); return undefined })
	set("importScript", func(c goja.FunctionCall) goja.Value {
		if w.module {
			panic(vm.NewTypeError("Failed to execute 'importScripts' on 'WorkerGlobalScope': Module scripts don't support importScripts()."))
		}
		if m := w.importScript(c.Argument(0).String()); m != "" {
			return vm.ToValue(m)
		}
		return goja.Null()
	})
	return o
}

// fetches sends a request of the worker's, past any worker.
func (w *worker) fetches(req *request, done func(*response)) cancel {
	return w.b.networkFetch(req, func(r *response, e netError) {
		if e != "" {
			r = nil
		}
		done(r)
	})
}

func (w *worker) phase() state { return w.state }

func (g *realm) setTimer(id int64, f goja.Callable, ms float64, repeat bool) {
	t := g.task(ms, func(this goja.Value, args ...goja.Value) (goja.Value, error) {
		if repeat {
			g.setTimer(id, f, max(ms, 1), true)
		} else {
			delete(g.timers, id)
		}
		return f(this, args...)
	})
	t.recurring = repeat
	g.timers[id] = t
	if _, page := g.in.(*document); page {
		g.tasks-- // which timers do not count among
		f := t.run
		t.run = func() { g.tasks++; f() }
	}
}

// fetchFor fetches for a script and gives it the response, nil when there is none, unless it was stopped in the meantime.
func (g *realm) fetchFor(req *request, done func(*response)) cancel {
	gen := g.running
	return g.in.fetches(req, func(r *response) {
		if gen == g.running {
			done(r)
		}
	})
}

// fetchPromise gives a promise for a Response; it is rejected with failure when there is none. abortable, if it is a function, is
// given one that makes the answer never arrive.
func (g *realm) fetchPromise(req *request, failure, abortable goja.Value) goja.Value {
	p, resolve, reject := g.vm.NewPromise()
	stop := g.fetchFor(req, func(r *response) {
		g.report("fetch", g.invokeIn(func(goja.Value, ...goja.Value) (goja.Value, error) {
			if r == nil || !r.fits(req.integrity) {
				return nil, reject(failure)
			}
			return nil, resolve(g.fromResponse(r))
		}))
	})
	if f, ok := goja.AssertFunction(abortable); ok {
		_, _ = f(goja.Undefined(), g.vm.ToValue(func(goja.FunctionCall) goja.Value { stop(); return goja.Undefined() }))
	}
	return g.vm.ToValue(p)
}

// importScript runs another script; after installation only those imported before are to be had.
func (w *worker) importScript(ref string) string {
	u, err := w.b.resolve(ref, w.url)
	if err != nil {
		return "the URL '" + ref + "' is invalid"
	}
	if _, ok := w.scripts[u]; !ok {
		if w.state != parsed {
			return "the script at '" + u + "' was not imported during installation"
		}
		r := w.reg.imported(u)
		if n := w.b.networkFor(u); n == Offline || n == Slow || r == nil || r.status != 200 || !isScriptType(r.header("content-type")) && r.header("content-type") != "" {
			return "The script at '" + u + "' failed to load."
		}
		w.scripts[u] = string(r.bytes())
		if r.unknown {
			w.unknown = u
		}
	}
	if err := w.run(u); err != nil {
		e := asScriptError(err)
		if w.reg.lacks(w, e) {
			return e.message
		}
		w.b.remark(Remark{Kind: "exception", Message: e.message, File: e.file, Line: e.line, Column: e.column})
		return e.message
	}
	return ""
}

func isScriptType(t string) bool {
	t, _, _ = strings.Cut(strings.ToLower(t), ";")
	switch strings.TrimSpace(t) {
	case "text/javascript", "application/javascript", "application/x-javascript", "text/ecmascript", "application/ecmascript":
		return true
	}
	return false
}

// resolve gives the absolute form of a reference.
func (b *Browser) resolve(ref, base string) (string, error) {
	if len(ref) > 1 && ref[0] == '/' && ref[1] != '/' && ref[1] != '\\' { // the same from every page of an origin
		if u, err := b.addresses.parse(base, ""); err == nil && u.IsSpecialScheme() {
			base = u.origin
		}
	}
	u, err := b.addresses.parse(ref, base)
	if err != nil {
		return "", err
	}
	return u.href, nil
}

type setter func(name string, f func(c goja.FunctionCall) goja.Value)

func (g *realm) hostURLs(set setter) {
	vm := g.vm
	value := func(u *weburl.URL) goja.Value {
		o := vm.NewObject()
		origin := "null"
		if u.IsSpecialScheme() && u.Protocol() != "file:" {
			origin = u.Protocol() + "//" + u.Host()
		}
		if u.Protocol() == "blob:" {
			if inner, err := weburl.Parse(u.Pathname()); err == nil && strings.HasPrefix(inner.Protocol(), "http") {
				origin = inner.Protocol() + "//" + inner.Host()
			}
		}
		for k, v := range map[string]string{"href": u.Href(false), "protocol": u.Protocol(), "username": u.Username(), "password": u.Password(),
			"host": u.Host(), "hostname": u.Hostname(), "port": u.Port(), "pathname": u.Pathname(), "search": u.Search(), "hash": u.Hash(), "origin": origin} {
			_ = o.Set(k, v)
		}
		return o
	}
	set("baseURL", func(goja.FunctionCall) goja.Value { return vm.ToValue(g.baseURL()) })
	own := addresses{}                 // while globals are made that no browser has yet
	known := map[*address]goja.Value{} // the prelude changes none of these
	set("parseURL", func(c goja.FunctionCall) goja.Value {
		base := ""
		if b := c.Argument(1); !goja.IsNull(b) && !goja.IsUndefined(b) {
			base = b.String()
			if base == "" {
				return goja.Null()
			}
		}
		parsed := own
		if g.b != nil {
			parsed = g.b.addresses
		}
		u, err := parsed.parse(c.Argument(0).String(), base)
		if err != nil {
			return goja.Null()
		}
		v, ok := known[u]
		if !ok {
			if len(known) >= maxKnown {
				clear(known)
			}
			v = value(u.URL)
			known[u] = v
		}
		return v
	})
	set("setURL", func(c goja.FunctionCall) goja.Value {
		u, err := weburl.Parse(c.Argument(0).String())
		if err != nil {
			return goja.Null()
		}
		v := c.Argument(2).String()
		switch c.Argument(1).String() {
		case "protocol":
			u.SetProtocol(v)
		case "username":
			u.SetUsername(v)
		case "password":
			u.SetPassword(v)
		case "host":
			u.SetHost(v)
		case "hostname":
			u.SetHostname(v)
		case "port":
			u.SetPort(v)
		case "pathname":
			u.SetPathname(v)
		case "search":
			u.SetSearch(v)
		case "hash":
			u.SetHash(v)
		}
		return value(u)
	})
	set("parseQuery", func(c goja.FunctionCall) goja.Value {
		var list []any
		for _, part := range strings.Split(c.Argument(0).String(), "&") {
			if part == "" {
				continue
			}
			k, v, _ := strings.Cut(part, "=")
			list = append(list, vm.NewArray(unescapeForm(k), unescapeForm(v)))
		}
		return vm.NewArray(list...)
	})
	set("formatQuery", func(c goja.FunctionCall) goja.Value {
		var parts []string
		vm.ForOf(c.Argument(0), func(p goja.Value) bool {
			pair := p.ToObject(vm)
			parts = append(parts, escapeForm(pair.Get("0").String())+"="+escapeForm(pair.Get("1").String()))
			return true
		})
		return vm.ToValue(strings.Join(parts, "&"))
	})
	set("pattern", func(c goja.FunctionCall) goja.Value { return g.pattern(c) })
	set("patternExec", func(c goja.FunctionCall) goja.Value { return g.patternExec(c) })
}

func unescapeForm(s string) string {
	out := make([]byte, 0, len(s))
	for i := 0; i < len(s); i++ {
		switch {
		case s[i] == '+':
			out = append(out, ' ')
		case s[i] == '%' && i+2 < len(s):
			if n, err := strconv.ParseUint(s[i+1:i+3], 16, 8); err == nil {
				out = append(out, byte(n))
				i += 2
				continue
			}
			out = append(out, '%')
		default:
			out = append(out, s[i])
		}
	}
	return strings.ToValidUTF8(string(out), "\ufffd")
}

func escapeForm(s string) string {
	return strings.NewReplacer("~", "%7E", "%2A", "*").Replace(url.QueryEscape(s))
}

func (g *realm) pattern(c goja.FunctionCall) goja.Value {
	vm := g.vm
	var p *urlpattern.URLPattern
	var err error
	base := g.baseURL()
	if b := c.Argument(1); !goja.IsNull(b) {
		base = b.String()
	}
	if in, ok := c.Argument(0).(*goja.Object); ok {
		init := &urlpattern.URLPatternInit{}
		get := func(k string) *string {
			if v := in.Get(k); v != nil && !goja.IsUndefined(v) {
				s := v.String()
				return &s
			}
			return nil
		}
		init.Protocol, init.Username, init.Password, init.Hostname = get("protocol"), get("username"), get("password"), get("hostname")
		init.Port, init.Pathname, init.Search, init.Hash, init.BaseURL = get("port"), get("pathname"), get("search"), get("hash"), get("baseURL")
		p, err = init.New(&urlpattern.Options{IgnoreCase: c.Argument(2).ToBoolean()})
	} else {
		if goja.IsNull(c.Argument(1)) {
			base = ""
		}
		p, err = urlpattern.New(c.Argument(0).String(), base, &urlpattern.Options{IgnoreCase: c.Argument(2).ToBoolean()})
	}
	if err != nil {
		panic(vm.NewTypeError("Failed to construct 'URLPattern': " + err.Error()))
	}
	o, parts := vm.NewObject(), vm.NewObject()
	for k, v := range map[string]string{"protocol": p.Protocol(), "username": p.Username(), "password": p.Password(), "hostname": p.Hostname(),
		"port": p.Port(), "pathname": p.Pathname(), "search": p.Search(), "hash": p.Hash()} {
		_ = parts.Set(k, v)
	}
	_ = o.Set("parts", parts)
	_ = o.Set("regexp", p.HasRegexpGroups())
	_ = o.Set("handle", vm.ToValue(&patternHandle{p}))
	return o
}

type patternHandle struct{ p *urlpattern.URLPattern }

// component gives the pattern of one part of a URL.
func (h *patternHandle) component(name string) string {
	switch name {
	case "protocol":
		return h.p.Protocol()
	case "hostname":
		return h.p.Hostname()
	case "port":
		return h.p.Port()
	case "pathname":
		return h.p.Pathname()
	case "search":
		return h.p.Search()
	}
	return h.p.Hash()
}

// leftOut says whether a group that matched nothing took no part in the match, so that it is undefined: a named group matches
// at least one character, unless its own expression lets it match none.
func leftOut(pattern, name string) bool {
	_, after, found := strings.Cut(pattern, ":"+name)
	if !found {
		return false
	}
	if !strings.HasPrefix(after, "(") {
		return true
	}
	depth := 0
	for i, r := range after {
		switch r {
		case '(':
			depth++
		case ')':
			depth--
		}
		if depth == 0 {
			return strings.HasPrefix(after[i+1:], "?") || strings.HasPrefix(after[i+1:], "*")
		}
	}
	return false
}

func (g *realm) patternExec(c goja.FunctionCall) goja.Value {
	vm := g.vm
	h, ok := c.Argument(0).Export().(*patternHandle)
	if !ok {
		return goja.Null()
	}
	var r *urlpattern.URLPatternResult
	if in, ok := c.Argument(1).(*goja.Object); ok {
		init := &urlpattern.URLPatternInit{}
		get := func(k string) *string {
			if v := in.Get(k); v != nil && !goja.IsUndefined(v) {
				s := v.String()
				return &s
			}
			return nil
		}
		init.Protocol, init.Hostname, init.Port, init.Pathname = get("protocol"), get("hostname"), get("port"), get("pathname")
		init.Search, init.Hash, init.BaseURL = get("search"), get("hash"), get("baseURL")
		r = h.p.ExecInit(init)
	} else {
		r = h.p.Exec(c.Argument(1).String(), "")
	}
	if r == nil {
		return goja.Null()
	}
	o := vm.NewObject()
	part := func(name string, x urlpattern.URLPatternComponentResult) {
		p, groups := vm.NewObject(), vm.NewObject()
		source := h.component(name)
		for k, v := range x.Groups {
			if v == "" && leftOut(source, k) {
				_ = groups.Set(k, goja.Undefined())
			} else {
				_ = groups.Set(k, v)
			}
		}
		_ = p.Set("input", x.Input)
		_ = p.Set("groups", groups)
		_ = o.Set(name, p)
	}
	part("protocol", r.Protocol)
	part("hostname", r.Hostname)
	part("port", r.Port)
	part("pathname", r.Pathname)
	part("search", r.Search)
	part("hash", r.Hash)
	return o
}
