// Package platform knows, as data with its sources, on what visitors install web apps, how, and what of a manifest each
// looks at.
package platform

import (
	_ "embed"
	"encoding/json"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/label"
	"tachyform.dev/tachyform/internal/manifest"
)

// Platform is something that visitors install on.
type Platform struct {
	ID, Name string
	How      string // how visitors come to install, as the browser's maker documents it
	Installs bool   // false where web apps cannot be installed
	Icon     string // where the icon comes from: "manifest", or "touch-icon" for a link in the page that wins over it

	browser string // in the compatibility data
}

// All are the platforms in the order they are shown. How visitors install was read in the documentation of the
// browsers' makers in November 2026.
var All = []Platform{
	{"chromium-desktop", "Chromium, desktop", "offered by the browser", true, "manifest", "chrome"},
	{"chromium-android", "Chromium, Android", "offered by the browser", true, "manifest", "chrome_android"},
	{"safari-ios", "Safari, iPhone and iPad", "by the share menu, \"Add to Home Screen\"", true, "touch-icon", "safari_ios"},
	{"safari-macos", "Safari, Mac", "by the file menu, \"Add to Dock\"", true, "manifest", "safari"},
	{"firefox-android", "Firefox, Android", "by the menu", true, "manifest", "firefox_android"},
	{"samsung-android", "Samsung Internet, Android", "offered in the address bar", true, "manifest", "samsunginternet_android"},
	{"firefox-desktop", "Firefox, desktop", "not at all", false, "", "firefox"},
}

//go:embed compat.json
var compatJSON []byte

var compat = func() (c struct {
	Source   string                       `json:"source"`
	Date     string                       `json:"date"`
	Members  map[string]map[string]string `json:"members"`
	Features map[string]map[string]string `json:"features"`
}) {
	if err := json.Unmarshal(compatJSON, &c); err != nil {
		panic("compat.json: " + err.Error()) // embedded, and read by a test
	}
	return c
}()

// Source names where [Platform.Since] comes from, with its date.
func Source() string { return compat.Source + ", " + compat.Date }

// Members are those that the compatibility data speaks of, sorted.
func Members() []string {
	out := make([]string, 0, len(compat.Members))
	for m := range compat.Members {
		out = append(out, m)
	}
	slices.Sort(out)
	return out
}

// Since gives the version of the platform's browser that looks at a member first, "" when none does. known is false for
// members that the data does not speak of.
func (p Platform) Since(member string) (version string, known bool) {
	m, known := compat.Members[member]
	return m[p.browser], known
}

// Gap is something that an app lacks on a platform.
type Gap struct {
	What   string `json:"what"`
	Why    string `json:"why"`
	Blocks bool   `json:"blocks"` // without it there is no installation as an app
}

// Page is what a page's head has that platforms look at.
type Page struct {
	TouchIcon, ThemeColor bool
}

// Gaps says what an app lacks on the platform: first what hinders its installation, then what would make it better.
func (p Platform) Gaps(whole *manifest.Manifest, page Page) []Gap {
	out, m := []Gap{}, &whole.Processed
	if !p.Installs {
		return out
	}
	need := func(ok bool, what, why string, blocks bool) {
		if !ok {
			out = append(out, Gap{what, why, blocks})
		}
	}
	honours := func(member string) bool { v, _ := p.Since(member); return v != "" }
	has := func(purpose string) bool {
		return slices.ContainsFunc(m.Icons, func(i manifest.Image) bool { return slices.Contains(i.Purpose, purpose) })
	}
	named := m.Name != "" || m.ShortName != ""
	chromium := strings.HasPrefix(p.ID, "chromium-") || p.ID == "samsung-android"
	switch {
	case chromium:
		need(named, "name", "there is no offer to install without a name", true)
		need(m.StartURLGiven, "start_url", "there is no offer to install without one that is valid", true)
		need(m.Installable(), "display", "fullscreen, standalone or minimal-ui is needed", true)
		need(len(m.SuitableIcons()) > 0, "icons", "a PNG, SVG or WebP of purpose any is needed, with 144 to 1024 px", true)
	case p.ID == "firefox-android":
		need(named, "name", "a manifest without a name is none there: the menu makes a bookmark", true)
		need(m.Display != "browser", "display", "it opens as a page of the browser", true)
	default: // Safari installs every page
		need(named, "name", "the page's title is taken, and visitors have to shorten it", false)
		need(m.Display == "standalone" || m.Display == "fullscreen" || m.Display == "minimal-ui", "display", "it opens as a page of the browser", p.ID == "safari-ios")
	}
	if p.Icon == "touch-icon" {
		need(page.TouchIcon, "apple-touch-icon link", "without it the icons of the manifest are taken, which may be transparent: they get a background that nobody chose", false)
	} else {
		need(len(m.Icons) > 0 || chromium, "icons", "a picture of the page or a letter stands in for the icon", false)
	}
	need(p.ID != "chromium-android" && p.ID != "samsung-android" && p.ID != "firefox-android" || has("maskable"), "a maskable icon", "the icon is shown small on a white plate", false)
	need(m.ShortName != "" || !honours("short_name") || label.Ems(m.Name) <= label.UnderIcon, "short_name", "the name is cut off under the icon", false)
	need(whole.Has("id") || !honours("id"), "id", "the app becomes another one when its start URL changes", false)
	need(m.ThemeColor != "" || page.ThemeColor || !honours("theme_color"), "theme_color", "the window's title bar has the browser's own colour", false)
	need(m.BackgroundColor != "" || !honours("background_color"), "background_color", "a white flash comes before the first page", false)
	if chromium {
		need(m.Description != "", "description", "the dialogue to install says nothing of the app", false)
		need(len(m.Screenshots) > 0, "screenshots", "the dialogue to install stays a small one", false)
		need(len(m.Shortcuts) > 0, "shortcuts", "pressing the icon long offers nothing", false)
	}
	return out
}

// Needing gives the ids of the platforms that do not install an app without something, in the words of [Gap].
func Needing(what string) []string {
	var out []string
	empty := &manifest.Manifest{Processed: manifest.Processed{Display: "browser"}}
	for _, p := range All {
		for _, g := range p.Gaps(empty, Page{}) {
			if g.Blocks && g.What == what {
				out = append(out, p.ID)
			}
		}
	}
	return out
}
