// Package raster decodes pictures of a site, which may be made to keep a decoder busy.
package raster

import (
	"bytes"
	"errors"
	"fmt"
	"image"
	_ "image/gif"  // a format
	_ "image/jpeg" // a format
	_ "image/png"  // a format

	_ "golang.org/x/image/webp" // a format
)

// MaxPixels is how many pixels a picture may have.
const MaxPixels = 50_000_000

// maxWork is how many pixels all scans of a picture may have together: a progressive JPEG goes over its pixels in each of them. Encoders write about ten.
const maxWork = 3_000_000_000

// ErrTooMuch says that decoding a picture would take too much time or memory.
var ErrTooMuch = errors.New("more than is decoded")

// Decode gives a picture and the name of its format. It fails with [ErrTooMuch] for pictures of too many pixels or scans, before any is decoded, and with what the
// decoder says for damaged ones.
func Decode(data []byte) (image.Image, string, error) {
	cfg, format, err := image.DecodeConfig(bytes.NewReader(data))
	if err != nil {
		return nil, "", err
	}
	pixels := int64(cfg.Width) * int64(cfg.Height)
	if pixels > MaxPixels {
		return nil, format, fmt.Errorf("%d x %d px: %w", cfg.Width, cfg.Height, ErrTooMuch)
	}
	if format == "jpeg" {
		if n := int64(scans(data)); n*pixels > maxWork {
			return nil, format, fmt.Errorf("%d x %d px in %d scans: %w", cfg.Width, cfg.Height, n, ErrTooMuch)
		}
	}
	img, format, err := image.Decode(bytes.NewReader(data))
	if err == nil && format == "webp" {
		img = fromStudioRange(img)
	}
	return img, format, err
}

// scans counts the scans of a JPEG (ITU T.81, B.2.3). Within entropy-coded data an FF is followed by 00, so that no other marker is taken for one.
func scans(data []byte) int { return bytes.Count(data, []byte{0xff, 0xda}) }
