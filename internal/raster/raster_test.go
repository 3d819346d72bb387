package raster

import (
	"bytes"
	"encoding/binary"
	"image"
	"image/jpeg"
	"image/png"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// progressive makes a JPEG of so many px a side, gone over so many times; each time takes some bytes.
func progressive(side, times int) []byte {
	segment := func(kind byte, data ...byte) []byte {
		return append([]byte{0xff, kind, byte((len(data) + 2) >> 8), byte(len(data) + 2)}, data...)
	}
	blocks := ((side + 7) / 8) * ((side + 7) / 8)
	out := []byte{0xff, 0xd8}
	out = append(out, segment(0xdb, append([]byte{0}, bytes.Repeat([]byte{1}, 64)...)...)...)
	frame := binary.BigEndian.AppendUint16(binary.BigEndian.AppendUint16([]byte{8}, uint16(side)), uint16(side))
	out = append(out, segment(0xc2, append(frame, 1, 1, 0x11, 0)...)...)
	out = append(out, segment(0xc4, append(append([]byte{0, 1}, make([]byte, 15)...), 0)...)...)             // DC: the code 0 for a difference of 0
	out = append(out, segment(0xc4, append(append([]byte{0x10, 1, 1}, make([]byte, 14)...), 0, 0xe0)...)...) // AC: 0 for the end of a block, 10 for that of many
	out = append(append(out, segment(0xda, 1, 1, 0, 0, 0, 0)...), make([]byte, blocks/8+1)...)
	scan := segment(0xda, 1, 1, 0, 1, 63, 0)
	for left := blocks; left > 0; {
		n := min(left, 8)
		scan = append(scan, byte(0xff>>n)) // ends of n blocks
		left -= n
		if n < 8 {
			break
		}
	}
	return append(append(out, bytes.Repeat(scan, times)...), 0xff, 0xd9)
}

func TestDecode(t *testing.T) {
	var buf bytes.Buffer
	require.NoError(t, jpeg.Encode(&buf, image.NewGray(image.Rect(0, 0, 40, 30)), nil))
	plain := bytes.Clone(buf.Bytes())
	buf.Reset()
	require.NoError(t, png.Encode(&buf, image.NewGray(image.Rect(0, 0, 40, 30))))
	for name, data := range map[string][]byte{"jpeg": plain, "png": buf.Bytes(), "progressive": progressive(64, 12)} {
		img, format, err := Decode(data)
		require.NoError(t, err, name)
		assert.NotEmpty(t, format)
		assert.NotZero(t, img.Bounds().Dx())
	}
	_, format, err := Decode(progressive(2000, 2000))
	require.ErrorIs(t, err, ErrTooMuch)
	assert.Equal(t, "jpeg", format)
	assert.Contains(t, err.Error(), "2001 scans")
	_, _, err = Decode([]byte("<svg>"))
	assert.ErrorIs(t, err, image.ErrFormat)
}
