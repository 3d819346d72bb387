// Torture visits a fitted site at random in a real Chromium: releases are switched in the middle of loads and installs, the network
// is cut, workers are stopped, tabs closed and the browser is killed. It says how often a page was shown with parts of another
// release, lost although it was stored, or stuck, and what became of posts. The exit status is 1 when one promise was broken.
//
//	go run ./internal/torture -seed 1 -actions 300 -lifetime 600 -takeover at-once
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"tachyform.dev/tachyform/internal/chromium"
	"tachyform.dev/tachyform/internal/serve"
	"tachyform.dev/tachyform/internal/site"
)

// release says which version each file of a release has.
type release struct {
	Pages               map[string]int
	Style, Module, Part int // app.css, app.js and dep.js
	Late                int // late.js, which pages ask for when they like
	server              *site.Server
	dir                 string
}

// seen is what a page shows.
type seen struct {
	Path       string `json:"path"`
	Page       int    `json:"page"` // version of its text, 0 for none
	Style      int    `json:"style"`
	Module     int    `json:"module"`
	Part       int    `json:"part"`
	Late       int    `json:"late"` // 0 for not asked, -1 for failed
	Controlled bool   `json:"controlled"`
	Title      string `json:"title"`
}

type torture struct {
	rnd      *rand.Rand
	program  string
	work     string
	releases []*release
	now      int // the release that the server has
	web      *serve.Server
	b        *chromium.Browser
	profile  string
	network  site.Network
	verbose  bool
	large    bool

	installed bool // a worker has been active
	counts    map[string]int
	broken    []string
	accepted  map[string]bool // posts that were promised to the page
}

const pagesOfSmall, pagesOfLarge = 8, 700

func main() {
	seed := flag.Uint64("seed", 1, "of the random numbers")
	actions := flag.Int("actions", 250, "what a visitor does, in all")
	lifetime := flag.Int("lifetime", 0, "seconds that the server lets everything be kept; 0 for no-cache")
	takeover := flag.String("takeover", "next-visit", "of the configuration")
	large := flag.Bool("large", false, "a site whose list lies in pieces")
	verbose := flag.Bool("v", false, "say every action")
	flag.Parse()
	t := &torture{rnd: rand.New(rand.NewPCG(*seed, 7)), network: site.Online, verbose: *verbose, large: *large, counts: map[string]int{}, accepted: map[string]bool{}}
	err := t.run(*actions, *lifetime, *takeover)
	if t.work != "" {
		os.RemoveAll(t.work)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "torture:", err)
		os.Exit(3)
	}
	fmt.Printf("seed %d, %d actions, lifetime %d s, %s", *seed, *actions, *lifetime, *takeover)
	if *large {
		fmt.Print(", large")
	}
	fmt.Println()
	keys := make([]string, 0, len(t.counts))
	for k := range t.counts {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	for _, k := range keys {
		fmt.Printf("  %-44s %d\n", k, t.counts[k])
	}
	for _, b := range t.broken {
		fmt.Println("  BROKEN:", b)
	}
	if len(t.broken) > 0 {
		os.Exit(1)
	}
}

func (t *torture) say(format string, args ...any) {
	if t.verbose {
		fmt.Printf(format+"\n", args...)
	}
}

func (t *torture) breaks(format string, args ...any) {
	t.broken = append(t.broken, fmt.Sprintf(format, args...))
	t.say("BROKEN: "+format, args...)
}

func (t *torture) run(actions, lifetime int, takeover string) error {
	var err error
	if t.work, err = os.MkdirTemp("", "torture"); err != nil {
		return err
	}
	t.program = filepath.Join(t.work, "tachyform")
	if out, err := exec.Command("go", "build", "-o", t.program, "./cmd/tachyform").CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w", out, err)
	}
	rules := site.Rules{Answers: []site.AnswerRule{{Path: "/api/post", Method: "POST", Status: 201, Type: "application/json", Body: []byte(`{"ok":1}`)}}}
	cache := "no-cache"
	if lifetime > 0 {
		cache = fmt.Sprintf("max-age=%d", lifetime)
	}
	rules.Headers = []site.HeaderRule{{Path: "/**", Name: "Cache-Control", Value: cache}}
	for range 8 {
		if err := t.make(takeover, rules); err != nil {
			return err
		}
	}
	if t.web, err = serve.Start(t.releases[0].server); err != nil {
		return err
	}
	defer t.web.Stop() //nolint:errcheck // it ends
	t.profile = filepath.Join(t.work, "profile")
	if t.b, err = chromium.StartIn(context.Background(), t.web, t.profile); err != nil {
		return err
	}
	defer func() { t.b.Close() }()
	for n := range actions {
		if err := t.act(n); err != nil {
			t.say("  %v", err)
			t.counts["actions that a kill or a cut ended"]++
			if err := t.revive(); err != nil {
				return err
			}
		}
	}
	return t.end()
}

