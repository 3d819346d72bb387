// Package deployed compares what a server answers with the release that was to be deployed.
package deployed

import (
	"bytes"
	"context"
	"fmt"
	"net/http"
	"net/url"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/hosting"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/weburl"
	"tachyform.dev/tachyform/internal/worker"
)

// What may be found of a file.
const (
	Missing    = "missing"    // the server does not have it
	Refused    = "refused"    // the server wants to know who asks
	Moved      = "moved"      // the server leads elsewhere
	Page       = "a page"     // the server answers with a page where a file should be
	Stale      = "stale"      // something between gives old bytes; the server itself has the right ones
	Altered    = "altered"    // other bytes
	Unanswered = "unanswered" // no answer
)

// Report says how what is live differs from a release.
type Report struct {
	Folder  string `json:"folder"`
	Release string `json:"release,omitempty"` // of our worker in the folder
	Live    string `json:"live,omitempty"`    // of our worker on the server
	Asked   int    `json:"asked"`             // files that were asked for
	Of      int    `json:"of"`                // files of the release
	Same    int    `json:"same"`              // of those asked for
	Files   []File `json:"files"`             // that differ, by URL
	Headers []Sent `json:"headers"`           // that are not what the host has to send
	Whole   bool   `json:"whole"`
	Verdict string `json:"verdict"`
}

// File is a file that is not what the release says.
type File struct {
	URL      string `json:"url"`
	Path     string `json:"path"`
	What     string `json:"what"` // one of the words above
	Status   int    `json:"status,omitempty"`
	How      string `json:"how,omitempty"` // in which way it is another
	Accepted bool   `json:"accepted"`      // our worker takes it all the same
	Needed   bool   `json:"needed"`        // the worker installs nothing without it
	To       string `json:"to,omitempty"`  // where the server leads
}

// Sent is a header that is not what the host has to send.
type Sent struct {
	URL   string `json:"url"`
	Name  string `json:"name"`
	Got   string `json:"got"`
	Want  string `json:"want"`
	Costs string `json:"costs"` // what comes of it
}

// Answer is what a server answers.
type Answer struct {
	Status int
	Header http.Header
	Body   []byte
}

// Fetch asks the server for an address; fresh asks past whatever keeps answers on the way.
type Fetch func(ctx context.Context, urlPath string, fresh bool) (Answer, error)

// Usual is how many files are asked for when nothing is said.
const Usual = 300

