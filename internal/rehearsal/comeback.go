package rehearsal

import (
	"bytes"
	"context"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/release"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/worker"
)

// Comeback is what somebody gets who was there before a release. The release is imagined: the start page, or the scripts and
// styles that it needs, or all of these, each with a comment more.
type Comeback struct {
	Changes string          `json:"changes"` // one of the kinds below
	Changed []string        `json:"changed"` // URLs
	Visits  []ComebackVisit `json:"visits"`
}

// ComebackVisit is one visit after the release.
type ComebackVisit struct {
	Visit string `json:"visit"`
	Shows string `json:"shows"` // "old", "new", "mix", "lost" or "unknown"
}

// The kinds of imagined releases: what people change. Of a worker that fit wrote, each changes the worker, too.
const (
	PageChange   = "a page"
	PartsChange  = "styles and scripts"
	FilesChange  = "files"
	WorkerChange = "files and worker"
	ListChange   = "files and the worker's list"
	StoresChange = "files, worker and names of stores"
)

// Arrives gives the first visit, from 1, that shows the new release and only that; 0 for none.
func (c *Comeback) Arrives() int {
	for i, v := range c.Visits {
		if v.Shows == "new" {
			return i + 1
		}
	}
	return 0
}

// Mixes says whether a visit shows parts of both releases.
func (c *Comeback) Mixes() bool {
	return slices.ContainsFunc(c.Visits, func(v ComebackVisit) bool { return v.Shows == "mix" })
}

// better says whether a release goes better than another for those who come back.
func (c *Comeback) better(d *Comeback) bool {
	if c.Arrives() == 0 || d.Arrives() == 0 {
		return c.Arrives() > d.Arrives()
	}
	if c.Mixes() != d.Mixes() {
		return d.Mixes()
	}
	return c.Arrives() < d.Arrives()
}

// changesWorker says whether the worker's bytes are others, whoever wrote it.
func (c *Comeback) changesWorker() bool {
	return c.Changes == WorkerChange || c.Changes == ListChange || c.Changes == StoresChange
}

// Told says whether it can be told what visitors see after a release: not of a worker that shows pages of its own making.
func (r *Report) Told() bool {
	return len(r.Comebacks) > 0 && !slices.ContainsFunc(r.Comebacks, func(c Comeback) bool {
		return slices.ContainsFunc(c.Visits, func(v ComebackVisit) bool { return v.Shows == "unknown" || v.Shows == "lost" })
	})
}

// Worst gives the imagined release that goes worst for those who come back; nil when that cannot be told.
func (r *Report) Worst() *Comeback {
	return r.pick(func(c, than *Comeback) bool { return than.better(c) })
}

// Best gives the one that goes best among those that change the worker, too; nil when that cannot be told.
func (r *Report) Best() *Comeback {
	return r.pick(func(c, than *Comeback) bool { return c.changesWorker() && (!than.changesWorker() || c.better(than)) })
}

func (r *Report) pick(over func(c, than *Comeback) bool) *Comeback {
	if !r.Told() {
		return nil
	}
	out := &r.Comebacks[0]
	for i := range r.Comebacks {
		if over(&r.Comebacks[i], out) {
			out = &r.Comebacks[i]
		}
	}
	return out
}

// maxImagined is how many parts of the start page change in an imagined release.
const maxImagined = 8

// literal is a text in a script.
var literal = regexp.MustCompile("[\"'`]([^\"'`\\\\\n]{1,100})[\"'`]")

// comebacks imagines releases and gives what a visitor gets who comes back a day later. start makes stages with nothing stored. There
// are none when no worker is active.
func comebacks(ctx context.Context, start func() *Embedded, server *site.Server, r *Report) ([]Comeback, error) {
	if r.Worker.State != "activated" && r.Worker.State != "waiting" || len(r.Visits) == 0 {
		return nil, nil
	}
	home := r.Visits[0].URL
	changed, err := imagined(start, server, home)
	if err != nil || len(changed) == 0 {
		return nil, err
	}
	script, _, _ := strings.Cut(r.Worker.URL, "?")
	file, _ := server.Find(script)
	src, err := server.Site.Read(file)
	if file == "" || err != nil {
		return nil, nil //nolint:nilerr // a worker that only its server has
	}
	type imagining struct {
		changes string
		worker  []byte
	}
	list := []imagining{{PageChange, src}, {PartsChange, src}, {FilesChange, src}, {WorkerChange, slices.Concat(src, []byte("\n// \n"))}}
	_, _, ours := worker.Imagine(src, nil)
	if ours {
		list = []imagining{{changes: PageChange}, {changes: PartsChange}, {changes: WorkerChange}}
	} else {
		if text := relisted(src); text != nil {
			list = append(list, imagining{ListChange, text})
		}
		if text := renamed(src, r.Stores); text != nil {
			list = append(list, imagining{StoresChange, text})
		}
	}
	var out []Comeback
	for _, x := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		files, urls := map[string][]byte{}, []string{}
		for p, b := range changed {
			f, _ := server.Site.File(p)
			if x.changes == PageChange && !f.IsPage() || x.changes == PartsChange && f.IsPage() {
				continue
			}
			files[p], urls = b, append(urls, f.URL)
		}
		if len(files) == 0 || len(files) == len(changed) && x.changes == PageChange {
			continue // it is the same as the one with all files
		}
		slices.Sort(urls)
		if ours {
			x.worker = imagineOurs(server, src, files)
		}
		files[file] = x.worker
		visits, err := comeBack(start(), server, server.With(files), home)
		if err != nil {
			return nil, err
		}
		out = append(out, Comeback{Changes: x.changes, Changed: urls, Visits: visits})
	}
	return out, nil
}

