package present

import (
	_ "embed"
	"html/template"
	"io"
	"slices"
	"unicode"
	"unicode/utf8"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/likeness"
	"tachyform.dev/tachyform/internal/platform"
)

//go:embed likeness.html
var likenessTemplate string

//go:embed likenesspage.html
var likenessPageTemplate string

var likenessPage = template.Must(template.Must(template.New("likeness").Funcs(likenessFuncs(nil)).Parse(likenessTemplate)).New("page").Parse(likenessPageTemplate))

// drawing is how an app looks on some platforms, with each picture once.
type drawing struct {
	Name, Host string
	Alone      bool // on a page of its own
	Looks      []*likeness.Look
	Pictures   []drawn
	pictures   []*likeness.Picture
}

// drawn is a picture of a page, once.
type drawn struct {
	Number int
	URL    template.URL
}

// draw lays out how an app looks; nil without an app.
func draw(a *likeness.App, on []platform.Platform) *drawing {
	if a == nil {
		return nil
	}
	d := &drawing{Name: a.Name, Host: a.Host}
	for _, p := range on {
		if l := a.On(p); l != nil {
			d.Looks = append(d.Looks, l)
		}
	}
	note := func(p *likeness.Picture) {
		if p != nil && !slices.Contains(d.pictures, p) {
			d.Pictures = append(d.Pictures, drawn{len(d.pictures), pictureURL(p.Data, p.Type)})
			d.pictures = append(d.pictures, p)
		}
	}
	for _, l := range d.Looks {
		for _, s := range l.Scenes {
			for _, t := range s.Tiles {
				note(t.Picture)
			}
			for _, f := range s.Frames {
				note(f.Picture)
			}
			for _, p := range s.Pictures {
				note(p)
			}
		}
	}
	return d
}

// likenessFuncs are what the templates call; of a drawing that is not there yet they only have names.
func likenessFuncs(d *drawing) template.FuncMap {
	return template.FuncMap{
		"number": func(p *likeness.Picture) int { return slices.Index(d.pictures, p) },
		"css": func(c likeness.Colour) template.CSS {
			if p, ok := csscolor.Parse(string(c)); ok {
				return template.CSS(p.Hex()) //nolint:gosec // six or eight hexadecimal digits
			}
			return "transparent"
		},
		"initial": func(name string) string {
			for _, r := range name {
				if unicode.IsLetter(r) {
					return string(unicode.ToUpper(r))
				}
			}
			r, _ := utf8.DecodeRuneInString(name)
			return string(r)
		},
	}
}

// Likeness writes a page that shows how an installed app will look on some platforms. It asks nothing of anybody.
func Likeness(w io.Writer, a *likeness.App, on []platform.Platform) error {
	d := draw(a, on)
	d.Alone = true
	t, err := likenessPage.Clone()
	if err != nil {
		return err
	}
	return t.Funcs(likenessFuncs(d)).Execute(w, d)
}

// Sheet says what was drawn of an app; its JSON form is tachyform.sheet/1.
type Sheet struct {
	Format string       `json:"format"`
	File   string       `json:"file"`
	Name   string       `json:"name"`
	Looks  []SheetLooks `json:"platforms"`
}

// SheetLooks is what was drawn for one platform.
type SheetLooks struct {
	ID     string       `json:"id"`
	Name   string       `json:"name"`
	Scenes []SheetScene `json:"views"`
}

// SheetScene is one view and what was assumed for it.
type SheetScene struct {
	Kind    string `json:"kind"`
	Title   string `json:"title"`
	Assumed string `json:"assumed"`
}

// SheetFormat names the shape.
const SheetFormat = "tachyform.sheet/1"

// SheetOf lists what is drawn of an app.
func SheetOf(a *likeness.App, on []platform.Platform, file string) *Sheet {
	out := &Sheet{Format: SheetFormat, File: file, Name: a.Name, Looks: []SheetLooks{}}
	for _, p := range on {
		l := a.On(p)
		if l == nil {
			continue
		}
		entry := SheetLooks{p.ID, p.Name, []SheetScene{}}
		for _, s := range l.Scenes {
			entry.Scenes = append(entry.Scenes, SheetScene{string(s.Kind), s.Title, s.Assumed})
		}
		out.Looks = append(out.Looks, entry)
	}
	return out
}

// Sheet writes what was drawn, and what was assumed.
func (s *Style) Sheet(v *Sheet) error {
	s.printf("%s\n", s.title.Render("How "+v.Name+" will look"))
	for _, l := range v.Looks {
		s.printf("\n%s\n", s.accent.Render(l.Name))
		for _, sc := range l.Scenes {
			s.printf("  %s\n%s\n", sc.Title, lines(s.faint, "      "+s.wrap(sc.Assumed, 72, 6)))
		}
	}
	s.printf("\n%s shows all of it; nothing else was written.\n", v.File)
	return s.err
}
