package stage

import (
	"bytes"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"regexp"
	"runtime/debug"
	"runtime/metrics"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/dop251/goja"
	"github.com/dop251/goja/parser"
	"github.com/evanw/esbuild/pkg/api"
)

//go:embed prelude
var preludeFiles embed.FS

// preludeName is how the stage's own frames are called in stacks.
const preludeName = "stage:prelude"

// preludeOf gives what a kind of global is made with: what all have, and then its own, compiled once for the process.
func preludeOf(kind string) func() (*goja.Program, error) {
	return sync.OnceValues(func() (*goja.Program, error) {
		var b strings.Builder
		b.WriteString("(function ($) {")
		for _, pattern := range []string{"prelude/*.js", "prelude/" + kind + "/*.js"} {
			names, err := fs.Glob(preludeFiles, pattern)
			if err != nil {
				return nil, err
			}
			for _, n := range names {
				data, err := preludeFiles.ReadFile(n)
				if err != nil {
					return nil, err
				}
				b.Write(data)
			}
		}
		b.WriteString("})")
		return goja.Compile(preludeName, b.String(), false)
	})
}

var (
	workerPrelude = preludeOf("worker")
	pagePrelude   = preludeOf("page")
)

// engineHas is what the engine has beyond ES2017: regular expressions stay as they are written.
var engineHas = map[string]bool{"regexp-dot-all-flag": true, "regexp-lookbehind-assertions": true, "regexp-named-capture-groups": true, "regexp-unicode-property-escapes": true}

// compile parses a script. Syntax that the engine lacks is lowered; positions stay those of the source.
func compile(name, src string) (*goja.Program, error) { return compileWith(name, src, false) }

// compileWith does so; in pages, import() is a call of what the realm has for it.
func compileWith(name, src string, page bool) (*goja.Program, error) {
	if !shallow(src) {
		return nil, &scriptError{message: errNested.Error(), file: name}
	}
	ast, err := goja.Parse(name, src, parser.WithDisableSourceMaps)
	if err == nil {
		if err := tame(ast); err != nil {
			return nil, &scriptError{message: err.Error(), file: name}
		}
		if p, err := goja.CompileAST(ast, false); err == nil {
			return p, nil
		}
	}
	supported := engineHas
	if page {
		supported = maps.Clone(engineHas)
		supported["dynamic-import"] = false
	}
	out := api.Transform(src, api.TransformOptions{Loader: api.LoaderJS, Target: api.ES2017, Supported: supported, Sourcefile: name,
		Sourcemap: api.SourceMapExternal, SourcesContent: api.SourcesContentExclude, LogLevel: api.LogLevelSilent})
	if len(out.Errors) > 0 {
		e := out.Errors[0]
		line, column := 0, 0
		if e.Location != nil {
			line, column = e.Location.Line, e.Location.Column+1
		}
		return nil, &scriptError{message: "SyntaxError: " + e.Text, file: name, line: line, column: column}
	}
	code := string(out.Code)
	if page {
		code = dynamicImport.ReplaceAllString(code, ".then(($1) => ($"+hidden+"i("+strings.ReplaceAll(fmt.Sprintf("%q, ", name), "$", "$$"))
	} else {
		code = refusedImport(code)
	}
	return lowered(name, code, out.Map, false)
}

// lowered compiles what a source was lowered to; positions are those of the source, by its map.
func lowered(name, code string, sourceMap []byte, strict bool) (*goja.Program, error) {
	if !shallow(code) {
		return nil, &scriptError{message: errNested.Error(), file: name}
	}
	ast, err := goja.Parse(name, code+"\n//# sourceMappingURL=lowered.map\n", parser.WithSourceMapLoader(func(p string) ([]byte, error) {
		if strings.HasSuffix(p, "lowered.map") {
			return sourceMap, nil
		}
		return nil, errors.New("no such map")
	}))
	if err != nil {
		return nil, &scriptError{message: "SyntaxError: " + err.Error(), file: name}
	}
	if err := tame(ast); err != nil {
		return nil, &scriptError{message: err.Error(), file: name}
	}
	return goja.CompileAST(ast, strict)
}

// scriptError is an exception of a worker with its place.
type scriptError struct {
	message      string
	file         string
	line, column int
}

func (e *scriptError) Error() string { return e.message }

// guard ends callbacks that take too long or too much memory.
type guard struct {
	limits  Limits
	mu      sync.Mutex
	vm      *goja.Runtime
	since   moment
	heap    uint64
	first   uint64           // what was in use when the stage was made
	deaf    int              // for how many looks the call has gone on after it was told to end
	costs   map[*realm]*cost // of the realms at work since the visitor did something
	busiest *cost            // the one of them that took longest
	lost    bool             // a call was left to itself and goes on
	act     time.Duration    // what all callbacks took since the visitor did something
	stop    chan struct{}
}

