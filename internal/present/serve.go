package present

import (
	"fmt"
	"strings"

	"tachyform/internal/serve"
	"tachyform/internal/site"
)

// Served says what is served where.
type Served struct {
	Site, Control string
	Keys          bool // the terminal takes keys
	Moved         bool // the wanted port was taken
	Wanted        int
	Others        bool // other machines can ask
}

// Raw makes lines end as a terminal wants them whose keys are read one by one.
func (s *Style) Raw() { s.raw = true }

// Serving begins the log.
func (s *Style) Serving(v Served) {
	s.printf("%s %s\n", s.faint.Render(pad("site", 9)), s.title.Render(v.Site))
	s.printf("%s %s\n", s.faint.Render(pad("control", 9)), v.Control)
	if v.Moved {
		s.printf("%s\n", s.warn.Render(fmt.Sprintf("Port %d is taken, so the next one is used: a worker that is registered there is not met here.", v.Wanted)))
	}
	if v.Others {
		s.printf("%s\n", s.warn.Render("Whoever is in this network can read the site. Other devices take no worker from it, since it is not https."))
	}
	if v.Keys {
		s.printf("%s\n", s.faint.Render("o online  f offline  s slow  e failing  p portal  a worker aside"))
		s.printf("%s\n", s.faint.Render("n next release  b back  r fit or read again  c empty the browser  q quit"))
	}
}

// ServingState writes what is switched on.
func (s *Style) ServingState(v serve.State, shape serve.Shape) {
	network := string(v.Network)
	if v.Network == site.Slow && shape != (serve.Shape{}) {
		network += " (" + shape.Latency.String()
		if shape.Rate > 0 {
			network += fmt.Sprintf(", %d kbps", shape.Rate/125)
		}
		network += ")"
	}
	style := s.good
	if v.Network != site.Online {
		style = s.warn
	}
	parts := []string{style.Render(network)}
	for _, f := range v.Faults {
		parts = append(parts, s.warn.Render(f.Path+" "+string(f.State)))
	}
	if v.Mode == serve.Aside {
		parts = append(parts, s.warn.Render("worker aside"))
	}
	if len(v.Releases) > 1 {
		parts = append(parts, fmt.Sprintf("release %d of %d", v.Release+1, len(v.Releases)))
	}
	if v.Clearing {
		parts = append(parts, s.warn.Render("the next page empties the browser"))
	}
	s.printf("%s %s\n", s.faint.Render(">"), strings.Join(parts, s.faint.Render(", ")))
}

// ServingEntry writes a request, for 80 columns.
func (s *Style) ServingEntry(e serve.Entry) {
	status := s.good.Render(fmt.Sprint(e.Status))
	switch {
	case e.Status == 0:
		status = s.bad.Render("cut")
	case e.Status >= 400:
		status = s.bad.Render(fmt.Sprint(e.Status))
	case e.Status >= 300:
		status = s.faint.Render(fmt.Sprint(e.Status))
	}
	what := e.For
	switch what {
	case "", "empty":
		what = "data"
	case "document":
		what = "page"
	}
	switch e.Who {
	case "update check", "prefetch":
		what = e.Who
	case "worker":
		what = "for worker"
	}
	method := ""
	if e.Method != "GET" {
		method = e.Method + " "
	}
	took := fmt.Sprintf("%.0f ms", e.Took)
	if e.Took < 10 {
		took = fmt.Sprintf("%.1f ms", e.Took)
	}
	s.printf("%s %s %8s %8s %s %s\n", s.faint.Render(e.Time.Format("15:04:05")), status, Bytes(int64(e.Bytes)), took, pad(what, 12), middle(method+e.URL, 38))
	if e.Note != "" {
		s.printf("         %s\n", s.warn.Render(wrap(e.Note, 70, 9)))
	}
}

// ServingNote writes a remark.
func (s *Style) ServingNote(text string) {
	s.printf("%s %s\n", s.faint.Render(">"), s.warn.Render(text))
}
