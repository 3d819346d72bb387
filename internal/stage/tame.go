package stage

import (
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"math/big"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/dop251/goja"
	"github.com/dop251/goja/ast"
	"github.com/dop251/goja/file"
	"github.com/dop251/goja/parser"
	"github.com/dop251/goja/token"
	"github.com/dop251/goja/unistring"
	"github.com/evanw/esbuild/pkg/api"
	"github.com/tdewolff/parse/v2"
	"github.com/tdewolff/parse/v2/js"
)

// Some operators make numbers that are larger than the machine, and nothing interrupts them; code that is nested without end
// uses up the program's own stack, which nothing survives. Scripts are looked over for both before they run, and so is what
// they make of text.

// Bounds of what is run.
const (
	maxNesting = 10_000  // levels of a syntax tree
	smallText  = 1 << 16 // bytes of source that cannot be nested deep enough to do harm
	maxOpened  = 300_000 // brackets, operators and words of a source that only the engine understands
)

// Names of the functions that the operators are replaced by. Nobody can guess them.
var (
	hidden     = func() string { b := make([]byte, 16); _, _ = rand.Read(b); return "$" + hex.EncodeToString(b) }()
	shiftBy    = hidden + "s" // what a number is shifted by
	power      = hidden + "p" // base, exponent
	exponent   = hidden + "e" // an exponent whose base is not known
	codeOfText = hidden + "t" // the argument of eval
	openEval   = hidden + "o"
	awaited    = hidden + "a" // what is waited for
)

var errNested = errors.New("RangeError: Maximum call stack size exceeded: the script is nested too deep")

// shallow says whether a source can be parsed without harm.
func shallow(src string) bool {
	if len(src) <= smallText {
		return true
	}
	_, err := js.Parse(parse.NewInputString(src), js.Options{})
	if err == nil {
		return true
	}
	if strings.Contains(err.Error(), "too many nested") {
		return false
	}
	n := 0
	for i := range len(src) {
		switch src[i] {
		case '(', '[', '{', '!', '~', '-', '+', '>', '?', ':', '=', '`', ' ', '\n', '\t', '.', ';':
			n++
		}
	}
	return n <= maxOpened
}

// tame looks a syntax tree over and changes what can do harm. Calls are said to stand where their function is named, as
// browsers do, and not at their parenthesis.
func tame(p *ast.Program) error {
	t := &tamer{seen: map[any]bool{}}
	t.walk(reflect.ValueOf(&p.Body).Elem(), 0)
	if t.deep {
		return errNested
	}
	return nil
}

type tamer struct {
	seen map[any]bool
	deep bool
	only func(ast.Expression) // told of what would be changed, which then is not
}

var (
	astPackage = reflect.TypeFor[ast.Program]().PkgPath()
	expression = reflect.TypeFor[ast.Expression]()
)

func (t *tamer) walk(v reflect.Value, depth int) {
	if t.deep = t.deep || depth > maxNesting; t.deep {
		return
	}
	switch v.Kind() {
	case reflect.Interface:
		if v.IsNil() {
			return
		}
		t.walk(v.Elem(), depth)
		if v.Type() == expression && v.CanSet() {
			if to := t.replacement(v.Interface().(ast.Expression)); to != nil {
				v.Set(reflect.ValueOf(to))
			}
		}
	case reflect.Pointer:
		if v.IsNil() || v.Type().Elem().PkgPath() != astPackage || t.seen[v.Interface()] {
			return
		}
		t.seen[v.Interface()] = true
		if c, ok := v.Interface().(*ast.CallExpression); ok && t.only == nil {
			switch f := c.Callee.(type) {
			case *ast.DotExpression:
				c.LeftParenthesis = f.Identifier.Idx
			case *ast.PrivateDotExpression:
				c.LeftParenthesis = f.Identifier.Idx
			default:
				c.LeftParenthesis = f.Idx0()
			}
		}
		if r, ok := v.Interface().(*ast.RegExpLiteral); ok && t.only == nil && strings.ContainsRune(r.Flags, 'u') {
			r.Pattern = writtenOut(r.Pattern)
		}
		t.walk(v.Elem(), depth+1)
		t.operands(v.Interface())
	case reflect.Struct:
		for i := range v.NumField() {
			switch f := v.Field(i); f.Kind() {
			case reflect.Interface, reflect.Pointer, reflect.Slice, reflect.Struct:
				t.walk(f, depth)
			}
		}
	case reflect.Slice:
		switch v.Type().Elem().Kind() {
		case reflect.Interface, reflect.Pointer, reflect.Struct:
			for i := range v.Len() {
				t.walk(v.Index(i), depth)
			}
		}
	}
}