// deepest is how large the program's stack may grow, in bytes. The engine follows chains of prototypes and proxies by calls of its
// own; those that fit into the memory of a worker fit into it.
const deepest = 4 << 30

var raiseStack = sync.OnceFunc(func() { debug.SetMaxStack(deepest) })

func newGuard(l Limits) *guard {
	raiseStack()
	g := &guard{limits: l, stop: make(chan struct{}), first: liveBytes()}
	go g.watch()
	return g
}

func (g *guard) close() { close(g.stop) }

func heapBytes() uint64 { return measured("/memory/classes/heap/objects:bytes") }

// stackBytes is what the calls of the engine into itself take.
func stackBytes() uint64 { return measured("/memory/classes/heap/stacks:bytes") }

// liveBytes is what was in use when memory was last tidied up.
func liveBytes() uint64 { return measured("/gc/heap/live:bytes") }

func measured(name string) uint64 {
	s := []metrics.Sample{{Name: name}}
	metrics.Read(s)
	return s[0].Value.Uint64()
}

func (g *guard) watch() {
	tick := time.NewTicker(25 * time.Millisecond)
	defer tick.Stop()
	for {
		select {
		case <-g.stop:
			return
		case <-tick.C:
		}
		g.mu.Lock()
		if g.vm != nil {
			ran := g.since.took()
			switch {
			case ran > g.limits.Step:
				g.told()
				g.vm.Interrupt(fmt.Sprintf("ran for more than %s without coming back", g.limits.Step))
			case g.act+ran > actSteps*g.limits.Step:
				g.told()
				g.vm.Interrupt(g.tooLong())
			case liveBytes() > g.first+g.limits.Memory: // many callbacks, each of which took little
				g.tooMuch(g.vm)
			case ran > 50*time.Millisecond && g.heap == 0:
				g.heap = heapBytes()
			case g.heap > 0 && heapBytes() > g.heap+g.limits.Memory:
				g.tooMuch(g.vm)
			}
		}
		if all := heapBytes() + stackBytes(); (g.vm != nil && g.deaf > deafness || g.lost) && all > g.first+2*g.limits.Memory {
			exhausted(fmt.Sprintf("a script of the site took %d MB of memory in one call that cannot be ended, and the program ends before the machine does; what the site does is not known", all>>20))
		}
		g.mu.Unlock()
	}
}

var whenExhausted atomic.Pointer[func(why string)]

// WhenExhausted has f called when a script takes all memory in one call of the engine, which nothing but the end of the process can end. By default nothing
// is done.
func WhenExhausted(f func(why string)) { whenExhausted.Store(&f) }

func exhausted(why string) {
	if f := whenExhausted.Load(); f != nil {
		(*f)(why)
	}
}

// told counts for how many looks a call that was told to end has not ended.
func (g *guard) told() { g.deaf++ }

// deafness is for how many looks, 25 ms each, a call may go on after it was told to end; then it does not notice.
const deafness = 4

func (g *guard) tooMuch(vm *goja.Runtime) {
	g.told()
	vm.Interrupt(fmt.Sprintf("took more than %d MB of memory", g.limits.Memory>>20))
}

// room ends a callback that is about to take more memory than it may, in bytes.
func (g *guard) room(vm *goja.Runtime, bytes uint64) {
	g.mu.Lock()
	defer g.mu.Unlock()
	now := heapBytes()
	if g.heap == 0 {
		g.heap = now
	}
	if now+bytes > g.heap+g.limits.Memory {
		g.tooMuch(vm)
	}
}

// enter marks the begin of a callback, and says whether it is called by no other; the function it gives marks its end.
func (g *guard) enter(vm *goja.Runtime, by *cost) (leave func(), outermost bool) {
	g.mu.Lock()
	outer := g.vm
	if outer == nil {
		g.vm, g.since, g.heap, g.deaf = vm, now(), 0, 0
	}
	g.mu.Unlock()
	return func() {
		if outer == nil {
			g.mu.Lock()
			took := g.since.took()
			g.act += took
			by.act += took
			by.of.spent += took
			if g.busiest == nil || by.act > g.busiest.act {
				g.busiest = by
			}
			g.vm = nil
			g.mu.Unlock()
		}
	}, outer == nil
}

// lose notes that a call was left to itself.
func (g *guard) lose(busy bool) {
	g.mu.Lock()
	g.lost = g.lost || busy
	g.mu.Unlock()
}

