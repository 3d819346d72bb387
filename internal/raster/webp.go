package raster

import (
	"image"
)

// fromStudioRange turns the colours of a lossy WebP into those that browsers show. Its luma goes from 16 to 235 and its chroma from 16 to 240 (RFC 9649,
// section 2.5; ITU-R BT.601), where package image takes both for 0 to 255, so that the picture would come out washed out. Other pictures stay as they are.
func fromStudioRange(img image.Image) image.Image {
	var y *image.YCbCr
	var alpha func(x, y int) uint8
	switch img := img.(type) {
	case *image.YCbCr:
		y = img
	case *image.NYCbCrA:
		y, alpha = &img.YCbCr, func(x, y int) uint8 { return img.A[img.AOffset(x, y)] }
	default:
		return img
	}
	b := y.Bounds()
	out := image.NewNRGBA(b)
	for py := b.Min.Y; py < b.Max.Y; py++ {
		row := out.Pix[out.PixOffset(b.Min.X, py):]
		for px := b.Min.X; px < b.Max.X; px++ {
			// in 1/65536: 255/219 for luma, 255/224 times 1.402, 0.344136, 0.714136 and 1.772 for chroma
			c := y.COffset(px, py)
			l := (int32(y.Y[y.YOffset(px, py)])-16)*76309 + 1<<15
			u, v := int32(y.Cb[c])-128, int32(y.Cr[c])-128
			p := row[(px-b.Min.X)*4:][:4]
			p[0], p[1], p[2], p[3] = clip(l+v*104597), clip(l-u*25675-v*53279), clip(l+u*132201), 255
			if alpha != nil {
				p[3] = alpha(px, py)
			}
		}
	}
	return out
}

// clip gives a channel from 16 bits of fraction.
func clip(v int32) uint8 { return uint8(min(max(v>>16, 0), 255)) }
