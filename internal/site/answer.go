package site

import (
	"crypto/sha256"
	"encoding/hex"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"

	"github.com/bmatcuk/doublestar/v4"
)

// Rules are what a plain folder cannot say about the server that will answer for it.
type Rules struct {
	Headers   []HeaderRule
	Redirects []RedirectRule
	Answers   []AnswerRule
	Routes    []RouteRule
	Clean     bool   // pages are answered at their address without .html, too
	CleanOnly bool   // what is asked for with .html is led to the address without, and index.html to its folder; goes with Clean
	Fallback  string // root-relative URL answered with 200 when no file matches; "" for none
}

// RouteRule answers what an application's own scripts answer: addresses in its folder that no file answers and that do not end in an extension.
type RouteRule struct {
	Folder, Shell string   // root-relative URLs of the folder, with its slash, and of the document
	Except        []string // globs for paths that the server answers otherwise
	Only          []string // globs for the paths that it answers; empty for all
}

// Whole says whether the rule answers for everything below a base path.
func (r *RouteRule) Whole(base string) bool { return r.Folder == base && len(r.Only) == 0 }

// answers says whether the rule answers a path that no file does.
func (r *RouteRule) answers(urlPath string) bool {
	fits := func(g string) bool { return matchPath(g, urlPath) }
	return strings.HasPrefix(urlPath, r.Folder) && path.Ext(urlPath) == "" && !slices.ContainsFunc(r.Except, fits) && (len(r.Only) == 0 || slices.ContainsFunc(r.Only, fits))
}

// HeaderRule adds a response header to paths that match a glob.
type HeaderRule struct{ Path, Name, Value string }

// RedirectRule answers one path with a redirect.
type RedirectRule struct {
	From, To string
	Status   int
	Spare    bool // only for what the folder has no file for
}

// AnswerRule answers an endpoint that the folder does not have.
type AnswerRule struct {
	Path, Method, Type string
	Spare              bool    // only for what the folder has no file for
	Query              *string // without the question mark, nil for any; a parameter whose value is * may have any
	Status             int
	Body               []byte
}

// matches says whether the rule is for a request.
func (r *AnswerRule) matches(method, urlPath, query string) bool {
	return matchPath(r.Path, urlPath) && (strings.EqualFold(r.Method, method) || r.Method == "" && (method == http.MethodGet || method == http.MethodHead)) && (r.Query == nil || sameQuery(*r.Query, query))
}

// sameQuery says whether a query has the parameters of another, in any order.
func sameQuery(want, query string) bool {
	if want == query {
		return true
	}
	w, err1 := url.ParseQuery(want)
	q, err2 := url.ParseQuery(query)
	if err1 != nil || err2 != nil || len(w) != len(q) {
		return false
	}
	for name, values := range w {
		got, ok := q[name]
		if !ok || !slices.Equal(values, got) && !slices.Equal(values, []string{"*"}) {
			return false
		}
	}
	return true
}

// Answer is a server's response.
type Answer struct {
	Status int
	Header http.Header
	Body   []byte
	File   string // path below the site of the file that answered, "" for none
}

// Server answers requests for a site as a plain static web server does: a folder's index page at its URL with
// a slash, a redirect to that URL without it, 404.html for what is missing. It keeps what it has read, up to a
// limit, and is safe for concurrent use.
type Server struct {
	Site  *Site
	Rules Rules
	// Beyond answers for what a site that was read from a live origin does not have; nil for nobody.
	Beyond func(urlPath, query string) (Answer, bool)
	Absent *Answer // to what is not there, when that is known of a live origin; nil for a plain server's

	changed map[string][]byte // by path: files that are answered with other bytes than the folder has
	mu      sync.Mutex
	kept    map[string]entry
	bytes   int64
}

type entry struct {
	body []byte
	etag string
}

// keepBytes bounds what a Server keeps in memory.
const keepBytes = 128 << 20

// NewServer serves s with the rules of its real server.
func NewServer(s *Site, rules Rules) *Server {
	return &Server{Site: s, Rules: rules, kept: map[string]entry{}}
}

// With gives a server of the same site in which files have other bytes, by their paths.
func (v *Server) With(changed map[string][]byte) *Server {
	return &Server{Site: v.Site, Rules: v.Rules, Beyond: v.Beyond, Absent: v.Absent, changed: changed, kept: map[string]entry{}}
}

