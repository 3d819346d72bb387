package stage

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/dop251/goja"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/styled"
	"tachyform.dev/tachyform/third_party/domino"
)

// PageError is an exception or rejection that nothing on a page caught.
type PageError struct {
	Message      string
	File         string // root-relative URL of the script or page, "" when unknown
	Line, Column int
	Needs        string // what browsers have and the stage lacks, when that is the cause
}

// PageRequest is a request that a page made, the document itself left out.
type PageRequest struct {
	URL, Method string
	Use         markup.Use
	Result      string // "answered" or "rejected"
	Status      int    // 0 when rejected or opaque
	AnsweredBy  AnsweredBy

	Source     string  // "store NAME", "network", or "" when the worker made the answer itself, or the stage does not know
	Bytes      int64   // of the answer
	Sent, Took float64 // when it was sent, since the load began, and how long the answer took, in ms of the virtual clock
}

// document is a page whose scripts run: its realm, and how far it is.
type document struct {
	realm
	tab      *Tab
	loader   *loader
	source   string
	unmade   error // why its globals could not be made
	at       int   // where the next inline script is looked for in the source
	modules  map[string]*module
	maps     importMap
	sheets   []string
	rules    map[string]goja.Value // of these by property and element, as scripts get them
	setters  map[string][]setBy    // of these by property
	ruled    int                   // of how many sheets they are
	asked    map[string]*need      // by use and address
	accounts map[string]*account   // of its scripts, by their root-relative URL
	inner    int                   // events that are being handled inside of others
	done     bool                  // the load event was fired
	since    float64               // when, in ms of the virtual clock
	over     bool                  // it was left, or ended
	errors   []PageError
	referer  string

	key        string     // by which the run is remembered, "" when it is not
	trail      []askedFor // what it asked for
	posted     []any
	unlike     bool // it read what is not noted: stores, databases, the clock, messages
	remembered bool
}

// need is something that a document asked for, and who waits for it.
type need struct {
	came bool
	ok   bool
	wait []func(ok bool)
}

// Bounds of a page.
const (
	quiet        = 1000.0  // ms without timers that are due, after which a page has settled
	atLeast      = 100.0   // ms after its load event in which answers of the worker come
	recurring    = 500.0   // ms after its load event in which intervals are waited for
	settleLimit  = 10000.0 // ms after its load event, after which it counts as settled whatever it does
	maxErrors    = 100
	maxRequests  = 5000
	maxTextShown = 1 << 20
)

var dominoProgram = sync.OnceValues(func() (*goja.Program, error) {
	const handlers = "function addEventHandlers(c,eventHandlerTypes){" // what it makes here, handlers of ours take the place of
	if strings.Count(domino.Source, handlers) != 1 {
		return nil, errors.New("the DOM library is another than the one that this was written for")
	}
	source := strings.Replace(domino.Source, handlers, handlers+"return;", 1)
	return goja.Compile(preludeName, "(function (console, setTimeout, setInterval, clearTimeout, clearInterval, Object) {"+source+";return domino})", false)
})

// newDocument starts the realm of a page that has come.
func newDocument(l *loader, url, source string) *document {
	d := l.b.docs.blank()
	d.b, d.url, d.tab, d.loader, d.source = l.b, url, l.tab, l, source
	return d
}

// run lets the document's parser begin.
func (d *document) run() {
	if d.unmade != nil {
		d.fail(PageError{Message: "the page's globals could not be made: " + d.unmade.Error(), File: d.b.Relative(d.url)})
		d.stop()
		return
	}
	d.unlike = false // making the globals depends on nothing
	if why := d.account("").refused(); why != "" {
		d.b.remark(Remark{Kind: "page-limit", Message: "the page is not run again: it was ended before (" + why + ")", URL: d.b.Relative(withoutFragment(d.url))})
		d.stop()
		return
	}
	d.hook("begin", d.url)
	d.hook("feed", d.source)
}

// blank is a document without a page whose globals are made, or will be.
type blank struct {
	d     *document
	ready chan struct{}
}

func newBlank() *blank {
	n := &blank{&document{modules: map[string]*module{}, asked: map[string]*need{}}, make(chan struct{})}
	go func() {
		defer close(n.ready)
		n.d.open("the page", n.d)
		n.d.unmade = n.d.globals()
	}()
	return n
}

// globals makes what every page finds. It depends on no page and no browser, so it is done ahead, beside a page that runs.
func (d *document) globals() (err error) {
	defer func() {
		if r := recover(); r != nil {
			err = &engineError{r}
		}
	}()
	p, err := pagePrelude()
	if err != nil {
		return err
	}
	v, err := d.vm.RunProgram(p)
	if err != nil {
		return err
	}
	setup, _ := goja.AssertFunction(v)
	_, err = setup(goja.Undefined(), d.hostObject())
	return err
}

