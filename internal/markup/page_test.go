package markup

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const ferryPage = `<!doctype html>
<html lang="en-GB" dir="ltr">
<head>
  <meta charset="utf-8">
  <title>Fares &amp; tickets - Skerry Line</title>
  <base href="/site/"><base href="/other/">
  <meta name="Description" content="What a crossing costs">
  <meta name="theme-color" content="#0b4f6c" media="(prefers-color-scheme: dark)">
  <meta property="og:site_name" content="Skerry">
  <meta name="application-name" content="Skerry Line">
  <meta http-equiv="refresh" content="5; url='next.html'">
  <meta http-equiv="Content-Security-Policy" content="default-src 'self'">
  <meta name=viewport content=width=device-width>
  <link rel="stylesheet" href="app.css"><link rel="alternate stylesheet" href="dark.css"><link rel=stylesheet href=print.css media=print>
  <link rel="shortcut icon" href="favicon.ico"><link rel=apple-touch-icon href=touch.png><link rel=manifest href=m.json>
  <link rel=modulepreload href=pre.js><link rel=preload href=font.woff2 as=font crossorigin>
  <script type="importmap">{"imports": {"lib": "/lib.js", "x/": "/x/"}}</script>
  <script type="module" src="main.js"></script><script nomodule src="old.js"></script><script src="plain.js"></script>
  <script type="application/ld+json">{"a": "fetch('/no')"}</script>
  <script>fetch("/data.json")</script>
  <style>body { background: url(bg.png) }</style>
</head>
<body style="background: url('sea.jpg')">
  <a href="/"><img src="logo.svg" alt="Skerry"> Line</a>
  <h1>Fares <b>today</b></h1>
  <img srcset="small.jpg 640w, large.jpg 1280w, huge.jpg 2560w" src="fallback.jpg" loading="lazy"><picture><source srcset="a.webp 1x, b.webp 2x"></picture>
  <video poster="p.jpg"><source src="v.mp4"><track src="t.vtt"></video><audio src="horn.wav"></audio>
  <iframe src="map.html"></iframe><object data="o.pdf"></object><embed src="e.swf">
  <svg><image href="i.png"/><use href="#local"/><use xlink:href="sprite.svg#a"/></svg>
  <template><img src="never.jpg"></template><noscript><img src="never2.jpg"></noscript>
  <form action="/book" method=post><input type=password><input type=image src=go.png></form>
</body>`

func TestReadPage(t *testing.T) {
	p := ReadPage([]byte(ferryPage))
	assert.Equal(t, "utf-8", p.Encoding)
	assert.Equal(t, "en-GB", p.Lang)
	assert.Equal(t, "Fares & tickets - Skerry Line", p.Title.Value)
	assert.Equal(t, "What a crossing costs", p.Description.Value)
	assert.Equal(t, "/site/", p.Base.Value)
	assert.Equal(t, "(prefers-color-scheme: dark)", p.ThemeColors[0].Media)
	assert.Equal(t, "Skerry Line", p.AppNames[0].Value)
	assert.Equal(t, "Skerry Line", p.Brand)
	assert.Equal(t, []string{"Fares today"}, p.Headings)
	assert.Equal(t, "width=device-width", p.Viewport.Value)
	assert.Equal(t, "default-src 'self'", p.CSP[0].Value)
	assert.True(t, p.HasPassword)
	assert.Equal(t, []Form{{Action: "/book", Method: "POST", Offset: p.Forms[0].Offset}}, p.Forms)
	got := map[Use][]string{}
	for _, r := range p.Refs {
		got[r.Use] = append(got[r.Use], r.URL)
	}
	assert.Equal(t, map[Use][]string{
		UseStyle: {"app.css", "dark.css", "print.css"}, UseIcon: {"favicon.ico", "touch.png"}, UseManifest: {"m.json"}, UseModule: {"pre.js", "/lib.js", "main.js"}, UsePreload: {"font.woff2"},
		UseScript: {"plain.js"}, UseImage: {"sea.jpg", "logo.svg", "large.jpg", "a.webp", "b.webp", "p.jpg", "i.png", "sprite.svg#a", "go.png"}, UseVideo: {"v.mp4"}, UseTrack: {"t.vtt"},
		UseAudio: {"horn.wav"}, UseFrame: {"map.html"}, UseObject: {"o.pdf", "e.swf"}, UseLink: {"/"}, UseRefresh: {"next.html"},
	}, got)
	assert.Len(t, p.Scripts, 1)
	assert.Len(t, p.Styles, 1)
}

