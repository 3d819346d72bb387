package chromium

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"sort"
	"strings"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/cdproto/serviceworker"
	"github.com/chromedp/chromedp"

	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/stage"
)

// tab is one page that is open.
type tab struct {
	b        *Browser
	ctx      context.Context
	close    context.CancelFunc
	requests map[network.RequestID]*request
	order    []network.RequestID
	idle     map[string]bool   // loaders whose network is idle
	idled    chan struct{}     // told when one becomes idle
	errors   []stage.PageError // of the page that is shown
	frame    cdp.FrameID       // the tab's own
	loader   cdp.LoaderID      // of what it was seen to show last
}

type request struct {
	id       network.RequestID
	method   string
	url      string
	kind     network.ResourceType
	loader   cdp.LoaderID
	frame    cdp.FrameID
	status   int64
	mime     string
	worker   bool
	cache    string
	failed   string
	finished bool
}

// event takes notes of what the browser reports.
func (t *tab) event(ev any) {
	b := t.b
	b.mu.Lock()
	defer b.mu.Unlock()
	switch e := ev.(type) {
	case *network.EventRequestWillBeSent:
		if r, ok := t.requests[e.RequestID]; ok { // a redirect goes on under the same id
			r.url = e.Request.URL
			return
		}
		t.requests[e.RequestID] = &request{id: e.RequestID, method: e.Request.Method, url: e.Request.URL, kind: e.Type, loader: e.LoaderID, frame: e.FrameID}
		t.order = append(t.order, e.RequestID)
	case *network.EventResponseReceived:
		if r, ok := t.requests[e.RequestID]; ok {
			r.status, r.mime, r.worker, r.cache = e.Response.Status, e.Response.MimeType, e.Response.FromServiceWorker, e.Response.CacheStorageCacheName
		}
	case *network.EventLoadingFinished:
		if r, ok := t.requests[e.RequestID]; ok {
			r.finished = true
		}
	case *network.EventLoadingFailed:
		if r, ok := t.requests[e.RequestID]; ok {
			r.finished, r.failed = true, e.ErrorText
		}
	case *page.EventLifecycleEvent:
		if e.Name == "networkIdle" {
			t.idle[string(e.LoaderID)] = true
			tell(t.idled)
		}
	case *serviceworker.EventWorkerVersionUpdated:
		for _, v := range e.Versions {
			b.versions[string(v.VersionID)] = v
		}
		tell(b.changed)
	case *serviceworker.EventWorkerRegistrationUpdated:
		for _, r := range e.Registrations {
			if b.regs[string(r.RegistrationID)] = r; r.IsDeleted {
				delete(b.regs, string(r.RegistrationID))
			}
		}
		tell(b.changed)
	case *serviceworker.EventWorkerErrorReported:
		b.remarks = append(b.remarks, stage.Remark{Kind: "exception", Message: e.ErrorMessage.ErrorMessage, File: b.relative(e.ErrorMessage.SourceURL),
			Line: int(e.ErrorMessage.LineNumber), Column: int(e.ErrorMessage.ColumnNumber)})
	case *runtime.EventConsoleAPICalled:
		if string(e.Type) == "error" {
			b.console = append(b.console, fmt.Sprint(e.Args))
		}
	case *log.EventEntryAdded:
		b.log = append(b.log, fmt.Sprintf("%s: %s", e.Entry.Source, e.Entry.Text))
	case *runtime.EventExceptionThrown:
		t.noteError(e.ExceptionDetails)
		b.console = append(b.console, fmt.Sprintf("%s:%d: %s", e.ExceptionDetails.URL, e.ExceptionDetails.LineNumber+1, e.ExceptionDetails.Text))
	}
}

func tell(c chan struct{}) {
	select {
	case c <- struct{}{}:
	default:
	}
}

// patience is how long a load is waited for in the state of the network.
func (b *Browser) patience() time.Duration {
	switch b.network {
	case stage.Offline:
		return offlinePatience
	case stage.Slow:
		return slowPatience
	}
	return patience
}

