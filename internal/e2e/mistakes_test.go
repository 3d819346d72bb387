package e2e

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// places audits a site and gives the place of the first finding of each check that failed.
func places(t *testing.T, dir string, args ...string) map[string]string {
	t.Helper()
	var r struct {
		Checks []struct {
			ID, State string
			Findings  []struct {
				File         string
				Line, Column int
				Message      string
			}
		}
	}
	out, errs, _ := run(t, dir, append([]string{"audit", "--format", "json", "--fail-on", "never"}, args...)...)
	require.NoError(t, json.Unmarshal([]byte(out), &r), out+errs)
	found := map[string]string{}
	for _, c := range r.Checks {
		if c.State == "failed" {
			f := c.Findings[0]
			found[c.ID] = fmt.Sprintf("%s:%d:%d %s", f.File, f.Line, f.Column, f.Message)
		}
	}
	return found
}

// TestMistakesThatPeopleMake has most of what people get wrong in a worker of their own in one site, and names each with its place; when it is
// mended, nothing of it is said.
func TestMistakesThatPeopleMake(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	page := `<!doctype html>
<html lang="en"><head><title>Skerry Line</title><link rel="manifest" href="/m.json"></head><body><h1>Skerry</h1>
<form method="post" action="/book"><input name="seats"></form>
<form method="post" action="/enter"><input type="text" name="who"></form>
<script>
fetch("/data/departures.json").then((r) => r.json());
fetch("https://tides.example/now").then((r) => r.json());
if (window.RELEASE && "serviceWorker" in navigator) navigator.serviceWorker.register("/sw.js");
</script></body></html>`
	worker := `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => { c.addAll(["/", "/offline.html", "/data/departures.json"]); }));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)).catch(() => caches.match("/offline.html")));
onpush = (e) => { const d = e.data.json(); e.waitUntil(registration.showNotification(d.notification.heading.text)); };
const release = "@@release";
`
	write(t, dir, map[string]string{
		"site/index.html": page, "site/sw.js": worker, "site/m.json": `{"name": "Skerry Line", "version": "1.2", "start_url": "/", "display": "standalone"}`,
		"site/data/departures.json": "[]", "site/offline.html": "<!doctype html><html lang=en><title>Off</title><h1>off</h1>",
		"site/sign-in.html": `<!doctype html><title>Sign in</title><form method="post" action="/session"><input type="password" name="p"></form>`,
	})
	found := places(t, dir, "site")
	for id, want := range map[string]string{
		"worker/none":              "index.html:8:86 a worker is registered here, and not when the start page runs: what stands before it does not hold there (window.RELEASE)",
		"worker/not-awaited":       "sw.js:0:0 the installation is over before anything is stored",
		"worker/push-fails":        "sw.js:3:109 a push message makes the worker fail",
		"worker/list-not-filled":   `sw.js:4:17 "@@release" stands in the worker`,
		"updates/data-never-fresh": "data/departures.json:0:0 /data/departures.json changes on the server",
		"offline/page-as-data":     "index.html:7:8 https://tides.example/now is fetched by a script, and without a network the worker answers it with a page",
		"offline/form-lost":        "index.html:3:29 what is sent to /book is lost",
		"manifest/questionable":    `m.json:1:25 "version" is looked at in isolated apps only`,
	} {
		assert.Truef(t, strings.HasPrefix(found[id], want), "%s: %s", id, found[id])
	}

	mended := `const list = ["/", "/offline.html"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => {
  if (e.request.mode === "navigate") e.respondWith(fetch(e.request).catch(async () => (await caches.match(e.request)) || caches.match("/offline.html")));
};
onpush = (e) => e.waitUntil(registration.showNotification("News from Skerry Line"));
`
	page = strings.NewReplacer("window.RELEASE && ", "", `action="/book"`, `action="/search" data-x`, `method="post"`, `method="get"`).Replace(page)
	write(t, dir, map[string]string{"site/sw.js": mended, "site/index.html": page, "site/m.json": `{"name": "Skerry Line", "start_url": "/", "display": "standalone"}`})
	found = places(t, dir, "site")
	for _, id := range []string{"worker/none", "worker/not-awaited", "worker/push-fails", "worker/list-not-filled", "updates/data-never-fresh", "offline/page-as-data", "offline/form-lost", "manifest/questionable"} {
		assert.NotContains(t, found, id)
	}
}
