package serve

import (
	"cmp"
	"crypto/rand"
	"crypto/tls"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log"
	"net"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Mode says what a worker of the site does while it is worked on.
type Mode string

// The modes.
const (
	Real   Mode = "real"   // as visitors will have it
	Aside  Mode = "aside"  // every worker is answered with one that steps aside: each load is the file on disk
	Newest Mode = "newest" // the worker of what was built last runs, taken over at once, and each load is what the server has now
)

// Modes are all of them, in the order they are shown.
var Modes = []Mode{Real, Aside, Newest}

// asideWorker takes the place of the site's worker and answers nothing.
const asideWorker = `// Stands in for the worker of the site while the mode of tachyform serve is "aside": it answers nothing, so that every load is the file on disk.
addEventListener("install", (event) => event.waitUntil(skipWaiting()));
addEventListener("activate", (event) => event.waitUntil(clients.claim()));
`

// Release is one set of files that is served.
type Release struct {
	Name   string
	Server *site.Server

	// Folder is looked at before each answer in the modes that are for editing; nil when the release stays as it is.
	Folder *Folder
}

// Folder is what releases were read from.
type Folder struct {
	// Now gives the release as the folder is by now, nil when nothing has changed since the last call. It has one caller at a time.
	Now func() *site.Server
}

// BenchOptions of a workbench.
type BenchOptions struct {
	Host  string // to listen on, such as 127.0.0.1
	Port  int    // of the site; the control takes the next free one
	Shape Shape  // of answers in the state slow
	Base  string // path of the site

	// Authority has the site and the control be served over https (and HTTP/2), nil for http.
	Authority *Authority

	// Refit makes the release that is being worked on anew; nil when there is nothing to make. RefitName is what it does, such as "Fit again".
	Refit     func() (*site.Server, error)
	RefitName string

	// Origins are other origins for which this machine answers too, to a browser that is told to ask here (Elsewhere, Pins).
	Origins map[string]*site.Server

	// Report puts a script into pages that tells the log what they asked for and what never reached the server.
	Report bool
}

// Entry is one request in the log.
type Entry struct {
	Number  int       `json:"number"` // from 1
	Time    time.Time `json:"time"`
	Who     string    `json:"who"` // "page", "worker", "update check", "browser" (icons and manifests) or "prefetch"
	For     string    `json:"for"` // what it is for: a request destination of the Fetch Standard, "" when the browser does not say
	Method  string    `json:"method"`
	URL     string    `json:"url"`    // path and query; the whole address of another origin
	Status  int       `json:"status"` // 0 when there was no answer
	Bytes   int       `json:"bytes"`  // of the body, as they were sent
	Took    float64   `json:"took"`   // ms
	Release string    `json:"release"`
	State   string    `json:"state"`            // of the network, for this address
	Note    string    `json:"note"`             // what is to be said of it, "" for nothing
	Tab     int       `json:"tab,omitempty"`    // it is no request: the tab of this number says that it shows the page, of Release
	Stored  bool      `json:"stored,omitempty"` // it never reached the server: a store answered, as the page reports
}

// State is all that can be switched.
type State struct {
	Network  site.Network `json:"network"`
	Faults   site.Faults  `json:"faults"`
	Mode     Mode         `json:"mode"`
	Release  int          `json:"release"` // which of the releases, from 0
	Releases []string     `json:"releases"`
	Clearing bool         `json:"clearing"` // the next page answer empties what the browser stores
	Site     string       `json:"site"`     // address of the site
	Run      string       `json:"run"`      // begins the names that requests have in Server-Timing, before their numbers
}

// maxLogged is how many requests the log keeps.
const maxLogged = 2000

// Bench is a site on a local port with a control beside it. It is safe for concurrent use.
type Bench struct {
	Site    string // address of the site, such as http://127.0.0.1:8417/
	Control string // address of the control page, with its token
	Trust   string // address from which other devices get the authority's certificate, "" for none

	web     *Server
	control *http.Server
	trust   *http.Server // nil for none
	o       BenchOptions
	token   string
	reports string   // token of reports, which can switch nothing
	hosts   []string // that requests may name
	run     string   // begins the names of requests, other ones at the next start

	elsewhere standIns

	looking  sync.Mutex // held while a folder is looked at
	mu       sync.Mutex
	state    State
	releases []Release
	entries  []Entry
	number   int
	watchers map[chan any]bool
	tabs     map[string]int  // numbers of the tabs that report, from 1
	workers  map[string]bool // paths that browsers have asked for as workers

	small      map[string][]byte // bodies made small, by their ETag and type
	smallBytes int
}

// maxSmall bounds the bodies that are kept small, in bytes.
const maxSmall = 64 << 20

// maxTried is how many ports are tried when one is taken.
const maxTried = 20

// StartBench serves the first of some releases, and the control beside it. moved says that the wanted port was taken.
func StartBench(releases []Release, o BenchOptions) (b *Bench, moved bool, err error) {
	secret, run := make([]byte, 24), make([]byte, 4)
	for _, b := range [][]byte{secret, run} {
		if _, err := rand.Read(b); err != nil {
			return nil, false, err
		}
	}
	b = &Bench{o: o, token: hex.EncodeToString(secret[:len(secret)/2]), reports: hex.EncodeToString(secret[len(secret)/2:]), run: "serve-" + hex.EncodeToString(run) + "-", releases: releases, watchers: map[chan any]bool{}, workers: map[string]bool{}, tabs: map[string]int{}, small: map[string][]byte{}}
	b.state = State{Network: site.Online, Faults: site.Faults{}, Mode: Real}
	b.web = &Server{site: releases[0].Server, state: site.Online, left: make(chan struct{}), handler: b, quiet: true}
	scheme := "http://"
	b.hosts = Names(o.Host)
	if o.Authority != nil {
		cert, err := o.Authority.For(b.hosts)
		if err != nil {
			return nil, false, err
		}
		scheme = "https://"
		b.web.tls = &tls.Config{Certificates: []tls.Certificate{cert}, MinVersion: tls.VersionTLS12}
	}
	port := o.Port
	for try := 0; ; try++ {
		b.web.addr = net.JoinHostPort(o.Host, strconv.Itoa(port))
		if err = b.web.listen(); err == nil {
			break
		}
		if try == maxTried || port == 0 || port == 65535 {
			return nil, false, fmt.Errorf("no port can be listened on: %w", err)
		}
		port, moved = port+1, true
	}
	_, used, _ := net.SplitHostPort(b.web.addr)
	shown := o.Host
	if ip := net.ParseIP(o.Host); o.Host == "" || ip != nil && ip.IsUnspecified() {
		shown = cmp.Or(Reachable(o.Host), "127.0.0.1")
	}
	b.web.Origin = scheme + net.JoinHostPort(shown, used)
	b.Site, _ = url.JoinPath(b.web.Origin, o.Base)
	next, _ := strconv.Atoi(used)
	l, next, err := listenAfter(o.Host, next)
	if err != nil {
		_ = b.web.Stop()
		return nil, false, fmt.Errorf("no port for the control: %w", err)
	}
	b.control = &http.Server{Handler: http.HandlerFunc(b.serveControl), ReadHeaderTimeout: 10 * time.Second, TLSConfig: b.web.tls.Clone(), ErrorLog: log.New(io.Discard, "", 0)}
	b.Control = scheme + net.JoinHostPort(shown, strconv.Itoa(next)) + "/" + b.token + "/"
	go func() { // ends with Stop
		if o.Authority != nil {
			_ = b.control.ServeTLS(l, "", "")
			return
		}
		_ = b.control.Serve(l)
	}()
	if err := b.startElsewhere(); err != nil {
		_ = b.Stop()
		return nil, false, fmt.Errorf("the stand-ins for other origins: %w", err)
	}
	if o.Authority != nil && Reachable(o.Host) != "" {
		l, next, err := listenAfter(o.Host, next)
		if err != nil {
			_ = b.Stop()
			return nil, false, fmt.Errorf("no port for the certificate: %w", err)
		}
		b.Trust = "http://" + net.JoinHostPort(shown, strconv.Itoa(next)) + "/" + authorityFile
		b.trust = &http.Server{ReadHeaderTimeout: 10 * time.Second, Handler: http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", "application/x-x509-ca-cert")
			_, _ = w.Write(o.Authority.PEM) // a client that went away
		})}
		go func() { _ = b.trust.Serve(l) }() // ends with Stop
	}
	return b, moved, nil
}

