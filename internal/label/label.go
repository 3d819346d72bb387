// Package label measures names in the widths that places which show them have.
package label

import (
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
)

// UnderIcon is what fits under an icon on a home screen, in ems: launchers give a label of 12 to 13 px about 80 px.
const UnderIcon = 6.5

// face is a common sans-serif face with an em of 100 px.
var face = sync.OnceValue(func() font.Face {
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		panic(err) // embedded
	}
	of100, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 100, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic(err)
	}
	return of100
})

// Ems measures a text in a common face. Letters that the face lacks count as one em, as in East Asian scripts.
func Ems(s string) float64 {
	total := 0.0
	letters := face()
	for _, r := range s {
		if advance, ok := letters.GlyphAdvance(r); ok {
			total += float64(advance) / 64 / 100
		} else {
			total++
		}
	}
	return total
}

// Shorten makes a name that fits under an icon: whole words, unless the first is too wide by itself.
func Shorten(name string) string {
	if Ems(name) <= UnderIcon {
		return name
	}
	short := ""
	for _, w := range strings.Fields(name) {
		next := strings.TrimSpace(short + " " + w)
		if Ems(next) > UnderIcon {
			break
		}
		short = next
	}
	if short == "" { // not even the first word fits
		for _, r := range name {
			if Ems(short+string(r)) > UnderIcon {
				break
			}
			short += string(r)
		}
	}
	short = strings.TrimRight(short, " ,.:;-–—&")
	for { // a name does not end in "of" or "and"
		i := strings.LastIndexByte(short, ' ')
		if i < 0 || len(short)-i > 4 || strings.ToLower(short[i:]) != short[i:] {
			return short
		}
		short = strings.TrimRight(short[:i], " ,.:;-–—&")
	}
}

// Seen gives what is left of a name where only so many ems have room: all of it, or its beginning and an ellipsis.
func Seen(name string, ems float64) string {
	if Ems(name) <= ems {
		return name
	}
	const more = "…"
	short := ""
	for _, r := range name {
		if Ems(short+string(r)+more) > ems {
			break
		}
		short += string(r)
	}
	return strings.TrimRight(short, " ") + more
}
