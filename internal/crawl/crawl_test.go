package crawl

import (
	"context"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/survey"
)

// origin answers from a map: a value that begins with a number is a status with a Location, others are bodies.
func origin(t *testing.T, answers map[string]string) *httptest.Server {
	t.Helper()
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if r.URL.Path == "/hangs" {
			<-r.Context().Done()
			return
		}
		a, ok := answers[r.URL.Path]
		var status int
		var to string
		switch {
		case !ok:
			http.NotFound(w, r)
		case scan(a, &status, &to):
			w.Header().Set("Location", to)
			w.WriteHeader(status)
		default:
			switch {
			case strings.HasPrefix(a, "<"):
				w.Header().Set("Content-Type", "text/html; charset=utf-8")
				w.Header().Set("Content-Security-Policy", "worker-src 'none'")
			case strings.HasSuffix(r.URL.Path, ".css"):
				w.Header().Set("Content-Type", "text/css")
			case strings.HasSuffix(r.URL.Path, ".js"):
				w.Header().Set("Content-Type", "application/javascript")
			default:
				w.Header().Set("Content-Type", "text/plain")
			}
			fmt.Fprint(w, a)
		}
	}))
	t.Cleanup(s.Close)
	return s
}

func scan(a string, status *int, to *string) bool {
	n, err := fmt.Sscanf(a, "%d %s", status, to)
	return n == 2 && err == nil
}

func take(t *testing.T, address string, limits Limits) (*Result, []string) {
	t.Helper()
	r, err := Take(context.Background(), address, limits, nil)
	require.NoError(t, err)
	t.Cleanup(func() { assert.NoError(t, r.Close()) })
	var paths []string
	for _, f := range r.Site.Files {
		paths = append(paths, f.Path)
	}
	return r, paths
}

var harbour = map[string]string{
	"/":              `<title>Skerry Line</title><link rel=stylesheet href="/a.css?v=2"><script src=/m.js></script><a href=/fares>Fares</a><a href=/old>Old</a><a href=/away>Away</a><a href=/?page=2>More</a><a href=https://other.example/>Other</a><a href=/gone>Gone</a><a href=/secret/x>Secret</a><a href=/loop>Loop</a><a href="/timetable.pdf">PDF</a>`,
	"/fares":         `<title>Fares</title><a href=/deep>Deeper</a><img src=boat.png>`,
	"/deep":          `<title>Deep</title>`,
	"/boat.png":      "boat",
	"/a.css":         `@import "b.css"; body { background: url(sea.png) }`,
	"/b.css":         "",
	"/sea.png":       "sea",
	"/m.js":          `navigator.serviceWorker.register("/sw.js"); fetch("/api/boats"); fetch("/data.json")`,
	"/sw.js":         `importScripts("/part.js")`,
	"/part.js":       "1",
	"/data.json":     "{}",
	"/api/boats":     "never asked",
	"/old":           "301 /fares",
	"/away":          "302 https://away.example/x",
	"/loop":          "302 /loop",
	"/secret/x":      "<p>not for programs",
	"/timetable.pdf": "a download",
	"/robots.txt":    "User-agent: *\nDisallow: /secret/\n",
}

func TestTake(t *testing.T) {
	s := origin(t, harbour)
	r, paths := take(t, s.URL, Usual)
	assert.Equal(t, []string{"/", "/a.css", "/b.css", "/boat.png", "/data.json", "/deep", "/fares", "/m.js", "/part.js", "/sea.png", "/sw.js", "/timetable.pdf"}, paths)
	rep := r.Report
	assert.Equal(t, "honoured", rep.Robots)
	assert.Equal(t, []string{"/secret/x"}, rep.Disallowed)
	assert.Equal(t, []Redirect{{"/away", "https://away.example/x", 302, true}, {"/loop", "/loop", 302, false}, {"/old", "/fares", 301, false}}, rep.Redirects)
	assert.Equal(t, []Failure{{"/gone", "answered with 404 Not Found", "/"}}, rep.Failed)
	assert.Equal(t, 1, rep.Queries)
	assert.Empty(t, rep.Stopped)

	inv, err := r.Survey(context.Background(), survey.Options{})
	require.NoError(t, err)
	sum := inv.Summarize()
	assert.Equal(t, 3, sum.Pages)
	assert.Equal(t, "Skerry Line", sum.Title)
	require.Len(t, sum.Workers, 1)
	assert.Equal(t, "/sw.js", sum.Workers[0].URL)
	assert.Equal(t, "/m.js", sum.Workers[0].File)
	assert.Equal(t, 3, sum.Links.Clean, "/fares, /deep, and /old, which leads to /fares")
	assert.Len(t, sum.CSP, 3, "the header of every page forbids a worker")
	f, ok := r.Site.Find("/old")
	assert.True(t, ok)
	assert.Equal(t, "/fares", f.URL)
	_, ok = r.Site.Find("/loop")
	assert.False(t, ok)
	assert.NotContains(t, fmt.Sprint(sum.Next), s.URL, "what is to be done is done to the folder")
}

