package audit

import (
	"fmt"

	"tachyform.dev/tachyform/internal/deployed"
)

// differs gives a finding for each file on the server of which something was found.
func (f *facts) differs(is func(deployed.File) bool, say func(deployed.File) string) ([]Finding, bool) {
	if f.deployed == nil {
		return nil, false
	}
	another := f.deployed.Release != f.deployed.Live // then other bytes are as they should be
	var out []Finding
	for _, x := range f.deployed.Files {
		if is(x) && !(another && x.What == deployed.Altered) {
			out = append(out, Finding{File: x.Path, URL: x.URL, Message: say(x)})
		}
	}
	return out, true
}

// deployedChecks compare what is live with the release that was to be deployed (--release).
var deployedChecks = []Check{
	{
		ID: "deployed/another-release", Level: Blocker, Title: "What is live is the release",
		Why:  "Visitors have another release, or another site, than the one that you mean to have deployed.",
		Mend: "deploy the folder, look at host and base path, and empty what keeps answers on the way",
		Spec: "observed", Example: "the server's worker names another release than the one in the folder",
		run: func(f *facts) ([]Finding, bool) {
			if f.deployed == nil {
				return nil, false
			}
			d := f.deployed
			gone := 0
			for _, x := range d.Files {
				if x.What == deployed.Missing || x.What == deployed.Page || x.What == deployed.Moved {
					gone++
				}
			}
			if d.Release != d.Live || d.Asked > 2 && gone*2 > d.Asked {
				return []Finding{{URL: f.live.Entry, Message: d.Verdict}}, true
			}
			return nil, true
		},
	},
	{
		ID: "deployed/missing", Level: Blocker, Title: "Every file of the release is on the server",
		Why:  "A page lacks something, and the worker, which takes a release whole or not at all, installs nothing as long as a file is missing that it needs.",
		Mend: "deploy the whole folder; when a file is left out on purpose, name it in [stow] never",
		Spec: "observed", Example: "app.css is answered with 404, or with the page of what is missing",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool {
				return x.What == deployed.Missing || x.What == deployed.Page || x.What == deployed.Unanswered
			}, func(x deployed.File) string {
				switch x.What {
				case deployed.Page:
					return x.URL + " is answered with a page"
				case deployed.Unanswered:
					return x.URL + " is not answered: " + x.How
				}
				return fmt.Sprintf("%s is answered with status %d", x.URL, x.Status)
			})
		},
	},
	{
		ID: "deployed/altered-refused", Level: Blocker, Title: "The host leaves alone what the worker checks",
		Why:  "The worker compares what it stores with the digests of the release: nobody gets this release while a page, script or style comes otherwise.",
		Mend: "keep the host from rewriting, minifying or compressing files by itself; or run tachyform fit on what the host serves",
		Spec: "docs/caching.md, \"The release\"", Example: "the host takes the white space out of app.js",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool { return x.What == deployed.Altered && x.Needed && !x.Accepted }, func(x deployed.File) string {
				return fmt.Sprintf("%s comes with %s: the worker does not accept it", x.URL, x.How)
			})
		},
	},
	{
		ID: "deployed/altered", Level: Warning, Title: "What is served is what was deployed",
		Why:  "The host changes files on their way: what was tested is not what visitors get.",
		Mend: "keep the host from it, when it is not what you want",
		Spec: "observed", Example: "pictures that the host compresses anew, a script that it puts into pages",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool { return x.What == deployed.Altered && !(x.Needed && !x.Accepted) }, func(x deployed.File) string {
				text := fmt.Sprintf("%s comes with %s", x.URL, x.How)
				if x.Accepted {
					text += "; the worker accepts it"
				}
				return text
			})
		},
	},
	{
		ID: "deployed/stale", Level: Blocker, Title: "Nothing on the way keeps old files",
		Why:  "A cache between the server and the visitor gives files of an older release: visitors get a mix, or nothing new at all.",
		Mend: "empty it after each release, and send Cache-Control: no-cache for files without a digest in their name (tachyform headers)",
		Spec: "RFC 9111, section 4.2", Example: "the server has the new app.css, and a content delivery network the old one",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool { return x.What == deployed.Stale }, func(x deployed.File) string {
				text := x.URL + " is an older one; asked past all caches, the server has the right one"
				if x.How != "" {
					text += " (" + x.How + ")"
				}
				return text
			})
		},
	},
	{
		ID: "deployed/refused", Level: Blocker, Title: "The server answers everybody what everybody needs",
		Why:  "Browsers fetch manifest, icons and worker without the visitor's sign-in: what is refused is not there for them.",
		Mend: "leave these files out of what needs a sign-in; to look at a staging server, give --user, --header or --cookies",
		Spec: "Web App Manifest, \"Fetching the manifest\"", Example: "manifest.webmanifest is answered with 401",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool { return x.What == deployed.Refused }, func(x deployed.File) string {
				return fmt.Sprintf("%s is answered with status %d", x.URL, x.Status)
			})
		},
	},
	{
		ID: "deployed/moved", Level: Blocker, Title: "Files are at their addresses",
		Why:  "Browsers refuse a worker that is redirected, and the worker stores nothing that was.",
		Mend: "answer these addresses themselves, without a redirect",
		Spec: "Service Workers, \"Update\"", Example: "/sw.js leads to /static/sw.js",
		run: func(f *facts) ([]Finding, bool) {
			return f.differs(func(x deployed.File) bool { return x.What == deployed.Moved }, func(x deployed.File) string {
				return fmt.Sprintf("%s leads to %s", x.URL, x.To)
			})
		},
	},
	{
		ID: "deployed/headers", Level: Warning, Title: "The server sends the headers that the release needs",
		Why:  "Lifetimes decide when visitors see a release, media types whether a file counts at all.",
		Mend: "run tachyform headers for your server",
		Spec: "RFC 9111; docs/releases.md", Example: "Cache-Control: max-age=86400 on sw.js",
		run: func(f *facts) ([]Finding, bool) {
			if f.deployed == nil {
				return nil, false
			}
			var out []Finding
			for _, h := range f.deployed.Headers {
				got := h.Got
				if got == "" {
					got = "nothing"
				}
				x := Finding{URL: h.URL, Message: fmt.Sprintf("%s comes with %s: %s: %s", h.URL, h.Name, got, h.Costs), Mend: fmt.Sprintf("send %s: %s (tachyform headers)", h.Name, h.Want)}
				if file := f.inv.FileOf(h.URL); file != nil {
					x.File = file.Path
				}
				out = append(out, x)
			}
			return out, true
		},
	},
}
