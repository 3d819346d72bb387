package e2e

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/worker"
)

// version gives the files of one release of a small site: every file says which.
func version(v string) map[string]string {
	page := func(title string) string {
		return `<!doctype html><html lang=en><head><title>` + title + " " + v + `</title><link rel="stylesheet" href="/app.css"></head><body data-late="/late.js /photo.txt /evil.js /chunk-a1.js /chunk-b2.js"><h1>` + v + `</h1></body></html>`
	}
	return map[string]string{"index.html": page("Home"), "map/index.html": page("Map"), "app.css": "/* " + v + " */", "late.js": "// " + v, "photo.txt": v}
}

// sees says what release a page and what it asks for later are of, such as "v1 v1 v1".
func (w *world) sees(url string) string {
	w.Helper()
	l := w.open(url)
	require.NotEmpty(w, l.Title, l.Why)
	return l.Title[strings.LastIndexByte(l.Title, ' ')+1:] + " " + w.late()
}

// late says what release the open page's later requests are answered from.
func (w *world) late() string {
	w.Helper()
	return strings.Trim(w.get("/late.js"), "/ ") + " " + strings.Trim(w.get("/app.css"), "/* ")
}

// keeps wants later requests of the open page to be answered from a release, and says what its worker knows of it when they are not.
func (w *world) keeps(want, why string) {
	w.Helper()
	if got := w.late(); !assert.Equal(w, want, got, why) && w.chrome != nil {
		told, err := w.chrome.Evaluate(`(async () => {
			const { controller } = navigator.serviceWorker;
			const out = [document.title, controller ? controller.state : "no controller"];
			for (const name of await caches.keys()) if (name.endsWith(" state")) {
				const state = await caches.open(name);
				for (const { url } of await state.keys()) out.push(url + ": " + (url.includes("release=") ? "a list" : await (await state.match(url)).text()));
			}
			return out.join("\n");
		})()`)
		w.Log(told, err)
	}
}

func TestUpdateDownloadsWhatChanged(t *testing.T) {
	files := map[string]string{"notes/index.html": start}
	for i := range 200 {
		files[fmt.Sprintf("notes/%03d.txt", i)] = fmt.Sprintf("Note %d", i)
		files["notes/index.html"] += fmt.Sprintf("<a href=\"%03d.txt\">Note</a>", i)
	}
	mostlyEmbedded(t, files, "", site.Rules{}, func(w *world) {
		w.visit()
		w.release(map[string]string{"notes/007.txt": "changed", "notes/100.txt": "changed", "app.css": "body { color: navy }"})
		w.open("/")
		w.comes("the update", func() bool { require.NoError(w, w.Settle()); return w.state() == "waiting" })
		var fetched []string
		for _, a := range w.asked() {
			if a != "GET /" && a != "GET /favicon.ico" && !strings.HasPrefix(a, "GET /manifest") && !strings.HasPrefix(a, "GET /icon") {
				fetched = append(fetched, a)
			}
		}
		slices.Sort(fetched)
		fetched = slices.DeleteFunc(slices.Compact(fetched), func(a string) bool { return strings.HasPrefix(a, "GET /sw-engine.js?") })
		assert.Equal(w, []string{"GET /app.css", "GET /notes/007.txt", "GET /notes/100.txt", "GET /sw.js"}, fetched)
	})
}

// state of the worker.
func (w *world) state() string {
	w.Helper()
	regs, err := w.Registrations()
	require.NoError(w, err)
	require.NotEmpty(w, regs)
	return regs[0].State
}

// updated waits until the next release is installed.
func (w *world) updated() {
	w.Helper()
	w.comes("the next release", func() bool {
		require.NoError(w, w.Settle())
		return w.state() == "waiting"
	})
}

