package fitting

import (
	"bytes"
	"math"
	"regexp"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"tachyform.dev/tachyform/internal/icon"
	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/site"
	"tachyform.dev/tachyform/internal/survey"
	"tachyform.dev/tachyform/internal/weburl"
)

// logoName matches names of files that are likely to be the mark of a site, best first.
var logoNames = []*regexp.Regexp{
	regexp.MustCompile(`(?i)(^|/)(app-?icon|brand-?mark|mark|logomark|logo-?icon|icon)\.svg$`),
	regexp.MustCompile(`(?i)(^|/)(favicon|safari-pinned-tab)\.svg$`),
	regexp.MustCompile(`(?i)(^|/)[^/]*(logo|brand)[^/]*\.svg$`),
	regexp.MustCompile(`(?i)(^|/)(apple-touch-icon|icon|favicon)[^/]*\.png$`),
	regexp.MustCompile(`(?i)(^|/)[^/]*(logo|brand)[^/]*\.(png|webp|jpe?g)$`),
}

// firstLogo is from which of logoNames on a file is merely called a logo.
const firstLogo = 2

// manifestIcon takes the largest icon of the site's own manifest.
func (i *inferrer) manifestIcon(a *app) bool {
	if i.existing == nil {
		return false
	}
	var best *site.File
	var side int
	for _, x := range i.existing.Processed.Icons {
		u, ok := survey.Resolve(i.inv.StartFile.URL, strings.TrimPrefix(x.Src, weburl.Origin))
		f := i.inv.FileOf(u)
		if !ok || f == nil || i.ours(f.Path) || !slices.Contains(x.Purpose, "any") && len(x.Purpose) > 0 || !i.looksLikeMark(*f) {
			continue
		}
		data, err := i.inv.Site.Read(f.Path)
		if err != nil {
			continue
		}
		n := 1 << 16 // an SVG has every size
		if w, h, kind, err := icon.Size(data); err != nil {
			continue
		} else if kind != "image/svg+xml" {
			n = min(w, h)
		}
		if n > side && n >= manifest.MinIcon {
			best, side = f, n
		}
	}
	if best == nil {
		return false
	}
	a.master = i.take("master", best.Path, "the largest icon of the existing manifest")
	return true
}

// maxMark is how large a picture may be that is looked at for whether it is a mark, in bytes, and wideMark how much longer than high.
const (
	maxMark  = 4 << 20
	wideMark = 2.5
)

var spriteName = regexp.MustCompile(`(?i)sprite|icons\.svg$`)

// looksLikeMark says whether a picture may be the mark of a site: something is drawn in it, it is no sheet of many pictures, and it is not a line of
// writing.
func (i *inferrer) looksLikeMark(f site.File) bool {
	if spriteName.MatchString(f.Path) || f.Size > maxMark {
		return false
	}
	data, err := i.inv.Site.Read(f.Path)
	if err != nil {
		return false
	}
	if icon.LooksLikeSVG(data) {
		return drawsAnything(data)
	}
	w, h, _, err := icon.Size(data)
	if err != nil || w == 0 || h == 0 {
		return !strings.HasSuffix(f.Path, ".svg") // loading it says what is wrong
	}
	return float64(max(w, h)) <= wideMark*float64(min(w, h))
}

// across is how many pixels a picture has on its shorter side; an SVG has as many as are wanted.
func (i *inferrer) across(f site.File) int {
	data, err := i.inv.Site.Read(f.Path)
	if err != nil {
		return 0
	}
	if icon.LooksLikeSVG(data) {
		return math.MaxInt
	}
	w, h, _, err := icon.Size(data)
	if err != nil {
		return 0
	}
	return min(w, h)
}

// drawsAnything says whether an SVG has something that is drawn, and not only definitions. Of what is no SVG after all, loading says what is wrong.
func drawsAnything(source []byte) bool {
	z := html.NewTokenizer(bytes.NewReader(source))
	svg := false
	inside := 0 // of elements whose content is not drawn
	for {
		switch z.Next() {
		case html.ErrorToken:
			return !svg
		case html.StartTagToken:
			switch name, _ := z.TagName(); string(name) {
			case "svg":
				svg = true
			case "defs", "symbol", "clippath", "mask", "pattern", "marker", "lineargradient", "radialgradient", "filter":
				inside++
			case "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "image", "text", "use":
				if inside == 0 {
					return true
				}
			}
		case html.SelfClosingTagToken:
			switch name, _ := z.TagName(); string(name) {
			case "path", "rect", "circle", "ellipse", "line", "polyline", "polygon", "image", "text", "use":
				if inside == 0 {
					return true
				}
			}
		case html.EndTagToken:
			switch name, _ := z.TagName(); string(name) {
			case "defs", "symbol", "clippath", "mask", "pattern", "marker", "lineargradient", "radialgradient", "filter":
				inside = max(0, inside-1)
			}
		}
	}
}

// pickMaster chooses the picture that icons are made from.
func (i *inferrer) pickMaster(a *app) {
	if m := i.cfg.Icons.Master; m != "" {
		a.master = i.take("master", m, i.configured())
		return
	}
	linked := func(kind string, wantSVG bool) bool {
		head, err := pagehead.Read(i.inv.StartFile.Path, i.inv.StartBytes)
		if err != nil {
			return false
		}
		best, at := site.File{}, 0
		for _, t := range head.Tags {
			if t.Kind != kind {
				continue
			}
			u, ok := survey.Resolve(i.inv.StartBase(), t.Value)
			if !ok {
				continue
			}
			f := i.inv.FileOf(u)
			if f == nil || i.ours(f.Path) || strings.HasSuffix(strings.ToLower(f.Path), ".svg") != wantSVG || strings.HasSuffix(strings.ToLower(f.Path), ".ico") || !i.looksLikeMark(*f) {
				continue
			}
			if best.Path == "" || i.across(*f) > i.across(best) {
				best, at = *f, t.Offset
			}
		}
		if best.Path == "" {
			return false
		}
		a.master = i.take("master", best.Path, "the "+kind+" link in "+i.at(at))
		return true
	}
	if linked("icon", true) {
		return
	}
	for rank, re := range logoNames {
		if rank == firstLogo && (i.manifestIcon(a) || linked("touch-icon", false)) {
			return
		}
		var best site.File
		for _, f := range i.inv.Site.Files {
			if !re.MatchString(f.Path) || i.ours(f.Path) || f.Size == 0 || f.Size >= 1<<20 {
				continue
			}
			deeper := strings.Count(f.Path, "/") - strings.Count(best.Path, "/")
			if (best.Path == "" || deeper < 0 || deeper == 0 && i.across(f) > i.across(best)) && i.looksLikeMark(f) {
				best = f
			}
		}
		if best.Path != "" {
			a.master = i.take("master", best.Path, "its name")
			return
		}
	}
	if linked("icon", false) {
		return
	}
	i.take("master", "a drawn letter", "no picture in the site looks like its mark; give one with --master FILE")
}
