// Package sourcemap finds where the code of a built script was written, by its source map (ECMA-426).
package sourcemap

import (
	"bytes"
	"fmt"
	"net/url"
	"path"
	"strings"

	"github.com/go-sourcemap/sourcemap"

	"tachyform.dev/tachyform/internal/site"
)

// maxMap bounds the maps that are read, in bytes.
const maxMap = 64 << 20

// Reader looks places up in the maps of scripts. It is used by one goroutine at a time.
type Reader struct {
	read func(url string) ([]byte, bool)
	maps map[string]*sourcemap.Consumer // by the script's URL; nil for a script without one
}

// New gives a reader of the scripts and maps that read gives by their root-relative URLs.
func New(read func(url string) ([]byte, bool)) *Reader {
	return &Reader{read: read, maps: map[string]*sourcemap.Consumer{}}
}

// Find gives the original place, such as "src/boats.ts:12:7", of a line and column (both from 1) of a script; "" when no map tells it.
func (r *Reader) Find(script string, line, column int) string {
	if line < 1 || column < 1 || !strings.HasPrefix(script, "/") {
		return ""
	}
	m, known := r.maps[script]
	if !known {
		m = r.open(script)
		r.maps[script] = m
	}
	if m == nil {
		return ""
	}
	file, at, col, ok := source(m, line, column-1)
	if !ok || file == "" {
		return ""
	}
	return fmt.Sprintf("%s:%d:%d", named(file), at, col+1)
}

// open reads the map that a script names in its last comment of that kind.
func (r *Reader) open(script string) *sourcemap.Consumer {
	src, ok := r.read(script)
	if !ok {
		return nil
	}
	ref := mapOf(src)
	if ref == "" {
		return nil
	}
	_, data, inline := site.DataURL(ref)
	if !inline {
		base, err := url.Parse(script)
		if err != nil {
			return nil
		}
		u, err := base.Parse(ref)
		if err != nil || u.Host != "" || !strings.HasPrefix(u.Path, "/") {
			return nil
		}
		if data, ok = r.read(u.EscapedPath()); !ok {
			return nil
		}
	}
	if len(data) > maxMap {
		return nil
	}
	return parse(bytes.TrimPrefix(data, []byte(")]}'\n"))) // which some servers put before JSON
}

// mapOf finds the comment that names a map, in the last lines of a script.
func mapOf(src []byte) string {
	src = src[max(0, len(src)-maxMap):]
	at := max(bytes.LastIndex(src, []byte("//# sourceMappingURL=")), bytes.LastIndex(src, []byte("//@ sourceMappingURL=")))
	if at < 0 {
		return ""
	}
	ref, _, _ := bytes.Cut(src[at+len("//# sourceMappingURL="):], []byte("\n"))
	return strings.TrimSpace(string(ref))
}

// parse reads a map, which may be anything; nil when it cannot be read.
func parse(data []byte) (m *sourcemap.Consumer) {
	defer func() {
		if recover() != nil {
			m = nil
		}
	}()
	m, err := sourcemap.Parse("", data)
	if err != nil {
		return nil
	}
	return m
}

func source(m *sourcemap.Consumer, line, column int) (file string, at, col int, ok bool) {
	defer func() {
		if recover() != nil {
			ok = false
		}
	}()
	file, _, at, col, ok = m.Source(line, column)
	return file, at, col, ok
}

// named is how a source is named to people: without what bundlers put before its path.
func named(file string) string {
	if _, rest, ok := strings.Cut(file, "://"); ok {
		if i := strings.IndexByte(rest, '/'); i >= 0 {
			rest = rest[i:]
		}
		file = rest
	}
	file, _, _ = strings.Cut(file, "?")
	file = strings.TrimLeft(path.Clean("/"+file), "/")
	return file
}
