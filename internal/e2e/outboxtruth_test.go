package e2e

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// clock is a worker beside ours that sets the clock of what runs with it.
const clock = `const now = Date.now; let off = 0;
Date.now = () => now() + off;
addEventListener("message", (e) => { const m = /^clock (-?\d+)/.exec(e.data); if (m) off = +m[1]; });`

const besideClock = "[worker]\nbeside = \"/clock.js\"\n"

// TestVerdictsOfServers is about what a kept post becomes: only what the server took or refused for good may go.
func TestVerdictsOfServers(t *testing.T) {
	t.Parallel()
	onEmbedded(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		for _, status := range []int{500, 501, 507, 511, 520, 401, 403, 404, 405, 409, 408, 425, 429, 503, 400, 410, 413, 422} {
			final := status == 400 || status == 410 || status == 413 || status == 422
			body := fmt.Sprintf("kept for %d", status)
			w.network(stage.Offline)
			assert.Equal(w, 202, w.send(booking(body)).Status)
			w.rest()
			bad := booked
			bad.Status = status
			w.answers(bad)
			w.network(stage.Online)
			w.open("/")
			require.NoError(w, w.Post("tachyform: send", false))
			require.NoError(w, w.Settle())
			bodies, _ := w.arrived()
			assert.Contains(w, bodies, body, "it was tried")
			w.answers(booked)
			w.embedded.Advance(2 * time.Hour)
			require.NoError(w, w.Post("tachyform: send", false))
			require.NoError(w, w.Settle())
			bodies, _ = w.arrived()
			if final {
				assert.Empty(w, bodies, "what is refused for good is not tried again: %d", status)
			} else {
				assert.Equal(w, []string{body}, bodies, "the rest waits: %d", status)
			}
		}
	})
}

// TestTheSameTwice sends the same on purpose: one post each time, and one key each.
func TestTheSameTwice(t *testing.T) {
	mostlyEmbedded(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		for range 3 {
			assert.Equal(w, 201, w.send(booking("+1")).Status)
		}
		bodies, keys := w.arrived()
		assert.Equal(w, []string{"+1", "+1", "+1"}, bodies)
		require.Len(w, keys, 3)
		assert.NotEqual(w, keys[0], keys[1])
		assert.NotEqual(w, keys[1], keys[2])
		own := booking("+1")
		own.Header = [][2]string{{"Idempotency-Key", "my-own"}}
		w.send(own)
		_, keys = w.arrived()
		assert.Equal(w, []string{"my-own"}, keys, "a key of the page's own counts")
	})
}

// TestPagesAsAnswers is about servers that answer a post with a whole page, which networks' sign-in pages do, too.
func TestPagesAsAnswers(t *testing.T) {
	thanks := booked
	thanks.Status, thanks.Type, thanks.Body = 200, "text/html", []byte("<!doctype html><html><title>Thank you</title><p>Booked.")
	mostlyEmbedded(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{thanks}}, func(w *world) {
		w.visit()
		a := w.send(booking("once"))
		assert.Equal(w, 200, a.Status)
		assert.Contains(w, a.Body, "Booked")
		w.open("/")
		_ = w.Post("tachyform: send", false)
		require.NoError(w, w.Settle())
		bodies, _ := w.arrived()
		assert.Equal(w, []string{"once"}, bodies)
	})
}

// TestServersThatNeverAnswer is about a post that hangs: the page is told soon, and others are not held up.
func TestServersThatNeverAnswer(t *testing.T) {
	toml := outboxRule + "[[rule]]\nmatch = \"/api/other\"\nmethod = \"POST\"\nanswer = \"outbox\"\n"
	other := booked
	other.Path = "/api/other"
	mostlyEmbedded(t, nil, toml, site.Rules{Answers: []site.AnswerRule{booked, other}}, func(w *world) {
		w.visit()
		w.SetFaults(site.Faults{{Path: "/api/bookings", State: site.Slow}})
		assert.Equal(w, 202, w.send(booking("hangs")).Status)
		assert.Equal(w, 201, w.send(stage.Message{Method: "POST", URL: "/api/other", Type: "application/json", Body: "2"}).Status, "another address waits for nobody")
	})
}

// TestClocksThatJump keeps posts under wrong clocks: none is given up for an age that it does not have, and no pause lasts for days.
func TestClocksThatJump(t *testing.T) {
	t.Parallel()
	const year = 365 * 24 * 3600 * 1000
	for name, c := range map[string]struct{ kept, sent int }{"kept under a slow clock": {-year, 0}, "sent under a fast one": {0, year}, "kept under a fast clock": {year, 0}} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			stages := onEmbedded
			if c.kept < 0 || c.sent > 0 { // where servers say what time it is
				stages = onChromium
			}
			stages(t, map[string]string{"clock.js": clock}, besideClock+outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
				w.visit()
				set := func(ms int) {
					w.rest()
					require.NoError(w, w.Post(fmt.Sprintf("clock %d", ms), false))
				}
				w.network(stage.Offline)
				set(c.kept)
				assert.Equal(w, 202, w.send(booking("kept")).Status)
				set(c.sent)
				w.Received()
				w.network(stage.Online)
				_ = w.Post("tachyform: send", false)
				var got []string
				w.comes("the delivery", func() bool {
					b, _ := w.arrived()
					got = append(got, b...)
					return len(got) > 0
				})
				assert.Equal(w, []string{"kept"}, got)
			})
		})
	}
	t.Run("a pause", func(t *testing.T) {
		t.Parallel()
		tired := booked
		tired.Status = 503
		onEmbedded(t, map[string]string{"clock.js": clock}, besideClock+outboxRule, site.Rules{Answers: []site.AnswerRule{tired}}, func(w *world) {
			w.visit()
			w.rest()
			require.NoError(w, w.Post("clock 86400000", false)) // a day fast
			assert.Equal(w, 202, w.send(booking("kept")).Status)
			w.rest()
			w.answers(booked)
			w.Received()
			_ = w.Post("tachyform: send", false)
			w.comes("the delivery", func() bool { b, _ := w.arrived(); return len(b) > 0 })
		})
	})
}