// imagined gives other bytes for the start page and for what it needs whose name holds no digest, by path.
func imagined(start func() *Embedded, server *site.Server, home string) (map[string][]byte, error) {
	st := start()
	defer st.Close()
	st.KeepParts()
	l, err := st.Open(home)
	if err != nil {
		return nil, err
	}
	changed := map[string][]byte{}
	for _, part := range l.Parts {
		u, _, _ := strings.Cut(part.URL, "?")
		file, _ := server.Find(u)
		if file == "" || changed[file] != nil || server.Site.HasDigest(file) || len(changed) > maxImagined {
			continue
		}
		comment := ""
		switch strings.ToLower(path.Ext(file)) {
		case ".css":
			comment = "\n/* */\n"
		case ".js", ".mjs":
			comment = "\n//\n"
		default:
			if f, _ := server.Site.File(file); f.IsPage() {
				comment = "\n<!-- -->\n"
			}
		}
		if data, err := server.Site.Read(file); err == nil && comment != "" && !bytes.HasPrefix(data, []byte(worker.Mark)) {
			changed[file] = append(slices.Clone(data), comment...)
		}
	}
	return changed, nil
}

// imagineOurs gives the text that a fit would write for the changed files, and sets the digests that pages hold.
func imagineOurs(server *site.Server, src []byte, changed map[string][]byte) []byte {
	digests := map[string]string{}
	urls := map[string]string{}
	for file, data := range changed {
		f, _ := server.Site.File(file)
		digests[f.URL], urls[f.URL] = release.Digest(data), file
	}
	text, now, _ := worker.Imagine(src, digests)
	for u, d := range now { // a page holds the digest of what it is without it
		file := urls[u]
		changed[file] = []byte(strings.ReplaceAll(string(changed[file]), `"`+d+`"`, `"`+digests[u]+`"`))
	}
	return text
}

// listed is a digest or a revision in a list of files.
var listed = regexp.MustCompile(`^(?:[0-9a-f]{6,64}|\d+(?:\.\d+)*)$`)

// relisted gives a worker whose list has other digests, as a build writes it; nil when it has no list.
func relisted(src []byte) []byte {
	found := false
	text := literal.ReplaceAllFunc(src, func(m []byte) []byte {
		inner := m[1 : len(m)-1]
		if !listed.Match(inner) || !bytes.ContainsAny(inner, "0123456789") {
			return m
		}
		found = true
		last := &inner[len(inner)-1]
		out := slices.Clone(m)
		out[len(m)-2] = '0' + (*last-'0'+1)%10
		if *last < '0' || *last > '9' {
			out[len(m)-2] = '7'
		}
		return out
	})
	if !found {
		return nil
	}
	return text
}

// renamed gives a worker whose stores have other names, as many write it for a release; nil when the names do not stand in it.
func renamed(src []byte, stores []Store) []byte {
	found := false
	text := literal.ReplaceAllFunc(src, func(m []byte) []byte {
		name := string(m[1 : len(m)-1])
		for _, s := range stores {
			if s.Name == name || len(name) > 1 && strings.HasSuffix(s.Name, name) && strings.ContainsAny(name, "0123456789") {
				found = true
				return slices.Concat(m[:len(m)-1], []byte("-next"), m[len(m)-1:])
			}
		}
		return m
	})
	if !found {
		return nil
	}
	return text
}

// comeBack visits twice, lets a day pass and the release come, and visits again.
func comeBack(st *Embedded, server, next *site.Server, home string) ([]ComebackVisit, error) {
	defer st.Close()
	st.KeepParts()
	p := &telling{Teller: &Teller{Server: server, Next: next}, st: st, e: newExpected(server, nil), network: "online"}
	visit := func() (string, error) {
		if _, _, err := p.open(home); err != nil {
			return "", err
		}
		if p.load.Status == 0 {
			return "lost", nil
		}
		switch p.releases() {
		case "release 1":
			return "old", nil
		case "release 2":
			return "new", nil
		case mixed:
			return "mix", nil
		}
		return "unknown", nil // the worker shows pages of its own making
	}
	for range 2 {
		if _, err := visit(); err != nil {
			return nil, err
		}
	}
	st.Release(next)
	st.Advance(24 * time.Hour)
	var out []ComebackVisit
	for i, what := range []string{"the page is loaded again a day later", "and once more", "all tabs are closed and it is opened anew", "and once more"} {
		if i == 2 {
			if err := st.CloseTab(); err != nil {
				return nil, err
			}
			if err := st.Settle(); err != nil {
				return nil, err
			}
			if err := st.Tab(0); err != nil {
				return nil, err
			}
		}
		shows, err := visit()
		if err != nil {
			return nil, fmt.Errorf("after a release: %w", err)
		}
		out = append(out, ComebackVisit{what, shows})
	}
	return out, nil
}
