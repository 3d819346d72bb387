package cli

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/color"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/present"
	"tachyform.dev/tachyform/internal/regular"
	"tachyform.dev/tachyform/internal/sheet"
	"tachyform.dev/tachyform/internal/site"
)

// iconFlags are the options of the icons command.
type iconFlags struct {
	out, background, small, maskable, dark, square, manifest, sheet, effort, name string
	sizes                                                                         []int
	shortcuts                                                                     []string
	force                                                                         bool
}

func (a *app) iconsCommand() *cobra.Command {
	var f iconFlags
	cmd := &cobra.Command{
		Use:   "icons MASTER --out DIR",
		Short: "Make the icon set that every platform wants from one picture",
		Long: `Icons draws an icon set from MASTER, an SVG, PNG, JPEG, WebP or GIF: icons for the manifest, one inside the safe zone
of round masks, an opaque one for touch screens, a favicon with three sizes; a monochrome one when the shape alone is an
icon; and the SVG itself when it is one. It prints the manifest's entries and the tags for pages.

"tachyform fit" does the same for a whole site. Files that are there already are left alone unless they are the same or
--force is given.`,
		Example: "  tachyform icons mark.svg --out icons\n  tachyform icons mark.png --out icons --sizes 96,256 --backdrop \"#0b4f6c\" --sheet sheet.png\n  tachyform icons mark.svg --out dist/app-icons --list-in dist/app.webmanifest",
		Args:    cobra.ExactArgs(1),
		RunE: func(cmd *cobra.Command, args []string) error {
			return a.icons(cmd.Context(), args[0], f)
		},
	}
	fl := cmd.Flags()
	fl.StringVar(&f.out, "out", "", "`folder` for the icons")
	fl.StringVar(&f.background, "backdrop", "", "`colour` under maskable and touch icons (default: what the picture stands out from)")
	fl.IntSliceVar(&f.sizes, "sizes", nil, "more `sizes` in px, such as 96,256")
	fl.StringVar(&f.small, "small", "", "another picture `file` for sizes of up to 48 px")
	fl.StringVar(&f.maskable, "maskable", "", "another picture `file` for the maskable icon")
	fl.StringVar(&f.dark, "dark", "", "another picture `file` for tabs of dark windows")
	fl.StringVar(&f.square, "square", "bands", "`way` to make pictures square: bands beside them, crop to their middle, or fill the bands")
	fl.StringSliceVar(&f.shortcuts, "shortcut", nil, "picture `file` of a shortcut, drawn at 96 px (repeatable)")
	fl.StringVar(&f.manifest, "list-in", "", "manifest `file` that gets the entries, unless it has icons; paths are seen from there")
	fl.StringVar(&f.sheet, "sheet", "", "contact sheet `file` to draw, .png or .html")
	fl.StringVar(&f.name, "name", "", "name on the contact sheet (default: the file's name)")
	fl.StringVar(&f.effort, "effort", "usual", "time for small files: quick, usual or small")
	fl.BoolVar(&f.force, "force", false, "replace files that are there already")
	return cmd
}

func (a *app) icons(ctx context.Context, name string, f iconFlags) error {
	if err := a.checkFormat(); err != nil {
		return err
	}
	opts, master, err := iconOptions(ctx, name, f)
	if err != nil {
		return usage(err)
	}
	set, remarks, err := icon.Make(ctx, master, icon.Wants(master, f.sizes, opts), opts)
	if err != nil {
		return usage(err)
	}
	for _, s := range f.shortcuts {
		made, err := shortcutIcon(ctx, s, opts)
		if err != nil {
			return usage(err)
		}
		set = append(set, made)
	}
	for _, w := range master.Warnings {
		remarks = append(remarks, name+": "+w)
	}
	report := &present.IconsReport{Format: "tachyform.icons/1", Master: name, Out: filepath.ToSlash(f.out), Files: []present.IconFile{}, Remarks: append([]string{}, remarks...)}
	if err := writeIcons(set, f, report); err != nil {
		return err
	}
	if err := completeIcons(set, f, report); err != nil {
		return err
	}
	if f.sheet != "" {
		if err := contactSheet(set, name, f); err != nil {
			return err
		}
		report.Sheet = filepath.ToSlash(f.sheet)
	}
	return a.emit(func(st *present.Style) error { return st.Icons(report) }, report)
}

