package likeness

import (
	"bytes"
	"image"
	"image/png"
	"net/url"
	"slices"
	"strings"

	"golang.org/x/image/draw"

	"tachyform.dev/tachyform/internal/csscolor"
	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/palette"
	"tachyform.dev/tachyform/internal/raster"
	"tachyform.dev/tachyform/internal/survey"
)

const (
	maxBytes  = 8 << 20  // of a picture that is read
	maxVector = 64 << 10 // of an SVG that is kept as it is
	maxPixels = 50_000_000
	iconSide  = 192 // px that icons are reduced to
	shotSide  = 360 // px that screenshots and launch pictures are reduced to, the longer side
	maxShots  = 3   // of a form factor
	maxMenu   = 4   // shortcuts that are shown
)

// Picture is one that a browser can decode, not larger than it is shown.
type Picture struct {
	Data []byte
	Type string // media type
}

// Colour is "#rrggbb", or "" for none.
type Colour string

// Shortcut is an entry of the icon's menu.
type Shortcut struct {
	Name string
	Icon *Picture
}

// App is what the looks of an installed app come from.
type App struct {
	Name, Short, Description string
	Title                    string // of the start page
	Host                     string // as dialogues name the site, "" when it is not known
	Theme, ThemeDark         Colour // in light and in dark surroundings
	Background               Colour // of the launch
	Page                     Colour // of the start page
	Display                  string // the mode that counts where every mode is known
	Overlay                  bool   // the page is asked to draw beside the window's controls
	Any, Maskable            *Picture
	Monochrome, Touch        *Picture
	Shortcuts                []Shortcut
	Wide, Narrow             []*Picture
	Shares                   bool // other apps can share to it

	IOS struct {
		Title, StatusBar   string
		Launch, LaunchDark *Picture
	}
}

// Source is a site as its app is gathered from it.
type Source struct {
	Manifest *manifest.Processed
	Tags     []pagehead.Tag // of the start page
	Title    string         // of the start page
	Page     string         // background of the start page, as a CSS colour; "" when it is not known
	Host     string
	// Read gives the bytes of a picture by its absolute URL or as the start page refers to it; nil when it is not there.
	Read func(ref string) []byte
}

// Gather reads what the looks of an app come from.
func Gather(s Source) *App {
	m := s.Manifest
	a := &App{Name: first(m.Name, m.ShortName, s.Title), Short: first(m.ShortName, m.Name, s.Title), Description: m.Description, Title: s.Title, Host: s.Host, Display: m.DisplayMode(),
		Theme: colour(m.ThemeColor), ThemeDark: colour(m.ThemeColor), Background: colour(m.BackgroundColor), Page: colour(s.Page), Shares: m.ShareTarget != nil,
		Overlay: len(m.DisplayOverride) > 0 && m.DisplayOverride[0] == "window-controls-overlay"}
	of := func(purpose string) *Picture {
		var best *Picture
		size := 0
		for _, i := range m.Icons {
			if slices.Contains(i.Purpose, purpose) {
				if p, w := read(s.Read(i.Src), iconSide); p != nil && (best == nil || w > size) {
					best, size = p, w
				}
			}
		}
		return best
	}
	a.Any, a.Maskable, a.Monochrome = of("any"), of("maskable"), of("monochrome")
	for _, sc := range m.Shortcuts[:min(len(m.Shortcuts), maxMenu)] {
		out := Shortcut{Name: sc.Name}
		for _, i := range sc.Icons {
			if out.Icon, _ = read(s.Read(i.Src), iconSide); out.Icon != nil {
				break
			}
		}
		a.Shortcuts = append(a.Shortcuts, out)
	}
	for _, shot := range m.Screenshots {
		to := &a.Narrow
		if shot.FormFactor == "wide" {
			to = &a.Wide
		}
		if len(*to) < maxShots {
			if p, _ := read(s.Read(shot.Src), shotSide); p != nil {
				*to = append(*to, p)
			}
		}
	}
	a.tags(s)
	return a
}

