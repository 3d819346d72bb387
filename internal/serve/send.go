package serve

import (
	"bytes"
	"compress/gzip"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/klauspost/compress/gzhttp"

	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/site"
)

// Shape is how slow a slow network is. The zero value never answers.
type Shape struct {
	Latency time.Duration // before the first byte
	Rate    int           // bytes a second, 0 for no limit
}

// ParseShape reads "400ms/50kbps": how long until an answer begins, and kilobits a second after that.
func ParseShape(s string) (Shape, error) {
	first, second, both := strings.Cut(s, "/")
	wait, err := time.ParseDuration(strings.TrimSpace(first))
	if err != nil || wait < 0 || wait > time.Minute {
		return Shape{}, fmt.Errorf("%q is no shape such as 400ms/50kbps: how long until an answer begins, up to a minute, and how fast it comes then", s)
	}
	out := Shape{Latency: wait}
	if both {
		digits, ok := strings.CutSuffix(strings.ToLower(strings.TrimSpace(second)), "kbps")
		n, err := strconv.Atoi(strings.TrimSpace(digits))
		if !ok || err != nil || n < 1 || n > 1_000_000 {
			return Shape{}, fmt.Errorf("%q: %q is no speed such as 50kbps", s, second)
		}
		out.Rate = n * 125
	}
	return out, nil
}

// answer is what is sent.
type answer struct {
	status int
	header http.Header
	body   []byte
}

// recorder takes an answer down instead of sending it.
type recorder struct{ answer }

func (c *recorder) Header() http.Header { return c.header }
func (c *recorder) WriteHeader(n int)   { c.status = n }
func (c *recorder) Write(p []byte) (int, error) {
	if c.body == nil {
		c.body = p // the site's own, which nobody changes
	} else {
		c.body = append(slices.Clip(c.body), p...)
	}
	return len(p), nil
}

// answer has the site answer a request, with the lifetimes that a good host gives. online asks for the site's answer whatever the state.
func (b *Bench) answer(r *http.Request, state string, online bool) answer {
	c := &recorder{answer{status: http.StatusOK, header: http.Header{}}}
	asked := r
	if tag, weak := strings.CutPrefix(r.Header.Get("If-None-Match"), "W/"); weak {
		asked = r.Clone(r.Context())
		asked.Header.Set("If-None-Match", tag)
	}
	if online {
		b.web.online(c, asked)
	} else {
		b.web.ServeHTTP(c, asked)
	}
	if state == string(site.Online) || online {
		if c.header.Get("Cache-Control") == "" {
			life := hosting.Lifetime(r.URL.Path)
			if c.status >= 400 { // an error is not kept
				life = hosting.Asked
			}
			c.header.Set("Cache-Control", life)
		}
	} else {
		c.header.Set("Cache-Control", "no-store")
	}
	return c.answer
}

// send writes an answer, made small where that helps and slow where that is wanted, and gives its status and how many bytes were sent.
func (b *Bench) send(w http.ResponseWriter, r *http.Request, a answer, s Shape) (status, n int) {
	h := w.Header()
	for k, v := range a.header {
		h[k] = v
	}
	body := a.body
	if a.status == http.StatusOK && len(body) > 1024 && r.Header.Get("Range") == "" && gzhttp.DefaultContentTypeFilter(h.Get("Content-Type")) && strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
		if small := b.compressed(h.Get("Etag"), body); len(small) < len(body) {
			body = small
			h.Set("Content-Encoding", "gzip")
			if tag := h.Get("Etag"); tag != "" {
				h.Set("Etag", "W/"+strings.TrimPrefix(tag, "W/")) // RFC 9110, section 8.8.1
			}
		}
		h.Add("Vary", "Accept-Encoding")
	}
	if a.status != http.StatusNotModified {
		h.Set("Content-Length", strconv.Itoa(len(body)))
	}
	if !pause(r.Context(), s.Latency) {
		panic(http.ErrAbortHandler)
	}
	w.WriteHeader(a.status)
	if r.Method == http.MethodHead || a.status == http.StatusNotModified {
		return a.status, 0
	}
	if s.Rate == 0 {
		n, _ = w.Write(body) // a client that went away
		return a.status, n
	}
	begin := time.Now()
	for len(body) > 0 {
		part := body[:min(len(body), max(1, s.Rate/20))]
		if !pause(r.Context(), time.Duration(float64(n+len(part))/float64(s.Rate)*float64(time.Second))-time.Since(begin)) {
			panic(http.ErrAbortHandler)
		}
		k, err := w.Write(part)
		if n += k; err != nil {
			return a.status, n
		}
		if f, ok := w.(http.Flusher); ok {
			f.Flush()
		}
		body = body[len(part):]
	}
	return a.status, n
}

// compressed makes a body small, once for each tag.
func (b *Bench) compressed(tag string, body []byte) []byte {
	if tag != "" {
		b.mu.Lock()
		small, ok := b.small[tag]
		b.mu.Unlock()
		if ok {
			return small
		}
	}
	var out bytes.Buffer
	z, err := gzip.NewWriterLevel(&out, gzip.BestSpeed)
	if err == nil {
		_, err = z.Write(body)
	}
	if err != nil || z.Close() != nil {
		return body
	}
	if small := out.Bytes(); tag != "" {
		b.mu.Lock()
		if b.smallBytes += len(small); b.smallBytes > maxSmall {
			b.small, b.smallBytes = map[string][]byte{}, len(small)
		}
		b.small[tag] = small
		b.mu.Unlock()
	}
	return out.Bytes()
}

// pause waits, and says whether it came to the end.
func pause(ctx context.Context, d time.Duration) bool {
	if d <= 0 {
		return true
	}
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
		return true
	case <-ctx.Done():
		return false
	}
}
