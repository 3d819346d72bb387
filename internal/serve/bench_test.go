package serve

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/tested"
)

var page = "<!doctype html><title>Skerry</title>" + strings.Repeat("<p>Islands and harbours</p>", 200)

func folder(t testing.TB, files map[string]string) *site.Server {
	t.Helper()
	dir := t.TempDir()
	tested.Write(t, dir, files)
	s, err := site.Open(dir, "/")
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	return site.NewServer(s, site.Rules{})
}

// workbench serves two releases.
func workbench(t testing.TB, o BenchOptions) *Bench {
	t.Helper()
	files := func(v string) map[string]string {
		return map[string]string{"index.html": strings.Replace(page, "Skerry", "Skerry "+v, 1), "app.3f9c2a7b.js": "// " + v, "sw.js": "// worker " + v, "a/b.txt": v, "big.bin": strings.Repeat("x", 60_000)}
	}
	o.Host, o.Base = "127.0.0.1", "/"
	b, _, err := StartBench([]Release{{Name: "one", Server: folder(t, files("1"))}, {Name: "two", Server: folder(t, files("2"))}}, o)
	require.NoError(t, err)
	t.Cleanup(func() { _ = b.Stop() })
	return b
}

// ask sends a request, with headers in pairs. The error is that of the connection.
func ask(t testing.TB, address string, headers ...string) (*http.Response, string, error) {
	t.Helper()
	r, err := http.NewRequest("GET", address, nil)
	require.NoError(t, err)
	for i := 0; i < len(headers); i += 2 {
		if headers[i] == "Host" {
			r.Host = headers[i+1]
		} else {
			r.Header.Set(headers[i], headers[i+1])
		}
	}
	c := &http.Client{Transport: &http.Transport{DisableCompression: true, DisableKeepAlives: true}}
	res, err := c.Do(r)
	if err != nil {
		return nil, "", err
	}
	defer res.Body.Close()
	body, err := io.ReadAll(res.Body)
	return res, string(body), err
}

func (b *Bench) do(t testing.TB, what string) int {
	t.Helper()
	res, err := http.Post(b.Control+"do", "application/json", strings.NewReader(what))
	require.NoError(t, err)
	res.Body.Close()
	return res.StatusCode
}

func TestBenchAnswers(t *testing.T) {
	b := workbench(t, BenchOptions{})
	res, body, err := ask(t, b.Site, "Accept-Encoding", "gzip")
	require.NoError(t, err)
	assert.Equal(t, []string{"gzip", "no-cache", ""}, []string{res.Header.Get("Content-Encoding"), res.Header.Get("Cache-Control"), res.Header.Get("X-Content-Type-Options")}, "what the real server may lack is not there")
	z, err := gzip.NewReader(strings.NewReader(body))
	require.NoError(t, err)
	plain, err := io.ReadAll(z)
	require.NoError(t, err)
	assert.Contains(t, string(plain), "<title>Skerry 1")
	again, _, err := ask(t, b.Site, "If-None-Match", res.Header.Get("Etag"), "Accept-Encoding", "gzip")
	require.NoError(t, err)
	assert.Equal(t, 304, again.StatusCode)
	res, body, err = ask(t, b.Site+"big.bin", "Range", "bytes=10-12", "Accept-Encoding", "gzip")
	require.NoError(t, err)
	assert.Equal(t, "206 xxx", fmt.Sprint(res.StatusCode, " ", body))
	res, _, err = ask(t, b.Site+"app.3f9c2a7b.js")
	require.NoError(t, err)
	assert.Contains(t, res.Header.Get("Cache-Control"), "immutable")
	for _, p := range []string{"../../etc/passwd", "%2e%2e/%2e%2e/etc/passwd", "a/..%2f..%2fx", ".tachyform/record.json"} {
		res, _, err := ask(t, b.Site+p)
		require.NoError(t, err)
		assert.NotEqual(t, 200, res.StatusCode, p)
	}
	entries := b.Entries()
	assert.Equal(t, "/", entries[0].URL)
	assert.Equal(t, "one", entries[0].Release)
}

