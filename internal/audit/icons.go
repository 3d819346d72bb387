package audit

import (
	"fmt"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/manifest"
)

func (i *iconFact) finding(f *facts, message string) Finding {
	return Finding{File: f.file.Path, Line: i.image.Line, Column: i.image.Column, URL: strings.TrimPrefix(i.image.Src, f.origin()), Message: message}
}

var iconChecks = []Check{
	{
		ID: "icons/none-suitable", Level: Blocker, Title: "The manifest has an icon that installing needs",
		Example: `"icons": [{"src": "a.jpg", "sizes": "96x96"}]`,
		Why:     "Chromium installs only with an icon of purpose \"any\", as PNG, SVG or WebP, between 144 and 1024 px.",
		Mend:    "run tachyform fit, or add a 192x192 and a 512x512 PNG",
		Spec:    "W3C Web Application Manifest, \"icons member\"; measured in Chromium",
		Lacks:   "icons",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			if len(f.manifest.Processed.SuitableIcons()) > 0 {
				return nil, true
			}
			m := "there are no icons"
			if n := len(f.manifest.Processed.Icons); n > 0 {
				m = fmt.Sprintf("none of the %d icons is of purpose any, of a suitable type, and declared with at least %d px", n, manifest.MinIcon)
			}
			return []Finding{f.at("icons", m, "")}, true
		},
	},
	{
		ID: "icons/unusable", Level: Blocker, Title: "The icon that decides about installing can be used",
		Example: `{"src": "100.png", "sizes": "192x192"}, and the file is 100 px`,
		Why:     "Chromium fetches one icon before it offers to install; if that one is missing, broken or too small, it makes no offer, even when others are good.",
		Mend:    "put the file there, or correct the entry",
		Spec:    "W3C Image Resource, \"Fetching an image resource\"; measured in Chromium",
		Blocks:  chromium,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			chosen, ok := f.manifest.Processed.Chosen()
			if !ok && len(f.manifest.Processed.SuitableIcons()) == 0 {
				return nil, false // the check above says so
			}
			if !ok {
				return []Finding{f.at("icons", fmt.Sprintf("no icon is square, at least %d px large by its sizes, of purpose any and of a type that browsers draw", manifest.MinIcon), "")}, true
			}
			for _, i := range f.icons {
				if i.image.Src != chosen.Src || i.image.Line != chosen.Line {
					continue
				}
				switch {
				case i.asked != "":
					return nil, false
				case i.file == nil:
					return []Finding{i.missing(f)}, true
				case i.unreadable():
					return []Finding{i.finding(f, i.file.Path+" cannot be decoded as a picture")}, true
				case i.kind != "image/svg+xml" && (i.width < manifest.MinIcon || i.height < manifest.MinIcon):
					return []Finding{i.finding(f, fmt.Sprintf("%s is really %d x %d px; at least %d are needed", i.file.Path, i.width, i.height, manifest.MinIcon))}, true
				}
			}
			return nil, true
		},
	},
	{
		ID: "icons/elsewhere", Level: Warning, Title: "Of the icon that decides something is known",
		Example: `"icons": [{"src": "https://cdn.example/192.png", "sizes": "192x192"}]`,
		Why:     "Chromium fetches one icon before it offers to install, and makes no offer without it. Here only the site's own origin is asked, so nobody can say what comes of one that lies elsewhere.",
		Mend:    "copy the icon into the site; or say with [[server.origin]] in the configuration what that origin answers",
		Spec:    "W3C Image Resource, \"Fetching an image resource\"; measured in Chromium", Hides: chromium,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			chosen, ok := f.manifest.Processed.Chosen()
			if !ok {
				return nil, false
			}
			for _, i := range f.icons {
				if i.image.Src == chosen.Src && i.image.Line == chosen.Line && i.asked != "" {
					return []Finding{i.finding(f, brief(i.image.Src)+" "+i.asked)}, true
				}
			}
			return nil, true
		},
	},
	{
		ID: "icons/file-missing", Level: Warning, Title: "Every icon's file is there",
		Example: `{"src": "gone.png", "sizes": "512x512"}`,
		Why:     "A missing icon is replaced by another one, or by a letter, on some screens.",
		Mend:    "put the file there, or remove the entry", Spec: "W3C Image Resource",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.icons) == 0 {
				return nil, false
			}
			var out []Finding
			for _, i := range f.icons {
				switch {
				case i.asked != "":
				case i.file == nil:
					out = append(out, i.missing(f))
				case i.unreadable():
					out = append(out, i.finding(f, i.file.Path+" cannot be decoded as a picture"))
				}
			}
			return out, true
		},
	},
	{
		ID: "icons/size-differs", Level: Warning, Title: "Icons have the size they are declared with",
		Example: `{"src": "500.png", "sizes": "512x512"}`,
		Why:     "Browsers choose by the declared size; an icon that is really smaller looks blurred.",
		Mend:    "declare the real size, or make the picture anew", Spec: "W3C Image Resource, \"sizes member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.icons) == 0 {
				return nil, false
			}
			var out []Finding
			for _, i := range f.icons {
				if i.kind == "" || i.kind == "image/svg+xml" || i.kind == "image/x-icon" || len(i.image.Sizes) == 0 || slices.Contains(i.image.Sizes, "any") {
					continue
				}
				if real := fmt.Sprintf("%dx%d", i.width, i.height); !slices.Contains(i.image.Sizes, real) {
					out = append(out, i.finding(f, fmt.Sprintf("%s is declared as %s and is really %s", i.file.Path, strings.Join(i.image.Sizes, " "), real)))
				}
			}
			return out, true
		},
	},
	{
		ID: "icons/type-differs", Level: Warning, Title: "Icons have the type they are declared with",
		Example: `{"src": "a.png", "type": "image/webp"}`,
		Why:     "Browsers skip types they do not know before they look at the file.",
		Mend:    "correct the type", Spec: "W3C Image Resource, \"type member\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || len(f.icons) == 0 {
				return nil, false
			}
			var out []Finding
			for _, i := range f.icons {
				if t := strings.ToLower(i.image.Type); i.kind != "" && t != "" && t != i.kind && !(t == "image/jpg" && i.kind == "image/jpeg") {
					out = append(out, i.finding(f, fmt.Sprintf("%s is declared as %s and is really %s", i.file.Path, i.image.Type, i.kind)))
				}
			}
			return out, true
		},
	},
	{
		ID: "icons/no-maskable", Level: Advice, Title: "There is a maskable icon",
		Example: `"icons": [{"src": "512.png", "sizes": "512x512", "purpose": "any"}]`, Safe: true,
		Why:  "Android cuts icons to the shape of the phone's maker; without a maskable one it shrinks the icon onto a white disc.",
		Mend: "run tachyform fit, or add a 512x512 icon with \"purpose\": \"maskable\"", Spec: "W3C Web Application Manifest, \"Icon masks and safe zone\"",
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() {
				return nil, false
			}
			for _, i := range f.manifest.Processed.Icons {
				if slices.Contains(i.Purpose, "maskable") {
					return nil, true
				}
			}
			return []Finding{f.at("icons", "no icon has the purpose maskable", "")}, true
		},
	},
}
