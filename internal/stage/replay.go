package stage

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"sort"
	"strings"

	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/markup"
)

// A page that would do the same again is not run again: what it read is remembered with what came of it, and when all of that is as it was,
// its requests are made, since workers and servers see them, and the rest is taken from before.

// ran is what came of a page, and all that it depended on.
type ran struct {
	asked  []askedFor
	posts  []any // messages to the worker that controlled it
	text   string
	title  string
	shown  string
	errors []PageError
}

// askedFor is a request of a page and what it was answered with.
type askedFor struct {
	use    markup.Use
	req    request
	answer string
}

// answered names an answer by all that a page sees of it.
func answered(r reply) string {
	if r.response == nil {
		return "none: " + r.why
	}
	sum := sha256.Sum256(r.response.bytes())
	return fmt.Sprint(r.response.kind, " ", r.response.status, " ", r.response.url, " ", r.response.redirected, " ", r.response.headers, " ", hex.EncodeToString(sum[:]))
}

// key names what a page's run begins with: its document, and what the browser says to it.
func (l *loader) key(url string) string {
	b, t := l.b, l.tab
	var s strings.Builder
	fmt.Fprint(&s, url, "\x00", l.load.Digest, "\x00", b.network != Offline, "\x00", l.referer, "\x00")
	word := func(w *worker) {
		if w == nil {
			s.WriteString("none ")
			return
		}
		fmt.Fprint(&s, w.url, " ", w.state, " ", w.moduleKey(), " ")
	}
	word(t.controller)
	for _, r := range b.regs {
		s.WriteString(r.scope + " ")
		word(r.installing)
		word(r.waiting)
		word(r.active)
	}
	for _, list := range []map[string]string{b.local, t.session, b.cookies} {
		for _, k := range slices.Sorted(maps.Keys(list)) {
			fmt.Fprintf(&s, "%q=%q ", k, list[k])
		}
		s.WriteByte(0)
	}
	sum := sha256.Sum256([]byte(s.String()))
	return string(sum[:])
}

// remember keeps what came of a run, unless it depended on more than is noted.
func (d *document) remember() {
	if d.unlike || d.remembered || d.key == "" || !d.done || d.over || d.b.network == Slow {
		return
	}
	d.remembered = true
	l := d.loader.load
	d.b.docs.mu.Lock()
	defer d.b.docs.mu.Unlock()
	if len(d.b.docs.ran) < maxRead {
		d.b.docs.ran[d.key] = &ran{asked: d.trail, posts: d.posted, text: l.Text, title: l.Title, shown: l.Shown, errors: d.errors}
	}
}

// replay does what a page did that was run before, and runs it after all when an answer differs.
func (l *loader) replay(r *ran, instead func()) {
	left := len(r.asked) + 1
	differs, ran := false, false
	l.run = func() { // an answer does not come: what the page shows without it was not seen before
		l.run, ran = nil, true
		l.pending--
		l.load.Missing, l.load.Requests, l.load.Needs = nil, nil, 0
		clear(l.waiting)
		instead()
	}
	finish := func() {
		if left--; left > 0 || l.over {
			return
		}
		l.run = nil
		l.pending--
		if differs {
			l.load.Missing, l.load.Requests, l.load.Needs = nil, nil, 0
			instead()
			return
		}
		l.load.Title, l.load.Text, l.load.Shown, l.load.Errors, l.load.Ran = r.title, r.text, r.shown, r.errors, true
	}
	l.pending++
	for _, a := range r.asked {
		req := a.req
		key := l.expect(&req, a.use)
		l.b.clientFetch(l.tab, &req, l.inTurn(func(got reply) {
			if ran {
				return
			}
			delete(l.waiting, key)
			if answered(got) != a.answer {
				differs = true
			}
			l.noteRequest(&req, a.use, got)
			if why := l.b.unusable(a.use, &req, got); why != "" {
				if a.use != markup.UseFetch || req.method == "GET" {
					l.miss(req.url, a.use, why)
				}
			} else if got.response.kind != "opaque" {
				l.part(withoutFragment(req.url), got.response.bytes())
			}
			finish()
		}))
	}
	if w := l.tab.controller; w != nil {
		source := map[string]any{"id": l.tab.id, "url": l.tab.url, "type": "window", "frameType": "top-level", "focused": true}
		for _, p := range r.posts {
			l.b.loop.after(1, func() { w.event("message", func(*scriptError) {}, p, source) })
		}
	}
	finish()
}

var (
	handlerAttr = regexp.MustCompile(`(?i)<[^>]*\son[a-z]+\s*=`)
	scriptTag   = regexp.MustCompile(`(?i)<script[\s>/]`)
	ourScript   = regexp.MustCompile(`<script src="[^"]*" defer data-digest="[^"]*"></script>`)
	liveElement = regexp.MustCompile(`(?i)\sdata-app-|<source\s[^>]*\smedia\s*=|shadowrootmode|http-equiv\s*=\s*["']?refresh`)
)

// inert says whether scripts have nothing to do with what a page shows: it has none, or only the page script of a fitted site and no element
// for it. Which source of a picture is for the window is decided where scripts run.
func inert(body []byte) bool {
	if liveElement.Match(body) || handlerAttr.Match(body) {
		return false
	}
	n := len(scriptTag.FindAllIndex(body, 2))
	return n == 0 || n == 1 && len(ourScript.FindAllIndex(body, 2)) == 1
}

var blocks = regexp.MustCompile(`^(address|article|aside|blockquote|body|br|dd|details|dialog|div|dl|dt|fieldset|figcaption|figure|footer|form|h[1-6]|header|hr|html|legend|li|main|menu|nav|ol|option|p|pre|search|section|select|summary|table|tbody|td|tfoot|th|thead|tr|ul)$`)

var hiddenInline = regexp.MustCompile(`(?i)(?:^|;)\s*display\s*:\s*none`)

// textOf gives what a visitor reads of a document that no script changes.
func textOf(source string) string {
	doc, err := html.Parse(strings.NewReader(source))
	if err != nil {
		return ""
	}
	var out bytes.Buffer
	var walk func(n *html.Node, depth int)
	walk = func(n *html.Node, depth int) {
		if depth > maxNesting || out.Len() > 4*maxTextShown {
			return
		}
		switch n.Type {
		case html.TextNode:
			out.WriteString(n.Data)
			return
		case html.ElementNode:
			switch n.Data {
			case "script", "style", "template", "noscript", "head":
				return
			}
			for _, a := range n.Attr {
				if a.Key == "hidden" || a.Key == "style" && hiddenInline.MatchString(a.Val) {
					return
				}
			}
			if blocks.MatchString(n.Data) {
				out.WriteByte(' ')
				defer out.WriteByte(' ')
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c, depth+1)
		}
	}
	walk(doc, 0)
	text := strings.Join(strings.Fields(out.String()), " ")
	if len(text) > maxTextShown {
		text = strings.ToValidUTF8(text[:maxTextShown], "")
	}
	return text
}

// sortRequests puts requests into their order.
func sortRequests(list []PageRequest) {
	sort.Slice(list, func(i, j int) bool {
		a, b := list[i], list[j]
		return a.URL < b.URL || a.URL == b.URL && a.Method < b.Method
	})
}
