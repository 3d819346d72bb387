// Package serve serves a site on the loopback interface as its real server would.
package serve

import (
	"context"
	"crypto/tls"
	"errors"
	"io"
	"log"
	"net"
	"net/http"
	"strconv"
	"sync"
	"syscall"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// Server is a running local web server. It listens on 127.0.0.1 only.
type Server struct {
	Origin string // such as http://127.0.0.1:40123

	mu     sync.RWMutex
	site   *site.Server
	state  site.Network
	faults site.Faults
	left   chan struct{} // closed when the state changes, for answers that are held back
	log    []Request

	switching sync.Mutex // held while the state changes

	quiet   bool         // no log is kept
	tls     *tls.Config  // nil for http
	handler http.Handler // what answers; the server itself when it is nil
	http    *http.Server
	addr    string
	alive   bool
}

// Request is one that reached the server while it answered for the site.
type Request struct {
	Method, URL string // path and query
	Status      int
	Header      http.Header
	Body        []byte
}

// Limits of the log.
const (
	maxLog     = 20_000
	maxLogBody = 1 << 20
)

// Start serves a site on a free port.
func Start(s *site.Server) (*Server, error) {
	v := &Server{site: s, addr: "127.0.0.1:0", state: site.Online, left: make(chan struct{})}
	if err := v.listen(); err != nil {
		return nil, err
	}
	v.Origin = "http://" + v.addr
	return v, nil
}

func (v *Server) listen() error {
	l, err := net.Listen("tcp", v.addr)
	if err != nil {
		return err
	}
	v.addr = l.Addr().String()
	handler := v.handler
	if handler == nil {
		handler = v
	}
	v.http = &http.Server{Handler: handler, ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "", 0)}
	v.alive = true
	v.http.TLSConfig = v.tls.Clone()
	go func(h *http.Server) { // ends with Stop
		if h.TLSConfig != nil {
			_ = h.ServeTLS(l, "", "")
			return
		}
		_ = h.Serve(l)
	}(v.http)
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
	var err error
	for range maxResumed { // a client that tried to connect meanwhile may have got this very port for its own end
		if err = v.listen(); !errors.Is(err, syscall.EADDRINUSE) {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
	return err
}

// maxResumed is how often a port is asked for again.
const maxResumed = 250

// SetNetwork changes what visitors meet: the site, nothing at all, or something else that answers. Requests that are held
// back are given up.
func (v *Server) SetNetwork(n site.Network) error {
	v.switching.Lock()
	defer v.switching.Unlock()
	v.mu.Lock()
	v.state = n
	close(v.left)
	v.left = make(chan struct{})
	v.mu.Unlock()
	if n == site.Offline {
		return v.Stop()
	}
	return v.Resume()
}

// SetFaults changes what single addresses answer with while the network is online.
func (v *Server) SetFaults(f site.Faults) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.faults = f
}

// Log gives the requests since the last call.
func (v *Server) Log() []Request {
	v.mu.Lock()
	defer v.mu.Unlock()
	l := v.log
	v.log = nil
	return l
}

// Release replaces the site that is served.
func (v *Server) Release(s *site.Server) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.site = s
}

// Shutdown ends the server once open requests are answered.
func (v *Server) Shutdown(ctx context.Context) error { return v.http.Shutdown(ctx) }

// ServeHTTP answers as the site does, or as the state of the network wants.
func (v *Server) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	body, _ := io.ReadAll(http.MaxBytesReader(w, r.Body, maxLogBody)) // what a client that went away sent does not matter
	v.mu.RLock()
	s, state, left := v.site, v.state, v.left
	if state == site.Online {
		state = v.faults.For(r.URL.EscapedPath())
	}
	v.mu.RUnlock()
	v.respond(w, r, s, state, left, body)
}

// online answers as the site does, whatever the state.
func (v *Server) online(w http.ResponseWriter, r *http.Request) {
	v.mu.RLock()
	s := v.site
	v.mu.RUnlock()
	body, _ := io.ReadAll(http.MaxBytesReader(w, r.Body, maxLogBody))
	v.respond(w, r, s, site.Online, nil, body)
}

func (v *Server) respond(w http.ResponseWriter, r *http.Request, s *site.Server, state site.Network, left chan struct{}, body []byte) {
	var a site.Answer
	status, kind, text, instead := state.Instead()
	switch {
	case state == site.Slow:
		select {
		case <-r.Context().Done():
		case <-left:
		}
		panic(http.ErrAbortHandler)
	case state == site.Offline:
		panic(http.ErrAbortHandler)
	case instead:
		a = site.Answer{Status: status, Header: http.Header{"Content-Type": {kind}}, Body: []byte(text)}
	default:
		a = s.Ask(r.Method, r.URL.EscapedPath(), r.URL.RawQuery)
		if !v.quiet {
			v.mu.Lock()
			if len(v.log) < maxLog {
				v.log = append(v.log, Request{Method: r.Method, URL: r.URL.RequestURI(), Status: a.Status, Header: r.Header.Clone(), Body: body})
			}
			v.mu.Unlock()
		}
	}
	if r.Method == http.MethodGet {
		a = a.Part(r.Header.Get("Range"))
	}
	h := w.Header()
	for k, values := range a.Header {
		h[k] = values
	}
	if tag := h.Get("Etag"); tag != "" && a.Status == http.StatusOK && r.Method == http.MethodGet && r.Header.Get("If-None-Match") == tag {
		a.Status, a.Body = http.StatusNotModified, nil // RFC 9110, section 13.1.2
		w.WriteHeader(a.Status)
		return
	}
	h.Set("Content-Length", strconv.Itoa(len(a.Body)))
	w.WriteHeader(a.Status)
	if r.Method != http.MethodHead {
		_, _ = w.Write(a.Body) // a client that went away
	}
}
