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

	"tachyform/internal/release"
	"tachyform/internal/site"
	"tachyform/internal/worker"
)

// Comeback is what somebody gets who was there before a release. The release is imagined: the start page, and the scripts and
// styles that it needs, each with a comment more.
type Comeback struct {
	Changes string          `json:"changes"` // "files", "files and worker", or "files, worker and names of stores"
	Changed []string        `json:"changed"` // URLs
	Visits  []ComebackVisit `json:"visits"`
}

// ComebackVisit is one visit after the release.
type ComebackVisit struct {
	Visit string `json:"visit"`
	Shows string `json:"shows"` // "old", "new", "mix", "lost" or "unknown"
}

// The kinds of imagined releases.
const (
	FilesChange  = "files"
	WorkerChange = "files and worker"
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

// Best gives the comeback of the release that goes best among those that change the worker, and that of the release in which only files
// change; nil when there is none, or when it cannot be told what visitors see.
func (r *Report) Best() (best, still *Comeback) {
	for i := range r.Comebacks {
		c := &r.Comebacks[i]
		if slices.ContainsFunc(c.Visits, func(v ComebackVisit) bool { return v.Shows == "unknown" || v.Shows == "lost" }) {
			return nil, nil
		}
		switch {
		case c.Changes == FilesChange:
			still = c
		case best == nil, best.Arrives() == 0 && c.Arrives() > 0, best.Mixes() && !c.Mixes() && c.Arrives() > 0:
			best = c
		}
	}
	return best, still
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
	changed, urls, err := imagined(start, server, home)
	if err != nil || len(changed) == 0 {
		return nil, err
	}
	script, _, _ := strings.Cut(r.Worker.URL, "?")
	file, _ := server.Find(script)
	src, err := server.Site.Read(file)
	if file == "" || err != nil {
		return nil, nil //nolint:nilerr // a worker that only its server has
	}
	type release struct {
		changes string
		worker  []byte
	}
	var list []release
	if text, ok := imagineOurs(server, src, changed); ok {
		list = []release{{WorkerChange, text}}
	} else {
		list = []release{{FilesChange, src}, {WorkerChange, slices.Concat(src, []byte("\n// \n"))}}
		if text := renamed(src, r.Stores); text != nil {
			list = append(list, release{StoresChange, text})
		}
	}
	var out []Comeback
	for _, x := range list {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		files := map[string][]byte{file: x.worker}
		for p, b := range changed {
			files[p] = b
		}
		visits, err := comeBack(start(), server, server.With(files), home)
		if err != nil {
			return nil, err
		}
		out = append(out, Comeback{Changes: x.changes, Changed: urls, Visits: visits})
	}
	return out, nil
}

// imagined gives other bytes for the start page and for what it needs whose name holds no digest, by path, and their URLs.
func imagined(start func() *Embedded, server *site.Server, home string) (map[string][]byte, []string, error) {
	st := start()
	defer st.Close()
	st.KeepParts()
	l, err := st.Open(home)
	if err != nil {
		return nil, nil, err
	}
	changed, urls := map[string][]byte{}, []string{}
	for _, part := range l.Parts {
		u, _, _ := strings.Cut(part.URL, "?")
		file, _ := server.Find(u)
		if file == "" || changed[file] != nil || site.HasDigest(file) || len(changed) > maxImagined {
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
			urls = append(urls, u)
		}
	}
	slices.Sort(urls)
	return changed, urls, nil
}

// imagineOurs gives the text that a fit would write for the changed files, and sets the digests that pages hold. ok is false when the
// worker is not ours.
func imagineOurs(server *site.Server, src []byte, changed map[string][]byte) (text []byte, ok bool) {
	digests := map[string]string{}
	urls := map[string]string{}
	for file, data := range changed {
		f, _ := server.Site.File(file)
		digests[f.URL], urls[f.URL] = release.Digest(data), file
	}
	text, now, ok := worker.Imagine(src, digests)
	for u, d := range now { // a page holds the digest of what it is without it
		file := urls[u]
		changed[file] = []byte(strings.ReplaceAll(string(changed[file]), `"`+d+`"`, `"`+digests[u]+`"`))
	}
	return text, ok
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
		case "a mix of releases":
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
