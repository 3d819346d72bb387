package stage

import (
	"testing"

	"tachyform.dev/tachyform/internal/site"
)

// BenchmarkPage opens a page with one small script, its globals and its document included.
func BenchmarkPage(b *testing.B) {
	br := New(serveB(b, map[string]string{"index.html": "<!doctype html><title>x</title><h1>x</h1><p id=a></p><script>a.textContent = 'y'</script>"}), nil, Limits{})
	defer br.Close()
	br.RunScripts(true)
	tab := br.NewTab()
	for b.Loop() {
		if _, err := tab.Open("/"); err != nil {
			b.Fatal(err)
		}
	}
}

func serveB(b *testing.B, files map[string]string) *site.Server {
	b.Helper()
	return serve(b, files, site.Rules{})
}
