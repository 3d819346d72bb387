package icon

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"runtime"

	"github.com/tetratelabs/wazero"
	"github.com/tetratelabs/wazero/api"
	"github.com/tetratelabs/wazero/experimental"
)

// engine holds the compiled renderer. Every render gets a fresh instance, so a trap in one harms no other.
type engine struct {
	rt  wazero.Runtime
	mod wazero.CompiledModule
}

type (
	hostKey    struct{}
	memObj     struct{}
	bufObj     struct{}
	view       struct{ off, n uint32 }
	iter       struct{ items []any }
	iterResult struct {
		v    any
		done bool
	}
)

// host is the object table of one instance; handles below 132 are wasm-bindgen's constants.
type host struct {
	objs map[uint32]any
	next uint32
}

func (h *host) add(v any) uint32 {
	h.next++
	h.objs[h.next] = v
	return h.next
}

func (h *host) take(i uint32) any {
	v := h.objs[i]
	delete(h.objs, i)
	return v
}

func (h *host) bytes(m api.Module, i uint32) []byte {
	switch v := h.objs[i].(type) {
	case []byte:
		return v
	case view:
		b, _ := m.Memory().Read(v.off, v.n)
		return b
	case bufObj:
		b, _ := m.Memory().Read(0, m.Memory().Size())
		return b
	}
	return nil
}

func of(ctx context.Context) *host { return ctx.Value(hostKey{}).(*host) }

func str(m api.Module, p, n uint32) string {
	b, _ := m.Memory().Read(p, n)
	return string(b)
}

// newEngine compiles the module. maxPages bounds each instance's memory in 64 KiB pages.
func newEngine(ctx context.Context, wasm []byte, cfg wazero.RuntimeConfig, maxPages uint32) (*engine, error) {
	rt := wazero.NewRuntimeWithConfig(ctx, cfg.WithCloseOnContextDone(true).WithMemoryLimitPages(maxPages))
	type C = context.Context
	type M = api.Module
	fns := map[string]any{
		"__wbg_new_28c511d9baebfa89": func(c C, m M, p, n uint32) uint32 { return of(c).add(errors.New(str(m, p, n))) },
		"__wbindgen_memory":          func(c C) uint32 { return of(c).add(memObj{}) },
		"__wbg_buffer_12d079cc21e14bdb": func(c C, i uint32) uint32 {
			return of(c).add(bufObj{})
		},
		"__wbg_newwithbyteoffsetandlength_aa4a17c33a06e5cb": func(c C, i, off, n uint32) uint32 {
			return of(c).add(view{off, n})
		},
		"__wbindgen_object_drop_ref": func(c C, i uint32) { of(c).take(i) },
		"__wbg_new_63b92bc8671ed464": func(c C, m M, i uint32) uint32 {
			h := of(c)
			if b, ok := h.objs[i].(bufObj); ok {
				return h.add(b) // a view of the whole memory
			}
			return h.add(append([]byte(nil), h.bytes(m, i)...))
		},
		"__wbg_values_839f3396d5aac002": func(c C, i uint32) uint32 {
			h := of(c)
			a, _ := h.objs[i].([]any)
			return h.add(&iter{a})
		},
		"__wbg_next_196c84450b364254": func(c C, i uint32) uint32 {
			h := of(c)
			it := h.objs[i].(*iter)
			if len(it.items) == 0 {
				return h.add(iterResult{done: true})
			}
			v := it.items[0]
			it.items = it.items[1:]
			return h.add(iterResult{v: v})
		},
		"__wbg_done_298b57d23c0fc80c": func(c C, i uint32) uint32 {
			if of(c).objs[i].(iterResult).done {
				return 1
			}
			return 0
		},
		"__wbg_value_d93c65011f51a456": func(c C, i uint32) uint32 {
			h := of(c)
			return h.add(h.objs[i].(iterResult).v)
		},
		"__wbg_instanceof_Uint8Array_2b3bbecd033d19f6": func(c C, i uint32) uint32 {
			if _, ok := of(c).objs[i].([]byte); ok {
				return 1
			}
			return 0
		},
		"__wbindgen_string_get": func(c C, m M, ret, i uint32) {
			p, n := uint32(0), 0
			if s, ok := of(c).objs[i].(string); ok {
				var err error
				if p, err = write(c, m, []byte(s)); err != nil {
					panic(err) // becomes the error of the call that led here
				}
				n = len(s)
			}
			m.Memory().WriteUint32Le(ret+4, uint32(n))
			m.Memory().WriteUint32Le(ret, p)
		},
		"__wbg_new_16b304a2cfa7ff4a": func(c C) uint32 { return of(c).add([]any{}) },
		"__wbindgen_string_new":      func(c C, m M, p, n uint32) uint32 { return of(c).add(str(m, p, n)) },
		"__wbg_push_a5b05aedc7234f9f": func(c C, i, j uint32) uint32 {
			h := of(c)
			a := append(h.objs[i].([]any), h.objs[j])
			h.objs[i] = a
			return uint32(len(a))
		},
		"__wbg_length_c20a40f15020d68a": func(c C, m M, i uint32) uint32 { return uint32(len(of(c).bytes(m, i))) },
		"__wbg_set_a47bac70306a19a7": func(c C, m M, dst, src, off uint32) {
			h := of(c)
			copy(h.bytes(m, dst)[off:], h.bytes(m, src))
		},
		"__wbindgen_throw": func(c C, m M, p, n uint32) { panic(errors.New(str(m, p, n))) },
	}
	b := rt.NewHostModuleBuilder("wbg")
	for name, f := range fns {
		b = b.NewFunctionBuilder().WithFunc(f).Export(name)
	}
	if _, err := b.Instantiate(ctx); err != nil {
		return nil, err
	}
	mod, err := rt.CompileModule(experimental.WithCompilationWorkers(ctx, runtime.GOMAXPROCS(0)), wasm)
	if err != nil {
		return nil, err
	}
	return &engine{rt, mod}, nil
}

