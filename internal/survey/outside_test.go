package survey

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"tachyform.dev/tachyform/internal/markup"
)

func TestOutside(t *testing.T) {
	inv := take(t, "/", map[string]string{
		"index.html": "<title>x</title>\n<script src=//cdn.example/b.js></script><script src=https://cdn.example/a.js></script><link rel=stylesheet href=https://cdn.example/c.css crossorigin><img src=https://cdn.example/d.png>",
		"next.html":  "<script src=https://cdn.example/b.js integrity=sha256-x crossorigin=anonymous></script><script src=/own.js integrity=sha256-y></script>",
		"own.js":     "",
	})
	assert.Equal(t, []Outside{
		{"https://cdn.example/a.js", markup.UseScript, "", false, "index.html", 2},
		{"https://cdn.example/b.js", markup.UseScript, "sha256-x", true, "next.html", 1},
		{"https://cdn.example/c.css", markup.UseStyle, "", true, "index.html", 2},
	}, inv.Outside, "each once, rather where its digest is known")
}
