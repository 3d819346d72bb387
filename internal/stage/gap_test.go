package stage

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// TestGaps tells what the stage lacks from a page's own mistakes.
func TestGaps(t *testing.T) {
	c := newReadCache()
	for message, want := range map[string]string{
		"Uncaught ReferenceError: NoSuchThing is not defined":                      "",
		"Uncaught ReferenceError: documentPictureInPicture is not defined":         "documentPictureInPicture",
		"Uncaught TypeError: Object has no member 'startViewTransition'":           "startViewTransition",
		"Uncaught (in promise) TypeError: Object has no member 'getBattery'":       "getBattery",
		"Uncaught TypeError: Object has no member 'harbours'":                      "",
		"Uncaught TypeError: Object has no member 'querySelector'":                 "", // pages have it here, so it was called on something else
		"Uncaught TypeError: Cannot read property 'startViewTransition' of null":   "",
		"Uncaught Error: ReferenceError: documentPictureInPicture is not defined.": "documentPictureInPicture",
	} {
		assert.Equal(t, want, c.gapIn(message), message)
	}
	assert.Greater(t, len(c.members), 500)
}

// TestConsole tells what scripts write of errors with their own place, and without the lines of the stage.
func TestConsole(t *testing.T) {
	b := New(serve(t, map[string]string{
		"index.html": `<!doctype html><title>Tides</title><h1>Tides</h1><script src="/app.js"></script>`,
		"app.js": `document.addEventListener("DOMContentLoaded", () => { try { null.x } catch (e) { console.error("failed", e) } })
Promise.reject(new Error("two\nlines")).catch((e) => console.error(e))
  console.warn("plain")`,
	}, site.Rules{}), nil, Limits{})
	b.RunScripts(true)
	_, err := b.NewTab().Open("/")
	require.NoError(t, err)
	b.Settle()
	var said []string
	for _, r := range b.Remarks() {
		said = append(said, fmt.Sprintf("%s %s:%d:%d %s", r.Kind, r.File, r.Line, r.Column, r.Message))
	}
	assert.Equal(t, []string{
		"page-console /app.js:3:11 warn: plain",
		"page-console /app.js:2:16 error: Error: two\nlines",
		"page-console /app.js:1:66 error: failed TypeError: Cannot read property 'x' of undefined",
	}, said)
}
