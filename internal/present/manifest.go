package present

import (
	"encoding/json"
	"fmt"
	"strings"

	"tachyform.dev/tachyform/internal/linked"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/platform"
)

// inAddress shortens an address that holds the manifest itself.
func inAddress(u string) string {
	if strings.HasPrefix(u, "data:") {
		return "in the address of its link"
	}
	return u
}

// ManifestView is a manifest as written and as a browser makes it; its JSON form is tachyform.manifest/1.
type ManifestView struct {
	Format    string               `json:"format"`
	URL       string               `json:"url"`
	Page      string               `json:"page"`
	ID        string               `json:"id"`
	Lost      bool                 `json:"lost"` // nothing of it is used
	Processed json.RawMessage      `json:"processed"`
	Written   json.RawMessage      `json:"written,omitempty"`
	Problems  []manifest.Problem   `json:"problems"`
	Platforms []ManifestOnPlatform `json:"platforms"`
	Source    string               `json:"source"` // of what the platforms honour

	members []writtenMember
}

// ManifestOnPlatform says what a platform makes of a manifest.
type ManifestOnPlatform struct {
	ID       string         `json:"id"`
	Name     string         `json:"name"`
	How      string         `json:"how"`
	Installs bool           `json:"installs"`
	Ignores  []string       `json:"ignores"` // members of the manifest that it does not look at
	Missing  []platform.Gap `json:"missing"`
}

// writtenMember is one member in the file's order.
type writtenMember struct{ key, written, made string }

// ManifestOf gathers what is to be said of a manifest.
func ManifestOf(f *linked.Found) (*ManifestView, error) {
	v := &ManifestView{Format: "tachyform.manifest/1", URL: f.URL, Page: f.Page, Problems: []manifest.Problem{}, Platforms: []ManifestOnPlatform{}, Source: platform.Source(), Processed: json.RawMessage("{}")}
	if f.Manifest == nil {
		v.Problems = append(v.Problems, manifest.Problem{Level: manifest.Blocker, File: f.Page, Line: f.Line, Column: f.Column, Message: f.Missing + "; browsers look at no other manifest", Mend: "put it there, or correct the link"})
		return v, nil
	}
	m := f.Manifest
	v.Lost = m.Lost
	v.Problems = append(v.Problems, m.Problems...)
	if m.Lost {
		return v, nil
	}
	own := strings.NewReplacer(`"`+f.Origin+"/", `"/`)
	raw, err := json.Marshal(m.Processed)
	if err != nil {
		return nil, err
	}
	v.Processed = json.RawMessage(own.Replace(string(raw)))
	v.ID = strings.TrimPrefix(m.Processed.ID, f.Origin)
	var made map[string]json.RawMessage
	if err := json.Unmarshal(v.Processed, &made); err != nil {
		return nil, err
	}
	written := m.Written()
	all := map[string]json.RawMessage{}
	for _, w := range written {
		all[w.Key] = w.Value
		v.members = append(v.members, writtenMember{w.Key, short(w.Value), short(made[w.Key])})
	}
	for _, key := range []string{"start_url", "scope", "id", "display", "dir"} { // what a browser fills in
		if _, ok := all[key]; !ok && len(made[key]) > 0 {
			v.members = append(v.members, writtenMember{key, "", short(made[key])})
		}
	}
	if v.Written, err = json.Marshal(all); err != nil {
		return nil, err
	}
	for _, p := range platform.All {
		on := ManifestOnPlatform{ID: p.ID, Name: p.Name, How: p.How, Installs: p.Installs, Ignores: []string{}, Missing: p.Gaps(m, f.Head)}
		for _, w := range written {
			if since, known := p.Since(w.Key); known && since == "" {
				on.Ignores = append(on.Ignores, w.Key)
			}
		}
		v.Platforms = append(v.Platforms, on)
	}
	return v, nil
}

