package likeness

import (
	"bytes"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"tachyform.dev/tachyform/internal/manifest"
	"tachyform.dev/tachyform/internal/pagehead"
	"tachyform.dev/tachyform/internal/platform"
)

func square(t *testing.T, side int, c color.Color) []byte {
	t.Helper()
	m := image.NewNRGBA(image.Rect(0, 0, side, side))
	draw.Draw(m, m.Rect, image.NewUniform(c), image.Point{}, draw.Src)
	var b bytes.Buffer
	require.NoError(t, png.Encode(&b, m))
	return b.Bytes()
}

// gathered reads an app from a manifest and a head, with pictures by name.
func gathered(t *testing.T, text, head string, files map[string][]byte) *App {
	t.Helper()
	m, err := manifest.Process([]byte(text), "m.json", "https://skerry.example/m.json", "https://skerry.example/")
	require.NoError(t, err)
	h, err := pagehead.Read("index.html", []byte("<!doctype html><title>Skerry Line</title>"+head))
	require.NoError(t, err)
	return Gather(Source{Manifest: &m.Processed, Tags: h.Tags, Title: "Skerry Line, ferries", Page: "#fffaf0", Host: "skerry.example", Read: func(ref string) []byte {
		return files[strings.TrimPrefix(strings.TrimPrefix(ref, "https://skerry.example"), "/")]
	}})
}

// scenes gives the scenes of a platform by kind.
func scenes(t *testing.T, a *App, id string) map[Kind]Scene {
	t.Helper()
	out := map[Kind]Scene{}
	for _, p := range platform.All {
		if p.ID != id {
			continue
		}
		l := a.On(p)
		if l == nil {
			return nil
		}
		for _, s := range l.Scenes {
			assert.NotEmpty(t, s.Assumed, "%s, %s", id, s.Kind)
			out[s.Kind] = s
		}
	}
	return out
}

func TestEveryPlatformIsDrawn(t *testing.T) {
	red, blue := square(t, 512, color.NRGBA{200, 0, 0, 255}), square(t, 192, color.NRGBA{0, 0, 200, 255})
	a := gathered(t, `{"name": "Skerry Line ferries and tides", "short_name": "Skerry Line ferries", "description": "Sailings", "start_url": "/", "display": "standalone", "display_override": ["window-controls-overlay"],
		"theme_color": "#0b4f6c", "background_color": "#f8f5ee",
		"icons": [{"src": "any.png", "sizes": "512x512"}, {"src": "small.png", "sizes": "192x192"}, {"src": "mask.png", "purpose": "maskable"}, {"src": "mono.png", "purpose": "monochrome"}, {"src": "gone.png", "sizes": "1024x1024"}],
		"shortcuts": [{"name": "Tides", "url": "/tides/", "icons": [{"src": "small.png"}]}, {"name": "Fares", "url": "/fares/"}],
		"screenshots": [{"src": "any.png", "form_factor": "wide"}], "share_target": {"action": "/share", "params": {"title": "t"}}}`,
		`<meta name="theme-color" content="#ffffff" media="(prefers-color-scheme: light)"><meta name="theme-color" content="#101010" media="(prefers-color-scheme: dark)">
		<link rel="apple-touch-icon" href="/touch.png"><meta name="apple-mobile-web-app-title" content="Skerry"><meta name="apple-mobile-web-app-status-bar-style" content="black-translucent">`,
		map[string][]byte{"any.png": red, "small.png": blue, "mask.png": red, "mono.png": red, "touch.png": blue})

	kinds := map[string][]Kind{
		"chromium-desktop": {Home, Menu, Window, Dialogue, Share}, "chromium-android": {Home, Menu, Opening, Window, Switcher, Dialogue, Share},
		"safari-ios": {Home, Opening, StatusBar, Switcher}, "safari-macos": {Home, Window}, "firefox-android": {Home, Opening, Window, Switcher}, "firefox-desktop": nil,
	}
	for id, want := range kinds {
		var got []Kind
		for k := range scenes(t, a, id) {
			got = append(got, k)
		}
		assert.ElementsMatch(t, want, got, id)
	}

	android := scenes(t, a, "chromium-android")
	home := android[Home].Tiles
	require.Len(t, home, 4, "three masks and the tinted one")
	assert.Same(t, a.Maskable, home[0].Picture)
	assert.True(t, home[3].Tint)
	assert.Equal(t, "Skerry Line…", home[0].Label)
	assert.Contains(t, android[Home].Assumed, `"Skerry Line ferries" has no room`)
	assert.Equal(t, Colour("#f8f5ee"), android[Opening].Frames[0].Fill)
	assert.Equal(t, Ink("#f8f5ee"), android[Opening].Frames[0].Ink)
	bars := android[Window].Frames
	assert.Equal(t, []Colour{"#ffffff", "#101010"}, []Colour{bars[0].Fill, bars[1].Fill}, "the page's own colours by media come before the manifest's")
	assert.Equal(t, []Colour{black, white}, []Colour{bars[0].Ink, bars[1].Ink})
	assert.Contains(t, android[Dialogue].Assumed, "no screenshot of form_factor narrow")
	assert.Contains(t, android[Menu].Assumed, "without an icon")

	desktop := scenes(t, a, "chromium-desktop")
	assert.Len(t, desktop[Dialogue].Pictures, 1)
	assert.Equal(t, "Sailings", desktop[Dialogue].Text)
	require.Len(t, desktop[Window].Frames, 3)
	assert.True(t, desktop[Window].Frames[2].Overlay)
	cfg, err := png.DecodeConfig(bytes.NewReader(desktop[Home].Tiles[0].Picture.Data))
	require.NoError(t, err)
	assert.Equal(t, iconSide, cfg.Width, "the largest that is there, made smaller")

	ios := scenes(t, a, "safari-ios")
	assert.Same(t, a.Touch, ios[Home].Tiles[0].Picture)
	assert.Equal(t, "Skerry", ios[Home].Tiles[0].Label)
	var chosen []string
	for _, f := range ios[StatusBar].Frames {
		if f.Chosen {
			chosen = append(chosen, f.Name)
		}
	}
	assert.Equal(t, []string{"black-translucent"}, chosen)
	assert.Contains(t, ios[StatusBar].Assumed, "can hardly be read (contrast 1.0)")
	assert.Contains(t, ios[Opening].Assumed, "no launch pictures")
}

