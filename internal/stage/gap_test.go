package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
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
