package audit

import (
	"regexp"
	"strings"

	"tachyform.dev/tachyform/internal/manifest"
)

// member is a member of the manifest, or several that belong together, whose values browsers drop or change.
type member struct {
	id      string // of the check, below manifest/
	members string // regular expression for the members of the problems
	level   Level
	title   string
	why     string
	mend    string
	spec    string
	example string
	matters []string
}

var desktop = []string{"chromium-desktop"}

var members = []member{
	{"id-ignored", `id`, Warning, "The id is used as it is written", "The id decides whether an update is the same app. One that is dropped lets the app become a second one when its start URL changes.",
		"write a path of the start URL's origin, such as \"/\"", "W3C Web Application Manifest, \"id member\"", `"id": 7`, nil},
	{"scope-ignored", `scope`, Warning, "The scope is used as it is written", "Browsers drop a scope they cannot use and take the start URL's folder: pages outside it open with the browser's own frame.",
		"write a path that the start URL begins with", "W3C Web Application Manifest, \"scope member\"", `"scope": "https://other.example/"`, nil},
	{"text-ignored", `name|short_name|description`, Warning, "Names and description are texts", "A name that is no text is dropped, and the visitor sees another one, or none, under the icon.",
		"write it in double quotes", "W3C Web Application Manifest, \"name member\"", `"short_name": 365`, nil},
	{"display-ignored", `display`, Warning, "The display mode is one that browsers know", "An unknown display mode means \"browser\": the app opens as a tab, and is mostly not offered for installation.",
		"write \"standalone\"", "W3C Web Application Manifest, \"display member\"", `"display": "standalon"`, nil},
	{"display-override-ignored", `display_override`, Warning, "Every entry of display_override is used", "Browsers go through the list until they know an entry; what is misspelt is passed over in silence.",
		"use modes of the specification", "Manifest Incubations, \"display_override member\"", `"display_override": "tabbed"`, desktop},
	{"orientation-ignored", `orientation`, Warning, "The orientation is one that browsers know", "The app turns with the phone although it was meant not to.",
		"use \"portrait\", \"landscape\" or \"any\"", "W3C Web Application Manifest, \"orientation member\"", `"orientation": "up"`, []string{"chromium-android", "samsung-android", "firefox-android"}},
	{"theme-color-ignored", `theme_color`, Warning, "The theme colour is a colour", "The title bar and the phone's status bar have the browser's own colour.",
		"write it like \"#0b4f6c\"", "W3C Web Application Manifest, \"theme_color member\"; CSS Color", `"theme_color": "blau"`, nil},
	{"background-color-ignored", `background_color`, Warning, "The background colour is a colour", "A white flash comes before the first page.",
		"write it like \"#0b4f6c\"", "W3C Web Application Manifest, \"background_color member\"; CSS Color", `"background_color": "#12"`, nil},
	{"language-ignored", `lang|dir`, Warning, "Language and direction are used as they are written", "Names are read aloud, and set, as in another language.",
		"write a language tag such as \"en\", and \"ltr\", \"rtl\" or \"auto\"", "W3C Web Application Manifest, \"lang member\"", `"dir": "left"`, nil},
	{"shortcut-ignored", `shortcuts.*`, Warning, "Every shortcut is used", "Pressing the icon long does not offer what was meant.",
		"give every shortcut a name and a URL inside the scope", "W3C Web Application Manifest, \"shortcuts member\"", `"shortcuts": [{"url": "/fares/"}]`, []string{"chromium-desktop", "chromium-android", "samsung-android"}},
	{"screenshot-ignored", `screenshots.*`, Warning, "Every screenshot is used", "The dialogue to install stays the small one, without pictures.",
		"give every screenshot src, sizes and form_factor", "Web App Manifest - Application Information, \"screenshots member\"", `"screenshots": ["a.png"]`, []string{"chromium-desktop", "chromium-android"}},
	{"share-target-ignored", `share_target.*`, Warning, "The share target is used", "The app does not show where visitors share something.",
		"give it an action inside the scope and params", "Web Share Target", `"share_target": {"action": "/share"}`, []string{"chromium-android", "chromium-desktop", "samsung-android"}},
	{"file-handler-ignored", `file_handlers.*`, Warning, "Every file handler is used", "Files of that kind do not open with the app.",
		"give every entry an action inside the scope and accept", "Manifest Incubations, \"file_handlers member\"", `"file_handlers": [{"action": "/open"}]`, desktop},
	{"protocol-handler-ignored", `protocol_handlers.*`, Warning, "Every protocol handler is used", "Links of that scheme do not open with the app.",
		"give every entry a protocol and a URL with %s", "Manifest Incubations, \"protocol_handlers member\"; HTML Standard, \"Custom scheme handlers\"", `"protocol_handlers": [{"protocol": "ferry", "url": "/?q=%s"}]`, desktop},
	{"launch-handler-ignored", `launch_handler.*`, Warning, "The launch handler is used", "A second click on the icon opens another window where the open one was meant, or the other way round.",
		"use a client mode of the specification", "Web App Launch Handler", `"launch_handler": {"client_mode": "new"}`, desktop},
	{"scope-extension-ignored", `scope_extensions.*`, Warning, "Every extension of the scope is used", "Pages of that origin open with the browser's own frame.",
		"write {\"type\": \"origin\", \"origin\": \"https://…\"}", "Manifest Incubations, \"scope_extensions member\"", `"scope_extensions": ["https://*"]`, desktop},
	{"related-app-ignored", `related_applications.*|prefer_related_applications`, Warning, "Every related application is used", "A browser does not recognise the app that is installed already.",
		"give every entry platform, and url or id", "W3C Web Application Manifest, \"related_applications member\"", `"related_applications": [{"id": "x"}]`, nil},
	{"note-url-ignored", `note_taking.*`, Warning, "The address for new notes is used", "A system's button for notes does not open the app.",
		"name a page inside the scope", "Manifest Incubations, \"note_taking member\"", `"note_taking": {"new_note_url": "https://other.example/"}`, desktop},
}

