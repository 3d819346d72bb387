package e2e

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// changes rewrites files on the server without a fit, as a nightly job or a host does.
func (w *world) changes(files map[string]string) {
	w.Helper()
	write(w.T, filepath.Join(w.dir, "dist"), files)
	w.Release(w.serve())
}

// away takes files off the server.
func (w *world) away(names ...string) {
	w.Helper()
	for _, n := range names {
		require.NoError(w, os.Remove(filepath.Join(w.dir, "dist", filepath.FromSlash(n))))
	}
}

// TestWhatTheServerChanges is about files that the server rewrites or withholds without a release: data and pictures stop nobody,
// code does.
func TestWhatTheServerChanges(t *testing.T) {
	files := map[string]string{
		"app.js":          `fetch("/data/now.json").catch(() => {}); fetch("/data/mine.json").catch(() => {})`,
		"data/now.json":   `{"at": 1}`,
		"data/mine.json":  `{"at": 1}`,
		"notes/tides.txt": "high",
		"notes/gone.txt":  "gone",
		"index.html":      strings.Replace(start, "</head>", `<script src="/app.js"></script></head><a href="/notes/tides.txt">Tides</a><a href="/notes/gone.txt">Gone</a>`, 1),
	}
	onBothStages(t, files, "", site.Rules{Answers: []site.AnswerRule{{Path: "/data/mine.json", Status: 401, Type: "text/plain"}}}, func(w *world) {
		assert.NotContains(w, w.read("dist/sw.js"), `"/data/now.json": "`, "what a rule keeps is no part of the release")
		w.away("notes/gone.txt")
		w.changes(map[string]string{"data/now.json": `{"at": 2}`, "notes/tides.txt": "low"})
		w.visit()
		require.Equal(w, "activated", w.state(), "a new visitor gets the worker")
		assert.Equal(w, `{"at": 2}`, w.get("/data/now.json"))
		assert.Equal(w, "low", w.get("/notes/tides.txt"), "what was left out comes from the network")
		w.network(stage.Offline)
		w.rest()
		l := w.open("/")
		assert.Equal(w, "Skerry Line", l.Title)
		for _, m := range l.Missing {
			assert.Equal(w, "/data/mine.json", m.URL)
		}
		assert.Equal(w, `{"at": 2}`, w.get("/data/now.json"))
		assert.Equal(w, "rejected", w.get("/data/mine.json"), "an answer for somebody else was not kept")
		w.network(stage.Online)
		// A picture that is to be had again is stored at the next visit.
		w.changes(map[string]string{"notes/gone.txt": "gone"})
		w.rest()
		w.open("/")
		w.comes("the file that was left out", func() bool {
			return slices.ContainsFunc(w.stored(" files"), func(u string) bool { return strings.HasPrefix(u, "/notes/gone.txt?") })
		})
	})
}

// TestCodeThatTheServerChanges is about a script that is not what was released: the release before stays, and pages are told why.
func TestCodeThatTheServerChanges(t *testing.T) {
	mostlyEmbedded(t, version("v1"), "", site.Rules{}, func(w *world) {
		w.visit()
		w.release(version("v2"))
		w.changes(map[string]string{"late.js": "// rewritten by the host"})
		var told string
		w.open("/")
		if w.chrome != nil {
			var err error
			told, err = w.chrome.Evaluate(`new Promise((done) => addEventListener("app-release", ({detail}) => done(detail.failed + ": " + detail.reason)))`)
			require.NoError(w, err)
			assert.Equal(w, "/late.js: /late.js is answered with other bytes than were released", told)
			w.Remarks()
		}
		w.comes("the failed install", func() bool { require.NoError(w, w.Settle()); return slices.Contains(w.asked(), "GET /late.js") })
		assert.Equal(w, "v1 v1 v1", w.sees("/map/"))
		if w.chrome != nil {
			w.Remarks() // each failed try is one
		}
	})
}

