// Package pagetruth holds pages with scripts, one behaviour each, and what Chromium made of them online, without a network and with a failing
// server: testdata/chromium.json, recorded by the program in record.
package pagetruth

import (
	_ "embed"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"sort"
	"strings"

	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/stage"
)

// Case is one page.
type Case struct{ Name, Path, Body string }

//go:embed cases.js
var source string

//go:embed testdata/chromium.json
var recorded []byte

var unsafe = regexp.MustCompile(`[^a-z0-9]+`)

// Cases gives the pages in their order.
func Cases() []Case {
	var out []Case
	for _, part := range strings.Split(source, "\n=== ")[1:] {
		name, body, _ := strings.Cut(part, "\n")
		out = append(out, Case{name, "/c/" + strings.Trim(unsafe.ReplaceAllString(strings.ToLower(name), "-"), "-") + "/", body})
	}
	return out
}

// States are the network states that pages are opened in.
var States = []stage.Network{stage.Online, stage.Offline, stage.Failing}

// Recorded gives what Chromium made of the cases: facts by name and state.
func Recorded() (map[string]map[string][]string, error) {
	out := map[string]map[string][]string{}
	if len(recorded) == 0 {
		return out, nil
	}
	return out, json.Unmarshal(recorded, &out)
}

var shared = map[string]string{
	"index.html": `<!doctype html><html lang=en><head><title>Start</title></head><body><script>navigator.serviceWorker.register("/sw.js")</script>`,
	"boats.json": `[{"name": "Maid of Orran"}, {"name": "Lady Brae"}]`,
	"sw.js": `const FILES = LIST;
oninstall = (e) => e.waitUntil(caches.open("files").then((c) => c.addAll(FILES)).then(() => skipWaiting()));
onactivate = (e) => e.waitUntil(clients.claim());
onfetch = (e) => { if (e.request.method === "GET" && !e.request.url.includes("boats.json")) e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request))); };
onmessage = (e) => e.source.postMessage({answer: e.data.ask + 1});`,
	"lib/slow.js": "window.slow = 'came'; out('slow')", "lib/one.js": "out('one')", "lib/two.js": "out('two')", "lib/module.js": "import w from './words.js'; out(w)",
	"lib/words.js": "export default 'D'; export let word = 'word'; export const later = () => { word = 'changed' }", "lib/scoped.js": "import {y} from 'deep'; export const x = y", "lib/deep.js": "export const y = 'deep'",
	"lib/waits.js": "export const v = await new Promise((r) => setTimeout(r, 30, 'waited'))", "lib/meta.js": "out(new URL('x.png', import.meta.url).pathname)", "lib/a.js": "import {b} from './b.js'; export const a = () => 'a' + b()",
	"lib/b.js": "import {a} from './a.js'; export const b = () => typeof a", "lib/counts.js": "window.count = (window.count || 0) + 1", "lib/more.css": "p { color: teal }", "lib/throws.js": "\n\n   missing.y()", "lib/throwsmodule.js": "throw new RangeError('module')",
	"lib/boats.json": "[]",
}

const dot = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="

// Write puts the cases into a folder as a site.
func Write(dir string) error {
	files := map[string]string{}
	list := []string{"/", "/lib/dot.png"}
	for name, data := range shared {
		files[name] = data
		if strings.HasPrefix(name, "lib/") && !strings.HasSuffix(name, ".json") {
			list = append(list, "/"+name)
		}
	}
	picture, err := base64.StdEncoding.DecodeString(dot)
	if err != nil {
		return err
	}
	files["lib/dot.png"] = string(picture)
	for _, c := range Cases() {
		files[c.Path[1:]+"index.html"] = "<!doctype html>\n<html lang=en><head><title>" + c.Name + "</title><link rel=icon href=\"data:,\"><script>const said = []; const out = (x) => { said.push(x); const o = document.getElementById(\"out\"); if (o) o.textContent = said.join(\" \") }; document.addEventListener(\"DOMContentLoaded\", () => { document.getElementById(\"out\").textContent = said.join(\" \") })</script></head>\n<body>" + c.Body + "\n<p id=out></p></body></html>\n"
		list = append(list, c.Path)
	}
	sort.Strings(list)
	text, err := json.Marshal(list)
	if err != nil {
		return err
	}
	files["sw.js"] = strings.Replace(files["sw.js"], "LIST", string(text), 1)
	for name, data := range files {
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

var class = regexp.MustCompile(`\b([A-Z]\w*Error|Error)\b`)

// Observe opens the pages in some network states on a stage, whose server is online, and gives the facts of each: text, title, requests, and of uncaught errors their
// class and place.
func Observe(st rehearsal.Stage, cases []Case, states []stage.Network, told func(name, state string, facts []string)) error {
	if s, ok := st.(interface{ RunScripts(bool) }); ok {
		s.RunScripts(true)
	}
	for range 2 {
		if _, err := st.Open("/"); err != nil {
			return err
		}
		if err := st.Settle(); err != nil {
			return err
		}
	}
	for _, n := range states {
		if err := st.SetNetwork(n); err != nil {
			return err
		}
		for _, c := range cases {
			l, err := st.Open(c.Path)
			if err != nil {
				return fmt.Errorf("%s: %w", c.Name, err)
			}
			next, err := st.Shown()
			if err != nil {
				return fmt.Errorf("%s: %w", c.Name, err)
			}
			if next != nil {
				l = next
			}
			told(c.Name, string(n), facts(l))
		}
	}
	return st.SetNetwork(stage.Online)
}

func facts(l *stage.Load) []string {
	out := []string{"title " + l.Title, "text " + strings.Join(strings.Fields(l.Text), " ")}
	seen := map[string]bool{}
	for _, r := range l.Requests {
		f := fmt.Sprintf("request %s %s %s", r.Method, r.URL, r.Result)
		if r.Result == "answered" {
			f += fmt.Sprint(" ", r.Status)
		}
		if !seen[f] {
			seen[f] = true
			out = append(out, f)
		}
	}
	for _, e := range l.Errors {
		out = append(out, fmt.Sprintf("error %s %s:%d", class.FindString(e.Message), e.File, e.Line))
	}
	return out
}
