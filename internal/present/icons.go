package present

import (
	"encoding/json"
	"strings"

	"tachyform.dev/tachyform/internal/icon"
)

// IconsReport is what making an icon set came to; its JSON form is tachyform.icons/1.
type IconsReport struct {
	Format   string       `json:"format"`
	Master   string       `json:"master"`
	Out      string       `json:"out"`
	Files    []IconFile   `json:"files"`
	Entries  []icon.Entry `json:"icons"` // as the manifest's member
	Tags     []string     `json:"tags"`
	Manifest string       `json:"manifest"` // file that got the entries, "" for none
	Sheet    string       `json:"sheet"`
	Remarks  []string     `json:"remarks"`
}

// IconFile is one file of a set.
type IconFile struct {
	File    string `json:"file"`
	Purpose string `json:"purpose"`
	Sizes   []int  `json:"sizes"`
	Type    string `json:"type"`
	Bytes   int    `json:"bytes"`
	State   string `json:"state"` // written or unchanged
}

// Icons says what was made, and what belongs into the manifest and the pages.
func (s *Style) Icons(r *IconsReport) error {
	written, total := 0, int64(0)
	for _, f := range r.Files {
		total += int64(f.Bytes)
		if f.State == "written" {
			written++
		}
	}
	what := count(written, "file") + " written"
	if written == 0 {
		what = "nothing to do, every file is as it should be"
	}
	s.printf("%s %s, %s in all\n\n", s.title.Render("Icons from "+r.Master+" in "+r.Out+":"), what, Bytes(total))
	for _, f := range r.Files {
		var sizes []string
		for _, n := range f.Sizes {
			sizes = append(sizes, itoa(n))
		}
		size := strings.Join(sizes, ", ") + " px"
		if len(sizes) == 0 {
			size = "any size"
		}
		state := s.good
		if f.State == "unchanged" {
			state = s.faint
		}
		s.printf("  %s %s %s %s\n", state.Render(pad(f.State, 9)), pad(f.File, 26), pad(f.Purpose, 11), s.faint.Render(pad(size, 14)+Bytes(int64(f.Bytes))))
	}
	if r.Manifest != "" {
		s.printf("  %s %s\n", s.good.Render(pad("completed", 9)), r.Manifest+s.faint.Render(" got the icons member"))
	}
	if r.Sheet != "" {
		s.printf("  %s %s\n", s.good.Render(pad("drawn", 9)), r.Sheet+s.faint.Render(" shows them all"))
	}
	if r.Manifest == "" {
		var lines []string
		for _, e := range r.Entries {
			line, err := json.Marshal(e)
			if err != nil {
				return err
			}
			lines = append(lines, "    "+string(line))
		}
		s.printf("\n  %s\n  \"icons\": [\n%s\n  ]\n", s.title.Render("For the manifest"), strings.Join(lines, ",\n"))
	}
	s.printf("\n  %s\n", s.title.Render("For the head of every page"))
	for _, t := range r.Tags {
		s.printf("  %s\n", t)
	}
	if len(r.Remarks) > 0 {
		s.printf("\n  %s\n", s.title.Render("To know"))
		for _, m := range r.Remarks {
			s.printf("  %s\n", s.wrap(m, 110, 2))
		}
	}
	return s.err
}
