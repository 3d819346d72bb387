package stage

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestUnread says of scripts that are read and not run what only running them tells, each file once.
func TestUnread(t *testing.T) {
	files := map[string]string{"index.html": "<!doctype html><title>Tides</title>\n<script>fetch(location.hash.slice(1))</script><script src=app.js></script><script src=sw-page.js></script>", "fares.html": "<!doctype html><title>Fares</title><script src=app.js></script>",
		"app.js": "fetch(a);\nfetch(b.c); navigator.serviceWorker.controller.postMessage({keep: 1})", "sw-page.js": "// Tachyform page script: x\nfetch(a)"}
	said := func(run bool) (out []string) {
		b := New(serve(t, files, site.Rules{}), nil, Limits{})
		b.RunScripts(run)
		for _, u := range []string{"/", "/fares.html", "/"} {
			_, err := b.NewTab().Open(u)
			require.NoError(t, err)
		}
		for _, r := range b.Remarks() {
			if r.Kind == "unread-request" || r.Kind == "unread-message" {
				out = append(out, fmt.Sprintf("%s %s:%d:%d", r.Kind, r.File, r.Line, r.Column))
				assert.Contains(t, r.Message, map[bool]string{true: "2 addresses", false: "it "}[r.File == "/app.js" && r.Kind == "unread-request"])
			}
		}
		return out
	}
	assert.Equal(t, []string{"unread-request /:2:15", "unread-request /app.js:1:7", "unread-message /app.js:2:48"}, said(false))
	assert.Empty(t, said(true), "what runs is seen")
}