// write puts bytes into memory that the module gives.
func write(ctx context.Context, m api.Module, b []byte) (uint32, error) {
	v, err := m.ExportedFunction("__wbindgen_malloc").Call(ctx, uint64(len(b)), 1)
	if err != nil {
		return 0, err
	}
	if !m.Memory().Write(uint32(v[0]), b) {
		return 0, fmt.Errorf("%d bytes do not fit into the renderer's memory", len(b))
	}
	return uint32(v[0]), nil
}

// document is a parsed SVG in an instance of its own.
type document struct {
	ctx  context.Context
	m    api.Module
	tab  *host
	ptr  uint64
	w, h float64 // natural size
}

// call runs an exported function that returns (value, error handle, failed) through a stack slot.
func (d *document) call(name string, args ...uint64) (uint32, error) {
	sp := d.m.ExportedFunction("__wbindgen_add_to_stack_pointer")
	v, err := sp.Call(d.ctx, api.EncodeI32(-16))
	if err != nil {
		return 0, err
	}
	ret := uint32(v[0])
	if _, err := d.m.ExportedFunction(name).Call(d.ctx, append([]uint64{uint64(ret)}, args...)...); err != nil {
		return 0, err
	}
	r0, _ := d.m.Memory().ReadUint32Le(ret)
	r1, _ := d.m.Memory().ReadUint32Le(ret + 4)
	r2, _ := d.m.Memory().ReadUint32Le(ret + 8)
	if _, err := sp.Call(d.ctx, 16); err != nil {
		return 0, err
	}
	if r2 != 0 {
		return 0, fmt.Errorf("%v", d.tab.take(r1))
	}
	return r0, nil
}

// parse makes an instance and reads the SVG. options is the JSON options object of the npm package.
func (r *engine) parse(ctx context.Context, svg string, options map[string]any, fonts [][]byte) (*document, error) {
	h := &host{objs: map[uint32]any{}, next: 200}
	ctx = context.WithValue(ctx, hostKey{}, h)
	m, err := r.rt.InstantiateModule(ctx, r.mod, wazero.NewModuleConfig().WithName(""))
	if err != nil {
		return nil, err
	}
	d := &document{ctx: ctx, m: m, tab: h}
	js, _ := json.Marshal(options)
	var fh uint32
	if len(fonts) > 0 {
		a := make([]any, len(fonts))
		for i, f := range fonts {
			a[i] = f
		}
		fh = h.add(a)
	}
	op, err := write(ctx, m, js)
	if err != nil {
		d.close()
		return nil, err
	}
	p, err := d.call("resvg_new", uint64(h.add(svg)), uint64(op), uint64(len(js)), uint64(fh))
	if err != nil {
		d.close()
		return nil, err
	}
	d.ptr = uint64(p)
	for name, dst := range map[string]*float64{"resvg_width": &d.w, "resvg_height": &d.h} {
		v, err := m.ExportedFunction(name).Call(ctx, d.ptr)
		if err != nil {
			d.close()
			return nil, err
		}
		*dst = float64(api.DecodeF32(v[0]))
	}
	return d, nil
}

// close drops the instance.
func (d *document) close() { _ = d.m.Close(d.ctx) }

// render draws the document; the pixels come premultiplied.
func (d *document) render() (*image.RGBA, error) {
	img, err := d.call("resvg_render", d.ptr)
	if err != nil {
		return nil, err
	}
	get := func(name string) uint32 {
		v, e := d.m.ExportedFunction(name).Call(d.ctx, uint64(img))
		if e != nil {
			err = e
			return 0
		}
		return uint32(v[0])
	}
	w, h := get("renderedimage_width"), get("renderedimage_height")
	px := get("renderedimage_pixels")
	if err != nil {
		return nil, err
	}
	b, _ := d.tab.take(px).([]byte)
	if uint32(len(b)) != w*h*4 {
		return nil, fmt.Errorf("the renderer gave %d bytes for %dx%d pixels", len(b), w, h)
	}
	return &image.RGBA{Pix: b, Stride: int(w) * 4, Rect: image.Rect(0, 0, int(w), int(h))}, nil
}
