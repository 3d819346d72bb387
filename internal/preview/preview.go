// Package preview serves a site on the loopback interface as its real server would.
package preview

import (
	"context"
	"net"
	"net/http"
	"strconv"
	"sync"
	"time"

	"tachyform/internal/site"
)

// Server is a running local web server. It listens on 127.0.0.1 only.
type Server struct {
	Origin string // such as http://127.0.0.1:40123

	mu    sync.RWMutex
	site  *site.Server
	http  *http.Server
	addr  string
	alive bool
}

// Start serves a site on a free port.
func Start(s *site.Server) (*Server, error) {
	v := &Server{site: s, addr: "127.0.0.1:0"}
	if err := v.listen(); err != nil {
		return nil, err
	}
	v.Origin = "http://" + v.addr
	return v, nil
}

func (v *Server) listen() error {
	l, err := net.Listen("tcp4", v.addr)
	if err != nil {
		return err
	}
	v.addr = l.Addr().String()
	v.http = &http.Server{Handler: v, ReadHeaderTimeout: 10 * time.Second}
	v.alive = true
	go func(h *http.Server) { _ = h.Serve(l) }(v.http) // ends with Stop
	return nil
}

// Stop ends the server: its port refuses connections, and open ones are cut.
func (v *Server) Stop() error {
	if !v.alive {
		return nil
	}
	v.alive = false
	return v.http.Close()
}

// Resume serves again on the same port after Stop.
func (v *Server) Resume() error {
	if v.alive {
		return nil
	}
	return v.listen()
}

// Release replaces the site that is served.
func (v *Server) Release(s *site.Server) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.site = s
}

// Shutdown ends the server once open requests are answered.
func (v *Server) Shutdown(ctx context.Context) error { return v.http.Shutdown(ctx) }

// ServeHTTP answers as the site does.
func (v *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	v.mu.RLock()
	s := v.site
	v.mu.RUnlock()
	a := s.Answer(r.Method, r.URL.EscapedPath())
	h := w.Header()
	for k, values := range a.Header {
		h[k] = values
	}
	if rg := r.Header.Get("Range"); rg != "" && a.Status == http.StatusOK && len(a.Body) > 0 {
		if from, to, ok := oneRange(rg, len(a.Body)); ok {
			h.Set("Content-Range", "bytes "+strconv.Itoa(from)+"-"+strconv.Itoa(to)+"/"+strconv.Itoa(len(a.Body)))
			a.Status, a.Body = http.StatusPartialContent, a.Body[from:to+1]
		}
	}
	h.Set("Content-Length", strconv.Itoa(len(a.Body)))
	w.WriteHeader(a.Status)
	if r.Method != http.MethodHead {
		_, _ = w.Write(a.Body) // a client that went away
	}
}

// oneRange reads a Range header with a single range (RFC 9110, section 14.2).
func oneRange(spec string, size int) (from, to int, ok bool) {
	if len(spec) < 7 || spec[:6] != "bytes=" {
		return 0, 0, false
	}
	spec = spec[6:]
	dash := -1
	for i, c := range spec {
		switch {
		case c == ',':
			return 0, 0, false
		case c == '-':
			dash = i
		}
	}
	if dash < 0 {
		return 0, 0, false
	}
	first, err1 := strconv.Atoi(spec[:dash])
	last, err2 := strconv.Atoi(spec[dash+1:])
	switch {
	case dash == 0 && err2 == nil:
		first, last = max(0, size-last), size-1
	case err1 == nil && dash == len(spec)-1:
		last = size - 1
	case err1 != nil || err2 != nil:
		return 0, 0, false
	}
	last = min(last, size-1)
	return first, last, first <= last
}
