package audit

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/survey"
)

// maxTitle is how many characters of a title are seen in a tab or a list of windows.
const maxTitle = 70

// onPages makes findings of heads; an empty message is none.
func (f *facts) onPages(find func(i int, h pageHead) string) []Finding {
	var out []Finding
	for i, h := range f.heads {
		if h.err != nil {
			continue
		}
		if m := find(i, h); m != "" {
			out = append(out, Finding{File: h.file.Path, Line: 1, Column: 1, URL: h.file.URL, Message: m})
		}
	}
	return out
}

// onTags makes findings of the tags of a kind, on all pages.
func (f *facts) onTags(kind string, find func(h pageHead, t pagehead.Tag) string) ([]Finding, bool) {
	var out []Finding
	applies := false
	for _, h := range f.heads {
		if h.err != nil {
			continue
		}
		for _, t := range h.head.Tags {
			if t.Kind != kind {
				continue
			}
			applies = true
			if m := find(h, t); m != "" {
				line, column := 1, 1
				if src, err := f.site.Read(h.file.Path); err == nil {
					line, column = markup.Position(src, t.Offset)
				}
				out = append(out, Finding{File: h.file.Path, Line: line, Column: column, URL: h.file.URL, Message: m})
			}
		}
	}
	return out, applies
}

// viewport splits the content of a viewport element.
func viewport(content string) map[string]string {
	out := map[string]string{}
	for _, p := range strings.FieldsFunc(strings.ToLower(content), func(r rune) bool { return r == ',' || r == ';' }) {
		k, v, _ := strings.Cut(p, "=")
		out[strings.TrimSpace(k)] = strings.TrimSpace(v)
	}
	return out
}

