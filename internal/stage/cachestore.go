package stage

import (
	"slices"
	"sort"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/site"
)

// maxStored is what an origin may store before it is out of quota, in bytes.
const maxStored = 512 << 20

// cacheStorage is the CacheStorage of an origin (Service Workers, section 5). Stores are kept in the order of
// their creation. It can be copied cheaply, to start every network state from the same contents.
type cacheStorage struct {
	stores []*cacheStore
	nextID int
	bytes  int64
	quota  int64 // the most bytes
}

type cacheStore struct {
	id      int
	name    string
	gone    bool
	opaque  bool // it holds opaque answers, and that was said
	entries []*cacheEntry
	byURL   map[string][]*cacheEntry // without fragment
}

type cacheEntry struct {
	req *request
	res *response
	by  string  // who put it there: "install", "worker" or "page"
	at  float64 // when, in ms of the virtual clock

	listed bool // it, or what it took the place of, was stored while the worker was installed
}

func (s *cacheStorage) find(name string) *cacheStore {
	for _, c := range s.stores {
		if c.name == name {
			return c
		}
	}
	return nil
}

func (s *cacheStorage) open(name string) *cacheStore {
	if c := s.find(name); c != nil {
		return c
	}
	s.nextID++
	c := &cacheStore{id: s.nextID, name: name, byURL: map[string][]*cacheEntry{}}
	s.stores = append(s.stores, c)
	return c
}

func (s *cacheStorage) remove(name string) bool {
	for i, c := range s.stores {
		if c.name == name {
			c.gone = true
			s.stores = append(s.stores[:i:i], s.stores[i+1:]...)
			for _, e := range c.entries {
				s.bytes -= weightOf(e.res)
			}
			return true
		}
	}
	return false
}

// copy gives an independent storage that shares the entries.
func (s *cacheStorage) copy() *cacheStorage {
	out := &cacheStorage{nextID: s.nextID, bytes: s.bytes, quota: s.quota}
	for _, c := range s.stores {
		n := &cacheStore{id: c.id, name: c.name, entries: append([]*cacheEntry{}, c.entries...), byURL: make(map[string][]*cacheEntry, len(c.byURL))}
		for u, list := range c.byURL {
			n.byURL[u] = append([]*cacheEntry{}, list...)
		}
		out.stores = append(out.stores, n)
	}
	return out
}

// matchOptions are the options of a cache query.
type matchOptions struct {
	ignoreSearch, ignoreMethod, ignoreVary bool
	cacheName                              string
}

func withoutFragment(u string) string {
	if i := strings.IndexByte(u, '#'); i >= 0 {
		return u[:i]
	}
	return u
}

func withoutSearch(u string) string {
	if i := strings.IndexByte(u, '?'); i >= 0 {
		return u[:i]
	}
	return u
}

// match gives the entries that answer a request, in the order they were stored ("query cache").
func (c *cacheStore) match(req *request, o matchOptions) []*cacheEntry {
	if req.method != "GET" && !o.ignoreMethod {
		return nil
	}
	want := withoutFragment(req.url)
	candidates := c.byURL[want]
	if o.ignoreSearch {
		want = withoutSearch(want)
		candidates = c.entries
	}
	var out []*cacheEntry
	for _, e := range candidates {
		have := withoutFragment(e.req.url)
		if o.ignoreSearch {
			have = withoutSearch(have)
		}
		if have == want && (o.ignoreVary || varyMatches(e, req)) {
			out = append(out, e)
		}
	}
	return out
}

func varyMatches(e *cacheEntry, req *request) bool {
	vary := e.res.header("vary")
	if vary == "" {
		return true
	}
	for _, f := range strings.Split(vary, ",") {
		name := strings.ToLower(strings.TrimSpace(f))
		if name == "*" || e.req.header(name) != req.header(name) {
			return false
		}
	}
	return true
}

// weightOf is what a stored answer counts: its body, and headers where they are more than what servers send.
func weightOf(r *response) int64 {
	const usual = 16 << 10
	n := 0
	for _, h := range r.headers {
		n += len(h[0]) + len(h[1])
	}
	return int64(len(r.bytes()) + max(0, n-usual))
}

// put stores an answer in place of the one that the URL has. The text would let answers stand side by side that vary by a
// header; Chromium keeps one for each URL.
func (s *cacheStorage) put(c *cacheStore, req *request, res *response, by string, at float64) string {
	size := weightOf(res)
	if s.bytes+size > s.quota {
		return "Quota exceeded."
	}
	was := c.match(req, matchOptions{ignoreVary: true})
	listed := by == "install" || slices.ContainsFunc(was, func(e *cacheEntry) bool { return e.listed })
	s.delete(c, was)
	e := &cacheEntry{req, res, by, at, listed}
	c.entries = append(c.entries, e)
	u := withoutFragment(req.url)
	c.byURL[u] = append(c.byURL[u], e)
	s.bytes += size
	return ""
}

func (s *cacheStorage) delete(c *cacheStore, gone []*cacheEntry) bool {
	for _, g := range gone {
		s.bytes -= weightOf(g.res)
		c.entries = without(c.entries, g)
		u := withoutFragment(g.req.url)
		if list := without(c.byURL[u], g); len(list) > 0 {
			c.byURL[u] = list
		} else {
			delete(c.byURL, u)
		}
	}
	return len(gone) > 0
}

func without(list []*cacheEntry, g *cacheEntry) []*cacheEntry {
	for i, e := range list {
		if e == g {
			return append(list[:i:i], list[i+1:]...)
		}
	}
	return list
}

// Stored is one entry of a store.
type Stored struct {
	URL    string // root-relative for the site's own origin
	Status int
	Bytes  int64
	Opaque bool
	Type   string        // media type, without parameters
	By     string        // who put it there: the "install" event, the "worker" at other times, or a "page"; "" when it is not known
	Age    time.Duration // on the virtual clock
	Listed bool          // it, or what it took the place of, was stored while a worker was installed
}

// Store is a named cache and what is in it.
type Store struct {
	Name    string
	Entries []Stored // sorted by URL
}

// Stores lists what the origin stores, in the order the stores were created.
func (b *Browser) Stores() []Store {
	var out []Store
	for _, c := range b.store.stores {
		s := Store{Name: c.name, Entries: []Stored{}}
		for _, e := range c.entries {
			s.Entries = append(s.Entries, Stored{URL: b.Relative(e.req.url), Status: e.res.status, Bytes: int64(len(e.res.bytes())), Opaque: e.res.kind == "opaque",
				Type: site.Essence(e.res.header("content-type")), By: e.by, Age: time.Duration((b.loop.now - e.at) * float64(time.Millisecond)).Round(time.Millisecond), Listed: e.listed})
		}
		sort.SliceStable(s.Entries, func(i, j int) bool { return s.Entries[i].URL < s.Entries[j].URL })
		out = append(out, s)
	}
	return out
}

// Relative writes a URL of the site's own origin without the origin.
func (b *Browser) Relative(u string) string {
	if rest, ok := strings.CutPrefix(u, b.origin); ok && strings.HasPrefix(rest, "/") {
		return rest
	}
	return u
}

func (b *Browser) absolute(u string) (string, error) { return b.resolve(u, b.origin+"/") }
