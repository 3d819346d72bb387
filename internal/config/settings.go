package config

import "time"

// App holds web app manifest members by their standard names.
type App struct {
	Name            string `toml:"name"`
	ShortName       string `toml:"short_name"`
	Description     string `toml:"description"`
	ID              string `toml:"id"`
	StartURL        string `toml:"start_url"`
	Scope           string `toml:"scope"`
	Display         string `toml:"display"`
	Orientation     string `toml:"orientation"`
	ThemeColor      string `toml:"theme_color"`
	BackgroundColor string `toml:"background_color"`
	Lang            string `toml:"lang"`
	Dir             string `toml:"dir"`

	Members map[string]any `toml:"-"` // the other ones, as encoding/json writes them
}

// Icons says what icons are made from.
type Icons struct {
	Master     string `toml:"master"` // path below the site, or beside the configuration
	Background string `toml:"background"`
	Small      string `toml:"small"`    // master for sizes of up to 48 px
	Maskable   string `toml:"maskable"` // master for maskable icons
	Dark       string `toml:"dark"`     // master for tabs of dark windows
	Square     string `toml:"square"`   // what becomes of masters that are not square: bands, crop or fill
	Effort     string `toml:"effort"`   // time for small files: quick, usual or small
}

// IOS is what iPhones and iPads take from the pages and not from the manifest.
type IOS struct {
	Title      string `toml:"title"`       // under the icon, when it is to be another than short_name
	StatusBar  string `toml:"status_bar"`  // of [StatusBars], "" for the system's own
	Launch     string `toml:"launch"`      // launch pictures for "phones" or "all"; "" for none
	Pinned     string `toml:"pinned"`      // address in the site of an SVG whose shape stands for pinned tabs, "" for none
	LaunchDark string `toml:"launch_dark"` // their background where dark is preferred, "" for one background for both
}

// StatusBars are the looks of the status bar above an app: dark text on white, white text on black, and white text on the page itself.
var StatusBars = []string{"default", "black", "black-translucent"}

// Stow lists what the worker stores, as path globs.
type Stow struct {
	Now     []string `toml:"now"`
	Later   []string `toml:"later"`
	Never   []string `toml:"never"`
	Ceiling string   `toml:"ceiling"`
	Strict  bool     `toml:"strict"`

	Groups  []StowGroup `toml:"group"`
	Visited Visited     `toml:"visited"`
}

// Visited says what the worker keeps of pages that a server makes, as they are visited.
type Visited struct {
	Entries int    `toml:"entries"` // pages at most, 0 for [DefaultVisited]
	Age     string `toml:"age"`     // after which a kept page is not shown any more, "" for 30 days
	Renew   string `toml:"renew"`   // after which the pages of [stow] now are fetched again, "" for a day
	Private bool   `toml:"private"` // also what the server marks as private: what is kept is what everybody gets, fetched without cookies
}

// DefaultVisited is how many visited pages are kept when nothing is said.
const DefaultVisited = 50

// Times gives how long a kept page may be shown, and after how long the pages of [stow] now are fetched again.
func (v *Visited) Times() (age, renew time.Duration) {
	age, renew = 30*24*time.Hour, 24*time.Hour
	if d, err := Duration(v.Age); err == nil && v.Age != "" {
		age = d
	}
	if d, err := Duration(v.Renew); err == nil && v.Renew != "" {
		renew = d
	}
	return age, renew
}

// StowGroup is a set of files that pages can ask for as a whole.
type StowGroup struct {
	Name  string   `toml:"name"`
	Files []string `toml:"files"` // path globs
}

// Story is what one visitor does, step by step, in the language of package rehearsal.
type Story struct {
	Name  string   `toml:"name"`
	Steps []string `toml:"steps"`
}

// Offline says what is shown for navigations that cannot be answered.
type Offline struct {
	Page   string   `toml:"page"`
	Shell  string   `toml:"shell"`
	Routes []string `toml:"routes"` // paths that the shell answers at once, as globs or with segments such as ":id"; empty for all
	Except []string `toml:"except"`
	Image  string   `toml:"image"` // shown for images that cannot be had

	Patience string   `toml:"patience"` // how long a page waits for the network, "none" for as long as it takes
	Without  []string `toml:"without"`  // parts that the page fit writes leaves out, of [OfflineParts]
}

// OfflineParts are the parts of the offline page that can be left out.
var OfflineParts = []string{"pages", "outbox", "return", "colours", "icon"}

// NavigationPatience is how long a page waits for the network; 0 is for as long as it takes.
func (o *Offline) NavigationPatience() time.Duration {
	if o.Patience == "none" {
		return 0
	}
	if d, err := Duration(o.Patience); err == nil {
		return d
	}
	return DefaultNavigationPatience
}

