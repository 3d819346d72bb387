package survey

import (
	"regexp"
	"slices"
	"strings"
)

// Application is a page whose scripts answer addresses of their own.
type Application struct {
	Shell   string   `json:"shell"`            // URL of its document, root-relative
	Known   string   `json:"known"`            // by what it is known to be one
	Below   string   `json:"below,omitempty"`  // the folder for which the host answers with it, when that is not everything
	Main    bool     `json:"-"`                // it is the start page, or the host or the configuration answers everything else with it
	Hash    bool     `json:"hash"`             // its routes stand behind the # of one address
	Data    []Data   `json:"data"`             // what it asked for at its own address, sorted
	Images  []string `json:"images,omitempty"` // pictures that it asked for there and no file of the site is, sorted
	Routes  []Route  `json:"routes"`           // sorted by their patterns
	Dead    []string `json:"dead"`             // links that it draws, and neither a file nor the application answers; sorted
	Bounded bool     `json:"bounded"`          // there may be more routes: not every link was followed
}

// Route is an address, or several of one form, that an application answers.
type Route struct {
	Pattern string   `json:"pattern"` // as the addresses are written, with :id where they differ
	Address string   `json:"address"` // the first that was seen, root-relative
	Seen    int      `json:"seen"`    // how many addresses of this form were linked
	Title   string   `json:"title"`
	Data    []Data   `json:"data"`             // what it asked for, sorted
	Images  []string `json:"images,omitempty"` // pictures that it asked for and no file of the site is, such as those that the data names; sorted
}

// Data is a request of a page for data, which no file of the site answers.
type Data struct {
	Method string `json:"method"`
	URL    string `json:"url"` // root-relative for the site's own
}

// Folder gives the URL of the folder that the application's document stands in.
func (a *Application) Folder() string { return folderOf(a.Shell) }

// Asking gives the addresses that ask for data: the document's own, and the routes.
func (a *Application) Asking() []Route {
	return append([]Route{{Pattern: a.Shell, Address: a.Shell, Seen: 1, Data: a.Data, Images: a.Images}}, a.Routes...)
}

// ServerPaths gives globs for what the application asks the server for, and for what it links and does not answer.
func (a *Application) ServerPaths() []string {
	var out []string
	add := func(u string) {
		u, _, _ = strings.Cut(u, "?")
		if g := Starred(Pattern(strings.NewReplacer("*", `\*`, "[", `\[`, "{", `\{`).Replace(u))); strings.HasPrefix(u, "/") && !slices.Contains(out, g) {
			out = append(out, g)
		}
	}
	for _, r := range a.Asking() {
		for _, d := range r.Data {
			add(d.URL)
		}
	}
	for _, u := range a.Dead {
		add(u)
	}
	slices.Sort(out)
	return out
}

// Within says whether the application answers for the whole site: its document stands in the site's own folder.
func (a *Application) Within(base string) bool {
	return folderOf(a.Shell) == base
}

// folderOf gives a URL path up to its last slash.
func folderOf(u string) string {
	for i := len(u) - 1; i >= 0; i-- {
		if u[i] == '/' {
			return u[:i+1]
		}
	}
	return ""
}

// variable matches a segment of an address that names one of many: a number, a UUID, or a digest.
var variable = regexp.MustCompile(`^(\d+|[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}|[0-9a-f]{16,})$`)

// Pattern gives the form of an address: segments that name one of many are written :id.
func Pattern(u string) string {
	segments := strings.Split(u, "/")
	for i, s := range segments {
		if variable.MatchString(s) {
			segments[i] = ":id"
		}
	}
	return strings.Join(segments, "/")
}

// ImageForms gives the folders of pictures, with :id where they differ and * for the names, sorted.
func (r *Route) ImageForms() []string {
	var out []string
	for _, u := range r.Images {
		u, _, _ := strings.Cut(u, "?")
		if form := folderOf(Pattern(u)) + "*"; !slices.Contains(out, form) {
			out = append(out, form)
		}
	}
	slices.Sort(out)
	return out
}

// Starred writes a pattern as a glob.
func Starred(pattern string) string {
	segments := strings.Split(pattern, "/")
	for i, s := range segments {
		if s == ":id" || s == ":name" {
			segments[i] = "*"
		}
	}
	return strings.Join(segments, "/")
}