func TestNeverAMix(t *testing.T) {
	t.Run("next visit", func(t *testing.T) {
		onBothStages(t, version("v1"), "[worker]\nminify = true\n", site.Rules{}, func(w *world) {
			w.visit()
			w.release(version("v2"))
			assert.Equal(w, "v1 v1 v1", w.sees("/"))
			w.updated()
			require.NoError(w, w.Tab(1))
			for range 2 {
				assert.Equal(w, "v1 v1 v1", w.sees("/map/"), "as long as a page is open")
				w.rest()
				assert.Equal(w, "v1 v1", w.late())
			}
			require.NoError(w, w.CloseTab())
			assert.Equal(w, "v1 v1 v1", w.sees("/map/"))
			require.NoError(w, w.CloseTab())
			w.comes("the change", func() bool { require.NoError(w, w.Tab(0)); return w.state() == "activated" })
			assert.Equal(w, "v2 v2 v2", w.sees("/"))
			w.network(stage.Offline)
			w.rest()
			assert.Equal(w, "v2 v2 v2", w.sees("/map/"))
		})
	})
	for _, takeover := range []string{"when-asked", "at-once"} {
		t.Run(takeover, func(t *testing.T) {
			stages := onBothStages
			if takeover == "when-asked" { // in which Chromium waits until it finds the old worker idle, on a busy machine for minutes
				stages = mostlyEmbedded
			}
			stages(t, version("v1"), "[update]\ntakeover = \""+takeover+"\"\n", site.Rules{}, func(w *world) {
				w.visit()
				require.NoError(w, w.Tab(1))
				assert.Equal(w, "v1 v1 v1", w.sees("/map/"))
				w.release(version("v2"))
				require.NoError(w, w.Tab(0))
				w.open("/")
				if takeover == "when-asked" {
					w.updated()
					assert.Equal(w, "v1 v1 v1", w.sees("/"))
					require.NoError(w, w.Post("tachyform: take over", true))
				}
				require.NoError(w, w.Tab(1))
				w.tookOver()
				for range 2 {
					w.keeps("v1 v1", "a page that is open keeps its release")
					w.rest()
				}
				w.network(stage.Offline)
				w.keeps("v1 v1", "without a network, too")
				w.network(stage.Online)
				assert.Equal(w, "v2 v2 v2", w.sees("/map/"), "until it is loaded again")
				require.NoError(w, w.Tab(0))
				assert.Equal(w, "v2 v2 v2", w.sees("/"))
				if w.embedded != nil { // pages that were left may come back: what they need stays for a day
					w.embedded.Advance(25 * time.Hour)
					w.rest()
					w.comes("the end of the old release", func() bool { w.open("/"); return w.releases() == 1 })
				}
			})
		})
	}
}

// tookOver waits until a next release has taken over by itself.
func (w *world) tookOver() {
	w.Helper()
	began := time.Now()
	w.comes("the change", func() bool {
		require.NoError(w, w.Settle())
		if w.chrome != nil && time.Since(began) > 20*time.Second { // skipWaiting is pending, and nothing is in the old worker: Chromium looks again after another event
			began = time.Now()
			said, err := w.chrome.Evaluate(`fetch("/app.css").then((r) => String(r.status), String)`)
			w.Logf("Chromium was asked for something, so that it looks again whether the old worker is idle: %v %v; %s", said, err, w.last)
		}
		regs, err := w.Registrations()
		require.NoError(w, err)
		w.last = fmt.Sprintf("%d releases are stored, and there are %+v", w.releases(), regs)
		return w.releases() == 2 && w.state() == "activated" && (w.chrome == nil || w.inForce())
	})
}

// inForce says whether, in Chromium, the release that the server has was activated to the end, and no other is on its way.
func (w *world) inForce() bool {
	w.Helper()
	id, ours := worker.ReleaseOf([]byte(w.read("dist/sw.js")))
	require.True(w, ours)
	is, err := w.chrome.Evaluate(`(async () => {
		const { installing, waiting, active } = await navigator.serviceWorker.getRegistration();
		const known = await caches.match("/?tachyform:memory", { cacheName: (await caches.keys()).find((name) => name.endsWith(" state")) });
		return !installing && !waiting && active.state === "activated" && known ? (await known.json()).release : "";
	})()`)
	require.NoError(w, err)
	return is == id
}

// releases counts the releases that are stored.
func (w *world) releases() int {
	w.Helper()
	stores, err := w.Stores()
	require.NoError(w, err)
	n := 0
	for _, s := range stores {
		for _, e := range s.Entries {
			if strings.HasSuffix(s.Name, " state") && strings.Contains(e.URL, "release=") {
				n++
			}
		}
	}
	return n
}