const bookPage = `<!doctype html><html lang=en><head><title>Book</title></head><body><p data-app-outbox hidden>waiting</p>` +
	`<form method=post action="/api/bookings"><input name=harbour value=Staffin><input name=action value=x><button>Book</button></form></body></html>`

// TestFormsThatAreRedirected sends a plain form whose answer is a 303, as most servers answer: the browser ends where that leads.
func TestFormsThatAreRedirected(t *testing.T) {
	needsAll(t)
	t.Parallel()
	files := map[string]string{"book/index.html": bookPage, "thanks/index.html": strings.Replace(start, "Skerry Line", "Thanks", 1)}
	toml := outboxRule + "[stow]\nnow = [\"/\", \"/book/\", \"/app.css\"]\n"
	onChromium(t, files, toml, site.Rules{Redirects: []site.RedirectRule{{From: "/api/bookings", To: "/thanks/", Status: 303}}}, func(w *world) {
		w.visit()
		w.open("/book/")
		_, err := w.chrome.Evaluate(`(document.querySelector("button").click(), "")`)
		require.NoError(w, err)
		w.comes("the page behind it", func() bool {
			title, err := w.chrome.Evaluate(`document.title`)
			return err == nil && title == "Thanks"
		})
		bodies, _ := w.arrived()
		assert.Equal(w, []string{"harbour=Staffin&action=x"}, bodies, "once, as the form has it")
	})
}

// TestFormsSentTwice fills in the same form twice on purpose, offline; then looks into the outbox and gives one up.
func TestFormsSentTwice(t *testing.T) {
	needsAll(t)
	t.Parallel()
	for _, encoding := range []string{"application/x-www-form-urlencoded", "multipart/form-data"} {
		t.Run(encoding, func(t *testing.T) {
			if encoding == "multipart/form-data" {
				needsAll(t)
			}
			page := strings.Replace(bookPage, "method=post", `method=post enctype="`+encoding+`"`, 1)
			onChromium(t, map[string]string{"book/index.html": page}, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
				w.visit()
				w.open("/book/")
				require.NoError(w, w.Settle())
				w.network(stage.Offline)
				for n := range 2 {
					_, err := w.chrome.Evaluate(`(document.querySelector("button").click(), "")`)
					require.NoError(w, err)
					w.comes("the form's page with what waits", func() bool {
						count, err := w.chrome.Evaluate(`document.querySelector("[data-app-outbox]").dataset.count || ""`)
						return err == nil && count == fmt.Sprint(n+1)
					})
				}
				left, err := w.chrome.Evaluate(`new Promise((done) => {
					addEventListener("app-outbox", ({detail}) => { if (!detail.posts) return;
						if (detail.posts.length === 2) dispatchEvent(new CustomEvent("app-outbox-ask", {detail: {what: "cancel", key: detail.posts[0].key}}));
						else done([detail.posts.length, detail.waiting, detail.posts[0].state, new TextDecoder().decode(detail.posts[0].body).includes("Staffin")].join(" ")); });
					dispatchEvent(new CustomEvent("app-outbox-ask", {detail: {what: "list"}}));
				})`)
				require.NoError(w, err)
				assert.Equal(w, "1 1 waiting true", left)
				w.Received()
				w.network(stage.Online)
				_ = w.Post("tachyform: send", false)
				var got []string
				w.comes("the delivery", func() bool {
					b, _ := w.arrived()
					got = append(got, b...)
					return len(got) > 0
				})
				require.Len(w, got, 1)
				assert.NotContains(w, got[0], "tachyform", "the field that told them apart is taken out again")
				assert.Contains(w, got[0], "Staffin")
			})
		})
	}
}

// TestLargePosts keeps a file of tens of megabytes.
func TestLargePosts(t *testing.T) {
	needsAll(t)
	onChromium(t, nil, outboxRule, site.Rules{Answers: []site.AnswerRule{booked}}, func(w *world) {
		w.visit()
		w.network(stage.Offline)
		said, err := w.chrome.Evaluate(`(async () => { const body = new FormData(); body.append("scan", new Blob([new Uint8Array(30e6)])); const r = await fetch("/api/bookings", {method: "POST", body}); return [r.status, (await r.json()).waiting].join(" "); })()`)
		require.NoError(w, err)
		assert.Equal(w, "202 1", said)
	})
}