// Forget drops what was read, after files have changed.
func (v *Server) Forget() {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.kept, v.bytes = map[string]entry{}, 0
}

// Answer gives the response to a request for a root-relative URL path (still percent-encoded) without a query.
func (v *Server) Answer(method, urlPath string) Answer { return v.Ask(method, urlPath, "") }

// Ask gives the response to a request for a root-relative URL path and a query (without its question mark, "" for none), both still
// percent-encoded. What is a file is the same whatever the query.
func (v *Server) Ask(method, urlPath, query string) Answer {
	a := v.answer(method, urlPath, query)
	for _, h := range v.Rules.Headers {
		if ok, _ := doublestar.Match(h.Path, urlPath); ok {
			a.Header.Set(h.Name, h.Value)
		}
	}
	return a
}

func (v *Server) answer(method, urlPath, query string) Answer {
	if a, ok := v.configured(false, method, urlPath, query); ok {
		return a
	}
	if a, ok := v.led(false, urlPath); ok {
		return a
	}
	if to, ok := bare(urlPath); ok && v.Rules.CleanOnly && (method == http.MethodGet || method == http.MethodHead) {
		if query != "" {
			to += "?" + query
		}
		return redirect(to, http.StatusMovedPermanently)
	}
	file, to := v.Find(urlPath)
	if file == "" && to == "" {
		if a, ok := v.configured(true, method, urlPath, query); ok {
			return a
		}
		if a, ok := v.led(true, urlPath); ok {
			return a
		}
	}
	if file == "" && to == "" && v.Beyond != nil && method == "GET" {
		if a, ok := v.Beyond(urlPath, query); ok {
			return a
		}
	}
	switch {
	case to != "":
		return redirect(to, http.StatusMovedPermanently)
	case file == "" && (method == "GET" || method == "HEAD") && v.shellOf(urlPath) != "":
		return v.file(v.shellOf(urlPath), http.StatusOK)
	case file == "" && v.Rules.Fallback != "" && (method == "GET" || method == "HEAD"):
		if file, _ := v.Find(v.Rules.Fallback); file != "" {
			return v.file(file, http.StatusOK)
		}
		return v.missing()
	case file == "":
		return v.missing()
	case method != "GET" && method != "HEAD":
		return text(http.StatusMethodNotAllowed, "method not allowed\n")
	}
	return v.file(file, http.StatusOK)
}

// bare gives the address of a page without its extension, that of an index page as its folder's, and false for what has none.
func bare(urlPath string) (string, bool) {
	for _, ext := range []string{".html", ".htm"} {
		if p, ok := strings.CutSuffix(urlPath, ext); ok {
			if folder, ok := strings.CutSuffix(p, "/index"); ok {
				p = folder + "/"
			}
			return p, true
		}
	}
	return "", false
}

// led gives the redirect of the first rule for a path.
func (v *Server) led(spare bool, urlPath string) (Answer, bool) {
	for _, r := range v.Rules.Redirects {
		if r.From == urlPath && r.Spare == spare {
			status := r.Status
			if status == 0 {
				status = http.StatusMovedPermanently
			}
			return redirect(r.To, status), true
		}
	}
	return Answer{}, false
}

// configured gives the answer of the first rule for a request.
func (v *Server) configured(spare bool, method, urlPath, query string) (Answer, bool) {
	for i := range v.Rules.Answers {
		if r := &v.Rules.Answers[i]; r.Spare == spare && r.matches(method, urlPath, query) {
			status := r.Status
			if status == 0 {
				status = http.StatusOK
			}
			return Answer{Status: status, Header: http.Header{"Content-Type": {r.Type}}, Body: r.Body}, true
		}
	}
	return Answer{}, false
}

// Declares says whether the configuration says what a request is answered with.
func (v *Server) Declares(method, address string) bool {
	path, query, _ := strings.Cut(address, "?")
	_, first := v.configured(false, method, path, query)
	_, spare := v.configured(true, method, path, query)
	return first || spare
}

// shellOf gives the file of the document of the application that answers a path, "" for none.
func (v *Server) shellOf(urlPath string) string {
	for _, r := range v.Rules.Routes {
		if r.answers(urlPath) {
			if file, _ := v.Find(r.Shell); file != "" {
				return file
			}
		}
	}
	return ""
}