// TestFilesOfAnotherRelease is about files that are stored when they are first asked for, while the server has moved on.
func TestFilesOfAnotherRelease(t *testing.T) {
	mostlyEmbedded(t, version("v1"), "[stow]\nnow = [\"/\", \"/app.css\"]\nlater = [\"/**\"]\n", site.Rules{}, func(w *world) {
		w.visit()
		w.release(version("v2"))
		assert.Equal(w, "rejected", w.get("/late.js"), "code of another release does not fit the page")
		l := w.open("/map/")
		assert.Equal(w, "Map v2", l.Title, "a page that is only to be had of the next release")
		assert.Equal(w, "v2 v2", w.late(), "gets what it needs from the network")
		assert.Equal(w, "Home v1", w.open("/").Title)
	})
}

func TestFailedDownload(t *testing.T) {
	mostlyEmbedded(t, version("v1"), "", site.Rules{}, func(w *world) {
		w.visit()
		for _, n := range []stage.Network{site.Missing, site.Failing, site.Portal, site.Offline} {
			w.SetFaults(site.Faults{{Path: "/late.js", State: n}})
			w.release(version("v-" + string(n)))
			w.open("/")
			w.comes("the failed install", func() bool {
				require.NoError(w, w.Settle())
				return slices.ContainsFunc(w.asked(), func(a string) bool { return a == "GET /map/" || a == "GET /photo.txt" })
			})
			w.comes("its end", func() bool { require.NoError(w, w.Settle()); return w.state() == "activated" })
			assert.Equal(w, "v1 v1 v1", w.sees("/map/"), n)
			w.rest()
		}
		if w.chrome != nil {
			w.Remarks() // it reports each failed install
		}
		w.SetFaults(nil)
		w.Received()
		w.open("/")
		w.updated()
		assert.Equal(w, 1, count(w.asked(), "GET /late.js"))
		assert.LessOrEqual(w, count(w.asked(), "GET /photo.txt"), 0, "what the failed tries have stored is used again")
		assert.Equal(w, "v1 v1 v1", w.sees("/"))
	})
}

func count(list []string, what string) int {
	n := 0
	for _, s := range list {
		if s == what {
			n++
		}
	}
	return n
}

// TestRewrittenPages is about hosts that change pages on their way.
func TestRewrittenPages(t *testing.T) {
	mostlyEmbedded(t, version("v1"), "", site.Rules{}, func(w *world) {
		// The server now adds a comment to every page, and has another release of one of them.
		html := w.read("dist/map/index.html")
		w.visit()
		w.release(version("v2"))
		write(w.T, w.dir, map[string]string{"dist/map/index.html": strings.Replace(w.read("dist/map/index.html"), "</body>", "<!-- by the host --></body>", 1)})
		w.Release(w.serve())
		w.open("/")
		w.updated()
		require.NotEqual(w, html, w.read("dist/map/index.html"))
		// And a page of the release before is none of this one.
		w.release(version("v3"))
		write(w.T, w.dir, map[string]string{"dist/map/index.html": html})
		w.Release(w.serve())
		w.open("/")
		w.comes("the failed install", func() bool { require.NoError(w, w.Settle()); return count(w.asked(), "GET /map/") > 0 })
		require.NoError(w, w.Settle())
		assert.Equal(w, "v1 v1 v1", w.sees("/"))
	})
}

// TestTakeoverMeetsMessages sends the old worker messages while the browser ends it for the next one, which starts it again: the change
// must not wait until that one has been idle for half a minute.
func TestTakeoverMeetsMessages(t *testing.T) {
	needsAll(t)
	t.Parallel()
	const busy = `<!doctype html><html lang=en><head><title>Home</title><script>
navigator.serviceWorker.ready.then((registration) => registration.addEventListener("updatefound", () => {
  const next = registration.installing;
  const old = registration.active;
  next.addEventListener("statechange", () => { if (next.state === "installed") for (let i = 0; i < 30; i++) setTimeout(() => old.postMessage("busy"), i * 10); });
}));
</script></head><body></body></html>`
	onChromium(t, map[string]string{"index.html": busy}, "[update]\ntakeover = \"at-once\"\n", site.Rules{}, func(w *world) {
		w.visit()
		w.release(map[string]string{"app.css": "/* next */"})
		w.open("/")
		w.tookOver()
	})
}