// Open navigates the tab and waits until the page asks for nothing more.
func (b *Browser) Open(url string) (*stage.Load, error) {
	wait := b.patience()
	ctx, cancel := context.WithTimeout(b.ctx, wait)
	defer cancel()
	b.mu.Lock()
	b.requests, b.order, b.errors = map[network.RequestID]*request{}, nil, nil
	b.mu.Unlock()
	target := url
	if strings.HasPrefix(url, "/") {
		target = b.server.Origin + url
	}
	nav, err := chromedp.Call(ctx, page.Navigate, page.NavigateParams{URL: target})
	if err == nil && nav.LoaderID == "" && nav.ErrorText == "" { // only the fragment is another: the page is to be loaded, as when the visitor comes from elsewhere
		if _, err = chromedp.Call(ctx, page.Navigate, page.NavigateParams{URL: "about:blank"}); err == nil {
			b.mu.Lock()
			b.requests, b.order, b.errors = map[network.RequestID]*request{}, nil, nil
			b.mu.Unlock()
			nav, err = chromedp.Call(ctx, page.Navigate, page.NavigateParams{URL: target})
		}
	}
	if errors.Is(err, context.DeadlineExceeded) && wait != patience {
		// Seen in Chromium: an offline navigation that a worker declines right after its start never ends.
		_, err := chromedp.Call(b.ctx, page.StopLoading, cdp.Empty{})
		return &stage.Load{URL: b.relative(target), AnsweredBy: stage.ByBrowser, Why: "the navigation never ended"}, err
	}
	if err != nil {
		return nil, fmt.Errorf("%s: %w", url, err)
	}
	l := &stage.Load{URL: b.relative(target), AnsweredBy: stage.ByBrowser, Why: nav.ErrorText}
	b.mu.Lock()
	b.frame, b.loader = nav.FrameID, nav.LoaderID
	b.mu.Unlock()
	if nav.ErrorText != "" {
		return l, nil
	}
	return l, b.rest(ctx, url, l)
}

// Shown gives what the tab shows if a worker has led it to another page, or loaded it again, since it was looked at; nil otherwise.
func (b *Browser) Shown() (*stage.Load, error) {
	ctx, cancel := context.WithTimeout(b.ctx, patience)
	defer cancel()
	b.mu.Lock()
	url := b.follow()
	b.mu.Unlock()
	if url == "" {
		return nil, nil
	}
	l := &stage.Load{URL: b.relative(url), AnsweredBy: stage.ByBrowser}
	return l, b.rest(ctx, l.URL, l)
}

// follow turns to the document that the tab was led to last, and gives its URL; it is empty when there is none but the one that
// was looked at.
func (b *Browser) follow() string {
	var last *request
	for _, id := range b.order {
		if r := b.requests[id]; r.kind == network.ResourceTypeDocument && r.frame == b.frame {
			last = r
		}
	}
	if last == nil || last.loader == b.loader {
		return ""
	}
	b.loader = last.loader
	b.order = slices.DeleteFunc(b.order, func(id network.RequestID) bool { return b.requests[id].loader != last.loader })
	return last.url
}

// rest waits until the page asks for nothing more, and looks at it.
func (b *Browser) rest(ctx context.Context, url string, l *stage.Load) error {
	for {
		b.mu.Lock()
		b.follow()
		rested := b.idle[string(b.loader)]
		b.mu.Unlock()
		if rested {
			err := b.inspect(ctx, l)
			if err == nil {
				return nil
			}
			select { // a worker may just have led the page elsewhere, and what it was is gone
			case <-b.idled:
				continue
			case <-time.After(2 * time.Second):
				return err
			}
		}
		select {
		case <-b.idled:
		case <-ctx.Done():
			if b.network != stage.Slow {
				return fmt.Errorf("%s: the page never came to rest: %w", url, ctx.Err())
			}
			if _, err := chromedp.Call(b.ctx, page.StopLoading, cdp.Empty{}); err != nil {
				return err
			}
			return b.inspect(b.ctx, l)
		}
	}
}

