package run

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"maps"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/crawl"
	"tachyform.dev/tachyform/internal/finding"
	"tachyform.dev/tachyform/internal/fitting"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/snapshot"
)

// snapshotBytes bounds what is read of a server whose pages are fitted, in bytes.
const snapshotBytes = 100 << 20

// Asked reads the server that the configuration names.
func (w *Work) Asked(ctx context.Context, access *crawl.Access) (*crawl.Result, error) {
	step, end := w.progress("Fetching")
	defer end()
	limits := crawl.Usual
	limits.Access, limits.Missing, limits.Bytes = access, true, snapshotBytes
	res, err := crawl.Take(ctx, w.Config.Address, limits, step)
	if err != nil {
		if ctx.Err() == nil {
			err = fmt.Errorf("%w; address in %s names the server, which has to run", err, w.Config.File)
		}
		return nil, fitted(err)
	}
	if n := len(res.Report.Avoided); n > 0 {
		w.say("not asked for, since it may change something for who is signed in: %s", strings.Join(res.Report.Avoided[:min(n, 5)], ", "))
	}
	if res.Report.Stopped != "" {
		w.say("only a part of %s was read, because of %s", w.Config.Address, res.Report.Stopped)
	}
	return res, nil
}

// Kept gives what the server that the configuration names sent: the snapshot, or what it sends now, when asked for or when there is no snapshot.
func (w *Work) Kept(ctx context.Context, live bool, access *crawl.Access) (*crawl.Result, error) {
	c := w.Config
	if dir := c.SnapshotFolder(); !live && snapshot.Is(dir) {
		t, err := snapshot.Read(dir)
		if err != nil {
			return nil, input(err)
		}
		if changed := w.stale(t); len(changed) > 0 {
			w.say("the snapshot in %s is older than %s: --live asks the server again", dir, strings.Join(changed, ", "))
		}
		return t.Result, nil
	}
	res, err := w.Asked(ctx, access)
	if err != nil {
		return nil, err
	}
	return res, w.Keep(res)
}

// Keep writes what the server sent beside the configuration.
func (w *Work) Keep(res *crawl.Result) error {
	if err := snapshot.Save(w.Config.SnapshotFolder(), res, w.sources(res)); err != nil {
		return fmt.Errorf("the snapshot: %w", err)
	}
	return nil
}

// sources gives the digests of the files that are known to be behind what a server sent: those of the public folder that it was asked for, and
// the layout.
func (w *Work) sources(res *crawl.Result) map[string]string {
	c := w.Config
	out := map[string]string{}
	add := func(name, shown string) {
		if data, err := regular.ReadFile(name, regular.Large); err == nil {
			sum := sha256.Sum256(data)
			out[shown] = hex.EncodeToString(sum[:])
		}
	}
	at := site.CleanBase(c.PublicPath)
	for _, f := range res.Site.Files {
		if rest, ok := strings.CutPrefix(f.URL, at); ok && rest != "" && !f.IsPage() {
			if p, ok := site.UnescapePath(rest); ok && filepath.IsLocal(filepath.FromSlash(p)) {
				add(filepath.Join(c.PublicFolder(), filepath.FromSlash(p)), c.Public+"/"+p)
			}
		}
	}
	if l := c.Pages.Layout; l != "" {
		add(w.layout(), l)
	}
	return out
}

// stale names the files that have changed since a snapshot was made with them, a few of many.
func (w *Work) stale(t *snapshot.Taken) []string {
	var out []string
	for _, name := range slices.Sorted(maps.Keys(t.Sources)) {
		if !filepath.IsLocal(filepath.FromSlash(name)) && name != w.Config.Pages.Layout {
			continue
		}
		data, err := regular.ReadFile(filepath.Join(w.Config.Dir(), filepath.FromSlash(name)), regular.Large)
		sum := sha256.Sum256(data)
		if err != nil || hex.EncodeToString(sum[:]) != t.Sources[name] {
			out = append(out, name)
		}
	}
	if n := len(out) - 4; n > 0 {
		out = append(out[:4], fmt.Sprintf("%d more files", n))
	}
	return out
}