// ahead begins with the globals of the next page, if there are cores for it.
func (c *readCache) ahead() {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.next == nil && runtime.GOMAXPROCS(0) > 1 {
		c.next = newBlank()
	}
}

// blank gives a document whose globals are made.
func (c *readCache) blank() *document {
	c.mu.Lock()
	n := c.next
	c.next = nil
	c.made++
	more := c.made > 1 // many are opened once only, such as those that an audit looks at
	c.mu.Unlock()
	if n == nil {
		n = newBlank()
	}
	<-n.ready
	if more {
		c.ahead()
	}
	return n.d
}

// enter calls a function of the realm and then what it left to be done, each with its own turn for promises.
func (d *document) enter(f goja.Callable, args ...goja.Value) error {
	_, err := d.call(f, args...)
	d.rejections()
	for n := 0; len(d.next) > 0 && d.vm != nil; n++ {
		g := d.next[0]
		d.next = d.next[1:]
		if _, e := d.call(g); e != nil && err == nil {
			d.report("task", e)
		}
		d.rejections()
	}
	return err
}

// hook calls one of the prelude's hooks.
func (d *document) hook(name string, args ...any) goja.Value {
	switch name {
	case "message", "controllerchange", "workerstate", "updatefound", "network", "broadcast", "popstate", "click", "type", "choose", "submit":
		d.unlike = true
	}
	if d.vm == nil || d.over {
		return goja.Undefined()
	}
	values := make([]goja.Value, len(args))
	for i, a := range args {
		values[i] = d.vm.ToValue(a)
	}
	f := d.hooks[name]
	if f == nil {
		return goja.Undefined()
	}
	out := goja.Undefined()
	d.report(name, d.enter(func(this goja.Value, args ...goja.Value) (goja.Value, error) {
		v, err := f(this, args...)
		if err == nil && v != nil {
			out = v
		}
		return v, err
	}, values...))
	return out
}

// later calls a hook in a task of its own.
func (d *document) later(name string, args ...any) {
	d.tasks++
	d.b.loop.after(0, func() {
		d.tasks--
		d.hook(name, args...)
	})
}

func (d *document) phase() state { return "" }

// stop ends the page's scripts; what it showed stays.
func (d *document) stop() {
	if d.over {
		return
	}
	d.fail(PageError{Message: "the page's scripts were ended: they ran too long, took too much memory or were nested too deep", File: d.b.Relative(d.url), Needs: moreTime})
	d.over = true
	d.forget()
}

// moreTime is what a page lacks here whose scripts were ended: browsers run them many times faster, and what it shows there is not known.
const moreTime = "more time or memory than scripts are given"

// errEndedBefore is what is said of a module that is not run again.
const errEndedBefore = "the module was ended before, and is not run again"

// forget lets go of the realm, and of all that holds it.
func (d *document) forget() {
	d.account("").load(d.spent, d.b.limits.Step)
	d.realm.stop()
	d.modules, d.asked, d.sheets, d.rules, d.maps, d.source = nil, nil, nil, nil, importMap{}, ""
}

// leave is called when the tab goes elsewhere.
func (d *document) leave() {
	if d.over {
		return
	}
	d.hook("leave")
	d.over = true
	d.forget()
}

// settled says whether nothing but recurring timers is left, or the page has had time enough.
func (d *document) settled() bool {
	if d.over || d.vm == nil {
		return true
	}
	if !d.done {
		return false
	}
	now := d.b.loop.now
	if now >= d.since+settleLimit {
		return true
	}
	if d.tasks > 0 || now < d.since+atLeast {
		return false
	}
	for _, t := range d.timers {
		if t.dead {
			continue
		}
		if !t.recurring && t.at <= now+quiet || t.recurring && now < d.since+recurring {
			return false
		}
	}
	return true
}

// look reads what a visitor sees.
func (d *document) look(l *Load) {
	if d.vm == nil { // it was ended, and shows what nobody can tell
		l.Errors, l.Ran = d.errors, true
		return
	}
	l.Title = d.hook("title").String()
	if l.Manifest = d.hook("manifest").String(); strings.HasPrefix(l.Manifest, "http") {
		l.Manifest = d.b.Relative(l.Manifest)
	}
	text := d.hook("text").String()
	if len(text) > maxTextShown {
		text = strings.ToValidUTF8(text[:maxTextShown], "")
	}
	l.Text, l.Ran = text, true
	l.Errors, l.Launched = d.errors, d.launched()
	if d.settled() {
		d.remember()
	}
}

