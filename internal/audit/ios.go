package audit

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/meant"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/platform"
	"tachyform.dev/tachyform/internal/survey"
)

// onIOS is where these checks matter.
var onIOS = []string{"safari-ios"}

// iosNames are the names of meta elements that iPhones know, or knew.
var iosNames = []string{"apple-mobile-web-app-capable", "apple-mobile-web-app-status-bar-style", "apple-mobile-web-app-title", "apple-itunes-app", "mobile-web-app-capable"}

// unusedNames are names that no current system looks at, and why.
var unusedNames = map[string]string{
	"apple-touch-fullscreen":           "no system looks at it any more",
	"apple-mobile-web-app-orientation": "there never was such a name: orientation is a member of the manifest",
	"apple-mobile-web-app-icon":        "there never was such a name: write <link rel=\"apple-touch-icon\" href=\"…\">",
	"msapplication-web-app-capable":    "there never was such a name",
}

// statusBars are the looks of the status bar.
var statusBars = []string{"default", "black", "black-translucent"}

// onIOSTags looks at tags of pages that iPhones look at.
func (f *facts) onIOSTags(find func(h pageHead, t pagehead.Tag) string) ([]Finding, bool) {
	var out []Finding
	applies := false
	for _, kind := range f.iosKinds() {
		list, there := f.onTags(kind, find)
		out, applies = append(out, list...), applies || there
	}
	return out, applies
}

// iosKinds are the kinds of such tags that pages have, sorted.
func (f *facts) iosKinds() []string {
	var kinds []string
	for _, h := range f.heads {
		if h.err != nil {
			continue
		}
		for _, t := range h.head.Tags {
			if pagehead.IsIOS(t.Kind) && !slices.Contains(kinds, t.Kind) {
				kinds = append(kinds, t.Kind)
			}
		}
	}
	slices.Sort(kinds)
	return kinds
}

var (
	launchNumber = regexp.MustCompile(`\(\s*(device-width|device-height|-webkit-device-pixel-ratio)\s*:\s*([0-9.]+)(px)?\s*\)`)
	launchTurned = regexp.MustCompile(`orientation\s*:\s*landscape`)
)

// launchSize gives the size in device px that the media query of a launch picture asks for; false when it does not say.
func launchSize(media string) (width, height int, ok bool) {
	v := map[string]float64{}
	for _, m := range launchNumber.FindAllStringSubmatch(media, -1) {
		v[m[1]], _ = strconv.ParseFloat(m[2], 64) // the expression has numbers only
	}
	w, h, r := v["device-width"], v["device-height"], v["-webkit-device-pixel-ratio"]
	if w == 0 || h == 0 || r == 0 {
		return 0, 0, false
	}
	if launchTurned.MatchString(media) {
		w, h = h, w
	}
	return int(w*r + 0.5), int(h*r + 0.5), true
}

// style gives the text of the style sheets of a page, inside and beside it.
func (f *facts) style(h pageHead) string {
	var b strings.Builder
	if src, err := f.site.Read(h.file.Path); err == nil {
		for _, s := range markup.ReadPage(src).Styles {
			b.Write(s.Source)
		}
	}
	for u := range f.inv.Closure(h.file.URL) {
		if file := f.inv.FileOf(u); file != nil && file.Kind() == "style" {
			if data, err := f.site.Read(file.Path); err == nil {
				b.Write(data)
			}
		}
	}
	return b.String()
}

