package rehearsal

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/stage"
)

// TestUnknownOrigins is about what nothing is known of here: it is named, and what hangs on it is not judged.
func TestUnknownOrigins(t *testing.T) {
	const own = `oninstall = (e) => e.waitUntil(caches.open("v1").then((c) => c.addAll(["/"]))); onfetch = (e) => e.respondWith(caches.match(e.request).then((r) => r || fetch(e.request)));`
	page := func(body string) string {
		return `<!doctype html><title>Skerry</title><h1>Skerry</h1>` + body + `<script>navigator.serviceWorker.register("/sw.js")</script>`
	}
	for name, c := range map[string]struct {
		body, worker string
		known        map[string]string // files of https://other.example
		state        string
		offline      Outcome
		kinds        []string
		unknown      []string
	}{
		"data": {`<p id=w></p><script>fetch("https://other.example/wind").then((r) => r.json()).then((d) => w.textContent = d, (e) => w.textContent = "No wind")</script>`, own, nil,
			"activated", Partial, []string{"unknown-origin"}, []string{"https://other.example"}},
		"data that is known": {`<p id=w></p><script>fetch("https://other.example/wind").then((r) => r.json()).then((d) => w.textContent = d, (e) => w.textContent = "No wind")</script>`, own, map[string]string{"wind": "5"},
			"activated", Partial, nil, nil},
		"a script":                    {`<script src="https://other.example/count.js"></script>`, own, nil, "activated", Partial, []string{"unknown-origin"}, []string{"https://other.example"}},
		"a picture":                   {`<img src="https://other.example/a.png">`, own, nil, "activated", Partial, nil, nil},
		"a library":                   {"", `importScripts("https://other.example/lib.js"); lib.go();`, nil, "not known", NotKnown, []string{"unknown-script"}, nil},
		"a library that installs":     {"", `importScripts("https://other.example/lib.js"); oninstall = (e) => e.waitUntil(lib.store());`, nil, "not known", NotKnown, []string{"unknown-script"}, nil},
		"a library it can be without": {"", `importScripts("https://other.example/lib.js"); ` + own, nil, "activated", Whole, nil, nil},
		"a library that is known":     {"", `importScripts("https://other.example/lib.js"); lib.go();`, map[string]string{"lib.js": "self.lib = {go() { " + own + "}}"}, "activated", Whole, nil, nil},
		"a mistake":                   {"", `lib.go();`, nil, "failed", Lost, []string{"register"}, nil},
	} {
		t.Run(name, func(t *testing.T) {
			server := folder(t, map[string]string{"index.html": page(c.body), "sw.js": c.worker})
			var others map[string]*site.Server
			if c.known != nil {
				other := folder(t, c.known)
				other.Rules.Headers = []site.HeaderRule{{Path: "/**", Name: "Access-Control-Allow-Origin", Value: "*"}}
				others = map[string]*site.Server{"https://other.example": other}
			}
			st := NewEmbedded(server, others, stage.Limits{})
			defer st.Close()
			r, err := Run(context.Background(), st, server, Options{Scripts: true, Networks: []stage.Network{stage.Online, stage.Offline}})
			require.NoError(t, err)
			assert.Equal(t, c.state, r.Worker.State, r.Worker.Error)
			var kinds []string
			for _, f := range r.Findings {
				kinds = append(kinds, f.Kind)
				assert.True(t, f.Kind == "register" || f.Level == "advice", f.Level)
			}
			assert.Equal(t, c.kinds, kinds)
			assert.Equal(t, Whole, r.Pages[0].Outcome, r.Pages[0].Why)
			assert.Equal(t, c.unknown, r.Pages[0].Unknown)
			assert.Equal(t, c.offline, r.Pages[1].Outcome, r.Pages[1].Why)
		})
	}
}
