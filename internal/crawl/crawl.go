// Package crawl reads a live origin as a site: politely, from one origin only, within limits, into a temporary folder.
package crawl

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"sync"
	"time"

	humanize "github.com/dustin/go-humanize/english"
	"github.com/temoto/robotstxt"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/site"
)

// Agent is the product token that robots.txt files may name.
const Agent = "tachyform"

// Limits bound a crawl.
type Limits struct {
	Pages    int           // pages at most
	Depth    int           // links between the entry and a page at most
	Bytes    int64         // of all answers together, uncompressed
	File     int64         // of one answer
	Time     time.Duration // for everything
	Requests int           // requests at most, whatever they are for
	Parallel int           // requests at once
	Missing  bool          // an address is asked for that cannot be there
	Access   *Access       // how the origin is reached; nil for as everybody does
}

// Usual are the limits that nobody has to think about.
var Usual = Limits{Requests: 20_000, Pages: 500, Depth: 8, Bytes: 200 << 20, File: 32 << 20, Time: 2 * time.Minute, Parallel: 4}

const (
	maxRedirects = 10
	maxPatience  = 30 * time.Second // for one answer, and for what a server asks to wait
	maxDelay     = 10 * time.Second // of a robots.txt between two requests
)

// Report says what a crawl did and what it left out.
type Report struct {
	Entry      string     `json:"entry"`
	Requests   int        `json:"requests"`
	Bytes      int64      `json:"bytes"`
	Robots     string     `json:"robots"`     // what the origin's robots.txt is like
	Disallowed []string   `json:"disallowed"` // URLs that it forbids
	Redirects  []Redirect `json:"redirects"`
	Failed     []Failure  `json:"failed"`
	Outside    int        `json:"outside"`           // links to pages of the origin that do not lie below the entry's folder
	Queries    int        `json:"queries"`           // links with a query, which are not followed
	Avoided    []string   `json:"avoided,omitempty"` // links that are not followed by somebody who is signed in, since they may change something
	TooDeep    int        `json:"too_deep"`          // links that are not followed because of the depth
	Stopped    string     `json:"stopped"`           // the limit that ended the crawl, "" for none
	Policies   []Policy   `json:"policies"`          // Content-Security-Policy headers
}

// Redirect is an answer that leads elsewhere.
type Redirect struct {
	From   string `json:"from"`
	To     string `json:"to"`
	Status int    `json:"status"`
	Left   bool   `json:"left"` // to another origin, so it was not followed
}

// Failure is a URL without a usable answer.
type Failure struct {
	URL string `json:"url"`
	Why string `json:"why"`
	By  string `json:"by"` // the first that refers to it
}

// Policy is a Content-Security-Policy header of a page.
type Policy struct {
	URL   string `json:"url"`
	Value string `json:"value"`
}

// ErrEntry is wrapped by errors about the address itself.
var ErrEntry = errors.New("there is nothing to survey")

// item is a URL to fetch.
type item struct {
	url  string // root-relative, with its query
	page bool   // reached by a link
	by   string
	hops int // redirects on the way to it
}

func (i item) key() string { k, _, _ := strings.Cut(i.url, "?"); return k }

type crawler struct {
	origin  string // scheme and host
	below   string // pages lie below this folder
	limits  Limits
	client  *http.Client
	robots  *robotstxt.RobotsData
	delay   time.Duration
	dir     string
	report  *Report
	step    func(done, total int)
	mu      sync.Mutex
	pages   int
	known   map[string]bool   // keys ever taken up
	aliases map[string]string // of redirects
	files   []site.File
	headers map[string]http.Header
	last    time.Time
	asked   int
}

// Take reads the origin from an address on. Its error wraps [ErrEntry] when the address itself gives no page.
func Take(ctx context.Context, address string, limits Limits, step func(done, total int)) (*Result, error) {
	u, err := url.Parse(address)
	if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" {
		return nil, fmt.Errorf("%s: no http(s) address: %w", address, ErrEntry)
	}
	dir, err := os.MkdirTemp("", "tachyform-crawl-")
	if err != nil {
		return nil, err
	}
	c := &crawler{origin: u.Scheme + "://" + u.Host, limits: limits, dir: dir, step: step, known: map[string]bool{}, aliases: map[string]string{}, headers: map[string]http.Header{},
		client: limits.Access.client(maxPatience),
		report: &Report{Entry: address, Disallowed: []string{}, Redirects: []Redirect{}, Failed: []Failure{}, Policies: []Policy{}}}
	s, err := c.run(ctx, u)
	if err != nil {
		os.RemoveAll(dir)
		return nil, err
	}
	start, _ := s.StartPage()
	r := &Result{Site: s, Report: c.report, Headers: c.headers, Start: start.URL, Aliases: c.aliases, dir: dir, access: limits.Access}
	if limits.Missing {
		r.Missing = c.absent(ctx)
	}
	return r, nil
}

