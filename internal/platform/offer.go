package platform

import "slices"

// Silence is something for which a browser offers nothing, although the app installs there.
type Silence struct {
	What  string   `json:"what"`
	Means string   `json:"means"`
	On    []string `json:"-"` // ids of platforms; empty for all
}

var chromiums = []string{"chromium-desktop", "chromium-android", "samsung-android"}

// Silences are all of them, as the browsers' makers documented them in November 2026, the likeliest first.
var Silences = []Silence{
	{"it is installed", "Chromium offers nothing more, and shows a way into the app in the address bar. Every profile of a browser has apps of its own", chromiums},
	{"it was refused", "who closed the offer is left in peace for weeks; the menu installs all the same", chromiums},
	{"nobody has used it yet", "Chromium waits for a tap or a click on the page, and some seconds", chromiums},
	{"the browser has no offer", "Safari and Firefox have none: a menu installs, and data-app-install-hint says so", []string{"safari-ios", "safari-macos", "firefox-android"}},
	{"the window is private", "no browser installs from there", nil},
	{OtherID, "an app of the same id is taken for this one: two sites on one origin need ids of their own", chromiums},
	{OtherApp, "prefer_related_applications is true", chromiums},
	{"it is inside another app", "pages that an app for messages opens stand in a browser that cannot install; a page can only say so", []string{"chromium-android", "samsung-android", "safari-ios", "firefox-android"}},
	{"an administrator forbids it", "on a managed device", nil},
}

// What of [Silences] can be seen in a site.
const (
	OtherID  = "another app has its id"
	OtherApp = "an app of a store is preferred"
)

// Silent gives for what the platform offers nothing.
func (p Platform) Silent() []Silence {
	out := []Silence{}
	for _, s := range Silences {
		if p.Installs && (len(s.On) == 0 || slices.Contains(s.On, p.ID)) {
			out = append(out, s)
		}
	}
	return out
}