func TestBenchHosts(t *testing.T) {
	b := workbench(t, BenchOptions{})
	u, err := url.Parse(b.Site)
	require.NoError(t, err)
	control, err := url.Parse(b.Control)
	require.NoError(t, err)
	for host, want := range map[string]int{"evil.example": 421, "evil.example:" + u.Port(): 421, "localhost:" + u.Port(): 200, u.Host: 200, "[::1]:" + u.Port(): 200} {
		res, _, err := ask(t, b.Site, "Host", host)
		require.NoError(t, err)
		assert.Equal(t, want, res.StatusCode, host)
	}
	for address, want := range map[string]int{b.Control: 200, "http://" + control.Host + "/": 404, "http://" + control.Host + "/00/": 404, b.Control + "x": 404} {
		res, _, err := ask(t, address)
		require.NoError(t, err)
		assert.Equal(t, want, res.StatusCode, address)
	}
	res, _, err := ask(t, b.Control, "Host", "evil.example")
	require.NoError(t, err)
	assert.Equal(t, 404, res.StatusCode)
	r, err := http.NewRequest("POST", b.Control+"do", strings.NewReader(`{"network": "offline"}`))
	require.NoError(t, err)
	r.Header.Set("Origin", "https://evil.example")
	res, err = http.DefaultClient.Do(r)
	require.NoError(t, err)
	res.Body.Close()
	assert.Equal(t, 403, res.StatusCode, "another page may not switch anything")
	assert.Equal(t, site.Online, b.State().Network)
}

func TestBenchStates(t *testing.T) {
	b := workbench(t, BenchOptions{Refit: func() (*site.Server, error) { return nil, errors.New("no such folder") }})
	status := func(p string, headers ...string) any {
		res, _, err := ask(t, b.Site+p, headers...)
		if err != nil {
			return "cut"
		}
		return res.StatusCode
	}
	for _, c := range []struct {
		order string
		want  any
	}{
		{`{"network": "offline"}`, "cut"}, {`{"network": "failing"}`, 503}, {`{"network": "portal"}`, 200}, {`{"network": "online"}`, 200},
		{`{"path": "/a/**", "state": "missing"}`, 404}, {`{"path": "/a/**", "state": "failing"}`, 503}, {`{"path": "/a/**", "state": "offline"}`, "cut"}, {`{"path": "/a/**", "state": "online"}`, 200},
	} {
		require.Equal(t, 204, b.do(t, c.order), c.order)
		assert.Equal(t, c.want, status("a/b.txt"), c.order)
	}
	assert.Empty(t, b.State().Faults)
	for _, wrong := range []string{`{"network": "missing"}`, `{"network": "x"}`, `{"path": "a", "state": "offline"}`, `{"path": "/a/[", "state": "offline"}`, `{"path": "/a", "state": "x"}`, `{"mode": "x"}`, `{"release": 2}`, `{"release": -1}`, `{"refit": true}`, `{`} {
		assert.Equal(t, 400, b.do(t, wrong), wrong)
	}
	require.Equal(t, 204, b.do(t, `{"release": 1}`))
	_, body, err := ask(t, b.Site)
	require.NoError(t, err)
	assert.Contains(t, body, "Skerry 2")

	require.Equal(t, 204, b.do(t, `{"mode": "aside"}`))
	res, body, err := ask(t, b.Site+"sw.js", "Service-Worker", "script")
	require.NoError(t, err)
	assert.Contains(t, body, "answers nothing")
	assert.Equal(t, "no-store", res.Header.Get("Cache-Control"))
	require.Equal(t, 204, b.do(t, `{"network": "slow"}`))
	assert.Equal(t, Real, b.State().Mode, "who rehearses gets what visitors get")
	require.Equal(t, 204, b.do(t, `{"network": "online", "mode": "aside"}`))
	assert.Equal(t, Aside, b.State().Mode)
	require.Equal(t, 204, b.do(t, `{"mode": "real"}`))
	_, body, err = ask(t, b.Site+"sw.js", "Service-Worker", "script")
	require.NoError(t, err)
	assert.Equal(t, "// worker 2", body)

	assert.Equal(t, 404, status("old.js", "Service-Worker", "script"))
	assert.Contains(t, b.Entries()[len(b.Entries())-1].Note, "another project")
	require.Equal(t, 204, b.do(t, `{"clear": true}`))
	_, body, err = ask(t, b.Site+"old.js", "Service-Worker", "script")
	require.NoError(t, err)
	assert.Contains(t, body, "retiring worker", "a left worker gets one that goes")
	for _, want := range []string{`"cache", "storage"`, ""} {
		res, _, err = ask(t, b.Site, "Sec-Fetch-Dest", "document")
		require.NoError(t, err)
		assert.Equal(t, want, res.Header.Get("Clear-Site-Data"), "once")
	}
}