// inspect fills in what came of a load.
func (b *Browser) inspect(ctx context.Context, l *stage.Load) error {
	b.mu.Lock()
	var doc *request
	var rest []request
	for _, id := range b.order {
		r := b.requests[id]
		if r.kind == network.ResourceTypeDocument && doc == nil {
			copied := *r
			doc = &copied
			continue
		}
		rest = append(rest, *r)
	}
	b.mu.Unlock()
	if doc == nil {
		return errors.New("the browser reported no document")
	}
	l.Status, l.AnsweredBy, l.Why, l.URL = int(doc.status), stage.ByNetwork, "", b.relative(doc.url)
	if doc.worker {
		l.AnsweredBy = stage.ByWorker
	}
	if doc.cache != "" {
		l.Source = "store " + doc.cache
	}
	var err error
	if l.Title, err = evaluate[string](ctx, "document.title"); err != nil {
		return fmt.Errorf("%s: the title: %w", l.URL, err)
	}
	var bytes []byte
	if body, err := chromedp.Call(ctx, network.GetResponseBody, network.GetResponseBodyParams{RequestID: doc.id}); err == nil {
		bytes = body.Body
	} else { // it is shown before its end has come
		text, err := evaluate[string](ctx, "document.documentElement ? document.documentElement.outerHTML : ''")
		if err != nil {
			return fmt.Errorf("%s: the document: %w", l.URL, err)
		}
		bytes = []byte(text)
	}
	sum := sha256.Sum256(bytes)
	l.Digest = hex.EncodeToString(sum[:])
	if l.Controlled, err = evaluate[bool](ctx, `!!(navigator.serviceWorker && navigator.serviceWorker.controller)`); err != nil {
		return fmt.Errorf("%s: the controller: %w", l.URL, err)
	}
	if b.parts {
		l.Body = bytes
		l.Parts = append(l.Parts, stage.Part{URL: l.URL, Digest: l.Digest})
	}
	digests, err := evaluate[map[string]string](ctx, readDigests)
	if err != nil {
		return fmt.Errorf("%s: the digests that it names: %w", l.URL, err)
	}
	for _, r := range rest {
		use, ok := uses[r.kind]
		if !ok || strings.HasSuffix(r.url, "/favicon.ico") || strings.HasPrefix(r.url, "data:") {
			continue
		}
		l.Needs++
		why := ""
		switch {
		case !r.finished && b.network == stage.Slow:
			why = "the network does not answer in time"
		case r.failed != "":
			why = r.failed
		case r.status >= 400:
			why = fmt.Sprintf("answered with status %d", r.status)
		case r.kind == network.ResourceTypeStylesheet && r.mime != "text/css" && r.mime != "":
			why = "answered with " + r.mime + " instead of a style sheet"
		case r.mime == "text/html" && (r.kind == network.ResourceTypeImage || r.kind == network.ResourceTypeScript || r.kind == network.ResourceTypeFont):
			why = "answered with a page instead of the " + string(use)
		}
		if why == "" && digests[r.url] != "" && !b.fits(ctx, r.id, digests[r.url]) {
			why = "its bytes are not those that the page's integrity names"
		}
		if why == "" && b.parts {
			if got, err := chromedp.Call(ctx, network.GetResponseBody, network.GetResponseBodyParams{RequestID: r.id}); err == nil { // what was not kept cannot be compared
				sum := sha256.Sum256(got.Body)
				l.Parts = append(l.Parts, stage.Part{URL: b.relative(r.url), Digest: hex.EncodeToString(sum[:])})
			}
		}
		if why != "" {
			l.Missing = append(l.Missing, stage.Missing{URL: b.relative(r.url), Use: use, Why: why})
		}
	}
	sort.Slice(l.Missing, func(i, j int) bool { return l.Missing[i].URL < l.Missing[j].URL })
	return b.observe(ctx, l, rest)
}

