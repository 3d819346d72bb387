package worker

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestImagine gives workers the digests of another release.
func TestImagine(t *testing.T) {
	plan := Plan{Base: "/", Script: "/sw-page.js", Now: map[string]Entry{"/": {"aaaaaaaaaaaaaaaaaaaa", Pages}, "/a b.css": {"b-b_bbbbbbbbbbbbbbbb", Code}, "/x.js": {"cccccccccccccccccccc", Other}}, Takeover: "next-visit"}
	for name, minify := range map[string]bool{"as written": false, "minified": true} {
		t.Run(name, func(t *testing.T) {
			plan.Minify = minify
			src, err := Worker(&plan)
			require.NoError(t, err)
			out, now, ok := Imagine(src, map[string]string{"/": "dddddddddddddddddddd", "/a b.css": "eeeeeeeeeeeeeeeeeeee", "/x.js": "ffffffffffffffffffff", "/gone.css": "g"})
			require.True(t, ok)
			assert.Equal(t, map[string]string{"/": "aaaaaaaaaaaaaaaaaaaa", "/a b.css": "b-b_bbbbbbbbbbbbbbbb", "/x.js": "cccccccccccccccccccc"}, now)
			for _, want := range []string{`"dddddddddddddddddddd"`, `"eeeeeeeeeeeeeeeeeeee"`, `"ffffffffffffffffffff"`} {
				assert.Contains(t, string(out), want)
			}
			assert.NotContains(t, string(out), plan.ID(), "another release has another id")
			assert.NotContains(t, string(out), "aaaaaaaaaaaaaaaaaaaa")
			assert.Len(t, out, len(src))
		})
	}
	for name, src := range map[string]string{"another's": `const TABLE = {release: "ab"}`, "ours without a table": Mark + "page script", "empty": ""} {
		_, _, ok := Imagine([]byte(src), nil)
		assert.False(t, ok, name)
	}
}