// make writes and fits one more release: of the one before, some files change.
func (t *torture) make(takeover string, rules site.Rules) error {
	n := len(t.releases) + 1
	r := &release{Pages: map[string]int{}, Style: n, Module: n, Part: n, Late: n, dir: filepath.Join(t.work, fmt.Sprint("r", n))}
	count := pagesOfSmall
	if t.large {
		count = pagesOfLarge
	}
	for i := range count {
		r.Pages[pathOf(i)] = n
	}
	if n > 1 {
		before := t.releases[n-2]
		keep := func(now *int, was int) {
			if t.rnd.IntN(2) == 0 {
				*now = was
			}
		}
		keep(&r.Style, before.Style)
		keep(&r.Module, before.Module)
		keep(&r.Part, before.Part)
		keep(&r.Late, before.Late)
		for i := range count { // in a fixed order, so that a seed gives the same
			if p := pathOf(i); t.rnd.IntN(2) == 0 {
				r.Pages[p] = before.Pages[p]
			}
		}
	}
	files := map[string]string{
		"app.css": fmt.Sprintf("h1 { --style: %d }", r.Style),
		"app.js":  fmt.Sprintf("import { part } from \"/dep.js\"; self.seenModule = %d; self.seenPart = part; self.late = () => import(\"/late.js\").then((m) => m.late, () => -1);", r.Module),
		"dep.js":  fmt.Sprintf("export const part = %d;", r.Part),
		"late.js": fmt.Sprintf("export const late = %d;", r.Late),
	}
	for p, v := range r.Pages {
		files[strings.TrimPrefix(p, "/")+"index.html"] = fmt.Sprintf(`<!doctype html><html lang="en" data-page="%d"><head><title>Page %s</title><link rel="stylesheet" href="/app.css"><script type="module" src="/app.js"></script></head><body><h1>%s</h1>%s</body></html>`,
			v, p, p, strings.Repeat("<p>Ferries go in all weathers.", 20))
	}
	files["../tachyform.toml"] = "site = \"dist\"\n[update]\ntakeover = \"" + takeover + "\"\n[[rule]]\nmatch = \"/api/post\"\nmethod = \"POST\"\nanswer = \"outbox\"\n[offline]\npatience = \"2s\"\n"
	if t.large {
		files["../tachyform.toml"] += "[stow]\nnow = [\"/\", \"/app.css\", \"/app.js\", \"/dep.js\"]\nlater = [\"/**\"]\n"
	}
	for name, text := range files {
		at := filepath.Join(r.dir, "dist", filepath.FromSlash(name))
		if err := os.MkdirAll(filepath.Dir(at), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(at, []byte(text), 0o644); err != nil {
			return err
		}
	}
	cmd := exec.Command(t.program, "fit", "--quiet")
	cmd.Dir = r.dir
	if out, err := cmd.CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w", out, err)
	}
	s, err := site.Open(filepath.Join(r.dir, "dist"), "/")
	if err != nil {
		return err
	}
	r.server = site.NewServer(s, rules)
	t.releases = append(t.releases, r)
	return nil
}

func pathOf(i int) string {
	if i == 0 {
		return "/"
	}
	return fmt.Sprintf("/p%d/", i)
}

