// Package likeness says how an installed app will look on each platform: what is drawn, in which colours, and what was assumed.
package likeness

import (
	"fmt"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/label"
	"tachyform.dev/tachyform/internal/platform"
)

// Kind is where people see something of an app.
type Kind string

// The kinds, in the order they are shown.
const (
	Home      Kind = "home"       // the icon and its name
	Menu      Kind = "menu"       // the icon's menu with shortcuts
	Opening   Kind = "opening"    // between the tap and the first page
	Window    Kind = "window"     // what stands above the page
	StatusBar Kind = "status-bar" // of an iPhone
	Switcher  Kind = "switcher"   // the list of open apps
	Dialogue  Kind = "dialogue"   // that installs
	Share     Kind = "share"      // the list that other apps share to
)

// Tile is an icon with what stands beside or below it.
type Tile struct {
	Picture *Picture // nil for a letter in its place
	Shape   string   // circle, rounded, soft, or uncut
	Dark    bool     // on a dark ground
	Plate   bool     // small on a white plate, as icons that are not made for masks
	Tint    bool     // only its shape, in the device's colour
	Label   string
}

// Frame is a window, or a screen.
type Frame struct {
	Name    string // of the variant
	Fill    Colour
	Ink     Colour // of the text
	Text    string
	Picture *Picture
	Whole   bool // the picture fills the frame
	Cut     bool // it is cut into a circle
	Page    Colour
	Dark    bool
	Overlay bool // the page begins beside the controls
	Chosen  bool // of several, the one that the site asks for
}

// Scene is one view of the app.
type Scene struct {
	Kind     Kind
	Title    string
	Assumed  string // what was assumed, or where it comes from
	Tiles    []Tile
	Frames   []Frame
	Text     string
	Pictures []*Picture
}

// Look is an app on one platform.
type Look struct {
	Platform platform.Platform
	Scenes   []Scene
}

// The neutral grounds, and the inks that systems choose between.
const (
	lightBar, darkBar Colour = "#e6e6e3", "#2c2f32"
	white, black      Colour = "#ffffff", "#000000"
	darkInk           Colour = "#202326"
)

// Ink gives the text colour that can be read better on a colour: white, or nearly black.
func Ink(on Colour) Colour {
	if Contrast(on, white) >= Contrast(on, darkInk) {
		return white
	}
	return darkInk
}

// InkOfPhones gives the text colour that Android's bars get: white as soon as it can be told apart (a contrast of 3), else black.
func InkOfPhones(on Colour) Colour {
	if Contrast(on, white) >= 3 {
		return white
	}
	return black
}

// Contrast is that of two colours, 1 to 21 (WCAG 2.2, "contrast ratio"); 1 when one cannot be read.
func Contrast(a, b Colour) float64 {
	x, okX := csscolor.Parse(string(a))
	y, okY := csscolor.Parse(string(b))
	if !okX || !okY {
		return 1
	}
	return x.Contrast(y)
}

// On gives the looks of an app on a platform, nil when it does not install there.
func (a *App) On(p platform.Platform) *Look {
	if !p.Installs {
		return nil
	}
	l := &Look{Platform: p}
	var parts []func(platform.Platform) *Scene
	switch p.ID {
	case "safari-ios":
		parts = append(parts, a.homeIOS, a.openingIOS, a.statusBars, a.switcher)
	case "safari-macos":
		parts = append(parts, a.homeDesktop, a.window)
	case "chromium-desktop":
		parts = append(parts, a.homeDesktop, a.menu, a.window, a.dialogue, a.share)
	case "firefox-android":
		parts = append(parts, a.homeAndroid, a.openingAndroid, a.window, a.switcher)
	default:
		parts = append(parts, a.homeAndroid, a.menu, a.openingAndroid, a.window, a.switcher, a.dialogue, a.share)
	}
	for _, part := range parts {
		if s := part(p); s != nil {
			l.Scenes = append(l.Scenes, *s)
		}
	}
	return l
}

// under is what is seen of a name below an icon.
func under(name string) string { return label.Seen(name, label.UnderIcon) }

func cut(name string) string {
	if seen := under(name); seen != name {
		return fmt.Sprintf(" Below the icon %q has no room.", name)
	}
	return ""
}

func (a *App) homeAndroid(p platform.Platform) *Scene {
	s := &Scene{Kind: Home, Title: "Home screen"}
	picture, plate := a.Maskable, false
	switch {
	case a.Maskable != nil:
		s.Assumed = "The maskable icon in three shapes that phones cut."
	case a.Any != nil:
		picture, plate = a.Any, true
		s.Assumed = "There is no maskable icon: this one is put small on a white plate."
	default:
		s.Assumed = "There is no icon: a letter stands in."
	}
	for i, shape := range []string{"circle", "rounded", "soft"} {
		s.Tiles = append(s.Tiles, Tile{Picture: picture, Shape: shape, Dark: i == 1, Plate: plate, Label: under(a.Short)})
	}
	if a.Monochrome != nil && p.ID != "firefox-android" {
		s.Tiles = append(s.Tiles, Tile{Picture: a.Monochrome, Shape: "circle", Tint: true, Label: under(a.Short)})
		s.Assumed += " The last is the monochrome icon, where somebody has chosen icons in the device's colours."
	}
	s.Assumed += cut(a.Short)
	return s
}