// iconOptions checks the flags and reads the pictures, before anything is written.
func iconOptions(ctx context.Context, name string, f iconFlags) (icon.Options, *icon.Master, error) {
	opts := icon.Options{}
	switch f.effort {
	case "quick":
		opts.Effort = icon.Quick
	case "usual":
	case "small":
		opts.Effort = icon.Small
	default:
		return opts, nil, fmt.Errorf("--effort %s: it is quick, usual or small", f.effort)
	}
	if f.out == "" {
		return opts, nil, errors.New("--out DIR says where the icons go")
	}
	if e := strings.ToLower(filepath.Ext(f.sheet)); f.sheet != "" && e != ".png" && e != ".html" {
		return opts, nil, fmt.Errorf("--sheet %s: a contact sheet is .png or .html", f.sheet)
	}
	for _, n := range f.sizes {
		if n < 8 || n > 2048 {
			return opts, nil, fmt.Errorf("--sizes %d: icons have 8 to 2048 px", n)
		}
	}
	if f.background != "" {
		c, ok := csscolor.Parse(f.background)
		if !ok {
			return opts, nil, fmt.Errorf("--backdrop %q is no colour by CSS syntax", f.background)
		}
		opts.Background = &color.NRGBA{R: c.R, G: c.G, B: c.B, A: 255}
	}
	if f.manifest != "" { // before anything is drawn, it must be one that entries can be put into
		data, err := regular.ReadFile(f.manifest, regular.Small)
		if errors.Is(err, os.ErrNotExist) {
			return opts, nil, fmt.Errorf("--list-in %s: there is no such file; without --list-in the entries are printed", f.manifest)
		}
		if err != nil {
			return opts, nil, fmt.Errorf("--list-in: %w", err)
		}
		if _, _, err := manifest.Complete(data, nil); err != nil {
			return opts, nil, fmt.Errorf("--list-in %s: %w", f.manifest, err)
		}
	}
	if !slices.Contains(icon.Squares, f.square) {
		return opts, nil, fmt.Errorf("--square %s: it is bands, crop or fill", f.square)
	}
	load := func(name string) (*icon.Master, error) {
		m, err := loadMaster(ctx, name)
		if err != nil {
			return nil, err
		}
		return m, m.Square(ctx, f.square, opts.Background)
	}
	master, err := load(name)
	if err != nil {
		return opts, nil, err
	}
	for _, other := range []struct {
		name string
		to   **icon.Master
	}{{f.small, &opts.Small}, {f.maskable, &opts.Maskable}, {f.dark, &opts.Dark}} {
		if other.name != "" {
			if *other.to, err = load(other.name); err != nil {
				return opts, nil, err
			}
		}
	}
	return opts, master, nil
}

func loadMaster(ctx context.Context, name string) (*icon.Master, error) {
	info, err := os.Stat(name)
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return nil, fmt.Errorf("%s: there is no such file", name)
	case err != nil:
		return nil, err
	case info.IsDir():
		return nil, fmt.Errorf("%s: is a folder; name the picture in it", name)
	case info.Size() > icon.MaxBytes:
		return nil, fmt.Errorf("%s: %d bytes; masters of at most %d bytes are read", name, info.Size(), icon.MaxBytes)
	}
	data, err := regular.ReadFile(name, regular.Large)
	if err != nil {
		return nil, err
	}
	return icon.Load(ctx, name, data)
}

// shortcutIcon draws a picture for an entry of the manifest's shortcuts.
func shortcutIcon(ctx context.Context, name string, opts icon.Options) (icon.Icon, error) {
	m, err := loadMaster(ctx, name)
	if err != nil {
		return icon.Icon{}, err
	}
	base := strings.TrimSuffix(filepath.Base(name), filepath.Ext(name))
	made, _, err := icon.Make(ctx, m, []icon.Want{{File: "shortcut-" + base + "-96.png", Purpose: icon.Shortcut, Sizes: []int{96}}}, opts)
	if err != nil {
		return icon.Icon{}, err
	}
	return made[0], nil
}

