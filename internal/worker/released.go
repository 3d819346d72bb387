package worker

import (
	"bytes"
	"regexp"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/release"
)

var tableEntry = regexp.MustCompile(`\b(pages|linked|code|other)"?\s*:\s*\{|"((?:[^"\\]|\\.)*)"\s*:\s*"([A-Za-z0-9_-]{16})"`)

// Released reads the files that one of our workers lists, by URL. ok is false for a worker that is not ours. Of long lists it gives what
// stands in the worker itself.
func Released(src []byte) (files map[string]Entry, ok bool) {
	if !bytes.HasPrefix(src, []byte(Mark+"service worker")) || !releaseInTable.Match(src) {
		return nil, false
	}
	files = map[string]Entry{}
	kind := Kind("")
	for _, m := range tableEntry.FindAllSubmatch(src, -1) {
		if len(m[1]) > 0 {
			kind = Kind(m[1])
			continue
		}
		u, err := strconv.Unquote(`"` + string(m[2]) + `"`)
		if err == nil && kind != "" && strings.HasPrefix(u, "/") {
			files[u] = Entry{string(m[3]), kind}
		}
	}
	return files, true
}

// Is says whether a body is what was released, as the worker checks it. script is the URL of the page script.
func (e Entry) Is(body []byte, script string) bool {
	switch plain := bytes.ReplaceAll(body, []byte{0}, nil); e.Kind {
	case Pages:
		return bytes.Contains(plain, []byte(e.Digest))
	case Linked:
		return bytes.Contains(plain, []byte(script))
	}
	return release.Digest(body) == e.Digest
}

// Takeovers are the ways in which a release takes over, the most careful first.
var Takeovers = []string{"next-visit", "when-asked", "at-once"}

var takeoverInTable = regexp.MustCompile(`(takeover:\s*")([a-z-]+)(")`)

// TakeoverOf gives how one of our workers takes over; ok is false for a worker that is not ours.
func TakeoverOf(src []byte) (takeover string, ok bool) {
	m := takeoverInTable.FindSubmatch(src)
	if !bytes.HasPrefix(src, []byte(Mark+"service worker")) || m == nil {
		return "", false
	}
	return string(m[2]), true
}

// WithTakeover gives one of our workers as it would be if it took over in another way.
func WithTakeover(src []byte, takeover string) []byte {
	return takeoverInTable.ReplaceAll(src, []byte("${1}"+takeover+"${3}"))
}

// ReleaseOf gives the id of the release that one of our workers brings; ok is false for a worker that is not ours.
func ReleaseOf(src []byte) (id string, ok bool) {
	m := releaseInTable.FindSubmatch(src)
	if !bytes.HasPrefix(src, []byte(Mark+"service worker")) || m == nil {
		return "", false
	}
	return string(m[2]), true
}

var scriptInTable = regexp.MustCompile(`\bscript:\s*"((?:[^"\\]|\\.)*)"`)

// ScriptOf gives the URL of the page script that one of our workers names, "" for none.
func ScriptOf(src []byte) string {
	m := scriptInTable.FindSubmatch(src)
	if m == nil {
		return ""
	}
	u, err := strconv.Unquote(`"` + string(m[1]) + `"`)
	if err != nil {
		return ""
	}
	return u
}
