package e2e

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform/internal/site"
)

// elements is a page with everything that the page script looks after.
const elements = `<!doctype html><html lang=en><head><title>Home</title></head><body>
<button data-app-install hidden>Install</button><p data-app-install-hint hidden>Menu</p><p data-app-install-hint="ios" hidden>Share</p>
<button data-app-update hidden>Update</button><p data-app-offline hidden>Offline</p><p data-app-outbox hidden>Waiting</p></body></html>`

// hiddenOnes lists what is not shown.
const hiddenOnes = `[...document.querySelectorAll("[hidden]")].map((e) => e.textContent).join()`

// TestElementsOfPages has the page script show what applies, in Chromium, under a strict Content-Security-Policy.
func TestElementsOfPages(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{"dist/index.html": elements, "dist/other/index.html": elements})
	fine(t, dir, "fit", "dist")
	b, answers := browse(t, dir+"/dist", "/")
	answers.Rules.Headers = []site.HeaderRule{{Path: "/**", Name: "Content-Security-Policy", Value: "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; connect-src 'self'; manifest-src 'self'; worker-src 'self'"}}
	open := func(url string) {
		t.Helper()
		_, err := b.Open(url)
		require.NoError(t, err)
		require.NoError(t, b.Settle())
	}
	says := func(want, script, why string) {
		t.Helper()
		got, err := b.Evaluate(script)
		require.NoError(t, err)
		assert.Equal(t, want, got, why)
	}
	open("/")
	open("/")
	says("Menu,Share,Update,Offline,Waiting", `new Promise((done) => {
		const look = () => { if (!document.querySelector("[data-app-install]").hidden) done(`+hiddenOnes+`); };
		addEventListener("app-install-ready", look);
		look();
	})`, "Chromium offers to install, and nothing else applies")
	says("Menu,Share,Update,Offline,Waiting 1 Install,Menu,Share,Update,Offline,Waiting", `(() => {
		let prompts = 0;
		dispatchEvent(Object.assign(new Event("beforeinstallprompt", {cancelable: true}), {prompt: () => prompts++}));
		const shown = `+hiddenOnes+`;
		document.querySelector("[data-app-install]").click();
		document.querySelector("[data-app-install]").click();
		return [shown, prompts, `+hiddenOnes+`].join(" ");
	})()`, "the browser's offer, taken once")
	says("Install,Menu,Share,Update,Waiting", `(() => {
		Object.defineProperty(navigator, "onLine", {get: () => false});
		dispatchEvent(new Event("offline"));
		return `+hiddenOnes+`;
	})()`, "no network")

	require.NoError(t, b.Tab(1))
	open("/other/")
	write(t, dir, map[string]string{"dist/new.txt": "new"})
	fine(t, dir, "fit", "dist")
	fresh := serverOf(t, dir+"/dist", "/")
	fresh.Rules = answers.Rules
	b.Release(fresh)
	require.NoError(t, b.Tab(0))
	open("/")
	says("shown", `new Promise((done) => {
		const button = document.querySelector("[data-app-update]");
		const look = () => { if (!button.hidden) done("shown"); };
		addEventListener("app-update-ready", look);
		look();
	})`, "a new release waits")
	says("clicked", `(() => { window.before = true; document.querySelector("[data-app-update]").click(); return "clicked" })()`, "")
	for got := ""; got != "true true"; { // the page is loaded again by its script
		var err error
		got, err = b.Evaluate(`new Promise((done) => setTimeout(() => done([!window.before, !!document.querySelector("[data-app-update]")].join(" ")), 50))`)
		if err != nil {
			got = "" // it is just being loaded
		}
	}
	says("true", `(document.readyState === "complete" ? Promise.resolve() : new Promise((done) => addEventListener("load", done))).then(() => String(document.querySelector("[data-app-update]").hidden))`, "it has taken over")
	require.NoError(t, b.Tab(1))
	says("true", `fetch("/new.txt").then((r) => String(r.status === 200 && !document.querySelector("[data-app-update]").hidden))`, "the other tab stays as it is, and can take it, too")
	assert.Empty(t, b.Console())
}
