package compare

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"math"
	"path"
	"runtime"
	"slices"
	"strings"
	"sync"

	"github.com/klauspost/compress/gzip"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/weburl"
)

// Files says how the files of two releases differ, by their addresses, sorted.
type Files struct {
	Same    int       `json:"same"`
	Changed []string  `json:"changed"`
	New     []string  `json:"new"`
	Gone    []string  `json:"gone"`
	Renamed []Renamed `json:"renamed"` // that have another address with the same bytes, or another digest in their name
}

// Renamed is a file that has another address now.
type Renamed struct {
	From string `json:"from"`
	To   string `json:"to"`
	Same bool   `json:"same"` // with the same bytes
}

// Download is what somebody downloads.
type Download struct {
	Requests  int                `json:"requests"`  // that reach the server
	Files     int                `json:"files"`     // of them those that bring bytes
	Bytes     int64              `json:"bytes"`     // of these, as the folder has them
	Packed    int64              `json:"packed"`    // the same, with texts compressed (gzip)
	URLs      []string           `json:"urls"`      // of these files, sorted
	Unchanged []string           `json:"unchanged"` // that were asked for again and are what they were: a server with ETag answers these in a line
	Saved     int64              `json:"saved"`     // bytes of these
	Again     []string           `json:"again"`     // that were downloaded again and are what they were, since the worker asks so that no cache may answer
	Wasted    int64              `json:"wasted"`    // bytes of these, which are among the others, too
	Seconds   map[string]float64 `json:"seconds"`   // by connection
}

// Connection is how fast somebody's network is.
type Connection struct {
	Name string
	Bits float64 // per second
	Wait float64 // seconds until an answer begins
}

// Connections are those for which it is said how long downloads take.
var Connections = []Connection{{"poor", 200e3, 0.8}, {"middling", 3e6, 0.15}, {"good", 30e6, 0.04}}

// together is how many requests a browser has going on at a time.
const together = 6

// read takes digests of all files.
func (x *Release) read(ctx context.Context) error {
	s := x.server.Site
	x.sums = make(map[string]string, len(s.Files))
	g, each := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0))
	const batch = 64
	var mu sync.Mutex
	for begin := 0; begin < len(s.Files); begin += batch {
		files := s.Files[begin:min(begin+batch, len(s.Files))]
		g.Go(func() error {
			if err := each.Err(); err != nil {
				return err
			}
			sums := make([]string, len(files))
			for i, f := range files {
				data, err := s.Read(f.Path)
				if err != nil { // too large, or a link that leads out: no page has it as a part
					sums[i] = fmt.Sprintf("not read, %d bytes", f.Size)
					continue
				}
				sum := sha256.Sum256(data)
				sums[i] = hex.EncodeToString(sum[:])
			}
			mu.Lock()
			defer mu.Unlock()
			for i, f := range files {
				x.sums[f.URL] = sums[i]
			}
			return nil
		})
	}
	for _, f := range s.Files {
		x.Bytes += f.Size
		if f.IsPage() {
			x.Pages++
		}
	}
	x.Files = len(s.Files)
	return g.Wait()
}