// layout is the template that the configuration names, as a file.
func (w *Work) layout() string {
	l := filepath.FromSlash(w.Config.Pages.Layout)
	if l == "" || filepath.IsAbs(l) {
		return l
	}
	return filepath.Join(w.Config.Dir(), l)
}

// WorkerURL is where the server of a rendered site sends the worker from: beside the start page, when nothing is said.
func (w *Work) WorkerURL() string {
	if u := w.Config.Worker.URL; u != "" {
		return u
	}
	u, err := url.Parse(w.Config.Address)
	if err != nil || u.EscapedPath() == "" {
		return "/sw.js"
	}
	return u.EscapedPath()[:strings.LastIndexByte(u.EscapedPath(), '/')+1] + "sw.js"
}

// Rendered puts what a server sent and the public folder together as one site. Closing it closes what was read of the server.
func (w *Work) Rendered(res *crawl.Result) (*site.Site, *fitting.Served, error) {
	c := w.Config
	own, err := fitting.Written(c.PublicFolder(), c.RecordFolder())
	if err != nil {
		if _, e := os.Stat(c.PublicFolder()); e != nil {
			err = fmt.Errorf("public names %s, and there is no such folder", c.PublicFolder())
		}
		return nil, nil, input(err)
	}
	r := site.Rendering{At: site.CleanBase(c.PublicPath), Server: res.Site, Own: own, Pinned: map[string]string{}}
	if u := w.WorkerURL(); u != r.At+"sw.js" {
		r.Pinned["sw.js"] = u
	}
	s, err := site.Rendered(c.PublicFolder(), r)
	if err != nil {
		return nil, nil, input(err)
	}
	return s, &fitting.Served{Headers: res.Headers, Layout: w.layout()}, nil
}

// Arrive asks the server whether it sends the files that fit wrote, puts the tags into the layout when it does, asks which pages have them then, and
// keeps the snapshot of all that. With anyway the tags go into the layout whatever the server sends.
func (w *Work) Arrive(ctx context.Context, plan *fitting.Plan, access *crawl.Access, anyway bool) (*fitting.Arrival, error) {
	u, err := url.Parse(w.Config.Address)
	if err != nil {
		return nil, input(err)
	}
	origin := u.Scheme + "://" + u.Host
	a := &fitting.Arrival{}
	type answer struct {
		address string
		header  http.Header
		body    []byte
	}
	var answers []answer
	script := ""
	if plan.Caching != nil {
		script = plan.Caching.Script
	}
	for _, p := range plan.Wrote() {
		data, err := plan.Site.Read(p)
		if err != nil {
			continue
		}
		address := plan.Site.FileURL(p)
		status, header, body, err := crawl.Fetch(ctx, access, origin+address, false, site.MaxFile)
		why := ""
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			why = err.Error()
		case status >= 300 && status < 400:
			why = "is redirected to " + header.Get("Location")
		case status != http.StatusOK:
			why = fmt.Sprintf("is answered with status %d", status)
		case !bytes.Equal(body, data):
			why = "is answered with other bytes than fit wrote"
		case p == plan.Worker:
			why = barred(address, plan.Site.Base, header)
		}
		switch {
		case p == plan.Worker:
			a.Worker = why
		case why != "":
			a.Files = append(a.Files, address+" "+why)
			a.Held = a.Held || address == script && !anyway
		}
		if why == "" {
			answers = append(answers, answer{address, header, body})
		}
	}
	if !a.Held {
		if err := plan.ApplyLayout(); err != nil {
			return nil, err
		}
	}
	res, err := w.Asked(ctx, access)
	if err != nil {
		return nil, err
	}
	defer res.Close()
	for _, x := range answers {
		res.Add(x.address, x.header, x.body)
	}
	var with []string
	for _, f := range res.Site.Pages() {
		body, err := res.Site.Read(f.Path)
		if err != nil || slices.ContainsFunc(answers, func(x answer) bool { return x.address == f.URL }) {
			continue
		}
		if a.Pages++; script != "" && !bytes.Contains(body, []byte(script)) {
			a.Without = append(a.Without, f.URL)
		} else {
			with = append(with, f.URL)
		}
	}
	if groups := finding.Shared(a.Without, with); len(groups) == 1 {
		a.Together = groups[0].Folder
	}
	a.Missing = script != "" && res.Missing != nil && strings.Contains(res.Missing.Header.Get("Content-Type"), "html") && !bytes.Contains(res.Missing.Body, []byte(script))
	return a, w.Keep(res)
}

