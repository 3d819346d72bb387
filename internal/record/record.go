// Package record runs the pages of a live site, asks what they ask for once, and keeps the answers without secrets.
package record

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/survey"
)

// Limits of a recording.
const (
	maxAnswers  = 400              // that are kept
	maxBody     = 1 << 20          // bytes of one
	maxBytes    = 20 << 20         // of all
	maxAsked    = 2000             // requests to servers
	maxHops     = 5                // redirects of one answer
	maxPersonal = 20               // addresses that look like one person's, and are asked where they lead
	maxAlike    = 3                // pages whose addresses have one form
	patience    = 20 * time.Second // for one answer
)

// Options of a recording.
type Options struct {
	Pages    int                    // that are opened at most, 0 for 200
	Origins  []string               // other origins that may be asked, such as "https://maps.example"
	Header   http.Header            // sent to the site's own origin, and to no other
	Secrets  []string               // names of members and parameters whose values are taken out, beside the usual ones
	Except   func(path string) bool // root-relative paths of which nothing is kept; nil for none
	Has      func(path string) bool // files of the folder that is deployed: they need no stand-in; nil when it is not known
	Progress func(done, total int)
}

// Answer is what a server answered to a GET request.
type Answer struct {
	Origin  string // "" for the site's own
	Path    string // percent-encoded
	Query   string // without the question mark; values that looked like secrets are *
	Status  int
	Type    string
	Body    []byte
	By      string   // the first page that asked for it
	Secrets []string // names of what was taken out of the body or the query, sorted
}

// URL gives the address, root-relative for the site's own origin.
func (a *Answer) URL() string {
	u := a.Origin + a.Path
	if a.Query != "" {
		u += "?" + a.Query
	}
	return u
}

// Left is a request of which nothing is kept.
type Left struct {
	URL, Method, Why string
	By               string // the first page that made it
}

// Unasked is another origin that pages asked, and that nobody allowed to be asked.
type Unasked struct {
	Origin   string
	Requests int // different addresses
	Pages    int
}

// Led is an address that the server leads elsewhere.
type Led struct {
	From, To string // root-relative for the site's own origin
	Status   int
	SignIn   bool // it looks like the way to a sign-in
}

// Recording is what came of it. The lists are sorted by address.
type Recording struct {
	Answers []Answer
	Left    []Left
	Unasked []Unasked
	Led     []Led
	Pages   int  // that were opened
	More    bool // not every page was
	Asked   int  // requests to servers beside those of the crawl
}

// Take opens every page that the crawl has read, and every link that they draw, and keeps what they ask for by GET: data of the site's own
// origin and pictures that no markup names, and everything of the other origins that are allowed. Workers are refused, and nothing is sent but GET requests.
func Take(ctx context.Context, res *crawl.Result, o Options) (*Recording, error) {
	u, err := url.Parse(res.Report.Entry)
	if err != nil {
		return nil, err
	}
	own := u.Scheme + "://" + u.Host
	r := &recorder{ctx: ctx, own: own, o: o, site: res.Site, client: &http.Client{Timeout: patience, CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }},
		known: map[string]*asked{}, requests: map[string]*request{}, forms: map[string]int{}, opened: map[string]bool{}, seen: map[string]bool{}, out: &Recording{}}
	defer r.client.CloseIdleConnections()
	server := site.NewServer(res.Site, site.Rules{})
	server.Beyond = r.beyond("")
	others := map[string]*site.Server{}
	for _, origin := range o.Origins {
		s := site.NewServer(site.Empty(origin), site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Access-Control-Allow-Origin", Value: "*"}}})
		s.Beyond = r.beyond(origin)
		others[origin] = s
	}
	if err := r.visit(server, others); err != nil {
		return nil, err
	}
	r.keep()
	r.leads(res.Report.Redirects)
	return r.out, nil
}