// tags takes what the start page's head says.
func (a *App) tags(s Source) {
	light, dark := false, false
	for _, t := range s.Tags {
		media := strings.ToLower(t.Media)
		isDark, isLight := strings.Contains(media, "dark"), strings.Contains(media, "light")
		switch t.Kind {
		case "theme-color":
			c := colour(t.Value)
			if c != "" && !light && !isDark {
				a.Theme, light = c, true
			}
			if c != "" && !dark && !isLight {
				a.ThemeDark, dark = c, true
			}
		case "touch-icon":
			if a.Touch == nil {
				a.Touch, _ = read(s.Read(t.Value), iconSide)
			}
		case "apple-mobile-web-app-title":
			a.IOS.Title = t.Value
		case "apple-mobile-web-app-status-bar-style":
			a.IOS.StatusBar = strings.ToLower(strings.TrimSpace(t.Value))
		case pagehead.Launch:
			if strings.Contains(media, "landscape") {
				break
			}
			to := &a.IOS.Launch
			if isDark {
				to = &a.IOS.LaunchDark
			}
			if *to == nil {
				*to, _ = read(s.Read(t.Value), shotSide)
			}
		}
	}
}

// OfSite gathers the app of a site from what was read of it. What the inventory does not have is taken from more, by its root-relative URL; nil for nowhere.
func OfSite(inv *survey.Inventory, start *pagehead.Head, m *manifest.Processed, origin string, more func(url string) []byte) *App {
	src := Source{Manifest: m}
	if u, err := url.Parse(inv.Site.Origin); err == nil {
		src.Host = u.Host
	}
	base := ""
	if inv.Start != nil {
		src.Title, src.Page = inv.Start.Title.Value, palette.See(inv).Background
		base = inv.StartBase()
	}
	if start != nil {
		src.Tags = start.Tags
	}
	src.Read = func(ref string) []byte {
		u, _ := survey.ResolveOn(inv.Site.Origin, base, strings.TrimPrefix(ref, origin))
		if f := inv.FileOf(u); f != nil {
			data, err := inv.Site.Read(f.Path)
			if err != nil {
				return nil // as if it were not there: it is drawn without
			}
			return data
		}
		if more == nil || !strings.HasPrefix(u, "/") {
			return nil
		}
		return more(u)
	}
	return Gather(src)
}

func first(texts ...string) string {
	for _, t := range texts {
		if t = strings.TrimSpace(t); t != "" {
			return t
		}
	}
	return ""
}

// colour gives a CSS colour without its transparency, which no system draws.
func colour(css string) Colour {
	c, ok := csscolor.Parse(css)
	if !ok {
		return ""
	}
	c.A = 255
	return Colour(c.Hex())
}

// read gives a picture reduced to so many px, and how wide it was; nil for what browsers could not show, or nobody should decode.
func read(data []byte, side int) (*Picture, int) {
	if len(data) == 0 || len(data) > maxBytes {
		return nil, 0
	}
	w, h, kind, err := icon.Size(data)
	switch {
	case err != nil || kind == "":
		return nil, 0
	case kind == "image/svg+xml":
		if len(data) > maxVector {
			return nil, 0
		}
		return &Picture{data, kind}, 1 // a raster one is taken before it
	case w < 1 || h < 1 || w*h > maxPixels:
		return nil, 0
	}
	src, _, err := raster.Decode(data)
	if err != nil {
		return nil, 0
	}
	if long := max(w, h); long > side {
		to := image.NewNRGBA(image.Rect(0, 0, max(1, w*side/long), max(1, h*side/long)))
		draw.ApproxBiLinear.Scale(to, to.Rect, src, src.Bounds(), draw.Src, nil)
		if long > 3*side { // one step would leave out pixels
			draw.BiLinear.Scale(to, to.Rect, src, src.Bounds(), draw.Src, nil)
		}
		src = to
	}
	var out bytes.Buffer
	if err := png.Encode(&out, src); err != nil {
		return nil, 0
	}
	return &Picture{out.Bytes(), "image/png"}, w
}
