package fitting

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/markup"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// existingManifest finds the manifest that the start page links, or one that lies at a usual place unlinked.
func (f *fitter) existingManifest() (m *manifest.Manifest, data []byte, p string, err error) {
	var candidates []string
	if head, err := pagehead.Read(f.inv.StartFile.Path, f.inv.StartBytes); err == nil {
		for _, t := range head.Tags {
			if t.Kind == "manifest" {
				if u, ok := survey.Resolve(f.inv.StartBase(), t.Value); ok {
					if file := f.inv.FileOf(u); file != nil {
						candidates = append(candidates, file.Path)
					} else {
						line, column := markup.Position(f.inv.StartBytes, t.Offset)
						f.plan.Conflicts = append(f.plan.Conflicts, Conflict{f.inv.StartFile.Path, line, column,
							fmt.Sprintf("links the manifest %s, which is not there; browsers look at no other. Correct the link, or remove it and fit again", t.Value)})
					}
				}
				break
			}
		}
	}
	linked := len(candidates)
	candidates = append(candidates, "manifest.webmanifest", "site.webmanifest", "app.webmanifest", "manifest.json")
	for _, c := range candidates {
		if _, ok := f.site.File(c); !ok {
			continue
		}
		data, err := f.site.Read(c)
		if err != nil {
			return nil, nil, "", err
		}
		if f.isOurs(c) {
			orig := f.rec.Files[c].Original
			if orig == "" {
				continue // written by us as a whole: it is made anew
			}
			if data, err = originalOf(f.site, orig); err != nil {
				return nil, nil, "", fmt.Errorf("the kept original of %s: %w", c, err)
			}
		}
		m, err := manifest.Process(data, c, weburl.Origin+f.url(c), weburl.Origin+f.inv.StartFile.URL)
		if err != nil {
			return nil, nil, "", err
		}
		if path.Ext(c) == ".json" && !slices.Contains(candidates[:linked], c) && (m.Lost || !slices.ContainsFunc(appMembers, m.Has)) {
			continue // some other manifest.json, such as an asset pipeline's
		}
		if m.Lost {
			p := m.Problems[0]
			return nil, nil, "", fmt.Errorf("%s:%d:%d: %s: %w", c, p.Line, p.Column, p.Message, ErrManifest)
		}
		return m, data, c, nil
	}
	return nil, nil, f.free(manifestNames...), nil
}

// appMembers are those by which a web app manifest is told from other files of the name.
var appMembers = []string{"name", "short_name", "start_url", "display", "icons"}

// manifest writes a new manifest or completes the site's own.
func (f *fitter) manifest(p string, original []byte, existing *manifest.Manifest, icons []icon.Icon) error {
	a := f.app
	images := icon.Entries(icons, func(i icon.Icon) string { return f.url(i.File) })
	var entries []manifest.Entry
	add := func(key, value string) {
		if value != "" {
			entries = append(entries, manifest.Entry{Key: key, Value: value})
		}
	}
	add("name", a.name)
	add("short_name", a.shortName)
	add("description", a.description)
	add("lang", a.lang)
	add("dir", a.dir)
	add("id", a.id)
	add("start_url", a.startURL)
	add("scope", a.scope)
	add("display", a.display)
	add("orientation", a.orientation)
	add("theme_color", a.theme)
	add("background_color", a.background)
	if len(a.shortcuts) > 0 {
		type link struct {
			Name string `json:"name"`
			URL  string `json:"url"`
		}
		var links []link
		for _, s := range a.shortcuts {
			links = append(links, link{s.Name, s.URL})
		}
		entries = append(entries, manifest.Entry{Key: "shortcuts", Value: links})
	}
	shots, err := f.screenshots()
	if err != nil {
		return err
	}
	if len(shots) > 0 {
		entries = append(entries, manifest.Entry{Key: "screenshots", Value: shots})
	}
	if len(images) > 0 {
		entries = append(entries, manifest.Entry{Key: "icons", Value: images})
	}
	for _, k := range slices.Sorted(maps.Keys(f.cfg.App.Members)) {
		entry := manifest.Entry{Key: k, Value: f.cfg.App.Members[k]}
		if i := slices.IndexFunc(entries, func(e manifest.Entry) bool { return e.Key == k }); i >= 0 {
			entries[i] = entry
		} else {
			entries = append(entries, entry)
		}
		f.plan.Inferences = slices.DeleteFunc(f.plan.Inferences, func(i Inference) bool { return i.What == k })
		f.plan.Inferences = append(f.plan.Inferences, Inference{k, inShort(entry.Value), f.cfg.File})
	}
	if existing == nil {
		data, err := manifest.Write(entries)
		if err != nil {
			return err
		}
		f.write("manifest", p, data)
		return nil
	}
	if existing.Has("start_url") { // what follows from a member of the user's is not decided for him
		entries = slices.DeleteFunc(entries, func(e manifest.Entry) bool { return e.Key == "scope" || e.Key == "id" })
	}
	data, added, err := manifest.Complete(original, entries)
	if err != nil {
		return fmt.Errorf("%s: %w", p, err)
	}
	if len(added) > 0 {
		f.remark("%s is the site's own: completed with %s; what it said stays", p, strings.Join(added, ", "))
		f.write("manifest", p, data)
	} else {
		f.remark("%s is the site's own and complete: left as it is", p)
	}
	if len(images) > 0 && !slices.Contains(added, "icons") {
		f.remark("the icons that %s names stay in use; the new ones lie beside them", p)
	}
	return nil
}

// inShort writes a member as one line of a few words.
func inShort(v any) string {
	switch v := v.(type) {
	case []any:
		if len(v) != 1 {
			return fmt.Sprintf("%d entries", len(v))
		}
		return "1 entry"
	case map[string]any:
		return strings.Join(slices.Sorted(maps.Keys(v)), ", ")
	}
	return fmt.Sprint(v)
}