// act does one thing at random.
func (t *torture) act(n int) error {
	switch k := t.rnd.IntN(100); {
	case k < 45:
		return t.open()
	case k < 55:
		return t.look("late", true)
	case k < 63:
		t.switchRelease()
	case k < 66: // in the middle of a load
		timer := time.AfterFunc(time.Duration(t.rnd.IntN(120))*time.Millisecond, t.switchRelease)
		defer timer.Stop()
		return t.open()
	case k < 72:
		states := []site.Network{site.Offline, site.Offline, site.Failing, site.Portal, site.Slow}
		return t.setNetwork(states[t.rnd.IntN(len(states))])
	case k < 80:
		return t.setNetwork(site.Online)
	case k < 82: // a cut in the middle of a load
		timer := time.AfterFunc(time.Duration(t.rnd.IntN(120))*time.Millisecond, func() { _ = t.web.SetNetwork(site.Offline) })
		defer timer.Stop()
		err := t.open()
		if e := t.setNetwork(site.Online); err == nil {
			err = e
		}
		return err
	case k < 86:
		t.counts["workers stopped"]++
		return t.b.Rest()
	case k < 89:
		return t.b.Tab(t.rnd.IntN(2))
	case k < 91:
		return t.b.CloseTab()
	case k < 97:
		return t.post(n)
	case k < 98:
		t.counts["browsers killed"]++
		t.say("kill")
		t.b.Kill()
		return t.revive()
	default:
		_, err := t.b.Evaluate(`(() => { const b = document.querySelector("[data-app-update]"); const r = navigator.serviceWorker && navigator.serviceWorker.getRegistration(); if (r) r.then((r) => r && r.waiting && Math.random() < .5 && r.waiting.postMessage("tachyform: take over")); return ""; })()`)
		return err
	}
	return nil
}

// revive starts the browser again on what the one before has stored.
func (t *torture) revive() error {
	t.b.Close()
	var err error
	for range 3 {
		for _, lock := range []string{"SingletonLock", "SingletonSocket", "SingletonCookie"} {
			os.Remove(filepath.Join(t.profile, lock))
		}
		if t.b, err = chromium.StartIn(context.Background(), t.web, t.profile); err == nil {
			return t.b.SetNetwork(t.network)
		}
	}
	return err
}

func (t *torture) setNetwork(n site.Network) error {
	t.say("network %s", n)
	t.network = n
	return t.b.SetNetwork(n)
}

// switchRelease goes on, or sometimes back.
func (t *torture) switchRelease() {
	next := min(t.now+1, len(t.releases)-1)
	if t.rnd.IntN(8) == 0 || next == t.now {
		next = t.rnd.IntN(len(t.releases))
	}
	t.say("release %d", next+1)
	t.now = next
	t.counts["releases"]++
	t.web.Release(t.releases[next].server)
}

func (t *torture) open() error {
	i := t.rnd.IntN(pagesOfSmall)
	if t.large && t.rnd.IntN(4) == 0 {
		i = t.rnd.IntN(pagesOfLarge)
	}
	p := pathOf(i)
	t.say("open %s", p)
	if _, err := t.b.Open(p); err != nil {
		return err
	}
	return t.look(p, t.rnd.IntN(3) == 0)
}

// look compares what the tab shows with the releases.
func (t *torture) look(what string, late bool) error {
	ask := "0"
	if late {
		ask = "self.late ? await self.late() : 0"
	}
	text, err := t.b.Evaluate(`(async () => {
		const end = Date.now() + 1500;
		while (!self.seenModule && Date.now() < end) await new Promise((done) => setTimeout(done, 20));
		const h = document.querySelector("h1");
		return JSON.stringify({path: location.pathname, page: +document.documentElement.dataset.page || 0, style: h && +getComputedStyle(h).getPropertyValue("--style") || 0, module: self.seenModule || 0,
			part: self.seenPart || 0, late: ` + ask + `, controlled: !!(navigator.serviceWorker && navigator.serviceWorker.controller), title: document.title});
	})()`)
	if err != nil {
		return err
	}
	var s seen
	if err := json.Unmarshal([]byte(text), &s); err != nil {
		return err
	}
	t.say("  %+v", s)
	t.installed = t.installed || s.Controlled
	if s.Page == 0 {
		switch {
		case strings.HasPrefix(s.Title, "No connection"):
			t.counts["offline pages"]++
		case strings.HasPrefix(s.Title, "Sign in"), t.network != site.Online, s.Path == "blank":
			t.counts["error pages"]++
		default:
			t.counts["other pages"]++
		}
		if t.installed && what != "late" && !t.large && t.network != site.Online {
			t.breaks("%s is lost in state %s: %+v", what, t.network, s)
		}
		return nil
	}
	t.counts["loads"]++
	lacks := s.Style == 0 || s.Module == 0 || s.Part == 0
	for _, r := range t.releases {
		same := func(v, of int) bool { return v <= 0 || v == of }
		if s.Page == r.Pages[s.Path] && same(s.Style, r.Style) && same(s.Module, r.Module) && same(s.Part, r.Part) && same(s.Late, r.Late) {
			if lacks {
				t.counts["loads that lack a part"]++
				if t.network != site.Online && s.Controlled && !t.large {
					t.counts["  of them without a network, controlled"]++
				}
			}
			if s.Late < 0 {
				t.counts["late parts that failed"]++
			}
			return nil
		}
	}
	if s.Controlled {
		t.breaks("a mix on a controlled page (%s, server has %d): %+v", what, t.now+1, s)
	} else {
		t.counts["mixes on pages without a worker"]++
	}
	return nil
}