// grace is how much longer than its limit a callback may take to notice that it is to end. One call of a function that is
// built into the engine notices nothing: a worker can keep it busy with a power of BigInt.
const grace = 2 * time.Second

// outcome is what a call gave.
type outcome struct {
	v   goja.Value
	err error
}

// engineError is a failure of the engine itself.
type engineError struct{ reason any }

func (e *engineError) Error() string { return fmt.Sprintf("the engine stopped: %v", e.reason) }

var errBusy = errors.New("one call keeps the engine busy and cannot be interrupted")

// lane is the goroutine that calls into the engine, one at a time. One that does not come back in time is left to itself, with
// its engine, and another takes its place.
type lane struct {
	work chan func() outcome
	done chan outcome
}

func (l *lane) run(f func() outcome, limit time.Duration) (goja.Value, error) {
	if l.work == nil {
		work, done := make(chan func() outcome), make(chan outcome, 1)
		l.work, l.done = work, done
		go func() {
			for f := range work {
				done <- f()
			}
		}()
	}
	l.work <- f
	select { // mostly it is quick, and needs no timer
	case o := <-l.done:
		return o.v, o.err
	default:
	}
	began := now()
	for {
		t := time.NewTimer(limit)
		select {
		case o := <-l.done:
			t.Stop()
			return o.v, o.err
		case <-t.C:
		}
		if began.took() >= limit*9/10 { // else the machine is busy with something else
			l.close()
			return nil, errBusy
		}
	}
}

func (l *lane) close() {
	if l.work != nil {
		close(l.work)
		l.work = nil
	}
}

// call runs a JavaScript function under the guard. Exceptions of the worker come back as errors, and so do
// workers that were ended.
func (g *realm) call(f goja.Callable, args ...goja.Value) (v goja.Value, err error) {
	vm := g.vm
	if vm == nil {
		return nil, errStopped
	}
	leave, outermost := g.b.guard.enter(vm, g.b.guard.costOf(g))
	run := func() (o outcome) {
		defer func() {
			switch r := recover().(type) {
			case nil:
			case *goja.InterruptedError: // in code that is not called by other code
				o.err = r
			default: // the engine itself gave up; the worker's globals cannot be trusted any more
				o.err = &engineError{r}
			}
		}()
		o.v, o.err = f(goja.Undefined(), args...)
		return o
	}
	if outermost {
		v, err = g.b.lane.run(run, g.b.limits.Step+grace)
	} else {
		o := run()
		v, err = o.v, o.err
	}
	leave()
	var gaveUp *engineError
	var interrupted *goja.InterruptedError
	var overflow *goja.StackOverflowError
	switch {
	case errors.As(err, &gaveUp), errors.Is(err, errBusy):
		g.b.guard.lose(errors.Is(err, errBusy))
		g.end(err.Error(), &scriptError{file: g.b.Relative(g.url)}, true)
	case errors.As(err, &interrupted):
		why := fmt.Sprint(interrupted.Value())
		if why == g.b.guard.tooLong() {
			g.b.blame("it " + why)
			if g.vm == nil {
				return nil, errStopped
			}
			why += ", with another"
		}
		g.end("it "+why, g.place(interrupted.String()), false)
	case errors.As(err, &overflow):
		if _, page := g.in.(*document); page {
			return nil, g.tooDeep(err)
		}
		g.end("its calls are nested too deep", &scriptError{file: g.b.Relative(g.url)}, false) // its events would never come to an end
	default:
		return v, err
	}
	return nil, errStopped
}

// tooDeep gives the exception that a browser throws when calls are nested too deep, in the place of the engine's own error, which no script can catch: it goes
// on behind the outermost call that the stage has made.
func (g *realm) tooDeep(err error) error {
	var overflow *goja.StackOverflowError
	kind, ok := g.errors["RangeError"].(*goja.Object)
	if !errors.As(err, &overflow) || !ok || g.vm == nil {
		return err
	}
	var v goja.Value
	if e := g.vm.Try(func() {
		made, err := g.vm.New(kind, g.vm.ToValue("Maximum call stack size exceeded"))
		if err == nil {
			v = made
		}
	}); e != nil || v == nil {
		return err
	}
	at := g.place(overflow.String())
	if o, ok := v.(*goja.Object); ok && at.line > 0 {
		_ = o.Set("stack", fmt.Sprintf("RangeError: Maximum call stack size exceeded\n\tat %s:%d:%d", at.file, at.line, at.column))
	}
	return g.vm.Try(func() { panic(v) })
}