type recorder struct {
	ctx    context.Context
	own    string // the site's origin
	o      Options
	site   *site.Site
	client *http.Client

	mu    sync.Mutex
	known map[string]*asked // by origin ("" for the own) and address

	requests map[string]*request // of pages, by method and address
	queue    []string
	seen     map[string]bool
	forms    map[string]int
	opened   map[string]bool
	personal []string // addresses that look like one person's, which are not opened
	out      *Recording
}

// asked is the answer to one request.
type asked struct {
	answer site.Answer
	why    string // there is none
}

// request is what a page asked for.
type request struct {
	url, method string
	use         markup.Use
	by          string
	pages       int
}

// beyond asks an origin for what is not there.
func (r *recorder) beyond(origin string) func(urlPath, query string) (site.Answer, bool) {
	return func(urlPath, query string) (site.Answer, bool) {
		a := r.ask(origin, urlPath, query)
		return a.answer, a.why == ""
	}
}

func (r *recorder) ask(origin, urlPath, query string) *asked {
	address := urlPath
	if query != "" {
		address += "?" + query
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if a := r.known[origin+address]; a != nil {
		return a
	}
	a := &asked{}
	r.known[origin+address] = a
	if r.out.Asked >= maxAsked {
		a.why = fmt.Sprintf("it would be the request number %d", maxAsked+1)
		return a
	}
	r.out.Asked++
	req, err := http.NewRequestWithContext(r.ctx, http.MethodGet, cmp.Or(origin, r.own)+address, nil)
	if err != nil {
		a.why = err.Error()
		return a
	}
	if origin == "" {
		req.Header = r.o.Header.Clone()
	}
	if req.Header == nil {
		req.Header = http.Header{}
	}
	if req.Header.Get("User-Agent") == "" {
		req.Header.Set("User-Agent", crawl.Agent+" (recording by its developer)")
	}
	if origin != "" {
		req.Header.Set("Origin", r.own)
	}
	res, err := r.client.Do(req)
	if err != nil {
		a.why = "nothing answers: " + cause(err)
		return a
	}
	defer res.Body.Close()
	body, err := io.ReadAll(io.LimitReader(res.Body, maxBody+1))
	switch {
	case err != nil:
		a.why = "the answer breaks off: " + cause(err)
	case len(body) > maxBody:
		a.why = "it is larger than 1 MB"
	}
	a.answer = site.Answer{Status: res.StatusCode, Header: http.Header{}, Body: body}
	for _, k := range []string{"Content-Type", "Location"} {
		if v := res.Header.Get(k); v != "" {
			a.answer.Header.Set(k, v)
		}
	}
	return a
}

// cause leaves out what an error of the client says of the address.
func cause(err error) string {
	if u, ok := err.(*url.Error); ok { //nolint:errorlint // it is what the client gives
		return u.Err.Error()
	}
	return err.Error()
}

// visit opens the pages.
func (r *recorder) visit(server *site.Server, others map[string]*site.Server) error {
	b := stage.New(server, others, stage.Limits{})
	defer b.Close()
	b.RunScripts(true)
	b.RefuseWorkers()
	tab := b.NewTab()
	for _, p := range r.site.Pages() {
		r.enqueue(p.URL, true)
	}
	most := cmp.Or(r.o.Pages, 200)
	for len(r.queue) > 0 {
		if err := r.ctx.Err(); err != nil {
			return err
		}
		if r.out.Pages >= most {
			r.out.More = true
			break
		}
		u := r.queue[0]
		r.queue = r.queue[1:]
		l, err := tab.Open(u)
		if err != nil {
			return err
		}
		r.out.Pages++
		r.opened[u] = true
		if r.o.Progress != nil {
			r.o.Progress(r.out.Pages, min(most, r.out.Pages+len(r.queue)))
		}
		r.note(u, l)
		for _, link := range tab.Links() {
			r.enqueue(b.Relative(link), false)
		}
	}
	for _, p := range r.personal {
		r.ask("", p, "")
		r.opened[p] = true
	}
	return nil
}

// enqueue takes up a page that was not met: of those with addresses of one form that no crawl has read, only a few.
func (r *recorder) enqueue(u string, read bool) {
	u, _, _ = strings.Cut(u, "#")
	p, query, _ := strings.Cut(u, "?")
	if !strings.HasPrefix(p, "/") || r.seen[p] || query != "" || leaves(p) || r.o.Except != nil && r.o.Except(p) {
		return
	}
	if ext := path.Ext(p); !read && ext != "" && ext != ".html" && ext != ".htm" {
		return
	}
	r.seen[p] = true
	if survey.PersonalPath(p) { // it is only asked where it leads
		if _, read := r.site.Find(p); !read && len(r.personal) < maxPersonal {
			r.personal = append(r.personal, p)
		}
		return
	}
	if form := survey.Pattern(p); !read {
		if r.forms[form]++; r.forms[form] > maxAlike {
			return
		}
	}
	r.queue = append(r.queue, u)
}

// leaves says whether to open an address may end the session that was lent to the recording.
func leaves(p string) bool {
	p = strings.ToLower(p)
	return strings.Contains(p, "logout") || strings.Contains(p, "log-out") || strings.Contains(p, "signout") || strings.Contains(p, "sign-out")
}

// note takes down what a page asked for.
func (r *recorder) note(page string, l *stage.Load) {
	met := map[string]bool{}
	for _, q := range l.Requests {
		key := q.Method + " " + q.URL
		if met[key] || strings.HasPrefix(q.URL, "/") && q.Use != markup.UseFetch && (q.Use != markup.UseImage || r.crawled(q.URL)) {
			continue
		}
		met[key] = true
		if r.requests[key] == nil {
			r.requests[key] = &request{url: q.URL, method: q.Method, use: q.Use, by: page}
		}
		r.requests[key].pages++
	}
}

// crawled says whether the crawl has read an address: what markup names, and not what scripts draw from data.
func (r *recorder) crawled(u string) bool {
	p, _, _ := strings.Cut(u, "?")
	_, read := r.site.Find(p)
	return read
}

// leads notes the addresses of pages that the server leads elsewhere, and not only to the same with a slash.
func (r *recorder) leads(crawled []crawl.Redirect) {
	add := func(from, to string, status int) {
		p, query, _ := strings.Cut(from, "?")
		if query != "" || path.Ext(p) != "" && path.Ext(p) != ".html" || strings.TrimSuffix(p, "/") == strings.TrimSuffix(to, "/") || strings.HasSuffix(to, "/index.html") || slices.ContainsFunc(r.out.Led, func(l Led) bool { return l.From == p }) {
			return
		}
		if !strings.HasPrefix(to, "/") { // what stands in its query is for one sign-in only
			to, _, _ = strings.Cut(to, "?")
		}
		r.out.Led = append(r.out.Led, Led{From: p, To: withoutSecrets(to, r.o.Secrets), Status: status, SignIn: !strings.HasPrefix(to, "/") || survey.PersonalPath(to)})
	}
	for _, x := range crawled {
		add(x.From, x.To, x.Status)
	}
	for key, a := range r.known {
		to := a.answer.Header.Get("Location")
		if !strings.HasPrefix(key, "/") || to == "" || !r.opened[key] {
			continue
		}
		if u, err := url.Parse(r.own + key); err == nil {
			if next, err := u.Parse(to); err == nil {
				add(key, strings.TrimPrefix(next.String(), r.own), a.answer.Status)
			}
		}
	}
	slices.SortFunc(r.out.Led, func(a, b Led) int { return strings.Compare(a.From, b.From) })
}

// keep sorts what was asked for into what is kept, left, and was not allowed.
func (r *recorder) keep() {
	var total int64
	unasked := map[string]*Unasked{}
	for _, key := range slices.Sorted(maps.Keys(r.requests)) {
		q := r.requests[key]
		a, why := r.of(q, unasked)
		if a != nil && why == "" {
			switch total += int64(len(a.Body)); {
			case len(r.out.Answers) == maxAnswers:
				why = fmt.Sprintf("there are more than %d", maxAnswers)
			case total > maxBytes:
				why = "all together are larger than 20 MB"
				total -= int64(len(a.Body))
			}
		}
		switch {
		case why != "":
			r.out.Left = append(r.out.Left, Left{URL: withoutSecrets(q.url, r.o.Secrets), Method: q.method, Why: why, By: q.by})
		case a != nil && !slices.ContainsFunc(r.out.Answers, func(o Answer) bool { return o.URL() == a.URL() }):
			r.out.Answers = append(r.out.Answers, *a)
		}
	}
	slices.SortFunc(r.out.Answers, func(a, b Answer) int { return strings.Compare(a.URL(), b.URL()) })
	slices.SortFunc(r.out.Left, func(a, b Left) int { return cmp.Or(strings.Compare(a.URL, b.URL), strings.Compare(a.Method, b.Method)) })
	for _, o := range slices.Sorted(maps.Keys(unasked)) {
		r.out.Unasked = append(r.out.Unasked, *unasked[o])
	}
}

// of gives what is kept of a request, or why nothing is; neither for what needs no stand-in.
func (r *recorder) of(q *request, unasked map[string]*Unasked) (*Answer, string) {
	u, err := url.Parse(q.url)
	if err != nil {
		return nil, "its address is none"
	}
	origin := ""
	if u.Host != "" {
		origin = u.Scheme + "://" + u.Host
	}
	p := cmp.Or(u.EscapedPath(), "/")
	switch {
	case origin != "" && !slices.Contains(r.o.Origins, origin):
		if unasked[origin] == nil {
			unasked[origin] = &Unasked{Origin: origin}
		}
		unasked[origin].Requests++
		unasked[origin].Pages = max(unasked[origin].Pages, q.pages)
		return nil, ""
	case origin == "" && r.o.Has != nil && r.o.Has(p):
		return nil, ""
	case q.method != http.MethodGet && q.method != http.MethodHead:
		return nil, "it sends something, which a recording does not"
	case origin == "" && r.o.Except != nil && r.o.Except(p):
		return nil, "the configuration says so"
	case survey.PersonalData(p):
		return nil, "its address looks like what belongs to one person"
	case secretPath(p):
		return nil, "its address holds what looks like a secret"
	}
	got, why := r.final(origin, p, u.RawQuery)
	switch {
	case why != "":
		return nil, why
	case got.Status >= 500 || got.Status == http.StatusNotFound:
		return nil, fmt.Sprintf("it is answered with status %d", got.Status)
	}
	a := &Answer{Origin: origin, Path: p, Query: u.RawQuery, Status: got.Status, Type: got.Header.Get("Content-Type"), By: q.by}
	var names []string
	a.Query, names = redactQuery(u.RawQuery, r.o.Secrets)
	a.Body, a.Secrets = Redact(a.Type, got.Body, r.o.Secrets)
	a.Secrets = append(a.Secrets, names...)
	slices.Sort(a.Secrets)
	a.Secrets = slices.Compact(a.Secrets)
	return a, ""
}

// final follows the redirects of an answer within its origin. What the crawl has read is not asked for again.
func (r *recorder) final(origin, p, query string) (site.Answer, string) {
	for range maxHops {
		if f, ok := r.site.Find(p); ok && origin == "" {
			data, err := r.site.Read(f.Path)
			if err != nil {
				return site.Answer{}, err.Error()
			}
			return site.Answer{Status: http.StatusOK, Header: http.Header{"Content-Type": {f.Type}}, Body: data}, ""
		}
		a := r.ask(origin, p, query)
		to := a.answer.Header.Get("Location")
		if a.why != "" || a.answer.Status < 300 || a.answer.Status > 399 || to == "" {
			return a.answer, a.why
		}
		base, err := url.Parse(cmp.Or(origin, r.own) + p)
		if err != nil {
			return site.Answer{}, err.Error()
		}
		next, err := base.Parse(to)
		if err != nil || next.Scheme+"://"+next.Host != cmp.Or(origin, r.own) {
			return site.Answer{}, "it leads to another origin"
		}
		p, query = next.EscapedPath(), next.RawQuery
	}
	return site.Answer{}, "it leads from one address to the next"
}
