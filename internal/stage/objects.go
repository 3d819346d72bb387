package stage

import (
	"fmt"
	"slices"
	"strings"

	"github.com/dop251/goja"
)

// held is something of the stage's that the prelude keeps for an object of a worker. Scripts never see it.
type held struct{ v any }

// Get and the others make it an object of the engine, without properties.
func (*held) Get(string) goja.Value       { return goja.Undefined() }
func (*held) Set(string, goja.Value) bool { return false }
func (*held) Has(string) bool             { return false }
func (*held) Delete(string) bool          { return false }
func (*held) Keys() []string              { return nil }

func (g *realm) hold(v any) goja.Value { return g.vm.NewDynamicObject(&held{v}) }

// heldIn gives back what was given to [worker.hold].
func heldIn[T any](v goja.Value) (t T, ok bool) {
	o, isObject := v.(*goja.Object)
	if !isObject {
		return t, false
	}
	h, isHeld := o.Export().(*held)
	if !isHeld {
		return t, false
	}
	t, ok = h.v.(T)
	return t, ok
}

// Guards of headers (Fetch Standard, section 5.1).
const (
	guardNone      = "none"
	guardRequest   = "request"
	guardResponse  = "response"
	guardImmutable = "immutable"
)

// headerList is what a Headers object holds. Names are in lower case.
type headerList struct {
	list  [][2]string
	guard string
}

