package manifest

import (
	"path"
	"slices"
	"strings"

	"tachyform.dev/tachyform/internal/weburl"
)

// MinIcon is the smallest icon side with which Chromium installs, in px.
const MinIcon = 144

// Installable says whether the display members let Chromium install: the first understood entry of
// display_override decides, else display.
func (p *Processed) Installable() bool {
	switch p.DisplayMode() {
	case "fullscreen", "standalone", "minimal-ui", "window-controls-overlay", "unframed":
		return true
	}
	return false
}

// DisplayMode is the mode that an installed app opens with.
func (p *Processed) DisplayMode() string {
	if len(p.DisplayOverride) > 0 {
		return p.DisplayOverride[0]
	}
	return p.Display
}

// SuitableIcons are the icons with which Chromium offers an installation, by the manifest's text alone: purpose
// any, a type it installs with, and a size between 144 and 1024 px or "any".
func (p *Processed) SuitableIcons() []Image {
	var out []Image
	for _, i := range p.Icons {
		if !slices.Contains(i.Purpose, "any") || !suitableType(i) {
			continue
		}
		for _, s := range i.Sizes {
			w, h, _ := ParseSize(s)
			if s == "any" || h >= MinIcon && h <= 1024 && w <= 1024 {
				out = append(out, i)
				break
			}
		}
	}
	return out
}

func suitableType(i Image) bool {
	if i.Type != "" {
		return i.Type == "image/png" || i.Type == "image/svg+xml" || i.Type == "image/webp"
	}
	u, err := weburl.Parse(i.Src)
	if err != nil || u.Protocol() == "data:" {
		return false
	}
	switch strings.ToLower(path.Ext(u.Pathname())) {
	case ".png", ".svg", ".webp":
		return true
	}
	return false
}

// drawable says whether an icon's type, or without one its extension, is that of a picture that Chromium draws.
func drawable(i Image) bool {
	if i.Type != "" {
		t := strings.ToLower(i.Type)
		return i.Type == "image/svg+xml" || slices.Contains([]string{"image/png", "image/apng", "image/jpeg", "image/jpg", "image/webp", "image/gif", "image/avif", "image/x-icon", "image/vnd.microsoft.icon", "image/bmp", "image/jxl"}, t)
	}
	u, err := weburl.Parse(i.Src)
	if err != nil || u.Protocol() == "data:" {
		return false
	}
	return slices.Contains([]string{".png", ".svg", ".webp", ".jpg", ".jpeg", ".gif", ".avif", ".ico", ".bmp", ".apng", ".jxl"}, strings.ToLower(path.Ext(u.Pathname())))
}

// Chosen is the icon that Chromium fetches to decide whether it can install: purpose any and square; exactly 144
// px, else "any", else the smallest above; the later of equals.
func (p *Processed) Chosen() (Image, bool) {
	best, rank := Image{}, 1<<30
	for _, i := range p.Icons {
		if !slices.Contains(i.Purpose, "any") || !drawable(i) {
			continue
		}
		for _, s := range i.Sizes {
			w, h, _ := ParseSize(s)
			r := 1 << 30
			switch {
			case s == "any":
				r = MinIcon // behind exactly 144, before everything above
			case w != h || w < MinIcon:
				continue
			case w == MinIcon:
				r = 0
			default:
				r = w
			}
			if r <= rank {
				best, rank = i, r
			}
		}
	}
	return best, rank < 1<<30
}
