package fitting

import (
	"context"
	"fmt"
	"image/color"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/site"
)

// icons makes the icon set, or takes the one that lies there when it was made from the same master.
func (f *fitter) icons(ctx context.Context) ([]icon.Icon, error) {
	name, data, err := f.masterData()
	if err != nil {
		return nil, err
	}
	opts, more, err := f.iconOptions(ctx)
	if err != nil {
		return nil, err
	}
	dir := "icons"
	for _, w := range icon.Standard {
		if p := path.Join(dir, w.File); w.Purpose != icon.Favicon {
			if _, taken := f.site.File(p); taken && !f.isOurs(p) {
				dir = "app-icons"
			}
		}
	}
	keyOf := func(data []byte) string {
		return digest(fmt.Appendf(nil, "%s %s %s %v %s %s", icon.Generation, digest(data), dir, opts.Backgrounds, f.cfg.Icons.Background, more))
	}
	key := keyOf(data)
	set := f.sameIcons(key, dir)
	if set == nil {
		master, err := f.load(ctx, name, data, opts)
		if err != nil && f.cfg.Icons.Master == "" && f.app.master != "" && ctx.Err() == nil { // only a guess: it need not be right
			f.remark("%v; a letter is drawn instead", err)
			name, data = "the drawn letter", letterMark(f.app.name, f.app.theme)
			f.app.master = ""
			key = keyOf(data) // it shows the name and the theme colour, too
			master, err = f.load(ctx, name, data, opts)
		}
		if err != nil {
			return nil, err
		}
		for _, w := range master.Warnings {
			f.remark("%s: %s", name, w)
		}
		made, remarks, err := draw(ctx, key+" "+name, master, opts)
		if err != nil {
			return nil, err
		}
		f.plan.Remarks = append(f.plan.Remarks, remarks...)
		for _, i := range made {
			i.File = iconPath(dir, i.Want)
			set = append(set, i)
		}
	}
	for _, i := range set {
		switch {
		case i.Purpose == icon.Favicon && f.foreignFavicon():
		case i.Purpose == icon.Vector && f.masterInSite() != "": // it can be linked where it lies
		default:
			f.write("icon", i.File, i.Data)
		}
	}
	f.plan.next = &record{Format: recordFormat, Files: map[string]recorded{}, Icons: key, Base: f.site.Base}
	return set, nil
}

// draw makes a set. The key names all that it depends on; tests draw each only once by it.
var draw = func(ctx context.Context, _ string, m *icon.Master, o icon.Options) ([]icon.Icon, []string, error) {
	return icon.Make(ctx, m, icon.Wants(m, nil, o), o)
}

func iconPath(dir string, w icon.Want) string {
	if w.Purpose == icon.Favicon {
		return w.File
	}
	return path.Join(dir, w.File)
}

// masterData reads the master: the picture that was named or found, or a drawn letter.
func (f *fitter) masterData() (name string, data []byte, err error) {
	switch name = f.app.master; {
	case name == "":
		return "the drawn letter", letterMark(f.app.name, f.app.theme), nil
	case f.cfg.Icons.Master != "":
		data, err = f.master(name)
	default:
		data, err = f.site.Read(name)
	}
	return name, data, err
}

// masterInSite gives the path of an SVG master that is a file of the site, "" for another.
func (f *fitter) masterInSite() string {
	if !strings.HasSuffix(strings.ToLower(f.app.master), ".svg") {
		return ""
	}
	if f.cfg.Icons.Master == "" {
		return f.app.master
	}
	p := strings.TrimPrefix(path.Clean(filepath.ToSlash(f.cfg.Icons.Master)), "/")
	if _, ok := f.site.File(p); ok {
		return p
	}
	return ""
}

// load reads a master, and makes it square as the configuration says.
func (f *fitter) load(ctx context.Context, name string, data []byte, o icon.Options) (*icon.Master, error) {
	m, err := icon.Load(ctx, name, data)
	if err != nil {
		return nil, err
	}
	return m, m.Square(ctx, f.cfg.Icons.Square, o.Background)
}

// iconOptions gives what the icons are made with beside the master, and a text that tells versions of it apart.
func (f *fitter) iconOptions(ctx context.Context) (opts icon.Options, more string, err error) {
	for _, c := range []string{f.app.background, f.app.theme} {
		if col, ok := csscolor.Parse(c); ok {
			opts.Backgrounds = append(opts.Backgrounds, col.NRGBA)
		}
	}
	if f.cfg.Icons.Background != "" {
		if col, ok := csscolor.Parse(f.cfg.Icons.Background); ok {
			opts.Background = &color.NRGBA{R: col.R, G: col.G, B: col.B, A: 255}
		}
	}
	switch f.cfg.Icons.Effort {
	case "quick":
		opts.Effort = icon.Quick
	case "small":
		opts.Effort = icon.Small
	}
	more = f.cfg.Icons.Effort + " " + f.cfg.Icons.Square + " "
	for _, other := range []struct {
		name string
		to   **icon.Master
	}{{f.cfg.Icons.Small, &opts.Small}, {f.cfg.Icons.Maskable, &opts.Maskable}, {f.cfg.Icons.Dark, &opts.Dark}} {
		more += "| "
		if other.name == "" {
			continue
		}
		data, err := f.master(other.name)
		if err != nil {
			return opts, "", err
		}
		more += digest(data) + " "
		if *other.to, err = f.load(ctx, other.name, data, opts); err != nil {
			return opts, "", err
		}
	}
	return opts, more, nil
}

// sameIcons gives the icons that lie in the site when they were made from the same, nil when they were not.
func (f *fitter) sameIcons(key, dir string) []icon.Icon {
	if f.rec.Icons != key || f.cfg.Icons.Square != "" && f.masterInSite() != "" { // whether an SVG was square already is not known
		return nil
	}
	var set []icon.Icon
	optional := []icon.Want{{File: "monochrome-512.png", Purpose: icon.Mono, Sizes: []int{512}}, {File: "icon.svg", Purpose: icon.Vector}}
	for n, w := range slices.Concat(icon.Standard, optional, icon.DarkIcons) {
		i := icon.Icon{Want: w, Type: site.TypeOf(w.File)}
		i.File = iconPath(dir, w)
		_, known := f.rec.Files[i.File]
		switch {
		case w.Purpose == icon.Favicon && f.foreignFavicon():
			set = append(set, i)
			continue
		case n >= len(icon.Standard) && !known:
			if w.Purpose != icon.Vector || f.masterInSite() == "" {
				continue
			}
			set = append(set, i)
			continue
		case !f.isOurs(i.File):
			return nil
		}
		var err error
		if i.Data, err = f.site.Read(i.File); err != nil {
			return nil
		}
		set = append(set, i)
	}
	return set
}
