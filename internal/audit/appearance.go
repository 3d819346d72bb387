package audit

import (
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/label"
	"tachyform.dev/tachyform/internal/likeness"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/palette"
)

// maxDescription is how many characters of a description the dialogues to install show.
const maxDescription = 300

// maxScreenshots is how many of one form factor they show.
const maxScreenshots = 8

// maxName is how many characters of a name the dialogues to install show.
const maxName = 45

// want makes a check that looks for a member which is not there.
func want(id, member, title, why, mend, spec, example string, matters []string, has func(*manifest.Processed) bool) Check {
	return Check{ID: "manifest/" + id, Level: Advice, Title: title, Why: why, Mend: mend, Spec: spec, Example: example, Matters: matters,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			if has(&f.manifest.Processed) || f.manifest.Has(member) {
				return nil, true
			}
			return []Finding{f.at("", member+" is not given", "")}, true
		}}
}

// appearanceChecks are about what makes an app a better one.
var appearanceChecks = []Check{
	want("id-missing", "id", "The app has an id", "Without an id the start URL is the app's identity: when it changes, installed apps are not updated, and visitors get a second one.",
		"add \"id\": \"/\"", "W3C Web Application Manifest, \"id member\"", `{"start_url": "/?from=icon"}`, []string{"chromium-desktop", "chromium-android"}, func(*manifest.Processed) bool { return false }),
	want("description-missing", "description", "The app says what it is", "The dialogue to install shows the description; without one it shows a name and an address.",
		"add \"description\"", "W3C Web Application Manifest, \"description member\"", `{"name": "Skerry"}`, []string{"chromium-desktop", "chromium-android"}, func(*manifest.Processed) bool { return false }),
	want("theme-color-missing", "theme_color", "The app has a theme colour", "The title bar, and the status bar of a phone, have the browser's own colour.",
		"add \"theme_color\"", "W3C Web Application Manifest, \"theme_color member\"", `{"name": "Skerry"}`, nil, func(*manifest.Processed) bool { return false }),
	want("background-color-missing", "background_color", "The app has a background colour", "A white flash comes between the tap on the icon and the first page.",
		"add \"background_color\" with the background of the start page", "W3C Web Application Manifest, \"background_color member\"", `{"name": "Skerry"}`, nil, func(*manifest.Processed) bool { return false }),
	want("language-missing", "lang", "The manifest says its language", "Screen readers and the system set the app's name as in the visitor's own language.",
		"add \"lang\"", "W3C Web Application Manifest, \"lang member\"", `{"name": "Skerry"}`, nil, func(*manifest.Processed) bool { return false }),
	want("shortcuts-missing", "shortcuts", "The icon offers shortcuts", "Pressing the icon long offers nothing; the pages that visitors come for are two taps away.",
		"add the two or three pages that visitors come for", "W3C Web Application Manifest, \"shortcuts member\"", `{"name": "Skerry"}`, []string{"chromium-desktop", "chromium-android", "samsung-android"}, func(*manifest.Processed) bool { return false }),
	want("screenshots-missing", "screenshots", "The dialogue to install shows the app", "Without screenshots Chromium shows a small dialogue with a name and an address.",
		"add screenshots of form_factor wide and narrow (tachyform manifest SITE --write --screenshots)", "Web App Manifest - Application Information, \"screenshots member\"", `{"name": "Skerry"}`, []string{"chromium-desktop", "chromium-android"}, func(*manifest.Processed) bool { return false }),
	{
		ID: "manifest/screenshots-one-sided", Level: Advice, Title: "There are screenshots for wide and for narrow screens",
		Why: "A desktop shows only wide screenshots, and a phone the others; one of them shows none.", Mend: "add the other form_factor", Spec: "Web App Manifest - Application Information, \"form_factor member\"",
		Example: `"screenshots": [{"src": "a.png", "sizes": "1280x800", "form_factor": "wide"}]`, Matters: []string{"chromium-desktop", "chromium-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.Screenshots) == 0 {
				return nil, false
			}
			wide, narrow := false, false
			for _, s := range f.manifest.Processed.Screenshots {
				wide, narrow = wide || s.FormFactor == "wide", narrow || s.FormFactor != "wide"
			}
			switch {
			case !wide:
				return []Finding{f.at("screenshots", "no screenshot has the form_factor wide, which a desktop shows", "")}, true
			case !narrow:
				return []Finding{f.at("screenshots", "all screenshots have the form_factor wide, and phones show none of them", "")}, true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/screenshot-unusable", Level: Warning, Title: "Screenshots are pictures of the size that is said",
		Why: "A screenshot that is missing, of another size, under 320 or over 3840 px a side, or of which one side is more than 2.3 times the other, is not shown.", Mend: "take it again, or correct the entry",
		Spec: "Web App Manifest - Application Information, \"screenshots member\"; measured in Chromium", Example: `{"src": "gone.png", "sizes": "1280x800"}`, Matters: []string{"chromium-desktop", "chromium-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.Screenshots) == 0 {
				return nil, false
			}
			var out []Finding
			for _, s := range f.manifest.Processed.Screenshots {
				add := func(m string) {
					out = append(out, Finding{File: f.file.Path, Line: s.Line, Column: s.Column, URL: strings.TrimPrefix(s.Src, f.origin()), Message: m})
				}
				u, own := strings.CutPrefix(s.Src, f.origin())
				if !own {
					continue
				}
				file := f.inv.FileOf(u)
				if file == nil {
					add(u + " is not in the site")
					continue
				}
				data, err := f.site.Read(file.Path)
				if err != nil {
					continue
				}
				w, h, kind, _ := icon.Size(data)
				real := fmt.Sprintf("%dx%d", w, h)
				switch {
				case kind == "":
					add(file.Path + " cannot be decoded as a picture")
				case kind == "image/svg+xml":
				case len(s.Sizes) > 0 && !slices.Contains(s.Sizes, real):
					add(fmt.Sprintf("%s is declared as %s and is really %s", file.Path, strings.Join(s.Sizes, " "), real))
				case min(w, h) < 320 || max(w, h) > 3840:
					add(fmt.Sprintf("%s is %s px; sides of 320 to 3840 px are shown", file.Path, real))
				case float64(max(w, h)) > 2.3*float64(min(w, h)):
					add(fmt.Sprintf("%s is %s px: one side is more than 2.3 times the other", file.Path, real))
				}
			}
			return out, true
		},
	},
	{
		ID: "manifest/screenshots-left-out", Level: Advice, Title: "All screenshots are shown",
		Why: "The dialogue to install shows those that have the ratio of the first, at most eight; the others are left out.", Mend: "take all of a form factor in the same size", Spec: "Web App Manifest - Application Information, \"screenshots member\"; Chromium's documentation",
		Example: `a wide screenshot of 1280x800 and one of 1024x768`, Matters: []string{"chromium-desktop", "chromium-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.manifest.Processed.Screenshots) < 2 {
				return nil, false
			}
			var out []Finding
			type of struct{ w, h, n int }
			seen := map[bool]*of{}
			for _, s := range f.manifest.Processed.Screenshots {
				u := strings.TrimPrefix(s.Src, f.origin())
				w, h, kind, err := icon.Size(f.bytes(u))
				if err != nil || kind == "" || w == 0 || h == 0 {
					continue // another check says it
				}
				wide := s.FormFactor == "wide"
				first := seen[wide]
				if first == nil {
					seen[wide] = &of{w, h, 1}
					continue
				}
				add := func(m string) {
					out = append(out, Finding{File: f.file.Path, Line: s.Line, Column: s.Column, URL: u, Message: m})
				}
				switch first.n++; {
				case w*first.h != h*first.w:
					add(fmt.Sprintf("%s is %dx%d px; the first that is shown beside it has another ratio, %dx%d", u, w, h, first.w, first.h))
				case first.n > maxScreenshots:
					add(fmt.Sprintf("%s is the %dth of its form factor; %d are shown", u, first.n, maxScreenshots))
				}
			}
			return out, true
		},
	},
	{
		ID: "manifest/description-long", Level: Advice, Title: "The description has room in the dialogue to install",
		Why: "The dialogue cuts off what is longer than about 300 characters.", Mend: "say it in a sentence or two", Spec: "Web App Manifest - Application Information, \"description member\"",
		Example: `"description": "Skerry Line is …" (of 500 characters)`, Matters: []string{"chromium-desktop", "chromium-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || f.manifest.Processed.Description == "" {
				return nil, false
			}
			if n := utf8.RuneCountInString(f.manifest.Processed.Description); n > maxDescription {
				return []Finding{f.at("description", fmt.Sprintf("the description has %d characters; about %d are seen", n, maxDescription), "")}, true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/theme-color-hard-to-read", Level: Advice, Title: "Clock and signs can be read on the theme colour",
		Why: "Android writes white on a colour as soon as white can be told apart from it (a contrast of 3); below 4.5 many people cannot read it, least of all outdoors.", Mend: "make the colour darker, or so light that black is written on it", Spec: "Web Content Accessibility Guidelines, \"Contrast (Minimum)\"",
		Example: `"theme_color": "#e64a19"`, Matters: []string{"chromium-android", "samsung-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || f.manifest.Processed.ThemeColor == "" {
				return nil, false
			}
			c := likeness.Colour(f.manifest.Processed.ThemeColor)
			if ink := likeness.InkOfPhones(c); likeness.Contrast(c, ink) < 4.5 {
				return []Finding{f.at("theme_color", fmt.Sprintf("%s is written on %s, with a contrast of %.1f", inkName(ink), c, likeness.Contrast(c, ink)), "")}, true
			}
			return nil, true
		},
	},
	{
		ID: "pages/theme-color-light-only", Level: Advice, Title: "The title bar turns dark with the page",
		Why: "Where the device prefers dark, the page is dark and a light bar stays above it.", Mend: "put <meta name=\"theme-color\" media=\"(prefers-color-scheme: dark)\" content=\"…\"> before the other; tachyform fit does (theme_color_dark under [pages])", Spec: "HTML Standard, \"theme-color\"",
		Example: `@media (prefers-color-scheme: dark) { body { background: #111 } } and one theme colour, #fff`,
		run: func(f *facts) ([]Finding, bool) {
			if f.start.head == nil {
				return nil, false
			}
			seen := palette.See(f.inv)
			dark, light := likeness.Colour(seen.Dark), likeness.Colour(seen.Background)
			if seen.Dark == "" || seen.Background == "" || likeness.Contrast(dark, light) < 3 {
				return nil, false // the page does not change
			}
			theme, at := "", Finding{File: f.start.file.Path, URL: f.start.file.URL}
			for _, t := range f.start.head.Tags {
				if t.Kind != "theme-color" || strings.Contains(strings.ToLower(t.Media), "light") {
					continue
				}
				theme = t.Value
				at.Line, at.Column = markup.Position(f.start.src, t.Offset)
				break
			}
			if theme == "" && f.readable() && f.manifest.Processed.ThemeColor != "" {
				theme, at = f.manifest.Processed.ThemeColor, f.at("theme_color", "", "")
			}
			c, ok := csscolor.Parse(theme)
			if !ok {
				return nil, false
			}
			if bar := likeness.Colour(c.Hex()); likeness.Contrast(bar, light) < 1.3 && likeness.Contrast(bar, dark) >= 3 {
				at.Message = fmt.Sprintf("the page is %s where dark is preferred, and the bar above it stays %s", seen.Dark, c.Hex())
				return []Finding{at}, true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/short-name-long", Level: Advice, Title: "The name has room under the icon",
		Why: "A home screen cuts off what is wider than its label: about twelve letters, or six of Chinese, Japanese or Korean.", Mend: "add a \"short_name\" that fits", Spec: "W3C Web Application Manifest, \"short_name member\"",
		Example: `"short_name": "Skerry Line ferries and tides"`, Matters: []string{"chromium-android", "safari-ios", "firefox-android", "samsung-android"},
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			m := &f.manifest.Processed
			member, name := "short_name", m.ShortName
			if name == "" {
				member, name = "name", m.Name
			}
			if seen := label.Seen(name, label.UnderIcon); seen != name {
				return []Finding{f.at(member, fmt.Sprintf("%q is %.1f em wide, and a label has room for about %.1f: %q is seen", name, label.Ems(name), label.UnderIcon, seen), fmt.Sprintf("add \"short_name\": %q, or another that fits", label.Shorten(name)))}, true
			}
			return nil, name != ""
		},
	},
	{
		ID: "manifest/name-long", Level: Advice, Title: "The name has room in the dialogue to install",
		Why: "Dialogues and title bars cut longer names off.", Mend: "put the rest into \"description\"", Spec: "W3C Web Application Manifest, \"name member\"", Example: `"name": "Skerry Line, ferries, timetables, tides and fares of all the islands"`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			if n := utf8.RuneCountInString(f.manifest.Processed.Name); n > maxName {
				return []Finding{f.at("name", fmt.Sprintf("the name has %d characters; about %d are seen", n, maxName), "")}, true
			}
			return nil, f.manifest.Processed.Name != ""
		},
	},
	{
		ID: "manifest/pages-outside-scope", Level: Advice, Title: "The scope contains the site's pages",
		Why: "A link to a page outside the scope opens it with the browser's own frame: the visitor falls out of the app.", Mend: "let the scope begin all pages, or leave it out and put the manifest above them",
		Spec: "W3C Web Application Manifest, \"scope member\"", Example: `"scope": "/app/"`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			scope, own := strings.CutPrefix(f.manifest.Processed.Scope, f.origin())
			if !own {
				return nil, false
			}
			outside, first := 0, ""
			for _, p := range f.inv.Pages {
				if !strings.HasPrefix(p.File.URL, scope) {
					if outside++; outside == 1 {
						first = p.File.URL
					}
				}
			}
			if outside == 0 {
				return nil, true
			}
			return []Finding{f.at("scope", fmt.Sprintf("%d of %d pages are outside the scope %s, the first is %s", outside, len(f.inv.Pages), scope, first), "")}, true
		},
	},
	{
		ID: "manifest/start-url-of-a-person", Level: Warning, Title: "The start URL is for everybody",
		Why: "An app that opens on an account page greets everybody else with a sign-in, and has nothing to show without a network.", Mend: "start on a page for everybody", Spec: "W3C Web Application Manifest, \"start_url member\", \"Privacy considerations\"",
		Example: `"start_url": "/account/"`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || !f.manifest.Processed.StartURLGiven {
				return nil, false
			}
			file := f.inv.FileOf(strings.TrimPrefix(f.manifest.Processed.StartURL, f.origin()))
			if file == nil {
				return nil, false
			}
			for _, p := range f.inv.Pages {
				if p.File.Path == file.Path && p.Personal != "" {
					return []Finding{f.at("start_url", p.File.URL+" looks like a page for one person: "+p.Personal, "")}, true
				}
			}
			return nil, true
		},
	},
	{
		ID: "manifest/language-differs", Level: Advice, Title: "Manifest and start page have the same language",
		Why: "The app's name is read aloud in one language and the page in another.", Mend: "let both say the same", Spec: "W3C Web Application Manifest, \"lang member\"", Example: `<html lang="de"> with "lang": "en"`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || f.manifest.Processed.Lang == "" || f.inv.Start == nil || f.inv.Start.Lang == "" {
				return nil, false
			}
			main := func(tag string) string { l, _, _ := strings.Cut(strings.ToLower(tag), "-"); return l }
			if main(f.manifest.Processed.Lang) != main(f.inv.Start.Lang) {
				return []Finding{f.at("lang", fmt.Sprintf("the manifest says %q and the start page %q", f.manifest.Processed.Lang, f.inv.Start.Lang), "")}, true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/background-flashes", Level: Advice, Title: "The background colour is that of the start page",
		Why: "The app opens in one colour and jumps to another as soon as the page is there.", Mend: "write the start page's background colour", Spec: "W3C Web Application Manifest, \"background_color member\"",
		Example: `"background_color": "#ffffff" before a dark page`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || f.manifest.Processed.BackgroundColor == "" {
				return nil, false
			}
			page := palette.See(f.inv).Background
			if page == "" {
				return nil, false
			}
			a, okA := csscolor.Parse(f.manifest.Processed.BackgroundColor)
			b, okB := csscolor.Parse(page)
			if !okA || !okB {
				return nil, false
			}
			if distance(a, b) > 60 {
				return []Finding{f.at("background_color", fmt.Sprintf("the app opens in %s, and the start page is %s", a.Hex(), page), "write \"background_color\": \""+page+"\"")}, true
			}
			return nil, true
		},
	},
}

// distance is how far apart two colours are, 0 to 765.
func distance(a, b csscolor.Color) int {
	abs := func(x, y uint8) int { return max(int(x)-int(y), int(y)-int(x)) }
	return abs(a.R, b.R) + abs(a.G, b.G) + abs(a.B, b.B)
}

// inkName names an ink.
func inkName(c likeness.Colour) string {
	if c == "#ffffff" {
		return "white"
	}
	return "black"
}
