package audit

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/draw"
	"slices"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/raster"
)

// maxSide bounds the pictures whose pixels are looked at, in px a side.
const maxSide = 2048

// pixels is what a picture's pixels are like.
type pixels struct {
	width, height int
	opaque        bool
	outside       float64 // share of the art that lies outside of the safe zone, 0 to 1; 0 when there is no plain background
	plain         bool    // the corners have one colour, or are transparent
	art, ground   color.NRGBA
	covered       float64 // share of pixels that are not transparent
}

// readPixels decodes a raster picture and measures it; nil when it cannot be decoded, which is then said, or is too large.
func readPixels(data []byte) (p *pixels, broken bool) {
	cfg, _, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil || cfg.Width > maxSide || cfg.Height > maxSide || cfg.Width < 1 || cfg.Height < 1 {
		return nil, false
	}
	img, _, err := raster.Decode(data)
	if err != nil {
		return nil, !errors.Is(err, raster.ErrTooMuch)
	}
	b := img.Bounds()
	plain, ok := img.(*image.NRGBA)
	if !ok {
		plain = image.NewNRGBA(b)
		draw.Draw(plain, b, img, b.Min, draw.Src)
	}
	at := func(x, y int) color.NRGBA { return plain.NRGBAAt(b.Min.X+x, b.Min.Y+y) }
	p = &pixels{width: b.Dx(), height: b.Dy(), opaque: true}
	p.ground = at(0, 0)
	p.plain = true
	for _, c := range [...]color.NRGBA{at(p.width-1, 0), at(0, p.height-1), at(p.width-1, p.height-1)} {
		if !alike(c, p.ground) {
			p.plain = false
		}
	}
	var r, g, bl, n, beyond, seen int
	radius := icon.SafeZone*float64(min(p.width, p.height)) + 1
	for y := range p.height {
		for x := range p.width {
			c := at(x, y)
			p.opaque = p.opaque && c.A == 255
			if c.A > 127 {
				seen++
			}
			if c.A <= 127 || alike(c, p.ground) {
				continue
			}
			r, g, bl, n = r+int(c.R), g+int(c.G), bl+int(c.B), n+1
			if dx, dy := float64(x)+0.5-float64(p.width)/2, float64(y)+0.5-float64(p.height)/2; dx*dx+dy*dy > radius*radius {
				beyond++
			}
		}
	}
	p.covered = float64(seen) / float64(p.width*p.height)
	if n > 0 {
		p.art = color.NRGBA{uint8(r / n), uint8(g / n), uint8(bl / n), 255}
		if p.plain {
			p.outside = float64(beyond) / float64(n)
		}
	}
	return p, false
}

// alike says whether two colours look the same.
func alike(a, b color.NRGBA) bool {
	if a.A <= 127 || b.A <= 127 {
		return a.A <= 127 && b.A <= 127
	}
	return distance(csscolor.Color{NRGBA: a}, csscolor.Color{NRGBA: b}) < 48
}

func contrast(a, b color.NRGBA) float64 {
	return csscolor.Color{NRGBA: a}.Contrast(csscolor.Color{NRGBA: b})
}

// each makes findings of icons; it applies when there is one to look at.
func (f *facts) each(which func(*iconFact) bool, find func(*iconFact) string) ([]Finding, bool) {
	if !f.readable() {
		return nil, false
	}
	var out []Finding
	applies := false
	for _, i := range f.icons {
		if !which(i) {
			continue
		}
		applies = true
		if m := find(i); m != "" {
			out = append(out, i.finding(f, m))
		}
	}
	return out, applies
}

func with(purpose string) func(*iconFact) bool {
	return func(i *iconFact) bool { return slices.Contains(i.image.Purpose, purpose) && i.look() != nil }
}

var androids = []string{"chromium-android", "samsung-android", "firefox-android"}

var (
	white = color.NRGBA{255, 255, 255, 255}
	black = color.NRGBA{0, 0, 0, 255}
)

