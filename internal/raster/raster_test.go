package raster

import (
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"image"
	"image/color"
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

// Lossy pictures that Chromium wrote: black, white, red (208, 16, 32) and blue (16, 64, 192) in quarters, and a red disc on nothing.
const (
	lossyQuarters = "UklGRnQAAABXRUJQVlA4WAoAAAAAAAAAHwAAHwAAVlA4IFYAAACQBACdASogACAAPjEUiEKiISEYBAAgAwSgCADBCeAfgB+wHGBdgP2AAyVjKQAA/v+P2H/97On/sGd//+PbA3x///1q5GPiu3t0mMTBOFJXF2Yy7gAAAA=="
	lossyDisc     = "UklGRhIBAABXRUJQVlA4WAoAAAAQAAAADwAADwAAQUxQSG4AAAANcFpt27Lc7T9MQCTRv4hlqH/C3SORFdjA3RMfW/zxj1R2oNsnyAQRMQH8Z8mN4MmNITQGiLjB9k2zQ58sF5Ua5kR4AWQsyJwAYSN8vukLC18Zdi2GigykDJeHQm/gaO59tFeRdiN48ox5Iz2+DlZQOCB+AAAA0AQAnQEqEAAQAADAEiWwAnS6AUQD5AN4A2gD/AbwBwAH7AdZD5gH9u///8ACWQAA/vpqSLP9/A5Go83V5P0pyp2yKBQAfBfCzvkb//jVqPujF0Z57BOrf/jVr1zDsayN5rlrv/xq1H5dsMHe0tvV//jVoBorF0SithgaAAAA"
)

func TestLossyWebPKeepsItsColours(t *testing.T) {
	at := func(source string, x, y int) color.NRGBA {
		data, err := base64.StdEncoding.DecodeString(source)
		require.NoError(t, err)
		img, format, err := Decode(data)
		require.NoError(t, err)
		assert.Equal(t, "webp", format)
		return color.NRGBAModel.Convert(img.At(x, y)).(color.NRGBA)
	}
	for place, want := range map[[2]int]color.NRGBA{{6, 6}: {0, 0, 0, 255}, {26, 6}: {255, 255, 255, 255}, {6, 26}: {208, 16, 32, 255}, {26, 26}: {16, 64, 192, 255}} {
		got := at(lossyQuarters, place[0], place[1])
		for i, pair := range [][2]uint8{{want.R, got.R}, {want.G, got.G}, {want.B, got.B}, {want.A, got.A}} {
			assert.InDelta(t, pair[0], pair[1], 8, "%v, channel %d: %v", place, i, got)
		}
	}
	assert.Zero(t, at(lossyDisc, 0, 0).A)
	disc := at(lossyDisc, 8, 8)
	assert.InDelta(t, 208, disc.R, 10)
	assert.InDelta(t, 16, disc.G, 10)
	assert.EqualValues(t, 255, disc.A)
}