// Compare asks for a sample of the release's files, those that decide on everything among them, and compares.
func Compare(ctx context.Context, fetch Fetch, s *site.Site, plan *hosting.Plan, sample int, step func(done, total int)) (*Report, error) {
	if sample <= 0 {
		sample = Usual
	}
	r := &Report{Folder: s.Dir, Files: []File{}, Headers: []Sent{}, Of: len(s.Files)}
	c := &comparison{Report: r, fetch: fetch, site: s, plan: plan}
	for _, u := range plan.Release {
		f, ok := s.Find(u)
		if !ok || f.Kind() != "script" {
			continue
		}
		src, err := s.Read(f.Path)
		if err != nil {
			return nil, err
		}
		if id, ours := worker.ReleaseOf(src); ours {
			r.Release, c.worker, c.script = id, f.URL, worker.ScriptOf(src)
			c.entries, _ = worker.Released(src)
		}
	}
	files := pick(s, plan.Release, sample)
	r.Asked = len(files)
	results := make([]seen, len(files))
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(min(2*runtime.GOMAXPROCS(0), 6))
	var mu sync.Mutex
	done := 0
	for i, f := range files {
		g.Go(func() error {
			x, err := c.look(each, f)
			results[i] = x
			if step != nil {
				mu.Lock()
				defer mu.Unlock()
				done++
				step(done, len(files))
			}
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return nil, err
	}
	for _, x := range results {
		r.Headers = append(r.Headers, x.headers...)
		if x.file.What == "" {
			r.Same++
		} else {
			r.Files = append(r.Files, x.file)
		}
		if x.live != "" {
			r.Live = x.live
		}
	}
	slices.SortFunc(r.Files, func(a, b File) int { return strings.Compare(a.URL, b.URL) })
	c.verdict()
	return r, nil
}

// comparison is one that is going on.
type comparison struct {
	*Report
	fetch   Fetch
	site    *site.Site
	plan    *hosting.Plan
	worker  string // URL of ours
	script  string // of the page script
	entries map[string]worker.Entry
}

// seen is what came of one file.
type seen struct {
	file    File
	headers []Sent
	live    string // the release that the worker on the server names
}

// pick gives the files that are asked for: what names the release, the pages and what they need first, and then at even distances.
func pick(s *site.Site, first []string, n int) []site.File {
	start, _ := s.StartPage() // a folder without pages has none
	var out, rest []site.File
	for _, f := range s.Files {
		if f.Path == "_headers" || f.Path == "_redirects" || f.Size > site.MaxFile { // hosts read them and do not serve them; and what is too large to compare
			continue
		}
		if slices.Contains(first, f.URL) || f.Kind() == "manifest" || f.Path == start.Path {
			out = append(out, f)
		} else {
			rest = append(rest, f)
		}
	}
	left := min(max(n-len(out), 0), len(rest))
	for i := range left {
		out = append(out, rest[i*len(rest)/left])
	}
	return out
}

func (c *comparison) look(ctx context.Context, f site.File) (x seen, err error) {
	want, err := c.site.Read(f.Path)
	if err != nil {
		return x, err
	}
	x.file = File{URL: f.URL, Path: f.Path}
	entry, listed := c.entries[f.URL]
	x.file.Needed = listed && entry.Kind != worker.Other || f.URL == c.worker
	a, err := c.fetch(ctx, f.URL, false)
	switch {
	case ctx.Err() != nil:
		return x, ctx.Err()
	case err != nil:
		x.file.What, x.file.How = Unanswered, err.Error()
		return x, nil
	}
	x.file.Status = a.Status
	to := a.Header.Get("Location")
	switch {
	case a.Status == http.StatusUnauthorized || a.Status == http.StatusForbidden:
		x.file.What = Refused
	case a.Status >= 300 && a.Status < 400 && to != "":
		x.file.What, x.file.To = Moved, to
		if next := c.own(f.URL, to); f.IsPage() && next != "" && f.URL != c.worker { // to a clean address: that is as good
			if b, err := c.fetch(ctx, next, false); err == nil && b.Status == http.StatusOK {
				a, x.file.What, x.file.To = b, "", ""
			}
		}
	case a.Status != http.StatusOK:
		x.file.What = Missing
	case !f.IsPage() && strings.Contains(a.Header.Get("Content-Type"), "html") && !bytes.Equal(a.Body, want):
		x.file.What = Page
	}
	if f.URL == c.worker && x.file.What == "" {
		x.live, _ = worker.ReleaseOf(a.Body)
	}
	if x.file.What != "" {
		return x, nil
	}
	x.headers = c.headers(f, a.Header)
	if bytes.Equal(a.Body, want) {
		return x, nil
	}
	x.file.What, x.file.How = Altered, how(want, a.Body, f)
	x.file.Accepted = listed && entry.Is(a.Body, c.script)
	if fresh, err := c.fetch(ctx, f.URL, true); err == nil && fresh.Status == http.StatusOK && bytes.Equal(fresh.Body, want) {
		x.file.What, x.file.How = Stale, ""
		if age := a.Header.Get("Age"); age != "" {
			x.file.How = "its Age is " + age + " s"
		}
	}
	return x, nil
}

// own gives the path that a Location leads to on the same host, "" for another host.
func (c *comparison) own(from, to string) string {
	base, err := url.Parse(weburl.Origin + from)
	if err != nil {
		return ""
	}
	u, err := base.Parse(to)
	if err != nil || u.RawQuery != "" {
		return ""
	}
	if strings.HasPrefix(to, "http") && u.Host != base.Host { // an absolute address is taken when its path is a near one
		if p := u.EscapedPath(); strings.TrimSuffix(p, "/") != strings.TrimSuffix(strings.TrimSuffix(from, ".html"), "/") {
			return ""
		}
	}
	return u.EscapedPath()
}

// how says in which way bytes were altered, as far as it shows.
func how(want, got []byte, f site.File) string {
	squeeze := func(b []byte) string { return strings.Join(strings.Fields(string(b)), "") }
	text := f.IsPage() || f.Kind() == "script" || f.Kind() == "style"
	size := fmt.Sprintf("%d bytes instead of %d", len(got), len(want))
	switch {
	case bytes.HasPrefix(got, []byte{0x1f, 0x8b}):
		return size + ": compressed, without saying so"
	case text && squeeze(want) == squeeze(got):
		return size + ": white space was taken out"
	case text && bytes.Contains(got, bytes.TrimSpace(want)):
		return size + ": something was added"
	case text && len(got) < len(want)*19/20:
		return size + ": made smaller, it seems"
	}
	return size
}

// headers compares what was sent with what the host has to send.
func (c *comparison) headers(f site.File, got http.Header) (out []Sent) {
	add := func(name, want, costs string) {
		out = append(out, Sent{f.URL, name, got.Get(name), want, costs})
	}
	for name, want := range c.plan.HeadersFor(f.URL) {
		have := got.Get(name)
		switch {
		case name == "cache-control" && want == hosting.Forever:
			if lifetime(have) < 86400 {
				add("Cache-Control", want, "browsers ask for it again, though its name changes with its content")
			}
		case name == "cache-control" && want == hosting.Asked:
			if age := lifetime(have); age > 3600 && (f.IsPage() || f.Kind() == "script" || f.Kind() == "style" || f.Kind() == "manifest") || age > 30*86400 {
				add("Cache-Control", want, fmt.Sprintf("browsers keep it for %d hours without asking", age/3600))
			}
		case name == "cache-control":
			if have != want {
				add("Cache-Control", want, "the configuration says so")
			}
		case have != want:
			costs := "the configuration says so"
			if name == "service-worker-allowed" {
				costs = "browsers refuse to register the worker for that scope"
			}
			add(http.CanonicalHeaderKey(name), want, costs)
		}
	}
	kind, wanted := site.Essence(got.Get("Content-Type")), site.Essence(f.Type)
	switch {
	case f.Kind() == "script" && !strings.Contains(kind, "javascript"), f.Kind() == "style" && kind != "text/css":
		add("Content-Type", wanted, "browsers do not take it for what it is")
	case f.Kind() == "manifest" && !strings.Contains(kind, "json"):
		add("Content-Type", wanted, "it is no media type of a manifest")
	}
	slices.SortFunc(out, func(a, b Sent) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// lifetime gives for how many seconds a browser keeps an answer without asking.
func lifetime(v string) int {
	v = strings.ToLower(v)
	if strings.Contains(v, "no-cache") || strings.Contains(v, "no-store") {
		return 0
	}
	_, rest, ok := strings.Cut(v, "max-age=")
	if !ok {
		return 0
	}
	n, err := strconv.Atoi(rest[:len(rest)-len(strings.TrimLeft(rest, "0123456789"))])
	if err != nil {
		return 0
	}
	return n
}

// verdict says in a line what is live.
func (c *comparison) verdict() {
	r := c.Report
	there := 0
	for _, f := range r.Files {
		if f.What == Missing || f.What == Page || f.What == Unanswered || f.What == Moved {
			there++
		}
	}
	name, sampled := "what lies in "+r.Folder, ""
	if r.Release != "" {
		name = "release " + r.Release
	}
	if r.Asked < r.Of {
		sampled = fmt.Sprintf(" (%d of %d files were asked for)", r.Asked, r.Of)
	}
	bad := 0
	for _, f := range r.Files {
		if !f.Accepted {
			bad++
		}
	}
	switch {
	case r.Asked > 2 && there*2 > r.Asked:
		r.Verdict = fmt.Sprintf("what is live is not %s: %d of %d files are not there. Another host or another base path, it seems", name, there, r.Asked)
	case r.Release != "" && r.Live != "" && r.Live != r.Release:
		r.Verdict = fmt.Sprintf("what is live is release %s, and not %s of %s", r.Live, r.Release, r.Folder)
	case r.Release != "" && r.Live == "":
		r.Verdict = fmt.Sprintf("what is live has no worker of release %s", r.Release)
	case len(r.Files) == 0:
		r.Whole = true
		r.Verdict = "what is live is " + name + ", whole" + sampled
	case bad == 0:
		r.Whole = true
		r.Verdict = fmt.Sprintf("what is live is %s, whole for its worker, though %s altered on the way%s", name, counted(len(r.Files), "was", "were"), sampled)
	default:
		r.Verdict = fmt.Sprintf("what is live is %s, but %s not as in %s%s", name, counted(bad, "is", "are"), r.Folder, sampled)
	}
}

func counted(n int, one, many string) string {
	if n == 1 {
		return "1 file " + one
	}
	return fmt.Sprintf("%d files %s", n, many)
}
