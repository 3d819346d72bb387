package fitting

import (
	"strings"
	"sync"

	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/goregular"
	"golang.org/x/image/font/opentype"
)

// labelWidth is what fits under an icon on a home screen, in ems: launchers give a label of 12 to 13 px about 80 px.
const labelWidth = 6.5

// labelFace is a common sans-serif face with an em of 100 px.
var labelFace = sync.OnceValue(func() font.Face {
	f, err := opentype.Parse(goregular.TTF)
	if err != nil {
		panic(err) // embedded
	}
	face, err := opentype.NewFace(f, &opentype.FaceOptions{Size: 100, DPI: 72, Hinting: font.HintingNone})
	if err != nil {
		panic(err)
	}
	return face
})

// ems measures a text in a common face. Letters that the face lacks count as one em, as in East Asian scripts.
func ems(s string) float64 {
	total := 0.0
	face := labelFace()
	for _, r := range s {
		if advance, ok := face.GlyphAdvance(r); ok {
			total += float64(advance) / 64 / 100
		} else {
			total++
		}
	}
	return total
}

// shorten makes a name that fits under an icon: whole words, unless the first is too wide by itself.
func shorten(name string) string {
	if ems(name) <= labelWidth {
		return name
	}
	short := ""
	for _, w := range strings.Fields(name) {
		next := strings.TrimSpace(short + " " + w)
		if ems(next) > labelWidth {
			break
		}
		short = next
	}
	if short == "" { // not even the first word fits
		for _, r := range name {
			if ems(short+string(r)) > labelWidth {
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
