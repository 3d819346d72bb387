package audit

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"maps"
	"math"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/deployed"
	"tachyform.dev/tachyform/internal/entrance"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/rehearsal"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
	"tachyform.dev/tachyform/internal/tested"
	"tachyform.dev/tachyform/internal/weburl"
	"tachyform.dev/tachyform/internal/worker"
)

func picture(t testing.TB, n int, alpha uint8) string {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, n, n))
	for y := range n {
		for x := range n {
			m.SetNRGBA(x, y, color.NRGBA{uint8(x), 80, 120, alpha})
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.String()
}

var (
	teal = color.NRGBA{11, 79, 108, 255}
	sand = color.NRGBA{240, 230, 200, 255}
)

var drawings sync.Map // those that were drawn, by what they are

// drawing is a disc on a plain ground; its radius is in fractions of the shorter side.
func drawing(t testing.TB, w, h int, radius float64, ground, art color.NRGBA) string {
	t.Helper()
	key := fmt.Sprint(w, h, radius, ground, art)
	if known, ok := drawings.Load(key); ok {
		return known.(string)
	}
	m := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			if m.SetNRGBA(x, y, ground); math.Hypot(float64(x-w/2), float64(y-h/2)) < radius*float64(min(w, h)) {
				m.SetNRGBA(x, y, art)
			}
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	drawings.Store(key, b.String())
	return b.String()
}

// change sets what a live server showed.
func change(t testing.TB, what string, l *Live) {
	t.Helper()
	switch what {
	case "insecure":
		l.Secure = false
	case "http stays":
		l.Insecure = "http://skerry.example/"
	case "missing is a page":
		l.MissingStatus = 200
	case "sign-in":
		l.Failed = map[string]string{"/m.json": "answered with 401 Unauthorized"}
	default:
		t.Fatal(what)
	}
}

const goodManifest = `{
  "name": "Skerry Line",
  "start_url": "/",
  "scope": "/",
  "display": "standalone",
  "icons": [
    {"src": "/192.png", "sizes": "192x192", "type": "image/png"},
    {"src": "/512.png", "sizes": "512x512", "type": "image/png"},
    {"src": "/mask.png", "sizes": "512x512", "type": "image/png", "purpose": "maskable"},
    {"src": "/mono.png", "sizes": "512x512", "type": "image/png", "purpose": "monochrome"}
  ],
  "id": "/", "description": "Ferries between the islands", "lang": "en", "dir": "ltr", "short_name": "Skerry", "orientation": "any",
  "theme_color": "#0b4f6c", "background_color": "#ffffff", "display_override": ["standalone"],
  "shortcuts": [{"name": "Fares", "url": "/fares.html"}],
  "screenshots": [{"src": "/wide.png", "sizes": "640x400", "form_factor": "wide"}, {"src": "/narrow.png", "sizes": "400x640", "form_factor": "narrow"}],
  "share_target": {"action": "/fares.html", "method": "POST", "enctype": "application/x-www-form-urlencoded", "params": {"title": "t"}},
  "file_handlers": [{"action": "/fares.html", "accept": {"text/csv": [".csv"]}}],
  "protocol_handlers": [{"protocol": "web+ferry", "url": "/fares.html?q=%s"}],
  "launch_handler": {"client_mode": "focus-existing"},
  "scope_extensions": [{"type": "origin", "origin": "https://tides.example.com"}],
  "related_applications": [{"platform": "play", "id": "org.example.skerry"}],
  "note_taking": {"new_note_url": "/fares.html"}
}`

const goodHead = `<!doctype html><title>Home</title><meta name="viewport" content="width=device-width"><link rel="manifest" href="/m.json"><link rel="apple-touch-icon" href="/192.png"><script>navigator.serviceWorker.register("/sw.js")</script><html lang="en"><meta name="theme-color" content="#0b4f6c"><link rel="icon" href="/192.png"><meta http-equiv="Content-Security-Policy" content="default-src 'self' 'unsafe-inline'"><style>body { background: #fff } @media (prefers-color-scheme: dark) { body { background: #111 } }</style><script src="/use.js"></script>` + goodIOS

// goodIOS are tags for iPhones.
const goodIOS = `<meta name="mobile-web-app-capable" content="yes"><meta name="apple-mobile-web-app-status-bar-style" content="black-translucent"><style>body { padding-top: env(safe-area-inset-top) }</style><link rel="apple-touch-startup-image" media="(device-width: 375px) and (device-height: 667px) and (-webkit-device-pixel-ratio: 2) and (orientation: portrait)" href="/launch.png"><link rel="mask-icon" href="/pin.svg" color="#0b4f6c">`

// networkFirst waits for the network as long as it takes, and shows whatever it gives.
const networkFirst = `const list = ["/", "/fares.html", "/offline.html", "/192.png", "/use.js", "/data.json"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => e.respondWith(fetch(e.request).catch(() => caches.match(e.request)));`

const goodWorker = `const list = ["/", "/fares.html", "/offline.html", "/192.png", "/use.js", "/data.json"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => e.respondWith(e.request.method === "POST" ? shared(e.request) : caches.match(e.request, {ignoreSearch: e.request.mode === "navigate"}).then((r) => { const n = fetch(e.request).then(async (x) => { if (r && x.ok) await (await caches.open("v")).put(e.request, x.clone()); return x; }); if (r) e.waitUntil(n.catch(() => {})); return r || n; }).catch(() => caches.match("/offline.html")));
const shared = async (q) => { const c = await caches.open("v"); await c.put("/shared", new Response(await q.text())); return Response.redirect("/fares.html?shared", 303); };` + goodPush

// goodForms keeps what is written into a form while there is no network, and sends it at the next visit.
const goodForms = `addEventListener("fetch", (e) => { if (!e.request.url.endsWith("/send")) { e.waitUntil(later()); return; } e.stopImmediatePropagation(); e.respondWith(send(e.request)); });
const later = async () => { const c = await caches.open("written"), r = await c.match("/send"); if (r && (await fetch("/send", {method: "POST", body: await r.text()}).catch(() => {}))) await c.delete("/send"); };
const send = async (q) => { const text = await q.clone().text(); try { return await fetch(q); } catch (e) { await (await caches.open("written")).put("/send", new Response(text)); return Response.redirect("/fares.html?kept", 303); } };
`

// goodPush takes push messages, and taps on what it shows.
const goodPush = `
onpush = (e) => e.waitUntil(registration.showNotification(e.data ? e.data.text() : "News")); onnotificationclick = (e) => { e.notification.close(); e.waitUntil(clients.openWindow("/")); };`

// cacheFirst shows what it stored first, from a store whose name never changes.
const cacheFirst = `const list = ["/", "/fares.html", "/offline.html", "/192.png", "/use.js", "/data.json"];
oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.addAll(list)));
onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)).catch(() => caches.match("/offline.html")));`

// run audits a good site with some files changed; an empty text removes a file.
func run(t testing.TB, changes map[string]string) *Report {
	t.Helper()
	files := map[string]string{"index.html": goodHead, "fares.html": strings.Replace(goodHead, "Home", "Fares", 1), "offline.html": strings.Replace(goodHead, "Home", "Off", 1),
		"m.json": goodManifest, "192.png": picture(t, 192, 255), "512.png": picture(t, 512, 255), "sw.js": goodWorker,
		"mask.png": drawing(t, 512, 512, 0.3, teal, sand), "mono.png": drawing(t, 512, 512, 0.3, color.NRGBA{}, sand), "wide.png": drawing(t, 640, 400, 0.3, teal, sand), "narrow.png": drawing(t, 400, 640, 0.3, teal, sand), "launch.png": drawing(t, 750, 1334, 0.3, teal, sand),
		"pin.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16"><path fill="#000" d="M0 0h16v16z"/></svg>`, "data.json": "[]", "use.js": `fetch("/data.json"); if (window.launchQueue) launchQueue.setConsumer(() => {}); if (document.title === "x") navigator.geolocation.getCurrentPosition(() => {})`}
	o := Options{Deployed: &deployed.Report{}, Live: &Live{Entry: "https://skerry.example/", Secure: true, Insecure: "https://skerry.example/", MissingStatus: 404}}
	rules := site.Rules{Headers: []site.HeaderRule{{Path: "/**", Name: "Cache-Control", Value: "no-cache"}}}
	base, scripts, app := "/", false, ""
	var forms []string
	var absent *site.Answer
	comeback := len(changes) == 0 || changes["sw.js"] != "" // releases are imagined where the worker is what matters
	for name, data := range changes {
		switch name {
		case "live":
			change(t, data, o.Live)
		case "header":
			k, v, _ := strings.Cut(data, ": ")
			rules.Headers = append(rules.Headers, site.HeaderRule{Path: "/**", Name: k, Value: v})
		case "base":
			base = data
		case "scripts":
			scripts = true
		case "routes":
			app, scripts = data, true
		case "deployed":
			o.Deployed = &deployed.Report{}
			require.NoError(t, json.Unmarshal([]byte(data), o.Deployed))
		case "answer":
			rules.Answers = append(rules.Answers, site.AnswerRule{Path: "/.tachyform/record.json", Method: "GET", Type: "application/json", Body: []byte(data)})
		case "absent":
			absent = &site.Answer{Status: 404, Header: http.Header{"Content-Type": {"text/html"}}, Body: []byte(data)}
		case "form": // one of the start page is sent without a network
			files["fares.html"] += `<form method="post" action="/send"><input name="text"></form>`
			forms = []string{"/send"}
		case "ceiling":
			o.Ceiling = 10
		default:
			files[name] = data
		}
	}
	if len(changes) > 0 && changes["sw.js"] == "" { // nothing of it is looked at then
		files["sw.js"] = strings.TrimSuffix(files["sw.js"], goodPush)
	}
	maps.DeleteFunc(files, func(_, data string) bool { return data == "" })
	dir := tested.Folder(t, files)
	s, err := site.Open(dir, base)
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	visits := rehearsal.Options{Networks: []stage.Network{stage.Offline, stage.Slow, stage.Failing}, Fetches: []string{"/data.json"}, Forms: forms, Comeback: comeback, Scripts: scripts}
	if len(changes) == 0 || changes["m.json"]+changes["sw.js"]+changes["use.js"] != "" { // else the ways in are what they are of a good site
		m, err := manifest.Process([]byte(files["m.json"]), "m.json", weburl.Origin+"/m.json", weburl.Origin+"/")
		require.NoError(t, err)
		visits.Entrances = entrance.Of(m, weburl.Origin)
	}
	if app != "" {
		application(t, app, s, &rules, &o, &visits)
	}
	server := site.NewServer(s, rules)
	server.Absent = absent
	o.Live.Headers = map[string]http.Header{}
	for _, f := range s.Files {
		o.Live.Headers[f.URL] = server.Answer("GET", f.URL).Header
	}
	rehearsed := func() *rehearsal.Report {
		st := rehearsal.NewEmbedded(server, nil, stage.Limits{Step: time.Minute}) // the machine may be busy
		defer st.Close()
		r, err := rehearsal.Run(context.Background(), st, server, visits)
		require.NoError(t, err)
		return r
	}
	var r *rehearsal.Report
	if unheard(changes) {
		asGood.once.Do(func() { asGood.report = rehearsed() })
		again := *asGood.report
		r = &again
	} else {
		r = rehearsed()
	}
	report, err := Run(context.Background(), server, r, o)
	require.NoError(t, err)
	return report
}

// asGood is the rehearsal of a site whose changes make no difference to it, taken once.
var asGood struct {
	once   sync.Once
	report *rehearsal.Report
}

// unheard says whether what is changed is neither asked for nor run by a page or the worker.
func unheard(changes map[string]string) bool {
	for name, data := range changes {
		switch ext := path.Ext(name); {
		case name == "live", name == "answer", name == "deployed", name == "ceiling":
		case (ext == ".png" || ext == ".svg") && data != "":
		default:
			return false
		}
	}
	return len(changes) > 0
}

func failed(r *Report) []string {
	out := []string{}
	for _, c := range r.Checks {
		if c.State == "failed" {
			out = append(out, c.ID)
		}
	}
	return out
}

func TestAGoodSitePassesEverything(t *testing.T) {
	sum := sha256.Sum256([]byte(appUse))
	sure := strings.NewReplacer("Home", "Fares", `src="/use.js"`, `src="/use.js" integrity="sha256-`+base64.StdEncoding.EncodeToString(sum[:])+`"`).Replace(goodHead)
	r := run(t, map[string]string{"routes": "good", "form": "kept", "sw.js": goodForms + appWorker, "use.js": appUse, "fares.html": sure})
	assert.Empty(t, failed(r))
	for _, c := range r.Checks {
		if slices.ContainsFunc(servedChecks, func(s Check) bool { return s.ID == c.ID }) {
			assert.Equal(t, "not-applicable", c.State, c.ID) // no server makes its pages; see TestServed
			continue
		}
		assert.Equal(t, "passed", c.State, "%s: a good site is a passing example of every check", c.ID)
	}
	assert.Empty(t, r.Failing())
	for _, p := range r.Platforms {
		assert.True(t, p.Installable, p.ID)
	}
}

func TestEachCheckFails(t *testing.T) {
	with := func(old, new string) string { return strings.Replace(goodManifest, old, new, 1) }
	head := func(old, new string) string { return strings.Replace(goodHead, old, new, 1) }
	cases := map[string]struct {
		changes map[string]string
		where   string // FILE:LINE:COLUMN of the first finding, "" when it has none
	}{
		"manifest/not-linked":               {map[string]string{"index.html": head(`<link rel="manifest" href="/m.json">`, "")}, "index.html:1:1"},
		"manifest/elsewhere":                {map[string]string{"index.html": head(`href="/m.json"`, `href="https://cdn.example/m.json"`)}, "index.html:1:113"},
		"manifest/not-found":                {map[string]string{"m.json": ""}, "index.html:1:113"},
		"manifest/not-json":                 {map[string]string{"m.json": "{\n  \"name\": \"a\",\n}"}, "m.json:3:1"},
		"manifest/name-missing":             {map[string]string{"m.json": strings.Replace(with(`"name": "Skerry Line"`, `"name": " "`), `"short_name": "Skerry", `, ``, 1)}, "m.json:2:11"},
		"manifest/start-url-invalid":        {map[string]string{"m.json": with(`"start_url": "/"`, `"start_url": 7`)}, "m.json:3:16"},
		"manifest/start-url-unanswered":     {map[string]string{"m.json": with(`"start_url": "/"`, `"start_url": "/gone/"`)}, "m.json:3:16"},
		"manifest/start-url-outside-scope":  {map[string]string{"m.json": with(`"scope": "/"`, `"scope": "/app/"`)}, "m.json:4:12"},
		"manifest/opens-in-browser":         {map[string]string{"m.json": strings.ReplaceAll(goodManifest, `standalone`, `browser`)}, "-"},
		"manifest/other-app-preferred":      {map[string]string{"m.json": with(`"name"`, `"prefer_related_applications": true, "name"`)}, "m.json:2:34"},
		"icons/none-suitable":               {map[string]string{"m.json": with(`"icons"`, `"icon"`)}, "m.json:1:1"},
		"icons/unusable":                    {map[string]string{"192.png": picture(t, 100, 255)}, "m.json:7:5"},
		"icons/file-missing":                {map[string]string{"512.png": ""}, "m.json:8:5"},
		"icons/size-differs":                {map[string]string{"512.png": picture(t, 500, 255)}, "m.json:8:5"},
		"icons/type-differs":                {map[string]string{"m.json": with(`"type": "image/png"`, `"type": "image/webp"`)}, "m.json:7:5"},
		"icons/no-maskable":                 {map[string]string{"m.json": with(`, "purpose": "maskable"`, ``)}, "m.json:6:12"},
		"pages/manifest-not-linked":         {map[string]string{"fares.html": "<title>Fares</title><meta name=viewport content=width=device-width>"}, "fares.html:1:1"},
		"pages/layout-without-tags":         {map[string]string{"sw.js": servedWorker, "sw-page.js": "// Tachyform page script", "index.html": servedHead}, ""},
		"updates/names-without-digest":      {map[string]string{"sw.js": servedWorker, "sw-page.js": "// Tachyform page script", "index.html": servedHead, "fares.html": servedHead, "offline.html": servedHead}, ""},
		"pages/viewport-missing":            {map[string]string{"fares.html": head(`name="viewport"`, `name="view"`)}, "fares.html:1:1"},
		"pages/touch-icon-missing":          {map[string]string{"index.html": head(`/192.png`, `/gone.png`)}, "index.html:1:157"},
		"pages/touch-icon-transparent":      {map[string]string{"192.png": picture(t, 192, 200)}, "192.png:0:0"},
		"pages/integrity-differs":           {map[string]string{"app.css": "p{}", "fares.html": goodHead + `<link rel=stylesheet href=/app.css integrity="sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA=">`}, "fares.html:1:991"},
		"pages/reference-leads-nowhere":     {map[string]string{"fares.html": goodHead + `<img src="/gone.png">`}, ""},
		"worker/none":                       {map[string]string{"index.html": head(`serviceWorker`, `noWorker`), "fares.html": head(`serviceWorker`, `noWorker`), "offline.html": head(`serviceWorker`, `noWorker`)}, "index.html:0:0"},
		"worker/not-installed":              {map[string]string{"sw.js": strings.Replace(goodWorker, "/fares.html", "/gone.html", 1)}, "sw.js:2:0"},
		"worker/start-url-out-of-scope":     {map[string]string{"index.html": head(`"/sw.js"`, `"/sw.js", {scope: "/app/"}`)}, "m.json:3:16"},
		"worker/not-awaited":                {map[string]string{"sw.js": strings.Replace(goodWorker, "c.addAll(list)", "{ c.addAll(list); }", 1)}, "sw.js:0:0"},
		"worker/json-module":                {map[string]string{"index.html": head(`"/sw.js"`, `"/sw.js", {type: "module"}`), "sw.js": `import list from "./list.json" with {type: "json"};` + strings.Replace(goodWorker, "const list = ", "const more = ", 1), "list.json": `["/", "/fares.html", "/offline.html"]`}, "sw.js:0:0"},
		"worker/list-not-filled":            {map[string]string{"sw.js": goodWorker + "\nconst release = '@@release';"}, "sw.js:6:17"},
		"updates/data-never-fresh":          {map[string]string{"sw.js": cacheFirst}, "data.json:0:0"},
		"updates/one-store":                 {map[string]string{"sw.js": `oninstall = (e) => e.waitUntil(caches.open("v").then((c) => c.add("/"))); onfetch = (e) => e.respondWith((async () => { const c = await caches.open("v"); const r = await fetch(e.request); await c.put(e.request, r.clone()); return r; })());`}, "sw.js:0:0"},
		"offline/page-as-data":              {map[string]string{"sw.js": strings.Replace(goodWorker, `, "/data.json"`, "", 1)}, "use.js:1:8"},
		"offline/form-lost":                 {map[string]string{"sw.js": goodWorker, "form": "lost"}, "fares.html:1:994"},
		"manifest/id-ignored":               {map[string]string{"m.json": with(`"id": "/"`, `"id": 7`)}, "-"},
		"manifest/scope-ignored":            {map[string]string{"m.json": with(`"scope": "/"`, `"scope": "https://other.example/"`)}, "m.json:4:12"},
		"manifest/text-ignored":             {map[string]string{"m.json": with(`"short_name": "Skerry"`, `"short_name": 365`)}, "-"},
		"manifest/display-ignored":          {map[string]string{"m.json": with(`"display": "standalone"`, `"display": "standalon"`)}, "m.json:5:14"},
		"manifest/display-override-ignored": {map[string]string{"m.json": with(`["standalone"]`, `"tabbed"`)}, "-"},
		"manifest/orientation-ignored":      {map[string]string{"m.json": with(`"orientation": "any"`, `"orientation": "up"`)}, "-"},
		"manifest/theme-color-ignored":      {map[string]string{"m.json": with(`"#0b4f6c"`, `"blau"`)}, "-"},
		"manifest/background-color-ignored": {map[string]string{"m.json": with(`"#ffffff"`, `"#12"`)}, "-"},
		"manifest/language-ignored":         {map[string]string{"m.json": with(`"dir": "ltr"`, `"dir": "left"`)}, "-"},
		"manifest/shortcut-ignored":         {map[string]string{"m.json": with(`"name": "Fares", `, ``)}, "-"},
		"manifest/screenshot-ignored":       {map[string]string{"m.json": with(`{"src": "/wide.png", "sizes": "640x400", "form_factor": "wide"}`, `"a.png"`)}, "-"},
		"manifest/share-target-ignored":     {map[string]string{"m.json": with(`, "params": {"title": "t"}`, ``)}, "-"},
		"manifest/file-handler-ignored":     {map[string]string{"m.json": with(`, "accept": {"text/csv": [".csv"]}`, ``)}, "-"},
		"manifest/protocol-handler-ignored": {map[string]string{"m.json": with(`web+ferry`, `ferry`)}, "-"},
		"manifest/launch-handler-ignored":   {map[string]string{"m.json": with(`focus-existing`, `new`)}, "-"},
		"manifest/scope-extension-ignored":  {map[string]string{"m.json": with(`https://tides.example.com`, `http://x`)}, "-"},
		"manifest/related-app-ignored":      {map[string]string{"m.json": with(`"platform": "play", `, ``)}, "-"},
		"manifest/note-url-ignored":         {map[string]string{"m.json": with(`"new_note_url": "/fares.html"`, `"new_note_url": "https://other.example/"`)}, "-"},
		"manifest/member-unknown":           {map[string]string{"m.json": with(`"name"`, `"themecolor": "red", "name"`)}, "m.json:2:3"},
		"manifest/written-twice":            {map[string]string{"m.json": with(`"name"`, `"name": "x", "name"`)}, "-"},
		"manifest/questionable":             {map[string]string{"m.json": with(`"name"`, `"gcm_sender_id": "1", "name"`)}, "-"},
		"icons/entry-ignored":               {map[string]string{"m.json": with(`192x192`, `192`)}, "-"},
		"manifest/id-missing":               {map[string]string{"m.json": with(`"id": "/", `, ``)}, "m.json:1:1"},
		"manifest/description-missing":      {map[string]string{"m.json": with(`"description"`, `"x_description"`)}, "m.json:1:1"},
		"manifest/theme-color-missing":      {map[string]string{"m.json": with(`"theme_color"`, `"x_theme"`)}, "m.json:1:1"},
		"manifest/background-color-missing": {map[string]string{"m.json": with(`"background_color"`, `"x_back"`)}, "m.json:1:1"},
		"manifest/language-missing":         {map[string]string{"m.json": with(`"lang"`, `"x_lang"`)}, "m.json:1:1"},
		"manifest/shortcuts-missing":        {map[string]string{"m.json": with(`"shortcuts"`, `"x_short"`)}, "m.json:1:1"},
		"manifest/screenshots-missing":      {map[string]string{"m.json": with(`"screenshots"`, `"x_shots"`)}, "m.json:1:1"},
		"manifest/screenshots-one-sided":    {map[string]string{"m.json": with(`"form_factor": "narrow"`, `"form_factor": "wide"`)}, "-"},
		"manifest/screenshot-unusable":      {map[string]string{"wide.png": drawing(t, 900, 330, 0.3, teal, sand)}, "-"},
		"manifest/short-name-long":          {map[string]string{"m.json": with(`"Skerry",`, `"Skerry Line ferries",`)}, "-"},
		"manifest/screenshots-left-out":     {map[string]string{"m.json": with(`"form_factor": "narrow"}`, `"form_factor": "narrow"}, {"src": "/512.png", "form_factor": "narrow"}`)}, "-"},
		"manifest/description-long":         {map[string]string{"m.json": with("Ferries between the islands", strings.Repeat("Ferries. ", 40))}, "-"},
		"manifest/theme-color-hard-to-read": {map[string]string{"m.json": with(`"theme_color": "#0b4f6c"`, `"theme_color": "#e64a19"`)}, "-"},
		"pages/theme-color-light-only":      {map[string]string{"index.html": head(`content="#0b4f6c"`, `content="#fff"`)}, "-"},
		"manifest/entrance-unanswered":      {map[string]string{"m.json": with(`"/fares.html"}`, `"/fare.html"}`)}, "-"},
		"offline/entrance-lost":             {map[string]string{"m.json": with(`"start_url": "/"`, `"start_url": "/?from=icon"`), "sw.js": strings.Replace(goodWorker, `ignoreSearch`, `ignoreVary`, 1)}, "-"},
		"offline/share-lost":                {map[string]string{"sw.js": strings.Replace(goodWorker, `e.request.method === "POST"`, `false`, 1)}, "-"},
		"manifest/file-not-taken":           {map[string]string{"use.js": `fetch("/data.json")`}, "-"},
		"manifest/launch-not-heard":         {map[string]string{"use.js": `fetch("/data.json")`}, "-"},
		"worker/push-fails":                 {map[string]string{"sw.js": goodWorker + "\nonpush = (e) => e.waitUntil(registration.showNotification(e.data.json().alert.title));"}, "-"},
		"worker/push-shows-nothing":         {map[string]string{"sw.js": goodWorker + "\nonpush = (e) => e.waitUntil(caches.open('v'));"}, "-"},
		"worker/tap-does-nothing":           {map[string]string{"sw.js": goodWorker + "\nonnotificationclick = null;"}, "-"},
		"manifest/id-shared":                {map[string]string{"fares.html": head(`href="/m.json"`, `href="/n.json"`), "n.json": goodManifest}, "n.json:12:9"},
		"manifest/name-long":                {map[string]string{"m.json": with(`"Skerry Line"`, `"Skerry Line, ferries, timetables, tides and fares of the isles"`)}, "m.json:2:11"},
		"manifest/pages-outside-scope":      {map[string]string{"app/index.html": goodHead, "m.json": strings.Replace(with(`"scope": "/"`, `"scope": "/app/"`), `"start_url": "/"`, `"start_url": "/app/"`, 1)}, "-"},
		"manifest/start-url-of-a-person":    {map[string]string{"account/index.html": goodHead, "m.json": with(`"start_url": "/"`, `"start_url": "/account/"`)}, "m.json:3:16"},
		"manifest/language-differs":         {map[string]string{"m.json": with(`"lang": "en"`, `"lang": "de"`)}, "-"},
		"manifest/background-flashes":       {map[string]string{"index.html": head(`#fff }`, `#111 }`)}, "-"},
		"icons/maskable-cut":                {map[string]string{"mask.png": drawing(t, 512, 512, 0.48, teal, sand)}, "m.json:9:5"},
		"icons/maskable-transparent":        {map[string]string{"mask.png": drawing(t, 512, 512, 0.3, color.NRGBA{}, sand)}, "m.json:9:5"},
		"icons/one-for-all-purposes":        {map[string]string{"m.json": with(`"purpose": "maskable"`, `"purpose": "any maskable"`)}, "m.json:9:5"},
		"icons/monochrome-filled":           {map[string]string{"mono.png": drawing(t, 512, 512, 0.3, teal, sand)}, "m.json:10:5"},
		"icons/faint":                       {map[string]string{"192.png": drawing(t, 192, 192, 0.3, color.NRGBA{255, 255, 255, 255}, color.NRGBA{225, 225, 225, 255})}, "m.json:7:5"},
		"icons/not-square":                  {map[string]string{"512.png": drawing(t, 512, 500, 0.3, teal, sand)}, "m.json:8:5"},
		"icons/large-missing":               {map[string]string{"m.json": with(`{"src": "/512.png", "sizes": "512x512", "type": "image/png"},`, ``)}, "m.json:6:12"},
		"icons/only-vector":                 {map[string]string{"a.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"/>`, "m.json": `{"name": "S", "start_url": "/", "display": "standalone", "icons": [{"src": "/a.svg", "sizes": "any", "type": "image/svg+xml"}]}`}, "-"},
		"icons/heavy":                       {map[string]string{"512.png": picture(t, 512, 255) + strings.Repeat("x", 400<<10)}, "m.json:8:5"},
		"icons/elsewhere":                   {map[string]string{"m.json": with(`"/192.png"`, `"https://cdn.example/192.png"`)}, "m.json:7:5"},
		"icons/foreign":                     {map[string]string{"m.json": with(`"/512.png"`, `"https://cdn.example/512.png"`)}, "m.json:8:5"},
		"pages/viewport-not-fitting":        {map[string]string{"fares.html": head(`width=device-width`, `width=1024`)}, "fares.html:1:66"},
		"pages/zoom-forbidden":              {map[string]string{"fares.html": head(`width=device-width`, `width=device-width, user-scalable=no`)}, "fares.html:1:66"},
		"pages/title-missing":               {map[string]string{"fares.html": head(`<title>Home</title>`, ``)}, "fares.html:1:1"},
		"pages/title-long":                  {map[string]string{"fares.html": head(`Home`, strings.Repeat("timetable ", 9))}, "fares.html:1:1"},
		"pages/titles-alike":                {map[string]string{"fares.html": goodHead, "offline.html": goodHead}, "fares.html:1:1"},
		"pages/language-missing":            {map[string]string{"fares.html": head(`<html lang="en">`, ``)}, "fares.html:1:1"},
		"pages/theme-color-invalid":         {map[string]string{"fares.html": head(`"#0b4f6c"`, `"0b4f6c"`)}, "-"},
		"pages/theme-color-differs":         {map[string]string{"index.html": head(`"#0b4f6c"`, `"red"`)}, "-"},
		"pages/manifest-linked-twice":       {map[string]string{"fares.html": head(`<link rel="manifest" href="/m.json">`, `<link rel="manifest" href="/m.json"><link rel="manifest" href="/n.json">`)}, "fares.html:1:1"},
		"pages/icon-missing":                {map[string]string{"index.html": head(`<link rel="icon" href="/192.png">`, ``)}, "index.html:1:1"},
		"pages/icon-file-missing":           {map[string]string{"fares.html": head(`rel="icon" href="/192.png"`, `rel="icon" href="/gone.png"`)}, "-"},
		"device/not-everywhere":             {map[string]string{"use.js": "fetch(\"/data.json\");\nif (document.title === \"x\") navigator.bluetooth.requestDevice()"}, "use.js:2:39"},
		"ios/name-unknown":                  {map[string]string{"fares.html": head(`name="apple-mobile-web-app-status-bar-style"`, `name="apple-mobile-web-app-status-bar"`)}, "-"},
		"ios/value-unknown":                 {map[string]string{"fares.html": head(`content="black-translucent"`, `content="#0b4f6c"`)}, "-"},
		"ios/under-the-status-bar":          {map[string]string{"fares.html": head(`env(safe-area-inset-top)`, `1em`)}, "-"},
		"ios/pinned-icon":                   {map[string]string{"pin.svg": `<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 16 16"><path fill="#000" d="M0 0h16v16z"/><path style="fill:teal" d="M0 0h8v8z"/></svg>`}, "-"},
		"ios/launch-picture":                {map[string]string{"launch.png": drawing(t, 750, 1300, 0.3, teal, sand)}, "-"},
		"pages/touch-icon-size":             {map[string]string{"192.png": picture(t, 150, 255)}, "192.png:0:0"},
		"pages/head-unclear":                {map[string]string{"fares.html": "<!doctype html>\x00"}, "fares.html:1:1"},
		"pages/reference-by-name-case":      {map[string]string{"fares.html": goodHead + `<img src="/WIDE.png">`}, ""},
		"worker/not-registered":             {map[string]string{"sw.js": ""}, "-"},
		"worker/throws":                     {map[string]string{"sw.js": "addEventListener('fetch', () => { oops(); });\n" + goodWorker}, "sw.js:1:35"},
		"worker/rejects":                    {map[string]string{"sw.js": "addEventListener('fetch', (e) => e.waitUntil(Promise.reject(new Error('no'))));\n" + goodWorker}, "-"},
		"worker/too-late":                   {map[string]string{"sw.js": "addEventListener('fetch', (e) => setTimeout(() => { try { e.respondWith(new Response('x')); } catch {} }, 1));\n"}, "-"},
		"worker/body-used-twice":            {map[string]string{"sw.js": "onfetch = (e) => e.respondWith((async () => { const r = await fetch(e.request); await r.text(); return r.clone(); })());"}, "-"},
		"worker/never-ends":                 {map[string]string{"sw.js": "oninstall = (e) => e.waitUntil(new Promise(() => {}));"}, "-"},
		"worker/redirected-navigation":      {map[string]string{"old/index.html": goodHead, "sw.js": "onfetch = (e) => { if (e.request.mode === 'navigate') e.respondWith(fetch('/old')); };"}, "-"},
		"worker/deletes-own-store":          {map[string]string{"sw.js": goodWorker + "\nonactivate = (e) => e.waitUntil(caches.delete('v'));"}, "-"},
		"worker/stores-errors":              {map[string]string{"sw.js": "addEventListener('fetch', (e) => e.waitUntil(fetch('/gone').then((r) => caches.open('v').then((c) => c.put('/gone', r)), () => {})));\n" + goodWorker}, "-"},
		"worker/complains":                  {map[string]string{"sw.js": goodWorker + "\nconsole.error('no list');"}, "-"},
		"offline/not-run":                   {map[string]string{"use.js": "fetch('/data.json');\nfetch(document.title)"}, "use.js:2:7"},
		"offline/unknown-origin":            {map[string]string{"sw.js": "importScripts('https://cdn.example/lib.js'); lib.store();"}, "sw.js:1:46"},
		"offline/stand-in-incomplete":       {map[string]string{"offline.html": head("Home", "Off") + `<img src="/wide.png">`, "sw.js": `const list = ["/offline.html", "/192.png"];` + goodWorker[strings.IndexByte(goodWorker, '\n'):]}, "-"},
		"weight/opaque-stored":              {map[string]string{"sw.js": goodWorker + "\naddEventListener('install', (e) => e.waitUntil(fetch('https://cdn.example/a', {mode: 'no-cors'}).then((r) => caches.open('v').then((c) => c.put('/o', r)))));"}, "-"},
		"privacy/cookie-with-stored":        {map[string]string{"header": "Set-Cookie: visitor=7"}, "index.html:0:0"},
		"privacy/private-stored":            {map[string]string{"sw.js": goodWorker + "\naddEventListener('install', (e) => e.waitUntil(caches.open('v').then((c) => c.put('/me', new Response('x', {headers: {'Cache-Control': 'private, max-age=9'}})))));"}, "-"},
		"offline/slow-network":              {map[string]string{"sw.js": networkFirst}, ""},
		"offline/failing-server":            {map[string]string{"sw.js": networkFirst}, ""},
		"offline/data-lost":                 {map[string]string{"sw.js": strings.Replace(strings.Replace(goodWorker, `, "/data.json"`, ``, 1), `.catch(() => caches.match("/offline.html"))`, ``, 1)}, ""},
		"worker/pages-out-of-scope":         {map[string]string{"index.html": head(`"/sw.js"`, `"/sw.js", {scope: "/app/"}`), "fares.html": "<title>F</title>", "offline.html": "<title>O</title>"}, ""},
		"worker/pages-without":              {map[string]string{"fares.html": head(`serviceWorker`, `noWorker`)}, ""},
		"updates/several-workers":           {map[string]string{"fares.html": head(`"/sw.js"`, `"/sw2.js"`)}, "-"},
		"updates/digest-in-worker-name":     {map[string]string{"sw.3f9c2a7b.js": goodWorker, "fares.html": head(`"/sw.js"`, `"/sw.3f9c2a7b.js"`)}, "-"},
		"updates/never-arrives":             {map[string]string{"sw.js": "onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request).then(async (r) => { await (await caches.open('v')).put(e.request, r.clone()); return r; })));"}, "sw.js:0:0"},
		"updates/mixes-releases":            {map[string]string{"sw.js": "onfetch = (e) => { if (e.request.mode !== 'navigate') e.respondWith(caches.open('v').then(async (c) => (await c.match(e.request)) || fetch(e.request).then((r) => { c.put(e.request, r.clone()); return r; }))); };"}, "sw.js:0:0"},
		"updates/worker-must-change":        {map[string]string{"sw.js": cacheFirst}, "sw.js:0:0"},
		"updates/changed-since-fit":         {map[string]string{"sw.js": worker.Mark + "service worker\nself.tachyform = {release: \"abcdef123456\", now: {other: {\"/192.png\": \"AAAAAAAAAAAAAAAA\"}}};\n" + goodWorker}, "192.png:0:0"},
		"updates/kept-too-long":             {map[string]string{"header": "Cache-Control: max-age=604800"}, "-"},
		"weight/first-visit":                {map[string]string{"ceiling": "10"}, ""},
		"weight/quota":                      {map[string]string{"sw.js": goodWorker + "\naddEventListener('install', (e) => e.waitUntil(caches.open('v').then((c) => c.put('/film', new Response('x'.repeat(60 << 20))))));"}, ""},
		"weight/large-file-stored":          {map[string]string{"data.json": strings.Repeat(" ", 2<<20) + "[]"}, "-"},
		"weight/unneeded-stored":            {map[string]string{"use.js.map": "{}", "sw.js": strings.Replace(goodWorker, `"/data.json"`, `"/data.json", "/use.js.map"`, 1)}, "-"},
		"weight/start-page":                 {map[string]string{"index.html": goodHead + `<img src="/wide.png">`, "wide.png": drawing(t, 640, 400, 0.3, teal, sand) + strings.Repeat("x", 3<<20)}, "index.html:1:1"},
		"privacy/personal-page-stored":      {map[string]string{"account/index.html": goodHead, "sw.js": strings.Replace(goodWorker, `"/data.json"`, `"/data.json", "/account/"`, 1)}, "-"},
		"privacy/scope-too-wide":            {map[string]string{"base": "/ferries/", "header": "Service-Worker-Allowed: /", "index.html": strings.ReplaceAll(head(`register("/sw.js")`, `register("/ferries/sw.js", {scope: "/"})`), `="/`, `="/ferries/`), "sw.js": "onfetch = () => {};"}, ""},
		"privacy/foreign-code-in-worker":    {map[string]string{"sw.js": goodWorker + "\ntry { importScripts('https://cdn.example/a.js') } catch {}"}, "sw.js:6:7"},
		"host/not-secure":                   {map[string]string{"live": "insecure"}, ""},
		"host/http-stays-http":              {map[string]string{"live": "http stays"}, ""},
		"host/missing-is-a-page":            {map[string]string{"live": "missing is a page"}, ""},
		"host/record-served":                {map[string]string{"answer": `{"format": "tachyform.record/1"}`}, ""},
		"host/behind-sign-in":               {map[string]string{"live": "sign-in", "m.json": ""}, ""},
		"host/worker-type":                  {map[string]string{"header": "Content-Type: text/plain"}, "-"},
		"host/manifest-type":                {map[string]string{"header": "Content-Type: text/plain"}, "-"},
		"host/policy-forbids-manifest":      {map[string]string{"index.html": head(`default-src 'self' 'unsafe-inline'`, `default-src 'none'`)}, "index.html:1:1"},
		"host/policy-forbids-icons":         {map[string]string{"header": "Content-Security-Policy: sandbox allow-scripts"}, "index.html:1:1"},
		"host/policy-forbids-worker":        {map[string]string{"index.html": head(`default-src 'self' 'unsafe-inline'`, `default-src 'none'`)}, "index.html:1:1"},
		"host/mixed-content":                {map[string]string{"fares.html": goodHead + `<script src="http://cdn.example/a.js"></script>`}, ""},
		"offline/start-page":                {map[string]string{"sw.js": strings.Replace(goodWorker, `"/", `, ``, 1)}, ""},
		"offline/page-lost":                 {map[string]string{"sw.js": strings.Replace(strings.Replace(goodWorker, `, "/fares.html"`, ``, 1), `.catch(() => caches.match("/offline.html"))`, ``, 1)}, ""},
		"offline/page-blank":                {map[string]string{"scripts": "run", "fares.html": goodHead + `<p id=p></p><script>fetch("/data.json?fares").then((r) => r.json()).then(() => { p.textContent = "a list of all fares from four pounds to twenty of every crossing and of every ship with bicycles and cars" }).catch(() => {})</script>`}, ""},
		"offline/page-partial":              {map[string]string{"fares.html": goodHead + `<img src="/512.png">`}, ""},
		"offline/route-stand-in":            {map[string]string{"routes": "good", "sw.js": strings.Replace(appWorker, `caches.match("/")`, `caches.match("/offline.html")`, 1), "use.js": appUse}, ""},
		"offline/route-data":                {map[string]string{"routes": "good", "sw.js": strings.Replace(appWorker, `await c.put(r, x.clone())`, `0`, 1), "use.js": appUse}, ""},
		"offline/offline-unsaid":            {map[string]string{"routes": "good", "sw.js": appWorker, "use.js": `fetch("/data.json")`}, ""},
		"host/route-not-answered":           {map[string]string{"routes": "unanswered", "sw.js": appWorker, "use.js": appUse}, ""},
		"worker/server-not-asked":           {map[string]string{"routes": "good", "sw.js": strings.ReplaceAll(appWorker, `e.request.url.endsWith("/boats")`, `/\/(boats|old)$/.test(e.request.url)`), "use.js": appUse}, ""},
		"pages/route-leads-nowhere":         {map[string]string{"routes": "dead", "sw.js": appWorker, "use.js": appUse}, ""},
		"deployed/another-release":          {map[string]string{"deployed": `{"release": "1", "live": "2", "verdict": "what is live is release 2"}`}, ""},
		"deployed/missing":                  {map[string]string{"deployed": `{"files": [{"url": "/use.js", "path": "use.js", "what": "missing", "status": 404}, {"url": "/192.png", "path": "192.png", "what": "a page"}, {"url": "/m", "path": "m", "what": "unanswered"}]}`}, "use.js:0:0"},
		"deployed/altered-refused":          {map[string]string{"deployed": `{"files": [{"url": "/use.js", "path": "use.js", "what": "altered", "needed": true}]}`}, "use.js:0:0"},
		"deployed/altered":                  {map[string]string{"deployed": `{"files": [{"url": "/", "path": "index.html", "what": "altered", "needed": true, "accepted": true}]}`}, "index.html:0:0"},
		"deployed/stale":                    {map[string]string{"deployed": `{"files": [{"url": "/use.js", "path": "use.js", "what": "stale", "how": "its Age is 7 s"}]}`}, "use.js:0:0"},
		"deployed/refused":                  {map[string]string{"deployed": `{"files": [{"url": "/m.json", "path": "m.json", "what": "refused", "status": 401}]}`}, "m.json:0:0"},
		"deployed/moved":                    {map[string]string{"deployed": `{"files": [{"url": "/sw.js", "path": "sw.js", "what": "moved", "to": "/x"}]}`}, "sw.js:0:0"},
		"deployed/headers":                  {map[string]string{"deployed": `{"headers": [{"url": "/sw.js", "name": "Cache-Control", "got": "max-age=86400", "want": "no-cache", "costs": "kept for a day"}]}`}, "sw.js:0:0"},
		"offline/page-stand-in":             {map[string]string{"sw.js": strings.Replace(goodWorker, `, "/fares.html"`, ``, 1)}, ""},
	}
	for id, c := range cases {
		t.Run(id, func(t *testing.T) {
			t.Parallel()
			r := run(t, c.changes)
			require.Contains(t, failed(r), id)
			for _, res := range r.Checks {
				if res.ID != id {
					continue
				}
				f := res.Findings[0]
				assert.NotEmpty(t, f.Message)
				assert.NotEmpty(t, f.Mend)
				switch {
				case c.where == "-": // somewhere in a file or at an address
					assert.True(t, f.File != "" || f.URL != "" || strings.HasPrefix(id, "worker/"), f.Message)
				case c.where != "":
					assert.Equal(t, c.where, f.File+":"+itoa(f.Line)+":"+itoa(f.Column), f.Message)
				default:
					assert.NotEmpty(t, f.URL)
				}
			}
		})
	}
	for _, c := range Checks() {
		assert.Contains(t, cases, c.ID, "every check has a failing example")
	}
}

func itoa(n int) string {
	if n == 0 {
		return "0"
	}
	s := ""
	for ; n > 0; n /= 10 {
		s = string(rune('0'+n%10)) + s
	}
	return s
}

func TestChecksSayWhatTheyMustSay(t *testing.T) {
	seen := map[string]bool{}
	for _, c := range Checks() {
		assert.False(t, seen[c.ID], c.ID)
		seen[c.ID] = true
		assert.Regexp(t, `^[a-z]+/[a-z-]+$`, c.ID)
		assert.True(t, slices.Contains([]Level{Blocker, Warning, Advice}, c.Level), c.ID)
		for _, text := range []string{c.Title, c.Why, c.Mend, c.Spec, c.Example} {
			assert.NotEmpty(t, text, c.ID)
		}
		for _, p := range c.Blocks {
			assert.True(t, slices.ContainsFunc(platform.All, func(x platform.Platform) bool { return x.ID == p }), "%s blocks %s", c.ID, p)
			assert.Equal(t, Blocker, c.Level, c.ID)
		}
	}
}

func TestVerdicts(t *testing.T) {
	r := run(t, map[string]string{"m.json": strings.ReplaceAll(goodManifest, "standalone", "browser")})
	for _, p := range r.Platforms {
		assert.Equal(t, p.ID == "safari-macos", p.Installable, p.ID)
	}
	assert.NotEmpty(t, (&Report{FailOn: Blocker, Checks: r.Checks}).Failing())
	r = run(t, map[string]string{"m.json": strings.Replace(goodManifest, "icons", "icon", 1)})
	for _, p := range r.Platforms {
		assert.Equal(t, !strings.HasPrefix(p.ID, "chromium"), p.Installable, p.ID)
	}
}

func TestLevels(t *testing.T) {
	assert.True(t, Blocker.AtLeast(Warning))
	assert.True(t, Warning.AtLeast(Warning))
	assert.False(t, Advice.AtLeast(Warning))
	assert.False(t, Blocker.AtLeast("never"))
	assert.False(t, Level("").AtLeast(Advice))
}

// TestVerdictsOnPoliciesAndIcons are verdicts as Chromium gives them: only the start page's policies count, icons obey them, and an icon that cannot be drawn is none.
func TestVerdictsOnPoliciesAndIcons(t *testing.T) {
	strict := func(policy string) string {
		return strings.Replace(goodHead, `default-src 'self' 'unsafe-inline'`, policy, 1)
	}
	good := drawing(t, 192, 192, 0.3, teal, sand)
	for name, c := range map[string]struct {
		changes map[string]string
		blocks  string // check that forbids installing, "" when it installs
	}{
		"a strict policy on another page":   {map[string]string{"fares.html": strict(`default-src 'none'`)}, ""},
		"a strict policy on the start page": {map[string]string{"index.html": strict(`default-src 'none'`)}, "host/policy-forbids-manifest"},
		"pictures are forbidden":            {map[string]string{"index.html": strict(`default-src 'self' 'unsafe-inline'; img-src 'none'`)}, "host/policy-forbids-icons"},
		"a sandbox by a meta element":       {map[string]string{"index.html": strict(`default-src 'self' 'unsafe-inline'; sandbox`)}, ""},
		"a sandbox by a header":             {map[string]string{"header": "Content-Security-Policy: sandbox"}, "host/policy-forbids-icons"},
		"a sandbox of the same origin":      {map[string]string{"header": "Content-Security-Policy: sandbox allow-same-origin allow-scripts"}, ""},
		"two policies in a header":          {map[string]string{"header": "Content-Security-Policy: img-src 'self', img-src 'none'"}, "host/policy-forbids-icons"},
		"a picture cut off":                 {map[string]string{"512.png": good[:len(good)/2], "192.png": good[:len(good)/2], "m.json": strings.ReplaceAll(goodManifest, "512x512", "192x192")}, "icons/unusable"},
		"an address of a script":            {map[string]string{"m.json": regexp.MustCompile(`"src": ?"/?[^"]+\.png"`).ReplaceAllString(goodManifest, `"src": "javascript:1"`)}, "icons/none-suitable"},
		"one manifest with a query":         {map[string]string{"index.html": strings.Replace(goodHead, "/m.json", "/m.json?v=3", 1)}, ""},
	} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			r := run(t, c.changes)
			for _, v := range r.Platforms {
				if v.ID == "chromium-desktop" {
					if c.blocks == "" {
						assert.Empty(t, v.Blockers)
					} else {
						assert.Contains(t, v.Blockers, c.blocks)
					}
				}
			}
			for _, x := range r.Checks {
				if x.ID == "pages/manifest-not-linked" || x.ID == "manifest/id-shared" {
					assert.NotEqual(t, "failed", x.State, x.ID)
				}
			}
		})
	}
}