// operands changes the operands of a node.
func (t *tamer) operands(node any) {
	switch n := node.(type) {
	case *ast.BinaryExpression:
		if n.Operator == token.SHIFT_LEFT || n.Operator == token.SHIFT_RIGHT {
			t.guard(&n.Right, shiftBy)
		}
	case *ast.AssignExpression: // its operator is that of the operation
		switch n.Operator {
		case token.SHIFT_LEFT, token.SHIFT_RIGHT:
			t.guard(&n.Right, shiftBy)
		case token.EXPONENT:
			t.guard(&n.Right, exponent)
		}
	case *ast.AwaitExpression:
		if t.only == nil {
			n.Argument = called(awaited, n.Argument)
		}
	case *ast.CallExpression:
		if f, ok := n.Callee.(*ast.Identifier); ok && f.Name == "eval" && len(n.ArgumentList) > 0 && t.only == nil {
			if _, spread := n.ArgumentList[0].(*ast.SpreadElement); !spread {
				n.ArgumentList[0] = called(codeOfText, n.ArgumentList[0])
			}
		}
	}
}

// guard puts an operand into a call, unless it can do no harm.
func (t *tamer) guard(operand *ast.Expression, by string) {
	if n, ok := (*operand).(*ast.NumberLiteral); ok {
		if b, ok := n.Value.(*big.Int); !ok || b.IsInt64() && b.Int64() < 1024 {
			return
		}
	}
	if t.only != nil {
		t.only(*operand)
		return
	}
	*operand = called(by, *operand)
}

// replacement gives what stands for an expression, nil for itself.
func (t *tamer) replacement(e ast.Expression) ast.Expression {
	if t.only != nil {
		return nil
	}
	switch n := e.(type) {
	case *ast.BinaryExpression:
		if n.Operator == token.EXPONENT {
			return called(power, n.Left, n.Right)
		}
	case *ast.AssignExpression:
		if left, ok := n.Left.(*ast.Identifier); ok && n.Operator == token.EXPONENT {
			right := n.Right
			if c, ok := right.(*ast.CallExpression); ok && isName(c.Callee, exponent) {
				right = c.ArgumentList[0]
			}
			return &ast.AssignExpression{Operator: token.ASSIGN, Left: left, Right: called(power, &ast.Identifier{Name: left.Name, Idx: left.Idx}, right)}
		}
	case *ast.CallExpression:
		if isName(n.Callee, "eval") && len(n.ArgumentList) > 0 {
			at := n.Idx0()
			return &ast.SequenceExpression{Sequence: []ast.Expression{&ast.CallExpression{Callee: &ast.Identifier{Name: unistring.String(openEval), Idx: at}, LeftParenthesis: at, RightParenthesis: at}, n}}
		}
	}
	return nil
}

func isName(e ast.Expression, name string) bool {
	id, ok := e.(*ast.Identifier)
	return ok && id.Name == unistring.String(name)
}

func called(name string, args ...ast.Expression) *ast.CallExpression {
	at := args[0].Idx0()
	return &ast.CallExpression{Callee: &ast.Identifier{Name: unistring.String(name), Idx: at}, LeftParenthesis: at, ArgumentList: args, RightParenthesis: args[len(args)-1].Idx1()}
}

// tameText gives the text of code with its dangerous operands in calls. Code that cannot be written so is refused.
func tameText(src string) (string, error) {
	if !shallow(src) {
		return "", errNested
	}
	p, err := goja.Parse("", src, parser.WithDisableSourceMaps)
	if err == nil {
		_, err = goja.CompileAST(p, false)
	}
	if err != nil {
		out := api.Transform(src, api.TransformOptions{Loader: api.LoaderJS, Target: api.ES2017, Supported: engineHas, LogLevel: api.LogLevelSilent})
		if len(out.Errors) > 0 || !shallow(string(out.Code)) {
			return src, nil // the engine says what is wrong with it
		}
		src = string(out.Code)
		if p, err = goja.Parse("", src, parser.WithDisableSourceMaps); err != nil {
			return src, nil //nolint:nilerr // as above
		}
	}
	type insert struct {
		at   int
		text string
	}
	var list []insert
	found, err := dangers(p)
	if err != nil || len(found) == 0 {
		return src, err
	}
	for _, e := range found {
		list = append(list, insert{int(e.Idx0()) - 1, exponent + "("}, insert{int(e.Idx1()) - 1, ")"})
	}
	slices.SortStableFunc(list, func(a, b insert) int { return a.at - b.at })
	var b strings.Builder
	from := 0
	for _, i := range list {
		if i.at < from || i.at > len(src) {
			return "", refused(p.File, found[0])
		}
		b.WriteString(src[from:i.at])
		b.WriteString(i.text)
		from = i.at
	}
	b.WriteString(src[from:])
	again, err := goja.Parse("", b.String(), parser.WithDisableSourceMaps)
	if err != nil {
		return "", refused(p.File, found[0])
	}
	wrapped, err := dangers(again)
	if err != nil || len(wrapped) != len(found) {
		return "", refused(p.File, found[0])
	}
	for _, e := range wrapped {
		if c, ok := e.(*ast.CallExpression); !ok || !isName(c.Callee, exponent) {
			return "", refused(p.File, e)
		}
	}
	return b.String(), nil
}