// TestBenchSlow never answers without a shape; a shaped answer is whole.
func TestBenchSlow(t *testing.T) {
	b := workbench(t, BenchOptions{})
	require.NoError(t, b.SetNetwork(site.Slow))
	came := make(chan error)
	go func() {
		_, _, err := ask(t, b.Site)
		came <- err
	}()
	require.Eventually(t, func() bool {
		b.web.mu.RLock()
		defer b.web.mu.RUnlock()
		return b.State().Network == site.Slow
	}, 10*time.Second, time.Millisecond)
	require.NoError(t, b.SetNetwork(site.Online))
	select {
	case <-came: // given up, or answered when it came late
	case <-time.After(time.Minute):
		t.Fatal("it is held for ever")
	}
	shaped := workbench(t, BenchOptions{Shape: Shape{Latency: time.Millisecond, Rate: 10_000_000}})
	require.NoError(t, shaped.SetNetwork(site.Slow))
	res, body, err := ask(t, shaped.Site+"big.bin")
	require.NoError(t, err)
	assert.Equal(t, 60_000, len(body))
	assert.Equal(t, 200, res.StatusCode)
	require.Eventually(t, func() bool { return len(shaped.Entries()) == 1 && shaped.Entries()[0].Status == 200 }, 10*time.Second, time.Millisecond)
}

func TestParseShape(t *testing.T) {
	for in, want := range map[string]Shape{"400ms/50kbps": {400 * time.Millisecond, 6250}, "2s": {2 * time.Second, 0}, " 1s / 100 kbps ": {time.Second, 12_500}} {
		got, err := ParseShape(in)
		require.NoError(t, err, in)
		assert.Equal(t, want, got, in)
	}
	for _, in := range []string{"", "fast", "-1s", "2m", "1s/", "1s/fast", "1s/0kbps", "1s/50mbps"} {
		_, err := ParseShape(in)
		assert.Error(t, err, in)
	}
}

func TestWho(t *testing.T) {
	for want, headers := range map[string][]string{"page": {"Sec-Fetch-Dest", "document"}, "update check": {"Service-Worker", "script"}, "prefetch": {"Sec-Purpose", "prefetch;prerender"}, "browser": {"Sec-Fetch-Dest", "manifest"}, "worker": {"Referer", "http://x/sw.js"}, "page ": {"Referer", "http://x/app.js"}} {
		r, err := http.NewRequest("GET", "/", nil)
		require.NoError(t, err)
		r.Header.Set(headers[0], headers[1])
		assert.Equal(t, strings.TrimSpace(want), who(r, map[string]bool{"/sw.js": true}))
	}
}

// TestBenchEvents follows the log as the control does.
func TestBenchEvents(t *testing.T) {
	b := workbench(t, BenchOptions{})
	res, err := http.Get(b.Control + "events")
	require.NoError(t, err)
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	next := func(kind string) map[string]any {
		for lines.Scan() {
			if lines.Text() == "event: "+kind && lines.Scan() {
				out := map[string]any{}
				require.NoError(t, json.Unmarshal(bytes.TrimPrefix(lines.Bytes(), []byte("data: ")), &out))
				return out
			}
		}
		t.Fatal("the events end")
		return nil
	}
	assert.Equal(t, "online", next("state")["network"])
	_, _, err = ask(t, b.Site+"a/b.txt")
	require.NoError(t, err)
	assert.Equal(t, "/a/b.txt", next("entry")["url"])
	b.SetMode(Aside)
	assert.Equal(t, "aside", next("state")["mode"])
}