func TestEncodings(t *testing.T) {
	for src, want := range map[string]string{
		"<meta charset=shift_jis><title>\x83\x5c</title>": "\u30bd", "<meta charset=windows-1252><title>\xe9</title>": "\u00e9",
		"\xff\xfe<\x00t\x00i\x00t\x00l\x00e\x00>\x00\x00\x01<\x00/\x00t\x00i\x00t\x00l\x00e\x00>\x00": "\u0100",
		"<title>\xc3\xa9</title>": "\u00c3\u00a9", "\xef\xbb\xbf<title>\xc3\xa9</title>": "\u00e9",
	} {
		assert.Equal(t, want, ReadPage([]byte(src)).Title.Value, "%q", src)
	}
}

func TestCandidates(t *testing.T) {
	assert.Equal(t, []Candidate{{"a,b.png", 0, 0}, {"data:image/png;base64,AA", 0, 2}, {"c.png", 300, 0}}, Candidates(" a,b.png , data:image/png;base64,AA 2x,c.png 300w"))
	assert.Equal(t, []string{"a", "b"}, Pick("b 2x, a", "", 1280))
	assert.Equal(t, []string{"s", "b", "c"}, Pick("c 3x, b 2x", "s", 1280), "what is in src is for screens of one pixel each")
	assert.Equal(t, []string{"a", "b"}, Pick("a 1x, b 2x", "s", 1280))
	assert.Equal(t, []string{"b"}, Pick("a 100w, b 500w", "s", 1280), "the densest when none is dense enough")
	assert.Equal(t, []string{"b"}, Pick("a 100w, b 1300w, c 4000w", "s", 1280))
	assert.Empty(t, Pick(" , ", "", 1280))
	var got []string
	for _, r := range StyleRefs([]byte(`a { b: image-set("2.png" 2x, "1.png" 1x); c: -webkit-image-set(url(x.png) 192dpi, url(y.png) 96dpi) } d { e: image-set("z.avif" type("image/avif"), "z.png" type("image/png")); f: url(after.png) }`), 0) {
		got = append(got, fmt.Sprint(r.URL, " ", r.Dense, " ", r.Spare))
	}
	assert.Equal(t, []string{"2.png true false", "1.png false false", "x.png true false", "y.png false false", "z.avif false false", "z.png false true", "after.png false false"}, got)
}

func TestStyleRefs(t *testing.T) {
	src := `@charset "utf-8"; @import "a.css"; @import url(b.css) screen; @namespace url(http://www.w3.org/1999/xhtml);
/* url(no.png) */ .a { background: url( 'c d.png' ), url(e\29.png); content: "url(no)" }
.b { background-image: image-set("f.avif" type("image/avif"), url("g.png") 1x); filter: url(#local) }
@font-face { font-family: X; src: url(x.woff2) format("woff2"), url(x.woff) format("woff") }
@font-face { src: url(z.eot); src: url(z.eot?#x) format("embedded-opentype"), url(z.ttf) format(truetype), url(z.svg#a) format("svg"); unicode-range: U+0100-02BA, /* one */ U+1E?? }
@font-face { src: url(data:font/woff2;base64,AA) format("woff2"), url(w.woff) } @font-face { src: url(y.woff2) } .c { cursor: url(data:image/png;base64,AA), auto; mask: URL(h.svg) }`
	var got []string
	for _, r := range StyleRefs([]byte(src), 100) {
		s := string(r.Use) + " " + r.URL
		if r.Spare {
			s += " spare"
		}
		got = append(got, s)
		assert.GreaterOrEqual(t, r.Offset, 100)
	}
	assert.Equal(t, []string{"style a.css", "style b.css", "image c d.png", "image e).png", "image f.avif", "image g.png spare", "font x.woff2", "font x.woff spare",
		"font z.eot spare", "font z.eot?#x spare", "font z.ttf", "font z.svg#a spare", "font w.woff spare", "font y.woff2", "image h.svg"}, got)
	got = nil
	for _, r := range StyleRefs([]byte(`@media print { a { background: url(p1) } @supports (x: y) { b { c: url(p2) } } } d { e: url(s1) } @media screen, print { f { g: url(s2) } } @media print and (min-width: 9cm), speech { h { i: url(p3) } } } j { k: url(s3) }`), 0) {
		if !r.Spare {
			got = append(got, r.URL)
		}
	}
	assert.Equal(t, []string{"s1", "s2", "s3"}, got, "what is for paper alone is spare")
	assert.Equal(t, "U+0100-02BA,  U+1E??", StyleRefs([]byte(src), 0)[10].Range)
	assert.Nil(t, StyleRefs([]byte("a { color: red }"), 0))
}

