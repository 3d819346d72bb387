package fitting

import (
	"context"
	"fmt"
	"image/color"
	"runtime"
	"slices"

	"golang.org/x/sync/errgroup"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/platform"
)

// launchPicture is one for iPhones or iPads.
type launchPicture struct {
	platform.Launch
	file  string // path
	media string // that of the screen, and of the scheme when there is one for each
	dark  bool
}

// launches lists the launch pictures that are asked for, in the order of their screens.
func (f *fitter) launches() []launchPicture {
	var out []launchPicture
	if f.cfg.IOS.Launch == "" {
		return nil
	}
	for _, s := range platform.Screens {
		if s.Tablet && f.cfg.IOS.Launch != "all" {
			continue
		}
		for _, l := range s.Launches() {
			name := fmt.Sprintf("%dx%d", l.Width, l.Height)
			light := launchPicture{l, "icons/launch-" + name + ".png", l.Media, false}
			if f.cfg.IOS.LaunchDark != "" {
				light.media += " and (prefers-color-scheme: light)"
				dark := launchPicture{l, "icons/launch-" + name + "-dark.png", l.Media + " and (prefers-color-scheme: dark)", true}
				out = append(out, light, dark)
				continue
			}
			out = append(out, light)
		}
	}
	return out
}

// drawLaunches makes the launch pictures, or takes those that lie there when they were made from the same.
func (f *fitter) drawLaunches(ctx context.Context) error {
	all := f.launches()
	if len(all) == 0 {
		return nil
	}
	background := func(c string) color.NRGBA {
		if col, ok := csscolor.Parse(c); ok {
			return color.NRGBA{R: col.R, G: col.G, B: col.B, A: 255}
		}
		return color.NRGBA{R: 255, G: 255, B: 255, A: 255}
	}
	light, dark := background(f.app.background), background(f.cfg.IOS.LaunchDark)
	name, data, err := f.masterData()
	if err != nil {
		return err
	}
	_, more, err := f.iconOptions(ctx)
	if err != nil {
		return err
	}
	key := digest(fmt.Appendf(nil, "%s %s %v %v %v %s", icon.Generation, digest(data), light, dark, f.cfg.IOS.LaunchDark != "", more))
	f.plan.next.Launch = key
	if f.rec.Launch == key && !slices.ContainsFunc(all, func(l launchPicture) bool { return !f.isOurs(l.file) }) {
		for _, l := range all {
			was, err := f.site.Read(l.file)
			if err != nil {
				return err
			}
			f.write("launch picture", l.file, was)
		}
		return nil
	}
	master, err := icon.Load(ctx, name, data)
	if err != nil {
		return err
	}
	made := make([][]byte, len(all))
	g, ctx := errgroup.WithContext(ctx)
	g.SetLimit(runtime.GOMAXPROCS(0)) // each is a picture of up to 15 MB
	for i, l := range all {
		g.Go(func() (err error) {
			c := light
			if l.dark {
				c = dark
			}
			made[i], err = icon.Launch(ctx, master, l.Width, l.Height, c)
			return err
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	total := int64(0)
	for i, l := range all {
		f.write("launch picture", l.file, made[i])
		total += int64(len(made[i]))
	}
	f.remark("launch pictures: %d files, %s together, of which each device fetches one while the app is added to the home screen; the worker does not store them", len(all), size(total))
	return nil
}

// iosElements are the tags for iPhones and iPads. An app that says nothing of them gets the touch icon only: systems from 11.3 on take name and
// display from the manifest.
func (f *fitter) iosElements() []pagehead.Element {
	var tags []pagehead.Element
	meta := func(name, content string) {
		tags = append(tags, pagehead.Element{Name: "meta", Attrs: [][2]string{{"name", name}, {"content", content}}})
	}
	c := f.cfg.IOS
	if c.StatusBar != "" || c.Launch != "" { // both are looked at only then
		meta("mobile-web-app-capable", "yes")
		meta("apple-mobile-web-app-capable", "yes")
	}
	if c.Title != "" {
		meta("apple-mobile-web-app-title", c.Title)
	}
	if c.StatusBar != "" {
		meta("apple-mobile-web-app-status-bar-style", c.StatusBar)
	}
	if c.Pinned != "" {
		if f.inv.FileOf(c.Pinned) == nil {
			f.remark("pinned = %q under [ios]: the site has no such file, so no page links it", c.Pinned)
		} else {
			tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", "mask-icon"}, {"color", f.app.theme}, {"href", c.Pinned}}})
		}
	}
	for _, l := range f.launches() {
		tags = append(tags, pagehead.Element{Name: "link", Attrs: [][2]string{{"rel", pagehead.Launch}, {"media", l.media}, {"href", f.url(l.file)}}})
	}
	return tags
}