func (a *App) homeDesktop(p platform.Platform) *Scene {
	s := &Scene{Kind: Home, Title: "Among the programs", Assumed: "The icon as it is, on light and dark bars."}
	shape := "uncut"
	if p.ID == "safari-macos" {
		shape, s.Title, s.Assumed = "rounded", "Dock", "The icon in a rounded square, which the system cuts."
	}
	if a.Any == nil {
		s.Assumed = "There is no icon of purpose any: a letter stands in."
	}
	for _, dark := range []bool{false, true} {
		s.Tiles = append(s.Tiles, Tile{Picture: a.Any, Shape: shape, Dark: dark, Label: label.Seen(a.Short, 2*label.UnderIcon)})
	}
	return s
}

func (a *App) homeIOS(platform.Platform) *Scene {
	s := &Scene{Kind: Home, Title: "Home screen", Assumed: "The touch icon of the start page in a rounded square."}
	picture := a.Touch
	if picture == nil {
		if picture = a.Any; picture != nil {
			s.Assumed = "No page links a touch icon, so one of the manifest's is taken; where it is transparent it gets a background that nobody chose."
		} else {
			s.Assumed = "There is neither a touch icon nor one in the manifest: a picture of the page is taken."
		}
	}
	name := first(a.IOS.Title, a.Short)
	for _, dark := range []bool{false, true} {
		s.Tiles = append(s.Tiles, Tile{Picture: picture, Shape: "rounded", Dark: dark, Label: under(name)})
	}
	s.Assumed += cut(name)
	return s
}

func (a *App) menu(platform.Platform) *Scene {
	if len(a.Shortcuts) == 0 {
		return nil
	}
	without := false
	s := &Scene{Kind: Menu, Title: "Pressing the icon long", Assumed: "The first shortcuts of the manifest."}
	for _, sc := range a.Shortcuts {
		s.Tiles = append(s.Tiles, Tile{Picture: sc.Icon, Shape: "uncut", Label: sc.Name})
		without = without || sc.Icon == nil
	}
	if without {
		s.Assumed += " One without an icon of its own gets a sign of the system's."
	}
	return s
}

func (a *App) openingAndroid(p platform.Platform) *Scene {
	s := &Scene{Kind: Opening, Title: "While it opens", Assumed: "Icon and name on background_color, light and dark alike."}
	fill := a.Background
	if v, _ := p.Since("background_color"); v == "" || fill == "" {
		fill = white
		s.Assumed = "White: there is no background_color."
		if a.Background != "" {
			s.Assumed = "White: this browser does not look at background_color."
		}
	}
	picture := a.Maskable
	if picture == nil {
		picture = a.Any
	}
	s.Frames = []Frame{{Fill: fill, Ink: Ink(fill), Text: a.Name, Picture: picture, Cut: a.Maskable != nil}}
	if a.Page != "" && Contrast(a.Page, fill) > 1.5 {
		s.Assumed += fmt.Sprintf(" The page that comes then is %s.", a.Page)
	}
	return s
}

func (a *App) openingIOS(platform.Platform) *Scene {
	s := &Scene{Kind: Opening, Title: "While it opens"}
	if a.IOS.Launch == nil && a.IOS.LaunchDark == nil {
		s.Assumed = "There are no launch pictures: an empty screen, until the page is drawn."
		s.Frames = []Frame{{Name: "light", Fill: white}, {Name: "dark", Fill: black, Dark: true}}
		return s
	}
	s.Assumed = "The launch picture whose media fits the device; on devices that none fits, an empty screen."
	for _, v := range []struct {
		name string
		p    *Picture
	}{{"light", a.IOS.Launch}, {"dark", a.IOS.LaunchDark}} {
		if v.p != nil {
			s.Frames = append(s.Frames, Frame{Name: v.name, Fill: white, Picture: v.p, Whole: true})
		}
	}
	return s
}