// post sends something that must not be lost.
func (t *torture) post(n int) error {
	body := fmt.Sprintf("post-%d", n)
	status, err := t.b.Evaluate(fmt.Sprintf(`navigator.serviceWorker && navigator.serviceWorker.controller ? Promise.race([fetch("/api/post", {method: "POST", body: %q}).then((r) => String(r.status), () => "failed"), new Promise((done) => setTimeout(done, 15000, "late"))]) : "no worker"`, body))
	if err != nil {
		return err
	}
	t.say("post %s: %s", body, status)
	if status == "201" || status == "202" {
		t.accepted[body] = true
		t.counts["posts promised"]++
	}
	return nil
}

// end makes three clean visits and looks after the posts.
func (t *torture) end() error {
	if err := t.setNetwork(site.Online); err != nil {
		return err
	}
	t.b.Close()
	if err := t.revive(); err != nil {
		return err
	}
	for range 3 {
		if _, err := t.b.Open("/"); err != nil {
			return err
		}
		// The browser looks for an update some seconds after a navigation; a visit is as long.
		if _, err := t.b.Evaluate(`new Promise((done) => setTimeout(() => done(""), 8000))`); err != nil {
			return err
		}
		if err := t.b.Settle(); err != nil {
			return err
		}
		if err := t.b.CloseTab(); err != nil {
			return err
		}
	}
	if _, err := t.b.Open("/"); err != nil {
		return err
	}
	before := len(t.broken)
	shown, err := t.b.Evaluate(`document.documentElement.dataset.page + " " + getComputedStyle(document.querySelector("h1")).getPropertyValue("--style").trim()`)
	if err != nil {
		return err
	}
	r := t.releases[t.now]
	if want := fmt.Sprint(r.Pages["/"], " ", r.Style); shown != want {
		regs, _ := t.b.Registrations()
		why, _ := t.b.Evaluate(`navigator.serviceWorker.getRegistration().then(async (r) => { await r.update().catch((e) => "" + e); const m = await (await caches.match("/?tachyform:memory")).text(); return [r.installing && "installing", r.waiting && "waiting", r.active && r.active.state, m].join(" "); })`)
		t.breaks("stuck: after three clean visits the start page shows %s and the release has %s (%+v, %s, %v)", shown, want, regs, why, t.b.Remarks())
	}
	deadline := time.Now().Add(30 * time.Second)
	arrived := map[string]map[string]int{}
	missing := func() []string {
		for _, q := range t.b.Received() {
			if q.Method == "POST" {
				key := ""
				for _, h := range q.Header {
					if strings.EqualFold(h[0], "idempotency-key") {
						key = h[1]
					}
				}
				if arrived[string(q.Body)] == nil {
					arrived[string(q.Body)] = map[string]int{}
				}
				arrived[string(q.Body)][key]++
			}
		}
		var out []string
		for body := range t.accepted {
			if arrived[body] == nil {
				out = append(out, body)
			}
		}
		return out
	}
	for len(missing()) > 0 && time.Now().Before(deadline) {
		if err := t.b.Post("tachyform: send", false); err != nil {
			return err
		}
		if _, err := t.b.Evaluate(`new Promise((done) => setTimeout(() => done(""), 500))`); err != nil {
			return err
		}
	}
	for _, m := range missing() {
		t.breaks("%s was promised and never arrived", m)
	}
	for body, keys := range arrived {
		if len(keys) > 1 || keys[""] > 0 {
			t.breaks("%s arrived under several keys: %v", body, keys)
		}
	}
	t.counts["broken before the end"] = before
	return nil
}