// listenAfter listens on the first free port after one.
func listenAfter(host string, port int) (net.Listener, int, error) {
	for try := 1; ; try++ {
		l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(port+try)))
		if err == nil || try == maxTried {
			return l, port + try, err
		}
	}
}

// Stop ends both servers and cuts what is open.
func (b *Bench) Stop() error {
	b.mu.Lock()
	for w := range b.watchers {
		close(w)
		delete(b.watchers, w)
	}
	b.mu.Unlock()
	errs := []error{b.web.Stop(), b.control.Close(), b.elsewhere.stop()}
	if b.trust != nil {
		errs = append(errs, b.trust.Close())
	}
	return errors.Join(errs...)
}

// State gives what is switched on.
func (b *Bench) State() State {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.now()
}

func (b *Bench) now() State {
	s := b.state
	s.Site, s.Run = b.Site, b.run
	s.Releases = []string{}
	for _, r := range b.releases {
		s.Releases = append(s.Releases, r.Name)
	}
	s.Faults = append(site.Faults{}, b.state.Faults...)
	return s
}

// Entries gives the log.
func (b *Bench) Entries() []Entry {
	b.mu.Lock()
	defer b.mu.Unlock()
	return append([]Entry{}, b.entries...)
}

// Watch gives a channel that is told of every [Entry] and of every change of the [State], and a function that ends that. What a slow reader
// does not take is dropped.
func (b *Bench) Watch() (<-chan any, func()) {
	c := make(chan any, 256)
	b.mu.Lock()
	defer b.mu.Unlock()
	b.watchers[c] = true
	return c, func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		if b.watchers[c] {
			delete(b.watchers, c)
			close(c)
		}
	}
}

