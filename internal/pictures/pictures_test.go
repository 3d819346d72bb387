package pictures

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// drawn gives a PNG of which a part, from the top, is dark.
func drawn(t *testing.T, w, h int, dark float64) []byte {
	t.Helper()
	img := image.NewNRGBA(image.Rect(0, 0, w, h))
	for y := range h {
		for x := range w {
			c := color.NRGBA{250, 250, 250, 255}
			if float64(y) < dark*float64(h) {
				c = color.NRGBA{10, 60, 90, 255}
			}
			img.SetNRGBA(x, y, c)
		}
	}
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, img))
	return b.Bytes()
}

// TestPushedDown compares what a notice at the top has pushed down with what it was: only the rows of the notice count.
func TestPushedDown(t *testing.T) {
	bands := func(push int) []byte {
		img := image.NewNRGBA(image.Rect(0, 0, 390, 780))
		for y := range 780 {
			for x := range 390 {
				n := (y - push + 780) / 39
				img.SetNRGBA(x, y, color.NRGBA{uint8(n * 97), uint8(n * 61), uint8(n * 151), 255})
			}
		}
		var b bytes.Buffer
		require.NoError(t, png.Encode(&b, img))
		return b.Bytes()
	}
	s := &Set{Dir: t.TempDir()}
	for i, n := range []string{"online", "offline"} {
		require.NoError(t, s.Take("/", n, Widths[0], bands(i*78)))
	}
	assert.InDelta(t, 0.1, s.Find("/", "offline", "phone").Differs, 0.02)
	assert.Greater(t, apart(s.Find("/", "online", "phone").pixels, s.Find("/", "offline", "phone").pixels, 0, 1), 0.5)
}

func TestSet(t *testing.T) {
	s := &Set{Dir: t.TempDir()}
	phone, desktop := Widths[0], Widths[1]
	for _, c := range []struct {
		page, network string
		dark          float64
	}{{"/", "online", 0.5}, {"/tides/?day=1", "online", 0.5}, {"/fares/", "online", 0.5}, {"/", "offline", 0.5}, {"/tides/?day=1", "offline", 1}, {"/fares/", "offline", 0.75}} {
		require.NoError(t, s.Take(c.page, c.network, phone, drawn(t, 390, 780, c.dark)))
	}
	require.NoError(t, s.Take("/", "offline", desktop, drawn(t, 1280, 800, 0)))
	assert.Equal(t, []string{"/tides/?day=1", "/fares/", "/"}, s.Pages(), "the most different first")
	assert.InDelta(t, 0.5, s.Find("/tides/?day=1", "offline", "phone").Differs, 0.02)
	assert.InDelta(t, 0.25, s.Find("/fares/", "offline", "phone").Differs, 0.02)
	assert.Zero(t, s.Find("/", "offline", "phone").Differs)
	assert.Zero(t, s.Find("/", "offline", "desktop").Differs, "there is none online in this width")
	assert.Nil(t, s.Find("/", "slow", "phone"))
	small, err := png.Decode(bytes.NewReader(s.Find("/", "online", "phone").Small))
	require.NoError(t, err)
	assert.Equal(t, image.Pt(100, 200), small.Bounds().Size())
	for _, p := range s.Pictures {
		assert.FileExists(t, filepath.Join(s.Dir, p.File))
	}
	require.NoError(t, s.Take("/tides/?day=1#x", "offline", phone, drawn(t, 4, 4, 0)))
	require.NoError(t, s.Take("/tides/-day=1-x", "offline", phone, drawn(t, 4, 4, 0)))
	files, err := os.ReadDir(s.Dir)
	require.NoError(t, err)
	assert.Len(t, files, 9, "no picture takes another's name")
	assert.Error(t, s.Take("/", "slow", phone, []byte("no picture")))
}