// TestBenchPorts takes the next port when one is taken, and stops at once with open connections.
func TestBenchPorts(t *testing.T) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l.Close()
	port := l.Addr().(*net.TCPAddr).Port
	b, moved, err := StartBench([]Release{{Name: "one", Server: folder(t, map[string]string{"index.html": page})}}, BenchOptions{Host: "127.0.0.1", Port: port, Base: "/"})
	require.NoError(t, err)
	assert.True(t, moved)
	require.NoError(t, b.SetNetwork(site.Slow))
	came := make(chan error)
	go func() {
		_, _, err := ask(t, b.Site)
		came <- err
	}()
	events, end := b.Watch()
	defer end()
	require.NoError(t, b.Stop())
	for range events { // ends
	}
	assert.Error(t, <-came)
	_, _, err = ask(t, b.Control)
	assert.Error(t, err, "nothing listens any more")
}

// TestBenchTogether has many clients ask while everything is switched at random.
func TestBenchTogether(t *testing.T) {
	b := workbench(t, BenchOptions{Shape: Shape{Latency: time.Millisecond}, Refit: func() (*site.Server, error) { return folder(t, map[string]string{"index.html": page}), nil }})
	var wg sync.WaitGroup
	done := make(chan bool)
	for i := range 64 {
		wg.Add(1)
		go func() {
			defer wg.Done()
			random := rand.New(rand.NewPCG(uint64(i), 1))
			for {
				select {
				case <-done:
					return
				default:
				}
				res, _, err := ask(t, b.Site+[]string{"", "a/b.txt", "big.bin", "gone"}[random.IntN(4)], "Accept-Encoding", "gzip")
				if err == nil && res.StatusCode >= 500 && res.StatusCode != 503 {
					t.Errorf("status %d", res.StatusCode)
				}
			}
		}()
	}
	random := rand.New(rand.NewPCG(1, 2))
	for range 150 {
		n := site.Networks[random.IntN(len(site.Networks))]
		require.NoError(t, b.SetNetwork(n))
		b.SetRelease(random.IntN(2))
		b.SetMode([]Mode{Real, Aside}[random.IntN(2)])
		b.SetFaults(site.Faults{{Path: "/a/**", State: n}})
		_ = b.State()
		_ = b.Entries()
	}
	require.NoError(t, b.Refit())
	require.NoError(t, b.SetNetwork(site.Online))
	close(done)
	wg.Wait()
	b.SetFaults(nil)
	res, _, err := ask(t, b.Site)
	require.NoError(t, err)
	assert.Equal(t, 200, res.StatusCode)
}

// BenchmarkBench serves a page of 5 kB to 16 clients.
func BenchmarkBench(b *testing.B) {
	v := workbench(b, BenchOptions{})
	b.SetParallelism(8)
	b.RunParallel(func(p *testing.PB) {
		c := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 16}}
		for p.Next() {
			res, err := c.Get(v.Site)
			if err != nil {
				b.Error(err)
				return
			}
			_, _ = io.Copy(io.Discard, res.Body)
			res.Body.Close()
		}
	})
}

// BenchmarkShape gets 50 kB at 2,000 kbps after 100 ms: that is 300 ms, and is reported as the part by which it differs.
func BenchmarkShape(b *testing.B) {
	v := workbench(b, BenchOptions{Shape: Shape{Latency: 100 * time.Millisecond, Rate: 250_000}})
	require.NoError(b, v.SetNetwork(site.Slow))
	var off float64
	for b.Loop() {
		begin := time.Now()
		res, body, err := ask(b, v.Site+"big.bin", "Range", "bytes=0-49999")
		require.NoError(b, err)
		require.Equal(b, 206, res.StatusCode)
		require.Len(b, body, 50_000)
		off += time.Since(begin).Seconds()/0.3 - 1
	}
	b.ReportMetric(100*off/float64(b.N), "%off")
}
