package serve

import (
	"cmp"
	"crypto/subtle"
	_ "embed"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/bmatcuk/doublestar/v4"

	"tachyform.dev/tachyform/internal/site"
)

//go:embed control.html
var controlSource string

//go:embed look.html
var lookSource string

var (
	controlPage  = template.Must(template.New("control").Parse(controlSource))
	lookTemplate = template.Must(template.New("look").Parse(lookSource))
)

// order is what the control page asks for. Members that are not given change nothing.
type order struct {
	Network *site.Network `json:"network"`
	Path    *string       `json:"path"`  // of an address, as a glob, for State
	State   *site.Network `json:"state"` // "online" takes the fault away
	Mode    *Mode         `json:"mode"`
	Release *int          `json:"release"`
	Clear   bool          `json:"clear"`
	Refit   bool          `json:"refit"`
}

// maxOrder bounds an order, in bytes.
const maxOrder = 16 << 10

// serveControl answers on the control's own port. Every address begins with the token, so that no page elsewhere can guess one.
func (b *Bench) serveControl(w http.ResponseWriter, r *http.Request) {
	token, rest, _ := strings.Cut(strings.TrimPrefix(r.URL.Path, "/"), "/")
	if b.o.Report && b.mayAsk(r.Host) && subtle.ConstantTimeCompare([]byte(token), []byte(b.reports)) == 1 {
		b.serveReports(w, r, rest)
		return
	}
	if !b.mayAsk(r.Host) || subtle.ConstantTimeCompare([]byte(token), []byte(b.token)) != 1 {
		http.NotFound(w, r)
		return
	}
	h := w.Header()
	h.Set("Cache-Control", "no-store")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("X-Content-Type-Options", "nosniff")
	switch {
	case rest == "" && r.Method == http.MethodGet:
		origin := strings.TrimSuffix(b.web.Origin, "/")
		h.Set("Content-Type", "text/html; charset=utf-8")
		h.Set("Content-Security-Policy", "default-src 'none'; style-src 'unsafe-inline'; script-src 'unsafe-inline'; connect-src 'self'; frame-src "+origin+"; frame-ancestors 'none'; base-uri 'none'; form-action 'none'")
		_ = controlPage.Execute(w, map[string]any{"Origin": origin, "Site": b.Site, "Look": origin + lookPath, "States": site.Networks, "Refit": b.o.Refit != nil, "RefitName": cmp.Or(b.o.RefitName, "Make anew")}) // a client that went away
	case rest == "events" && r.Method == http.MethodGet:
		b.events(w, r)
	case rest == "do" && r.Method == http.MethodPost:
		if o := r.Header.Get("Origin"); o != "" && o != "http://"+r.Host && o != "https://"+r.Host {
			http.Error(w, "This comes from another page.", http.StatusForbidden)
			return
		}
		var o order
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxOrder)).Decode(&o); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		if err := b.obey(o); err != nil {
			http.Error(w, err.Error(), http.StatusBadRequest)
			return
		}
		w.WriteHeader(http.StatusNoContent)
	default:
		http.NotFound(w, r)
	}
}

// obey does what the control page asks for.
func (b *Bench) obey(o order) error {
	if o.Network != nil {
		if !slices.Contains(site.Networks, *o.Network) {
			return fmt.Errorf("%q is no state of the network", *o.Network)
		}
		if err := b.SetNetwork(*o.Network); err != nil {
			return err
		}
	}
	if o.Path != nil && o.State != nil {
		if !strings.HasPrefix(*o.Path, "/") || !doublestar.ValidatePattern(*o.Path) {
			return fmt.Errorf("%q is no path such as /api/** or /photos/pier.jpg", *o.Path)
		}
		if *o.State != site.Missing && !slices.Contains(site.Networks, *o.State) {
			return fmt.Errorf("%q is no state of an address", *o.State)
		}
		faults := slices.DeleteFunc(b.State().Faults, func(f site.Fault) bool { return f.Path == *o.Path })
		if *o.State != site.Online {
			faults = append(site.Faults{{Path: *o.Path, State: *o.State}}, faults...)
		}
		b.SetFaults(faults)
	}
	if o.Mode != nil {
		if !slices.Contains(Modes, *o.Mode) {
			return fmt.Errorf("%q is no mode", *o.Mode)
		}
		b.SetMode(*o.Mode)
	}
	if o.Release != nil && !b.SetRelease(*o.Release) {
		return fmt.Errorf("there is no release %d", *o.Release+1)
	}
	if o.Clear {
		b.Clear()
	}
	if o.Refit {
		return b.Refit()
	}
	return nil
}

// events sends the state, the log so far, and then each change, as server-sent events (HTML Standard, "server-sent events").
func (b *Bench) events(w http.ResponseWriter, r *http.Request) {
	f, ok := w.(http.Flusher)
	if !ok {
		http.Error(w, "no events here", http.StatusInternalServerError)
		return
	}
	c, end := b.Watch()
	defer end()
	w.Header().Set("Content-Type", "text/event-stream")
	put := func(what any) bool {
		kind := "state"
		if _, is := what.(Entry); is {
			kind = "entry"
		}
		data, err := json.Marshal(what)
		if err != nil {
			return false
		}
		_, err = fmt.Fprintf(w, "event: %s\ndata: %s\n\n", kind, data)
		return err == nil
	}
	put(b.State())
	for _, e := range b.Entries() {
		put(e)
	}
	f.Flush()
	for {
		select {
		case <-r.Context().Done():
			return
		case what, ok := <-c:
			if !ok || !put(what) {
				return
			}
			f.Flush()
		}
	}
}

// look answers with the page that tells the control what the browser stores for the site. Only the control may show it, and only to the control
// does it talk.
func (b *Bench) look(w http.ResponseWriter) {
	u, err := url.Parse(b.Control)
	if err != nil {
		http.Error(w, err.Error(), http.StatusInternalServerError)
		return
	}
	control := u.Scheme + "://" + u.Host
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Cache-Control", "no-store")
	h.Set("Content-Security-Policy", "default-src 'none'; script-src 'unsafe-inline'; frame-ancestors "+control)
	_ = lookTemplate.Execute(w, map[string]any{"Control": control}) // a client that went away
}
