package audit

import (
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/platform"
)

var everyApp = []string{"chromium-desktop", "chromium-android", "samsung-android", "safari-ios", "firefox-android"}

// readable says whether there is a manifest to look into.
func (f *facts) readable() bool { return f.manifest != nil && !f.manifest.Lost }

// problems gives the findings for the processing problems of some members.
func (f *facts) problems(level manifest.Level, members ...string) []Finding {
	var out []Finding
	for _, p := range f.manifest.Problems {
		if p.Level == level && (len(members) == 0 || slices.Contains(members, p.Member)) {
			out = append(out, Finding{File: p.File, Line: p.Line, Column: p.Column, Message: p.Message, Mend: p.Mend})
		}
	}
	return out
}

var manifestChecks = []Check{
	{
		ID: "manifest/not-linked", Level: Blocker, Title: "The start page links a manifest",
		Example: `<head><title>Skerry Line</title></head>`, Safe: true,
		Why:  "Without the link a browser does not know that the site is an app, and offers no installation.",
		Mend: "run tachyform fit, or put <link rel=\"manifest\" href=\"…\"> into the head",
		Spec: "W3C Web Application Manifest, \"Linking to a manifest\"", Blocks: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if f.link != nil && f.link.Value != "" {
				return nil, true
			}
			finding := Finding{File: f.inv.StartFile.Path, Line: 1, Column: 1, URL: f.inv.StartFile.URL, Message: "there is no link to a manifest in the head"}
			if f.link != nil {
				finding.Line, finding.Column = f.linkPlace[0], f.linkPlace[1]
				finding.Message = "the first manifest link has no address, and browsers look at no other"
			}
			return []Finding{finding}, true
		},
	},
	{
		ID: "manifest/not-found", Level: Blocker, Title: "The linked manifest is there",
		Example: `<link rel="manifest" href="/manifst.json">`,
		Why:     "A manifest that cannot be fetched is no manifest: nothing can be installed.",
		Mend:    "correct the link, or put the file there",
		Spec:    "W3C Web Application Manifest, \"Obtaining the manifest\"", Blocks: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if f.link == nil || f.link.Value == "" || f.elsewhere {
				return nil, false
			}
			if f.file != nil {
				return nil, true
			}
			x := Finding{File: f.start.file.Path, Line: f.linkPlace[0], Column: f.linkPlace[1], URL: brief(f.linkURL), Message: brief(f.linkURL) + " is not in the site"}
			if why := f.live.why(f.linkURL); why != "" {
				x.Message = f.linkURL + " was " + why
				if refused.MatchString(why) {
					x.Mend = "let the server answer it to everybody, or write crossorigin=\"use-credentials\" on the link"
				}
			}
			if f.byScript {
				x.Message += "; a script has put the link there"
			}
			return []Finding{x}, true
		},
	},
	{
		ID: "manifest/elsewhere", Level: Warning, Title: "The manifest lies on the site's own origin",
		Example: `<link rel="manifest" href="https://cdn.example/app.webmanifest">`,
		Why:     "A manifest of another origin is one more server that every installation hangs on, and is taken only with an Access-Control-Allow-Origin header. Here only the site's own origin is asked, so nobody can say what installs.",
		Mend:    "put the manifest into the site; or say with [[server.origin]] in the configuration what that origin answers",
		Spec:    "W3C Web Application Manifest, \"Obtaining the manifest\"", Hides: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if !f.elsewhere {
				return nil, f.file != nil
			}
			return []Finding{{File: f.start.file.Path, Line: f.linkPlace[0], Column: f.linkPlace[1], URL: f.linkURL, Message: f.linkURL + " is on another origin, which is not asked"}}, true
		},
	},
	{
		ID: "manifest/not-json", Level: Blocker, Title: "The manifest can be read",
		Example: `{"name": "Skerry",}`,
		Why:     "A single mistake in the JSON makes browsers ignore the whole manifest, without telling the visitor.",
		Mend:    "correct the JSON",
		Spec:    "W3C Web Application Manifest, \"Processing the manifest\"", Blocks: everyApp,
		run: func(f *facts) ([]Finding, bool) {
			if f.manifest == nil {
				return nil, false
			}
			if f.manifest.Lost {
				return f.problems(manifest.Blocker), true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/name-missing", Level: Blocker, Title: "The app has a name",
		Example: `{"start_url": "/", "display": "standalone"}`,
		Why:     "The name stands under the icon and in the install dialogue; without one there is no installation.",
		Mend:    "add \"name\"", Spec: "W3C Web Application Manifest, \"name member\"", Lacks: "name",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			return f.problems(manifest.Blocker, "name"), true
		},
	},
	{
		ID: "manifest/start-url-invalid", Level: Blocker, Title: "The start URL is valid",
		Example: `"start_url": "https://other.example/"`,
		Why:     "The start URL is what opens when a visitor taps the icon; Chromium offers no installation without it.",
		Mend:    "add \"start_url\": \"/\"", Spec: "W3C Web Application Manifest, \"start_url member\"", Lacks: "start_url",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			if f.manifest.Processed.StartURLGiven {
				return nil, true
			}
			found := f.problems(manifest.Blocker, "start_url")
			if found == nil {
				found = f.problems(manifest.Warning, "start_url")
			}
			return found, true
		},
	},
	{
		ID: "manifest/start-url-unanswered", Level: Warning, Title: "The start URL answers",
		Example: `"start_url": "/gone/"`,
		Why:     "A visitor who taps the icon sees an error page.",
		Mend:    "let start_url name a page of the site", Spec: "W3C Web Application Manifest, \"start_url member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || !f.manifest.Processed.StartURLGiven {
				return nil, false
			}
			u := strings.TrimPrefix(f.manifest.Processed.StartURL, f.origin())
			path := strings.SplitN(strings.SplitN(u, "#", 2)[0], "?", 2)[0]
			a := f.server.Answer("GET", path)
			switch {
			case a.Status >= 400:
				return []Finding{f.at("start_url", fmt.Sprintf("%s is answered with status %d", u, a.Status), "")}, true
			case a.Status >= 300:
				return []Finding{f.at("start_url", fmt.Sprintf("%s redirects to %s", u, a.Header.Get("Location")), "name the address it redirects to")}, true
			}
			return nil, true
		},
	},
	{
		ID: "manifest/start-url-outside-scope", Level: Warning, Title: "The start URL is inside the scope",
		Example: `"start_url": "/", "scope": "/app/"`,
		Why:     "Browsers drop a scope that does not contain the start URL and use the start URL's folder; pages outside it then open with the browser's own frame.",
		Mend:    "let the scope begin the start URL", Spec: "W3C Web Application Manifest, \"scope member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || !f.manifest.Has("scope") {
				return nil, false
			}
			return f.told(outsideScope), true
		},
	},
	{
		ID: "manifest/opens-in-browser", Level: Blocker, Title: "The display mode is that of an app",
		Example: `"display": "browser"`,
		Why:     "With display \"browser\", or none, the icon opens a browser tab: Chromium makes no offer to install, and an iPhone makes a bookmark.",
		Mend:    "write \"display\": \"standalone\"",
		Spec:    "W3C Web Application Manifest, \"display member\"; Manifest Incubations, \"display_override\"",
		Lacks:   "display",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			p := &f.manifest.Processed
			if p.Installable() {
				return nil, true
			}
			member := "display"
			if len(p.DisplayOverride) > 0 {
				member = "display_override"
			}
			return []Finding{f.at(member, fmt.Sprintf("the display mode is %q", p.DisplayMode()), "")}, true
		},
	},
	{
		ID: "manifest/other-app-preferred", Level: Warning, Title: "The web app is not set back behind another",
		Example: `"prefer_related_applications": true`,
		Why:     "prefer_related_applications tells browsers to offer another app in place of this one; some then make no offer at all.",
		Mend:    "remove prefer_related_applications", Spec: "W3C Web Application Manifest, \"prefer_related_applications member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			if f.manifest.Processed.PreferRelatedApplications {
				return []Finding{f.at("prefer_related_applications", "prefer_related_applications is true", "")}, true
			}
			return nil, true
		},
	},
}

