package audit

import (
	"slices"
	"strings"
)

// mistake is a kind of thing that a rehearsal notices about a worker.
type mistake struct {
	id      string
	kinds   []string // of the rehearsal's findings
	level   Level
	title   string
	why     string
	mend    string
	spec    string
	example string
}

var mistakes = []mistake{
	{
		id: "worker/not-registered", kinds: []string{"register"}, level: Warning, title: "The worker can be registered",
		why:     "Nothing works without a network, and nobody is told: the promise of register() is mostly not looked at.",
		mend:    "correct the script's address, its type or its scope",
		spec:    "Service Workers, \"Register\"",
		example: `register("/js/sw.js", {scope: "/"}) without Service-Worker-Allowed`,
	},
	{
		id: "worker/throws", kinds: []string{"exception"}, level: Warning, title: "The worker throws no exception",
		why:     "What throws inside the worker is not answered, or not stored.",
		mend:    "catch the exception, or correct what causes it",
		spec:    "Service Workers, \"Handle Fetch\"",
		example: `addEventListener("fetch", () => { oops(); })`,
	},
	{
		id: "worker/rejects", kinds: []string{"rejection"}, level: Warning, title: "No promise of the worker is rejected unseen",
		why:     "Something that was to be stored or cleaned up was not, and nobody is told.",
		mend:    "catch the rejection, or correct what causes it",
		spec:    "Service Workers, \"ExtendableEvent\"",
		example: `event.waitUntil(caches.open("x").then((c) => c.add("/gone")))`,
	},
	{
		id: "worker/too-late", kinds: []string{"late"}, level: Warning, title: "Answers and listeners come in time",
		why:     "An answer that is given after the event was dispatched is not taken: the browser goes on as if there were no worker.",
		mend:    "call it before the first await",
		spec:    "Service Workers, \"respondWith\", \"waitUntil\"",
		example: `setTimeout(() => event.respondWith(answer))`,
	},
	{
		id: "worker/body-used-twice", kinds: []string{"body-used"}, level: Warning, title: "No body is read twice",
		why:     "The second read throws, and the visitor gets an error, or nothing is stored.",
		mend:    "clone() the response before its body is used",
		spec:    "Fetch Standard, \"Body mixin\"",
		example: `await response.text(); cache.put(request, response.clone())`,
	},
	{
		id: "worker/never-ends", kinds: []string{"limit"}, level: Warning, title: "The worker comes to an end",
		why:     "Browsers end a worker that does not come back; what it was about to answer is lost.",
		mend:    "find what never ends",
		spec:    "Service Workers, \"Terminate Service Worker\"",
		example: `for (;;) {}`,
	},
	{
		id: "worker/redirected-navigation", kinds: []string{"redirected"}, level: Warning, title: "Navigations get no redirected answer",
		why:     "Browsers refuse it, and show their own error page, mostly first without a network.",
		mend:    "store the address that the redirect leads to, or answer with new Response(r.body, r)",
		spec:    "Fetch Standard, \"HTTP fetch\"",
		example: `event.respondWith(fetch("/old"))`,
	},
	{
		id: "worker/deletes-own-store", kinds: []string{"own-store"}, level: Warning, title: "The worker keeps what it stored",
		why:     "What was downloaded while installing is thrown away while activating; nothing is there without a network.",
		mend:    "keep the names that install uses out of what activate deletes",
		spec:    "Service Workers, \"Activate\"",
		example: `for (const n of await caches.keys()) await caches.delete(n)`,
	},
	{
		id: "worker/stores-errors", kinds: []string{"stored-error"}, level: Warning, title: "Only good answers are stored",
		why:     "A visitor who came while the server failed keeps its error page, also when the server is well again.",
		mend:    "look at response.ok before put()",
		spec:    "Service Workers, \"Cache.put\"",
		example: `cache.put(request, await fetch(request))`,
	},
	{
		id: "worker/not-awaited", kinds: []string{"not-awaited"}, level: Warning, title: "Installing waits for what it stores",
		why:     "The new worker takes over with an empty store and throws away the old one's; what cannot be had is never tried again.",
		mend:    "give event.waitUntil() the promise that everything is stored, and return it all the way",
		spec:    "Service Workers, \"Install\", \"waitUntil\"",
		example: `oninstall = () => { caches.open("v").then((c) => c.addAll(list)); }`,
	},
	{
		id: "worker/json-module", kinds: []string{"json-module"}, level: Warning, title: "The worker imports no data",
		why:     "Browsers keep a worker's scripts, and not the data that it imports: without a network it does not start, and nothing of what it stored is shown.",
		mend:    "write the data into the script, or import a module of JavaScript that exports it",
		spec:    "observed in Chromium: the data is asked for at every start",
		example: `import list from "./list.json" with {type: "json"};`,
	},
	{
		id: "worker/complains", kinds: []string{"console"}, level: Advice, title: "The worker writes no errors to the console",
		why:     "It expects something that is not so.",
		mend:    "look at what it says",
		spec:    "Console Standard",
		example: `console.error("no list")`,
	},
	{
		id: "offline/stand-in-incomplete", kinds: []string{"stand-in"}, level: Warning, title: "The offline page has all it needs",
		why:     "The page that is shown instead comes without its styles or pictures.",
		mend:    "store what it needs together with it",
		spec:    "rehearsed",
		example: "offline.html is stored, and its style sheet is not",
	},
	{
		id: "offline/unknown-origin", kinds: []string{"unknown-origin", "unknown-script"}, level: Advice, title: "What other origins answer is known here",
		why:     "What a page draws of another origin's data, and what a worker does that runs its code, is not judged: it may show an error to every visitor.",
		mend:    "keep what it answers with tachyform record, or name a folder that stands in for it",
		spec:    "rehearsed",
		example: `fetch("https://weather.example/now")`,
	},
	{
		id: "offline/not-run", kinds: []string{"unread-request", "unread-message"}, level: Advice, title: "What scripts do was seen",
		why:     "Scripts were read and not run: what they ask for by computed addresses, and what the worker does on their messages, is in no verdict of this report.",
		mend:    "run them: --scripts run, or rehearse --page for single pages",
		spec:    "rehearsed",
		example: `fetch("/api/" + id), with --scripts read`,
	},
	{
		id: "weight/opaque-stored", kinds: []string{"stored-opaque"}, level: Warning, title: "No opaque answers fill the disk",
		why:     "Errors among them cannot be told from successes, and browsers count megabytes for each.",
		mend:    "request them with CORS, or bound how many are kept",
		spec:    "Storage Standard; Fetch Standard, \"opaque filtered response\"",
		example: `cache.put(url, await fetch(url, {mode: "no-cors"}))`,
	},
	{
		id: "privacy/private-stored", kinds: []string{"stored-private"}, level: Warning, title: "Answers for one person are not stored for everybody",
		why:     "The next person at the same device sees them, signed in or not.",
		mend:    "leave such requests to the network, or empty the store at sign-out",
		spec:    "RFC 9111, section 5.2.2.7",
		example: `cache.put("/api/me", response)`,
	},
}

// mistakeChecks makes a check of every kind of mistake.
func mistakeChecks() []Check {
	var out []Check
	for _, m := range mistakes {
		out = append(out, Check{ID: m.id, Level: m.level, Title: m.title, Why: m.why, Mend: m.mend, Spec: m.spec, Example: m.example,
			run: func(f *facts) ([]Finding, bool) {
				var found []Finding
				for _, r := range f.rehearsal.Findings {
					if slices.Contains(m.kinds, r.Kind) {
						message := r.Message
						if r.Original != "" {
							message += " (written in " + r.Original + ")"
						}
						found = append(found, Finding{File: strings.TrimPrefix(r.File, f.site.Base), Line: r.Line, Column: r.Column, URL: r.URL, Message: message, Mend: r.Mend})
					}
				}
				return found, f.rehearsal.Worker.State != "none" || m.id == "offline/unknown-origin"
			}})
	}
	return out
}