const privateRules = `
[stow]
now = ["/", "/app.css"]
never = ["/api/never/**"]

[[rule]]
match = "/api/never/but-this"
answer = "network-first"
never = "ignore"

[[rule]]
name = "mine"
match = "/api/mine/*"
answer = "network-first"
keep = { private = true }

[[rule]]
match = "/api/sign-out"
method = "POST"
answer = "network-only"
forget = ["mine"]

[[rule]]
match = "/api/*"
answer = "network-first"
`

// TestPrivateAnswers is about answers for one visitor: they are not kept without a word, and gone when the server says so.
func TestPrivateAnswers(t *testing.T) {
	headers := []site.HeaderRule{{Path: "/api/private", Name: "Cache-Control", Value: "private, max-age=60"}, {Path: "/api/mine/**", Name: "Cache-Control", Value: "private, no-cache"}, {Path: "/api/cookie", Name: "Vary", Value: "Cookie"},
		{Path: "/api/secret", Name: "Cache-Control", Value: "no-store"}}
	all := func(status int) []site.AnswerRule {
		return []site.AnswerRule{{Path: "/api/sign-out", Method: "POST", Status: 204}, {Path: "/api/**", Status: status, Type: "application/json", Body: []byte(fmt.Sprint(status))}}
	}
	onBothStages(t, nil, privateRules, site.Rules{Answers: all(200), Headers: headers}, func(w *world) {
		w.visit()
		for _, u := range []string{"/api/private", "/api/secret", "/api/cookie", "/api/never/a", "/api/never/but-this", "/api/mine/loans", "/api/mine/other", "/api/plain"} {
			assert.Equal(w, "200", w.get(u), u)
		}
		w.send(stage.Message{URL: "/api/token", Header: [][2]string{{"Authorization", "Bearer x"}}})
		assert.Equal(w, "200", w.get("/api/last"))
		w.comes("the last answer", func() bool { return slices.Contains(w.stored(" kept"), "/api/last") })
		assert.Equal(w, []string{"/api/last", "/api/mine/loans", "/api/mine/other", "/api/never/but-this", "/api/plain"}, w.stored(" kept"))
		for _, status := range []int{401, 403, 404, 410} {
			w.answers(all(200)...)
			assert.Equal(w, "200", w.get("/api/mine/loans"))
			w.comes("the answer", func() bool { return slices.Contains(w.stored(" kept"), "/api/mine/loans") })
			w.answers(all(status)...)
			assert.Equal(w, fmt.Sprint(status), w.get("/api/mine/loans"), "a definite answer is shown")
			w.comes("the end of the copy", func() bool { return !slices.Contains(w.stored(" kept"), "/api/mine/loans") })
			w.network(stage.Offline)
			w.rest()
			assert.Equal(w, "rejected", w.get("/api/mine/loans"))
			w.network(stage.Online)
		}
		for _, status := range []int{500, 503, 429, 408} {
			w.answers(all(status)...)
			assert.Equal(w, "200", w.get("/api/plain"), "a server that fails says nothing of what it had: %d", status)
		}
		w.answers(all(200)...)
		assert.Equal(w, 204, w.send(stage.Message{Method: "POST", URL: "/api/sign-out"}).Status)
		w.comes("the end of what was hers", func() bool { return !slices.Contains(w.stored(" kept"), "/api/mine/other") })
		assert.Contains(w, w.stored(" kept"), "/api/plain")
	})
}

