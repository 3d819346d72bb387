package e2e

import (
	"bytes"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"
	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/pagehead/oddpages"
	"tachyform.dev/tachyform/internal/site"
)

// sites are documentation packages that nobody here wrote. Those marked large run only with TACHYFORM_SITES=all.
var sites = []struct {
	name, folder string
	large        bool
}{
	{"python-flask-doc", "usr/share/doc/python-flask-doc/html", false},
	{"postgresql-doc-15", "usr/share/doc/postgresql-doc-15/html", false},
	{"git-doc", "usr/share/doc/git-doc", false},
	{"sqlite3-doc", "usr/share/doc/sqlite3", true},
	{"python-django-doc", "usr/share/doc/python-django-doc/html", true},
	{"libgtk-4-doc", "usr/share/doc/libgtk-4-doc", true},
	{"libboost1.74-doc", "usr/share/doc/libboost1.74-doc", true},
	{"openjdk-17-doc", "usr/share/doc/openjdk-17-jre-headless", true},
	{"rust-doc", "usr/share/doc/rust-doc/html", true},
}

// TestRoundTripOnRealSites fits and strips whole sites: every byte comes back, a second fit writes nothing, and the
// tree of every page differs only by our elements.
func TestRoundTripOnRealSites(t *testing.T) {
	t.Parallel()
	total := 0
	for _, s := range sites {
		if s.large && os.Getenv("TACHYFORM_SITES") != "all" {
			continue
		}
		t.Run(s.name, func(t *testing.T) {
			if s.name != "python-flask-doc" {
				needsAll(t)
			}
			dir := debian(t, s.name, s.folder)
			parent, name := filepath.Dir(dir), filepath.Base(dir)
			before := snapshot(t, dir)
			original := filepath.Join(parent, "original")
			require.NoError(t, exec.Command("cp", "-a", dir, original).Run())
			fine(t, parent, "fit", name, "--quiet")
			fitted := snapshot(t, dir)
			assert.NotEqual(t, before, fitted)
			assert.Contains(t, fine(t, parent, "fit", name), "nothing to do")
			assert.True(t, fitted == snapshot(t, dir), "a second fit writes nothing")
			pages := compareTrees(t, original, dir)
			total += len(pages)
			compareInChromium(t, parent, "original", name, pages)
			fine(t, parent, "strip", name, "--quiet")
			assert.True(t, before == snapshot(t, dir), "every byte comes back")
			t.Logf("%d pages", len(pages))
		})
	}
	t.Logf("%d pages in all", total)
}

// oursInSite picks out the elements that fit inserts.
func oursInSite(n *html.Node) bool {
	for _, a := range n.Attr {
		switch {
		case a.Key == "href" && (a.Val == "/manifest.webmanifest" || a.Val == "/favicon.ico" && n.Data == "link" || a.Val == "/icons/touch-180.png" || a.Val == "/app-icons/touch-180.png"),
			a.Key == "src" && a.Val == "/sw-page.js":
			return true
		}
	}
	if n.Data == "link" && len(n.Attr) == 3 && n.Attr[0].Val == "icon" && n.Attr[1].Val == "image/svg+xml" && n.Attr[2].Key == "href" {
		return true
	}
	return n.Data == "meta" && len(n.Attr) == 2 && n.Attr[0].Key == "name" && n.Attr[0].Val == "theme-color"
}

// sample is how many pages of each site Chromium parses too, at least: over 200 of the three in everyday runs.
const sample = 70

