package markup

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/net/html"
)

// shape writes tokens in a form that two tokenizers can be compared by.
func shape(src string) []string {
	var out []string
	toks := NewTokens([]byte(src))
	at := 0
	if strings.HasPrefix(src, "\ufeff") {
		at = 3
	}
	for {
		t, ok := toks.Next()
		if !ok {
			break
		}
		if t.Start != at || t.End <= t.Start {
			return []string{"hole in the offsets"}
		}
		at = t.End
		switch t.Kind {
		case StartTag:
			s := "<" + t.Name
			for _, a := range t.Attrs {
				s += " " + a.Name + "=" + src[a.ValStart:a.ValEnd]
			}
			out = append(out, s)
		case EndTag:
			out = append(out, "</"+t.Name)
		}
	}
	if at != len(src) && src != "" && src != "\ufeff" {
		return []string{"bytes left over"}
	}
	return out
}

// reference is the same by x/net/html.
func reference(src string) []string {
	var out []string
	z := html.NewTokenizer(strings.NewReader(strings.TrimPrefix(src, "\ufeff")))
	for {
		switch z.Next() {
		case html.ErrorToken:
			return out
		case html.StartTagToken, html.SelfClosingTagToken:
			name, more := z.TagName()
			s := "<" + string(name)
			seen := map[string]bool{}
			for more {
				var k, v []byte
				k, v, more = z.TagAttr()
				if !seen[string(k)] {
					s += " " + string(k) + "=" + string(v)
				}
				seen[string(k)] = true
			}
			out = append(out, s)
		case html.EndTagToken:
			name, _ := z.TagName()
			out = append(out, "</"+string(name))
		}
	}
}

var tokenCases = []string{
	"", "text only", "<p>one<p>two", "<!doctype html><html lang=en><head><title>a<b>c</title></head>",
	"<a href=x/>y</a>", `<a href="a>b" title='c"d' data-x = y z>`, "<br/><img src=a.png / alt>",
	"<!-- <head> --><head>", "<!--><p>", "<!---><p>", "<!-- a --!><p>", "<!-- a -- b --><p>", "<!-- never closed <p>",
	"<script>if (a</b/.exec) '<p>'</script><p>", "<script><!-- <script> </script> --></script><p>",
	"<style>a{content:'</p>'}</style><p>", "<textarea><p></textarea ><p>", "<title>never closed <p>",
	"<?php echo '<p>' ?><p>", "</ p><p>", "</><p>", "< p><p>", "<p", "<p a", "<p a='", "<P CLASS=A Class=b>", "<a\u00a0b>",
	"<=p>", "<a =b=c>", "\ufeff<p>", "<plaintext><p>", "<xmp><p></xmp><iframe><p></iframe>", "<a b=''c=d>", "a<", "a</",
}

func TestTokensAgreeWithTheStandardLibrary(t *testing.T) {
	for _, src := range tokenCases {
		assert.Equal(t, reference(src), shape(src), "%q", src)
	}
}

func TestForeignContent(t *testing.T) {
	for src, want := range map[string][]string{
		"<svg><style><p></style></svg><p>":                 {"<svg", "<style", "<p", "</style", "</svg", "<p"},
		"<svg><title><b></title></svg>":                    {"<svg", "<title", "<b", "</title", "</svg"},
		"<svg><title>a</title><![CDATA[<p>]]></svg><p>":    {"<svg", "<title", "</title", "</svg", "<p"},
		"<svg/><title><b></title>":                         {"<svg", "<title", "</title"},
		"<svg><div><title><b></title>":                     {"<svg", "<div", "<title", "</title"},
		"<svg><foreignObject><style><p></style></svg>":     {"<svg", "<foreignobject", "<style", "</style", "</svg"},
		"<p><![CDATA[<b>]]>":                               {"<p"},
		"<script><!-- <script> x </script> y </script><p>": {"<script", "</script", "<p"},
	} {
		assert.Equal(t, want, shape(src), "%q", src)
	}
}

func TestPosition(t *testing.T) {
	src := []byte("ab\r\ncd\re\u00e9f\ng")
	for offset, want := range map[int][2]int{0: {1, 1}, 1: {1, 2}, 4: {2, 1}, 7: {3, 1}, 10: {3, 3}, 12: {4, 1}} {
		line, column := Position(src, offset)
		assert.Equal(t, want, [2]int{line, column}, "offset %d", offset)
	}
}

// FuzzTokens compares with x/net/html, which knows no foreign content and decodes NUL and CR in names.
func FuzzTokens(f *testing.F) {
	for _, src := range tokenCases {
		f.Add(src)
	}
	f.Fuzz(func(t *testing.T, src string) {
		got := shape(src)
		assert.NotContains(t, [][]string{{"hole in the offsets"}, {"bytes left over"}}, got, "%q", src)
		low := strings.ToLower(src)
		if strings.ContainsAny(src, "\x00\r&") || strings.Contains(low, "svg") || strings.Contains(low, "math") || !isASCII(src) {
			return
		}
		assert.Equal(t, reference(src), got, "%q", src)
	})
}

func isASCII(s string) bool { return ascii([]byte(s)) }