// barred says why browsers refuse a worker that came as it should (Service Workers, "Update", steps 8 and 17).
func barred(address, scope string, h http.Header) string {
	kind, _, _ := strings.Cut(strings.ToLower(h.Get("Content-Type")), ";")
	if !slices.Contains([]string{"text/javascript", "application/javascript", "application/x-javascript", "text/ecmascript", "application/ecmascript"}, strings.TrimSpace(kind)) {
		return fmt.Sprintf("is sent as %q, and browsers run a worker as text/javascript only", h.Get("Content-Type"))
	}
	widest := address[:strings.LastIndexByte(address, '/')+1]
	if allowed := h.Get("Service-Worker-Allowed"); allowed != "" {
		widest = allowed
	}
	if !strings.HasPrefix(scope, widest) {
		return fmt.Sprintf("may be registered for %s at most, and the pages lie in %s: have it sent with \"Service-Worker-Allowed: %s\"", widest, scope, scope)
	}
	return ""
}

// PublicPath finds out below which URL path a server sends the files of the public folder: where most of what it sent has the bytes of a file of
// that path. why says how it is known.
func (w *Work) PublicPath(res *crawl.Result) (at, why string, err error) {
	folder := w.Config.PublicFolder()
	s, err := site.Open(folder, "/")
	if err != nil {
		return "", "", input(err)
	}
	defer s.Close()
	votes, example := map[string]int{}, map[string]string{}
	for _, f := range res.Site.Files {
		if f.IsPage() {
			continue
		}
		sent, err := res.Site.Read(f.Path)
		if err != nil {
			continue
		}
		for _, own := range s.Files {
			if own.Size != f.Size || own.Size == 0 {
				continue
			}
			folder := site.EscapePath(own.Path[:strings.LastIndexByte(own.Path, '/')+1])
			at, ok := strings.CutSuffix(f.URL[:strings.LastIndexByte(f.URL, '/')+1], folder)
			if data, err := s.Read(own.Path); !ok || !strings.HasSuffix(at, "/") || err != nil || !bytes.Equal(data, sent) {
				continue
			}
			votes[at]++
			if strings.HasSuffix(f.URL, "/"+site.EscapePath(own.Path)) {
				votes[at]++ // by its name, too
			}
			if example[at] == "" {
				example[at] = own.Path + " is sent as " + f.URL
			}
		}
	}
	for _, p := range slices.Sorted(maps.Keys(votes)) {
		if votes[p] > votes[at] {
			at = p
		}
	}
	if at == "" {
		return "/", "nothing that the server sent lies in the folder as it is, so this is a guess: say below which path its files are sent", nil
	}
	return at, example[at], nil
}

// visible gives the pages of what was read that visitors come to: those below the folder of the start page. An offline page may be sent from
// elsewhere, where no worker answers for it.
func visible(res *crawl.Result) []site.File {
	below := res.Start[:strings.LastIndexByte(res.Start, '/')+1]
	return slices.DeleteFunc(res.Site.Pages(), func(f site.File) bool { return !strings.HasPrefix(f.URL, below) })
}
