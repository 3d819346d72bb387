package e2e

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
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

// TestOffer has an element offer the app with manners, in Chromium: not on the first page, put away by a click, by Escape and by the browser's
// own dialogue, remembered, and not too often.
func TestOffer(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	page := `<!doctype html><html lang=en><head><title>Home</title></head><body><main><h1>Home</h1></main><aside data-app-offer hidden aria-label="Install"><button data-app-install hidden>Install</button><button data-app-later>Not now</button></aside></body></html>`
	write(t, dir, map[string]string{"dist/index.html": page, "tachyform.toml": "site = \"dist\"\n[icons]\neffort = \"quick\"\n[offer]\ntimes = 2\n"})
	fine(t, dir, "fit")
	b, answers := browse(t, dir+"/dist", "/")
	answers.Rules.Headers = []site.HeaderRule{{Path: "/**", Name: "Content-Security-Policy", Value: "default-src 'none'; script-src 'self'; style-src 'self'; img-src 'self'; connect-src 'self'; manifest-src 'self'; worker-src 'self'"}}
	does := func(want, script, why string) {
		t.Helper()
		got, err := b.Evaluate(script)
		require.NoError(t, err)
		assert.Equal(t, want, got, why)
	}
	// opens loads the page, has the browser offer to install, and says whether the page does, and else why not. before runs before that.
	const look = `(async () => { BEFORE; let why = "nothing was said"; addEventListener("app-offer", ({ detail }) => { why = detail.why; });
		const choice = {}; window.choice = choice;
		dispatchEvent(Object.assign(new Event("beforeinstallprompt", { cancelable: true }), { prompt: () => {}, userChoice: new Promise((r) => { choice.made = r; }) }));
		await 0; return document.querySelector("[data-app-offer]").hidden ? "hidden" : "shown"; })()`
	opens := func(want, why string) {
		t.Helper()
		_, err := b.Open("/")
		require.NoError(t, err)
		require.NoError(t, b.Settle())
		does(want, strings.Replace(look, "BEFORE", "", 1), why)
	}
	memo := func(change string) { // what is remembered is as if time had passed
		t.Helper()
		does("", `(() => { const k = Object.keys(localStorage).find((k) => k.endsWith("offer")), v = JSON.parse(localStorage[k]); `+change+`; localStorage[k] = JSON.stringify(v); return ""; })()`, change)
	}
	_, err := b.Open("/")
	require.NoError(t, err)
	require.NoError(t, b.Settle())
	memo(`v.views = 0`) // browse has been here
	opens("hidden", "never on the first page")
	opens("shown", "on the second")
	does("hidden MAIN", `(() => { document.querySelector("[data-app-later]").focus(); document.querySelector("[data-app-later]").click(); return [document.querySelector("[data-app-offer]").hidden ? "hidden" : "shown", document.activeElement.tagName].join(" "); })()`, "put away; the keyboard goes on in the page")
	opens("hidden", "who said no is not asked again")
	memo(`v.said -= 31 * 86400000`)
	opens("shown", "for a month")
	does("hidden", `(() => { const e = document.querySelector("[data-app-later]"); e.focus(); e.dispatchEvent(new KeyboardEvent("keydown", { key: "Escape", bubbles: true })); return document.querySelector("[data-app-offer]").hidden ? "hidden" : "shown"; })()`, "Escape")
	memo(`v.said = 0; v.seen -= 3600000`)
	opens("shown", "at the next visit, the second on which it is shown")
	does("hidden", `(async () => { choice.made({ outcome: "dismissed" }); for (let i = 0; i < 9; i++) await 0; return document.querySelector("[data-app-offer]").hidden ? "hidden" : "shown"; })()`, "no to the browser's own dialogue")
	memo(`v.said = 0; v.seen -= 3600000`)
	opens("hidden", "on two visits, and not on a third")
	memo(`v.times = 0`)
	opens("shown", "")
	does("hidden", `(() => { dispatchEvent(new Event("appinstalled")); return document.querySelector("[data-app-offer]").hidden ? "hidden" : "shown"; })()`, "installed")
}