func (b *Bench) tell(what any) {
	for w := range b.watchers {
		select {
		case w <- what:
		default: // it does not keep up
		}
	}
}

// SetNetwork switches the state of the whole network. Who takes it away rehearses what visitors get: the mode goes back to the real one.
func (b *Bench) SetNetwork(n site.Network) error {
	if err := b.web.SetNetwork(n); err != nil {
		return err
	}
	b.change(func(s *State) {
		if s.Network = n; n != site.Online {
			s.Mode = Real
		}
	})
	return nil
}

// SetFaults switches the states of single addresses.
func (b *Bench) SetFaults(f site.Faults) {
	b.web.SetFaults(f)
	b.change(func(s *State) { s.Faults = f })
}

// SetMode switches what workers are answered with.
func (b *Bench) SetMode(m Mode) { b.change(func(s *State) { s.Mode = m }) }

// Clear has the next answer to a page empty what the browser stores for the origin (Clear Site Data, "storage" and "cache"). Until then, browsers
// that look after a worker are given one that goes, since with a worker before it a page may never ask.
func (b *Bench) Clear() { b.change(func(s *State) { s.Clearing = true }) }

// SetRelease serves another of the releases; ok is false when there is none of the number.
func (b *Bench) SetRelease(n int) (ok bool) {
	b.mu.Lock()
	if n < 0 || n >= len(b.releases) {
		b.mu.Unlock()
		return false
	}
	b.web.Release(b.releases[n].Server)
	b.state.Release = n
	b.tell(b.now())
	b.mu.Unlock()
	return true
}

// Add takes up a release behind the others, and serves it.
func (b *Bench) Add(r Release) {
	b.mu.Lock()
	b.releases = append(b.releases, r)
	n := len(b.releases) - 1
	b.mu.Unlock()
	b.SetRelease(n)
}

// Refit makes the release anew that is being worked on, and serves it as the newest.
func (b *Bench) Refit() error {
	if b.o.Refit == nil {
		return errors.New("there is nothing to make anew")
	}
	s, err := b.o.Refit()
	if err != nil {
		return err
	}
	b.mu.Lock()
	name := fmt.Sprintf("%s, again (%d)", strings.SplitN(b.releases[0].Name, ",", 2)[0], len(b.releases))
	folder := b.releases[0].Folder
	b.mu.Unlock()
	b.Add(Release{Name: name, Server: s, Folder: folder})
	return nil
}

func (b *Bench) change(f func(*State)) {
	b.mu.Lock()
	defer b.mu.Unlock()
	f(&b.state)
	b.tell(b.now())
}

// lookPath is the address of the page that tells what the browser stores. It ends in an extension, and begins with a dot, so that workers that
// answer every page with their own are likely to leave it alone.
const lookPath = "/.tachyform/look.html"