// observe reads what the visitor sees, what the page asked for, and what went wrong in it.
func (b *Browser) observe(ctx context.Context, l *stage.Load, requests []request) error {
	var err error
	if l.Text, err = evaluate[string](ctx, readText); err != nil {
		return fmt.Errorf("%s: the text: %w", l.URL, err)
	}
	l.Ran = true
	for _, r := range requests {
		use, ok := uses[r.kind]
		if !ok || strings.HasSuffix(r.url, "/favicon.ico") || strings.HasPrefix(r.url, "data:") || strings.HasPrefix(r.url, "blob:") {
			continue
		}
		p := stage.PageRequest{URL: b.relative(r.url), Method: r.method, Use: use, Result: "rejected", AnsweredBy: stage.ByBrowser}
		if r.finished && r.failed == "" || r.status > 0 {
			p.Result, p.Status, p.AnsweredBy = "answered", int(r.status), stage.ByNetwork
			if r.worker {
				p.AnsweredBy = stage.ByWorker
			}
			if p.Status == 304 { // which the page does not see
				p.Status = 200
			}
		}
		l.Requests = append(l.Requests, p)
	}
	sort.Slice(l.Requests, func(i, j int) bool {
		x, y := l.Requests[i], l.Requests[j]
		return x.URL < y.URL || x.URL == y.URL && x.Method < y.Method
	})
	b.mu.Lock()
	l.Errors = slices.Clone(b.errors)
	b.mu.Unlock()
	return nil
}

// noteError keeps an uncaught exception of a page.
func (t *tab) noteError(d *runtime.ExceptionDetails) {
	e := stage.PageError{Message: d.Text, Line: int(d.LineNumber) + 1, Column: int(d.ColumnNumber) + 1}
	url := d.URL
	if url == "" && d.StackTrace != nil && len(d.StackTrace.CallFrames) > 0 {
		url = d.StackTrace.CallFrames[0].URL
	}
	e.File = t.b.relative(url)
	if d.Exception != nil && d.Exception.Description != "" {
		first, _, _ := strings.Cut(d.Exception.Description, "\n")
		e.Message += " " + first
	}
	t.errors = append(t.errors, e)
}

// readText gives what a visitor reads: text nodes of the body in order, not inside of what is not shown by its own markup; an open shadow root
// stands for its host, slots filled.
const readText = `(() => {
  const blocks = /^(address|article|aside|blockquote|body|br|dd|details|dialog|div|dl|dt|fieldset|figcaption|figure|footer|form|h[1-6]|header|hr|html|legend|li|main|menu|nav|ol|option|p|pre|search|section|select|summary|table|tbody|td|tfoot|th|thead|tr|ul)$/;
  const out = [];
  const read = (n) => {
    if (n.nodeType === 3) { out.push(n.data); return; }
    if (n.nodeType !== 1 && n.nodeType !== 11) return;
    if (n.nodeType === 1) {
      if (/^(script|style|template|noscript)$/.test(n.localName) || n.hasAttribute("hidden") || /(?:^|;)\s*display\s*:\s*none/i.test(n.getAttribute("style") || "")) return;
      if (blocks.test(n.localName)) out.push(" ");
      if (n.shadowRoot) read(n.shadowRoot);
      else if (n.localName === "slot" && n.getRootNode() instanceof ShadowRoot) n.assignedNodes({flatten: true}).forEach(read);
      else n.childNodes.forEach(read);
      if (blocks.test(n.localName)) out.push(" ");
      return;
    }
    n.childNodes.forEach(read);
  };
  if (document.body) read(document.body);
  return out.join("").replace(/\s+/g, " ").trim();
})()`

var uses = map[network.ResourceType]markup.Use{network.ResourceTypeStylesheet: markup.UseStyle, network.ResourceTypeScript: markup.UseScript,
	network.ResourceTypeImage: markup.UseImage, network.ResourceTypeFont: markup.UseFont, network.ResourceTypeMedia: markup.UseVideo,
	network.ResourceTypeFetch: markup.UseFetch, network.ResourceTypeXHR: markup.UseFetch}
