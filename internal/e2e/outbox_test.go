package e2e

import (
	"encoding/json"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

const outboxRule = "[[rule]]\nmatch = \"/api/bookings\"\nmethod = \"POST\"\nanswer = \"outbox\"\nkeep = { entries = 3 }\n"

// booked is what the server says to a booking.
var booked = site.AnswerRule{Path: "/api/bookings", Method: "POST", Status: 201, Type: "application/json", Body: []byte(`{"booked":true}`)}

func booking(body string) stage.Message {
	return stage.Message{Method: "POST", URL: "/api/bookings", Type: "application/json", Body: body}
}

// arrived gives the bodies of the bookings that reached the server, and their keys.
func (w *world) arrived() (bodies, keys []string) {
	for _, r := range w.Received() {
		if r.Method == "POST" {
			bodies = append(bodies, string(r.Body))
			for _, h := range r.Header {
				if h[0] == "idempotency-key" {
					keys = append(keys, h[1])
				}
			}
		}
	}
	return bodies, keys
}

func TestOutbox(t *testing.T) {
	onBothStages(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		a := w.send(booking("online"))
		assert.Equal(w, 201, a.Status)
		assert.Equal(w, `{"booked":true}`, a.Body)
		bodies, keys := w.arrived()
		assert.Equal(w, []string{"online"}, bodies)
		require.Len(w, keys, 1, "the first try has a key, too")
		kept := map[string]string{}
		for _, n := range []stage.Network{stage.Offline, stage.Failing, stage.Portal} {
			w.network(n)
			w.rest()
			a := w.send(booking(string(n)))
			assert.Equal(w, 202, a.Status, n)
			var said struct {
				Outbox, Key string
				Waiting     int
			}
			require.NoError(w, json.Unmarshal([]byte(a.Body), &said), a.Body)
			assert.Equal(w, "kept", said.Outbox)
			assert.Equal(w, len(kept)+1, said.Waiting)
			kept[string(n)] = said.Key
		}
		a = w.send(booking("one too many"))
		assert.NotEqual(w, 202, a.Status, "a full outbox promises nothing")
		w.network(stage.Offline)
		again := w.send(booking("offline"))
		assert.Contains(w, again.Body, kept["offline"], "the same post of the same page is the same post")
		assert.Contains(w, again.Body, `"waiting":3`)
		w.rest()
		w.Received()
		w.network(stage.Online)
		var got, with []string
		w.comes("the delivery", func() bool {
			w.open("/") // which looks after the outbox where the browser has no sync event
			_ = w.Post("tachyform: send", false)
			b, k := w.arrived()
			got, with = append(got, b...), append(with, k...)
			return len(got) >= 3
		})
		assert.Equal(w, []string{"offline", "failing", "portal"}, got, "in the order they were sent")
		assert.Equal(w, []string{kept["offline"], kept["failing"], kept["portal"]}, with, "each with the key that the page was told")
		_ = w.Post("tachyform: send", false)
		w.open("/")
		bodies, _ = w.arrived()
		assert.Empty(w, bodies, "and once")
	})
}

func TestOutboxLosesNothing(t *testing.T) {
	onBothStages(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		w.network(stage.Offline)
		assert.Equal(w, 202, w.send(booking("first")).Status)
		require.NoError(w, w.CloseTab())
		w.rest()
		w.release(map[string]string{"app.css": "body { color: navy }"}) // another release does not lose it either
		require.NoError(w, w.Tab(0))
		w.open("/")
		w.rest()
		w.Received()
		w.network(stage.Online)
		var got []string
		w.comes("the delivery", func() bool {
			w.open("/")
			_ = w.Post("tachyform: send", false)
			b, _ := w.arrived()
			got = append(got, b...)
			return len(got) > 0
		})
		assert.Equal(w, []string{"first"}, got)
	})
}