func TestWhatIsNotThereIsSaid(t *testing.T) {
	a := gathered(t, `{"name": "Skerry", "start_url": "/", "display": "fullscreen", "icons": [{"src": "broken.png"}], "theme_color": "red"}`, "", map[string][]byte{"broken.png": []byte("no picture")})
	assert.Nil(t, a.Any)
	android := scenes(t, a, "chromium-android")
	assert.Contains(t, android[Home].Assumed, "a letter stands in")
	assert.Contains(t, android[Opening].Assumed, "there is no background_color")
	assert.Contains(t, android[Window].Assumed, "the theme colour is not seen")
	assert.Equal(t, Colour("#fffaf0"), android[Window].Frames[0].Fill)
	assert.NotContains(t, android, Menu)
	assert.Contains(t, scenes(t, a, "safari-ios")[Home].Assumed, "a picture of the page is taken")

	a = gathered(t, `{"name": "Skerry", "start_url": "/", "display": "browser", "icons": [{"src": "any.png"}]}`,
		`<link rel="apple-touch-startup-image" href="l.png" media="(orientation: landscape)"><link rel="apple-touch-startup-image" href="d.png" media="(prefers-color-scheme: dark)">`,
		map[string][]byte{"any.png": square(t, 64, color.White), "l.png": square(t, 64, color.White), "d.png": square(t, 64, color.Black)})
	assert.Nil(t, a.IOS.Launch, "lying pictures are not drawn")
	assert.NotNil(t, a.IOS.LaunchDark)
	assert.True(t, scenes(t, a, "chromium-android")[Home].Tiles[0].Plate)
	assert.Contains(t, scenes(t, a, "chromium-desktop")[Window].Assumed, "it opens as any page does")
}

func TestPicturesHaveBounds(t *testing.T) {
	huge := append([]byte("\x89PNG\r\n\x1a\n\x00\x00\x00\rIHDR"), 0, 0, 0xff, 0xff, 0, 0, 0xff, 0xff, 8, 6, 0, 0, 0, 0, 0, 0, 0)
	for name, data := range map[string][]byte{"empty": nil, "text": []byte("x"), "a picture of 4 gigapixels": huge, "an SVG without an end": []byte("<svg xmlns='http://www.w3.org/2000/svg'>" + strings.Repeat("<g>", 100_000))} {
		p, _ := read(data, iconSide)
		assert.Nil(t, p, name)
	}
}