var iosChecks = []Check{
	{
		ID: "ios/name-unknown", Level: Warning, Title: "Tags for iPhones are spelt as iPhones know them", Example: `<meta name="apple-mobile-web-app-status-bar" content="black">`,
		Matters: onIOS,
		Why:     "A name that no system knows does nothing, and nothing says so.",
		Mend:    "write the name that is meant, or remove the tag", Spec: "Safari's documentation of web apps on the home screen",
		run: func(f *facts) ([]Finding, bool) {
			return f.onIOSTags(func(_ pageHead, t pagehead.Tag) string {
				if t.Kind == pagehead.Launch || slices.Contains(iosNames, t.Kind) {
					return ""
				}
				if why := unusedNames[t.Kind]; why != "" {
					return fmt.Sprintf("%s: %s", t.Kind, why)
				}
				if best := meant.By(t.Kind, iosNames); best != "" {
					return fmt.Sprintf("no system knows the name %q; is %q meant?", t.Kind, best)
				}
				for _, known := range iosNames {
					if strings.HasPrefix(known, t.Kind) || strings.HasPrefix(t.Kind, known) {
						return fmt.Sprintf("no system knows the name %q; is %q meant?", t.Kind, known)
					}
				}
				return fmt.Sprintf("no system knows the name %q", t.Kind)
			})
		},
	},
	{
		ID: "ios/value-unknown", Level: Warning, Title: "Tags for iPhones have values that iPhones know",
		Example: `<meta name="apple-mobile-web-app-status-bar-style" content="#0b4f6c">`, Matters: onIOS,
		Why:  "A value that the system does not know is as good as none.",
		Mend: "write one of the values", Spec: "Safari's documentation of web apps on the home screen",
		run: func(f *facts) ([]Finding, bool) {
			return f.onIOSTags(func(_ pageHead, t pagehead.Tag) string {
				value := strings.ToLower(t.Value)
				switch t.Kind {
				case "apple-mobile-web-app-capable", "mobile-web-app-capable":
					if value != "yes" && value != "no" {
						return fmt.Sprintf("%s is %q: it is yes, and nothing else does", t.Kind, t.Value)
					}
				case "apple-mobile-web-app-status-bar-style":
					if slices.Contains(statusBars, value) {
						return ""
					}
					m := fmt.Sprintf("the status bar's style is %q: it is one of %s", t.Value, strings.Join(statusBars, ", "))
					if _, colour := csscolor.Parse(t.Value); colour {
						return m + ". It takes no colour: it says how the bar stands above the page"
					}
					if best := meant.By(value, statusBars); best != "" {
						m += fmt.Sprintf("; is %q meant?", best)
					}
					return m
				case "apple-mobile-web-app-title":
					if t.Value == "" {
						return "the title is empty: the icon has no name below it"
					}
				}
				return ""
			})
		},
	},
	{
		ID: "ios/under-the-status-bar", Level: Warning, Title: "Nothing lies under the status bar",
		Example: `<meta name="apple-mobile-web-app-status-bar-style" content="black-translucent">, and no env(safe-area-inset-top) in the styles`, Matters: onIOS,
		Why:  "With this style the page begins at the very top of the screen: clock and battery stand on what it shows there, in white, and a menu under them can hardly be pressed.",
		Mend: "leave room at the top: padding-top: env(safe-area-inset-top), or choose another style", Spec: "CSS Environment Variables, section 2",
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("apple-mobile-web-app-status-bar-style", func(h pageHead, t pagehead.Tag) string {
				if strings.ToLower(t.Value) != "black-translucent" || strings.Contains(f.style(h), "safe-area-inset-top") {
					return ""
				}
				return "black-translucent puts the page under the status bar, and no style of it says safe-area-inset-top"
			})
		},
	},
	{
		ID: "ios/pinned-icon", Level: Advice, Title: "The icon of pinned tabs is a shape", Example: `<link rel="mask-icon" href="/icon-192.png">`,
		Matters: []string{"safari-macos"},
		Why:     "Safari on a Mac draws only the shape, in one colour: anything but an SVG is passed over, and colours are lost.",
		Mend:    "link an SVG of one colour, or remove the link: without it the tab shows the favicon", Spec: "Safari's documentation of pinned tabs",
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("mask-icon", func(h pageHead, t pagehead.Tag) string {
				data := f.bytes(f.resolve(h, t.Value))
				if data == nil {
					return "" // another check says that it is not there
				}
				if _, _, kind, _ := icon.Size(data); kind != "image/svg+xml" {
					return t.Value + " is no SVG"
				}
				if n := colours(data); len(n) > 1 {
					return fmt.Sprintf("%s has %d colours (%s), and only its shape is drawn", t.Value, len(n), strings.Join(n[:min(4, len(n))], ", "))
				}
				return ""
			})
		},
	},
	{
		ID: "ios/launch-picture", Level: Warning, Title: "Launch pictures have the size of a screen", Example: `a picture of 1170 x 2500 px for a screen of 1170 x 2532`,
		Matters: onIOS,
		Why:     "The system shows a launch picture only when it has exactly the size of the screen; otherwise the app begins with a blank page.",
		Mend:    "draw it in the size that its media query asks for, or let tachyform fit make them ([ios] launch = \"phones\")", Spec: "Safari's documentation of web apps on the home screen",
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags(pagehead.Launch, func(h pageHead, t pagehead.Tag) string {
				u, ok := survey.ResolveOn(f.site.Origin, survey.BaseOf(f.site.Origin, h.file.URL, h.head.Base), t.Value)
				file := f.inv.FileOf(u)
				if !ok || strings.HasPrefix(u, "http") {
					return ""
				}
				if file == nil {
					return u + " is not in the site"
				}
				data, err := f.site.Read(file.Path)
				if err != nil {
					return err.Error()
				}
				w, ht, kind, err := icon.Size(data)
				if err != nil || kind == "image/svg+xml" {
					return u + " is no picture that is shown while an app is launched: PNG is"
				}
				wantW, wantH, said := launchSize(t.Media)
				switch {
				case !said && !slices.ContainsFunc(platform.Screens, func(s platform.Screen) bool {
					return slices.ContainsFunc(s.Launches(), func(l platform.Launch) bool { return l.Width == w && l.Height == ht })
				}):
					return fmt.Sprintf("%s has %d x %d px, which no current device has; a media query says for which a picture is", u, w, ht)
				case said && (w != wantW || ht != wantH):
					return fmt.Sprintf("%s has %d x %d px, and its media query is true for screens of %d x %d", u, w, ht, wantW, wantH)
				}
				return ""
			})
		},
	},
}

var svgPaint = regexp.MustCompile(`(?i)(?:fill|stroke|stop-color)\s*[:=]\s*["']?\s*(#[0-9a-f]{3,8}|[a-z]+|rgba?\([^)]*\))`)

// colours gives the different colours that an SVG names, sorted.
func colours(svg []byte) []string {
	var out []string
	for _, m := range svgPaint.FindAllSubmatch(svg, 1000) {
		c, ok := csscolor.Parse(string(m[1]))
		if !ok || c.A == 0 {
			continue
		}
		if hex := c.Hex(); !slices.Contains(out, hex) {
			out = append(out, hex)
		}
	}
	slices.Sort(out)
	return out
}
