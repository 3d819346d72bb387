package fitting

import (
	"fmt"
	"path"
	"regexp"
	"sort"
	"strings"
	"unicode/utf8"

	"tachyform.dev/tachyform/internal/config"
	"tachyform.dev/tachyform/internal/label"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/palette"
	"tachyform.dev/tachyform/internal/survey"
)

// Inference is a value that was chosen, and where it came from.
type Inference struct {
	What, Value, From string
}

// app is what the manifest says about a site.
type app struct {
	name, shortName, description, lang, dir, theme, themeDark, background string
	startURL, scope, display, orientation, id                             string
	master                                                                string // path below the site, "" for the drawn mark
	shortcuts                                                             []manifest.Shortcut
}

type inferrer struct {
	inv      *survey.Inventory
	cfg      *config.Config
	existing *manifest.Manifest // of the site, nil when it has none
	out      []Inference
	noIcons  bool              // none are made
	ours     func(string) bool // whether fit wrote the file at a path: nothing is inferred from those
}

func (i *inferrer) take(what, value, from string) string {
	i.out = append(i.out, Inference{what, value, from})
	return value
}

// first takes the first candidate that says something. Candidates are pairs of value and origin.
func (i *inferrer) first(what string, candidates ...[2]string) string {
	for _, c := range candidates {
		if v := strings.TrimSpace(c[0]); v != "" {
			return i.take(what, v, c[1])
		}
	}
	return ""
}

func (i *inferrer) at(offset int) string {
	line, column := markup.Position(i.inv.StartBytes, offset)
	return fmt.Sprintf("%s:%d:%d", i.inv.StartFile.Path, line, column)
}

func (i *inferrer) configured() string {
	if i.cfg.File == "" {
		return "a flag"
	}
	return i.cfg.File
}

func (i *inferrer) infer() app {
	p, c := i.inv.Start, i.cfg.App
	var m manifest.Processed
	if i.existing != nil {
		m = i.existing.Processed
	}
	const existing = "the existing manifest"
	a := app{}
	names := [][2]string{{c.Name, i.configured()}, {m.Name, existing}}
	for _, t := range p.AppNames {
		names = append(names, [2]string{t.Value, i.at(t.Offset)})
	}
	if part := i.commonTitle(); part != "" {
		names = append(names, [2]string{part, "what the titles of the pages have in common"})
	}
	if p.Brand != "" && utf8.RuneCountInString(p.Brand) <= 40 {
		names = append(names, [2]string{p.Brand, "the link to the start page in " + i.inv.StartFile.Path})
	}
	names = append(names, [2]string{p.Title.Value, "the title in " + i.at(p.Title.Offset)})
	if len(p.Headings) > 0 {
		names = append(names, [2]string{p.Headings[0], "the first heading of " + i.inv.StartFile.Path})
	}
	names = append(names, [2]string{path.Base(strings.TrimRight(strings.ReplaceAll(i.inv.Site.Dir, "\\", "/"), "/.")), "the folder's name"}, [2]string{"App", "nothing better was found"})
	a.name = i.first("name", names...)
	a.shortName = i.first("short_name", [2]string{c.ShortName, i.configured()}, [2]string{m.ShortName, existing}, [2]string{label.Shorten(a.name), "the name, shortened"})
	a.description = i.first("description", [2]string{c.Description, i.configured()}, [2]string{m.Description, existing}, [2]string{p.Description.Value, i.at(p.Description.Offset)})
	a.lang = i.first("lang", [2]string{c.Lang, i.configured()}, [2]string{m.Lang, existing}, [2]string{p.Lang, "the html tag of " + i.inv.StartFile.Path})
	a.dir = i.first("dir", [2]string{c.Dir, i.configured()}, [2]string{p.Dir, "the html tag of " + i.inv.StartFile.Path})
	i.colors(&a, m)
	a.startURL = c.StartURL
	if a.startURL == "" {
		a.startURL = i.inv.StartFile.URL
	}
	if a.scope = c.Scope; a.scope == "" {
		a.scope = i.inv.Site.Base
	}
	if a.display = c.Display; a.display == "" {
		a.display = "standalone"
	}
	a.id, a.orientation = c.ID, c.Orientation
	if a.id == "" {
		a.id = a.startURL
	}
	if i.existing == nil { // what the user wrote is completed with what installing needs, not with proposals
		a.shortcuts = i.shortcuts()
	}
	if !i.noIcons {
		i.pickMaster(&a)
	}
	return a
}

// separators stand between the parts of a page title.
var separators = regexp.MustCompile(`\s+[-|–—·:»]\s+|\s*[|»]\s*|:\s+`)

