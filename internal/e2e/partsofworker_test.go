package e2e

import (
	"bytes"
	"compress/gzip"
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

// manyNotes gives a site whose list is too long for the worker: pages that share a style sheet and a module.
func manyNotes(v string, pages int) map[string]string {
	out := version(v)
	for i := range pages {
		out[fmt.Sprintf("notes/%04d/index.html", i)] = strings.Replace(out["index.html"], "Home", fmt.Sprintf("Note %04d", i), 1)
	}
	return out
}

// TestLongLists is about sites of many files: the promises of small ones hold, page by page.
func TestLongLists(t *testing.T) {
	toml := "[stow]\nnow = [\"/\", \"/app.css\"]\nlater = [\"/**\"]\n"
	mostlyEmbedded(t, manyNotes("v1", 900), toml, site.Rules{}, func(w *world) {
		pieces, err := os.ReadDir(filepath.Join(w.dir, "dist", "sw-list"))
		require.NoError(w, err)
		assert.Greater(w, len(pieces), 3)
		assert.Less(w, len(w.read("dist/sw.js")), 4000, "the worker itself is small")
		w.visit()
		before := len(w.stored(" files"))
		assert.Less(w, before, 15, "the first visit stores the start page and what it needs")
		for _, n := range []string{"0007", "0400", "0888"} {
			assert.Equal(w, "v1 v1 v1", w.sees("/notes/"+n+"/"))
		}
		w.network(stage.Offline)
		w.rest()
		for _, n := range []string{"0007", "0400", "0888"} {
			assert.Equal(w, "v1 v1 v1", w.sees("/notes/"+n+"/"), "what was opened is there")
		}
		assert.Contains(w, w.open("/notes/0500/").Title, "No connection")
		w.network(stage.Online)

		// A release that changes only the style and one page: what was opened stays whole, and is of one release.
		next := map[string]string{"app.css": "/* v2 */"}
		next["notes/0400/index.html"] = strings.Replace(manyNotes("v2", 401)["notes/0400/index.html"], "v2</h1>", "v2</h1><p>new", 1)
		w.release(next)
		w.Received()
		w.open("/")
		w.updated()
		assert.Equal(w, "v1 v1 v1", w.sees("/notes/0400/"), "until it takes over, all is of the release before")
		var fetched []string
		for _, a := range w.asked() {
			if strings.Contains(a, "/notes/") {
				fetched = append(fetched, a)
			}
		}
		assert.Equal(w, []string{"GET /notes/0400/"}, fetched, "of what was opened, only what has changed is fetched")
		require.NoError(w, w.CloseTab())
		w.comes("the change", func() bool { return w.state() == "activated" })
		require.NoError(w, w.Tab(0))
		w.open("/")
		w.network(stage.Offline)
		w.rest()
		assert.Equal(w, "v2 v1 v2", w.sees("/notes/0400/"), "page and style are new, the script is as it was")
		assert.Equal(w, "v1 v1 v2", w.sees("/notes/0007/"), "a page that has not changed, with the new style")
		assert.Equal(w, "v1 v1 v2", w.sees("/"))
	})
}

// TestLongListsWhileTheServerMoves opens pages of a site that has moved on, and whose pieces are gone.
func TestLongListsWhileTheServerMoves(t *testing.T) {
	toml := "[stow]\nnow = [\"/\", \"/app.css\"]\nlater = [\"/**\"]\n"
	mostlyEmbedded(t, manyNotes("v1", 700), toml, site.Rules{}, func(w *world) {
		w.visit()
		assert.Equal(w, "v1 v1 v1", w.sees("/notes/0003/"))
		require.NoError(w, os.RemoveAll(filepath.Join(w.dir, "dist", "sw-list")))
		w.release(manyNotes("v2", 700))
		l := w.open("/notes/0500/")
		assert.True(w, strings.HasSuffix(l.Title, " v2"), "a page that only the next release has now")
		if w.chrome != nil { // styles and scripts that the page asks for itself
			style, err := w.chrome.Evaluate(`fetch(document.querySelector("link[rel=stylesheet]").href).then((r) => r.text())`)
			require.NoError(w, err)
			assert.Equal(w, "/* v2 */", style)
		}
		assert.Equal(w, "v1 v1 v1", w.sees("/notes/0003/"), "and one that is stored")
	})
}

// TestGroups keeps a group of files for offline, looks at it across a release, and removes it.
func TestGroups(t *testing.T) {
	needsAll(t)
	t.Parallel()
	files := map[string]string{}
	for i := range 5 {
		files[fmt.Sprintf("guide/%d.txt", i)] = fmt.Sprintf("guide %d v1", i)
	}
	files["index.html"] = strings.Replace(start, "<h1>", `<button data-app-keep="guide">Keep</button><h1>`, 1)
	toml := "[stow]\nnow = [\"/\", \"/app.css\"]\nlater = [\"/guide/**\"]\n[[stow.group]]\nname = \"guide\"\nfiles = [\"/guide/**\"]\n"
	onChromium(t, files, toml, site.Rules{}, func(w *world) {
		w.visit()
		ask := func(what, until string) string {
			w.Helper()
			got, err := w.chrome.Evaluate(`new Promise((done) => { const hear = ({detail}) => { if (!(` + until + `)) return; removeEventListener("app-keep", hear); setTimeout(() => done([detail.stored, detail.files, document.querySelector("button").dataset.state].join(" ")), 0); };
				addEventListener("app-keep", hear); ` + what + ` })`)
			require.NoError(w, err)
			return got
		}
		assert.Equal(w, "0 5 none", ask(`dispatchEvent(new CustomEvent("app-keep-ask", {detail: {name: "guide", what: "look"}}))`, "true"))
		assert.Equal(w, "5 5 whole", ask(`document.querySelector("button").click()`, "detail.whole"))
		w.network(stage.Offline)
		w.rest()
		w.open("/")
		for i := range 5 {
			assert.Equal(w, fmt.Sprintf("guide %d v1", i), w.get(fmt.Sprintf("/guide/%d.txt", i)))
		}
		w.network(stage.Online)
		w.release(map[string]string{"guide/3.txt": "guide 3 v2"})
		w.Received()
		w.open("/")
		w.updated()
		assert.Equal(w, 1, count(w.asked(), "GET /guide/3.txt"), "what has changed of it is renewed with the release")
		require.NoError(w, w.CloseTab())
		w.comes("the change", func() bool { return w.state() == "activated" })
		w.open("/")
		w.network(stage.Offline)
		assert.Equal(w, "guide 3 v2", w.get("/guide/3.txt"))
		assert.Equal(w, "guide 4 v1", w.get("/guide/4.txt"))
		assert.Equal(w, "5 5 whole", ask(`dispatchEvent(new CustomEvent("app-keep-ask", {detail: {name: "guide", what: "look"}}))`, "true"))
		assert.Equal(w, "0 5 none", ask(`document.querySelector("button").click()`, "!detail.stored"))
		assert.Equal(w, "rejected", w.get("/guide/4.txt"))
	})
}

// TestOneVisit is about what a page asked for before its worker was there.
func TestOneVisit(t *testing.T) {
	t.Parallel()
	files := map[string]string{"index.html": strings.Replace(start, "</head>", `<script>fetch("/api/now?x=1")</script></head>`, 1)}
	onChromium(t, files, "[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n", site.Rules{Answers: []site.AnswerRule{say("/api/**", "one")}}, func(w *world) {
		w.open("/")
		w.comes("the answer of the first visit", func() bool { return slices.Contains(w.stored(" kept"), "/api/now?x=1") })
		w.network(stage.Offline)
		w.rest()
		w.open("/")
		assert.Equal(w, "one", w.get("/api/now?x=1"))
	})
}

// TestFreshData tells a page that an answer has changed since it was stored.
func TestFreshData(t *testing.T) {
	t.Parallel()
	toml := "[[rule]]\nname = \"board\"\nmatch = \"/api/*\"\nanswer = \"stale-while-revalidate\"\ntell = true\n"
	onChromium(t, nil, toml, site.Rules{Answers: []site.AnswerRule{say("/api/**", "one")}}, func(w *world) {
		w.visit()
		w.open("/")
		assert.Equal(w, "one", w.get("/api/now"))
		w.comes("the answer", func() bool { return slices.Contains(w.stored(" kept"), "/api/now") })
		w.answers(say("/api/**", "two"))
		told, err := w.chrome.Evaluate(`new Promise((done) => { addEventListener("app-data", ({detail}) => done(detail.rule + " " + detail.url)); fetch("/api/now"); })`)
		require.NoError(w, err)
		assert.Equal(w, "board /api/now", told)
		assert.Equal(w, "two", w.get("/api/now"))
	})
}

// TestElementsThatComeLater is about elements that a framework draws after the page was loaded, and the notice of requests that fail.
func TestElementsThatComeLater(t *testing.T) {
	needsAll(t)
	t.Parallel()
	onChromium(t, nil, "", site.Rules{}, func(w *world) {
		w.visit()
		w.open("/")
		said, err := w.chrome.Evaluate(`new Promise((done) => {
			let prompts = 0, ready = 0;
			addEventListener("app-install-ready", ({detail}) => { ready++; if (ready === 2) detail.prompt(); });
			const offer = () => dispatchEvent(Object.assign(new Event("beforeinstallprompt", {cancelable: true}), {prompt: () => prompts++}));
			offer();
			document.body.insertAdjacentHTML("beforeend", "<main><button data-app-install hidden>Install</button></main>");
			const button = document.querySelector("button");
			new MutationObserver((_, seen) => { seen.disconnect(); button.click(); offer(); done([prompts, ready].join(" ")); }).observe(button, {attributes: true});
		})`)
		require.NoError(w, err)
		assert.Equal(w, "2 2", said, "a button that comes later works, and a page can ask by itself")
		w.network(stage.Offline)
		shown, err := w.chrome.Evaluate(`new Promise((done) => {
			document.body.insertAdjacentHTML("beforeend", "<p data-app-offline hidden>No network</p>");
			const note = document.querySelector("p");
			new MutationObserver(() => done(String(navigator.onLine) + " " + note.hidden)).observe(note, {attributes: true});
			document.body.append(Object.assign(new Image(), {src: "/nowhere.png"}));
		})`)
		require.NoError(w, err)
		assert.Equal(w, "true false", shown, "a browser that believes in a network is not asked alone")
		w.network(stage.Online)
		gone, err := w.chrome.Evaluate(`new Promise((done) => { const note = document.querySelector("p"); new MutationObserver(() => done(String(note.hidden))).observe(note, {attributes: true}); fetch("/app.css?again"); })`)
		require.NoError(w, err)
		assert.Equal(w, "true", gone)
		w.chrome.Console()
	})
}

// TestOfflinePageHelps is about the page that fit writes for what cannot be had.
func TestOfflinePageHelps(t *testing.T) {
	needsAll(t)
	t.Parallel()
	files := map[string]string{"a/index.html": strings.Replace(start, "Skerry Line", "Fares", 1), "b/index.html": strings.Replace(start, "Skerry Line", "Tides", 1)}
	onChromium(t, files, "[stow]\nnow = [\"/\", \"/app.css\", \"/a/\", \"/b/\"]\n", site.Rules{Answers: []site.AnswerRule{{Path: "/later/", Type: "text/html", Body: []byte("<title>Later</title>")}}}, func(w *world) {
		w.visit()
		w.open("/b/")
		w.open("/a/")
		w.network(stage.Offline)
		w.rest()
		assert.Contains(w, w.open("/later/").Title, "No connection")
		listed := ""
		w.comes("the list", func() bool {
			var err error
			listed, err = w.chrome.Evaluate(`[...document.querySelectorAll("[data-app-stored] a")].map((a) => a.textContent).join()`)
			return err == nil && strings.Count(listed, ",") == 2
		})
		assert.Equal(w, "Fares,Tides,Skerry Line", listed, "the pages that are stored, what was opened last first")
		w.network(stage.Online)
		_, err := w.chrome.Evaluate(`(dispatchEvent(new Event("online")), "")`)
		require.NoError(w, err)
		w.comes("the page itself", func() bool {
			title, err := w.chrome.Evaluate("document.title")
			return err == nil && title == "Later"
		})
	})
}

// TestWhatARleaseCosts weighs what a returning visitor downloads above the files that have changed.
func TestWhatAReleaseCosts(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	files := map[string]string{"dist/index.html": start, "dist/app.css": "body { color: teal }", "tachyform.toml": "site = \"dist\"\n" + outboxRule + "[[rule]]\nmatch = \"/api/*\"\nanswer = \"network-first\"\n"}
	for i := range 200 {
		files[fmt.Sprintf("dist/harbours/%03d/index.html", i)] = strings.Replace(start, "Skerry Line", fmt.Sprintf("Harbour %d", i), 1)
	}
	write(t, dir, files)
	fine(t, dir, "fit")
	read := func() map[string]string {
		out := map[string]string{}
		require.NoError(t, filepath.WalkDir(filepath.Join(dir, "dist"), func(p string, d os.DirEntry, err error) error {
			if err == nil && !d.IsDir() && !strings.Contains(p, site.OwnDir) {
				data, err := os.ReadFile(p)
				require.NoError(t, err)
				out[p] = string(data)
			}
			return err
		}))
		return out
	}
	before := read()
	changed := map[string]bool{}
	for _, n := range []string{"007", "100", "150"} {
		name := "dist/harbours/" + n + "/index.html"
		changed[filepath.Join(dir, name)] = true
		write(t, dir, map[string]string{name: strings.Replace(before[filepath.Join(dir, name)], "</h1>", " now</h1>", 1)})
	}
	fine(t, dir, "fit")
	total := 0
	var names []string
	for p, data := range read() {
		if before[p] == data || changed[p] {
			continue
		}
		var b bytes.Buffer
		z := gzip.NewWriter(&b)
		_, _ = z.Write([]byte(data))
		require.NoError(t, z.Close())
		total += b.Len()
		names = append(names, filepath.Base(p))
	}
	t.Logf("%v: %d bytes gzipped above the files that have changed", names, total)
	assert.Equal(t, []string{"sw.js"}, names, "the engine is not fetched again")
	assert.LessOrEqual(t, total, 10_000)
}