// isToken says whether a text is a token (RFC 9110, section 5.6.2), as names of headers and methods are.
func isToken(s string) bool {
	for i := range len(s) {
		if c := s[i]; (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && (c < '0' || c > '9') && !strings.ContainsRune("!#$%&'*+-.^_`|~", rune(c)) {
			return false
		}
	}
	return s != ""
}

// forbiddenHeaders are those that requests of scripts cannot set (Fetch Standard, "forbidden request-header").
var forbiddenHeaders = map[string]bool{"accept-charset": true, "accept-encoding": true, "access-control-request-headers": true, "access-control-request-method": true,
	"connection": true, "content-length": true, "cookie": true, "cookie2": true, "date": true, "dnt": true, "expect": true, "host": true, "keep-alive": true,
	"origin": true, "referer": true, "te": true, "trailer": true, "transfer-encoding": true, "upgrade": true, "via": true}

func forbiddenHeader(name string) bool {
	return forbiddenHeaders[name] || strings.HasPrefix(name, "proxy-") || strings.HasPrefix(name, "sec-")
}

// check normalizes a header that a script wants to write, and says why that is not possible. kept is false when it is left out silently.
func (h *headerList) check(name string, value *string) (lower string, kept bool, why string) {
	if !isToken(name) {
		return "", false, "Invalid name"
	}
	lower = strings.ToLower(name)
	if value != nil {
		*value = strings.Trim(*value, "\t\n\r ")
		if strings.ContainsAny(*value, "\x00\n\r") {
			return "", false, "Invalid value"
		}
		if strings.ContainsFunc(*value, func(r rune) bool { return r > 0xff }) {
			return "", false, "String contains non ISO-8859-1 code point."
		}
	}
	switch h.guard {
	case guardImmutable:
		return "", false, "Headers are immutable"
	case guardRequest:
		return lower, !forbiddenHeader(lower), ""
	case guardResponse:
		return lower, lower != "set-cookie" && lower != "set-cookie2", ""
	}
	return lower, true, ""
}

// append adds a header and says why it cannot.
func (h *headerList) append(name, value string) string {
	lower, kept, why := h.check(name, &value)
	if kept {
		h.list = append(h.list, [2]string{lower, value})
	}
	return why
}

// set replaces a header and says why it cannot.
func (h *headerList) set(name, value string) string {
	lower, kept, why := h.check(name, &value)
	if !kept {
		return why
	}
	i := slices.IndexFunc(h.list, func(p [2]string) bool { return p[0] == lower })
	if i < 0 {
		h.list = append(h.list, [2]string{lower, value})
		return ""
	}
	h.list[i][1] = value
	h.list = append(h.list[:i+1], slices.DeleteFunc(h.list[i+1:], func(p [2]string) bool { return p[0] == lower })...)
	return ""
}

// delete removes a header and says why it cannot.
func (h *headerList) delete(name string) string {
	lower, kept, why := h.check(name, nil)
	if kept {
		h.list = slices.DeleteFunc(h.list, func(p [2]string) bool { return p[0] == lower })
	}
	return why
}

// sorted gives the headers as they are iterated (Fetch Standard, "sort and combine").
func (h *headerList) sorted() [][2]string {
	all := slices.Clone(h.list)
	slices.SortStableFunc(all, func(a, b [2]string) int { return strings.Compare(a[0], b[0]) })
	out := make([][2]string, 0, len(all))
	for i := 0; i < len(all); {
		end := i + 1
		for end < len(all) && all[end][0] == all[i][0] && all[i][0] != "set-cookie" {
			end++
		}
		values := make([]string, 0, end-i)
		for _, p := range all[i:end] {
			values = append(values, p[1])
		}
		out = append(out, [2]string{all[i][0], strings.Join(values, ", ")})
		i = end
	}
	return out
}

// hostHeaders gives the prelude what Headers objects hold.
func (g *realm) hostHeaders(set setter) {
	vm := g.vm
	undefined := goja.Undefined()
	list := func(v goja.Value) *headerList {
		h, ok := heldIn[*headerList](v)
		if !ok {
			panic(vm.NewTypeError("Illegal invocation"))
		}
		return h
	}
	// what a script asks for that is not possible is an error of its type
	must := func(what, why string) goja.Value {
		if why != "" {
			panic(vm.NewTypeError("Failed to execute '" + what + "' on 'Headers': " + why))
		}
		return undefined
	}
	lower := func(what string, v goja.Value) string {
		name := v.String()
		if !isToken(name) {
			must(what, "Invalid name")
		}
		return strings.ToLower(name)
	}
	set("headers", func(c goja.FunctionCall) goja.Value { return g.hold(&headerList{guard: c.Argument(0).String()}) })
	set("headersAppend", func(c goja.FunctionCall) goja.Value {
		return must("append", list(c.Argument(0)).append(c.Argument(1).String(), c.Argument(2).String()))
	})
	set("headersSet", func(c goja.FunctionCall) goja.Value {
		return must("set", list(c.Argument(0)).set(c.Argument(1).String(), c.Argument(2).String()))
	})
	set("headersDelete", func(c goja.FunctionCall) goja.Value {
		return must("delete", list(c.Argument(0)).delete(c.Argument(1).String()))
	})
	set("headersGet", func(c goja.FunctionCall) goja.Value {
		h, name := list(c.Argument(0)), lower("get", c.Argument(1))
		for _, p := range h.list {
			if p[0] == name {
				return vm.ToValue(combined(h.list, name))
			}
		}
		return goja.Null()
	})
	set("headersHas", func(c goja.FunctionCall) goja.Value {
		h, name := list(c.Argument(0)), lower("has", c.Argument(1))
		return vm.ToValue(slices.ContainsFunc(h.list, func(p [2]string) bool { return p[0] == name }))
	})
	pairs := func(l [][2]string) goja.Value {
		items := make([]any, len(l))
		for i, p := range l {
			items[i] = vm.NewArray(p[0], p[1])
		}
		return vm.NewArray(items...)
	}
	set("headersSorted", func(c goja.FunctionCall) goja.Value { return pairs(list(c.Argument(0)).sorted()) })
	set("headersCookies", func(c goja.FunctionCall) goja.Value {
		var items []any
		for _, p := range list(c.Argument(0)).list {
			if p[0] == "set-cookie" {
				items = append(items, p[1])
			}
		}
		return vm.NewArray(items...)
	})
	set("headersFill", func(c goja.FunctionCall) goja.Value { // with those of another Headers object
		to := list(c.Argument(0))
		for _, p := range list(c.Argument(1)).sorted() {
			must("append", to.append(p[0], p[1]))
		}
		return undefined
	})
	set("headersClone", func(c goja.FunctionCall) goja.Value {
		h := list(c.Argument(0))
		return g.hold(&headerList{slices.Clone(h.list), h.guard})
	})
	set("headersOf", func(c goja.FunctionCall) goja.Value { // of a Request or Response
		if r, ok := heldIn[*request](c.Argument(0)); ok {
			if r.own {
				return g.hold(&headerList{slices.Clone(r.headers), guardRequest})
			}
			return g.hold(&headerList{r.headers, guardImmutable})
		}
		r := g.responseIn(c.Argument(0))
		switch {
		case r.hidden():
			return g.hold(&headerList{guard: guardImmutable})
		case r.own:
			return g.hold(&headerList{slices.Clone(r.headers), guardResponse})
		}
		return g.hold(&headerList{r.headers, guardImmutable})
	})
}

// hidden says whether a response keeps its inside from scripts.
func (r *response) hidden() bool {
	return r.kind == "opaque" || r.kind == "opaqueredirect" || r.kind == "error"
}

func (g *realm) requestIn(v goja.Value) *request {
	r, ok := heldIn[*request](v)
	if !ok {
		panic(g.vm.NewTypeError("Illegal invocation"))
	}
	return r
}

func (g *realm) responseIn(v goja.Value) *response {
	r, ok := heldIn[*response](v)
	if !ok {
		panic(g.vm.NewTypeError("Illegal invocation"))
	}
	return r
}

// enums are the members of a RequestInit that have certain values only (Fetch Standard, section 5.4).
var enums = map[string][]string{
	"mode":           {"same-origin", "no-cors", "cors", "navigate"},
	"credentials":    {"omit", "same-origin", "include"},
	"cache":          {"default", "no-store", "reload", "no-cache", "force-cache", "only-if-cached"},
	"redirect":       {"follow", "error", "manual"},
	"referrerPolicy": {"", "no-referrer", "no-referrer-when-downgrade", "same-origin", "origin", "strict-origin", "origin-when-cross-origin", "strict-origin-when-cross-origin", "unsafe-url"},
}

// newRequest is what the constructor of Request makes (Fetch Standard, section 5.4), without body and signal: of a URL, or of
// another request with its headers.
func (g *realm) newRequest(input goja.Value, from, headers *headerList, init *goja.Object) *request {
	fail := func(format string, args ...any) {
		panic(g.vm.NewTypeError("Failed to construct 'Request': " + fmt.Sprintf(format, args...)))
	}
	r := &request{}
	if parent, ok := heldIn[*request](input); ok {
		*r = *parent
		r.body = nil
		if from != nil {
			r.headers = from.list
		}
		r.headers = slices.Clip(r.headers)
	} else {
		u, err := g.b.addresses.parse(input.String(), g.baseURL())
		if err != nil {
			fail("Failed to parse URL from %s", input)
		}
		if u.Username() != "" || u.Password() != "" {
			fail("Request cannot be constructed from a URL that includes credentials: %s", input)
		}
		*r = request{url: u.href, method: "GET", mode: "cors", credentials: "same-origin", cache: "default", redirect: "follow", referrer: "about:client"}
	}
	r.own = true
	if init == nil {
		return r
	}
	member := func(name string) (string, bool) {
		v := init.Get(name)
		if v == nil || goja.IsUndefined(v) {
			return "", false
		}
		return v.String(), true
	}
	touched := headers != nil
	enum := func(name string, to *string) {
		s, ok := member(name)
		if !ok {
			return
		}
		if !slices.Contains(enums[name], s) {
			fail("Failed to read the '%s' property from 'RequestInit': The provided value '%s' is not a valid enum value.", name, s)
		}
		*to, touched = s, true
	}
	mode := ""
	enum("mode", &mode)
	if mode == "navigate" {
		fail("Cannot construct a Request with a RequestInit whose mode member is set as 'navigate'.")
	}
	enum("credentials", &r.credentials)
	enum("cache", &r.cache)
	enum("redirect", &r.redirect)
	enum("referrerPolicy", &r.referrerPolicy)
	if s, ok := member("integrity"); ok {
		r.integrity, touched = s, true
	}
	if s, ok := member("referrer"); ok {
		r.referrer, touched = "", true
		if s != "" {
			u, err := g.b.addresses.parse(s, g.baseURL())
			if err != nil {
				fail("Referrer '%s' is not a valid URL.", s)
			}
			if r.referrer = u.href; u.origin != g.b.origin {
				r.referrer = "about:client"
			}
		}
	}
	if v := init.Get("keepalive"); v != nil && !goja.IsUndefined(v) {
		r.keepalive, touched = v.ToBoolean(), true
	}
	if m, ok := member("method"); ok {
		touched = true
		upper := strings.ToUpper(m)
		switch {
		case !isToken(m):
			fail("'%s' is not a valid HTTP method.", m)
		case upper == "CONNECT" || upper == "TRACE" || upper == "TRACK":
			fail("'%s' HTTP method is unsupported.", m)
		case slices.Contains([]string{"DELETE", "GET", "HEAD", "OPTIONS", "POST", "PUT"}, upper):
			m = upper
		}
		r.method = m
	}
	for _, name := range []string{"body", "signal", "window", "priority", "duplex"} {
		if v := init.Get(name); v != nil && !goja.IsUndefined(v) {
			touched = true
		}
	}
	if touched {
		if r.mode == "navigate" {
			r.mode = "same-origin"
		}
		r.destination, r.reload = "", false
	}
	if mode != "" {
		r.mode = mode
	}
	if headers != nil {
		r.headers = slices.Clone(headers.list)
	}
	if r.mode == "no-cors" && r.method != "GET" && r.method != "HEAD" && r.method != "POST" {
		fail("'%s' is unsupported in no-cors mode.", r.method)
	}
	if r.cache == "only-if-cached" && r.mode != "same-origin" {
		fail("'only-if-cached' can be set only with 'same-origin' mode")
	}
	return r
}

// newResponse is what the constructor of Response makes (Fetch Standard, section 5.5), without its body.
func (g *realm) newResponse(init *goja.Object, like *response, headers *headerList, contentType string, hasBody bool) *response {
	r := &response{status: 200, kind: "default", own: true}
	member := func(name string) goja.Value {
		if init == nil {
			return nil
		}
		if v := init.Get(name); v != nil && !goja.IsUndefined(v) {
			return v
		}
		return nil
	}
	if like != nil && !like.hidden() {
		r.status, r.statusText = like.status, like.statusText
	} else {
		if v := member("status"); v != nil {
			r.status = int(uint16(v.ToInteger()))
		}
		if v := member("statusText"); v != nil {
			r.statusText = v.String()
		}
	}
	if r.status < 200 || r.status > 599 {
		panic(g.newError("RangeError", fmt.Sprintf("Failed to construct 'Response': The status provided (%d) is outside the range [200, 599].", r.status)))
	}
	if strings.ContainsFunc(r.statusText, func(c rune) bool { return c != '\t' && (c < 0x20 || c > 0x7e && c < 0x80 || c > 0xff) }) {
		panic(g.vm.NewTypeError("Failed to construct 'Response': Invalid statusText"))
	}
	if hasBody && (r.status == 204 || r.status == 205 || r.status == 304) {
		panic(g.vm.NewTypeError("Failed to construct 'Response': Response with null body status cannot have body"))
	}
	if headers != nil {
		r.headers = slices.Clone(headers.list)
	}
	if contentType != "" && combined(r.headers, "content-type") == "" {
		r.headers = append(r.headers, [2]string{"content-type", contentType})
	}
	return r
}

// newError makes an error of one of the engine's own types.
func (g *realm) newError(kind, message string) *goja.Object {
	if make, ok := goja.AssertConstructor(g.errors[kind]); ok {
		if o, err := make(nil, g.vm.ToValue(message)); err == nil {
			return o
		}
	}
	return g.vm.NewTypeError(message)
}

// hostObjects gives the prelude what Request and Response objects hold.
func (g *realm) hostObjects(set setter) {
	vm := g.vm
	object := func(v goja.Value) *goja.Object { o, _ := v.(*goja.Object); return o }
	headers := func(v goja.Value) *headerList { h, _ := heldIn[*headerList](v); return h }
	set("newRequest", func(c goja.FunctionCall) goja.Value {
		return g.hold(g.newRequest(c.Argument(0), headers(c.Argument(1)), headers(c.Argument(2)), object(c.Argument(3))))
	})
	set("newResponse", func(c goja.FunctionCall) goja.Value {
		like, _ := heldIn[*response](c.Argument(1))
		return g.hold(g.newResponse(object(c.Argument(0)), like, headers(c.Argument(2)), c.Argument(3).String(), c.Argument(4).ToBoolean()))
	})
	set("madeResponse", func(c goja.FunctionCall) goja.Value { // of Response.error and Response.redirect
		r := &response{kind: c.Argument(0).String(), status: int(c.Argument(1).ToInteger())}
		if to := c.Argument(2).String(); to != "" {
			r.headers = [][2]string{{"location", to}}
		}
		return g.hold(r)
	})
	set("bodyOf", func(c goja.FunctionCall) goja.Value {
		if r, ok := heldIn[*request](c.Argument(0)); ok {
			return g.handle(r.body)
		}
		if r := g.responseIn(c.Argument(0)); !r.hidden() {
			return g.handle(r.body)
		}
		return goja.Null()
	})
	set("hasBody", func(c goja.FunctionCall) goja.Value { return vm.ToValue(g.requestIn(c.Argument(0)).body != nil) })
	set("bake", func(c goja.FunctionCall) goja.Value { // what it is now, whatever becomes of its headers
		if _, ok := heldIn[*request](c.Argument(0)); ok {
			return g.hold(g.toRequest(c.Argument(0), c.Argument(1), goja.Null()))
		}
		return g.hold(g.toResponse(c.Argument(0), c.Argument(1), goja.Undefined()))
	})
	for name, f := range map[string]func(*request) any{
		"url": func(r *request) any { return r.url }, "method": func(r *request) any { return r.method }, "mode": func(r *request) any { return r.mode },
		"credentials": func(r *request) any { return r.credentials }, "cache": func(r *request) any { return r.cache }, "redirect": func(r *request) any { return r.redirect },
		"referrer": func(r *request) any { return r.referrer }, "referrerPolicy": func(r *request) any { return r.referrerPolicy }, "integrity": func(r *request) any { return r.integrity },
		"keepalive": func(r *request) any { return r.keepalive }, "destination": func(r *request) any { return r.destination }, "reload": func(r *request) any { return r.reload },
	} {
		set("request_"+name, func(c goja.FunctionCall) goja.Value { return vm.ToValue(f(g.requestIn(c.Argument(0)))) })
	}
	for name, f := range map[string]func(*response) any{
		"type": func(r *response) any { return r.kind },
		"url": func(r *response) any {
			if r.kind == "opaque" {
				return ""
			}
			return r.url
		},
		"redirected": func(r *response) any { return r.redirected && r.kind != "opaque" },
		"status": func(r *response) any {
			if r.hidden() {
				return 0
			}
			return r.status
		},
		"statusText": func(r *response) any {
			if r.hidden() {
				return ""
			}
			return r.statusText
		},
	} {
		set("response_"+name, func(c goja.FunctionCall) goja.Value { return vm.ToValue(f(g.responseIn(c.Argument(0)))) })
	}
}

// fromRequest gives what the prelude's requestFrom takes.
func (g *realm) fromRequest(r *request) goja.Value {
	out := *r
	out.destination, out.own = destination(r.destination), false
	if out.referrer == "" {
		out.referrer = "about:client"
	}
	return g.hold(&out)
}

// destination hides our own words from the worker.
func destination(d string) string {
	if d == "fetch" {
		return ""
	}
	return d
}

// toRequest gives the request that a Request object stands for: what it holds, with the headers and the body as they are now.
func (g *realm) toRequest(v, headers, body goja.Value) *request {
	r := *g.requestIn(v)
	if h, ok := heldIn[*headerList](headers); ok && h.guard != guardImmutable {
		r.headers = slices.Clone(h.list)
	}
	r.headers = slices.Clip(r.headers)
	r.reload, r.own, r.body = false, false, toBlob(body)
	return &r
}

// toResponse gives the response that a Response object stands for. Without a body it has the one that it came with.
func (g *realm) toResponse(v, headers, body goja.Value) *response {
	r := *g.responseIn(v)
	if r.hidden() {
		return &r
	}
	if h, ok := heldIn[*headerList](headers); ok && h.guard != guardImmutable {
		r.headers = slices.Clone(h.list)
	}
	r.headers, r.own = slices.Clip(r.headers), false
	if !goja.IsUndefined(body) {
		r.body = toBlob(body)
	}
	return &r
}

// fromResponse makes a Response object.
func (g *realm) fromResponse(r *response) goja.Value {
	v, err := g.hooks["response"](goja.Undefined(), g.hold(r))
	if err != nil {
		return goja.Undefined()
	}
	return v
}

// exception makes a DOMException.
func (g *realm) exception(message, name string) goja.Value {
	v, err := g.hooks["exception"](goja.Undefined(), g.vm.ToValue(message), g.vm.ToValue(name))
	if err != nil {
		return goja.Undefined()
	}
	return v
}

// soon gives a promise for what f gives in a task of its own: a value, or the reason why it is rejected.
func (g *realm) soon(f func() (value, reason goja.Value)) goja.Value {
	p, resolve, reject := g.vm.NewPromise()
	g.task(0, func(goja.Value, ...goja.Value) (goja.Value, error) {
		value, reason := f()
		if reason != nil {
			return nil, reject(reason)
		}
		return nil, resolve(value)
	})
	return g.vm.ToValue(p)
}
