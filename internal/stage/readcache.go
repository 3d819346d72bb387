package stage

import (
	"crypto/sha256"
	"errors"

	"github.com/dop251/goja"

	"tachyform/internal/markup"
)

// readCache remembers what pages, style sheets and scripts refer to, by their bytes.
type readCache struct {
	pages    map[string]*readPage
	styles   map[[32]byte][]markup.Ref
	scripts  map[[32]byte]markup.ScriptFacts
	programs map[string]*goja.Program
}

type readPage struct {
	page          *markup.Page
	refs          []markup.Ref
	registrations regs
}

func newReadCache() *readCache {
	return &readCache{map[string]*readPage{}, map[[32]byte][]markup.Ref{}, map[[32]byte]markup.ScriptFacts{}, map[string]*goja.Program{}}
}

// maxRead bounds each part of the cache, in entries.
const maxRead = 4096

func (c *readCache) page(digest string, body []byte) *readPage {
	if p, ok := c.pages[digest]; ok {
		return p
	}
	p := &readPage{page: markup.ReadPage(body)}
	p.refs = p.page.Refs
	for _, s := range p.page.Styles {
		p.refs = append(p.refs, markup.StyleRefs(s.Source, s.Offset)...)
	}
	for _, s := range p.page.Scripts {
		f := c.script(s.Source)
		p.refs = append(p.refs, f.Refs...)
		p.registrations.list = append(p.registrations.list, f.Registrations...)
	}
	if len(c.pages) < maxRead {
		c.pages[digest] = p
	}
	return p
}

func (c *readCache) style(body []byte) []markup.Ref {
	k := sha256.Sum256(body)
	r, ok := c.styles[k]
	if !ok {
		r = markup.StyleRefs(body, 0)
		if len(c.styles) < maxRead {
			c.styles[k] = r
		}
	}
	return r
}

func (c *readCache) script(body []byte) markup.ScriptFacts {
	k := sha256.Sum256(body)
	f, ok := c.scripts[k]
	if !ok {
		f = markup.ReadScript(body, 0)
		if len(c.scripts) < maxRead {
			c.scripts[k] = f
		}
	}
	return f
}

func (c *readCache) program(name, src string) (*goja.Program, error) {
	sum := sha256.Sum256([]byte(src))
	k := name + "\x00" + string(sum[:])
	if p, ok := c.programs[k]; ok {
		return p, nil
	}
	p, err := compile(name, src)
	var se *scriptError
	if err != nil && !errors.As(err, &se) {
		err = &scriptError{message: err.Error(), file: name}
	}
	if err == nil && len(c.programs) < maxRead {
		c.programs[k] = p
	}
	return p, err
}