// Find gives the file that answers a URL path, or the URL that it redirects to, or neither.
func (v *Server) Find(urlPath string) (file, redirect string) {
	s := v.Site
	if s.live != nil {
		if _, ok := s.File(urlPath); ok {
			return urlPath, ""
		}
		return "", s.live.aliases[urlPath]
	}
	if r := s.rendered; r != nil {
		if i, ok := r.byURL[urlPath]; ok {
			return s.Files[i].Path, ""
		}
		return "", r.server.live.aliases[urlPath]
	}
	rest, ok := strings.CutPrefix(urlPath, s.Base)
	if !ok {
		if urlPath+"/" == s.Base {
			return "", s.Base
		}
		return "", ""
	}
	p, ok := UnescapePath(rest)
	if !ok || path.Clean("/"+p) != "/"+strings.TrimSuffix(p, "/") {
		return "", ""
	}
	if p == "" || strings.HasSuffix(p, "/") {
		for _, index := range []string{"index.html", "index.htm"} {
			if _, ok := s.File(p + index); ok {
				return p + index, ""
			}
		}
		return "", ""
	}
	if _, ok := s.File(p); ok {
		return p, ""
	}
	if v.Rules.Clean && path.Ext(p) == "" {
		for _, ext := range []string{".html", ".htm"} {
			if _, ok := s.File(p + ext); ok {
				return p + ext, ""
			}
		}
	}
	if s.dirs[p] {
		if file, _ := v.Find(urlPath + "/"); file != "" {
			return "", urlPath + "/"
		}
	}
	return "", ""
}

// matchPath compares a configured path with a request's: exact, or a glob with * and **.
func matchPath(pattern, urlPath string) bool {
	ok, err := doublestar.Match(pattern, urlPath)
	return pattern == urlPath || err == nil && ok
}

func redirect(to string, status int) Answer {
	a := text(status, "")
	a.Header.Set("Location", to)
	return a
}

func text(status int, body string) Answer {
	return Answer{Status: status, Header: http.Header{"Content-Type": {"text/plain; charset=utf-8"}}, Body: []byte(body)}
}

func (v *Server) missing() Answer {
	if v.Absent != nil {
		return Answer{Status: v.Absent.Status, Header: v.Absent.Header.Clone(), Body: v.Absent.Body}
	}
	if _, ok := v.Site.File("404.html"); ok {
		return v.file("404.html", http.StatusNotFound)
	}
	return text(http.StatusNotFound, "not found\n")
}

func (v *Server) file(p string, status int) Answer {
	f, _ := v.Site.File(p)
	if f.Status != 0 && status == http.StatusOK {
		status = f.Status
	}
	e, err := v.read(f)
	if err != nil {
		return text(http.StatusInternalServerError, "the file cannot be read\n")
	}
	return Answer{Status: status, File: p, Body: e.body,
		Header: http.Header{"Content-Type": {f.Type}, "Etag": {e.etag}}}
}

func (v *Server) read(f File) (entry, error) {
	v.mu.Lock()
	e, ok := v.kept[f.Real]
	v.mu.Unlock()
	if ok {
		return e, nil
	}
	body, ok := v.changed[f.Path]
	if !ok {
		var err error
		if body, err = v.Site.Read(f.Path); err != nil {
			return entry{}, err
		}
	}
	sum := sha256.Sum256(body)
	e = entry{body, `"` + hex.EncodeToString(sum[:8]) + `"`}
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.bytes+int64(len(body)) <= keepBytes {
		v.kept[f.Real] = e
		v.bytes += int64(len(body))
	}
	return e, nil
}

// HeaderOf gives a header that a rule adds to what a path answers, "" for none.
func (v *Server) HeaderOf(urlPath, name string) string {
	value := ""
	for _, h := range v.Rules.Headers {
		if ok, _ := doublestar.Match(h.Path, urlPath); ok && strings.EqualFold(h.Name, name) {
			value = h.Value
		}
	}
	return value
}

// Digest gives what is answered to a path, its redirects followed, as SHA-256 in hexadecimal; "" for what is not there.
func (v *Server) Digest(urlPath string) string {
	for range 5 {
		a := v.Answer(http.MethodGet, urlPath)
		if to := a.Header.Get("Location"); to != "" {
			urlPath = to
			continue
		}
		if a.Status != http.StatusOK {
			return ""
		}
		sum := sha256.Sum256(a.Body)
		return hex.EncodeToString(sum[:])
	}
	return ""
}