func TestPictures(t *testing.T) {
	for src, want := range map[string]string{
		`<picture><source srcset=a.avif type=image/avif><source srcset=a.webp type=image/webp><img src=a.jpg></picture><img src=b.jpg>`: "a.avif a.webp- a.jpg- b.jpg",
		`<picture><source srcset=a.jxl type=image/jxl><img srcset="a.jpg, b.jpg 2x"></picture>`:                                         "a.jxl- a.jpg b.jpg+",
		`<picture><source srcset=w.png media="(min-width: 60em)"><source srcset=n.png media=all><img src=a.jpg></picture>`:              "w.png n.png a.jpg-",
		`<video><source src=a.webm><source src=a.mp4></video>`:                                                                          "a.webm a.mp4",
	} {
		for _, read := range []func([]byte) *Page{ReadPage, ReadNeeds} {
			var got []string
			for _, r := range read([]byte(src)).Refs {
				got = append(got, r.URL+map[bool]string{true: "-"}[r.Spare]+map[bool]string{true: "+"}[r.Dense])
			}
			assert.Equal(t, want, strings.Join(got, " "), src)
		}
	}
}

func TestStyleRules(t *testing.T) {
	rules := StyleRules([]byte(`:root, HTML { --brand: #0b4f6c; --x: 1px } html { background: white } p { color: red } @layer base { body { background-color: var(--brand) } }
@media print { body { background: red } } @media (prefers-color-scheme: dark) { :root { --brand: black } } @media screen { .a, .b { background: blue; &.c { background: red } } } @supports (display: grid) { .d { background: lime } }`), false)
	assert.Equal(t, []StyleRule{
		{Selectors: ":root,HTML", Properties: map[string]string{"--brand": "#0b4f6c", "--x": "1px"}},
		{Selectors: "html", Background: "white", Properties: map[string]string{}},
		{Selectors: "body", Layered: true, Background: "var(--brand)", Properties: map[string]string{}},
		{Selectors: ".a,.b", Background: "blue", Properties: map[string]string{}},
		{Selectors: ".d", Background: "lime", Properties: map[string]string{}},
	}, rules)
}

func TestReadScript(t *testing.T) {
	src := `import a from "./a.js"; import "./b.js"; export * from './c.js';
const base = "/api/", url = base + "boats"; const sw = navigator.serviceWorker;
const lazy = () => import("./d.js");
fetch(url); fetch("/post", { method: "POST" }); window.fetch(new Request("/r")); fetch(unknown); cache.fetch("/no"); self.fetch(` + "`${base}t`" + `);
const x = new XMLHttpRequest(); x.open("get", "/x.json"); window.open("GET", "/w");
new Worker(new URL("w.js", import.meta.url)); new SharedWorker("s.js");
navigator.serviceWorker.register("/sw.js", { scope: "/app/", type: "module" }); sw.register(computed());
addEventListener("load", () => navigator.serviceWorker.register(new URL("./sw2.js", import.meta.url).href));
localStorage.a = 1;`
	f := ReadScript([]byte(src), 10)
	assert.Empty(t, f.Broken)
	var got []string
	for _, r := range f.Refs {
		got = append(got, string(r.Use)+" "+r.Method+" "+r.URL)
	}
	assert.Equal(t, []string{"module  ./a.js", "module  ./b.js", "module  ./c.js", "module  ./d.js", "fetch  /api/boats", "fetch POST /post", "fetch  /r", "fetch  /api/t", "fetch  /x.json", "worker  w.js", "worker  s.js"}, got)
	assert.Equal(t, "./a.js", src[f.Refs[0].Offset-10:][:6], "offsets are those of the file")
	assert.Equal(t, []Registration{
		{URL: "/sw.js", Scope: "/app/", Module: true, Known: true, Offset: f.Registrations[0].Offset},
		{Offset: f.Registrations[1].Offset},
		{URL: "./sw2.js", Relative: true, Known: true, Offset: f.Registrations[2].Offset},
	}, f.Registrations)
	assert.True(t, f.Stores["localStorage"])
	require.Len(t, f.Unread, 1)
	assert.Equal(t, "unknown", src[f.Unread[0].Offset-10:][:7])
	f = ReadScript([]byte(`x.active.postMessage({}); controller.postMessage(1); navigator.serviceWorker.controller.postMessage([]); window.postMessage(2); port.postMessage(3); fetch({url}); fetch("/a" + "b", {}); globalThis.fetch(a.b)`), 0).At(5)
	assert.Equal(t, []Unread{{true, 14}, {true, 42}, {true, 93}, {false, 154}, {false, 208}}, f.Unread)
	assert.NotEmpty(t, ReadScript([]byte("import ; fetch("), 0).Broken)
	assert.Equal(t, "a.js", ReadScript([]byte("importScripts('a.js')"), 0).Refs[0].URL)
	for src, want := range scriptHints {
		f := ReadScript([]byte(src), 0)
		assert.Equal(t, want, len(f.Refs)+len(f.Registrations)+len(f.Stores), "%s", src)
	}
}