// outlineInChromium parses two pages with Chromium's own parser and compares their trees but for our elements. It gives
// an empty string, or what is wrong.
const outlineInChromium = `(async (before, after) => {
	const load = (url) => new Promise((resolve, reject) => {
		const x = new XMLHttpRequest();
		x.open("GET", url);
		x.responseType = "document";
		x.overrideMimeType("text/html");
		x.onload = () => resolve(x.response);
		x.onerror = () => reject(new Error(url));
		x.send();
	});
	const outline = (n, inHead) => {
		let out = "";
		for (const c of n.childNodes) {
			if (inHead && c.nodeType === 3 && !c.data.trim()) continue;
			out += "(" + c.nodeName + (c.nodeType === 1 ? [...c.attributes].map((a) => " " + a.name + "=" + a.value).join("") : c.nodeValue ?? "");
			out += outline(c, c.nodeName === "HEAD" || c.nodeName === "HTML") + ")";
		}
		return out;
	};
	const [a, b] = await Promise.all([load(before), load(after)]);
	let ours = 0, open = false;
	for (const n of [...b.head.childNodes]) {
		if (n.nodeType === 8 && n.data.includes("tachyform: fit wrote")) open = true;
		if (open && n.nodeType === 1) ours++;
		const last = n.nodeType === 8 && n.data.trim() === "/tachyform";
		if (open) n.remove();
		if (last) open = false;
	}
	a.normalize(), b.normalize();
	if (ours < 2 || open) return "our elements are not in the head (" + ours + ")";
	return outline(a) === outline(b) ? "" : "the tree differs";
})`

// compareInChromium lets Chromium parse a sample of the pages that were edited.
func compareInChromium(t *testing.T, parent, before, after string, pages []string) {
	t.Helper()
	b, _ := browse(t, parent, "/")
	require.NoError(t, os.WriteFile(filepath.Join(parent, "index.html"), []byte("<title>Start</title>"), 0o644))
	_, err := b.Open("/")
	require.NoError(t, err)
	every := max(1, len(pages)/sample)
	seen := 0
	for i := 0; i < len(pages); i += every {
		if filepath.Ext(pages[i]) == ".xhtml" {
			continue
		}
		u := site.EscapePath(filepath.ToSlash(pages[i]))
		wrong, err := b.Evaluate(fmt.Sprintf("%s(%q, %q)", outlineInChromium, "/"+before+"/"+u, "/"+after+"/"+u))
		require.NoError(t, err)
		assert.Empty(t, wrong, pages[i])
		seen++
	}
	t.Logf("%d pages compared in Chromium", seen)
}

// compareTrees parses every page of two folders and names the pages that were edited.
func compareTrees(t *testing.T, before, after string) []string {
	t.Helper()
	var g errgroup.Group
	g.SetLimit(runtime.GOMAXPROCS(0))
	var edited []string
	require.NoError(t, filepath.WalkDir(before, func(p string, d fs.DirEntry, err error) error {
		if err != nil || !d.Type().IsRegular() || !strings.Contains(filepath.Ext(p), ".htm") {
			return err
		}
		rel, err := filepath.Rel(before, p)
		if err != nil {
			return err
		}
		was, err := os.ReadFile(p)
		if err != nil {
			return err
		}
		is, err := os.ReadFile(filepath.Join(after, rel))
		if err != nil {
			return err
		}
		if bytes.Equal(was, is) {
			return nil
		}
		edited = append(edited, rel)
		g.Go(func() error {
			a, _, err := oddpages.Outline(was, oursInSite)
			if err != nil {
				return err
			}
			b, n, err := oddpages.Outline(is, oursInSite)
			if err != nil {
				return err
			}
			if a != b {
				return fmt.Errorf("%s: the tree changed beyond our elements", rel)
			}
			if n < 2 {
				return fmt.Errorf("%s: our elements are not in the head", rel)
			}
			return nil
		})
		return nil
	}))
	require.NoError(t, g.Wait())
	return edited
}

