package present

import (
	"fmt"
	"strings"

	"tachyform.dev/tachyform/internal/glossary"
	"tachyform.dev/tachyform/internal/platform"
)

// WordList is words as data; its JSON form is tachyform.words/1.
type WordList struct {
	Format string     `json:"format"`
	Source string     `json:"source"` // where the versions come from, with their date
	Words  []WordInfo `json:"words"`
}

// WordInfo is what a member of a manifest, a tag or a word of the configuration means to visitors.
type WordInfo struct {
	Name      string         `json:"name"`
	Kind      string         `json:"kind"`
	Means     string         `json:"means"`
	Values    []WordValue    `json:"values"`
	With      []string       `json:"with"`    // what matters together with it
	Changed   string         `json:"changed"` // what happens to visitors who have the app when it changes
	Platforms []WordPlatform `json:"platforms"`
	Spec      string         `json:"spec"`
}

// WordValue is a value and what visitors see with it.
type WordValue struct {
	Name  string `json:"name"`
	Means string `json:"means"`
}

// WordPlatform says from which version on a platform looks at a member.
type WordPlatform struct {
	ID    string `json:"id"`
	Name  string `json:"name"`
	Since string `json:"since"` // version of its browser, "" for none
}

// WordsOf turns words into what is shown of them.
func WordsOf(words []glossary.Word) *WordList {
	l := &WordList{Format: "tachyform.words/1", Source: platform.Source(), Words: []WordInfo{}}
	for _, w := range words {
		i := WordInfo{Name: w.Name, Kind: string(w.Kind), Means: w.Means, Values: []WordValue{}, With: append([]string{}, w.With...), Changed: w.Changed, Platforms: []WordPlatform{}, Spec: w.Spec}
		for _, v := range w.Values {
			i.Values = append(i.Values, WordValue(v))
		}
		for _, p := range platform.All {
			if since, known := p.Since(w.Name); known && w.Kind == glossary.Member {
				i.Platforms = append(i.Platforms, WordPlatform{p.ID, p.Name, since})
			}
		}
		l.Words = append(l.Words, i)
	}
	return l
}

// Words writes words in full.
func (s *Style) Words(l *WordList) error {
	for n, w := range l.Words {
		if n > 0 {
			s.sayf("\n")
		}
		s.sayf("%s  %s\n\n", s.title.Render(w.Name), s.faint.Render(w.Kind))
		s.row("means", s.wrap(w.Means, 96, 18))
		label, wide := "values", 0
		for _, v := range w.Values {
			wide = max(wide, len(v.Name))
		}
		for _, v := range w.Values {
			if wide <= 24 {
				s.row(label, s.accent.Render(pad(v.Name, wide))+"  "+lines(s.faint, s.wrap(v.Means, 94-wide, 20+wide)))
			} else {
				s.row(label, s.accent.Render(v.Name))
				s.row("", "  "+lines(s.faint, s.wrap(v.Means, 94, 20)))
			}
			label = ""
		}
		label = "together with"
		for _, x := range w.With {
			s.row(label, s.wrap(x, 96, 18))
			label = ""
		}
		if w.Changed != "" {
			s.row("when it changes", s.wrap(w.Changed, 96, 18))
		}
		if len(w.Platforms) > 0 {
			s.row("looked at by", s.wrap(platforms(w), 96, 18))
		}
		s.row("follows", s.faint.Render(w.Spec))
	}
	return s.err
}

// platforms says who looks at a member, in words.
func platforms(w WordInfo) string {
	var yes, no []string
	for _, p := range w.Platforms {
		if p.Since == "" {
			no = append(no, p.Name)
		} else {
			yes = append(yes, p.Name+" since "+p.Since)
		}
	}
	switch {
	case len(yes) == 0:
		return "nobody of " + strings.Join(no, "; ")
	case len(no) == 0:
		return strings.Join(yes, "; ")
	}
	return strings.Join(yes, "; ") + ". Not by " + strings.Join(no, "; ")
}

// WordsMarkdown writes the reference of words.
func WordsMarkdown(l *WordList) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# What members, tags and words mean\n\nWritten from what `tachyform explain NAME` says. Versions are those of %s.\n", l.Source)
	kind := ""
	for _, w := range l.Words {
		if w.Kind != kind {
			kind = w.Kind
			fmt.Fprintf(&b, "\n## %s\n", map[string]string{string(glossary.Member): "Members of the manifest", string(glossary.Tag): "Tags of pages", string(glossary.Answer): "Answers of rules", string(glossary.Question): "Questions"}[kind])
		}
		fmt.Fprintf(&b, "\n### %s\n\n%s\n", w.Name, w.Means)
		if len(w.Values) > 0 {
			b.WriteString("\n")
		}
		for _, v := range w.Values {
			fmt.Fprintf(&b, "- **%s**: %s\n", v.Name, v.Means)
		}
		if len(w.With) > 0 {
			fmt.Fprintf(&b, "\n%s\n", strings.Join(w.With, " "))
		}
		if w.Changed != "" {
			fmt.Fprintf(&b, "\nWhen it changes: %s\n", w.Changed)
		}
		if len(w.Platforms) > 0 {
			fmt.Fprintf(&b, "\nLooked at by %s.\n", strings.TrimSuffix(platforms(w), "."))
		}
		fmt.Fprintf(&b, "\nFollows: %s\n", w.Spec)
	}
	return b.String()
}

// WordNames lists the words that can be explained.
func (s *Style) WordNames(names []string) error {
	s.sayf("\n  %s\n  %s\n", s.title.Render("Words that are explained, too"), lines(s.faint, s.wrap(strings.Join(names, ", "), 110, 2)))
	return s.err
}