func (a *App) window(p platform.Platform) *Scene {
	s := &Scene{Kind: Window, Title: "Title bar, light and dark", Assumed: "The name stands before the page's title; the text is white or black, whichever the system takes for the better one."}
	since, _ := p.Since("theme_color")
	honours := since != ""
	phone := p.ID != "chromium-desktop" && p.ID != "safari-macos"
	if phone {
		s.Title, s.Assumed = "Status bar, light and dark", "Above the page are the clock and the signs of the device."
	}
	switch {
	case a.Display == "browser":
		s.Title, s.Assumed = "A tab of the browser", "display is browser: it opens as any page does."
		return s
	case a.Display == "fullscreen" && phone:
		s.Assumed = "display is fullscreen: nothing stands above the page, and the theme colour is not seen."
	case a.Display == "minimal-ui":
		s.Assumed += " With minimal-ui there is a way back and to load again beside it."
	}
	if !honours {
		s.Assumed += " This browser does not look at theme_color."
	} else if a.Theme == "" {
		s.Assumed += " There is no theme colour, so the bar has the system's own."
	}
	text := a.Name
	if phone {
		text = "9:41"
	}
	for _, dark := range []bool{false, true} {
		own, theme := lightBar, a.Theme
		if dark {
			own, theme = darkBar, a.ThemeDark
		}
		if theme == "" || !honours {
			theme = own
		}
		f := Frame{Fill: theme, Ink: Ink(theme), Text: text, Picture: a.Any, Page: a.Page, Dark: dark}
		if phone {
			f.Picture, f.Ink = nil, InkOfPhones(theme)
		}
		if a.Display == "fullscreen" && phone {
			f.Fill, f.Text = orElse(a.Page, own), ""
		}
		s.Frames = append(s.Frames, f)
	}
	if v, _ := p.Since("display_override"); a.Overlay && v != "" && !phone {
		s.Frames = append(s.Frames, Frame{Name: "window-controls-overlay", Fill: orElse(a.Theme, lightBar), Ink: Ink(orElse(a.Theme, lightBar)), Page: a.Page, Overlay: true})
		s.Assumed += " With window-controls-overlay the page draws its own bar, and the theme colour lies under the buttons only."
	}
	return s
}

// orElse gives a colour, or the other when there is none.
func orElse(a, b Colour) Colour {
	if a != "" {
		return a
	}
	return b
}

// bars are the styles of the status bar of iPhones.
var bars = []struct{ name, means string }{{"default", "its own ground, black text"}, {"black", "black, white text"}, {"black-translucent", "the page goes on below it, white text"}}

func (a *App) statusBars(platform.Platform) *Scene {
	s := &Scene{Kind: StatusBar, Title: "Status bar in each style"}
	chosen := a.IOS.StatusBar
	s.Assumed = "The start page asks for " + chosen + "."
	if chosen == "" {
		chosen, s.Assumed = "default", "No page asks for a style, so it is default."
	}
	page := orElse(a.Page, white)
	for _, b := range bars {
		f := Frame{Name: b.name, Fill: white, Ink: black, Text: "9:41", Page: page, Chosen: b.name == chosen}
		switch b.name {
		case "black":
			f.Fill, f.Ink = black, white
		case "black-translucent":
			f.Fill, f.Ink = page, white
			if c := Contrast(page, white); c < 3 {
				s.Assumed += fmt.Sprintf(" With black-translucent, white on %s can hardly be read (contrast %.1f).", page, c)
			}
		}
		s.Frames = append(s.Frames, f)
	}
	return s
}

func (a *App) switcher(p platform.Platform) *Scene {
	s := &Scene{Kind: Switcher, Title: "Among the open apps", Assumed: "Icon and name above a picture of the page as it was left."}
	picture, name := a.Maskable, a.Short
	if picture == nil {
		picture = a.Any
	}
	shape := "circle"
	if p.ID == "safari-ios" {
		picture, name, shape = a.Touch, first(a.IOS.Title, a.Short), "rounded"
		if picture == nil {
			picture = a.Any
		}
	}
	s.Tiles = []Tile{{Picture: picture, Shape: shape, Label: label.Seen(name, 2*label.UnderIcon)}}
	s.Frames = []Frame{{Fill: orElse(a.Page, white)}}
	if len(a.Narrow) > 0 {
		s.Frames[0].Picture, s.Frames[0].Whole = a.Narrow[0], true
	}
	return s
}

func (a *App) dialogue(p platform.Platform) *Scene {
	s := &Scene{Kind: Dialogue, Title: "The dialogue to install"}
	shots, side := a.Narrow, "narrow"
	if p.ID == "chromium-desktop" {
		shots, side = a.Wide, "wide"
	}
	s.Tiles = []Tile{{Picture: a.Any, Shape: "uncut", Label: label.Seen(a.Name, 22)}}
	if len(shots) == 0 {
		s.Assumed = "The small one: there is no screenshot of form_factor " + side + ". It says nothing of the app but its name and address."
		return s
	}
	s.Assumed = "The large one, with description and screenshots of form_factor " + side + "."
	s.Text, s.Pictures = label.Seen(a.Description, 150), shots
	if a.Description == "" {
		s.Assumed = "The large one, with screenshots; there is no description."
	}
	return s
}

func (a *App) share(p platform.Platform) *Scene {
	if v, _ := p.Since("share_target"); !a.Shares || v == "" {
		return nil
	}
	picture, shape := a.Maskable, "circle"
	if picture == nil || p.ID == "chromium-desktop" {
		picture, shape = a.Any, "uncut"
	}
	return &Scene{Kind: Share, Title: "Where other apps share to", Assumed: "Once the app is installed it stands in the list, by share_target.", Tiles: []Tile{{Picture: picture, Shape: shape, Label: under(a.Short)}}}
}