// TestShell is about an application whose shell answers every route at once.
func TestShell(t *testing.T) {
	files := map[string]string{
		"index.html":       `<!doctype html><html lang=en><head><title>Boats</title><script src="/app.js"></script></head><body></body></html>`,
		"app.js":           "self.rel = 1",
		"legal/index.html": strings.Replace(start, "Skerry Line", "Legal", 1),
	}
	toml := "[stow]\nnow = [\"/\", \"/app.js\"]\n[offline]\nshell = \"/index.html\"\nexcept = [\"/account/**\"]\npatience = \"2s\"\n[server]\nfallback = \"/index.html\"\n"
	mostlyEmbedded(t, files, toml, site.Rules{Fallback: "/index.html"}, func(w *world) {
		w.visit()
		w.open("/boats/7?tab=crew")
		assert.NotContains(w, w.asked(), "GET /boats/7?tab=crew", "a route costs the server nothing")
		for _, n := range []stage.Network{stage.Online, stage.Slow, stage.Failing, stage.Portal, stage.Offline} {
			w.network(n)
			w.rest()
			l := w.open("/boats/7")
			assert.Equal(w, "Boats", l.Title, n)
			assert.Equal(w, 200, l.Status, n)
			assert.Empty(w, l.Missing, n)
			assert.Equal(w, stage.ByWorker, l.AnsweredBy, n)
			w.network(stage.Online)
		}
		w.Received()
		assert.Equal(w, "Legal", w.open("/legal/").Title, "a page of the site that is not stored is no route")
		w.open("/report.pdf")
		assert.Contains(w, w.asked(), "GET /report.pdf", "what ends in an extension is no route")
		w.release(map[string]string{"app.js": "self.rel = 2", "index.html": strings.Replace(files["index.html"], "Boats", "Boats 2", 1)})
		w.open("/boats/8")
		w.updated()
		assert.Equal(w, "Boats", w.open("/boats/9").Title)
		assert.Equal(w, "self.rel = 1", w.get("/app.js"), "a route is a page of its release")
	})
}

// TestSignIn is about an application whose server leads visitors to a sign-in, and from there back into it: both ways the server is asked,
// and what it says is followed.
func TestSignIn(t *testing.T) {
	files := map[string]string{
		"index.html":    `<!doctype html><html lang=en><head><title>Boats</title><script src="/app.js"></script></head><body></body></html>`,
		"app.js":        "self.rel = 1",
		"in/index.html": strings.Replace(start, "Skerry Line", "Sign in", 1),
	}
	rules := site.Rules{Fallback: "/index.html", Redirects: []site.RedirectRule{{From: "/account", To: "/in/", Status: 302}, {From: "/in/back", To: "/boats", Status: 303}}}
	for name, offline := range map[string]string{"known routes": "routes = [\"/\", \"/boats\", \"/boats/*\"]", "exceptions": "except = [\"/account\", \"/in/back\"]"} {
		t.Run(name, func(t *testing.T) {
			stages := mostlyEmbedded
			if name == "exceptions" {
				stages = onEmbedded
			}
			stages(t, files, "[offline]\nshell = \"/index.html\"\n"+offline+"\n[server]\nfallback = \"/index.html\"\n", rules, func(w *world) {
				w.visit()
				w.asked()
				w.open("/boats/7")
				assert.NotContains(w, w.asked(), "GET /boats/7", "a route costs the server nothing")
				assert.Equal(w, "Sign in", w.open("/account").Title)
				assert.Contains(w, w.asked(), "GET /account")
				assert.Equal(w, "Boats", w.open("/in/back?code=7&state=x").Title)
				assert.Contains(w, w.asked(), "GET /in/back?code=7&state=x", "what it brings back reaches the server")
				w.network(stage.Offline)
				w.rest()
				assert.Equal(w, "Boats", w.open("/boats").Title)
			})
		})
	}
}

// TestPatienceOfPages is about pages that are not stored, on a network that does not answer.
func TestPatienceOfPages(t *testing.T) {
	files := map[string]string{"news/index.html": strings.Replace(start, "Skerry Line", "News", 1)}
	mostlyEmbedded(t, files, "[stow]\nnow = [\"/\", \"/app.css\"]\n[offline]\npatience = \"1s\"\n", site.Rules{}, func(w *world) {
		w.visit()
		w.network(stage.Slow)
		w.rest()
		l := w.open("/news/")
		assert.Equal(w, "No connection - Skerry Line", l.Title)
		for _, m := range l.Missing {
			assert.Equal(w, "/news/", m.URL, "the offline page has all that it needs, and asks for the page itself")
		}
		w.network(stage.Online)
		assert.Equal(w, "News", w.open("/news/").Title)
	})
}