// silent says for what a platform offers nothing, and what of it is so here.
func (f *facts) silent(p platform.Platform) []Silence {
	out := []Silence{}
	for _, s := range p.Silent() {
		seen := ""
		if f.readable() {
			switch s.What {
			case platform.OtherApp:
				seen = yesNo(f.manifest.Processed.PreferRelatedApplications && len(f.manifest.Processed.RelatedApplications) > 0)
			case platform.OtherID:
				seen = yesNo(len(f.sameID()) > 0)
			}
		}
		out = append(out, Silence{s, seen})
	}
	return out
}

func yesNo(b bool) string {
	if b {
		return "yes"
	}
	return "no"
}

// withoutQuery is what tells files of a folder apart: "m.json?v=3" is "m.json".
func withoutQuery(u string) string {
	u, _, _ = strings.Cut(u, "?")
	return u
}

// sameID gives findings of pages that link another manifest with the same id.
func (f *facts) sameID() []Finding {
	var out []Finding
	seen := map[string]bool{withoutQuery(f.linkURL): true}
	for i, p := range f.inv.Pages {
		u := withoutQuery(p.Manifest)
		if u == "" || seen[u] || i > maxManifests {
			continue
		}
		seen[u] = true
		file := f.inv.FileOf(u)
		if file == nil {
			continue
		}
		data, err := f.site.Read(file.Path)
		if err != nil {
			continue
		}
		m, err := manifest.Process(data, file.Path, f.origin()+file.URL, f.origin()+p.File.URL)
		if err != nil || m.Lost || m.Processed.ID != f.manifest.Processed.ID {
			continue
		}
		line, column := m.Place("id")
		if line == 0 {
			line, column = m.Place("start_url")
		}
		out = append(out, Finding{File: file.Path, Line: max(line, 1), Column: max(column, 1), URL: p.File.URL, Message: fmt.Sprintf("the manifest that %s links has the same id (%s) as the start page's, %s", p.File.URL, strings.TrimPrefix(m.Processed.ID, f.origin()), f.file.Path)})
	}
	return out
}

// maxManifests is how many pages are looked at for manifests of their own.
const maxManifests = 20_000

var sameIDChecks = []Check{{
	ID: "manifest/id-shared", Level: Warning, Title: "Every app of the site has an id of its own",
	Example: `two applications on one origin, each with a manifest and "start_url": "/"`,
	Why:     "Browsers know an app by its id: the second is taken for the first, so nothing is offered to whoever has that, or it is changed into the other.",
	Mend:    "give each manifest an \"id\" of its own, such as \"/timetable/\"; who has the app keeps it when the id that it has now stays", Spec: "W3C Web Application Manifest, \"id member\"",
	Matters: chromiumPlatforms,
	run: func(f *facts) ([]Finding, bool) {
		if !f.readable() {
			return nil, false
		}
		return f.sameID(), true
	},
}}

var chromiumPlatforms = []string{"chromium-desktop", "chromium-android", "samsung-android"}