// pixelChecks look at what icons show.
var pixelChecks = []Check{
	{
		ID: "icons/maskable-cut", Level: Warning, Title: "The art of maskable icons lies inside the safe zone",
		Why: "Phones cut a maskable icon to their own shape: what lies outside of a circle of 80% of its width is cut off on some.", Mend: "draw the art smaller (tachyform icons MASTER does), or take the purpose maskable away",
		Spec: "W3C Web Application Manifest, \"Icon masks and safe zone\"", Example: `a logo up to the edges with "purpose": "maskable"`, Matters: androids,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(with("maskable"), func(i *iconFact) string {
				if p := i.look(); p.plain && p.outside > 0.02 {
					return fmt.Sprintf("%.0f%% of the art of %s lies outside of the safe zone", p.outside*100, i.file.Path)
				}
				return ""
			})
		},
	},
	{
		ID: "icons/maskable-transparent", Level: Warning, Title: "Maskable icons are opaque",
		Why: "What is transparent in a maskable icon is filled with black or white.", Mend: "put the art on a background up to the edges", Spec: "W3C Web Application Manifest, \"Icon masks and safe zone\"", Example: `a transparent PNG with "purpose": "maskable"`, Matters: androids,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(with("maskable"), func(i *iconFact) string {
				if !i.look().opaque {
					return i.file.Path + " has transparent parts"
				}
				return ""
			})
		},
	},
	{
		ID: "icons/one-for-all-purposes", Level: Advice, Title: "Maskable icons are for masks alone",
		Why: "An icon with room for a mask looks small where nothing is cut off, and one without is cut.", Mend: "make one icon for each purpose", Spec: "W3C Web Application Manifest, \"purpose member\"", Example: `"purpose": "any maskable"`, Matters: androids,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(func(i *iconFact) bool { return slices.Contains(i.image.Purpose, "maskable") }, func(i *iconFact) string {
				if slices.Contains(i.image.Purpose, "any") {
					return "one icon is of purpose any and maskable"
				}
				return ""
			})
		},
	},
	{
		ID: "icons/monochrome-filled", Level: Warning, Title: "Monochrome icons have a shape",
		Why: "Of a monochrome icon only the transparency counts: an opaque one is shown as a square of one colour.", Mend: "draw the shape on nothing", Spec: "W3C Web Application Manifest, \"purpose member\", \"monochrome\"", Example: `an opaque PNG with "purpose": "monochrome"`, Matters: androids,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(with("monochrome"), func(i *iconFact) string {
				if i.look().covered > 0.97 {
					return i.file.Path + " is filled"
				}
				return ""
			})
		},
	},
	{
		ID: "icons/faint", Level: Advice, Title: "The art stands out",
		Why: "The icon can hardly be seen: its art is almost of the colour of what it lies on, or, where it is transparent, of a light and of a dark screen.", Mend: "give the art more contrast, or a background", Spec: "Web Content Accessibility Guidelines, \"Non-text contrast\"",
		Example: "a light grey mark on white",
		run: func(f *facts) ([]Finding, bool) {
			return f.each(with("any"), func(i *iconFact) string {
				p := i.look()
				switch {
				case p.art.A == 0 || !p.plain:
					return ""
				case p.ground.A > 127:
					if c := contrast(p.art, p.ground); c < 1.5 {
						return fmt.Sprintf("%s: the art has a contrast of %.1f to its background", i.file.Path, c)
					}
				case contrast(p.art, white) < 1.2:
					return fmt.Sprintf("%s is transparent, and its art has a contrast of %.1f to white", i.file.Path, contrast(p.art, white))
				case contrast(p.art, black) < 1.2:
					return fmt.Sprintf("%s is transparent, and its art has a contrast of %.1f to black", i.file.Path, contrast(p.art, black))
				}
				return ""
			})
		},
	},
	{
		ID: "icons/not-square", Level: Warning, Title: "Icons are square",
		Why: "A picture that is not square is squeezed, or gets bars; Chromium does not install with one.", Mend: "put the art on a square", Spec: "measured in Chromium", Example: `{"src": "logo.png", "sizes": "400x120"}`,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(func(i *iconFact) bool { return i.width > 0 }, func(i *iconFact) string {
				if i.width != i.height {
					return fmt.Sprintf("%s is %d x %d px", i.file.Path, i.width, i.height)
				}
				return ""
			})
		},
	},
	{
		ID: "icons/large-missing", Level: Advice, Title: "There is an icon of 512 px",
		Why: "Splash screens and large tiles enlarge a smaller icon, and it looks blurred.", Mend: "run tachyform fit, or add a 512x512 PNG", Spec: "W3C Web Application Manifest, \"icons member\"", Example: `"icons": [{"src": "192.png", "sizes": "192x192"}]`, Matters: []string{"chromium-android", "chromium-desktop", "samsung-android"}, Safe: true,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.Icons) == 0 {
				return nil, false
			}
			for _, i := range f.manifest.Processed.Icons {
				for _, s := range i.Sizes {
					if w, _, _ := manifest.ParseSize(s); (w >= 512 || s == "any") && slices.Contains(i.Purpose, "any") {
						return nil, true
					}
				}
			}
			return []Finding{f.at("icons", "no icon of purpose any has 512 px or more", "")}, true
		},
	},
	{
		ID: "icons/only-vector", Level: Advice, Title: "There is a raster icon beside the SVG",
		Why: "Safari and some home screens take no SVG icon from a manifest, and show a letter or a picture of the page.", Mend: "add a 192x192 and a 512x512 PNG", Spec: "W3C Web Application Manifest, \"icons member\"; documentation of browsers", Example: `"icons": [{"src": "mark.svg", "sizes": "any"}]`, Matters: []string{"safari-ios", "safari-macos"}, Safe: true,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.icons) == 0 {
				return nil, false
			}
			for _, i := range f.icons {
				if i.kind != "image/svg+xml" {
					return nil, true
				}
			}
			return []Finding{f.at("icons", "all icons are SVG", "")}, true
		},
	},
	{
		ID: "icons/heavy", Level: Advice, Title: "Icons are small files",
		Why: "Icons are fetched when a visitor is about to install; a large one takes seconds on a slow network.", Mend: "compress it (tachyform icons MASTER writes small files)", Spec: "measured", Example: "an icon of 900 kB",
		run: func(f *facts) ([]Finding, bool) {
			return f.each(func(i *iconFact) bool { return i.file != nil }, func(i *iconFact) string {
				if i.file.Size > 300<<10 {
					return fmt.Sprintf("%s has %d kB", i.file.Path, i.file.Size>>10)
				}
				return ""
			})
		},
	},
	{
		ID: "icons/foreign", Level: Advice, Title: "Icons come from the site's own origin",
		Why: "When the other origin is down, blocked or slow, the app has no icon.", Mend: "copy the icon into the site", Spec: "W3C Image Resource", Example: `{"src": "https://cdn.example/192.png"}`,
		run: func(f *facts) ([]Finding, bool) {
			return f.each(func(*iconFact) bool { return true }, func(i *iconFact) string {
				if i.outer {
					return i.image.Src + " is on another origin"
				}
				return ""
			})
		},
	},
}
