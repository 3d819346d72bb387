package rehearsal

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"strings"
	"sync"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// expected knows what a page's own document is.
type expected struct {
	server  *site.Server
	private func(url string) bool
	seen    map[string]map[string]bool // URL to the digests it had when it was visited online
	served  *sync.Map                  // URL to the digest of what the server has for it
	online  *baseline                  // what pages show online, when their scripts run; nil else
	detail  map[string]bool
	doubt   string // why nothing can be said of pages without a network, "" when it can
}

func newExpected(server *site.Server, private func(string) bool) expected {
	if private == nil {
		private = func(string) bool { return false }
	}
	return expected{server: server, private: private, seen: map[string]map[string]bool{}, served: &sync.Map{}}
}

// fork gives one that notes by itself what is seen.
func (e *expected) fork() expected {
	f := expected{server: e.server, private: e.private, online: e.online, detail: e.detail, doubt: e.doubt, seen: make(map[string]map[string]bool, len(e.seen)), served: e.served}
	for k, v := range e.seen {
		f.seen[k] = maps.Clone(v)
	}
	return f
}

func (e *expected) note(url string, l *stage.Load) {
	if l.Status == 0 {
		return
	}
	if e.seen[url] == nil {
		e.seen[url] = map[string]bool{}
	}
	e.seen[url][l.Digest] = true
}

// own says whether a digest is that of a document that the page has online.
func (e *expected) own(url, digest string) bool {
	if e.seen[url] == nil {
		e.seen[url] = map[string]bool{e.onServer(url): true}
	}
	return e.seen[url][digest]
}

// onServer gives the digest of what the server has for a URL, "" for nothing but redirects.
func (e *expected) onServer(url string) string {
	if d, ok := e.served.Load(url); ok {
		return d.(string)
	}
	d := ""
	u, _, _ := strings.Cut(url, "#")
	u, _, _ = strings.Cut(u, "?")
	for range 5 {
		a := e.server.Answer("GET", u)
		if to := a.Header.Get("Location"); to != "" {
			u = to
			continue
		}
		sum := sha256.Sum256(a.Body)
		d = hex.EncodeToString(sum[:])
		break
	}
	e.served.Store(url, d)
	return d
}

func (e *expected) result(url string, n stage.Network, l *stage.Load) PageResult {
	p := PageResult{URL: url, Network: string(n), Status: l.Status, Title: l.Title, AnsweredBy: string(l.AnsweredBy), Source: l.Source,
		Missing: []Missing{}, Why: l.Why, File: l.File, Line: l.Line}
	for _, m := range l.Missing {
		x := Missing{URL: m.URL, Use: string(m.Use), Why: m.Why}
		if m.Use == markup.UseFetch && e.private(m.URL) {
			p.Private = append(p.Private, x)
		} else {
			p.Missing = append(p.Missing, x)
		}
	}
	switch {
	case l.Status == 0:
		p.Outcome = Lost
	case n != stage.Online && !e.own(url, l.Digest) || n == stage.Online && l.Status >= 400:
		p.Outcome = StandIn
		if p.Why == "" {
			p.Why = fmt.Sprintf("another document is shown instead (%q)", l.Title)
		}
	case len(p.Missing) > 0:
		p.Outcome = Partial
		if p.Why == "" {
			p.Why = p.Missing[0].URL + ": " + p.Missing[0].Why
		}
	default:
		p.Outcome = Whole
	}
	if l.Ran {
		before := p
		e.compare(&p, n, l, e.online.of(url))
		if p.Less {
			p.again = func(base *stage.Load) PageResult {
				q := before
				e.compare(&q, n, l, base)
				return q
			}
		}
	}
	p.Unknown = l.Unknown
	if e.doubt != "" && n != stage.Online {
		p.Outcome, p.Why, p.File, p.Line, p.Less, p.again = NotKnown, e.doubt, "", 0, false, nil
	}
	return p
}
