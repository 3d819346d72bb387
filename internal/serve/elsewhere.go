package serve

import (
	"cmp"
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/sha256"
	"crypto/tls"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"log"
	"maps"
	"net"
	"net/http"
	"net/url"
	"slices"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// Elsewhere is another origin for which this machine answers, as the configuration says.
type Elsewhere struct {
	Origin  string // such as https://api.skerry.example
	Host    string // name and port that browsers connect to, such as api.skerry.example:443
	Address string // name and port on this machine that has to be asked in its place
}

// standIns answer for other origins on ports of this machine: one for http, and one for https, with a certificate that only a browser takes that
// was told so, by its pin.
type standIns struct {
	servers []*http.Server
	all     []Elsewhere
	pin     string // of the key of the certificate, as in "Public Key Pinning Extension for HTTP" (RFC 7469, section 2.4); "" without https
}

// startElsewhere listens for the other origins.
func (b *Bench) startElsewhere() error {
	listeners := map[string]net.Listener{}
	hosts := []string{} // of the certificate
	for _, origin := range slices.Sorted(maps.Keys(b.o.Origins)) {
		u, err := url.Parse(origin)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" {
			return fmt.Errorf("%s is no origin that can be answered for", origin)
		}
		if listeners[u.Scheme] == nil {
			if listeners[u.Scheme], err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
				return err
			}
		}
		port := cmp.Or(u.Port(), map[string]string{"http": "80", "https": "443"}[u.Scheme])
		b.elsewhere.all = append(b.elsewhere.all, Elsewhere{origin, net.JoinHostPort(u.Hostname(), port), listeners[u.Scheme].Addr().String()})
		if u.Scheme == "https" {
			hosts = append(hosts, u.Hostname())
		}
	}
	for _, scheme := range slices.Sorted(maps.Keys(listeners)) {
		h := &http.Server{Handler: b.serveElsewhere(scheme), ReadHeaderTimeout: 10 * time.Second, ErrorLog: log.New(io.Discard, "", 0)}
		b.elsewhere.servers = append(b.elsewhere.servers, h)
		if scheme == "https" {
			cert, err := ephemeral(hosts)
			if err != nil {
				return err
			}
			h.TLSConfig = &tls.Config{Certificates: []tls.Certificate{cert}, MinVersion: tls.VersionTLS12}
			b.elsewhere.pin = pin(cert)
			go func() { _ = h.ServeTLS(listeners["https"], "", "") }() // ends with Stop
			continue
		}
		go func() { _ = h.Serve(listeners["http"]) }() // ends with Stop
	}
	return nil
}

func (s *standIns) stop() error {
	var errs []error
	for _, h := range s.servers {
		errs = append(errs, h.Close())
	}
	return errors.Join(errs...)
}

// Elsewhere gives the other origins that are answered for, by their names.
func (b *Bench) Elsewhere() []Elsewhere { return b.elsewhere.all }

// Pins are those of the certificates with which is answered and that a browser of one's own may take without more.
func (b *Bench) Pins() []string {
	out := []string{}
	if b.elsewhere.pin != "" {
		out = append(out, b.elsewhere.pin)
	}
	if b.web.tls != nil {
		out = append(out, pin(b.web.tls.Certificates[0]))
	}
	return out
}

// serveElsewhere answers for other origins, in the state that the network has for the site.
func (b *Bench) serveElsewhere(scheme string) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		u := url.URL{Scheme: scheme, Host: r.Host}
		if port := u.Port(); port == map[string]string{"http": "80", "https": "443"}[scheme] {
			u.Host = u.Hostname()
		}
		server := b.o.Origins[u.String()]
		if server == nil {
			http.Error(w, "This origin is not answered for here.", http.StatusMisdirectedRequest)
			return
		}
		began := time.Now()
		e := Entry{Time: began, Method: r.Method, URL: u.String() + r.URL.RequestURI(), For: r.Header.Get("Sec-Fetch-Dest"), Who: "page"}
		b.mu.Lock()
		b.number++
		e.Number = b.number
		state := b.state
		e.Release = b.releases[state.Release].Name
		if page, err := url.Parse(r.Referer()); err == nil && b.workers[page.Path] {
			e.Who = "worker"
		}
		b.mu.Unlock()
		e.State = string(state.Network)
		defer func() {
			e.Took = float64(time.Since(began).Microseconds()) / 1000
			b.mu.Lock()
			defer b.mu.Unlock()
			b.enter(e)
		}()
		shaped, asked := Shape{}, state.Network
		if asked == site.Slow && b.o.Shape != (Shape{}) {
			shaped, asked = b.o.Shape, site.Online
		}
		c := &recorder{answer{status: http.StatusOK, header: http.Header{}}}
		if r.Method == http.MethodOptions && r.Header.Get("Access-Control-Request-Method") != "" && asked == site.Online {
			c.status = http.StatusNoContent
			c.header.Set("Access-Control-Allow-Methods", r.Header.Get("Access-Control-Request-Method"))
			if h := r.Header.Get("Access-Control-Request-Headers"); h != "" {
				c.header.Set("Access-Control-Allow-Headers", h)
			}
			if r.Header.Get("Access-Control-Request-Private-Network") != "" {
				c.header.Set("Access-Control-Allow-Private-Network", "true")
			}
		} else {
			b.web.mu.RLock()
			left := b.web.left
			b.web.mu.RUnlock()
			b.web.respond(c, r, server, asked, left, nil)
		}
		if origin := r.Header.Get("Origin"); origin != "" && asked == site.Online { // with credentials, too (Fetch Standard, "CORS check")
			c.header.Set("Access-Control-Allow-Origin", origin)
			c.header.Set("Access-Control-Allow-Credentials", "true")
			c.header.Add("Vary", "Origin")
		}
		e.Status, e.Bytes = b.send(w, r, c.answer, shaped)
	}
}

// ephemeral makes a certificate for some names that nobody trusts, and whose key is never written down.
func ephemeral(hosts []string) (tls.Certificate, error) {
	key, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return tls.Certificate{}, err
	}
	t := &x509.Certificate{SerialNumber: serial(), Subject: pkix.Name{CommonName: "Stand-ins of tachyform serve"}, NotBefore: time.Now().Add(-time.Hour), NotAfter: time.Now().AddDate(0, 1, 0),
		KeyUsage: x509.KeyUsageDigitalSignature, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth}}
	for _, h := range hosts {
		if ip := net.ParseIP(h); ip != nil {
			t.IPAddresses = append(t.IPAddresses, ip)
		} else {
			t.DNSNames = append(t.DNSNames, h)
		}
	}
	der, err := x509.CreateCertificate(rand.Reader, t, t, &key.PublicKey, key)
	return tls.Certificate{Certificate: [][]byte{der}, PrivateKey: key}, err
}

// pin of the key of a certificate.
func pin(c tls.Certificate) string {
	cert, err := x509.ParseCertificate(c.Certificate[0])
	if err != nil {
		return ""
	}
	sum := sha256.Sum256(cert.RawSubjectPublicKeyInfo)
	return base64.StdEncoding.EncodeToString(sum[:])
}