// headChecks look at what pages say in their heads.
var headChecks = []Check{
	{
		ID: "pages/viewport-not-fitting", Level: Warning, Title: "The viewport is as wide as the screen",
		Why:     "A viewport of a fixed width is shown tiny on a phone, or cut off.",
		Mend:    "write width=device-width",
		Spec:    "CSS Viewport Module",
		Example: `<meta name="viewport" content="width=1024">`,
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("viewport", func(_ pageHead, t pagehead.Tag) string {
				v := viewport(t.Value)
				if v["width"] != "device-width" && v["initial-scale"] == "" {
					return fmt.Sprintf("the viewport is %q", t.Value)
				}
				return ""
			})
		},
	},
	{
		ID: "pages/zoom-forbidden", Level: Warning, Title: "Visitors may enlarge the page",
		Why:     "People who see badly cannot read a page that forbids to enlarge it.",
		Mend:    "remove user-scalable and maximum-scale",
		Spec:    "Web Content Accessibility Guidelines, \"Resize text\"",
		Example: `<meta name="viewport" content="width=device-width, user-scalable=no">`,
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("viewport", func(_ pageHead, t pagehead.Tag) string {
				v := viewport(t.Value)
				if s := v["user-scalable"]; s == "no" || s == "0" {
					return "user-scalable=no forbids to enlarge the page"
				}
				if m := v["maximum-scale"]; m == "1" || m == "1.0" {
					return "maximum-scale=" + m + " forbids to enlarge the page"
				}
				return ""
			})
		},
	},
	{
		ID: "pages/title-missing", Level: Warning, Title: "Pages have titles",
		Why:  "The window, the list of recent apps and a screen reader show an address instead of a name.",
		Mend: "write a <title>",
		Spec: "HTML Standard, \"The title element\"", Example: "<head></head>",
		run: func(f *facts) ([]Finding, bool) {
			return f.onPages(func(i int, _ pageHead) string {
				if f.pageAt(i).Title == "" {
					return "there is no title"
				}
				return ""
			}), len(f.heads) > 0
		},
	},
	{
		ID: "pages/title-long", Level: Advice, Title: "Titles have room",
		Why:  "Tabs, windows and lists cut longer titles off.",
		Mend: "put what tells the page apart first, and shorten the rest",
		Spec: "HTML Standard, \"The title element\"", Example: "<title>Timetable of all ferries of Skerry Line from Monday to Sunday, summer and winter, all harbours</title>",
		run: func(f *facts) ([]Finding, bool) {
			return f.onPages(func(i int, _ pageHead) string {
				if n := utf8.RuneCountInString(f.pageAt(i).Title); n > maxTitle {
					return fmt.Sprintf("the title has %d characters; about %d are seen", n, maxTitle)
				}
				return ""
			}), len(f.heads) > 0
		},
	},
	{
		ID: "pages/titles-alike", Level: Advice, Title: "Titles tell pages apart",
		Why:  "In the list of windows, in the history and for a screen reader the pages are the same.",
		Mend: "name in each title what the page is about",
		Spec: "HTML Standard, \"The title element\"", Example: "<title>Skerry Line</title> on every page",
		run: func(f *facts) ([]Finding, bool) {
			if len(f.inv.Pages) < 3 {
				return nil, false
			}
			count := map[string]int{}
			for _, p := range f.inv.Pages {
				count[p.Title]++
			}
			var out []Finding
			for _, p := range f.inv.Pages {
				if n := count[p.Title]; n > 2 && n*2 > len(f.inv.Pages) && p.Title != "" {
					out = append(out, Finding{URL: p.File.URL, File: p.File.Path, Line: 1, Column: 1, Message: fmt.Sprintf("%d of %d pages have the title %q", n, len(f.inv.Pages), p.Title)})
					count[p.Title] = 0
				}
			}
			return out, true
		},
	},
	{
		ID: "pages/language-missing", Level: Advice, Title: "Pages say their language",
		Why:  "Screen readers read the page in the visitor's own language, whatever it is written in, and browsers offer to translate it wrongly.",
		Mend: "write <html lang=\"…\">",
		Spec: "HTML Standard, \"The lang and xml:lang attributes\"", Example: "<html>",
		run: func(f *facts) ([]Finding, bool) {
			return f.onPages(func(i int, _ pageHead) string {
				if f.pageAt(i).Lang == "" {
					return "there is no language on the html element"
				}
				return ""
			}), len(f.heads) > 0
		},
	},
	{
		ID: "pages/theme-color-invalid", Level: Warning, Title: "The theme colours of pages are colours",
		Why:  "Browsers pass over a colour they cannot read; the title bar has their own.",
		Mend: "write it like \"#0b4f6c\"",
		Spec: "HTML Standard, \"theme-color\"; CSS Color", Example: `<meta name="theme-color" content="0b4f6c">`,
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("theme-color", func(_ pageHead, t pagehead.Tag) string {
				if _, ok := csscolor.Parse(t.Value); !ok {
					return fmt.Sprintf("%q is no colour by CSS syntax", t.Value)
				}
				return ""
			})
		},
	},
	{
		ID: "pages/theme-color-differs", Level: Advice, Title: "Start page and manifest have the same theme colour",
		Why:     "The title bar changes its colour once the start page is there.",
		Mend:    "let both say the same, or leave the page's out",
		Spec:    "HTML Standard, \"theme-color\"; W3C Web Application Manifest, \"theme_color member\"",
		Example: `<meta name="theme-color" content="red"> and "theme_color": "#0b4f6c"`,
		run: func(f *facts) ([]Finding, bool) {
			if !f.readable() || f.manifest.Processed.ThemeColor == "" || f.start.head == nil {
				return nil, false
			}
			whole, ok := csscolor.Parse(f.manifest.Processed.ThemeColor)
			applies := false
			for _, t := range f.start.head.Tags {
				c, valid := csscolor.Parse(t.Value)
				if t.Kind != "theme-color" || t.Media != "" || !valid || !ok {
					continue
				}
				if applies = true; distance(c, whole) > 30 {
					line, column := markup.Position(f.start.src, t.Offset)
					return []Finding{{File: f.start.file.Path, Line: line, Column: column, URL: f.start.file.URL, Message: fmt.Sprintf("the page says %s and the manifest %s", c.Hex(), whole.Hex())}}, true
				}
				break
			}
			return nil, applies
		},
	},
	{
		ID: "pages/manifest-linked-twice", Level: Warning, Title: "Pages link one manifest",
		Why:  "Browsers take the first link and look at no other, whatever the second says.",
		Mend: "keep one",
		Spec: "HTML Standard, \"Link type manifest\"", Example: `<link rel="manifest" href="/a.json"><link rel="manifest" href="/b.json">`,
		run: func(f *facts) ([]Finding, bool) {
			applies := false
			out := f.onPages(func(_ int, h pageHead) string {
				n := 0
				for _, t := range h.head.Tags {
					if t.Kind == "manifest" {
						n++
					}
				}
				if applies = applies || n > 0; n > 1 {
					return fmt.Sprintf("there are %d links to manifests", n)
				}
				return ""
			})
			return out, applies
		},
	},
	{
		ID: "pages/icon-missing", Level: Advice, Title: "Pages link an icon",
		Why:  "Tabs and lists of windows show a blank sheet, and every browser asks for /favicon.ico.",
		Mend: "run tachyform fit, or link one with rel=\"icon\"",
		Spec: "HTML Standard, \"Link type icon\"", Example: "a head without <link rel=\"icon\">", Safe: true,
		run: func(f *facts) ([]Finding, bool) {
			if f.start.head == nil {
				return nil, false
			}
			if f.start.tag("icon") != nil || f.inv.FileOf("/favicon.ico") != nil {
				return nil, true
			}
			return []Finding{{File: f.start.file.Path, Line: 1, Column: 1, URL: f.start.file.URL, Message: "there is no icon in the head, and no /favicon.ico"}}, true
		},
	},
	{
		ID: "pages/icon-file-missing", Level: Warning, Title: "The icons that pages link are there",
		Why:  "The tab shows a blank sheet.",
		Mend: "put the file there, or correct the link",
		Spec: "HTML Standard, \"Link type icon\"", Example: `<link rel="icon" href="/gone.png">`,
		run: func(f *facts) ([]Finding, bool) {
			return f.onTags("icon", func(h pageHead, t pagehead.Tag) string {
				u := f.resolve(h, t.Value)
				if u == "" || strings.Contains(u, ":") || f.inv.FileOf(u) != nil {
					return ""
				}
				return u + " is not in the site"
			})
		},
	},
	{
		ID: "pages/touch-icon-size", Level: Advice, Title: "The touch icon has 180 px",
		Why:  "iPhones show touch icons at 180 px; a smaller one looks blurred.",
		Mend: "run tachyform fit, or link a 180x180 PNG",
		Spec: "Safari's documentation of web apps on the home screen", Example: "a touch icon of 57 px", Matters: []string{"safari-ios"},
		run: func(f *facts) ([]Finding, bool) {
			t := f.start.tag("touch-icon")
			if t == nil {
				return nil, false
			}
			file := f.inv.FileOf(f.resolve(f.start, t.Value))
			if file == nil {
				return nil, false
			}
			data, err := f.site.Read(file.Path)
			if err != nil {
				return nil, false
			}
			w, h, kind, _ := icon.Size(data)
			if kind == "image/svg+xml" {
				return []Finding{{File: file.Path, URL: file.URL, Message: "the touch icon is an SVG, which iPhones do not show", Mend: "link a 180x180 PNG"}}, true
			}
			if w == 0 || min(w, h) >= 167 {
				return nil, w > 0
			}
			return []Finding{{File: file.Path, URL: file.URL, Message: fmt.Sprintf("the touch icon is %d x %d px", w, h)}}, true
		},
	},
	{
		ID: "pages/head-unclear", Level: Advice, Title: "Every page's head can be read without doubt",
		Why:  "tachyform leaves such a page alone, so it gets no tags, and browsers may read it in different ways.",
		Mend: "correct the page; a template is no page yet: name the server that makes pages of it (tachyform draft http://127.0.0.1:8000/ --public FOLDER)",
		Spec: "HTML Standard, \"Parsing HTML documents\"", Example: "a template such as {{ head }}, or a file that is no text",
		run: func(f *facts) ([]Finding, bool) {
			var out []Finding
			for _, h := range f.heads {
				if h.err != nil {
					out = append(out, Finding{File: h.file.Path, Line: 1, Column: 1, URL: h.file.URL, Message: strings.TrimSuffix(h.err.Error(), ": "+pagehead.ErrUnsafe.Error())})
				}
			}
			return out, len(f.heads) > 0
		},
	},
	{
		ID: "pages/reference-by-name-case", Level: Warning, Title: "Addresses are written as the files are named",
		Why:  "It works on the developer's machine, which takes upper and lower case for the same, and is missing on the server.",
		Mend: "write the name as the file has it",
		Spec: "RFC 3986, section 6.2.2.1", Example: `<img src="/Ship.png"> for ship.png`,
		run: func(f *facts) ([]Finding, bool) {
			lower := map[string]string{}
			for _, x := range f.site.Files {
				lower[strings.ToLower(x.URL)] = x.URL
			}
			var out []Finding
			for _, n := range f.summary.Nowhere {
				if is, ok := lower[strings.ToLower(n.URL)]; ok && is != n.URL {
					out = append(out, Finding{URL: n.URL, Message: fmt.Sprintf("%s is asked for, and the file is %s", n.URL, is), Mend: "write " + is})
				}
			}
			return out, len(f.site.Files) > 0
		},
	},
}

// pageAt gives the inventory's page of a head.
func (f *facts) pageAt(i int) *survey.Page { return &f.inv.Pages[f.heads[i].page] }
