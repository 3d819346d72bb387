// Package glossary says what members of manifests, tags of pages and words of the configuration mean to visitors: one text for the command line
// and the documentation.
package glossary

import (
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/platform"
)

// Word is something that is written into a manifest, a page or tachyform.toml.
type Word struct {
	Name    string
	Kind    Kind
	Means   string  // what visitors see of it
	Values  []Value // the ones that it may have, when they can be listed
	With    []string
	Changed string // what happens to visitors who have the app when it changes, "" for nothing
	Spec    string
}

// Kind is where a word stands.
type Kind string

// The kinds, in the order they are shown.
const (
	Member   Kind = "member of the manifest"
	Tag      Kind = "tag of pages"
	Answer   Kind = "answer of a rule"
	Question Kind = "question"
)

// Value is one that a word may have.
type Value struct{ Name, Means string }

// Find gives the word of a name, as it is written or with a hyphen for an underscore.
func Find(name string) (Word, bool) {
	name = strings.ToLower(strings.TrimSpace(name))
	for _, as := range []string{name, strings.ReplaceAll(name, "-", "_")} {
		if i := slices.IndexFunc(Words, func(w Word) bool { return w.Name == as }); i >= 0 {
			return Words[i], true
		}
	}
	return Word{}, false
}

// Names are the names of all words, sorted.
func Names() []string {
	var out []string
	for _, w := range Words {
		out = append(out, w.Name)
	}
	slices.Sort(out)
	return out
}

const appManifest = "W3C Web Application Manifest, "

