package site

import (
	"net/url"
	"testing"
)

// FuzzDataURL reads any addresses that hold what they name.
func FuzzDataURL(f *testing.F) {
	for _, s := range []string{"data:,x", "data:text/plain;base64,eA==", "DATA:image/png;charset=x;base64 ,e A", "data:;base64,%65%41", "data:%", "data:a;b=\"c,d\",e#f", "data:", "data:;base64,===", "data:text/html,<a>%zz"} {
		f.Add(s)
	}
	f.Fuzz(func(_ *testing.T, s string) { _, _, _ = DataURL(s) })
}

// FuzzPaths turns any paths of files into URL paths, and back.
func FuzzPaths(f *testing.F) {
	for _, s := range []string{"a.html", "a b/%41.css", "ü/é.js", "a?b#c", "\\", "..", "a/../b", "\x00", "\xff", "a%2fb"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		escaped := EscapePath(name)
		u, err := url.Parse("https://site.invalid/" + escaped)
		if err != nil {
			t.Fatalf("%q is written as %q: %v", name, escaped, err)
		}
		if u.RawQuery != "" || u.Fragment != "" {
			t.Fatalf("%q is written as %q, which has more than a path", name, escaped)
		}
		if back, ok := UnescapePath(escaped); ok && back != name {
			t.Fatalf("%q is written as %q and read as %q", name, escaped, back)
		}
	})
}