// scriptHints are short scripts with the number of things that they tell: none may be overlooked for speed.
var scriptHints = map[string]int{
	`import"./a.js"`: 1, `import{a}from"./a.js"`: 1, `import * as a from "./a.js"`: 1, `import a from './a.js'`: 1, `import ("./a.js")`: 1,
	"import\n\t('./a.js')": 1, `export*from"./a.js"`: 1, `export {a} from "./a.js"`: 1, `window.fetch ("/a")`: 1, `fetch/* x */("/a")`: 1,
	`prefetch("/a")`: 0, `import a, {b as c} from "./a.js"`: 1, `x.a = "import foo from here"; import /* z */ a from './a.js'`: 1, `new Worker("w.js")`: 1, `new SharedWorker ("w.js")`: 1, `x.open("GET", "/a")`: 1, `x . open("PUT","/a")`: 0,
	`window["localStorage"].a`: 0, `localStorage.a`: 1, `new URL("./a.png", import.meta.url)`: 1, `navigator.serviceWorker.register("/sw.js")`: 1,
	`let {serviceWorker: o, userAgent: u} = navigator; o.register("/sw.js")`: 1, `const {serviceWorker} = navigator; serviceWorker.register("/sw.js")`: 1, `const {serviceWorker: o} = other; o.register("/sw.js")`: 0,
	`const s = navigator.serviceWorker; s.register("/sw.js")`: 1, `new Worker(new URL("./w.js", import.meta.url), {type: "module"})`: 1, `f("fetch")`: 0,
}

// wantedTags lists the tags that a reader of needs sees, with or without passing over the others.
func wantedTags(src string, w *wanted) []string {
	toks := NewTokens([]byte(src))
	toks.only = w
	var out []string
	for {
		t, ok := toks.Next()
		switch {
		case !ok:
			return out
		case t.Kind == StartTag && (slices.Contains(neededTags, t.Name) || styled(src, t)):
			s := "<" + t.Name
			for _, a := range t.Attrs {
				s += " " + a.Name + "=" + src[a.ValStart:a.ValEnd]
			}
			out = append(out, s)
		case t.Kind == EndTag && t.Name == "template":
			out = append(out, "</template")
		case t.Kind == Text && t.Raw:
			out = append(out, src[t.Start:t.End])
		}
	}
}

// styled says whether a tag refers to something in its style attribute.
func styled(src string, t Token) bool {
	a, ok := t.Attr("style")
	return ok && strings.Contains(src[a.ValStart:a.ValEnd], "url(")
}

var passedOver = []string{`<p a="x>y"><img src=a>`, `<p a='"'><img>`, `<p ="><img src=a>">`, `<p a=b="c><img>">`, `<p a= "><img>"><img>`, `<p a="b"="><img>"><img>`,
	`<p/=">"><img>`, `<p a=="><img>"><img>`, `<p style="background:url(a.png)">`, `<p STYLE='x:url(b)'>`, `<p style=background:url(a)>`, `<p><img`, `<p a="<img>`, `<3 <img>`, `a<`, `<p`, `</p a=">"><img>`,
	`<svg><image href=a></svg><p a="x"><img>`, `<span><style>p{}</style><template><img></template>`, `<p style="` + "\n" + `url(a)"><img>`, `<!-- <img> --><img>`, `<?p <img> ?>`}

func TestNothingWantedIsPassedOver(t *testing.T) {
	for _, src := range append(passedOver, tokenCases...) {
		assert.Equal(t, wantedTags(src, nil), wantedTags(src, wantedForNeeds), "%q", src)
	}
}

func FuzzPassedOver(f *testing.F) {
	for _, src := range append(passedOver, tokenCases...) {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		if want, got := wantedTags(src, nil), wantedTags(src, wantedForNeeds); !slices.Equal(want, got) {
			t.Fatalf("%q: %q, not %q", src, got, want)
		}
	})
}

func FuzzReadPage(f *testing.F) {
	f.Add([]byte(ferryPage))
	f.Fuzz(func(t *testing.T, src []byte) {
		p := ReadPage(src)
		for _, s := range p.Scripts {
			ReadScript(s.Source, s.Offset)
		}
		for _, s := range p.Styles {
			StyleRefs(s.Source, s.Offset)
			StyleRules(s.Source, false)
		}
	})
}