// fetches sends a request of a script, through the worker that controls the page.
func (d *document) fetches(req *request, done func(*response)) cancel {
	stopped := false
	if req.referrer == "" || req.referrer == "about:client" {
		req.referrer = d.url
	}
	d.pending(1)
	key := d.loader.expect(req, markup.UseFetch)
	d.b.clientFetch(d.tab, req, d.loader.inTurn(func(r reply) {
		d.pending(-1)
		delete(d.loader.waiting, key)
		d.trail = append(d.trail, askedFor{markup.UseFetch, *req, answered(r)})
		d.loader.noteRequest(req, markup.UseFetch, r)
		if stopped || d.over {
			return
		}
		if why := d.b.unusable(markup.UseFetch, req, r); why != "" && (req.method == "GET" || req.method == "") {
			d.loader.miss(req.url, markup.UseFetch, why)
		}
		done(r.response)
	}))
	return func() { stopped = true }
}

func (d *document) pending(n int) { d.loader.pending += n }

// thrown notes an exception that nothing caught, unless the page says that it has dealt with it.
func (d *document) thrown(_ string, v goja.Value, e *scriptError) { d.uncaught(v, e) }

func (d *document) uncaught(v goja.Value, e *scriptError) {
	if v == nil {
		v = goja.Undefined()
	}
	if f := d.hooks["uncaught"]; f != nil && d.vm != nil && d.inner < 8 {
		d.inner++
		r, err := d.call(f, v, d.vm.ToValue("Uncaught "+e.message), d.vm.ToValue(d.absolute(e.file)), d.vm.ToValue(e.line), d.vm.ToValue(e.column))
		d.inner--
		if err == nil && r != nil && r.ToBoolean() {
			return
		}
	}
	d.fail(PageError{Message: "Uncaught " + e.message, File: e.file, Line: e.line, Column: e.column})
}

// absolute gives the whole address of a file of the site.
func (d *document) absolute(file string) string {
	if u, err := d.b.absolute(file); err == nil && file != "" {
		return u
	}
	return file
}

func (d *document) fail(e PageError) {
	if e.File == "" && e.Line == 0 { // as browsers say of what no script's line has thrown
		e.File, e.Line, e.Column = d.b.Relative(d.url), 1, 1
	}
	if len(d.errors) < maxErrors {
		if strings.HasSuffix(e.Message, errEndedBefore) {
			e.Needs = moreTime
		}
		e.Needs = cmp.Or(e.Needs, d.b.docs.gapIn(e.Message))
		d.errors = append(d.errors, e)
	}
}

// report hands on what a call of the realm threw.
func (d *document) report(where string, err error) {
	if err != nil {
		err = d.tooDeep(err)
	}
	var ex *goja.Exception
	if errors.As(err, &ex) {
		d.uncaught(ex.Value(), d.caught(ex))
	}
}

// rejections tells the page of promises that were rejected and that nobody has a handler for (HTML Standard, "notify about rejected promises").
func (d *document) rejections() {
	for len(d.rejected) > 0 && d.vm != nil {
		p := d.rejected[0]
		d.rejected = d.rejected[1:]
		if p.State() != goja.PromiseStateRejected {
			continue
		}
		e := d.describe(p.Result())
		if f := d.hooks["rejected"]; f != nil {
			r, err := d.call(f, d.vm.ToValue(p), p.Result())
			if err == nil && r != nil && r.ToBoolean() {
				continue
			}
		}
		d.fail(PageError{Message: "Uncaught (in promise) " + e.message, File: e.file, Line: e.line, Column: e.column})
	}
}

// classic fetches and runs a classic script.
func (d *document) classic(url string, options *goja.Object, came goja.Callable) {
	req := d.b.need(url, markup.UseScript, d.url).as(text(options, "crossorigin"), text(options, "integrity"))
	d.loader.request(req, markup.UseScript, func(r reply, why string) {
		run := goja.Undefined()
		if why == "" {
			source := string(r.response.bytes())
			run = d.vm.ToValue(func(goja.FunctionCall) goja.Value { d.execute(url, source, place{}); return goja.Undefined() })
		}
		d.report("script", d.enter(came, run))
	})
}

func text(o *goja.Object, name string) string {
	if o == nil {
		return ""
	}
	if v := o.Get(name); v != nil && !goja.IsUndefined(v) && !goja.IsNull(v) {
		return v.String()
	}
	return ""
}

// account is that of a script of the page, or of the page where no script is to be made out.
func (d *document) account(file string) *account {
	if a := d.accounts[file]; a != nil {
		return a
	}
	return d.b.limits.Ledger.of("page "+withoutFragment(d.url), d.source)
}

