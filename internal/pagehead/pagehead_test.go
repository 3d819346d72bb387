package pagehead

import (
	"bytes"
	"errors"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/pagehead/oddpages"
)

var elements = []Element{
	{"link", [][2]string{{"rel", "manifest"}, {"href", "/app.webmanifest?a=1&b=\"2\""}}},
	{"meta", [][2]string{{"name", "theme-color"}, {"content", "#0b4f6c"}}},
	{"script", [][2]string{{"src", "/sw-page.js"}, {"defer", ""}}},
}

func fileName(p oddpages.Page) string {
	if p.File != "" {
		return p.File
	}
	return "page.html"
}

// isOurs says whether an element is one of those that were inserted.
func isOurs(n *html.Node) bool {
	for _, e := range elements {
		if n.Type != html.ElementNode || n.Data != e.Name || len(n.Attr) != len(e.Attrs) {
			continue
		}
		same := true
		for i, a := range e.Attrs {
			same = same && n.Attr[i].Key == a[0] && n.Attr[i].Val == a[1]
		}
		if same {
			return true
		}
	}
	return false
}

// check edits a page and looks at the three properties: the elements are in the head, nothing else changed, and the
// edit can be taken out again.
func check(t testing.TB, name string, src []byte) {
	h, err := Read(name, src)
	if err != nil {
		require.ErrorIs(t, err, ErrUnsafe)
		return
	}
	out := h.Edit(src, elements)
	require.NotEqual(t, src, out)
	back, n, err := Remove(out)
	require.NoError(t, err)
	require.Equal(t, 1, n)
	require.Equal(t, string(src), string(back), "the original bytes come back")
	if strings.HasSuffix(name, ".xhtml") {
		return
	}
	before, _, err := oddpages.Outline(src, func(*html.Node) bool { return false })
	require.NoError(t, err)
	after, ours, err := oddpages.Outline(out, isOurs)
	require.NoError(t, err)
	require.Equal(t, before, after, "the tree differs only by our elements\n%s", out)
	require.Equal(t, len(elements), ours, "our elements are children of the head\n%s", out)
	again, err := Read(name, back)
	require.NoError(t, err)
	require.Equal(t, out, again.Edit(back, elements), "a second run gives the same bytes")
}

func TestOddPages(t *testing.T) {
	for _, p := range oddpages.Pages {
		t.Run(p.Name, func(t *testing.T) {
			_, err := Read(fileName(p), []byte(p.Data))
			if p.Left != "" {
				require.ErrorIs(t, err, ErrUnsafe)
				assert.Contains(t, err.Error(), p.Left)
				return
			}
			require.NoError(t, err)
			check(t, fileName(p), []byte(p.Data))
		})
	}
}

func TestInsertionIsSetLikeItsNeighbours(t *testing.T) {
	for src, want := range map[string]string{
		"<head>\n  <title>a</title>\n</head>": "<head>\n  <title>a</title>\n  " + beginLines + "\n  <link rel=\"manifest\" href=\"/m\">\n  " + endLines + "\n</head>",
		"<head>\r\n\t<title>a</title>\r\n":    "<head>\r\n\t<title>a</title>\r\n\t" + beginLines + "\r\n\t<link rel=\"manifest\" href=\"/m\">\r\n\t" + endLines + "\r\n",
		"<head><title>a</title></head>":       "<head><title>a</title>" + beginInline + "<link rel=\"manifest\" href=\"/m\">" + endInline + "</head>",
	} {
		h, err := Read("a.html", []byte(src))
		require.NoError(t, err)
		assert.Equal(t, want, string(h.Edit([]byte(src), []Element{{"link", [][2]string{{"rel", "manifest"}, {"href", "/m"}}}})))
	}
	src := `<html xmlns="http://www.w3.org/1999/xhtml"><head><title>a</title></head></html>`
	h, err := Read("a.xhtml", []byte(src))
	require.NoError(t, err)
	assert.Contains(t, string(h.Edit([]byte(src), elements)), `<script src="/sw-page.js" defer="defer"></script>`)
}

func TestTags(t *testing.T) {
	src := "<head><link REL='icon shortcut' href=a.ico><link rel=manifest href=m.json media=x><meta NAME=Theme-Color content='#fff' media='(prefers-color-scheme: dark)'>" +
		"<noscript><link rel=manifest href=no></noscript><base href=/b/><base href=/c/><meta name=viewport content=w><link rel='apple-touch-icon' href=t.png></head><body><link rel=manifest href=late>"
	h, err := Read("a.html", []byte(src))
	require.NoError(t, err)
	got := map[string]string{}
	for _, tag := range h.Tags {
		got[tag.Kind] += tag.Value
		assert.Equal(t, tag.Value, src[tag.Offset:tag.Offset+len(tag.Value)], "the offset is that of the value")
	}
	assert.Equal(t, map[string]string{"icon": "a.ico", "manifest": "m.json", "theme-color": "#fff", "viewport": "w", "touch-icon": "t.png"}, got)
	assert.Equal(t, "/b/", h.Base)
}

func TestXHTMLTags(t *testing.T) {
	src := `<html xmlns="http://www.w3.org/1999/xhtml"><head><link rel="manifest" href="m.json"/><meta name="viewport" content="w"/><base href="/b/"/><link rel="apple-touch-icon" href="t"/></head></html>`
	h, err := Read("a.xhtml", []byte(src))
	require.NoError(t, err)
	require.Len(t, h.Tags, 3)
	assert.Equal(t, "m.json", h.Tags[0].Value)
	assert.Equal(t, "/b/", h.Base)
}

func TestOursAreToldApart(t *testing.T) {
	src := []byte("<head>\n<title>a</title>\n<link rel=manifest href=theirs>\n</head>")
	h, err := Read("a.html", src)
	require.NoError(t, err)
	h, err = Read("a.html", h.Edit(src, elements))
	require.NoError(t, err)
	ours := []bool{}
	for _, tag := range h.Tags {
		if tag.Kind == "manifest" {
			ours = append(ours, tag.Ours)
		}
	}
	assert.Equal(t, []bool{false, true}, ours)
}

func TestRemoveLeavesForeignTextAlone(t *testing.T) {
	for _, src := range []string{"", "tachyform", "<!-- tachyform -->", "<p>tachyform: fit wrote this", "\x00tachyform"} {
		out, n, err := Remove([]byte(src))
		require.NoError(t, err)
		assert.Zero(t, n)
		assert.Equal(t, src, string(out))
	}
	_, _, err := Remove([]byte(beginLines + "<p>"))
	assert.True(t, errors.Is(err, ErrUnsafe))
}

func FuzzEdit(f *testing.F) {
	for _, p := range oddpages.Pages {
		f.Add([]byte(p.Data), p.File != "")
	}
	f.Fuzz(func(t *testing.T, src []byte, xhtml bool) {
		name := "a.html"
		if xhtml {
			name = "a.xhtml"
		}
		if bytes.Contains(src, []byte("tachyform")) || bytes.IndexByte(src, 0) >= 0 && !bytes.HasPrefix(src, []byte("\xff\xfe")) && !bytes.HasPrefix(src, []byte("\xfe\xff")) {
			return
		}
		check(t, name, src)
	})
}
