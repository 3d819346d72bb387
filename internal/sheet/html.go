package sheet

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"html/template"
	"image/color"

	_ "embed"

	"tachyform.dev/tachyform/internal/icon"
)

//go:embed sheet.html
var page string

var tmpl = template.Must(template.New("sheet").Parse(page))

type picture struct {
	Src           template.URL
	File, Purpose string
	Size, Bytes   int
	Shown         int
}

// HTML writes a set as one page that asks nothing of anybody.
func HTML(set []icon.Icon, app App) ([]byte, error) {
	hex := func(c color.NRGBA) string { return fmt.Sprintf("#%02x%02x%02x", c.R, c.G, c.B) }
	v := struct {
		Name, Theme, Background, Text string
		All                           []picture
		Mask, Touch, Any, Tab         *picture
	}{Name: app.Name, Theme: hex(app.Theme), Background: hex(app.Background), Text: "#22262a"}
	if dim(app.Background) {
		v.Text = "#e8eaec"
	}
	for _, i := range set {
		p := picture{Src: template.URL("data:" + i.Type + ";base64," + base64.StdEncoding.EncodeToString(i.Data)), //nolint:gosec // made here
			File: i.File, Purpose: i.Purpose, Bytes: len(i.Data), Size: 96}
		if len(i.Sizes) > 0 {
			p.Size = i.Sizes[len(i.Sizes)-1]
		}
		p.Shown = min(p.Size, shown)
		v.All = append(v.All, p)
		at := &p
		switch i.Purpose {
		case icon.Maskable:
			v.Mask = at
		case icon.Touch:
			v.Touch = at
		case icon.Any:
			v.Any = at
		case icon.Favicon:
			v.Tab = at
		}
	}
	var b bytes.Buffer
	err := tmpl.Execute(&b, v)
	return b.Bytes(), err
}