// Offer says when an element of a page may offer to install the app.
type Offer struct {
	After int    `toml:"after"` // page views until it may, 0 for 2: not on the first
	Times int    `toml:"times"` // visits on which it is shown at most, 0 for 3
	Rest  string `toml:"rest"`  // how long it is not shown to who has put it away, "" for 30 days
}

// Resting is how long an offer is not shown to who has put it away.
func (o *Offer) Resting() time.Duration {
	if d, err := Duration(o.Rest); err == nil && o.Rest != "" {
		return d
	}
	return 30 * 24 * time.Hour
}

// Update says when a new release takes over.
type Update struct {
	Takeover string `toml:"takeover"`
	Look     string `toml:"look_every"` // how often an open page looks for a new release: a duration such as "4h" (the default), or "never"
	Age      bool   `toml:"age"`        // elements marked data-app-release say since when the visitor has the release
}

// DefaultLook is how often an open page looks for a new release when nothing is said.
const DefaultLook = 4 * time.Hour

// LookEvery is how often an open page looks for a new release; 0 is never.
func (u *Update) LookEvery() time.Duration {
	if u.Look == "never" {
		return 0
	}
	if d, err := Duration(u.Look); err == nil && u.Look != "" {
		return d
	}
	return DefaultLook
}

// Pages says which pages are edited.
type Pages struct {
	Layout string   `toml:"layout"` // the template that all pages of a server share, beside the configuration; the tags go into it
	Leave  []string `toml:"leave"`  // path globs of pages that are not edited
	// ThemeColorDark is the colour of title and status bars where the device prefers dark, as a CSS colour; "" for what the pages' styles show.
	ThemeColorDark string `toml:"theme_color_dark"`
	Conflicts      string `toml:"conflicts"` // what becomes of tags that say something else: [KeepTheirs] (the default) or [Outrank]
}

// What becomes of a page's own manifest link or theme colour that says something else than fit would.
const (
	KeepTheirs = "keep"    // it stays in force, and is reported
	Outrank    = "outrank" // ours goes before it, so that browsers take ours; it stays where it is
)

// Audit configures the gate.
type Audit struct {
	Platforms []string `toml:"platforms"`
	FailOn    string   `toml:"fail_on"`

	Skip   []AuditSkip       `toml:"skip"`
	Levels map[string]string `toml:"levels"` // by id of a check: blocker, warning or advice
}

// AuditSkip leaves a check, or an area of checks, out of the audit.
type AuditSkip struct {
	Check  string `toml:"check"`
	Reason string `toml:"reason"`
}

// ServerAll is what a plain folder cannot say about its server.
type ServerAll struct {
	Fallback string `toml:"fallback"`
	Clean    bool   `toml:"clean"` // pages are answered at their address without .html, too
	// CleanOnly says that who asks with .html is led to the address without, which includes Clean.
	CleanOnly bool             `toml:"clean_only"`
	Header    []ServerHeader   `toml:"header"`
	Redirect  []ServerRedirect `toml:"redirect"`
	Answer    []ServerAnswer   `toml:"answer"`
	Origin    []ServerOrigin   `toml:"origin"`
	Recorded  *string          `toml:"recorded"` // folder that "tachyform record" has filled, beside the configuration; nil for [RecordedDir], "" for none
}

// ServerHeader adds a response header.
type ServerHeader struct {
	Path  string `toml:"path"`
	Name  string `toml:"name"`
	Value string `toml:"value"`
}

// ServerRedirect redirects one path.
type ServerRedirect struct {
	From   string `toml:"from"`
	To     string `toml:"to"`
	Status int    `toml:"status"`
}

// ServerAnswer answers an endpoint that the folder does not have.
type ServerAnswer struct {
	Origin string  `toml:"origin,omitempty"` // such as "https://maps.example"; "" for the site's own
	Path   string  `toml:"path"`
	Query  *string `toml:"query,omitempty"` // without the question mark; nil for any. A value of * is any value
	Method string  `toml:"method,omitempty"`
	Status int     `toml:"status,omitempty"`
	File   string  `toml:"file,omitempty"`
	Body   string  `toml:"body,omitempty"`
	Type   string  `toml:"type,omitempty"`
}

// ServerOrigin stands in for another origin.
type ServerOrigin struct {
	URL string `toml:"url"`
	Dir string `toml:"dir"`
}

// Record says what "tachyform record" keeps.
type Record struct {
	Secrets []string `toml:"secrets"` // names of members and parameters whose values are taken out, beside the usual ones
	Except  []string `toml:"except"`  // path globs of the site's own addresses of which nothing is kept
}
