package icon

import (
	"bytes"
	"context"
	"image"
	"image/color"
	"image/png"
	"slices"
)

// launchShare is how much of a launch picture's shorter side the icon takes.
const launchShare = 0.3

// Launch draws a launch picture of a size in px: the icon in the middle of a plain background, as a PNG without transparency. It is large and nearly
// all of one colour, so that Go's own encoder makes it about as small as ours, in a fraction of the time.
func Launch(ctx context.Context, m *Master, width, height int, background color.NRGBA) ([]byte, error) {
	n := int(launchShare*float64(min(width, height)) + 0.5)
	art, err := m.draw(ctx, n, whole)
	if err != nil {
		return nil, err
	}
	art.over([3]float32{float32(background.R) / 255, float32(background.G) / 255, float32(background.B) / 255})
	icon := art.image()
	background.A = 255
	at := image.Rect((width-n)/2, (height-n)/2, (width-n)/2+n, (height-n)/2+n)
	colours := map[color.NRGBA]uint8{background: 0}
	for i := 0; i < len(icon.Pix) && len(colours) <= 256; i += 4 {
		colours[color.NRGBA{R: icon.Pix[i], G: icon.Pix[i+1], B: icon.Pix[i+2], A: 255}] = 0
	}
	var out bytes.Buffer
	enc := png.Encoder{CompressionLevel: png.BestCompression}
	if len(colours) <= 256 {
		var palette color.Palette
		for c := range colours {
			if c != background {
				palette = append(palette, c)
			}
		}
		slices.SortFunc(palette, func(a, b color.Color) int { return bytes.Compare(rgb(a), rgb(b)) })
		palette = append(color.Palette{background}, palette...) // its index is 0, and so are all bytes around the icon
		for i, c := range palette {
			colours[c.(color.NRGBA)] = uint8(i)
		}
		img := image.NewPaletted(image.Rect(0, 0, width, height), palette)
		for y := range n {
			for x := range n {
				p := icon.Pix[y*icon.Stride+x*4:]
				img.Pix[(at.Min.Y+y)*img.Stride+at.Min.X+x] = colours[color.NRGBA{R: p[0], G: p[1], B: p[2], A: 255}]
			}
		}
		err = enc.Encode(&out, img)
		return out.Bytes(), err
	}
	img := image.NewNRGBA(image.Rect(0, 0, width, height))
	row := img.Pix[:img.Stride]
	for i := 0; i < len(row); i += 4 {
		row[i], row[i+1], row[i+2], row[i+3] = background.R, background.G, background.B, 255
	}
	for y := 1; y < height; y++ {
		copy(img.Pix[y*img.Stride:], row)
	}
	for y := range n {
		copy(img.Pix[(at.Min.Y+y)*img.Stride+at.Min.X*4:], icon.Pix[y*icon.Stride:y*icon.Stride+n*4])
		for x := range n {
			img.Pix[(at.Min.Y+y)*img.Stride+(at.Min.X+x)*4+3] = 255
		}
	}
	err = enc.Encode(&out, img)
	return out.Bytes(), err
}

func rgb(c color.Color) []byte {
	n := c.(color.NRGBA)
	return []byte{n.R, n.G, n.B}
}
