package stage

import (
	"crypto/sha256"
	"encoding/base64"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/site"
)

// metadata is the integrity metadata of a text.
func metadata(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "sha256-" + base64.StdEncoding.EncodeToString(sum[:])
}

func TestFits(t *testing.T) {
	wrong := metadata("another")
	for _, c := range []struct {
		name, metadata string
		fits           bool
	}{
		{"nothing is named", "", true},
		{"the digest", metadata("x"), true},
		{"another digest", wrong, false},
		{"one of two", wrong + " " + metadata("x"), true},
		{"in the alphabet of addresses", strings.NewReplacer("+", "-", "/", "_").Replace(metadata("x")), true},
		{"with an option", metadata("x") + "?anything", true},
		{"a digest that nobody knows", "md5-AAAA", true},
		{"the stronger one counts", metadata("x") + " sha512-AAAA", false},
	} {
		assert.Equal(t, c.fits, Fits(func() []byte { return []byte("x") }, c.metadata), c.name)
	}
}

// TestIntegrityOfElements opens pages whose elements say what bytes they want.
func TestIntegrityOfElements(t *testing.T) {
	const script, wrong = `document.body.append(" ran")`, "sha256-AAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAAA="
	right := metadata(script)
	for _, c := range []struct {
		name, page    string
		text          string
		missing       string
		onlyWhenItRan bool // what is only read does not show it
	}{
		{"a script", `<body>page<script src=/a.js integrity=` + wrong + `></script>`, "page", "/a.js", false},
		{"the right script", `<body>page<script src=/a.js integrity=` + right + `></script>`, "page ran", "", false},
		{"a module", `<body>page<script type=module src=/a.js integrity=` + wrong + `></script>`, "page", "/a.js", false},
		{"a module by the import map", `<script type=importmap>{"integrity": {"/a.js": "` + wrong + `"}}</script><body>page<script type=module src=/b.js></script>`, "page", "/a.js", true},
		{"a style sheet", `<link rel=stylesheet href=/a.css integrity=` + wrong + `><body>page`, "page", "/a.css", false},
		{"a preload is checked when it is used", `<link rel=preload as=script href=/a.js integrity=` + wrong + `><body>page<script src=/a.js integrity=` + right + `></script>`, "page ran", "", false},
		{"a script that a script puts in", `<body>page<script>const s = document.createElement("script"); s.integrity = "` + wrong + `"; s.src = "/a.js"; s.onerror = () => document.body.append(" refused"); document.body.append(s)</script>`, "page refused", "/a.js", true},
		{"a script of another origin without crossorigin", `<body>page<script src=https://other.example/a.js integrity=` + right + `></script>`, "page", "https://other.example/a.js", false},
		{"a script of another origin with it", `<body>page<script src=https://other.example/a.js crossorigin integrity=` + right + `></script>`, "page ran", "", false},
		{"another origin that allows nobody", `<body>page<script src=https://shut.example/a.js crossorigin></script>`, "page", "https://shut.example/a.js", false},
		{"a sheet of it", `<link rel=stylesheet crossorigin href=https://shut.example/a.css><body>page`, "page", "https://shut.example/a.css", false},
		{"a picture of it", `<body>page<img crossorigin src=https://shut.example/a.svg>`, "page", "https://shut.example/a.svg", false},
	} {
		for _, run := range []bool{true, false} {
			if !run && c.onlyWhenItRan {
				continue
			}
			t.Run(c.name+map[bool]string{true: ", run", false: ", read"}[run], func(t *testing.T) {
				server := serve(t, map[string]string{"index.html": "<!doctype html>" + c.page, "a.js": script, "b.js": `import "/a.js"`, "a.css": "p { color: red }"}, site.Rules{})
				files := map[string]string{"a.js": script, "a.css": "p { color: red }", "a.svg": "<svg xmlns='http://www.w3.org/2000/svg'/>"}
				open := serve(t, files, site.Rules{Headers: []site.HeaderRule{{Path: "/*", Name: "Access-Control-Allow-Origin", Value: "*"}}})
				b := New(server, map[string]*site.Server{"https://other.example": open, "https://shut.example": serve(t, files, site.Rules{})}, Limits{})
				t.Cleanup(b.Close)
				b.RunScripts(run)
				l, err := b.NewTab().Open("/")
				require.NoError(t, err)
				missing := []string{}
				for _, m := range l.Missing {
					missing = append(missing, m.URL)
				}
				if c.missing == "" {
					assert.Empty(t, missing)
				} else {
					assert.Equal(t, []string{c.missing}, missing)
				}
				if run {
					assert.Equal(t, c.text, l.Text)
				}
			})
		}
	}
}
