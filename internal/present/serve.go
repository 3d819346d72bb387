package present

import (
	"fmt"
	"strings"

	"rsc.io/qr"

	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// Served says what is served where.
type Served struct {
	Site, Control string
	Keys          bool // the terminal takes keys
	Moved         bool // the wanted port was taken
	Wanted        int
	Others        bool // other machines can ask

	Elsewhere []string // other origins that are answered for in the browser that --open starts
	Opened    bool     // it is started

	Authority   string // path of the certificate that devices have to trust, "" for http
	Fingerprint string // of it
	Made        bool   // it is new, so that nobody trusts it yet
	Trust       string // address that gives it to other devices, "" for none
}

// Raw makes lines end as a terminal wants them whose keys are read one by one.
func (s *Style) Raw() { s.raw = true }

// Serving begins the log.
func (s *Style) Serving(v Served) error {
	s.printf("%s %s\n", s.faint.Render(pad("site", 9)), s.title.Render(v.Site))
	s.printf("%s %s\n", s.faint.Render(pad("control", 9)), v.Control)
	if len(v.Elsewhere) > 0 {
		where, verb := "in the browser that --open starts", "answers"
		if v.Opened {
			where = "in the browser that was started"
		}
		if len(v.Elsewhere) > 1 {
			verb = "answer"
		}
		s.printf("%s %s\n", s.faint.Render(pad("stand-ins", 9)), s.wrap(strings.Join(v.Elsewhere, ", ")+" "+verb+" from the configuration "+where+"; other browsers ask the real one", 68, 10))
	}
	if v.Moved {
		s.printf("%s\n", s.warn.Render(fmt.Sprintf("Port %d is taken, so the next one is used: a worker that is registered there is not met here.", v.Wanted)))
	}
	if v.Others {
		text := "Whoever is in this network can read the site."
		if v.Authority == "" {
			text += " Other devices take no worker from it, since it is not https (--https)."
		}
		s.printf("%s\n", s.warn.Render(text))
	}
	if v.Authority != "" {
		s.trust(v)
	}
	if v.Keys {
		s.printf("%s\n", s.faint.Render("o online  f offline  s slow  e failing  p portal"))
		s.printf("%s\n", s.faint.Render("a worker aside  l newest build at every load  c empty the browser"))
		s.printf("%s\n", s.faint.Render("n next release  b back  r fit or read again  q quit"))
	}
	return s.err
}

// trust says how devices come to trust the certificate.
func (s *Style) trust(v Served) {
	made := "A browser takes no worker over a certificate that it does not trust. Trust this one once:"
	if v.Made {
		made = "A certificate authority was made for this machine, and no device trusts it yet. Browsers take no worker until they do:"
	}
	s.printf("\n%s\n", s.wrap(made, 78, 0))
	s.printf("  %s\n  %s\n", v.Authority, s.faint.Render("SHA-256 "+v.Fingerprint[:48]))
	s.printf("          %s\n", s.faint.Render(v.Fingerprint[48:]))
	row := func(label, text string) { s.printf("  %s %s\n", s.faint.Render(pad(label, 9)), s.wrap(text, 66, 12)) }
	row("macOS", "open it, add it to the login keychain, and set it to Always Trust")
	row("Windows", "open it, install it for the current user, into Trusted Root Certification Authorities")
	row("Linux", "Chromium: Settings, Manage certificates, Authorities. Firefox: Settings, View Certificates, Authorities")
	if v.Trust != "" {
		s.printf("\n  %s %s\n", s.faint.Render(pad("phone", 9)), v.Trust)
		row("iPhone", "open this in Safari, install the profile in Settings, then turn it on under General, About, Certificate Trust Settings")
		row("Android", "open this, then Settings, Security, Encryption and credentials, Install a certificate, CA certificate")
		s.printf("\n")
		s.qr(v.Site)
	}
	s.printf("\n")
}

// qr draws an address as a QR code (ISO/IEC 18004), two modules in each line: light on dark, with the quiet zone that readers want.
func (s *Style) qr(address string) {
	code, err := qr.Encode(address, qr.L)
	if err != nil {
		return // it is too long: the address stands above
	}
	const quiet = 2
	light := func(x, y int) bool {
		return x < 0 || y < 0 || x >= code.Size || y >= code.Size || !code.Black(x, y)
	}
	for y := -quiet; y < code.Size+quiet; y += 2 {
		var line strings.Builder
		for x := -quiet; x < code.Size+quiet; x++ {
			switch top, bottom := light(x, y), light(x, y+1); {
			case top && bottom:
				line.WriteRune('█')
			case top:
				line.WriteRune('▀')
			case bottom:
				line.WriteRune('▄')
			default:
				line.WriteRune(' ')
			}
		}
		s.printf("    %s\n", s.code.Render(line.String()))
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
	switch v.Mode {
	case serve.Aside:
		parts = append(parts, s.warn.Render("worker aside"))
	case serve.Newest:
		parts = append(parts, s.warn.Render("newest build"))
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
	if e.Tab > 0 {
		s.printf("%s %s %s\n", s.faint.Render(e.Time.Format("15:04:05")), s.accent.Render(fmt.Sprintf("tab %d %s:", e.Tab, e.Note)), middle(e.URL, 40))
		return
	}
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
	size := Bytes(int64(e.Bytes))
	if e.Stored { // nothing was sent
		size, status = "stored", s.accent.Render(fmt.Sprint(e.Status))
	}
	s.printf("%s %s %8s %8s %s %s\n", s.faint.Render(e.Time.Format("15:04:05")), status, size, took, pad(what, 12), middle(method+e.URL, 38))
	if e.Note != "" && !e.Stored {
		s.printf("         %s\n", s.warn.Render(s.wrap(e.Note, 70, 9)))
	}
}

// ServingNote writes a remark.
func (s *Style) ServingNote(text string) {
	s.printf("%s %s\n", s.faint.Render(">"), s.warn.Render(s.wrap(text, 76, 2)))
}
