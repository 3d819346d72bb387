package csscolor

import "testing"

// FuzzParse reads any colours: what is one can be written and read again.
func FuzzParse(f *testing.F) {
	for _, s := range []string{"#0b4f6c", "#FFF8", "teal", "transparent", "rgb(1 2 3 / 50%)", "rgba(1,2,3,.5)", "hsl(120deg 50% 50%)", "hwb(1turn 10% 20%)", "lab(50% 20 -30)", "lch(50 20 none)", "oklab(.5 .1 .1)", "oklch(50% .1 200)", "color(display-p3 1 0 0)", "color(xyz-d50 .1 .2 .3)", "/**/#123/**/", "rgb(", "rgb(1e999 0 0)", "rgb(nan 0 0)", "hsl(1e308deg 1% 1%)"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		c, ok := Parse(s)
		if !ok {
			return
		}
		if again, ok := Parse(c.Hex()); !ok || again != c {
			t.Fatalf("%q is %s, which is read as %v (%v)", s, c.Hex(), again, ok)
		}
	})
}
