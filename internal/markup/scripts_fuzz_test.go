package markup

import "testing"

// FuzzReadScript reads any scripts: what is found stands in them.
func FuzzReadScript(f *testing.F) {
	for _, s := range []string{
		`fetch("/a.json"); import b from "./b.js"; import("c"); new Worker(new URL("d.js", import.meta.url)); navigator.serviceWorker.register("/sw.js", {scope: "/x/", type: "module"})`,
		"const a = `/${b}/c`; fetch(a + \"\\x2f\\u{2f}\"); /re[/]/g.test(x) ? y / z : 1 / 2", `if (location.host == "x") navigator.serviceWorker.register(u); localStorage.x = indexedDB`,
		"`${`${`", "/*", "//", "\"\\", "{[(", "a\u2028b", "<!--\n-->", "x = /[/", "import", "export * from 'a'", "class A { static { fetch('/x') } }",
	} {
		f.Add(s, 0)
	}
	f.Fuzz(func(t *testing.T, src string, offset int) {
		if offset < 0 || offset > 1<<20 {
			return
		}
		facts := ReadScript([]byte(src), offset)
		for _, list := range [][]Ref{facts.Refs, facts.Bare} {
			for _, r := range list {
				if r.Offset < offset || r.Offset > offset+len(src) {
					t.Fatalf("%q: %+v lies outside", src, r)
				}
			}
		}
		for _, u := range facts.Unread {
			if u.Offset < offset || u.Offset > offset+len(src) {
				t.Fatalf("%q: %+v lies outside", src, u)
			}
		}
	})
}

// FuzzStyleRefs reads any style sheets: what is found stands in them.
func FuzzStyleRefs(f *testing.F) {
	for _, s := range []string{
		`@import "a.css" layer(x) supports(display: grid) print; p { background: url( 'b.png' ) } @font-face { font-family: F; src: local("x"), url(f.woff2) format("woff2"); unicode-range: U+0-FF }`,
		`p { background: image-set("a.png" 1x, url(b.png) 2x) } @media print { q { background: url(c) } }`, "url(", "@import", "@import url(", "/*", "\"\\", "}}}", "a{b:url(\\", "@font-face{src:url(a)", "\\75 rl(x)",
	} {
		f.Add(s, 0)
	}
	f.Fuzz(func(t *testing.T, src string, offset int) {
		if offset < 0 || offset > 1<<20 {
			return
		}
		for _, r := range StyleRefs([]byte(src), offset) {
			if r.Offset < offset || r.Offset > offset+len(src) {
				t.Fatalf("%q: %+v lies outside", src, r)
			}
		}
	})
}
