package crawl

import (
	"bufio"
	"bytes"
	"crypto/tls"
	"crypto/x509"
	"errors"
	"fmt"
	"net/http"
	"net/http/cookiejar"
	"net/url"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/regular"
)

// Access is how an origin is reached that does not answer everybody. None of it is sent to another origin, and none of it is kept. The nil
// Access sends nothing.
type Access struct {
	origin   string
	header   http.Header
	user     *url.Userinfo
	jar      http.CookieJar
	own      http.RoundTripper // for the origin
	everyone http.RoundTripper
	Mine     bool // the site is that of whoever asks: its robots.txt is not for him
}

// AccessOptions say how an origin is reached.
type AccessOptions struct {
	Headers  []string // such as "Authorization: Bearer …"
	User     string   // "name:password" for HTTP authentication
	CA       string   // file of certificates, as PEM, that are trusted, too
	Insecure bool     // any certificate will do
	Cookies  string   // file of cookies, a line for each: domain, whether for its subdomains, path, whether for https only, when it ends, name, value
	Mine     bool
}

// ErrAccess is wrapped by errors about [AccessOptions].
var ErrAccess = errors.New("cannot be used")

// NewAccess reads how an origin (scheme and host) is reached.
func NewAccess(origin string, o AccessOptions) (*Access, error) {
	a := &Access{origin: origin, header: http.Header{}, Mine: o.Mine}
	for _, h := range o.Headers {
		name, value, ok := strings.Cut(h, ":")
		if name = strings.TrimSpace(name); !ok || name == "" || strings.ContainsAny(name, " \t") || strings.ContainsAny(value, "\r\n") {
			return nil, fmt.Errorf("a header is written as \"Name: value\": %w", ErrAccess)
		}
		a.header.Add(name, strings.TrimSpace(value))
	}
	if o.User != "" {
		name, password, ok := strings.Cut(o.User, ":")
		if !ok {
			return nil, fmt.Errorf("a user is written as name:password: %w", ErrAccess)
		}
		a.user = url.UserPassword(name, password)
	}
	transport := &http.Transport{Proxy: http.ProxyFromEnvironment, MaxIdleConnsPerHost: Usual.Parallel, ResponseHeaderTimeout: maxPatience, ForceAttemptHTTP2: true}
	a.everyone = transport
	a.own = transport
	if o.CA != "" || o.Insecure {
		mine := transport.Clone()
		mine.TLSClientConfig = &tls.Config{MinVersion: tls.VersionTLS12, InsecureSkipVerify: o.Insecure} //nolint:gosec // asked for, and said
		if o.CA != "" {
			pem, err := regular.ReadFile(o.CA, regular.Small)
			if err != nil {
				return nil, fmt.Errorf("%w: %w", err, ErrAccess)
			}
			pool, err := x509.SystemCertPool()
			if err != nil {
				pool = x509.NewCertPool()
			}
			if !pool.AppendCertsFromPEM(pem) {
				return nil, fmt.Errorf("%s: no certificate in PEM in it: %w", o.CA, ErrAccess)
			}
			mine.TLSClientConfig.RootCAs = pool
		}
		a.own = mine
	}
	if o.Cookies != "" {
		var err error
		if a.jar, err = readCookies(o.Cookies, origin); err != nil {
			return nil, err
		}
	}
	return a, nil
}

// readCookies reads a file of cookies, as browsers' extensions and command-line clients write it.
func readCookies(name, origin string) (http.CookieJar, error) {
	data, err := regular.ReadFile(name, regular.Small)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", err, ErrAccess)
	}
	file := bytes.NewReader(data)
	jar, err := cookiejar.New(nil)
	if err != nil {
		return nil, err
	}
	u, err := url.Parse(origin)
	if err != nil {
		return nil, err
	}
	s := bufio.NewScanner(file)
	for n := 1; s.Scan(); n++ {
		line := strings.TrimPrefix(s.Text(), "#HttpOnly_")
		if strings.HasPrefix(line, "#") || strings.TrimSpace(line) == "" {
			continue
		}
		f := strings.Split(line, "\t")
		if len(f) != 7 {
			return nil, fmt.Errorf("%s:%d: a cookie has seven fields between tabs: %w", name, n, ErrAccess)
		}
		host := strings.TrimPrefix(f[0], ".")
		if host != u.Hostname() && !(strings.EqualFold(f[1], "TRUE") && strings.HasSuffix(u.Hostname(), "."+host)) {
			continue // of another host
		}
		jar.SetCookies(u, []*http.Cookie{{Name: f[5], Value: f[6], Path: f[2], Secure: strings.EqualFold(f[3], "TRUE")}})
	}
	return jar, s.Err()
}

// signedIn says whether the origin may take whoever asks for somebody.
func (a *Access) signedIn() bool {
	return a != nil && (len(a.header) > 0 || a.user != nil || a.jar != nil)
}

// RoundTrip sends a request, with what the origin wants when it is the origin's.
func (a *Access) RoundTrip(req *http.Request) (*http.Response, error) {
	if a == nil {
		return http.DefaultTransport.RoundTrip(req)
	}
	if req.URL.Scheme+"://"+req.URL.Host != a.origin {
		return a.everyone.RoundTrip(req)
	}
	req = req.Clone(req.Context())
	for k, v := range a.header {
		req.Header[http.CanonicalHeaderKey(k)] = v
		if strings.EqualFold(k, "Host") {
			req.Host = v[0]
		}
	}
	if a.user != nil {
		password, _ := a.user.Password()
		req.SetBasicAuth(a.user.Username(), password)
	}
	if a.jar != nil {
		for _, c := range a.jar.Cookies(req.URL) {
			req.AddCookie(c)
		}
	}
	return a.own.RoundTrip(req)
}

// client gives a client that follows no redirect.
func (a *Access) client(patience time.Duration) *http.Client {
	c := &http.Client{Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	if a != nil {
		c.Transport = a
	}
	return c
}
