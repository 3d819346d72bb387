package present

import (
	"runtime"

	"tachyform.dev/tachyform/internal/licences"
)

// LicenceList is what is built in; its JSON form is tachyform.licences/1.
type LicenceList struct {
	Format string          `json:"format"`
	Parts  []licences.Part `json:"parts"`
}

// LicencesOf makes a list of parts, with their texts or without.
func LicencesOf(parts []licences.Part, texts bool) *LicenceList {
	l := &LicenceList{Format: "tachyform.licences/1", Parts: []licences.Part{}}
	for _, p := range parts {
		if p.Name == "Go" {
			p.Version = runtime.Version()
		}
		if !texts {
			p.Text = ""
		}
		l.Parts = append(l.Parts, p)
	}
	return l
}

// Licences writes the list, or the texts.
func (s *Style) Licences(l *LicenceList) error {
	texts := false
	for i, p := range l.Parts {
		if p.Text != "" {
			if texts = true; i > 0 {
				s.printf("\n\n")
			}
			s.printf("%s\n\n%s", s.title.Render(p.Name+" "+p.Version+", "+p.Licence), p.Text)
			continue
		}
		s.printf("  %s %s %s\n", pad(clip(p.Name, 44), 44), pad(clip(p.Version, 18), 18), p.Licence)
	}
	if texts {
		return s.err
	}
	return s.Next("tachyform licences NAME", "print the text of one; --all of all")
}