// filesOf compares the files of two releases.
func filesOf(old, next *Release) Files {
	f := Files{Changed: []string{}, New: []string{}, Gone: []string{}, Renamed: []Renamed{}}
	fresh, bySum, byStem := map[string]bool{}, map[string][]string{}, map[string][]string{}
	for u, sum := range next.sums {
		switch was, there := old.sums[u]; {
		case !there:
			fresh[u] = true
			bySum[sum] = append(bySum[sum], u)
			if site.HasDigest(u) {
				byStem[site.WithoutDigest(u)] = append(byStem[site.WithoutDigest(u)], u)
			}
		case was == sum:
			f.Same++
		default:
			f.Changed = append(f.Changed, u)
		}
	}
	var gone []string
	for u := range old.sums {
		if _, there := next.sums[u]; !there {
			gone = append(gone, u)
		}
	}
	slices.Sort(gone)
	take := func(from string, list []string, same bool) bool {
		slices.Sort(list)
		for _, to := range list {
			if fresh[to] && (!same || path.Ext(to) == path.Ext(from)) {
				delete(fresh, to)
				f.Renamed = append(f.Renamed, Renamed{from, to, same})
				return true
			}
		}
		return false
	}
	var left []string
	for _, u := range gone { // the same bytes first
		if !take(u, bySum[old.sums[u]], true) {
			left = append(left, u)
		}
	}
	for _, u := range left {
		if !site.HasDigest(u) || !take(u, byStem[site.WithoutDigest(u)], false) {
			f.Gone = append(f.Gone, u)
		}
	}
	for u := range fresh {
		f.New = append(f.New, u)
	}
	slices.Sort(f.Changed)
	slices.Sort(f.New)
	slices.SortFunc(f.Renamed, func(a, b Renamed) int { return cmp.Compare(a.From, b.From) })
	return f
}

// download weighs what reached the server of a release. had is what was asked for before.
func (c *comparison) download(sent, had []request, x *Release) Download {
	d := Download{URLs: []string{}, Unchanged: []string{}, Again: []string{}, Seconds: map[string]float64{}}
	before := map[string]bool{}
	for _, r := range had {
		before[r.url] = true
	}
	asked := map[string]bool{}
	for _, r := range sent {
		d.Requests++
		if r.method != "GET" || !own(r.url) || asked[r.url] {
			continue
		}
		asked[r.url] = true
		a := x.server.Answer("GET", pathOf(r.url))
		for range 5 {
			if to := a.Header.Get("Location"); to != "" {
				a = x.server.Answer("GET", pathOf(to))
			}
		}
		if a.Status >= 400 { // what is missing brings nothing
			continue
		}
		if before[r.url] && c.unchanged(r.url, x) {
			if !r.fresh && !strings.Contains(a.Header.Get("Cache-Control"), "no-store") {
				d.Unchanged = append(d.Unchanged, r.url)
				d.Saved += int64(len(a.Body))
				continue
			}
			d.Again = append(d.Again, r.url)
			d.Wasted += int64(len(a.Body))
		}
		d.Files++
		d.URLs = append(d.URLs, r.url)
		d.Bytes += int64(len(a.Body))
		d.Packed += packed(a)
	}
	slices.Sort(d.URLs)
	slices.Sort(d.Unchanged)
	slices.Sort(d.Again)
	for _, n := range Connections {
		s := float64(d.Packed)*8/n.Bits + math.Ceil(float64(d.Requests)/together)*n.Wait
		d.Seconds[n.Name] = math.Round(s*10) / 10
	}
	return d
}

// unchanged says whether a release has at an address what one of those before it had.
func (c *comparison) unchanged(url string, x *Release) bool {
	for _, o := range c.Releases {
		if o != x && o.digest(pathOf(url)) != "" && o.digest(pathOf(url)) == x.digest(pathOf(url)) {
			return true
		}
	}
	return false
}

// packed gives how many bytes of an answer travel: texts are compressed on their way.
func packed(a site.Answer) int64 {
	kind := a.Header.Get("Content-Type")
	text := strings.HasPrefix(kind, "text/") || strings.Contains(kind, "javascript") || strings.Contains(kind, "json") || strings.Contains(kind, "xml")
	if !text || len(a.Body) < 200 {
		return int64(len(a.Body))
	}
	n := counter(0)
	w, _ := gzip.NewWriterLevel(&n, 6)
	_, _ = w.Write(a.Body) // it only counts
	_ = w.Close()
	return min(int64(n), int64(len(a.Body)))
}

type counter int64

func (c *counter) Write(p []byte) (int, error) {
	*c += counter(len(p))
	return len(p), nil
}

// ownURL takes the origin that stands for any off an address.
func ownURL(u string) string { return strings.TrimPrefix(u, weburl.Origin) }