// commonTitle finds the part that most titles share, as "Fares - Skerry Line" and "Tides - Skerry Line" do.
func (i *inferrer) commonTitle() string {
	count := map[string]int{}
	total := 0
	for _, p := range i.inv.Pages {
		if total >= 200 {
			break
		}
		if i.ours(p.File.Path) {
			continue
		}
		parts := separators.Split(p.Title, -1)
		if p.Title == "" {
			continue
		}
		total++
		for _, part := range []string{parts[0], parts[len(parts)-1]} {
			if len(parts) > 1 && utf8.RuneCountInString(part) <= 45 {
				count[strings.TrimSpace(part)]++
			}
			if parts[0] == parts[len(parts)-1] {
				break
			}
		}
	}
	best := ""
	for part, n := range count {
		if n*2 > total && n > 1 && (best == "" || n > count[best] || n == count[best] && part < best) {
			best = part
		}
	}
	return best
}

// maxProposed is how many shortcuts are proposed; home screens show about that many.
const maxProposed = 4

// shortcuts proposes the main navigation's links to other public pages of the site.
func (i *inferrer) shortcuts() []manifest.Shortcut {
	personal := map[string]bool{}
	for _, p := range i.inv.Pages {
		personal[p.File.URL] = p.Personal != ""
	}
	var out []manifest.Shortcut
	var names []string
	seen := map[string]bool{i.inv.StartFile.URL: true}
	for _, l := range i.inv.Start.Nav {
		u, ok := survey.Resolve(i.inv.StartBase(), l.URL)
		f := i.inv.FileOf(u)
		name := strings.TrimSpace(l.Text)
		if !ok || f == nil || !f.IsPage() || seen[f.URL] || personal[f.URL] || name == "" || utf8.RuneCountInString(name) > 30 || strings.ContainsAny(u, "?#") {
			continue
		}
		seen[f.URL] = true
		out = append(out, manifest.Shortcut{Name: name, URL: f.URL})
		if names = append(names, name); len(out) == maxProposed {
			break
		}
	}
	if len(out) > 0 {
		i.take("shortcuts", strings.Join(names, ", "), "the navigation of "+i.inv.StartFile.Path)
	}
	return out
}

// colors takes theme and background colour from what the start page shows.
func (i *inferrer) colors(a *app, m manifest.Processed) {
	p, c := i.inv.Start, i.cfg.App
	seen := palette.See(i.inv)
	props, background := seen.Properties, seen.Background
	color := func(v string) string { return palette.Resolve(v, props) }
	themes := [][2]string{{c.ThemeColor, i.configured()}, {m.ThemeColor, "the existing manifest"}}
	for _, t := range p.ThemeColors[:min(len(p.ThemeColors), 100)] {
		if !strings.Contains(t.Media, "dark") {
			themes = append(themes, [2]string{color(t.Value), "theme-color in " + i.at(t.Offset)})
		}
	}
	if seen.Header != background {
		themes = append(themes, [2]string{seen.Header, "the bar at the top of the start page"})
	}
	names := make([]string, 0, len(props))
	for n := range props {
		names = append(names, n)
	}
	sort.Strings(names)
	for _, word := range []string{"brand", "primary", "theme", "accent", "main"} {
		for _, n := range names {
			if strings.Contains(strings.ToLower(n), word) {
				themes = append(themes, [2]string{color(props[n]), "the custom property " + n + " of the start page's styles"})
			}
		}
	}
	themes = append(themes, [2]string{background, "the background of the start page"})
	if a.theme = i.first("theme_color", themes...); a.theme == "" {
		a.theme = i.take("theme_color", "#ffffff", "nothing on the start page says more")
	}
	if a.background = i.first("background_color", [2]string{c.BackgroundColor, i.configured()}, [2]string{m.BackgroundColor, "the existing manifest"},
		[2]string{background, "the background of the start page"}); a.background == "" {
		a.background = i.take("background_color", "#ffffff", "the start page sets no background")
	}
	// A bar in the colour of the page goes with the page when that turns dark.
	if sameColor(a.theme, background) && seen.Dark != "" && !sameColor(seen.Dark, background) {
		a.themeDark = i.first("theme_color_dark", [2]string{i.cfg.Pages.ThemeColorDark, i.configured()}, [2]string{seen.Dark, "the background of the start page where dark is preferred"})
	} else if i.cfg.Pages.ThemeColorDark != "" {
		a.themeDark = i.first("theme_color_dark", [2]string{i.cfg.Pages.ThemeColorDark, i.configured()})
	}
}