// TestChunksOfOpenTabs is about what an open tab asks for late, after a release that does not have it any more.
func TestChunksOfOpenTabs(t *testing.T) {
	for _, takeover := range []string{"at-once", "next-visit"} {
		t.Run(takeover, func(t *testing.T) {
			files := version("v1")
			files["chunk-a1.js"] = "// chunk v1"
			toml := "[update]\ntakeover = \"" + takeover + "\"\n[server]\nfallback = \"/index.html\"\n"
			stages := onBothStages
			if takeover == "next-visit" {
				stages = onChromium // the harder one is done on both
			}
			stages(t, files, toml, site.Rules{Fallback: "/index.html"}, func(w *world) {
				w.open("/") // the first visit: its page comes from the network
				require.NoError(w, w.Settle())
				if w.chrome != nil {
					_, err := w.chrome.Evaluate(`navigator.serviceWorker.controller ? "" : new Promise((done) => navigator.serviceWorker.addEventListener("controllerchange", () => done("")))`)
					require.NoError(w, err)
				} else {
					w.open("/") // pages do not say there which they are
				}
				w.away("chunk-a1.js")
				next := version("v2")
				next["chunk-b2.js"] = "// chunk v2"
				w.release(next)
				require.NoError(w, w.Tab(1))
				w.open("/map/")
				if takeover == "at-once" {
					w.comes("the release", func() bool {
						w.open("/map/")
						require.NoError(w, w.Settle())
						return w.state() == "activated" && w.releases() == 2
					})
				} else {
					w.updated()
				}
				require.NoError(w, w.Tab(0))
				for range 2 {
					assert.Equal(w, "// chunk v1", w.get("/chunk-a1.js"), "it is stored, and the tab is of its release")
					assert.Equal(w, "v1 v1", w.late())
					w.rest()
				}
				if w.chrome != nil {
					failed, err := w.chrome.Evaluate(`new Promise((done) => document.head.append(Object.assign(document.createElement("script"), {src: "/nowhere.js", onload: () => done("loaded"), onerror: () => done("error")})))`)
					require.NoError(w, err)
					assert.Equal(w, "error", failed, "a script is never answered by a page")
					w.chrome.Console()
				}
			})
		})
	}
}

// TestLifetimes is about servers that give their files a lifetime: no cache of the browser may answer for another release.
func TestLifetimes(t *testing.T) {
	of := func(v string) map[string]string {
		page := `<!doctype html><html lang=en><head><title>Home ` + v + `</title><link rel=stylesheet href="/app.css"><script type=module src="/app.js"></script></head><body><h1>x</h1></body></html>`
		return map[string]string{"index.html": page, "app.css": `h1 { --release: ` + v + ` }`, "app.js": `import { v } from "./dep.js"; document.documentElement.dataset.v = v + "` + v + `";`, "dep.js": `export const v = "` + v + `";`}
	}
	saw := `new Promise((done) => { const look = () => { const v = document.documentElement.dataset.v; if (!v) return setTimeout(look, 20); done([document.title.split(" ").pop(), getComputedStyle(document.querySelector("h1")).getPropertyValue("--release").trim(), v].join(" ")); }; look(); })`
	mostlyEmbedded(t, of("v1"), "", site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Cache-Control", Value: "max-age=600"}}}, func(w *world) {
		if w.chrome == nil {
			return // the memory cache is a browser's
		}
		sees := func(url, want, why string) {
			w.Helper()
			w.open(url)
			got, err := w.chrome.Evaluate(saw)
			require.NoError(w, err)
			assert.Equal(w, want, got, why)
		}
		w.visit()
		sees("/", "v1 v1 v1v1", "")
		next := of("v2")
		next["new/index.html"] = strings.Replace(next["index.html"], "Home", "New", 1)
		w.release(next)
		for range 2 {
			sees("/new/", "v2 v2 v2v2", "a page that only the next release has, with its parts")
			sees("/", "v1 v1 v1v1", "and back home")
		}
		sees("/", "v1 v1 v1v1", "also when it is loaded again")
	})
}