// writeIcons writes the set: first everything is looked at, then everything is written.
func writeIcons(set []icon.Icon, f iconFlags, report *present.IconsReport) error {
	var taken []string
	for _, i := range set {
		p := filepath.Join(f.out, i.File)
		old, err := regular.ReadFile(p, regular.Large)
		state := "written"
		switch {
		case err == nil && bytes.Equal(old, i.Data):
			state = "unchanged"
		case err == nil && !f.force:
			taken = append(taken, i.File)
		case err != nil && !errors.Is(err, fs.ErrNotExist):
			return broken(err)
		}
		file := present.IconFile{File: i.File, Purpose: i.Purpose, Sizes: append([]int{}, i.Sizes...), Type: i.Type, Bytes: len(i.Data), State: state}
		report.Files = append(report.Files, file)
	}
	if len(taken) > 0 {
		return usage(fmt.Errorf("nothing was written: %s has other files of the names %s; --force replaces them", f.out, strings.Join(taken, ", ")))
	}
	if err := os.MkdirAll(f.out, 0o755); err != nil {
		return broken(err)
	}
	for n, i := range set {
		if report.Files[n].State == "unchanged" {
			continue
		}
		if err := writeFile(filepath.Join(f.out, i.File), i.Data); err != nil {
			return broken(fmt.Errorf("%w; %d of %d icons were written", err, n, len(set)))
		}
	}
	return nil
}

// writeFile writes beside the file and renames.
func writeFile(name string, data []byte) error {
	t, err := os.CreateTemp(filepath.Dir(name), ".tachyform-*")
	if err != nil {
		return err
	}
	_, err = t.Write(data)
	if err == nil {
		err = t.Chmod(0o644)
	}
	if err == nil {
		err = t.Sync()
	}
	if e := t.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(t.Name(), name)
	}
	if err != nil {
		_ = os.Remove(t.Name())
	}
	return err
}

// completeIcons draws up the manifest's entries and the tags, and puts the entries into a manifest when one is named.
func completeIcons(set []icon.Icon, f iconFlags, report *present.IconsReport) error {
	from := filepath.Dir(f.manifest)
	if f.manifest == "" {
		from = f.out
	}
	at := func(i icon.Icon) string {
		rel, err := filepath.Rel(from, filepath.Join(f.out, i.File))
		if err != nil { // on another drive
			rel = filepath.Join(f.out, i.File)
		}
		return site.EscapePath(filepath.ToSlash(rel))
	}
	report.Entries = icon.Entries(set, at)
	dark := ""
	for _, i := range set {
		switch i.Purpose {
		case icon.Touch:
			report.Tags = append(report.Tags, fmt.Sprintf(`<link rel="apple-touch-icon" href="%s">`, at(i)))
		case icon.Favicon:
			report.Tags = append(report.Tags, fmt.Sprintf(`<link rel="icon" href="%s" sizes="16x16 32x32 48x48">`, at(i)))
		case icon.Dark:
			dark = fmt.Sprintf(`<link rel="icon" type="%s" href="%s" media="(prefers-color-scheme: dark)">`, i.Type, at(i))
		case icon.Vector:
			report.Tags = append(report.Tags, fmt.Sprintf(`<link rel="icon" type="image/svg+xml" href="%s">`, at(i)))
		}
	}
	if dark != "" { // behind the others: of several that fit, browsers take the last
		report.Tags = append(report.Tags, dark)
	}
	if f.manifest == "" {
		return nil
	}
	data, err := regular.ReadFile(f.manifest, regular.Small)
	if err != nil {
		return usage(err)
	}
	out, added, err := manifest.Complete(data, []manifest.Entry{{Key: "icons", Value: report.Entries}})
	if err != nil {
		return usage(fmt.Errorf("%s: %w", f.manifest, err))
	}
	if len(added) == 0 {
		report.Remarks = append(report.Remarks, f.manifest+" has icons already: they stay as they are; put the entries in by hand")
		return nil
	}
	if err := writeFile(f.manifest, out); err != nil {
		return broken(err)
	}
	report.Manifest = filepath.ToSlash(f.manifest)
	return nil
}

func contactSheet(set []icon.Icon, master string, f iconFlags) error {
	app := sheet.App{Name: f.name, Theme: color.NRGBA{0x3c, 0x50, 0x60, 255}, Background: color.NRGBA{255, 255, 255, 255}}
	if app.Name == "" {
		app.Name = strings.TrimSuffix(filepath.Base(master), filepath.Ext(master))
	}
	if c, ok := csscolor.Parse(f.background); ok {
		app.Background, app.Theme = c.NRGBA, c.NRGBA
	}
	draw := sheet.PNG
	if strings.EqualFold(filepath.Ext(f.sheet), ".html") {
		draw = sheet.HTML
	}
	data, err := draw(set, app)
	if err == nil {
		err = writeFile(f.sheet, data)
	}
	if err != nil {
		return broken(fmt.Errorf("--sheet: %w", err))
	}
	return nil
}
