// Package palette reads the colours that a start page shows from its styles.
package palette

import (
	"strings"

	"tachyform/internal/manifest"
	"tachyform/internal/markup"
	"tachyform/internal/survey"
)

// maxStyles bounds how much of the styles is read, in bytes.
const maxStyles = 1 << 20

// Styles joins the styles of the start page that are in the site, in order.
func Styles(inv *survey.Inventory) []byte {
	var out []byte
	for _, ref := range inv.Start.Refs {
		if ref.Use != markup.UseStyle || len(out) > maxStyles {
			continue
		}
		if u, ok := survey.ResolveOn(inv.Site.Origin, inv.StartBase(), ref.URL); ok {
			if f := inv.FileOf(u); f != nil {
				if data, err := inv.Site.Read(f.Path); err == nil {
					out = append(append(out, data...), '\n')
				}
			}
		}
	}
	for _, s := range inv.Start.Styles {
		out = append(append(out, s.Source...), '\n')
	}
	return out
}

// Declared gives the background that a page declares for itself, as written, and the custom properties of its styles. What the
// elements themselves say wins.
func Declared(p *markup.Page, styles []byte) (background string, properties map[string]string) {
	background, properties = markup.StyleColors(styles)
	if own, _ := markup.StyleColors([]byte("body{" + p.HTMLStyle + ";" + p.BodyStyle + "}")); own != "" {
		background = own
	}
	return background, properties
}

// Resolve gives the opaque colour that a value names, as "#rrggbb": itself, by a custom property, or among other words; "" when
// there is none.
func Resolve(value string, properties map[string]string) string {
	for range 4 {
		name, ok := strings.CutPrefix(strings.TrimSpace(value), "var(")
		if !ok {
			break
		}
		name, fallback, _ := strings.Cut(strings.TrimSuffix(name, ")"), ",")
		if value = properties[strings.TrimSpace(name)]; value == "" {
			value = fallback
		}
	}
	for _, f := range append([]string{value}, strings.Fields(value)...) {
		if c, ok := manifest.ParseColor(f); ok && c.A == 255 {
			return c.Hex()
		}
	}
	return ""
}

// Background gives the background of the start page as "#rrggbb", "" when it sets none that can be read.
func Background(inv *survey.Inventory) string {
	if inv.Start == nil {
		return ""
	}
	return Resolve(Declared(inv.Start, Styles(inv)))
}