// short writes a value on one line: lists of objects as what they name.
func short(v json.RawMessage) string {
	var list []map[string]any
	if json.Unmarshal(v, &list) == nil && len(list) > 0 {
		var parts []string
		for _, o := range list {
			for _, key := range []string{"src", "name", "action", "protocol", "origin", "platform"} {
				if s, ok := o[key].(string); ok {
					parts = append(parts, s)
					break
				}
			}
		}
		return fmt.Sprintf("%d: %s", len(list), strings.Join(parts, ", "))
	}
	return strings.Join(strings.Fields(string(v)), " ")
}

// Manifest writes what is written beside what a browser makes of it.
func (s *Style) Manifest(v *ManifestView) error {
	s.printf("%s\n", s.title.Render("Manifest "+inAddress(v.URL)))
	if v.Page != "" {
		s.printf("%s\n", s.faint.Render("linked by "+v.Page))
	}
	if len(v.members) > 0 {
		s.printf("\n  %s\n", s.faint.Render(pad("member", 28)+pad("written", s.column(44))+"a browser makes of it"))
	}
	for _, m := range v.members {
		made := ""
		switch {
		case m.made == "" && m.key != "$schema" && !strings.HasPrefix(m.key, "_"):
			made = s.faint.Render("nothing here")
			if known(m.key) {
				made = s.warn.Render("nothing")
			}
		case m.made != m.written:
			made = s.accent.Render(clip(m.made, s.column(48)))
		}
		w := clip(m.written, s.column(44)-2)
		if m.written == "" {
			w = s.faint.Render(pad("not written", s.column(44)))
		} else {
			w = pad(w, s.column(44))
		}
		s.printf("  %s%s%s\n", pad(clip(m.key, 27), 28), w, made)
	}
	s.problems(v.Problems)
	if len(v.Platforms) > 0 {
		s.printf("\n  %s\n", s.title.Render("Where it is honoured, and what is missing"))
	}
	for _, p := range v.Platforms {
		s.manifestOn(p)
	}
	if len(v.Platforms) > 0 {
		s.printf("\n  %s\n", s.faint.Render("Members by "+v.Source+"."))
	}
	return s.err
}

func known(member string) bool {
	for _, p := range platform.All {
		if since, _ := p.Since(member); since != "" {
			return true
		}
	}
	return false
}

func (s *Style) problems(list []manifest.Problem) {
	if len(list) == 0 {
		s.printf("\n  %s\n", s.good.Render("Nothing in it is dropped or changed by mistake."))
		return
	}
	s.printf("\n  %s\n", s.title.Render("Problems"))
	for _, p := range list {
		level := s.faint
		switch p.Level {
		case manifest.Blocker:
			level = s.bad
		case manifest.Warning:
			level = s.warn
		}
		s.printf("  %s %s\n", level.Render(pad(string(p.Level), 8)), s.accent.Render(fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column))+" "+p.Member)
		s.printf("           %s\n", s.wrap(p.Message, 100, 11))
		if p.Mend != "" {
			s.printf("           %s\n", s.faint.Render("mend: "+p.Mend))
		}
	}
}

func (s *Style) manifestOn(p ManifestOnPlatform) {
	verdict := s.good.Render("installs ")
	var blocks, better []string
	for _, g := range p.Missing {
		if g.Blocks {
			blocks = append(blocks, g.What)
		} else {
			better = append(better, g.What)
		}
	}
	if !p.Installs || len(blocks) > 0 {
		verdict = s.bad.Render("does not ")
	}
	s.printf("  %s %s %s\n", verdict, pad(p.Name, 26), s.faint.Render(p.How))
	line := func(what string, list []string) {
		if len(list) > 0 {
			s.printf("            %s %s\n", s.faint.Render(pad(what, 26)), s.wrap(strings.Join(list, ", "), 80, 39))
		}
	}
	line("it needs", blocks)
	line("better with", better)
	if p.Installs {
		line("does not look at", p.Ignores)
	}
}