// ServeHTTP answers for the site.
func (b *Bench) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if !b.mayAsk(r.Host) {
		http.Error(w, "This address is not served here.", http.StatusMisdirectedRequest)
		return
	}
	if r.URL.Path == lookPath {
		b.look(w)
		return
	}
	if r.URL.Path == newestPath {
		b.send(w, r, newestAnswer(), Shape{})
		return
	}
	b.renew()
	began := time.Now()
	e := Entry{Time: began, Method: r.Method, URL: r.URL.RequestURI(), For: r.Header.Get("Sec-Fetch-Dest")}
	b.mu.Lock()
	if r.Header.Get("Service-Worker") == "script" && len(b.workers) < maxWorkers {
		b.workers[r.URL.Path] = true
	}
	e.Who = who(r, b.workers)
	b.number++
	e.Number = b.number
	state := b.state // its faults are never changed, only exchanged
	e.Release = b.releases[state.Release].Name
	b.mu.Unlock()
	e.State = string(state.Network)
	if state.Network == site.Online {
		if n := state.Faults.For(r.URL.EscapedPath()); n != site.Online {
			e.State = string(n)
		}
	}
	defer func() {
		e.Took = float64(time.Since(began).Microseconds()) / 1000
		b.mu.Lock()
		defer b.mu.Unlock()
		b.enter(e)
	}()
	w.Header().Add("Server-Timing", fmt.Sprintf("%s%d", b.run, e.Number)) // says of what is stored which request brought it
	script := r.Header.Get("Service-Worker") == "script"
	if script && state.Mode == Aside && !state.Clearing && e.State == string(site.Online) {
		e.Note = "answered with a worker that steps aside"
		e.Status, e.Bytes = b.send(w, r, answer{http.StatusOK, http.Header{"Content-Type": {"text/javascript; charset=utf-8"}, "Cache-Control": {"no-store"}}, []byte(asideWorker)}, Shape{})
		return
	}
	if state.Mode != Real { // each load is what lies there now
		r = r.Clone(r.Context())
		r.Header.Del("If-None-Match")
	}
	shaped := Shape{}
	if e.State == string(site.Slow) && b.o.Shape != (Shape{}) {
		shaped = b.o.Shape
	}
	a := b.answer(r, e.State, shaped != Shape{})
	if script && e.State == string(site.Online) {
		switch {
		case state.Clearing: // a worker that answers every page keeps it from coming here, but not itself from being looked after
			a = answer{http.StatusOK, http.Header{"Content-Type": {"text/javascript; charset=utf-8"}, "Cache-Control": {"no-store"}}, []byte(worker.Retiring(b.o.Base, true))}
			e.Note = "the worker that is there is replaced by one that goes, and takes what is stored with it"
		case a.status == http.StatusNotFound:
			e.Note = "a browser looks after a worker that this site does not have: it is left from another project at this address, and may answer in its place. The key c, or the control, clears it"
		}
	}
	if state.Clearing && strings.HasPrefix(a.header.Get("Content-Type"), "text/html") && e.Who == "page" {
		a.header.Set("Clear-Site-Data", `"cache", "storage"`)
		e.Note = "the browser empties what it stores for this address, workers too"
		b.change(func(s *State) { s.Clearing = false })
	}
	if state.Mode != Real {
		a.header.Set("Cache-Control", "no-store")
	}
	if script && state.Mode == Newest && !state.Clearing && e.State == string(site.Online) {
		a = newest(a)
	}
	e.Status, e.Bytes = b.send(w, r, b.reporting(a, r), shaped)
}

// enter puts an entry into the log. The caller holds the lock.
func (b *Bench) enter(e Entry) {
	if len(b.entries) >= maxLogged {
		b.entries = append(b.entries[:0:0], b.entries[maxLogged/4:]...)
	}
	b.entries = append(b.entries, e)
	b.tell(e)
}

// renew has what is served be what lies in its folder, while that is wanted.
func (b *Bench) renew() {
	b.mu.Lock()
	mode, folder := b.state.Mode, b.releases[b.state.Release].Folder
	b.mu.Unlock()
	if mode == Real || folder == nil {
		return
	}
	b.looking.Lock()
	defer b.looking.Unlock()
	s := folder.Now()
	if s == nil {
		return
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	for i := range b.releases { // all that were read from it
		if b.releases[i].Folder == folder {
			b.releases[i].Server = s
		}
	}
	if b.releases[b.state.Release].Folder == folder {
		b.web.Release(s)
	}
}

// mayAsk says whether a request may name a host.
func (b *Bench) mayAsk(hostport string) bool {
	host, _, err := net.SplitHostPort(hostport)
	if err != nil {
		host = hostport
	}
	return slices.Contains(b.hosts, strings.ToLower(strings.Trim(host, "[]")))
}

// maxWorkers is how many addresses of workers are remembered.
const maxWorkers = 50

// who says who makes a request, by what browsers say of themselves (Fetch Metadata; Service Workers, "Service-Worker" header).
func who(r *http.Request, workers map[string]bool) string {
	purpose := r.Header.Get("Sec-Purpose") + r.Header.Get("Purpose")
	dest := r.Header.Get("Sec-Fetch-Dest")
	switch {
	case r.Header.Get("Service-Worker") == "script":
		return "update check"
	case strings.Contains(purpose, "prefetch"):
		return "prefetch"
	case dest == "manifest", strings.HasSuffix(r.URL.Path, "/favicon.ico"):
		return "browser"
	case dest == "serviceworker":
		return "worker"
	case dest == "document", dest == "iframe": // a worker may have led it there, and its name is the referrer then
		return "page"
	}
	if u, err := url.Parse(r.Referer()); err == nil && workers[u.Path] { // a worker's own requests name its script
		return "worker"
	}
	return "page"
}