func TestTheSameOriginGivesTheSameReport(t *testing.T) {
	s := origin(t, harbour)
	a, _ := take(t, s.URL, Usual)
	b, _ := take(t, s.URL, Limits{Pages: 500, Depth: 8, Bytes: 1 << 20, File: 1 << 20, Time: time.Minute, Parallel: 1})
	assert.Equal(t, a.Report, b.Report)
}

func TestLimits(t *testing.T) {
	s := origin(t, harbour)
	with := func(change func(*Limits)) Limits {
		l := Usual
		change(&l)
		return l
	}
	r, paths := take(t, s.URL, with(func(l *Limits) { l.Pages = 1 }))
	assert.Equal(t, "the limit of 1 page", r.Report.Stopped)
	assert.NotContains(t, paths, "/fares")
	assert.Contains(t, paths, "/sea.png", "what the page needs is read all the same")
	r, paths = take(t, s.URL, with(func(l *Limits) { l.Depth = 1 }))
	assert.Equal(t, 1, r.Report.TooDeep)
	assert.NotContains(t, paths, "/deep")
	r, _ = take(t, s.URL, with(func(l *Limits) { l.File = 5000 }))
	assert.Empty(t, r.Report.Stopped)
	_, err := Take(context.Background(), s.URL, with(func(l *Limits) { l.File = 5 }), nil)
	require.ErrorIs(t, err, ErrEntry)
	assert.ErrorContains(t, err, "more than 5 bytes")
	r, _ = take(t, s.URL, with(func(l *Limits) { l.Bytes = 560 }))
	assert.Contains(t, r.Report.Stopped, "the limit of")
	slow := origin(t, map[string]string{"/": "<img src=/hangs>"})
	r, _ = take(t, slow.URL, with(func(l *Limits) { l.Time = 300 * time.Millisecond }))
	assert.Equal(t, "the time limit of 300ms", r.Report.Stopped)
}

func TestFolderOfTheAddress(t *testing.T) {
	s := origin(t, map[string]string{"/docs/": `<a href=/>Home</a><a href=a.html>A</a><img src=/logo.png>`, "/docs/a.html": "<p>", "/": "<p>", "/logo.png": "x"})
	r, paths := take(t, s.URL+"/docs/", Usual)
	assert.Equal(t, []string{"/docs/", "/docs/a.html", "/logo.png"}, paths)
	assert.Equal(t, 1, r.Report.Outside)
}

func TestAddressesThatGiveNothing(t *testing.T) {
	blocked := origin(t, map[string]string{"/": "<p>", "/robots.txt": "User-agent: tachyform\nDisallow: /"})
	none := origin(t, map[string]string{"/text": "text"})
	moved := origin(t, map[string]string{"/": "301 https://www.skerry-line.example/"})
	failing := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) { w.WriteHeader(503) }))
	defer failing.Close()
	closed := httptest.NewServer(http.NotFoundHandler())
	closed.Close()
	for address, want := range map[string]string{
		blocked.URL:                 "robots.txt asks programs not to read it",
		none.URL + "/":              "answered with 404 Not Found",
		none.URL + "/text":          "not an HTML page",
		moved.URL:                   "redirects to another origin; survey https://www.skerry-line.example/",
		failing.URL:                 "robots.txt asks programs not to read it",
		closed.URL:                  "does not answer",
		"ftp://skerry-line.example": "no http(s) address",
	} {
		_, err := Take(context.Background(), address, Usual, nil)
		require.ErrorIs(t, err, ErrEntry, address)
		assert.ErrorContains(t, err, want)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err := Take(ctx, none.URL, Usual, nil)
	assert.Error(t, err)
}

func TestAServerThatAsksForPatience(t *testing.T) {
	var asked atomic.Int32
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/robots.txt":
			fmt.Fprint(w, "User-agent: *\nCrawl-delay: 0.01\n")
		case asked.Add(1) == 1:
			w.Header().Set("Retry-After", "0")
			w.WriteHeader(http.StatusTooManyRequests)
		default:
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, "<p>")
		}
	}))
	defer s.Close()
	r, paths := take(t, s.URL, Usual)
	assert.Equal(t, []string{"/"}, paths)
	assert.Contains(t, r.Report.Robots, "between requests")
	assert.Equal(t, 3, r.Report.Requests)
}

