package serve

import (
	"bytes"
	_ "embed"
	"encoding/json"
	"fmt"
	"net/http"
	"regexp"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

//go:embed report.js
var reportScript string

var headTag = regexp.MustCompile(`(?i)<head(?:\s[^>]*)?>`)

// reporting puts the script that reports into a page, also where a worker fetches it to store it: but not where one of ours would check the
// page byte for byte.
func (b *Bench) reporting(a answer, r *http.Request) answer {
	if !b.o.Report || a.status != http.StatusOK || !strings.HasPrefix(a.header.Get("Content-Type"), "text/html") {
		return a
	}
	dest := r.Header.Get("Sec-Fetch-Dest")
	if dest != "document" && dest != "iframe" && !bytes.Contains(a.body, []byte(`data-digest="`)) && b.checks() {
		return a
	}
	b.mu.Lock()
	release := b.state.Release
	b.mu.Unlock()
	tag := []byte(fmt.Sprintf(`<script src="%s?release=%d"></script>`, b.reporter("report.js"), release+1))
	at := len(a.body)
	if m := headTag.FindIndex(a.body[:min(len(a.body), 64<<10)]); m != nil {
		at = m[1]
	}
	a.body = bytes.Join([][]byte{a.body[:at], tag, a.body[at:]}, nil)
	a.header = a.header.Clone()
	a.header.Del("Etag")
	return a
}

// checks says whether a worker of ours is there, which compares what it stores with its digests.
func (b *Bench) checks() bool {
	b.mu.Lock()
	defer b.mu.Unlock()
	server := b.releases[b.state.Release].Server
	for path := range b.workers {
		if bytes.HasPrefix(server.Answer(http.MethodGet, path).Body, []byte(worker.Mark)) {
			return true
		}
	}
	return false
}

// printable says whether an address is one as browsers write it, so that it can be shown on a terminal.
func printable(u string) bool {
	return !strings.ContainsFunc(u, func(c rune) bool { return c <= ' ' || c >= 0x7f })
}

// reporter gives an address at the control that pages may use: it is there whatever the network's state is.
func (b *Bench) reporter(name string) string {
	return strings.TrimSuffix(b.Control, b.token+"/") + b.reports + "/" + name
}

// serveReports gives the script, and takes what it reports.
func (b *Bench) serveReports(w http.ResponseWriter, r *http.Request, name string) {
	switch {
	case name == "report.js" && r.Method == http.MethodGet:
		h := w.Header()
		h.Set("Content-Type", "text/javascript; charset=utf-8")
		h.Set("Cache-Control", "no-store")
		h.Set("Cross-Origin-Resource-Policy", "cross-origin")
		_, _ = w.Write([]byte(strings.Replace(reportScript, "ADDRESS", b.reporter("report"), 1))) // a client that went away
	case name == "report" && r.Method == http.MethodPost:
		b.report(w, r)
	default:
		http.NotFound(w, r)
	}
}

// reported is what a page says of what it asked for.
type reported struct {
	Now     float64 `json:"now"`     // ms since the page began
	Tab     string  `json:"tab"`     // name of the tab when it begins to show the page, "" later
	Page    string  `json:"page"`    // that it shows
	Release int     `json:"release"` // that the page is of, from 1
	List    []struct {
		URL    string  `json:"url"`
		For    string  `json:"for"`
		Began  float64 `json:"began"` // ms since the page began
		Took   float64 `json:"took"`  // ms
		Status int     `json:"status"`
		Bytes  int     `json:"bytes"`
		Worker bool    `json:"worker"` // a worker was asked
	} `json:"list"`
}

const (
	maxReport  = 512 << 10              // bytes
	maxTabs    = 500                    // that are told apart
	reportSlip = 100 * time.Millisecond // how much earlier or later than the page says a request may have come
)

// report takes down what a page asked for and what never reached the server.
func (b *Bench) report(w http.ResponseWriter, r *http.Request) {
	var x reported
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, maxReport)).Decode(&x); err != nil || len(x.List) > 500 {
		http.Error(w, "no report", http.StatusBadRequest)
		return
	}
	now := time.Now()
	origin := strings.TrimSuffix(b.web.Origin, "/")
	b.mu.Lock()
	defer b.mu.Unlock()
	b.shows(x, now, origin)
	for _, q := range x.List {
		u, own := strings.CutPrefix(q.URL, origin)
		u, _, _ = strings.Cut(u, "#")
		began := now.Add(-time.Duration((x.Now - q.Began) * float64(time.Millisecond)))
		if !own || !strings.HasPrefix(u, "/") || len(u) > 2000 || !printable(u) || b.reached(u, began) {
			continue
		}
		e := Entry{Time: began, Who: "page", For: use(q.For), Method: http.MethodGet, URL: u, Status: q.Status, Bytes: q.Bytes, Took: q.Took, Release: b.releases[b.state.Release].Name, State: string(b.state.Network), Stored: true,
			Note: "never reached the server: the browser's own cache answered"}
		if q.Worker {
			e.Note = "never reached the server: the worker answered"
		}
		if q.Status == 0 && b.state.Network != site.Online {
			e.Stored, e.Note = false, "never reached the server, and was not answered"
		}
		b.number++
		e.Number = b.number
		b.enter(e)
	}
	w.WriteHeader(http.StatusNoContent)
}

// shows takes down which release a tab shows. The caller holds the lock.
func (b *Bench) shows(x reported, now time.Time, origin string) {
	u, own := strings.CutPrefix(x.Page, origin)
	u, _, _ = strings.Cut(u, "#")
	if x.Tab == "" || !own || !strings.HasPrefix(u, "/") || len(u) > 2000 || !printable(u) || x.Release < 1 || x.Release > len(b.releases) {
		return
	}
	if b.tabs[x.Tab] == 0 {
		if len(b.tabs) == maxTabs || len(x.Tab) > 40 {
			return
		}
		b.tabs[x.Tab] = len(b.tabs) + 1
	}
	b.number++
	tab := b.tabs[x.Tab]
	b.enter(Entry{Number: b.number, Time: now, Who: fmt.Sprintf("tab %d", tab), For: "document", Method: http.MethodGet, URL: u, Status: http.StatusOK, Release: b.releases[x.Release-1].Name, State: string(b.state.Network),
		Tab: tab, Note: fmt.Sprintf("shows release %d of %d", x.Release, len(b.releases))})
}

// reached says whether a request that a page made has come to the server, by whomever it was sent on.
func (b *Bench) reached(u string, began time.Time) bool {
	for i := len(b.entries) - 1; i >= 0 && i > len(b.entries)-1000; i-- {
		e := &b.entries[i]
		if e.URL == u && !e.Stored && e.Tab == 0 && e.Time.After(began.Add(-reportSlip)) {
			return true
		}
	}
	return false
}

// use gives what a request is for, in the words of the Fetch Standard, by what started it.
func use(initiator string) string {
	switch initiator {
	case "navigation":
		return "document"
	case "script":
		return "script"
	case "link", "css":
		return "style"
	case "img", "image":
		return "image"
	}
	return "empty"
}
