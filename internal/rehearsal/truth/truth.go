// Package truth holds small sites with hand-written workers of many kinds, sound and mistaken ones, and what visitors got of
// them in Chromium: testdata/chromium.json, recorded by the program in record.
package truth

import (
	_ "embed"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

//go:embed workers.js
var workers string

//go:embed testdata/chromium.json
var recorded []byte

// Case is a site with a worker.
type Case struct {
	Name   string
	source string
	files  map[string]string // more files of the site, by path
	as     string            // the options of its registration, as a script writes them
}

// Cases gives all sites in their order.
func Cases() []Case {
	var out []Case
	for _, part := range strings.Split(workers, "//// ")[1:] {
		name, source, _ := strings.Cut(part, "\n")
		out = append(out, parse(name, source))
	}
	return out
}

// parse takes a case apart: lines of the form //: as OPTIONS say how the worker is registered, and //: file PATH begins another file.
func parse(name, source string) Case {
	c := Case{Name: name, files: map[string]string{}}
	at := "sw.js"
	for line := range strings.Lines(source) {
		if rest, ok := strings.CutPrefix(line, "//: file "); ok {
			at = strings.TrimSpace(rest)
		} else if rest, ok := strings.CutPrefix(line, "//: as "); ok {
			c.as = ", " + strings.TrimSpace(rest)
		} else {
			c.files[at] += line
		}
	}
	c.source = c.files["sw.js"]
	delete(c.files, "sw.js")
	return c
}

// Recorded gives what Chromium did: the facts of each story, by the names of case and story.
func Recorded() (map[string]map[string][]string, error) {
	var all map[string]map[string][]string
	return all, json.Unmarshal(recorded, &all)
}

// Runs says whether the case is about what its pages' scripts do.
func (c Case) Runs() bool { return c.files["app.js"] != "" }

// Files gives the files of one of a case's releases, "one" or "two".
func (c Case) Files(release string) map[string]string {
	page := func(title, more string) string {
		return `<!doctype html><html lang="en"><head><meta charset="utf-8"><title>` + title + " " + release + `</title><link rel="stylesheet" href="/app.css"><link rel="icon" href="data:,"></head><body><h1>` + title + `</h1>` + more + `</body></html>`
	}
	out := map[string]string{
		"index.html":       page("Home", `<script src="/app.js"></script><script>navigator.serviceWorker.register("/sw.js"`+c.as+`).catch(() => {})</script>`),
		"about/index.html": page("About", `<img src="/pic.svg" alt="">`),
		"offline.html":     page("Offline", ""),
		"app.css":          "/* " + release + " */ body { color: teal }",
		"app.js":           "// " + release,
		"list.js":          `self.LIST = ["/", "/app.css", "/app.js"]; // ` + release,
		"data.json":        `{"release": "` + release + `"}`,
		"pic.svg":          `<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path d="M0 0h9v9z"/></svg>`,
		"sw.js":            strings.ReplaceAll(c.source, "VERSION", release),
	}
	for name, data := range c.files {
		out[name] = strings.ReplaceAll(data, "VERSION", release)
	}
	return out
}

// Write puts the files of a release into a folder.
func (c Case) Write(dir, release string) error {
	for name, data := range c.Files(release) {
		p := filepath.Join(dir, filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(p), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(p, []byte(data), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// Stories are what visitors do with every case.
var Stories = []string{"offline", "failing", "slow", "portal", "two releases"}

// Stage is what a story is observed on.
type Stage interface {
	rehearsal.Stage
	// Update has the browser look for a new worker now, as it does soon after a navigation.
	Update() error
}

// Observe tells a story on a stage with nothing stored, and notes what came of it.
func Observe(st Stage, story string, next *site.Server) ([]string, error) {
	o := &observer{st: st}
	o.open("/")
	o.open("/")
	if story == "two releases" {
		st.Release(next)
		o.open("/")
		o.try(st.Update())
		o.try(st.Settle())
		o.worker()
		o.open("/about/")
		o.try(st.CloseTab())
		o.try(st.Settle())
		o.try(st.Tab(0))
		o.open("/")
		o.open("/about/")
		o.fetch("/data.json")
		o.stores()
		return o.facts, o.err
	}
	o.open("/about/")
	o.fetch("/data.json")
	o.worker()
	o.stores()
	o.changed = true
	o.try(st.SetNetwork(stage.Network(story)))
	o.try(st.Rest())
	o.open("/")
	if story == "offline" || story == "failing" {
		o.fetch("/data.json")
	}
	o.open("/about/")
	if story == "offline" || story == "failing" {
		o.open("/nowhere")
		o.open("/?v=1")
	}
	return o.facts, o.err
}

// observer notes facts until something goes wrong with the stage itself.
type observer struct {
	st      Stage
	facts   []string
	err     error
	lost    bool // the page opened last
	changed bool // the network has
}

func (o *observer) try(err error) {
	if o.err == nil {
		o.err = err
	}
}

func (o *observer) note(format string, args ...any) {
	o.facts = append(o.facts, fmt.Sprintf(format, args...))
}

func (o *observer) open(url string) {
	if o.err != nil {
		return
	}
	l, err := o.st.Open(url)
	if err != nil {
		o.try(err)
		return
	}
	o.lost = l.Status == 0
	if o.lost {
		o.note("open %s: lost", url)
	} else {
		var missing []string
		for _, m := range l.Missing {
			missing = append(missing, m.URL)
		}
		controlled := ""
		if len(o.facts) > 0 { // of the first load it depends on the moment: a worker may claim the page
			controlled = fmt.Sprintf(", controlled %t", l.Controlled)
		}
		by := fmt.Sprintf(" by the %s", l.AnsweredBy)
		if o.changed { // of a worker that was just started and declines, the browser says that it answered
			by = ""
		}
		o.note("open %s: %d %q%s%s, missing %s", url, l.Status, l.Title, by, controlled, missing)
	}
	o.try(o.st.Settle())
}

func (o *observer) fetch(url string) {
	if o.err != nil || o.lost { // which page is open then depends on how the navigation failed
		return
	}
	a, err := o.st.Fetch(url)
	if err != nil {
		o.try(err)
		return
	}
	o.note("fetch %s: %s %d %s", url, a.Result, a.Status, a.Body)
	o.try(o.st.Settle())
}

func (o *observer) worker() {
	if o.err != nil {
		return
	}
	regs, err := o.st.Registrations()
	o.try(err)
	state := "none"
	if len(regs) > 0 {
		state = regs[0].State
	}
	if state == "failed" { // a browser forgets a registration that never came to be
		state = "none"
	}
	o.note("worker: %s", state)
}

func (o *observer) stores() {
	if o.err != nil || o.lost { // from the browser's error page nothing can be seen
		return
	}
	stores, err := o.st.Stores()
	o.try(err)
	for _, s := range stores {
		var urls []string
		for _, e := range s.Entries {
			urls = append(urls, e.URL)
		}
		sort.Strings(urls)
		o.note("store %s: %s", s.Name, strings.Join(slices.Compact(urls), " "))
	}
}
