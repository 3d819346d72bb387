package serve

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// reportsTo gives the address that the reporting script of a bench talks to.
func reportsTo(t *testing.T, b *Bench) string {
	t.Helper()
	_, script, err := ask(t, b.reporter("report.js"))
	require.NoError(t, err)
	m := regexp.MustCompile(`sendBeacon\("([^"]+)"`).FindStringSubmatch(script)
	require.Len(t, m, 2)
	return m[1]
}

func post(t *testing.T, address, body string) int {
	t.Helper()
	r, err := http.Post(address, "text/plain", strings.NewReader(body))
	require.NoError(t, err)
	defer r.Body.Close()
	_, _ = io.Copy(io.Discard, r.Body)
	return r.StatusCode
}

// TestReport has pages say what they asked for: what never reached the server is named, and nothing else.
func TestReport(t *testing.T) {
	b := workbench(t, BenchOptions{Report: true})
	_, page, err := ask(t, b.Site, "Sec-Fetch-Dest", "document")
	require.NoError(t, err)
	assert.Contains(t, page, `<script src="`+b.reporter("report.js")+`?release=1"></script>`)
	_, text, err := ask(t, b.Site+"a/b.txt")
	require.NoError(t, err)
	assert.NotContains(t, text, "report.js", "pages only")
	to := reportsTo(t, b)
	before := len(b.Entries())
	origin := strings.TrimSuffix(b.Site, "/")
	assert.Equal(t, 204, post(t, to, `{"now": 1000, "list": [
		{"url": "`+origin+`/a/b.txt", "for": "fetch", "began": 900, "took": 3, "status": 200, "bytes": 1},
		{"url": "`+origin+`/app.3f9c2a7b.js", "for": "script", "began": 900, "took": 2, "status": 200, "bytes": 9, "worker": true},
		{"url": "`+origin+`/big.bin#x", "for": "img", "began": 900, "took": 1, "status": 200, "bytes": 7},
		{"url": "https://elsewhere.example/x", "for": "img", "began": 900},
		{"url": "`+origin+`/\u001b[2J", "for": "img", "began": 900}]}`))
	got := b.Entries()[before:]
	require.Len(t, got, 2)
	assert.Equal(t, "/app.3f9c2a7b.js script never reached the server: the worker answered", strings.Join([]string{got[0].URL, got[0].For, got[0].Note}, " "))
	assert.Equal(t, "/big.bin image never reached the server: the browser's own cache answered", strings.Join([]string{got[1].URL, got[1].For, got[1].Note}, " "))
	assert.True(t, got[0].Stored && got[1].Stored)
	require.NoError(t, b.SetNetwork(site.Offline))
	assert.Equal(t, 204, post(t, to, `{"now": 5, "list": [{"url": "`+origin+`/lost.png", "for": "img", "began": 1, "worker": true}]}`), "the control is there without a network")
	last := b.Entries()[len(b.Entries())-1]
	assert.Equal(t, "never reached the server, and was not answered", last.Note)
	assert.False(t, last.Stored)

	shows := func(tab, page string, release int) string {
		before := len(b.Entries())
		require.Equal(t, 204, post(t, to, fmt.Sprintf(`{"now": 5, "list": [], "tab": %q, "page": %q, "release": %d}`, tab, page, release)))
		if got := b.Entries()[before:]; len(got) > 0 {
			return fmt.Sprint(got[0].Who, " ", got[0].Note, " ", got[0].Release, " ", got[0].URL)
		}
		return ""
	}
	assert.Equal(t, "tab 1 shows release 1 of 2 one /a", shows("0.5", origin+"/a#top", 1))
	assert.Equal(t, "tab 2 shows release 2 of 2 two /", shows("0.7", origin+"/", 2))
	assert.Equal(t, "tab 1 shows release 2 of 2 two /a?b", shows("0.5", origin+"/a?b", 2))
	assert.Empty(t, shows("0.5", origin+"/a", 3)+shows("0.5", origin+"/a", 0)+shows("", origin+"/a", 1)+shows("0.5", "https://elsewhere.example/", 1)+shows("0.5", origin+"/a b", 1)+shows(strings.Repeat("9", 50), origin+"/", 1))

	assert.Equal(t, 400, post(t, to, `{`))
	assert.Equal(t, 400, post(t, to, strings.Repeat(" ", maxReport+1)+"{}"))
	assert.Equal(t, 404, post(t, strings.Replace(to, "/report", "/do", 1), `{"clear": true}`), "who reports can switch nothing")
	plain := workbench(t, BenchOptions{})
	_, page, err = ask(t, plain.Site, "Sec-Fetch-Dest", "document")
	require.NoError(t, err)
	assert.NotContains(t, page, "report.js", "only when it was asked for")
	assert.Equal(t, 404, post(t, plain.Control+"report", `{}`))
}

// TestReportsLeaveWhatIsChecked puts nothing into a page that our worker compares byte for byte, and something into one that holds its digest.
func TestReportsLeaveWhatIsChecked(t *testing.T) {
	for name, c := range map[string]struct {
		worker, page, dest string
		want               bool
	}{
		"a visit":                     {worker.Mark + "service worker", "<title>x</title>", "document", true},
		"fetched by our worker":       {worker.Mark + "service worker", "<title>x</title>", "empty", false},
		"with its digest":             {worker.Mark + "service worker", `<script data-digest="AAAA"></script>`, "empty", true},
		"fetched by another's worker": {"// another", "<title>x</title>", "empty", true},
	} {
		t.Run(name, func(t *testing.T) {
			b := &Bench{o: BenchOptions{Report: true}, workers: map[string]bool{"/sw.js": true}, releases: []Release{{Name: "one", Server: folder(t, map[string]string{"sw.js": c.worker, "index.html": c.page})}}}
			r := httptest.NewRequest("GET", "/", nil)
			r.Header.Set("Sec-Fetch-Dest", c.dest)
			a := b.reporting(answer{200, http.Header{"Content-Type": {"text/html"}, "Etag": {`"x"`}}, []byte(c.page)}, r)
			assert.Equal(t, c.want, strings.Contains(string(a.body), "report.js"))
			assert.Equal(t, !c.want, a.header.Get("Etag") != "")
		})
	}
}

func TestReached(t *testing.T) {
	now := time.Now()
	b := &Bench{entries: []Entry{{URL: "/a", Time: now}, {URL: "/b", Time: now, Stored: true}}}
	assert.True(t, b.reached("/a", now.Add(50*time.Millisecond)))
	assert.False(t, b.reached("/a", now.Add(time.Minute)), "that was another load")
	assert.False(t, b.reached("/b", now), "that was a report")
}