// end ends the realm for what its scripts did, and notes it where it counts for other realms with the same scripts.
func (g *realm) end(why string, at *scriptError, forGood bool) {
	kind := "limit"
	if _, page := g.in.(*document); page {
		kind = "page-limit" // no worker of the site is to blame
	}
	g.b.remark(Remark{Kind: kind, Message: g.what + " was ended: " + why, File: at.file, Line: at.line, Column: at.column})
	g.in.account(at.file).end(why, forGood)
	if forGood {
		g.b.guard.newAct() // others are not to blame
	}
	g.in.stop()
}

var errStopped = errors.New("the worker is not running")

var frame = regexp.MustCompile(`(?:at |\()(?:[^\s(]+ \()?([^\s()]+?):(\d+):(\d+)`)

// place finds the worker's own innermost line in a stack.
func (g *realm) place(stack string) *scriptError {
	e := &scriptError{}
	if len(stack) > maxStack { // most of it is a message
		stack = stack[:maxText] + stack[len(stack)-maxStack+maxText:]
	}
	e.message, _, _ = strings.Cut(stack, "\n")
	e.message = clipped(e.message)
	for _, m := range frame.FindAllStringSubmatch(stack, -1) {
		if m[1] == preludeName || strings.HasPrefix(m[1], "native") {
			continue
		}
		e.file = g.b.Relative(strings.TrimPrefix(m[1], moduleSpace+":"))
		e.line, _ = strconv.Atoi(m[2])
		e.column, _ = strconv.Atoi(m[3])
		break
	}
	return e
}

// stackLine is a line that the engine writes below a message.
var stackLine = regexp.MustCompile(`^\tat .*(?:\(native\)|:\d+:\d+\(\d+\)\)?)$`)

// withoutFrames gives what a script wrote of an error without the lines of its stack, many of which are the stage's own.
func withoutFrames(text string) string {
	if !strings.Contains(text, "\n\tat ") {
		return text
	}
	return strings.TrimSpace(strings.Join(slices.DeleteFunc(strings.Split(text, "\n"), stackLine.MatchString), "\n"))
}

// here gives the worker's own innermost line of what is running.
func (g *realm) here() *scriptError {
	for _, f := range g.vm.CaptureCallStack(0, nil) {
		p := f.Position()
		if f.SrcName() == preludeName || p.Line == 0 {
			continue
		}
		name := p.Filename
		if name == "" {
			name = f.SrcName()
		}
		return &scriptError{file: g.b.Relative(strings.TrimPrefix(name, moduleSpace+":")), line: p.Line, column: p.Column}
	}
	return &scriptError{}
}

// describe turns a thrown value into a message with its place. What is asked of the value may be code of the site: it runs as such.
func (g *realm) describe(v goja.Value) *scriptError {
	if v == nil || goja.IsUndefined(v) {
		return &scriptError{message: "undefined"}
	}
	o, ok := v.(*goja.Object)
	if !ok {
		return &scriptError{message: clipped(v.String())}
	}
	out := &scriptError{message: notShown}
	_, _ = g.call(func(goja.Value, ...goja.Value) (goja.Value, error) {
		message := clipped(safeString(g.vm, o))
		out.message = message
		_ = g.vm.Try(func() {
			if s := o.Get("stack"); s != nil && !goja.IsUndefined(s) {
				out = g.place(s.String())
				out.message = message
			}
		})
		return nil, nil
	})
	return out
}

// caught describes an exception, which also knows where it was thrown.
func (g *realm) caught(ex *goja.Exception) *scriptError {
	e := g.describe(ex.Value())
	if e.line == 0 {
		var b bytes.Buffer
		for _, f := range ex.Stack() {
			b.WriteString("\tat ")
			f.Write(&b)
			b.WriteByte('\n')
		}
		p := g.place(b.String())
		e.file, e.line, e.column = p.file, p.line, p.column
	}
	return e
}

// told gives an error that can be shown: the text of an exception may be code of the site.
func (g *realm) told(err error) error {
	var ex *goja.Exception
	if errors.As(err, &ex) {
		return g.caught(ex)
	}
	return err
}

// notShown is told of a thrown value that does not let itself be described.
const notShown = "an object that cannot be shown"

// safeString makes a string of an object that may have a hostile toString.
func safeString(vm *goja.Runtime, o *goja.Object) string {
	s := notShown
	_ = vm.Try(func() {
		name, message := o.Get("name"), o.Get("message")
		if message != nil && !goja.IsUndefined(message) && name != nil && !goja.IsUndefined(name) {
			s = name.String() + ": " + message.String()
			return
		}
		s = o.String()
	})
	return s
}