// other finds what no entry of members speaks of.
var (
	unknownMember = regexp.MustCompile(`no member is called|no browser knows a member`)
	writtenTwice  = regexp.MustCompile(`written more than once`)
	iconMember    = regexp.MustCompile(`^icons`)
)

// memberChecks makes a check of every member.
func memberChecks() []Check {
	var out []Check
	for _, m := range members {
		of := regexp.MustCompile(`^(?:` + m.members + `)$`)
		out = append(out, Check{
			ID: "manifest/" + m.id, Level: m.level, Title: m.title,
			Why:  m.why,
			Mend: m.mend,
			Spec: m.spec, Example: m.example, Matters: m.matters,
			run: func(f *facts) ([]Finding, bool) {
				if !f.readable() {
					return nil, false
				}
				found := f.told(func(p manifest.Problem) bool {
					return p.Level == manifest.Warning && of.MatchString(p.Member) && !writtenTwice.MatchString(p.Message) && !unknownMember.MatchString(p.Message) && !outsideScope(p)
				})
				return found, len(found) > 0 || f.has(of)
			},
		})
	}
	return append(out,
		Check{
			ID: "manifest/member-unknown", Level: Warning, Title: "Every member has a name that browsers know",
			Why: "A misspelt member does nothing, and no browser says so.", Mend: "correct the name", Spec: "W3C Web Application Manifest, \"Processing the manifest\"", Example: `"themecolor": "#0b4f6c"`,
			run: func(f *facts) ([]Finding, bool) {
				if !f.readable() {
					return nil, false
				}
				return f.told(func(p manifest.Problem) bool {
					return p.Level == manifest.Warning && unknownMember.MatchString(p.Message)
				}), true
			},
		},
		Check{
			ID: "manifest/written-twice", Level: Warning, Title: "No member is written twice",
			Why: "Browsers take the last one, whatever the first says; the next editor changes the wrong one.", Mend: "keep one", Spec: "ECMAScript, \"JSON.parse\"", Example: `"name": "Skerry", "name": "Line"`,
			run: func(f *facts) ([]Finding, bool) {
				if !f.readable() {
					return nil, false
				}
				return f.told(func(p manifest.Problem) bool { return writtenTwice.MatchString(p.Message) }), true
			},
		},
		Check{
			ID: "manifest/questionable", Level: Advice, Title: "Nothing in the manifest is doubtful",
			Why: "It is not wrong, and it is probably not what was meant, or no browser looks at it.", Mend: "look at it again", Spec: "W3C Web Application Manifest", Example: `"gcm_sender_id": "1"`,
			run: func(f *facts) ([]Finding, bool) {
				if !f.readable() {
					return nil, false
				}
				return f.told(func(p manifest.Problem) bool { return p.Level == manifest.Advice }), true
			},
		},
		Check{
			ID: "icons/entry-ignored", Level: Warning, Title: "Every icon entry is used as it is written",
			Why: "Browsers drop an entry, or a part of it, that they cannot use, and take another icon, or a letter.", Mend: "correct the entry", Spec: "W3C Image Resource", Example: `"icons": [{"src": "icon.png", "sizes": "192"}]`,
			run: func(f *facts) ([]Finding, bool) {
				if !f.readable() || !f.manifest.Has("icons") {
					return nil, false
				}
				return f.told(func(p manifest.Problem) bool {
					return p.Level == manifest.Warning && iconMember.MatchString(p.Member) && !writtenTwice.MatchString(p.Message)
				}), true
			},
		},
	)
}

// outsideScope says whether a problem is that of a check of its own.
func outsideScope(p manifest.Problem) bool {
	return p.Member == "scope" && strings.Contains(p.Message, "is outside the scope")
}

// told gives findings for the processing problems that a test picks.
func (f *facts) told(which func(manifest.Problem) bool) []Finding {
	var out []Finding
	for _, p := range f.manifest.Problems {
		if which(p) {
			out = append(out, Finding{File: p.File, Line: p.Line, Column: p.Column, Message: p.Message, Mend: p.Mend})
		}
	}
	return out
}

// has says whether the manifest has one of the members.
func (f *facts) has(of *regexp.Regexp) bool {
	for _, m := range strings.Fields(`id scope name short_name description display display_override orientation theme_color background_color lang dir shortcuts screenshots
		share_target file_handlers protocol_handlers launch_handler scope_extensions related_applications prefer_related_applications note_taking permissions_policy`) {
		if of.MatchString(m) && f.manifest.Has(m) {
			return true
		}
	}
	return false
}