// Words are all of them, by kind.
var Words = []Word{
	{"name", Member, "The app's name, where there is room: in the dialogue to install, on the picture while it begins, in lists of apps and in the window's title, before the page's own.", nil,
		[]string{"Without short_name it is cut off below the icon, after about twelve letters.", "A title of a page that begins with the name says it twice in a window."},
		"Chromium asks people who have the app before it shows them another name.", appManifest + "\"name member\""},
	{"short_name", Member, "The name below the icon. About twelve letters have room; the rest is cut off.", nil, []string{"When it is all there is, it stands for the name everywhere."}, "As with name, people are asked first.", appManifest + "\"short_name member\""},
	{"description", Member, "A sentence about the app, in the large dialogue to install and in app stores.", nil, []string{"Chromium shows it only together with screenshots."}, "", "Web App Manifest - Application Information, \"description member\""},
	{"id", Member, "What makes the app the same one when everything else of it changes: browsers know it by this address and nothing else.", nil,
		[]string{"Without it, start_url is the id: an app whose start URL changes is another app then.", "It is resolved against the origin of start_url, so \"/\" and \"app\" are addresses, and never asked for."},
		"Browsers take it for another app: whoever has the old one keeps it, with its icon and name as they were, and is offered the new one beside it.", appManifest + "\"id member\""},
	{"start_url", Member, "The page that opens when somebody taps the icon.", nil, []string{"It has to lie within scope, and should be there without a network.", "A query such as ?from=icon tells such visits apart; the worker must know the page with it."},
		"Who has the app follows with the next look at the manifest, as long as id stays.", appManifest + "\"start_url member\""},
	{"scope", Member, "The addresses that belong to the app. A link out of it opens with the browser's bar above the page, or in the browser.", nil, []string{"Without it, the folder of start_url is taken.", "It is compared letter by letter: \"/app\" has \"/apple\" within it, \"/app/\" has not.", "The worker's scope is another one: an app's pages should lie in both."},
		"Pages that fall out of it open with a bar from then on.", appManifest + "\"scope member\""},
	{"display", Member, "How much of the browser stands around the app.", []Value{
		{"fullscreen", "nothing but the page; on phones the status bar is gone, too. Windows on desktops look as with standalone"},
		{"standalone", "a window of its own, with a title bar, and no address"},
		{"minimal-ui", "the same, with a way back and to load again; Android shows the address, too"},
		{"browser", "a tab of the browser: no browser offers to install it; who does it by the menu, as a window, gets minimal-ui in Chromium"}},
		[]string{"display_override comes first, where a browser knows one of its values.", "With fullscreen the theme colour is not seen.", "Without the browser's way back, pages need links of their own; iPhones have none at all."},
		"Windows that are open stay as they are; the next one is new.", appManifest + "\"display member\""},
	{"display_override", Member, "A list that is gone through before display: the first that the browser knows counts.", []Value{
		{"window-controls-overlay", "on desktops the page begins at the top of the window, beside the buttons that close it; env(titlebar-area-…) says where there is room"},
		{"tabbed", "a window with tabs, on ChromeOS"},
		{"borderless", "no title bar at all, for apps that an administrator installs"}},
		[]string{"End the list with what is to come instead; display is last.", "With window-controls-overlay the theme colour lies under the buttons only: the page draws the rest."}, "As with display.", "Web App Manifest - Incubations, \"display_override member\""},
	{"orientation", Member, "How the app is turned: upright, lying, or as the device is held.", []Value{
		{"any", "as the device is held"}, {"natural", "as the device is made to be held"}, {"portrait", "upright"}, {"landscape", "lying"},
		{"portrait-primary", "upright, and not on its head"}, {"portrait-secondary", "on its head"}, {"landscape-primary", "lying, one way"}, {"landscape-secondary", "lying, the other way"}},
		[]string{"Only with standalone and fullscreen.", "Tablets and people who have their device mounted are locked in, too: leave it out unless the page works in one only (WCAG 2.2, 1.3.4)."}, "At the next start.", appManifest + "\"orientation member\""},
	{"theme_color", Member, "The colour of the title bar on desktops, and of the status bar and the list of recent apps on Android.", nil,
		[]string{"A page's <meta name=\"theme-color\"> counts while the page is open, and may differ for light and dark by its media.", "With fullscreen nothing of it is seen; with window-controls-overlay only the part under the buttons.", "Systems choose white or black text by it: a colour in the middle is hard to read with either."},
		"At the next look at the manifest.", appManifest + "\"theme_color member\""},
	{"background_color", Member, "The colour of the picture while the app begins, until the first page is drawn.", nil, []string{"The page's own background should be the same, or a flash comes between.", "One colour for light and dark: a page that is dark begins with a flash of white when this is white."}, "At the next look at the manifest.", appManifest + "\"background_color member\""},
	{"icons", Member, "The pictures of the app: on the home screen, in lists, in the window.", []Value{
		{"any", "(purpose) shown as it is; it may be transparent"},
		{"maskable", "(purpose) cut into the device's shape: everything that matters within a circle of 80% of the side, opaque up to the edges"},
		{"monochrome", "(purpose) only its shape is looked at, and drawn in a colour of the device's"}},
		[]string{"Chromium wants a PNG, SVG or WebP of 144 px or more of purpose any before it offers to install; 192 and 512 px are what devices ask for.", "\"any maskable\" for one file is right for neither: it is small in one place or cut off in the other.", "iPhones take the touch icon of the page first."},
		"Chromium asks people who have the app before it shows them another icon; Android takes days.", appManifest + "\"icons member\""},
	{"lang", Member, "The language of name, short_name, description and shortcuts, for screen readers and stores.", nil, nil, "", appManifest + "\"lang member\""},
	{"dir", Member, "The direction in which they are written.", []Value{{"ltr", "left to right"}, {"rtl", "right to left"}, {"auto", "by their letters"}}, nil, "", appManifest + "\"dir member\""},
	{"screenshots", Member, "Pictures of the app in the large dialogue to install.", []Value{{"wide", "(form_factor) shown on desktops"}, {"narrow", "(form_factor) shown on phones"}}, []string{"320 to 3840 px, the longer side at most 2.3 times the shorter, all of one form factor with the same ratio."}, "", "Web App Manifest - Application Information, \"screenshots member\""},
	{"shortcuts", Member, "Pages that a long press on the icon offers, or a click with the other button.", nil, []string{"Android shows three or four, desktops up to ten.", "Their addresses have to lie within scope, and should be there without a network."}, "At the next look at the manifest.", appManifest + "\"shortcuts member\""},
	{"share_target", Member, "The app stands in the list that other apps share to; what is shared comes to the address as a query, or is posted.", []Value{{"GET", "(method) texts and addresses come as a query"}, {"POST", "(method) files come, too: the worker or the server has to take the post"}}, []string{"Without a network only the worker can take it: a rule with answer = \"outbox\" keeps a post."}, "People find it in the list once their browser has looked at the manifest.", "Web Share Target API"},
	{"file_handlers", Member, "The app opens files: it stands among the programs for their types, and gets them by launchQueue.", nil, []string{"People are asked once before it is done."}, "Types that are new are asked for.", "Web App Manifest - Incubations, \"file_handlers member\""},
	{"protocol_handlers", Member, "Links of a scheme, such as web+ferry:, open the app.", nil, []string{"%s in the address becomes the link; people are asked first."}, "", "Web App Manifest - Incubations, \"protocol_handlers member\""},
	{"launch_handler", Member, "What happens when the app is opened while it is open.", []Value{
		{"auto", "(client_mode) the browser decides"}, {"navigate-new", "a new window"}, {"navigate-existing", "the window that is there goes to the page, and loses what was typed into it"}, {"focus-existing", "the window that is there comes to the front; its launchQueue is told"}},
		[]string{"With focus-existing nothing happens unless the page hears launchQueue."}, "", "Web App Manifest - Incubations, \"launch_handler member\""},
	{"scope_extensions", Member, "Other origins whose pages belong to the app.", nil, []string{"Each has to agree, in a file of its own below /.well-known/."}, "", "Web App Manifest - Incubations, \"scope_extensions member\""},
	{"note_taking", Member, "The page for a new note, which some devices offer from everywhere.", nil, nil, "", "Web App Manifest - Incubations, \"note_taking member\""},
	{"prefer_related_applications", Member, "With true, the browser offers the app of a store in the place of this one: nobody is offered to install the site.", nil, []string{"Only with related_applications."}, "", appManifest + "\"prefer_related_applications member\""},
	{"related_applications", Member, "Apps of stores that are the same; pages can ask whether one of them is installed.", nil, nil, "", appManifest + "\"related_applications member\""},
	{"permissions_policy", Member, "What an isolated app may use; for others it has no effect.", nil, nil, "", "Isolated Web Apps"},
	{"categories", Member, "What app stores file it under.", nil, nil, "", "Web App Manifest - Application Information, \"categories member\""},
	{"iarc_rating_id", Member, "The age rating that app stores show.", nil, nil, "", "Web App Manifest - Application Information, \"iarc_rating_id member\""},
	{"tab_strip", Member, "With display_override tabbed: the tab that is always there, and where a new one begins.", nil, nil, "", "Web App Manifest - Incubations, \"tab_strip member\""},
	{"widgets", Member, "Cards for the board of widgets of Windows, which the worker fills.", nil, nil, "", "a proposal of Edge's"},
	{"edge_side_panel", Member, "How wide the app is in Edge's side bar.", nil, nil, "", "Edge's documentation"},
	{"handle_links", Member, "Whether links to its pages, in other places, open the app.", nil, nil, "", "a proposal"},
	{"version", Member, "The version of an isolated app; for others it has no effect.", nil, nil, "", "Isolated Web Apps"},

	{"theme-color", Tag, "The colour of the title or status bar while this page is open, in an installed app and in some browsers' own windows.", nil, []string{"Two of them, with media=\"(prefers-color-scheme: light)\" and dark, follow the device.", "It wins over theme_color of the manifest."}, "", "HTML Standard, section 4.2.5.1"},
	{"apple-touch-icon", Tag, "The icon on iPhones and iPads, where it wins over the icons of the manifest. 180 px, opaque: what is transparent becomes black.", nil, nil, "Who has the app keeps the icon that it had.", "Safari's documentation of web apps on the home screen"},
	{"apple-mobile-web-app-title", Tag, "The name below the icon on iPhones, when it is to be another than short_name.", nil, nil, "Who has the app keeps the name.", "Safari's documentation of web apps on the home screen"},
	{"apple-mobile-web-app-status-bar-style", Tag, "The status bar of an iPhone above the app.", []Value{{"default", "dark text on white, or as the device is set"}, {"black", "white text on black"}, {"black-translucent", "white text on the page itself, which begins at the very top"}}, []string{"With black-translucent: padding-top: env(safe-area-inset-top).", "It takes no colour."}, "At the next start.", "Safari's documentation of web apps on the home screen"},
	{"apple-touch-startup-image", Tag, "The picture while an app begins on an iPhone or iPad. Only one of exactly the screen's size is shown.", nil, []string{"[ios] launch makes them."}, "Who has the app keeps those that it had.", "Safari's documentation of web apps on the home screen"},
	{"mobile-web-app-capable", Tag, "Says, with yes, that the page is an app; what display of the manifest says more exactly. Launch pictures and the status bar's style want it on some systems.", []Value{{"yes", "the only one that does something"}}, nil, "", "Safari's documentation of web apps on the home screen"},

	{"cache-first", Answer, "What is stored is given at once, however old; the network is asked only for what is not there.", nil, []string{"For what never changes under its name."}, "", "docs/caching.md"},
	{"network-first", Answer, "The network is asked first, as long as patience says; then the last answer is given.", nil, []string{"For data that has to be fresh, and is better old than not at all."}, "", "docs/caching.md"},
	{"stale-while-revalidate", Answer, "What is stored is given at once, and asked for anew for the next time.", nil, []string{"For data where yesterday's will do: the visitor sees it one visit late."}, "", "docs/caching.md"},
	{"cache-only", Answer, "What is stored, and never the network.", nil, nil, "", "docs/caching.md"},
	{"network-only", Answer, "The network, and nothing is stored.", nil, []string{"For what belongs to one person."}, "", "docs/caching.md"},
	{"outbox", Answer, "A post that cannot be sent is kept, and sent when there is a network, once and in order.", nil, []string{"The server should heed the header Idempotency-Key."}, "", "docs/caching.md"},

	{"install", Question, "Why does a browser offer nothing, although the audit says that the site installs?", silences(),
		[]string{"The event app-offer tells a page what can be known of it (docs/caching.md)."}, "", "tachyform audit says what hinders an installation"},
}

// silences says for what browsers offer nothing, and which.
func silences() []Value {
	var out []Value
	for _, s := range platform.Silences {
		means := s.Means
		var on []string
		for _, p := range platform.All {
			if slices.Contains(s.On, p.ID) {
				on = append(on, p.Name)
			}
		}
		if len(on) > 0 {
			means += " (" + strings.Join(on, "; ") + ")"
		}
		out = append(out, Value{s.What, means})
	}
	return out
}