func TestOutboxRefusals(t *testing.T) {
	refused := booked
	refused.Status, refused.Body = 422, []byte(`{"error":"no such harbour"}`)
	mostlyEmbedded(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{refused}}, func(w *world) {
		w.visit()
		a := w.send(booking("nowhere"))
		assert.Equal(w, 422, a.Status, "what the server refuses for good is told")
		assert.Contains(w, a.Body, "no such harbour")
		w.network(stage.Offline)
		assert.Contains(w, w.send(booking("another")).Body, `"waiting":1`, "and not kept")
	})
}

// TestOutboxForms sends a form without a script.
func TestOutboxForms(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	write(t, dir, map[string]string{
		"dist/index.html": start,
		"dist/app.css":    "",
		"dist/book/index.html": `<!doctype html><html lang=en><head><title>Book</title></head><body><p data-app-outbox hidden>waiting</p>` +
			`<form method=post action="/api/bookings"><input name=harbour value=Staffin><button>Book</button></form></body></html>`,
		"tachyform.toml": "site = \"dist\"\n" + outboxRule,
	})
	fine(t, dir, "fit")
	b, answers := browse(t, dir+"/dist", "/")
	answers.Rules.Answers = []site.AnswerRule{booked}
	for range 2 {
		_, err := b.Open("/book/")
		require.NoError(t, err)
		require.NoError(t, b.Settle())
	}
	require.NoError(t, b.SetNetwork(stage.Offline))
	shown, err := b.Evaluate(`new Promise((done) => {
		const frame = document.createElement("iframe");
		let sent = false;
		frame.onload = () => { // the form's page, then the answer to what it sends
			if (!sent) { sent = true; frame.contentDocument.querySelector("button").click(); return; }
			const hint = frame.contentDocument.querySelector("[data-app-outbox]");
			const look = () => { if (hint.hidden) return; done(frame.contentDocument.title + " " + hint.dataset.count); };
			new MutationObserver(look).observe(hint, {attributes: true});
			look();
		};
		frame.src = "/book/";
		document.body.append(frame);
	})`)
	require.NoError(t, err)
	assert.Equal(t, "Book 1", shown, "the form's page comes back and says that something waits")
	require.NoError(t, b.SetNetwork(stage.Online))
	told, err := b.Evaluate(`new Promise((done) => {
		addEventListener("app-outbox", ({detail}) => done([detail.result, detail.status, new URL(detail.url).pathname, detail.waiting].join(" ")));
		dispatchEvent(new Event("online"));
	})`)
	require.NoError(t, err)
	assert.Equal(t, "sent 201 /api/bookings 0", told, "the page is told what became of it")
	assert.Empty(t, b.Console())
}

// TestFullDisk fills the browser's store.
func TestFullDisk(t *testing.T) {
	mostlyEmbedded(t, map[string]string{"big.txt": strings.Repeat("0123456789", 30_000)}, "[[rule]]\nmatch = \"/api/*\"\nanswer = \"cache-first\"\n[stow]\nnow = [\"/\", \"/app.css\"]\nlater = [\"/big.txt\"]\n",
		site.Rules{Answers: []site.AnswerRule{say("/api/big", strings.Repeat("x", 200_000))}}, func(w *world) {
			w.visit()
			w.quota(100_000)
			for range 2 {
				assert.Len(w, w.get("/api/big"), 200_000, "shown, though it cannot be stored")
				assert.Len(w, w.get("/big.txt"), 300_000)
				w.rest()
			}
			w.release(map[string]string{"app.css": "/* " + strings.Repeat("longer ", 60_000) + "*/"})
			w.open("/")
			require.NoError(w, w.Settle())
			w.comes("the failed install", func() bool { require.NoError(w, w.Settle()); return slices.Contains(w.asked(), "GET /app.css") })
			w.comes("its end", func() bool { require.NoError(w, w.Settle()); return w.state() == "activated" })
			w.network(stage.Offline)
			assert.Empty(w, w.open("/").Missing, "the running release is untouched")
			if w.chrome != nil {
				w.Remarks() // it reports the failed install
			}
		})
}

