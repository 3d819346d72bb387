package markup

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestNamesByScope: built code has the same short names in every function, and what one of them holds says nothing of another.
func TestNamesByScope(t *testing.T) {
	f := ReadScript([]byte(`function a(){var e="__global_unique_id__";return e}
function b(e){var x=new XMLHttpRequest;x.open("HEAD",e,!1);x.send()}
function c(){const e="/api/tides";return () => fetch(e)}
function d(e){fetch(e)}
const u="/api/boats";fetch(u);{const u="/api/inner";fetch(u)}
let w="/old";w="/new";fetch(w)
function g(){var n=navigator.serviceWorker;n.register("/a.js")} function h(n){n.register("/not.js")}`), 0)
	var got []string
	for _, r := range f.Refs {
		got = append(got, r.URL)
	}
	assert.Equal(t, []string{"/api/tides", "/api/boats", "/api/inner"}, got)
	require.Len(t, f.Registrations, 1)
	assert.Equal(t, "/a.js", f.Registrations[0].URL)
}