// TestKilledAtAnyMoment kills a fit again and again, or interrupts it as Ctrl-C does: no file is ever damaged, and the
// next run completes it.
func TestKilledAtAnyMoment(t *testing.T) {
	needsAll(t)
	t.Parallel()
	times := 2
	if os.Getenv("TACHYFORM_SITES") == "all" {
		times = 200
	}
	dir := t.TempDir()
	pages := map[string]string{"mark.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><circle cx="4" cy="4" r="4" fill="#0b4f6c"/></svg>`}
	for i := range 400 {
		pages[fmt.Sprintf("p%d/index.html", i)] = fmt.Sprintf("<!doctype html>\n<html>\n<head>\n  <title>Page %d</title>\n</head>\n<body>%s</body>\n</html>\n", i, strings.Repeat("x ", i))
	}
	pages["index.html"] = "<title>Start</title>"
	write(t, filepath.Join(dir, "plain"), pages)
	require.NoError(t, exec.Command("cp", "-a", filepath.Join(dir, "plain"), filepath.Join(dir, "whole")).Run())
	begin := time.Now()
	fine(t, dir, "fit", "whole", "--quiet")
	took := time.Since(begin)
	want := snapshot(t, filepath.Join(dir, "whole"))
	complete := map[string]bool{}
	for _, line := range strings.Split(snapshot(t, filepath.Join(dir, "plain"))+want, "\n") {
		complete[line] = true
	}
	random := rand.New(rand.NewPCG(1, 2))
	killed, interrupted := 0, 0
	for i := 0; killed < times || interrupted < times/4+1; i++ {
		require.Less(t, i, 20*times, "hardly a run is still going on when its time has come")
		site := filepath.Join(dir, "killed")
		require.NoError(t, os.RemoveAll(site))
		require.NoError(t, exec.Command("cp", "-a", filepath.Join(dir, "plain"), site).Run())
		cmd := exec.Command(program, "fit", "killed", "--quiet")
		cmd.Dir = dir
		var said bytes.Buffer
		cmd.Stderr = &said
		require.NoError(t, cmd.Start())
		end := os.Kill
		if i%5 == 4 {
			end = os.Interrupt
		}
		timer := time.AfterFunc(time.Duration(random.Int64N(int64(took))), func() { _ = cmd.Process.Signal(end) })
		switch err := cmd.Wait(); {
		case err != nil && end == os.Kill:
			killed++
		case err != nil:
			if code := cmd.ProcessState.ExitCode(); code >= 0 { // -1: before the program listened to it
				assert.Equal(t, 3, code)
				assert.Contains(t, said.String(), "interrupted")
			}
			interrupted++
		}
		timer.Stop()
		for _, line := range strings.Split(snapshot(t, site), "\n") {
			if !complete[line] && !strings.Contains(line, "/.tachyform") {
				require.Fail(t, "a damaged file", "%d: %s", i, line)
			}
		}
		if i%2 == 1 {
			fine(t, dir, "strip", "killed", "--quiet")
			require.Equal(t, snapshot(t, filepath.Join(dir, "plain")), snapshot(t, site), "nothing is left of it")
			require.NoDirExists(t, filepath.Join(site, "icons"))
			require.NoDirExists(t, filepath.Join(site, ".tachyform"))
			continue
		}
		fine(t, dir, "fit", "killed", "--quiet")
		require.True(t, want == snapshot(t, site), "the next run completes it")
	}
	t.Logf("killed %d times, interrupted %d times", killed, interrupted)
}

// TestOddPagesInChromium asks a real browser where the head is.
func TestOddPagesInChromium(t *testing.T) {
	needsAll(t)
	dir := t.TempDir()
	files := map[string]string{"index.html": "<!doctype html><title>Start</title>"}
	names := map[string]string{}
	for i, p := range oddpages.Pages {
		if p.Left != "" {
			continue
		}
		name := fmt.Sprintf("odd%02d.html", i)
		if p.File != "" {
			name = fmt.Sprintf("odd%02d.xhtml", i)
		}
		files[name] = p.Data
		names[name] = p.Name
	}
	for _, name := range slices.Sorted(maps.Keys(names)) { // what nothing names may be a part of a page
		files["index.html"] += "<a href=" + name + ">" + name + "</a>"
	}
	write(t, filepath.Join(dir, "odd"), files)
	fine(t, dir, "fit", "odd", "--quiet")
	b, _ := browse(t, filepath.Join(dir, "odd"), "/")
	_, err := b.Open("/")
	require.NoError(t, err)
	for name, what := range names {
		found, err := b.Evaluate(`new Promise((resolve) => { const f = document.createElement("iframe"); f.src = "/` + name + `"; f.onload = () => {
			const d = f.contentDocument, links = [...d.querySelectorAll("[rel=manifest][href='/manifest.webmanifest']")];
			resolve(links.filter((l) => l.parentNode === d.head).length + " of " + links.length + " in the head"); f.remove() }; document.body.append(f) })`)
		require.NoError(t, err)
		assert.Equal(t, "1 of 1 in the head", found, "%s (%s)", what, name)
	}
}
