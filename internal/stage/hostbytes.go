package stage

import (
	"bytes"
	"compress/flate"
	"compress/gzip"
	"compress/zlib"
	"crypto/sha1" //nolint:gosec // the Web Cryptography API offers it
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"io"
	"mime"
	"mime/multipart"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"github.com/dop251/goja"
	"golang.org/x/net/html/charset"
	"golang.org/x/text/encoding/htmlindex"
)

func (g *realm) handle(b *blob) goja.Value {
	if b == nil {
		return goja.Null()
	}
	return g.hold(b)
}

func toBlob(v goja.Value) *blob {
	if v == nil || goja.IsNull(v) || goja.IsUndefined(v) {
		return nil
	}
	b, _ := heldIn[*blob](v)
	return b
}

// maxBuffer bounds what a worker can make of bytes at a time.
const maxBuffer = 256 << 20

func (g *realm) hostBytes(set setter) {
	vm := g.vm
	data := func(v goja.Value) []byte {
		if b := toBlob(v); b != nil {
			return b.data
		}
		return nil
	}
	set("utf8Bytes", func(c goja.FunctionCall) goja.Value { return g.handle(&blob{data: []byte(c.Argument(0).String())}) })
	set("bytesOf", func(c goja.FunctionCall) goja.Value {
		buf, ok := c.Argument(0).Export().(goja.ArrayBuffer)
		if !ok {
			return g.handle(&blob{})
		}
		from, n := int(c.Argument(1).ToInteger()), int(c.Argument(2).ToInteger())
		all := buf.Bytes()
		from = min(max(from, 0), len(all))
		return g.handle(&blob{data: bytes.Clone(all[from:min(from+max(n, 0), len(all))])})
	})
	set("toBuffer", func(c goja.FunctionCall) goja.Value {
		return vm.ToValue(vm.NewArrayBuffer(bytes.Clone(data(c.Argument(0)))))
	})
	set("toText", func(c goja.FunctionCall) goja.Value {
		return vm.ToValue(string(bytes.ToValidUTF8(bytes.TrimPrefix(data(c.Argument(0)), []byte("\xef\xbb\xbf")), []byte("\ufffd"))))
	})
	set("size", func(c goja.FunctionCall) goja.Value { return vm.ToValue(len(data(c.Argument(0)))) })
	set("empty", func(goja.FunctionCall) goja.Value { return g.handle(&blob{}) })
	set("slice", func(c goja.FunctionCall) goja.Value {
		d := data(c.Argument(0))
		from := min(max(int(c.Argument(1).ToInteger()), 0), len(d))
		to := min(max(int(c.Argument(2).ToInteger()), from), len(d))
		out := &blob{data: d[from:to:to]}
		if b := toBlob(c.Argument(0)); b != nil {
			out.from = b.from
		}
		return g.handle(out)
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
			if n == 1 { // mostly there is no other
				out.data = slices.Clip(b.data)
			} else {
				out.data = append(out.data, b.data...)
			}
			return true
		})
		return g.handle(out)
	})
	set("squeeze", func(c goja.FunctionCall) goja.Value {
		out, err := squeeze(c.Argument(0).String(), data(c.Argument(1)), c.Argument(2).ToBoolean())
		if err != nil {
			return goja.Null()
		}
		return g.handle(&blob{data: out})
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
		return g.handle(&blob{data: sum})
	})
	set("random", func(c goja.FunctionCall) goja.Value {
		n := min(max(int(c.Argument(0).ToInteger()), 0), 65536)
		out := make([]byte, n)
		for i := range out {
			g.b.random = g.b.random*6364136223846793005 + 1442695040888963407
			out[i] = byte(g.b.random >> 56)
		}
		return vm.ToValue(vm.NewArrayBuffer(out))
	})
	set("boundary", func(goja.FunctionCall) goja.Value {
		g.b.random++
		return vm.ToValue(strconv.FormatUint(g.b.random, 36))
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
	set("decode", func(c goja.FunctionCall) goja.Value { return g.decode(c) })
	set("parseForm", func(c goja.FunctionCall) goja.Value { return g.parseForm(data(c.Argument(0)), c.Argument(1).String()) })
}

// decode serves TextDecoder.
func (g *realm) decode(c goja.FunctionCall) goja.Value {
	vm := g.vm
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
						_ = out.Set("rest", g.handle(&blob{data: bytes.Clone(in[len(in)-n:])}))
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
func (g *realm) parseForm(body []byte, contentType string) goja.Value {
	vm := g.vm
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

// squeeze compresses bytes, or expands them, in a format of the Compression Standard; it stops at [maxBuffer].
func squeeze(format string, data []byte, back bool) ([]byte, error) {
	var b bytes.Buffer
	if !back {
		var w io.WriteCloser
		switch format {
		case "gzip":
			w = gzip.NewWriter(&b)
		case "deflate":
			w = zlib.NewWriter(&b)
		default:
			w, _ = flate.NewWriter(&b, flate.DefaultCompression) // the level is a right one
		}
		if _, err := w.Write(data); err != nil {
			return nil, err
		}
		if err := w.Close(); err != nil {
			return nil, err
		}
		return b.Bytes(), nil
	}
	n, err := expand(io.Discard, format, data) // so that room is made once
	if err != nil {
		return nil, err
	}
	b.Grow(int(n) + 2*bytes.MinRead)
	_, err = expand(&b, format, data)
	return b.Bytes(), err
}

// expand writes what compressed bytes expand to, in bytes of which there are at most [maxBuffer].
func expand(to io.Writer, format string, data []byte) (n int64, err error) {
	var r io.Reader
	switch format {
	case "gzip":
		r, err = gzip.NewReader(bytes.NewReader(data))
	case "deflate":
		r, err = zlib.NewReader(bytes.NewReader(data))
	default:
		r = flate.NewReader(bytes.NewReader(data))
	}
	if err != nil {
		return 0, err
	}
	if n, err = io.Copy(to, io.LimitReader(r, maxBuffer+1)); err == nil && n > maxBuffer {
		err = errors.New("it expands to too much")
	}
	return n, err
}