// TestLinksThatChangeSomething follows no link for somebody who is signed in that may sign out, or take something away.
func TestLinksThatChangeSomething(t *testing.T) {
	var mu sync.Mutex
	asked := map[string]bool{}
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		mu.Lock()
		asked[r.URL.Path] = true
		mu.Unlock()
		w.Header().Set("Content-Type", "text/html")
		fmt.Fprint(w, `<a href="/sign-out">a</a><a href="/boats/7/delete">b</a><a href="/account/logout.php">c</a><a href="/deleted-scenes/">d</a><a href="/cancellations/">e</a><a href="/log/out/">f</a>`)
	}))
	defer server.Close()
	for _, c := range []struct {
		o       AccessOptions
		avoided []string
	}{
		{AccessOptions{}, nil},
		{AccessOptions{Headers: []string{"Cookie: session=7"}}, []string{"/account/logout.php", "/boats/7/delete", "/sign-out"}},
		{AccessOptions{User: "anna:secret"}, []string{"/account/logout.php", "/boats/7/delete", "/sign-out"}},
	} {
		asked = map[string]bool{}
		limits := Usual
		var err error
		limits.Access, err = NewAccess(server.URL, c.o)
		require.NoError(t, err)
		res, err := Take(context.Background(), server.URL+"/", limits, nil)
		require.NoError(t, err)
		res.Close()
		assert.Equal(t, c.avoided, res.Report.Avoided)
		assert.Equal(t, c.avoided == nil, asked["/sign-out"])
		assert.Equal(t, c.avoided == nil, asked["/boats/7/delete"])
		for _, p := range []string{"/deleted-scenes/", "/cancellations/", "/log/out/"} {
			assert.True(t, asked[p], p)
		}
	}
}

// TestEndlessRedirects ends chains to ever new addresses, and counts whatever is asked for.
func TestEndlessRedirects(t *testing.T) {
	var asked atomic.Int32
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		n := asked.Add(1)
		switch r.URL.Path {
		case "/robots.txt":
			http.NotFound(w, r)
		case "/":
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, `<link rel=stylesheet href=/deep0.css><a href=/round>x</a>`)
			for i := range 60 {
				fmt.Fprintf(w, "<img src=/%d.png>", i)
			}
		case "/short", "/end":
			fmt.Fprint(w, "<title>x</title>")
		default:
			if strings.HasSuffix(r.URL.Path, ".png") {
				w.Header().Set("Content-Type", "image/png")
				return
			}
			http.Redirect(w, r, fmt.Sprintf("/round%d", n), http.StatusFound)
		}
	}))
	t.Cleanup(s.Close)
	limits := Usual
	r, err := Take(context.Background(), s.URL, limits, nil)
	require.NoError(t, err)
	defer r.Close()
	assert.Empty(t, r.Report.Stopped)
	assert.Len(t, r.Report.Redirects, 2*maxRedirects)
	require.Len(t, r.Report.Failed, 2)
	assert.Contains(t, r.Report.Failed[0].Why, "more than 10 redirects")
	limits.Requests = 30
	less, err := Take(context.Background(), s.URL, limits, nil)
	require.NoError(t, err)
	defer less.Close()
	assert.Equal(t, "the limit of 30 requests", less.Report.Stopped)
	assert.LessOrEqual(t, less.Report.Requests, 30+1, "robots.txt beside them")
}

// TestRobotsTakeNoTimeBeyondTheLimit has rules that are slow to match end with the limit of time.
func TestRobotsTakeNoTimeBeyondTheLimit(t *testing.T) {
	rules, links := "User-agent: *\n", strings.Builder{}
	for i := range 2000 {
		rules += fmt.Sprintf("Disallow: /*a*b*c*d*e*%d*$\n", i)
	}
	for i := range 20_000 {
		fmt.Fprintf(&links, "<a href=/p%d/%s.html>x</a>", i, strings.Repeat("abcde", 12))
	}
	asked, first := atomic.Int32{}, make(chan struct{})
	s := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch {
		case r.URL.Path == "/robots.txt":
			fmt.Fprint(w, rules)
		case asked.Add(1) == 1:
			w.Header().Set("Content-Type", "text/html")
			fmt.Fprint(w, links.String())
			close(first)
		default:
			http.NotFound(w, r)
		}
	}))
	t.Cleanup(s.Close)
	limits := Usual
	limits.Pages = 100_000
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	go func() { <-first; cancel() }() // what the limit of time does, too
	_, err := Take(ctx, s.URL, limits, nil)
	require.ErrorIs(t, err, context.Canceled) // at once: to match all links takes minutes
}
