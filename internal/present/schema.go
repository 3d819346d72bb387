package present

import (
	"embed"
	"strings"
)

//go:embed schemas/*.json
var schemas embed.FS

// SchemaInfo says what a form of the machine output is.
type SchemaInfo struct {
	Name    string `json:"name"`
	Format  string `json:"format"`  // what the field "format" says in it
	Command string `json:"command"` // that prints it
}

// SchemaList is all forms of the machine output; its JSON form is tachyform.schemas/1.
type SchemaList struct {
	Format  string       `json:"format"`
	Schemas []SchemaInfo `json:"schemas"`
}

// DraftReport is what draft wrote; its JSON form is tachyform.draft/1.
type DraftReport struct {
	Format string `json:"format"`
	File   string `json:"file"`
	Bytes  int    `json:"bytes"`
}

// schemaNames are the forms in the order of the commands.
var schemaNames = []SchemaInfo{
	{"survey", "tachyform.survey/1", "survey SITE"},
	{"draft", "tachyform.draft/1", "draft SITE"},
	{"icons", "tachyform.icons/1", "icons MASTER --out DIR"},
	{"manifest", "tachyform.manifest/1", "manifest SITE"},
	{"sheet", SheetFormat, "manifest SITE --sheet FILE"},
	{"rules", "tachyform.rules/1", "rules SITE"},
	{"fit", "tachyform.fit/1", "fit SITE"},
	{"rehearsal", "tachyform.rehearsal/1", "rehearse SITE"},
	{"audit", "tachyform.audit/1", "audit SITE"},
	{"comparison", "tachyform.comparison/1", "compare OLD NEW"},
	{"checks", "tachyform.checks/1", "explain"},
	{"words", "tachyform.words/1", "explain theme_color"},
	{"strip", "tachyform.strip/1", "strip SITE"},
	{"retirement", "tachyform.retirement/1", "retire SITE"},
	{"recording", "tachyform.recording/1", "record URL"},
	{"hosting", "tachyform.hosting/1", "headers SITE --for json"},
	{"licences", "tachyform.licences/1", "licences"},
	{"schemas", "tachyform.schemas/1", "schema"},
}

// Schemas lists the forms of the machine output.
func Schemas() *SchemaList { return &SchemaList{Format: "tachyform.schemas/1", Schemas: schemaNames} }

// Schema gives the JSON Schema (draft 2020-12) of a form, by its name or by its format such as "tachyform.audit/1".
func Schema(name string) ([]byte, bool) {
	short, _, _ := strings.Cut(strings.TrimPrefix(name, "tachyform."), "/")
	data, err := schemas.ReadFile("schemas/" + short + ".json")
	return data, err == nil
}

// Schemas writes the list of forms.
func (s *Style) Schemas(l *SchemaList) error {
	if err := s.Heading("What --format json prints, described as JSON Schema"); err != nil {
		return err
	}
	wide := 0
	for _, i := range l.Schemas {
		wide = max(wide, len(i.Name))
	}
	for _, i := range l.Schemas {
		s.sayf("  %-*s  %-22s  %s\n", wide, i.Name, i.Format, s.faint.Render("tachyform "+i.Command+" --format json"))
	}
	s.sayf("  %-*s  %-22s  %s\n", wide, "config", "", s.faint.Render("tachyform.toml itself, for editors"))
	return s.Next("tachyform schema audit", "print one of them")
}
