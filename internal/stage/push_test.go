package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// pushing opens a page with a worker and gives its browser.
func pushing(t *testing.T, worker string) *Browser {
	t.Helper()
	b := browser(t, serve(t, map[string]string{"index.html": "<title>Home</title>" + register, "tides/index.html": "<title>Tides</title>", "sw.js": worker}, site.Rules{}))
	_, err := b.NewTab().Open("/")
	require.NoError(t, err)
	require.True(t, b.Settle())
	return b
}

func TestPush(t *testing.T) {
	const shows = `onpush = (e) => e.waitUntil((async () => { const m = e.data.json(); await registration.showNotification(m.title, {body: m.body, tag: "boat", data: {url: m.url}, actions: [{action: "tides", title: "Tides"}]}); })());
onnotificationclick = (e) => { e.notification.close(); e.waitUntil((async () => {
  if (e.action === "tides") return clients.openWindow("/tides/");
  for (const c of await clients.matchAll({type: "window"})) if (new URL(c.url).pathname === e.notification.data.url) return c.focus();
  const w = await clients.openWindow(e.notification.data.url); if (!w.url.endsWith(e.notification.data.url)) throw new Error(w.url);
})()); };`
	const message = `{"title": "Boat 9:40", "body": "is late", "url": "/tides/"}`

	b := pushing(t, shows)
	assert.Nil(t, b.TapNotification(""), "nothing is shown yet")
	e := b.Push(message, false)
	assert.Equal(t, Event{Worker: "/sw.js", Listens: true, Shown: e.Shown, Read: true}, *e)
	require.Len(t, e.Shown, 1)
	assert.Equal(t, []string{"Boat 9:40", "is late", "boat", "tides"}, []string{e.Shown[0].Title, e.Shown[0].Body, e.Shown[0].Tag, e.Shown[0].Actions[0]})
	b.Push(message, false)
	require.Len(t, b.Notifications(), 1, "another with the same tag takes its place")
	tap := b.TapNotification("")
	assert.Equal(t, Event{Worker: "/sw.js", Listens: true, Opened: "/tides/", Closed: true}, *tap)
	tab := b.Fresh()
	require.NotNil(t, tab)
	assert.Equal(t, "Tides", tab.Shown().Title)
	assert.Nil(t, b.Fresh())

	b.Push(message, false)
	b.StopWorkers() // what is shown outlasts the worker's globals
	assert.Equal(t, "/tides/", b.TapNotification("").Focused)
	b.Push(message, false)
	assert.Equal(t, "/tides/", b.TapNotification("tides").Opened)
	f, _ := b.Fork()
	defer f.Close()
	assert.Len(t, f.Push(message, false).Shown, 1)

	for name, c := range map[string]struct{ worker, problem string }{
		"no data":                    {`onpush = (e) => { e.data.text(); };`, "null"},
		"no JSON":                    {`onpush = (e) => e.waitUntil(Promise.resolve().then(() => e.data.json()));`, ""},
		"renotify without a tag":     {`onpush = (e) => e.waitUntil(registration.showNotification("x", {renotify: true}));`, "must specify a non-empty tag"},
		"a window without a tap":     {`onpush = (e) => e.waitUntil(clients.openWindow("/"));`, "Not allowed to open a window."},
		"a focus without a tap":      {`onpush = (e) => e.waitUntil(clients.matchAll({includeUncontrolled: true}).then((all) => all[0].focus()));`, "Not allowed to focus a window."},
		"it throws":                  {`onpush = () => { oops(); };`, "oops"},
		"two windows at a tap":       {`onpush = (e) => e.waitUntil(registration.showNotification("x")); onnotificationclick = (e) => e.waitUntil(clients.openWindow("/").then(() => clients.openWindow("/")));`, ""},
		"it never comes to its end":  {`onpush = (e) => e.waitUntil(new Promise(() => {}));`, "never came to its end"},
		"showNotification of no one": {`onpush = (e) => e.waitUntil(registration.showNotification());`, "1 argument required"},
	} {
		t.Run(name, func(t *testing.T) {
			b := pushing(t, c.worker)
			e := b.Push("plain", name == "no data")
			require.True(t, e.Listens)
			switch name {
			case "two windows at a tap":
				require.Empty(t, e.Error)
				assert.Contains(t, b.TapNotification("").Error, "Not allowed to open a window.")
			case "no JSON":
				assert.NotEmpty(t, e.Error)
			default:
				assert.Contains(t, e.Error, c.problem)
			}
			if name == "it throws" {
				assert.Equal(t, []any{"/sw.js", 1}, []any{e.File, e.Line})
			}
		})
	}
	assert.False(t, pushing(t, "onfetch = () => {};").Push("x", false).Listens)
	assert.Contains(t, pushing(t, `oninstall = (e) => e.waitUntil(registration.showNotification("x"));`).Registrations()[0].Error, "No notification permission has been granted", "before the visitor has allowed it")
}
