package stage

import (
	"crypto/sha256"
	"errors"
	"sync"

	"github.com/dop251/goja"

	"tachyform.dev/tachyform/internal/markup"
)

// readCache remembers what pages, style sheets and scripts refer to, by their bytes. Browsers that were forked share one.
type readCache struct {
	mu       sync.Mutex
	pages    map[string]*readPage
	styles   map[[32]byte]*readSheet
	asked    map[[32]byte][]map[string]bool // addresses of style sheets, by a document and its sheets
	simple   map[[32]byte][][]string        // rules of style sheets, for computed styles
	scripts  map[[32]byte]markup.ScriptFacts
	programs map[string]*goja.Program
	modules  map[string]*compiledModule
	ran      map[string]*ran
	next     *blank // made ahead, nil when there is none
	made     int    // how many were asked for
	ours     sync.Once
	members  map[string]bool // that the stage's interfaces have, once they were read
}

type readPage struct {
	page          *markup.Page
	refs          []markup.Ref
	styles        []*readSheet
	registrations regs
	unread        []markup.Unread
}

func newReadCache() *readCache {
	return &readCache{pages: map[string]*readPage{}, styles: map[[32]byte]*readSheet{}, asked: map[[32]byte][]map[string]bool{}, simple: map[[32]byte][][]string{}, scripts: map[[32]byte]markup.ScriptFacts{}, programs: map[string]*goja.Program{}, modules: map[string]*compiledModule{}, ran: map[string]*ran{}}
}

// cachedIn gives what a part of the cache holds under a key, or makes it. Two goroutines may make the same once each.
func cachedIn[K comparable, V any](c *readCache, m map[K]V, key K, make func() (V, error)) (V, error) {
	c.mu.Lock()
	v, ok := m[key]
	c.mu.Unlock()
	if ok {
		return v, nil
	}
	v, err := make()
	if err != nil {
		return v, err
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(m) < maxRead {
		m[key] = v
	}
	return v, nil
}

// maxRead bounds each part of the cache, in entries.
const maxRead = 4096

func (c *readCache) page(digest string, body []byte) *readPage {
	p, _ := cachedIn(c, c.pages, digest, func() (*readPage, error) {
		p := &readPage{page: markup.ReadPage(body)}
		p.refs = p.page.Refs
		for _, s := range p.page.Styles {
			p.styles = append(p.styles, c.style(s.Source))
		}
		for _, s := range p.page.Scripts {
			f := c.script(s.Source)
			p.refs = append(p.refs, f.Refs...)
			for _, u := range f.Unread {
				u.Offset += s.Offset
				p.unread = append(p.unread, u)
			}
			p.registrations.list = append(p.registrations.list, f.Registrations...)
		}
		return p, nil
	})
	return p
}

func (c *readCache) script(body []byte) markup.ScriptFacts {
	f, _ := cachedIn(c, c.scripts, sha256.Sum256(body), func() (markup.ScriptFacts, error) { return markup.ReadScript(body, 0), nil })
	return f
}

func (c *readCache) program(name, src string) (*goja.Program, error) {
	sum := sha256.Sum256([]byte(src))
	return cachedIn(c, c.programs, name+"\x00"+string(sum[:]), func() (*goja.Program, error) {
		p, err := compile(name, src)
		var se *scriptError
		if err != nil && !errors.As(err, &se) {
			err = &scriptError{message: err.Error(), file: name}
		}
		return p, err
	})
}

// pageProgram compiles a classic script of a page.
func (c *readCache) pageProgram(name, src string) (*goja.Program, error) {
	sum := sha256.Sum256([]byte(src))
	return cachedIn(c, c.programs, "page "+name+"\x00"+string(sum[:]), func() (*goja.Program, error) { return compileWith(name, src, true) })
}

// module compiles a module of a page.
func (c *readCache) module(url, src string) (*compiledModule, error) {
	sum := sha256.Sum256([]byte(src))
	return cachedIn(c, c.modules, url+"\x00"+string(sum[:]), func() (*compiledModule, error) { return compileModule(url, src) })
}