// dangers gives the operands that are to be guarded.
func dangers(p *ast.Program) (found []ast.Expression, err error) {
	t := &tamer{seen: map[any]bool{}, only: func(e ast.Expression) { found = append(found, e) }}
	t.walk(reflect.ValueOf(&p.Body).Elem(), 0)
	if t.deep {
		return nil, errNested
	}
	return found, nil
}

func refused(f *file.File, e ast.Expression) error {
	at := f.Position(int(e.Idx0()) - 1)
	return fmt.Errorf("EvalError: this text is not run here: the operand at %d:%d could be too large for the machine", at.Line, at.Column)
}

// guards gives what the operators are replaced by to a worker's globals, as names that its global object does not have.
func (g *realm) guards(functions *goja.Object) error {
	p, err := guardNames()
	if err != nil {
		return err
	}
	global := g.vm.GlobalObject()
	for _, name := range guardSuffixes {
		if err := global.Set(hidden+name, functions.Get(name)); err != nil {
			return err
		}
	}
	_, err = g.vm.RunProgram(p)
	return err
}

var guardSuffixes = []string{"s", "p", "e", "t", "o", "a"}

var guardNames = sync.OnceValues(func() (*goja.Program, error) {
	var b strings.Builder
	for _, name := range guardSuffixes {
		fmt.Fprintf(&b, "const %[1]s = globalThis.%[1]s; delete globalThis.%[1]s;", hidden+name)
	}
	return goja.Compile(preludeName, b.String(), false)
})

// hostTame sets what the prelude needs to look text over.
func (g *realm) hostTame(set setter) {
	vm := g.vm
	set("tame", func(c goja.FunctionCall) goja.Value {
		text, err := tameText(c.Argument(0).String())
		if err != nil {
			o := vm.NewObject()
			kind, message, _ := strings.Cut(err.Error(), ": ")
			_ = o.Set("kind", kind)
			_ = o.Set("message", message)
			return o
		}
		return vm.ToValue(text)
	})
	set("bits", func(c goja.FunctionCall) goja.Value {
		if b, ok := c.Argument(0).Export().(*big.Int); ok {
			return vm.ToValue(b.BitLen())
		}
		return vm.ToValue(0)
	})
	set("nesting", func(c goja.FunctionCall) goja.Value { return vm.ToValue(nesting(c.Argument(0).String())) })
	set("room", func(c goja.FunctionCall) goja.Value {
		g.b.guard.room(vm, uint64(max(c.Argument(0).ToInteger(), 0)))
		return goja.Undefined()
	})
	set("detach", func(c goja.FunctionCall) goja.Value {
		if b, ok := c.Argument(0).Export().(goja.ArrayBuffer); ok {
			b.Detach()
		}
		return goja.Undefined()
	})
	set("zone", func(goja.FunctionCall) goja.Value {
		name := time.Local.String()
		if name == "Local" || name == "" {
			name = "UTC"
		}
		return vm.ToValue(name)
	})
	set("zoneOffset", func(c goja.FunctionCall) goja.Value {
		l, err := time.LoadLocation(c.Argument(0).String())
		if err != nil {
			return goja.Undefined()
		}
		_, s := time.UnixMilli(c.Argument(1).ToInteger()).In(l).Zone()
		return vm.ToValue(s / 60)
	})
	set("guards", func(c goja.FunctionCall) goja.Value {
		if err := g.guards(c.Argument(0).ToObject(vm)); err != nil {
			panic(vm.NewGoError(err))
		}
		return goja.Undefined()
	})
}

// nesting gives how deep the brackets of a JSON text are nested.
func nesting(text string) int {
	deepest, depth, quoted := 0, 0, false
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case quoted && c == '\\':
			i++
		case c == '"':
			quoted = !quoted
		case quoted:
		case c == '[' || c == '{':
			depth++
			deepest = max(deepest, depth)
		case c == ']' || c == '}':
			depth--
		}
	}
	return deepest
}
