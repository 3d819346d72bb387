package stage

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestLinks gives the links of what is shown, those in shadow roots, too; a page that broke its own document, or runs without end, has none.
func TestLinks(t *testing.T) {
	tab, _ := shows(t, map[string]string{"index.html": `<!doctype html><a href="/a">a</a><a href="/a">again</a><a>none</a><div id=d></div><script>
d.attachShadow({mode: "open"}).innerHTML = '<a href="b?x=1#y">b</a><map><area href="https://other.example/"></map>'</script>`}, "/")
	assert.Equal(t, []string{Origin + "/a", Origin + "/b?x=1#y", "https://other.example/"}, tab.Links())
	for name, script := range map[string]string{"breaks its document": `Document.prototype.querySelectorAll = () => { throw 1 }; Array.prototype.map = null; document.documentElement.remove()`, "never ends": `for (;;) {}`} {
		t.Run(name, func(t *testing.T) {
			tab, _ := shows(t, map[string]string{"index.html": `<!doctype html><a href="/a">a</a><script>` + script + `</script>`}, "/")
			assert.NotPanics(t, func() { tab.Links() })
		})
	}
}