// TestRecovery is about stores that were emptied, wholly or partly, and entries that are damaged: the next visit with a network heals
// them.
func TestRecovery(t *testing.T) {
	const evil = `const box = caches;
	addEventListener("message", (e) => e.waitUntil((async () => {
		const [what, arg] = String(e.data).split(" ");
		const files = (await box.keys()).find((n) => n.endsWith(" files"));
		if (what === "empty") for (const n of await box.keys()) await box.delete(n);
		if (what === "half") { const c = await caches.open(files); for (const k of await c.keys()) if (k.url.includes(arg)) await c.delete(k); }
		if (what === "damage") { const c = await caches.open(files); for (const k of await c.keys()) if (k.url.includes(arg)) await c.put(k, new Response("damaged", {headers: {"content-type": "text/css"}})); }
		const state = await caches.open(files.replace("files", "state"));
		const memory = what !== "empty" && await (await state.match("/?tachyform:memory")).json();
		if (memory) await state.put("/?tachyform:memory", new Response(JSON.stringify({...memory, looked: 0}))); // a visit of another day
		if (what === "state") await box.delete(files.replace("files", "state"));
	})()));`
	files := version("v1")
	files["evil.js"] = evil
	for name, c := range map[string]struct {
		message string
		visits  int // with a network, until it is healed
	}{"emptied": {"empty", 1}, "half emptied": {"half /map/", 1}, "the offline page": {"half /offline.html", 1}, "a damaged style": {"damage /app.css", 2}, "what it knows": {"state", 1}} {
		t.Run(name, func(t *testing.T) {
			stages := onBothStages
			if c.message == "state" || strings.HasPrefix(c.message, "half") { // in Chromium, others are enough
				stages = onEmbedded
			}
			stages(t, files, "[worker]\nbeside = \"/evil.js\"\n", site.Rules{}, func(w *world) {
				w.visit()
				w.open("/")
				require.NoError(w, w.Settle())
				require.NoError(w, w.Post(c.message, false))
				w.comes("the damage", func() bool {
					if c.message == "damage /app.css" {
						return w.get("/app.css") == "damaged"
					}
					all, files := len(w.stored(" files")), w.stored(" files")
					switch c.message {
					case "empty":
						return all == 0 || w.chrome == nil
					case "state":
						return len(w.stored(" state")) == 0
					}
					return !slices.ContainsFunc(files, func(u string) bool { return strings.HasPrefix(u, strings.Fields(c.message)[1]) })
				})
				w.rest()
				for range c.visits + 1 {
					w.open("/")
					require.NoError(w, w.Settle())
				}
				whole := func(u string) func() bool {
					return func() bool {
						return slices.ContainsFunc(w.stored(" files"), func(s string) bool { return strings.HasPrefix(s, u+"?") })
					}
				}
				for _, u := range []string{"/map/", "/", "/late.js", "/app.css", "/offline.html"} {
					w.comes("the healing", whole(u))
				}
				w.comes("the sound style", func() bool { return w.get("/app.css") == "/* v1 */" })
				w.network(stage.Offline)
				w.rest()
				assert.Equal(w, "v1 v1 v1", w.sees("/map/"))
				assert.Contains(w, w.open("/nowhere/").Title, "No connection")
			})
		})
	}
}

// TestRollback goes back to the release before, with a server that gives lifetimes.
func TestRollback(t *testing.T) {
	mostlyEmbedded(t, version("v1"), "", site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Cache-Control", Value: "max-age=600"}}}, func(w *world) {
		w.visit()
		for _, v := range []string{"v2", "v1", "v2"} {
			w.release(version(v))
			w.open("/")
			w.updated()
			require.NoError(w, w.CloseTab())
			w.comes("the change", func() bool { return w.state() == "activated" })
			require.NoError(w, w.Tab(0))
			assert.Equal(w, v+" "+v+" "+v, w.sees("/map/"))
		}
	})
}