func (w *world) quota(bytes int64) {
	w.Helper()
	if w.embedded != nil {
		w.embedded.Quota(bytes)
		return
	}
	require.NoError(w, w.chrome.Quota(bytes))
}

// TestBeside is about a site's own worker that ours loads, and about other apps on the same origin.
func TestBeside(t *testing.T) {
	push := `addEventListener("message", (event) => { if (event.data === "push") event.waitUntil(caches.open("push").then((c) => c.put("/seen", new Response("yes")))); });
addEventListener("fetch", (event) => { if (event.request.url.endsWith("/api/mine")) event.respondWith(new Response("theirs")); if (event.request.url.endsWith("/app.css")) event.respondWith(new Response("stolen")); });`
	mostlyEmbedded(t, map[string]string{"push.js": push}, "[worker]\nbeside = \"/push.js\"\nfirst = \"ours\"\n", site.Rules{}, func(w *world) {
		w.visit()
		require.NoError(w, w.Post("push", false))
		w.comes("the message", func() bool { return slices.Equal(w.stored("push"), []string{"/seen"}) })
		w.rest()
		assert.Equal(w, "theirs", w.get("/api/mine"), "it answers what ours leaves")
		assert.NotEqual(w, "stolen", w.get("/app.css"), "and nothing else")
		w.release(map[string]string{"app.css": "/* changed */"})
		w.open("/")
		w.updated()
		require.NoError(w, w.CloseTab())
		w.comes("the change", func() bool { return w.state() == "activated" })
		require.NoError(w, w.Tab(0))
		w.open("/")
		assert.Equal(w, "/* changed */", w.get("/app.css"))
		assert.Equal(w, []string{"/seen"}, w.stored("push"), "stores of others are left alone")
	})
}

func TestOutboxForgetsWhatIsTooOld(t *testing.T) {
	toml := strings.Replace(outboxRule, "entries = 3", `entries = 3, age = "1s"`, 1)
	mostlyEmbedded(t, nil, toml, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		w.network(stage.Offline)
		assert.Equal(w, 202, w.send(booking("late")).Status)
		if w.embedded != nil {
			w.embedded.Advance(2 * time.Second)
		} else { // it never goes online before, so that nothing can be on its way
			_, err := w.chrome.Evaluate(`new Promise((done) => { const end = Date.now() + 2000, look = () => Date.now() > end ? done("") : requestAnimationFrame(look); look(); })`)
			require.NoError(w, err)
		}
		w.Received()
		w.network(stage.Online)
		w.open("/")
		_ = w.Post("tachyform: send", false)
		assert.Equal(w, 201, w.send(booking("fresh")).Status)
		bodies, _ := w.arrived()
		assert.Equal(w, []string{"fresh"}, bodies, "what is older than its age is not sent any more")
	})
}

func TestOutboxGivesTheServerAPause(t *testing.T) {
	tired := booked
	tired.Status = 503
	rules := site.Rules{Answers: []site.AnswerRule{tired}, Headers: []site.HeaderRule{{Path: "/api/bookings", Name: "Retry-After", Value: "3600"}}}
	mostlyEmbedded(t, nil, outboxRule, rules, func(w *world) {
		w.visit()
		assert.Equal(w, 202, w.send(booking("first")).Status)
		bodies, keys := w.arrived()
		assert.Equal(w, []string{"first"}, bodies)
		for range 2 {
			w.rest()
			w.open("/")
			_ = w.Post("tachyform: send", false)
			w.get("/app.css")
			require.NoError(w, w.Settle())
		}
		bodies, _ = w.arrived()
		assert.Empty(w, bodies, "it asked for an hour")
		w.answers(booked)
		assert.Equal(w, 201, w.send(booking("second")).Status)
		bodies, more := w.arrived()
		assert.Equal(w, []string{"first", "second"}, bodies, "somebody who books now takes the earlier booking along")
		assert.Equal(w, keys[0], more[0])
	})
}