func (c *crawler) run(ctx context.Context, u *url.URL) (*site.Site, error) {
	outer := ctx
	ctx, cancel := context.WithTimeout(ctx, c.limits.Time)
	defer cancel()
	if err := c.readRobots(ctx); err != nil {
		return nil, err
	}
	entry := u.EscapedPath()
	if entry == "" {
		entry = "/"
	}
	c.below = entry[:strings.LastIndexByte(entry, '/')+1]
	if u.RawQuery != "" {
		entry += "?" + u.RawQuery
	}
	if c.step != nil { // before the first answer, which may be long in coming
		c.step(0, 1)
	}
	level := []item{{url: entry, page: true, by: "the address given"}}
	for depth := 0; len(level) > 0 && c.report.Stopped == ""; depth++ {
		next := c.level(ctx, level)
		if depth == c.limits.Depth {
			c.report.TooDeep += len(next)
			break
		}
		level = next
	}
	if err := outer.Err(); err != nil {
		return nil, fmt.Errorf("interrupted: %w", err)
	}
	if ctx.Err() != nil {
		c.report.Stopped = fmt.Sprintf("the time limit of %s", c.limits.Time)
	}
	c.sort()
	start := c.follow((item{url: entry}).key())
	for _, f := range c.files {
		if f.URL == start && f.IsPage() {
			return site.Live(c.dir, u.String(), c.origin, start, c.files, c.aliases)
		}
	}
	return nil, c.noEntry(u, start)
}

// noEntry says why the address gives no page.
func (c *crawler) noEntry(u *url.URL, start string) error {
	for _, r := range c.report.Redirects {
		if r.Left {
			return fmt.Errorf("%s redirects to another origin; survey %s: %w", u, r.To, ErrEntry)
		}
	}
	for _, d := range c.report.Disallowed {
		if d == start {
			return fmt.Errorf("%s: the origin's robots.txt asks programs not to read it; survey the folder that is deployed: %w", u, ErrEntry)
		}
	}
	for _, f := range c.report.Failed {
		if f.URL == start {
			return fmt.Errorf("%s: %s: %w", u, f.Why, ErrEntry)
		}
	}
	return fmt.Errorf("%s: not an HTML page: %w", u, ErrEntry)
}

// sort puts everything into an order that does not depend on which answer came first.
func (c *crawler) sort() {
	sort.Slice(c.files, func(i, j int) bool { return c.files[i].Path < c.files[j].Path })
	sort.Strings(c.report.Disallowed)
	sort.Strings(c.report.Avoided)
	r := c.report
	sort.Slice(r.Redirects, func(i, j int) bool { return r.Redirects[i].From < r.Redirects[j].From })
	sort.Slice(r.Failed, func(i, j int) bool { return r.Failed[i].URL < r.Failed[j].URL })
	sort.Slice(r.Policies, func(i, j int) bool { return r.Policies[i].URL < r.Policies[j].URL })
}

// readRobots follows RFC 9309: without a file everything is allowed, with one that cannot be had nothing is.
func (c *crawler) readRobots(ctx context.Context) error {
	if c.limits.Access != nil && c.limits.Access.Mine {
		c.report.Robots = "not followed: the site is yours"
		return nil
	}
	target := c.origin + "/robots.txt"
	for range 6 {
		res, err := c.get(ctx, target)
		if err != nil {
			return fmt.Errorf("%s does not answer: %s: %w", c.origin, reason(err), ErrEntry)
		}
		data, _ := io.ReadAll(io.LimitReader(res.Body, 500<<10))
		res.Body.Close()
		if to, err := res.Location(); err == nil && res.StatusCode/100 == 3 {
			if to.Scheme+"://"+to.Host != c.origin { // as good as missing: no other origin is asked
				break
			}
			target = to.String()
			continue
		}
		robots, err := robotstxt.FromStatusAndBytes(res.StatusCode, data)
		if err != nil {
			c.report.Robots = "not understood, so it is taken as if there were none"
			return nil //nolint:nilerr // reported
		}
		c.robots = robots
		switch {
		case res.StatusCode >= 500:
			c.report.Robots = fmt.Sprintf("answered with %d: nothing may be read until it can be", res.StatusCode)
		case res.StatusCode >= 400:
			c.report.Robots = "none"
		default:
			c.report.Robots = "honoured"
			c.delay = min(robots.FindGroup(Agent).CrawlDelay, maxDelay)
		}
		if c.delay > 0 {
			c.limits.Parallel = 1
			c.report.Robots = fmt.Sprintf("honoured, with %s between requests", c.delay)
		}
		return nil
	}
	c.report.Robots = "none"
	return nil
}

