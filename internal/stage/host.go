package stage

import (
	"crypto/sha1" //nolint:gosec // the Web Cryptography API offers it
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"mime"
	"mime/multipart"
	"net/url"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/dop251/goja"
	"github.com/dunglas/go-urlpattern"
	weburl "github.com/nlnwa/whatwg-url/url"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding/htmlindex"

	"bytes"
	"io"
)

func itoa(n int) string { return strconv.Itoa(n) }

// host makes the object through which the prelude talks to the stage.
func (w *worker) host() *goja.Object {
	vm := w.vm
	o := vm.NewObject()
	set := func(name string, f func(c goja.FunctionCall) goja.Value) { _ = o.Set(name, f) }
	undefined := goja.Undefined()
	w.hostURLs(set)
	w.hostBytes(set)
	w.hostCaches(set)
	w.hostClients(set)
	set("hooks", func(c goja.FunctionCall) goja.Value {
		h := c.Argument(0).ToObject(vm)
		for _, k := range h.Keys() {
			w.hooks[k], _ = goja.AssertFunction(h.Get(k))
		}
		return undefined
	})
	set("now", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.b.loop.now) })
	set("time", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.b.loop.time().UnixMilli()) })
	set("task", func(c goja.FunctionCall) goja.Value {
		if f, ok := goja.AssertFunction(c.Argument(0)); ok {
			w.task(0, f)
		}
		return undefined
	})
	set("setTimer", func(c goja.FunctionCall) goja.Value {
		f, ok := goja.AssertFunction(c.Argument(0))
		if !ok || len(w.timers) > 10_000 {
			return vm.ToValue(0)
		}
		w.lastID++
		w.setTimer(w.lastID, f, max(c.Argument(1).ToFloat(), 0), c.Argument(2).ToBoolean())
		return vm.ToValue(w.lastID)
	})
	set("clearTimer", func(c goja.FunctionCall) goja.Value {
		if t := w.timers[c.Argument(0).ToInteger()]; t != nil {
			t.dead = true
			delete(w.timers, c.Argument(0).ToInteger())
		}
		return undefined
	})
	set("listens", func(c goja.FunctionCall) goja.Value { w.listens[c.Argument(0).String()] = true; return undefined })
	note := func(kind string, f func(c goja.FunctionCall) (string, *scriptError)) func(c goja.FunctionCall) goja.Value {
		return func(c goja.FunctionCall) goja.Value {
			m, at := f(c)
			w.b.remark(Remark{Kind: kind, Message: m, File: at.file, Line: at.line, Column: at.column})
			return undefined
		}
	}
	set("lateListener", note("late", func(c goja.FunctionCall) (string, *scriptError) {
		return "a " + c.Argument(0).String() + " listener is added after the first run of the script; it may not be called when the worker starts again", w.place(c.Argument(1).String())
	}))
	set("late", note("late", func(c goja.FunctionCall) (string, *scriptError) {
		return c.Argument(0).String() + "() is called after the event was dispatched; it throws", w.place(c.Argument(1).String())
	}))
	set("bodyUsedTwice", note("body-used", func(c goja.FunctionCall) (string, *scriptError) {
		return "a body is used a second time; clone the response before its first use", w.place(c.Argument(0).String())
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
	set("respondAt", func(c goja.FunctionCall) goja.Value { w.respond = w.place(c.Argument(0).String()); return undefined })
	set("thrown", func(c goja.FunctionCall) goja.Value {
		e := w.describe(c.Argument(1))
		w.failed = e
		w.b.remark(Remark{Kind: "exception", Message: e.message + " (in the " + c.Argument(0).String() + " handler)", File: e.file, Line: e.line, Column: e.column})
		return undefined
	})
	set("console", func(c goja.FunctionCall) goja.Value {
		if level := c.Argument(0).String(); level == "error" || level == "warn" {
			w.b.remark(Remark{Kind: "console", Message: level + ": " + c.Argument(1).String()})
		}
		return undefined
	})
	set("note", func(c goja.FunctionCall) goja.Value {
		w.b.remark(Remark{Kind: "note", Message: c.Argument(0).String() + " " + c.Argument(1).String()})
		return undefined
	})
	set("fetch", func(c goja.FunctionCall) goja.Value {
		cb, _ := goja.AssertFunction(c.Argument(1))
		stop := w.fetchFor(w.toRequest(c.Argument(0)), cb)
		return vm.ToValue(func(goja.FunctionCall) goja.Value { stop(); return undefined })
	})
	set("importScript", func(c goja.FunctionCall) goja.Value {
		if m := w.importScript(c.Argument(0).String()); m != "" {
			return vm.ToValue(m)
		}
		return goja.Null()
	})
	return o
}

func (w *worker) setTimer(id int64, f goja.Callable, ms float64, repeat bool) {
	w.timers[id] = w.task(ms, func(this goja.Value, args ...goja.Value) (goja.Value, error) {
		if repeat {
			w.setTimer(id, f, max(ms, 1), true)
		} else {
			delete(w.timers, id)
		}
		return f(this, args...)
	})
}

// fetchFor fetches for the worker and calls back into it.
func (w *worker) fetchFor(req *request, cb goja.Callable) cancel {
	gen := w.running
	return w.b.networkFetch(req, func(r *response, e netError) {
		if gen != w.running {
			return
		}
		if e != "" || r == nil {
			w.report("fetch", w.invoke(cb, w.vm.ToValue(failedToFetch)))
			return
		}
		w.report("fetch", w.invoke(cb, goja.Null(), w.fromResponse(r)))
	})
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
		r := w.b.serve(&request{url: u, method: "GET", mode: "no-cors"})
		if w.b.network == Offline || w.b.network == Slow || r == nil || r.status != 200 || !isScriptType(r.header("content-type")) && r.header("content-type") != "" {
			return "The script at '" + u + "' failed to load."
		}
		w.scripts[u] = string(r.bytes())
	}
	if err := w.run(u); err != nil {
		e := asScriptError(err)
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

func (b *Browser) resolve(ref, base string) (string, error) {
	u, err := weburl.Parse(base)
	if err != nil {
		return "", err
	}
	abs, err := u.Parse(ref)
	if err != nil {
		return "", err
	}
	return abs.Href(false), nil
}

type setter func(name string, f func(c goja.FunctionCall) goja.Value)

func (w *worker) hostURLs(set setter) {
	vm := w.vm
	value := func(u *weburl.Url) goja.Value {
		o := vm.NewObject()
		origin := "null"
		if u.IsSpecialScheme() && u.Protocol() != "file:" {
			origin = u.Protocol() + "//" + u.Host()
		}
		for k, v := range map[string]string{"href": u.Href(false), "protocol": u.Protocol(), "username": u.Username(), "password": u.Password(),
			"host": u.Host(), "hostname": u.Hostname(), "port": u.Port(), "pathname": u.Pathname(), "search": u.Search(), "hash": u.Hash(), "origin": origin} {
			_ = o.Set(k, v)
		}
		return o
	}
	set("baseURL", func(goja.FunctionCall) goja.Value { return vm.ToValue(w.url) })
	set("parseURL", func(c goja.FunctionCall) goja.Value {
		var u *weburl.Url
		var err error
		if b := c.Argument(1); goja.IsNull(b) || goja.IsUndefined(b) {
			u, err = weburl.Parse(c.Argument(0).String())
		} else {
			u, err = weburl.ParseRef(b.String(), c.Argument(0).String())
		}
		if err != nil {
			return goja.Null()
		}
		return value(u)
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
	set("pattern", func(c goja.FunctionCall) goja.Value { return w.pattern(c) })
	set("patternExec", func(c goja.FunctionCall) goja.Value { return w.patternExec(c) })
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

func (w *worker) pattern(c goja.FunctionCall) goja.Value {
	vm := w.vm
	var p *urlpattern.URLPattern
	var err error
	base := w.url
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
	_ = o.Set("handle", vm.ToValue(&patternHandle{p}))
	return o
}

type patternHandle struct{ p *urlpattern.URLPattern }

func (w *worker) patternExec(c goja.FunctionCall) goja.Value {
	vm := w.vm
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
		for k, v := range x.Groups {
			_ = groups.Set(k, v)
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

func (w *worker) handle(b *blob) goja.Value {
	if b == nil {
		return goja.Null()
	}
	return w.vm.ToValue(b)
}

func toBlob(v goja.Value) *blob {
	if v == nil || goja.IsNull(v) || goja.IsUndefined(v) {
		return nil
	}
	b, _ := v.Export().(*blob)
	return b
}

// maxBuffer bounds what a worker can make of bytes at a time.
const maxBuffer = 256 << 20

func (w *worker) hostBytes(set setter) {
	vm := w.vm
	data := func(v goja.Value) []byte {
		if b := toBlob(v); b != nil {
			return b.data
		}
		return nil
	}
	set("utf8Bytes", func(c goja.FunctionCall) goja.Value { return w.handle(&blob{data: []byte(c.Argument(0).String())}) })
	set("bytesOf", func(c goja.FunctionCall) goja.Value {
		buf, ok := c.Argument(0).Export().(goja.ArrayBuffer)
		if !ok {
			return w.handle(&blob{})
		}
		from, n := int(c.Argument(1).ToInteger()), int(c.Argument(2).ToInteger())
		all := buf.Bytes()
		from = min(max(from, 0), len(all))
		return w.handle(&blob{data: bytes.Clone(all[from:min(from+max(n, 0), len(all))])})
	})
	set("toBuffer", func(c goja.FunctionCall) goja.Value {
		return vm.ToValue(vm.NewArrayBuffer(bytes.Clone(data(c.Argument(0)))))
	})
	set("toText", func(c goja.FunctionCall) goja.Value {
		return vm.ToValue(string(bytes.ToValidUTF8(bytes.TrimPrefix(data(c.Argument(0)), []byte("\xef\xbb\xbf")), []byte("\ufffd"))))
	})
	set("size", func(c goja.FunctionCall) goja.Value { return vm.ToValue(len(data(c.Argument(0)))) })
	set("empty", func(goja.FunctionCall) goja.Value { return w.handle(&blob{}) })
	set("slice", func(c goja.FunctionCall) goja.Value {
		d := data(c.Argument(0))
		from := min(max(int(c.Argument(1).ToInteger()), 0), len(d))
		to := min(max(int(c.Argument(2).ToInteger()), from), len(d))
		out := &blob{data: d[from:to:to]}
		if b := toBlob(c.Argument(0)); b != nil {
			out.from = b.from
		}
		return w.handle(out)
	})
	set("concat", func(c goja.FunctionCall) goja.Value {
		out := &blob{}
		n := 0
		vm.ForOf(c.Argument(0), func(p goja.Value) bool {
			b := toBlob(p)
			if b == nil {
				return true
			}
			if n++; n == 1 {
				out.from = b.from
			}
			if len(out.data)+len(b.data) > maxBuffer {
				panic(vm.NewTypeError("out of memory"))
			}
			out.data = append(out.data, b.data...)
			return true
		})
		return w.handle(out)
	})
	set("digest", func(c goja.FunctionCall) goja.Value {
		d := data(c.Argument(1))
		var sum []byte
		switch c.Argument(0).String() {
		case "SHA-1":
			s := sha1.Sum(d) //nolint:gosec // asked for by the worker
			sum = s[:]
		case "SHA-256":
			s := sha256.Sum256(d)
			sum = s[:]
		case "SHA-384":
			s := sha512.Sum384(d)
			sum = s[:]
		case "SHA-512":
			s := sha512.Sum512(d)
			sum = s[:]
		default:
			return goja.Null()
		}
		return w.handle(&blob{data: sum})
	})
	set("random", func(c goja.FunctionCall) goja.Value {
		n := min(max(int(c.Argument(0).ToInteger()), 0), 65536)
		out := make([]byte, n)
		for i := range out {
			w.b.random = w.b.random*6364136223846793005 + 1442695040888963407
			out[i] = byte(w.b.random >> 56)
		}
		return vm.ToValue(vm.NewArrayBuffer(out))
	})
	set("boundary", func(goja.FunctionCall) goja.Value {
		w.b.random++
		return vm.ToValue(strconv.FormatUint(w.b.random, 36))
	})
	set("atob", func(c goja.FunctionCall) goja.Value {
		s := strings.Map(func(r rune) rune {
			if strings.ContainsRune(" \t\r\n\f", r) {
				return -1
			}
			return r
		}, c.Argument(0).String())
		out, err := base64.RawStdEncoding.DecodeString(strings.TrimRight(s, "="))
		if err != nil {
			return goja.Null()
		}
		r := make([]rune, len(out))
		for i, b := range out {
			r[i] = rune(b)
		}
		return vm.ToValue(string(r))
	})
	set("btoa", func(c goja.FunctionCall) goja.Value {
		var out []byte
		for _, r := range c.Argument(0).String() {
			if r > 255 {
				return goja.Null()
			}
			out = append(out, byte(r))
		}
		return vm.ToValue(base64.StdEncoding.EncodeToString(out))
	})
	set("encodingName", func(c goja.FunctionCall) goja.Value {
		_, name := charset.Lookup(strings.TrimSpace(c.Argument(0).String()))
		return vm.ToValue(name)
	})
	set("decode", func(c goja.FunctionCall) goja.Value { return w.decode(c) })
	set("parseForm", func(c goja.FunctionCall) goja.Value { return w.parseForm(data(c.Argument(0)), c.Argument(1).String()) })
}

// decode serves TextDecoder.
func (w *worker) decode(c goja.FunctionCall) goja.Value {
	vm := w.vm
	var in []byte
	if b := toBlob(c.Argument(0)); b != nil {
		in = b.data
	}
	label, fatal, keepBOM, stream := c.Argument(1).String(), c.Argument(2).ToBoolean(), c.Argument(3).ToBoolean(), c.Argument(4).ToBoolean()
	out := vm.NewObject()
	_ = out.Set("rest", goja.Null())
	if label == "utf-8" {
		if stream { // keep an unfinished character for the next part
			for n := 1; n <= min(3, len(in)); n++ {
				if b := in[len(in)-n]; utf8.RuneStart(b) {
					if !utf8.FullRune(in[len(in)-n:]) {
						_ = out.Set("rest", w.handle(&blob{data: bytes.Clone(in[len(in)-n:])}))
						in = in[:len(in)-n]
					}
					break
				}
			}
		}
		if fatal && !utf8.Valid(in) {
			_ = out.Set("error", true)
			return out
		}
		if !keepBOM {
			in = bytes.TrimPrefix(in, []byte("\xef\xbb\xbf"))
		}
		_ = out.Set("text", string(bytes.ToValidUTF8(in, []byte("\ufffd"))))
		return out
	}
	e, err := htmlindex.Get(label)
	if err != nil {
		_ = out.Set("error", true)
		return out
	}
	text, err := e.NewDecoder().Bytes(in)
	if err != nil && fatal {
		_ = out.Set("error", true)
		return out
	}
	_ = out.Set("text", string(text))
	return out
}

// parseForm reads a form body into [name, value, file name or null, type].
func (w *worker) parseForm(body []byte, contentType string) goja.Value {
	vm := w.vm
	var list []any
	mediaType, params, err := mime.ParseMediaType(contentType)
	switch {
	case err == nil && mediaType == "application/x-www-form-urlencoded":
		for _, part := range strings.Split(string(body), "&") {
			if part != "" {
				k, v, _ := strings.Cut(part, "=")
				list = append(list, vm.NewArray(unescapeForm(k), unescapeForm(v), nil, ""))
			}
		}
	case err == nil && mediaType == "multipart/form-data":
		r := multipart.NewReader(bytes.NewReader(body), params["boundary"])
		for {
			p, err := r.NextPart()
			if err == io.EOF {
				break
			}
			if err != nil {
				panic(vm.NewTypeError("Failed to parse body as FormData"))
			}
			data, _ := io.ReadAll(io.LimitReader(p, maxBuffer))
			if p.FileName() != "" {
				list = append(list, vm.NewArray(p.FormName(), vm.ToValue(vm.NewArrayBuffer(data)), p.FileName(), p.Header.Get("Content-Type")))
			} else {
				list = append(list, vm.NewArray(p.FormName(), string(data), nil, ""))
			}
		}
	default:
		panic(vm.NewTypeError("Failed to parse body as FormData: the content type is neither a form's nor multipart"))
	}
	return vm.NewArray(list...)
}