// allows says whether a script is run, and notes that it is.
func (d *document) allows(url, source string) bool {
	file, a := d.b.Relative(url), d.b.limits.Ledger.of("script "+withoutFragment(url), source)
	if d.accounts == nil {
		d.accounts = map[string]*account{}
	}
	d.accounts[file] = a
	why := cmp.Or(a.refused(), d.account("").refused())
	if why != "" {
		d.b.remark(Remark{Kind: "page-limit", Message: "the script is not run again: it was ended before (" + why + ")", File: file, URL: d.b.Relative(d.url)})
	}
	return why == ""
}

// execute runs a classic script whose first line is a line of its file.
func (d *document) execute(url, source string, at place) {
	source = at.padded(source)
	if !d.allows(url, source) {
		return
	}
	p, err := d.b.docs.pageProgram(url, source)
	if err != nil {
		e := *asScriptError(err)
		e.file = d.b.Relative(e.file)
		d.uncaught(nil, &e)
		return
	}
	if _, err := d.vm.RunProgram(p); err != nil {
		var interrupted *goja.InterruptedError
		if errors.As(err, &interrupted) {
			panic(interrupted)
		}
		d.report("script", err)
	}
}

// place is where an inline script begins in its page: lines and columns before it.
type place struct{ lines, columns int }

// padded moves a source to its place, so that errors have that of the page.
func (p place) padded(source string) string {
	if p.lines > 1_000_000 || p.columns > 1_000_000 {
		return source
	}
	return strings.Repeat("\n", p.lines) + strings.Repeat(" ", p.columns) + source
}

// placeOf finds an inline script in the page's source, behind those that were looked for before.
func (d *document) placeOf(source string) place {
	if i := strings.Index(d.source[min(d.at, len(d.source)):], source); i >= 0 {
		at := d.at + i
		d.at = at + len(source)
		before := d.source[:at]
		return place{strings.Count(before, "\n"), len([]rune(before[strings.LastIndexByte(before, '\n')+1:]))}
	}
	return place{}
}

var displayRule = regexp.MustCompile(`([^{}@;]+)\{([^{}]*)\}`)

// needs asks for something that the page shows. media is that of a style sheet; cors and integrity are as the element has them.
func (d *document) needs(url string, use markup.Use, media, cors, integrity string, done func(ok bool)) {
	key := string(use) + " " + url + " " + cors + " " + integrity
	n := d.asked[key]
	if n != nil {
		if n.came {
			d.tasks++
			d.b.loop.after(0, func() { d.tasks--; done(n.ok) })
		} else {
			n.wait = append(n.wait, done)
		}
		return
	}
	if len(d.asked) > maxNeeds || d.over {
		return
	}
	n = &need{wait: []func(bool){done}}
	d.asked[key] = n
	if strings.HasPrefix(url, "data:") || strings.HasPrefix(url, "blob:") || url == withoutFragment(d.url) {
		n.came, n.ok = true, true
		d.tasks++
		d.b.loop.after(0, func() { d.tasks--; done(true) })
		return
	}
	d.loader.request(d.b.need(url, use, d.url).as(cors, integrity), use, func(r reply, why string) {
		n.came, n.ok = true, why == ""
		if n.ok && use == markup.UseStyle && !r.response.unknown {
			if styled.Met(media, screenWidth, screenHeight) {
				d.sheets = append(d.sheets, string(r.response.bytes()))
			}
			from := url
			if r.response.url != "" {
				from = r.response.url
			}
			d.loader.styles(d.b.docs.style(r.response.bytes()), from, media)
		}
		wait := n.wait
		n.wait = nil
		for _, f := range wait {
			f(n.ok)
		}
	})
}

// carry copies a value into another realm, as a message between the two is (plain values, lists, dates, buffers).
func carry(v goja.Value, to *goja.Runtime) goja.Value {
	return carryIn(v, to, 0)
}

func carryIn(v goja.Value, to *goja.Runtime, depth int) goja.Value {
	if v == nil || goja.IsUndefined(v) {
		return goja.Undefined()
	}
	if goja.IsNull(v) || depth > 200 {
		return goja.Null()
	}
	o, ok := v.(*goja.Object)
	if !ok {
		return to.ToValue(v.Export())
	}
	switch x := o.Export().(type) {
	case goja.ArrayBuffer:
		return to.ToValue(to.NewArrayBuffer(slices.Clone(x.Bytes())))
	case []any:
		list := make([]any, len(x))
		for i := range x {
			list[i] = carryIn(o.Get(fmt.Sprint(i)), to, depth+1)
		}
		return to.NewArray(list...)
	}
	switch o.ClassName() {
	case "Date", "Number", "String", "Boolean":
		return to.ToValue(o.Export())
	case "Error":
		e := to.NewGoError(errors.New(text(o, "message")))
		return e
	}
	out := to.NewObject()
	for _, k := range o.Keys() {
		_ = out.Set(k, carryIn(o.Get(k), to, depth+1))
	}
	return out
}