// reason is an error of the network without the address that the caller names.
func reason(err error) string {
	var ue *url.Error
	if errors.As(err, &ue) {
		if ue.Timeout() {
			return fmt.Sprintf("no answer within %.0f seconds", maxPatience.Seconds())
		}
		err = ue.Err
	}
	return err.Error()
}

// level fetches pages, then what they need, and gives the pages that they link.
func (c *crawler) level(ctx context.Context, items []item) []item {
	var links []item
	for len(items) > 0 {
		items = c.fresh(ctx, items)
		found := make([][]item, len(items))
		var g errgroup.Group
		g.SetLimit(c.limits.Parallel)
		for i, it := range items {
			g.Go(func() error {
				found[i] = c.take(ctx, it)
				return nil
			})
		}
		_ = g.Wait()
		items = nil
		for _, list := range found {
			for _, it := range list {
				if it.page {
					links = append(links, it)
				} else {
					items = append(items, it)
				}
			}
		}
	}
	seen := map[string]bool{}
	next := links[:0]
	for _, l := range links {
		if !seen[l.key()] && !c.known[l.key()] {
			seen[l.key()] = true
			next = append(next, l)
		}
	}
	return next
}

// fresh drops what was taken up before and what the limits no longer allow.
func (c *crawler) fresh(ctx context.Context, items []item) []item {
	sort.SliceStable(items, func(i, j int) bool { return items[i].key() < items[j].key() })
	out := items[:0]
	for _, it := range items {
		if c.known[it.key()] || c.report.Stopped != "" || ctx.Err() != nil { // many rules for robots take their time, too
			continue
		}
		if c.limits.Requests > 0 && c.asked+len(out) >= c.limits.Requests {
			c.report.Stopped = "the limit of " + humanize.Plural(c.limits.Requests, "request", "")
			continue
		}
		if it.page && c.pages >= c.limits.Pages {
			c.report.Stopped = "the limit of " + humanize.Plural(c.limits.Pages, "page", "")
			continue
		}
		if c.robots != nil && !c.robots.TestAgent(it.url, Agent) {
			c.known[it.key()] = true
			c.report.Disallowed = append(c.report.Disallowed, it.key())
			continue
		}
		c.known[it.key()] = true
		if it.page {
			c.pages++
		}
		out = append(out, it)
	}
	c.asked += len(out)
	return out
}

func (c *crawler) get(ctx context.Context, target string) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, target, nil)
	if err != nil {
		return nil, err
	}
	req.Header.Set("User-Agent", Agent+" (survey of a site by its developer)")
	req.Header.Set("Accept", "*/*")
	c.mu.Lock()
	c.report.Requests++
	wait := time.Until(c.last.Add(c.delay))
	c.mu.Unlock()
	if c.delay > 0 {
		if err := pause(ctx, wait); err != nil {
			return nil, err
		}
		c.mu.Lock()
		c.last = time.Now()
		c.mu.Unlock()
	}
	return c.client.Do(req)
}

func pause(ctx context.Context, d time.Duration) error {
	if d <= 0 {
		return ctx.Err()
	}
	t := time.NewTimer(d)
	defer t.Stop()
	select {
	case <-t.C:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// take fetches one URL and gives what it refers to.
func (c *crawler) take(ctx context.Context, it item) []item {
	if ctx.Err() != nil {
		return nil
	}
	res, err := c.patient(ctx, c.origin+it.url)
	if err != nil {
		if ctx.Err() == nil {
			c.fail(it, reason(err))
		}
		return nil
	}
	defer res.Body.Close()
	if res.StatusCode/100 == 3 {
		return c.redirect(it, res)
	}
	if !has(res.StatusCode) {
		c.fail(it, fmt.Sprintf("answered with %d %s", res.StatusCode, http.StatusText(res.StatusCode)))
		return nil
	}
	data, err := io.ReadAll(io.LimitReader(res.Body, c.limits.File+1))
	switch {
	case err != nil:
		c.fail(it, "cut off: "+reason(err))
		return nil
	case int64(len(data)) > c.limits.File:
		c.fail(it, fmt.Sprintf("more than %d bytes, so it was not read", c.limits.File))
		return nil
	}
	mediaType := res.Header.Get("Content-Type")
	if mediaType == "" {
		mediaType = site.TypeOf(it.key())
	}
	f, err := c.store(it, res.StatusCode, mediaType, data)
	if err != nil {
		c.fail(it, err.Error())
		return nil
	}
	c.mu.Lock()
	h := http.Header{}
	for _, k := range keptHeaders {
		if v := res.Header.Values(k); len(v) > 0 {
			h[k] = v
		}
	}
	c.headers[f.URL] = h
	c.mu.Unlock()
	if f.IsPage() {
		c.mu.Lock()
		for _, p := range res.Header.Values("Content-Security-Policy") {
			c.report.Policies = append(c.report.Policies, Policy{f.URL, p})
		}
		c.mu.Unlock()
	}
	return c.refs(f, data)
}

// has says whether an answer with a status has what was asked for, as for a page or a manifest it has with every success that is whole.
func has(status int) bool {
	return status/100 == 2 && status != http.StatusNoContent && status != http.StatusResetContent && status != http.StatusPartialContent
}

// Nowhere is an address that no site has.
const Nowhere = "tachyform-asks-for-what-cannot-be-there"

// absent asks for what cannot be there, as a visitor who opens a page.
func (c *crawler) absent(ctx context.Context) *site.Answer {
	res, err := c.get(ctx, c.origin+c.below+Nowhere)
	if err != nil {
		return nil
	}
	defer res.Body.Close()
	body, err := io.ReadAll(io.LimitReader(res.Body, c.limits.File))
	if err != nil || res.StatusCode/100 == 3 {
		return nil
	}
	return &site.Answer{Status: res.StatusCode, Header: http.Header{"Content-Type": res.Header.Values("Content-Type")}, Body: body}
}

// patient waits once when the server asks for it.
func (c *crawler) patient(ctx context.Context, target string) (*http.Response, error) {
	res, err := c.get(ctx, target)
	if err != nil || res.StatusCode != http.StatusTooManyRequests && res.StatusCode != http.StatusServiceUnavailable {
		return res, err
	}
	s, err := strconv.Atoi(res.Header.Get("Retry-After"))
	if err != nil || s < 0 || time.Duration(s)*time.Second > maxPatience {
		return res, nil //nolint:nilerr // the answer itself is reported
	}
	res.Body.Close()
	if err := pause(ctx, time.Duration(s)*time.Second); err != nil {
		return nil, err
	}
	return c.get(ctx, target)
}

func (c *crawler) fail(it item, why string) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.report.Failed = append(c.report.Failed, Failure{it.key(), why, it.by})
	c.done()
}

// done tells the progress; the lock is held.
func (c *crawler) done() {
	if c.step != nil {
		c.step(len(c.files)+len(c.report.Failed)+len(c.report.Redirects), c.asked)
	}
}

// redirect takes up where a redirect leads, when it stays on the origin.
func (c *crawler) redirect(it item, res *http.Response) []item {
	to, err := res.Location()
	if err != nil {
		c.fail(it, fmt.Sprintf("answered with %d and no address to go to", res.StatusCode))
		return nil
	}
	to.Fragment = ""
	if it.hops == maxRedirects {
		c.fail(it, fmt.Sprintf("more than %d redirects one after the other, which no browser follows for ever", maxRedirects))
		return nil
	}
	r := Redirect{From: it.key(), To: to.String(), Status: res.StatusCode, Left: to.Scheme+"://"+to.Host != c.origin}
	if !r.Left {
		r.To = to.EscapedPath()
		if r.To == "" {
			r.To = "/"
		}
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	c.report.Redirects = append(c.report.Redirects, r)
	c.done()
	if r.Left {
		return nil
	}
	c.aliases[it.key()] = r.To
	next := item{url: r.To, by: it.by, hops: it.hops + 1} // at once, not as a link: it is the same step of the visitor
	if to.RawQuery != "" {
		next.url += "?" + to.RawQuery
	}
	return []item{next}
}

// follow gives where a chain of redirects ends.
func (c *crawler) follow(key string) string {
	for range maxRedirects {
		to, ok := c.aliases[key]
		if !ok {
			break
		}
		key = to
	}
	return key
}

// store writes an answer into the temporary folder, under a name that no path can be made of.
func (c *crawler) store(it item, status int, mediaType string, data []byte) (site.File, error) {
	sum := sha256.Sum256([]byte(it.key()))
	name := hex.EncodeToString(sum[:])
	f := site.File{Path: it.key(), URL: it.key(), Real: name, Size: int64(len(data)), Mode: 0o644, Type: mediaType}
	if status != http.StatusOK {
		f.Status = status
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.report.Bytes += f.Size; c.report.Bytes > c.limits.Bytes {
		c.report.Stopped = fmt.Sprintf("the limit of %d MB", c.limits.Bytes>>20)
		return f, errors.New("not kept: the limit of bytes is reached")
	}
	if err := os.WriteFile(filepath.Join(c.dir, name), data, 0o600); err != nil {
		return f, err
	}
	c.files = append(c.files, f)
	c.done()
	return f, nil
}
